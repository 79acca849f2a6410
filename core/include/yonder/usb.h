/* What a firmware's USB stack hands out and is asked for: descriptors and control requests.
 *
 * Follows the USB 2.0 specification, chapter 9, and "Device Class Definition for HID" 1.11, 7.
 * A connector is one USB device: its interfaces are those of the program that go there, numbered
 * from 0 in their order. Interface n has the interrupt IN endpoint n + 1; reports from the host
 * come over the control endpoint. Everything here runs in one place with the engine. */
#ifndef YONDER_USB_H
#define YONDER_USB_H

#include "yonder/engine.h"

/* What a device calls itself. Strings are ASCII of up to 60 characters; NULL: it has none. */
typedef struct yt_usb_identity {
    uint16_t vendor;
    uint16_t product;
    const char *manufacturer;
    const char *product_name;
    const char *serial;    /* a suffix that follows from the layout is added */
    uint16_t packet_bytes; /* of the control endpoint: 8, 16, 32 or 64 */
    uint16_t milliamperes; /* that the device draws at most, up to 500 */
    uint8_t interval_ms;   /* how often hosts are to ask, 1 to 255 */
} yt_usb_identity;

#define YT_USB_CONFIGURATION_BYTES (9 + YT_INTERFACES * (9 + 9 + 7))

/* Each of these writes a descriptor into `bytes` and returns its length; 0 where there is no room,
 * or no such descriptor. They need a loaded program. */

/* The device version and the serial number follow from the program's interfaces, so that a host
 * that remembers report descriptors takes a device with others for another device. */
size_t yt_usb_device_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                uint8_t *bytes, size_t size);

/* The configuration with its interface, HID and endpoint descriptors. */
size_t yt_usb_configuration(const yt_engine *engine, const yt_usb_identity *identity,
                            unsigned connector, uint8_t *bytes, size_t size);

/* String `index`: 0 the languages (English), 1 manufacturer, 2 product, 3 serial number. */
size_t yt_usb_string(const yt_engine *engine, const yt_usb_identity *identity, unsigned index,
                     uint8_t *bytes, size_t size);

/* The report descriptor of interface `index` of a connector, where it stands; NULL: there is none.
 */
const uint8_t *yt_usb_report_descriptor(const yt_engine *engine, unsigned connector, unsigned index,
                                        size_t *size);

/* A setup packet of eight bytes that asks for a descriptor or is a request of the HID class. For
 * requests to the device `data` are the `size` bytes that came with it; answers are written into
 * `data`, which has room for `room` bytes, and `length` is how many. YT_OK: answer so, or with
 * nothing. YT_RELAYED: another device must answer (yt_interface_relay says which). Anything else:
 * stall. Standard requests that do not ask for a descriptor are the stack's own: YT_ARGUMENT. */
YT_MUST_USE yt_status yt_usb_request(yt_engine *engine, const yt_usb_identity *identity,
                                     unsigned connector, const uint8_t setup[8], uint8_t *data,
                                     size_t size, size_t room, size_t *length, uint64_t now_us);

#endif
