/* The functions of the sheet that have a memory: how they are called, and what they may use.
 *
 * A group's file (functions/presses.c, say) has a C function for each of the group's rows in
 * functions.def and makes the group's table of them, so a row without its function does not
 * compile. How long something lasts, what a press is and when a layer is alive is the same for all;
 * it stands here once. */
#ifndef YONDER_RUN_FUNCTIONS_H
#define YONDER_RUN_FUNCTIONS_H

#include "image/operations.h"
#include "run/evaluate.h"
#include "yonder/groups.h"

/* One function at work. The first word of its state holds the number of its timer, where it has
 * one, in the lower half, and what it remembers as bits in the upper half. */
struct yt_call {
    yt_evaluator *evaluator;
    const yt_program_node *node;
    const uint16_t *arguments;
    uint32_t *state;
    yt_q16 before; /* what it gave last */
};

/* Evaluates a function's node; gives its first result. The second, where there is one, is in the
 * state's word YT_SECOND_WORD. */
yt_q16 yt_function_evaluate(yt_evaluator *evaluator, unsigned number);

#define YT_SECOND_WORD 1

#define YT_TIMER_OF(word) ((word)&0xffffu)
#define YT_STATE_WAS_ON   0x10000u /* its press, when it was looked at last */
#define YT_STATE_WAITS    0x20000u /* its timer is running, or has just ended */
#define YT_STATE_GIVES    0x40000u

static inline yt_q16 yt_argument(const yt_call *call, unsigned index) {
    return call->evaluator->values[call->arguments[index]];
}

static inline unsigned yt_argument_count(const yt_call *call) {
    return call->node->argument_count;
}

static inline uint64_t yt_call_now(const yt_call *call) {
    return call->evaluator->now_us;
}

/* When the timer that it waits for ends, or has ended. */
uint64_t yt_call_due(const yt_call *call);

/* Whether the timer that it waits for has ended. */
bool yt_has_ended(const yt_call *call);

/* From now on it waits; a time below 1 us is taken for that, so that time goes on. What was missed,
 * since that is over already, is one. */
void yt_wait_until(const yt_call *call, uint64_t from_us, yt_q16 time_us);
void yt_wait_for(const yt_call *call, yt_q16 time_us);
void yt_wait_no_more(const yt_call *call);

/* Whether its press, argument 1, goes on in this pass; it is remembered for the next one. */
bool yt_goes_on(const yt_call *call);

#endif
