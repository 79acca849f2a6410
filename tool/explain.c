/* Why did it do that? Every cell and every macro that may drive an output, at a time. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/functions.h"
#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "tool/explain_text.h"
#include "tool/explain_tree.h"
#include "tool/json_text.h"
#include "tool/lacking.h"
#include "yonder/inspect.h"

/* Whether a cell's key is of the control that is asked for, or of the stick or the hat that it is a
 * part of. */
static bool is_asked(const char *key, const char *asked) {
    size_t length = strlen(key), wanted = strlen(asked);
    size_t same = length < wanted ? length : wanted;
    if (memcmp(key, asked, same) != 0)
        return false;
    const char *rest = length > wanted ? key + same : asked + same;
    static const char *const parts[] = {"", ".x", ".y", ".up", ".right", ".down", ".left"};
    for (size_t i = 0; i < sizeof parts / sizeof parts[0]; i++)
        if (strcmp(rest, parts[i]) == 0)
            return true;
    return false;
}

static bool has_cell(const explaining *explaining) {
    const struct yt_cell_records *cells = scope_of(explaining)->cells;
    for (unsigned i = 0; i < cells->count; i++)
        if (is_asked(cells->all[i].key->text, explaining->options->output))
            return true;
    return false;
}

/* What the host was told of it last, or a device's light or motor was driven with; null: nothing.
 */
static json_t *told_of(const explaining *explaining) {
    const char *asked = explaining->options->output;
    for (size_t i = explaining->changes.count; i-- > 0;) {
        const sim_change *change = &explaining->changes.list[i];
        char name[160], value[64];
        yt_raw_meaning meaning;
        if (!change_goes_out(change))
            continue;
        change_name(&explaining->profile, explaining->plugged.plugs, change, name, sizeof name,
                    &meaning);
        if (!is_asked(name, asked) && strncmp(name, asked, strlen(name)) != 0)
            continue;
        raw_text(&meaning, change->control.value, value, sizeof value);
        json_t *told = json_object();
        json_object_set_new(told, "to", json_string(change->is_output ? "host" : "device"));
        json_object_set_new(told, "control", json_text(name));
        json_object_set_new(told, "raw", json_integer(change->control.value));
        json_object_set_new(told, "text", json_text(value));
        json_object_set_new(told, "time_us", json_integer((json_int_t)change->time_us));
        return told;
    }
    return json_null();
}

/* Where something of the profile is written. */
static void add_place(const explaining *explaining, const yt_part *part, json_t *into) {
    const char *file = explaining->profile.messages.sources[part->place.source].file;
    json_object_set_new(into, "file", json_text(file));
    json_object_set_new(into, "line", json_integer(part->place.line));
}

static json_t *cell_as_json(const explaining *explaining, const yt_cell_record *cell) {
    const yt_scope *scope = scope_of(explaining);
    const yt_layer *layer = cell->layer > 0 ? &scope->layers->all[cell->layer - 1] : NULL;
    yt_q16 on = 1;
    json_t *one = json_object();
    if (layer)
        node_value(explaining, layer->on, &on);
    json_object_set_new(one, "kind",
                        json_string(layer             ? "layer"
                                    : cell->layer < 0 ? "macro"
                                    : cell->is_copy   ? "copy"
                                                      : "sheet"));
    json_object_set_new(one, "layer", layer ? json_text(layer->name) : json_null());
    json_object_set_new(one, "is_on", json_boolean(on));
    add_place(explaining, cell->key, one);
    json_object_set_new(one, "while",
                        term_as_json(explaining, layer ? layer->condition_term : NULL));
    json_object_set_new(one, "formula", term_as_json(explaining, cell->term));
    return one;
}

/* The steps of macros that press it, or set it. */
static json_t *macros_of(const explaining *explaining) {
    const yt_scope *scope = scope_of(explaining);
    json_t *list = json_array();
    for (unsigned i = 0; i < scope->cells->use_count; i++) {
        const yt_macro_use *use = &scope->cells->uses[i];
        yt_q16 step = 0;
        if (!is_asked(use->control->text, explaining->options->output))
            continue;
        node_value(explaining, use->sequence, &step);
        json_t *one = json_object();
        json_object_set_new(one, "macro", json_text(use->macro->text));
        json_object_set_new(one, "step", json_integer(use->step));
        json_object_set_new(one, "steps", json_integer(use->steps));
        json_object_set_new(one, "now", json_integer(step / YT_ONE));
        add_place(explaining, use->control, one);
        json_object_set_new(one, "when", formula_as_json(explaining, use->when));
        json_array_append_new(list, one);
    }
    return list;
}

/* The topmost layer first, the sheet last. */
static json_t *cells_of(const explaining *explaining) {
    const yt_scope *scope = scope_of(explaining);
    json_t *list = json_array();
    for (int layer = (int)scope->layers->count; layer >= LAYER_ALL; layer--)
        for (unsigned i = 0; i < scope->cells->count; i++) {
            const yt_cell_record *cell = &scope->cells->all[i];
            if (cell->layer == layer && is_asked(cell->key->text, explaining->options->output))
                json_array_append_new(list, cell_as_json(explaining, cell));
        }
    return list;
}

/* The node that drives a control of an output; -1: none does, or there is no such control. */
static int node_of(const yt_compiled *compiled, const yt_profile_output *output, const char *name) {
    const yt_program *program = &compiled->program;
    yt_control_name meaning;
    yt_output_control control;
    if (!control_named(output->kind, name, strlen(name), &meaning) ||
        !output_control_find(output, &meaning, &control))
        return -1;
    for (unsigned k = 0; k < program->header->root_count; k++)
        if (compiled->roots[k].report == control.report &&
            program->roots[k].at.bit == control.root.at.bit &&
            program->roots[k].part == control.root.part)
            return (int)compiled->roots[k].node;
    return -1;
}

/* The node that drives what is asked for, a stick by its x, a hat by its first direction that is
 * driven; -1: none does. */
static int root_node(const explaining *explaining) {
    static const char *const parts[] = {"", ".x", ".up", ".right", ".down", ".left"};
    const yt_compiled *compiled = &explaining->profile.compiled;
    const char *asked = explaining->options->output, *dot = strchr(asked, '.');
    char name[200];
    for (unsigned i = 0; dot && i < compiled->output_count; i++) {
        const yt_profile_output *output = &compiled->outputs[i];
        for (size_t k = 0; is_name(output->name, asked, (size_t)(dot - asked)) &&
                           k < sizeof parts / sizeof parts[0];
             k++) {
            snprintf(name, sizeof name, "%.150s%s", dot + 1, parts[k]);
            int node = node_of(compiled, output, name);
            if (node >= 0)
                return node;
        }
    }
    return -1;
}

/* The first of its pairs whose turn it is. */
static unsigned turn_of(const explaining *explaining, const yt_build_node *node) {
    const yt_program *program = &explaining->profile.compiled.program;
    unsigned at = 0;
    if (node->operation == YT_OP_TOPMOST) {
        while (at < node->argument_count && needed_value(explaining, node->arguments[at]) == 0)
            at += 2;
        return at;
    }
    for (unsigned i = 0; i < program->header->step_count; i++)
        if (program->steps[i].value == node->value)
            return yt_inspect_turn(&explaining->simulation.engine, i);
    return 0;
}

/* Whose turn it is: that of a macro's step, of a layer or of the sheet. */
static json_t *turn_as_json(const explaining *explaining, unsigned number) {
    const yt_compiled *compiled = &explaining->profile.compiled;
    const yt_build_node *node = &compiled->nodes[number];
    bool is_choice = node->operation == YT_OP_DRIVE || node->operation == YT_OP_TOPMOST;
    unsigned at = is_choice ? turn_of(explaining, node) : 0;
    const char *of = "sheet";
    json_t *layer = json_null();
    bool is_on = true;
    if (is_choice && at < node->argument_count) {
        const yt_build_node *turn = &compiled->nodes[node->arguments[at]];
        if (turn->operation == YT_OP_CONSTANT)
            return turn_as_json(explaining, node->arguments[at + 1]);
        is_on = needed_value(explaining, node->arguments[at]) != 0;
        of = turn->operation == YT_OP_EQUAL ? "macro" : "layer";
        if (turn->operation != YT_OP_EQUAL)
            layer = json_text(layer_of_node(explaining, node->arguments[at]));
    }
    json_t *one = json_object();
    json_object_set_new(one, "of", json_string(of));
    json_object_set_new(one, "layer", layer);
    json_object_set_new(one, "is_on", json_boolean(is_on));
    return one;
}

static void keep_change(void *context, const sim_change *change) {
    explaining *explaining = context;
    if (change->time_us <= explaining->options->at_us) /* the simulation reads ahead */
        change_list_add(&explaining->changes, change);
}

#define SAID_MOST 8 /* names of what is driven */

/* Nothing drives it: what is nearest, or what of the same output is driven. */
static void say_undriven(const explaining *explaining, const char *const *names, size_t count) {
    const char *asked = explaining->options->output, *dot = strchr(asked, '.');
    size_t length = dot ? (size_t)(dot - asked) : strlen(asked), said = 0;
    const char *near = nearest_name(asked, strlen(asked), names, count);
    fprintf(stderr, "%s: no cell drives \"%s\"", explaining->options->profile, asked);
    if (near) {
        fprintf(stderr, "; did you mean \"%s\"?\n", near);
        return;
    }
    for (size_t i = 0; i < count && said <= SAID_MOST; i++) {
        bool is_new = strncmp(names[i], asked, length) == 0 && names[i][length] == '.';
        for (size_t k = 0; k < i; k++)
            is_new = is_new && strcmp(names[i], names[k]) != 0;
        if (!is_new)
            continue;
        if (said == 0)
            fprintf(stderr, "; of %.*s these are driven: ", (int)length, asked);
        fprintf(stderr, "%s%s", said ? ", " : "", said == SAID_MOST ? "…" : names[i]);
        said++;
    }
    fputc('\n', stderr);
}

static bool has_output(const explaining *explaining) {
    const yt_scope *scope = scope_of(explaining);
    const char *names[512];
    size_t count = 0;
    for (unsigned i = 0; i < scope->cells->count; i++) {
        if (is_asked(scope->cells->all[i].key->text, explaining->options->output))
            return true;
        if (count < 512)
            names[count++] = scope->cells->all[i].key->text;
    }
    for (unsigned i = 0; i < scope->cells->use_count; i++) {
        if (is_asked(scope->cells->uses[i].control->text, explaining->options->output))
            return true;
        if (count < 512)
            names[count++] = scope->cells->uses[i].control->text;
    }
    say_undriven(explaining, names, count);
    return false;
}

static bool explain(explaining *explaining) {
    const explain_options *options = explaining->options;
    const yt_compiled *compiled = &explaining->profile.compiled;
    sim_observer observer = {.context = explaining, .change = keep_change};
    if (!has_output(explaining))
        return false;
    for (unsigned i = 0; i < options->played.input_count; i++)
        if (!plugged_add(&explaining->plugged, &explaining->profile, options->played.inputs[i]))
            return false;
    if (!simulation_begin(
            &explaining->simulation, compiled->image, compiled->size, explaining->plugged.plugs,
            explaining->plugged.count,
            (sim_timing){.poll_us = options->played.poll_us, .limit = options->played.limit},
            observer)) {
        fprintf(stderr, "%s: %s\n", options->profile, explaining->simulation.error);
        return false;
    }
    if (!plugged_calibrate(&explaining->plugged, &explaining->simulation,
                           &options->played.calibrations))
        return false;
    if (options->feedback) {
        size_t count;
        explaining->sent = feedback_read(&explaining->profile, options->feedback, &count);
        if (!explaining->sent)
            return false;
        simulation_send(&explaining->simulation, explaining->sent, count);
    }
    warn_of_lacking(&explaining->profile, &explaining->simulation);
    if (!simulation_run_until(&explaining->simulation, options->at_us))
        return limit_reached(&explaining->simulation, options->profile);
    change_list_sort(&explaining->changes);
    int root = has_cell(explaining) ? root_node(explaining) : -1;
    json_t *all = json_object();
    json_object_set_new(all, "output", json_text(options->output));
    json_object_set_new(all, "time_us", json_integer((json_int_t)options->at_us));
    json_object_set_new(all, "told", told_of(explaining));
    json_object_set_new(all, "turn",
                        root >= 0 ? turn_as_json(explaining, (unsigned)root) : json_null());
    json_object_set_new(all, "cells", cells_of(explaining));
    json_object_set_new(all, "macros", macros_of(explaining));
    if (options->json)
        return json_print(all);
    print_explanation(stdout, all);
    json_decref(all);
    return true;
}

enum { OPTION_FEEDBACK = OPTION_OWN };

static error_t parse(int key, char *argument, struct argp_state *state) {
    explain_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case OPTION_FEEDBACK:
        options->feedback = argument;
        return 0;
    case 'a':
        options->at_us = parse_time(argument);
        options->has_time = options->at_us > 0 || strcmp(argument, "0s") == 0;
        if (!options->has_time)
            argp_error(state, "--at takes a time, such as 1.5s or 250ms, not \"%s\"", argument);
        return 0;
    case ARGP_KEY_ARG:
        if (state->arg_num == 0)
            options->profile = argument;
        else if (state->arg_num == 1)
            options->output = argument;
        else
            argp_error(state, "one output at a time");
        return 0;
    case ARGP_KEY_END:
        if (!options->profile || !options->output)
            argp_error(state, "say which profile, and which control of an output");
        if (!options->has_time || options->played.input_count == 0)
            argp_error(state, "say with --in RECORDING what comes in, and with --at TIME when to "
                              "look");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_explain(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"at", 'a', "TIME", 0, "when to look, by the recordings' clock", 0},
        {"feedback", OPTION_FEEDBACK, "FILE", 0,
         "what the host sends back: lines such as 1.5, pad.rumble.strong, 80%", 0},
        JSON_OPTION("as JSON: the same trees"),
        {0}};
    static const struct argp_child children[] = {{&played_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROFILE OUTPUT",
        .doc = "Says why an output is what it is at some time: every cell that may drive it as a "
               "tree, with the value of each part, the layer that a press belongs to, and the "
               "report that it came from."};
    explain_options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    explaining *explaining = calloc(1, sizeof *explaining);
    if (!explaining || !profile_open(&explaining->profile, options.profile)) {
        free(explaining);
        return 1;
    }
    explaining->options = &options;
    bool good = explain(explaining);
    simulation_end(&explaining->simulation);
    free(explaining->sent);
    plugged_free(&explaining->plugged);
    change_list_free(&explaining->changes);
    profile_close(&explaining->profile);
    free(explaining);
    return good ? 0 : 1;
}
