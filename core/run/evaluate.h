/* A program at work: its values, and which steps have to be looked at again.
 *
 * Only steps that depend on something that changed are evaluated, each at most once in a pass, in
 * the order of the program. A pulse is seen by one pass, then reads 0; what compared it is
 * evaluated once more. docs/semantics.md has the rules.
 *
 * Values have the numbers that the program gives them (image/program.h). What a step tells goes to
 * the report that it is of (out/sending.h) while it is evaluated, so steps that tell switches stand
 * in the order of the roots. */
#ifndef YONDER_RUN_EVALUATE_H
#define YONDER_RUN_EVALUATE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/engine.h"
#include "yonder/image/program.h"
#include "inlining.h"
#include "signal/fixed.h"

/* Times of timers are the lower 32 bits of the engine's: none is longer than YT_AHEAD_US, and that
 * is less than half of 2^32, so which of two is earlier can be told by their difference. */
typedef struct yt_timer {
    uint32_t due_us;
    uint16_t place; /* in the heap; YT_NOT_RUNNING if it is not */
    uint16_t reserved;
} yt_timer;

#define YT_NOT_RUNNING UINT16_MAX

typedef struct yt_evaluator {
    bool finer; /* a raw number changed that may be copied though its value did not */
    uint8_t reserved;
    uint16_t pulse_count;
    uint16_t pulse_room;
    uint16_t running;
    uint16_t filled_words; /* of `filled` */
    yt_q16 *values;
    uint32_t *state;
    uint32_t *words;  /* steps to look at in this pass, a bit each */
    uint32_t *filled; /* which of those words have any, a bit each */
    yt_timer *timers;
    uint32_t *moved;  /* values that a device which leaves has touched, a bit each */
    uint16_t *heap;   /* numbers of the running timers, the earliest first */
    uint16_t *pulses; /* numbers of the values that are pulses and are not 0 */
    uint64_t now_us;
    uint32_t leaving; /* inputs, a bit each, whose devices leave in this pass: functions that depend
                         on them begin afresh */
    uint32_t late;    /* deadlines that were merged, since an update came too late for them */
    yt_program program;
    /* What is rarely used stands behind what small processors reach with one instruction. */
    uint32_t until_us; /* the time of the update that is going on; its lower 32 bits */
    uint32_t cut;      /* numbers that went beyond their 32 bits */
} yt_evaluator;

/* The memory that a program needs, in bytes; it is to be aligned as for uint64_t. */
size_t yt_evaluator_bytes(const yt_program *program);

/* Begins with all inputs at rest; the first pass looks at every step. */
void yt_evaluator_begin(yt_evaluator *evaluator, const yt_program *program, void *memory);

/* A number goes beyond its 32 bits: it is cut, which is counted. */
yt_q16 yt_cut(yt_evaluator *evaluator, yt_q16 result);
/* The product of two of which one is large. */
yt_q16 yt_multiply_large(yt_evaluator *evaluator, yt_q16 a, yt_q16 b);

static YT_ALWAYS_INLINE yt_q16 yt_multiply(yt_evaluator *evaluator, yt_q16 a, yt_q16 b) {
    return yt_q16_are_small(a, b) ? yt_q16_multiply(a, b) : yt_multiply_large(evaluator, a, b);
}

/* A value that is no pulse is another one; what uses it is looked at in the next pass. */
void yt_value_set(yt_evaluator *evaluator, unsigned index, yt_q16 value);

/* The same for a control. */
static inline void yt_control_set(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    yt_value_set(evaluator, yt_first_control(&evaluator->program) + control, value);
}

/* What a control is now. */
static inline yt_q16 yt_control_value(const yt_evaluator *evaluator, unsigned control) {
    return evaluator->values[yt_first_control(&evaluator->program) + control];
}

/* A control moved; seen by the next pass. */
void yt_control_add(yt_evaluator *evaluator, unsigned control, yt_q16 value);

/* A control's raw number changed though its value is the same: steps that copy it tell it again. */
void yt_control_finer(yt_evaluator *evaluator, unsigned control);

/* What uses a control is looked at again, or every step is: for a cancel. */
void yt_control_touch(yt_evaluator *evaluator, unsigned control);
void yt_evaluator_touch_all(yt_evaluator *evaluator);

/* Evaluates what changed, as one view, and tells the outputs of it. True: pulses ended that
 * something compares; another pass at the same time lets it see that. */
bool yt_evaluator_pass(yt_engine *engine);

/* A step's value did not change while a device leaves: whether what uses it is to be looked at all
 * the same, since the step depends on what left (run/cancel.c). If so it is. */
void yt_step_carries(yt_evaluator *evaluator, const yt_program_step *step);
void yt_value_moved(yt_evaluator *evaluator, unsigned index);
void yt_evaluator_forget_moved(yt_evaluator *evaluator);

/* Takes a pulse to where its wires go. */
void yt_run_wires(yt_engine *engine, const yt_program_users *users, yt_q16 value);

/* What uses a value is looked at in the next pass. */
void yt_mark_users(yt_evaluator *evaluator, unsigned index);

/* Whether a timer is running that is due at `now_us` or before. */
static YT_ALWAYS_INLINE bool yt_timers_due(const yt_evaluator *evaluator, uint32_t now_us) {
    return evaluator->running &&
           (int32_t)(evaluator->timers[evaluator->heap[0]].due_us - now_us) <= 0;
}

/* When the earliest timer is due; there is one. */
static YT_ALWAYS_INLINE uint32_t yt_timers_first(const yt_evaluator *evaluator) {
    return evaluator->timers[evaluator->heap[0]].due_us;
}

/* Ends every timer that is due at `now_us` or before, so that the next pass sees them, and says how
 * many that were. */
unsigned yt_timers_expire(yt_evaluator *evaluator, uint32_t now_us);

/* For functions: starts (again) the timer `timer`, or stops it. */
void yt_timer_start(yt_evaluator *evaluator, unsigned timer, uint32_t due_us);
void yt_timer_stop(yt_evaluator *evaluator, unsigned timer);

static YT_ALWAYS_INLINE void yt_mark_step(yt_evaluator *evaluator, unsigned step) {
    uint32_t *word = &evaluator->words[step / 32], before = *word;
    *word = before | (uint32_t)1 << (step % 32);
    if (before == 0) /* a word that has any mark is already among the filled ones */
        evaluator->filled[step / 1024] |= (uint32_t)1 << (step / 32 % 32);
}

#endif
