/* What a device's controls are called, and what a name leads to: for made-up devices, of several
 * collections and with usages that come again and again, each name that is shown drives the control
 * that it was shown for and no other, and a description that is written is read back. */
#include "compiler/names/device.h"

#include "tests/compiler/made_device.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tool/source.h"

enum { DEVICES = 400, MOST = 96 };

static long raw_of(const yt_hid_field *field, unsigned index, bool is_on) {
    bool is_hat = field->flags & YT_HID_NULL_STATE;
    if (!(field->flags & YT_HID_VARIABLE))
        return is_on ? (long)(field->number_first + index) : 0;
    if (is_hat)
        return is_on ? 0 : 8;
    long least = field->flags & YT_HID_RELATIVE ? 0 : (long)field->minimum;
    return is_on ? (long)field->maximum : least;
}

/* A report in which all rests but one element, if any. */
static void send(rig *rig, unsigned number, const yt_device_fields *device, unsigned id,
                 const yt_element *on, uint64_t now_us) {
    uint8_t bytes[300] = {(uint8_t)id};
    unsigned bits = 0;
    for (unsigned i = 0; i < device->count; i++) {
        const yt_hid_field *field = &device->fields[i];
        if (field->report_id != id)
            continue;
        unsigned end = field->bit + (unsigned)field->bits * field->count;
        bits = end > bits ? end : bits;
        for (unsigned k = 0; k < field->count && (field->flags & YT_HID_VARIABLE); k++)
            yt_hid_set(bytes + 1, sizeof bytes - 1, element_bit(field, k), field->bits,
                       (uint32_t)raw_of(field, k, on && on->field == i && on->index == k));
        if (!(field->flags & YT_HID_VARIABLE) && on && on->field == i)
            yt_hid_set(bytes + 1, sizeof bytes - 1, field->bit, field->bits,
                       (uint32_t)raw_of(field, on->index, true));
    }
    rig_report(rig, number, bytes, 1 + (bits + 7) / 8, now_us);
}

/* The buttons that the host has seen, a bit each. */
static void take_all(rig *rig, uint8_t *buttons, uint64_t now_us) {
    for (const char *told = rig_take(rig, 0, now_us); *told; told = rig_take(rig, 0, now_us))
        for (unsigned i = 0; i < MOST / 8; i++)
            buttons[i] = (uint8_t)strtoul(told + 3 * i, NULL, 16);
}

/* The elements of one kind's collections that have names: each drives a button. */
typedef struct named {
    yt_element element;
    char name[USAGE_NAME_BYTES];
} named;

static bool is_known(const named *named, unsigned count, const char *name) {
    for (unsigned i = 0; i < count; i++)
        if (strcmp(named[i].name, name) == 0)
            return true;
    return false;
}

/* Two elements that share a name are places of one key. */
static bool is_key(const yt_device_fields *device, const named *named) {
    unsigned page = device->fields[named->element.field].usage_page;
    return page == 0x07 || page == 0x0c;
}

static unsigned name_all(const yt_device_fields *device, const yt_device_kind *kind, named *named,
                         unsigned most) {
    unsigned count = 0;
    for (unsigned i = 0; i < device->count; i++) {
        const yt_hid_field *field = &device->fields[i];
        if (device_field_kind(device, i) != kind)
            continue;
        for (unsigned k = 0; k < field_elements(field) && count < most; k++) {
            named[count].element = (yt_element){i, k};
            bool leads =
                device_element_name(device, kind, named[count].element, true, named[count].name);
            if (!leads)
                continue;
            if (is_known(named, count, named[count].name))
                CHECK(is_key(device, &named[count]));
            count++;
        }
    }
    return count;
}

/* Written so that the button of a name goes on, or over where it moves, when its element does. */
static void write_cell(char *text, const yt_device_kind *kind, const yt_hid_field *field,
                       const char *name, unsigned button) {
    yt_control_name meaning;
    char whole[USAGE_NAME_BYTES + 4];
    bool is_hat = (field->flags & YT_HID_NULL_STATE) && (field->flags & YT_HID_VARIABLE);
    snprintf(whole, sizeof whole, "%s%s", name, is_hat ? ".up" : "");
    CHECK(control_named(kind, whole, strlen(whole), &meaning));
    const char *cell = meaning.kind == YT_SWITCH   ? "  out.button%u: in.%s\n"
                       : meaning.kind == YT_MOTION ? "  out.button%u: \"toggle(in.%s > 0)\"\n"
                                                   : "  out.button%u: in.%s > 75%%\n";
    sprintf(text + strlen(text), cell, button, whole);
}

static unsigned count_on(const uint8_t *before, const uint8_t *after, unsigned *which) {
    unsigned count = 0;
    for (unsigned i = 0; i < MOST; i++)
        if ((before[i / 8] ^ after[i / 8]) >> (i % 8) & 1) {
            *which = i;
            count++;
        }
    return count;
}

static unsigned tried, unnamed, described, outputs;

static void check_names_of_kind(const growing *growing, const yt_device_fields *device,
                                const yt_device_kind *kind) {
    static named named[MOST], cells[MOST];
    static rig r;
    char profile[16000];
    unsigned count = name_all(device, kind, named, MOST), cell_count = 0, number;
    sprintf(profile,
            "inputs: {in: %s}\noutputs: {out: {kind: joystick, fields: [{usage: button1, "
            "count: %u}]}}\nsheet:\n",
            kind->name, MOST);
    for (unsigned i = 0; i < count; i++)
        if (!is_known(cells, cell_count, named[i].name)) {
            cells[cell_count++] = named[i];
            write_cell(profile, kind, &device->fields[named[i].element.field], named[i].name,
                       cell_count);
        }
    if (count == 0)
        return;
    rig_begin(&r, profile);
    yt_device arriving = {
        .descriptor = growing->bytes, .descriptor_size = growing->size, .input = 0};
    yt_status status = yt_engine_attach(&r.engine, &arriving, &number);
    CHECK_EQUAL(status, YT_OK);
    uint8_t rest[MOST / 8] = {0}, now[MOST / 8] = {0};
    uint64_t now_us = 1;
    for (unsigned id = 1; id < 12 && status == YT_OK; id++)
        send(&r, number, device, id, NULL, now_us++);
    take_all(&r, rest, now_us);
    for (unsigned i = 0; i < count && status == YT_OK; i++) {
        const yt_hid_field *field = &device->fields[named[i].element.field];
        unsigned which = MOST;
        memcpy(now, rest, sizeof now);
        send(&r, number, device, field->report_id, &named[i].element, now_us++);
        take_all(&r, now, now_us);
        about("in.%s, page %x, usage %x, of a %s", named[i].name, field->usage_page,
              element_usage(field, named[i].element.index), kind->name);
        CHECK_EQUAL(count_on(rest, now, &which), 1);
        if (which < cell_count)
            CHECK_TEXT(cells[which].name, named[i].name);
        memcpy(rest, now, sizeof rest);
        send(&r, number, device, field->report_id, NULL, now_us++);
        take_all(&r, rest, now_us);
        tried++;
    }
    rig_end(&r);
}

/* A description that is written is read back, each control at the element that it was written for.
 */
static void check_description(const growing *growing, const yt_device_fields *device) {
    static recorded_device recorded = {.name = "Made up", .bus = 3, .vendor = 0x1209};
    char *text = NULL;
    size_t size;
    yt_pool pool = {0};
    yt_messages messages;
    FILE *file = open_memstream(&text, &size);
    memcpy(recorded.descriptor, growing->bytes, growing->size);
    recorded.descriptor_size = growing->size;
    write_description(file, &recorded, NULL, 0);
    fclose(file);
    messages_begin(&messages, "made.yaml", text, size);
    const yt_description *description = description_parse(&pool, &messages, 0, "made");
    if (messages.count > 0) {
        messages_print(&messages, stderr);
        fprintf(stderr, "%s", text);
    }
    CHECK_EQUAL(messages.count, 0);
    CHECK(description != NULL);
    unsigned controls = description ? description->control_count : 0;
    for (unsigned i = 0; i < controls; i++) {
        const yt_described_control *control = &description->controls[i];
        char name[USAGE_NAME_BYTES];
        yt_element element;
        about("%s of a description", control->name);
        bool is_there =
            device_control(device, description->kind, &control->meaning.name, false, &element);
        CHECK(is_there);
        if (!is_there)
            continue;
        const yt_hid_field *field = &device->fields[element.field];
        const yt_field_place place = {
            YT_HID_INPUT, field->usage_page, element_usage(field, element.index),
            (uint16_t)element_bit(field, element.index), field->report_id};
        name_place(device, description->kind, description, &place, name, NULL);
        CHECK_TEXT(name, control->name);
    }
    described += controls;
    messages_free(&messages);
    pool_free(&pool);
    free(text);
}

/* The same device as an output: each name that its host's view shows is a name of a cell. */
static void check_output(const growing *growing) {
    static char profile[12000];
    yt_compiled compiled;
    yt_messages messages;
    sprintf(profile,
            "yonder: 1\ninputs: {in: device}\noutputs: {out: {kind: gamepad, descriptor: ");
    for (size_t i = 0; i < growing->size; i++)
        sprintf(profile + strlen(profile), "%02x ", growing->bytes[i]);
    strcat(profile, "}}\nsheet: {}\n");
    messages_begin(&messages, "made output", profile, strlen(profile));
    bool good = compile_profile(&compiled, &messages);
    messages_free(&messages);
    if (!good)
        return; /* it has more of something than an output can have */
    const yt_profile_output *output = &compiled.outputs[0];
    for (unsigned i = 0; i < output->field_count; i++) {
        const yt_hid_field *field = &output->fields[i].field;
        for (unsigned k = 0; k < field_elements(field) && !(field->flags & YT_HID_CONSTANT); k++) {
            const yt_field_place place = {field->direction, field->usage_page,
                                          element_usage(field, k), (uint16_t)element_bit(field, k),
                                          field->report_id};
            char name[USAGE_NAME_BYTES], whole[USAGE_NAME_BYTES + 4];
            yt_control_name meaning;
            yt_output_control control;
            bool is_hat = (field->flags & YT_HID_NULL_STATE) && (field->flags & YT_HID_VARIABLE);
            name_output_place(output, &place, name, NULL);
            snprintf(whole, sizeof whole, "%s%s", name, is_hat ? ".up" : "");
            about("out.%s, page %x, usage %x", whole, field->usage_page, place.usage);
            bool is_found = control_named(output->kind, whole, strlen(whole), &meaning) &&
                            output_control_find(output, &meaning, &control);
            bool is_key_again =
                is_found && control_is_key(&meaning) && /* an output has it once */
                (control.root.at.bit != place.bit || control.report != output->fields[i].report);
            CHECK(is_found);
            if (!is_found || is_key_again)
                continue;
            CHECK_EQUAL(control.report, output->fields[i].report);
            CHECK_EQUAL(control.root.at.bit, place.bit);
            outputs++;
        }
    }
    pool_free(&compiled.pool);
}

static void check_device(dice *dice) {
    static growing growing;
    static yt_device_fields device;
    make_device(&growing, dice);
    device_fields_read(&device, growing.bytes, growing.size);
    CHECK_EQUAL(device.status, YT_OK);
    for (size_t i = 0; i < device_kind_count; i++)
        check_names_of_kind(&growing, &device, &device_kinds[i]);
    check_description(&growing, &device);
    check_output(&growing);
    for (unsigned i = 0; i < device.count; i++) {
        char name[USAGE_NAME_BYTES];
        unnamed += !device_element_name(&device, device_field_kind(&device, i), (yt_element){i, 0},
                                        true, name);
    }
}

/* Each usage of the tables, up to nine times: the name says which it is, and no other one does. */
static void check_numbers(void) {
    char name[USAGE_NAME_BYTES], again[USAGE_NAME_BYTES];
    for (size_t i = 0; i < device_kind_count; i++)
        for (unsigned page = 1; page < 0x100; page++)
            for (unsigned usage = 1; usage < 0x400 && usage_page_name((uint16_t)page); usage++) {
                const yt_device_kind *kind = &device_kinds[i];
                yt_control_name meaning, found;
                bool is_nth;
                for (unsigned k = 0; control_candidate(kind, k, (uint16_t)page, (uint16_t)usage,
                                                       &meaning, &is_nth, name);
                     k++) {
                    if (meaning.kind == YT_KIND_COUNT || is_nth ||
                        !usage_has_name(kind, (uint16_t)page, (uint16_t)usage))
                        continue;
                    for (unsigned n = 0; n < 9; n++) {
                        control_name_number(kind, name, n, again);
                        if (meaning.part && meaning.usage == usage) /* a hat, not a button */
                            strcat(again, ".up");
                        bool is_known = control_named(kind, again, strlen(again), &found);
                        if (n > 0 && control_is_key(&meaning)) {
                            CHECK(!is_known);
                            continue;
                        }
                        about("%s of a %s", again, kind->name);
                        CHECK(is_known);
                        CHECK_EQUAL(found.page, meaning.page);
                        CHECK_EQUAL(found.usage, meaning.usage);
                        CHECK_EQUAL(found.occurrence, n);
                        CHECK_EQUAL(found.kind, meaning.kind);
                        CHECK_EQUAL(found.part, meaning.part);
                    }
                }
            }
}

int main(void) {
    dice dice = {3};
    check_numbers();
    for (unsigned i = 0; i < some(DEVICES); i++)
        check_device(&dice);
    printf("%u names tried, %u fields without one\n", tried, unnamed);
    CHECK(tried > some(3000));
    CHECK(described > some(3000));
    CHECK(outputs > some(1000));
    return report_checks();
}
