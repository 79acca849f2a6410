#include "compiler/formulas/layers.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/chords.h"
#include "compiler/reading/keys.h"
#include "signal/fixed.h"

static const char *const layer_keys[] = {"name", "while", "shared", "sheet", "copy"};

static int number_of(const yt_scope *scope, const yt_layer *layer) {
    return (int)(layer - scope->layers->all) + 1;
}

static void read_layer_name(yt_scope *scope, yt_layer *layer, const yt_part *map) {
    const yt_part *name = find_value(map, "name");
    layer->name = pool_print(scope->pool, "layer %d", number_of(scope, layer));
    if (!name || !check_kind(scope->messages, name, PART_TEXT, "a layer's name is a text"))
        return;
    if (name->bytes > NAME_BYTES) {
        messages_add(scope->messages, name->place, "the name is longer than %d bytes", NAME_BYTES);
        return;
    }
    layer->name = name->text;
    for (unsigned i = 0; i + 1 < scope->layers->count; i++)
        if (strcmp(scope->layers->all[i].name, name->text) == 0)
            messages_add(scope->messages, name->place,
                         "two layers have the name \"%s\"; the other begins in line %d", name->text,
                         scope->layers->all[i].head->place.line);
}

/* The condition, and whether it is nothing but a control. */
static void read_condition(yt_scope *scope, yt_layer *layer, const yt_part *map) {
    const yt_part *condition = layer->condition = find_value(map, "while");
    yt_lowering lowering = {scope, condition, LAYER_ALL, NULL, layer};
    yt_value value;
    if (!condition) {
        messages_add(scope->messages, layer->head->place,
                     "a layer needs a condition, as in: while: keys.left_shift");
        return;
    }
    if (!lower_condition_of(&lowering, "while", &value))
        return;
    layer->on = value.node;
    const yt_build_node *node = &scope->build->nodes[value.node];
    layer->is_bare = node->operation == YT_OP_CONTROL;
    if (layer->is_bare)
        layer->bare = scope->build->readings[node->data].record;
}

/* `shared:` is a list of controls, or one. */
static void read_shared_one(yt_scope *scope, yt_layer *layer, const yt_part *control) {
    if (!check_kind(scope->messages, control, PART_TEXT,
                    "shared: lists controls of inputs, as in: [keys.space, ball.motion]"))
        return;
    const yt_term *term = formula_parse(scope->pool, scope->messages, control);
    if (!term)
        return;
    yt_value value = lower_formula(scope, control, term);
    if (value.type == VALUE_NOTHING)
        return;
    unsigned nodes[2] = {value.is_control ? value.control : value.node, value.second};
    for (int k = 0; k < (value_is_pair(value) ? 2 : 1); k++) {
        const yt_build_node *node = &scope->build->nodes[nodes[k]];
        if (term->kind != TERM_NAME || value.type == VALUE_CONSTANT ||
            node->operation != YT_OP_CONTROL) {
            messages_add(scope->messages, control->place,
                         "shared: lists controls of inputs, not formulas");
            return;
        }
        layer->shared[layer->shared_count++] = scope->build->readings[node->data].record;
    }
}

static void read_shared(yt_scope *scope, yt_layer *layer, const yt_part *map) {
    const yt_part *shared = find_value(map, "shared");
    size_t count = 1;
    if (!shared)
        return;
    for (const yt_part *at = shared->kind == PART_LIST ? shared->first : NULL; at; at = at->next)
        count++;
    layer->shared = pool_take(scope->pool, 2 * count * sizeof *layer->shared);
    if (shared->kind != PART_LIST)
        read_shared_one(scope, layer, shared);
    for (const yt_part *at = shared->kind == PART_LIST ? shared->first : NULL; at; at = at->next)
        read_shared_one(scope, layer, at);
}

static void read_layer(yt_scope *scope, const yt_part *map) {
    yt_layer *layer = &scope->layers->all[scope->layers->count++];
    yt_messages *messages = scope->messages;
    *layer = (struct yt_layer){.head = map};
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, layer_keys, sizeof layer_keys / sizeof layer_keys[0]))
            unknown_key(messages, key, layer_keys, sizeof layer_keys / sizeof layer_keys[0]);
    read_layer_name(scope, layer, map);
    read_condition(scope, layer, map);
    read_shared(scope, layer, map);
    const yt_part *cells = find_value(map, "sheet");
    layer->copies = find_value(map, "copy");
    if (!cells && !layer->copies)
        messages_add(messages, map->place,
                     "a layer needs a sheet, with a line for each cell, or a copy, as in: copy: "
                     "{pad: hand}");
    else if (cells &&
             check_kind(messages, cells, PART_MAP,
                        "a layer's sheet holds a line for each cell, as in: pad.north: keys.space"))
        layer->cells = cells;
}

void read_layers(yt_scope *scope, const yt_part *list) {
    yt_messages *messages = scope->messages;
    if (!check_kind(messages, list, PART_LIST,
                    "layers: is a list; each layer begins with a dash, as in: - name: hoist"))
        return;
    if (!scope->layers->all)
        scope->layers->all = pool_take(scope->pool, PROFILE_LAYERS * sizeof *scope->layers->all);
    for (const yt_part *map = list->first; map; map = map->next) {
        if (scope->layers->count == PROFILE_LAYERS) {
            messages_add(messages, map->place, "a profile has up to %d layers", PROFILE_LAYERS);
            return;
        }
        if (check_kind(messages, map, PART_MAP,
                       "a layer is a map: with name, while, shared and sheet"))
            read_layer(scope, map);
    }
}

/* A note of `operation` for a layer, with up to one argument. */
static unsigned note(yt_build *build, unsigned operation, unsigned type, int layer, unsigned count,
                     unsigned argument) {
    yt_build_node node = {.operation = (uint16_t)operation,
                          .type = (uint8_t)type,
                          .argument_count = (uint8_t)count,
                          .data = layer,
                          .arguments = &argument};
    return build_add(build, node);
}

unsigned layer_view(yt_lowering *lowering, yt_program_control record) {
    yt_build *build = lowering->scope->build;
    const yt_held_press *held = chord_held(lowering->scope, &record);
    unsigned node = held ? held->node : build_control(build, record);
    if (lowering->layer == LAYER_ALL || record.from_host)
        return node;
    return note(build, BUILD_VIEW, build->nodes[node].type, lowering->layer, 1, node);
}

unsigned layer_alive(const yt_scope *scope, int layer) {
    if (layer < 1)
        return build_switch(scope->build, true);
    return note(scope->build, BUILD_ALIVE, YT_TYPE_SWITCH, layer, 0, 0);
}

unsigned layer_presses(const yt_scope *scope, int layer) {
    return note(scope->build, BUILD_PRESSES, YT_TYPE_EVENT, layer, 0, 0);
}

unsigned layer_on(const yt_scope *scope, int layer) {
    return layer < 1 ? build_switch(scope->build, true) : scope->layers->all[layer - 1].on;
}

/* How a control is read (a key as a switch or as a level) and where it is put together with another
 * makes it no other control. */
bool is_same_control(const yt_program_control *a, const yt_program_control *b) {
    return a->page == b->page && a->usage == b->usage && a->input == b->input &&
           a->occurrence == b->occurrence && a->part == b->part && a->from_host == b->from_host &&
           a->place == b->place;
}

bool is_layer_condition(const yt_scope *scope, const yt_program_control *record) {
    for (unsigned i = 0; i < scope->layers->count; i++)
        if (scope->layers->all[i].is_bare && is_same_control(&scope->layers->all[i].bare, record))
            return true;
    return false;
}

/* A control as one layer sees it. */
typedef struct yt_view {
    unsigned node; /* that stands for it so far */
    unsigned control;
    int layer;
    const yt_program_control *record;
    bool is_shared;
} yt_view;

typedef struct yt_resolving {
    yt_scope *scope;
    yt_build *build;
    yt_view *views; /* those of one control stand together; the topmost layer first */
    unsigned count;
} yt_resolving;

static bool is_shared(const yt_scope *scope, int layer, const yt_program_control *record) {
    if (layer < 1)
        return false;
    const struct yt_layer *at = &scope->layers->all[layer - 1];
    for (unsigned i = 0; i < at->shared_count; i++)
        if (is_same_control(&at->shared[i], record))
            return true;
    return false;
}

static int compare_views(const void *a, const void *b) {
    const yt_view *one = a, *other = b;
    const yt_program_control *left = one->record, *right = other->record;
    int orders[] = {left->input - right->input, left->page - right->page,
                    left->usage - right->usage, left->occurrence - right->occurrence,
                    left->part - right->part,   left->place - right->place,
                    other->layer - one->layer,  (int)one->node - (int)other->node};
    for (size_t i = 0; i < sizeof orders / sizeof orders[0]; i++)
        if (orders[i])
            return orders[i];
    return 0;
}

static void collect_views(yt_resolving *resolving) {
    yt_build *build = resolving->build;
    for (int fill = 0; fill < 2; fill++) {
        resolving->count = 0;
        for (unsigned i = 0; i < build->node_count; i++) {
            const yt_build_node *node = &build->nodes[i];
            if (node->operation != BUILD_VIEW)
                continue;
            if (fill) {
                unsigned control = node->arguments[0], read = control;
                if (build->nodes[control].operation == YT_OP_HELD_BACK)
                    read = build->nodes[control].arguments[1];
                const yt_program_control *record = &build->readings[build->nodes[read].data].record;
                resolving->views[resolving->count] =
                    (yt_view){i, control, node->data, record,
                              is_shared(resolving->scope, node->data, record)};
            }
            resolving->count++;
        }
        if (!fill)
            resolving->views =
                pool_take(resolving->scope->pool, (resolving->count + 1) * sizeof(yt_view));
    }
    if (resolving->count > 0)
        qsort(resolving->views, resolving->count, sizeof(yt_view), compare_views);
}

/* The layers that take a control, the topmost first; behind them the sheet, if it reads it. */
typedef struct yt_takers {
    int layers[PROFILE_LAYERS + 1];
    unsigned count;
} yt_takers;

static yt_takers find_takers(const yt_view *views, unsigned count) {
    yt_takers takers = {.count = 0};
    for (unsigned i = 0; i < count; i++)
        if (!views[i].is_shared &&
            (takers.count == 0 || takers.layers[takers.count - 1] != views[i].layer))
            takers.layers[takers.count++] = views[i].layer;
    return takers;
}

static unsigned place_among(const yt_takers *takers, int layer) {
    unsigned at = 0;
    while (takers->layers[at] != layer)
        at++;
    return at;
}

/* Which of the layers a press belongs to. */
static unsigned make_owner(yt_resolving *resolving, const yt_takers *takers, unsigned control) {
    unsigned arguments[PROFILE_LAYERS + 1] = {control}, count = 1;
    for (unsigned i = 0; i < takers->count && takers->layers[i] != LAYER_SHEET; i++)
        arguments[count++] = layer_on(resolving->scope, takers->layers[i]);
    return build_add(resolving->build, (yt_build_node){.operation = YT_OP_OWNER,
                                                       .type = YT_TYPE_NUMBER,
                                                       .argument_count = (uint8_t)count,
                                                       .arguments = arguments});
}

/* 1 while `at` is the topmost of the layers that are on. */
static unsigned make_turn(yt_resolving *resolving, const yt_takers *takers, unsigned at) {
    yt_build *build = resolving->build;
    unsigned turn = layer_on(resolving->scope, takers->layers[at]);
    bool is_sheet = takers->layers[at] == LAYER_SHEET;
    for (unsigned i = at; i-- > 0;) {
        unsigned above = layer_on(resolving->scope, takers->layers[i]);
        unsigned off = build_node_of(build, YT_OP_NOT, YT_TYPE_SWITCH, 1, above, 0, 0);
        turn = is_sheet && i + 1 == at
                   ? off
                   : build_node_of(build, YT_OP_AND, YT_TYPE_SWITCH, 2, off, turn, 0);
    }
    return turn;
}

/* What stands for a view from now on. */
static unsigned make_view(yt_resolving *resolving, const yt_takers *takers, const yt_view *view) {
    yt_build *build = resolving->build;
    unsigned type = build->nodes[view->control].type;
    if (view->is_shared)
        return build_node_of(build, YT_OP_GATE, type, 2, layer_on(resolving->scope, view->layer),
                             view->control, 0);
    unsigned at = place_among(takers, view->layer);
    if (takers->count == 1 && view->layer == LAYER_SHEET)
        return view->control;
    if (type != YT_TYPE_SWITCH)
        return build_node_of(build, YT_OP_GATE, type, 2, make_turn(resolving, takers, at),
                             view->control, 0);
    unsigned owner = make_owner(resolving, takers, view->control);
    unsigned number = build_constant(build, (yt_q16)(at + 1) * YT_ONE);
    return build_node_of(build, YT_OP_EQUAL, YT_TYPE_SWITCH, 2, owner, number, 0);
}

static void resolve_views(yt_resolving *resolving) {
    for (unsigned i = 0; i < resolving->count;) {
        const yt_view *first = &resolving->views[i];
        unsigned end = i + 1;
        while (end < resolving->count &&
               is_same_control(first->record, resolving->views[end].record))
            end++;
        yt_takers takers = find_takers(first, end - i);
        for (; i < end; i++)
            build_alias(resolving->build, resolving->views[i].node,
                        make_view(resolving, &takers, &resolving->views[i]));
    }
}

/* Any of the switches that a layer takes, and its condition: in as many nodes as it needs, but at
 * least one, as a cancel does not go on through it. */
static unsigned make_alive(yt_resolving *resolving, int layer) {
    unsigned arguments[BUILD_ARGUMENTS] = {layer_on(resolving->scope, layer)}, count = 1;
    for (unsigned i = 0; i <= resolving->count; i++) {
        const yt_view *view = &resolving->views[i];
        bool is_end = i == resolving->count;
        if (!is_end && (view->layer != layer || view->is_shared ||
                        resolving->build->nodes[view->control].type != YT_TYPE_SWITCH))
            continue;
        if (!is_end)
            arguments[count++] = build_find(resolving->build, view->node);
        if (!is_end && count < BUILD_ARGUMENTS)
            continue;
        arguments[0] = build_add(resolving->build, (yt_build_node){.operation = YT_OP_ANY,
                                                                   .type = YT_TYPE_SWITCH,
                                                                   .argument_count = (uint8_t)count,
                                                                   .arguments = arguments});
        count = 1;
    }
    return arguments[0];
}

/* The sum of an event for each switch that a layer names; UINT32_MAX: it names none. */
static unsigned make_presses(yt_resolving *resolving, int layer) {
    yt_build *build = resolving->build;
    unsigned sum = UINT32_MAX;
    for (unsigned i = 0; i < resolving->count; i++) {
        const yt_view *view = &resolving->views[i];
        if (view->layer != layer || build->nodes[view->control].type != YT_TYPE_SWITCH)
            continue;
        unsigned press = build_node_of(build, YT_OP_PRESS, YT_TYPE_EVENT, 1, view->control, 0, 0);
        sum = sum == UINT32_MAX ? press
                                : build_node_of(build, YT_OP_ADD, YT_TYPE_EVENT, 2, sum, press, 0);
    }
    return sum;
}

bool resolve_layers(yt_scope *scope) {
    yt_resolving resolving = {.scope = scope, .build = scope->build};
    yt_build *build = scope->build;
    unsigned count = build->node_count;
    collect_views(&resolving);
    resolve_views(&resolving);
    for (unsigned i = 0; i < count; i++) {
        unsigned operation = build->nodes[i].operation;
        int layer = build->nodes[i].data;
        if (operation != BUILD_ALIVE && operation != BUILD_PRESSES)
            continue;
        unsigned node = operation == BUILD_ALIVE ? make_alive(&resolving, layer)
                                                 : make_presses(&resolving, layer);
        if (node == UINT32_MAX) {
            messages_add(scope->messages, scope->layers->all[layer - 1].head->place,
                         "next_press waits for a switch that this layer's cells name, but they "
                         "name none");
            return false;
        }
        build_alias(build, i, node);
    }
    return true;
}
