/* Gyros about gravity, tilt, and views that turn to where a stick points. */
#include "run/functions.h"
#include "signal/angle.h"
#include "signal/fixed.h"
#include "signal/product.h"
#include "signal/upward.h"

/* Where up is. What the gyro said goes on until it says something else, so it is looked at each 4
 * ms while anything turns, or is not yet where it is pulled to. */
#define LOOK_US 4000

enum { UP_FLAGS, UP_X, UP_Y, UP_Z, UP_RATES, UP_SINCE = UP_RATES + 3, UP_AGE };

#define BEGUN YT_STATE_GIVES

#define FASTEST (16384 * YT_ONE)

/* Arguments: alive, the gyro's x, y and z, and the accelerometer's. */
static void take_three(const yt_call *call, unsigned first, yt_q16 three[3]) {
    for (unsigned i = 0; i < 3; i++)
        three[i] = yt_q16_clamp(yt_argument(call, first + i), -FASTEST, FASTEST);
}

static bool is_near(const int32_t up[3], const yt_q16 pull[3]) {
    for (unsigned i = 0; i < 3; i++) {
        yt_q16 off = (up[i] >> 14) - pull[i];
        if (off > YT_ONE / 1024 || off < -(YT_ONE / 1024))
            return false;
    }
    return true;
}

/* For how long it has been drawn; up to half a second it is in haste. */
static unsigned haste(uint32_t *age, uint32_t us) {
    *age += us < 8000 ? us : 8000;
    if (*age < 100000)
        return 4;
    if (*age < 500000)
        return 2;
    *age = 500000;
    return 0;
}

/* Brings up to date where up is. False: it is not known yet. */
static bool look_up(const yt_call *call, int32_t up[3], yt_q16 rates[3]) {
    uint32_t *state = call->state, now_us = (uint32_t)yt_call_now(call);
    yt_q16 pull[3];
    take_three(call, 1, rates);
    take_three(call, 4, pull);
    bool is_pull = yt_upward_is_pull(pull);
    for (unsigned i = 0; i < 3; i++)
        up[i] = (int32_t)state[UP_X + i];
    if (*state & BEGUN) {
        uint32_t us = now_us - state[UP_SINCE];
        yt_q16 before[3] = {(yt_q16)state[UP_RATES], (yt_q16)state[UP_RATES + 1],
                            (yt_q16)state[UP_RATES + 2]};
        yt_upward_turn(up, before, us);
        if (is_pull)
            yt_upward_draw(up, pull, us, haste(&state[UP_AGE], us));
    } else if (is_pull) {
        yt_upward_begin(up, pull);
        *state |= BEGUN;
    }
    for (unsigned i = 0; i < 3; i++) {
        state[UP_X + i] = (uint32_t)up[i];
        state[UP_RATES + i] = (uint32_t)rates[i];
    }
    state[UP_SINCE] = now_us;
    bool turns = rates[0] != 0 || rates[1] != 0 || rates[2] != 0;
    if ((*state & BEGUN) && (turns || (is_pull && !is_near(up, pull))))
        yt_wait_for(call, LOOK_US);
    else
        yt_wait_no_more(call);
    return *state & BEGUN;
}

static yt_q16 part_of(yt_q16 rate, int32_t part) {
    return yt_upward_product(rate, part);
}

/* About what is upright, and about the device's axis to the right as far as that is level: where it
 * points up or down there is no such axis, and nothing is made out of noise. */
static yt_q16 yt_do_levelled(const yt_call *call) {
    int32_t up[3];
    yt_q16 rates[3], right = 0, down, level;
    if (!look_up(call, up, rates)) {
        yt_give(call, 1, yt_q16_subtract(0, rates[0]));
        return yt_q16_subtract(0, rates[2]);
    }
    for (unsigned i = 0; i < 3; i++)
        right = yt_q16_subtract(right, part_of(rates[i], up[i]));
    down = yt_q16_subtract(0, yt_q16_add(rates[0], part_of(right, up[0])));
    yt_angle_of(up[1] >> 14, up[2] >> 14, &level);
    yt_give(call, 1, yt_q16_divide(down, level > YT_ONE / 4 ? level : YT_ONE / 4));
    return right;
}

/* How far an axis stands above what is level, as a share of 90 degrees: `along` is its part of up,
 * `one` and `other` are those of the other axes. */
static yt_q16 rise(int32_t along, int32_t one, int32_t other) {
    yt_q16 level, length;
    yt_angle_of(one >> 14, other >> 14, &level);
    yt_q16 angle = yt_angle_of(along >> 14, -level, &length); /* from up, clockwise: to the right */
    uint32_t size = (uint32_t)(angle > YT_TURN / 2 ? YT_TURN - angle : angle);
    /* By 90: 2^38 by that is below 2^32. */
    yt_q16 share = (yt_q16)((yt_upper_product(size << 8, 3054198967u) + (1u << 13)) >> 14);
    return angle > YT_TURN / 2 ? -share : share;
}

static yt_q16 yt_do_tilted(const yt_call *call) {
    int32_t up[3];
    yt_q16 rates[3];
    if (!look_up(call, up, rates))
        return 0;
    yt_give(call, 1, rise(up[1], up[0], up[2]));
    return -rise(up[0], up[1], up[2]);
}

/* A view that turns to where a stick points. */
#define STEP_US 4000
#define IS_OUT  YT_STATE_GIVES

enum { TURN_FLAGS, TURN_ANGLE, TURN_OWED, TURN_STEP };

/* Arguments: alive, x, y, the counts of once around, ways a second of the first turn, how far out.
 */
enum { TAKES_X = 1, TAKES_Y, TAKES_TURN, TAKES_WAYS, TAKES_AT };

/* The shorter way from one angle to another, in counts. */
static yt_q16 way(const yt_call *call, yt_q16 from, yt_q16 to) {
    yt_q16 by = yt_angle_whole(to - from);
    by = by > YT_TURN / 2 ? by - YT_TURN : by;
    int64_t counts = (int64_t)by * yt_argument(call, TAKES_TURN) >> 16; /* below 180 * 30000 */
    return (yt_q16)((counts * 11930465 + (1ll << 31)) >> 32);           /* 2^32 by 360 */
}

/* So much of what is owed as is due in a step. */
static yt_q16 portion(uint32_t *state) {
    yt_q16 owed = (yt_q16)state[TURN_OWED], step = (yt_q16)state[TURN_STEP];
    yt_q16 part = yt_q16_clamp(owed, -step, step);
    state[TURN_OWED] = (uint32_t)(owed - part);
    return part;
}

static yt_q16 yt_do_turn_to(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 length, counts = 0, at = yt_argument(call, TAKES_AT);
    yt_q16 angle = yt_angle_of(yt_argument(call, TAKES_X), yt_argument(call, TAKES_Y), &length);
    if (yt_has_ended(call)) {
        counts = portion(state);
        if (state[TURN_OWED] != 0)
            yt_wait_until(call, yt_call_due(call), STEP_US);
        else
            yt_wait_no_more(call);
    }
    if (*state & IS_OUT) {
        if (length < at - at / 8)
            *state &= ~IS_OUT;
        else
            counts = yt_q16_add(counts, way(call, (yt_q16)state[TURN_ANGLE], angle));
    } else if (length >= at) {
        yt_q16 owed = yt_q16_add((yt_q16)state[TURN_OWED], way(call, 0, angle));
        yt_q16 size = owed < 0 ? yt_q16_subtract(0, owed) : owed;
        yt_q16 share = yt_q16_multiply(yt_argument(call, TAKES_WAYS), YT_ONE * STEP_US / 1000000);
        yt_q16 step = yt_q16_multiply(size, yt_q16_clamp(share, 0, YT_ONE));
        state[TURN_OWED] = (uint32_t)owed;
        state[TURN_STEP] = (uint32_t)yt_q16_add(step, 1);
        *state |= IS_OUT;
        if (owed != 0 && !(*state & YT_STATE_WAITS))
            yt_wait_for(call, STEP_US);
    }
    state[TURN_ANGLE] = (uint32_t)angle;
    return counts;
}

#define YT_ONLY_GROUP YT_GROUP_TURNING
#include "run/functions/table.h"

const yt_group yt_group_turning = {functions, sizeof functions / sizeof functions[0]};
