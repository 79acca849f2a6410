#include "tool/lacking.h"

#include <string.h>

#include "compiler/formulas/lowering.h"
#include "compiler/profile/cells.h"

#define LACKING_MOST 12 /* warnings of one call */

static bool is_of_copy(const yt_scope *scope, const yt_part *part) {
    for (unsigned i = 0; i < scope->cells->count; i++)
        if (scope->cells->all[i].is_copy && scope->cells->all[i].text == part)
            return true;
    return false;
}

static yt_control_name name_of(const yt_program_control *record, bool is_turning) {
    return (yt_control_name){.page = record->page,
                             .usage = record->usage,
                             .other_page = record->other_page,
                             .other_usage = record->other_usage,
                             .other_if = record->other_if,
                             .occurrence = record->occurrence,
                             .kind = record->kind,
                             .part = record->part,
                             .is_turning = is_turning};
}

/* Whether a device that is this input has the control; `device` is then the last that has not. */
static bool any_has(const profile *profile, const simulation *simulation,
                    const yt_program_control *record, const recorded_device **device) {
    const yt_build *build = profile->compiled.scope->build;
    unsigned flags = record->place == YT_NO_PLACE ? 0 : build->places[record->place].flags;
    const yt_control_name name = name_of(record, (flags & (YT_PLACE_MIDDLE | YT_PLACE_WRAPS)) != 0);
    *device = NULL;
    if (flags & YT_PLACE_HERE)
        return true;
    for (unsigned i = 0; i < simulation->device_count; i++) {
        const sim_attached *attached = &simulation->devices[i];
        const recording *recording = simulation->plugs[attached->plug].recording;
        yt_element element;
        if (!(yt_engine_inputs_of(&simulation->engine, attached->engine_number) >> record->input &
              1))
            continue;
        *device = &recording->devices[attached->recorded];
        if (device_control(fields_of_device(*device), profile->compiled.inputs[record->input].kind,
                           &name, false, &element))
            return true;
    }
    return *device == NULL;
}

/* Whether an earlier term named the same control. */
static bool was_named(const yt_scope *scope, unsigned before, const yt_program_control *record) {
    for (unsigned i = 0; i < before; i++) {
        const yt_lowered_term *term = &scope->terms->all[i];
        if (term->term->kind == TERM_NAME && term->value.is_control &&
            is_same_control(&term->value.record, record) && !is_of_copy(scope, term->part))
            return true;
    }
    return false;
}

void warn_of_lacking(const profile *profile, const simulation *simulation) {
    const yt_scope *scope = profile->compiled.scope;
    unsigned count = 0;
    for (unsigned i = 0; i < scope->terms->count && count < LACKING_MOST; i++) {
        const yt_lowered_term *term = &scope->terms->all[i];
        const yt_program_control *record = &term->value.record;
        const recorded_device *device;
        if (term->term->kind != TERM_NAME || !term->value.is_control || record->from_host ||
            is_of_copy(scope, term->part) || was_named(scope, i, record) ||
            any_has(profile, simulation, record, &device))
            continue;
        yt_text_place place =
            part_place(term->part, &profile->messages, term->term->offset, (int)term->term->width);
        fprintf(stderr,
                "%s:%d:%d: warning: %s has no control %.*s; its controls are listed by: "
                "yonder names DEVICE\n",
                profile->messages.sources[place.source].file, place.line, place.column,
                device->name, (int)term->term->width, term->part->text + term->term->offset);
        count++;
    }
}
