/* Bluetooth LE: the HID service's characteristics, as bytes in and bytes out.
 *
 * Follows "HID Service Specification" 1.0 and "HID over GATT Profile" 1.0. The firmware's stack
 * makes an attribute for each entry of the list that yt_gatt_attribute gives, and hands reads and
 * writes to these calls. A connector is one service; the program has one interface for it: one with
 * several, which a profile did not mark with `over: bluetooth`, has no attributes here. Values
 * of reports have no report ID: the Report Reference beside them tells it.
 *
 * A bonded host keeps the attributes and the report map. After a program with other interfaces
 * (yt_engine_layout) the firmware comes back with another static random address, so that the host
 * sees another device; one address for each layout keeps the bonds of those before.
 *
 *     yt_gatt gatt;
 *     yt_gatt_attribute attribute;
 *     yt_gatt_begin(&gatt, &engine, 1);
 *     for (unsigned i = 0; yt_gatt_attribute_at(&gatt, i, &attribute); i++)
 *         add_attribute(i, attribute.uuid, attribute.properties);
 *     unsigned which;
 *     status =
 *         yt_gatt_notification(&gatt, mtu, &which, bytes, sizeof bytes, &length, now_us);
 *     if (status == YT_OK && length > 0)
 *         send(bytes, length); // as attribute `which`; then yt_gatt_sent
 *
 * Called from where the engine's calls are made, not from an interrupt. */
#ifndef YONDER_GATT_H
#define YONDER_GATT_H

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_GATT_ATTRIBUTES (8 + YT_REPORTS) /* of one service, at most */

/* The UUIDs of characteristics (Bluetooth Assigned Numbers). */
typedef enum yt_gatt_uuid {
    YT_GATT_BOOT_KEYBOARD_INPUT = 0x2a22,
    YT_GATT_BOOT_KEYBOARD_OUTPUT = 0x2a32,
    YT_GATT_BOOT_MOUSE_INPUT = 0x2a33,
    YT_GATT_HID_INFORMATION = 0x2a4a,
    YT_GATT_REPORT_MAP = 0x2a4b,
    YT_GATT_CONTROL_POINT = 0x2a4c,
    YT_GATT_REPORT = 0x2a4d,
    YT_GATT_PROTOCOL_MODE = 0x2a4e
} yt_gatt_uuid;

/* Properties, as bits of the characteristic's declaration (Core 5.0, vol 3, G, 3.3.1.1). */
#define YT_GATT_READ                   0x02u
#define YT_GATT_WRITE_WITHOUT_RESPONSE 0x04u
#define YT_GATT_WRITE                  0x08u
#define YT_GATT_NOTIFY                 0x10u

/* A characteristic. All need an encrypted link. A Report also has a Report Reference descriptor:
 * ID and type (1 input, 2 output, 3 feature). */
typedef struct yt_gatt_attribute {
    uint16_t uuid;
    uint8_t properties;
    uint8_t report_id;
    uint8_t report_type; /* 0: it is no Report */
    uint8_t report;      /* of the program */
} yt_gatt_attribute;

/* A service: the engine's interface at a connector, and what its host listens to. The caller's
 * memory. A bonded host's choices come back with the bond: give them anew (yt_gatt_listen). */
typedef struct yt_gatt {
    yt_engine *engine;
    unsigned connector;
    uint32_t listened; /* attributes, a bit each */
} yt_gatt;

/* Begins with a host that listens to nothing, as after a new connection without a bond. Begin anew
 * after a program with other interfaces was loaded. */
void yt_gatt_begin(yt_gatt *gatt, yt_engine *engine, unsigned connector);

/* Attribute `index` of the service, counted from 0. False: there are no more. */
bool yt_gatt_attribute_at(const yt_gatt *gatt, unsigned index, yt_gatt_attribute *attribute);

/* The host has written an attribute's Client Characteristic Configuration (Core 5.0, vol 3, G,
 * 3.3.3.3): whether it wants notifications. YT_ARGUMENT: the attribute has none. */
YT_MUST_USE yt_status yt_gatt_listen(yt_gatt *gatt, unsigned index, bool on);

/* A read, also of a part of a long value: copies what stands from `offset` on, as much as there is
 * room for, and gives its length. YT_ARGUMENT: the offset is behind the value's end, or it cannot
 * be read. YT_RELAYED: another device answers. */
YT_MUST_USE yt_status yt_gatt_read(const yt_gatt *gatt, unsigned index, size_t offset,
                                   uint8_t *bytes, size_t room, size_t *length);

/* A write. YT_ARGUMENT: it cannot be written, or the value is wrong. YT_REPORT_SHORT, YT_RELAYED.
 */
YT_MUST_USE yt_status yt_gatt_write(yt_gatt *gatt, unsigned index, const uint8_t *bytes,
                                    size_t size, uint64_t now_us);

/* The next notification: which attribute, its value, and how long that is; 0: nothing is new. No
 * longer than the MTU less three bytes (Core, vol 3, F, 3.4.7.1); the host reads a longer value's
 * rest. What the host does not listen to is passed over, as if it had been sent. When it was sent,
 * call yt_gatt_sent. YT_ROOM: there is less room than `length` says; YT_REPORT_BYTES + 1 are always
 * enough. YT_ARGUMENT: the program has no interface at the connector, or the MTU is below 4. */
YT_MUST_USE yt_status yt_gatt_notification(yt_gatt *gatt, size_t mtu, unsigned *index,
                                           uint8_t *bytes, size_t room, size_t *length,
                                           uint64_t now_us);
void yt_gatt_sent(yt_gatt *gatt, uint64_t now_us);

#ifdef __cplusplus
}
#endif

#endif
