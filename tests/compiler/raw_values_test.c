/* A raw number as formulas see it: what `run --changes`, `watch`, `explain` and failing tests show.
 * It is compared with what the engine makes of the same report. */
#include <math.h>

#include "compiler/formulas/naming.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tool/tool.h"

static rig r;

/* A pad with axes of 8 bits that count upwards, signed ones, a trigger, hats of 8 and 4 positions
 * that begin with 1, and a button. */
static const uint8_t pad[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75,
    0x08, 0x95, 0x02, 0x81, 0x02, 0x09, 0x33, 0x15, 0x81, 0x25, 0x7f, 0x95, 0x01, 0x81, 0x02, 0x05,
    0x02, 0x09, 0xc5, 0x15, 0x00, 0x25, 0x64, 0x81, 0x02, 0x05, 0x01, 0x09, 0x39, 0x15, 0x01, 0x25,
    0x08, 0x81, 0x42, 0x05, 0x09, 0x09, 0x01, 0x15, 0x00, 0x25, 0x01, 0x81, 0x02, 0xc0};

static const struct {
    const char *name; /* of the control */
    unsigned bit;
    uint16_t usage;
    int64_t raw;
    const char *text;
} shown[] = {{"left_stick.x", 0, 0x30, 128, "128 (0.0 %)"},
             {"left_stick.x", 0, 0x30, 0, "0 (-100.0 %)"},
             {"left_stick.x", 0, 0x30, 255, "255 (100.0 %)"},
             {"left_stick.y", 8, 0x31, 64, "64 (-50.0 %)"},
             {"right_stick.x", 16, 0x33, 0, "0 (0.0 %)"},
             {"right_stick.x", 16, 0x33, -127, "-127 (-100.0 %)"},
             {"left_trigger", 24, 0xc5, 0, "0 (0.0 %)"},
             {"left_trigger", 24, 0xc5, 50, "50 (50.0 %)"},
             {"dpad", 32, 0x39, 1, "up"},
             {"dpad", 32, 0x39, 4, "down right"},
             {"dpad", 32, 0x39, 8, "up left"},
             {"dpad", 32, 0x39, 0, "centre"},
             {"dpad", 32, 0x39, 9, "centre"},
             {"south", 40, 0x01, 1, "pressed"},
             {"south", 40, 0x01, 0, "released"}};

static uint16_t page_of(const char *name) {
    return strcmp(name, "left_trigger") == 0 ? 0x02 : strcmp(name, "south") == 0 ? 0x09 : 0x01;
}

static void check_shown(void) {
    static yt_device_fields device;
    device_fields_read(&device, pad, sizeof pad);
    CHECK_EQUAL(device.status, YT_OK);
    for (size_t i = 0; i < sizeof shown / sizeof shown[0]; i++) {
        char name[USAGE_NAME_BYTES], text[64];
        yt_raw_meaning meaning;
        const yt_field_place place = {YT_HID_INPUT, page_of(shown[i].name), shown[i].usage,
                                      (uint16_t)shown[i].bit, 0};
        name_place(&device, device_kind_named("gamepad"), NULL, &place, name, &meaning);
        about("%s, raw number %lld", shown[i].name, (long long)shown[i].raw);
        CHECK_TEXT(name, shown[i].name);
        raw_text(&meaning, shown[i].raw, text, sizeof text);
        CHECK_TEXT(text, shown[i].text);
    }
}

/* Four positions, from 0 and from 1. */
static void check_four(void) {
    static const char *const names[] = {"up", "right", "down", "left"};
    for (int64_t least = 0; least < 2; least++)
        for (int64_t at = -1; at < 6; at++) {
            const yt_raw_meaning meaning = {
                .is_hat = true, .minimum = least, .maximum = least + 3, .rest = least};
            char text[64];
            about("a hat of four positions from %d, at %d", (int)least, (int)(least + at));
            raw_text(&meaning, least + at, text, sizeof text);
            CHECK_TEXT(text, at >= 0 && at < 4 ? names[at] : "centre");
        }
}

/* Each raw number of each axis and level gives what the engine makes of it. */
static void check_engine(void) {
    static yt_device_fields device;
    static const unsigned bits[] = {0, 8, 16, 24};
    static const uint16_t usages[] = {0x30, 0x31, 0x33, 0xc5};
    device_fields_read(&device, pad, sizeof pad);
    rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {out: {axes: 4}}\nsheet: {out.x: "
                  "hand.left_stick.x, out.y: hand.left_stick.y, out.z: hand.right_stick.x, out.rx: "
                  "hand.left_trigger}\n");
    unsigned number = RIG_ATTACH(&r, pad);
    for (unsigned raw = 0; raw < 256; raw++) {
        const uint8_t report[6] = {(uint8_t)raw,
                                   (uint8_t)(255 - raw),
                                   (uint8_t)raw,
                                   (uint8_t)(raw < 101 ? raw : 100),
                                   0,
                                   0};
        rig_report(&r, number, report, sizeof report, raw);
        for (unsigned i = 0; i < 4; i++) {
            char name[USAGE_NAME_BYTES];
            yt_raw_meaning meaning;
            const yt_field_place place = {YT_HID_INPUT, usages[i] == 0xc5 ? 0x02 : 0x01, usages[i],
                                          (uint16_t)bits[i], 0};
            name_place(&device, device_kind_named("gamepad"), NULL, &place, name, &meaning);
            int64_t given = yt_hid_number(report[i], 8, meaning.minimum < 0);
            about("%s, raw number %lld", name, (long long)given);
            CHECK(fabs(raw_value(&meaning, given) * 65536 - rig_value(&r, i)) < 2);
        }
    }
    rig_end(&r);
}

/* As a description says: the other way round, with a rest of its own, a rate. */
static void check_described(void) {
    static const struct {
        yt_raw_meaning meaning;
        int64_t raw;
        const char *text;
    } described[] = {
        {{.kind = YT_AXIS, .is_turned = true, .minimum = 10, .rest = 100, .maximum = 250},
         250,
         "250 (-100.0 %)"},
        {{.kind = YT_AXIS, .is_turned = true, .minimum = 10, .rest = 100, .maximum = 250},
         55,
         "55 (50.0 %)"},
        {{.kind = YT_LEVEL, .is_turned = true, .maximum = 255}, 255, "255 (0.0 %)"},
        {{.kind = YT_LEVEL, .is_turned = true, .maximum = 255}, 51, "51 (80.0 %)"},
        {{.kind = YT_RATE,
          .minimum = -32768,
          .maximum = 32767,
          .unit = "deg/s",
          .unit_amount = 0.1},
         1000,
         "1000 (100.00 deg/s)"},
        {{.kind = YT_SWITCH, .is_turned = true, .maximum = 1}, 0, "pressed"},
        {{.kind = YT_SWITCH, .is_turned = true, .maximum = 1}, 1, "released"},
        {{.kind = YT_SWITCH, .maximum = 255}, 51, "51 (20.0 %)"}, /* a key that tells its depth */
        {{.kind = YT_MOTION, .minimum = -127, .maximum = 127}, -3, "-3"}};
    for (size_t i = 0; i < sizeof described / sizeof described[0]; i++) {
        char text[64];
        about("described %zu", i);
        raw_text(&described[i].meaning, described[i].raw, text, sizeof text);
        CHECK_TEXT(text, described[i].text);
    }
}

int main(void) {
    check_shown();
    check_four();
    check_engine();
    check_described();
    return report_checks();
}
