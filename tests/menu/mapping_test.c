/* Rebinding by presses in the menu: what is pressed is gone to, what drives what is said, and what
 * is kept does what was chosen. */
#include "tests/menu/rebinding.h"

static void check_presses(void) {
    begin(PLAIN, true);
    user_open(&u);
    user_choose(&u, "mapping");
    about("the control that is pressed is gone to");
    CHECK_TEXT(user_row(&u), "keys.a > pad.south");
    user_keys(&u, D, 0);
    user_keys(&u, 0, 0);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "keys.d > pad.north");
    user_do(&u, YT_MENU_CHOOSE);
    about("and what it shall drive, by what drives it now");
    CHECK_TEXT(user_row(&u), "none");
    user_keys(&u, A, 0);
    user_keys(&u, 0, 0);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "pad.south #1/0");
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 200);
    CHECK_TEXT(user_row(&u), "pad.south #1/0: key");
    user_choose(&u, "swap the two");
    about("it counts when it is kept");
    CHECK_EQUAL(buttons_of(A, 0), SOUTH);
    uint64_t before = u.box.flash.operations;
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    CHECK_TEXT(user_row(&u), "keep changes");
    CHECK_EQUAL(u.box.flash.operations, before);
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 2000);
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK(u.box.flash.operations > before);
    CHECK_EQUAL(buttons_of(A, 0), NORTH);
    CHECK_EQUAL(buttons_of(D, 0), SOUTH);
    about("a formula is said in words, and is asked about");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    char words[200] = "";
    for (unsigned i = 0; i < 120; i++) {
        user_wait(&u, 100);
        snprintf(words + strlen(words), sizeof words - strlen(words), "%.1s",
                 user_line(&u, 0) + strlen(user_line(&u, 0)) - 1);
    }
    CHECK(strstr(words, "f") && strstr(words, "c"));
    user_choose(&u, "that too");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(A, 0), NORTH | EAST);
    CHECK_EQUAL(buttons_of(B, 0), 0);
    about("dropped: all is as it was");
    yt_menu_close(&u.menu);
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "none");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "drop changes");
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK_EQUAL(buttons_of(A, 0), NORTH | EAST);
    about("turned round and back: nothing was changed");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "none");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.south");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    CHECK(!yt_menu_is_open(&u.menu));
    about("instead: it lets go of what it drove");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.home");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(D, 0), HOME);
    yt_menu_close(&u.menu);
    about("as it was written");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    user_choose(&u, "as written");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 2000);
    CHECK_EQUAL(buttons_of(A, 0), NORTH);
    CHECK_EQUAL(buttons_of(C, 0), EAST);
    box_end(&u.box);
}

/* The pad of all its bytes: two of buttons, then x, y, and of the other stick, and the triggers. */
static void report_pad(unsigned buttons, uint8_t y, uint8_t trigger) {
    const uint8_t bytes[8] = {(uint8_t)buttons, 0, 128, y, 128, 128, trigger, 0};
    box_report(&u.box, bytes, sizeof bytes, u.now_us);
    user_wait(&u, 200);
}

/* What is held all the time, a throttle, hides nothing that is pressed beside it. */
static void check_held(void) {
    begin_pad(stick_written);
    report_pad(0, 128, 255);
    user_open(&u);
    user_choose(&u, "mapping");
    about("what was held before says nothing");
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0); /* the first one */
    user_do(&u, YT_MENU_DOWN);
    report_pad(0, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.right_stick", 16), 0);
    about("what is pressed beside it is gone to");
    report_pad(2, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.east", 9), 0);
    about("a second one, while the first is held");
    report_pad(3, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.south", 10), 0);
    about("and what is let go of is not");
    report_pad(2, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.south", 10), 0);
    about("a stick by its y alone, up and down");
    report_pad(0, 0, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0);
    user_do(&u, YT_MENU_DOWN);
    report_pad(0, 128, 255);
    report_pad(0, 255, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_stick", 15), 0);
    about("the throttle itself, once it was let go of");
    report_pad(0, 128, 0);
    report_pad(0, 128, 255);
    CHECK_EQUAL(strncmp(user_row(&u), "desk.left_trigger", 17), 0);
    box_end(&u.box);
}

/* A formula that is longer than it is followed says so. */
static void check_long_formula(void) {
    char text[1024] =
        HEAD LETS "parameters: {part: {value: 50%, min: 0%, max: 100%, step: 10%}}\nsheet:\n"
                  "  pad.south: keys.a\n  pad.east: if(keys.b, 100%, 0%)";
    for (unsigned i = 0; i < 100; i++)
        strcat(text, " * part");
    strcat(text, " > 50%\n");
    begin(text, true);
    user_plug_in(&u, 4, 40, 4);
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.a");
    user_choose(&u, "pad.east");
    about("a formula of more than a hundred instructions");
    CHECK_TEXT(user_line(&u, 0), "pad.east #2/1: formula of keys.b...");
    box_end(&u.box);
}

/* What was tuned is kept as well, whichever is kept first. */
static void check_tuned(void) {
    begin(HEAD LETS "parameters: {part: {value: 50%, min: 0%, max: 100%, step: 10%}}\nsheet:\n"
                    "  pad.south: keys.a\n  pad.left_trigger: if(keys.e, part, 0%)\n",
          true);
    for (unsigned round = 0; round < 2; round++) {
        user_open(&u);
        if (round == 0) {
            user_choose(&u, "tune");
            user_choose(&u, "part");
            user_do(&u, YT_MENU_UP);
            user_do(&u, YT_MENU_BACK);
            user_do(&u, YT_MENU_BACK);
        }
        user_choose(&u, "mapping");
        user_choose(&u, round == 0 ? "keys.b" : "keys.c");
        user_choose(&u, "pad.south");
        user_choose(&u, "instead");
        user_do(&u, YT_MENU_BACK);
        user_choose(&u, "keep changes");
        user_wait(&u, 2000);
        CHECK_TEXT(user_row(&u), "done");
        user_plug_in(&u, 4, 20, 4);
        about("round %u", round);
        CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 0),
                    YT_ONE / 2 + (YT_ONE + 5) / 10); /* a step more, rounded */
        CHECK_EQUAL(buttons_of(round == 0 ? B : C, 0), SOUTH);
    }
    box_end(&u.box);
}

/* The slot is changed by something else while it is being written anew: the old one stays whole. */
static void check_other_slot(void) {
    begin(PLAIN, true);
    box_write(&u.box, 1,
              HEAD "rebind: {pad: keys}\nsheet:\n  pad.west: turbo(keys.c, 10 Hz)\n"
                   "  pad.north: keys.d\n  pad.south: keys.b\n");
    user_open(&u);
    user_choose(&u, "mapping");
    user_choose(&u, "keys.d");
    user_choose(&u, "pad.south");
    user_choose(&u, "instead");
    user_do(&u, YT_MENU_BACK);
    for (unsigned i = 0; i < 20 && strncmp(user_row(&u), "keep", 4) != 0; i++)
        user_do(&u, YT_MENU_DOWN);
    yt_menu_take(&u.menu, YT_MENU_CHOOSE, u.now_us);
    CHECK(yt_menu_is_busy(&u.menu));
    for (unsigned i = 0; i < 3; i++)
        CHECK_EQUAL(yt_menu_work(&u.menu, u.now_us, 8, true), YT_OK);
    about("another slot is gone to in the middle of it");
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 1, u.now_us), YT_OK);
    user_wait(&u, 1000);
    CHECK(!yt_menu_is_busy(&u.menu));
    CHECK_TEXT(user_row(&u), "slots");
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    CHECK_EQUAL(buttons_of(B, 0), SOUTH);
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    CHECK_EQUAL(buttons_of(A, 0), SOUTH);
    CHECK_EQUAL(buttons_of(D, 0), NORTH);
    box_end(&u.box);
}

int main(void) {
    check_presses();
    check_held();
    check_long_formula();
    check_tuned();
    check_other_slot();
    return report_checks();
}
