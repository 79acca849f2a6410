/* Sticks from motion, and the farther of two. */
#include "run/functions.h"
#include "signal/fixed.h"

/* A stick that follows the speed of motion. Time goes in steps from the first movement on: what
 * moved in a step, times `gain`, is how far the stick should be out; it goes an eighth of the way
 * there. When nothing moves and it is within 1/64 of its rest, it rests and the steps end.
 * Arguments: alive, motion in x, motion in y, gain (how far out one count in a step is). */
#define STICK_SHARE 8

enum { STICK_FLAGS, STICK_Y, STICK_X, STICK_MOVED_X = YT_STICK_MOVED, STICK_MOVED_Y };
#define STICK_RESTS_BELOW (YT_ONE / 64)

static void step_axis(uint32_t *position, uint32_t *moved, yt_q16 gain) {
    yt_q16 out = (yt_q16)*position;
    yt_q16 aim = yt_q16_multiply((yt_q16)*moved, gain);
    out += yt_q16_subtract(yt_q16_clamp(aim, -8 * YT_ONE, 8 * YT_ONE), out) / STICK_SHARE;
    out = yt_q16_clamp(out, -YT_ONE, YT_ONE);
    *position = (uint32_t)out;
    *moved = 0;
}

static bool rests(uint32_t position) {
    yt_q16 out = (yt_q16)position;
    return out < STICK_RESTS_BELOW && out > -STICK_RESTS_BELOW;
}

static void stick_step(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 gain = yt_argument(call, 3);
    bool moved = state[STICK_MOVED_X] != 0 || state[STICK_MOVED_Y] != 0;
    step_axis(&state[STICK_X], &state[STICK_MOVED_X], gain);
    step_axis(&state[STICK_Y], &state[STICK_MOVED_Y], gain);
    if (!moved && rests(state[STICK_X]) && rests(state[STICK_Y])) {
        state[STICK_X] = state[STICK_Y] = 0;
        *state &= ~YT_STATE_WAITS;
    } else {
        yt_wait_until(call, yt_call_due(call), YT_STICK_STEP_US);
    }
}

static yt_q16 yt_do_stick_from_motion(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 x = yt_argument(call, 1), y = yt_argument(call, 2);
    if (yt_has_ended(call))
        stick_step(call);
    if (x != 0 || y != 0) {
        state[STICK_MOVED_X] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_X], x);
        state[STICK_MOVED_Y] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_Y], y);
        if (!(*state & YT_STATE_WAITS))
            yt_wait_for(call, YT_STICK_STEP_US);
    }
    yt_give(call, 1, (yt_q16)state[STICK_Y]);
    return (yt_q16)state[STICK_X];
}

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* How far out a stick is: the larger of its two directions. */
static uint32_t reach(const yt_call *call, unsigned first) {
    uint32_t x = size_of(yt_argument(call, first)), y = size_of(yt_argument(call, first + 1));
    return x > y ? x : y;
}

/* The stick that leads does so until the other is farther out by a sixteenth of the whole way. */
static yt_q16 yt_do_farther(const yt_call *call) {
    uint32_t one = reach(call, 0), other = reach(call, 2), lead = (uint32_t)YT_ONE / 16;
    if (*call->state & YT_STATE_GIVES)
        other += other > 0 ? lead : 0;
    else
        one += one > 0 ? lead : 0;
    bool takes_other = *call->state & YT_STATE_GIVES ? other >= one : other > one;
    *call->state = takes_other ? YT_STATE_GIVES : 0;
    yt_give(call, 1, yt_argument(call, takes_other ? 3 : 1));
    return yt_argument(call, takes_other ? 2 : 0);
}

#define YT_ONLY_GROUP YT_GROUP_STICKS
#include "run/functions/table.h"

const yt_group yt_group_sticks = {functions, sizeof functions / sizeof functions[0]};
