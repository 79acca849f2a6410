/* What the functions of all groups do alike: how they are called, wait, and begin afresh. */
#include "run/functions.h"

static yt_timer *timer_of(const yt_call *call) {
    return &call->evaluator->timers[call->step->timer];
}

uint32_t yt_call_due(const yt_call *call) {
    return timer_of(call)->due_us;
}

void yt_wait_until(const yt_call *call, uint32_t from_us, yt_q16 time_us) {
    uint32_t time = time_us > 0 ? (uint32_t)time_us : 1u, due_us = from_us + time;
    uint32_t now_us = (uint32_t)call->evaluator->now_us;
    if ((int32_t)(due_us - now_us) <= 0) {
        call->evaluator->late++;
        due_us = now_us + time;
    }
    *call->state |= YT_STATE_WAITS;
    yt_timer_start(call->evaluator, call->step->timer, due_us);
}

void yt_wait_for(const yt_call *call, yt_q16 time_us) {
    yt_wait_until(call, (uint32_t)call->evaluator->now_us, time_us);
}

void yt_wait_at_once(const yt_call *call) {
    *call->state |= YT_STATE_WAITS;
    yt_timer_start(call->evaluator, call->step->timer, (uint32_t)call->evaluator->now_us);
}

void yt_wait_no_more(const yt_call *call) {
    if (*call->state & YT_STATE_WAITS)
        yt_timer_stop(call->evaluator, call->step->timer);
    *call->state &= ~YT_STATE_WAITS;
}

bool yt_goes_on(const yt_call *call) {
    bool was_on = *call->state & YT_STATE_WAS_ON, is_on = yt_argument(call, 1) != 0;
    *call->state = is_on ? *call->state | YT_STATE_WAS_ON : *call->state & ~YT_STATE_WAS_ON;
    return is_on && !was_on;
}

/* While a device leaves, what uses it is looked at though it did not change. */
void yt_give(const yt_call *call, unsigned index, yt_q16 value) {
    yt_evaluator *evaluator = call->evaluator;
    unsigned number = call->step->value + index;
    if (evaluator->leaving && evaluator->values[number] == value)
        yt_mark_users(evaluator, number);
    yt_value_set(evaluator, number, value);
}

/* It begins afresh: it rests, and what is pressed now is no press. Presses are its switches, but
 * for the first, which says whether its layer is alive. */
static void begin_afresh(const yt_call *call, const yt_function *function) {
    unsigned words = yt_function_words(function, call->count);
    uint32_t bit = YT_STATE_WAS_ON;
    if (function->timers)
        yt_timer_stop(call->evaluator, call->step->timer);
    for (unsigned i = 0; i < words; i++)
        call->state[i] = 0;
    for (unsigned k = 1; k < call->count; k++) {
        if (yt_function_argument(function, k) != 's')
            continue;
        if (yt_argument(call, k) != 0)
            *call->state |= bit;
        bit <<= 1;
    }
    for (unsigned k = 1; k < function->results; k++)
        yt_give(call, k, 0);
}

yt_q16 yt_function_call(yt_evaluator *evaluator, const yt_program_step *step,
                        const yt_instruction *at) {
    const yt_function *function = &yt_groups[at->operand >> 4]->functions[at->operand & 15];
    const yt_call call = {
        evaluator, step, at + 1, &evaluator->state[step->state], evaluator->values[step->value],
        at->count};
    if (function->alive && (evaluator->leaving || yt_argument(&call, 0) == 0)) {
        begin_afresh(&call, function);
        return 0;
    }
    return function->run(&call);
}
