/* Motion that is made: of presses, and of speeds; and taps that are made of motion. */
#include "run/functions.h"
#include "signal/fixed.h"

/* Arguments: alive, press, how many counts. */
static yt_q16 yt_do_motion_step(const yt_call *call) {
    return yt_goes_on(call) ? yt_argument(call, 2) : 0;
}

enum { TRAVEL_FLAGS, TRAVEL_SPEED, TRAVEL_SINCE, TRAVEL_REST };

#define TRAVEL_TICK_US 1000u

/* How long until it is looked at again: a tick. Where an update comes late and has more to work
 * off, the last of the ticks until then does for all of them, since nothing is lost in between. */
static yt_q16 travel_wait(const yt_call *call) {
    uint32_t behind_us = call->evaluator->until_us - (uint32_t)yt_call_now(call);
    if ((int32_t)behind_us < (int32_t)(2 * TRAVEL_TICK_US))
        return TRAVEL_TICK_US;
    return (yt_q16)(behind_us - behind_us % TRAVEL_TICK_US);
}

/* The speed since it was looked at last, times that time. Argument: counts a second. */
static yt_q16 yt_do_travel(const yt_call *call) {
    uint32_t *state = call->state, now_us = (uint32_t)yt_call_now(call);
    yt_q16 counts = 0;
    if (*state & YT_STATE_WAITS)
        counts = yt_q16_travel((yt_q16)state[TRAVEL_SPEED], now_us - state[TRAVEL_SINCE],
                               &state[TRAVEL_REST]);
    state[TRAVEL_SPEED] = (uint32_t)yt_argument(call, 0);
    state[TRAVEL_SINCE] = now_us;
    if (state[TRAVEL_SPEED] != 0)
        yt_wait_for(call, travel_wait(call));
    else
        yt_wait_no_more(call);
    return counts;
}

#define TAPS_MOST ((int64_t)1 << 30) /* counts that wait, in Q16 */

/* state[1] is what was turned and is no tap yet. Arguments: alive, turn, counts a tap, how long it
 * is on, how long off. */
static yt_q16 yt_do_taps(const yt_call *call) {
    int64_t owed = (int64_t)call->state[1] + yt_argument(call, 1);
    yt_q16 each = yt_argument(call, 2);
    owed = owed < 0 ? 0 : owed > TAPS_MOST ? TAPS_MOST : owed;
    if (yt_has_ended(call)) {
        *call->state &= ~YT_STATE_WAITS;
        if (*call->state & YT_STATE_GIVES)
            yt_wait_for(call, yt_argument(call, 4));
        *call->state &= ~YT_STATE_GIVES;
    }
    if (!(*call->state & YT_STATE_WAITS) && owed >= each) {
        owed -= each;
        *call->state |= YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 3));
    }
    call->state[1] = (uint32_t)owed;
    return *call->state & YT_STATE_GIVES ? YT_ONE : 0;
}

/* The speed is that of the last steps, as a multiple of where it begins: each step goes an eighth
 * of the way to what moved in it. */
#define SPEED_STEP_US 4000
#define SPEED_MOST    (1024 * YT_ONE)

enum { QUICK_FLAGS, QUICK_SPEED, QUICK_MOVED };

/* Arguments: alive, turn, gain (what one count in a step is, of where it begins), how many times.
 */
static yt_q16 yt_do_accelerated(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 turn = yt_argument(call, 1), speed = (yt_q16)state[QUICK_SPEED];
    if (yt_has_ended(call)) {
        yt_q16 moved = (yt_q16)state[QUICK_MOVED];
        yt_q16 aim = yt_q16_multiply(moved < 0 ? -moved : moved, yt_argument(call, 2));
        speed += (yt_q16_clamp(aim, 0, SPEED_MOST) - speed) / 8;
        state[QUICK_MOVED] = 0;
        if (moved == 0 && speed < YT_ONE / 16) {
            speed = 0;
            yt_wait_no_more(call);
        } else {
            yt_wait_until(call, yt_call_due(call), SPEED_STEP_US);
        }
    }
    state[QUICK_SPEED] = (uint32_t)speed;
    if (turn == 0)
        return 0;
    yt_q16 moved = yt_q16_add((yt_q16)state[QUICK_MOVED], turn);
    state[QUICK_MOVED] = (uint32_t)yt_q16_clamp(moved, -INT32_MAX, INT32_MAX);
    if (!(*state & YT_STATE_WAITS))
        yt_wait_for(call, SPEED_STEP_US);
    yt_q16 most = yt_argument(call, 3);
    yt_q16 times = speed < YT_ONE ? YT_ONE : speed > most ? most : speed;
    return yt_q16_multiply(turn, times < YT_ONE ? YT_ONE : times);
}

#define YT_ONLY_GROUP YT_GROUP_MOTION
#include "run/functions/table.h"

const yt_group yt_group_motion = {functions, sizeof functions / sizeof functions[0]};
