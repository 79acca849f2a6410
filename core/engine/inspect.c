/* Looking into an engine, for tools and tests: a firmware does not link this file. */
#include "yonder/inspect.h"
#include "image/layout.h"

#include "engine/parts.h"
#include "image/code.h"
#include "signal/fixed.h"

const yt_q16 *yt_inspect_values(const yt_engine *engine) {
    return engine->evaluator ? engine->evaluator->values : NULL;
}

yt_q16 yt_inspect_value(const yt_engine *engine, unsigned index) {
    const yt_program *program = yt_engine_program(engine);
    return program && index < program->header->value_count ? engine->evaluator->values[index] : 0;
}

unsigned yt_inspect_turn(const yt_engine *engine, unsigned step) {
    const yt_program *program = yt_engine_program(engine);
    if (!program || step >= program->header->step_count ||
        yt_code_at(program, yt_step_at(program, step)->code)->code != YT_CODE_DRIVE)
        return 0;
    return engine->evaluator->state[yt_step_at(program, step)->state];
}

yt_q16 yt_inspect_target(const yt_engine *engine, unsigned target) {
    const yt_program *program = yt_engine_program(engine);
    if (!program || target >= program->header->target_count)
        return 0;
    unsigned first = (unsigned)(program->header->root_count - program->header->target_count);
    unsigned step = yt_root_at(program, first + target)->step;
    return yt_q16_clamp(engine->evaluator->values[yt_step_at(program, step)->value], 0, YT_ONE);
}

void yt_inspect_set(yt_engine *engine, unsigned control, yt_q16 value) {
    const yt_program *program = yt_engine_program(engine);
    if (!program || control >= program->header->control_count)
        return;
    unsigned kind = yt_control_at(program, control)->kind;
    if (kind == YT_SWITCH)
        value = value ? YT_ONE : 0;
    if (kind == YT_MOTION)
        yt_control_add(engine->evaluator, control, value);
    else
        yt_control_set(engine->evaluator, control, value);
}

void yt_inspect_settle(yt_engine *engine, uint64_t now_us) {
    if (engine->evaluator)
        yt_engine_settle(engine, now_us);
}

void yt_inspect_let_go(yt_engine *engine, unsigned input, uint64_t now_us) {
    const yt_program *program = yt_engine_program(engine);
    if (!program || input >= program->header->input_count)
        return;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = yt_control_at(program, i);
        if (control->from_host || control->input != input)
            continue;
        if (control->kind != YT_MOTION)
            yt_control_set(engine->evaluator, i, 0);
        yt_control_touch(engine->evaluator, i);
    }
    engine->now_us = now_us;
    yt_engine_settle_cancel(engine, (uint32_t)1 << input);
}
