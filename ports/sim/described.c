#include "ports/sim/described.h"

static bool has_field(const sim_host *host, const yt_program_place *place) {
    for (unsigned i = 0; i < host->field_count; i++)
        if (host->fields[i].report_id == place->at.report_id &&
            host->fields[i].bit == place->at.bit)
            return true;
    return false;
}

void described_turns(sim_host *view, const yt_program_place *place, const yt_program_range *range,
                     uint16_t page, uint16_t usage, unsigned occurrence) {
    bool is_here = place->flags & YT_PLACE_HERE;
    unsigned before = 0;
    sim_turning turning = {.wraps = place->flags & YT_PLACE_WRAPS,
                           .turned = place->flags & YT_PLACE_TURNED,
                           .minimum = INT32_MIN,
                           .maximum = INT32_MAX};
    bool is_corrected = turning.wraps || (place->flags & YT_PLACE_MIDDLE);
    if (!is_corrected && !(turning.turned && place->flags & YT_PLACE_MOTION))
        return;
    if (is_corrected) {
        turning.minimum = range->minimum;
        turning.rest = range->rest;
        turning.maximum = range->maximum;
    }
    for (unsigned i = 0; i < view->control_count; i++) {
        host_control *at = &view->controls[i];
        bool is_it = is_here ? at->report_id == place->at.report_id && at->bit == place->at.bit
                             : at->page == page && at->usage == usage && before++ == occurrence;
        if (!is_it)
            continue;
        sim_host_turns(at, turning);
        return;
    }
}

void described_add(const yt_program *program, uint32_t inputs, sim_host *view, sim_host *lights) {
    unsigned controls = program->header->control_count;
    for (unsigned i = 0; i < controls + program->header->target_count; i++) {
        bool is_target = i >= controls;
        sim_host *host = is_target ? lights : view;
        const yt_program_control *control =
            is_target ? &program->targets[i - controls] : &program->controls[i];
        if (!host || control->from_host || !(inputs >> control->input & 1) ||
            control->place == YT_NO_PLACE)
            continue;
        const yt_program_place *place = &program->places[control->place];
        const yt_program_range *range = &program->ranges[place->range];
        if (!(place->flags & YT_PLACE_HERE)) {
            described_turns(host, place, range, control->page, control->usage, control->occurrence);
            continue;
        }
        bool moves = place->flags & YT_PLACE_MOTION;
        if (has_field(host, place))
            continue; /* another direction of a hat */
        yt_hid_field field = {
            .direction = is_target ? YT_HID_OUTPUT : YT_HID_INPUT,
            .report_id = place->at.report_id,
            .flags = (uint16_t)(YT_HID_VARIABLE | (moves ? YT_HID_RELATIVE : 0)),
            .bit = place->at.bit,
            .bits = place->at.bits,
            .count = 1,
            .usage_page = control->page,
            .usage_first = control->usage,
            .usage_last = control->usage,
            .minimum = place->flags & YT_PLACE_SIGNED && range->minimum >= 0 ? -1 : range->minimum,
            .maximum = range->maximum};
        sim_host_add_field(host, &field);
        described_turns(host, place, range, 0, 0, 0);
    }
}
