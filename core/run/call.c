/* What the functions of all groups do alike: how they are called, wait, and begin afresh. */
#include "run/functions.h"

static yt_timer *timer_of(const yt_call *call) {
    return &call->evaluator->timers[YT_TIMER_OF(*call->state)];
}

uint64_t yt_call_due(const yt_call *call) {
    return timer_of(call)->due_us;
}

bool yt_has_ended(const yt_call *call) {
    return (*call->state & YT_STATE_WAITS) && timer_of(call)->place == YT_NOT_RUNNING;
}

void yt_wait_until(const yt_call *call, uint64_t from_us, yt_q16 time_us) {
    uint64_t due_us = from_us + (time_us > 0 ? (uint32_t)time_us : 1u);
    uint64_t now_us = call->evaluator->now_us;
    if (due_us <= now_us) {
        call->evaluator->late++;
        due_us = now_us + (time_us > 0 ? (uint32_t)time_us : 1u);
    }
    *call->state |= YT_STATE_WAITS;
    yt_timer_start(call->evaluator, YT_TIMER_OF(*call->state), due_us);
}

void yt_wait_for(const yt_call *call, yt_q16 time_us) {
    yt_wait_until(call, call->evaluator->now_us, time_us);
}

void yt_wait_no_more(const yt_call *call) {
    if (*call->state & YT_STATE_WAITS)
        yt_timer_stop(call->evaluator, YT_TIMER_OF(*call->state));
    *call->state &= ~YT_STATE_WAITS;
}

bool yt_goes_on(const yt_call *call) {
    bool was_on = *call->state & YT_STATE_WAS_ON, is_on = yt_argument(call, 1) != 0;
    *call->state = is_on ? *call->state | YT_STATE_WAS_ON : *call->state & ~YT_STATE_WAS_ON;
    return is_on && !was_on;
}

/* It begins afresh: it rests, and what is pressed now is no press. Presses are its switches, but
 * for the first, which says whether its layer is alive. */
static void begin_afresh(const yt_call *call, const yt_operation *shape) {
    unsigned count = yt_argument_count(call), words = yt_operation_words(shape, count);
    uint32_t timer = shape->timers ? YT_TIMER_OF(*call->state) : 0, bit = YT_STATE_WAS_ON;
    if (shape->timers)
        yt_timer_stop(call->evaluator, timer);
    for (unsigned i = 0; i < words; i++)
        call->state[i] = 0;
    *call->state = timer;
    for (unsigned k = 1; k < count; k++) {
        if (yt_operation_argument(shape, k) != 's')
            continue;
        if (yt_argument(call, k) != 0)
            *call->state |= bit;
        bit <<= 1;
    }
}

yt_q16 yt_function_evaluate(yt_evaluator *evaluator, unsigned number) {
    const yt_program_node *node = &evaluator->program.nodes[number];
    const yt_function *function = yt_function_of(node->operation);
    const yt_call call = {evaluator, node, &evaluator->program.arguments[node->first_argument],
                          &evaluator->state[node->data], evaluator->values[number]};
    if (function->alive && (evaluator->leaving || yt_argument(&call, 0) == 0)) {
        begin_afresh(&call, &function->shape);
        return 0;
    }
    return function->run(&call);
}
