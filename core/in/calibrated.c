/* Parts that are calibrated: their numbers are taken out of a report here and not with its groups,
 * as the directions of a stick follow from both numbers together. */
#include "calibration/gather.h"
#include "image/layout.h"
#include "in/device.h"
#include "run/evaluate.h"
#include "signal/fixed.h"

/* What a value is for what reads it. */
static yt_q16 for_binding(yt_q16 value, const yt_binding *binding) {
    bool is_level = binding->flags & (YT_BINDING_LEVEL | YT_BINDING_HALF);
    if (is_level)
        value = yt_q16_clamp(value, 0, YT_ONE);
    if (binding->flags & YT_BINDING_TURNED)
        value = is_level ? YT_ONE - value : -value;
    if (binding->flags & YT_BINDING_HALF)
        return value >= YT_ONE / 2 ? YT_ONE : 0;
    return value;
}

static yt_q16 says(const yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                   const yt_binding *binding) {
    unsigned number = (unsigned)(group - yt_attached_groups(device));
    for (const yt_calibrated *at = engine->calibrated; at; at = at->next)
        for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++) {
            if (at->group[i] == number && yt_attached_at(engine, at->number) == device)
                return for_binding(at->value[i], binding);
        }
    return 0;
}

/* What a control is, for all that reads it. */
static void give(yt_engine *engine, yt_calibrated *calibrated, unsigned control) {
    yt_attached *device = yt_attached_at(engine, calibrated->number);
    if (calibrated->group[control] == UINT16_MAX)
        return;
    const yt_bytes_group *group = &yt_attached_groups(device)[calibrated->group[control]];
    const yt_binding *binding = yt_attached_bindings(device) + group->first;
    for (const yt_binding *end = binding + group->count; binding < end; binding++)
        yt_device_combine(engine, device, binding,
                          for_binding(calibrated->value[control], binding));
}

static void take_raw(yt_engine *engine, yt_calibrated *calibrated, const int32_t *raw) {
    yt_calibrated_take(calibrated, raw, engine->now_us);
    for (unsigned i = yt_calibration_count(calibrated->record->part.kind); i-- > 0;)
        give(engine, calibrated, i);
}

/* As yt_calibration_raw, of a report that is long enough, in 32 bits. */
static bool read_raw(const yt_calibration_part *part, unsigned control, const uint8_t *bytes,
                     int32_t *raw) {
    const yt_calibration_place *place = &part->places[control];
    uint32_t told = yt_field_bits(bytes + (place->bit >> 3), place->bit & 7, place->bits);
    int32_t number = (int32_t)told;
    if (part->flags >> control & 1)
        number = (int32_t)(told << (32 - place->bits)) >> (32 - place->bits);
    else if (number < 0)
        number = INT32_MAX; /* beyond all ranges */
    *raw = number < place->minimum   ? place->minimum
           : number > place->maximum ? place->maximum
                                     : number;
    return *raw == number || !(part->flags & YT_CALIBRATION_NULL);
}

static void read_report(yt_engine *engine, unsigned number, uint8_t id, const uint8_t *bytes) {
    for (yt_calibrated *at = engine->calibrated; at; at = at->next) {
        const yt_calibration_part *part = &at->record->part;
        int32_t raw[YT_CALIBRATION_CONTROLS];
        bool is_told = at->number == number && part->places[0].report_id == id;
        for (unsigned i = yt_calibration_count(part->kind); is_told && i-- > 0;)
            is_told = read_raw(part, i, bytes, &raw[i]);
        if (is_told)
            take_raw(engine, at, raw);
    }
}

static const yt_calibrated_calls calls = {read_report, says};

/* The group of a device that reads what stands at a place; UINT16_MAX: none does. */
static unsigned find_group(yt_attached *device, const yt_calibration_place *place) {
    const yt_bound_report *report = yt_attached_reports(device);
    for (const yt_bound_report *end = report + device->reports; report < end; report++)
        for (unsigned i = 0; report->id == place->report_id && i < report->count; i++) {
            const yt_bytes_group *group = &yt_attached_groups(device)[report->first + i];
            if (group->reading == YT_READ_NUMBER && group->bits == place->bits &&
                group->at * 8u + group->shift == place->bit)
                return report->first + i;
        }
    return UINT16_MAX;
}

/* Whether what reads a group can be of a kind of calibration. */
static bool suits(const yt_engine *engine, yt_attached *device, unsigned group, unsigned kind) {
    const yt_bytes_group *at = &yt_attached_groups(device)[group];
    const yt_binding *binding = yt_attached_bindings(device) + at->first;
    bool wants_rate = kind >= YT_CALIBRATION_GYRO;
    for (const yt_binding *end = binding + at->count; binding < end; binding++)
        if ((engine->evaluator->program.controls[binding->control].kind == YT_RATE) != wants_rate)
            return false;
    return true;
}

static void mark(yt_engine *engine, const yt_calibrated *calibrated, bool is_on) {
    yt_attached *device = yt_attached_at(engine, calibrated->number);
    for (unsigned i = 0; device && i < YT_CALIBRATION_CONTROLS; i++) {
        if (calibrated->group[i] == UINT16_MAX)
            continue;
        const yt_bytes_group *group = &yt_attached_groups(device)[calibrated->group[i]];
        for (unsigned k = 0; k < group->count; k++)
            yt_attached_bindings(device)[group->first + k].calibrated = is_on;
    }
}

static void take_out(yt_engine *engine, yt_calibrated *calibrated) {
    struct yt_calibrated **at = &engine->calibrated;
    while (*at && *at != calibrated)
        at = &(*at)->next;
    if (*at)
        *at = calibrated->next;
}

/* Another calibration of the same controls. */
static yt_calibrated *other_of(const yt_engine *engine, const yt_calibrated *calibrated) {
    for (yt_calibrated *at = engine->calibrated; at; at = at->next)
        for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
            for (unsigned k = 0; k < YT_CALIBRATION_CONTROLS; k++)
                if (at->number == calibrated->number && at->group[i] != UINT16_MAX &&
                    at->group[i] == calibrated->group[k])
                    return at;
    return NULL;
}

/* What its device told last, in its new light. */
static void read_kept(yt_engine *engine, yt_calibrated *calibrated) {
    yt_attached *device = yt_attached_at(engine, calibrated->number);
    const yt_calibration_part *part = &calibrated->record->part;
    int32_t kept[YT_CALIBRATION_CONTROLS];
    const yt_bound_report *report = yt_attached_reports(device);
    while (report->id != part->places[0].report_id)
        report++;
    for (unsigned i = 0; i < yt_calibration_count(part->kind); i++) {
        const yt_bytes_group *group = calibrated->group[i] == UINT16_MAX
                                          ? NULL
                                          : &yt_attached_groups(device)[calibrated->group[i]];
        if (!group || report->fresh)
            return;
        int64_t raw = yt_device_number(device, group, yt_attached_bindings(device) + group->first);
        if (!yt_calibration_within(part, i, raw, &kept[i]))
            return;
    }
    take_raw(engine, calibrated, kept);
}

yt_status yt_engine_calibrate(yt_engine *engine, unsigned number, yt_calibrated *calibrated,
                              const yt_calibration *record, size_t size) {
    yt_attached *device = engine->evaluator ? yt_attached_at(engine, number) : NULL;
    yt_calibrated made;
    yt_status status = yt_calibrated_begin(&made, record, size);
    bool is_read = false;
    if (!device)
        return YT_ARGUMENT;
    if (status != YT_OK)
        return status;
    unsigned count = yt_calibration_count(record->part.kind), kind = record->part.kind;
    made.number = (uint8_t)number;
    made.calls = &calls;
    for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++) {
        made.group[i] = UINT16_MAX;
        if (i < count)
            made.group[i] = (uint16_t)find_group(device, &record->part.places[i]);
        if (made.group[i] == UINT16_MAX)
            continue;
        if (!suits(engine, device, made.group[i], kind))
            return YT_CALIBRATION_PART;
        is_read = true;
    }
    const yt_bound_report *report = yt_attached_reports(device), *end = report + device->reports;
    while (report < end && report->id != record->part.places[0].report_id)
        report++;
    if (!is_read || report == end || report->bytes < yt_calibration_part_bytes(&record->part))
        return YT_CALIBRATION_PART;
    for (yt_calibrated *other; (other = other_of(engine, &made)) != NULL;)
        yt_engine_uncalibrate(engine, other);
    take_out(engine, calibrated);
    *calibrated = made;
    calibrated->next = engine->calibrated;
    engine->calibrated = calibrated;
    mark(engine, calibrated, true);
    read_kept(engine, calibrated);
    return YT_OK;
}

/* What the device told last counts as it is. */
void yt_engine_uncalibrate(yt_engine *engine, yt_calibrated *calibrated) {
    const yt_calibrated *at = engine->calibrated;
    while (at && at != calibrated)
        at = at->next;
    if (!at)
        return;
    take_out(engine, calibrated);
    mark(engine, calibrated, false);
    yt_attached *device = yt_attached_at(engine, calibrated->number);
    for (unsigned i = 0; device && i < YT_CALIBRATION_CONTROLS; i++) {
        if (calibrated->group[i] == UINT16_MAX)
            continue;
        const yt_bytes_group *group = &yt_attached_groups(device)[calibrated->group[i]];
        const yt_binding *binding = yt_attached_bindings(device) + group->first;
        for (const yt_binding *last = binding + group->count; binding < last; binding++)
            yt_device_combine(engine, device, binding,
                              yt_device_says(engine, device, group, binding));
    }
}

static const yt_bytes_group *group_of_control(yt_attached *device, unsigned control,
                                              const yt_binding **binding) {
    const yt_bytes_group *groups = yt_attached_groups(device);
    for (unsigned i = 0; i < device->groups; i++)
        for (unsigned k = 0; k < groups[i].count; k++) {
            *binding = yt_attached_bindings(device) + groups[i].first + k;
            if ((*binding)->control == control && groups[i].reading == YT_READ_NUMBER)
                return &groups[i];
        }
    return NULL;
}

static uint8_t id_of_group(yt_attached *device, unsigned group) {
    const yt_bound_report *report = yt_attached_reports(device);
    while (group < report->first || group >= report->first + (unsigned)report->count)
        report++;
    return report->id;
}

yt_status yt_calibration_find(yt_calibration_part *part, const yt_engine *engine, unsigned number,
                              const uint16_t *controls) {
    yt_attached *device = engine->evaluator ? yt_attached_at(engine, number) : NULL;
    unsigned count = yt_calibration_count(part->kind);
    if (!device || count == 0)
        return YT_ARGUMENT;
    for (unsigned i = 0; i < count; i++) {
        const yt_binding *binding;
        const yt_bytes_group *group = group_of_control(device, controls[i], &binding);
        if (!group)
            return YT_NO_MATCH;
        unsigned index = (unsigned)(group - yt_attached_groups(device));
        const yt_scale *scale = &yt_attached_scales(device)[binding->as.scale];
        if (!suits(engine, device, index, part->kind) || scale->minimum < INT32_MIN ||
            scale->maximum > INT32_MAX)
            return YT_NO_MATCH;
        part->places[i] = (yt_calibration_place){.minimum = (int32_t)scale->minimum,
                                                 .maximum = (int32_t)scale->maximum,
                                                 .bit = (uint16_t)(group->at * 8u + group->shift),
                                                 .bits = group->bits,
                                                 .report_id = id_of_group(device, index)};
        part->flags = (uint8_t)(part->flags & ~(1u << i));
        part->flags |= (uint8_t)((binding->flags & YT_BINDING_SIGNED ? 1u : 0) << i);
        uint16_t place = engine->evaluator->program.controls[controls[i]].place;
        if (binding->flags & YT_BINDING_NULL)
            part->flags |= YT_CALIBRATION_NULL;
        else if (place != YT_NO_PLACE &&
                 (yt_place_at(&engine->evaluator->program, place)->flags & YT_PLACE_RANGE))
            yt_calibration_widen(part, i);
        if (part->kind >= YT_CALIBRATION_GYRO)
            part->unit_q24 = (int32_t)scale->above.factor;
    }
    return yt_calibration_part_is_good(part) ? YT_OK : YT_NO_MATCH;
}
