/* A report that is looked at control by control: the first of its ID, one with switches that are
 * muted, one of several devices at an input. It is the obvious way to read any report; read.c does
 * the same with less work where nothing of that kind is the case. */
#include <string.h>

#include "in/device.h"
#include "run/evaluate.h"

/* A switch that was on when the engine took over is up until it was seen up. */
static bool is_muted(yt_binding *binding, yt_q16 value) {
    if (!(binding->flags & YT_BINDING_MUTED))
        return false;
    if (value == 0)
        binding->flags &= (uint8_t)~YT_BINDING_MUTED;
    return true;
}

/* A raw number that changed though its value did not: it may be copied. */
static bool is_finer(const yt_bytes_group *group, const yt_binding *binding, const uint8_t *at,
                     const uint8_t *kept) {
    return (binding->flags & YT_BINDING_WIDE) && yt_field_bits(at, group->shift, group->bits) !=
                                                     yt_field_bits(kept, group->shift, group->bits);
}

static void read_group(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                       bool fresh, const uint8_t *at) {
    yt_binding *first = &yt_attached_bindings(device)[group->first], *end = first + group->count;
    uint8_t *kept = yt_attached_kept(device) + group->kept;
    if (yt_array_has_error(group, at) ||
        (group->reading == YT_READ_NUMBER && yt_number_is_null(device, group, first, at)) ||
        (group->reading >= YT_READ_OFFSET && yt_number_is_outside(device, group, first, at)))
        return; /* no value: the last one stands */
    for (yt_binding *binding = first; binding < end; binding++) {
        if (binding->calibrated)
            continue;
        yt_q16 before = fresh ? 0 : yt_device_says(engine, device, group, binding);
        yt_q16 value = yt_group_value(device, group, binding, at);
        if (yt_group_moves(group)) /* where a knob is to begin with, nobody turned it */
            yt_control_add(engine->evaluator, binding->control,
                           fresh && group->reading == YT_READ_ANGLE
                               ? 0
                               : yt_motion_told(engine, group, value));
        else if (is_muted(binding, value))
            continue;
        else if (value != before)
            yt_device_combine(engine, device, binding, value);
        else if (is_finer(group, binding, at, kept))
            yt_control_finer(engine->evaluator, binding->control);
    }
    memcpy(kept, at, yt_kept_bytes(group));
    /* Of a key that stands in the group twice, each place saw the other as it was before. */
    for (yt_binding *binding = first; binding < end; binding++)
        if (binding->twice)
            yt_device_combine(engine, device, binding,
                              yt_device_says(engine, device, group, binding));
}

static bool any_muted(yt_attached *device) {
    const yt_binding *bindings = yt_attached_bindings(device);
    for (unsigned i = 0; i < device->bindings; i++)
        if (bindings[i].flags & YT_BINDING_MUTED)
            return true;
    return false;
}

void yt_device_read_rarely(yt_engine *engine, yt_attached *device, yt_bound_report *report,
                           const uint8_t *bytes) {
    const yt_bytes_group *groups = yt_attached_groups(device) + report->first;
    for (unsigned i = 0; i < report->count; i++)
        read_group(engine, device, &groups[i], report->fresh, bytes + groups[i].at);
    report->fresh = false;
    if ((device->rare & YT_RARE_MUTED) && !any_muted(device))
        device->rare &= (uint8_t)~YT_RARE_MUTED;
}
