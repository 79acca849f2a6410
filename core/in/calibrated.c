/* Parts that are calibrated: their numbers are taken out of a report here and not with its groups,
 * as the directions of a stick follow from both numbers together.
 *
 * A stick is where its numbers are between two knots of its rim: a share of the one and a share of
 * the other, which are the shares of what they are to be. So every direction is straight from the
 * rest to the rim, and what lies between is between in the result, without a root or a division. */
#include "calibration/gather.h"
#include "in/device.h"
#include "run/evaluate.h"
#include "signal/fixed.h"
#include "signal/product.h"
#include "signal/scale.h"

#define MOST_OUT   (3 * YT_ONE / 2) /* a stick is nowhere farther out */
#define MOST_SHARE (3 << 14)        /* of a knot, in 1 / 32768 */

/* A rest that moves with the temperature is followed. */
#define WINDOW_US       1000000u
#define WINDOW_COUNT    4000
#define NEAR_REST       (YT_ONE * 3 / 100) /* so near to its rest a stick is judged */
#define MOST_DRIFT      (YT_ONE / 20)
#define STEP_DRIFT      33  /* of a stick in a second: 0.05% */
#define RATE_NEAR       384 /* so near to its rest a gyro is judged: 1.5 counts and */
#define RATE_SHARE      3   /* three times its noise */
#define MOST_RATE_DRIFT (256 * 2000)
#define MOST_COUNTS     (INT32_MAX / 1024)

static yt_q16 clamp(yt_q16 value, yt_q16 most) {
    return yt_q16_clamp(value, -most, most);
}

static yt_q16 says(const yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                   const yt_binding *binding) {
    unsigned number = (unsigned)(group - yt_attached_groups(device));
    for (const yt_calibrated *at = engine->calibrated; at; at = at->next)
        for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++) {
            if (at->group[i] != number || yt_attached_at(engine, at->number) != device)
                continue;
            yt_q16 value = at->value[i];
            bool is_level = binding->flags & (YT_BINDING_LEVEL | YT_BINDING_HALF);
            if (is_level)
                value = yt_q16_clamp(value, 0, YT_ONE);
            if (binding->flags & YT_BINDING_TURNED)
                value = is_level ? YT_ONE - value : -value;
            if (binding->flags & YT_BINDING_HALF)
                return value >= YT_ONE / 2 ? YT_ONE : 0;
            return value;
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
        yt_device_combine(engine, device, binding, says(engine, device, group, binding));
}

/* How a rest is judged: nothing in a window of time is farther from where it is thought to be than
 * `near`, nor farther apart than `apart`. When the window is over, the rest goes a little towards
 * its mean, by `step` at most, and never farther than `most` from where it was calibrated. */
typedef struct judging {
    unsigned count;
    int32_t near, apart, step, most;
} judging;

static void judge_rest(yt_calibrated *calibrated, const judging *by, const int32_t *at,
                       uint32_t now_us) {
    bool is_first = calibrated->samples == 0;
    for (unsigned i = 0; i < by->count; i++) {
        int32_t off = at[i] - calibrated->drift[i];
        if (off < -by->near || off > by->near) {
            calibrated->samples = 0;
            return;
        }
        if (is_first || off < calibrated->low[i])
            calibrated->low[i] = off;
        if (is_first || off > calibrated->high[i])
            calibrated->high[i] = off;
        calibrated->sum[i] = is_first ? off : calibrated->sum[i] + off;
        if (calibrated->high[i] - calibrated->low[i] > by->apart) {
            calibrated->samples = 0;
            return;
        }
    }
    if (is_first)
        calibrated->since_us = now_us;
    calibrated->samples++;
    bool is_over = now_us - calibrated->since_us >= WINDOW_US;
    if (!is_over && calibrated->samples < WINDOW_COUNT)
        return;
    for (unsigned i = 0; i < by->count; i++) {
        int32_t mean = yt_quotient(calibrated->sum[i], calibrated->samples);
        calibrated->drift[i] = clamp(calibrated->drift[i] + clamp(mean / 4, by->step), by->most);
    }
    calibrated->samples = 0;
}

static bool is_left(int32_t x, int32_t y) {
    return x < 0 || (x == 0 && y > 0);
}

static int32_t cross(const yt_calibration_knot *knot, int32_t x, int32_t y) {
    return knot->x * y - knot->y * x;
}

/* The last knot that is not clockwise of where the stick points: by halves of the half in which it
 * is, as in that no two are half a turn apart. */
static unsigned find_knot(const yt_calibrated *calibrated, int32_t x, int32_t y) {
    const yt_calibration *record = calibrated->record;
    unsigned low = is_left(x, y) ? calibrated->half : 0;
    unsigned high = is_left(x, y) ? record->knots : calibrated->half;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (cross(&record->knot[middle], x, y) >= 0)
            low = middle + 1;
        else
            high = middle;
    }
    return (low > 0 ? low : record->knots) - 1u;
}

/* How much of a knot it is, in 1 / 32768. */
static int32_t share_of(int32_t inside, uint32_t inverse) {
    uint32_t share = inside > 0 ? (yt_upper_product((uint32_t)inside, inverse) + 4) >> 3 : 0;
    return share < MOST_SHARE ? (int32_t)share : MOST_SHARE;
}

static yt_q16 between(int32_t share, int32_t knot, int32_t next_share, int32_t next) {
    return clamp((share * knot + next_share * next + 4096) >> 13, YT_ONE);
}

static void read_stick(yt_engine *engine, yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    int32_t off[2], at[2];
    for (unsigned i = 0; i < 2; i++) {
        uint32_t above = (uint32_t)calibrated->raw[i] - (uint32_t)record->part.places[i].minimum;
        off[i] = 2 * yt_scale_share(calibrated->above[i], above) - YT_ONE - record->rest[i];
        at[i] = clamp(off[i] - calibrated->drift[i], MOST_OUT);
    }
    const judging judging = {2, NEAR_REST, 12 * record->noise + YT_ONE / 128, STEP_DRIFT,
                             MOST_DRIFT};
    judge_rest(calibrated, &judging, off, (uint32_t)engine->now_us);
    unsigned number = find_knot(calibrated, at[0], at[1]);
    const yt_calibration_knot *knot = &record->knot[number];
    const yt_calibration_knot *next = &record->knot[number + 1 < record->knots ? number + 1 : 0];
    int32_t share = share_of(-cross(next, at[0], at[1]), knot->inverse);
    int32_t next_share = share_of(cross(knot, at[0], at[1]), knot->inverse);
    calibrated->value[0] = between(share, knot->out_x, next_share, next->out_x);
    calibrated->value[1] = between(share, knot->out_y, next_share, next->out_y);
    give(engine, calibrated, 0);
    give(engine, calibrated, 1);
}

/* Piecewise about its rest; of a level there is nothing on the other side. */
static void read_line(yt_engine *engine, yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    int64_t off = (int64_t)calibrated->raw[0] - record->rest[0];
    bool is_level = record->part.kind == YT_CALIBRATION_LEVEL;
    if (is_level && record->high[0] < record->rest[0])
        off = -off;
    yt_q16 value = off >= 0 ? yt_scale_share(calibrated->above[0], (uint32_t)off)
                            : -yt_scale_share(calibrated->below[0], (uint32_t)-off);
    calibrated->value[0] = yt_q16_clamp(value, is_level ? 0 : -YT_ONE, YT_ONE);
    give(engine, calibrated, 0);
}

/* A rate, in its unit: `factor` of a side is what a count is, in 1 / 2^24 of it. */
static void read_rates(yt_engine *engine, yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    int32_t off[3];
    for (unsigned i = 0; i < 3; i++)
        off[i] = clamp(calibrated->raw[i], MOST_COUNTS) * 256 - record->rest[i];
    int32_t noise = record->noise < 100 ? record->noise : 100;
    const judging judging = {3, RATE_NEAR + RATE_SHARE * 256 * noise, 2 * 256 * (noise + 1),
                             MOST_RATE_DRIFT, MOST_RATE_DRIFT};
    if (record->part.kind == YT_CALIBRATION_GYRO)
        judge_rest(calibrated, &judging, off, (uint32_t)engine->now_us);
    for (unsigned i = 0; i < 3; i++) {
        int64_t exact = (int64_t)(off[i] - calibrated->drift[i]) * calibrated->above[i].factor;
        calibrated->value[i] = yt_q16_saturate((exact + 32768) >> 16);
        give(engine, calibrated, i);
    }
}

static void read_one(yt_engine *engine, yt_calibrated *calibrated) {
    unsigned kind = calibrated->record->part.kind;
    if (kind == YT_CALIBRATION_STICK)
        read_stick(engine, calibrated);
    else if (kind >= YT_CALIBRATION_GYRO)
        read_rates(engine, calibrated);
    else
        read_line(engine, calibrated);
}

static void read_report(yt_engine *engine, unsigned number, uint8_t id, const uint8_t *bytes) {
    for (yt_calibrated *at = engine->calibrated; at; at = at->next) {
        const yt_calibration_part *part = &at->record->part;
        int32_t raw[YT_CALIBRATION_CONTROLS];
        bool is_told = at->number == number && part->places[0].report_id == id;
        for (unsigned i = 0; is_told && i < yt_calibration_count(part->kind); i++)
            is_told = yt_calibration_raw(part, i, bytes, at->bytes, &raw[i]);
        for (unsigned i = 0; is_told && i < yt_calibration_count(part->kind); i++)
            at->raw[i] = raw[i];
        if (is_told)
            read_one(engine, at);
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

static void make_sides(yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    const yt_calibration_part *part = &record->part;
    for (unsigned i = 0; i < yt_calibration_count(part->kind); i++) {
        yt_scale_side *above = &calibrated->above[i];
        int64_t up = (int64_t)record->high[i] - record->rest[i];
        if (part->kind == YT_CALIBRATION_STICK)
            *above = yt_calibration_side(&part->places[i]);
        else if (part->kind == YT_CALIBRATION_GYRO)
            above->factor = (uint32_t)(((int64_t)part->unit_q24 * record->high[i] + 32768) >> 16);
        else if (part->kind == YT_CALIBRATION_ACCELEROMETER)
            above->factor = record->high[i] ? yt_power_by(32, (uint32_t)record->high[i])
                                            : (uint32_t)part->unit_q24;
        else
            *above = yt_scale_side_of(up < 0 ? -up : up);
    }
    if (part->kind == YT_CALIBRATION_AXIS)
        calibrated->below[0] = yt_scale_side_of((int64_t)record->rest[0] - record->low[0]);
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
        if (raw < part->places[i].minimum || raw > part->places[i].maximum)
            return;
        calibrated->raw[i] = (int32_t)raw;
    }
    read_one(engine, calibrated);
}

yt_status yt_engine_calibrate(yt_engine *engine, unsigned number, yt_calibrated *calibrated,
                              const yt_calibration *record, size_t size) {
    yt_attached *device = engine->evaluator ? yt_attached_at(engine, number) : NULL;
    yt_status status = yt_calibration_check(record, size);
    bool is_read = false;
    if (!device)
        return YT_ARGUMENT;
    if (status != YT_OK)
        return status;
    unsigned count = yt_calibration_count(record->part.kind), kind = record->part.kind;
    yt_calibrated made = {.record = record, .number = (uint8_t)number, .calls = &calls};
    made.bytes = (uint16_t)yt_calibration_part_bytes(&record->part);
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
    if (!is_read || report == end || report->bytes < made.bytes)
        return YT_CALIBRATION_PART;
    make_sides(&made);
    while (made.half < record->knots &&
           !is_left(record->knot[made.half].x, record->knot[made.half].y))
        made.half++;
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
        if (part->kind >= YT_CALIBRATION_GYRO)
            part->unit_q24 = (int32_t)scale->above.factor;
    }
    return yt_calibration_part_is_good(part) ? YT_OK : YT_NO_MATCH;
}
