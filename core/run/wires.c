/* Wires: a pulse goes straight to what an output owes, or to what a stick has moved. */
#include "out/sending.h"
#include "run/functions.h"
#include "signal/fixed.h"

static void tell(yt_engine *engine, const yt_program_step *step, yt_q16 value) {
    if (value != 0)
        yt_tell_motion(engine, engine->sendings[step->report], step->number, value);
}

/* The stick's steps begin with the first movement. */
static void move_stick(yt_evaluator *evaluator, const yt_program_step *step, unsigned which,
                       yt_q16 value) {
    uint32_t *state = &evaluator->state[step->state], *moved = &state[YT_STICK_MOVED + which];
    *moved = (uint32_t)yt_q16_add((yt_q16)*moved, value);
    if (*state & YT_STATE_WAITS)
        return;
    *state |= YT_STATE_WAITS;
    yt_timer_start(evaluator, step->timer, (uint32_t)evaluator->now_us + YT_STICK_STEP_US);
}

void yt_run_wires(yt_engine *engine, const yt_program_users *users, yt_q16 value) {
    yt_evaluator *evaluator = engine->evaluator;
    const yt_program_wire *wire = &evaluator->program.wires[users->first_wire];
    const yt_program_wire *end = wire + users->wires;
    for (; wire < end; wire++) {
        const yt_program_step *step = &evaluator->program.steps[wire->step];
        yt_q16 factor = evaluator->values[wire->factor];
        switch (wire->kind) {
        case YT_WIRE_PLAIN:
            tell(engine, step, value);
            break;
        case YT_WIRE_SCALED:
            tell(engine, step, factor ? yt_q16_multiply(value, factor) : 0);
            break;
        case YT_WIRE_GATED:
            tell(engine, step, factor ? value : 0);
            break;
        default:
            move_stick(evaluator, step, wire->kind - YT_WIRE_STICK_X, value);
        }
    }
}
