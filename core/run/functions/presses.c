/* What a press does over time. Each function's first argument says whether its layer is alive; the
 * second is its press, but for chord, whose presses stand last. */
#include "run/functions.h"
#include "signal/fixed.h"

static yt_q16 yt_do_toggle(const yt_call *call) {
    return yt_goes_on(call) ? YT_ONE - call->before : call->before;
}

/* A part of a period: a share of 1,000,000 us by the frequency. What it is short of by rounding is
 * owed to the next part, so that it never drifts. Arguments: alive, press, a period in us,
 * frequency, the share of it that is on, how long until it begins. */
static yt_q16 part_of_period(const yt_call *call, yt_q16 part, yt_q16 share) {
    yt_q16 frequency = yt_argument(call, 3);
    int64_t short_of = INT64_C(1000000) * share - (int64_t)part * frequency;
    yt_q16 owed = yt_q16_saturate((int32_t)call->state[1] + short_of);
    int more = owed > frequency / 2 ? 1 : owed < -(frequency / 2) ? -1 : 0;
    call->state[1] = (uint32_t)yt_q16_saturate(owed - (int64_t)more * frequency);
    return yt_q16_add(part, more);
}

/* One part of a period begins: it is on, or off. */
static yt_q16 turbo_part(const yt_call *call, uint32_t from_us, bool is_on) {
    yt_q16 period = yt_argument(call, 2), share = yt_argument(call, 4);
    yt_q16 on = yt_q16_saturate(((int64_t)period * share + 0x8000) >> 16);
    yt_q16 part =
        is_on ? part_of_period(call, on, share)
              : part_of_period(call, yt_q16_subtract(period, on), yt_q16_subtract(YT_ONE, share));
    yt_wait_until(call, from_us, part);
    return is_on ? YT_ONE : 0;
}

static yt_q16 yt_do_turbo(const yt_call *call) {
    bool begins = yt_goes_on(call);
    if (!(*call->state & YT_STATE_WAS_ON)) {
        yt_wait_no_more(call);
        return 0;
    }
    if (begins) {
        call->state[1] = 0;
        if (yt_argument(call, 5) <= 0)
            return turbo_part(call, (uint32_t)yt_call_now(call), true);
        yt_wait_for(call, yt_argument(call, 5));
        return 0;
    }
    if (!yt_has_ended(call))
        return call->before;
    return turbo_part(call, yt_call_due(call), call->before == 0);
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
static yt_q16 chord(const yt_call *call, bool is_ordered) {
    uint64_t now = yt_call_now(call) + 1, earliest = now, last = 0;
    bool all = true, begins = false, in_order = true;
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
        in_order = in_order && last < pressed;
        last = pressed;
    }
    if (!all || !begins)
        return all ? call->before : 0;
    yt_q16 within = yt_argument(call, 1);
    bool is_near = now - earliest <= (within > 0 ? (uint32_t)within : 0u);
    return is_near && earliest > 0 && (in_order || !is_ordered) ? YT_ONE : 0;
}

static yt_q16 yt_do_chord(const yt_call *call) {
    return chord(call, false);
}

static yt_q16 yt_do_ordered_chord(const yt_call *call) {
    return chord(call, true);
}

/* state[1] is how many of its presses came in order. A press out of order begins anew, as the first
 * one where it is that. Arguments: alive, within, presses. */
static yt_q16 yt_do_in_order(const yt_call *call) {
    uint32_t begins = 0, held = 0, presses = call->count - 2u;
    for (unsigned k = 0; k < presses; k++) {
        uint32_t bit = YT_STATE_WAS_ON << k;
        if (yt_argument(call, k + 2) != 0)
            held |= bit;
        if ((held & bit) && !(*call->state & bit))
            begins |= bit;
    }
    *call->state = (*call->state & (YT_STATE_WAITS | YT_STATE_GIVES)) | held;
    if (yt_has_ended(call)) {
        *call->state &= ~YT_STATE_WAITS;
        call->state[1] = 0;
    }
    if (begins) {
        bool fits = begins & YT_STATE_WAS_ON << call->state[1];
        call->state[1] = fits ? call->state[1] + 1 : begins & YT_STATE_WAS_ON ? 1 : 0;
        *call->state &= ~YT_STATE_GIVES;
        yt_wait_no_more(call);
        if (call->state[1] == presses) {
            call->state[1] = 0;
            *call->state |= YT_STATE_GIVES;
        } else if (call->state[1] > 0) {
            yt_wait_for(call, yt_argument(call, 1));
        }
    }
    if (!(held & YT_STATE_WAS_ON << (presses - 1)))
        *call->state &= ~YT_STATE_GIVES;
    return *call->state & YT_STATE_GIVES ? YT_ONE : 0;
}

/* Argument: press. */
static yt_q16 yt_do_outlasts(const yt_call *call) {
    if (yt_argument(call, 0) != 0) {
        yt_wait_no_more(call);
        return YT_ONE;
    }
    if (call->before != 0 && !(*call->state & YT_STATE_WAITS))
        yt_wait_at_once(call);
    else if (yt_has_ended(call))
        *call->state &= ~YT_STATE_WAITS;
    return *call->state & YT_STATE_WAITS ? YT_ONE : 0;
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
