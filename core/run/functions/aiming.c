/* A pointer that turns a host's camera by a stick, exactly.
 *
 * A camera looks at the stick once a frame, and turns by what it says for the whole frame. When
 * that is, nobody here knows. So every motion is told for just as long as a frame lasts: whenever
 * the camera looks, it sees each motion once. Time goes in slots, SLOTS to a frame; what goes into
 * one is part of what is told for the next SLOTS of them. What is more than a stick can say waits.
 *
 * A report of a slow mouse tells of all that moved since the one before; it goes into as many slots
 * as that time has. Else a host that asks for the stick only now and then would see lumps, or none.
 *
 *     motion   --> waits --some of it, as a slot begins--> told for SLOTS slots --> gone
 *
 * Amounts have 22 bits behind the point: 1 is what a stick that is all the way out turns in a
 * frame. */
#include "run/functions.h"
#include "signal/fixed.h"
#include "signal/product.h"
#include "signal/shape.h"

#define SLOTS   8
#define ONE     (1 << 22)
#define MOST    (500 * ONE) /* that waits: what is more is lost */
#define NOTHING 64          /* of an amount: it is not worth a further slot */

enum {
    AIM_FLAGS,
    AIM_SLOT,
    AIM_WAITS_X,
    AIM_WAITS_Y,
    AIM_SUM_X,
    AIM_SUM_Y,
    AIM_OUT_X,
    AIM_OUT_Y,
    AIM_PART_X, /* of what waits, what goes into a slot */
    AIM_PART_Y,
    AIM_LEFT,   /* slots that it still goes into */
    AIM_SPREAD, /* slots that a report goes into */
    AIM_LAST,   /* when the last report came */
    AIM_SLOTS
};

#define MOST_SPREAD 24
#define LEAST_US    4000  /* it goes into, so that a host that asks seldom sees it too */
#define PAUSE_US    12000 /* a report behind a longer one tells of no more than others */

/* Arguments: alive, motion in x and in y, how much a count is of each, the slot in microseconds,
 * the host's dead zone (22 bits), 1 by what is left (18), its power and 1 by that (16), the steps
 * of the output from rest to an end, and how much one is (24). */
enum {
    TAKES_X = 1,
    TAKES_Y,
    TAKES_COUNT_X,
    TAKES_COUNT_Y,
    TAKES_SLOT,
    TAKES_DEAD,
    TAKES_GAIN,
    TAKES_POWER,
    TAKES_ROOT,
    TAKES_STEPS,
    TAKES_STEP,
    TAKES
};

/* A number of the program, or what parameters come to. */
static int32_t here(const yt_call *call, unsigned index) {
    return yt_number(call, call->arguments + index);
}

static void add_waiting(const yt_call *call, unsigned index, yt_q16 counts, int32_t each) {
    int64_t sum = (int32_t)call->state[index] + ((int64_t)counts * each >> 16);
    call->state[index] = (uint32_t)(int32_t)(sum > MOST ? MOST : sum < -MOST ? -MOST : sum);
}

static yt_q16 as_q16(int32_t amount) {
    return (amount + 32) >> 6;
}

static uint32_t length_of(int32_t x, int32_t y) {
    yt_shape shape;
    yt_shape_begin(&shape, as_q16(x), as_q16(y));
    yt_shape_need_reach(&shape);
    return shape.out;
}

/* 2^16 by a number of slots. */
static const uint16_t shares[MOST_SPREAD + 1] = {
    0xffff, 0xffff, 32768, 21845, 16384, 13107, 10923, 9362, 8192, 7282, 6554, 5958, 5461,
    5041,   4681,   4369,  4096,  3855,  3641,  3449,  3277, 3121, 2979, 2849, 2731};

static int32_t share_of(uint32_t waits, uint32_t slots) {
    bool is_back = (int32_t)waits < 0;
    uint32_t part = yt_upper_product(is_back ? 0u - waits : waits, (uint32_t)shares[slots] << 16);
    return is_back ? -(int32_t)part : (int32_t)part;
}

/* A report came: how many slots it goes into, by how long ago the one before was. */
static void spread(const yt_call *call) {
    uint32_t *state = call->state, now_us = (uint32_t)yt_call_now(call), slots = 1;
    uint32_t since_us = now_us - state[AIM_LAST], slot_us = (uint32_t)here(call, TAKES_SLOT);
    if (state[AIM_SPREAD] == 0)
        state[AIM_SPREAD] = 1;
    else if (since_us < PAUSE_US) {
        since_us = since_us < LEAST_US ? LEAST_US : since_us;
        while (slots < MOST_SPREAD && slots * slot_us + slot_us / 8 < since_us)
            slots++;
        state[AIM_SPREAD] = slots;
    }
    slots = state[AIM_SPREAD];
    state[AIM_LAST] = now_us;
    state[AIM_LEFT] = slots;
    state[AIM_PART_X] = (uint32_t)share_of(state[AIM_WAITS_X], slots);
    state[AIM_PART_Y] = (uint32_t)share_of(state[AIM_WAITS_Y], slots);
}

/* What waits goes into a slot, a part or all of it, as far as a stick can say it. */
static void fill_slot(const yt_call *call, uint32_t *slot) {
    uint32_t *state = call->state;
    bool is_part = state[AIM_LEFT] > 1;
    int32_t x = (int32_t)state[is_part ? AIM_PART_X : AIM_WAITS_X],
            y = (int32_t)state[is_part ? AIM_PART_Y : AIM_WAITS_Y];
    int32_t sum_x = (int32_t)(state[AIM_SUM_X] - slot[0]),
            sum_y = (int32_t)(state[AIM_SUM_Y] - slot[1]);
    state[AIM_LEFT] -= is_part;
    x = x > 2 * ONE ? 2 * ONE : x < -2 * ONE ? -2 * ONE : x;
    y = y > 2 * ONE ? 2 * ONE : y < -2 * ONE ? -2 * ONE : y;
    for (unsigned i = 0; i < 6 && length_of(sum_x + x, sum_y + y) > YT_Q24_ONE + 64; i++) {
        x /= 2;
        y /= 2;
    }
    if (length_of(sum_x + x, sum_y + y) > YT_Q24_ONE + 64)
        x = y = 0;
    slot[0] = (uint32_t)x;
    slot[1] = (uint32_t)y;
    state[AIM_WAITS_X] -= (uint32_t)x;
    state[AIM_WAITS_Y] -= (uint32_t)y;
    state[AIM_SUM_X] = (uint32_t)(sum_x + x);
    state[AIM_SUM_Y] = (uint32_t)(sum_y + y);
}

static yt_q16 stepped(yt_q16 value, uint32_t steps) {
    uint32_t size = value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
    size = size < YT_ONE ? size : YT_ONE;
    uint32_t step = (size * steps + 0x8000) >> 16; /* steps are below 32,768 */
    return value < 0 ? -(yt_q16)step : (yt_q16)step;
}

/* A step of the output as a share of its way; a step has 8 bits more behind the point. */
static yt_q16 step_value(yt_q16 step, uint32_t per_step) {
    uint32_t size = step < 0 ? 0u - (uint32_t)step : (uint32_t)step;
    yt_q16 value = (yt_q16)(size * per_step >> 8);
    return step < 0 ? -value : value;
}

/* The stick at which the camera turns as it should; what an output of few steps makes of it is
 * worked back, and the difference waits for the next slot. */
static void aim(const yt_call *call) {
    uint32_t *state = call->state, steps = (uint32_t)here(call, TAKES_STEPS) & 0x7fff;
    uint32_t dead = (uint32_t)here(call, TAKES_DEAD) << 2;
    yt_shape shape;
    yt_q16 x, y;
    yt_shape_begin(&shape, as_q16((int32_t)state[AIM_SUM_X]), as_q16((int32_t)state[AIM_SUM_Y]));
    yt_shape_need_reach(&shape);
    uint32_t out = shape.out < YT_Q24_ONE ? shape.out : YT_Q24_ONE;
    out = yt_size_at_least(yt_size_power(out, here(call, TAKES_ROOT)), dead);
    yt_shape_set_out(&shape, out);
    yt_shape_end(&shape, &x, &y);
    if (steps != 0) {
        yt_q16 seen_x, seen_y;
        uint32_t per_step = (uint32_t)here(call, TAKES_STEP);
        x = step_value(stepped(x, steps), per_step);
        y = step_value(stepped(y, steps), per_step);
        yt_shape_begin(&shape, x, y);
        yt_shape_need_reach(&shape);
        out = yt_size_between(shape.out, dead, YT_Q24_ONE, (uint32_t)here(call, TAKES_GAIN));
        yt_shape_set_out(&shape, yt_size_power(out, here(call, TAKES_POWER)));
        yt_shape_end(&shape, &seen_x, &seen_y);
        state[AIM_WAITS_X] += (uint32_t)(((int32_t)state[AIM_SUM_X] - seen_x * 64) / SLOTS);
        state[AIM_WAITS_Y] += (uint32_t)(((int32_t)state[AIM_SUM_Y] - seen_y * 64) / SLOTS);
    }
    state[AIM_OUT_X] = (uint32_t)x;
    state[AIM_OUT_Y] = (uint32_t)y;
}

static bool is_little(uint32_t amount, int32_t much) {
    return (int32_t)amount < much && (int32_t)amount > -much;
}

/* Whether no slot tells anything. */
static bool is_empty(const uint32_t *state) {
    for (unsigned i = 0; i < 2 * SLOTS; i++)
        if (state[AIM_SLOTS + i] != 0)
            return false;
    return true;
}

static void next_slot(const yt_call *call, uint32_t begins_us) {
    uint32_t *state = call->state, slot = (state[AIM_SLOT] + 1) % SLOTS;
    int32_t much = here(call, TAKES_STEPS) != 0 ? ONE / 512 : NOTHING;
    state[AIM_SLOT] = slot;
    fill_slot(call, &state[AIM_SLOTS + 2 * slot]);
    if (is_empty(state) && is_little(state[AIM_WAITS_X], much) &&
        is_little(state[AIM_WAITS_Y], much)) {
        state[AIM_SUM_X] = state[AIM_SUM_Y] = state[AIM_OUT_X] = state[AIM_OUT_Y] = 0;
        *state &= ~YT_STATE_WAITS;
        return;
    }
    aim(call);
    yt_wait_until(call, begins_us, here(call, TAKES_SLOT));
}

static yt_q16 yt_do_camera(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 x = yt_argument(call, TAKES_X), y = yt_argument(call, TAKES_Y);
    if (call->count != TAKES)
        return 0;
    if (x != 0 || y != 0) {
        add_waiting(call, AIM_WAITS_X, x, here(call, TAKES_COUNT_X));
        add_waiting(call, AIM_WAITS_Y, y, here(call, TAKES_COUNT_Y));
        spread(call);
        if (!(*state & YT_STATE_WAITS))
            next_slot(call, (uint32_t)yt_call_now(call));
    }
    if (yt_has_ended(call))
        next_slot(call, yt_call_due(call));
    yt_give(call, 1, (yt_q16)state[AIM_OUT_Y]);
    return (yt_q16)state[AIM_OUT_X];
}

#define YT_ONLY_GROUP YT_GROUP_AIMING
#include "run/functions/table.h"

const yt_group yt_group_aiming = {functions, sizeof functions / sizeof functions[0]};
