/* What a calibration makes of raw numbers.
 *
 * A stick is where its numbers are between two knots of its rim: a share of the one and a share of
 * the other, which are the shares of what they are to be. So every direction is straight from the
 * rest to the rim, and what lies between is between in the result, without a root or a division. */
#include <string.h>

#include "calibration/gather.h"
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
    unsigned quarter = 2; /* of the mean, or an eighth: a division takes too long for one report */
    for (uint32_t left = calibrated->samples; left > 1; left >>= 1)
        quarter++;
    for (unsigned i = 0; i < by->count; i++) {
        int32_t off = calibrated->sum[i] >> quarter;
        calibrated->drift[i] = clamp(calibrated->drift[i] + clamp(off, by->step), by->most);
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

/* From the minimum on, what a distance is of a range from -1 to 1. The range's end has 32 bits, so
 * that its upper half will do. */
static yt_scale_side position_side(const yt_calibration_place *place) {
    uint32_t span = (uint32_t)place->maximum - (uint32_t)place->minimum;
    yt_scale_side side = {0, 0};
    for (; span < UINT32_C(1) << 31; span <<= 1)
        side.shift++;
    side.factor = yt_power_by(62, span);
    return side;
}

static yt_q16 position(yt_scale_side side, uint32_t above) {
    return (yt_q16)((yt_upper_product(above << side.shift, side.factor) + 4096) >> 13) - YT_ONE;
}

static void work_out_stick(yt_calibrated *calibrated, uint32_t now_us) {
    const yt_calibration *record = calibrated->record;
    int32_t off[2], at[2];
    for (unsigned i = 0; i < 2; i++) {
        uint32_t above = (uint32_t)calibrated->raw[i] - (uint32_t)record->part.places[i].minimum;
        off[i] = position(calibrated->above[i], above) - record->rest[i];
        at[i] = clamp(off[i] - calibrated->drift[i], MOST_OUT);
    }
    const judging judging = {2, NEAR_REST, 12 * record->noise + YT_ONE / 128, STEP_DRIFT,
                             MOST_DRIFT};
    judge_rest(calibrated, &judging, off, now_us);
    unsigned number = find_knot(calibrated, at[0], at[1]);
    const yt_calibration_knot *knot = &record->knot[number];
    const yt_calibration_knot *next = &record->knot[number + 1 < record->knots ? number + 1 : 0];
    int32_t share = share_of(-cross(next, at[0], at[1]), knot->inverse);
    int32_t next_share = share_of(cross(knot, at[0], at[1]), knot->inverse);
    calibrated->value[0] = between(share, knot->out_x, next_share, next->out_x);
    calibrated->value[1] = between(share, knot->out_y, next_share, next->out_y);
}

/* Piecewise about its rest; of a level there is nothing on the other side. */
static void work_out_line(yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    int64_t off = (int64_t)calibrated->raw[0] - record->rest[0];
    bool is_level = record->part.kind == YT_CALIBRATION_LEVEL;
    if (is_level && record->high[0] < record->rest[0])
        off = -off;
    yt_q16 value = off >= 0 ? yt_scale_share(calibrated->above[0], (uint32_t)off)
                            : -yt_scale_share(calibrated->below[0], (uint32_t)-off);
    calibrated->value[0] = yt_q16_clamp(value, is_level ? 0 : -YT_ONE, YT_ONE);
}

/* A rate, in its unit: `factor` of a side is what a count is, in 1 / 2^24 of it. */
static void work_out_rates(yt_calibrated *calibrated, uint32_t now_us) {
    const yt_calibration *record = calibrated->record;
    int32_t off[3];
    for (unsigned i = 0; i < 3; i++)
        off[i] = clamp(calibrated->raw[i], MOST_COUNTS) * 256 - record->rest[i];
    int32_t noise = record->noise < 100 ? record->noise : 100;
    const judging judging = {3, RATE_NEAR + RATE_SHARE * 256 * noise, 2 * 256 * (noise + 1),
                             MOST_RATE_DRIFT, MOST_RATE_DRIFT};
    if (record->part.kind == YT_CALIBRATION_GYRO)
        judge_rest(calibrated, &judging, off, now_us);
    for (unsigned i = 0; i < 3; i++) {
        int64_t exact = (int64_t)(off[i] - calibrated->drift[i]) * calibrated->above[i].factor;
        calibrated->value[i] = yt_q16_saturate((exact + 32768) >> 16);
    }
}

static void make_sides(yt_calibrated *calibrated) {
    const yt_calibration *record = calibrated->record;
    const yt_calibration_part *part = &record->part;
    for (unsigned i = 0; i < yt_calibration_count(part->kind); i++) {
        yt_scale_side *above = &calibrated->above[i];
        int64_t up = (int64_t)record->high[i] - record->rest[i];
        if (part->kind == YT_CALIBRATION_STICK)
            *above = position_side(&part->places[i]);
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

yt_status yt_calibrated_begin(yt_calibrated *calibrated, const yt_calibration *record,
                              size_t size) {
    yt_status status = yt_calibration_check(record, size);
    if (status != YT_OK)
        return status;
    memset(calibrated, 0, sizeof *calibrated);
    calibrated->record = record;
    make_sides(calibrated);
    while (calibrated->half < record->knots &&
           !is_left(record->knot[calibrated->half].x, record->knot[calibrated->half].y))
        calibrated->half++;
    return YT_OK;
}

void yt_calibrated_take(yt_calibrated *calibrated, const int32_t *raw, uint64_t now_us) {
    unsigned kind = calibrated->record->part.kind;
    for (unsigned i = yt_calibration_count(kind); i-- > 0;)
        calibrated->raw[i] = raw[i];
    if (kind == YT_CALIBRATION_STICK)
        work_out_stick(calibrated, (uint32_t)now_us);
    else if (kind >= YT_CALIBRATION_GYRO)
        work_out_rates(calibrated, (uint32_t)now_us);
    else
        work_out_line(calibrated);
}
