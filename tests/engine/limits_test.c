/* What happens at a limit, or so seldom that no other test comes there: each case is one line of
 * the core that would be the first to be wrong unnoticed. */
#include <stdlib.h>
#include <string.h>

#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/gatt.h"
#include "yonder/groups.h"

static rig r;

#define DRIVE_X(range, more)                                                                       \
    "inputs: {hand: joystick}\noutputs:\n  pad: {kind: joystick, fields: [{usage: x, bits: 32, "   \
    "range: [" range "]}]}\nsheet:\n  pad.x: hand.x" more "\n"

static void check_groups(void) {
    static const uint32_t foreign[16] = {1};
    about("what a program needs that is none");
    CHECK_EQUAL(yt_groups_missing(foreign, sizeof foreign), 0);
    CHECK_EQUAL(yt_groups_missing(foreign, 3), 0);
}

static void check_no_queue(void) {
    static const uint8_t bytes[8] = {0, 0, 4};
    about("a queue that has no room for any report");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\nsheet: {typed.a: keys.a}");
    r.port.queue_bytes = 8;
    CHECK_EQUAL(yt_engine_init(&r.engine, r.memory, sizeof r.memory, &r.port), YT_OK);
    CHECK_EQUAL(yt_engine_load(&r.engine, r.compiled.image, r.compiled.size), YT_OK);
    unsigned keys = rig_attach(&r, rig_six_keys, sizeof rig_six_keys);
    CHECK_EQUAL(yt_engine_report(&r.engine, keys, bytes, sizeof bytes, 0), YT_ARGUMENT);
    CHECK_EQUAL(yt_engine_give(&r.engine, keys, bytes, sizeof bytes, 0), YT_NEVER);
    CHECK_EQUAL(yt_engine_control(&r.engine, 0), YT_ONE);
    rig_end(&r);
}

/* The length of 65,535 bytes stands for something else, whatever room there is. */
static void check_longest_report(void) {
    static uint64_t memory[40000];
    static uint8_t bytes[UINT16_MAX + 10] = {0, 0, 4};
    yt_device device = {
        .descriptor = rig_six_keys, .descriptor_size = sizeof rig_six_keys, .input = YT_ANY_INPUT};
    yt_engine engine;
    unsigned number;
    about("a queue of 280,000 bytes");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\nsheet: {typed.a: keys.a}");
    r.port.queue_bytes = 280000;
    yt_status status = yt_engine_init(&engine, memory, sizeof memory, &r.port);
    CHECK_EQUAL(status, YT_OK);
    CHECK_EQUAL(yt_engine_load(&engine, r.compiled.image, r.compiled.size), YT_OK);
    CHECK_EQUAL(yt_engine_attach(&engine, &device, &number), YT_OK);
    for (unsigned size = UINT16_MAX; size < sizeof bytes; size++)
        CHECK_EQUAL(yt_engine_report(&engine, number, bytes, size, 0), YT_ARGUMENT);
    CHECK_EQUAL(yt_engine_report(&engine, number, bytes, UINT16_MAX - 1, 0), YT_OK);
    CHECK_EQUAL(yt_engine_report(&engine, number, bytes, 3, 0), YT_OK);
    yt_engine_update(&engine, 0);
    CHECK_EQUAL(yt_engine_control(&engine, 0), YT_ONE);
    rig_end(&r);
}

static void check_features(void) {
    uint8_t bytes[4];
    size_t length = 0;
    about("a feature report with too little room for it");
    rig_begin(&r, "inputs: {ball: mouse}\noutputs: {view: mouse}\nsheet: {view.wheel: ball.wheel}");
    yt_status status =
        yt_interface_state(&r.engine, 0, YT_HID_FEATURE, 0, bytes, sizeof bytes, &length);
    CHECK_EQUAL(status, YT_OK);
    CHECK_EQUAL(length, 1);
    CHECK_EQUAL(yt_interface_state(&r.engine, 0, YT_HID_FEATURE, 0, bytes, 0, &length), YT_ROOM);
    CHECK_EQUAL(length, 1);
    rig_end(&r);
}

/* An interface that only takes: when its host asks for reports all the time, there are none. */
static void check_only_takes(void) {
    uint8_t bytes[65];
    size_t length;
    about("an interface without a report to the host");
    rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {lamp: {kind: gamepad, fields: [{usage: "
                  "rumble.strong, bits: 8, feedback: true}]}}\n"
                  "sheet: {hand.rumble.strong: lamp.rumble.strong}\n");
    yt_interface_set_idle(&r.engine, 0, 4000);
    for (uint64_t now_us = 0; now_us < 100000; now_us += 5000) {
        yt_engine_update(&r.engine, now_us);
        CHECK_EQUAL(yt_interface_report(&r.engine, 0, bytes, sizeof bytes, &length), YT_OK);
        CHECK_EQUAL(length, 0);
    }
    rig_end(&r);
}

/* Motion of 24 bits that begins in the middle of a byte. */
static void check_long_motion(void) {
    static const uint8_t device[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x75, 0x04, 0x95,
                                     0x01, 0x81, 0x01, 0x09, 0x30, 0x17, 0x00, 0x00, 0x80,
                                     0xff, 0x27, 0xff, 0xff, 0x7f, 0x00, 0x75, 0x18, 0x81,
                                     0x06, 0x75, 0x04, 0x81, 0x01, 0xc0};
    static const int32_t moved[] = {1, -1, 300, -70000, 8000, -8388608, 8388607};
    about("motion of 24 bits");
    rig_begin(&r, "inputs: {ball: mouse}\noutputs: {view: mouse}\nsheet: {view.motion: "
                  "ball.motion}\n");
    unsigned ball = RIG_ATTACH(&r, device);
    for (unsigned i = 0; i < sizeof moved / sizeof moved[0]; i++) {
        uint32_t raw = (uint32_t)moved[i] << 4;
        int32_t told = 0;
        uint8_t bytes[65];
        size_t length = 1;
        RIG_REPORT(&r, ball, i * 100000u, (uint8_t)raw, (uint8_t)(raw >> 8), (uint8_t)(raw >> 16),
                   (uint8_t)(raw >> 24));
        while (yt_interface_report(&r.engine, 0, bytes, sizeof bytes, &length) == YT_OK && length) {
            told += (int16_t)(bytes[1] | bytes[2] << 8);
            yt_interface_taken(&r.engine, 0, i * 100000u);
        }
        about("motion of 24 bits by %d", moved[i]);
        int32_t most = moved[i] > INT16_MAX ? INT16_MAX : moved[i]; /* what one report can tell */
        CHECK_EQUAL(told, most < INT16_MIN ? INT16_MIN : most);
    }
    rig_end(&r);
}

/* A raw number is only copied where both count alike; else the value goes, as exact as it is. */
static void check_other_range(void) {
    static const uint8_t device[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                     0x15, 0x00, 0x27, 0xff, 0xff, 0xff, 0x00, 0x75,
                                     0x20, 0x95, 0x01, 0x81, 0x02, 0xc0};
    about("a number of another range");
    rig_begin(&r, DRIVE_X("-2147483648, 2147483647", ""));
    unsigned hand = RIG_ATTACH(&r, device);
    RIG_REPORT(&r, hand, 1, 0xff, 0xff, 0xff, 0x00);
    CHECK_TEXT(rig_take(&r, 0, 1), "ff ff ff 7f");
    RIG_REPORT(&r, hand, 2, 0x00, 0x00, 0x00, 0x00);
    CHECK_TEXT(rig_take(&r, 0, 2), "00 00 00 80");
    rig_end(&r);
}

/* With any amount of memory a device is attached whole or not at all, and nothing behind the memory
 * is touched. */
static void check_memory(const char *profile, const uint8_t *descriptor, size_t descriptor_size,
                         unsigned least) {
    static uint64_t memory[2048];
    yt_device device = {
        .descriptor = descriptor, .descriptor_size = descriptor_size, .input = YT_ANY_INPUT};
    unsigned refused = 0, taken = 0, number;
    about("any amount of memory");
    rig_begin(&r, profile);
    for (size_t size = 0; size <= sizeof memory && taken < 100; size++) {
        yt_engine engine;
        uint8_t *guard = (uint8_t *)memory + size;
        memset(guard, 0x5a, sizeof memory - size);
        if (yt_engine_init(&engine, memory, size, &r.port) != YT_OK ||
            yt_engine_load(&engine, r.compiled.image, r.compiled.size) != YT_OK)
            continue;
        size_t used = yt_engine_used(&engine);
        yt_status status = yt_engine_attach(&engine, &device, &number);
        CHECK(status == YT_OK || status == YT_MEMORY);
        if (status != YT_OK)
            CHECK_EQUAL(yt_engine_used(&engine), used);
        refused += status == YT_MEMORY;
        taken += status == YT_OK;
        size_t kept = 0;
        while (kept < sizeof memory - size && guard[kept] == 0x5a)
            kept++;
        about("memory of %zu bytes, and behind it", size);
        CHECK_EQUAL(kept, sizeof memory - size);
    }
    CHECK(refused > least);
    CHECK_EQUAL(taken, 100);
    rig_end(&r);
}

static void check_memories(void) {
    static const uint8_t many_axes[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x15, 0x00,
                                        0x26, 0xff, 0x7f, 0x75, 0x10, 0x95, 0x18, 0x81, 0x02, 0xc0};
    static const uint8_t long_array[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                         0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65,
                                         0x75, 0x08, 0x95, 0x3c, 0x81, 0x00, 0xc0};
    char profile[1000] = "inputs: {hand: joystick}\noutputs: {pad: gamepad}\nsheet: {pad.south: "
                         "hand.x > 1%";
    for (unsigned i = 2; i <= 24; i++)
        sprintf(profile + strlen(profile), " or hand.x.%u > 1%%", i);
    strcat(profile, "}\n");
    check_memory("inputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet: {pad.south: "
                 "hand.south, pad.left_stick: hand.left_stick, pad.dpad.up: hand.dpad.up}\n",
                 gamepad, sizeof gamepad, 100);
    check_memory("inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.south: keys.a}\n",
                 long_array, sizeof long_array, 40);
    check_memory(profile, many_axes, sizeof many_axes, 100);
    check_memory("inputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet: {pad.left_trigger: "
                 "50%}\n",
                 gamepad, sizeof gamepad, 1);
}

/* Each axis has a range of its own: as many as a device can be read with. */
static void check_many_ranges(void) {
    static char profile[20000];
    static uint8_t descriptor[4096];
    size_t size = 0;
    about("256 ranges in one device");
    static const uint8_t begin[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x75, 0x10, 0x95, 0x01};
    memcpy(descriptor, begin, sizeof begin);
    size = sizeof begin;
    strcpy(profile, "inputs: {hand: joystick}\noutputs: {pad: joystick}\nsheet:\n  pad.button1: "
                    "hand.x > 1%");
    for (unsigned i = 0; i < 256; i++) {
        const uint8_t axis[] = {0x09, 0x30, 0x15, 0x00, 0x26, (uint8_t)i, 0x10, 0x81, 0x02};
        memcpy(descriptor + size, axis, sizeof axis);
        size += sizeof axis;
        if (i > 0)
            sprintf(profile + strlen(profile), " or hand.x.%u > 1%%", i + 1);
    }
    descriptor[size++] = 0xc0;
    strcat(profile, "\n");
    rig_begin(&r, profile);
    yt_device device = {.descriptor = descriptor, .descriptor_size = size, .input = YT_ANY_INPUT};
    unsigned number;
    size_t used = yt_engine_used(&r.engine);
    yt_status status = yt_engine_attach(&r.engine, &device, &number);
    CHECK_EQUAL(status, YT_MEMORY);
    CHECK_EQUAL(yt_engine_used(&r.engine), used);
    rig_end(&r);
}

/* A host's port knew of a later time than the update: what is due between the two is due at once.
 */
static void check_overtaken(void) {
    about("an update of an earlier time");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\n"
                  "sheet: {typed.a: \"hold(keys.a, 300 ms)\", typed.b: keys.b}\n");
    unsigned keys = rig_attach(&r, rig_six_keys, sizeof rig_six_keys);
    RIG_REPORT(&r, keys, 1000, 0, 0, 4, 5, 0, 0, 0, 0);
    CHECK(strlen(rig_take(&r, 0, 500000)) > 0);
    CHECK_EQUAL(yt_engine_update(&r.engine, 200000), 500000);
    CHECK_EQUAL(yt_engine_update(&r.engine, 500000), YT_NEVER);
    CHECK(strlen(rig_take(&r, 0, 500000)) > 0);
    rig_end(&r);
}

/* Nobody listens to what is on: all of it is passed over, a list of changes at a time. */
static void check_unheard(void) {
    yt_gatt gatt;
    uint8_t bytes[64];
    unsigned index, calls = 0;
    size_t length = 0;
    about("reports that nobody listens to");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth}, "
                  "pad: {kind: gamepad, over: bluetooth}}\n"
                  "sheet: {typed.a: keys.a, pad.south: keys.b}\n");
    unsigned keys = rig_attach(&r, rig_six_keys, sizeof rig_six_keys);
    yt_gatt_begin(&gatt, &r.engine, 1);
    for (unsigned i = 0; i < 60; i++)
        RIG_REPORT(&r, keys, i, 0, 0, i % 2 ? 4 : 0, i % 2 ? 0 : 5, 0, 0, 0, 0);
    do {
        yt_status status =
            yt_gatt_notification(&gatt, 64, &index, bytes, sizeof bytes, &length, 100);
        CHECK_EQUAL(status, YT_OK);
        CHECK_EQUAL(length, 0);
    } while (++calls < 10);
    size_t left = 1;
    CHECK_EQUAL(yt_interface_report(&r.engine, 0, bytes, sizeof bytes, &left), YT_OK);
    CHECK_EQUAL(left, 0);
    rig_end(&r);
}

/* A boot host knows a keyboard and a mouse; what else is in the interface it cannot ask for. */
static void check_boot_state(void) {
    uint8_t bytes[65];
    size_t length, found = 0;
    about("the boot report of a gamepad");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth}, "
                  "pad: {kind: gamepad, over: bluetooth}}\n"
                  "sheet: {typed.a: keys.a, pad.south: keys.b}\n");
    CHECK_EQUAL(yt_interface_set_boot(&r.engine, 0, true), YT_OK);
    for (unsigned id = 0; id < 256; id++) {
        yt_status status = yt_interface_state(&r.engine, 0, YT_HID_INPUT, (uint8_t)id, bytes,
                                              sizeof bytes, &length);
        CHECK(status == YT_OK || status == YT_ARGUMENT);
        found += status == YT_OK;
    }
    CHECK_EQUAL(found, 1);
    rig_end(&r);
}

int main(void) {
    check_groups();
    check_no_queue();
    check_longest_report();
    check_features();
    check_only_takes();
    check_long_motion();
    check_other_range();
    check_memories();
    check_many_ranges();
    check_overtaken();
    check_unheard();
    check_boot_state();
    return report_checks();
}
