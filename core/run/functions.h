/* The functions of the sheet that have a memory: how they are called, and what they may use.
 *
 * A group's file (functions/presses.c, say) has a C function for each of the group's rows in
 * functions.def and makes the group's table of them, so a row without its function does not
 * compile. How long something lasts, what a press is and when a layer is alive is the same for all;
 * it stands here once.
 *
 *     rests --its press goes on--> waits, its timer runs --time is over--> sees that it has ended
 *       ^                              |                                       |
 *       |<--- its press ends, or as the function says -------------------------+
 *       |
 *     begins afresh: its layer is not alive, or a device that it depends on leaves; it gives 0,
 *     and what is held then counts as seen (YT_STATE_WAS_ON), so that it is no press */
#ifndef YONDER_RUN_FUNCTIONS_H
#define YONDER_RUN_FUNCTIONS_H

#include "image/code.h"
#include "image/functions.h"
#include "run/evaluate.h"

/* One function at work. The first word of its state holds what it remembers as bits; further bits
 * above YT_STATE_WAS_ON are those of its further presses. */
struct yt_call {
    yt_evaluator *evaluator;
    const yt_program_step *step;
    const yt_instruction *arguments;
    uint32_t *state;
    yt_q16 before; /* what it gave last */
    uint8_t count; /* of arguments */
};

/* Calls a step's function; gives its first result. */
yt_q16 yt_function_call(yt_evaluator *evaluator, const yt_program_step *step,
                        const yt_instruction *at);

/* The stick that follows motion: its steps, and where its state has what moved in x and in y. */
#define YT_STICK_STEP_US 4000u
#define YT_STICK_MOVED   3

#define YT_STATE_WAITS  1u /* its timer is running, or has just ended */
#define YT_STATE_GIVES  2u
#define YT_STATE_WAS_ON 4u /* its press, when it was looked at last */

static YT_ALWAYS_INLINE yt_q16 yt_argument(const yt_call *call, unsigned index) {
    return call->evaluator->values[call->arguments[index].operand];
}

/* An argument that is a number that stands in the program; of a value it is something or other. */
static YT_ALWAYS_INLINE int32_t yt_here(const yt_instruction *at) {
    return (int32_t)((uint32_t)at->operand << 16 | (uint32_t)at->count << 8) >> 8;
}

/* An argument that may be either. */
static YT_ALWAYS_INLINE yt_q16 yt_number(const yt_call *call, const yt_instruction *at) {
    return at->code == YT_CODE_HERE ? yt_here(at) : call->evaluator->values[at->operand];
}

static inline uint64_t yt_call_now(const yt_call *call) {
    return call->evaluator->now_us;
}

/* Gives another result than the first: `index` 1 or 2. */
void yt_give(const yt_call *call, unsigned index, yt_q16 value);

/* When the timer that it waits for ends, or has ended: the lower 32 bits of the time. */
uint32_t yt_call_due(const yt_call *call);

/* Whether the timer that it waits for has ended. */
static YT_ALWAYS_INLINE bool yt_has_ended(const yt_call *call) {
    return (*call->state & YT_STATE_WAITS) &&
           call->evaluator->timers[call->step->timer].place == YT_NOT_RUNNING;
}

/* From now on it waits; a time below 1 us is taken for that, so that time goes on. What was missed,
 * since that is over already, is one. */
void yt_wait_until(const yt_call *call, uint32_t from_us, yt_q16 time_us);
void yt_wait_for(const yt_call *call, yt_q16 time_us);
void yt_wait_no_more(const yt_call *call);

/* From now on it waits for the end of this moment. */
void yt_wait_at_once(const yt_call *call);

/* Whether its press, argument 1, goes on in this pass; it is remembered for the next one. */
bool yt_goes_on(const yt_call *call);

#endif
