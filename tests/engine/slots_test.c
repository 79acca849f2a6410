/* A change of the slot, as the host sees it. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

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
    CHECK_EQUAL(yt_interface_state(&r.engine, interface, YT_HID_FEATURE, 0, bytes, sizeof bytes),
                1);
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

int main(void) {
    check_restart();
    check_same_host();
    return report_checks();
}
