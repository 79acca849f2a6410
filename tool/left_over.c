#include "tool/left_over.h"

#include <string.h>

#include "compiler/formulas/layers.h"
#include "compiler/profile/copy.h"
#include "tool/json_text.h"

#define LINE_WIDTH 76

/* A list of names behind a title, which goes on in further lines; nothing, where none is in it. */
static void print_names(FILE *file, const char *title, const json_t *names) {
    size_t column = 0, i;
    const json_t *name;
    json_array_foreach(names, i, name) {
        column += (size_t)(i ? fprintf(file, ",") : fprintf(file, "    %s", title));
        if (column + json_string_length(name) > LINE_WIDTH) {
            fputs("\n       ", file);
            column = 7;
        }
        column += (size_t)fprintf(file, " %s", json_string_value(name));
    }
    if (column)
        fputc('\n', file);
}

static const char *string_in(const json_t *object, const char *key) {
    return json_string_value(json_object_get(object, key));
}

/* ---- what nothing drives ---- */

typedef struct undriven {
    const yt_compiled *compiled;
    const yt_profile_output *output;
    json_t *controls;
} undriven;

static bool is_driven(const yt_compiled *compiled, const yt_output_control *control) {
    const yt_program *program = &compiled->program;
    for (unsigned i = 0; i < program->header->root_count; i++) {
        const yt_program_root *root = &program->roots[i];
        if (compiled->roots[i].report == control->report && root->at.bit == control->root.at.bit &&
            root->kind == control->root.kind && root->number == control->root.number &&
            root->part == control->root.part)
            return true;
    }
    return false;
}

static void list_undriven(void *context, const char *name) {
    undriven *of = context;
    yt_control_name meaning;
    yt_output_control control;
    if (control_named(of->output->kind, name, strlen(name), &meaning) &&
        output_control_find(of->output, &meaning, &control) && !control.from_host &&
        !is_driven(of->compiled, &control))
        json_array_append_new(of->controls, json_text(name));
}

json_t *undriven_of(profile *profile) {
    yt_compiled *compiled = &profile->compiled;
    json_t *list = json_array();
    for (unsigned i = 0; i < compiled->output_count; i++) {
        undriven of = {compiled, &compiled->outputs[i], json_array()};
        json_t *one = json_object();
        each_output_name(&compiled->pool, of.output, list_undriven, &of);
        json_object_set_new(one, "output", json_text(of.output->name));
        json_object_set_new(one, "controls", of.controls);
        json_array_append_new(list, one);
    }
    return list;
}

void print_undriven(FILE *file, const json_t *list) {
    size_t i;
    const json_t *one;
    json_array_foreach(list, i, one) {
        char title[120];
        snprintf(title, sizeof title, "%s: nothing drives", string_in(one, "output"));
        print_names(file, title, json_object_get(one, "controls"));
    }
}

/* ---- what copies leave out ---- */

static json_t *names_of(const char *const *names, unsigned count) {
    json_t *list = json_array();
    for (unsigned i = 0; i < count; i++)
        json_array_append_new(list, json_text(names[i]));
    return list;
}

json_t *copies_of(const profile *profile) {
    const yt_scope *scope = profile->compiled.scope;
    json_t *list = json_array();
    for (unsigned i = 0; i < scope->copies->count; i++) {
        const yt_copy_record *copy = &scope->copies->all[i];
        bool is_of_layer = copy->layer > LAYER_SHEET;
        json_t *one = json_object();
        json_object_set_new(one, "output", json_text(copy->output));
        json_object_set_new(one, "layer",
                            is_of_layer ? json_text(scope->layers->all[copy->layer - 1].name)
                                        : json_null());
        json_object_set_new(one, "has_no_place_for", names_of(copy->stays, copy->stay_count));
        json_object_set_new(one, "nothing_goes_to", names_of(copy->lacks, copy->lack_count));
        json_array_append_new(list, one);
    }
    return list;
}

void print_copies(FILE *file, const json_t *list) {
    size_t i;
    const json_t *one;
    json_array_foreach(list, i, one) {
        char title[200], layer[100] = "";
        const char *output = string_in(one, "output"), *name = string_in(one, "layer");
        if (name)
            snprintf(layer, sizeof layer, " in %.60s", name);
        snprintf(title, sizeof title, "copy to %.60s%s: it has no place for", output, layer);
        print_names(file, title, json_object_get(one, "has_no_place_for"));
        snprintf(title, sizeof title, "copy to %.60s%s: nothing goes to", output, layer);
        print_names(file, title, json_object_get(one, "nothing_goes_to"));
    }
}

/* ---- what nothing reads ---- */

static bool is_read(const yt_compiled *compiled, unsigned input,
                    const yt_described_control *described) {
    const yt_program *program = &compiled->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host || control->input != input)
            continue;
        if (!described)
            return true;
        const yt_control_meaning *meaning = &described->meaning;
        bool is_placed = meaning->has_place && (meaning->place.flags & YT_PLACE_HERE);
        if (is_placed && control->place != YT_NO_PLACE &&
            program->places[control->place].at.bit == meaning->place.at.bit &&
            program->places[control->place].at.report_id == meaning->place.at.report_id)
            return true;
        if (!is_placed && control->page == meaning->name.page &&
            control->usage == meaning->name.usage &&
            control->occurrence == meaning->name.occurrence)
            return true;
    }
    return false;
}

json_t *unused_of(const profile *profile) {
    const yt_compiled *compiled = &profile->compiled;
    json_t *list = json_array();
    for (unsigned i = 0; i < compiled->input_count; i++) {
        const yt_description *description = compiled->inputs[i].description;
        json_t *one = json_object(), *controls = json_array();
        bool any = is_read(compiled, i, NULL);
        for (unsigned k = 0; any && description && k < description->control_count; k++)
            if (!description->controls[k].is_target &&
                !is_read(compiled, i, &description->controls[k]))
                json_array_append_new(controls, json_text(description->controls[k].name));
        json_object_set_new(one, "input", json_text(compiled->inputs[i].name));
        json_object_set_new(one, "is_read", json_boolean(any));
        json_object_set_new(one, "controls", controls);
        json_array_append_new(list, one);
    }
    return list;
}

void print_unused(FILE *file, const json_t *list) {
    size_t i;
    const json_t *one;
    json_array_foreach(list, i, one) {
        char title[120];
        snprintf(title, sizeof title, "%s: nothing reads", string_in(one, "input"));
        if (json_is_true(json_object_get(one, "is_read")))
            print_names(file, title, json_object_get(one, "controls"));
        else
            fprintf(file, "    %s it\n", title);
    }
}
