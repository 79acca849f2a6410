/* What a host may ask for at any time, and what it gets back of what it set. */
#include <string.h>

#include "out/sending.h"
#include "image/layout.h"
#include "run/evaluate.h"

/* Room for a report with an ID in front, and where its body goes; NULL: there is too little. */
static uint8_t *begin(uint8_t id, size_t bytes, uint8_t *to, size_t room, size_t *length) {
    *length = bytes + (id ? 1 : 0);
    if (room < *length)
        return NULL;
    if (id)
        *to++ = id;
    return to;
}

/* Of a report to the host. A boot protocol may not have it. */
static yt_status put_state(const yt_engine *engine, const yt_sending *sending, uint8_t id,
                           bool boot, uint8_t *bytes, size_t room, size_t *length) {
    uint8_t now[YT_REPORT_BYTES];
    size_t size = yt_sending_state(engine, sending, boot, now);
    uint8_t *body = size > 0 ? begin(id, size, bytes, room, length) : NULL;
    if (!body)
        return size > 0 ? YT_ROOM : YT_ARGUMENT;
    memcpy(body, now, size);
    return YT_OK;
}

/* The host gets back what it set: the first bits of its feature report, the others 0. */
static yt_status put_features(const yt_program_report *report, const yt_endpoint *endpoint,
                              uint8_t *bytes, size_t room, size_t *length) {
    uint8_t *body = begin(report->id, report->bytes, bytes, room, length);
    if (!body)
        return YT_ROOM;
    memset(body, 0, report->bytes);
    yt_hid_set(body, report->bytes, 0, 32, endpoint->features);
    return YT_OK;
}

yt_status yt_report_state(const yt_engine *engine, unsigned report, bool boot, uint8_t *bytes,
                          size_t room, size_t *length) {
    const yt_sending *sending = report < engine->report_count ? engine->sendings[report] : NULL;
    *length = 0;
    return sending ? put_state(engine, sending, 0, boot, bytes, room, length) : YT_ARGUMENT;
}

yt_status yt_interface_state(const yt_engine *engine, unsigned interface,
                             yt_hid_direction direction, uint8_t id, uint8_t *bytes, size_t room,
                             size_t *length) {
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    *length = 0;
    if (!endpoint || direction == YT_HID_OUTPUT)
        return YT_ARGUMENT;
    unsigned first = endpoint->interface->first_report;
    for (unsigned i = first; i < first + endpoint->interface->report_count; i++) {
        const yt_program_report *report = yt_report_at(&engine->evaluator->program, i);
        bool is_it = direction == YT_HID_INPUT ? yt_endpoint_report_id(endpoint, report) == id
                                               : report->id == id;
        if (report->direction != direction || !is_it)
            continue;
        if (direction == YT_HID_FEATURE)
            return put_features(report, endpoint, bytes, room, length);
        return put_state(engine, engine->sendings[i], id, endpoint->rare & YT_ENDPOINT_BOOT, bytes,
                         room, length);
    }
    return YT_ARGUMENT;
}
