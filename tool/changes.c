#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "tool/json_text.h"
#include "tool/output.h"
#include "tool/tool.h"

void change_list_add(void *context, const sim_change *change) {
    change_list *list = context;
    if (list->count == list->room) {
        list->room = list->room ? 2 * list->room : 1024;
        list->list = realloc(list->list, list->room * sizeof *list->list);
        if (!list->list) {
            perror("yonder");
            exit(1);
        }
    }
    list->list[list->count++] = *change;
}

/* What came in stands before what went out at the same time. */
bool change_goes_out(const sim_change *change) {
    return change->is_output != change->is_feedback;
}

static bool is_later(const sim_change *a, const sim_change *b) {
    return a->time_us != b->time_us ? a->time_us > b->time_us
                                    : change_goes_out(a) && !change_goes_out(b);
}

/* The list is nearly in order already, so that moving each into its place is quick, and stable. */
void change_list_sort(change_list *list) {
    for (size_t i = 1; i < list->count; i++) {
        sim_change moved = list->list[i];
        size_t at = i;
        for (; at > 0 && is_later(&list->list[at - 1], &moved); at--)
            list->list[at] = list->list[at - 1];
        list->list[at] = moved;
    }
}

void change_list_free(change_list *list) {
    free(list->list);
    *list = (change_list){0};
}

const yt_device_fields *fields_of_device(const recorded_device *device) {
    static struct {
        uint8_t descriptor[RECORDING_DESCRIPTOR];
        size_t size;
        yt_device_fields fields;
    } known[YT_DEVICES];
    static unsigned next;
    static const yt_device_fields none;
    if (!device)
        return &none;
    for (unsigned i = 0; i < YT_DEVICES; i++)
        if (known[i].size == device->descriptor_size &&
            memcmp(known[i].descriptor, device->descriptor, device->descriptor_size) == 0)
            return &known[i].fields;
    next = (next + 1) % YT_DEVICES;
    known[next].size = device->descriptor_size;
    memcpy(known[next].descriptor, device->descriptor, device->descriptor_size);
    device_fields_read(&known[next].fields, device->descriptor, device->descriptor_size);
    return &known[next].fields;
}

static yt_field_place place_of(yt_hid_direction direction, const host_control *control) {
    return (yt_field_place){direction, control->page, control->usage, control->bit,
                            control->report_id};
}

/* Outputs that share an interface have reports of their own. */
static const yt_profile_output *output_of(const yt_compiled *compiled, unsigned interface,
                                          yt_hid_direction direction, const host_control *control) {
    for (unsigned i = 0; i < compiled->output_count; i++) {
        const yt_profile_output *output = &compiled->outputs[i];
        for (unsigned k = 0; output->interface == interface && k < output->field_count; k++) {
            const yt_hid_field *field = &output->fields[k].field;
            if (field->direction == direction && field->report_id == control->report_id &&
                control->bit >= field->bit &&
                control->bit < field->bit + (unsigned)field->bits * field->count)
                return output;
        }
    }
    return NULL;
}

static void name_output(const yt_compiled *compiled, unsigned interface, yt_hid_direction direction,
                        const host_control *control, char *text, size_t size,
                        yt_raw_meaning *meaning) {
    char own[USAGE_NAME_BYTES];
    yt_field_place place = place_of(direction, control);
    const yt_profile_output *output = output_of(compiled, interface, direction, control);
    if (!output) {
        snprintf(text, size, "?");
        if (meaning)
            *meaning = (yt_raw_meaning){.minimum = control->minimum, .maximum = control->maximum};
        return;
    }
    name_output_place(output, &place, own, meaning);
    snprintf(text, size, "%s.%s", output->name, own);
}

void output_control_name(const yt_compiled *compiled, unsigned interface,
                         const host_control *control, char *text, size_t size,
                         yt_raw_meaning *meaning) {
    name_output(compiled, interface, YT_HID_INPUT, control, text, size, meaning);
}

void device_control_name(const recorded_device *device, const yt_description *description,
                         const host_control *control, char *text, yt_raw_meaning *meaning) {
    const yt_field_place place = {YT_HID_INPUT, control->page, control->usage, control->bit,
                                  control->report_id};
    const yt_device_fields *fields = fields_of_device(device);
    const yt_device_kind *kind = device_kind_named("device");
    yt_element element;
    if (description)
        kind = description->kind;
    else if (device_element_at(fields, YT_HID_INPUT, place.report_id, place.bit, place.usage,
                               &element))
        kind = device_field_kind(fields, element.field);
    name_place(fields, kind, description, &place, text, meaning);
}

void input_control_name(const yt_profile_input *input, const recorded_device *device,
                        const host_control *control, char *text, yt_raw_meaning *meaning) {
    yt_field_place place = place_of(YT_HID_INPUT, control);
    name_place(fields_of_device(device), input->kind, input->description, &place, text, meaning);
}

static void name_target(const yt_profile_input *input, const recorded_device *device,
                        const host_control *control, char *text, yt_raw_meaning *meaning) {
    yt_field_place place = place_of(YT_HID_OUTPUT, control);
    name_place(fields_of_device(device), input->kind, input->description, &place, text, meaning);
}

void target_name(const yt_compiled *compiled, uint32_t inputs, const recorded_device *device,
                 const host_control *control, char *text, yt_raw_meaning *meaning) {
    const yt_program *program = &compiled->program;
    for (unsigned i = 0; i < program->header->target_count; i++)
        if (!program->targets[i].from_host && (inputs >> program->targets[i].input & 1)) {
            name_target(&compiled->inputs[program->targets[i].input], device, control, text,
                        meaning);
            return;
        }
    snprintf(text, USAGE_NAME_BYTES, "?");
    *meaning = (yt_raw_meaning){.minimum = control->minimum, .maximum = control->maximum};
}

/* The input that a control of a plugged device belongs to: a device of several collections may be
 * several inputs. */
static unsigned input_of(const profile *profile, const sim_plug *plugs, const sim_change *change) {
    const yt_program *program = &profile->compiled.program;
    const sim_plug *plug = &plugs[change->number];
    const host_control *control = &change->control;
    const yt_device_fields *fields = fields_of_device(change->device);
    yt_element element;
    if (plug->input != YT_ANY_INPUT)
        return plug->input;
    bool is_there = device_element_at(fields, YT_HID_INPUT, control->report_id, control->bit,
                                      control->usage, &element);
    for (unsigned i = 0; is_there && i < program->header->input_count; i++)
        if (program->inputs[i].application_page &&
            device_field_suits(fields, element.field, profile->compiled.inputs[i].kind))
            return i;
    for (unsigned i = 0; i < program->header->input_count; i++)
        if (profile_reads(profile, i, control) || program->inputs[i].application_page == 0 ||
            profile->compiled.inputs[i].description)
            return i;
    return 0;
}

void change_name(const profile *profile, const sim_plug *plugs, const sim_change *change,
                 char *text, size_t size, yt_raw_meaning *meaning) {
    char own[USAGE_NAME_BYTES];
    if (change->is_output) {
        name_output(&profile->compiled, change->number,
                    change->is_feedback ? YT_HID_OUTPUT : YT_HID_INPUT, &change->control, text,
                    size, meaning);
        return;
    }
    unsigned number = input_of(profile, plugs, change);
    const yt_profile_input *input = &profile->compiled.inputs[number];
    if (change->is_feedback)
        name_target(input, change->device, &change->control, own, meaning);
    else
        input_control_name(input, change->device, &change->control, own, meaning);
    snprintf(text, size, "%s.%s", input->name, own);
}

bool change_is_used(const profile *profile, const sim_plug *plugs, const sim_change *change) {
    return change->is_output || change->is_feedback ||
           profile_reads(profile, input_of(profile, plugs, change), &change->control);
}

bool profile_reads(const profile *profile, unsigned input, const host_control *control) {
    const yt_program *program = &profile->compiled.program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *read = &program->controls[i];
        if (read->from_host || read->input != input)
            continue;
        if (read->place != YT_NO_PLACE && (program->places[read->place].flags & YT_PLACE_HERE)) {
            if (program->places[read->place].at.bit == control->bit &&
                program->places[read->place].at.report_id == control->report_id)
                return true;
        } else if ((read->page == control->page && read->usage == control->usage) ||
                   (read->other_page == control->page && read->other_usage == control->usage)) {
            return true;
        }
    }
    return false;
}

void raw_text(const yt_raw_meaning *meaning, int64_t raw, char *text, size_t size) {
    static const char *const directions[] = {"up",   "up right",  "right", "down right",
                                             "down", "down left", "left",  "up left"};
    bool is_whole = meaning->maximum - meaning->minimum <= 1;
    int direction = raw_direction(meaning, raw);
    if (meaning->is_hat)
        snprintf(text, size, "%s", direction >= 0 ? directions[direction] : "centre");
    else if (meaning->kind == YT_MOTION)
        snprintf(text, size, "%+.0f", raw_value(meaning, raw));
    else if (meaning->kind == YT_SWITCH && is_whole)
        snprintf(text, size, "%s", raw_value(meaning, raw) > 0 ? "pressed" : "released");
    else if (meaning->kind == YT_RATE)
        snprintf(text, size, "%" PRId64 " (%.2f %s)", raw, raw_value(meaning, raw),
                 meaning->unit ? meaning->unit : "");
    else
        snprintf(text, size, "%" PRId64 " (%.1f %%)", raw, 100 * raw_value(meaning, raw));
}

void print_raw_value(FILE *file, const yt_raw_meaning *meaning, int64_t raw) {
    char text[64];
    bool is_on = meaning->is_hat ? raw_direction(meaning, raw) >= 0
                                 : meaning->kind == YT_SWITCH && raw_value(meaning, raw) > 0;
    raw_text(meaning, raw, text, sizeof text);
    if (is_on)
        output_paint(file, PAINT_ON);
    fputs(text, file);
    if (is_on)
        output_paint(file, PAINT_NONE);
}

void print_changes(FILE *file, const profile *profile, const sim_plug *plugs,
                   const change_list *changes) {
    fprintf(file, "   time in s  from  control                         value\n");
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        char name[160];
        yt_raw_meaning meaning;
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        fprintf(file, "%5" PRIu64 ".%06" PRIu64 "  %-4s  %-30s  ", change->time_us / 1000000,
                change->time_us % 1000000, change_goes_out(change) ? "out" : "in", name);
        print_raw_value(file, &meaning, change->control.value);
        fputc('\n', file);
    }
}

/* What formulas see of it; of a hat, which is four controls, there is no such number. */
static json_t *seen_value(const yt_raw_meaning *meaning, int64_t raw) {
    return meaning->is_hat ? json_null() : json_real(raw_value(meaning, raw));
}

json_t *change_as_json(uint64_t time_us, bool goes_out, const char *name,
                       const yt_raw_meaning *meaning, int64_t raw) {
    json_t *one = json_object();
    char text[64];
    raw_text(meaning, raw, text, sizeof text);
    json_object_set_new(one, "time_us", json_integer((json_int_t)time_us));
    json_object_set_new(one, "goes", json_string(goes_out ? "out" : "in"));
    json_object_set_new(one, "control", json_text(name));
    json_object_set_new(one, "raw", json_integer(raw));
    json_object_set_new(one, "value", seen_value(meaning, raw));
    json_object_set_new(one, "text", json_text(text));
    return one;
}

json_t *changes_of(const profile *profile, const sim_plug *plugs, const change_list *changes) {
    json_t *list = json_array();
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        char name[160];
        yt_raw_meaning meaning;
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        json_array_append_new(list, change_as_json(change->time_us, change_goes_out(change), name,
                                                   &meaning, change->control.value));
    }
    return list;
}
