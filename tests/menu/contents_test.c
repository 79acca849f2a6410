/* What is in the menu: slots, names, tuning, settings, locks, the tester; what it says, what it
 * does, and that it keeps nothing before somebody said so. */
#include "tests/menu/user.h"

static user u;

/* ---- slots ---- */

static void check_slots(void) {
    yt_slot info;
    user_begin(&u);
    user_plug_in(&u, 4, 20, 4);
    user_open(&u);
    user_choose(&u, "slots");
    about("slots are listed");
    CHECK_TEXT(user_line(&u, 0), "1*made up");
    CHECK_TEXT(user_line(&u, 1), "2 made up");
    CHECK_TEXT(user_line(&u, 3), "4 empty");
    about("one is gone to");
    user_choose(&u, "2 ");
    user_choose(&u, "go to it");
    CHECK_TEXT(user_row(&u), "done");
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    CHECK_TEXT(box_button(&u.box, u.now_us), "02");
    user_wait(&u, 3000);
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    about("renamed, letter by letter");
    user_open(&u);
    user_choose(&u, "slots");
    user_choose(&u, "2*");
    user_choose(&u, "rename");
    CHECK_TEXT(u.lines[0], "[m]ade up           ");
    user_do(&u, YT_MENU_UP);
    CHECK_TEXT(u.lines[0], "[n]ade up           ");
    for (unsigned i = 0; i < 4; i++)
        user_do(&u, YT_MENU_CHOOSE);
    CHECK_TEXT(u.lines[0], "nade[ ]up           ");
    user_do(&u, YT_MENU_DOWN);
    CHECK_TEXT(u.lines[0], "nade[-]up           ");
    uint64_t before = u.box.flash.operations;
    user_do(&u, YT_MENU_BACK);
    CHECK_TEXT(user_row(&u), "no");
    CHECK_EQUAL(u.box.flash.operations, before);
    user_choose(&u, "keep");
    CHECK_EQUAL(yt_store_slot(&u.box.store, 1, &info), YT_OK);
    CHECK_TEXT(info.name, "nade-up");
    about("copied, where it is empty and where it is not");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "slots");
    user_choose(&u, "2*");
    user_choose(&u, "copy to");
    user_choose(&u, "5 ");
    user_wait(&u, 2000);
    CHECK_TEXT(user_row(&u), "done");
    CHECK_EQUAL(yt_store_slot(&u.box.store, 4, &info), YT_OK);
    CHECK_TEXT(info.name, "nade-up");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "slots");
    user_choose(&u, "2*");
    user_choose(&u, "copy to");
    before = u.box.flash.operations;
    user_choose(&u, "3 ");
    CHECK_TEXT(user_row(&u), "no");
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.box.flash.operations, before);
    user_choose(&u, "3 ");
    user_choose(&u, "copy to");
    user_wait(&u, 2000);
    CHECK_EQUAL(yt_store_slot(&u.box.store, 2, &info), YT_OK);
    CHECK_TEXT(info.name, "nade-up");
    about("erased, which is asked");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "slots");
    user_choose(&u, "5 ");
    before = u.box.flash.operations;
    user_choose(&u, "erase");
    CHECK_TEXT(user_row(&u), "no");
    CHECK_EQUAL(u.box.flash.operations, before);
    user_choose(&u, "erase");
    user_wait(&u, 1000);
    CHECK_EQUAL(yt_store_slot(&u.box.store, 4, &info), YT_SLOT_EMPTY);
    about("of an empty one nothing is offered");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "slots");
    user_choose(&u, "5 ");
    CHECK_TEXT(user_row(&u), "empty");
    CHECK_EQUAL(user_line(&u, 1)[0], 0);
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_TEXT(user_row(&u), "5 empty");
    box_end(&u.box);
}

/* A slot that there is no room for without an erase, which is not allowed. */
static void check_no_room(void) {
    static char text[6000];
    memset(text, 'x', sizeof text);
    user_begin(&u);
    for (unsigned slot = 1; slot < BOX_SLOTS - 1; slot++)
        CHECK_EQUAL(yt_store_write(&u.box.store, slot, "long", NULL, 0, text, sizeof text), YT_OK);
    user_plug_in(&u, 4, 20, 4);
    u.may_erase = false;
    user_open(&u);
    user_choose(&u, "slots");
    user_choose(&u, "2 ");
    user_choose(&u, "copy to");
    about("it waits ten seconds, and says so");
    user_choose(&u, "6 ");
    user_wait(&u, 500);
    CHECK_TEXT(user_line(&u, 0), "please wait");
    user_do(&u, YT_MENU_BACK);
    CHECK_TEXT(user_line(&u, 0), "please wait");
    user_wait(&u, 11000);
    CHECK_TEXT(user_row(&u), "no room");
    box_end(&u.box);
}

/* A name is put together anew, from every letter, to its full length. */
static void check_names(void) {
    yt_slot info;
    user_begin(&u);
    user_plug_in(&u, 4, 40, 1);
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "name");
    about("the adapter's name, as long as it can be");
    for (unsigned i = 0; i < 40; i++) {
        for (unsigned k = 0; k <= i % 7; k++)
            user_do(&u, YT_MENU_UP);
        user_do(&u, YT_MENU_CHOOSE);
    }
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep");
    user_wait(&u, 1000);
    char name[YT_SETTINGS_TEXT + 1];
    yt_adapter_name(&u.box.adapter, name);
    CHECK_EQUAL(strlen(name), 32);
    user_plug_in(&u, 4, 40, 1);
    char again[YT_SETTINGS_TEXT + 1];
    yt_adapter_name(&u.box.adapter, again);
    CHECK_TEXT(again, name);
    about("foreign names, and broken ones, do no harm");
    CHECK_EQUAL(yt_store_rename(&u.box.store, 0, "K\xc3\xa4i \x1b[2J\xff\xc2\x9b\xe6\x97\xa5"),
                YT_OK);
    user_open(&u);
    user_choose(&u, "slots");
    CHECK_TEXT(user_row(&u), "1*K\xc3\xa4i ?[2J???\xe6\x97\xa5");
    user_choose(&u, "1*");
    user_choose(&u, "rename");
    user_do(&u, YT_MENU_CHOOSE);
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep");
    user_wait(&u, 1000);
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    CHECK_EQUAL(strncmp(info.name, "K i ", 4), 0);
    about("a letter that is cut off at the end of a name is as many as it has bytes");
    static const char *const ends[] = {"\xc3", "\xe6", "\xe6\x97", "\xf0\x9f\x8e"};
    for (size_t i = 0; i < sizeof ends / sizeof ends[0]; i++) {
        char longest[YT_STORE_NAME + 1] = {0}, shown[YT_STORE_NAME + 3] = {0};
        unsigned bytes = (unsigned)strlen(ends[i]);
        memset(longest, 'x', YT_STORE_NAME - bytes);
        strcat(longest, ends[i]);
        CHECK_EQUAL(yt_store_rename(&u.box.store, 0, longest), YT_OK);
        yt_menu_close(&u.menu);
        user_open(&u);
        user_choose(&u, "slots");
        user_choose(&u, "1*");
        user_choose(&u, "rename");
        for (unsigned k = 1; k < YT_STORE_NAME; k++)
            user_do(&u, YT_MENU_CHOOSE);
        memset(shown, 'x', YT_STORE_NAME - bytes);
        strcat(shown, bytes == 1 ? "[?]" : bytes == 2 ? "?[?]" : "??[?]");
        CHECK_EQUAL(strncmp(u.lines[0], shown, strlen(shown)), 0);
        user_do(&u, YT_MENU_DOWN);
        user_do(&u, YT_MENU_CHOOSE); /* behind the last letter comes the first one */
        CHECK_EQUAL(strncmp(u.lines[0], "[x]", 3), 0);
    }
    box_end(&u.box);
}

/* One button goes through the rows; waits for one that begins so, and chooses it. */
static void wait_for(const char *row) {
    for (unsigned i = 0; i < 300 && strncmp(user_row(&u), row, strlen(row)) != 0; i++)
        user_wait(&u, 50);
    CHECK_EQUAL(strncmp(user_row(&u), row, strlen(row)), 0);
    user_press(&u, 0, 50);
}

/* By one button: a press changes a letter, waiting goes to the next one. */
static void check_name_by_one_button(void) {
    yt_slot info;
    user_begin(&u);
    user_plug_in(&u, 1, 16, 1);
    user_press(&u, 0, 900);
    about("a slot is renamed by one button");
    wait_for("slots");
    wait_for("1*");
    wait_for("rename");
    CHECK_TEXT(u.lines[0], "[m]ade up       ");
    user_press(&u, 0, 50);
    user_press(&u, 0, 50);
    CHECK_TEXT(u.lines[0], "[o]ade up       ");
    user_wait(&u, 1300);
    CHECK_TEXT(u.lines[0], "o[a]de up       ");
    user_press(&u, 0, 50);
    CHECK_TEXT(u.lines[0], "o[b]de up       ");
    user_press(&u, 0, 600);
    wait_for("keep");
    user_wait(&u, 1000);
    CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
    CHECK_TEXT(info.name, "obde up");
    box_end(&u.box);
}

/* ---- tuning ---- */

static void check_tuning(void) {
    user_begin_tuned(&u, 4, 20, 4);
    user_open(&u);
    user_choose(&u, "tune");
    about("a parameter without a step, felt at once");
    user_choose(&u, "part");
    CHECK_TEXT(user_line(&u, 1), "50%");
    user_do(&u, YT_MENU_UP);
    CHECK_TEXT(user_line(&u, 1), "51%");
    user_do(&u, YT_MENU_BACK);
    about("dropped");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "drop changes");
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK_EQUAL(yt_engine_parameter(&u.box.engine, 1), YT_ONE / 2);
    about("closed by itself: it counts, is not kept, and is asked about the next time");
    user_open(&u);
    user_choose(&u, "tune");
    user_choose(&u, "part");
    user_do(&u, YT_MENU_UP);
    uint64_t before = u.box.flash.operations;
    user_wait(&u, 310000);
    CHECK(!yt_menu_is_open(&u.menu));
    CHECK(yt_engine_parameter(&u.box.engine, 1) != YT_ONE / 2);
    CHECK_EQUAL(u.box.flash.operations, before);
    user_open(&u);
    CHECK_TEXT(user_row(&u), "keep changes");
    about("another slot: asked first");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "slots");
    user_choose(&u, "2 ");
    user_choose(&u, "go to it");
    CHECK_TEXT(user_row(&u), "keep changes");
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 0);
    user_do(&u, YT_MENU_CHOOSE);
    user_wait(&u, 1000);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    CHECK(yt_engine_parameter(&u.box.engine, 1) != YT_ONE / 2);
    about("the slot is changed by something else: the menu begins anew");
    user_wait(&u, 100);
    user_choose(&u, "tune");
    user_choose(&u, "part");
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 2, u.now_us), YT_OK);
    user_wait(&u, 100);
    CHECK_TEXT(user_line(&u, 0), "slots");
    for (unsigned i = 0; i < 20; i++)
        user_do(&u, YT_MENU_CHOOSE);
    about("so it does where that took no time, and the slot is the same");
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    yt_menu_open(&u.menu, u.now_us);
    while (strncmp(user_row(&u), "tune", 4) != 0) {
        yt_menu_take(&u.menu, YT_MENU_DOWN, u.now_us);
        yt_menu_line(&u.menu, 0, u.lines[0]);
        yt_menu_line(&u.menu, 1, u.lines[1]);
    }
    yt_menu_take(&u.menu, YT_MENU_CHOOSE, u.now_us);
    yt_menu_take(&u.menu, YT_MENU_CHOOSE, u.now_us);
    yt_menu_take(&u.menu, YT_MENU_UP, u.now_us);
    box_write(&u.box, 0, USER_TUNED "  pad.east: keys.c\n");
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    user_wait(&u, 100);
    user_do(&u, YT_MENU_BACK);
    CHECK(!yt_menu_is_open(&u.menu)); /* nothing that would be asked about */
    box_write(&u.box, 0, USER_TUNED);
    about("what is kept twice is kept once");
    for (unsigned i = 0; i < 2; i++) {
        user_plug_in(&u, 4, 20, 4);
        CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
        user_open(&u);
        user_choose(&u, "tune");
        user_choose(&u, "part");
        user_do(&u, YT_MENU_UP);
        user_do(&u, YT_MENU_BACK);
        user_do(&u, YT_MENU_BACK);
        user_choose(&u, "keep changes");
        user_wait(&u, 500);
        yt_slot info;
        CHECK_EQUAL(yt_store_slot(&u.box.store, 0, &info), YT_OK);
        CHECK_EQUAL(info.kept_bytes, 5);
    }
    about("a slot that keeps no parameters");
    box_set(&u.box, YT_SETTING_KEEPS, 0, 0);
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_go(&u.box.adapter, 0, u.now_us), YT_OK);
    user_open(&u);
    user_choose(&u, "tune");
    user_choose(&u, "after");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 500);
    CHECK_TEXT(user_row(&u), "refused");
    box_end(&u.box);
}

/* Thirteen parameters: a slot keeps twelve. */
static void check_many_parameters(void) {
    static char text[4096];
    size_t at = (size_t)snprintf(text, sizeof text,
                                 "inputs: {keys: keyboard}\noutputs: {pad: "
                                 "gamepad}\nparameters:\n");
    for (unsigned i = 0; i < 13; i++)
        at += (size_t)snprintf(text + at, sizeof text - at,
                               "  p%u: {value: 0.5, min: 0, max: 1, step: 0.1}\n", i);
    at +=
        (size_t)snprintf(text + at, sizeof text - at, "sheet:\n  pad.left_trigger: if(keys.a, p0");
    for (unsigned i = 1; i < 13; i++)
        at += (size_t)snprintf(text + at, sizeof text - at, " * p%u", i);
    snprintf(text + at, sizeof text - at, ", 0%%)\n");
    user_begin(&u);
    box_write(&u.box, 0, text);
    user_plug_in(&u, 4, 20, 4);
    user_open(&u);
    user_choose(&u, "tune");
    for (unsigned i = 0; i < 13; i++) {
        user_do(&u, YT_MENU_CHOOSE);
        user_do(&u, YT_MENU_UP);
        user_do(&u, YT_MENU_BACK);
        user_do(&u, YT_MENU_DOWN);
    }
    about("thirteen parameters do not fit");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    user_wait(&u, 500);
    CHECK_TEXT(user_row(&u), "no room");
    box_end(&u.box);
}

/* ---- the adapter ---- */

static void check_settings(void) {
    user_begin(&u);
    box_write(&u.box, 0,
              "inputs: {keys: keyboard}\noutputs: {view: mouse}\nsheet:\n  view.button1: keys.a\n");
    user_plug_in(&u, 4, 20, 4);
    user_open(&u);
    user_choose(&u, "adapter");
    about("a light, at once");
    user_choose(&u, "brightness");
    CHECK_TEXT(user_line(&u, 1), "50%");
    user_do(&u, YT_MENU_UP);
    CHECK_TEXT(user_line(&u, 1), "60%");
    CHECK_EQUAL(u.box.light_percent, 60);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "changes are for");
    CHECK_TEXT(user_line(&u, 1), "who presses");
    user_do(&u, YT_MENU_DOWN);
    CHECK_TEXT(user_line(&u, 1), "anybody");
    CHECK(!yt_adapter_is_locked(&u.box.adapter));
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "starting slot");
    CHECK_TEXT(user_line(&u, 1), "the last one");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_UP);
    CHECK_TEXT(user_line(&u, 1), "2");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keeps tuning");
    CHECK_TEXT(user_line(&u, 1), "yes");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    about("dropped: all of it is as it was, and is shown");
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "drop changes");
    CHECK_EQUAL(u.box.light_percent, 50);
    CHECK(yt_adapter_is_locked(&u.box.adapter));
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "brightness");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "changes are for");
    user_do(&u, YT_MENU_DOWN);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "starting slot");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    about("none of it is kept before it is said");
    uint64_t before = u.box.flash.operations;
    user_wait(&u, 3000);
    CHECK_EQUAL(u.box.flash.operations, before);
    user_choose(&u, "keep changes");
    user_wait(&u, 500);
    user_plug_in(&u, 4, 20, 4);
    CHECK_EQUAL(yt_adapter_setting(&u.box.adapter, YT_SETTING_BRIGHTNESS, 0), 60);
    CHECK_EQUAL(yt_adapter_slot(&u.box.adapter), 1);
    CHECK_EQUAL(yt_adapter_setting(&u.box.adapter, YT_SETTING_LOCK, 0), YT_LOCK_OPEN);
    about("a restart would lose what was changed: it is asked about first");
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "starting slot");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "restart");
    user_choose(&u, "restart");
    CHECK_TEXT(user_row(&u), "keep changes");
    user_choose(&u, "drop changes");
    CHECK_EQUAL(u.restarts, -1);
    yt_menu_close(&u.menu);
    about("so would a new name, which is set by itself");
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "starting slot");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "name");
    CHECK_TEXT(user_row(&u), "keep changes");
    user_choose(&u, "drop changes");
    user_choose(&u, "adapter");
    user_choose(&u, "name");
    CHECK_TEXT(user_row(&u), "[ ]");
    yt_menu_close(&u.menu);
    about("factory reset is asked twice");
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "restart");
    user_choose(&u, "factory reset");
    user_choose(&u, "factory reset");
    CHECK_TEXT(user_row(&u), "no");
    CHECK_EQUAL(yt_adapter_setting(&u.box.adapter, YT_SETTING_LOCK, 0), YT_LOCK_OPEN);
    user_choose(&u, "really");
    user_wait(&u, 500);
    CHECK_EQUAL(yt_adapter_setting(&u.box.adapter, YT_SETTING_LOCK, 0), YT_LOCK_PRESS);
    about("restart, setup mode, bootloader");
    static const char *const ways[] = {"restart", "setup mode", "bootloader"};
    for (int i = 0; i < 3; i++) {
        user_plug_in(&u, 4, 20, 4);
        user_open(&u);
        user_choose(&u, "adapter");
        user_choose(&u, "restart");
        user_choose(&u, ways[i]);
        CHECK_EQUAL(u.restarts, -1);
        user_choose(&u, ways[i]);
        CHECK_EQUAL(u.restarts, i);
        CHECK(!yt_menu_is_open(&u.menu));
    }
    box_end(&u.box);
}

static void check_locks(void) {
    user_begin(&u);
    user_plug_in(&u, 4, 20, 4);
    user_open(&u);
    about("hosts are unlocked, and locked again");
    CHECK(yt_adapter_is_locked(&u.box.adapter));
    user_choose(&u, "unlock hosts");
    CHECK(!yt_adapter_is_locked(&u.box.adapter));
    user_choose(&u, "lock hosts");
    CHECK(yt_adapter_is_locked(&u.box.adapter));
    about("an event's lock is on: what is kept stays");
    box_set(&u.box, YT_SETTING_EVENT, 0, 1);
    user_plug_in(&u, 4, 20, 4);
    user_wait(&u, 3000);
    uint64_t before = u.box.flash.operations;
    user_open(&u);
    user_choose(&u, "slots");
    user_choose(&u, "2 ");
    user_choose(&u, "erase");
    user_choose(&u, "erase");
    CHECK_TEXT(user_row(&u), "locked");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "copy to");
    user_choose(&u, "5 ");
    CHECK_TEXT(user_row(&u), "locked");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "rename");
    CHECK_TEXT(user_row(&u), "locked");
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "adapter");
    user_choose(&u, "brightness");
    user_do(&u, YT_MENU_UP);
    user_do(&u, YT_MENU_BACK);
    user_do(&u, YT_MENU_BACK);
    user_choose(&u, "keep changes");
    CHECK_TEXT(user_row(&u), "locked");
    user_wait(&u, 3000);
    CHECK_EQUAL(u.box.flash.operations, before);
    box_end(&u.box);
}

/* A host waits for a press: its number is shown, and the person says whether it is the one. */
static void check_press(void) {
    user_begin(&u);
    u.has_link = true;
    u.presses = 0;
    user_plug_in(&u, 4, 8, 2);
    user_open(&u);
    about("nobody waits: nothing of it is offered");
    for (unsigned i = 0; i < 10; i++) {
        CHECK(strncmp(user_row(&u), "unlock", 6) != 0);
        user_do(&u, YT_MENU_DOWN);
    }
    yt_menu_close(&u.menu);
    about("somebody does: the menu opens and asks");
    yt_menu_wants_press(&u.menu, 4711, u.now_us);
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[0], ">4711 no");
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.presses, 0);
    about("asked for again in the menu");
    user_choose(&u, "unlock");
    user_do(&u, YT_MENU_DOWN);
    CHECK_TEXT(u.lines[1], ">4711 ye");
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.presses, 1);
    about("another host comes while a person is about to let the one in: it is asked anew");
    yt_menu_wants_press(&u.menu, 4711, u.now_us);
    user_do(&u, YT_MENU_DOWN);
    CHECK_TEXT(u.lines[1], ">4711 ye");
    yt_menu_wants_press(&u.menu, 4711, u.now_us); /* the same says so again */
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[1], ">4711 ye");
    yt_menu_wants_press(&u.menu, 9001, u.now_us);
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[0], ">9001 no");
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.presses, 1);
    about("it went away: the question goes, too");
    yt_menu_wants_press(&u.menu, 1234, u.now_us);
    user_wait(&u, 20);
    CHECK_TEXT(u.lines[0], ">1234 no");
    yt_menu_wants_press(&u.menu, 0, u.now_us);
    user_wait(&u, 20);
    CHECK(strncmp(u.lines[0] + 1, "1234", 4) != 0);
    user_do(&u, YT_MENU_CHOOSE);
    CHECK_EQUAL(u.presses, 1);
    u.has_link = false;
    box_end(&u.box);
}

static void check_about(void) {
    user_begin(&u);
    user_plug_in(&u, 4, 20, 16);
    user_open(&u);
    user_choose(&u, "adapter");
    user_choose(&u, "about");
    about("what it is");
    CHECK_TEXT(user_line(&u, 1), "firmware crane 3");
    CHECK_TEXT(user_line(&u, 2), "library 0.1.0");
    CHECK_TEXT(user_line(&u, 3), "devices 1");
    CHECK_TEXT(user_line(&u, 4), "lost presses 0");
    CHECK_TEXT(user_line(&u, 7), "flash failures 0");
    box_end(&u.box);
}

/* ---- tester ---- */

static void check_tester(void) {
    user_begin_tuned(&u, 4, 20, 4);
    user_open(&u);
    user_choose(&u, "tester");
    about("nothing, then two keys, then how many reports");
    CHECK_TEXT(user_line(&u, 0), "nothing pressed");
    user_keys(&u, KEY_A, KEY_B);
    user_wait(&u, 200);
    CHECK_TEXT(user_line(&u, 0), "keys.a+keys.b");
    for (unsigned i = 0; i < 100; i++)
        user_keys(&u, i % 2 ? KEY_A : 0, 0);
    CHECK(atoi(user_line(&u, 1)) >= 45 && atoi(user_line(&u, 1)) <= 52);
    about("no slot runs");
    user_do(&u, YT_MENU_BACK);
    CHECK_TEXT(user_row(&u), "tester");
    box_end(&u.box);
}

int main(void) {
    check_slots();
    check_no_room();
    check_names();
    check_name_by_one_button();
    check_tuning();
    check_many_parameters();
    check_settings();
    check_locks();
    check_press();
    check_about();
    check_tester();
    return report_checks();
}
