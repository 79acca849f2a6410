#include "tool/explain_tree.h"

#include <string.h>

#include "compiler/building/graph.h"
#include "compiler/building/operations.h"
#include "compiler/formulas/functions.h"
#include "compiler/formulas/layers.h"
#include "compiler/formulas/lowering.h"
#include "compiler/formulas/named.h"
#include "tool/json_text.h"
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

/* A number as it is, without its unit; null: the program does not need it. */
static json_t *number_of(const explaining *explaining, yt_value value, unsigned node) {
    yt_q16 number;
    const yt_program_control *deep = deep_control(explaining, value);
    if (node_value(explaining, node, &number))
        return json_real(number / (double)YT_ONE);
    return deep ? json_real(control_value(explaining, deep) / (double)YT_ONE) : json_null();
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

/* Whether it is what a host sent of the control. */
static bool is_sent(const explaining *explaining, const yt_program_control *control,
                    const sim_change *change) {
    const yt_program *program = &explaining->profile.compiled.program;
    return change->is_output && change->is_feedback && change->control.page == control->page &&
           change->control.usage == control->usage &&
           program->reports[control->input].interface == change->number;
}

/* The report of a recording that came at a time. */
static json_t *report_of(const recording *recording, uint64_t time_us) {
    for (size_t i = recording->report_count; i-- > 0;) {
        const recorded_report *report = &recording->reports[i];
        if (report->time_us != time_us)
            continue;
        json_t *one = json_object();
        json_object_set_new(one, "device", json_text(recording->devices[report->device].name));
        json_object_set_new(one, "bytes",
                            json_bytes(recording->bytes + report->offset, report->size));
        return one;
    }
    return json_null();
}

/* What moved a control last, from a device or from a host. */
static void add_source(const explaining *explaining, const yt_program_control *control,
                       json_t *into) {
    json_t *report = json_null(), *time_us = json_null();
    for (size_t i = explaining->changes.count; i-- > 0;) {
        const sim_change *change = &explaining->changes.list[i];
        if (control->from_host ? !is_sent(explaining, control, change)
                               : !is_of(explaining, control, change))
            continue;
        time_us = json_integer((json_int_t)change->time_us);
        if (!control->from_host)
            report =
                report_of(explaining->plugged.plugs[change->number].recording, change->time_us);
        break;
    }
    json_object_set_new(into, "from", json_string(control->from_host ? "host" : "device"));
    json_object_set_new(into, "time_us", time_us);
    json_object_set_new(into, "report", report);
}

const char *layer_of_node(const explaining *explaining, unsigned number) {
    const yt_scope *scope = scope_of(explaining);
    for (unsigned i = scope->layers->count; i-- > 0;)
        if (explaining->profile.compiled.numbers[scope->layers->all[i].on] == number)
            return scope->layers->all[i].name;
    return "?";
}

/* Which layer a press belongs to, where several want it; null: nobody's question. */
static json_t *owner_of(const explaining *explaining, unsigned node) {
    const yt_compiled *compiled = &explaining->profile.compiled;
    for (unsigned i = 0; i < compiled->node_count; i++) {
        const yt_build_node *owner = &compiled->nodes[i];
        if (owner->operation != YT_OP_OWNER || owner->arguments[0] != node)
            continue;
        unsigned place = (unsigned)(needed_value(explaining, i) / YT_ONE);
        if (place == 0)
            return json_null();
        bool is_sheet = place == owner->argument_count;
        json_t *one = json_object();
        json_object_set_new(
            one, "layer",
            is_sheet ? json_null() : json_text(layer_of_node(explaining, owner->arguments[place])));
        return one;
    }
    return json_null();
}

/* Of a part that is a control: where its value came from, and what of it others have. */
static json_t *control_of(const explaining *explaining, yt_value value) {
    const yt_compiled *compiled = &explaining->profile.compiled;
    unsigned number = compiled->numbers[value.control];
    const yt_program_control *control = deep_control(explaining, value);
    json_t *one = json_object(), *hidden = json_null(), *owner = json_null();
    if (number == BUILD_NOWHERE && !control) {
        json_decref(one);
        return json_null();
    }
    if (number != BUILD_NOWHERE) {
        yt_q16 own, seen;
        bool known = node_value(explaining, value.control, &own) &&
                     node_value(explaining, value.node, &seen);
        control = &compiled->program.controls[compiled->nodes[number].data];
        if (known && own != seen)
            hidden = json_real(own / (double)YT_ONE);
        if (known && value.type == VALUE_SWITCH && own)
            owner = owner_of(explaining, number);
    }
    json_object_set_new(one, "hidden", hidden);
    json_object_set_new(one, "belongs_to", owner);
    add_source(explaining, control, one);
    return one;
}

static void add_term(const explaining *explaining, const yt_term *term, unsigned depth,
                     json_t *list);

static void add_named(const explaining *explaining, const char *text, size_t length, unsigned depth,
                      json_t *parts) {
    const yt_scope *scope = scope_of(explaining);
    const char *dot = memchr(text, '.', length);
    size_t name = dot ? (size_t)(dot - text) : length;
    for (unsigned i = 0; i < scope->named->count; i++) {
        const yt_named_formula *named = &scope->named->all[i];
        if (named->key->bytes == name && memcmp(named->key->text, text, name) == 0)
            add_term(explaining, named->term, depth, parts);
    }
}

static void add_term(const explaining *explaining, const yt_term *term, unsigned depth,
                     json_t *list) {
    const yt_lowered_term *lowered = term ? find_lowered(explaining, term) : NULL;
    if (!lowered || depth > DEEPEST)
        return;
    const char *text = lowered->part->text + term->offset;
    yt_value value = lowered->value;
    json_t *one = json_object(), *parts = json_array(), *numbers = json_array();
    char shown[90];
    value_text(explaining, value, shown, sizeof shown);
    if (value.type != VALUE_CONSTANT)
        json_array_append_new(numbers, number_of(explaining, value, value.node));
    if (value_is_pair(value))
        json_array_append_new(numbers, number_of(explaining, value, value.second));
    json_object_set_new(one, "formula", json_text_of(text, term->width));
    json_object_set_new(one, "value", json_text(shown));
    json_object_set_new(one, "numbers", numbers);
    json_object_set_new(one, "is_switch", json_boolean(value.type == VALUE_SWITCH));
    json_object_set_new(one, "control",
                        value.is_control ? control_of(explaining, value) : json_null());
    if (term->kind == TERM_NAME)
        add_named(explaining, text, term->width, depth + 1, parts);
    for (const struct yt_term *inside = term->first; inside; inside = inside->next)
        if (inside->kind != TERM_NUMBER)
            add_term(explaining, inside, depth + 1, parts);
    json_object_set_new(one, "parts", parts);
    json_array_append_new(list, one);
}

json_t *term_as_json(const explaining *explaining, const yt_term *term) {
    json_t *list = json_array();
    add_term(explaining, term, 0, list);
    json_t *one = json_incref(json_array_size(list) ? json_array_get(list, 0) : json_null());
    json_decref(list);
    return one;
}

json_t *formula_as_json(const explaining *explaining, const yt_part *part) {
    const yt_scope *scope = scope_of(explaining);
    const yt_term *whole = NULL;
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].part == part)
            whole = scope->terms->all[i].term; /* what it is made of was read before */
    return term_as_json(explaining, whole);
}
