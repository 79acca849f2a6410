/* A box with a menu, and somebody who works it: presses, and reads the display. */
#ifndef YONDER_TESTS_USER_H
#define YONDER_TESTS_USER_H

#include "tests/adapter/box.h"
#include "yonder/menu.h"

/* A profile with two parameters, of which the second has no step. */
#define USER_TUNED                                                                                 \
    "name: Winch\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\n"                             \
    "parameters:\n  after: {value: 500 ms, min: 100 ms, max: 900 ms, step: 100 ms}\n"              \
    "  part: {value: 0.5, min: 0, max: 1}\n"                                                       \
    "sheet:\n  pad.south: hold(keys.a, after=after)\n"                                             \
    "  pad.left_trigger: if(keys.b, part, 0%)\n"

typedef struct user {
    box box;
    yt_menu_parts parts;
    yt_menu menu;
    yt_menu_rebinding rebinding;
    yt_menu_calibration calibration;
    uint64_t now_us;
    bool may_erase; /* in play */
    int restarts;   /* the last that was asked for; -1: none */
    bool has_link;  /* a host can ask for a press */
    unsigned presses;
    char lines[16][YT_MENU_LINE_BYTES];
} user;

/* A box of three slots; and one whose first slot is USER_TUNED, plugged in. */
void user_begin(user *user);
void user_begin_tuned(user *user, unsigned buttons, unsigned columns, unsigned lines);

/* Plugs the box in, whose slots are written, with a menu on such a display. */
void user_plug_in(user *user, unsigned buttons, unsigned columns, unsigned lines);

/* Time goes by, in turns of 10 ms. */
void user_wait(user *user, unsigned ms);

/* A button goes down, and up so many ms later. */
void user_press(user *user, unsigned button, unsigned ms);

/* What a person means, whatever buttons there are for it. */
void user_do(user *user, yt_menu_press press);

/* Opens the menu; it is not asked what opens it. */
void user_open(user *user);

/* Steps to the row that says so, wherever it is in its list, and chooses it. */
void user_choose(user *user, const char *row);

/* The row of the cursor, or the line of that number, without the mark and spaces behind it. */
const char *user_row(user *user);
const char *user_line(user *user, unsigned line);

/* Keys of the box's keyboard. */
void user_keys(user *user, uint8_t one, uint8_t other);

#endif
