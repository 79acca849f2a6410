/* What a press does over time. Each function's first argument says whether its layer is alive; the
 * second is its press, but for chord, whose presses stand last. */
#include "run/functions.h"
#include "signal/fixed.h"

static yt_q16 yt_do_toggle(const yt_call *call) {
    return yt_goes_on(call) ? YT_ONE - call->before : call->before;
}

/* Half a period is 500,000 us by the frequency; what it is short of by rounding is owed to the next
 * one, so that it never drifts. Arguments: alive, press, half a period in us, frequency. */
static yt_q16 half_period(const yt_call *call) {
    yt_q16 half = yt_argument(call, 2), frequency = yt_argument(call, 3);
    int64_t short_of = INT64_C(500000) * YT_ONE - (int64_t)half * frequency;
    yt_q16 owed = yt_q16_saturate((int32_t)call->state[1] + short_of);
    int more = owed > frequency / 2 ? 1 : owed < -(frequency / 2) ? -1 : 0;
    call->state[1] = (uint32_t)yt_q16_saturate(owed - (int64_t)more * frequency);
    return yt_q16_add(half, more);
}

static yt_q16 yt_do_turbo(const yt_call *call) {
    bool begins = yt_goes_on(call);
    if (!(*call->state & YT_STATE_WAS_ON)) {
        yt_wait_no_more(call);
        return 0;
    }
    if (begins) {
        call->state[1] = 0;
        yt_wait_for(call, half_period(call));
        return YT_ONE;
    }
    if (!yt_has_ended(call))
        return call->before;
    yt_wait_until(call, yt_call_due(call), half_period(call));
    return YT_ONE - call->before;
}

/* Arguments: alive, press, how long it must be pressed. */
static yt_q16 yt_do_hold(const yt_call *call) {
    if (yt_goes_on(call)) {
        yt_wait_for(call, yt_argument(call, 2));
        return 0;
    }
    if (!(*call->state & YT_STATE_WAS_ON)) {
        yt_wait_no_more(call);
        return 0;
    }
    if (!yt_has_ended(call))
        return call->before;
    *call->state &= ~YT_STATE_WAITS;
    return YT_ONE;
}

/* Arguments: alive, press, how long it may be pressed, how long it is on then. */
static yt_q16 yt_do_tap(const yt_call *call) {
    bool was_on = *call->state & YT_STATE_WAS_ON;
    if (yt_goes_on(call)) {
        *call->state &= ~YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 2));
    } else if (yt_has_ended(call)) {
        *call->state &= ~(YT_STATE_WAITS | YT_STATE_GIVES);
    } else if (was_on && !(*call->state & YT_STATE_WAS_ON) && (*call->state & YT_STATE_WAITS)) {
        *call->state |= YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 3));
    }
    return *call->state & YT_STATE_GIVES ? YT_ONE : 0;
}

/* Arguments: alive, within, presses. When each was pressed is remembered, plus 1; 0: before it
 * began.
 */
static yt_q16 yt_do_chord(const yt_call *call) {
    uint64_t now = yt_call_now(call) + 1, earliest = now;
    bool all = true, begins = false;
    for (unsigned k = 0; k < call->count - 2u; k++) {
        uint32_t bit = YT_STATE_WAS_ON << k, *since = &call->state[1 + 2 * k];
        bool is_on = yt_argument(call, k + 2) != 0;
        if (is_on && !(*call->state & bit)) {
            begins = true;
            since[0] = (uint32_t)now;
            since[1] = (uint32_t)(now >> 32);
        }
        *call->state = is_on ? *call->state | bit : *call->state & ~bit;
        all = all && is_on;
        uint64_t pressed = (uint64_t)since[1] << 32 | since[0];
        earliest = pressed < earliest ? pressed : earliest;
    }
    if (!all || !begins)
        return all ? call->before : 0;
    yt_q16 within = yt_argument(call, 1);
    bool is_near = now - earliest <= (within > 0 ? (uint32_t)within : 0u);
    return is_near && earliest > 0 ? YT_ONE : 0;
}

/* On while its press is, and then until something else is pressed: what is pressed still finds it
 * on, so it ends with a timer that is due at once. Pressed again before that, it ends with that
 * press. Arguments: alive, press, pulses of all else. */
static yt_q16 yt_do_next_press(const yt_call *call) {
    if (yt_goes_on(call)) {
        *call->state = *call->state & YT_STATE_GIVES ? *call->state & ~YT_STATE_GIVES
                                                     : *call->state | YT_STATE_GIVES;
    } else if (yt_has_ended(call)) {
        *call->state &= ~(YT_STATE_WAITS | YT_STATE_GIVES);
    } else if (yt_argument(call, 2) != 0 && (*call->state & YT_STATE_GIVES)) {
        yt_wait_at_once(call);
    }
    return *call->state & (YT_STATE_WAS_ON | YT_STATE_GIVES) ? YT_ONE : 0;
}

#define YT_ONLY_GROUP YT_GROUP_PRESSES
#include "run/functions/table.h"

const yt_group yt_group_presses = {functions, sizeof functions / sizeof functions[0]};
