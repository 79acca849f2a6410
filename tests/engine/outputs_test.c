/* Outputs of one's own layout, and more changes at once than a report's list holds. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;

/* 64 buttons. */
static const uint8_t buttons[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x09,
                                  0x19, 0x01, 0x29, 0x40, 0x15, 0x00, 0x25, 0x01,
                                  0x75, 0x01, 0x95, 0x40, 0x81, 0x02, 0xc0};

static void add(char *text, const char *format, unsigned number, unsigned other) {
    sprintf(text + strlen(text), format, number, other);
}

/* 60 buttons change in one report, the list holds 32; what is pressed in the end is always right.
 */
static void check_many_changes(void) {
    char profile[4096] = "inputs: {desk: joystick}\noutputs: {pad: {buttons: 60}}\nsheet:\n";
    dice dice = {31};
    for (unsigned i = 1; i <= 60; i++)
        add(profile, "  pad.button%u: desk.button%u\n", i, i);
    rig_begin(&r, profile);
    unsigned desk = RIG_ATTACH(&r, buttons);
    about("all buttons down at once");
    RIG_REPORT(&r, desk, 1, 255, 255, 255, 255, 255, 255, 255, 15);
    const char *text = "";
    char last[64] = "";
    for (unsigned i = 0; i < 8 && *(text = rig_take(&r, 0, 2 + i)); i++)
        snprintf(last, sizeof last, "%s", text);
    CHECK_TEXT(last, "ff ff ff ff ff ff ff 0f");
    about("random presses while the host does not ask, then it does");
    for (unsigned round = 0; round < 300; round++) {
        uint8_t report[8] = {0};
        char expected[64] = "";
        for (unsigned k = roll_below(&dice, 6) + 1; k > 0; k--) {
            for (int i = 0; i < 8; i++)
                report[i] = (uint8_t)roll(&dice);
            report[7] &= 15;
            rig_report(&r, desk, report, 8, 100 + round);
        }
        for (int i = 0; i < 8; i++)
            sprintf(expected + strlen(expected), "%s%02x", i ? " " : "", report[i]);
        unsigned reports = 0;
        while (*(text = rig_take(&r, 0, 100 + round))) {
            snprintf(last, sizeof last, "%s", text);
            CHECK(++reports < 400);
        }
        about("random presses, round %u", round);
        CHECK_TEXT(last, expected);
    }
    rig_end(&r);
}

/* A keyboard of six keys, by its descriptor: keys stand in an array. */
static void check_six_keys(void) {
    about("an output whose keys stand in an array");
    rig_begin(&r,
              "inputs: {desk: joystick}\noutputs:\n  typed: {kind: keyboard, descriptor: 05 01 09 "
              "06 a1 01 05 07 19 e0 29 e7 15 00 25 01 75 01 95 08 81 02 95 01 75 08 81 01 95 06 75 "
              "08 15 00 25 65 19 00 29 65 81 00 c0}\nsheet:\n  typed.a: desk.button1\n  typed.b: "
              "desk.button2\n  typed.c: desk.button3\n  typed.d: desk.button4\n  typed.e: "
              "desk.button5\n  typed.f: desk.button6\n  typed.g: desk.button7\n"
              "  typed.left_shift: desk.button8\n");
    unsigned desk = RIG_ATTACH(&r, buttons);
    RIG_REPORT(&r, desk, 1, 0x05, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 1), "00 00 04 06 00 00 00 00");
    RIG_REPORT(&r, desk, 2, 0x04, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 2), "00 00 06 00 00 00 00 00");
    RIG_REPORT(&r, desk, 3, 0x7f, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 3), "00 00 01 01 01 01 01 01"); /* seven: too many */
    RIG_REPORT(&r, desk, 4, 0x01, 0, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, desk, 5, 0x81, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 5), "00 00 04 00 00 00 00 00"); /* keys first, */
    CHECK_TEXT(rig_take(&r, 0, 6), "02 00 04 00 00 00 00 00"); /* then the modifier */
    rig_end(&r);
}

/* A cell with modifiers: they go down in a report of their own, in front of the key's, and come up
 * behind it; two cells and one of its own may hold the same one down, and so may a layer's. */
static void check_modifiers(void) {
    rig_begin(
        &r,
        "inputs: {desk: joystick}\noutputs: {typed: {kind: keyboard, descriptor: 05 01 09 "
        "06 a1 01 05 07 19 e0 29 e7 15 00 25 01 75 01 95 08 81 02 95 01 75 08 81 01 95 06 75 "
        "08 15 00 25 65 19 00 29 65 81 00 c0}}\nsheet:\n"
        "  typed.left_control+a: desk.button1\n  typed.left_control+left_shift+b: desk.button2\n"
        "  typed.left_control: desk.button3\nlayers:\n  - while: desk.button5\n    sheet: "
        "{typed.left_alt+c: desk.button4}\n");
    unsigned desk = RIG_ATTACH(&r, buttons);
    RIG_REPORT(&r, desk, 1, 0x01, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 1), "01 00 00 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 2), "01 00 04 00 00 00 00 00");
    RIG_REPORT(&r, desk, 3, 0x03, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 3), "03 00 04 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 4), "03 00 04 05 00 00 00 00");
    RIG_REPORT(&r, desk, 5, 0x02, 0, 0, 0, 0, 0, 0, 0); /* b still holds control down */
    CHECK_TEXT(rig_take(&r, 0, 5), "03 00 05 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 6), "");
    RIG_REPORT(&r, desk, 7, 0x06, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 7), "");
    RIG_REPORT(&r, desk, 8, 0x04, 0, 0, 0, 0, 0, 0, 0); /* and then its own cell */
    CHECK_TEXT(rig_take(&r, 0, 8), "03 00 00 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 9), "01 00 00 00 00 00 00 00");
    RIG_REPORT(&r, desk, 10, 0x00, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 10), "00 00 00 00 00 00 00 00");
    RIG_REPORT(&r, desk, 11, 0x10, 0, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, desk, 12, 0x18, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 12), "04 00 00 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 13), "04 00 06 00 00 00 00 00");
    RIG_REPORT(&r, desk, 14, 0x08, 0, 0, 0, 0, 0, 0, 0); /* the layer ends, its press lasts */
    CHECK_TEXT(rig_take(&r, 0, 14), "");
    RIG_REPORT(&r, desk, 15, 0x00, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 15), "04 00 00 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 16), "00 00 00 00 00 00 00 00");
    rig_end(&r);
}

/* Several reports with IDs in one layout of one's own; a hat of eight bits; a level. */
static void check_fields(void) {
    about("fields in two reports");
    rig_begin(&r,
              "inputs: {desk: joystick}\noutputs:\n  pad: {kind: joystick, fields: [{usage: "
              "button1, count: 4, report: 3}, {usage: hat, report: 3}, {usage: throttle, bits: 8, "
              "report: 9}]}\nsheet:\n  pad.button2: desk.button1\n  pad.hat.up: desk.button2\n"
              "  pad.hat.left: desk.button3\n  pad.throttle: desk.button4 * 50%\n");
    unsigned desk = RIG_ATTACH(&r, buttons);
    CHECK_TEXT(rig_take(&r, 0, 0), "");
    RIG_REPORT(&r, desk, 1, 0x07, 0, 0, 0, 0, 0, 0, 0);
    CHECK_TEXT(rig_take(&r, 0, 1), "03 72");
    RIG_REPORT(&r, desk, 2, 0x08, 0, 0, 0, 0, 0, 0, 0);
    const char *one = rig_take(&r, 0, 2);
    bool throttle_first = strcmp(one, "09 80") == 0;
    CHECK(throttle_first || strcmp(one, "03 80") == 0);
    CHECK_TEXT(rig_take(&r, 0, 3), throttle_first ? "03 80" : "09 80");
    CHECK_TEXT(rig_take(&r, 0, 4), "");
    rig_end(&r);
}

/* Directions of a hat that change in one report are one change, and none if they cancel. */
static void check_hat(void) {
    about("a hat's directions at once");
    rig_begin(&r, "inputs: {desk: joystick}\noutputs: {pad: {hat: 1, buttons: 4}}\nsheet:\n"
                  "  pad.hat.up: desk.button1\n  pad.hat.right: desk.button2\n"
                  "  pad.hat.down: desk.button3\n  pad.hat.left: desk.button4\n");
    unsigned desk = RIG_ATTACH(&r, buttons);
    RIG_REPORT(&r, desk, 1, 0x05, 0, 0, 0, 0, 0, 0, 0); /* up and down: nothing new */
    CHECK_TEXT(rig_take(&r, 0, 1), "");
    RIG_REPORT(&r, desk, 2, 0x02, 0, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, desk, 3, 0x07, 0, 0, 0, 0, 0, 0, 0); /* still right */
    RIG_REPORT(&r, desk, 4, 0x01, 0, 0, 0, 0, 0, 0, 0);
    RIG_REPORT(&r, desk, 5, 0x0a, 0, 0, 0, 0, 0, 0, 0); /* left and right: at rest */
    char told[4][16] = {{0}};
    for (int i = 0; i < 4; i++)
        snprintf(told[i], sizeof told[i], "%s", rig_take(&r, 0, 5));
    CHECK_TEXT(told[0], "20");
    CHECK_TEXT(told[1], "00");
    CHECK_TEXT(told[2], "80");
    CHECK_TEXT(told[3], "");
    rig_end(&r);
}

static unsigned without_opposites(unsigned directions) {
    if ((directions & 5) == 5)
        directions &= ~5u;
    return (directions & 10) == 10 ? directions & ~10u : directions;
}

/* The position of a hat of four, 4 in its middle: of two directions the one that was held before
 * counts, else up or down. */
static unsigned four_of(unsigned directions, unsigned before) {
    for (unsigned k = 0; k < 4; k++) {
        bool is_kept = (directions & before) == 1u << k;
        bool is_upright = (directions & 5) == 1u << k && (directions & before) == 0;
        if (directions == 1u << k || is_kept || is_upright)
            return k;
    }
    return 4;
}

static void check_four(void) {
    dice dice = {4};
    unsigned shown = 4, before = 0;
    rig_begin(&r,
              "inputs: {desk: joystick}\noutputs:\n  pad: {kind: joystick, fields: [{usage: hat, "
              "range: [0, 3], bits: 8}]}\nsheet:\n"
              "  pad.hat.up: desk.button1\n  pad.hat.right: desk.button2\n"
              "  pad.hat.down: desk.button3\n  pad.hat.left: desk.button4\n");
    unsigned desk = RIG_ATTACH(&r, buttons);
    for (unsigned i = 0; i < 3000; i++) {
        unsigned directions = roll_below(&dice, 16);
        unsigned now = without_opposites(directions);
        unsigned position = now == before ? shown : four_of(now, before);
        char text[8];
        RIG_REPORT(&r, desk, i, (uint8_t)directions, 0, 0, 0, 0, 0, 0, 0);
        about("a hat of four, directions %x, before %x", directions, before);
        const char *came = rig_take(&r, 0, i);
        snprintf(text, sizeof text, "%02x", position);
        if (position != shown || *came)
            CHECK_TEXT(came, text);
        shown = position;
        before = now;
    }
    rig_end(&r);
}

int main(void) {
    check_modifiers();
    check_hat();
    check_four();
    check_many_changes();
    check_six_keys();
    check_fields();
    return report_checks();
}
