/* Why did it do that? A formula as a tree with each part's value at a time, which layer owns which
 * press, and which report it came from. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/building/graph.h"
#include "compiler/building/operations.h"
#include "compiler/formulas/functions.h"
#include "compiler/formulas/layers.h"
#include "compiler/formulas/lowering.h"
#include "compiler/formulas/named.h"
#include "compiler/profile/cells.h"
#include "tool/lacking.h"
#include "tool/plugs.h"
#include "yonder/inspect.h"

#define DEEPEST 40 /* parts inside one another that are shown */

typedef struct options {
    const char *profile;
    const char *output;
    played_options played;
    uint64_t at_us;
    bool has_time;
} options;

typedef struct explaining {
    profile profile;
    plugged plugged;
    simulation simulation;
    change_list changes;
    const options *options;
} explaining;

static const yt_scope *scope_of(const explaining *explaining) {
    return explaining->profile.compiled.scope;
}

/* What a node that the program needs comes to now, be its value kept or not. */
static yt_q16 needed_value(const explaining *explaining, unsigned node) {
    return graph_value(explaining->profile.compiled.nodes,
                       yt_inspect_values(&explaining->simulation.engine), node);
}

/* The value of a node of the build; false: the program does not need it. */
static bool node_value(const explaining *explaining, unsigned node, yt_q16 *value) {
    unsigned number = explaining->profile.compiled.numbers[node];
    if (number == BUILD_NOWHERE)
        return false;
    *value = needed_value(explaining, number);
    return true;
}

/* A key that is read only as how deep it is: the control that the program has of it. NULL: it has
 * none. */
static const yt_program_control *deep_control(const explaining *explaining, yt_value value) {
    const yt_program *program = &explaining->profile.compiled.program;
    for (unsigned i = 0; value.has_depth && i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->page == value.record.page && control->usage == value.record.usage &&
            control->input == value.record.input &&
            control->occurrence == value.record.occurrence && !control->from_host)
            return control;
    }
    return NULL;
}

static yt_q16 control_value(const explaining *explaining, const yt_program_control *control) {
    const yt_program *program = &explaining->profile.compiled.program;
    return yt_engine_control(&explaining->simulation.engine,
                             (unsigned)(control - program->controls));
}

static void number_text(const explaining *explaining, yt_value value, unsigned node, char *text,
                        size_t size) {
    yt_q16 number;
    const yt_program_control *deep = deep_control(explaining, value);
    if (!node_value(explaining, node, &number) && deep)
        snprintf(text, size, "%.4g%%", control_value(explaining, deep) * 100.0 / YT_ONE);
    else if (!node_value(explaining, node, &number))
        snprintf(text, size, "-");
    else if (value.type == VALUE_SWITCH)
        snprintf(text, size, "%s", number ? "on" : "off");
    else if (value.type == VALUE_QUANTITY)
        amount_text(value.unit, number, text, size);
    else if (value.type == VALUE_VELOCITY)
        amount_text(YT_UNIT_SPEED, number, text, size);
    else if (value_is_motion(value))
        snprintf(text, size, "%.4g", number / (double)YT_ONE);
    else if (value.type == VALUE_RATE)
        snprintf(text, size, "%.5g", number / (double)YT_ONE);
    else
        snprintf(text, size, "%.4g%%", number * 100.0 / YT_ONE);
}

static void value_text(const explaining *explaining, yt_value value, char *text, size_t size) {
    char x[40], y[40];
    bool is_pair = value_is_pair(value);
    if (value.type == VALUE_CONSTANT) {
        amount_text(value.unit, value.amount, text, size);
        return;
    }
    number_text(explaining, value, value.node, x, sizeof x);
    if (is_pair)
        number_text(explaining, value, value.second, y, sizeof y);
    snprintf(text, size, is_pair ? "%s, %s" : "%s", x, y);
}

static const yt_lowered_term *find_lowered(const explaining *explaining, const yt_term *term) {
    const yt_scope *scope = scope_of(explaining);
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].term == term)
            return &scope->terms->all[i];
    return NULL;
}

/* Whether a control that a plugged device has is the program's. */
static bool is_of(const explaining *explaining, const yt_program_control *read,
                  const sim_change *change) {
    const yt_program *program = &explaining->profile.compiled.program;
    const host_control *control = &change->control;
    unsigned plug = explaining->plugged.plugs[change->number].input;
    if (change->is_output || change->is_feedback || (plug != YT_ANY_INPUT && plug != read->input))
        return false;
    if (read->place != YT_NO_PLACE && (program->places[read->place].flags & YT_PLACE_HERE))
        return program->places[read->place].at.bit == control->bit &&
               program->places[read->place].at.report_id == control->report_id;
    bool is_turning = read->place != YT_NO_PLACE && (program->places[read->place].flags &
                                                     (YT_PLACE_MIDDLE | YT_PLACE_WRAPS)) != 0;
    const yt_device_fields *device = fields_of_device(change->device);
    const yt_control_name meaning = {read->page,        read->usage,    read->other_page,
                                     read->other_usage, read->other_if, read->occurrence,
                                     read->kind,        read->part,     is_turning};
    yt_element element, found;
    return device_element_at(device, YT_HID_INPUT, control->report_id, control->bit, control->usage,
                             &element) &&
           device_control(device, explaining->profile.compiled.inputs[read->input].kind, &meaning,
                          false, &found) &&
           ((found.field == element.field && found.index == element.index) ||
            (control_is_key(&meaning) && meaning.page == control->page &&
             meaning.usage == control->usage));
}

/* The report of a recording that came at a time. */
static void print_report(const recording *recording, uint64_t time_us) {
    for (size_t i = recording->report_count; i-- > 0;) {
        const recorded_report *report = &recording->reports[i];
        if (report->time_us != time_us)
            continue;
        printf("report of %s at %.6f s:", recording->devices[report->device].name,
               (double)time_us / 1e6);
        for (size_t k = 0; k < report->size && k < 16; k++)
            printf(" %02x", recording->bytes[report->offset + k]);
        printf(report->size > 16 ? " …" : "");
        return;
    }
    printf("at %.6f s", (double)time_us / 1e6);
}

static void print_source(const explaining *explaining, const yt_program_control *control) {
    for (size_t i = explaining->changes.count; i-- > 0;) {
        const sim_change *change = &explaining->changes.list[i];
        if (!is_of(explaining, control, change))
            continue;
        print_report(explaining->plugged.plugs[change->number].recording, change->time_us);
        return;
    }
    printf("no report has moved it yet");
}

static const char *layer_of_node(const explaining *explaining, unsigned number) {
    const yt_scope *scope = scope_of(explaining);
    for (unsigned i = scope->layers->count; i-- > 0;)
        if (explaining->profile.compiled.numbers[scope->layers->all[i].on] == number)
            return scope->layers->all[i].name;
    return "?";
}

/* Which layer a press belongs to, where several want it. */
static void print_owner(const explaining *explaining, unsigned node) {
    const yt_compiled *compiled = &explaining->profile.compiled;
    for (unsigned i = 0; i < compiled->node_count; i++) {
        const yt_build_node *owner = &compiled->nodes[i];
        if (owner->operation != YT_OP_OWNER || owner->arguments[0] != node)
            continue;
        unsigned place = (unsigned)(needed_value(explaining, i) / YT_ONE);
        if (place == 0)
            return;
        if (place == owner->argument_count)
            printf("the press belongs to the sheet; ");
        else
            printf("the press belongs to the layer \"%s\"; ",
                   layer_of_node(explaining, owner->arguments[place]));
        return;
    }
}

static void print_control(const explaining *explaining, yt_value value) {
    unsigned number = explaining->profile.compiled.numbers[value.control];
    const yt_program *program = &explaining->profile.compiled.program;
    yt_q16 own, seen;
    if (number == BUILD_NOWHERE) {
        if (deep_control(explaining, value)) {
            printf("  (");
            print_source(explaining, deep_control(explaining, value));
            printf(")");
        }
        return;
    }
    const yt_program_control *control =
        &program->controls[explaining->profile.compiled.nodes[number].data];
    bool known =
        node_value(explaining, value.control, &own) && node_value(explaining, value.node, &seen);
    if (known && own != seen && value.type == VALUE_SWITCH)
        printf("  (it is %s, but not for this cell; ", own ? "on" : "off");
    else if (known && own != seen)
        printf("  (it is %.4g%%, but not for this cell; ", own * 100.0 / YT_ONE);
    else
        printf("  (");
    if (known && value.type == VALUE_SWITCH && own)
        print_owner(explaining, number);
    if (control->from_host)
        printf("the host sends it");
    else
        print_source(explaining, control);
    printf(")");
}

static void print_term(const explaining *explaining, const yt_term *term, unsigned depth);

static void print_named(const explaining *explaining, const char *text, size_t length,
                        unsigned depth) {
    const yt_scope *scope = scope_of(explaining);
    const char *dot = memchr(text, '.', length);
    size_t name = dot ? (size_t)(dot - text) : length;
    for (unsigned i = 0; i < scope->named->count; i++) {
        const yt_named_formula *named = &scope->named->all[i];
        if (named->key->bytes == name && memcmp(named->key->text, text, name) == 0 && named->term)
            print_term(explaining, named->term, depth);
    }
}

static void print_term(const explaining *explaining, const yt_term *term, unsigned depth) {
    const yt_lowered_term *lowered = find_lowered(explaining, term);
    char value[90];
    if (!lowered || depth > DEEPEST)
        return;
    const char *text = lowered->part->text + term->offset;
    value_text(explaining, lowered->value, value, sizeof value);
    printf("  %-16s%*s%.*s", value, (int)(2 * depth), "", (int)term->width, text);
    if (lowered->value.is_control)
        print_control(explaining, lowered->value);
    printf("\n");
    if (term->kind == TERM_NAME)
        print_named(explaining, text, term->width, depth + 1);
    for (const struct yt_term *inside = term->first; inside; inside = inside->next)
        if (inside->kind != TERM_NUMBER)
            print_term(explaining, inside, depth + 1);
}

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

/* What the hosts were told of it last. */
static void print_told(const explaining *explaining) {
    const char *asked = explaining->options->output;
    bool any = false;
    for (size_t i = explaining->changes.count; i-- > 0 && !any;) {
        const sim_change *change = &explaining->changes.list[i];
        char name[160], value[64];
        if (!change->is_output || change->is_feedback)
            continue;
        yt_raw_meaning meaning;
        output_control_name(&explaining->profile.compiled, change->number, &change->control, name,
                            sizeof name, &meaning);
        if (!is_asked(name, asked) && strncmp(name, asked, strlen(name)) != 0)
            continue;
        raw_text(&meaning, change->control.value, value, sizeof value);
        printf("  the host was told %s %s at %.6f s\n", name, value, (double)change->time_us / 1e6);
        any = true;
    }
    if (!any)
        printf("  the host was told nothing of it yet: it rests\n");
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
               cell->layer < 0 ? "a macro's step"
               : cell->is_copy ? "the sheet, a copy"
                               : "the sheet",
               file, cell->key->place.line);
    }
    if (cell->term)
        print_term(explaining, cell->term, cell->layer > 0 ? 1 : 0);
    else
        printf("  %-16s  none\n", "rests");
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
    const char *asked = explaining->options->output;
    const char *near = nearest_name(asked, strlen(asked), names, count);
    fprintf(stderr, "%s: no cell drives \"%s\"", explaining->options->profile, asked);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "\n", near);
    return false;
}

static bool explain(explaining *explaining) {
    const options *options = explaining->options;
    const yt_compiled *compiled = &explaining->profile.compiled;
    sim_observer observer = {explaining, keep_change, NULL};
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
    warn_of_lacking(&explaining->profile, &explaining->simulation);
    if (!simulation_run_until(&explaining->simulation, options->at_us))
        return limit_reached(&explaining->simulation, options->profile);
    change_list_sort(&explaining->changes);
    printf("%s at %.6f s\n", options->output, (double)options->at_us / 1e6);
    print_told(explaining);
    int root = root_node(explaining);
    if (root >= 0)
        print_driver(explaining, (unsigned)root);
    return print_cells(explaining);
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
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
        {"at", 'a', "TIME", 0, "when to look, by the recordings' clock", 0}, {0}};
    static const struct argp_child children[] = {{&played_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROFILE OUTPUT",
        .doc = "Says why an output is what it is at some time: every cell that may drive it as a "
               "tree, with the value of each part, the layer that a press belongs to, and the "
               "report that it came from."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    explaining *explaining = calloc(1, sizeof *explaining);
    if (!explaining || !profile_open(&explaining->profile, options.profile)) {
        free(explaining);
        return 1;
    }
    explaining->options = &options;
    bool good = explain(explaining);
    simulation_end(&explaining->simulation);
    plugged_free(&explaining->plugged);
    change_list_free(&explaining->changes);
    profile_close(&explaining->profile);
    free(explaining);
    return good ? 0 : 1;
}
