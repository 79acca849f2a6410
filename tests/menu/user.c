#include "tests/menu/user.h"

#define TURN_US 10000u

static void restart(void *context, yt_menu_restart how) {
    ((user *)context)->restarts = (int)how;
}

static void press(void *context) {
    ((user *)context)->presses++;
}

static const yt_device *device(void *context, unsigned number) {
    user *user = context;
    return number == user->box.keyboard ? &user->box.device : NULL;
}

void user_plug_in(user *user, unsigned buttons, unsigned columns, unsigned lines) {
    yt_status status = box_plug_in(&user->box, &box_alone, user->now_us);
    (void)status; /* an empty slot is tried, too */
    user->restarts = -1;
    user->parts = (yt_menu_parts){.adapter = &user->box.adapter,
                                  .texts = &yt_menu_english,
                                  .context = user,
                                  .build = "crane 3",
                                  .restart = restart,
                                  .press = user->has_link ? press : NULL,
                                  .device = device,
                                  .columns = (uint8_t)columns,
                                  .lines = (uint8_t)lines,
                                  .buttons = (uint8_t)buttons,
                                  .counts = (uint8_t)(columns ? 0 : YT_PULSE_LIGHT)};
    CHECK_EQUAL(yt_menu_init(&user->menu, &user->parts), YT_OK);
    yt_menu_rebinds(&user->menu, &user->rebinding);
    yt_menu_calibrates(&user->menu, &user->calibration);
}

void user_begin(user *user) {
    box_begin_three(&user->box, true);
    user->now_us = 1000000;
    user->may_erase = true;
}

void user_begin_tuned(user *user, unsigned buttons, unsigned columns, unsigned lines) {
    user_begin(user);
    box_write(&user->box, 0, USER_TUNED);
    user_plug_in(user, buttons, columns, lines);
}

static void show(user *user) {
    if (!yt_menu_changed(&user->menu))
        return;
    for (unsigned i = 0; i < user->parts.lines; i++)
        yt_menu_line(&user->menu, i, user->lines[i]);
}

static void turn(user *user) {
    yt_action action;
    yt_engine_update(&user->box.engine, user->now_us);
    while (yt_adapter_action(&user->box.adapter, user->now_us, &action))
        continue;
    yt_menu_update(&user->menu, user->now_us);
    yt_status status = YT_OK; /* YT_END: nothing to do */
    if (yt_menu_is_busy(&user->menu) || user->now_us % (10 * TURN_US) == 0)
        status = yt_menu_work(&user->menu, user->now_us, 8, user->may_erase);
    (void)status;
    yt_adapter_update(&user->box.adapter, user->now_us);
    show(user);
}

void user_wait(user *user, unsigned ms) {
    for (unsigned i = 0; i < ms; i += TURN_US / 1000) {
        user->now_us += TURN_US;
        turn(user);
    }
}

void user_press(user *user, unsigned button, unsigned ms) {
    yt_menu_button(&user->menu, button, true, user->now_us);
    turn(user);
    user_wait(user, ms);
    yt_menu_button(&user->menu, button, false, user->now_us);
    user_wait(user, 20);
}

void user_do(user *user, yt_menu_press press) {
    yt_menu_take(&user->menu, press, user->now_us);
    user_wait(user, 20);
}

void user_open(user *user) {
    yt_menu_open(&user->menu, user->now_us);
    user_wait(user, 20);
}

const char *user_line(user *user, unsigned line) {
    static char text[YT_MENU_LINE_BYTES];
    const char *from = user->lines[line];
    snprintf(text, sizeof text, "%s", *from == '>' || *from == ' ' ? from + 1 : from);
    for (size_t end = strlen(text); end > 0 && text[end - 1] == ' ';)
        text[--end] = 0;
    return text;
}

const char *user_row(user *user) {
    unsigned line, column;
    return user_line(user, yt_menu_cursor(&user->menu, &line, &column) ? line : 0);
}

void user_choose(user *user, const char *row) {
    for (unsigned i = 0; i < 100 && strncmp(user_row(user), row, strlen(row)) != 0; i++)
        user_do(user, YT_MENU_DOWN);
    CHECK_EQUAL(strncmp(user_row(user), row, strlen(row)), 0);
    user_do(user, YT_MENU_CHOOSE);
    user_wait(user, 100);
}

void user_keys(user *user, uint8_t one, uint8_t other) {
    const uint8_t bytes[6] = {one, other};
    box_report(&user->box, bytes, sizeof bytes, user->now_us);
    if (yt_menu_is_open(&user->menu))
        yt_menu_report(&user->menu, user->box.keyboard, bytes, sizeof bytes, user->now_us);
    user_wait(user, 20);
}
