#include "compiler/naming.h"

#include <string.h>

/* The second of a usage and so on get a number. */
static void write_numbered(const char *name, unsigned occurrence, char *text, size_t size) {
    if (occurrence == 0)
        snprintf(text, size, "%s", name);
    else
        snprintf(text, size, "%s%u", name, occurrence + 1);
}

static bool is_described(const described_control *control, const field_place *place) {
    const control_meaning *meaning = &control->meaning;
    if (control->is_target)
        return false;
    if (meaning->has_place && (meaning->place.flags & YT_PLACE_HERE))
        return meaning->place.report_id == place->report_id && meaning->place.bit == place->bit;
    return meaning->name.page == place->page && meaning->name.usage == place->usage &&
           meaning->name.occurrence == place->occurrence &&
           (meaning->name.kind == YT_MOTION) == place->is_relative;
}

void name_place(const device_kind *kind, const description *description, const field_place *place,
                char *text, size_t size) {
    char name[USAGE_NAME_BYTES];
    for (unsigned i = 0; description && i < description->control_count; i++)
        if (is_described(&description->controls[i], place)) {
            snprintf(text, size, "%s", description->controls[i].name);
            return;
        }
    control_name_of(kind, place->page, place->usage, place->is_relative, name);
    write_numbered(name, place->occurrence, text, size);
}

void name_output_place(const profile_output *output, const field_place *place, char *text,
                       size_t size) {
    bool is_counted = output->what == OUTPUT_COUNTS || output->what == OUTPUT_DESCRIPTION;
    if (is_counted && place->page == PAGE_BUTTON)
        snprintf(text, size, "button%u", place->usage);
    else if (is_counted && place->page == PAGE_DESKTOP && place->usage == 0x39)
        write_numbered("hat", place->occurrence, text, size);
    else
        name_place(output->kind, NULL, place, text, size);
}
