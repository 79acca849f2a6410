/* The ways by which the link gets to a host: a HID interface of its own on USB, a HID service of
 * its own or a service of ours over Bluetooth LE, and any stream of bytes. A firmware takes those
 * that it has:
 *
 *     // USB: an interface more, in which hosts find it by its usage page
 *     static yt_usb_feature linked;
 *     static yt_usb_identity crane = {.vendor = 0x1209, .feature = &linked};
 *     linked = yt_link_on_usb(&link);
 *     status = yt_usb_request(&engine, &crane, 1, &asked, now_us); // as ever
 *
 *     // a serial port
 *     static yt_link_stream stream; // all 0 at first
 *     yt_link_stream_take(&stream, &link, bytes, size);              // they came
 *     size = yt_link_stream_give(&stream, &link, bytes, sizeof bytes); // they are to be sent
 *
 * docs/link.md says what stands in the frames. Called from where the engine's calls are made. */
#ifndef YONDER_LINK_WAYS_H
#define YONDER_LINK_WAYS_H

#include "yonder/gatt.h"
#include "yonder/link.h"
#include "yonder/usb.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Where hosts find it: the vendor-defined usage page and the usage of its collection (HID Usage
 * Tables, 1), and the ID of its feature report. */
#define YT_LINK_PAGE      0xff59u
#define YT_LINK_USAGE     0x0001u
#define YT_LINK_REPORT_ID 0x59u

/* ---- a HID report: USB, and HID over GATT ---- */

/* The report descriptor (HID 1.11, 6.2.2) of one feature report of YT_REPORT_FRAME bytes. */
const uint8_t *yt_link_descriptor(size_t *size);

/* The host sets the report; `bytes` has its ID in front. It is looked at in yt_link_work. False: it
 * is another one. */
bool yt_link_set_report(yt_link *link, yt_link_way way, const uint8_t *bytes, size_t size);

/* What the host gets, with its ID in front: the answer, as often as it is asked for; a report
 * without a message where there is none. */
void yt_link_get_report(const yt_link *link, yt_link_way way, uint8_t report[1 + YT_REPORT_FRAME]);

/* The interface that USB hosts see (yt_usb_identity.feature). */
yt_usb_feature yt_link_on_usb(yt_link *link);

/* A HID service of its own (HID over GATT Profile 1.0, 3.1), beside the one of the program: its
 * characteristics, counted from 0; false: there are no more. All need a bonded host and an
 * encrypted link. */
bool yt_link_service_at(unsigned index, yt_gatt_attribute *attribute);

/* As yt_gatt_read and yt_gatt_write. */
YT_MUST_USE yt_status yt_link_service_read(const yt_link *link, unsigned index, size_t offset,
                                           uint8_t *bytes, size_t room, size_t *length);
YT_MUST_USE yt_status yt_link_service_write(yt_link *link, unsigned index, const uint8_t *bytes,
                                            size_t size);

/* ---- a service of its own, over Bluetooth LE ---- */

/* The UUIDs, lowest byte first, as they go over the air: of the service; of the characteristic that
 * a host writes, with response; of the one that tells it answers, by notification. */
typedef enum yt_link_uuid { YT_LINK_SERVICE, YT_LINK_ASK, YT_LINK_ANSWER } yt_link_uuid;
void yt_link_uuid_of(yt_link_uuid which, uint8_t uuid[16]);

/* The host has agreed on an MTU (Core, vol 3, F, 3.4.2): messages are up to three bytes shorter.
 * YT_ARGUMENT: below 65 nothing of use fits, and the service is not to be offered. */
YT_MUST_USE yt_status yt_link_mtu(yt_link *link, size_t mtu);

/* The host wrote a message. */
void yt_link_written(yt_link *link, const uint8_t *bytes, size_t size);

/* The next notification; 0: there is none. */
size_t yt_link_notification(yt_link *link, uint8_t *bytes, size_t room);

/* ---- a stream of bytes ---- */

/* The caller's memory, one for each stream; all 0 at first. */
typedef struct yt_link_stream {
    yt_frame coming;
    uint8_t going[YT_FRAME_BYTES];
    uint8_t going_bytes, gone;
} yt_link_stream;

/* Bytes came. A frame that ends among them waits; what follows it waits too: gives how many bytes
 * were taken. The rest is to be given again behind the next yt_link_work. */
size_t yt_link_stream_take(yt_link_stream *stream, yt_link *link, const uint8_t *bytes,
                           size_t size);

/* Bytes that are to be sent, as many as there are, up to `room`. */
size_t yt_link_stream_give(yt_link_stream *stream, yt_link *link, uint8_t *bytes, size_t room);

#ifdef __cplusplus
}
#endif

#endif
