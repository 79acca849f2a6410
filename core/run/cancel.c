/* A device leaves: which functions depend on it, and so begin afresh.
 *
 * What a device has touched is followed through the steps that did not change by it. It does not go
 * on through what only says which layer is on, nor through what only ends something. */
#include "image/code.h"
#include "run/evaluate.h"

void yt_value_moved(yt_evaluator *evaluator, unsigned index) {
    evaluator->moved[index / 32] |= (uint32_t)1 << (index % 32);
}

/* A stick that a pulse gets to by a wire depends on it as well. */
static void touch_wires(yt_evaluator *evaluator, unsigned index) {
    const yt_program *program = &evaluator->program;
    const yt_program_users *users = &program->users[index - program->header->constant_count];
    for (unsigned i = 0; i < users->wires; i++)
        if (program->wires[users->first_wire + i].kind >= YT_WIRE_STICK_X)
            yt_mark_step(evaluator, program->wires[users->first_wire + i].step);
}

void yt_control_touch(yt_evaluator *evaluator, unsigned control) {
    unsigned index = yt_first_control(&evaluator->program) + control;
    yt_value_moved(evaluator, index);
    yt_mark_users(evaluator, index);
    touch_wires(evaluator, index);
}

/* Whether what is in a temporary, or the value, comes from what was touched. */
static bool is_touched(const yt_evaluator *evaluator, unsigned index, unsigned stored) {
    unsigned values = evaluator->program.header->value_count;
    if (index >= values)
        return stored >> (index - values) & 1;
    return evaluator->moved[index / 32] >> (index % 32) & 1;
}

/* Follows the code of a step: whether the number at hand comes from what was touched. */
static bool carries(const yt_evaluator *evaluator, const yt_program_step *step) {
    const yt_instruction *at = &evaluator->program.code[step->code];
    unsigned stored = 0, values = evaluator->program.header->value_count;
    bool now = false;
    if (at->code == YT_CODE_CALL) /* its first operand is no value, but which function it is */
        return true;
    for (;; at++) {
        bool operand = is_touched(evaluator, at->operand, stored);
        switch (at->code) {
        case YT_CODE_LOAD:
        case YT_CODE_SEEN:
            now = operand;
            break;
        case YT_CODE_OWNER: /* whose press it is does not hang on the layers */
            return operand;
        case YT_CODE_STORE:
            stored = (stored & ~(1u << (at->operand - values))) | (unsigned)now
                                                                      << (at->operand - values);
            break;
        case YT_CODE_ANY:
        case YT_CODE_PRESS:
            now = false;
            break;
        case YT_CODE_DRIVE:
            return true;
        case YT_CODE_END:
            return now;
        case YT_CODE_NOT:
        case YT_CODE_GATE:
            break;
        default: /* a further operand of OVER or ELSE too */
            now |= operand;
        }
    }
}

void yt_step_carries(yt_evaluator *evaluator, const yt_program_step *step) {
    if (!carries(evaluator, step))
        return;
    yt_value_moved(evaluator, step->value);
    yt_mark_users(evaluator, step->value);
}

void yt_evaluator_forget_moved(yt_evaluator *evaluator) {
    for (unsigned i = 0; i < evaluator->program.header->value_count; i += 32)
        evaluator->moved[i / 32] = 0;
}
