/* Switches that last, wait, count and latch. Each function's first argument says whether its layer
 * is alive; the second is its press; but pressed has a level alone, which is no press. */
#include "run/functions.h"

/* Whether the time that it waited for is over: it waits no more. */
static bool ends(const yt_call *call) {
    bool ended = yt_has_ended(call);
    if (ended)
        *call->state &= ~YT_STATE_WAITS;
    return ended;
}

static bool is_pressed(const yt_call *call) {
    return *call->state & YT_STATE_WAS_ON;
}

static yt_q16 on_if(bool on) {
    return on ? YT_ONE : 0;
}

/* Arguments: alive, press, how long it is on. */
static yt_q16 yt_do_pulse(const yt_call *call) {
    if (yt_goes_on(call))
        yt_wait_for(call, yt_argument(call, 2));
    else
        ends(call);
    return on_if(*call->state & YT_STATE_WAITS);
}

/* Arguments: alive, press, how long it must stay as it is. */
static yt_q16 yt_do_steady(const yt_call *call) {
    bool was_on = is_pressed(call);
    yt_goes_on(call);
    bool is_on = is_pressed(call);
    if (is_on != was_on && is_on != (call->before != 0))
        yt_wait_for(call, yt_argument(call, 2));
    else if (is_on != was_on)
        yt_wait_no_more(call);
    else if (ends(call))
        return on_if(is_on);
    return call->before;
}

/* Arguments: alive, press, the shortest time that it is on. */
static yt_q16 yt_do_at_least(const yt_call *call) {
    if (yt_goes_on(call)) {
        *call->state |= YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 2));
    } else {
        ends(call);
    }
    if (!is_pressed(call) && !(*call->state & YT_STATE_WAITS))
        *call->state &= ~YT_STATE_GIVES;
    return on_if(*call->state & YT_STATE_GIVES);
}

/* Arguments: alive, press, the longest time that it is on. */
static yt_q16 yt_do_at_most(const yt_call *call) {
    if (yt_goes_on(call))
        yt_wait_for(call, yt_argument(call, 2));
    else if (!is_pressed(call))
        yt_wait_no_more(call);
    else
        ends(call);
    return on_if(*call->state & YT_STATE_WAITS);
}

/* Arguments: alive, press, how long nothing must have been pressed. */
static yt_q16 yt_do_spaced(const yt_call *call) {
    if (yt_goes_on(call)) {
        if (ends(call) || !(*call->state & YT_STATE_WAITS))
            *call->state |= YT_STATE_GIVES;
    } else if (!is_pressed(call) && (*call->state & YT_STATE_GIVES)) {
        *call->state &= ~YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 2));
    } else {
        ends(call);
    }
    return on_if(*call->state & YT_STATE_GIVES);
}

/* How many presses came, each within a time of the one before: state[1]. A press that comes just
 * when the time is over is too late. */
static void count_press(const yt_call *call, yt_q16 within) {
    if (ends(call) || !(*call->state & YT_STATE_WAITS))
        call->state[1] = 0;
    call->state[1]++;
    yt_wait_for(call, within);
}

static bool is_count(const yt_call *call, unsigned argument) {
    return (int64_t)call->state[1] * YT_ONE == yt_argument(call, argument);
}

/* Arguments: alive, press, how many, how soon. */
static yt_q16 yt_do_multi_press(const yt_call *call) {
    if (yt_goes_on(call)) {
        count_press(call, yt_argument(call, 3));
        if (is_count(call, 2)) {
            yt_wait_no_more(call);
            *call->state |= YT_STATE_GIVES;
        }
    } else {
        ends(call);
    }
    if (!is_pressed(call))
        *call->state &= ~YT_STATE_GIVES;
    return on_if(*call->state & YT_STATE_GIVES);
}

#define COUNTING 8u /* its timer is that of the count, not of how long it is on */

/* Arguments: alive, press, how many, how soon, how long it is on then. */
static yt_q16 yt_do_exactly(const yt_call *call) {
    if (yt_goes_on(call)) {
        if (!(*call->state & COUNTING))
            yt_wait_no_more(call);
        *call->state = (*call->state | COUNTING) & ~YT_STATE_GIVES;
        count_press(call, yt_argument(call, 3));
    } else {
        bool was_counting = *call->state & COUNTING;
        if (ends(call))
            *call->state &= ~YT_STATE_GIVES;
        if (was_counting && !is_pressed(call) && !(*call->state & YT_STATE_WAITS)) {
            *call->state &= ~COUNTING;
            if (is_count(call, 2)) {
                *call->state |= YT_STATE_GIVES;
                yt_wait_for(call, yt_argument(call, 4));
            }
            call->state[1] = 0;
        }
    }
    return on_if(*call->state & YT_STATE_GIVES);
}

#define LASTED_ENOUGH 8u

/* Arguments: alive, press, how long it must last, how long it may, how long it is on then. */
static yt_q16 yt_do_lasted(const yt_call *call) {
    bool was_on = is_pressed(call);
    if (yt_goes_on(call)) {
        *call->state &= ~(YT_STATE_GIVES | LASTED_ENOUGH);
        yt_wait_for(call, yt_argument(call, 2));
    } else if (was_on && !is_pressed(call)) {
        bool is_long = ends(call) && !(*call->state & LASTED_ENOUGH);
        bool fits = is_long || ((*call->state & LASTED_ENOUGH) && (*call->state & YT_STATE_WAITS));
        yt_wait_no_more(call);
        *call->state &= ~LASTED_ENOUGH;
        if (fits) {
            *call->state |= YT_STATE_GIVES;
            yt_wait_for(call, yt_argument(call, 4));
        }
    } else if (ends(call)) {
        if (is_pressed(call) && !(*call->state & LASTED_ENOUGH)) {
            *call->state |= LASTED_ENOUGH;
            yt_wait_for(call, yt_argument(call, 3) - yt_argument(call, 2));
        }
        *call->state &= ~YT_STATE_GIVES;
    }
    return on_if(*call->state & YT_STATE_GIVES);
}

/* Arguments: alive, what turns it on, what turns it off. */
static yt_q16 yt_do_latch(const yt_call *call) {
    bool goes_on = yt_goes_on(call);
    if (yt_argument(call, 2) != 0)
        return 0;
    return goes_on ? YT_ONE : call->before;
}

/* Arguments: alive, press, how many numbers, what makes it 0. */
static yt_q16 yt_do_cycle(const yt_call *call) {
    if (yt_goes_on(call))
        call->state[1]++;
    if (yt_argument(call, 3) != 0 || (int64_t)call->state[1] * YT_ONE >= yt_argument(call, 2))
        call->state[1] = 0;
    return (yt_q16)(call->state[1] * (uint32_t)YT_ONE);
}

/* Arguments: level, where it goes on, where it goes off. */
static yt_q16 yt_do_pressed(const yt_call *call) {
    yt_q16 level = yt_argument(call, 0), at = yt_argument(call, 1), back = yt_argument(call, 2);
    if (level >= at)
        return YT_ONE;
    return level < back ? 0 : call->before;
}

/* Of what is delayed: how many changes wait, and that the last of them turns it on. */
#define DELAYED_ONE  0x100u
#define DELAYED_MOST 4u
#define DELAYED_ON   8u

/* When the first change is due; those behind it move up. */
static void end_first(const yt_call *call) {
    for (unsigned i = 1; i < DELAYED_MOST; i++)
        call->state[i] = call->state[i + 1];
    *call->state -= DELAYED_ONE;
}

/* state[1] to state[4] are the times of the changes that wait, which turn it on and off in turn.
 * One that there is no room for takes the one before it away. `taken`: the press that waits is
 * somebody else's, and leaves no trace. */
static yt_q16 delay(const yt_call *call, yt_q16 by, bool taken) {
    yt_q16 now = call->before;
    uint32_t now_us = (uint32_t)yt_call_now(call);
    bool begins = yt_goes_on(call);
    if (begins || (!is_pressed(call) && (*call->state & DELAYED_ON))) {
        *call->state ^= DELAYED_ON;
        if (*call->state / DELAYED_ONE == DELAYED_MOST)
            *call->state -= DELAYED_ONE;
        else {
            *call->state += DELAYED_ONE;
            call->state[*call->state / DELAYED_ONE] = now_us + (by > 0 ? (uint32_t)by : 1u);
        }
    }
    if (ends(call) && *call->state >= DELAYED_ONE) {
        now = YT_ONE - now;
        end_first(call);
    }
    if (taken && (*call->state & DELAYED_ON) && *call->state >= DELAYED_ONE) {
        *call->state = (*call->state ^ DELAYED_ON) - DELAYED_ONE;
        if (*call->state < DELAYED_ONE)
            yt_wait_no_more(call);
    }
    if (*call->state >= DELAYED_ONE && !(*call->state & YT_STATE_WAITS))
        yt_wait_until(call, call->state[1] - 1, 1);
    return now;
}

/* Arguments: alive, press, how much later. */
static yt_q16 yt_do_delayed(const yt_call *call) {
    return delay(call, yt_argument(call, 2), false);
}

/* Arguments: alive, press, how much later, chords that take it. */
static yt_q16 yt_do_held_back(const yt_call *call) {
    bool taken = false;
    for (unsigned k = 3; k < call->count; k++)
        taken |= yt_argument(call, k) != 0;
    return delay(call, yt_argument(call, 2), taken);
}

#define YT_ONLY_GROUP YT_GROUP_SWITCHES
#include "run/functions/table.h"

const yt_group yt_group_switches = {functions, sizeof functions / sizeof functions[0]};
