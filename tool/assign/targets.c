/* Where a formula may stand: what the outputs have, lights and motors of devices, what the adapter
 * can be asked for, named formulas, conditions of layers and macros. */
#include "tool/assign/parts.h"

#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/formulas/named.h"
#include "compiler/profile/targets.h"
#include "compiler/reading/keys.h"
#include "yonder/actions.h"

#define ADAPTER_SLOTS 8 /* that are offered to be gone to */

typedef struct listing {
    assign *assign;
    const yt_profile_output *output;
} listing;

static assign_target *add_target(assign *assign, const char *name, yt_formula_type type) {
    static assign_target none;
    for (unsigned i = 0; i < assign->target_count; i++)
        if (strcmp(assign->targets[i].name, name) == 0)
            return &none;
    if (assign->target_count == ASSIGN_TARGETS)
        return &none;
    assign_target *target = &assign->targets[assign->target_count++];
    const char *kept = pool_print(&assign->target_pool, "%s", name);
    *target = (assign_target){.name = kept, .key = kept, .type = type};
    return target;
}

static bool find_output(const yt_profile_output *output, const char *name,
                        yt_output_control *control) {
    yt_control_name named;
    return control_named(output->kind, name, strlen(name), &named) &&
           output_control_find(output, &named, control) && !control->from_host;
}

/* A control of an output; both directions of a stick, or of motion, are one. */
static void add_named(void *context, const char *name) {
    listing *listing = context;
    assign *assign = listing->assign;
    yt_output_control control, other;
    size_t length = strlen(name);
    if (!find_output(listing->output, name, &control))
        return;
    bool has_side = length > 2 && name[length - 2] == '.' && strchr("xy", name[length - 1]);
    const char *across = pool_print(&assign->target_pool, "%.*s.x", (int)length - 2, name);
    const char *along = pool_print(&assign->target_pool, "%.*s.y", (int)length - 2, name);
    yt_formula_type type = value_type_of(control.kind);
    if (has_side && find_output(listing->output, across, &other) &&
        find_output(listing->output, along, &other)) {
        name = pool_print(&assign->target_pool, "%.*s", (int)length - 2, name);
        type = control.kind == YT_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK;
    }
    assign_target *target = add_target(
        assign, pool_print(&assign->target_pool, "%s.%s", listing->output->name, name), type);
    target->number = output_button(listing->output, &control);
    target->is_output = true;
}

/* Cells that are there for something else: one direction of a stick, a light of a device. */
static void add_written(assign *assign) {
    const struct yt_cell_records *cells = draft_compiled(&assign->draft)->scope->cells;
    for (unsigned i = 0; i < cells->count; i++) {
        const yt_cell_record *cell = &cells->all[i];
        if (!cell->is_copy && cell->key->place.source == 0)
            add_target(assign, cell->whole ? cell->whole->text : cell->key->text, cell->value.type);
    }
}

static void add_drivable(assign *assign, const yt_profile_input *input, const char *name) {
    yt_control_meaning meaning;
    if (is_drivable(input, name, &meaning))
        add_target(assign, pool_print(&assign->target_pool, "%s.%s", input->name, name),
                   value_type_of((yt_kind)meaning.name.kind));
}

/* Lights and motors of devices. */
static void add_lights(assign *assign) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    const char *names[1024];
    for (unsigned i = 0; i < compiled->input_count; i++) {
        const yt_profile_input *input = &compiled->inputs[i];
        size_t count = control_names(input->kind, names, 1024);
        const yt_description *described = input->description;
        for (unsigned k = 0; described && k < described->control_count; k++)
            add_drivable(assign, input, described->controls[k].name);
        for (size_t k = 0; k < count; k++)
            add_drivable(assign, input, names[k]);
    }
}

static void add_actions(assign *assign) {
    static const struct {
        const char *name;
        unsigned most, kind;
    } actions[YT_ACTION_KINDS] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) {#name, most, kind},
#include "yonder/actions.def"
    };
    for (unsigned i = 0; i < YT_ACTION_KINDS; i++)
        for (unsigned k = 1; k <= (actions[i].most ? actions[i].most : 1) && k <= ADAPTER_SLOTS;
             k++) {
            char name[60];
            snprintf(name, sizeof name, actions[i].most ? "adapter.%s.%u" : "adapter.%s",
                     actions[i].name, k);
            add_target(assign, name, value_type_of((yt_kind)actions[i].kind));
        }
}

static void add_formula(assign *assign, const char *what, const char *name, const char *key,
                        draft_place place, yt_formula_type type) {
    assign_target *target =
        add_target(assign, pool_print(&assign->target_pool, "%s %s", what, name), type);
    target->key = pool_print(&assign->target_pool, "%s", key);
    target->place = place;
}

/* Formulas that stand beside the cells. */
static void add_formulas(assign *assign) {
    const draft *draft = &assign->draft;
    const yt_scope *scope = draft_compiled(draft)->scope;
    const char *key;
    for (unsigned i = 0; (key = draft_key(draft, DRAFT_SECTION + SECTION_NAMED, i)); i++) {
        const yt_named_formula *named = named_find(scope, key, strlen(key));
        add_formula(assign, "named", key, key, DRAFT_SECTION + SECTION_NAMED,
                    named ? named->value.type : VALUE_NOTHING);
    }
    for (unsigned i = 1; i < draft_layers(draft); i++)
        if (draft_formula(draft, DRAFT_LAYER + i, "while", NULL))
            add_formula(assign, "layer", draft_layer_name(draft, i), "while", DRAFT_LAYER + i,
                        VALUE_SWITCH);
    for (unsigned i = 0; (key = draft_key(draft, DRAFT_SECTION + SECTION_MACROS, i)); i++)
        if (draft_formula(draft, DRAFT_MACRO + i, "when", NULL))
            add_formula(assign, "macro", key, "when", DRAFT_MACRO + i, VALUE_SWITCH);
}

/* What turns a parameter by its step. */
static void add_parameters(assign *assign) {
    const struct yt_parameters *parameters = draft_compiled(&assign->draft)->scope->parameters;
    for (unsigned i = 0; i < parameters->count; i++)
        for (unsigned k = 0; k < 2; k++)
            add_target(assign,
                       pool_print(&assign->target_pool, "%s.%s", parameters->all[i].key->text,
                                  k ? "down" : "up"),
                       VALUE_SWITCH);
}

static unsigned target_named(const assign *assign, const char *name) {
    unsigned i = 0;
    while (i < assign->target_count && strcmp(assign->targets[i].name, name) != 0)
        i++;
    return i;
}

void assign_list_targets(assign *assign) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    unsigned row = assign->levels[0].cursor;
    char about[120] = "", at[120] = ""; /* the same is looked at, wherever it stands then */
    if (assign->target < assign->target_count)
        snprintf(about, sizeof about, "%s", assign->targets[assign->target].name);
    if (row > 0 && row <= assign->target_count)
        snprintf(at, sizeof at, "%s", assign->targets[row - 1].name);
    pool_free(&assign->target_pool); /* its names are written anew */
    assign->target_count = 0;
    for (unsigned i = 0; i < compiled->output_count; i++) {
        listing listing = {assign, &compiled->outputs[i]};
        each_output_name(&assign->target_pool, listing.output, add_named, &listing);
    }
    add_formulas(assign);
    add_parameters(assign);
    add_lights(assign);
    add_actions(assign);
    add_written(assign);
    assign->target = target_named(assign, about);
    if (*at)
        assign->levels[0].cursor = (target_named(assign, at) + 1) % (assign->target_count + 1);
}
