#include "tool/tuning.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/calls.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"
#include "compiler/profile/cells.h"
#include "compiler/reading/keys.h"

uint32_t tuning_inputs(const rewriting *rewriting, recording *recording, unsigned device) {
    static simulation simulation;
    const yt_compiled *compiled = &rewriting->profile.compiled;
    sim_plug plug = {YT_ANY_INPUT, recording};
    uint32_t inputs = 0;
    if (!simulation_begin(&simulation, compiled->image, compiled->size, &plug, 1,
                          (sim_timing){.poll_us = 8000, .limit = 1000}, (sim_observer){0}))
        return 0;
    simulation_run_until(&simulation, 0);
    for (unsigned i = 0; i < simulation.device_count; i++)
        if (simulation.devices[i].recorded == device)
            inputs = yt_engine_inputs_of(&simulation.engine, simulation.devices[i].engine_number);
    simulation_end(&simulation);
    return inputs;
}

/* What belongs in front of what, around a stick or a level. */
static const char *const in_order[] = {"quiet", "let_go", "deadzone", "trigger_range"};

#define IN_ORDER (sizeof in_order / sizeof in_order[0])

static size_t rank_of(const char *name, size_t length) {
    size_t rank = 0;
    while (rank < IN_ORDER && !is_name(in_order[rank], name, length))
        rank++;
    return rank;
}

/* The call whose first argument is a term; NULL: there is none. */
static const yt_lowered_term *call_around(const yt_scope *scope, const yt_lowered_term *inside) {
    for (unsigned i = 0; i < scope->terms->count; i++) {
        const yt_lowered_term *outer = &scope->terms->all[i];
        if (outer->part == inside->part && outer->term->kind == TERM_CALL &&
            outer->term->first == inside->term)
            return outer;
    }
    return NULL;
}

static bool calls(const yt_lowered_term *call, const char *function) {
    return is_name(function, call->part->text + call->term->offset, call->term->name_width);
}

static const yt_listed_function *function_of(const yt_lowered_term *call) {
    for (size_t i = 0; i < FUNCTION_COUNT; i++)
        if (calls(call, functions[i].name))
            return &functions[i];
    return NULL;
}

/* The argument of a call with a label, or in its place without one; NULL: it is left out. */
static const yt_term *argument_of(const yt_lowered_term *call, const char *label) {
    const yt_listed_function *function = function_of(call);
    unsigned place = 0;
    for (const yt_term *argument = call->term->first; argument;
         argument = argument->next, place++) {
        if (argument->label ? is_name(label, argument->label, argument->label_width)
                            : strcmp(function->arguments[place].label, label) == 0)
            return argument;
    }
    return NULL;
}

/* A parameter's value, in the profile's own file. */
static bool put_parameter(rewriting *rewriting, const yt_parameter *parameter, const char *value) {
    const yt_part *part = find_value(parameter->key->next, "value");
    return part && rewriting_put_part(rewriting, part, 0, part->bytes, value);
}

/* Gives a call's argument a value. */
static bool put_argument(rewriting *rewriting, const yt_lowered_term *call, const char *label,
                         const char *value) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    const yt_term *argument = argument_of(call, label);
    char text[80];
    if (!argument) {
        snprintf(text, sizeof text, ", %s=%s", label, value);
        return rewriting_quote(rewriting, call->part) &&
               rewriting_put_part(rewriting, call->part, call->term->offset + call->term->width - 1,
                                  0, text);
    }
    const yt_parameter *parameter =
        argument->kind == TERM_NAME
            ? parameter_find(scope, call->part->text + argument->offset, argument->width)
            : NULL;
    if (parameter)
        return put_parameter(rewriting, parameter, value);
    return rewriting_put_part(rewriting, call->part, argument->offset, argument->width, value);
}

/* Puts a call around a term. */
static bool put_around(rewriting *rewriting, const yt_lowered_term *inside,
                       const measure_setting *setting) {
    char before[60], behind[120];
    size_t length = 0;
    snprintf(before, sizeof before, "%s(", setting->function);
    for (unsigned i = 0; i < setting->count; i++)
        length += (size_t)snprintf(behind + length, sizeof behind - length, ", %s=%s",
                                   setting->labels[i], setting->values[i]);
    snprintf(behind + length, sizeof behind - length, ")");
    return rewriting_quote(rewriting, inside->part) &&
           rewriting_put_part(rewriting, inside->part, inside->term->offset, 0, before) &&
           rewriting_put_part(rewriting, inside->part, inside->term->offset + inside->term->width,
                              0, behind);
}

/* Whether a term was seen before: formulas may be lowered several times. */
static bool was_seen(const yt_scope *scope, unsigned at) {
    const yt_lowered_term *term = &scope->terms->all[at];
    for (unsigned i = 0; i < at; i++)
        if (scope->terms->all[i].part == term->part &&
            scope->terms->all[i].term->offset == term->term->offset &&
            scope->terms->all[i].term->kind == term->term->kind)
            return true;
    return false;
}

/* The named formula that a term is the whole of; NULL: of none. */
static const yt_part *named_whole(const yt_scope *scope, const yt_lowered_term *term) {
    for (unsigned i = 0; i < scope->named->count; i++)
        if (scope->named->all[i].term == term->term)
            return scope->named->all[i].key;
    return NULL;
}

/* Gives the calls of the setting's function around a term their arguments, also where a name stands
 * for it. How many there are; below 0: one could not be changed. */
static int put_calls(rewriting *rewriting, const yt_lowered_term *use,
                     const measure_setting *setting, unsigned depth) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    const yt_lowered_term *whole = use;
    int count = 0;
    for (const yt_lowered_term *outer = call_around(scope, use); outer;
         outer = call_around(scope, outer)) {
        whole = outer;
        if (!calls(outer, setting->function))
            continue;
        for (unsigned i = 0; i < setting->count; i++)
            if (!put_argument(rewriting, outer, setting->labels[i], setting->values[i]))
                return -1;
        return 1;
    }
    const yt_part *name = named_whole(scope, whole);
    for (unsigned i = 0; name && depth < NAMED_DEPTH && i < scope->terms->count; i++) {
        const yt_lowered_term *term = &scope->terms->all[i];
        if (term->term->kind != TERM_NAME || was_seen(scope, i) ||
            !is_name(name->text, term->part->text + term->term->offset, term->term->width))
            continue;
        int more = put_calls(rewriting, term, setting, depth + 1);
        if (more < 0)
            return more;
        count += more;
    }
    return count;
}

/* Puts a call of the function where there is none: not where a switch is made of it, as how far
 * that is from the noise is another thing. */
static bool put_new(rewriting *rewriting, const yt_lowered_term *use,
                    const measure_setting *setting) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    const yt_lowered_term *inside = use, *call = call_around(scope, use);
    size_t rank = rank_of(setting->function, strlen(setting->function));
    if (rank == IN_ORDER)
        return true;
    for (const yt_lowered_term *outer = call; outer; outer = call_around(scope, outer))
        if (strcmp(function_of(outer)->gives, "a switch") == 0)
            return true;
    while (call && rank_of(call->part->text + call->term->offset, call->term->name_width) < rank) {
        inside = call;
        call = call_around(scope, call);
    }
    return put_around(rewriting, inside, setting);
}

/* One place where the part stands. A press is where a person wants it, and is left alone. */
static bool put_at(rewriting *rewriting, const yt_lowered_term *use,
                   const measure_setting *setting) {
    if (strcmp(setting->function, "pressed") == 0)
        return true;
    int count = put_calls(rewriting, use, setting, 0);
    return count > 0 || (count == 0 && put_new(rewriting, use, setting));
}

/* Whether a part is no formula that a person wrote to be used: one that a copy made, or one of the
 * profile's tests. */
static bool is_other(const rewriting *rewriting, const yt_part *part) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    for (unsigned i = 0; i < scope->cells->count; i++)
        if (scope->cells->all[i].text == part && scope->cells->all[i].is_copy)
            return true;
    for (const yt_part *key = rewriting->top->first; key; key = key->next->next) {
        const yt_part *behind = key->next->next;
        if (is_name("tests", key->text, key->bytes) && part->place.source == 0)
            return part->body > key->body && (!behind || part->body < behind->body);
    }
    return false;
}

static bool is_use(const rewriting *rewriting, const yt_lowered_term *term, uint32_t inputs,
                   const char *part) {
    const yt_compiled *compiled = &rewriting->profile.compiled;
    char name[2 * NAME_BYTES + 2];
    if (term->value.type == VALUE_SWITCH || is_other(rewriting, term->part))
        return false;
    for (unsigned i = 0; i < compiled->input_count && term->term->kind == TERM_NAME; i++) {
        snprintf(name, sizeof name, "%s.%s", compiled->inputs[i].name, part);
        if ((inputs >> i & 1) &&
            is_name(name, term->part->text + term->term->offset, term->term->width))
            return true;
    }
    return false;
}

bool tuning_uses(const rewriting *rewriting, uint32_t inputs, const char *part) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (is_use(rewriting, &scope->terms->all[i], inputs, part))
            return true;
    return false;
}

bool tuning_put(rewriting *rewriting, uint32_t inputs, const char *part,
                const measure_setting *setting) {
    const yt_scope *scope = rewriting->profile.compiled.scope;
    for (unsigned i = 0; i < scope->terms->count; i++) {
        const yt_lowered_term *term = &scope->terms->all[i];
        if (!is_use(rewriting, term, inputs, part) || was_seen(scope, i))
            continue;
        if (!put_at(rewriting, term, setting)) {
            rewriting_drop(rewriting);
            return false;
        }
    }
    return rewriting_apply(rewriting);
}
