#include "compiler/building/operations.h"
#include "compiler/formulas/layers.h"
#include "compiler/formulas/lowering.h"
#include "compiler/formulas/parameters.h"
#include "compiler/profile/copy.h"
#include "compiler/profile/macros.h"
#include "compiler/profile/rebinds.h"
#include "compiler/profile/targets.h"
#include "compiler/profile/warnings.h"
#include "compiler/reading/keys.h"

#include <string.h>

/* A cell that drives a control: of the sheet, or of a layer. */
typedef struct yt_driver {
    int layer;
    const yt_part *key;
    bool drives; /* false: the cell is `none` */
    unsigned node;
} yt_driver;

/* What a macro makes of a control while its step is on. */
typedef struct yt_macro_step {
    unsigned step;
    unsigned value; /* of a switch: 1 */
    bool adds;      /* counts that it adds */
} yt_macro_step;

/* One control that something drives. */
typedef struct yt_driven {
    unsigned report; /* of a device: 256 and its input; of the adapter: 512 */
    unsigned bit, number, part;
    const yt_cell_target *target;
    unsigned index;     /* which of the target's controls it is */
    yt_driver *drivers; /* the lowest layer first */
    unsigned count, room;
    yt_macro_step *steps;
    unsigned step_count, step_room;
    bool has_modifiers; /* a cell presses it with modifiers */
} yt_driven;

struct yt_sheet {
    yt_scope *scope;
    yt_driven *list;
    unsigned count, room;
    unsigned *index; /* hash table of places in the list + 1 */
    unsigned index_size;
};

static yt_driven driven_by(const yt_cell_target *target, unsigned k) {
    const yt_output_control *control = &target->controls[k];
    const yt_control_meaning *device = &target->device;
    yt_driven driven = {.report = control->report,
                        .bit = control->root.at.bit,
                        .number = control->root.number,
                        .part = control->root.part,
                        .target = target,
                        .index = k};
    if (target->is_action) {
        driven.report = 512;
        driven.bit = target->action.page;
        driven.number = target->action.usage;
        driven.part = 0;
    }
    if (!target->is_device)
        return driven;
    bool here = device->has_place && (device->place.flags & YT_PLACE_HERE);
    driven.report = 256 + target->input;
    driven.bit = here ? device->place.at.bit : device->name.usage;
    driven.number = here ? device->place.at.report_id + 0x10000u : device->name.page;
    driven.part = device->name.occurrence;
    return driven;
}

static unsigned *driven_slot(const yt_sheet *sheet, const yt_driven *new) {
    uint32_t hash = ((new->report * 31u + new->bit) * 31u + new->number) * 31u + new->part;
    unsigned at = (hash ^ hash >> 15) & (sheet->index_size - 1);
    for (; sheet->index[at]; at = (at + 1) & (sheet->index_size - 1)) {
        const yt_driven *old = &sheet->list[sheet->index[at] - 1];
        if (old->report == new->report && old->bit == new->bit && old->number == new->number &&
            old->part == new->part)
            break;
    }
    return &sheet->index[at];
}

static void grow_index(yt_sheet *sheet) {
    sheet->index_size = sheet->index_size ? 2 * sheet->index_size : 64;
    sheet->index = pool_take(sheet->scope->pool, sheet->index_size * sizeof *sheet->index);
    for (unsigned i = 0; i < sheet->count; i++)
        *driven_slot(sheet, &sheet->list[i]) = i + 1;
}

/* The record of a target's control, a new one where nothing drives it yet. The target stays. */
static yt_driven *find_driven(yt_sheet *sheet, const yt_cell_target *target, unsigned k) {
    yt_driven new = driven_by(target, k);
    if (2 * (sheet->count + 1) >= sheet->index_size)
        grow_index(sheet);
    unsigned *slot = driven_slot(sheet, &new);
    if (*slot == 0) {
        sheet->list = pool_grow(sheet->scope->pool, sheet->list, sheet->count, &sheet->room,
                                sizeof *sheet->list);
        sheet->list[sheet->count] = new;
        *slot = ++sheet->count;
    }
    return &sheet->list[*slot - 1];
}

/* The cell of a layer that drives a control already; NULL if there is none. */
static const yt_driver *find_driver(const yt_driven *driven, int layer) {
    const yt_driver *last = driven->count ? &driven->drivers[driven->count - 1] : NULL;
    return last && last->layer == layer ? last : NULL;
}

static void add_driver(yt_sheet *sheet, yt_driven *driven, yt_driver new) {
    driven->drivers = pool_grow(sheet->scope->pool, driven->drivers, driven->count, &driven->room,
                                sizeof *driven->drivers);
    driven->drivers[driven->count++] = new;
}

/* A stick and one of its axes are the same control too. */
static bool is_free(yt_sheet *sheet, const yt_part *key, const yt_cell_target *target, int layer) {
    for (unsigned k = 0; k < target->count; k++) {
        const yt_driver *old = find_driver(find_driven(sheet, target, k), layer);
        if (!old)
            continue;
        messages_add(sheet->scope->messages, key->place,
                     "%s is driven twice; the other cell is \"%s\" in line %d", key->text,
                     old->key->text, old->key->place.line);
        return false;
    }
    return true;
}

/* What a `none` of a layer puts in the place of what lies below: nothing. */
static unsigned nothing_node(const yt_sheet *sheet, const yt_driven *driven, unsigned type) {
    yt_build *build = sheet->scope->build;
    unsigned off = build_switch(build, false);
    if (type == YT_TYPE_SWITCH)
        return off;
    if (type == YT_TYPE_NUMBER)
        return build_constant(build, 0);
    for (unsigned i = 0; i < driven->count; i++)
        if (driven->drivers[i].drives)
            return build_node_of(build, YT_OP_GATE, type, 2, off, driven->drivers[i].node, 0);
    return off;
}

/* What drives a control, of its cells so far: the one of the topmost layer that is on.
 * BUILD_NOWHERE: nothing does. */
static unsigned combine(const yt_sheet *sheet, const yt_driven *driven) {
    unsigned arguments[2 * (PROFILE_LAYERS + 1)], used = 0;
    unsigned type = target_type(driven->target);
    bool any = false;
    for (unsigned i = driven->count; i-- > 0;) {
        const yt_driver *driver = &driven->drivers[i];
        any |= driver->drives;
        if (!driver->drives && driver->layer == LAYER_SHEET)
            continue;
        arguments[used++] = layer_on(sheet->scope, driver->layer);
        arguments[used++] = driver->drives ? driver->node : nothing_node(sheet, driven, type);
    }
    if (!any)
        return BUILD_NOWHERE;
    if (used == 2 && arguments[0] == layer_on(sheet->scope, LAYER_SHEET))
        return arguments[1];
    unsigned operation = type == YT_TYPE_SWITCH ? YT_OP_DRIVE : YT_OP_TOPMOST;
    return build_add(sheet->scope->build, (yt_build_node){.operation = (uint16_t)operation,
                                                          .type = (uint8_t)type,
                                                          .argument_count = (uint8_t)used,
                                                          .arguments = arguments});
}

/* What lies below a new cell of a target, as a value: at rest where nothing does. False: nothing
 * can. */
static bool find_below(yt_sheet *sheet, const yt_cell_target *target, const yt_part *text,
                       yt_value *below) {
    unsigned nodes[2] = {0, 0}, driven_count = 0;
    for (unsigned k = 0; k < target->count; k++) {
        const yt_driven *driven = find_driven(sheet, target, k);
        nodes[k] = combine(sheet, driven);
        driven_count += nodes[k] != BUILD_NOWHERE;
        if (nodes[k] != BUILD_NOWHERE)
            continue;
        if (target_type(target) == YT_TYPE_PULSE)
            return false;
        nodes[k] = nothing_node(sheet, driven, target_type(target));
    }
    if (driven_count == 0)
        messages_warn(sheet->scope->messages, text->place,
                      "no other cell drives this control, so `below` is always at rest");
    *below = (yt_value){.type = target->type, .node = nodes[0], .second = nodes[1]};
    return true;
}

/* A layer's cell rests when the layer has ended and owns no press any more. A press that it owns,
 * and a function of its own, do so by themselves. */
static unsigned rest_with_layer(const yt_sheet *sheet, int layer, const yt_cell_target *target,
                                unsigned node) {
    yt_build *build = sheet->scope->build;
    if (layer < 1 || target->type != VALUE_SWITCH)
        return node;
    unsigned alive = layer_alive(sheet->scope, layer);
    const yt_build_node *at = &build->nodes[node];
    const yt_function *function = operation_function(at->operation);
    bool is_function = function && function->alive && at->arguments[0] == alive;
    if (is_function || (at->operation == BUILD_VIEW && at->data == layer))
        return node;
    return build_node_of(build, YT_OP_AND, YT_TYPE_SWITCH, 2, node, alive, 0);
}

static void note_cell(yt_scope *scope, yt_cell_record record) {
    scope->cells->all = pool_grow(scope->pool, scope->cells->all, scope->cells->count,
                                  &scope->cells->room, sizeof *scope->cells->all);
    scope->cells->all[scope->cells->count++] = record;
}

static yt_value read_formula(yt_sheet *sheet, const yt_part *key, const yt_part *text,
                             const yt_cell_target *target, int layer, bool is_copy) {
    yt_scope *scope = sheet->scope;
    yt_value below;
    yt_cell cell = {.part = text, .wanted = target->type, .what = key->text, .layer = layer};
    const yt_term *term = formula_parse(scope->pool, scope->messages, text);
    if (!term)
        return (yt_value){.type = VALUE_NOTHING};
    if (layer < 1)
        cell.no_below = "`below` is what lies below a layer's cell; nothing lies below the sheet";
    else if (!formula_has_name(term, text->text, "below") ||
             find_below(sheet, target, text, &below))
        cell.below = &below;
    else
        cell.no_below = "nothing lies below this cell: no other drives its control";
    yt_value value = target->parameter && target->type == VALUE_QUANTITY
                         ? lower_setting(scope, target->parameter, text, term)
                         : lower_cell(scope, &cell, term);
    note_cell(scope, (yt_cell_record){key, text, term, NULL, layer, is_copy, value});
    return value;
}

static void add_step(yt_sheet *sheet, const yt_cell_target *target, unsigned k,
                     yt_macro_step step) {
    yt_driven *driven = find_driven(sheet, target, k);
    driven->steps = pool_grow(sheet->scope->pool, driven->steps, driven->step_count,
                              &driven->step_room, sizeof step);
    driven->steps[driven->step_count++] = step;
}

/* The modifiers in front of a key, "typed.left_control+left_shift+z": each is pressed with it, and
 * released behind it. The cell is then that of the key. */
static void add_modifiers(yt_sheet *sheet, const yt_part *key, const yt_part *whole,
                          const char *output, size_t length, int layer, unsigned node) {
    yt_scope *scope = sheet->scope;
    yt_cell_target *target = pool_take(scope->pool, sizeof *target);
    if (!target_find(sheet->scope, key, target))
        return;
    find_driven(sheet, target, 0)->has_modifiers = true;
    if (layer >= 1)
        node = rest_with_layer(sheet, layer, target, node);
    node = build_add(scope->build, (yt_build_node){.operation = YT_OP_OUTLASTS,
                                                   .type = YT_TYPE_SWITCH,
                                                   .argument_count = 1,
                                                   .arguments = &node});
    const char *at = whole->text + length + 1, *plus;
    for (; (plus = strchr(at, '+')); at = plus + 1) {
        yt_part *modifier = pool_take(scope->pool, sizeof *modifier);
        *modifier = *whole;
        modifier->text =
            pool_print(scope->pool, "%.*s.%.*s", (int)length, output, (int)(plus - at), at);
        modifier->bytes = strlen(modifier->text);
        target = pool_take(scope->pool, sizeof *target);
        if (!target_find(sheet->scope, modifier, target))
            return;
        if (target->count != 1 || target->is_device ||
            target->controls[0].root.kind != YT_ROOT_MODIFIER) {
            messages_add(scope->messages, whole->place,
                         "in front of a + stand modifiers of a keyboard, as in "
                         "typed.left_control+c; %.60s is none",
                         modifier->text);
            return;
        }
        add_step(sheet, target, 0, (yt_macro_step){node, 0, false});
    }
}

/* `is_copy`: the cells that are there go before it, and nothing is said of that. */
static void add_cell(yt_sheet *sheet, const yt_part *key, const yt_part *text, int layer,
                     bool is_copy) {
    yt_scope *scope = sheet->scope;
    yt_cell_target *target = pool_take(scope->pool, sizeof *target);
    const yt_part *whole = NULL;
    const char *plus = strrchr(key->text, '+'), *dot = strchr(key->text, '.');
    if (plus && dot && dot < plus) { /* the key behind its modifiers */
        yt_part *last = pool_take(scope->pool, sizeof *last);
        whole = key;
        *last = *key;
        last->text =
            pool_print(scope->pool, "%.*s%s", (int)(dot + 1 - key->text), key->text, plus + 1);
        last->bytes = strlen(last->text);
        key = last;
    }
    if (!target_find(sheet->scope, key, target))
        return;
    if (is_copy && find_driver(find_driven(sheet, target, 0), layer))
        return;
    if (target->parameter && target->type == VALUE_QUANTITY && layer != LAYER_SHEET) {
        messages_add(scope->messages, key->place,
                     "a parameter is set in the sheet or by a macro, not in a layer");
        return;
    }
    if (!is_free(sheet, key, target, layer) ||
        !check_kind(scope->messages, text, PART_TEXT, "a cell is a formula, not a map or a list"))
        return;
    bool drives = strcmp(text->text, "none") != 0;
    yt_value value = {.type = VALUE_NOTHING};
    if (drives)
        value = read_formula(sheet, key, text, target, layer, is_copy);
    else
        note_cell(scope, (yt_cell_record){key, text, NULL, NULL, layer, is_copy, value});
    if (whole && target->type != VALUE_SWITCH) {
        messages_add(scope->messages, whole->place,
                     "only a key has modifiers in front of a +, as in typed.left_control+c");
        return;
    }
    if (whole)
        scope->cells->all[scope->cells->count - 1].whole = whole;
    if (whole && value.type == VALUE_SWITCH)
        add_modifiers(sheet, key, whole, whole->text,
                      (size_t)(strchr(whole->text, '.') - whole->text), layer, value.node);
    for (unsigned k = 0; k < target->count; k++) {
        yt_driver new = {.layer = layer, .key = key, .drives = value.type != VALUE_NOTHING};
        if (new.drives)
            new.node = rest_with_layer(sheet, layer, target, k ? value.second : value.node);
        if (layer == LAYER_SHEET && !whole)
            new.drives |= rebind_cell(scope, key, target, k, new.drives, &new.node);
        add_driver(sheet, find_driven(sheet, target, k), new);
    }
}

bool sheet_drives(yt_sheet *sheet, int layer, const char *control) {
    yt_part key = {.text = control, .bytes = strlen(control)};
    yt_cell_target *target = pool_take(sheet->scope->pool, sizeof *target);
    if (!target_find(sheet->scope, &key, target))
        return false;
    for (unsigned k = 0; k < target->count; k++)
        if (find_driver(find_driven(sheet, target, k), layer))
            return true;
    return false;
}

void sheet_copy(yt_sheet *sheet, const yt_part *copy, int layer, const char *control,
                const char *formula) {
    yt_scope *scope = sheet->scope;
    yt_part *key = pool_take(scope->pool, sizeof *key),
            *cell = pool_take(scope->pool, sizeof *cell);
    *key = *cell = *copy;
    key->kind = cell->kind = PART_TEXT;
    key->first = cell->first = NULL;
    key->text = control;
    key->bytes = strlen(control);
    cell->text = formula;
    cell->bytes = strlen(formula);
    add_cell(sheet, key, cell, layer, true);
}

void sheet_press(yt_sheet *sheet, const yt_part *control, unsigned step) {
    yt_cell_target *target = pool_take(sheet->scope->pool, sizeof *target);
    if (!target_find(sheet->scope, control, target))
        return;
    if (target->type == VALUE_SWITCH)
        add_step(sheet, target, 0, (yt_macro_step){step, 0, false});
    else
        messages_add(sheet->scope->messages, control->place,
                     "%.60s is no switch, so it cannot be pressed; write: set: {%.60s: 50%%}",
                     control->text, control->text);
}

/* A step puts a number into a parameter when it begins. */
static void put_parameter(yt_sheet *sheet, yt_cell_target *target, const yt_part *text,
                          unsigned step) {
    yt_scope *scope = sheet->scope;
    const yt_term *term = formula_parse(scope->pool, scope->messages, text);
    yt_value value = term ? lower_setting(scope, target->parameter, text, term)
                          : (yt_value){.type = VALUE_NOTHING};
    if (value.type == VALUE_NOTHING)
        return;
    const yt_program_parameter *range = &scope->build->parameters[target->action.usage];
    if (value.type != VALUE_CONSTANT || value.amount < range->minimum ||
        value.amount > range->maximum) {
        messages_add(scope->messages, text->place,
                     "a macro sets a parameter to a number that is written here, from its min to "
                     "its max");
        return;
    }
    target->action.page = YT_ACTION_PUT;
    target->action.kind = YT_SWITCH;
    target->action.other_page = (uint16_t)value.amount;
    target->action.other_usage = (uint16_t)((uint32_t)value.amount >> 16);
    build_add_target(scope->build, target->action, step);
}

/* A speed that a step sets is looked at only while the step is going on. What it comes to is added,
 * since the last of it is known when the step is over; all else does not move while it is on. */
static void set_speed(yt_sheet *sheet, const yt_cell_target *target, unsigned k, unsigned step,
                      unsigned node) {
    yt_build *build = sheet->scope->build;
    unsigned speed = build->nodes[node].arguments[0], off = build_switch(build, false);
    speed = build_node_of(build, YT_OP_GATE, YT_TYPE_NUMBER, 2, step, speed, 0);
    node = build_add(build, (yt_build_node){.operation = YT_OP_TRAVEL,
                                            .type = YT_TYPE_PULSE,
                                            .argument_count = 1,
                                            .arguments = &speed});
    unsigned nothing = build_node_of(build, YT_OP_GATE, YT_TYPE_PULSE, 2, off, node, 0);
    add_step(sheet, target, k, (yt_macro_step){step, nothing, false});
    add_step(sheet, target, k, (yt_macro_step){step, node, true});
}

void sheet_set(yt_sheet *sheet, const yt_part *key, unsigned step) {
    yt_cell_target *target = pool_take(sheet->scope->pool, sizeof *target);
    if (!target_find(sheet->scope, key, target) ||
        !check_kind(sheet->scope->messages, key->next, PART_TEXT, "what is set is a formula"))
        return;
    if (target->parameter && target->type == VALUE_QUANTITY) {
        put_parameter(sheet, target, key->next, step);
        return;
    }
    if (target->type == VALUE_SWITCH) {
        messages_add(sheet->scope->messages, key->place,
                     "%.60s is a switch, so it is pressed; write: press: %.60s", key->text,
                     key->text);
        return;
    }
    yt_value value = read_formula(sheet, key, key->next, target, LAYER_ALL, false);
    for (unsigned k = 0; value.type != VALUE_NOTHING && k < target->count; k++) {
        unsigned node = k ? value.second : value.node;
        if (sheet->scope->build->nodes[node].operation == YT_OP_TRAVEL)
            set_speed(sheet, target, k, step, node);
        else
            add_step(sheet, target, k, (yt_macro_step){step, node, false});
    }
}

void sheet_move(yt_sheet *sheet, const yt_part *key, unsigned step) {
    yt_scope *scope = sheet->scope;
    yt_build *build = scope->build;
    yt_cell_target *target = pool_take(scope->pool, sizeof *target);
    if (!target_find(sheet->scope, key, target) ||
        !check_kind(scope->messages, key->next, PART_TEXT, "what is moved is a number of counts"))
        return;
    if (target->type != VALUE_MOTION) {
        messages_add(scope->messages, key->place,
                     "what is moved is a wheel, or one direction of motion, such as view.motion.x");
        return;
    }
    const yt_term *term = formula_parse(scope->pool, scope->messages, key->next);
    yt_value counts =
        term ? lower_formula(scope, key->next, term) : (yt_value){.type = VALUE_NOTHING};
    if (counts.type == VALUE_NOTHING)
        return;
    if (counts.type != VALUE_CONSTANT || counts.unit != YT_UNIT_NONE) {
        messages_add(scope->messages, key->next->place, "a number of counts belongs here, as in 3");
        return;
    }
    unsigned arguments[] = {build_switch(build, true), step,
                            build_constant(build, (yt_q16)counts.amount)};
    unsigned node = build_add(build, (yt_build_node){.operation = YT_OP_MOTION_STEP,
                                                     .type = YT_TYPE_PULSE,
                                                     .argument_count = 3,
                                                     .arguments = arguments});
    add_step(sheet, target, 0, (yt_macro_step){step, node, true});
}

/* As many of the steps as one node holds, and what is so far, `node`. On switches all are or-ed; of
 * all else a step wins. */
static unsigned with_some_steps(const yt_sheet *sheet, const yt_driven *driven, unsigned node,
                                unsigned *next) {
    yt_build *build = sheet->scope->build;
    unsigned arguments[BUILD_ARGUMENTS], used = 0, type = target_type(driven->target);
    for (; *next < driven->step_count && used + 4 < BUILD_ARGUMENTS; ++*next) {
        if (driven->steps[*next].adds)
            continue;
        arguments[used++] = driven->steps[*next].step;
        if (type != YT_TYPE_SWITCH)
            arguments[used++] = driven->steps[*next].value;
    }
    if (used == 0)
        return node;
    if (node != BUILD_NOWHERE && type != YT_TYPE_SWITCH)
        arguments[used++] = build_switch(build, true);
    if (node != BUILD_NOWHERE)
        arguments[used++] = node;
    unsigned operation = type == YT_TYPE_SWITCH ? YT_OP_ANY : YT_OP_TOPMOST;
    return build_add(build, (yt_build_node){.operation = (uint16_t)operation,
                                            .type = (uint8_t)type,
                                            .argument_count = (uint8_t)used,
                                            .arguments = arguments});
}

static void add_root(const yt_sheet *sheet, const yt_driven *driven) {
    yt_build *build = sheet->scope->build;
    const yt_cell_target *target = driven->target;
    unsigned node = combine(sheet, driven);
    for (unsigned next = 0; next < driven->step_count;)
        node = with_some_steps(sheet, driven, node, &next);
    for (unsigned i = 0; i < driven->step_count; i++)
        if (driven->steps[i].adds)
            node = node == BUILD_NOWHERE ? driven->steps[i].value
                                         : build_node_of(build, YT_OP_ADD, YT_TYPE_PULSE, 2, node,
                                                         driven->steps[i].value, 0);
    if (node == BUILD_NOWHERE)
        return;
    if (target->is_action) {
        build_add_target(build, target->action, node);
        return;
    }
    if (target->is_device) {
        build_add_target(build, input_control_record(build, target->input, &target->device), node);
        return;
    }
    const yt_output_control *control = &target->controls[driven->index];
    yt_program_root root = control->root;
    if (driven->has_modifiers && root.kind != YT_ROOT_MODIFIER)
        root.part = 1;
    if (root.kind >= YT_ROOT_AXIS)
        root.range = (uint16_t)build_range(build, control->range);
    build_add_root(build, root, control->report, node);
}

static const char *const sides[] = {"left_trigger", "right_trigger"};

/* Whether a key is of both triggers of an output that calls nothing else so. */
static bool is_of_both(const yt_sheet *sheet, const yt_part *key, size_t front) {
    const struct yt_profile_devices *devices = sheet->scope->devices;
    yt_control_name meaning;
    if (strcmp(key->text + front, "." BOTH_TRIGGERS) != 0)
        return false;
    for (unsigned i = 0; i < devices->output_count; i++)
        if (is_name(devices->outputs[i].name, key->text, front))
            return control_named(devices->outputs[i].kind, sides[0], strlen(sides[0]), &meaning) &&
                   !control_named(devices->outputs[i].kind, BOTH_TRIGGERS, strlen(BOTH_TRIGGERS),
                                  &meaning);
    return false;
}

/* A cell for both triggers is one for each: the same formula, in which both of an input's stand for
 * the one on the same side. What is wrong is said once. */
static void add_cells(yt_sheet *sheet, const yt_part *key, int layer) {
    yt_scope *scope = sheet->scope;
    size_t front = strcspn(key->text, ".");
    int before = scope->messages->count;
    if (!is_of_both(sheet, key, front)) {
        add_cell(sheet, key, key->next, layer, false);
        return;
    }
    for (unsigned i = 0; i < 2 && scope->messages->count == before; i++) {
        yt_part *side = pool_take(scope->pool, sizeof *side);
        *side = *key;
        side->text = pool_print(scope->pool, "%.*s.%s", (int)front, key->text, sides[i]);
        side->bytes = strlen(side->text);
        scope->side = sides[i];
        add_cell(sheet, side, key->next, layer, false);
        scope->side = NULL;
    }
}

static void read_cells(yt_sheet *sheet, const yt_part *cells, int layer) {
    for (const yt_part *key = cells ? cells->first : NULL; key; key = key->next->next)
        add_cells(sheet, key, layer);
}

void read_sheet(yt_scope *scope, const yt_files *files) {
    const yt_part *top = files->tops[files->count - 1];
    const yt_part *cells = find_value(top, "sheet"), *copies = find_value(top, "copy");
    yt_sheet sheet = {.scope = scope};
    if (!cells && !copies) {
        messages_add(scope->messages, top->place,
                     "a profile needs a sheet: with a line for each output control that is driven, "
                     "as in: pad.south: keys.space");
        return;
    }
    if (cells && !check_kind(scope->messages, cells, PART_MAP,
                             "the sheet holds a line for each cell, as in: pad.south: keys.space"))
        return;
    read_cells(&sheet, cells, LAYER_SHEET);
    if (copies)
        read_copies(&sheet, scope, copies, LAYER_SHEET);
    for (unsigned i = 0; i < scope->layers->count; i++) {
        read_cells(&sheet, scope->layers->all[i].cells, (int)i + 1);
        if (scope->layers->all[i].copies)
            read_copies(&sheet, scope, scope->layers->all[i].copies, (int)i + 1);
    }
    apply_macros(&sheet, scope);
    if (scope->messages->count > 0)
        return;
    warn_of_cells(scope);
    for (unsigned i = 0; i < sheet.count; i++)
        add_root(&sheet, &sheet.list[i]);
}
