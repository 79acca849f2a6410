/* A stick and a trigger are calibrated in the menu: what is to be done is said as it goes, it is
 * kept after it is said, and counts at the next plug-in. */
#include <math.h>

#include "tests/menu/user.h"

static user u;

/* Four bytes: x, y, a trigger, buttons; 8 bits each. */
static const uint8_t pad[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15,
                              0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x81, 0x02, 0x05,
                              0x02, 0x09, 0xc5, 0x95, 0x01, 0x81, 0x02, 0x05, 0x09, 0x19, 0x01,
                              0x29, 0x08, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

#define PROFILE                                                                                    \
    "inputs: {desk: gamepad}\noutputs: {pad: gamepad}\nsheet:\n"                                   \
    "  pad.left_stick: desk.left_stick\n  pad.left_trigger: desk.left_trigger\n"                   \
    "  pad.south: desk.south\n"

static void begin(unsigned columns, unsigned lines) {
    box_begin(&u.box, true);
    u.box.has_keyboard = true;
    u.box.descriptor = pad;
    u.box.descriptor_size = sizeof pad;
    u.may_erase = true;
    box_write(&u.box, 0, PROFILE);
    user_plug_in(&u, 4, columns, lines);
}

/* A worn stick: it rests at 136, 120 and reaches 90 each way. */
static void report(double x, double y, double trigger) {
    const uint8_t bytes[4] = {(uint8_t)(136.5 + 90 * x), (uint8_t)(120.5 + 90 * y),
                              (uint8_t)(20.5 + 180 * trigger), 0};
    box_report(&u.box, bytes, sizeof bytes, u.now_us);
    if (yt_menu_is_open(&u.menu))
        yt_menu_report(&u.menu, u.box.keyboard, bytes, sizeof bytes, u.now_us);
    user_wait(&u, 10);
}

static void rest(unsigned reports) {
    for (unsigned i = 0; i < reports; i++)
        report(0, 0, 0);
}

static void turn_around(unsigned times) {
    for (unsigned i = 0; i < times * 240; i++) {
        double angle = i * 3.14159265358979 / 100;
        report(sin(angle), -cos(angle), 0);
    }
}

static yt_q16 value_of(unsigned control) {
    return yt_engine_control(&u.box.engine, control);
}

/* Numbers of the controls, by what they are. */
static unsigned control_of(uint16_t page, uint16_t usage) {
    const yt_program *program = yt_engine_program(&u.box.engine);
    unsigned i = 0;
    while (program->controls[i].page != page || program->controls[i].usage != usage)
        i++;
    return i;
}

static void check_stick(unsigned columns, unsigned lines) {
    begin(columns, lines);
    unsigned x = control_of(1, 0x30);
    about("a stick, on %u columns and %u lines", columns, lines);
    report(1, 0, 0);
    CHECK(value_of(x) < YT_ONE * 85 / 100);
    user_open(&u);
    user_choose(&u, columns < 16 ? "calibr" : "calibrate");
    user_choose(&u, "desk.x");
    rest(100);
    CHECK(strstr(user_line(&u, 0), "% tur") != NULL);
    user_do(&u, YT_MENU_CHOOSE);
    CHECK(strstr(user_line(&u, 0), "% tur") != NULL);
    for (unsigned i = 0; i < 8; i++) {
        turn_around(1);
        rest(60);
    }
    CHECK_EQUAL(strncmp(user_line(&u, 0), "100% eno", 8), 0);
    if (lines > 1)
        CHECK(strstr(user_line(&u, 1), "%") != NULL);
    uint64_t before = u.box.flash.operations;
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.box.flash.operations, before);
    user_choose(&u, "keep");
    user_wait(&u, 1000);
    CHECK_TEXT(user_row(&u), "done");
    about("it counts at once");
    report(1, 0, 0);
    CHECK_EQUAL(value_of(x), YT_ONE);
    report(0, 0, 0);
    CHECK(abs(value_of(x)) < YT_ONE / 1000);
    about("and at the next plug-in");
    user_plug_in(&u, 4, columns, lines);
    report(1, 0, 0);
    CHECK_EQUAL(value_of(x), YT_ONE);
    box_end(&u.box);
}

static void check_trigger(void) {
    begin(20, 4);
    unsigned trigger = control_of(2, 0xc5);
    about("a trigger");
    user_open(&u);
    user_choose(&u, "calibrate");
    user_choose(&u, "desk.left_trigger");
    rest(100);
    for (unsigned i = 0; i < 4; i++) {
        for (unsigned k = 0; k <= 60; k++)
            report(0, 0, k / 60.0);
        for (unsigned k = 0; k < 30; k++)
            report(0, 0, 1);
        for (unsigned k = 0; k <= 60; k++)
            report(0, 0, 1 - k / 60.0);
        rest(60);
    }
    CHECK_EQUAL(strncmp(user_line(&u, 0), "100% eno", 8), 0);
    about("what is stopped is not kept");
    uint64_t before = u.box.flash.operations;
    user_do(&u, YT_MENU_BACK);
    user_wait(&u, 1000);
    CHECK_EQUAL(u.box.flash.operations, before);
    report(0, 0, 1);
    CHECK(value_of(trigger) < YT_ONE);
    box_end(&u.box);
}

/* By one light alone: the second row is calibrate, two pulses say that enough was seen. */
static void check_light(void) {
    begin(0, 0);
    unsigned x = control_of(1, 0x30);
    about("with no display");
    user_open(&u);
    user_do(&u, YT_MENU_DOWN);
    user_do(&u, YT_MENU_CHOOSE);
    user_do(&u, YT_MENU_CHOOSE);
    rest(300);
    for (unsigned i = 0; i < 8; i++) {
        turn_around(1);
        rest(60);
    }
    user_do(&u, YT_MENU_CHOOSE); /* enough: keep? */
    user_do(&u, YT_MENU_DOWN);
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 1000);
    report(1, 0, 0);
    CHECK_EQUAL(value_of(x), YT_ONE);
    box_end(&u.box);
}

int main(void) {
    check_stick(16, 2);
    check_stick(8, 1);
    check_trigger();
    check_light();
    return report_checks();
}
