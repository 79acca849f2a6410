/* Why did it do that? Every cell and every macro that may drive an output, at a time. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/functions.h"
#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "tool/explain_tree.h"
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

/* What the host was told of it last, or a device's light or motor was driven with. */
static void print_told(const explaining *explaining) {
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
        printf("  %s was told %s %s at %.6f s\n", change->is_output ? "the host" : "the device",
               name, value, (double)change->time_us / 1e6);
        return;
    }
    printf("  nothing was told of it yet: it rests\n");
}

static void print_cell(const explaining *explaining, const yt_cell_record *cell) {
    const yt_scope *scope = scope_of(explaining);
    const char *file = explaining->profile.messages.sources[cell->key->place.source].file;
    yt_q16 on = 1;
    if (cell->layer > 0) {
        const yt_layer *layer = &scope->layers->all[cell->layer - 1];
        node_value(explaining, layer->on, &on);
        printf("\nlayer \"%s\", which is %s; %s:%d\n", layer->name, on ? "on" : "off", file,
               cell->key->place.line);
        if (layer->condition_term) {
            printf("  while\n");
            print_term(explaining, layer->condition_term, 1);
            printf("  its cell\n");
        }
    } else {
        printf("\n%s, %s:%d\n",
               cell->layer < 0 ? "what a macro's step sets"
               : cell->is_copy ? "the sheet, a copy"
                               : "the sheet",
               file, cell->key->place.line);
    }
    if (cell->term)
        print_term(explaining, cell->term, cell->layer > 0 ? 1 : 0);
    else
        printf("  %-16s  none\n", "rests");
}

/* The steps of macros that press it, or set it. */
static bool print_macros(const explaining *explaining) {
    const yt_scope *scope = scope_of(explaining);
    bool any = false;
    for (unsigned i = 0; i < scope->cells->use_count; i++) {
        const yt_macro_use *use = &scope->cells->uses[i];
        const char *file = explaining->profile.messages.sources[use->control->place.source].file;
        yt_q16 step = 0;
        if (!is_asked(use->control->text, explaining->options->output))
            continue;
        node_value(explaining, use->sequence, &step);
        printf("\nstep %u of %u of the macro \"%s\", %s:%d\n", use->step, use->steps,
               use->macro->text, file, use->control->place.line);
        if ((unsigned)(step / YT_ONE) == use->step)
            printf("  it is going on now\n");
        else if (step)
            printf("  its step %d is going on now\n", step / YT_ONE);
        else
            printf("  it is not running\n");
        printf("  when\n");
        print_formula(explaining, use->when, 1);
        any = true;
    }
    return any;
}

/* The topmost layer first, the sheet last. */
static bool print_cells(const explaining *explaining) {
    const yt_scope *scope = scope_of(explaining);
    bool any = false;
    for (int layer = (int)scope->layers->count; layer >= LAYER_ALL; layer--)
        for (unsigned i = 0; i < scope->cells->count; i++) {
            const yt_cell_record *cell = &scope->cells->all[i];
            if (cell->layer != layer || !is_asked(cell->key->text, explaining->options->output))
                continue;
            print_cell(explaining, cell);
            any = true;
        }
    return any;
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

/* Says whose turn it is: that of a macro's step, of a layer or of the sheet. */
static void print_driver(const explaining *explaining, unsigned number) {
    const yt_compiled *compiled = &explaining->profile.compiled;
    const yt_build_node *node = &compiled->nodes[number];
    bool is_choice = node->operation == YT_OP_DRIVE || node->operation == YT_OP_TOPMOST;
    unsigned at = is_choice ? turn_of(explaining, node) : 0;
    if (!is_choice || at >= node->argument_count) {
        printf("  it is the turn of the sheet\n");
        return;
    }
    const yt_build_node *turn = &compiled->nodes[node->arguments[at]];
    bool is_on = needed_value(explaining, node->arguments[at]) != 0;
    if (turn->operation == YT_OP_CONSTANT)
        print_driver(explaining, node->arguments[at + 1]);
    else if (turn->operation == YT_OP_EQUAL)
        printf("  it is the turn of a macro's step\n");
    else
        printf("  it is the turn of the layer \"%s\"%s\n",
               layer_of_node(explaining, node->arguments[at]),
               is_on ? "" : ", which has ended, but what it turned on is still held");
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
    printf("%s at %.6f s\n", options->output, (double)options->at_us / 1e6);
    print_told(explaining);
    int root = root_node(explaining);
    if (root >= 0 && has_cell(explaining))
        print_driver(explaining, (unsigned)root);
    bool any = print_cells(explaining);
    return print_macros(explaining) || any;
}

enum { OPTION_FEEDBACK = OPTION_OWN };

static error_t parse(int key, char *argument, struct argp_state *state) {
    explain_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
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
