/* Which input a device is, and where in its report descriptor a control stands: at the edges. */
#include "compiler/building/operations.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;

/* A device of one collection with `count` buttons, a bit each, and padding to a byte. */
static size_t buttons(uint8_t *bytes, uint8_t application, uint8_t count) {
    const uint8_t made[] = {0x05, 0x01,  0x09, application, 0xa1, 0x01,
                            0x05, 0x09,  0x19, 0x01,        0x29, count,
                            0x15, 0x00,  0x25, 0x01,        0x75, 0x01,
                            0x95, count, 0x81, 0x02,        0x95, (uint8_t)(8 - count % 8),
                            0x81, 0x03,  0xc0};
    memcpy(bytes, made, sizeof made);
    return sizeof made;
}

/* The inputs that a device with that usage on the desktop page is taken for. */
static uint32_t inputs_of(const char *inputs, uint8_t application) {
    char profile[300];
    uint8_t descriptor[40];
    unsigned number = 99;
    snprintf(profile, sizeof profile,
             "inputs: {%s}\noutputs: {pad: gamepad}\nsheet: {pad.south: a.%s}\n", inputs,
             strstr(inputs, "a: keyboard") ? "a" : "button1");
    rig_begin(&r, profile);
    yt_device device = {.descriptor = descriptor,
                        .descriptor_size = buttons(descriptor, application, 4),
                        .input = YT_ANY_INPUT};
    yt_status status = yt_engine_attach(&r.engine, &device, &number);
    uint32_t found = status == YT_OK ? yt_engine_inputs_of(&r.engine, number) : 0;
    rig_end(&r);
    return found;
}

enum { POINTER = 1, MOUSE = 2, JOYSTICK = 4, GAMEPAD = 5, KEYBOARD = 6, KEYPAD = 7 };

static void check_inputs(void) {
    static const struct {
        const char *inputs;
        uint8_t application;
        uint32_t found;
    } rows[] = {{"a: joystick", JOYSTICK, 1},
                {"a: joystick", GAMEPAD, 1}, /* the other usage will do */
                {"a: gamepad", GAMEPAD, 1},
                {"a: gamepad", JOYSTICK, 1},
                {"a: gamepad", KEYPAD, 0},
                {"a: joystick", MOUSE, 0},
                {"a: joystick, b: gamepad", GAMEPAD, 2}, /* but the very usage is better, */
                {"a: joystick, b: gamepad", JOYSTICK, 1},
                {"a: gamepad, b: joystick", GAMEPAD, 1},
                {"a: gamepad, b: joystick", JOYSTICK, 2},
                {"a: gamepad, b: gamepad", GAMEPAD, 1}, /* and of two that are alike the first */
                {"a: device, b: gamepad", GAMEPAD, 2},
                {"a: keyboard", KEYBOARD, 1},
                {"a: keyboard", KEYPAD, 1},
                {"a: keyboard", GAMEPAD, 0}};
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        about("inputs {%s}, a device of usage %u", rows[i].inputs, rows[i].application);
        CHECK_EQUAL(inputs_of(rows[i].inputs, rows[i].application), rows[i].found);
    }
}

/* An array whose usages go from `first` to `last`, then keys 0x04 to 0x73 as bits: a key counts
 * where it stands, be it in both. */
static void check_array_range(void) {
    static const uint8_t first = 0x1e, last = 0x27; /* digit_1 to digit_0 */
    const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, first,
                                  0x29, last, 0x15, 0x01, 0x25, 0x0a, 0x75, 0x08, 0x95, 0x02,
                                  0x81, 0x00, 0x19, 0x04, 0x29, 0x73, 0x15, 0x00, 0x25, 0x01,
                                  0x75, 0x01, 0x95, 0x70, 0x81, 0x02, 0xc0};
    static const struct {
        const char *name;
        uint8_t usage;
    } keys[] = {{"a", 0x04},       {"z", 0x1d},     {"digit_1", 0x1e}, {"digit_5", 0x22},
                {"digit_0", 0x27}, {"enter", 0x28}, {"f12", 0x45},     {"f24", 0x73}};
    for (size_t i = 0; i < sizeof keys / sizeof keys[0]; i++) {
        bool in_array = keys[i].usage >= first && keys[i].usage <= last;
        char profile[200];
        snprintf(profile, sizeof profile,
                 "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.south: keys.%s}\n",
                 keys[i].name);
        rig_begin(&r, profile);
        unsigned number = RIG_ATTACH(&r, descriptor);
        for (unsigned usage = 0x04; usage <= 0x73; usage++)
            for (int where = 0; where < 2; where++) { /* in the array, or as a bit */
                uint8_t report[16] = {0};
                if (where == 0 && usage >= first && usage <= last)
                    report[usage % 2] = (uint8_t)(usage - first + 1);
                if (where == 1)
                    report[2 + (usage - 4) / 8] = (uint8_t)(1 << (usage - 4) % 8);
                about("%s, key 0x%02x %s", keys[i].name, usage,
                      where ? "as a bit" : "in the array");
                rig_report(&r, number, report, sizeof report, 1000);
                CHECK_EQUAL(rig_value(&r, 0) != 0,
                            usage == keys[i].usage && (in_array || where == 1));
            }
        rig_end(&r);
    }
}

/* What stands for a control by its other usage, in a field of bits and in an array. */
static void check_other_usage(void) {
    yt_program_control *control;
    static uint64_t image[YT_PROGRAM_BYTES / 8];
    yt_program program;
    const uint8_t array[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x10, 0x29, 0x2f,
                             0x15, 0x10, 0x25, 0x2f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x00, 0xc0};
    about("in an array it is the number of the other usage that counts");
    rig_begin(&r,
              "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.south: keys.a}\n");
    memcpy(image, r.compiled.image, r.compiled.size);
    control =
        (yt_program_control *)((uint8_t *)image +
                               ((const uint8_t *)r.compiled.program.controls - r.compiled.image));
    control->other_page = 7;
    control->other_usage = 0x20;
    for (unsigned condition = 0; condition < 0x60; condition++) {
        control->other_if = (uint16_t)condition;
        ((yt_program_header *)image)->checksum =
            yt_checksum(0, (uint8_t *)image + 16, r.compiled.size - 16);
        CHECK_EQUAL(yt_program_check(&program, image, r.compiled.size), YT_OK);
        CHECK_EQUAL(yt_engine_load(&r.engine, image, r.compiled.size), YT_OK);
        unsigned number = RIG_ATTACH(&r, array);
        bool is_met = condition == 0 || (condition >= 0x10 && condition <= 0x2f);
        about("where the device has 0x%02x", condition);
        for (unsigned key = 0x10; key < 0x30; key++) {
            RIG_REPORT(&r, number, 1000, 0, (uint8_t)key);
            CHECK_EQUAL(rig_value(&r, 0) != 0, is_met && key == 0x20);
        }
    }
    rig_end(&r);
}

/* Limits: a descriptor one byte or one field too long, reports of every ID. */
static void check_limits(void) {
    static uint8_t descriptor[YT_HID_BYTES + 1];
    unsigned number;
    rig_begin(&r,
              "inputs: {any: device}\noutputs: {pad: gamepad}\nsheet: {pad.south: any.button1}\n");
    size_t size = buttons(descriptor, GAMEPAD, 4);
    memset(descriptor + size, 0x04, sizeof descriptor - size); /* usage pages, again and again */
    yt_device device = {.descriptor = descriptor, .input = YT_ANY_INPUT};
    for (size_t bytes = YT_HID_BYTES - 1; bytes <= YT_HID_BYTES + 1; bytes++) {
        about("a descriptor of %zu bytes", bytes);
        device.descriptor_size = bytes;
        size_t used = yt_engine_used(&r.engine);
        CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number),
                    bytes > YT_HID_BYTES ? YT_HID_LONG : YT_OK);
        CHECK(bytes <= YT_HID_BYTES || yt_engine_used(&r.engine) == used);
    }
    for (unsigned fields = YT_HID_FIELDS - 1; fields <= YT_HID_FIELDS + 1; fields++) {
        uint8_t *at = descriptor;
        static const uint8_t head[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05,
                                       0x09, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01};
        memcpy(at, head, sizeof head);
        at += sizeof head;
        for (unsigned i = 0; i < fields; i++, at += 2) {
            at[0] = 0x09;
            at[1] = (uint8_t)(i + 1);
        }
        const uint8_t tail[] = {0x96, (uint8_t)fields, (uint8_t)(fields >> 8), 0x81, 0x02, 0xc0};
        memcpy(at, tail, sizeof tail);
        device.descriptor_size = (size_t)(at - descriptor) + sizeof tail;
        about("a descriptor of %u fields", fields);
        CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number),
                    fields > YT_HID_FIELDS ? YT_HID_LONG : YT_OK);
    }
    rig_end(&r);
}

/* A program whose controls stand in reports of every ID: more than a device can have are refused,
 * and what is attached is whole. */
static void check_report_ids(void) {
    const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x01,
                                  0x05, 0x09, 0x09, 0x01, 0x15, 0x00, 0x25, 0x01,
                                  0x75, 0x08, 0x95, 0x01, 0x81, 0x02, 0xc0};
    static char profile[20000];
    int length =
        snprintf(profile, sizeof profile,
                 "inputs: {odd: odd-pad, keys: keyboard}\noutputs: {pad: gamepad}\nsheet:\n"
                 "  pad.south: odd.trip");
    (void)length;
    rig_begin(&r, profile);
    /* As many controls as there are IDs, each at bit 0 of the report of its own. */
    const yt_program *from = &r.compiled.program;
    for (unsigned count = 254; count <= 256; count++) {
        yt_build build = {.pool = &r.compiled.pool,
                          .inputs = (yt_program_input *)from->inputs,
                          .input_count = from->header->input_count,
                          .outputs = (yt_program_output *)from->outputs,
                          .output_count = from->header->output_count,
                          .text = from->text,
                          .text_bytes = from->header->text_bytes,
                          .name_bytes = from->header->name_bytes};
        yt_program_range range = {0, 0, 1, 0};
        unsigned any = build_switch(&build, false);
        for (unsigned i = 0; i < count; i++) {
            yt_program_place place = {.at = {0, 1, (uint8_t)i},
                                      .flags = YT_PLACE_HERE | YT_PLACE_RANGE,
                                      .range = (uint16_t)build_range(&build, range)};
            yt_program_control control = {
                .page = 9, .usage = 1, .place = (uint16_t)build_place(&build, place)};
            any = build_node_of(&build, YT_OP_OR, YT_TYPE_SWITCH, 2, any,
                                build_control(&build, control), 0);
        }
        for (unsigned i = 0; i < from->header->interface_count; i++) {
            yt_program_interface interface = from->interfaces[i];
            interface.descriptor_offset = (uint16_t)build_bytes(
                &build, from->blob + interface.descriptor_offset, interface.descriptor_bytes);
            build_interface(&build, interface);
        }
        for (unsigned i = 0; i < from->header->report_count; i++) {
            yt_program_report report = from->reports[i];
            if (report.direction == YT_HID_INPUT)
                report.rest_offset =
                    (uint16_t)build_bytes(&build, from->blob + report.rest_offset, report.bytes);
            report.root_count = report.switch_count = 0;
            build_report(&build, report);
        }
        build_add_root(&build, from->roots[0], r.compiled.roots[0].report, any);
        size_t size;
        const uint8_t *image = build_image(&build, &size);
        CHECK(image != NULL);
        about("controls in the reports of %u IDs", count);
        CHECK_EQUAL(yt_engine_load(&r.engine, image, size), YT_OK);
        unsigned number = 99;
        yt_device device = {.descriptor = descriptor,
                            .descriptor_size = sizeof descriptor,
                            .vendor = 0x1209,
                            .product = 0x21,
                            .bus = YT_BUS_USB,
                            .input = 0};
        size_t used = yt_engine_used(&r.engine);
        yt_status status = yt_engine_attach(&r.engine, &device, &number);
        CHECK_EQUAL(status, count > UINT8_MAX ? YT_MEMORY : YT_OK);
        CHECK(status == YT_OK || yt_engine_used(&r.engine) == used);
        for (unsigned id = 1; status == YT_OK && id < count; id++) {
            RIG_REPORT(&r, number, id * 10, (uint8_t)id, 1);
            CHECK(rig_value(&r, id) != 0);
        }
    }
    rig_end(&r);
}

int main(void) {
    check_inputs();
    check_array_range();
    check_other_usage();
    check_limits();
    check_report_ids();
    return report_checks();
}
