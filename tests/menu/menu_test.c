/* The menu, worked by its buttons: opened and closed, their ways, one light, motors, texts. */
#include "tests/menu/user.h"

static user u;

/* ---- opened and closed ---- */

static void check_opening(unsigned buttons) {
    static const unsigned chords[] = {1, 3, 6, 12, 12, 12};
    user_begin(&u);
    user_plug_in(&u, buttons, 16, 2);
    about("%u buttons", buttons);
    CHECK_EQUAL(yt_menu_update(&u.menu, u.now_us), YT_NEVER);
    char line[YT_MENU_LINE_BYTES] = "x";
    yt_menu_line(&u.menu, 0, line);
    CHECK_TEXT(line, "");
    for (unsigned i = 0; i < buttons && buttons > 1; i++) {
        if (i < 4)
            user_press(&u, i, 2000);
        CHECK(!yt_menu_is_open(&u.menu));
    }
    for (unsigned i = 0; i < buttons; i++)
        if (chords[buttons - 1] >> i & 1)
            yt_menu_button(&u.menu, i, true, u.now_us);
    user_wait(&u, 700);
    CHECK(!yt_menu_is_open(&u.menu));
    user_wait(&u, 200);
    CHECK(yt_menu_is_open(&u.menu));
    user_wait(&u, 3000);
    for (unsigned i = 0; i < buttons; i++)
        yt_menu_button(&u.menu, i, false, u.now_us);
    user_wait(&u, 20);
    about("%u buttons: what opened it did nothing else", buttons);
    CHECK(yt_menu_is_open(&u.menu));
    CHECK_TEXT(user_line(&u, 0), buttons == 1 ? user_line(&u, 0) : "slots");
    about("%u buttons: left alone it closes", buttons);
    user_wait(&u, 29000);
    CHECK(yt_menu_is_open(&u.menu));
    user_wait(&u, 2000);
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK_EQUAL(yt_menu_update(&u.menu, u.now_us), YT_NEVER);
    box_end(&u.box);
}

static void check_extra_buttons(void) {
    user_begin_tuned(&u, 6, 20, 4);
    about("the fifth button opens and closes it, the sixth keeps");
    user_press(&u, 4, 50);
    CHECK(yt_menu_is_open(&u.menu));
    user_press(&u, 4, 50);
    CHECK(!yt_menu_is_open(&u.menu));
    user_press(&u, 4, 50);
    user_choose(&u, "tune");
    user_do(&u, YT_MENU_CHOOSE);
    user_do(&u, YT_MENU_UP);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 600000);
    user_press(&u, 5, 50);
    user_wait(&u, 500);
    user_plug_in(&u, 6, 20, 4);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 600000);
    box_end(&u.box);
}

static void check_parts(void) {
    user_begin(&u);
    user_plug_in(&u, 4, 16, 2);
    static const struct {
        unsigned columns, lines, buttons, counts;
        bool good;
    } all[] = {{8, 1, 2, 0, true},   {40, 16, 6, 3, true}, {7, 1, 2, 0, false},
               {41, 1, 2, 0, false}, {16, 0, 4, 0, false}, {16, 17, 4, 0, false},
               {16, 2, 7, 0, false}, {0, 0, 1, 0, false},  {0, 0, 1, 1, true},
               {16, 2, 0, 0, true},  {16, 2, 4, 4, false}};
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++) {
        yt_menu_parts parts = u.parts;
        yt_menu menu;
        parts.columns = (uint8_t)all[i].columns;
        parts.lines = (uint8_t)all[i].lines;
        parts.buttons = (uint8_t)all[i].buttons;
        parts.counts = (uint8_t)all[i].counts;
        about("parts %u", (unsigned)i);
        CHECK_EQUAL(yt_menu_init(&menu, &parts), all[i].good ? YT_OK : YT_ARGUMENT);
    }
    for (unsigned i = 0; i < 5; i++) {
        static const char *const letters[] = {" ab", NULL, "", "ab", " ab"};
        yt_menu_parts parts = u.parts;
        yt_menu_texts texts = yt_menu_english;
        yt_menu menu;
        texts.letters = letters[i];
        if (i == 4)
            texts.wide[YT_MENU_TEXT_COUNT - 1] = NULL;
        parts.texts = &texts;
        about("texts %u", i);
        CHECK_EQUAL(yt_menu_init(&menu, &parts), i == 0 ? YT_OK : YT_ARGUMENT);
        texts = yt_menu_english;
        texts.narrow[0] = i == 0 ? texts.narrow[0] : NULL;
        CHECK_EQUAL(yt_menu_init(&menu, &parts), i == 0 ? YT_OK : YT_ARGUMENT);
        about("without a display nobody reads them");
        parts.columns = 0;
        parts.counts = YT_PULSE_LIGHT;
        CHECK_EQUAL(yt_menu_init(&menu, &parts), YT_OK);
    }
    box_end(&u.box);
}

/* ---- the ways of its buttons ---- */

/* A parameter is tuned and kept by buttons alone. */
static void check_four_buttons(void) {
    user_begin_tuned(&u, 4, 16, 2);
    about("four buttons");
    user_open(&u);
    CHECK_TEXT(u.lines[0], ">slots          ");
    CHECK_TEXT(u.lines[1], " tune           ");
    yt_menu_button(&u.menu, 1, true, u.now_us); /* at once, not when it is let go */
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[0], " slots          ");
    yt_menu_button(&u.menu, 1, false, u.now_us);
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[1], ">tune           ");
    user_press(&u, 2, 50);
    CHECK_TEXT(user_line(&u, 0), "after 500 ms");
    user_press(&u, 2, 50);
    CHECK_TEXT(u.lines[0], "after           ");
    CHECK_TEXT(u.lines[1], "500 ms          ");
    user_press(&u, 0, 50);
    CHECK_TEXT(u.lines[1], "600 ms          ");
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 600000);
    about("held it goes on, and stops at its end");
    user_press(&u, 0, 3000);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 900000);
    user_press(&u, 1, 50);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 800000);
    about("it asks before it is left");
    uint64_t before = u.box.flash.operations;
    user_press(&u, 3, 50);
    user_press(&u, 3, 50);
    user_press(&u, 3, 50);
    CHECK_TEXT(user_line(&u, 0), "keep changes");
    CHECK_TEXT(user_line(&u, 1), "drop changes");
    user_press(&u, 3, 50);
    CHECK(yt_menu_is_open(&u.menu));
    user_press(&u, 3, 50);
    CHECK_EQUAL(u.box.flash.operations, before);
    user_press(&u, 2, 50);
    user_wait(&u, 500);
    CHECK(!yt_menu_is_open(&u.menu));
    user_plug_in(&u, 4, 16, 2);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), 800000);
    box_end(&u.box);
}

static void check_few_buttons(unsigned buttons) {
    user_begin_tuned(&u, buttons, 8, 1);
    about("%u buttons, one line of eight", buttons);
    user_open(&u);
    CHECK_TEXT(u.lines[0], ">slots  ");
    if (buttons == 2) {
        user_press(&u, 0, 50);
        CHECK_TEXT(user_row(&u), "tune");
        user_press(&u, 0, 600); /* held: up */
        CHECK_TEXT(user_row(&u), "slots");
        user_press(&u, 0, 50);
    } else {
        user_wait(&u, 1300);
    }
    CHECK_TEXT(user_row(&u), "tune");
    user_press(&u, buttons - 1, 50);
    CHECK(strncmp(user_row(&u), "after 5", 7) == 0);
    user_press(&u, buttons - 1, 50);
    CHECK_TEXT(u.lines[0], "500 ms  ");
    for (unsigned i = 0; i < 4; i++)
        user_press(&u, 0, 50);
    CHECK_TEXT(u.lines[0], "900 ms  ");
    about("%u buttons: behind the end comes the beginning", buttons);
    user_press(&u, 0, 50);
    CHECK_TEXT(u.lines[0], "100 ms  ");
    if (buttons == 2)
        user_press(&u, 0, 550); /* held: down */
    CHECK_TEXT(u.lines[0], buttons == 2 ? "900 ms  " : "100 ms  ");
    user_press(&u, buttons - 1, 600); /* held: back */
    user_press(&u, buttons - 1, 600);
    user_press(&u, buttons - 1, 600);
    CHECK_TEXT(user_row(&u), "keep");
    user_press(&u, buttons - 1, 50);
    user_wait(&u, 500);
    CHECK(!yt_menu_is_open(&u.menu));
    user_plug_in(&u, buttons, 8, 1);
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0), buttons == 2 ? 900000 : 100000);
    box_end(&u.box);
}

static void check_three_buttons(void) {
    user_begin_tuned(&u, 3, 20, 4);
    about("three buttons: the third chooses, or goes back where it is held");
    user_open(&u);
    user_press(&u, 1, 50);
    user_press(&u, 2, 50);
    user_press(&u, 2, 50);
    CHECK_TEXT(u.lines[1], "500 ms              ");
    user_press(&u, 1, 50);
    CHECK_TEXT(u.lines[1], "400 ms              ");
    user_press(&u, 2, 600);
    CHECK_TEXT(user_row(&u), "after 400 ms");
    box_end(&u.box);
}

/* Each time that can be set, twice as long and half as long as another one. */
static void check_times(uint32_t unit_us) {
    unsigned ms = unit_us / 1000;
    user_begin_tuned(&u, 2, 16, 4);
    u.parts.open_us = 8 * unit_us;
    u.parts.long_us = 4 * unit_us;
    u.parts.repeat_us = unit_us;
    u.parts.close_us = 100 * unit_us;
    CHECK_EQUAL(yt_menu_init(&u.menu, &u.parts), YT_OK);
    about("a unit of %u ms: to open it", ms);
    yt_menu_button(&u.menu, 0, true, u.now_us);
    yt_menu_button(&u.menu, 1, true, u.now_us);
    user_wait(&u, 8 * ms - 20);
    CHECK(!yt_menu_is_open(&u.menu));
    user_wait(&u, 40);
    CHECK(yt_menu_is_open(&u.menu));
    yt_menu_button(&u.menu, 0, false, u.now_us);
    yt_menu_button(&u.menu, 1, false, u.now_us);
    about("a unit of %u ms: held or not", ms);
    user_press(&u, 0, 4 * ms - 40);
    CHECK_TEXT(user_row(&u), "tune");
    user_press(&u, 0, 4 * ms + 20);
    CHECK_TEXT(user_row(&u), "slots");
    about("a unit of %u ms: again and again", ms);
    user_press(&u, 0, 50);
    user_press(&u, 1, 50);
    user_press(&u, 1, 50);
    CHECK_TEXT(user_line(&u, 1), "500 ms");
    user_press(&u, 0, 4 * ms + 20); /* up is down here: of two buttons, held is the other way */
    CHECK_TEXT(user_line(&u, 1), "400 ms");
    user_press(&u, 0, 6 * ms + 20);
    CHECK_TEXT(user_line(&u, 1), "100 ms");
    about("a unit of %u ms: left alone it closes", ms);
    for (unsigned i = 0; i < 2; i++)
        user_press(&u, 1, 4 * ms + 20);
    CHECK_TEXT(user_row(&u), "tune");
    user_wait(&u, 100 * ms - 100);
    CHECK(yt_menu_is_open(&u.menu));
    user_wait(&u, 200);
    CHECK(!yt_menu_is_open(&u.menu));
    about("a unit of %u ms: with one button, to the next row", ms);
    user_plug_in(&u, 1, 16, 4);
    u.parts.scan_us = 10 * unit_us;
    CHECK_EQUAL(yt_menu_init(&u.menu, &u.parts), YT_OK);
    user_open(&u);
    user_wait(&u, 10 * ms - 60);
    CHECK_TEXT(user_row(&u), "slots");
    user_wait(&u, 80);
    CHECK_TEXT(user_row(&u), "tune");
    box_end(&u.box);
}

/* ---- one light, no display ---- */

static void check_light(void) {
    user_begin(&u);
    user_plug_in(&u, 2, 0, 0);
    about("the light tells a row's number");
    yt_menu_open(&u.menu, u.now_us);
    user_wait(&u, 3000);
    unsigned before = u.box.lights;
    user_press(&u, 0, 50);
    user_press(&u, 0, 50);
    user_wait(&u, 3000);
    CHECK(u.box.lights - before >= 6);
    CHECK_EQUAL(u.box.light_percent, 50);
    about("no row tells more than it has");
    before = u.box.lights;
    user_wait(&u, 5000);
    CHECK_EQUAL(u.box.lights, before);
    about("the third is unlock");
    CHECK(yt_adapter_is_locked(&u.box.adapter));
    user_press(&u, 1, 50);
    CHECK(!yt_adapter_is_locked(&u.box.adapter));
    about("the first are the slots, of which the second is gone to");
    user_press(&u, 0, 600);
    user_press(&u, 0, 600);
    user_press(&u, 1, 50);
    user_press(&u, 0, 50);
    user_press(&u, 1, 50);
    user_wait(&u, 100);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    about("the fourth is the tester: a pulse for each press");
    user_wait(&u, 5000);
    for (unsigned i = 0; i < 3; i++)
        user_press(&u, 0, 50);
    user_press(&u, 1, 50);
    user_wait(&u, 5000);
    before = u.box.lights;
    user_keys(&u, KEY_A, 0);
    user_wait(&u, 2000);
    CHECK_EQUAL(u.box.lights - before, 3);
    user_keys(&u, 0, 0);
    user_wait(&u, 2000);
    CHECK_EQUAL(u.box.lights - before, 3);
    user_keys(&u, KEY_B, KEY_A);
    user_wait(&u, 2000);
    CHECK_EQUAL(u.box.lights - before, 3 + 3);
    box_end(&u.box);
}

/* A pad with buttons, and a vendor page of two motors in report 5. */
static const uint8_t rumbling[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x01, 0x05, 0x09, 0x19,
                                   0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08,
                                   0x81, 0x02, 0x85, 0x05, 0x06, 0x00, 0xff, 0x09, 0x01, 0x09, 0x02,
                                   0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x02, 0x91, 0x02, 0xc0};

/* How often the motors began while time went by. */
static unsigned feel(unsigned ms) {
    unsigned pulses = 0, strong = 0;
    for (unsigned i = 0; i < ms; i += 10) {
        uint8_t bytes[8];
        yt_device_output output;
        user_wait(&u, 10);
        while (yt_device_report(&u.box.engine, u.box.keyboard, bytes, sizeof bytes, &output) ==
                   YT_OK &&
               output.length == 3) {
            pulses += bytes[1] > 0 && strong == 0;
            strong = bytes[1];
        }
    }
    return pulses;
}

static void check_rumble(void) {
    user_begin(&u);
    u.box.descriptor = rumbling;
    u.box.descriptor_size = sizeof rumbling;
    box_write(&u.box, 0,
              "inputs: {hand: gamepad}\noutputs: {pad: gamepad}\nsheet:\n  pad.south: hand.south\n"
              "  hand.rumble.strong: pad.rumble.strong\n  hand.rumble.weak: pad.rumble.weak\n");
    user_plug_in(&u, 4, 16, 2);
    u.parts.counts = YT_PULSE_MOTORS;
    CHECK_EQUAL(yt_menu_init(&u.menu, &u.parts), YT_OK);
    about("with a display, motors count the rows as well");
    feel(3000);
    user_open(&u);
    feel(3000);
    for (unsigned row = 2; row <= 3; row++) {
        yt_menu_take(&u.menu, YT_MENU_DOWN, u.now_us);
        CHECK_EQUAL(feel(4000), row);
    }
    about("two motors can be set");
    user_choose(&u, "adapter");
    user_choose(&u, "motor 2");
    user_do(&u, YT_MENU_DOWN);
    CHECK_TEXT(user_line(&u, 1), "90%");
    CHECK_EQUAL(u.box.engine.motor_percent[1], 90);
    user_do(&u, YT_MENU_BACK);
    CHECK_EQUAL(strncmp(user_line(&u, 0), "motor 1", 7), 0);
    box_end(&u.box);
}

/* ---- texts ---- */

static unsigned letters(const char *text) {
    unsigned count = 0;
    for (; *text; text++)
        count += ((uint8_t)*text & 0xc0) != 0x80;
    return count;
}

static void check_texts(const yt_menu_texts *texts) {
    static const struct {
        unsigned first, last;
    } lists[] = {{YT_MENU_SLOTS, YT_MENU_CLOSE},     {YT_MENU_GO, YT_MENU_ERASE},
                 {YT_MENU_NO, YT_MENU_REALLY},       {YT_MENU_BRIGHTNESS, YT_MENU_FAILURES},
                 {YT_MENU_NOTHING, YT_MENU_FORMULA}, {YT_MENU_INSTEAD, YT_MENU_AS_WRITTEN},
                 {YT_MENU_ENOUGH, YT_MENU_ABSURD}};
    for (unsigned i = 0; i < YT_MENU_TEXT_COUNT; i++) {
        about("text %u: \"%s\" and \"%s\"", i, texts->narrow[i], texts->wide[i]);
        CHECK(letters(texts->narrow[i]) >= 1 && letters(texts->narrow[i]) <= YT_MENU_NARROW);
        CHECK(letters(texts->wide[i]) >= 1 && letters(texts->wide[i]) <= YT_MENU_WIDE);
    }
    for (size_t k = 0; k < sizeof lists / sizeof lists[0]; k++)
        for (unsigned i = lists[k].first; i <= lists[k].last; i++)
            for (unsigned j = i + 1; j <= lists[k].last; j++) {
                about("in one list: \"%s\" and \"%s\"", texts->wide[i], texts->wide[j]);
                CHECK(strcmp(texts->narrow[i], texts->narrow[j]) != 0);
                CHECK(strcmp(texts->wide[i], texts->wide[j]) != 0);
            }
    CHECK_EQUAL(texts->letters[0], ' ');
}

/* Every row of every width: as many letters as there are columns; a longer one is seen whole as
 * time goes by. */
static void check_widths(void) {
    for (unsigned columns = 8; columns <= YT_MENU_COLUMNS; columns++) {
        user_begin(&u);
        CHECK_EQUAL(yt_store_rename(&u.box.store, 0, "abcdefghijklmnopqrstuvwxyz012345"), YT_OK);
        user_plug_in(&u, 4, columns, 2);
        user_open(&u);
        user_choose(&u, "slots");
        bool has_begin = false, has_end = false;
        for (unsigned i = 0; i < 150; i++) {
            user_wait(&u, 100);
            about("%u columns: \"%s\"", columns, u.lines[0]);
            CHECK_EQUAL(letters(u.lines[0]), columns);
            CHECK_EQUAL(letters(u.lines[1]), columns);
            has_begin |= strncmp(u.lines[0], ">1*abc", 6) == 0;
            has_end |= strstr(u.lines[0], "2345") != NULL;
        }
        CHECK(has_begin && has_end);
        box_end(&u.box);
    }
}

int main(void) {
    for (unsigned buttons = 1; buttons <= 6; buttons++)
        check_opening(buttons);
    check_extra_buttons();
    check_parts();
    check_four_buttons();
    check_few_buttons(1);
    check_few_buttons(2);
    check_three_buttons();
    check_times(30000);
    check_times(400000);
    check_light();
    check_rumble();
    check_texts(&yt_menu_english);
    check_widths();
    return report_checks();
}
