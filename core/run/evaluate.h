/* A program at work: its values, and what has to be looked at again.
 *
 * Only nodes that depend on something that changed are evaluated, each at most once in a pass, in
 * the order of the program. A pulse is seen by one pass, then reads 0; what compared it
 * is evaluated once more. docs/semantics.md has the rules. */
#ifndef YONDER_PROGRAM_EVALUATE_H
#define YONDER_PROGRAM_EVALUATE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/image/program.h"

/* For the few lines that run for every node: inlined even where a compiler saves space. */
#if defined(__GNUC__)
#define YT_ALWAYS_INLINE inline __attribute__((always_inline))
#else
#define YT_ALWAYS_INLINE inline
#endif

/* Told of each root whose node changed (or pulsed), in the order of the roots. */
typedef void yt_root_sink(void *user, unsigned root, yt_q16 value);

/* A set of numbers, quick to go through in order: a bit each, and a bit for each word with any. */
typedef struct yt_marks {
    uint32_t *words;
    uint32_t *filled;
} yt_marks;

typedef struct yt_timer {
    uint64_t due_us;
    uint16_t node;
    uint16_t place; /* in the heap; YT_NOT_RUNNING if it is not */
} yt_timer;

#define YT_NOT_RUNNING UINT16_MAX

typedef struct yt_evaluator {
    yt_program program;
    yt_timer *timers;
    yt_q16 *values;
    uint32_t *state;
    yt_marks changed; /* nodes and roots to look at in this pass */
    uint16_t *heap;   /* numbers of the running timers, the earliest first */
    uint16_t *pulses; /* numbers of the nodes that are pulses and are not 0 */
    uint16_t pulse_count;
    uint16_t pulse_room;
    uint16_t running;
    uint16_t mark_groups; /* words of yt_marks.filled */
    bool sees_pulses;     /* the program compares motion somewhere */
    uint32_t late;        /* deadlines that were merged, since an update came too late for them */
    uint32_t leaving;     /* inputs, a bit each, whose devices leave in this pass: functions that
                             depend on them begin afresh */
    uint64_t now_us;
} yt_evaluator;

/* The memory that a program needs, in bytes; it is to be aligned as for uint64_t. */
size_t yt_evaluator_bytes(const yt_program *program);

/* Begins with all inputs at rest; the first pass looks at every node. */
void yt_evaluator_begin(yt_evaluator *evaluator, const yt_program *program, void *memory);

/* A switch, level or axis has a new value; motion moved by `value`. Seen by the next pass. */
void yt_evaluator_set(yt_evaluator *evaluator, unsigned control, yt_q16 value);
void yt_evaluator_add(yt_evaluator *evaluator, unsigned control, yt_q16 value);

/* What a control is now. */
static inline yt_q16 yt_evaluator_control(const yt_evaluator *evaluator, unsigned control) {
    return evaluator->values[evaluator->program.controls[control].node];
}

/* A control is told again though its value is the same. */
void yt_evaluator_touch(yt_evaluator *evaluator, unsigned control);

/* The nodes that use a control are looked at again, or all nodes are: for a cancel. */
void yt_evaluator_touch_users(yt_evaluator *evaluator, unsigned control);
void yt_evaluator_touch_all(yt_evaluator *evaluator);

/* A parameter has a new value, which counts from the next pass. */
void yt_evaluator_set_parameter(yt_evaluator *evaluator, unsigned parameter, yt_q16 value);

/* Evaluates what changed, as one view of the time `now_us`, and tells `sink` what it came to. True:
 * pulses ended that something looked at; another pass at the same time lets it see that. */
bool yt_evaluator_pass(yt_evaluator *evaluator, uint64_t now_us, yt_root_sink *sink, void *user);

/* When the earliest timer is due; YT_NEVER if none is running. */
uint64_t yt_evaluator_due(const yt_evaluator *evaluator);

/* Ends every timer that is due at `now_us` or before, so that the next pass sees them, and says how
 * many that were. */
unsigned yt_evaluator_expire(yt_evaluator *evaluator, uint64_t now_us);

/* For functions: starts (again) the timer `timer`, or stops it. */
void yt_timer_start(yt_evaluator *evaluator, unsigned timer, uint64_t due_us);
void yt_timer_stop(yt_evaluator *evaluator, unsigned timer);

#endif
