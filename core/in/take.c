/* From a device's report to values: only the fields that the program uses are looked at. */
#include "engine/parts.h"
#include "signal/fixed.h"

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* What a device says of a control; 0: it has none such. Devices of one make keep it in one place,
 * so that is looked at first. */
static yt_q16 value_in(yt_attached *device, unsigned control, unsigned place) {
    const yt_binding *bindings = yt_attached_bindings(device);
    if (place < device->bindings && bindings[place].control == control)
        return bindings[place].value;
    for (unsigned k = 0; k < device->bindings; k++)
        if (bindings[k].control == control)
            return bindings[k].value;
    return 0;
}

/* Several devices at one input: switches are or-ed; of axes the one farthest from rest counts. */
static yt_q16 combined(yt_engine *engine, yt_attached *device, const yt_binding *binding) {
    unsigned place = (unsigned)(binding - yt_attached_bindings(device));
    yt_q16 value = 0;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *other = yt_attached_at(engine, i);
        if (!other || !(other->inputs & device->inputs))
            continue;
        yt_q16 says = value_in(other, binding->control, place);
        if (size_of(says) > size_of(value))
            value = says;
    }
    return value;
}

/* Whether a binding is one of the two directions of a stick. */
static bool is_stick(const yt_program *program, const yt_binding *binding, unsigned input,
                     unsigned stick) {
    const yt_program_control *control = &program->controls[binding->control];
    return control->stick == stick && control->input == input && !control->from_host;
}

/* How far a device's stick is from its rest: the larger of its two directions. */
static uint32_t reach_of(const yt_program *program, yt_attached *device, unsigned input,
                         unsigned stick) {
    const yt_binding *bindings = yt_attached_bindings(device);
    uint32_t reach = 0;
    for (unsigned k = 0; k < device->bindings; k++)
        if (is_stick(program, &bindings[k], input, stick) && size_of(bindings[k].value) > reach)
            reach = size_of(bindings[k].value);
    return reach;
}

#define STICK_LEAD ((uint32_t)YT_ONE / 16) /* how much farther out another stick takes over */

/* The device whose stick counts: the one that did, until another is clearly farther out. */
static yt_attached *leading_device(yt_engine *engine, unsigned input, unsigned stick) {
    const yt_program *program = &engine->evaluator->program;
    uint32_t bit = (uint32_t)1 << (stick % 32), most = 0;
    yt_attached *leader = NULL;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (!device || !(device->inputs >> input & 1))
            continue;
        uint32_t reach = reach_of(program, device, input, stick);
        if (reach > 0 && (device->leads & bit))
            reach += STICK_LEAD;
        if (!leader || reach > most) {
            most = reach;
            leader = device;
        }
    }
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (device)
            device->leads &= ~bit;
    }
    leader->leads |= bit;
    return leader;
}

/* Of two sticks at one input both directions are those of one of them. */
static void combine_stick(yt_engine *engine, unsigned control) {
    const yt_program *program = &engine->evaluator->program;
    unsigned input = program->controls[control].input, stick = program->controls[control].stick;
    yt_attached *leader = leading_device(engine, input, stick);
    const yt_binding *bindings = yt_attached_bindings(leader);
    for (unsigned k = 0; k < leader->bindings; k++)
        if (is_stick(program, &bindings[k], input, stick))
            yt_evaluator_set(engine->evaluator, bindings[k].control, bindings[k].value);
}

/* A binding has another value: what its control is now follows from all devices that have it. */
static void combine(yt_engine *engine, yt_attached *device, yt_binding *binding, yt_q16 value) {
    binding->value = value;
    if (device->shares_input) {
        if (engine->evaluator->program.controls[binding->control].stick) {
            combine_stick(engine, binding->control);
            return;
        }
        value = combined(engine, device, binding);
    }
    yt_evaluator_set(engine->evaluator, binding->control, value);
}

/* A switch is on or off. One that was on when the engine took over is up until it was seen up. */
static void take_switch(yt_engine *engine, yt_attached *device, yt_binding *binding, bool on) {
    if (binding->flags & YT_BINDING_MUTED) {
        if (!on)
            binding->flags &= (uint16_t)~YT_BINDING_MUTED;
        return;
    }
    if ((binding->value != 0) != on)
        combine(engine, device, binding, on ? YT_ONE : 0);
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

#define SEEN_NOW 2 /* beside the value 0 or YT_ONE: the number is in this report */

/* A number is in the report; a key that is read as a switch and as a level has two bindings. */
static void see_number(yt_binding *first, yt_binding *end, yt_binding *found) {
    uint32_t number = found->number;
    while (found > first && found[-1].number == number)
        found--;
    for (; found < end && found->number == number; found++)
        found->value |= SEEN_NOW;
}

static uint32_t array_element(const yt_binding *binding, const uint8_t *bytes, size_t size,
                              unsigned index) {
    if (binding->bits == 8 && binding->bit % 8 == 0)
        return bytes[binding->bit / 8 + index];
    uint32_t raw =
        yt_hid_get(bytes, size, binding->bit + (uint32_t)index * binding->bits, binding->bits);
    return (uint32_t)yt_hid_number(raw, binding->bits, binding->flags & YT_BINDING_SIGNED);
}

/* The bindings of one array: those whose number is among the elements are on. */
static void take_array(yt_engine *engine, yt_attached *device, yt_binding *bindings, unsigned count,
                       const uint8_t *bytes, size_t size) {
    for (unsigned i = 0; i < bindings->more; i++) {
        uint32_t number = array_element(bindings, bytes, size, i);
        if ((bindings->flags & YT_BINDING_KEYS) && is_key_error(number)) {
            for (unsigned k = 0; k < count; k++)
                bindings[k].value &= ~SEEN_NOW;
            return;
        }
        yt_binding *found = number < bindings->number ? NULL : find_number(bindings, count, number);
        if (found)
            see_number(bindings, bindings + count, found);
    }
    for (yt_binding *end = bindings + count; bindings < end; bindings++) {
        if (bindings->value == 0) /* up before, and up now: most of them */
            continue;
        yt_q16 now = bindings->value & SEEN_NOW ? YT_ONE : 0;
        bindings->value &= ~SEEN_NOW;
        if (bindings->value == YT_MUTED_VALUE) {
            bindings->value = now ? YT_MUTED_VALUE : 0;
            continue;
        }
        if (bindings->value != now)
            combine(engine, device, bindings, now);
    }
}

static yt_q16 turned(const yt_binding *binding, yt_q16 value) {
    if (!(binding->flags & YT_BINDING_TURNED))
        return value;
    return binding->flags & YT_BINDING_LEVEL ? YT_ONE - value : -value;
}

static void take_scaled(yt_engine *engine, yt_attached *device, yt_binding *binding, uint32_t raw) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->more];
    int64_t number = yt_hid_number(raw, binding->bits, binding->flags & YT_BINDING_SIGNED);
    if ((binding->flags & YT_BINDING_NULL) && (number < scale->minimum || number > scale->maximum))
        return; /* no value: the last one stands */
    yt_q16 value = turned(binding, yt_scale_value(scale, number));
    if (binding->flags & YT_BINDING_HALF)
        take_switch(engine, device, binding, value >= YT_ONE / 2);
    else if (value != binding->value)
        combine(engine, device, binding, value);
    else if (binding->flags & YT_BINDING_WIDE)
        yt_evaluator_touch(engine->evaluator, binding->control);
}

/* Clockwise from up; numbers outside of the hat's range mean that it is centred. */
static void take_hat(yt_engine *engine, yt_attached *device, yt_binding *binding, uint32_t raw) {
    static const uint8_t directions[8] = {1, 3, 2, 6, 4, 12, 8, 9};
    uint32_t position = raw - (binding->more >> 4);
    bool has_four = binding->flags & YT_BINDING_FOUR;
    unsigned on = 0;
    if (position < (has_four ? 4u : 8u))
        on = directions[has_four ? 2 * position : position];
    take_switch(engine, device, binding, on & binding->more & 15u);
}

static void take_motion(yt_engine *engine, const yt_binding *binding, uint32_t raw) {
    bool is_signed = binding->flags & YT_BINDING_SIGNED;
    yt_q16 motion;
    if (is_signed && binding->bits <= 16)
        motion = yt_q16_from_raw(raw, binding->bits);
    else
        motion = yt_q16_from_counts(yt_hid_number(raw, binding->bits, is_signed));
    if (binding->flags & YT_BINDING_TURNED)
        motion = yt_q16_subtract(0, motion);
    yt_evaluator_add(engine->evaluator, binding->control, motion);
}

/* The raw bits of a field. As yt_hid_get, but the report is known to be long enough. */
static YT_ALWAYS_INLINE uint32_t raw_of(const yt_binding *binding, const uint8_t *bytes) {
    const uint8_t *at = bytes + (binding->bit >> 3);
    unsigned from = binding->bit & 7u;
    uint32_t raw = at[0];
    if (binding->bits == 1)
        return raw >> from & 1;
    unsigned end = from + binding->bits;
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
    else
        take_switch(engine, device, binding,
                    (raw != 0) != ((binding->flags & YT_BINDING_TURNED) != 0));
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
    for (unsigned i = 0; i < device->bindings; i++) {
        if (bindings[i].value != 0)
            combine(engine, device, &bindings[i], 0);
        yt_evaluator_touch_users(engine->evaluator, bindings[i].control);
    }
}

static bool is_switch(const yt_engine *engine, const yt_binding *binding) {
    return engine->evaluator->program.controls[binding->control].kind == YT_SWITCH;
}

void yt_engine_mute(yt_engine *engine, yt_attached *device) {
    yt_binding *bindings = yt_attached_bindings(device);
    for (unsigned i = 0; i < device->bindings; i++) {
        yt_binding *binding = &bindings[i];
        if (!is_switch(engine, binding) || binding->value != YT_ONE)
            continue;
        combine(engine, device, binding, 0);
        if (binding->flags & YT_BINDING_ARRAY)
            binding->value = YT_MUTED_VALUE;
        else
            binding->flags |= YT_BINDING_MUTED;
    }
}

static bool is_same_range(const yt_scale *scale, const yt_program_range *range) {
    return scale->minimum == range->minimum && scale->rest == range->rest &&
           scale->maximum == range->maximum;
}

bool yt_engine_raw_number(const yt_engine *engine, unsigned control, const yt_program_range *range,
                          int32_t *number) {
    bool found = false;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        yt_binding *binding = device ? yt_attached_bindings(device) : NULL;
        for (unsigned k = 0; device && k < device->bindings; k++, binding++) {
            if (binding->control != control)
                continue;
            if (found || !(binding->flags & YT_BINDING_WIDE) ||
                !is_same_range(&yt_attached_scales(device)[binding->more], range))
                return false;
            int64_t raw =
                yt_hid_number(binding->number, binding->bits, binding->flags & YT_BINDING_SIGNED);
            if (raw < range->minimum || raw > range->maximum)
                return false;
            *number = (int32_t)raw;
            found = true;
        }
    }
    return found;
}
