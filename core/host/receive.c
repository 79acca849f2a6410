/* What a host sends: output and feature reports. They set controls, as a device's reports do; the
 * first bits of a feature report are kept, since a host may ask for them. */
#include "engine/parts.h"
#include "image/layout.h"

/* The value of a control that the host sends. */
static yt_q16 sent_value(const yt_program *program, const yt_program_control *control,
                         const uint8_t *bytes, size_t size) {
    const yt_program_place *place = yt_place_at(program, control->place);
    uint32_t raw = yt_hid_get(bytes, size, place->at.bit, place->at.bits);
    if (control->kind == YT_SWITCH)
        return raw ? YT_ONE : 0;
    int64_t number = yt_hid_number(raw, place->at.bits, place->flags & YT_PLACE_SIGNED);
    yt_scale scale;
    const yt_program_range *range = yt_range_at(program, place->range);
    yt_scale_make(&scale, range->minimum, range->rest, range->maximum);
    return yt_scale_value(&scale, number);
}

static void set_sent(yt_engine *engine, unsigned report, const uint8_t *bytes, size_t size) {
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = yt_control_at(program, i);
        if (control->from_host && control->input == report)
            yt_control_set(engine->evaluator, i, sent_value(program, control, bytes, size));
    }
}

static void keep_features(yt_endpoint *endpoint, const uint8_t *bytes, size_t size) {
    endpoint->features = yt_hid_get(bytes, size, 0, 32);
    endpoint->rare = (uint8_t)(endpoint->features ? endpoint->rare | YT_ENDPOINT_FEATURES
                                                  : endpoint->rare & ~YT_ENDPOINT_FEATURES);
}

/* The program's number of the report that an ID stands for; `id` is only looked at where there are
 * IDs. */
static yt_status find_report(const yt_engine *engine, const yt_endpoint *endpoint,
                             yt_hid_direction direction, uint8_t id, size_t size,
                             unsigned *number) {
    unsigned first = endpoint->interface->first_report;
    for (unsigned i = first; i < first + endpoint->interface->report_count; i++) {
        const yt_program_report *report = yt_report_at(&engine->evaluator->program, i);
        uint8_t its_id = yt_endpoint_report_id(endpoint, report);
        if (report->direction != direction || (its_id && size > 0 && its_id != id))
            continue;
        *number = i;
        return size < report->bytes + (its_id ? 1u : 0u) ? YT_REPORT_SHORT : YT_OK;
    }
    return YT_ARGUMENT;
}

yt_status yt_interface_expects(const yt_engine *engine, unsigned interface,
                               yt_hid_direction direction, uint8_t id, size_t size) {
    const yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    unsigned index;
    return endpoint ? find_report(engine, endpoint, direction, id, size, &index) : YT_ARGUMENT;
}

yt_status yt_interface_receive(yt_engine *engine, unsigned interface, yt_hid_direction direction,
                               const uint8_t *bytes, size_t size, uint64_t now_us) {
    yt_endpoint *endpoint = yt_endpoint_of(engine, interface);
    unsigned index;
    if (!endpoint)
        return YT_ARGUMENT;
    yt_status status =
        find_report(engine, endpoint, direction, size > 0 ? bytes[0] : 0, size, &index);
    if (status != YT_OK)
        return status;
    const yt_program_report *report = yt_report_at(&engine->evaluator->program, index);
    const uint8_t *body = yt_endpoint_report_id(endpoint, report) ? bytes + 1 : bytes;
    yt_engine_update(engine, now_us);
    if (direction == YT_HID_FEATURE)
        keep_features(endpoint, body, report->bytes);
    set_sent(engine, index, body, report->bytes);
    yt_engine_settle(engine, engine->now_us);
    return YT_OK;
}
