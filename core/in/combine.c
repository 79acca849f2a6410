/* Several devices at one input: each keeps its own state, and they combine. Switches are or-ed; of
 * axes the one farthest from rest counts; of sticks both directions are those of one device, which
 * leads until another is clearly farther out. Also what a device says as a whole: that it leaves,
 * or that its switches are muted. */
#include "in/device.h"
#include "run/evaluate.h"
#include "signal/fixed.h"

#ifndef YT_WITHOUT_SHARED_INPUTS

/* What is new of one binding of a device, and not kept of its report yet. */
typedef struct news {
    const yt_engine *engine;
    const yt_attached *device;
    unsigned binding; /* its number in the device */
    unsigned control;
    yt_q16 value;
} news;

/* The group that a binding stands in. */
static const yt_bytes_group *group_of(yt_attached *device, unsigned binding) {
    const yt_bytes_group *groups = yt_attached_groups(device);
    unsigned low = 0, high = device->groups;
    while (high - low > 1) {
        unsigned middle = (low + high) / 2;
        if (groups[middle].first <= binding)
            low = middle;
        else
            high = middle;
    }
    return &groups[low];
}

/* What a device says of its binding `number`. */
static yt_q16 says(yt_attached *device, unsigned number, const news *news) {
    const yt_binding *binding = &yt_attached_bindings(device)[number];
    if (news->device == device && news->binding == number)
        return news->value;
    return yt_device_says(news->engine, device, group_of(device, number), binding);
}

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* What a device says of a control, the farthest of its places; 0: it has none such. Devices of one
 * make keep it in one place, so that is looked at first, and mostly is the only one. */
static yt_q16 value_in(yt_attached *device, const news *news) {
    const yt_binding *bindings = yt_attached_bindings(device);
    unsigned place = news->binding;
    yt_q16 value = 0;
    if (place < device->bindings && bindings[place].control == news->control &&
        !bindings[place].twice)
        return says(device, place, news);
    for (unsigned i = 0; i < device->bindings; i++) {
        if (bindings[i].control != news->control)
            continue;
        yt_q16 one = says(device, i, news);
        if (!bindings[i].twice)
            return one;
        if (size_of(one) > size_of(value))
            value = one;
    }
    return value;
}

/* The farthest of a control, of all devices that have it. */
static yt_q16 combined(yt_engine *engine, const news *news) {
    yt_q16 value = 0;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *other = yt_attached_at(engine, i);
        if (!other || !(other->inputs & news->device->inputs))
            continue;
        yt_q16 one = value_in(other, news);
        if (size_of(one) > size_of(value))
            value = one;
    }
    return value;
}

/* A stick of an input. */
typedef struct stick {
    yt_engine *engine;
    const news *told;
    unsigned input;
    unsigned number;
} stick;

static bool is_of_stick(const stick *stick, const yt_binding *binding) {
    const yt_program_control *control =
        &stick->engine->evaluator->program.controls[binding->control];
    return control->stick == stick->number && control->input == stick->input && !control->from_host;
}

/* How far a device's stick is from its rest: the larger of its two directions. */
static uint32_t reach_of(const stick *stick, yt_attached *device) {
    const yt_binding *bindings = yt_attached_bindings(device);
    uint32_t reach = 0;
    for (unsigned i = 0; i < device->bindings; i++) {
        uint32_t size =
            is_of_stick(stick, &bindings[i]) ? size_of(says(device, i, stick->told)) : 0;
        reach = size > reach ? size : reach;
    }
    return reach;
}

#define STICK_LEAD ((uint32_t)YT_ONE / 16) /* how much farther out another stick takes over */

/* The device whose stick counts: the one that did, until another is clearly farther out. */
static yt_attached *leading_device(const stick *stick) {
    uint32_t bit = (uint32_t)1 << (stick->number % 32), most = 0;
    yt_attached *leader = NULL;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(stick->engine, i);
        if (!device || !(device->inputs >> stick->input & 1))
            continue;
        uint32_t reach = reach_of(stick, device);
        if (reach > 0 && (device->leads & bit))
            reach += STICK_LEAD;
        if (!leader || reach > most) {
            most = reach;
            leader = device;
        }
    }
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(stick->engine, i);
        if (device)
            device->leads &= ~bit;
    }
    leader->leads |= bit;
    return leader;
}

/* Of two sticks at one input both directions are those of one of them. */
static void combine_stick(const stick *stick) {
    yt_attached *leader = leading_device(stick);
    const yt_binding *bindings = yt_attached_bindings(leader);
    for (unsigned i = 0; i < leader->bindings; i++)
        if (is_of_stick(stick, &bindings[i]))
            yt_control_set(stick->engine->evaluator, bindings[i].control,
                           says(leader, i, stick->told));
}

static void combine_shared(yt_engine *engine, const news *news) {
    const yt_program_control *control = &engine->evaluator->program.controls[news->control];
    const stick stick = {engine, news, control->input, control->stick};
    if (control->stick)
        combine_stick(&stick);
    else
        yt_control_set(engine->evaluator, news->control, combined(engine, news));
}

#endif

void yt_device_combine(yt_engine *engine, yt_attached *device, const yt_binding *binding,
                       yt_q16 value) {
#ifndef YT_WITHOUT_SHARED_INPUTS
    if ((device->rare & YT_RARE_SHARED) || binding->twice) {
        unsigned number = (unsigned)(binding - yt_attached_bindings(device));
        const news news = {engine, device, number, binding->control, value};
        combine_shared(engine, &news);
        return;
    }
#else
    (void)device;
#endif
    yt_control_set(engine->evaluator, binding->control, value);
}

/* Each of its controls that is not at rest. */
void yt_device_let_go(yt_engine *engine, yt_attached *device) {
    const yt_binding *bindings = yt_attached_bindings(device);
    device->rare |= YT_RARE_GONE;
    for (unsigned i = 0; i < device->bindings; i++) {
        yt_device_combine(engine, device, &bindings[i], 0);
        yt_control_touch(engine->evaluator, bindings[i].control);
    }
}

void yt_device_mute(yt_engine *engine, yt_attached *device) {
    const yt_bytes_group *groups = yt_attached_groups(device);
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < device->groups; i++)
        for (unsigned k = 0; k < groups[i].count; k++) {
            yt_binding *binding = yt_attached_bindings(device) + groups[i].first + k;
            if (!yt_is_let_go(program->controls[binding->control].kind, groups[i].reading) ||
                yt_device_says(engine, device, &groups[i], binding) == 0)
                continue;
            binding->flags |= YT_BINDING_MUTED;
            device->rare |= YT_RARE_MUTED;
            yt_device_combine(engine, device, binding, 0);
        }
}

/* A binding that copies a control's raw number, while devices are looked through. */
typedef struct raw_search {
    unsigned control;
    const yt_program_range *range;
    unsigned found;
    bool differs;
    int64_t number;
} raw_search;

static void look_for_raw(raw_search *search, yt_attached *device, const yt_bytes_group *group,
                         const yt_binding *binding) {
    const yt_scale *scale = &yt_attached_scales(device)[binding->as.scale];
    const yt_program_range *range = search->range;
    search->found++;
    if (!(binding->flags & YT_BINDING_WIDE) || binding->calibrated ||
        scale->minimum != range->minimum || scale->rest != range->rest ||
        scale->maximum != range->maximum)
        search->differs = true;
    else
        search->number = yt_device_number(device, group, binding);
}

bool yt_device_raw_number(const yt_engine *engine, unsigned control, const yt_program_range *range,
                          int32_t *number) {
    raw_search search = {.control = control, .range = range};
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        const yt_bytes_group *groups = device ? yt_attached_groups(device) : NULL;
        for (unsigned g = 0; device && g < device->groups; g++)
            for (unsigned k = 0; k < groups[g].count; k++) {
                const yt_binding *binding = yt_attached_bindings(device) + groups[g].first + k;
                if (binding->control == control)
                    look_for_raw(&search, device, &groups[g], binding);
            }
    }
    *number = (int32_t)search.number;
    return search.found == 1 && !search.differs && search.number >= range->minimum &&
           search.number <= range->maximum;
}
