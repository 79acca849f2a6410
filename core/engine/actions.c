/* What a program asks of the adapter, and of its own parameters. */
#include "yonder/actions.h"

#include <string.h>

#include "engine/parts.h"
#include "image/layout.h"
#include "signal/fixed.h"

static const char *const action_names[] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) #name,
#include "yonder/actions.def"
};

static const uint8_t action_pulses[] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) pulses,
#include "yonder/actions.def"
};

const char *yt_action_name(unsigned kind) {
    return kind < YT_ACTION_KINDS ? action_names[kind] : "";
}

unsigned yt_action_pulses(unsigned kind) {
    return kind < YT_ACTION_KINDS ? action_pulses[kind] : 0;
}

/* Facts are parameters whose names no profile can give. */
#define FRONT "adapter."
static const struct {
    const char *name;
    uint8_t bytes;
} facts[YT_FACT_COUNT] = {{FRONT "slot", sizeof FRONT "slot" - 1},
                          {FRONT "battery", sizeof FRONT "battery" - 1},
                          {FRONT "locked", sizeof FRONT "locked" - 1}};

const char *yt_fact_name(unsigned fact) {
    return fact < YT_FACT_COUNT ? facts[fact].name + sizeof FRONT - 1 : "";
}

static yt_action take(yt_engine *engine, unsigned at) {
    yt_action action = engine->actions[at];
    engine->action_count--;
    memmove(&engine->actions[at], &engine->actions[at + 1],
            (engine->action_count - at) * sizeof action);
    return action;
}

/* The same light, told before and not yet taken, is told anew. */
static bool replaces(yt_engine *engine, const yt_action *action) {
    for (unsigned i = 0; action->kind == YT_ACTION_LIGHT && i < engine->action_count; i++)
        if (engine->actions[i].kind == YT_ACTION_LIGHT &&
            engine->actions[i].number == action->number) {
            engine->actions[i].value = action->value;
            return true;
        }
    return false;
}

/* A parameter is set whatever else waits: what was asked of the adapter first goes for it. */
static bool has_room(yt_engine *engine, unsigned kind) {
    if (engine->action_count < YT_ACTIONS)
        return true;
    engine->counts.actions_dropped++;
    for (unsigned i = 0; kind >= YT_ACTION_KINDS && i < YT_ACTIONS; i++)
        if (engine->actions[i].kind < YT_ACTION_KINDS) {
            take(engine, i);
            return true;
        }
    return false;
}

/* A switch asks when it goes on. */
void yt_tell_action(yt_engine *engine, const yt_program_control *target, yt_q16 value) {
    yt_action action = {.kind = (uint8_t)target->page, .number = target->usage, .value = value};
    if (target->kind == YT_SWITCH && value == 0)
        return;
    if (action.kind == YT_ACTION_LIGHT)
        action.value = yt_q16_clamp(value, 0, YT_ONE);
    if (action.kind == YT_ACTION_PUT)
        action.value = (yt_q16)((uint32_t)target->other_usage << 16 | target->other_page);
    if (!replaces(engine, &action) && has_room(engine, action.kind))
        engine->actions[engine->action_count++] = action;
}

bool yt_engine_action(yt_engine *engine, yt_action *action) {
    for (unsigned i = 0; i < engine->action_count; i++)
        if (engine->actions[i].kind < YT_ACTION_KINDS) {
            *action = take(engine, i);
            return true;
        }
    return false;
}

bool yt_actions_wait(const yt_engine *engine) {
    for (unsigned i = 0; i < engine->action_count; i++)
        if (engine->actions[i].kind >= YT_ACTION_KINDS)
            return true;
    return false;
}

static void set_parameter(yt_evaluator *evaluator, unsigned parameter, yt_q16 value) {
    const yt_program_parameter *at = yt_parameter_at(&evaluator->program, parameter);
    yt_value_set(evaluator, yt_first_parameter(&evaluator->program) + parameter,
                 yt_q16_clamp(value, at->minimum, at->maximum));
}

static void change_parameter(yt_evaluator *evaluator, const yt_action *action) {
    const yt_program *program = &evaluator->program;
    yt_q16 now = evaluator->values[yt_first_parameter(program) + action->number];
    yt_q16 step = yt_parameter_at(program, action->number)->step;
    if (action->kind == YT_ACTION_UP)
        now = yt_q16_add(now, step);
    else if (action->kind == YT_ACTION_DOWN)
        now = yt_q16_subtract(now, step);
    else
        now = action->value;
    set_parameter(evaluator, action->number, now);
}

bool yt_actions_apply(yt_engine *engine) {
    bool any = false;
    for (unsigned i = 0; i < engine->action_count;) {
        if (engine->actions[i].kind < YT_ACTION_KINDS) {
            i++;
            continue;
        }
        yt_action action = take(engine, i);
        change_parameter(engine->evaluator, &action);
        any = true;
    }
    return any;
}

void yt_engine_tell(yt_engine *engine, yt_fact fact, yt_q16 value) {
    if (!engine->evaluator || fact >= YT_FACT_COUNT)
        return;
    const yt_program *program = &engine->evaluator->program;
    for (unsigned i = 0; i < program->header->parameter_count; i++) {
        const yt_program_parameter *parameter = yt_parameter_at(program, i);
        if (parameter->name_bytes == facts[fact].bytes &&
            memcmp(program->text + parameter->name_offset, facts[fact].name, facts[fact].bytes) ==
                0)
            set_parameter(engine->evaluator, i, value);
    }
    yt_engine_settle(engine, engine->now_us);
}
