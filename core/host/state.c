/* What a host may ask for at any time, and what it gets back of what it set. */
#include <string.h>

#include "out/sending.h"
#include "run/evaluate.h"

static size_t put_state(const yt_sending *sending, uint8_t *bytes) {
    uint8_t id = yt_host_report_id(sending->endpoint, sending->report);
    if (id)
        *bytes++ = id;
    size_t length = yt_sending_state(sending, bytes);
    return length > 0 && id ? length + 1 : length;
}

/* The host gets back what it set: the first bits of its feature report, the others 0. */
static size_t put_features(const yt_program_report *report, const yt_endpoint *endpoint,
                           uint8_t *bytes) {
    size_t head = report->id ? 1 : 0;
    memset(bytes, 0, head + report->bytes);
    bytes[0] = report->id;
    yt_hid_set(bytes + head, report->bytes, 0, 32, endpoint->features);
    return head + report->bytes;
}

size_t yt_report_state(const yt_engine *engine, unsigned report, bool boot, uint8_t *bytes) {
    const yt_sending *sending = report < engine->report_count ? engine->sendings[report] : NULL;
    if (!sending)
        return 0;
    if (boot)
        return yt_boot_report(sending, bytes);
    memcpy(bytes, sending->shown, sending->report->bytes);
    return sending->report->bytes;
}

size_t yt_interface_state(const yt_engine *engine, unsigned interface, yt_hid_direction direction,
                          uint8_t id, uint8_t *bytes, size_t size) {
    const yt_endpoint *endpoint = yt_host_endpoint(engine, interface);
    if (!endpoint || size < YT_REPORT_BYTES + 1)
        return 0;
    unsigned first = endpoint->interface->first_report;
    for (unsigned i = first; i < first + endpoint->interface->report_count; i++) {
        const yt_program_report *report = &engine->evaluator->program.reports[i];
        bool is_it = direction == YT_HID_INPUT ? yt_host_report_id(endpoint, report) == id
                                               : report->id == id;
        if (report->direction != direction || !is_it)
            continue;
        if (direction == YT_HID_INPUT)
            return put_state(engine->sendings[i], bytes);
        return direction == YT_HID_FEATURE ? put_features(report, endpoint, bytes) : 0;
    }
    return 0;
}
