#include "program/functions.h"

#include "program/operations.h"
#include "signal/fixed.h"

/* A stick that follows the speed of motion. Time goes in steps from the first movement on: what
 * moved in a step, times `gain`, is how far the stick should be out; it goes an eighth of the way
 * there. When nothing moves and it is within 1/64 of its rest, it rests and the steps end.
 * Arguments: motion in x, motion in y, gain (how far out one count in a step is). */
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

static void stick_step(yt_evaluator *evaluator, uint32_t *state, yt_q16 gain) {
    yt_timer *timer = &evaluator->timers[state[STICK_TIMER]];
    uint64_t next = timer->due_us + YT_STICK_STEP_US;
    bool moved = state[STICK_MOVED_X] != 0 || state[STICK_MOVED_Y] != 0;
    step_axis(&state[STICK_X], &state[STICK_MOVED_X], gain);
    step_axis(&state[STICK_Y], &state[STICK_MOVED_Y], gain);
    if (!moved && rests(state[STICK_X]) && rests(state[STICK_Y])) {
        state[STICK_X] = state[STICK_Y] = 0;
        timer->due_us = 0;
        return;
    }
    if (next <= evaluator->now_us) { /* steps that were missed are one */
        evaluator->late++;
        next = evaluator->now_us + YT_STICK_STEP_US;
    }
    yt_timer_start(evaluator, state[STICK_TIMER], next);
}

static yt_q16 stick_from_motion(yt_evaluator *evaluator, uint32_t *state,
                                const uint16_t *arguments) {
    yt_timer *timer = &evaluator->timers[state[STICK_TIMER]];
    yt_q16 x = evaluator->values[arguments[0]], y = evaluator->values[arguments[1]];
    if (timer->place == YT_NOT_RUNNING && timer->due_us != 0)
        stick_step(evaluator, state, evaluator->values[arguments[2]]);
    state[STICK_MOVED_X] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_X], x);
    state[STICK_MOVED_Y] = (uint32_t)yt_q16_add((yt_q16)state[STICK_MOVED_Y], y);
    if ((x != 0 || y != 0) && timer->place == YT_NOT_RUNNING)
        yt_timer_start(evaluator, state[STICK_TIMER], evaluator->now_us + YT_STICK_STEP_US);
    return (yt_q16)state[STICK_X];
}

yt_q16 yt_function_evaluate(yt_evaluator *evaluator, const yt_program_node *node,
                            const uint16_t *arguments) {
    uint32_t *state = &evaluator->state[node->data];
    switch (node->operation) {
    case YT_OP_STICK_FROM_MOTION:
        return stick_from_motion(evaluator, state, arguments);
    default:
        return 0;
    }
}
