#include "program/functions.h"

#include "program/operations.h"
#include "signal/fixed.h"

/* One function at work. The first word of its state holds the number of its timer, where it has
 * one, in the lower half, and what it remembers as bits in the upper half. */
typedef struct call {
    yt_evaluator *evaluator;
    const yt_program_node *node;
    const uint16_t *arguments;
    uint32_t *state;
    yt_q16 before; /* its value */
} call;

#define TIMER(word) ((word)&0xffffu)
#define WAS_ON      0x10000u /* its press, when it was looked at last */
#define WAITS       0x20000u /* its timer is running, or has just ended */
#define GIVES       0x40000u

static yt_q16 argument(const call *call, unsigned index) {
    return call->evaluator->values[call->arguments[index]];
}

static yt_timer *timer_of(const call *call) {
    return &call->evaluator->timers[TIMER(*call->state)];
}

/* Whether the timer that it waits for has ended. */
static bool has_ended(const call *call) {
    return (*call->state & WAITS) && timer_of(call)->place == YT_NOT_RUNNING;
}

/* From now on it waits; a time below 1 us is taken for that, so that time goes on. */
static void wait_until(const call *call, uint64_t from_us, yt_q16 time_us) {
    uint64_t due_us = from_us + (time_us > 0 ? (uint32_t)time_us : 1u);
    uint64_t now_us = call->evaluator->now_us;
    if (due_us <= now_us) { /* what was missed is one */
        call->evaluator->late++;
        due_us = now_us + (time_us > 0 ? (uint32_t)time_us : 1u);
    }
    *call->state |= WAITS;
    yt_timer_start(call->evaluator, TIMER(*call->state), due_us);
}

static void wait_for(const call *call, yt_q16 time_us) {
    wait_until(call, call->evaluator->now_us, time_us);
}

static void wait_no_more(const call *call) {
    if (*call->state & WAITS)
        yt_timer_stop(call->evaluator, TIMER(*call->state));
    *call->state &= ~WAITS;
}

/* Whether its press, argument 1, goes on in this pass; it is remembered for the next one. */
static bool goes_on(const call *call) {
    bool was_on = *call->state & WAS_ON, is_on = argument(call, 1) != 0;
    *call->state = is_on ? *call->state | WAS_ON : *call->state & ~WAS_ON;
    return is_on && !was_on;
}

/* A stick that follows the speed of motion. Time goes in steps from the first movement on: what
 * moved in a step, times `gain`, is how far the stick should be out; it goes an eighth of the way
 * there. When nothing moves and it is within 1/64 of its rest, it rests and the steps end.
 * Arguments: alive, motion in x, motion in y, gain (how far out one count in a step is). */
enum { STICK_TIMER, STICK_Y, STICK_X, STICK_MOVED_X, STICK_MOVED_Y };
#define STICK_RESTS_BELOW (YT_ONE / 64)

static void step_axis(uint32_t *position, uint32_t *moved, yt_q16 gain) {
    yt_q16 out = (yt_q16)*position;
    yt_q16 aim = yt_q16_multiply((yt_q16)*moved, gain);
    out += yt_q16_subtract(yt_q16_clamp(aim, -8 * YT_ONE, 8 * YT_ONE), out) / YT_STICK_SHARE;
    out = yt_q16_clamp(out, -YT_ONE, YT_ONE);
    *position = (uint32_t)out;
    *moved = 0;
}

static bool rests(uint32_t position) {
    yt_q16 out = (yt_q16)position;
    return out < STICK_RESTS_BELOW && out > -STICK_RESTS_BELOW;
}

static void stick_step(const call *call) {
    uint32_t *state = call->state;
    yt_q16 gain = argument(call, 3);
    bool moved = state[STICK_MOVED_X] != 0 || state[STICK_MOVED_Y] != 0;
    step_axis(&state[STICK_X], &state[STICK_MOVED_X], gain);
    step_axis(&state[STICK_Y], &state[STICK_MOVED_Y], gain);
    if (!moved && rests(state[STICK_X]) && rests(state[STICK_Y])) {
        state[STICK_X] = state[STICK_Y] = 0;
        *state &= ~WAITS;
    } else {
        wait_until(call, timer_of(call)->due_us, YT_STICK_STEP_US);
    }
}

static yt_q16 stick_from_motion(const call *call) {
    uint32_t *state = call->state;
    yt_q16 x = argument(call, 1), y = argument(call, 2);
    if (has_ended(call))
        stick_step(call);
    state[STICK_MOVED_X] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_X], x);
    state[STICK_MOVED_Y] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_Y], y);
    if ((x != 0 || y != 0) && !(*state & WAITS))
        wait_for(call, YT_STICK_STEP_US);
    return (yt_q16)state[STICK_X];
}

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* How far out a stick is: the larger of its two directions. */
static uint32_t reach(const call *call, unsigned first) {
    uint32_t x = size_of(argument(call, first)), y = size_of(argument(call, first + 1));
    return x > y ? x : y;
}

/* The stick that leads does so until the other is farther out by a sixteenth of the whole way. */
static yt_q16 farther(const call *call) {
    uint32_t one = reach(call, 0), other = reach(call, 2), lead = (uint32_t)YT_ONE / 16;
    if (*call->state & GIVES)
        other += other > 0 ? lead : 0;
    else
        one += one > 0 ? lead : 0;
    bool takes_other = *call->state & GIVES ? other >= one : other > one;
    *call->state = takes_other ? GIVES : 0;
    call->state[YT_SECOND_WORD] = (uint32_t)argument(call, takes_other ? 3 : 1);
    return argument(call, takes_other ? 2 : 0);
}

/* Pairs of a layer and its cell, the topmost first. The cell that turned the switch on keeps it on
 * until it lets go; then the topmost layer that is on has its way. */
static yt_q16 drive(const call *call) {
    unsigned count = call->node->argument_count;
    if (call->before != 0 && argument(call, *call->state + 1) != 0)
        return YT_ONE;
    for (unsigned k = 0; k < count; k += 2)
        if (argument(call, k) != 0) {
            *call->state = k;
            return argument(call, k + 1);
        }
    return 0;
}

static yt_q16 toggle(const call *call) {
    return goes_on(call) ? YT_ONE - call->before : call->before;
}

/* Half a period is 500,000 us by the frequency; what it is short of by rounding is owed to the next
 * one, so that it never drifts. Arguments: alive, press, half a period in us, frequency. */
static yt_q16 half_period(const call *call) {
    yt_q16 half = argument(call, 2), frequency = argument(call, 3);
    int64_t short_of = INT64_C(500000) * YT_ONE - (int64_t)half * frequency;
    yt_q16 owed = yt_q16_saturate((int32_t)call->state[1] + short_of);
    int more = owed > frequency / 2 ? 1 : owed < -(frequency / 2) ? -1 : 0;
    call->state[1] = (uint32_t)yt_q16_saturate(owed - (int64_t)more * frequency);
    return yt_q16_add(half, more);
}

static yt_q16 turbo(const call *call) {
    bool begins = goes_on(call);
    if (!(*call->state & WAS_ON)) {
        wait_no_more(call);
        return 0;
    }
    if (begins) {
        call->state[1] = 0;
        wait_for(call, half_period(call));
        return YT_ONE;
    }
    if (!has_ended(call))
        return call->before;
    wait_until(call, timer_of(call)->due_us, half_period(call));
    return YT_ONE - call->before;
}

/* Arguments: alive, press, how long it must be pressed. */
static yt_q16 hold(const call *call) {
    if (goes_on(call)) {
        wait_for(call, argument(call, 2));
        return 0;
    }
    if (!(*call->state & WAS_ON)) {
        wait_no_more(call);
        return 0;
    }
    if (!has_ended(call))
        return call->before;
    *call->state &= ~WAITS;
    return YT_ONE;
}

/* Arguments: alive, press, how long it may be pressed, how long it is on then. */
static yt_q16 tap(const call *call) {
    bool was_on = *call->state & WAS_ON;
    if (goes_on(call)) {
        *call->state &= ~GIVES;
        wait_for(call, argument(call, 2));
    } else if (has_ended(call)) {
        *call->state &= ~(WAITS | GIVES);
    } else if (was_on && !(*call->state & WAS_ON) && (*call->state & WAITS)) {
        *call->state |= GIVES;
        wait_for(call, argument(call, 3));
    }
    return *call->state & GIVES ? YT_ONE : 0;
}

/* Arguments: alive, within, presses. When each was pressed is remembered, plus 1; 0: before it
 * began.
 */
static yt_q16 chord(const call *call) {
    uint64_t now = call->evaluator->now_us + 1, earliest = now;
    bool all = true, begins = false;
    for (unsigned k = 0; k < call->node->argument_count - 2u; k++) {
        uint32_t bit = WAS_ON << k, *since = &call->state[1 + 2 * k];
        bool is_on = argument(call, k + 2) != 0;
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
    yt_q16 within = argument(call, 1);
    bool is_near = now - earliest <= (within > 0 ? (uint32_t)within : 0u);
    return is_near && earliest > 0 ? YT_ONE : 0;
}

/* On while its press is, and then until something else is pressed: what is pressed still finds it
 * on, so it ends with a timer that is due at once. Pressed again before that, it ends with that
 * press. Arguments: alive, press, pulses of all else. */
static yt_q16 next_press(const call *call) {
    if (goes_on(call)) {
        *call->state = *call->state & GIVES ? *call->state & ~GIVES : *call->state | GIVES;
    } else if (has_ended(call)) {
        *call->state &= ~(WAITS | GIVES);
    } else if (argument(call, 2) != 0 && (*call->state & GIVES)) {
        *call->state |= WAITS;
        yt_timer_start(call->evaluator, TIMER(*call->state), call->evaluator->now_us);
    }
    return *call->state & (WAS_ON | GIVES) ? YT_ONE : 0;
}

/* Arguments: alive, press, how long each step takes. A press while it runs does nothing. */
static yt_q16 sequence(const call *call) {
    unsigned step = (unsigned)(call->before / YT_ONE), steps = call->node->argument_count - 2u;
    if (goes_on(call) && step == 0) {
        wait_for(call, argument(call, 2));
        return YT_ONE;
    }
    if (!has_ended(call))
        return call->before;
    if (step >= steps) {
        *call->state &= ~WAITS;
        return 0;
    }
    wait_until(call, timer_of(call)->due_us, argument(call, step + 2));
    return call->before + YT_ONE;
}

/* It begins afresh: it rests, and what is pressed now is no press. */
static void begin_afresh(const call *call, const yt_operation *operation) {
    unsigned words = yt_operation_words(operation, call->node->argument_count);
    uint32_t timer = operation->timers ? TIMER(*call->state) : 0;
    if (operation->timers)
        yt_timer_stop(call->evaluator, timer);
    for (unsigned i = 0; i < words; i++)
        call->state[i] = 0;
    *call->state = timer;
    unsigned first = operation->number == YT_OP_CHORD ? 2 : 1;
    unsigned presses = first == 2 ? call->node->argument_count - 2u : 1;
    for (unsigned k = 0; k < presses; k++)
        if (argument(call, first + k) != 0)
            *call->state |= WAS_ON << k;
}

yt_q16 yt_function_evaluate(yt_evaluator *evaluator, unsigned number) {
    const yt_program_node *node = &evaluator->program.nodes[number];
    const call call = {evaluator, node, &evaluator->program.arguments[node->first_argument],
                       &evaluator->state[node->data], evaluator->values[number]};
    if (node->operation == YT_OP_DRIVE)
        return drive(&call);
    if (node->operation == YT_OP_FARTHER)
        return farther(&call);
    if (evaluator->leaving || argument(&call, 0) == 0) {
        begin_afresh(&call, yt_operation_of(node->operation));
        return 0;
    }
    switch (node->operation) {
    case YT_OP_STICK_FROM_MOTION:
        return stick_from_motion(&call);
    case YT_OP_TOGGLE:
        return toggle(&call);
    case YT_OP_TURBO:
        return turbo(&call);
    case YT_OP_HOLD:
        return hold(&call);
    case YT_OP_TAP:
        return tap(&call);
    case YT_OP_CHORD:
        return chord(&call);
    case YT_OP_NEXT_PRESS:
        return next_press(&call);
    default:
        return sequence(&call);
    }
}
