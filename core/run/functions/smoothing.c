/* Sticks and axes that are smoothed over time. While something is left to do they are looked at
 * each 4 ms, whether a report comes or not. Each has the time of its last look behind its first
 * word. */
#include "run/functions.h"
#include "signal/fixed.h"
#include "signal/shape.h"
#include "signal/smooth.h"

#define TICK_US 4000
#define LAST_US 1 /* of the state */
#define OWN     2 /* where the rest of it begins */

/* The time since the last look. */
static uint32_t passed(const yt_call *call) {
    uint32_t now = (uint32_t)yt_call_now(call), us = now - call->state[LAST_US];
    call->state[LAST_US] = now;
    return us;
}

static void look_again(const yt_call *call, bool goes_on) {
    if (goes_on)
        yt_wait_for(call, TICK_US);
    else
        yt_wait_no_more(call);
}

/* Arguments: alive, x, y, the noise, what is a move, the slowest rate, the rate while it moves,
 * whether readings count by their time. */
static yt_q16 yt_do_settling(const yt_call *call) {
    yt_settle *axes = (yt_settle *)(call->state + OWN);
    const yt_instruction *at = call->arguments + 3;
    uint32_t us = passed(call), now_us = call->state[LAST_US];
    yt_q16 x = yt_argument(call, 1), y = yt_argument(call, 2);
    _Static_assert(OWN + 2 * sizeof(yt_settle) / sizeof(uint32_t) == 18, "as functions.def has it");
    if (call->count < 8)
        return x;
    const yt_settling by = {yt_number(call, at), yt_number(call, at + 1), yt_number(call, at + 2),
                            yt_number(call, at + 3), yt_here(at + 4) != 0};
    bool moves = yt_settle_tests(&axes[0], &by, x, us);
    moves |= yt_settle_tests(&axes[1], &by, y, us);
    x = yt_settle_step(&axes[0], &by, x, moves, now_us, us);
    y = yt_settle_step(&axes[1], &by, y, moves, now_us, us);
    look_again(call, yt_settle_goes_on(&axes[0], &by) || yt_settle_goes_on(&axes[1], &by));
    yt_give(call, 1, y);
    return x;
}

enum { AT_X = OWN, AT_Y, TO_X, TO_Y };

static int32_t fine(yt_q16 value) {
    return yt_q16_clamp(value, -8 * YT_ONE, 8 * YT_ONE - 1) * 256;
}

/* How much faster a low-pass is that lags by a part of what it may: 1 and its square. */
static yt_q16 faster(yt_q16 rate, int32_t way, yt_q16 gain) {
    yt_q16 part = yt_q16_multiply(way / 256, gain);
    part = yt_q16_clamp(part, -30 * YT_ONE, 30 * YT_ONE);
    return yt_q16_multiply(rate, YT_ONE + yt_q16_multiply(part, part));
}

/* One axis of a low-pass; whether it is on its way. */
static bool smooth(const yt_call *call, unsigned axis, yt_q16 value, uint32_t us) {
    int32_t at = (int32_t)call->state[AT_X + axis], to = (int32_t)call->state[TO_X + axis];
    yt_q16 rate = faster(yt_argument(call, 3), to - at, yt_argument(call, 4));
    at = yt_follow(at, to, yt_left_after(us, rate));
    to = fine(value);
    call->state[AT_X + axis] = (uint32_t)(at - to < 128 && to - at < 128 ? to : at);
    call->state[TO_X + axis] = (uint32_t)to;
    return call->state[AT_X + axis] != (uint32_t)to;
}

static yt_q16 told(const yt_call *call, unsigned axis) {
    return ((int32_t)call->state[AT_X + axis] + 128) >> 8;
}

/* Arguments: alive, x, y, the rate, and 1 by how far it may lag; 0: it may. */
static yt_q16 yt_do_smoothed(const yt_call *call) {
    uint32_t us = passed(call);
    bool goes_on = smooth(call, 0, yt_argument(call, 1), us);
    goes_on |= smooth(call, 1, yt_argument(call, 2), us);
    look_again(call, goes_on);
    yt_give(call, 1, told(call, 1));
    return told(call, 0);
}

/* A stick goes straight to where it is to be, no faster than a rate. Arguments: alive, x, y, ways a
 * second. */
static yt_q16 yt_do_slew(const yt_call *call) {
    uint32_t *state = call->state, rest = 0, us = passed(call);
    yt_q16 x = yt_argument(call, 1), y = yt_argument(call, 2);
    yt_shape way;
    yt_q16 at_x = (yt_q16)state[AT_X], at_y = (yt_q16)state[AT_Y], by_x, by_y;
    yt_shape_begin(&way, yt_q16_subtract((yt_q16)state[TO_X], at_x),
                   yt_q16_subtract((yt_q16)state[TO_Y], at_y));
    yt_shape_need_reach(&way);
    yt_q16 most = yt_q16_travel(yt_argument(call, 3), us < 50000 ? us : 50000, &rest);
    if (way.out > (uint32_t)yt_q16_clamp(most, 0, 7 * YT_ONE) * 256)
        yt_shape_set_out(&way, (uint32_t)yt_q16_clamp(most, 0, 7 * YT_ONE) * 256);
    yt_shape_end(&way, &by_x, &by_y);
    at_x += by_x;
    at_y += by_y;
    state[AT_X] = (uint32_t)at_x;
    state[AT_Y] = (uint32_t)at_y;
    state[TO_X] = (uint32_t)yt_q16_clamp(x, -2 * YT_ONE, 2 * YT_ONE);
    state[TO_Y] = (uint32_t)yt_q16_clamp(y, -2 * YT_ONE, 2 * YT_ONE);
    look_again(call, state[AT_X] != state[TO_X] || state[AT_Y] != state[TO_Y]);
    yt_give(call, 1, at_y);
    return at_x;
}

enum { KEPT_X, KEPT_Y };

/* It is taken along where it is farther away than `by`. */
static yt_q16 taken_along(uint32_t *kept, yt_q16 value, yt_q16 by, yt_q16 gain) {
    yt_q16 at = (yt_q16)*kept;
    value = yt_q16_clamp(value, -2 * YT_ONE, 2 * YT_ONE);
    by = yt_q16_clamp(by, 0, YT_ONE);
    at = at < value - by ? value - by : at > value + by ? value + by : at;
    *kept = (uint32_t)at;
    return yt_q16_clamp(yt_q16_multiply(at, gain), -2 * YT_ONE, 2 * YT_ONE);
}

/* Arguments: x, y, by, 1 / (1 - by). */
static yt_q16 yt_do_backlash(const yt_call *call) {
    yt_q16 by = yt_argument(call, 2), gain = yt_argument(call, 3);
    yt_give(call, 1, taken_along(&call->state[KEPT_Y], yt_argument(call, 1), by, gain));
    return taken_along(&call->state[KEPT_X], yt_argument(call, 0), by, gain);
}

static bool is_end(yt_q16 value) {
    return value == 0 || value >= YT_ONE || value <= -YT_ONE;
}

static bool is_apart(uint32_t kept, yt_q16 value, yt_q16 by) {
    yt_q16 way = yt_q16_subtract(value, (yt_q16)kept);
    return way > by || way < -by;
}

/* It stays until either direction is farther away, or both are at an end or at rest. Arguments: x,
 * y, by. */
static yt_q16 yt_do_hysteresis(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 x = yt_argument(call, 0), y = yt_argument(call, 1);
    yt_q16 by = yt_q16_clamp(yt_argument(call, 2), 0, YT_ONE);
    if (is_apart(state[KEPT_X], x, by) || is_apart(state[KEPT_Y], y, by) ||
        (is_end(x) && is_end(y))) {
        state[KEPT_X] = (uint32_t)x;
        state[KEPT_Y] = (uint32_t)y;
    }
    yt_give(call, 1, (yt_q16)state[KEPT_Y]);
    return (yt_q16)state[KEPT_X];
}

#define YT_ONLY_GROUP YT_GROUP_SMOOTHING
#include "run/functions/table.h"

const yt_group yt_group_smoothing = {functions, sizeof functions / sizeof functions[0]};
