#include "tool/adapter_names.h"

#include <stdlib.h>
#include <string.h>

#define NAMES 1024

bool is_control_meant(const yt_program *program, const yt_control_meaning *meaning,
                      const yt_program_control *control) {
    if (meaning->has_place) {
        if (control->place == YT_NO_PLACE)
            return false;
        const yt_place *at = &program->places[control->place].at;
        return at->bit == meaning->place.at.bit && at->report_id == meaning->place.at.report_id &&
               control->part == meaning->name.part;
    }
    return control->page == meaning->name.page && control->usage == meaning->name.usage &&
           control->occurrence == meaning->name.occurrence && control->part == meaning->name.part;
}

/* ---- inputs ---- */

/* What a description or the kind of its device calls a control; NULL: neither does. */
static const char *name_of(const profile *profile, const yt_program_control *control) {
    static const char *names[NAMES];
    const yt_program *program = &profile->compiled.program;
    const yt_profile_input *input = &profile->compiled.inputs[control->input];
    const yt_description *description = input->description;
    yt_control_meaning meaning;
    for (unsigned i = 0; description && i < description->control_count; i++)
        if (!description->controls[i].is_target &&
            is_control_meant(program, &description->controls[i].meaning, control))
            return description->controls[i].name;
    size_t count = control_names(input->kind, names, NAMES);
    for (size_t i = 0; i < count; i++)
        if (input_control_find(input, names[i], strlen(names[i]), false, &meaning) &&
            is_control_meant(program, &meaning, control))
            return names[i];
    return NULL;
}

static void name_input(const profile *profile, const yt_program_control *control, char *text) {
    const char *name = name_of(profile, control);
    const char *input = profile->compiled.inputs[control->input].name;
    if (name)
        snprintf(text, VALUE_NAME, "%.40s.%.50s", input, name);
    else
        snprintf(text, VALUE_NAME, "%.40s %04x.%04x", input, control->page, control->usage);
}

/* ---- outputs ---- */

static const host_control *control_at(const sim_host *host, const yt_program_report *report,
                                      const yt_program_root *root) {
    bool in_array = root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY;
    for (unsigned i = 0; i < host->control_count; i++) {
        const host_control *at = &host->controls[i];
        if (at->report_id == report->id && at->bit == root->at.bit &&
            (!in_array || root->number == at->usage))
            return at;
    }
    return NULL;
}

static size_t name_outputs(const profile *profile, named_value *values, size_t most) {
    const yt_program *program = &profile->compiled.program;
    sim_host *host = malloc(sizeof *host);
    size_t count = 0, offset;
    if (!host)
        abort();
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = &program->reports[i];
        const yt_program_interface *interface = &program->interfaces[report->interface];
        if (report->direction != YT_HID_INPUT ||
            sim_host_enumerate(host, program->blob + interface->descriptor_offset,
                               interface->descriptor_bytes, &offset) != YT_OK)
            continue;
        for (unsigned k = report->first_root;
             k < report->first_root + (unsigned)report->root_count && count < most; k++) {
            const yt_program_root *root = &program->roots[k];
            const yt_program_step *step = &program->steps[root->step];
            const host_control *control = control_at(host, report, root);
            if (!control || step->value == YT_NO_VALUE || step->tells == YT_TELLS_MOTION)
                continue;
            named_value *to = &values[count++];
            *to = (named_value){.number = step->value, .is_output = true};
            to->kind = step->tells == YT_TELLS_AXIS    ? YT_AXIS
                       : step->tells == YT_TELLS_LEVEL ? YT_LEVEL
                                                       : YT_SWITCH;
            output_control_name(&profile->compiled, report->interface, control, to->name,
                                sizeof to->name, NULL);
        }
    }
    free(host);
    return count;
}

size_t named_values(const profile *profile, named_value *values, size_t most) {
    const yt_program *program = &profile->compiled.program;
    unsigned first = yt_first_control(program);
    size_t count = 0;
    for (unsigned i = 0; i < program->header->control_count && count < most; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host || control->kind == YT_MOTION)
            continue;
        values[count] = (named_value){.number = first + i, .kind = control->kind};
        name_input(profile, control, values[count++].name);
    }
    return count + name_outputs(profile, values + count, most - count);
}
