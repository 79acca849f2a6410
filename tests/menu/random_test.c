/* A million presses (fewer where each access is looked at) that chance chooses, of all numbers of
 * buttons and sizes of displays: whatever is pressed, there is a way out, each line has its length,
 * and the flash is only written after somebody said so. */
#include "tests/menu/user.h"

static user u;

/* Something of all that the menu is about. */
#define PROFILE                                                                                    \
    "name: Winch\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"                             \
    "rebind: {pad: [keys.a, keys.b, keys.c]}\nparameters:\n"                                       \
    "  after: {value: 500 ms, min: 100 ms, max: 900 ms, step: 100 ms}\n"                           \
    "  a_name_that_no_line_has_room_for: {value: 0.5, min: 0, max: 1}\nsheet:\n"                   \
    "  pad.south: hold(keys.a, after=after)\n  pad.east: keys.b\n  pad.home: none\n"               \
    "  pad.left_trigger: if(keys.c, a_name_that_no_line_has_room_for, 0%)\n"                       \
    "  adapter.next_slot: keys.n\n"

/* What a person says who wants something kept: the rows that may lead to the flash. A slot that is
 * gone to is the one to start with from then on. */
static bool is_said(const char *row) {
    static const char *const words[] = {"keep", "copy", "erase", "really", "go", "no room"};
    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++)
        if (strncmp(row, words[i], strlen(words[i])) == 0)
            return true;
    return row[0] >= '1' && row[0] <= '9'; /* a slot, to copy to */
}

static void check_lines(void) {
    for (unsigned i = 0; i < u.parts.lines && yt_menu_is_open(&u.menu); i++) {
        char line[YT_MENU_LINE_BYTES];
        unsigned count = 0;
        memset(line, 'x', sizeof line);
        yt_menu_line(&u.menu, i, line);
        for (const char *at = line; *at; at++)
            count += ((uint8_t)*at & 0xc0) != 0x80;
        CHECK_EQUAL(count, u.parts.columns);
    }
}

/* From wherever it is: back, and back again, and what was changed is dropped. */
static void leave(void) {
    for (unsigned i = 0; i < 12 && yt_menu_is_open(&u.menu); i++) {
        if (strncmp(user_row(&u), "keep", 4) == 0 && strncmp(u.lines[0], ">keep", 5) == 0) {
            user_do(&u, YT_MENU_DOWN);
            user_do(&u, YT_MENU_CHOOSE);
        } else {
            user_do(&u, YT_MENU_BACK);
        }
    }
    CHECK(!yt_menu_is_open(&u.menu));
}

static void write_slots(void) {
    for (unsigned i = 0; i < 3; i++) {
        yt_slot info;
        if (yt_store_slot(&u.box.store, i, &info) != YT_OK)
            box_write(&u.box, i, i == 0 ? PROFILE : BOX_PLAY(1));
    }
}

/* In one turn of the loop. */
static void take(user *user, yt_menu_press press) {
    yt_menu_take(&user->menu, press, user->now_us);
    user_wait(user, 10);
}

static void press_at_random(dice *dice, bool by_buttons, bool *has_said) {
    if (yt_menu_is_open(&u.menu))
        *has_said |= is_said(user_row(&u)) || u.menu.job;
    if (roll_below(dice, 40) == 0)
        user_keys(&u, (uint8_t)(4 + roll_below(dice, 3)), 0);
    if (!by_buttons)
        take(&u, (yt_menu_press)roll_below(dice, YT_MENU_PRESSES));
    else {
        unsigned button = roll_below(dice, u.parts.buttons);
        *has_said |= button == 5; /* which keeps */
        user_press(&u, button, roll_below(dice, 8) ? 20 : 700);
    }
}

static void play(uint64_t seed, unsigned presses) {
    dice dice = {seed};
    unsigned buttons = 1 + roll_below(&dice, 6), columns = 8 + roll_below(&dice, 33);
    unsigned lines = 1 + roll_below(&dice, 4);
    bool by_buttons = roll_below(&dice, 4) == 0, has_said = false;
    uint64_t operations;
    about("seed %u: %u buttons, %u columns, %u lines", (unsigned)seed, buttons, columns, lines);
    box_begin(&u.box, true);
    u.box.has_keyboard = true;
    u.may_erase = false; /* what the flash does by itself is no business of the menu's */
    u.now_us = 1000000;
    write_slots();
    box_set(&u.box, YT_SETTING_START, 0, 1);
    user_plug_in(&u, buttons, columns, lines);
    user_wait(&u, 3000);
    operations = u.box.flash.operations;
    user_open(&u);
    for (unsigned i = 0; i < presses; i++) {
        if (!yt_menu_is_open(&u.menu))
            user_open(&u);
        press_at_random(&dice, by_buttons, &has_said);
        check_lines();
        if (u.box.flash.operations != operations && !has_said) {
            about("seed %u, press %u: written unasked", (unsigned)seed, i);
            CHECK_EQUAL(u.box.flash.operations, operations);
        }
        operations = u.box.flash.operations;
        if (u.menu.job == 0 && i % 16 == 15)
            has_said = yt_adapter_slot(&u.box.adapter) != YT_NO_SLOT &&
                       u.box.adapter.keep_at_us != YT_NEVER;
        if (i % 500 == 499) {
            user_wait(&u, 12000); /* a job that waits for the flash ends */
            leave();
            u.may_erase = true;
            user_wait(&u, 3000);
            u.may_erase = false;
            write_slots();
            operations = u.box.flash.operations;
        }
    }
    leave();
    box_end(&u.box);
}

int main(int count, char **arguments) {
    unsigned rounds = count > 1 ? (unsigned)atoi(arguments[1]) : some(100) < 100 ? 8 : 100;
    for (uint64_t seed = 1; seed <= rounds; seed++)
        play(seed, 10000);
    return report_checks();
}
