#include "tool/fields.h"

#include <string.h>

bool field_is_hat(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return field->usage_page == PAGE_DESKTOP && field->usage_first == 0x39 &&
           (field->flags & YT_HID_VARIABLE) && (positions == 4 || positions == 8);
}

unsigned field_controls(const yt_hid_field *field) {
    return field->flags & YT_HID_VARIABLE ? field->count
                                          : (unsigned)(field->usage_last - field->usage_first) + 1;
}

const char *field_unit(const yt_hid_field *field) {
    static const struct {
        uint32_t unit;
        const char *name;
    } units[] = {{0x11, "cm"},   {0x12, "rad"},     {0x13, "in"},      {0x14, "deg"},
                 {0xe012, "/s"}, {0xf012, "rad/s"}, {0xf014, "deg/s"}, {0x1001, "s"}};
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++)
        if (units[i].unit == field->unit)
            return units[i].name;
    return field->unit ? "?" : "";
}

static uint16_t usage_of(const yt_hid_field *field, unsigned index) {
    return field->flags & YT_HID_VARIABLE ? yt_hid_usage(field, index)
                                          : (uint16_t)(field->usage_first + index);
}

static bool is_relative(const yt_hid_field *field) {
    return (field->flags & YT_HID_VARIABLE) && (field->flags & YT_HID_RELATIVE);
}

/* How many controls of a usage stand before element `index` of field `at`. */
static unsigned count_before(const field_list *list, unsigned at, unsigned index) {
    const yt_hid_field *field = &list->fields[at].field;
    uint16_t usage = usage_of(field, index);
    unsigned count = 0;
    for (unsigned i = 0; i <= at; i++) {
        const yt_hid_field *other = &list->fields[i].field;
        if (other->usage_page != field->usage_page || other->direction != field->direction ||
            is_relative(other) != is_relative(field) || usage < other->usage_first ||
            usage > other->usage_last)
            continue;
        unsigned controls = i == at ? index : field_controls(other);
        unsigned first = (unsigned)(usage - other->usage_first);
        if (usage == other->usage_last)
            count += controls > first ? controls - first : 0;
        else
            count += controls > first;
    }
    return count;
}

void field_element_name(const field_list *list, unsigned at, unsigned index,
                        const yt_description *description, char *text, size_t size) {
    const named_field *named = &list->fields[at];
    const yt_hid_field *field = &named->field;
    bool variable = field->flags & YT_HID_VARIABLE;
    yt_field_place place = {.page = field->usage_page,
                            .usage = usage_of(field, index),
                            .bit = (uint16_t)(field->bit + (variable ? index * field->bits : 0)),
                            .report_id = field->report_id,
                            .occurrence = count_before(list, at, index),
                            .is_relative = is_relative(field)};
    const yt_device_kind *kind = description ? description->kind : named->kind;
    name_place(kind, description, &place, text, size);
}

static const char *type_of(const yt_hid_field *field) {
    static const char *const names[YT_KIND_COUNT] = {"switch", "level", "axis", "motion", "rate"};
    if (!(field->flags & YT_HID_VARIABLE))
        return "switches";
    if (field_is_hat(field))
        return "hat";
    return names[kind_of_field(field, field->usage_first)];
}

/* Ranges of keys begin with usages that stand for no key; those are not shown as the first. */
static unsigned first_named(const field_list *list, unsigned at) {
    const yt_hid_field *field = &list->fields[at].field;
    unsigned index = 0, count = field_controls(field);
    if (field->usage_page == PAGE_KEYBOARD && field->usage_first < 4)
        index = 4u - field->usage_first;
    return index < count ? index : 0;
}

/* And at their end stand numbers that nobody has named. */
static unsigned last_named(const field_list *list, unsigned at) {
    const yt_hid_field *field = &list->fields[at].field;
    unsigned last = field_controls(field) - 1;
    char name[USAGE_NAME_BYTES];
    bool in_array = !(field->flags & YT_HID_VARIABLE);
    while (last > 0 && field->usage_page == PAGE_KEYBOARD &&
           (!usage_name(field->usage_page, usage_of(field, last), name) ||
            (in_array && usage_of(field, last) >= 0xe0))) /* modifiers have bits of their own */
        last--;
    return last;
}

static void name_field(field_list *list, unsigned at, const yt_description *description) {
    named_field *named = &list->fields[at];
    unsigned last = last_named(list, at);
    named->type = type_of(&named->field);
    named->occurrence = count_before(list, at, 0);
    field_element_name(list, at, first_named(list, at), description, named->first,
                       sizeof named->first);
    field_element_name(list, at, last, description, named->last, sizeof named->last);
}

/* A mouse whose x is absolute is a tablet. */
static const yt_device_kind *field_kind(const uint8_t *descriptor, size_t size,
                                        const yt_hid_field *field) {
    yt_hid_reader reader;
    yt_hid_field other;
    const yt_device_kind *kind = device_kind_of(field->application_page, field->application_usage);
    if (strcmp(kind->name, "mouse") != 0)
        return kind;
    yt_hid_open(&reader, descriptor, size);
    while (yt_hid_next(&reader, &other) == YT_OK)
        if (other.application == field->application && other.usage_page == PAGE_DESKTOP &&
            other.usage_first == 0x30)
            return other.flags & YT_HID_RELATIVE ? kind : device_kind_named("tablet");
    return kind;
}

void field_list_read(field_list *list, const uint8_t *descriptor, size_t size,
                     const yt_description *description) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    list->count = 0;
    yt_hid_open(&reader, descriptor, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK) {
        if ((field.flags & YT_HID_CONSTANT) || list->count == FIELDS_MOST)
            continue;
        named_field *named = &list->fields[list->count];
        *named = (named_field){.field = field, .kind = field_kind(descriptor, size, &field)};
        name_field(list, list->count++, description);
    }
    list->status = status == YT_END ? YT_OK : status;
    list->offset = yt_hid_error_offset(&reader);
}
