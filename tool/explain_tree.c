#include "tool/explain_tree.h"

#include <string.h>

#include "compiler/building/graph.h"
#include "compiler/building/operations.h"
#include "compiler/formulas/functions.h"
#include "compiler/formulas/layers.h"
#include "compiler/formulas/lowering.h"
#include "compiler/formulas/named.h"
#include "yonder/inspect.h"

#define DEEPEST 40 /* parts inside one another that are shown */

yt_q16 needed_value(const explaining *explaining, unsigned node) {
    return graph_value(explaining->profile.compiled.nodes,
                       yt_inspect_values(&explaining->simulation.engine), node);
}

bool node_value(const explaining *explaining, unsigned node, yt_q16 *value) {
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
        amount_text(value.unit, number, text, size);
    else if (value_is_motion(value) || value.is_count)
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

const char *layer_of_node(const explaining *explaining, unsigned number) {
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

/* What the host sent of it last. */
static void print_sent(const explaining *explaining, const yt_program_control *control) {
    for (size_t i = explaining->changes.count; i-- > 0;) {
        const sim_change *change = &explaining->changes.list[i];
        const yt_program *program = &explaining->profile.compiled.program;
        if (!change->is_output || !change->is_feedback || change->control.page != control->page ||
            change->control.usage != control->usage ||
            program->reports[control->input].interface != change->number)
            continue;
        printf("the host sent it at %.6f s", (double)change->time_us / 1e6);
        return;
    }
    printf("the host has sent nothing of it yet");
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
        print_sent(explaining, control);
    else
        print_source(explaining, control);
    printf(")");
}

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

void print_term(const explaining *explaining, const yt_term *term, unsigned depth) {
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

bool print_formula(const explaining *explaining, const yt_part *part, unsigned depth) {
    const yt_scope *scope = scope_of(explaining);
    const yt_term *whole = NULL;
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].part == part)
            whole = scope->terms->all[i].term; /* what it is made of was read before */
    if (whole)
        print_term(explaining, whole, depth);
    return whole != NULL;
}
