#include "compiler/formulas/naming.h"

#include <string.h>

/* The second of a usage and so on get a number. */
static void write_numbered(const char *name, unsigned occurrence, char *text, size_t size) {
    if (occurrence == 0)
        snprintf(text, size, "%s", name);
    else
        snprintf(text, size, "%s%u", name, occurrence + 1);
}

static bool is_described(const yt_described_control *control, const yt_field_place *place) {
    const yt_control_meaning *meaning = &control->meaning;
    if (control->is_target)
        return false;
    if (meaning->has_place && (meaning->place.flags & YT_PLACE_HERE))
        return meaning->place.at.report_id == place->report_id &&
               meaning->place.at.bit == place->bit;
    return meaning->name.page == place->page && meaning->name.usage == place->usage &&
           meaning->name.occurrence == place->occurrence &&
           (meaning->name.kind == YT_MOTION) == place->is_relative;
}

void name_place(const yt_device_kind *kind, const yt_description *description,
                const yt_field_place *place, char *text, size_t size) {
    char name[USAGE_NAME_BYTES];
    for (unsigned i = 0; description && i < description->control_count; i++)
        if (is_described(&description->controls[i], place)) {
            snprintf(text, size, "%s", description->controls[i].name);
            return;
        }
    control_name_of(kind, place->page, place->usage, place->is_relative, name);
    write_numbered(name, place->occurrence, text, size);
}

void name_output_place(const yt_profile_output *output, const yt_field_place *place, char *text,
                       size_t size) {
    bool is_counted = output->what == OUTPUT_COUNTS || output->what == OUTPUT_DESCRIPTION;
    if (is_counted && place->page == PAGE_BUTTON)
        snprintf(text, size, "button%u", place->usage);
    else if (is_counted && place->page == PAGE_DESKTOP && place->usage == 0x39)
        write_numbered("hat", place->occurrence, text, size);
    else
        name_place(output->kind, NULL, place, text, size);
}

/* How often a usage stands in the output's fields before element `index` of field `number`. */
static unsigned occurrence_of(const yt_profile_output *output, unsigned number, unsigned index) {
    const yt_hid_field *field = &output->fields[number].field;
    uint16_t usage = yt_hid_usage(field, index);
    unsigned before = 0;
    for (unsigned i = 0; i <= number; i++) {
        const yt_hid_field *other = &output->fields[i].field;
        unsigned count = i == number ? index : other->count;
        if (other->usage_page != field->usage_page || other->direction != field->direction ||
            ((other->flags ^ field->flags) & (YT_HID_VARIABLE | YT_HID_RELATIVE)))
            continue;
        for (unsigned k = 0; k < count; k++)
            before += yt_hid_usage(other, k) == usage;
    }
    return before;
}

typedef struct yt_naming {
    yt_pool *pool;
    const yt_profile_output *output;
    yt_each_name *each;
    void *context;
} yt_naming;

static void name_usage(const yt_naming *naming, const yt_hid_field *field, uint16_t usage,
                       unsigned occurrence) {
    static const char *const directions[] = {"up", "right", "down", "left"};
    char name[USAGE_NAME_BYTES + 16];
    yt_field_place place = {.page = field->usage_page,
                            .usage = usage,
                            .occurrence = occurrence,
                            .is_relative = field->flags & YT_HID_RELATIVE};
    name_output_place(naming->output, &place, name, sizeof name);
    if (field->usage_page == PAGE_DESKTOP && usage == 0x39)
        for (unsigned i = 0; i < 4; i++)
            naming->each(naming->context, pool_print(naming->pool, "%s.%s", name, directions[i]));
    else
        naming->each(naming->context, pool_print(naming->pool, "%s", name));
}

/* The usages that a list of what is pressed can hold: those that have names, as all would be a
 * thousand. */
static void name_list(const yt_naming *naming, const yt_hid_field *field) {
    char name[USAGE_NAME_BYTES];
    for (unsigned usage = field->usage_first; usage <= field->usage_last; usage++)
        if (control_name_of(naming->output->kind, field->usage_page, (uint16_t)usage, false, name))
            name_usage(naming, field, (uint16_t)usage, 0);
}

void each_output_name(yt_pool *pool, const yt_profile_output *output, yt_each_name *each,
                      void *context) {
    const yt_naming naming = {pool, output, each, context};
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        if (field->flags & YT_HID_CONSTANT)
            continue;
        if (field->flags & YT_HID_VARIABLE)
            for (unsigned k = 0; k < field->count; k++)
                name_usage(&naming, field, yt_hid_usage(field, k), occurrence_of(output, i, k));
        else
            name_list(&naming, field);
    }
}
