#include "compiler/formulas/naming.h"

#include "signal/scale.h"

#include <string.h>

int64_t axis_rest(int64_t minimum, int64_t maximum) {
    return yt_scale_rest(minimum, maximum);
}

/* Whether a description's control stands at a place of a report. */
static bool is_placed(const yt_described_control *control, const yt_field_place *place) {
    const yt_control_meaning *meaning = &control->meaning;
    return meaning->has_place && (meaning->place.flags & YT_PLACE_HERE) &&
           meaning->place.at.report_id == place->report_id && meaning->place.at.bit == place->bit &&
           control->is_target == (place->direction != YT_HID_INPUT);
}

/* Whether it is found by its usage, and stands in an element; a key may stand in several. */
static bool is_element(const yt_device_fields *device, const yt_device_kind *kind,
                       const yt_described_control *control, yt_element element) {
    const yt_control_meaning *meaning = &control->meaning;
    const yt_hid_field *field = &device->fields[element.field];
    yt_element found;
    if ((meaning->has_place && (meaning->place.flags & YT_PLACE_HERE)) ||
        control->is_target != (field->direction != YT_HID_INPUT) ||
        !device_control(device, kind, &meaning->name, control->is_target, &found))
        return false;
    return (found.field == element.field && found.index == element.index) ||
           (!control->is_target && control_is_key(&meaning->name) &&
            meaning->name.page == field->usage_page &&
            meaning->name.usage == element_usage(field, element.index));
}

/* What a field says of its raw numbers, as a control of some type. */
static void mean_field(const yt_hid_field *field, unsigned kind, bool is_hat,
                       yt_raw_meaning *meaning) {
    bool variable = field->flags & YT_HID_VARIABLE;
    *meaning = (yt_raw_meaning){.kind = (uint8_t)kind,
                                .is_hat = is_hat,
                                .minimum = variable ? field->minimum : 0,
                                .maximum = variable ? field->maximum : 1};
    meaning->rest =
        kind == YT_AXIS ? yt_scale_rest(meaning->minimum, meaning->maximum) : meaning->minimum;
}

/* What a name of a kind of device means; a hat's is that of the whole. */
static void mean_named(const yt_hid_field *field, const yt_device_kind *kind, const char *name,
                       yt_raw_meaning *meaning) {
    char up[USAGE_NAME_BYTES + 4];
    yt_control_name named = {0};
    snprintf(up, sizeof up, "%s.up", name);
    bool is_hat = field->usage_page == PAGE_DESKTOP && field->usage_first == 0x39 &&
                  control_named(kind, up, strlen(up), &named) && named.part;
    if (!is_hat && !control_named(kind, name, strlen(name), &named))
        named.kind = (uint8_t)kind_of_field(field, field->usage_first);
    mean_field(field, named.kind, is_hat, meaning);
}

/* A description may say of what type a control is, and how its numbers are read. */
static void mean_described(const yt_described_control *control, yt_raw_meaning *meaning) {
    const yt_control_meaning *of = &control->meaning;
    meaning->kind = of->name.kind;
    meaning->is_hat = control->is_hat;
    meaning->is_turned = of->place.flags & YT_PLACE_TURNED;
    if (of->has_range) {
        meaning->minimum = of->range.minimum;
        meaning->rest = of->range.rest;
        meaning->maximum = of->range.maximum;
    } else if (of->name.kind == YT_AXIS) {
        meaning->rest = yt_scale_rest(meaning->minimum, meaning->maximum);
    }
    if (of->name.kind == YT_RATE) {
        meaning->unit = of->unit;
        meaning->unit_amount = of->unit_amount;
    }
}

void name_place(const yt_device_fields *device, const yt_device_kind *kind,
                const yt_description *description, const yt_field_place *place, char *text,
                yt_raw_meaning *meaning) {
    yt_element element;
    yt_raw_meaning unwanted;
    unsigned count = description ? description->control_count : 0;
    bool is_there = device_element_at(device, place->direction, place->report_id, place->bit,
                                      place->usage, &element);
    meaning = meaning ? meaning : &unwanted;
    *meaning = (yt_raw_meaning){.maximum = 1};
    if (is_there)
        mean_field(&device->fields[element.field],
                   kind_of_field(&device->fields[element.field], place->usage), false, meaning);
    for (unsigned i = 0; i < count; i++)
        if (is_placed(&description->controls[i], place) ||
            (is_there && is_element(device, kind, &description->controls[i], element))) {
            snprintf(text, USAGE_NAME_BYTES, "%s", description->controls[i].name);
            mean_described(&description->controls[i], meaning);
            return;
        }
    if (is_there && device_element_name(device, kind, element, true, text))
        mean_named(&device->fields[element.field], kind, text, meaning);
    else
        usage_name(place->page, place->usage, text);
}

static bool is_own_layout(const yt_profile_output *output) {
    return output->what == OUTPUT_COUNTS || output->what == OUTPUT_DESCRIPTION;
}

/* Whether a control is element `index` of field `number`. */
static bool is_control_of(const yt_profile_output *output, const yt_output_control *control,
                          unsigned number, unsigned index) {
    const yt_hid_field *field = &output->fields[number].field;
    bool in_array = !(field->flags & YT_HID_VARIABLE);
    return control->report == output->fields[number].report &&
           control->from_host == (field->direction != YT_HID_INPUT) &&
           (in_array ? control->root.at.bit == field->bit &&
                           control->root.number == (uint16_t)(field->number_first + index)
                     : control->place.at.bit == element_bit(field, index));
}

/* Which of its usage an element of an output is, as what a name means; -1: it is none such. */
static int output_occurrence(const yt_profile_output *output, yt_control_name *meaning, bool is_nth,
                             unsigned number, unsigned index, bool is_other_type) {
    yt_output_control control;
    unsigned first = meaning->occurrence, end = is_nth || control_is_key(meaning) ? first + 1 : 256;
    for (unsigned k = first; k < end; k++) {
        meaning->occurrence = (uint8_t)k;
        if (!output_control_find(output, meaning, &control))
            return -1;
        if ((!is_other_type || meaning->kind == control.kind) &&
            is_control_of(output, &control, number, index))
            return (int)k;
    }
    return -1;
}

/* The name of an element: the first that leads there, of those that may. False: none does; a key
 * that stands in the output for a second time has the name of the first all the same. */
static bool name_output_element(const yt_profile_output *output, unsigned number, unsigned index,
                                char *text) {
    const yt_hid_field *field = &output->fields[number].field;
    uint16_t usage = element_usage(field, index);
    unsigned owned = control_own_candidates(output->kind, field->usage_page, usage);
    char name[USAGE_NAME_BYTES];
    yt_control_name meaning;
    bool is_nth, is_named = false;
    usage_name(field->usage_page, usage, text);
    for (unsigned i = 0;
         control_candidate(output->kind, i, field->usage_page, usage, &meaning, &is_nth, name);
         i++) {
        bool is_position = field->usage_page == PAGE_BUTTON ? strncmp(name, "button", 6) != 0
                                                            : strcmp(name, "dpad") == 0;
        if (meaning.kind == YT_KIND_COUNT || (is_position && is_own_layout(output)))
            continue;
        int occurrence = output_occurrence(output, &meaning, is_nth, number, index, i > owned);
        if (occurrence >= 0) {
            control_name_number(output->kind, name, is_nth ? 0 : (unsigned)occurrence, text);
            return true;
        }
        if (control_is_key(&meaning) && !is_named)
            control_name_number(output->kind, name, 0, text);
        is_named |= control_is_key(&meaning);
    }
    return false;
}

void name_output_place(const yt_profile_output *output, const yt_field_place *place, char *text,
                       yt_raw_meaning *meaning) {
    yt_raw_meaning unwanted;
    meaning = meaning ? meaning : &unwanted;
    *meaning = (yt_raw_meaning){.maximum = 1};
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        for (unsigned k = 0;
             field->direction == place->direction && field->report_id == place->report_id &&
             field->usage_page == place->page && k < field_elements(field);
             k++)
            if (element_bit(field, k) == place->bit && element_usage(field, k) == place->usage) {
                name_output_element(output, i, k, text);
                mean_named(field, output->kind, text, meaning);
                return;
            }
    }
    usage_name(place->page, place->usage, text);
}

/* Calls `each` for an element, or for each direction of a hat. */
static void give_element(yt_pool *pool, const yt_profile_output *output, unsigned number,
                         unsigned index, yt_each_name *each, void *context) {
    static const char *const directions[] = {"up", "right", "down", "left"};
    const yt_hid_field *field = &output->fields[number].field;
    char name[USAGE_NAME_BYTES];
    if (!name_output_element(output, number, index, name))
        return;
    if (field->usage_page == PAGE_DESKTOP && element_usage(field, index) == 0x39)
        for (unsigned i = 0; i < 4; i++)
            each(context, pool_print(pool, "%s.%s", name, directions[i]));
    else
        each(context, pool_print(pool, "%s", name));
}

/* Of an array only the usages that have names, as all would be a thousand. */
void each_output_name(yt_pool *pool, const yt_profile_output *output, yt_each_name *each,
                      void *context) {
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        for (unsigned k = 0; !(field->flags & YT_HID_CONSTANT) && k < field_elements(field); k++)
            if ((field->flags & YT_HID_VARIABLE) ||
                usage_has_name(output->kind, field->usage_page, element_usage(field, k)))
                give_element(pool, output, i, k, each, context);
    }
}

double raw_value(const yt_raw_meaning *meaning, int64_t raw) {
    double from = (double)(raw - meaning->rest), sign = meaning->is_turned ? -1 : 1;
    double low = (double)(meaning->rest - meaning->minimum);
    double high = (double)(meaning->maximum - meaning->rest);
    if (meaning->kind == YT_MOTION)
        return sign * (double)raw;
    if (meaning->kind == YT_RATE)
        return sign * from * meaning->unit_amount;
    if (meaning->kind != YT_AXIS) {
        double span = (double)(meaning->maximum - meaning->minimum);
        double share = span > 0 ? (double)(raw - meaning->minimum) / span : 0;
        share = share < 0 ? 0 : share > 1 ? 1 : share;
        return meaning->is_turned ? 1 - share : share;
    }
    double side = from < 0 ? low : high, share = side > 0 ? from / side : 0;
    return sign * (share < -1 ? -1 : share > 1 ? 1 : share);
}

int raw_direction(const yt_raw_meaning *meaning, int64_t raw) {
    int64_t positions = meaning->maximum - meaning->minimum + 1, at = raw - meaning->minimum;
    if (at < 0 || at >= positions)
        return -1;
    return (int)(positions == 4 ? 2 * at : at % 8);
}
