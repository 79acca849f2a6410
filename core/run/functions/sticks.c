/* Sticks from motion, and the farther of two. */
#include "run/functions.h"
#include "signal/fixed.h"

/* A stick that follows the speed of motion. Time goes in steps from the first movement on: what
 * moved in a step, times `gain`, is how far the stick should be out; it goes an eighth of the way
 * there, or a share. When nothing has moved for eight steps, as long as the slowest mouse takes for
 * some reports, and it is within 1/64 of its rest, it rests and the steps end. Arguments: alive,
 * motion in x, motion in y, gain (how far out one count in a step is); and, or neither, gain in y,
 * share. */
#define STICK_EIGHTH     8
#define STICK_WITH_SHARE 6 /* arguments */

enum { STICK_FLAGS, STICK_Y, STICK_X, STICK_MOVED_X = YT_STICK_MOVED, STICK_MOVED_Y };
#define STICK_RESTS_BELOW (YT_ONE / 64)
#define STICK_IDLE        0x100u /* of its flags: the steps since anything has moved */
#define STICK_IDLE_MOST   (8 * STICK_IDLE)

/* How far it is from where it should be out. */
static yt_q16 way_of(uint32_t position, uint32_t moved, yt_q16 gain) {
    yt_q16 aim = yt_q16_multiply((yt_q16)moved, gain);
    return yt_q16_subtract(yt_q16_clamp(aim, -8 * YT_ONE, 8 * YT_ONE), (yt_q16)position);
}

static void go(uint32_t *position, yt_q16 by) {
    *position = (uint32_t)yt_q16_clamp((yt_q16)*position + by, -YT_ONE, YT_ONE);
}

/* Arguments 4 and 5: the gain in y, and how much of the way. */
static void step_by_share(const yt_call *call, yt_q16 gain) {
    uint32_t *state = call->state;
    yt_q16 share = yt_q16_clamp(yt_argument(call, 5), 1, YT_ONE);
    yt_q16 x = way_of(state[STICK_X], state[STICK_MOVED_X], gain);
    yt_q16 y = way_of(state[STICK_Y], state[STICK_MOVED_Y], yt_argument(call, 4));
    go(&state[STICK_X], yt_q16_multiply(x, share));
    go(&state[STICK_Y], yt_q16_multiply(y, share));
}

static bool rests(uint32_t position) {
    yt_q16 out = (yt_q16)position;
    return out < STICK_RESTS_BELOW && out > -STICK_RESTS_BELOW;
}

static void stick_step(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 gain = yt_argument(call, 3);
    uint32_t flags = *state + STICK_IDLE;
    if (state[STICK_MOVED_X] != 0 || state[STICK_MOVED_Y] != 0)
        flags %= STICK_IDLE;
    if (call->count == STICK_WITH_SHARE) {
        step_by_share(call, gain);
    } else {
        go(&state[STICK_X], way_of(state[STICK_X], state[STICK_MOVED_X], gain) / STICK_EIGHTH);
        go(&state[STICK_Y], way_of(state[STICK_Y], state[STICK_MOVED_Y], gain) / STICK_EIGHTH);
    }
    state[STICK_MOVED_X] = state[STICK_MOVED_Y] = 0;
    if (flags >= STICK_IDLE_MOST && rests(state[STICK_X]) && rests(state[STICK_Y])) {
        state[STICK_X] = state[STICK_Y] = 0;
        *state = flags % STICK_IDLE & ~YT_STATE_WAITS;
        return;
    }
    *state = flags;
    yt_wait_until(call, yt_call_due(call), YT_STICK_STEP_US);
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
