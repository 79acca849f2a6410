/* Wires: a pulse goes straight to what an output owes, or to what a stick has moved. */
#include "out/sending.h"
#include "run/functions.h"
#include "signal/fixed.h"

/* The stick's steps begin with the first movement. */
static void move_stick(yt_evaluator *evaluator, const yt_program_wire *wire, yt_q16 value) {
    const yt_program_step *step = &evaluator->program.steps[wire->step];
    uint32_t *state = &evaluator->state[step->state];
    uint32_t *moved = &state[YT_STICK_MOVED + wire->kind - YT_WIRE_STICK_X];
    *moved = (uint32_t)yt_q16_add((yt_q16)*moved, value);
    if (*state & YT_STATE_WAITS)
        return;
    *state |= YT_STATE_WAITS;
    yt_timer_start(evaluator, step->timer, (uint32_t)evaluator->now_us + YT_STICK_STEP_US);
}

/* How much of a pulse a wire takes to its output. */
static yt_q16 share_of(yt_evaluator *evaluator, const yt_program_wire *wire, yt_q16 value) {
    if (wire->kind == YT_WIRE_PLAIN)
        return value;
    yt_q16 factor = evaluator->values[wire->factor];
    if (factor == 0)
        return 0;
    return wire->kind == YT_WIRE_SCALED ? yt_multiply(evaluator, value, factor) : value;
}

void yt_run_wires(yt_engine *engine, const yt_program_users *users, yt_q16 value) {
    yt_evaluator *evaluator = engine->evaluator;
    const yt_program_wire *wire = &evaluator->program.wires[users->first_wire];
    for (unsigned left = users->wires; left > 0; left--, wire++) {
        if (wire->kind >= YT_WIRE_STICK_X) {
            move_stick(engine->evaluator, wire, value);
            continue;
        }
        yt_q16 told = share_of(evaluator, wire, value);
        if (told == 0)
            continue;
        const yt_program_step *step = &evaluator->program.steps[wire->step];
        yt_tell_motion(engine, engine->sendings[step->report], step->number, told);
    }
}
