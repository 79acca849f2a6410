/* A change of the slot, as the host sees it. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;

static void check_restart(void) {
    about("another program with the same outputs is the same device for the host");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.west: keys.a}\n");
    uint32_t layout = yt_engine_layout(&r.engine);
    CHECK(layout != 0);
    rig_load(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.east: keys.b}\n");
    CHECK_EQUAL(r.restarts, 0);
    CHECK_EQUAL(yt_engine_layout(&r.engine), layout);
    about("one with other outputs, or elsewhere, is not: the port is asked to restart");
    rig_load(&r, "inputs: {keys: keyboard}\noutputs: {pad: joystick}\nsheet: {pad.x: keys.b}\n");
    CHECK_EQUAL(r.restarts, 1);
    CHECK(r.layout != layout && r.layout == yt_engine_layout(&r.engine));
    rig_load(&r, "inputs: {keys: keyboard}\noutputs: {pad: {kind: joystick, connector: 2}}\n"
                 "sheet: {pad.x: keys.b}\n");
    CHECK_EQUAL(r.restarts, 2);
    rig_end(&r);
}

static uint8_t feature_of(unsigned interface) {
    uint8_t bytes[YT_REPORT_BYTES + 1] = {0};
    CHECK_EQUAL(state_of(&r.engine, interface, YT_HID_FEATURE, 0, bytes, sizeof bytes), 1);
    return bytes[0];
}

#define DESK_OUTPUTS "inputs: {keys: keyboard}\noutputs: {typed: keyboard, view: mouse}\n"

/* For the host nothing happens when a slot changes to a program with the same outputs: it has asked
 * for the boot protocol, for reports with nothing new and for fine wheels, and it sleeps. */
static void check_same_host(void) {
    static const uint8_t nothing[64] = {0};
    const uint8_t fine = 0x05;
    rig_begin(&r, DESK_OUTPUTS "sheet: {typed.b: keys.a, view.button1: keys.c}\n");
    CHECK_EQUAL(yt_interface_set_boot(&r.engine, 0, true), YT_OK);
    yt_interface_set_idle(&r.engine, 0, 500000);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 1, YT_HID_FEATURE, &fine, 1, 1), YT_OK);
    CHECK_EQUAL(feature_of(1), fine);
    for (int round = 0; round < 2; round++) {
        about(round ? "after a program that is refused" : "the same outputs, other formulas");
        if (round)
            CHECK(yt_engine_load(&r.engine, nothing, sizeof nothing) != YT_OK);
        rig_load(&r, DESK_OUTPUTS "sheet: {typed.d: keys.a, view.button2: keys.a}\n");
        CHECK(yt_interface_is_boot(&r.engine, 0));
        CHECK(!yt_interface_is_boot(&r.engine, 1));
        CHECK_EQUAL(yt_interface_idle(&r.engine, 0), 500000);
        CHECK_EQUAL(feature_of(1), fine);
        CHECK_TEXT(rig_take(&r, 0, 2), "00 00 00 00 00 00 00 00");
        unsigned keys = RIG_ATTACH(&r, rig_six_keys);
        RIG_REPORT(&r, keys, 3, 4, 0, 0, 0, 0, 0);
        CHECK_TEXT(rig_take(&r, 0, 3), "00 00 07 00 00 00 00 00");
    }
    about("it sleeps");
    yt_connector_suspend(&r.engine, 1, true);
    rig_load(&r, DESK_OUTPUTS "sheet: {typed.e: keys.a}\n");
    CHECK_TEXT(rig_take(&r, 0, 4), "");
    CHECK_EQUAL(r.wakes, 0);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 5, 4, 0, 0, 0, 0, 0);
    CHECK_EQUAL(r.wakes, 1);
    yt_connector_suspend(&r.engine, 1, false);
    CHECK_TEXT(rig_take(&r, 0, 6), "00 00 08 00 00 00 00 00");
    CHECK_EQUAL(r.restarts, 0);
    about("other outputs: what the host asked for is over");
    rig_load(&r,
             "inputs: {keys: keyboard}\noutputs: {typed: keyboard, view: {kind: mouse, connector: "
             "2}}\nsheet: {typed.d: keys.a}\n");
    CHECK_EQUAL(r.restarts, 1);
    CHECK(!yt_interface_is_boot(&r.engine, 0));
    CHECK_EQUAL(yt_interface_idle(&r.engine, 0), 0);
    CHECK_EQUAL(feature_of(1), 0);
    rig_end(&r);
}

/* What the engine is, for those who look from outside. */
typedef struct looks {
    size_t used;
    uint32_t layout, inputs;
    bool boot;
    uint32_t idle_us;
} looks;

static looks look(unsigned device) {
    return (looks){yt_engine_used(&r.engine), yt_engine_layout(&r.engine),
                   yt_engine_inputs_of(&r.engine, device), yt_interface_is_boot(&r.engine, 0),
                   yt_interface_idle(&r.engine, 0)};
}

static void check_as_before(looks before, unsigned device) {
    looks now = look(device);
    CHECK_EQUAL(now.used, before.used);
    CHECK_EQUAL(now.layout, before.layout);
    CHECK_EQUAL(now.inputs, before.inputs);
    CHECK_EQUAL(now.boot, before.boot);
    CHECK_EQUAL(now.idle_us, before.idle_us);
    CHECK_EQUAL(r.restarts, 0);
}

/* The rig's program with further interfaces, each with one report of the host. Returns its size. */
static size_t add_interfaces(uint8_t *image, unsigned count) {
    const yt_program *program = &r.compiled.program;
    const uint8_t *from = r.compiled.image;
    size_t interfaces = (size_t)((const uint8_t *)program->reports - from);
    size_t reports = (size_t)((const uint8_t *)program->outputs - from);
    yt_program_header *header = (yt_program_header *)image;
    memcpy(image, from, interfaces);
    uint8_t *to = image + interfaces;
    for (unsigned i = 0; i < count; i++, to += sizeof(yt_program_interface)) {
        yt_program_interface added = program->interfaces[0];
        added.first_report = (uint16_t)(header->report_count + i);
        added.report_count = 1;
        added.connector = (uint8_t)(2 + i);
        added.boot = YT_NO_BOOT;
        memcpy(to, &added, sizeof added);
    }
    memcpy(to, from + interfaces, reports - interfaces);
    to += reports - interfaces;
    for (unsigned i = 0; i < count; i++, to += sizeof(yt_program_report)) {
        yt_program_report added = {.bytes = 1, .direction = YT_HID_OUTPUT};
        added.interface = (uint8_t)(header->interface_count + i);
        memcpy(to, &added, sizeof added);
    }
    memcpy(to, from + reports, r.compiled.size - reports);
    to += r.compiled.size - reports;
    header->interface_count = (uint16_t)(header->interface_count + count);
    header->report_count = (uint16_t)(header->report_count + count);
    header->total_bytes = (uint32_t)(to - image);
    header->checksum = yt_checksum(0, image + 16, header->total_bytes - 16);
    return header->total_bytes;
}

/* A program that cannot run, for each reason that there is: the one before goes on with its
 * devices, what is held stays held, and the host keeps what it asked for. */
static void check_failed_load(void) {
    static uint64_t image[YT_PROGRAM_BYTES / 8], memory[16384];
    rig_begin(&r, DESK_OUTPUTS "sheet: {typed.b: keys.a, view.button1: keys.c}\n");
    CHECK_EQUAL(yt_interface_set_boot(&r.engine, 0, true), YT_OK);
    yt_interface_set_idle(&r.engine, 0, 500000);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 3, 4, 0, 0, 0, 0, 0);
    while (*rig_take(&r, 0, 3))
        continue;
    const looks before = look(keys);
    size_t size = r.compiled.size;
    for (size_t byte = 0; byte < size; byte++) {
        about("byte %zu of the next program is wrong", byte);
        memcpy(image, r.compiled.image, size);
        ((uint8_t *)image)[byte] ^= 0x20;
        CHECK(yt_engine_load(&r.engine, image, size) != YT_OK);
        check_as_before(before, keys);
    }
    about("a program with more interfaces than there can be");
    size = add_interfaces((uint8_t *)image, YT_INTERFACES);
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    CHECK_EQUAL(yt_engine_load(&r.engine, image, size), YT_PROGRAM_OUTPUT);
    check_as_before(before, keys);
    about("the device's next report comes as if nothing had been");
    CHECK_TEXT(rig_take(&r, 0, 4), "");
    RIG_REPORT(&r, keys, 5, 4, 6, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 1, 5), "01 00 00 00 00 00 00 00 00");
    RIG_REPORT(&r, keys, 6, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 6), "00 00 00 00 00 00 00 00");
    about("every amount of memory that is too little for the next program");
    const size_t needed = yt_engine_used(&r.engine);
    yt_engine engine;
    for (size_t room = 0; room < needed; room += 8) {
        CHECK_EQUAL(yt_engine_init(&engine, memory, room, &r.port), YT_OK);
        yt_status status = yt_engine_load(&engine, r.compiled.image, r.compiled.size);
        CHECK(status == YT_OK || status == YT_MEMORY);
        CHECK(status == YT_OK || (yt_engine_used(&engine) == 0 && yt_engine_layout(&engine) == 0 &&
                                  yt_engine_update(&engine, 1) == YT_NEVER));
        CHECK(status == YT_MEMORY || yt_engine_used(&engine) <= room);
    }
    rig_end(&r);
}

int main(void) {
    check_failed_load();
    check_restart();
    check_same_host();
    return report_checks();
}
