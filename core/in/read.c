/* From a device's report to values. Only groups of bytes that are not as in the last report are
 * looked at, and of arrays only the elements that differ. */
#include "hid/bytes.h"
#include "in/device.h"
#include "run/evaluate.h"
#include "signal/fixed.h"

/* What a control is by this place; of a key that has others they count too. */
static void set_control(yt_engine *engine, yt_attached *device, const yt_binding *binding,
                        yt_q16 value) {
    if (binding->twice)
        yt_device_combine(engine, device, binding, value);
    else
        yt_control_set(engine->evaluator, binding->control, value);
}

static void set_switch(yt_engine *engine, yt_attached *device, const yt_binding *binding, bool on) {
    bool turned = binding->flags & YT_BINDING_TURNED;
    set_control(engine, device, binding, on != turned ? YT_ONE : 0);
}

static const yt_binding *bindings_of(yt_attached *device, const yt_bytes_group *group) {
    return yt_attached_bindings(device) + group->first;
}

static YT_NEVER_INLINE void read_bits(yt_engine *engine, yt_attached *device,
                                      const yt_bytes_group *group, unsigned now, unsigned differs) {
    const yt_binding *binding = bindings_of(device, group), *end = binding + group->count;
    for (; binding < end; binding++)
        if (differs >> binding->as.shift & 1)
            set_switch(engine, device, binding, now >> binding->as.shift & 1);
}

/* The first binding of an array that stands for a number; those of one number are neighbours. */
static const yt_binding *find_number(const yt_binding *bindings, unsigned count, uint32_t number) {
    unsigned low = 0, high = count;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (bindings[middle].as.number < number)
            low = middle + 1;
        else
            high = middle;
    }
    return &bindings[low];
}

static bool is_same(const uint8_t *a, const uint8_t *b, unsigned bytes) {
    for (unsigned i = 0; i < bytes; i++)
        if (a[i] != b[i])
            return false;
    return true;
}

/* A number is in an array of which `others` are the bytes too, or what it stands for turns. */
static void turn_number(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                        const uint8_t *others, uint32_t number, bool on) {
    const yt_binding *bindings = bindings_of(device, group);
    const yt_binding *end = bindings + group->count;
    const yt_binding *found = find_number(bindings, group->count, number);
    if (found == end || found->as.number != number || yt_array_holds(group, others, number))
        return;
    for (; found < end && found->as.number == number; found++)
        set_control(engine, device, found, on ? YT_ONE : 0);
}

static void read_array(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                       const uint8_t *at, uint8_t *kept) {
    if (is_same(at, kept, yt_group_bytes(group)) || yt_array_has_error(group, at))
        return;
    for (unsigned i = 0; i < group->elements; i++) {
        uint32_t now = yt_array_element(group, at, i);
        uint32_t before = yt_array_element(group, kept, i);
        if (now == before)
            continue;
        turn_number(engine, device, group, kept, now, true);
        turn_number(engine, device, group, at, before, false);
    }
    yt_bytes_copy(kept, at, yt_group_bytes(group));
}

/* A value may stay the same though its raw number changed, which may be copied. */
static void read_number(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                        const yt_binding *binding, const uint8_t *at) {
    for (const yt_binding *end = binding + group->count; binding < end; binding++) {
        if (binding->calibrated)
            continue;
        yt_q16 value = yt_number_value(device, group, binding, at);
        if ((binding->flags & YT_BINDING_WIDE) &&
            value == yt_control_value(engine->evaluator, binding->control))
            yt_control_finer(engine->evaluator, binding->control);
        else
            set_control(engine, device, binding, value);
    }
}

static void read_field(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                       const yt_binding *binding, const uint8_t *at) {
    const yt_binding *end = binding + group->count;
    if (group->reading == YT_READ_NUMBER) {
        read_number(engine, device, group, binding, at);
        return;
    }
    for (; binding < end; binding++)
        if (group->reading == YT_READ_HAT)
            yt_control_set(engine->evaluator, binding->control,
                           yt_hat_is_on(group, binding, at) ? YT_ONE : 0);
        else
            set_switch(engine, device, binding, yt_field_bits(at, group->shift, group->bits) != 0);
}

yt_q16 yt_motion_told(yt_engine *engine, const yt_bytes_group *group, yt_q16 motion) {
    bool is_cut = group->bits > 16 && (motion == INT32_MAX || motion == INT32_MIN);
    return is_cut ? yt_cut(engine->evaluator, motion) : motion;
}

static YT_NEVER_INLINE void read_motion(yt_engine *engine, yt_attached *device,
                                        const yt_bytes_group *group, uint32_t top) {
    const yt_binding *binding = bindings_of(device, group), *end = binding + group->count;
    for (; binding < end; binding++) {
        yt_q16 motion = yt_motion_of(binding, top, group->bits);
        yt_control_add(engine->evaluator, binding->control,
                       group->bits > 16 ? yt_motion_told(engine, group, motion) : motion);
    }
}

/* A knob: each report that is not at its middle, or that tells of another place. */
static void read_turned(yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                        const uint8_t *at) {
    const yt_binding *binding = bindings_of(device, group), *end = binding + group->count;
    if (yt_number_is_outside(device, group, binding, at))
        return;
    for (; binding < end; binding++)
        yt_control_add(engine->evaluator, binding->control,
                       yt_motion_told(engine, group, yt_turned_by(device, group, binding, at)));
    yt_bytes_copy(yt_attached_kept(device) + group->kept, at, yt_kept_bytes(group));
}

static YT_NEVER_INLINE void read_others(yt_engine *engine, yt_attached *device,
                                        const yt_bytes_group *group, const uint8_t *at) {
    const yt_binding *binding = bindings_of(device, group);
    uint8_t *kept = yt_attached_kept(device) + group->kept;
    if (group->reading >= YT_READ_OFFSET) {
        read_turned(engine, device, group, at);
        return;
    }
    if (group->reading == YT_READ_ARRAY || group->reading == YT_READ_KEYS) {
        read_array(engine, device, group, at, kept);
        return;
    }
    if (is_same(at, kept, yt_group_bytes(group)) ||
        (group->reading == YT_READ_NUMBER && yt_number_is_null(device, group, binding, at)))
        return;
    yt_bytes_copy(kept, at, yt_group_bytes(group));
    read_field(engine, device, group, binding, at);
}

/* A motion's bits, at the top of the number: most of them are 8 to 16 bits long. */
static YT_ALWAYS_INLINE uint32_t motion_bits(const yt_bytes_group *group, const uint8_t *at) {
    unsigned shift = group->shift, bits = group->bits, end = shift + bits;
    uint32_t raw = at[0];
    if (end > 16)
        return yt_field_bits(at, shift, bits) << (32 - bits);
    if (end > 8)
        raw |= (uint32_t)at[1] << 8;
    return raw >> shift << (32 - bits);
}

/* What differs, and what moved, is looked at by functions of their own: mostly there is little. */
static void read_groups(yt_engine *engine, yt_attached *device, const yt_bound_report *report,
                        const uint8_t *bytes) {
    const yt_bytes_group *group = yt_attached_groups(device) + report->first;
    uint8_t *kept = yt_attached_kept(device);
    for (unsigned left = report->count; left > 0; left--, group++) {
        const uint8_t *at = bytes + group->at;
        if (group->reading == YT_READ_MOTION) {
            uint32_t top = motion_bits(group, at);
            if (top)
                read_motion(engine, device, group, top);
        } else if (group->reading == YT_READ_BITS) {
            unsigned now = at[0], differs = now ^ kept[group->kept];
            kept[group->kept] = (uint8_t)now;
            if (differs)
                read_bits(engine, device, group, now, differs);
        } else {
            read_others(engine, device, group, at);
        }
    }
}

static yt_bound_report *find_report(yt_attached *device, uint8_t id) {
    yt_bound_report *report = yt_attached_reports(device), *end = report + device->reports;
    for (; report < end; report++)
        if (report->id == id)
            return report;
    return NULL;
}

void yt_device_read(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size) {
    yt_attached *device = yt_attached_at(engine, number);
    uint8_t id = 0;
    if (!device)
        return;
    if (device->uses_ids) {
        if (size == 0) {
            engine->counts.reports_short++;
            return;
        }
        id = *bytes++;
        size--;
    }
    yt_bound_report *report = find_report(device, id);
    if (!report)
        engine->counts.reports_unknown++;
    else if (size < report->bytes)
        engine->counts.reports_short++;
    else if (device->rare || report->fresh)
        yt_device_read_rarely(engine, device, report, bytes);
    else
        read_groups(engine, device, report, bytes);
    if (engine->calibrated && report && size >= report->bytes)
        engine->calibrated->calls->read(engine, number, id, bytes);
}
