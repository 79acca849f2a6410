#include "compiler/formulas/chords.h"

#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"
#include "compiler/formulas/layers.h"
#include "compiler/reading/keys.h"

/* The name of a member is that of a switch of an input. */
static bool find_member(const yt_scope *scope, const char *text, size_t width,
                        yt_program_control *record) {
    const char *dot = memchr(text, '.', width);
    yt_control_meaning meaning;
    for (unsigned i = 0; dot && i < scope->devices->input_count; i++) {
        const yt_profile_input *input = &scope->devices->inputs[i];
        if (!is_name(input->name, text, (size_t)(dot - text)) ||
            !input_control_find(input, dot + 1, width - (size_t)(dot + 1 - text), false,
                                &meaning) ||
            meaning.name.kind != YT_SWITCH)
            continue;
        *record = input_control_record(scope->build, i, &meaning);
        return true;
    }
    return false;
}

static bool take_member(const yt_scope *scope, yt_whole_chord *chord, const yt_term *argument) {
    const char *text = chord->part->text + argument->offset;
    if (argument->kind != TERM_NAME || chord->count == CHORD_MEMBERS ||
        !find_member(scope, text, argument->width, &chord->members[chord->count]))
        return false;
    chord->names[chord->count++] = pool_text(scope->pool, text, argument->width);
    return true;
}

static bool take_call(const yt_scope *scope, yt_whole_chord *chord, const yt_term *call) {
    const yt_listed_argument *within = &functions[FUNCTION_CHORD].arguments[0];
    chord->within = within->otherwise;
    for (const yt_term *at = call->first; at; at = at->next) {
        bool is_time = at->label && is_name("within", at->label, at->label_width);
        if (is_time && at->kind == TERM_NUMBER && at->unit == YT_UNIT_TIME)
            chord->within = at->amount;
        else if (is_time || !take_member(scope, chord, at))
            return false;
    }
    return chord->count >= 2 && chord->within >= within->low && chord->within <= within->high;
}

static void find_calls(yt_scope *scope, const yt_part *part, const yt_term *term) {
    for (; term; term = term->next) {
        bool is_whole = term->kind == TERM_CALL &&
                        is_name("whole_chord", part->text + term->offset, term->name_width);
        bool is_ordered =
            term->kind == TERM_CALL &&
            is_name("whole_ordered_chord", part->text + term->offset, term->name_width);
        yt_whole_chord chord = {.part = part, .offset = term->offset, .is_ordered = is_ordered};
        if ((is_whole || is_ordered) && scope->chords->count < PROFILE_CHORDS &&
            take_call(scope, &chord, term))
            scope->chords->all[scope->chords->count++] = chord;
        find_calls(scope, part, term->first);
    }
}

/* A text with such a call in it is read once more later; then its errors are told. */
static void read_text(yt_scope *scope, const yt_part *part) {
    int shown = scope->messages->shown, count = scope->messages->count;
    if (!strstr(part->text, "whole_chord") && !strstr(part->text, "whole_ordered_chord"))
        return;
    const yt_term *term = formula_parse(scope->pool, scope->messages, part);
    scope->messages->shown = shown;
    scope->messages->count = count;
    find_calls(scope, part, term);
}

void collect_chords(yt_scope *scope, const yt_part *part) {
    if (!scope->chords->all)
        scope->chords->all = pool_take(scope->pool, PROFILE_CHORDS * sizeof *scope->chords->all);
    if (part->kind == PART_TEXT)
        read_text(scope, part);
    for (const yt_part *at = part->first; at; at = at->next)
        collect_chords(scope, at);
}

static bool has_member(const yt_whole_chord *chord, const yt_program_control *control) {
    for (unsigned i = 0; i < chord->count; i++)
        if (is_same_control(&chord->members[i], control))
            return true;
    return false;
}

/* Whether one has all members of another, and more. */
static bool is_longer(const yt_whole_chord *chord, const yt_whole_chord *other) {
    for (unsigned i = 0; i < other->count; i++)
        if (!has_member(chord, &other->members[i]))
            return false;
    return chord->count > other->count;
}

/* The chord's own node: it sees its members as they are. */
static void make_raw(yt_scope *scope, yt_whole_chord *chord) {
    unsigned arguments[2 + CHORD_MEMBERS] = {build_switch(scope->build, true),
                                             build_constant(scope->build, (yt_q16)chord->within)};
    for (unsigned i = 0; i < chord->count; i++)
        arguments[2 + i] = build_control(scope->build, chord->members[i]);
    chord->raw =
        build_add(scope->build, (yt_build_node){.operation = chord->is_ordered ? YT_OP_ORDERED_CHORD
                                                                               : YT_OP_CHORD,
                                                .type = YT_TYPE_SWITCH,
                                                .argument_count = (uint8_t)(2 + chord->count),
                                                .arguments = arguments});
    chord->node = chord->raw;
}

/* A press, held back by `by` unless one of the chords takes it. A chord that comes about at the
 * last moment finds it still held. */
static unsigned make_held(yt_scope *scope, unsigned press, int64_t by, const unsigned *chords,
                          unsigned count) {
    unsigned arguments[3 + PROFILE_CHORDS] = {build_switch(scope->build, true), press,
                                              build_constant(scope->build, (yt_q16)(by + 1))};
    memcpy(&arguments[3], chords, count * sizeof *chords);
    return build_add(scope->build, (yt_build_node){.operation = YT_OP_HELD_BACK,
                                                   .type = YT_TYPE_SWITCH,
                                                   .argument_count = (uint8_t)(3 + count),
                                                   .arguments = arguments});
}

static void hold_control(yt_scope *scope, const yt_program_control *control, const char *name) {
    struct yt_whole_chords *all = scope->chords;
    unsigned chords[PROFILE_CHORDS], count = 0;
    yt_held_press held = {.control = *control, .name = name};
    if (chord_held(scope, control))
        return;
    for (unsigned i = 0; i < all->count; i++) {
        if (!has_member(&all->all[i], control))
            continue;
        chords[count++] = all->all[i].raw;
        if (all->all[i].within > held.by) {
            held.by = all->all[i].within;
            held.chord = &all->all[i];
        }
    }
    held.node = make_held(scope, build_control(scope->build, *control), held.by, chords, count);
    all->held[all->held_count++] = held;
}

/* A chord that longer ones contain waits for them. */
static void hold_chord(yt_scope *scope, yt_whole_chord *chord) {
    unsigned chords[PROFILE_CHORDS], count = 0;
    int64_t by = 0;
    for (unsigned i = 0; i < scope->chords->count; i++) {
        const yt_whole_chord *other = &scope->chords->all[i];
        if (!is_longer(other, chord))
            continue;
        chords[count++] = other->raw;
        by = other->within > by ? other->within : by;
    }
    if (count > 0)
        chord->node = make_held(scope, chord->raw, by, chords, count);
}

void make_chords(yt_scope *scope) {
    struct yt_whole_chords *all = scope->chords;
    all->held = pool_take(scope->pool, (PROFILE_CHORDS * CHORD_MEMBERS + 1) * sizeof *all->held);
    for (unsigned i = 0; i < all->count; i++)
        make_raw(scope, &all->all[i]);
    for (unsigned i = 0; i < all->count; i++) {
        hold_chord(scope, &all->all[i]);
        for (unsigned k = 0; k < all->all[i].count; k++)
            hold_control(scope, &all->all[i].members[k], all->all[i].names[k]);
    }
}

const yt_held_press *chord_held(const yt_scope *scope, const yt_program_control *control) {
    for (unsigned i = 0; i < scope->chords->held_count; i++)
        if (is_same_control(&scope->chords->held[i].control, control))
            return &scope->chords->held[i];
    return NULL;
}

yt_value make_whole_chord(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    const struct yt_whole_chords *all = lowering->scope->chords;
    for (unsigned i = 0; i < all->count; i++)
        if (all->all[i].part == lowering->part && all->all[i].offset == call->term->offset)
            return (yt_value){.type = VALUE_SWITCH, .node = all->all[i].node};
    if (all->count == PROFILE_CHORDS)
        return lower_wrong(lowering, call->term, "a profile has up to %d chords of this kind",
                           PROFILE_CHORDS);
    return lower_wrong(lowering, call->term,
                       "%s takes switches of inputs by their names, as it holds them back, and a "
                       "time that is written here: %s",
                       call->function->name, call->function->usage);
}
