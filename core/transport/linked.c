/* The ways by which the link gets to a host. */
#include <string.h>

#include "transport/attribute.h"
#include "yonder/link_ways.h"

/* ---- a HID report ---- */

#define LOW(number)  ((number)&0xffu)
#define HIGH(number) ((number) >> 8)

static const uint8_t descriptor[] = {0x06,
                                     LOW(YT_LINK_PAGE),
                                     HIGH(YT_LINK_PAGE), /* usage page: vendor-defined */
                                     0x09,
                                     YT_LINK_USAGE, /* usage */
                                     0xa1,
                                     0x01, /* collection: application */
                                     0x85,
                                     YT_LINK_REPORT_ID, /*   report ID */
                                     0x09,
                                     YT_LINK_USAGE, /*   usage */
                                     0x15,
                                     0x00, /*   logical minimum */
                                     0x26,
                                     0xff,
                                     0x00, /*   logical maximum */
                                     0x75,
                                     0x08, /*   report size: bytes */
                                     0x95,
                                     YT_REPORT_FRAME, /*   report count */
                                     0xb2,
                                     0x02,
                                     0x01, /*   feature: variable, buffered bytes */
                                     0xc0};

const uint8_t *yt_link_descriptor(size_t *size) {
    *size = sizeof descriptor;
    return descriptor;
}

bool yt_link_set_report(yt_link *link, yt_link_way way, const uint8_t *bytes, size_t size) {
    if (size < 1 || bytes[0] != YT_LINK_REPORT_ID)
        return false;
    yt_link_take(link, way, bytes + 2, yt_report_unpack(bytes + 1, size - 1));
    return true;
}

void yt_link_get_report(const yt_link *link, yt_link_way way, uint8_t report[1 + YT_REPORT_FRAME]) {
    uint8_t message[YT_MESSAGE_REPORT];
    size_t size = yt_link_answer(link, way, message, sizeof message);
    report[0] = YT_LINK_REPORT_ID;
    if (!yt_report_pack(message, size, report + 1))
        memset(report + 1, 0, YT_REPORT_FRAME);
}

/* ---- USB ---- */

static yt_status set_on_usb(void *context, const uint8_t *bytes, size_t size) {
    return yt_link_set_report((yt_link *)context, YT_LINK_CABLE, bytes, size) ? YT_OK : YT_ARGUMENT;
}

static yt_status get_on_usb(void *context, uint8_t *bytes) {
    yt_link_get_report((const yt_link *)context, YT_LINK_CABLE, bytes);
    return YT_OK;
}

yt_usb_feature yt_link_on_usb(yt_link *link) {
    return (yt_usb_feature){.descriptor = descriptor,
                            .descriptor_size = sizeof descriptor,
                            .report_id = YT_LINK_REPORT_ID,
                            .report_bytes = 1 + YT_REPORT_FRAME,
                            .context = link,
                            .set = set_on_usb,
                            .get = get_on_usb};
}

/* ---- HID over GATT ---- */

static const yt_gatt_attribute attributes[] = {
    {.uuid = YT_GATT_HID_INFORMATION, .properties = YT_GATT_READ},
    {.uuid = YT_GATT_REPORT_MAP, .properties = YT_GATT_READ},
    {.uuid = YT_GATT_CONTROL_POINT, .properties = YT_GATT_WRITE_WITHOUT_RESPONSE},
    {.uuid = YT_GATT_REPORT,
     .properties = YT_GATT_READ | YT_GATT_WRITE,
     .report_id = YT_LINK_REPORT_ID,
     .report_type = 3}};
#define ATTRIBUTES (sizeof attributes / sizeof attributes[0])

bool yt_link_service_at(unsigned index, yt_gatt_attribute *attribute) {
    if (index >= ATTRIBUTES)
        return false;
    *attribute = attributes[index];
    return true;
}

yt_status yt_link_service_read(const yt_link *link, unsigned index, size_t offset, uint8_t *bytes,
                               size_t room, size_t *length) {
    static const uint8_t information[] = {0x11, 0x01, 0, 0x02}; /* HID 1.11, connectable */
    uint8_t report[1 + YT_REPORT_FRAME];
    *length = 0;
    if (index >= ATTRIBUTES)
        return YT_ARGUMENT;
    switch (attributes[index].uuid) {
    case YT_GATT_HID_INFORMATION:
        return yt_attribute_give(information, sizeof information, offset, bytes, room, length);
    case YT_GATT_REPORT_MAP:
        return yt_attribute_give(descriptor, sizeof descriptor, offset, bytes, room, length);
    case YT_GATT_REPORT:
        yt_link_get_report(link, YT_LINK_RADIO_REPORT, report);
        return yt_attribute_give(report + 1, YT_REPORT_FRAME, offset, bytes, room, length);
    default:
        return YT_ARGUMENT;
    }
}

/* Values of reports have no ID in front here. Whether the host sleeps does not matter. */
yt_status yt_link_service_write(yt_link *link, unsigned index, const uint8_t *bytes, size_t size) {
    uint16_t uuid = index < ATTRIBUTES ? attributes[index].uuid : 0;
    if (uuid == YT_GATT_CONTROL_POINT)
        return size == 1 ? YT_OK : YT_ARGUMENT;
    if (uuid != YT_GATT_REPORT || size > YT_REPORT_FRAME)
        return YT_ARGUMENT;
    size_t message = size > 0 ? yt_report_unpack(bytes, size) : 0;
    yt_link_take(link, YT_LINK_RADIO_REPORT, bytes + 1, message);
    return YT_OK;
}

/* ---- a service of its own ---- */

void yt_link_uuid_of(yt_link_uuid which, uint8_t uuid[16]) {
    /* 5959000X-1b7e-4c52-9d3a-e06f8a2c41b7, the lowest byte first; X counts from 1 */
    static const uint8_t base[16] = {0xb7, 0x41, 0x2c, 0x8a, 0x6f, 0xe0, 0x3a, 0x9d,
                                     0x52, 0x4c, 0x7e, 0x1b, 0x01, 0x00, 0x59, 0x59};
    memcpy(uuid, base, sizeof base);
    uuid[12] = (uint8_t)(1 + which);
}

yt_status yt_link_mtu(yt_link *link, size_t mtu) {
    return mtu < 3 ? YT_ARGUMENT : yt_link_room(link, YT_LINK_RADIO, mtu - 3);
}

void yt_link_written(yt_link *link, const uint8_t *bytes, size_t size) {
    yt_link_take(link, YT_LINK_RADIO, bytes, size);
}

size_t yt_link_notification(yt_link *link, uint8_t *bytes, size_t room) {
    return yt_link_send(link, YT_LINK_RADIO, bytes, room);
}

/* ---- a stream ---- */

size_t yt_link_stream_take(yt_link_stream *stream, yt_link *link, const uint8_t *bytes,
                           size_t size) {
    size_t taken = 0;
    if (yt_link_is_waiting(link))
        return 0;
    while (taken < size) {
        size_t message = yt_frame_take(&stream->coming, bytes[taken++]);
        if (message == 0)
            continue;
        yt_link_take(link, YT_LINK_STREAM, stream->coming.bytes, message);
        break;
    }
    return taken;
}

size_t yt_link_stream_give(yt_link_stream *stream, yt_link *link, uint8_t *bytes, size_t room) {
    size_t given = 0;
    while (given < room) {
        if (stream->gone == stream->going_bytes) {
            uint8_t message[YT_MESSAGE_BYTES];
            size_t size = yt_link_send(link, YT_LINK_STREAM, message, sizeof message);
            stream->going_bytes = (uint8_t)yt_frame_pack(message, size, stream->going);
            stream->gone = 0;
        }
        if (stream->going_bytes == 0)
            break;
        size_t left = (size_t)stream->going_bytes - stream->gone, more = room - given;
        size_t count = left < more ? left : more;
        memcpy(bytes + given, stream->going + stream->gone, count);
        stream->gone = (uint8_t)(stream->gone + count);
        given += count;
    }
    return given;
}
