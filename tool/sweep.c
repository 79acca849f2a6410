#include "tool/sweep.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/messages/status_text.h"
#include "yonder/inspect.h"

#define STEP_US 20000
#define NONE    UINT32_MAX
#define RATE    500 /* degrees a second that a gyro is swept to */

/* Whether a control of the program is what a meaning says. */
static bool is_meant(const yt_program *program, unsigned index, unsigned input,
                     const yt_control_meaning *meaning) {
    const yt_program_control *control = &program->controls[index];
    if (control->from_host || control->input != input)
        return false;
    if (meaning->place.flags & YT_PLACE_HERE)
        return control->place != YT_NO_PLACE &&
               program->places[control->place].at.bit == meaning->place.at.bit &&
               program->places[control->place].at.report_id == meaning->place.at.report_id &&
               program->places[control->place].at.bits == meaning->place.at.bits;
    return control->page == meaning->name.page && control->usage == meaning->name.usage &&
           control->occurrence == meaning->name.occurrence && control->part == meaning->name.part;
}

/* One control of an input by its name there; NONE: the program does not read it, or it has none. */
static unsigned find_control(const profile *profile, unsigned input, const char *name,
                             yt_control_meaning *meaning) {
    const yt_program *program = &profile->compiled.program;
    if (!input_control_find(&profile->compiled.inputs[input], name, strlen(name), false, meaning))
        return NONE;
    for (unsigned i = 0; i < program->header->control_count; i++)
        if (is_meant(program, i, input, meaning))
            return i;
    return NONE;
}

bool sweep_find_input(const profile *profile, const char *path, const char *name,
                      swept_input *input) {
    const char *dot = strchr(name, '.');
    yt_control_meaning meaning;
    memset(input, 0, sizeof *input);
    for (unsigned i = 0; dot && i < profile->compiled.input_count; i++) {
        char side[USAGE_NAME_BYTES];
        if (!is_name(profile->compiled.inputs[i].name, name, (size_t)(dot - name)))
            continue;
        snprintf(side, sizeof side, "%s.y", dot + 1);
        input->controls[1] = find_control(profile, i, side, &meaning);
        snprintf(side, sizeof side, "%s.x", dot + 1);
        input->controls[0] = find_control(profile, i, side, &meaning);
        input->is_stick = input->controls[0] != NONE && input->controls[1] != NONE &&
                          meaning.name.kind == YT_AXIS;
        if (!input->is_stick)
            input->controls[0] = find_control(profile, i, dot + 1, &meaning);
        if (input->controls[0] == NONE)
            break;
        input->kind = meaning.name.kind;
        input->unit = meaning.unit;
        input->unit_amount = meaning.unit_amount;
        if (input->kind != YT_MOTION)
            return true;
        fprintf(stderr, "%s: \"%s\" is motion, which has no range to sweep\n", path, name);
        return false;
    }
    fprintf(stderr, "%s: it reads nothing called \"%s\"\n", path, name);
    return false;
}

static unsigned find_root(const profile *profile, unsigned output, const char *name,
                          unsigned *kind) {
    const yt_profile_output *at = &profile->compiled.outputs[output];
    const yt_program *program = &profile->compiled.program;
    yt_control_name meaning;
    yt_output_control control;
    if (!control_named(at->kind, name, strlen(name), &meaning) ||
        !output_control_find(at, &meaning, &control) || control.from_host)
        return NONE;
    *kind = control.kind;
    const yt_program_report *report = &program->reports[control.report];
    for (unsigned k = report->first_root; k < report->first_root + (unsigned)report->root_count;
         k++)
        if (program->roots[k].at.bit == control.root.at.bit &&
            program->roots[k].number == control.root.number)
            return k;
    return NONE;
}

bool sweep_find_output(const profile *profile, const char *path, const char *name,
                       swept_output *output) {
    const char *dot = strchr(name, '.');
    memset(output, 0, sizeof *output);
    for (unsigned i = 0; dot && i < profile->compiled.output_count; i++) {
        char side[USAGE_NAME_BYTES];
        if (!is_name(profile->compiled.outputs[i].name, name, (size_t)(dot - name)))
            continue;
        snprintf(side, sizeof side, "%s.y", dot + 1);
        output->roots[1] = find_root(profile, i, side, &output->kind);
        snprintf(side, sizeof side, "%s.x", dot + 1);
        output->roots[0] = find_root(profile, i, side, &output->kind);
        output->is_stick = output->roots[0] != NONE && output->roots[1] != NONE;
        if (!output->is_stick)
            output->roots[0] = find_root(profile, i, dot + 1, &output->kind);
        if (output->roots[0] != NONE)
            return true;
    }
    fprintf(stderr, "%s: nothing drives \"%s\"\n", path, name);
    return false;
}

bool sweep_begin(sweep *sweep, const profile *profile, const char *path) {
    memset(sweep, 0, sizeof *sweep);
    sweep->profile = profile;
    sweep->port.version = YT_PORT_VERSION;
    sweep->memory = calloc(1, SIM_MEMORY);
    if (!sweep->memory)
        abort();
    yt_status status = yt_engine_init(&sweep->engine, sweep->memory, SIM_MEMORY, &sweep->port);
    if (status == YT_OK)
        status = yt_engine_load(&sweep->engine, profile->compiled.image, profile->compiled.size);
    if (status == YT_OK)
        return true;
    fprintf(stderr, "%s: %s\n", path, status_text(status));
    free(sweep->memory);
    return false;
}

void sweep_end(sweep *sweep) {
    free(sweep->memory);
}

double sweep_lowest(const swept_input *input) {
    return input->kind == YT_RATE   ? (strcmp(input->unit, "g") == 0 ? -2 : -RATE)
           : input->kind == YT_AXIS ? -1
                                    : 0;
}

double sweep_highest(const swept_input *input) {
    return input->kind == YT_RATE ? (strcmp(input->unit, "g") == 0 ? 2 : RATE) : 1;
}

const char *sweep_unit(const swept_input *input) {
    return input->kind == YT_RATE || (input->kind == YT_LEVEL && input->unit) ? input->unit : "%";
}

double sweep_shown(const swept_input *input, double value) {
    return input->kind == YT_RATE                   ? value
           : input->kind == YT_LEVEL && input->unit ? value * input->unit_amount
                                                    : 100 * value;
}

double sweep_value(const yt_engine *engine, const profile *profile, unsigned root) {
    const yt_program *program = &profile->compiled.program;
    unsigned number = program->steps[program->roots[root].step].value;
    double value = number == YT_NO_VALUE ? 0 : yt_inspect_value(engine, number) / (double)YT_ONE;
    return fmax(-1, fmin(1, value));
}

void sweep_step(sweep *sweep, const swept_input *input, const double in[2],
                const swept_output *output, double out[2]) {
    for (unsigned i = 0; i < (input->is_stick ? 2u : 1u); i++)
        yt_inspect_set(&sweep->engine, input->controls[i], (yt_q16)lround(in[i] * YT_ONE));
    yt_inspect_settle(&sweep->engine, sweep->now_us);
    sweep->now_us += STEP_US;
    yt_engine_update(&sweep->engine, sweep->now_us);
    for (unsigned i = 0; i < (output->is_stick ? 2u : 1u); i++)
        out[i] = sweep_value(&sweep->engine, sweep->profile, output->roots[i]);
}
