#include "compiler/building/outputs.h"

#include <stdio.h>
#include <string.h>

#include "compiler/building/descriptors.h"
#include "compiler/messages/status_text.h"
#include "compiler/names/device.h"
#include "signal/scale.h"
#include "yonder/engine.h"

enum { USAGE_HAT = 0x39, FIRST_MODIFIER = 0xe0, LAST_MODIFIER = 0xe7 };

/* The kinds of outputs: the one list that profiles, messages and `yonder new` go by. */
static const struct {
    const char *name, *usual;
    yt_output_kind what;
    unsigned buttons, sticks, axes, triggers, hats;
} kinds[] = {{"gamepad", "pad", OUTPUT_GAMEPAD, 20, 2, 0, 2, 1},
             {"joystick", "pad", OUTPUT_JOYSTICK, 32, 0, 8, 0, 1},
             {"keyboard", "typed", OUTPUT_KEYBOARD, 0, 0, 0, 0, 0},
             {"mouse", "view", OUTPUT_MOUSE, 0, 0, 0, 0, 0},
             {"consumer", "player", OUTPUT_CONSUMER, 0, 0, 0, 0, 0}};

#define KINDS (sizeof kinds / sizeof kinds[0])

const char *output_kind_list(void) {
    static char list[100];
    size_t length = 0;
    for (size_t i = 0; i < KINDS; i++)
        length += (size_t)snprintf(list + length, sizeof list - length, "%s%s", i ? ", " : "",
                                   kinds[i].name);
    return list;
}

const char *output_kind_usual(const char *name) {
    for (size_t i = 0; i < KINDS; i++)
        if (strcmp(kinds[i].name, name) == 0)
            return kinds[i].usual;
    return NULL;
}

bool output_kind_named(const char *name, yt_profile_output *output) {
    for (size_t i = 0; i < KINDS; i++) {
        if (strcmp(kinds[i].name, name) != 0)
            continue;
        output->what = kinds[i].what;
        output->kind = device_kind_named(name);
        output->buttons = kinds[i].buttons;
        output->sticks = kinds[i].sticks;
        output->axes = kinds[i].axes;
        output->triggers = kinds[i].triggers;
        output->hats = kinds[i].hats;
        return true;
    }
    return false;
}

static unsigned boot_of(const yt_profile_output *output) {
    return output->what == OUTPUT_KEYBOARD ? YT_BOOT_KEYBOARD
           : output->what == OUTPUT_MOUSE  ? YT_BOOT_MOUSE
                                           : YT_NO_BOOT;
}

/* A boot keyboard and a boot mouse have an interface each, without report IDs, and so has what must
 * be exactly as described; the others at a connector share one. Over Bluetooth a device has one
 * report descriptor, so all share it but those that bring their own. */
static bool shares(const yt_profile_output *output) {
    if (output->what == OUTPUT_DESCRIPTION)
        return false;
    return output->over_radio || (boot_of(output) == YT_NO_BOOT && output->what != OUTPUT_COUNTS);
}

bool outputs_merge(const yt_profile_output *one, const yt_profile_output *other) {
    return one->connector == other->connector && one->what != OUTPUT_DESCRIPTION &&
           other->what != OUTPUT_DESCRIPTION &&
           descriptor_application(one) == descriptor_application(other);
}

typedef struct yt_interface_parts {
    yt_build *build;
    yt_descriptor descriptor;
    yt_profile_output *members[PROFILE_OUTPUTS];
    unsigned member_count;
    unsigned number;
} yt_interface_parts;

/* Whether an output can be in the interface: with one that has the same application usage a host
 * would take the two for one device. */
static bool has_room(const yt_interface_parts *parts, const yt_profile_output *output) {
    for (unsigned i = 0; i < parts->member_count; i++) {
        const yt_profile_output *member = parts->members[i];
        if (!shares(member) || !shares(output) || member->connector != output->connector ||
            outputs_merge(member, output))
            return false;
    }
    return true;
}

static void write_interface(yt_interface_parts *parts) {
    yt_descriptor *descriptor = &parts->descriptor;
    for (unsigned i = 0; i < parts->member_count; i++) {
        const yt_profile_output *output = parts->members[i];
        if (output->what != OUTPUT_DESCRIPTION) {
            bool has_ids = parts->member_count > 1 || output->over_radio;
            descriptor_write(descriptor, output, has_ids ? i + 1 : 0);
            continue;
        }
        descriptor->is_too_long = output->descriptor_size > sizeof descriptor->bytes;
        descriptor->size = descriptor->is_too_long ? 0 : output->descriptor_size;
        memcpy(descriptor->bytes, output->descriptor, descriptor->size);
    }
}

/* The program's report that a field stands in; a new one where it is not there yet. */
static unsigned report_of(yt_interface_parts *parts, const yt_hid_field *field) {
    yt_build *build = parts->build;
    unsigned first = parts->number < build->interface_count
                         ? build->interfaces[parts->number].first_report
                         : build->report_count;
    for (unsigned i = first; i < build->report_count; i++)
        if (build->reports[i].id == field->report_id &&
            build->reports[i].direction == field->direction)
            return i;
    return build_report(build, (yt_program_report){.id = field->report_id,
                                                   .direction = field->direction,
                                                   .interface = (uint8_t)parts->number});
}

/* Whether the fields of a collection belong to a member of the interface: the members' collections
 * follow one another, but one with a descriptor of its own has all of them. */
static yt_profile_output *member_of(yt_interface_parts *parts, const yt_hid_field *field) {
    unsigned at = parts->members[0]->what == OUTPUT_DESCRIPTION ? 0 : field->application;
    return at < parts->member_count ? parts->members[at] : NULL;
}

static void add_field(yt_interface_parts *parts, const yt_hid_field *field, unsigned report) {
    yt_profile_output *output = member_of(parts, field);
    if (!output || (field->flags & YT_HID_CONSTANT) || field->bits > 32)
        return;
    if (output->field_count % 16 == 0) {
        yt_output_field *larger =
            pool_take(parts->build->pool, (output->field_count + 16) * sizeof *larger);
        if (output->field_count)
            memcpy(larger, output->fields, output->field_count * sizeof *larger);
        output->fields = larger;
    }
    output->fields[output->field_count++] = (yt_output_field){*field, report};
}

static const char *read_fields(yt_interface_parts *parts) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    yt_build *build = parts->build;
    yt_hid_open(&reader, parts->descriptor.bytes, parts->descriptor.size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        add_field(parts, &field, report_of(parts, &field));
    if (status != YT_END)
        return pool_print(build->pool, "byte %zu of its report descriptor: %s",
                          yt_hid_error_offset(&reader), status_text(status));
    for (unsigned i = build->interfaces[parts->number].first_report; i < build->report_count; i++) {
        yt_program_report *report = &build->reports[i];
        unsigned bits = yt_hid_report_bits(&reader, report->direction, report->id);
        if (bits == 0 || bits > 8 * YT_REPORT_BYTES)
            return pool_print(build->pool, "a report of it has %u bytes; 1 to %d are possible",
                              (bits + 7) / 8, YT_REPORT_BYTES);
        report->bytes = (uint16_t)((bits + 7) / 8);
    }
    return NULL;
}

/* The number that a field holds while nothing is driven. */
static uint32_t rest_number(const yt_hid_field *field, uint16_t usage) {
    if (!(field->flags & YT_HID_VARIABLE) || (field->flags & YT_HID_RELATIVE))
        return 0;
    if (field->flags & YT_HID_NULL_STATE)
        return (uint32_t)(field->maximum + 1);
    if (kind_of_field(field, usage) == YT_AXIS)
        return (uint32_t)yt_scale_rest(field->minimum, field->maximum);
    return (uint32_t)field->minimum;
}

static void put_rests(const yt_profile_output *output, unsigned report, uint8_t *bytes,
                      size_t size) {
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        if (output->fields[i].report != report)
            continue;
        for (unsigned k = 0; k < field->count; k++)
            yt_hid_set(bytes, size, field->bit + k * field->bits, field->bits,
                       rest_number(field, yt_hid_usage(field, k)));
    }
}

static void make_rests(yt_interface_parts *parts) {
    yt_build *build = parts->build;
    for (unsigned i = build->interfaces[parts->number].first_report; i < build->report_count; i++) {
        uint8_t bytes[YT_REPORT_BYTES] = {0};
        yt_program_report *report = &build->reports[i];
        if (report->direction != YT_HID_INPUT)
            continue;
        for (unsigned k = 0; k < parts->member_count; k++)
            put_rests(parts->members[k], i, bytes, report->bytes);
        report->rest_offset = (uint16_t)build_bytes(build, bytes, report->bytes);
    }
}

/* YT_BOOT_BOTH is the two of them, bit by bit. */
static unsigned boot_of_all(const yt_interface_parts *parts) {
    unsigned boot = 0;
    for (unsigned i = 0; i < parts->member_count; i++)
        boot |= boot_of(parts->members[i]);
    return boot;
}

/* Which reports become reports of the boot protocol. */
static void mark_boots(yt_interface_parts *parts) {
    for (unsigned i = 0; i < parts->member_count; i++)
        for (unsigned k = 0; k < parts->members[i]->field_count; k++) {
            yt_program_report *report = &parts->build->reports[parts->members[i]->fields[k].report];
            if (report->direction == YT_HID_INPUT ||
                (report->direction == YT_HID_OUTPUT &&
                 boot_of(parts->members[i]) == YT_BOOT_KEYBOARD))
                report->boot = (uint8_t)boot_of(parts->members[i]);
        }
}

/* Hosts over Bluetooth put a byte in front of what they send even where there are no IDs, which
 * could not be told from the report's first. */
static const char *check_ids(const yt_interface_parts *parts) {
    const yt_build *build = parts->build;
    for (unsigned i = build->interfaces[parts->number].first_report;
         parts->members[0]->over_radio && i < build->report_count; i++)
        if (build->reports[i].direction != YT_HID_INPUT && build->reports[i].id == 0)
            return "over Bluetooth a report that the host sends needs an ID; give the fields of "
                   "each report one, as in: report: 1";
    return NULL;
}

static const char *make_interface(yt_interface_parts *parts) {
    yt_build *build = parts->build;
    write_interface(parts);
    if (parts->descriptor.is_too_long)
        return pool_print(build->pool, "its report descriptor would be longer than %d bytes",
                          OUTPUT_DESCRIPTOR);
    build_interface(build,
                    (yt_program_interface){.first_report = (uint16_t)build->report_count,
                                           .connector = (uint8_t)parts->members[0]->connector,
                                           .boot = (uint8_t)boot_of_all(parts),
                                           .radio = parts->members[0]->over_radio});
    const char *why = read_fields(parts);
    if (!why)
        why = check_ids(parts);
    if (why)
        return why;
    mark_boots(parts);
    if (build->report_count > YT_REPORTS)
        return pool_print(build->pool, "all outputs together have more than %d reports",
                          YT_REPORTS);
    yt_program_interface *interface = &build->interfaces[parts->number];
    interface->report_count = (uint8_t)(build->report_count - interface->first_report);
    interface->descriptor_offset =
        (uint16_t)build_bytes(build, parts->descriptor.bytes, parts->descriptor.size);
    interface->descriptor_bytes = (uint16_t)parts->descriptor.size;
    make_rests(parts);
    return NULL;
}

const uint8_t *output_shapes_descriptor(yt_pool *pool, const yt_device_kind *kind,
                                        const yt_output_shape *shapes, unsigned count,
                                        size_t *size) {
    yt_descriptor *descriptor = pool_take(pool, sizeof *descriptor);
    descriptor_write_shapes(descriptor, kind, shapes, count);
    *size = descriptor->size;
    return descriptor->is_too_long ? NULL : descriptor->bytes;
}

bool outputs_build(yt_build *build, yt_profile_output *outputs, unsigned count, unsigned *at,
                   const char **why) {
    bool done[PROFILE_OUTPUTS] = {false};
    for (unsigned i = 0; i < count; i++) {
        yt_interface_parts parts = {.build = build, .number = build->interface_count};
        if (done[i])
            continue;
        for (unsigned k = i; k < count; k++) {
            if (done[k] || !has_room(&parts, &outputs[k]))
                continue;
            outputs[k].interface = parts.number;
            parts.members[parts.member_count++] = &outputs[k];
            done[k] = true;
        }
        *at = i;
        *why = make_interface(&parts);
        if (*why)
            return false;
    }
    return true;
}

static bool is_wheel(uint16_t page, uint16_t usage) {
    return (page == PAGE_DESKTOP && usage == 0x38) || (page == PAGE_CONSUMER && usage == 0x238);
}

/* The feature bit that asks for a wheel's 120ths: the multipliers stand in the order of the wheels.
 * 0: there is none. */
static uint8_t multiplier_of(const yt_profile_output *output, uint16_t usage) {
    unsigned wheel = 0, at = 0;
    bool found = false;
    for (unsigned i = 0; i < output->field_count && !found; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        if (field->direction == YT_HID_INPUT && is_wheel(field->usage_page, field->usage_first)) {
            found = field->usage_first == usage;
            wheel += !found;
        }
    }
    for (unsigned i = 0; i < output->field_count && found; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        if (field->direction != YT_HID_FEATURE || field->usage_page != PAGE_DESKTOP ||
            field->usage_first != 0x48 || field->maximum != 1 || field->physical_maximum != 120)
            continue;
        if (at++ == wheel && field->bit < 31)
            return (uint8_t)(field->bit + 1);
    }
    return 0;
}

/* Where element `element` of a field stands, or the number of an array that stands for it. */
static yt_program_root root_of(const yt_profile_output *output, const yt_output_field *at,
                               uint16_t usage, unsigned element, yt_kind kind) {
    const yt_hid_field *field = &at->field;
    yt_program_root root = {.at = {field->bit, (uint8_t)field->bits, 0}};
    bool is_key = field->usage_page == PAGE_KEYBOARD;
    if (!(field->flags & YT_HID_VARIABLE)) {
        root.kind = is_key ? YT_ROOT_KEY_IN_ARRAY : YT_ROOT_IN_ARRAY;
        root.number = (uint16_t)(field->number_first + usage - field->usage_first);
        root.elements = (uint8_t)(field->count < UINT8_MAX ? field->count : UINT8_MAX);
        return root;
    }
    root.at.bit = (uint16_t)(field->bit + element * field->bits);
    if (kind == YT_SWITCH && is_key) {
        root.kind =
            usage >= FIRST_MODIFIER && usage <= LAST_MODIFIER ? YT_ROOT_MODIFIER : YT_ROOT_KEY;
        root.number = usage;
    } else if (kind == YT_SWITCH) {
        root.kind = YT_ROOT_BUTTON;
        root.number = 1;
    } else {
        root.kind = kind == YT_AXIS    ? YT_ROOT_AXIS
                    : kind == YT_LEVEL ? YT_ROOT_LEVEL
                                       : YT_ROOT_MOTION;
    }
    if (kind == YT_MOTION && output->what == OUTPUT_MOUSE)
        root.boot_byte = usage == 0x30 ? 1 : usage == 0x31 ? 2 : 0;
    if (kind == YT_MOTION)
        root.multiplier = multiplier_of(output, usage);
    return root;
}

static int32_t within_int32(int64_t number) {
    return (int32_t)(number < INT32_MIN ? INT32_MIN : number > INT32_MAX ? INT32_MAX : number);
}

static void fill_control(const yt_profile_output *output, const yt_output_field *at, uint16_t usage,
                         unsigned element, unsigned part, yt_output_control *control) {
    const yt_hid_field *field = &at->field;
    *control = (yt_output_control){.kind = part ? YT_SWITCH : kind_of_field(field, usage),
                                   .from_host = field->direction != YT_HID_INPUT,
                                   .report = at->report};
    control->range.minimum = within_int32(field->minimum);
    control->range.maximum = within_int32(field->maximum);
    control->range.rest = control->range.minimum;
    if (control->kind == YT_AXIS)
        control->range.rest = within_int32(yt_scale_rest(field->minimum, field->maximum));
    control->place =
        (yt_program_place){.at = {(uint16_t)(field->bit + element * field->bits),
                                  (uint8_t)field->bits, field->report_id},
                           .flags = (uint8_t)(YT_PLACE_HERE | YT_PLACE_RANGE |
                                              (field->minimum < 0 ? YT_PLACE_SIGNED : 0))};
    control->root = root_of(output, at, usage, element, control->kind);
    if (part) {
        control->root.kind = YT_ROOT_HAT;
        control->root.part = (uint8_t)part;
        control->root.number = (uint16_t)field->minimum;
        control->root.elements = field->maximum - field->minimum == 3 ? 4 : 0;
    }
}

static bool is_hat(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return (field->flags & YT_HID_VARIABLE) && (field->flags & YT_HID_NULL_STATE) &&
           field->minimum >= 0 && (positions == 8 || positions == 4);
}

/* The control of a usage; motion is only found as motion. */
static bool find_usage(const yt_profile_output *output, const yt_control_name *name, uint16_t page,
                       uint16_t usage, unsigned part, yt_output_control *control) {
    unsigned occurrence = name->occurrence;
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        unsigned first;
        unsigned count = field->usage_page == page ? field_occurrences(field, usage, &first) : 0;
        bool is_motion = (field->flags & YT_HID_RELATIVE) && (field->flags & YT_HID_VARIABLE);
        if (count == 0 || (part && !is_hat(field)) || is_motion != (name->kind == YT_MOTION))
            continue;
        if (occurrence < count) {
            fill_control(output, &output->fields[i], usage, first + occurrence, part, control);
            return true;
        }
        occurrence -= count;
    }
    return false;
}

bool output_control_find(const yt_profile_output *output, const yt_control_name *name,
                         yt_output_control *control) {
    if (find_usage(output, name, name->page, name->usage, name->part, control))
        return true;
    if (!name->other_page)
        return false;
    if (name->other_if && !find_usage(output, name, name->other_page, name->other_if, 0, control))
        return false;
    return find_usage(output, name, name->other_page, name->other_usage, 0, control);
}

unsigned output_button(const yt_profile_output *output, const yt_output_control *control) {
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        unsigned bit = control->root.at.bit;
        if (field->usage_page == PAGE_BUTTON && output->fields[i].report == control->report &&
            (field->flags & YT_HID_VARIABLE) && bit >= field->bit &&
            bit < field->bit + (unsigned)field->count * field->bits)
            return yt_hid_usage(field, (bit - field->bit) / field->bits);
    }
    return 0;
}
