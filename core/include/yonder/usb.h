/* What a firmware's USB stack hands out and is asked for: descriptors and control requests.
 *
 * Follows the USB 2.0 specification, chapter 9, and "Device Class Definition for HID" 1.11, 7.
 * A connector is one USB device: its interfaces are those of the program that go there, numbered
 * from 0 in their order. Interface n has the interrupt IN endpoint n + 1; reports from the host
 * come over the control endpoint. Everything here runs in one place with the engine.
 *
 *     static const yt_usb_identity crane = {.vendor = 0x1209,
 *                                           .product = 0x0001,
 *                                           .product_name = "Crane desk",
 *                                           .packet_bytes = 64,
 *                                           .milliamperes = 100,
 *                                           .interval_ms = 1};
 *     yt_usb_control asked = {.data = bytes, .size = size, .answer = answer, .room = 64};
 *     memcpy(asked.setup, setup, sizeof asked.setup);
 *     if (yt_usb_request(&engine, &crane, 1, &asked, now_us) == YT_OK)
 *         send(answer, asked.length);
 *     else
 *         stall(); */
#ifndef YONDER_USB_H
#define YONDER_USB_H

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What a bus runs at: 12, 1.5 or 480 Mbit/s. */
typedef enum yt_usb_speed { YT_USB_FULL, YT_USB_LOW, YT_USB_HIGH } yt_usb_speed;

/* A HID interface of one feature report, behind those of the program: the link's
 * (yonder/link_ways.h). It stays when another program is loaded. */
typedef struct yt_usb_feature {
    const uint8_t *descriptor; /* its report descriptor */
    uint16_t descriptor_size;
    uint8_t report_id;    /* of its report, which has one */
    uint8_t report_bytes; /* the ID among them, up to 64 */
    void *context;
    /* SET_REPORT and GET_REPORT of it, with its ID in front: the statuses of yt_usb_request. */
    yt_status (*set)(void *context, const uint8_t *bytes, size_t size);
    yt_status (*get)(void *context, uint8_t *bytes);
} yt_usb_feature;

/* What a device is, and calls itself. Strings are ASCII of up to 60 characters; NULL: it has none.
 */
typedef struct yt_usb_identity {
    uint16_t vendor;
    uint16_t product;
    const char *manufacturer;
    const char *product_name;
    const char *serial; /* a suffix that follows from the layout is added */
    uint16_t
        packet_bytes; /* of the control endpoint: 8 at low speed, 64 at high, 8 to 64 at full */
    uint16_t milliamperes; /* that the device draws at most, up to 500 */
    uint8_t interval_ms;   /* how often hosts are to ask, 1 to 255; at low speed at least 10 */
    uint8_t speed;         /* yt_usb_speed: what the bus runs at now */
    bool can_high_speed;   /* it answers what only a device of two speeds has (9.6.2, 9.6.4) */
    bool is_self_powered;
    /* An interface more at connector 1, or where there is no other. NULL: none. Leave it out where
     * what hosts see must be just what a profile says. A host may remember which there were, so
     * whether it is there is part of the device version and the serial number. */
    const yt_usb_feature *feature;
} yt_usb_identity;

#define YT_USB_CONFIGURATION_BYTES (9 + (YT_INTERFACES + 1) * (9 + 9 + 7))
#define YT_USB_SERIAL_BYTES        (60 + 10) /* the suffix, and the 0 at the end */

/* Each of these writes a descriptor and gives its length. They need a loaded program, or `feature`.
 * YT_ARGUMENT: there is no such descriptor. YT_ROOM: `length` says how much is needed; nothing was
 * written. */

/* The device version and the serial number follow from the program's interfaces, so that a host
 * that remembers report descriptors takes a device with others for another device. */
YT_MUST_USE yt_status yt_usb_device_descriptor(const yt_engine *engine,
                                               const yt_usb_identity *identity, uint8_t *bytes,
                                               size_t room, size_t *length);

/* The configuration with its interface, HID and endpoint descriptors, for the speed of the bus. It
 * says that the device can wake its host where the port can (yt_port.wake). */
YT_MUST_USE yt_status yt_usb_configuration(const yt_engine *engine, const yt_usb_identity *identity,
                                           unsigned connector, uint8_t *bytes, size_t room,
                                           size_t *length);

/* String `index`: 0 the languages (English), 1 manufacturer, 2 product, 3 serial number. */
YT_MUST_USE yt_status yt_usb_string(const yt_engine *engine, const yt_usb_identity *identity,
                                    unsigned index, uint8_t *bytes, size_t room, size_t *length);

/* The serial number as text, with its suffix, for stacks that make strings themselves; give it
 * YT_USB_SERIAL_BYTES. YT_ARGUMENT: the device has none. */
YT_MUST_USE yt_status yt_usb_serial(const yt_engine *engine, const yt_usb_identity *identity,
                                    char *text, size_t room);

/* The report descriptor of interface `index` of a connector, `feature` among them, where it stands.
 * Subclass and protocol of that interface follow from yt_interface_boot, the longest report is
 * yt_interface_bytes. NULL: there is none. */
const uint8_t *yt_usb_report_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                        unsigned connector, unsigned index, size_t *size);

/* A control transfer: what the host asks, and the answer. */
typedef struct yt_usb_control {
    uint8_t setup[8];    /* USB 2.0, 9.3 */
    const uint8_t *data; /* what came with a request to the device */
    size_t size;
    uint8_t *answer; /* where the answer to a request to the host goes */
    size_t room;
    size_t length; /* of the answer, after the call */
} yt_usb_control;

/* A transfer that asks for a descriptor or is a request of the HID class. YT_OK: answer so, or with
 * nothing. YT_RELAYED: another device must answer (yt_interface_relay says which). Anything else:
 * stall. Standard requests that do not ask for a descriptor are the stack's own: YT_ARGUMENT. */
YT_MUST_USE yt_status yt_usb_request(yt_engine *engine, const yt_usb_identity *identity,
                                     unsigned connector, yt_usb_control *control, uint64_t now_us);

/* Whether the data of a request to the device is wanted: for stacks that must say so before it
 * comes. The same statuses; changes nothing. Requests without data to the device are fine. */
YT_MUST_USE yt_status yt_usb_expects(const yt_engine *engine, const yt_usb_identity *identity,
                                     unsigned connector, const uint8_t setup[8]);

#ifdef __cplusplus
}
#endif

#endif
