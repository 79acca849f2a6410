#include "compiler/formulas/camera.h"
#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "compiler/profile/warnings.h"

#include <inttypes.h>
#include <string.h>

#include "compiler/building/operations.h"

#define MOST_UNKNOWN 10 /* things that may be on or off; with more of them nothing is said */
#define MOST_INSIDE  200

/* A formula of switches, looked at with every way in which what it depends on may be on or off. */
typedef struct yt_trying {
    const yt_build *build;
    unsigned unknown[MOST_UNKNOWN];
    unsigned count;
    unsigned inside; /* nodes that were looked at */
    unsigned on;     /* which of the unknown are on, a bit each */
    bool too_much;
} yt_trying;

static bool unknown_is_on(yt_trying *trying, unsigned node) {
    for (unsigned i = 0; i < trying->count; i++)
        if (trying->unknown[i] == node)
            return trying->on >> i & 1;
    if (trying->count == MOST_UNKNOWN) {
        trying->too_much = true;
        return false;
    }
    trying->unknown[trying->count++] = node;
    return false;
}

static bool is_on(yt_trying *trying, unsigned node) {
    const yt_build_node *at = &trying->build->nodes[node];
    const unsigned *argument = at->arguments;
    if (trying->too_much || ++trying->inside > MOST_INSIDE) {
        trying->too_much = true;
        return false;
    }
    switch (at->operation) {
    case YT_OP_CONSTANT:
        return at->data != 0;
    case BUILD_ALIVE:
        return true;
    case YT_OP_NOT:
        return !is_on(trying, argument[0]);
    case YT_OP_AND: {
        bool one = is_on(trying, argument[0]), other = is_on(trying, argument[1]);
        return one && other;
    }
    case YT_OP_OR: {
        bool one = is_on(trying, argument[0]), other = is_on(trying, argument[1]);
        return one || other;
    }
    case YT_OP_CHOOSE: {
        bool when = is_on(trying, argument[0]), yes = is_on(trying, argument[1]);
        bool no = is_on(trying, argument[2]);
        return when ? yes : no;
    }
    default:
        return unknown_is_on(trying, node);
    }
}

/* 1: the switch is on whatever happens; 0: it never is; -1: that depends. */
static int always(const yt_build *build, unsigned node) {
    yt_trying trying = {.build = build};
    bool ever_on = false, ever_off = false;
    is_on(&trying, node); /* finds what it depends on */
    for (unsigned on = 0; on < 1u << trying.count && !trying.too_much; on++) {
        trying.on = on;
        trying.inside = 0;
        if (is_on(&trying, node))
            ever_on = true;
        else
            ever_off = true;
    }
    if (trying.too_much || (ever_on && ever_off))
        return -1;
    return ever_on;
}

static yt_text_place place_of_term(const yt_scope *scope, const yt_part *part,
                                   const yt_term *term) {
    return part_place(part, scope->messages, term->offset, (int)term->width);
}

static void warn_of_condition(yt_scope *scope, const yt_layer *layer) {
    int on = always(scope->build, layer->on);
    if (on >= 0)
        messages_warn(scope->messages,
                      place_of_term(scope, layer->condition, layer->condition_term),
                      on ? "this condition is always true, so the layer is always on; write its "
                           "cells into the sheet"
                         : "this condition is never true, so the layer is never on");
}

static void warn_of_always(yt_scope *scope, const yt_cell_record *cell) {
    if (cell->value.type != VALUE_SWITCH)
        return;
    int on = always(scope->build, cell->value.node);
    if (on == 0)
        messages_warn(scope->messages, place_of_term(scope, cell->text, cell->term),
                      "this is never on, so the cell never does anything; to leave %.60s alone, "
                      "write: none",
                      cell->key->text);
    else if (on == 1)
        messages_warn(scope->messages, place_of_term(scope, cell->text, cell->term),
                      "this is always on, whatever is pressed");
}

/* A share without its sign: 50 for 50 %. */
static void warn_of_amount(yt_scope *scope, const yt_cell_record *cell, const yt_term *term) {
    bool is_alone = term == cell->term;
    bool is_share = cell->value.type == VALUE_LEVEL || cell->value.type == VALUE_AXIS ||
                    cell->value.type == VALUE_CONSTANT || cell->value.type == VALUE_STICK;
    if (term->kind == TERM_MULTIPLY || term->kind == TERM_ADD || term->kind == TERM_SUBTRACT)
        for (const yt_term *at = term->first; at; at = at->next)
            warn_of_amount(scope, cell, at);
    if (is_share && term->kind == TERM_NUMBER && term->unit == YT_UNIT_NONE &&
        term->amount > (is_alone ? YT_ONE : 10 * YT_ONE))
        messages_warn(scope->messages, place_of_term(scope, cell->text, term),
                      "%.*s is %" PRId64 " times as much as %.60s can be; a share is written with "
                      "its sign: %.*s%%",
                      (int)term->width, cell->text->text + term->offset, term->amount / YT_ONE,
                      cell->key->text, (int)term->width, cell->text->text + term->offset);
}

/* What came of a term; NULL: nothing did. */
static const yt_value *value_of(const yt_scope *scope, const yt_term *term) {
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].term == term)
            return &scope->terms->all[i].value;
    return NULL;
}

/* Keys that hardly any keyboard has, with the names of others. What a description calls so is
 * another control. */
static void warn_of_rare_keys(yt_scope *scope, const yt_cell_record *cell, const yt_term *term) {
    static const struct {
        uint16_t usage;
        const char *name, *usual;
    } keys[] = {{0x9e, ".return", "enter"}, {0x9d, ".prior", "page_up"}};
    const char *text = cell->text->text + term->offset;
    const yt_value *value = term->kind == TERM_NAME ? value_of(scope, term) : NULL;
    for (const yt_term *at = term->first; at; at = at->next)
        warn_of_rare_keys(scope, cell, at);
    if (!value || !value->is_control || value->record.page != PAGE_KEYBOARD)
        return;
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        size_t length = strlen(keys[i].name);
        const char *key = cell->key->text;
        bool is_same =
            strlen(key) > length && strcmp(key + strlen(key) - length, keys[i].name) == 0;
        if (value->record.usage != keys[i].usage || is_same || term->width <= length ||
            memcmp(text + term->width - length, keys[i].name, length) != 0)
            continue;
        messages_warn(scope->messages, place_of_term(scope, cell->text, term),
                      "hardly any keyboard has this key; %.*s.%s is the usual one",
                      (int)(term->width - length), text, keys[i].usual);
    }
}

/* Buttons that no device of its kind is known to have: often a number that is meant otherwise. */
static void warn_of_many_buttons(yt_scope *scope, const yt_cell_record *cell, const yt_term *term) {
    static const struct {
        const char *kind;
        unsigned most;
    } kinds[] = {{"mouse", 24}, {"tablet", 16}, {"gamepad", 32}, {"joystick", 128}};
    const yt_value *value = term->kind == TERM_NAME ? value_of(scope, term) : NULL;
    for (const yt_term *at = term->first; at; at = at->next)
        warn_of_many_buttons(scope, cell, at);
    if (!value || !value->is_control || value->record.page != PAGE_BUTTON ||
        value->record.from_host)
        return;
    const yt_profile_input *input = &scope->devices->inputs[value->record.input];
    for (size_t i = 0; i < sizeof kinds / sizeof kinds[0] && !input->description; i++)
        if (strcmp(input->kind->name, kinds[i].kind) == 0 && value->record.usage > kinds[i].most)
            messages_warn(scope->messages, place_of_term(scope, cell->text, term),
                          "hardly any %s has so many buttons; buttons count from 1", kinds[i].kind);
}

static bool is_pad(const yt_scope *scope, const char *key) {
    size_t length = strcspn(key, ".");
    for (unsigned i = 0; i < scope->devices->output_count; i++) {
        const yt_profile_output *output = &scope->devices->outputs[i];
        if (strlen(output->name) == length && memcmp(output->name, key, length) == 0)
            return strcmp(output->kind->name, "gamepad") == 0;
    }
    return false;
}

static bool is_switch(const yt_scope *scope, const yt_term *term) {
    const yt_value *value = value_of(scope, term);
    return value && value->type == VALUE_SWITCH;
}

/* On a gamepad x and y are axes, not the buttons that some makers call so. */
static void warn_of_axis(yt_scope *scope, const yt_cell_record *cell) {
    const char *dot = strchr(cell->key->text, '.');
    if (!dot || (strcmp(dot, ".x") && strcmp(dot, ".y")) || !is_pad(scope, cell->key->text) ||
        !is_switch(scope, cell->term))
        return;
    messages_warn(scope->messages, cell->key->place,
                  "%.60s is an axis, and a switch moves it all the way; buttons go by their place: "
                  "%.*s.west or %.*s.north",
                  cell->key->text, (int)(dot - cell->key->text), cell->key->text,
                  (int)(dot - cell->key->text), cell->key->text);
}

static bool is_key_alone(const yt_scope *scope, const yt_cell_record *cell) {
    return cell->value.type == VALUE_SWITCH && !cell->is_copy && cell->layer >= 0 &&
           scope->build->nodes[cell->value.node].operation == BUILD_VIEW;
}

/* The same key drives two switches: one of them is probably a slip. `first` is the first cell of
 * each node that is a key, from 1. */
static void warn_of_twice(yt_scope *scope, unsigned number, unsigned *first) {
    const yt_cell_record *cell = &scope->cells->all[number];
    if (!is_key_alone(scope, cell))
        return;
    unsigned before = first[cell->value.node];
    if (before == 0) {
        first[cell->value.node] = number + 1;
        return;
    }
    const yt_cell_record *other = &scope->cells->all[before - 1];
    messages_warn(scope->messages, place_of_term(scope, cell->text, cell->term),
                  "%.60s alone drives %.60s too, in line %d; if one press is to be both, give it a "
                  "name under named:, and use that",
                  cell->text->text, other->key->text, other->key->place.line);
}

/* Which copies there are of a control, and which nodes a cell was looked through for. */
typedef struct yt_copies {
    yt_scope *scope;
    const yt_cell_record **copy_of; /* by the control's number; NULL: it is not copied */
    unsigned *seen;                 /* by node: the last cell that was looked through, from 1 */
} yt_copies;

static int control_of(const yt_build *build, unsigned node) {
    const yt_build_node *at = &build->nodes[node];
    return at->operation == BUILD_VIEW ? build->nodes[at->arguments[0]].data : -1;
}

/* A control that is copied to its namesake and stands in another cell of the sheet too. */
static void look_through(yt_copies *copies, unsigned number, unsigned node, unsigned depth) {
    const yt_build *build = copies->scope->build;
    const yt_cell_record *cell = &copies->scope->cells->all[number];
    int control = control_of(build, node);
    if (depth == 0 || copies->seen[node] == number + 1)
        return;
    copies->seen[node] = number + 1;
    const yt_cell_record *copy = control >= 0 ? copies->copy_of[control] : NULL;
    if (copy)
        messages_warn(copies->scope->messages, place_of_term(copies->scope, cell->text, cell->term),
                      "%.60s is copied to %.60s as well; to have it here only, add: %.60s: none",
                      copy->text->text, copy->key->text, copy->key->text);
    for (unsigned k = 0; control < 0 && k < build->nodes[node].argument_count; k++)
        look_through(copies, number, build->nodes[node].arguments[k], depth - 1);
}

/* Within the sheet, or within one layer: what is copied there and named there too. */
static void warn_of_copied_in(yt_copies *copies, int layer) {
    yt_scope *scope = copies->scope;
    bool any = false;
    for (unsigned i = 0; i < scope->build->control_count; i++)
        copies->copy_of[i] = NULL;
    for (unsigned i = 0; i < scope->cells->count; i++) {
        const yt_cell_record *copy = &scope->cells->all[i];
        int control = copy->is_copy && copy->layer == layer && copy->value.type != VALUE_NOTHING
                          ? control_of(scope->build, copy->value.node)
                          : -1;
        if (control >= 0)
            copies->copy_of[control] = copy;
        any |= control >= 0;
    }
    for (unsigned i = 0; any && i < scope->cells->count; i++) {
        const yt_cell_record *cell = &scope->cells->all[i];
        if (cell->is_copy || cell->layer != layer || cell->value.type == VALUE_NOTHING)
            continue;
        look_through(copies, i, cell->value.node, 200);
        if (value_is_pair(cell->value))
            look_through(copies, i, cell->value.second, 200);
    }
}

/* The copy of a switch that a condition names; NULL: none of them is copied. */
static const yt_cell_record *copied_in(const yt_copies *copies, unsigned node, unsigned depth) {
    const yt_build_node *at = &copies->scope->build->nodes[node];
    const yt_cell_record *copy = NULL;
    if (at->operation == YT_OP_CONTROL)
        return at->type == YT_TYPE_SWITCH ? copies->copy_of[at->data] : NULL;
    for (unsigned k = 0; depth > 0 && !copy && k < at->argument_count; k++)
        copy = copied_in(copies, at->arguments[k], depth - 1);
    return copy;
}

/* What sets a macro off, or a layer on, goes through a copy all the same; but a control that alone
 * is a layer's condition does not. */
static void warn_of_condition_copied(const yt_copies *copies, const yt_part *condition,
                                     unsigned node, const char *does) {
    const yt_cell_record *copy = copied_in(copies, node, 20);
    if (copy)
        messages_warn(copies->scope->messages, condition->place,
                      "%.60s is copied to %.60s as well; to have it %s only, add: %.60s: none",
                      copy->text->text, copy->key->text, does, copy->key->text);
}

static void warn_of_copied(yt_scope *scope) {
    yt_copies copies = {.scope = scope};
    copies.copy_of =
        pool_take(scope->pool, (scope->build->control_count + 1) * sizeof *copies.copy_of);
    copies.seen = pool_take(scope->pool, (scope->build->node_count + 1) * sizeof *copies.seen);
    for (unsigned layer = scope->layers->count + 1; layer-- > 0;)
        warn_of_copied_in(&copies, (int)layer);
    for (unsigned i = 0; i < scope->cells->trigger_count; i++)
        warn_of_condition_copied(&copies, scope->cells->triggers[i].when,
                                 scope->cells->triggers[i].node, "set the macro off");
    for (unsigned i = 0; i < scope->layers->count; i++)
        warn_of_condition_copied(&copies, scope->layers->all[i].condition, scope->layers->all[i].on,
                                 "set the layer on");
}

void warn_of_cells(yt_scope *scope) {
    unsigned *first = pool_take(scope->pool, (scope->build->node_count + 1) * sizeof *first);
    for (unsigned i = 0; i < scope->layers->count; i++)
        if (scope->layers->all[i].condition_term)
            warn_of_condition(scope, &scope->layers->all[i]);
    for (unsigned i = 0; i < scope->cells->count && scope->messages->warnings < MESSAGES_MOST;
         i++) {
        const yt_cell_record *cell = &scope->cells->all[i];
        if (!cell->is_copy && cell->term) {
            warn_of_amount(scope, cell, cell->term);
            warn_of_rare_keys(scope, cell, cell->term);
            warn_of_many_buttons(scope, cell, cell->term);
            warn_of_axis(scope, cell);
        }
        warn_of_always(scope, cell);
        warn_of_twice(scope, i, first);
    }
    warn_of_copied(scope);
    if (scope->camera->at && !scope->camera->is_used)
        messages_warn(scope->messages, scope->camera->at->place,
                      "camera: is what camera_stick takes, and nothing here calls it");
}
