#include "tool/describe_json.h"

#include "compiler/messages/status_text.h"
#include "tool/fields.h"
#include "tool/json_text.h"

/* One control of a field: its name, or null where it has none. */
static json_t *control_as_json(const field_list *list, yt_element element) {
    static const char *const directions[] = {"in", "out", "feature"};
    static const char *const types[YT_KIND_COUNT] = {"switch", "level", "axis", "motion", "rate"};
    const yt_hid_field *field = &list->device.fields[element.field];
    uint16_t usage = element_usage(field, element.index);
    char name[USAGE_NAME_BYTES];
    bool has_name =
        device_element_name(&list->device, list->named[element.field].kind, element, true, name);
    bool is_array = !(field->flags & YT_HID_VARIABLE);
    json_t *one = json_object();
    json_object_set_new(one, "name", has_name ? json_text(name) : json_null());
    json_object_set_new(
        one, "type", json_string(field_is_hat(field) ? "hat" : types[kind_of_field(field, usage)]));
    json_object_set_new(one, "way", json_string(directions[field->direction]));
    json_object_set_new(one, "usage_page", json_integer(field->usage_page));
    json_object_set_new(one, "usage", json_integer(usage));
    json_object_set_new(one, "report_id", json_integer(field->report_id));
    json_object_set_new(
        one, "bit",
        json_integer(field->bit + (is_array ? 0 : (json_int_t)element.index * field->bits)));
    json_object_set_new(one, "bits", json_integer(field->bits));
    json_object_set_new(one, "minimum", json_integer(field->minimum));
    json_object_set_new(one, "maximum", json_integer(field->maximum));
    json_object_set_new(one, "is_in_array", json_boolean(is_array));
    return one;
}

json_t *device_as_json(const recorded_device *device, size_t reports) {
    static field_list list;
    json_t *one = json_object(), *controls = json_array();
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    for (unsigned i = 0; i < list.device.count; i++)
        for (unsigned k = 0; k < field_elements(&list.device.fields[i]); k++)
            json_array_append_new(controls, control_as_json(&list, (yt_element){i, k}));
    json_object_set_new(one, "name", json_text(device->name));
    json_object_set_new(one, "bus",
                        json_string(device->bus == YT_BUS_USB         ? "USB"
                                    : device->bus == YT_BUS_BLUETOOTH ? "Bluetooth"
                                    : device->bus == YT_BUS_BOARD     ? "board"
                                                                      : "other"));
    json_object_set_new(one, "vendor", json_integer(device->vendor));
    json_object_set_new(one, "product", json_integer(device->product));
    json_object_set_new(one, "reports", json_integer((json_int_t)reports));
    json_object_set_new(one, "boot_reports", json_integer(device->boot_reports));
    json_object_set_new(one, "descriptor_bytes", json_integer((json_int_t)device->descriptor_size));
    json_object_set_new(one, "problem",
                        list.device.status == YT_OK ? json_null()
                                                    : json_text(status_text(list.device.status)));
    json_object_set_new(one, "controls", controls);
    return one;
}
