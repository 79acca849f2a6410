#include "compiler/profile/macros.h"

#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/layers.h"
#include "compiler/reading/keys.h"
#include "signal/fixed.h"

static const char *const macro_keys[] = {"when", "steps"};
static const char *const step_keys[] = {"press", "set", "for", "wait"};

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

/* One macro at work. */
typedef struct yt_macro {
    yt_sheet *sheet;
    yt_scope *scope;
    unsigned arguments[2 + MACRO_STEPS]; /* of its SEQUENCE: 1, when, then the times */
    unsigned count;
    yt_macro_use use; /* of the step at hand */
} yt_macro;

static bool check_keys(yt_messages *messages, const yt_part *map, const char *const *known,
                       size_t count) {
    bool good = true;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, known, count)) {
            unknown_key(messages, key, known, count);
            good = false;
        }
    return good;
}

/* How long a step takes: its `for`, or its `wait`. */
static bool read_time(yt_macro *macro, const yt_part *map) {
    const yt_part *time = find_value(map, "for"), *wait = find_value(map, "wait");
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
static void read_times(yt_macro *macro, const yt_part *steps) {
    for (const yt_part *step = steps->first; step; step = step->next) {
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

static void note_use(yt_macro *macro, const yt_part *control) {
    struct yt_cell_records *cells = macro->scope->cells;
    cells->uses = pool_grow(macro->scope->pool, cells->uses, cells->use_count, &cells->use_room,
                            sizeof *cells->uses);
    cells->uses[cells->use_count] = macro->use;
    cells->uses[cells->use_count++].control = control;
}

static void press(yt_macro *macro, const yt_part *control, unsigned step) {
    note_use(macro, control);
    sheet_press(macro->sheet, control, step);
}

static void read_presses(yt_macro *macro, const yt_part *pressed, unsigned step) {
    if (pressed->kind != PART_LIST) {
        if (check_kind(macro->scope->messages, pressed, PART_TEXT,
                       "press: names a control of an output, or a list of them"))
            press(macro, pressed, step);
        return;
    }
    for (const yt_part *at = pressed->first; at; at = at->next)
        if (check_kind(macro->scope->messages, at, PART_TEXT,
                       "press: lists controls of outputs, as in: [pad.south, pad.dpad.up]"))
            press(macro, at, step);
}

static void read_steps(yt_macro *macro, const yt_part *steps, unsigned sequence) {
    yt_build *build = macro->scope->build;
    unsigned number = 0;
    for (const yt_part *step = steps->first; step; step = step->next) {
        const yt_part *pressed = find_value(step, "press"), *set = find_value(step, "set");
        unsigned constant = build_constant(build, (yt_q16)++number * YT_ONE);
        unsigned node = build_node_of(build, YT_OP_EQUAL, YT_TYPE_SWITCH, 2, sequence, constant, 0);
        macro->use.step = number;
        macro->use.sequence = sequence;
        if (pressed)
            read_presses(macro, pressed, node);
        if (set && check_kind(macro->scope->messages, set, PART_MAP,
                              "set: holds a line for each control, as in: {pad.left_trigger: 50%}"))
            for (const yt_part *key = set->first; key; key = key->next->next) {
                note_use(macro, key);
                sheet_set(macro->sheet, key, node);
            }
    }
}

static void note_trigger(yt_scope *scope, yt_macro_trigger trigger) {
    struct yt_cell_records *cells = scope->cells;
    cells->triggers = pool_grow(scope->pool, cells->triggers, cells->trigger_count,
                                &cells->trigger_room, sizeof trigger);
    cells->triggers[cells->trigger_count++] = trigger;
}

static void read_macro(yt_macro *macro, const yt_part *key) {
    yt_scope *scope = macro->scope;
    const yt_part *map = key->next;
    yt_messages *messages = scope->messages;
    int before = messages->count;
    yt_value when;
    if (!check_kind(messages, map, PART_MAP, "a macro is a map: with when and steps") ||
        !check_keys(messages, map, macro_keys, COUNT(macro_keys)))
        return;
    const yt_part *condition = find_value(map, "when"), *steps = find_value(map, "steps");
    if (!condition || !steps) {
        messages_add(messages, key->place, "%.40s needs %s", key->text,
                     condition ? "steps: a list of what it does"
                               : "when: what makes it run, as in: when: keys.f");
        return;
    }
    if (!check_kind(messages, steps, PART_LIST, "steps: is a list, a line with a dash for each") ||
        !lower_condition(scope, condition, "when", &when))
        return;
    note_trigger(scope, (yt_macro_trigger){condition, when.node});
    macro->arguments[0] = build_switch(scope->build, true);
    macro->arguments[1] = when.node;
    macro->count = 2;
    read_times(macro, steps);
    if (macro->count == 2 && messages->count == before)
        messages_add(messages, steps->place, "%.40s has no steps", key->text);
    if (messages->count > before)
        return;
    unsigned sequence =
        build_add(scope->build, (yt_build_node){.operation = YT_OP_SEQUENCE,
                                                .type = YT_TYPE_NUMBER,
                                                .argument_count = (uint8_t)macro->count,
                                                .arguments = macro->arguments});
    macro->use = (yt_macro_use){.macro = key, .when = condition, .steps = macro->count - 2};
    read_steps(macro, steps, sequence);
}

void read_macros(yt_sheet *sheet, yt_scope *scope, const yt_part *macros) {
    unsigned count = 0;
    yt_macro macro = {.sheet = sheet, .scope = scope};
    if (!check_kind(scope->messages, macros, PART_MAP,
                    "macros: holds a map for each, with when and steps"))
        return;
    for (const yt_part *key = macros->first; key; key = key->next->next) {
        if (count++ == PROFILE_MACROS) {
            messages_add(scope->messages, key->place, "a profile has up to %d macros",
                         PROFILE_MACROS);
            return;
        }
        read_macro(&macro, key);
    }
}
