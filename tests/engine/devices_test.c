/* Devices of all kinds: keys with depth, turned and wide axes, rates, several at one input, those
 * that leave, lights and motors, and what is relayed. */
#include "engine/parts.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;

/* Three keys (a, b, c), 0 to 255 each. */
static const uint8_t deep_keys[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                    0x19, 0x04, 0x29, 0x06, 0x15, 0x00, 0x26, 0xff,
                                    0x00, 0x75, 0x08, 0x95, 0x03, 0x81, 0x02, 0xc0};

/* Buttons 1 to 8, x and y of 8 bits, signed. */
static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01,
                                0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81,
                                0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0};

static void check_depth(void) {
    about("a key that tells how deep it is: a switch where one is wanted, else a level");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.left_trigger: keys.a\n"
                  "  pad.right_trigger: keys.b + keys.c\n  pad.east: keys.b > 30%\n");
    unsigned keys = RIG_ATTACH(&r, deep_keys);
    const struct {
        uint8_t a, b, c;
        const char *report;
    } steps[] = {
        {127, 0, 0, "00 00 80 00 00 00 00 00 00 00 00 bf 3f 00 00"},
        {128, 0, 0, "01 00 80 00 00 00 00 00 00 00 00 40 40 00 00"},
        {255, 80, 0, "03 00 80 00 00 00 00 00 00 00 00 ff 7f 28 28"},
        {0, 80, 255, "02 00 80 00 00 00 00 00 00 00 00 00 00 ff 7f"},
    };
    for (unsigned i = 0; i < 4; i++) {
        RIG_REPORT(&r, keys, i, steps[i].a, steps[i].b, steps[i].c);
        CHECK_TEXT(rig_take(&r, 0, i), steps[i].report);
    }
    rig_end(&r);
    about("the same profile with keys that are only up or down");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.left_trigger: keys.a\n");
    keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 1, 0, 4, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 1), "01 00 80 00 00 00 00 00 00 00 00 ff 7f 00 00");
    RIG_REPORT(&r, keys, 2, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 2), "00 00 80 00 00 00 00 00 00 00 00 00 00 00 00");
    rig_end(&r);
}

/* Of two sticks at one input the one farther out counts, with both its directions. */
static void check_two_sticks(void) {
    about("two sticks at one input");
    rig_begin(&r, "inputs: {hand: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.left_stick: stick(x=hand.x, y=hand.y)\n  pad.south: hand.button1\n");
    unsigned one = RIG_ATTACH(&r, stick), other = RIG_ATTACH(&r, stick);
    const struct {
        int8_t x1, y1, x2, y2, x, y; /* what each says, and what counts */
    } steps[] = {
        {100, 10, 0, 0, 100, 10},    {100, 10, 50, 90, 100, 10}, /* the second is not farther out */
        {100, 10, 50, 103, 100, 10},                             /* farther, but not clearly so */
        {100, 10, 50, 120, 50, 120}, {110, 10, 50, 105, 50, 105}, /* nor is the first one now */
        {127, 10, 50, 105, 127, 10}, {0, 0, 50, 105, 50, 105},    {0, 0, 0, 0, 0, 0},
    };
    for (unsigned i = 0; i < sizeof steps / sizeof steps[0]; i++) {
        about("two sticks, step %u", i);
        RIG_REPORT(&r, one, 2 * i, 0, (uint8_t)steps[i].x1, (uint8_t)steps[i].y1);
        RIG_REPORT(&r, other, 2 * i + 1, 0, (uint8_t)steps[i].x2, (uint8_t)steps[i].y2);
        CHECK_EQUAL((rig_value(&r, 0) * 127 + 32768) >> 16, steps[i].x);
        CHECK_EQUAL((rig_value(&r, 1) * 127 + 32768) >> 16, steps[i].y);
    }
    about("one of two devices leaves while its stick is out and its button down");
    RIG_REPORT(&r, one, 100, 1, 60, 60);
    RIG_REPORT(&r, other, 101, 0, 127, 0);
    yt_engine_detach(&r.engine, other, 102);
    CHECK_EQUAL((rig_value(&r, 0) * 127 + 32768) >> 16, 60);
    CHECK_EQUAL((rig_value(&r, 1) * 127 + 32768) >> 16, 60);
    CHECK_EQUAL(rig_value(&r, 2), YT_ONE);
    yt_engine_detach(&r.engine, one, 103);
    for (unsigned i = 0; i < 3; i++)
        CHECK_EQUAL(rig_value(&r, i), 0);
    rig_end(&r);
}

/* What is held when the engine is told to stop reads as up until it is pressed anew. */
static void check_cancel(void) {
    about("cancel");
    rig_begin(&r, "inputs: {keys: keyboard, hand: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.east: hand.button1\n  pad.left_stick.x: hand.x\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys), hand = RIG_ATTACH(&r, stick);
    RIG_REPORT(&r, keys, 1, 4, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, hand, 2, 1, 127, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    yt_engine_cancel(&r.engine);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), 0);
    CHECK_EQUAL(rig_value(&r, 2), YT_ONE);     /* an axis is where it is */
    RIG_REPORT(&r, keys, 3, 5, 4, 0, 0, 0, 0); /* still held */
    RIG_REPORT(&r, hand, 4, 1, 100, 0);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), 0);
    RIG_REPORT(&r, keys, 5, 5, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, hand, 6, 0, 100, 0);
    RIG_REPORT(&r, keys, 7, 4, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, hand, 8, 1, 100, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    rig_end(&r);
    about("a device that was there before the program");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet: {pad.west: keys.a}\n");
    yt_device device = {.descriptor = rig_six_keys,
                        .descriptor_size = sizeof rig_six_keys,
                        .input = YT_ANY_INPUT,
                        .stays = true};
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &keys), YT_OK);
    RIG_REPORT(&r, keys, 9, 4, 0, 0, 0, 0, 0);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    RIG_REPORT(&r, keys, 10, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, keys, 11, 4, 0, 0, 0, 0, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    about("the same with buttons, a bit each");
    rig_load(&r, "inputs: {hand: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
                 "  pad.west: hand.button1\n  pad.left_stick.x: hand.x\n");
    device.descriptor = stick;
    device.descriptor_size = sizeof stick;
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &hand), YT_OK);
    RIG_REPORT(&r, hand, 12, 1, 127, 0);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    RIG_REPORT(&r, hand, 13, 0, 127, 0);
    RIG_REPORT(&r, hand, 14, 1, 127, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    rig_end(&r);
}

/* A pad with a vendor page of two motors in report 5 and four lights in a feature report 6. */
static const uint8_t rumbling[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00,
    0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x85, 0x05, 0x06, 0x00, 0xff, 0x09, 0x01, 0x09,
    0x02, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x91, 0x02, 0x85, 0x06, 0x05, 0x08, 0x09, 0x4b,
    0x25, 0x01, 0x75, 0x01, 0x95, 0x04, 0xb1, 0x02, 0x95, 0x04, 0xb1, 0x01, 0xc0};

static void expect_device_report(unsigned number, const char *expected) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    char text[64] = "";
    yt_hid_direction direction = YT_HID_INPUT;
    size_t size = device_output(&r.engine, number, bytes, sizeof bytes, &direction);
    if (size > 0)
        strcpy(text, direction == YT_HID_OUTPUT ? "output" : "feature");
    for (size_t i = 0; i < size; i++)
        sprintf(text + strlen(text), " %02x", bytes[i]);
    CHECK_TEXT(text, expected);
}

static void check_feedback(void) {
    about("what the host sends drives a device's motors and lights");
    rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: hand.south\n"
                  "  hand.rumble.strong: pad.rumble.strong * 60%\n"
                  "  hand.rumble.weak: pad.rumble.weak\n"
                  "  hand.player1: pad.player1\n  hand.player3: hand.south\n");
    unsigned hand = RIG_ATTACH(&r, rumbling);
    expect_device_report(hand, "");
    const uint8_t rumble[] = {200, 50, 0, 0, 0x01};
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, rumble, 5, 10), YT_OK);
    expect_device_report(hand, "output 05 78 32"); /* 120, 50 */
    expect_device_report(hand, "feature 06 01");
    expect_device_report(hand, "");
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, rumble, 5, 11), YT_OK);
    expect_device_report(hand, ""); /* nothing new */
    RIG_REPORT(&r, hand, 12, 1, 0x01);
    expect_device_report(hand, "feature 06 05");
    about("reports of the host that are too short or unknown");
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, rumble, 4, 13), YT_REPORT_SHORT);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_FEATURE, rumble, 5, 13), YT_ARGUMENT);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 7, YT_HID_OUTPUT, rumble, 5, 13), YT_ARGUMENT);
    about("a test pulse drives all motors, then they are as before");
    yt_device_pulse(&r.engine, hand, 1000, 300000);
    expect_device_report(hand, "output 05 ff ff");
    CHECK_EQUAL(yt_engine_update(&r.engine, 2000), 301000);
    const uint8_t quiet[] = {0, 0, 0, 0, 0x01};
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, quiet, 5, 3000), YT_OK);
    expect_device_report(hand, "");
    CHECK(yt_engine_update(&r.engine, 301000) == YT_NEVER);
    expect_device_report(hand, "output 05 00 00");
    about("a test pulse is ended before its time");
    yt_device_pulse(&r.engine, hand, 310000, 300000);
    expect_device_report(hand, "output 05 ff ff");
    yt_device_pulse(&r.engine, hand, 320000, 0);
    expect_device_report(hand, "output 05 00 00");
    CHECK(yt_engine_update(&r.engine, 330000) == YT_NEVER);
    about("a device that arrives gets what is on");
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, rumble, 5, 400000), YT_OK);
    yt_engine_detach(&r.engine, hand, 400001);
    hand = RIG_ATTACH(&r, rumbling);
    expect_device_report(hand, "output 05 78 32");
    rig_end(&r);
}

static void check_relay(void) {
    unsigned number;
    uint8_t id;
    about("reports that another device answers");
    rig_begin(&r, "inputs: {hand: gamepad}\n"
                  "outputs: {pad: {kind: gamepad, fields: [{usage: button1, count: 8}, "
                  "{usage: rumble.strong, bits: 8, feedback: true}]}}\n"
                  "relays: [{output: pad, report: 0, type: output, to: hand, as: 5}]\n"
                  "sheet: {pad.button1: hand.south}\n");
    CHECK_EQUAL(yt_interface_relay(&r.engine, 0, YT_HID_FEATURE, 0, &number, &id), YT_NO_MATCH);
    CHECK_EQUAL(yt_interface_relay(&r.engine, 0, YT_HID_OUTPUT, 1, &number, &id), YT_NO_MATCH);
    CHECK_EQUAL(yt_interface_relay(&r.engine, 0, YT_HID_OUTPUT, 0, &number, &id), YT_UNREADABLE);
    unsigned hand = RIG_ATTACH(&r, rumbling);
    CHECK_EQUAL(yt_interface_relay(&r.engine, 0, YT_HID_OUTPUT, 0, &number, &id), YT_OK);
    CHECK_EQUAL(number, hand);
    CHECK_EQUAL(id, 5);
    rig_end(&r);
}

/* x of 32 bits, 24 bits, and 16 bits over the whole range. */
static void check_wide(void) {
    static const uint8_t wide[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x17, 0x00,
                                   0x00, 0x00, 0x80, 0x27, 0xff, 0xff, 0xff, 0x7f, 0x75, 0x20,
                                   0x95, 0x01, 0x81, 0x02, 0x09, 0x31, 0x15, 0x00, 0x27, 0xff,
                                   0xff, 0xff, 0x00, 0x75, 0x18, 0x81, 0x02, 0xc0};
    dice dice = {5};
    about("a cell that is only a name copies the raw number, at any width");
    rig_begin(&r, "inputs: {hand: joystick}\noutputs:\n  pad: {kind: joystick, fields: [{usage: x, "
                  "bits: 32, range: [-2147483648, 2147483647]}, {usage: y, bits: 24, range: [0, "
                  "16777215]}]}\nsheet:\n  pad.x: hand.x\n  pad.y: hand.y\n");
    unsigned hand = RIG_ATTACH(&r, wide);
    for (unsigned i = 1; i < 20000; i++) {
        static uint8_t bytes[7];
        char expected[32] = "";
        for (int k = 0; k < 7; k++) {
            /* Small steps too, which a value of 16 bits does not show. */
            bool is_small = i % 2 && (k == 1 || k == 5);
            bytes[k] = is_small ? (uint8_t)(bytes[k] + 1) : (uint8_t)roll(&dice);
            sprintf(expected + strlen(expected), "%s%02x", k ? " " : "", bytes[k]);
        }
        about("wide numbers, %s", expected);
        rig_report(&r, hand, bytes, sizeof bytes, i);
        CHECK_TEXT(rig_take(&r, 0, i), expected);
    }
    rig_end(&r);
}

static const yt_device odd_pad = {.vendor = 0x1209,
                                  .product = 0x0021,
                                  .bus = YT_BUS_USB,
                                  .name = "Odd pad",
                                  .input = YT_ANY_INPUT};

/* What the board's and the devices' descriptions say: turned round, rests, rates, explicit bits. */
static void check_described(void) {
    about("a described device");
    rig_begin(&r,
              "inputs: {hand: odd-pad}\noutputs: {pad: gamepad}\nsheet:\n"
              "  pad.south: hand.trip\n  pad.east: hand.guard\n  pad.left_stick.x: hand.tiller\n"
              "  pad.left_trigger: hand.pump\n  pad.north: hand.gyro.x > 90 deg/s\n"
              "  pad.dpad.up: hand.view.up\n");
    yt_device device = odd_pad;
    unsigned hand;
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &hand), YT_OK);
    /* Report 7: bit 0 trip; bit 1 guard (turned); bits 8-15 tiller 10 to 250, rest 100, turned;
     * bits 16-23 pump, 255 released; bits 24-39 gyro, 0.1 deg/s; bits 40-43 view. */
    const struct {
        uint8_t report[7];
        yt_q16 trip, guard, tiller, pump, gyro, up;
    } steps[] = {
        {{7, 0x02, 100, 255, 0, 0, 8}, 0, 0, 0, 0, 0, 0},
        {{7, 0x01, 250, 0, 0xe8, 0x03, 0}, YT_ONE, YT_ONE, -YT_ONE, YT_ONE, 100 * YT_ONE, YT_ONE},
        {{7, 0x02, 10, 51, 0x18, 0xfc, 7}, 0, 0, YT_ONE, 52429, -100 * YT_ONE, YT_ONE},
        {{7, 0x02, 5, 51, 0, 0, 2}, 0, 0, YT_ONE, 52429, 0, 0},
    };
    for (unsigned i = 0; i < 4; i++) {
        about("a described device, step %u", i);
        rig_report(&r, hand, steps[i].report, 7, i);
        CHECK_EQUAL(rig_value(&r, 0), steps[i].trip);
        CHECK_EQUAL(rig_value(&r, 1), steps[i].guard);
        CHECK_EQUAL(rig_value(&r, 2), steps[i].tiller);
        CHECK_EQUAL(rig_value(&r, 3), steps[i].pump);
        CHECK(llabs((long long)rig_value(&r, 4) - steps[i].gyro) < 3);
        CHECK_EQUAL(rig_value(&r, 5), steps[i].up);
    }
    about("a turned switch that is down in the first report");
    yt_engine_detach(&r.engine, hand, 5);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &hand), YT_OK);
    rig_report(&r, hand, steps[1].report, 7, 6);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    about("another device is not that one");
    device.product = 0x0022;
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &hand), YT_NO_MATCH);
    rig_end(&r);
}

/* A switch of two bits that is turned round, from whatever way its report is read: the first one,
 * one with a change, and beside another device at its input. Where the bits are 0 or 1 it is on
 * while all of them are 0; where they are a range, from its lower half on. */
static void check_turned_switch(uint8_t maximum, uint8_t highest_on) {
    const uint8_t descriptor[] = {0x05, 0x01, 0x09, 0x05, 0xa1,    0x01, 0x05, 0x09, 0x09,
                                  0x01, 0x15, 0x00, 0x25, maximum, 0x75, 0x02, 0x95, 0x01,
                                  0x81, 0x02, 0x75, 0x06, 0x81,    0x01, 0xc0};
    static const uint8_t stands[] = {3, 0, 2, 1, 0, 0, 3, 0, 1, 3};
    const yt_device device = {.vendor = 0x1209,
                              .product = 0x0024,
                              .bus = YT_BUS_USB,
                              .name = "Skua pedal",
                              .descriptor = descriptor,
                              .descriptor_size = sizeof descriptor,
                              .input = YT_ANY_INPUT};
    unsigned pedal[2];
    rig_begin(&r, "inputs: {foot: skua-pedal}\noutputs: {pad: gamepad}\n"
                  "sheet: {pad.south: foot.south}\n");
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &pedal[0]), YT_OK);
    for (unsigned i = 0; i < 2 * sizeof stands; i++) {
        uint8_t stand = stands[i % sizeof stands];
        if (i == sizeof stands)
            CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &pedal[1]), YT_OK);
        about("a pedal that stands at %u of %u, report %u", stand, maximum, i);
        RIG_REPORT(&r, pedal[0], i, stand);
        CHECK_EQUAL(rig_value(&r, 0), stand <= highest_on ? YT_ONE : 0);
    }
    for (unsigned i = 0; i < sizeof stands; i++) {
        about("the second of two pedals at %u of %u, while the first is up", stands[i], maximum);
        RIG_REPORT(&r, pedal[1], 100 + i, stands[i]);
        CHECK_EQUAL(rig_value(&r, 0), stands[i] <= highest_on ? YT_ONE : 0);
    }
    rig_end(&r);
}

/* Rates go through functions as rates. */
static void check_rates(void) {
    static const struct {
        uint8_t low, high; /* of the gyro, 0.1 deg/s a count */
        const char *expected;
    } cases[] = {{0xe8, 0x03, "00 00 80 ff 7f 00 00 00 00 00 00 00 00 00 00"},
                 {0xfa, 0x00, "00 00 80 03 40 00 00 00 00 00 00 00 00 00 00"},
                 {0x18, 0xfc, "00 00 80 ff 7f 00 00 00 00 00 00 00 00 00 00"}};
    about("a rate, without its sign and within 50 deg/s");
    rig_begin(&r, "inputs: {hand: odd-pad}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.left_stick.x: clamp(abs(hand.gyro.x), 0 deg/s, 50 deg/s) * 2%\n");
    unsigned hand;
    CHECK_EQUAL(yt_engine_attach(&r.engine, &odd_pad, &hand), YT_OK);
    for (unsigned i = 0; i < 3; i++) {
        uint8_t report[7] = {7, 0x02, 100, 255, cases[i].low, cases[i].high, 8};
        rig_report(&r, hand, report, 7, i);
        CHECK_TEXT(rig_take(&r, 0, i), cases[i].expected);
    }
    rig_end(&r);
}

/* A keyboard and a mouse in one device: two inputs of the profile. */
static void check_composite(void) {
    static const uint8_t both[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x07,
                                   0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
                                   0x95, 0x08, 0x81, 0x02, 0xc0, 0x05, 0x01, 0x09, 0x02, 0xa1,
                                   0x01, 0x85, 0x02, 0x09, 0x30, 0x09, 0x31, 0x15, 0x81, 0x25,
                                   0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0};
    about("one device, two inputs, two connectors");
    rig_begin(&r, "inputs: {keys: keyboard, ball: mouse}\n"
                  "outputs: {cabin: {kind: keyboard, connector: 1}, view: {kind: mouse, connector: "
                  "2}}\nsheet:\n  cabin.b: keys.a\n  view.motion: ball.motion\n");
    unsigned device = RIG_ATTACH(&r, both);
    CHECK_EQUAL(yt_engine_inputs_of(&r.engine, device), 3);
    RIG_REPORT(&r, device, 1, 1, 0x01);
    CHECK_TEXT(rig_take(&r, 0, 1), "00 02 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 00 "
                                   "00");
    CHECK_TEXT(rig_take(&r, 1, 1), "");
    RIG_REPORT(&r, device, 2, 2, 5, 0xfb);
    CHECK_TEXT(rig_take(&r, 0, 2), "");
    CHECK_TEXT(rig_take(&r, 1, 2), "00 05 00 fb ff 00 00 00 00");
    about("an ID that no collection has is passed over");
    RIG_REPORT(&r, device, 3, 9, 5, 5);
    CHECK_EQUAL(yt_engine_counts(&r.engine).reports_unknown, 1);
    rig_end(&r);
}

/* A pointer that tells how far it moved and one that tells where it is, in one device: a mouse and
 * a tablet, in whatever order the device and the profile have them. */
static void check_two_pointers(void) {
    static const uint8_t collections[2][50] = {
        {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08,
         0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30,
         0x09, 0x31, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0},
        {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x85, 0x02, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08,
         0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30,
         0x09, 0x31, 0x15, 0x00, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0}};
    static const char *const inputs[] = {"{ball: mouse, slate: tablet}",
                                         "{slate: tablet, ball: mouse}"};
    for (unsigned order = 0; order < 4; order++) {
        uint8_t both[82];
        char text[400];
        memcpy(both, collections[order & 1], 41);
        memcpy(both + 41, collections[~order & 1], 41);
        about("a mouse and a tablet in one device, order %u", order);
        snprintf(text, sizeof text,
                 "inputs: %s\noutputs: {typed: keyboard, view: mouse}\nsheet:\n"
                 "  typed.a: ball.button1\n  typed.b: slate.button1\n  typed.c: slate.x > 50%%\n"
                 "  view.motion: ball.motion\n",
                 inputs[order / 2]);
        rig_begin(&r, text);
        unsigned device = RIG_ATTACH(&r, both);
        CHECK_EQUAL(yt_engine_inputs_of(&r.engine, device), 3);
        RIG_REPORT(&r, device, 1, 1, 0x01, 0, 0);
        CHECK(strncmp(rig_take(&r, 0, 1), "00 01 00", 8) == 0);
        RIG_REPORT(&r, device, 2, 2, 0x01, 0, 0);
        CHECK(strncmp(rig_take(&r, 0, 2), "00 03 00", 8) == 0);
        RIG_REPORT(&r, device, 3, 1, 0x00, 5, 0);
        CHECK(strncmp(rig_take(&r, 0, 3), "00 02 00", 8) == 0);
        CHECK_TEXT(rig_take(&r, 1, 3), "00 05 00 00 00 00 00 00 00");
        RIG_REPORT(&r, device, 4, 2, 0x00, 120, 0);
        CHECK(strncmp(rig_take(&r, 0, 4), "00 04 00", 8) == 0);
        CHECK_TEXT(rig_take(&r, 1, 4), "");
        rig_end(&r);
        about("where only one of them is an input, the other part is nobody's, order %u", order);
        rig_begin(&r, "inputs: {slate: tablet}\noutputs: {typed: keyboard}\nsheet:\n"
                      "  typed.b: slate.button1\n");
        device = RIG_ATTACH(&r, both);
        RIG_REPORT(&r, device, 1, 1, 0x01, 0, 0);
        CHECK_TEXT(rig_take(&r, 0, 1), "");
        RIG_REPORT(&r, device, 2, 2, 0x01, 0, 0);
        CHECK(strncmp(rig_take(&r, 0, 2), "00 02 00", 8) == 0);
        rig_end(&r);
    }
}

/* A device may have 32 top-level collections; with one more it is not attached. */
static void check_many_collections(void) {
    static uint8_t many[33 * 21];
    static const uint8_t one[20] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x85, 0x01, 0x09, 0x30,
                                    0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02};
    size_t size = 0;
    for (unsigned i = 0; i < 33; i++) {
        memcpy(many + size, one, sizeof one);

        many[size + sizeof one] = 0xc0;
        size += sizeof one + 1;
    }
    rig_begin(&r, "inputs: {lever: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.left_stick.x: lever.x\n");
    unsigned number;
    yt_device device = {
        .descriptor = many, .descriptor_size = 32 * (sizeof one + 1), .input = YT_ANY_INPUT};
    about("32 top-level collections");
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_OK);
    device.descriptor_size = size;
    about("33 top-level collections");
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_HID_LONG);
    rig_end(&r);
}

/* Where the most specific match wins, whatever the order. */
static void check_matching(void) {
    static const struct {
        const char *inputs;
        unsigned expected;
    } cases[] = {{"{a: joystick, b: {kind: joystick, name: Tern}}", 2},
                 {"{a: {kind: joystick, serial: S1}, b: {kind: joystick, name: Tern}}", 1},
                 {"{a: {kind: joystick, name: Gull}, b: joystick}", 2},
                 {"{a: {kind: joystick, vendor: 0x1209}, b: {kind: joystick, connector: 3}}", 2},
                 {"{a: {kind: joystick, bus: bluetooth}, b: device}", 2},
                 {"{a: device, b: joystick}", 2},
                 {"{a: joystick, b: joystick}", 1}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        char profile[400];
        unsigned number;
        about("which input fits best: %s", cases[i].inputs);
        snprintf(profile, sizeof profile,
                 "inputs: %s\noutputs: {pad: gamepad}\nsheet: {pad.south: a.button1}\n",
                 cases[i].inputs);
        rig_begin(&r, profile);
        yt_device device = {.descriptor = stick,
                            .descriptor_size = sizeof stick,
                            .vendor = 0x1209,
                            .name = "Tern",
                            .serial = "S1",
                            .bus = YT_BUS_USB,
                            .connector = 3,
                            .input = YT_ANY_INPUT};
        CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_OK);
        CHECK_EQUAL(yt_engine_inputs_of(&r.engine, number), cases[i].expected);
        rig_end(&r);
    }
}

/* Pads as makers build them: where the right stick, the triggers and the directions are. */
static void check_pads(void) {
    static const struct {
        const char *what, *descriptor, *report, *expected;
    } cases[] = {{"x, y, z, rz, a hat and twelve buttons: z and rz are the right stick",
                  "05 01 09 05 a1 01 09 30 09 31 09 32 09 35 15 00 26 ff 00 75 08 95 04 81 02 09 "
                  "39 25 07 75 "
                  "04 95 01 81 42 05 09 19 01 29 0c 25 01 75 01 95 0c 81 02 c0",
                  "ff 80 00 80 01 00",
                  "left 1.00 0.00 right -1.00 0.00 triggers 0.00 0.00 up 1 right 1 south 0"},
                 {"rx and ry are the right stick, z and rz are triggers then",
                  "05 01 09 05 a1 01 09 30 09 31 09 32 09 33 09 34 09 35 15 00 26 ff 00 75 08 95 "
                  "06 81 02 05 "
                  "09 19 01 29 08 25 01 75 01 95 08 81 02 c0",
                  "80 80 ff 00 80 33 01",
                  "left 0.00 0.00 right -1.00 0.00 triggers 1.00 0.20 up 0 right 0 south 1"},
                 {"triggers on the simulation page, directions as four buttons",
                  "05 01 09 05 a1 01 09 30 09 31 09 33 09 34 16 00 80 26 ff 7f 75 10 95 04 81 02 "
                  "05 02 09 c5 "
                  "09 c4 15 00 26 ff 03 95 02 81 02 05 01 09 90 09 91 09 92 09 93 25 01 75 01 95 "
                  "04 81 02 95 "
                  "04 81 01 c0",
                  "00 00 00 80 ff 7f 00 00 ff 03 ff 01 05",
                  "left 0.00 -1.00 right 1.00 0.00 triggers 1.00 0.50 up 1 right 1 south 0"},
                 {"a hat of four positions, counted from 1",
                  "05 01 09 05 a1 01 09 39 15 01 25 04 75 08 95 01 81 42 c0", "02",
                  "left 0.00 0.00 right 0.00 0.00 triggers 0.00 0.00 up 0 right 1 south 0"},
                 {"an old stick of two axes and two buttons",
                  "05 01 09 05 a1 01 09 30 09 31 15 00 25 7f 75 08 95 02 81 02 05 09 19 01 29 02 "
                  "25 01 75 01 "
                  "95 02 81 02 95 06 81 01 c0",
                  "7f 00 01",
                  "left 1.00 -1.00 right 0.00 0.00 triggers 0.00 0.00 up 0 right 0 south 1"}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        uint8_t descriptor[128], report[32];
        char text[200];
        size_t size = 0, length = 0;
        unsigned byte;
        for (const char *at = cases[i].descriptor; sscanf(at, "%2x", &byte) == 1; at += 3) {
            descriptor[size++] = (uint8_t)byte;
            if (strlen(at) < 3)
                break;
        }
        for (const char *at = cases[i].report; sscanf(at, "%2x", &byte) == 1; at += 3) {
            report[length++] = (uint8_t)byte;
            if (strlen(at) < 3)
                break;
        }
        about("%s", cases[i].what);
        rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {pad: joystick}\nsheet:\n"
                      "  pad.x: hand.left_stick.x\n  pad.y: hand.left_stick.y\n"
                      "  pad.rx: hand.right_stick.x\n  pad.ry: hand.right_stick.y\n"
                      "  pad.z: hand.left_trigger\n  pad.rz: hand.right_trigger\n"
                      "  pad.button1: hand.dpad.up\n  pad.button2: hand.dpad.right\n"
                      "  pad.button3: hand.south\n");
        unsigned hand = rig_attach(&r, descriptor, size);
        rig_report(&r, hand, report, length, 1);
        double v[9];
        for (unsigned k = 0; k < 9; k++)
            v[k] = rig_value(&r, k) / 65536.0 + 1e-9; /* no minus in front of 0 */
        snprintf(text, sizeof text,
                 "left %.2f %.2f right %.2f %.2f triggers %.2f %.2f up %.0f right %.0f south %.0f",
                 v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7], v[8]);
        CHECK_TEXT(text, cases[i].expected);
        rig_end(&r);
    }
}

/* Media keys as an array, a maker's own page, and a second slider. */
static void check_other_pages(void) {
    static const uint8_t media[] = {0x05, 0x0c, 0x09, 0x01, 0xa1, 0x01, 0x15, 0x00,
                                    0x26, 0xff, 0x03, 0x19, 0x00, 0x2a, 0xff, 0x03,
                                    0x75, 0x10, 0x95, 0x02, 0x81, 0x00, 0xc0};
    static const uint8_t desk[] = {0x06, 0x00, 0xff, 0x09, 0x20, 0xa1, 0x01, 0x09, 0x21, 0x15,
                                   0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x01, 0x81, 0x02, 0x95,
                                   0x07, 0x81, 0x01, 0x05, 0x01, 0x09, 0x36, 0x09, 0x36, 0x26,
                                   0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0xc0};
    about("media keys, a vendor's page, two sliders");
    rig_begin(&r, "inputs: {media: consumer, desk: device}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: media.mute\n  pad.east: media.consumer_0x012f\n"
                  "  pad.west: desk.page_0xff00_0x0021\n  pad.left_stick.x: desk.slider.2\n");
    unsigned keys = RIG_ATTACH(&r, media), board = RIG_ATTACH(&r, desk);
    CHECK_EQUAL(yt_engine_inputs_of(&r.engine, keys), 1);
    CHECK_EQUAL(yt_engine_inputs_of(&r.engine, board), 2);
    RIG_REPORT(&r, keys, 1, 0xe2, 0x00, 0x2f, 0x01);
    RIG_REPORT(&r, board, 2, 0x01, 0x00, 0xff);
    for (unsigned i = 0; i < 4; i++)
        CHECK_EQUAL(rig_value(&r, i), YT_ONE);
    RIG_REPORT(&r, keys, 3, 0x2f, 0x01, 0x00, 0x00);
    CHECK_EQUAL(rig_value(&r, 0), 0);
    CHECK_EQUAL(rig_value(&r, 1), YT_ONE);
    rig_end(&r);
}

/* In whatever order devices come, report, leave and come back, what counts in the end follows from
 * those that are there and what each said last. */
static void check_any_order(void) {
    dice dice = {21};
    struct {
        bool there;
        unsigned number;
        uint8_t keys[6], buttons;
        int8_t x, y;
    } devices[6] = {{0}};
    about("random plugging");
    rig_begin(&r, "inputs: {keys: keyboard, hand: joystick}\noutputs: {pad: gamepad}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.east: keys.b\n  pad.west: hand.button1\n"
                  "  pad.left_trigger: hand.x\n");
    size_t before = yt_engine_used(&r.engine);
    for (unsigned step = 0; step < 20000; step++) {
        unsigned k = roll_below(&dice, 6);
        bool is_keyboard = k < 3;
        if (!devices[k].there) {
            devices[k].number = is_keyboard ? RIG_ATTACH(&r, rig_six_keys) : RIG_ATTACH(&r, stick);
            devices[k].there = true;
            memset(devices[k].keys, 0, 6);
            devices[k].buttons = 0;
            devices[k].x = 0;
        } else if (roll_below(&dice, 8) == 0) {
            yt_engine_detach(&r.engine, devices[k].number, step);
            devices[k].there = false;
        } else if (is_keyboard) {
            devices[k].keys[0] = (uint8_t)(4 * roll_below(&dice, 2));
            devices[k].keys[3] = (uint8_t)(5 * roll_below(&dice, 2));
            rig_report(&r, devices[k].number, devices[k].keys, 6, step);
        } else {
            devices[k].buttons = (uint8_t)roll_below(&dice, 2);
            devices[k].x = (int8_t)roll_below(&dice, 128);
            RIG_REPORT(&r, devices[k].number, step, devices[k].buttons, (uint8_t)devices[k].x, 0);
        }
        bool a = false, b = false, button = false;
        int x = 0;
        for (unsigned i = 0; i < 6; i++) {
            a |= devices[i].there && i < 3 && devices[i].keys[0] == 4;
            b |= devices[i].there && i < 3 && devices[i].keys[3] == 5;
            button |= devices[i].there && i >= 3 && devices[i].buttons;
            if (devices[i].there && i >= 3 && devices[i].x > x)
                x = devices[i].x;
        }
        about("random plugging, step %u", step);
        CHECK_EQUAL(rig_value(&r, 0), a ? YT_ONE : 0);
        CHECK_EQUAL(rig_value(&r, 1), b ? YT_ONE : 0);
        CHECK_EQUAL(rig_value(&r, 2), button ? YT_ONE : 0);
        /* A lead of a sixteenth is what another stick must have to take over. */
        CHECK((rig_value(&r, 3) * 127 + 32768) >> 16 <= x &&
              (rig_value(&r, 3) * 127 + 32768) >> 16 >= x - 8);
    }
    for (unsigned i = 0; i < 6; i++)
        if (devices[i].there)
            yt_engine_detach(&r.engine, devices[i].number, 20000);
    CHECK_EQUAL(yt_engine_used(&r.engine), before);
    rig_end(&r);
}

int main(void) {
    check_pads();
    check_other_pages();
    check_any_order();
    check_depth();
    check_two_sticks();
    check_cancel();
    check_feedback();
    check_relay();
    check_wide();
    check_described();
    check_turned_switch(1, 0);
    check_turned_switch(3, 1);
    check_rates();
    check_composite();
    check_two_pointers();
    check_many_collections();
    check_matching();
    return report_checks();
}
