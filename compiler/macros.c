#include "compiler/macros.h"

#include <string.h>

#include "compiler/keys.h"
#include "compiler/layers.h"
#include "compiler/operations.h"
#include "signal/fixed.h"

static const char *const macro_keys[] = {"when", "steps"};
static const char *const step_keys[] = {"press", "set", "for", "wait"};

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

/* One macro at work. */
typedef struct macro {
    sheet *sheet;
    scope *scope;
    unsigned arguments[2 + MACRO_STEPS]; /* of its SEQUENCE: 1, when, then the times */
    unsigned count;
} macro;

static bool check_keys(messages *messages, const part *map, const char *const *known,
                       size_t count) {
    bool good = true;
    for (const part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, known, count)) {
            unknown_key(messages, key, known, count);
            good = false;
        }
    return good;
}

/* How long a step takes: its `for`, or its `wait`. */
static bool read_time(macro *macro, const part *map) {
    const part *time = find_value(map, "for"), *wait = find_value(map, "wait");
    bool does = find_value(map, "press") || find_value(map, "set");
    const char *missing = does ? "for" : "wait";
    if (wait && (does || time)) {
        messages_add(macro->scope->messages, wait->place,
                     "a step waits, or it presses and sets for a time; not both");
        return false;
    }
    time = time ? time : wait;
    if (!time || (!does && !wait)) {
        messages_add(macro->scope->messages, map->place,
                     "a step is {press: pad.south, for: 40 ms}, {set: {pad.left_trigger: 50%%}, "
                     "for: 40 ms} or {wait: 100 ms}; this one has no %s",
                     does ? missing : "press");
        return false;
    }
    return lower_time(macro->scope, time, &macro->arguments[macro->count]);
}

/* The nodes that are 1 in a step are made when the sequence is there; until then all steps are only
 * counted. */
static void read_times(macro *macro, const part *steps) {
    for (const part *step = steps->first; step; step = step->next) {
        if (macro->count == 2 + MACRO_STEPS) {
            messages_add(macro->scope->messages, step->place, "a macro has up to %d steps",
                         MACRO_STEPS);
            return;
        }
        if (check_kind(macro->scope->messages, step, PART_MAP,
                       "a step is a map, as in: {press: pad.south, for: 40 ms}") &&
            check_keys(macro->scope->messages, step, step_keys, COUNT(step_keys)) &&
            read_time(macro, step))
            macro->count++;
    }
}

static void read_presses(macro *macro, const part *press, unsigned step) {
    if (press->kind != PART_LIST) {
        if (check_kind(macro->scope->messages, press, PART_TEXT,
                       "press: names a control of an output, or a list of them"))
            sheet_press(macro->sheet, press, step);
        return;
    }
    for (const part *at = press->first; at; at = at->next)
        if (check_kind(macro->scope->messages, at, PART_TEXT,
                       "press: lists controls of outputs, as in: [pad.south, pad.dpad.up]"))
            sheet_press(macro->sheet, at, step);
}

static void read_steps(macro *macro, const part *steps, unsigned sequence) {
    build *build = macro->scope->build;
    unsigned number = 0;
    for (const part *step = steps->first; step; step = step->next) {
        const part *press = find_value(step, "press"), *set = find_value(step, "set");
        unsigned constant = build_constant(build, (yt_q16)++number * YT_ONE);
        unsigned node = build_node_of(build, YT_OP_EQUAL, YT_TYPE_SWITCH, 2, sequence, constant, 0);
        if (press)
            read_presses(macro, press, node);
        if (set && check_kind(macro->scope->messages, set, PART_MAP,
                              "set: holds a line for each control, as in: {pad.left_trigger: 50%}"))
            for (const part *key = set->first; key; key = key->next->next)
                sheet_set(macro->sheet, key, node);
    }
}

static void read_macro(macro *macro, const part *key) {
    scope *scope = macro->scope;
    const part *map = key->next;
    messages *messages = scope->messages;
    int before = messages->count;
    value when;
    if (!check_kind(messages, map, PART_MAP, "a macro is a map: with when and steps") ||
        !check_keys(messages, map, macro_keys, COUNT(macro_keys)))
        return;
    const part *condition = find_value(map, "when"), *steps = find_value(map, "steps");
    if (!condition || !steps) {
        messages_add(messages, key->place, "%.40s needs %s", key->text,
                     condition ? "steps: a list of what it does"
                               : "when: what makes it run, as in: when: keys.f");
        return;
    }
    if (!check_kind(messages, steps, PART_LIST, "steps: is a list, a line with a dash for each") ||
        !lower_condition(scope, condition, "when", &when))
        return;
    macro->arguments[0] = build_switch(scope->build, true);
    macro->arguments[1] = when.node;
    macro->count = 2;
    read_times(macro, steps);
    if (macro->count == 2 && messages->count == before)
        messages_add(messages, steps->place, "%.40s has no steps", key->text);
    if (messages->count > before)
        return;
    unsigned sequence =
        build_add(scope->build, (build_node){.operation = YT_OP_SEQUENCE,
                                             .type = YT_TYPE_NUMBER,
                                             .argument_count = (uint8_t)macro->count,
                                             .arguments = macro->arguments});
    read_steps(macro, steps, sequence);
}

void read_macros(sheet *sheet, scope *scope, const part *macros) {
    unsigned count = 0;
    macro macro = {.sheet = sheet, .scope = scope};
    if (!check_kind(scope->messages, macros, PART_MAP,
                    "macros: holds a map for each, with when and steps"))
        return;
    for (const part *key = macros->first; key; key = key->next->next) {
        if (count++ == PROFILE_MACROS) {
            messages_add(scope->messages, key->place, "a profile has up to %d macros",
                         PROFILE_MACROS);
            return;
        }
        read_macro(&macro, key);
    }
}
