#include "compiler/formulas/sequences.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/text_steps.h"
#include "compiler/reading/keys.h"
#include "image/functions.h"

static const char *const macro_keys[] = {"when", "repeat", "again", "steps"};
static const char *const step_keys[] = {"press", "set", "move", "for", "wait", "run", "type"};
static const char *const text_keys[] = {"type", "layout", "to", "each"};

#define COUNT(list) (sizeof(list) / sizeof(list)[0])

/* What stands in front of the times of a SEQUENCE: alive, when, what a further press does, how
 * often. */
#define HEAD_ARGUMENTS 4
#define MOST_REPEATS   1000

static yt_macro *find_macro(const yt_scope *scope, const char *name, size_t length) {
    for (unsigned i = 0; i < scope->macros->count; i++)
        if (is_name(scope->macros->all[i].key->text, name, length))
            return &scope->macros->all[i];
    return NULL;
}

/* Says that there is no macro of that name, and which is near. */
static void unknown_macro(const yt_scope *scope, yt_text_place place, const char *name,
                          size_t length) {
    const char *names[PROFILE_MACROS];
    for (unsigned i = 0; i < scope->macros->count; i++)
        names[i] = scope->macros->all[i].key->text;
    const char *near = nearest_name(name, length, names, scope->macros->count);
    int width = length < 60 ? (int)length : 60;
    if (near)
        messages_add(scope->messages, place, "there is no macro \"%.*s\"; did you mean \"%s\"?",
                     width, name, near);
    else
        messages_add(scope->messages, place, "there is no macro \"%.*s\"", width, name);
}

static bool add_step(yt_scope *scope, yt_macro *macro, const yt_part *step) {
    if (macro->step_count == MACRO_STEPS) {
        messages_add(scope->messages, step->place,
                     "a macro has up to %d steps, with those of the macros that it runs",
                     MACRO_STEPS);
        return false;
    }
    macro->steps[macro->step_count++] = step;
    return true;
}

/* The steps of another macro in place of one. */
static bool add_run(yt_scope *scope, yt_macro *macro, const yt_part *name);

/* What is typed in place of a step. */
static bool add_text(yt_scope *scope, yt_macro *macro, const yt_part *step) {
    yt_text_steps text;
    if (!text_steps_make(scope, step, &text))
        return false;
    for (unsigned i = 0; i < text.count; i++)
        if (!add_step(scope, macro, text.steps[i]))
            return false;
    return true;
}

static bool collect_steps(yt_scope *scope, yt_macro *macro, const yt_part *steps) {
    yt_messages *messages = scope->messages;
    bool good =
        check_kind(messages, steps, PART_LIST, "steps: is a list, a line with a dash for each");
    for (const yt_part *step = good ? steps->first : NULL; step; step = step->next) {
        const yt_part *run = NULL, *text = NULL;
        if (check_kind(messages, step, PART_MAP,
                       "a step is a map, as in: {press: pad.south, for: 40 ms}")) {
            run = find_value(step, "run");
            text = find_value(step, "type");
        }
        if (step->kind != PART_MAP || !check_keys(messages, step, text ? text_keys : step_keys,
                                                  text ? COUNT(text_keys) : COUNT(step_keys))) {
            good = false;
            continue;
        }
        if (run && step->first->next->next) {
            messages_add(messages, step->place, "a step that runs a macro does nothing else");
            good = false;
        } else if (run) {
            good &= add_run(scope, macro, run);
        } else if (text) {
            good &= add_text(scope, macro, step);
        } else {
            good &= add_step(scope, macro, step);
        }
    }
    return good;
}

static bool add_run(yt_scope *scope, yt_macro *macro, const yt_part *name) {
    yt_messages *messages = scope->messages;
    if (!check_kind(messages, name, PART_TEXT, "run: names a macro"))
        return false;
    yt_macro *other = find_macro(scope, name->text, name->bytes);
    if (!other) {
        unknown_macro(scope, name->place, name->text, name->bytes);
        return false;
    }
    if (other->is_open) {
        messages_add(messages, name->place, "the macro \"%.40s\" runs itself", name->text);
        return false;
    }
    if (scope->macros->depth == MACRO_DEPTH) {
        messages_add(messages, name->place, "macros run one another up to %d deep", MACRO_DEPTH);
        return false;
    }
    const yt_part *map = other->key->next;
    const yt_part *steps = map->kind == PART_MAP ? find_value(map, "steps") : NULL;
    other->is_run = true;
    if (steps && find_value(map, "repeat")) {
        messages_add(
            messages, name->place,
            "%.40s repeats, but what another macro runs it runs once; run it several times",
            name->text);
        return false;
    }
    if (!steps)
        return false; /* an error is told where it stands */
    other->is_open = true;
    scope->macros->depth++;
    bool good = collect_steps(scope, macro, steps);
    scope->macros->depth--;
    other->is_open = false;
    return good;
}

/* How long a step takes: its `for`, or its `wait`; what only moves takes a millisecond. */
static bool read_time(yt_scope *scope, const yt_part *map, unsigned *node) {
    const yt_part *time = find_value(map, "for"), *wait = find_value(map, "wait");
    bool moves = find_value(map, "move") != NULL;
    bool does = find_value(map, "press") || find_value(map, "set") || moves;
    const char *missing = does ? "for" : "wait";
    if (wait && (does || time)) {
        messages_add(scope->messages, wait->place,
                     "a step waits, or it presses, sets and moves; not both");
        return false;
    }
    time = time ? time : wait;
    if (!time && moves && !find_value(map, "press") && !find_value(map, "set")) {
        *node = build_constant(scope->build, 1000);
        return true;
    }
    if (!time || (!does && !wait)) {
        messages_add(scope->messages, map->place,
                     "a step is {press: pad.south, for: 40 ms}, {set: {pad.left_trigger: 50%%}, "
                     "for: 40 ms}, {move: {view.wheel: 1}} or {wait: 100 ms}; this one has no %s",
                     does ? missing : "press");
        return false;
    }
    return lower_time(scope, time, node);
}

/* How often: a number; 0 while it is held; below 0 until it is pressed again. */
static bool read_repeat(yt_scope *scope, const yt_part *map, int *repeat) {
    const yt_part *part = find_value(map, "repeat");
    *repeat = 1;
    if (!part)
        return true;
    char *end = NULL;
    long number = part->kind == PART_TEXT ? strtol(part->text, &end, 10) : 0;
    if (part->kind == PART_TEXT && strcmp(part->text, "while held") == 0)
        *repeat = 0;
    else if (part->kind == PART_TEXT && strcmp(part->text, "until pressed") == 0)
        *repeat = -1;
    else if (end && *end == 0 && number >= 1 && number <= MOST_REPEATS)
        *repeat = (int)number;
    else {
        messages_add(scope->messages, part->place,
                     "repeat: is a number from 1 to %d, `while held`, or `until pressed` (again)",
                     MOST_REPEATS);
        return false;
    }
    return true;
}

static bool read_again(yt_scope *scope, const yt_part *map, int repeat, unsigned *again) {
    static const char *const words[] = {"ignore", "restart", "stop", "queue"};
    const yt_part *part = find_value(map, "again");
    *again = repeat < 0 ? 2 : 0;
    if (!part)
        return true;
    if (!read_word(scope->messages, part, words, COUNT(words), again))
        return false;
    if (repeat >= 0 || *again == 2)
        return true;
    messages_add(scope->messages, part->place,
                 "a macro that repeats until it is pressed again stops then; leave again: out");
    return false;
}

/* The least that a time can be: of what is no constant, the shortest that there is. */
static int64_t least_of(const yt_build *build, unsigned node) {
    const yt_build_node *at = &build->nodes[node];
    if (at->operation == YT_OP_CONSTANT)
        return at->data;
    return at->operation == YT_OP_PARAMETER ? build->parameters[at->data].minimum : 1000;
}

static unsigned number_node(yt_scope *scope, int number) {
    return build_constant(scope->build, number * YT_ONE);
}

static void read_nodes(yt_scope *scope, yt_macro *macro, const yt_part *map, bool good) {
    unsigned arguments[HEAD_ARGUMENTS + MACRO_STEPS], count = HEAD_ARGUMENTS, again;
    yt_value when;
    int repeat;
    if (!lower_condition(scope, macro->when, "when", &when) || !read_repeat(scope, map, &repeat) ||
        !read_again(scope, map, repeat, &again))
        return;
    macro->whose = when.node;
    arguments[0] = build_switch(scope->build, true);
    arguments[1] = when.node;
    arguments[2] = number_node(scope, (int)again);
    arguments[3] = number_node(scope, repeat);
    macro->repeat = repeat;
    for (unsigned i = 0; i < macro->step_count; i++) {
        good &= read_time(scope, macro->steps[i], &arguments[count]);
        macro->least_us += good ? least_of(scope->build, arguments[count]) : 0;
        count++;
    }
    if (!good)
        return;
    macro->sequence = build_add(scope->build, (yt_build_node){.operation = YT_OP_SEQUENCE,
                                                              .type = YT_TYPE_NUMBER,
                                                              .argument_count = (uint8_t)count,
                                                              .arguments = arguments});
    macro->is_good = true;
}

static void read_macro(yt_scope *scope, yt_macro *macro) {
    yt_messages *messages = scope->messages;
    const yt_part *map = macro->key->next, *steps;
    macro->is_read = true;
    if (!check_kind(messages, map, PART_MAP, "a macro is a map: with when and steps") ||
        !check_keys(messages, map, macro_keys, COUNT(macro_keys)))
        return;
    macro->when = find_value(map, "when");
    steps = find_value(map, "steps");
    if (!steps) {
        messages_add(messages, macro->key->place, "%.40s needs steps: a list of what it does",
                     macro->key->text);
        return;
    }
    for (unsigned k = 1; k < 3; k++) {
        const yt_part *odd = find_value(map, macro_keys[k]);
        if (odd && !macro->when)
            messages_add(messages, odd->place,
                         "%s: belongs beside a when:, as only that begins a macro by itself",
                         macro_keys[k]);
    }
    macro->is_open = true;
    scope->macros->depth++;
    macro->steps = pool_take(scope->pool, MACRO_STEPS * sizeof *macro->steps);
    bool good = collect_steps(scope, macro, steps);
    if (good && macro->step_count == 0)
        messages_add(messages, steps->place, "%.40s has no steps", macro->key->text);
    if (macro->step_count > 0 && macro->when)
        read_nodes(scope, macro, map, good);
    scope->macros->depth--;
    macro->is_open = false;
}

void collect_macros(yt_scope *scope, const yt_part *all) {
    if (!check_kind(scope->messages, all, PART_MAP,
                    "macros: holds a map for each, with when and steps"))
        return;
    if (!scope->macros->all)
        scope->macros->all = pool_take(scope->pool, PROFILE_MACROS * sizeof *scope->macros->all);
    for (const yt_part *key = all->first; key; key = key->next->next) {
        const yt_macro *old = find_macro(scope, key->text, key->bytes);
        if (scope->macros->count == PROFILE_MACROS) {
            messages_add(scope->messages, key->place, "a profile has up to %d macros",
                         PROFILE_MACROS);
            return;
        }
        if (old)
            messages_add(scope->messages, key->place,
                         "two macros have the name \"%.40s\"; the other stands in line %d",
                         key->text, old->key->place.line);
        else
            scope->macros->all[scope->macros->count++] = (yt_macro){.key = key};
    }
}

void read_sequences(yt_scope *scope) {
    for (unsigned i = 0; i < scope->macros->count; i++)
        if (!scope->macros->all[i].is_read)
            read_macro(scope, &scope->macros->all[i]);
    for (unsigned i = 0; i < scope->macros->count; i++) {
        const yt_macro *macro = &scope->macros->all[i];
        if (!macro->when && !macro->is_run && macro->step_count > 0)
            messages_add(scope->messages, macro->key->place,
                         "%.40s needs when: what makes it run, as in: when: keys.f",
                         macro->key->text);
    }
}

yt_value lower_running(yt_lowering *lowering, const yt_term *term, const char *name,
                       size_t length) {
    yt_scope *scope = lowering->scope;
    yt_macro *macro = find_macro(scope, name, length);
    if (!macro) {
        unknown_macro(scope,
                      part_place(lowering->part, scope->messages, term->offset, (int)term->width),
                      name, length);
        return (yt_value){.type = VALUE_NOTHING};
    }
    if (macro->is_open)
        return lower_wrong(lowering, term, "the macro \"%s\" hangs on itself", macro->key->text);
    if (!macro->is_read)
        read_macro(scope, macro);
    if (macro->step_count > 0 && !macro->when)
        return lower_wrong(lowering, term,
                           "the macro \"%s\" has no when:, so it never runs by itself",
                           macro->key->text);
    if (!macro->is_good)
        return (yt_value){.type = VALUE_NOTHING};
    return (yt_value){.type = VALUE_SWITCH,
                      .node = lower_add(lowering, YT_OP_LESS, YT_TYPE_SWITCH, 2,
                                        build_constant(scope->build, 0), macro->sequence, 0)};
}
