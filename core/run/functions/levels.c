/* Levels and axes that go slowly, or turn back. */
#include "run/functions.h"
#include "signal/fixed.h"

#define TICK_US 4000

/* A number that goes to another one by a rate, whole ways a second, for a tick; what is less than
 * 1/65536 is kept in `rest`. */
static yt_q16 towards(yt_q16 from, yt_q16 to, yt_q16 rate, uint32_t *rest) {
    yt_q16 step = yt_q16_travel(rate, TICK_US, rest);
    if (from < to)
        return yt_q16_subtract(to, from) <= step ? to : yt_q16_add(from, step);
    return yt_q16_subtract(from, to) <= step ? to : yt_q16_subtract(from, step);
}

enum { RAMP_FLAGS, RAMP_AT, RAMP_REST };

/* Looked at each 4 ms from the first change on, until it is there. Away from 0 it goes by one rate,
 * back by another; it stops at 0 in between. Arguments: alive, number, ways a second out, and
 * back. */
static yt_q16 yt_do_ramp(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 at = (yt_q16)state[RAMP_AT], to = yt_argument(call, 1);
    if (yt_has_ended(call)) {
        bool turns = (at < 0 && to > 0) || (at > 0 && to < 0);
        yt_q16 end = turns ? 0 : to;
        bool goes_out = at >= 0 ? end > at : end < at;
        at = towards(at, end, yt_argument(call, goes_out ? 2 : 3), &state[RAMP_REST]);
        state[RAMP_AT] = (uint32_t)at;
        if (at != to)
            yt_wait_until(call, yt_call_due(call), TICK_US);
        else
            yt_wait_no_more(call);
    } else if (at != to && !(*state & YT_STATE_WAITS)) {
        state[RAMP_REST] = 0;
        yt_wait_for(call, TICK_US);
    }
    return at;
}

enum { DIAL_FLAGS, DIAL_AT };
enum { TURNS_FLAGS, TURNS_END };

/* state[1] is how deep it was at the deepest while it is on, and how high at the highest while it
 * is off. Arguments: level, from where on, how far down, how far up. */
static yt_q16 yt_do_going_down(const yt_call *call) {
    yt_q16 level = yt_argument(call, 0), from = yt_argument(call, 1);
    yt_q16 end = (yt_q16)call->state[TURNS_END];
    bool is_on = *call->state & YT_STATE_GIVES;
    if (level < from) {
        is_on = false;
        end = from;
    } else if (is_on) {
        end = level > end ? level : end;
        if (yt_q16_subtract(end, level) >= yt_argument(call, 3)) {
            is_on = false;
            end = level;
        }
    } else {
        end = level < end ? level : end;
        if (yt_q16_subtract(level, end) >= yt_argument(call, 2)) {
            is_on = true;
            end = level;
        }
    }
    *call->state = is_on ? YT_STATE_GIVES : 0;
    call->state[TURNS_END] = (uint32_t)end;
    return is_on ? YT_ONE : 0;
}

enum { SPRING_FLAGS, SPRING_AT, SPRING_REST };

/* Arguments: alive, turn, how far a count goes, ways a second back. */
static yt_q16 yt_do_spring(const yt_call *call) {
    uint32_t *state = call->state;
    yt_q16 at = (yt_q16)state[SPRING_AT], turn = yt_argument(call, 1);
    if (yt_has_ended(call)) {
        at = towards(at, 0, yt_argument(call, 3), &state[SPRING_REST]);
        if (at != 0)
            yt_wait_until(call, yt_call_due(call), TICK_US);
        else
            yt_wait_no_more(call);
    }
    if (turn != 0) {
        at = yt_q16_add(at, yt_q16_multiply(turn, yt_argument(call, 2)));
        at = yt_q16_clamp(at, -YT_ONE, YT_ONE);
        if (at != 0 && !(*state & YT_STATE_WAITS)) {
            state[SPRING_REST] = 0;
            yt_wait_for(call, TICK_US);
        }
    }
    state[SPRING_AT] = (uint32_t)at;
    return at;
}

/* Arguments: alive, turn, how far a count goes, from where, to where, what puts it back to 0. */
static yt_q16 yt_do_dial(const yt_call *call) {
    yt_q16 turn = yt_q16_multiply(yt_argument(call, 1), yt_argument(call, 2));
    yt_q16 low = yt_argument(call, 3), high = yt_argument(call, 4);
    yt_q16 at = yt_argument(call, 5) != 0 ? 0 : yt_q16_add((yt_q16)call->state[DIAL_AT], turn);
    at = at < low ? low : at > high ? high : at;
    call->state[DIAL_AT] = (uint32_t)at;
    return at;
}

#define YT_ONLY_GROUP YT_GROUP_LEVELS
#include "run/functions/table.h"

const yt_group yt_group_levels = {functions, sizeof functions / sizeof functions[0]};
