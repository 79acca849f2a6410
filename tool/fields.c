#include "tool/fields.h"

#include <string.h>

#include "ports/sim/described.h"

bool field_is_hat(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return field->usage_page == PAGE_DESKTOP && field->usage_first == 0x39 &&
           (field->flags & YT_HID_VARIABLE) && (positions == 4 || positions == 8);
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

void field_element_name(const field_list *list, unsigned at, unsigned index,
                        const yt_description *description, char *text) {
    const yt_hid_field *field = &list->device.fields[at];
    const yt_field_place place = {field->direction, field->usage_page, element_usage(field, index),
                                  (uint16_t)element_bit(field, index), field->report_id};
    const yt_device_kind *kind = description ? description->kind : list->named[at].kind;
    name_place(&list->device, kind, description, &place, text, NULL);
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
static unsigned first_named(const yt_hid_field *field) {
    unsigned index = 0, count = field_elements(field);
    if (field->usage_page == PAGE_KEYBOARD && field->usage_first < 4)
        index = 4u - field->usage_first;
    return index < count ? index : 0;
}

/* And at their end stand numbers that nobody has named. */
static unsigned last_named(const yt_hid_field *field) {
    unsigned last = field_elements(field) - 1;
    char name[USAGE_NAME_BYTES];
    bool in_array = !(field->flags & YT_HID_VARIABLE);
    while (last > 0 && field->usage_page == PAGE_KEYBOARD &&
           (!usage_name(field->usage_page, element_usage(field, last), name) ||
            (in_array && element_usage(field, last) >= 0xe0))) /* they have bits of their own */
        last--;
    return last;
}

void field_list_read(field_list *list, const uint8_t *descriptor, size_t size,
                     const yt_description *description) {
    device_fields_read(&list->device, descriptor, size);
    for (unsigned i = 0; i < list->device.count; i++) {
        const yt_hid_field *field = &list->device.fields[i];
        named_field *named = &list->named[i];
        *named = (named_field){.kind = device_field_kind(&list->device, i), .type = type_of(field)};
        if (field_elements(field) == 0)
            continue;
        field_element_name(list, i, first_named(field), description, named->first);
        field_element_name(list, i, last_named(field), description, named->last);
    }
}

void view_add_described(sim_host *view, const yt_description *description) {
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_control_meaning *meaning = &description->controls[i].meaning;
        if (description->controls[i].is_target)
            continue;
        if (!(meaning->place.flags & YT_PLACE_HERE)) {
            described_turns(view, &meaning->place, &meaning->range, meaning->name.page,
                            meaning->name.usage, meaning->name.occurrence);
            continue;
        }
        yt_hid_field field = {
            .report_id = meaning->place.at.report_id,
            .flags = (uint16_t)(YT_HID_VARIABLE |
                                (meaning->place.flags & YT_PLACE_MOTION ? YT_HID_RELATIVE : 0)),
            .bit = meaning->place.at.bit,
            .bits = meaning->place.at.bits,
            .count = 1,
            .minimum = meaning->range.minimum,
            .maximum = meaning->range.maximum};
        sim_host_add_field(view, &field);
        described_turns(view, &meaning->place, &meaning->range, 0, 0, 0);
    }
}
