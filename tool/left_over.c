#include "tool/left_over.h"

#include <string.h>

#include "compiler/formulas/layers.h"
#include "compiler/profile/copy.h"

#define LINE_WIDTH 76

/* A list of names that goes on in further lines. */
typedef struct listing {
    FILE *file;
    const yt_compiled *compiled;
    const yt_profile_output *output;
    unsigned count;
    size_t column;
} listing;

static void list_name(listing *listing, const char *title, const char *name) {
    if (listing->count++ == 0) {
        listing->column = (size_t)fprintf(listing->file, "    %s", title);
    } else {
        fputc(',', listing->file);
        listing->column++;
    }
    if (listing->column + strlen(name) > LINE_WIDTH) {
        fputs("\n       ", listing->file);
        listing->column = 7;
    }
    listing->column += (size_t)fprintf(listing->file, " %s", name);
}

static void end_list(listing *listing) {
    if (listing->count)
        fputc('\n', listing->file);
    listing->count = 0;
}

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
    listing *listing = context;
    yt_control_name meaning;
    yt_output_control control;
    char title[120];
    if (!control_named(listing->output->kind, name, strlen(name), &meaning) ||
        !output_control_find(listing->output, &meaning, &control) || control.from_host ||
        is_driven(listing->compiled, &control))
        return;
    snprintf(title, sizeof title, "%s: nothing drives", listing->output->name);
    list_name(listing, title, name);
}

void print_undriven(profile *profile, FILE *file) {
    yt_compiled *compiled = &profile->compiled;
    listing listing = {.file = file, .compiled = compiled};
    for (unsigned i = 0; i < compiled->output_count; i++) {
        listing.output = &compiled->outputs[i];
        each_output_name(&compiled->pool, listing.output, list_undriven, &listing);
        end_list(&listing);
    }
}

static void print_copy(const yt_scope *scope, const yt_copy_record *copy, FILE *file) {
    listing listing = {.file = file};
    char title[200], layer[100] = "";
    if (copy->layer > LAYER_SHEET)
        snprintf(layer, sizeof layer, " in %.60s", scope->layers->all[copy->layer - 1].name);
    snprintf(title, sizeof title, "copy to %.60s%s: it has no place for", copy->output, layer);
    for (unsigned i = 0; i < copy->stay_count; i++)
        list_name(&listing, title, copy->stays[i]);
    end_list(&listing);
    snprintf(title, sizeof title, "copy to %.60s%s: nothing goes to", copy->output, layer);
    for (unsigned i = 0; i < copy->lack_count; i++)
        list_name(&listing, title, copy->lacks[i]);
    end_list(&listing);
}

void print_copies(const profile *profile, FILE *file) {
    const yt_scope *scope = profile->compiled.scope;
    for (unsigned i = 0; i < scope->copies->count; i++)
        print_copy(scope, &scope->copies->all[i], file);
}

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

void print_unused(const profile *profile, FILE *file) {
    const yt_compiled *compiled = &profile->compiled;
    for (unsigned i = 0; i < compiled->input_count; i++) {
        const yt_profile_input *input = &compiled->inputs[i];
        listing listing = {.file = file, .compiled = compiled};
        char title[120];
        snprintf(title, sizeof title, "%s: nothing reads", input->name);
        if (!is_read(compiled, i, NULL)) {
            fprintf(file, "    %s: nothing reads it\n", input->name);
            continue;
        }
        for (unsigned k = 0; input->description && k < input->description->control_count; k++) {
            const yt_described_control *control = &input->description->controls[k];
            if (!control->is_target && !is_read(compiled, i, control))
                list_name(&listing, title, control->name);
        }
        end_list(&listing);
    }
}
