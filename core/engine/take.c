/* From a device's report to values: only the fields that the program uses are looked at. */
#include "engine/parts.h"
#include "signal/fixed.h"

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* Several devices at one input: switches are or-ed; of axes the one farthest from rest counts. */
static yt_q16 combined(yt_engine *engine, const yt_attached *device, unsigned control) {
    yt_q16 value = 0;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *other = yt_attached_at(engine, i);
        if (!other || !(other->inputs & device->inputs))
            continue;
        const yt_binding *bindings = yt_attached_bindings(other);
        for (unsigned k = 0; k < other->bindings; k++)
            if (bindings[k].control == control && size_of(bindings[k].value) > size_of(value))
                value = bindings[k].value;
    }
    return value;
}

/* A binding has another value: what its control is now follows from all devices that have it. */
static void combine(yt_engine *engine, yt_attached *device, yt_binding *binding, yt_q16 value) {
    binding->value = value;
    if (device->shares_input)
        value = combined(engine, device, binding->control);
    yt_evaluator_set(engine->evaluator, binding->control, value);
}

/* On the keyboard page the first numbers of an array tell of an error: too many keys (1), a failed
 * test (2), undefined (3). The report then says nothing of the keys (HID 1.11, appendix C). */
static bool is_key_error(uint32_t number) {
    return number >= 1 && number <= 3;
}

static yt_binding *find_number(yt_binding *bindings, unsigned count, uint32_t number) {
    unsigned low = 0, high = count;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (bindings[middle].number == number)
            return &bindings[middle];
        if (bindings[middle].number < number)
            low = middle + 1;
        else
            high = middle;
    }
    return NULL;
}

static uint32_t array_element(const yt_binding *binding, const uint8_t *bytes, size_t size,
                              unsigned index) {
    if (binding->bits == 8 && binding->bit % 8 == 0)
        return bytes[binding->bit / 8 + index];
    uint32_t raw =
        yt_hid_get(bytes, size, binding->bit + (uint32_t)index * binding->bits, binding->bits);
    return (uint32_t)yt_hid_number(raw, binding->bits, binding->flags & YT_BINDING_SIGNED);
}

#define SEEN_NOW 2 /* beside the value 0 or YT_ONE: the number is in this report */

/* The bindings of one array: those whose number is among the elements are on. */
static void take_array(yt_engine *engine, yt_attached *device, yt_binding *bindings, unsigned count,
                       const uint8_t *bytes, size_t size) {
    for (unsigned i = 0; i < bindings->count; i++) {
        uint32_t number = array_element(bindings, bytes, size, i);
        if ((bindings->flags & YT_BINDING_KEYS) && is_key_error(number)) {
            for (unsigned k = 0; k < count; k++)
                bindings[k].value &= ~SEEN_NOW;
            return;
        }
        yt_binding *found = number < bindings->number ? NULL : find_number(bindings, count, number);
        if (found)
            found->value |= SEEN_NOW;
    }
    for (yt_binding *end = bindings + count; bindings < end; bindings++) {
        if (bindings->value == 0) /* up before, and up now: most of them */
            continue;
        yt_q16 now = bindings->value & SEEN_NOW ? YT_ONE : 0;
        bindings->value &= ~SEEN_NOW;
        if (bindings->value != now)
            combine(engine, device, bindings, now);
    }
}

static void take_scaled(yt_engine *engine, yt_attached *device, yt_binding *binding, uint32_t raw) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->scale];
    int64_t number = yt_hid_number(raw, binding->bits, binding->flags & YT_BINDING_SIGNED);
    if ((binding->flags & YT_BINDING_NULL) && (number < scale->minimum || number > scale->maximum))
        return; /* no value: the last one stands */
    yt_q16 value = yt_scale_value(scale, number);
    if (binding->flags & YT_BINDING_HALF)
        value = value >= YT_ONE / 2 ? YT_ONE : 0;
    if (value != binding->value)
        combine(engine, device, binding, value);
}

/* Clockwise from up; numbers outside of the hat's range mean that it is centred. */
static void take_hat(yt_engine *engine, yt_attached *device, yt_binding *binding, uint32_t raw) {
    static const uint8_t directions[8] = {1, 3, 2, 6, 4, 12, 8, 9};
    uint32_t position = raw - binding->first;
    unsigned on = 0;
    if (position < binding->count)
        on = directions[binding->count == 4 ? 2 * position : position];
    yt_q16 value = on & binding->part ? YT_ONE : 0;
    if (value != binding->value)
        combine(engine, device, binding, value);
}

static void take_motion(yt_engine *engine, const yt_binding *binding, uint32_t raw) {
    bool is_signed = binding->flags & YT_BINDING_SIGNED;
    yt_q16 motion;
    if (is_signed && binding->bits <= 16)
        motion = yt_q16_from_raw(raw, binding->bits);
    else
        motion = yt_q16_from_counts(yt_hid_number(raw, binding->bits, is_signed));
    yt_evaluator_add(engine->evaluator, binding->control, motion);
}

/* The raw bits of a field. As yt_hid_get, but the report is known to be long enough. */
static YT_ALWAYS_INLINE uint32_t raw_of(const yt_binding *binding, const uint8_t *bytes) {
    const uint8_t *at = bytes + (binding->bit >> 3);
    unsigned from = binding->bit & 7u, end = from + binding->bits;
    uint32_t raw = at[0];
    if (binding->bits == 1)
        return raw >> from & 1;
    if (end > 8)
        raw |= (uint32_t)at[1] << 8;
    if (end > 16)
        raw |= (uint32_t)at[2] << 16;
    if (end > 24)
        raw |= (uint32_t)at[3] << 24;
    raw >>= from;
    if (end > 32) /* the field spans five bytes, so `from` is not 0 */
        raw |= (uint32_t)at[4] << (32 - from);
    return raw & (UINT32_MAX >> (32 - binding->bits));
}

static YT_ALWAYS_INLINE void take_variable(yt_engine *engine, yt_attached *device,
                                           yt_binding *binding, const uint8_t *bytes) {
    uint32_t raw = raw_of(binding, bytes);
    if (raw == binding->number) /* of motion: 0, nothing moved; else: as the last time */
        return;
    if (binding->flags & YT_BINDING_MOTION) {
        take_motion(engine, binding, raw);
        return;
    }
    binding->number = raw;
    if (binding->flags & YT_BINDING_HAT)
        take_hat(engine, device, binding, raw);
    else if (binding->flags & YT_BINDING_SCALED)
        take_scaled(engine, device, binding, raw);
    else if ((binding->value != 0) != (raw != 0))
        combine(engine, device, binding, raw ? YT_ONE : 0);
}

static yt_bound_report *find_report(yt_attached *device, uint8_t id) {
    yt_bound_report *reports = yt_attached_reports(device);
    for (unsigned i = 0; i < device->reports; i++)
        if (reports[i].id == id)
            return &reports[i];
    return NULL;
}

static void take_fields(yt_engine *engine, yt_attached *device, const yt_bound_report *report,
                        const uint8_t *bytes, size_t size) {
    yt_binding *binding = yt_attached_bindings(device) + report->first;
    yt_binding *end = binding + report->count;
    while (binding < end) {
        if (!(binding->flags & YT_BINDING_ARRAY)) {
            take_variable(engine, device, binding++, bytes);
            continue;
        }
        yt_binding *first = binding++;
        while (binding < end && binding->bit == first->bit)
            binding++;
        take_array(engine, device, first, (unsigned)(binding - first), bytes, size);
    }
}

void yt_engine_take_report(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size) {
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
    const yt_bound_report *report = find_report(device, id);
    if (!report)
        engine->counts.reports_unknown++;
    else if (size < report->bytes)
        engine->counts.reports_short++;
    else
        take_fields(engine, device, report, bytes, size);
}

void yt_engine_let_go(yt_engine *engine, yt_attached *device) {
    yt_binding *bindings = yt_attached_bindings(device);
    for (unsigned i = 0; i < device->bindings; i++)
        if (bindings[i].value != 0)
            combine(engine, device, &bindings[i], 0);
}
