/* What the headers promise of queues, lists, hosts and functions, at the edges where a change that
 * breaks it would not show elsewhere. */
#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;

static const uint8_t two_sticks[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x30, 0x09,
                                     0x31, 0x09, 0x33, 0x09, 0x34, 0x15, 0x81, 0x25, 0x7f,
                                     0x75, 0x08, 0x95, 0x04, 0x81, 0x02, 0xc0};

/* Of two sticks both directions are those of the one that leads. */
static void check_farther(void) {
    static const struct {
        int8_t one[2], other[2], given[2];
    } rows[] = {{{100, 20}, {10, -30}, {100, 20}},    {{100, 20}, {-110, 60}, {-110, 60}},
                {{-110, 20}, {-108, 60}, {-108, 60}}, {{0, -127}, {-90, 60}, {0, -127}},
                {{0, 0}, {-5, 90}, {-5, 90}},         {{0, 0}, {0, 0}, {0, 0}},
                {{3, -50}, {0, 0}, {3, -50}}};
    rig_begin(
        &r, "inputs: {hand: gamepad}\noutputs: {pad: {kind: gamepad, fields: [{usage: x, bits: 8, "
            "range: [-127, 127]}, {usage: y, bits: 8, range: [-127, 127]}]}}\n"
            "sheet: {pad.x: \"first.x\", pad.y: \"first.y\"}\n"
            "named: {first: \"farther(hand.left_stick, hand.right_stick)\"}\n");
    unsigned number = RIG_ATTACH(&r, two_sticks);
    while (*rig_take(&r, 0, 0))
        continue;
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        char expected[16];
        uint8_t bytes[YT_REPORT_BYTES + 1] = {0};
        RIG_REPORT(&r, number, 1000 * i, (uint8_t)rows[i].one[0], (uint8_t)rows[i].one[1],
                   (uint8_t)rows[i].other[0], (uint8_t)rows[i].other[1]);
        about("sticks at %d %d and %d %d", rows[i].one[0], rows[i].one[1], rows[i].other[0],
              rows[i].other[1]);
        rig_take(&r, 0, 1000 * i);
        CHECK_EQUAL(state_of(&r.engine, 0, YT_HID_INPUT, 0, bytes, sizeof bytes), 2);
        snprintf(expected, sizeof expected, "%d %d", rows[i].given[0], rows[i].given[1]);
        char given[16];
        snprintf(given, sizeof given, "%d %d", (int8_t)bytes[0], (int8_t)bytes[1]);
        CHECK_TEXT(given, expected);
    }
    rig_end(&r);
}

/* A list that is full gives up whole pairs, the oldest first: what is left is pressed and let go of
 * in its order, and ends as the hand did. */
static void check_full_list(void) {
    enum { TAPS = 40, A = 4, B = 5, C = 6 };
    about("more taps than the list of changes has room for");
    rig_begin(
        &r,
        "inputs: {keys: keyboard}\noutputs: {pad: {kind: gamepad, fields: [{usage: button1, "
        "count: 8}]}}\nsheet: {pad.button1: keys.a, pad.button2: keys.b, pad.button3: keys.c}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    while (*rig_take(&r, 0, 0))
        continue;
    RIG_REPORT(&r, keys, 1, B, 0, 0, 0, 0, 0); /* b stays down */
    for (unsigned i = 0; i < TAPS; i++) {
        RIG_REPORT(&r, keys, 10 + 2 * i, B, A, 0, 0, 0, 0);
        RIG_REPORT(&r, keys, 11 + 2 * i, B, 0, 0, 0, 0, 0);
    }
    RIG_REPORT(&r, keys, 1000, B, C, 0, 0, 0, 0);
    unsigned presses = 0, releases = 0, dropped = yt_engine_counts(&r.engine).pairs_dropped;
    const char *report;
    char last[8] = "00";
    for (unsigned i = 0; *(report = rig_take(&r, 0, 2000 + i)); i++) {
        presses += !(last[1] & 1) && (report[1] & 1);
        releases += (last[1] & 1) && !(report[1] & 1);
        CHECK(i == 0 || strcmp(last, report) != 0);
        snprintf(last, sizeof last, "%s", report);
    }
    CHECK_TEXT(last, "06"); /* b, and c that came last */
    CHECK_EQUAL(presses, releases);
    CHECK(dropped > 0);
    CHECK_EQUAL(presses + dropped, TAPS);
    about("the oldest pairs go: what came last is all there");
    unsigned before = yt_engine_counts(&r.engine).pairs_dropped, last_taps = 0;
    RIG_REPORT(&r, keys, 3000, 0, 0, 0, 0, 0, 0);
    while (*rig_take(&r, 0, 3000))
        continue;
    for (unsigned i = 0; i < 26; i++) {
        RIG_REPORT(&r, keys, 4000 + 2 * i, i < 10 ? A : C, 0, 0, 0, 0, 0);
        RIG_REPORT(&r, keys, 4001 + 2 * i, 0, 0, 0, 0, 0, 0);
    }
    for (unsigned i = 0; *(report = rig_take(&r, 0, 5000 + i)); i++) {
        CHECK(strcmp(report, "01") != 0);
        last_taps += strcmp(report, "04") == 0;
    }
    CHECK_EQUAL(last_taps, 16);
    CHECK_EQUAL(yt_engine_counts(&r.engine).pairs_dropped - before, 10);
    rig_end(&r);
}

/* A report of the host waits for what devices sent before it. */
static void check_host_waits(void) {
    enum { A = 4 };
    const uint8_t on = 0x01;
    about("a light that the host sets after a press that nobody has looked at yet");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard, pad: gamepad}\nsheet:\n"
                  "  typed.b: keys.a\n  pad.south: keys.a and not typed.light.num_lock\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    while (*rig_take(&r, 1, 0))
        continue;
    CHECK_EQUAL(yt_engine_report(&r.engine, keys, (const uint8_t[6]){A}, 6, 1000), YT_OK);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, &on, 1, 2000), YT_OK);
    CHECK(*rig_take(&r, 1, 3000) != 0); /* south went down, */
    CHECK(*rig_take(&r, 1, 4000) != 0); /* and up */
    CHECK_TEXT(rig_take(&r, 1, 5000), "");
    rig_end(&r);
}

/* What moved while the host did not look is not told to one that begins afresh. */
static void check_motion_ends(void) {
    for (int way = 0; way < 2; way++) {
        about(way ? "motion before a suspend" : "motion before a bus reset");
        rig_begin(
            &r,
            "inputs: {ball: mouse}\noutputs: {view: mouse}\nsheet: {view.motion: ball.motion}\n");
        unsigned ball = RIG_ATTACH(&r, mouse);
        while (*rig_take(&r, 0, 0))
            continue;
        RIG_REPORT(&r, ball, 1000, 0, 50, 0, 0);
        if (way) {
            yt_connector_suspend(&r.engine, 1, true);
            yt_connector_suspend(&r.engine, 1, false);
        } else {
            yt_connector_reset(&r.engine, 1);
        }
        CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, 50);
        RIG_REPORT(&r, ball, 2000, 0, 3, 0, 0);
        uint8_t bytes[YT_REPORT_BYTES + 1];
        CHECK(next_report(&r.engine, 0, bytes, sizeof bytes) > 3);
        CHECK_EQUAL(bytes[1], 3);
        CHECK_EQUAL(bytes[2], 0);
        rig_end(&r);
    }
}

/* Motion that nobody takes saturates; what is over is counted, and what is owed comes out. */
static void check_owed(void) {
    static const uint8_t wide[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x09,
                                   0x31, 0x09, 0x38, 0x16, 0x01, 0x80, 0x26, 0xff, 0x7f,
                                   0x75, 0x10, 0x95, 0x03, 0x81, 0x06, 0xc0};
    const uint8_t fine = 0x01;
    const uint64_t most = UINT64_C(1) << 40, each = UINT64_C(120) * 32767;
    uint64_t moved = 0;
    about("a wheel in 120ths that nobody reads");
    rig_begin(&r,
              "inputs: {ball: mouse}\noutputs: {view: mouse}\nsheet: {view.wheel: ball.wheel}\n");
    r.port.motion_wait_us = UINT32_MAX;
    unsigned ball = RIG_ATTACH(&r, wide);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_FEATURE, &fine, 1, 1), YT_OK);
    uint8_t bytes[YT_REPORT_BYTES + 1];
    CHECK_EQUAL(yt_engine_report(&r.engine, ball, (const uint8_t[6]){1}, 6, 2), YT_OK);
    yt_engine_update(&r.engine, 2);
    next_report(&r.engine, 0, bytes, sizeof bytes); /* is never taken */
    for (unsigned i = 0; i < 300000; i++) {
        const uint8_t report[6] = {0, 0, 0, 0, 0xff, 0x7f};
        if (yt_engine_report(&r.engine, ball, report, 6, 1000 + i) != YT_OK)
            exit(1);
        yt_engine_update(&r.engine, 1000 + i);
        moved += each;
    }
    CHECK(moved > most);
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, moved - most);
    for (unsigned i = 0; i < 600000; i++) { /* and back as far, so that the sum is not below 0 */
        const uint8_t report[6] = {0, 0, 0, 0, 0x01, 0x80};
        if (yt_engine_report(&r.engine, ball, report, 6, 400000 + i) != YT_OK)
            exit(1);
        yt_engine_update(&r.engine, 400000 + i);
    }
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped,
                (moved - most) + 600000 * each - 2 * most);
    rig_end(&r);
}

/* A device that leaves is no cancel for what a host sends, though the layer in which that is read
 * hangs on the device: the report of the light and the input have the same number here. */
static void check_leaving(void) {
    const uint8_t on = 0x01, off = 0x00;
    about("a device that leaves does not begin anew what the host's light does");
    rig_begin(&r,
              "inputs: {ball: mouse, keys: keyboard}\noutputs: {typed: keyboard, pad: gamepad}\n"
              "sheet: {typed.b: keys.a, pad.west: typed.light.num_lock, pad.east: ball.button1}\n"
              "layers: [{while: not keys.z, sheet: {pad.south: toggle(typed.light.num_lock)}}]\n");
    const yt_program *program = &r.compiled.program;
    unsigned light = 0;
    while (!program->controls[light].from_host)
        light++;
    CHECK_EQUAL(program->controls[light].input, 1);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys), ball = RIG_ATTACH(&r, mouse);
    while (*rig_take(&r, 1, 0))
        continue;
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, &on, 1, 1000), YT_OK);
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, &off, 1, 2000), YT_OK);
    CHECK(*rig_take(&r, 1, 3000) != 0); /* south is on now */
    while (*rig_take(&r, 1, 3000))
        continue;
    yt_engine_detach(&r.engine, keys, 4000);
    yt_engine_detach(&r.engine, ball, 5000);
    CHECK_TEXT(rig_take(&r, 1, 6000), "");
    about("a cancel of all is");
    yt_engine_cancel(&r.engine);
    CHECK(*rig_take(&r, 1, 7000) != 0);
    rig_end(&r);
}

/* A test pulse is as long as it is asked for, by the port's clock, whatever that was before. */
static void check_pulse(void) {
    static const uint8_t motor[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01,
                                    0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                    0x81, 0x02, 0x06, 0x00, 0xff, 0x09, 0x01, 0x26, 0xff, 0x00,
                                    0x75, 0x08, 0x95, 0x01, 0x91, 0x02, 0xc0};
    uint8_t bytes[8];
    yt_hid_direction direction;
    about("a test pulse after the clock was set back");
    rig_begin(&r, "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\n"
                  "sheet: {pad.south: hand.button1, hand.rumble.strong: pad.rumble.strong}\n");
    yt_engine_update(&r.engine, 100000000);
    unsigned hand = RIG_ATTACH(&r, motor);
    yt_engine_update(&r.engine, 1000000);
    while (device_output(&r.engine, hand, bytes, sizeof bytes, &direction))
        continue;
    yt_device_pulse(&r.engine, hand, 1000000, 300000);
    CHECK_EQUAL(device_output(&r.engine, hand, bytes, sizeof bytes, &direction), 1);
    CHECK_EQUAL(bytes[0], 255);
    CHECK_EQUAL(yt_engine_update(&r.engine, 1200000), 1300000);
    CHECK_EQUAL(device_output(&r.engine, hand, bytes, sizeof bytes, &direction), 0);
    yt_engine_update(&r.engine, 1300000);
    CHECK_EQUAL(device_output(&r.engine, hand, bytes, sizeof bytes, &direction), 1);
    CHECK_EQUAL(bytes[0], 0);
    rig_end(&r);
}

/* The port's wake-up, called in the middle of an update, sends one more report each time: what
 * comes during an update is left to the next one, which is due at once. */
static unsigned refilled;

static void refill(void *context, unsigned connector) {
    (void)connector;
    rig *rig = context;
    yt_connector_suspend(&rig->engine, 9, false);
    const uint8_t report[6] = {(uint8_t)(refilled % 2 ? 4 : 0)};
    refilled += yt_engine_report(&rig->engine, 0, report, 6, 1000) == YT_OK;
}

static void check_refilled_queue(void) {
    about("a queue that is filled while it is emptied");
    rig_begin(&r,
              "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\nsheet: {typed.b: keys.a}\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    r.port.wake = refill;
    yt_connector_suspend(&r.engine, 1, true);
    CHECK_EQUAL(keys, 0);
    CHECK_EQUAL(yt_engine_report(&r.engine, keys, (const uint8_t[6]){4}, 6, 1000), YT_OK);
    CHECK_EQUAL(yt_engine_update(&r.engine, 1000), 1000);
    CHECK_EQUAL(refilled, 1);
    CHECK_EQUAL(yt_engine_update(&r.engine, 1000), YT_NEVER);
    rig_end(&r);
}

int main(void) {
    check_farther();
    check_full_list();
    check_host_waits();
    check_motion_ends();
    check_owed();
    check_leaving();
    check_pulse();
    check_refilled_queue();
    return report_checks();
}
