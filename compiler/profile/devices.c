#include "compiler/formulas/controls.h"
#include "compiler/profile/devices.h"
#include "compiler/reading/keys.h"

#include <string.h>

#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"

static const yt_device_kind *find_kind(const yt_part *part) {
    return part->kind == PART_TEXT ? device_kind_named(part->text) : NULL;
}

static void unknown_kind(const yt_scope *scope, const yt_part *part) {
    const char *names[16];
    for (size_t i = 0; i < device_kind_count; i++)
        names[i] = device_kinds[i].name;
    const char *near = part->kind == PART_TEXT
                           ? nearest_name(part->text, part->bytes, names, device_kind_count)
                           : NULL;
    if (near)
        messages_add(scope->messages, part->place,
                     "there is no kind of input \"%.40s\", and no description %.40s.yaml beside "
                     "the profile; did you mean \"%s\"?",
                     part->text, part->text, near);
    else if (part->kind == PART_TEXT)
        messages_add(scope->messages, part->place,
                     "\"%.40s\" is no kind of device (%s), and there is no %.40s.yaml beside the "
                     "profile or in devices/",
                     part->text, device_kind_list(), part->text);
    else
        messages_add(scope->messages, part->place,
                     "an input is a kind of device (%s) or the name of a description beside the "
                     "profile",
                     device_kind_list());
}

/* A kind of device, or a description. */
static void read_word_of_input(yt_scope *scope, const yt_part *part, yt_profile_input *input) {
    int before = scope->messages->count;
    input->kind = find_kind(part);
    if (input->kind)
        return;
    if (part->kind == PART_TEXT)
        input->description =
            description_read(scope->pool, scope->messages, part->place, part->text);
    if (input->description)
        input->kind = input->description->kind;
    else if (scope->messages->count == before)
        unknown_kind(scope, part);
}

static void read_input_map(yt_scope *scope, const yt_part *map, yt_profile_input *input,
                           yt_program_input *record, yt_input_texts *texts) {
    static const char *const keys[] = {"kind", "description", "bus",       "vendor",    "product",
                                       "name", "serial",      "connector", "descriptor"};
    const yt_part *kind = find_value(map, "kind"), *described = find_value(map, "description");
    if (!kind && !described)
        messages_add(scope->messages, map->place,
                     "an input needs a kind, as in {kind: mouse, vendor: 0x1209}");
    if (kind && described)
        messages_add(scope->messages, kind->place,
                     "the description says of what kind it is; leave kind: out");
    if (kind || described)
        read_word_of_input(scope, described ? described : kind, input);
    if (input->description) {
        *record = input->description->match;
        texts->device_name = input->description->match_name;
        texts->serial = input->description->match_serial;
    }
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (strcmp(key->text, "kind") != 0 && strcmp(key->text, "description") != 0 &&
            !match_read_key(scope->messages, key, record, &texts->device_name, &texts->serial))
            unknown_key(scope->messages, key, keys, sizeof keys / sizeof keys[0]);
}

/* The pins of a board are the adapter's own, so that there is one board in a profile. */
static void add_pins(const yt_scope *scope, const yt_part *key, const yt_description *description) {
    yt_build *build = scope->build;
    unsigned input = build->input_count;
    if (description->pin_count > 0 && build->pin_count > 0) {
        messages_add(scope->messages, key->next->place,
                     "the adapter's pins are those of \"%s\" already; a profile has one board",
                     scope->devices->inputs[build->pins[0].input].name);
        return;
    }
    for (unsigned i = 0; i < description->pin_count; i++) {
        yt_program_pin pin = description->pins[i];
        pin.input = (uint8_t)input;
        build_add_pin(build, pin);
    }
}

/* What a device of the input must be sent. */
static void add_sends(const yt_scope *scope, const yt_description *description) {
    for (unsigned i = 0; i < description->send_count; i++) {
        const yt_read_send *send = &description->sends[i];
        yt_program_filled filled = send->filled;
        yt_program_fill fills[FILLS_MOST];
        filled.input = (uint8_t)scope->build->input_count;
        for (unsigned k = 0; k < send->fill_count; k++)
            fills[k] = send->fills[k].fill;
        build_add_filled(scope->build, filled, fills, send->fill_count);
    }
}

static void read_input(yt_scope *scope, const yt_part *key, yt_input_texts *texts) {
    yt_build *build = scope->build;
    yt_program_input record = {0};
    yt_profile_input input = {.name = key->text};
    if (scope->devices->input_count == PROFILE_INPUTS) {
        messages_add(scope->messages, key->place, "a profile has at most %d inputs",
                     PROFILE_INPUTS);
        return;
    }
    texts += scope->devices->input_count;
    if (key->next->kind == PART_MAP) {
        read_input_map(scope, key->next, &input, &record, texts);
    } else {
        read_word_of_input(scope, key->next, &input);
        if (input.description) {
            record = input.description->match;
            texts->device_name = input.description->match_name;
            texts->serial = input.description->match_serial;
        }
    }
    if (!check_name(scope, key))
        return;
    input.is_broken = !input.kind;
    if (input.is_broken) /* so that its name is known */
        input.kind = device_kind_named("device");
    record.application_page = input.kind->application_page;
    record.application_usage = input.kind->application_usage;
    record.application_other = input.kind->application_other;
    record.needs_page = input.kind->needs_page;
    record.needs_usage = input.kind->needs_usage;
    record.needs |= input.kind->needs;
    if (input.description)
        add_pins(scope, key, input.description);
    if (input.description)
        add_sends(scope, input.description);
    build->inputs[build->input_count++] = record;
    scope->devices->inputs[scope->devices->input_count++] = input;
}

void read_inputs(yt_scope *scope, const yt_part *top, yt_input_texts *texts) {
    const yt_part *inputs = find_value(top, "inputs");
    if (!inputs)
        messages_add(scope->messages, top->place,
                     "a profile needs inputs: with a line for each, as in: keys: keyboard");
    else if (check_kind(scope->messages, inputs, PART_MAP,
                        "inputs: holds a line for each input, as in: keys: keyboard"))
        for (const yt_part *key = inputs->first; key; key = key->next->next)
            read_input(scope, key, texts);
}

static bool read_counts(const yt_scope *scope, const yt_part *map, yt_profile_output *output) {
    static const struct {
        const char *key;
        int64_t most;
    } keys[] = {{"buttons", OUTPUT_MOST_BUTTONS},
                {"sticks", 3},
                {"axes", 8},
                {"triggers", 2},
                {"hats", 4},
                {"hat", 1}};
    unsigned *counts[] = {&output->buttons,  &output->sticks, &output->axes,
                          &output->triggers, &output->hats,   &output->hats};
    bool any = false;
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        const yt_part *value = find_value(map, keys[i].key);
        int64_t number;
        if (!value)
            continue;
        any = true;
        if (read_whole(scope->messages, value, 0, keys[i].most, &number))
            *counts[i] = (unsigned)number;
    }
    if (any)
        output->what = OUTPUT_COUNTS;
    if (any && output->sticks && output->axes)
        messages_add(scope->messages, map->place, "an output has sticks or axes, not both");
    if (any &&
        output->buttons + output->sticks + output->axes + output->triggers + output->hats == 0)
        messages_add(scope->messages, map->place, "an output needs at least one control");
    return any;
}

/* Bytes in hexadecimal, with or without spaces between. */
static void read_descriptor(const yt_scope *scope, const yt_part *part, yt_profile_output *output) {
    uint8_t *bytes = pool_take(scope->pool, OUTPUT_DESCRIPTOR);
    size_t size = 0, digits = 0;
    unsigned byte = 0;
    if (!check_kind(scope->messages, part, PART_TEXT,
                    "a report descriptor is written as bytes, as in 05 01 09 04 a1 01"))
        return;
    for (const char *at = part->text; *at; at++) {
        static const char hexadecimal[] = "0123456789abcdef";
        const char *digit = strchr(hexadecimal, *at | 0x20);
        if (*at == ' ' || *at == '\n')
            continue;
        if (!digit || size == OUTPUT_DESCRIPTOR) {
            messages_add(scope->messages, part->place,
                         "a report descriptor is up to %d bytes in hexadecimal, as in 05 01 09 04",
                         OUTPUT_DESCRIPTOR);
            return;
        }
        byte = byte << 4 | (unsigned)(digit - hexadecimal);
        if (++digits % 2 == 0) {
            bytes[size++] = (uint8_t)byte;
            byte = 0;
        }
    }
    output->what = OUTPUT_DESCRIPTION;
    output->descriptor = bytes;
    output->descriptor_size = size;
    if (digits % 2)
        messages_add(scope->messages, part->place, "the last byte has one digit only");
}

static const char *const shape_keys[] = {"usage",  "count",    "bits", "range",
                                         "report", "feedback", "pad"};

static bool read_shape_usage(const yt_scope *scope, const yt_profile_output *output,
                             const yt_part *part, yt_output_shape *shape) {
    yt_control_name name;
    const char *up = part->kind == PART_TEXT ? pool_print(scope->pool, "%s.up", part->text) : "";
    if (part->kind != PART_TEXT || (!control_named(output->kind, up, strlen(up), &name) &&
                                    !control_named(output->kind, part->text, part->bytes, &name))) {
        messages_add(scope->messages, part->place, "a %s has no usage \"%.40s\"",
                     output->kind->name, part->kind == PART_TEXT ? part->text : "");
        return false;
    }
    shape->page = name.page;
    shape->usage = name.usage;
    shape->is_hat = name.part != 0;
    shape->kind = name.kind;
    return true;
}

static const char *const pad_keys[] = {"pad", "report", "feedback"};

static bool read_shape(const yt_scope *scope, const yt_profile_output *output, const yt_part *map,
                       yt_output_shape *shape) {
    yt_messages *messages = scope->messages;
    int64_t count = 1, bits = 1, report = 0, pad = 0;
    const yt_part *value, *list;
    if (!check_kind(messages, map, PART_MAP, "a field is a map, as in {usage: button1, count: 10}"))
        return false;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, shape_keys, sizeof shape_keys / sizeof shape_keys[0])) {
            unknown_key(messages, key, shape_keys, sizeof shape_keys / sizeof shape_keys[0]);
            return false;
        } else if (find_value(map, "pad") && !is_among(key->text, pad_keys, 3)) {
            messages_add(messages, key->place,
                         "\"%s\" says nothing of bits that are nothing; pad: stands alone, or "
                         "with report: and feedback:",
                         key->text);
            return false;
        }
    bool good =
        (!(value = find_value(map, "count")) || read_whole(messages, value, 1, 128, &count)) &&
        (!(value = find_value(map, "report")) || read_whole(messages, value, 1, 255, &report)) &&
        (!(value = find_value(map, "feedback")) || read_flag(messages, value, &shape->from_host));
    shape->report_id = (unsigned)report;
    if ((value = find_value(map, "pad"))) {
        good = good && read_whole(messages, value, 1, 512, &pad);
        shape->bits = (unsigned)pad;
        return good;
    }
    if (!(value = find_value(map, "usage"))) {
        messages_add(messages, map->place, "a field needs its usage, as in {usage: x, bits: 8}");
        return false;
    }
    good = good && read_shape_usage(scope, output, value, shape);
    bits = shape->is_hat ? 4 : shape->kind == YT_SWITCH ? 1 : 16;
    good =
        good && (!(value = find_value(map, "bits")) || read_whole(messages, value, 1, 32, &bits));
    int64_t low =
        shape->kind == YT_AXIS || shape->kind == YT_MOTION ? -((int64_t)1 << (bits - 1)) + 1 : 0;
    int64_t high = shape->is_hat ? 7 : low < 0 ? -low : ((int64_t)1 << bits) - 1;
    list = find_value(map, "range");
    if (good && list) {
        bool is_pair =
            list->kind == PART_LIST && list->first && list->first->next && !list->first->next->next;
        good = is_pair && read_whole(messages, list->first, INT32_MIN, INT32_MAX, &low) &&
               read_whole(messages, list->first->next, low + 1, INT32_MAX, &high);
        if (!is_pair)
            messages_add(messages, list->place, "a range is two numbers, as in [0, 255]");
    }
    if (good && shape->is_hat &&
        ((high - low != 7 && high - low != 3) || low < 0 || high + 1 >= (int64_t)1 << bits)) {
        messages_add(
            messages, list ? list->place : map->place,
            "a hat has eight positions or four, as in range: [0, 7] or [0, 3], and its bits "
            "must hold one more, for the middle");
        return false;
    }
    if (bits == 32 && high > INT32_MAX)
        high = INT32_MAX;
    shape->count = (unsigned)count;
    shape->bits = (unsigned)bits;
    shape->minimum = (int32_t)low;
    shape->maximum = (int32_t)high;
    return good;
}

/* A field that fills itself is padding to the host; it stands behind the fields of its report that
 * came before. */
static bool read_filled_shape(const yt_scope *scope, const yt_part *map,
                              const yt_output_shape *shapes, unsigned count,
                              yt_profile_output *output, yt_output_shape *shape) {
    unsigned bit = 0;
    const yt_part *report = find_value(map, "report");
    int64_t id = 0;
    if (output->fill_count == FILLS_MOST) {
        messages_add(scope->messages, map->place, "at most %d fields can fill themselves here",
                     FILLS_MOST);
        return false;
    }
    if (report && !read_whole(scope->messages, report, 1, 255, &id))
        return false;
    for (unsigned i = 0; i < count; i++)
        if (!shapes[i].from_host && shapes[i].report_id == (unsigned)id)
            bit += (shapes[i].page ? shapes[i].count : 1) * shapes[i].bits;
    if (!output->fills)
        output->fills = pool_take(scope->pool, FILLS_MOST * sizeof *output->fills);
    yt_read_fill *fill = &output->fills[output->fill_count];
    if (!read_fill(scope->messages, map, FILL_HAS_REPORT, bit, fill))
        return false;
    output->fill_count++;
    shape->report_id = fill->report_id;
    shape->bits = fill->fill.at.bits;
    return true;
}

static void read_fields(const yt_scope *scope, const yt_part *list, yt_profile_output *output) {
    yt_output_shape shapes[OUTPUT_SHAPES] = {{0}};
    unsigned count = 0;
    if (!check_kind(scope->messages, list, PART_LIST,
                    "fields: is a list, as in [{usage: button1, count: 10}, {pad: 6}]"))
        return;
    for (const yt_part *map = list->first; map; map = map->next) {
        if (count == OUTPUT_SHAPES) {
            messages_add(scope->messages, map->place, "an output has at most %d fields",
                         OUTPUT_SHAPES);
            return;
        }
        bool good = is_fill(map)
                        ? read_filled_shape(scope, map, shapes, count, output, &shapes[count])
                        : read_shape(scope, output, map, &shapes[count]);
        if (!good)
            return;
        count++;
    }
    output->what = OUTPUT_DESCRIPTION;
    output->descriptor = output_shapes_descriptor(scope->pool, output->kind, shapes, count,
                                                  &output->descriptor_size);
    if (!output->descriptor)
        messages_add(scope->messages, list->place,
                     "these fields make a report descriptor longer than %d bytes",
                     OUTPUT_DESCRIPTOR);
}

static void read_output_map(const yt_scope *scope, const yt_part *map, yt_profile_output *output) {
    static const char *const ways[] = {"usb", "bluetooth"};
    static const char *const keys[] = {"kind",   "connector",  "over",     "buttons",
                                       "sticks", "axes",       "triggers", "hats",
                                       "hat",    "descriptor", "fields",   "fills"};
    const yt_part *kind = find_value(map, "kind"), *connector = find_value(map, "connector");
    const yt_part *descriptor = find_value(map, "descriptor"), *fields = find_value(map, "fields");
    const yt_part *over = find_value(map, "over");
    int64_t number = 1;
    unsigned way = 0;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, keys, sizeof keys / sizeof keys[0]))
            unknown_key(scope->messages, key, keys, sizeof keys / sizeof keys[0]);
    if (kind && (kind->kind != PART_TEXT || !output_kind_named(kind->text, output)))
        messages_add(scope->messages, kind->place, "an output is one of: %s", output_kind_list());
    if (connector && read_whole(scope->messages, connector, 1, PROFILE_CONNECTORS, &number))
        output->connector = (unsigned)number;
    if (over && read_word(scope->messages, over, ways, 2, &way))
        output->over_radio = way == 1;
    yt_profile_output counted = {0};
    bool has_counts = read_counts(scope, map, &counted);
    if (!output->kind)
        output->kind = device_kind_named(counted.axes ? "joystick" : "gamepad");
    if ((descriptor != NULL) + (fields != NULL) + has_counts > 1)
        messages_add(scope->messages, map->place,
                     "say in one way what the output has: by counts such as buttons: 10, by its "
                     "fields:, or by its descriptor:");
    if (find_value(map, "fills") && !descriptor)
        messages_add(scope->messages, find_value(map, "fills")->place,
                     "fills: is for a descriptor of one's own; in fields: a constant, a counter "
                     "or a checksum is a field, as in {constant: 0x5a, bits: 8}");
    if (descriptor) {
        read_descriptor(scope, descriptor, output);
        if (find_value(map, "fills"))
            read_fills(scope->pool, scope->messages, find_value(map, "fills"),
                       FILL_HAS_BIT | FILL_HAS_REPORT, &output->fills, &output->fill_count);
    } else if (fields) {
        read_fields(scope, fields, output);
    } else if (has_counts) {
        counted.kind = output->kind;
        counted.name = output->name;
        counted.connector = output->connector;
        counted.over_radio = output->over_radio;
        *output = counted;
    } else if (!kind) {
        messages_add(scope->messages, map->place,
                     "say what the output is: its kind, how many buttons, sticks and hats it has, "
                     "its fields, or its descriptor");
    }
}

static void read_output(yt_scope *scope, const yt_part *key) {
    if (scope->devices->output_count == PROFILE_OUTPUTS) {
        messages_add(scope->messages, key->place, "a profile has at most %d outputs",
                     PROFILE_OUTPUTS);
        return;
    }
    const yt_part *value = key->next;
    yt_profile_output output = {.name = key->text, .connector = 1};
    if (value->kind == PART_MAP)
        read_output_map(scope, value, &output);
    else if (value->kind != PART_TEXT || !output_kind_named(value->text, &output))
        messages_add(scope->messages, value->place,
                     "an output is one of: %s, or a map such as {buttons: 10, sticks: 2, hat: 1}",
                     output_kind_list());
    if (!check_name(scope, key))
        return;
    if (!output.kind)
        output_kind_named("gamepad", &output);
    scope->build->outputs[scope->devices->output_count] = (yt_program_output){0};
    scope->build->output_count++;
    scope->devices->outputs[scope->devices->output_count++] = output;
}

/* Adds what fills itself in a report of an output. */
static void add_report_fills(yt_scope *scope, const yt_profile_output *output, unsigned report) {
    yt_build *build = scope->build;
    yt_program_fill fills[FILLS_MOST];
    unsigned count = 0;
    for (unsigned i = 0; i < output->fill_count; i++)
        if (output->fills[i].report_id == build->reports[report].id)
            fills[count++] = output->fills[i].fill;
    if (count)
        build_add_filled(build,
                         (yt_program_filled){.report = (uint8_t)report, .direction = YT_HID_INPUT},
                         fills, count);
}

static void add_output_fills(yt_scope *scope, yt_profile_output *output) {
    yt_build *build = scope->build;
    for (unsigned k = 0; k < output->fill_count; k++) {
        const yt_read_fill *fill = &output->fills[k];
        const yt_program_report *report = NULL;
        for (unsigned i = 0; i < build->report_count && !report; i++)
            if (build->reports[i].interface == output->interface &&
                build->reports[i].direction == YT_HID_INPUT &&
                build->reports[i].id == fill->report_id)
                report = &build->reports[i];
        if (!report)
            messages_add(scope->messages, fill->map->place,
                         "output \"%s\" has no such report to the host; say which one, as in "
                         "report: 1",
                         output->name);
        else if (fill->fill.at.bit + fill->fill.at.bits > 8u * report->bytes ||
                 fill->fill.end > report->bytes)
            messages_add(scope->messages, fill->map->place, "that report has %u bytes",
                         report->bytes);
    }
    for (unsigned i = 0; i < build->report_count; i++)
        if (build->reports[i].interface == output->interface &&
            build->reports[i].direction == YT_HID_INPUT)
            add_report_fills(scope, output, i);
}

/* A connector is a socket or a radio, and a radio tells of one report descriptor only. */
static void check_connectors(const yt_scope *scope, const yt_part *outputs) {
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        for (unsigned k = 0; k < i; k++) {
            const yt_profile_output *one = &scope->devices->outputs[i],
                                    *other = &scope->devices->outputs[k];
            const yt_part *at = find_value(outputs, one->name);
            if (one->connector != other->connector || !at)
                continue;
            if (one->over_radio != other->over_radio)
                messages_add(scope->messages, at->place,
                             "connector %u goes over USB and over Bluetooth; give one of the "
                             "outputs another connector",
                             one->connector);
            else if (one->over_radio &&
                     (one->what == OUTPUT_DESCRIPTION || other->what == OUTPUT_DESCRIPTION))
                messages_add(scope->messages, at->place,
                             "over Bluetooth an output with fields or a descriptor of its own "
                             "is the only one at its connector");
            else if (one->over_radio && outputs_merge(one, other)) {
                messages_add(scope->messages, at->place,
                             "over Bluetooth a host takes two of a kind at one connector for one "
                             "device, and mixes the controls of \"%s\" and \"%s\"; give this "
                             "one another connector",
                             other->name, one->name);
                break;
            }
        }
}

void read_outputs(yt_scope *scope, const yt_part *top) {
    const yt_part *outputs = find_value(top, "outputs");
    unsigned at = 0;
    const char *why = NULL;
    if (!outputs) {
        messages_add(scope->messages, top->place,
                     "a profile needs outputs: with a line for each, as in: pad: gamepad");
        return;
    }
    if (!check_kind(scope->messages, outputs, PART_MAP,
                    "outputs: holds a line for each output, as in: pad: gamepad"))
        return;
    for (const yt_part *key = outputs->first; key; key = key->next->next)
        read_output(scope, key);
    check_connectors(scope, outputs);
    if (!outputs_build(scope->build, scope->devices->outputs, scope->devices->output_count, &at,
                       &why))
        messages_add(scope->messages, find_value(outputs, scope->devices->outputs[at].name)->place,
                     "output \"%s\": %s", scope->devices->outputs[at].name, why);
    for (unsigned i = 0; i < scope->devices->output_count; i++) {
        scope->build->outputs[i].interface = (uint8_t)scope->devices->outputs[i].interface;
        if (!why)
            add_output_fills(scope, &scope->devices->outputs[i]);
    }
}
