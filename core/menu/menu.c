/* The menu: opened and closed, its buttons, its rows as lines. */
#include <string.h>

#include "menu/parts.h"

#define LIVE_US    100000u  /* how often what changes by itself is shown anew */
#define REST_US    1000000u /* before a long row begins to move, and when it is at its end */
#define SCROLL_US  250000u  /* from one letter of it to the next */
#define LONG_CLOSE 10u      /* a tester, and a calibration, stay open for so many times as long */

#define USUAL_OPEN_US   800000u
#define USUAL_LONG_US   500000u
#define USUAL_REPEAT_US 120000u
#define USUAL_SCAN_US   1200000u
#define USUAL_CLOSE_US  30000000u

#define MOST_BUTTONS 6u
#define NO_BUTTON    255u

static uint32_t or_usual(uint32_t us, uint32_t usual) {
    return us ? us : usual;
}

/* A language with a text that was forgotten is none. */
static bool are_whole(const yt_menu_texts *texts) {
    bool is_whole = texts && texts->letters && texts->letters[0] == ' ';
    for (unsigned i = 0; is_whole && i < YT_MENU_TEXT_COUNT; i++)
        is_whole = texts->narrow[i] && texts->wide[i];
    return is_whole;
}

yt_status yt_menu_init(yt_menu *menu, const yt_menu_parts *parts) {
    memset(menu, 0, sizeof *menu);
    menu->parts = parts;
    menu->held = NO_BUTTON;
    menu->loaded_us = UINT64_MAX - 1; /* no program yet */
    bool has_display = parts->columns > 0;
    if (!parts->adapter || parts->buttons > MOST_BUTTONS ||
        (has_display &&
         (!are_whole(parts->texts) || parts->columns < 8 || parts->columns > YT_MENU_COLUMNS ||
          parts->lines < 1 || parts->lines > 16)) ||
        (!has_display && parts->counts == 0) || parts->counts > (YT_PULSE_LIGHT | YT_PULSE_MOTORS))
        return YT_ARGUMENT;
    return YT_OK;
}

/* ---- where a person is ---- */

void menu_count(const yt_menu *menu, unsigned count) {
    if (menu->parts->counts)
        yt_adapter_count(menu->parts->adapter, count, menu->parts->counts, menu->now_us);
}

void menu_move(yt_menu *menu, unsigned row) {
    menu_level(menu)->cursor = (uint16_t)row;
    menu->moved_us = (uint32_t)menu->now_us;
    menu->has_changed = true;
    if (menu_screen_of(menu)->is_list)
        menu_count(menu, row + 1);
}

void menu_go(yt_menu *menu, unsigned screen, unsigned about) {
    if (menu->depth + 1u < YT_MENU_LEVELS)
        menu->depth++;
    *menu_level(menu) = (yt_menu_level){.screen = (uint8_t)screen, .about = (uint8_t)about};
    menu_move(menu, 0);
}

void menu_back(yt_menu *menu) {
    if (menu->depth > 0)
        menu->depth--;
    menu_move(menu, menu_level(menu)->cursor);
}

void menu_home(yt_menu *menu) {
    menu->depth = 0;
    menu_move(menu, 0);
}

int64_t menu_stepped(const yt_menu *menu, int64_t number, int64_t by, int64_t least, int64_t most) {
    bool turns = menu->parts->buttons == 1 || menu->parts->buttons == 2;
    int64_t next = number + by;
    if (next > most)
        return turns && number == most ? least : most;
    if (next < least)
        return turns && number == least ? most : least;
    return next;
}

/* ---- opened and closed ---- */

void yt_menu_open(yt_menu *menu, uint64_t now_us) {
    if (menu->is_open)
        return;
    menu->now_us = now_us;
    menu->touched_us = menu->second_us = (uint32_t)now_us;
    menu->is_open = true;
    menu_look_at_program(menu);
    menu->closes = false;
    menu->depth = 0;
    *menu_level(menu) = (yt_menu_level){.screen = MENU_MAIN};
    menu->ignored = menu->down;
    menu->reports = menu->reports_a_second = 0;
    menu_move(menu, 0);
    if (menu_has_changes(menu))
        menu_go(menu, MENU_KEEP, YT_NO_SLOT);
}

void yt_menu_close(yt_menu *menu) {
    menu->is_open = false;
    if (menu->calibration)
        menu->calibration->is_on = false;
    menu->has_changed = true;
    menu->ignored = menu->down;
}

/* A person leaves: what was changed is asked about first. */
static void leave(yt_menu *menu) {
    if (menu_has_changes(menu)) {
        menu->closes = true;
        menu_go(menu, MENU_KEEP, YT_NO_SLOT);
    } else {
        yt_menu_close(menu);
    }
}

static void move_by(yt_menu *menu, bool forward) {
    unsigned rows = menu_screen_of(menu)->rows(menu), cursor = menu_level(menu)->cursor;
    if (rows > 0)
        menu_move(menu, forward ? (cursor + 1) % rows : (cursor + rows - 1) % rows);
}

void yt_menu_take(yt_menu *menu, yt_menu_press press, uint64_t now_us) {
    if (!menu->is_open)
        return;
    menu->now_us = now_us;
    menu->touched_us = (uint32_t)now_us;
    menu->has_changed = true;
    menu_look_at_program(menu);
    if (menu->job != MENU_NO_JOB)
        return; /* it waits for the flash */
    const menu_screen *screen = menu_screen_of(menu);
    switch (press) {
    case YT_MENU_UP:
    case YT_MENU_DOWN:
        if (screen->step)
            screen->step(menu, press == YT_MENU_UP ? 1 : -1);
        else
            move_by(menu, press == YT_MENU_DOWN);
        break;
    case YT_MENU_CHOOSE:
        if (menu_level(menu)->cursor < screen->rows(menu))
            screen->choose(menu, menu_level(menu)->cursor);
        break;
    case YT_MENU_BACK:
        if (screen->back)
            screen->back(menu);
        else if (menu->depth > 0)
            menu_back(menu);
        else
            leave(menu);
        break;
    default:
        break;
    }
}

/* ---- buttons ---- */

/* What a button does when it is let go soon, and when it is held; of up and down the same again and
 * again. */
typedef struct meaning {
    uint8_t soon, held;
} meaning;

static meaning meaning_of(const yt_menu *menu, unsigned button) {
    static const meaning meanings[4][4] = {
        {{YT_MENU_CHOOSE, YT_MENU_BACK}},
        {{YT_MENU_DOWN, YT_MENU_UP}, {YT_MENU_CHOOSE, YT_MENU_BACK}},
        {{YT_MENU_UP, YT_MENU_UP}, {YT_MENU_DOWN, YT_MENU_DOWN}, {YT_MENU_CHOOSE, YT_MENU_BACK}},
        {{YT_MENU_UP, YT_MENU_UP},
         {YT_MENU_DOWN, YT_MENU_DOWN},
         {YT_MENU_CHOOSE, YT_MENU_PRESSES},
         {YT_MENU_BACK, YT_MENU_PRESSES}}};
    unsigned way = menu->parts->buttons > 4 ? 3 : menu->parts->buttons - 1u;
    meaning meaning = meanings[way][button];
    /* Where there is no button for more, a number goes up by the first one. */
    if (way < 2 && meaning.soon != YT_MENU_CHOOSE && menu_screen_of(menu)->step)
        meaning = (struct meaning){YT_MENU_UP, YT_MENU_DOWN};
    if (way == 0 && menu_screen_of(menu)->step)
        meaning.soon = YT_MENU_UP;
    return meaning;
}

/* The buttons that open it together. */
static unsigned chord_of(const yt_menu *menu) {
    unsigned buttons = menu->parts->buttons;
    return buttons == 1 ? 1u : buttons >= 4 ? 4u | 8u : 3u << (buttons - 2);
}

/* Those that have one meaning act when they go down, the others when it is known which. */
static bool acts_at_once(meaning meaning) {
    return meaning.held == meaning.soon || meaning.held == YT_MENU_PRESSES;
}

static void take_extra(yt_menu *menu, unsigned button, uint64_t now_us) {
    menu->ignored |= (uint8_t)(1u << button);
    if (button == 4 && menu->is_open)
        leave(menu);
    else if (button == 4)
        yt_menu_open(menu, now_us);
    else if (menu->is_open && menu->job == MENU_NO_JOB && menu_has_changes(menu))
        menu_keep(menu);
}

static void go_down(yt_menu *menu, unsigned button, uint64_t now_us) {
    menu->held = (uint8_t)button;
    menu->held_us = (uint32_t)now_us;
    menu->touched_us = (uint32_t)now_us;
    if (button >= 4)
        take_extra(menu, button, now_us);
    else if (menu->is_open && acts_at_once(meaning_of(menu, button)))
        yt_menu_take(menu, (yt_menu_press)meaning_of(menu, button).soon, now_us);
}

static void go_up(yt_menu *menu, unsigned button, uint64_t now_us) {
    uint8_t bit = (uint8_t)(1u << button);
    bool acts = menu->is_open && !((menu->ignored | menu->acted) & bit) && button < 4 &&
                !acts_at_once(meaning_of(menu, button));
    menu->ignored &= (uint8_t)~bit;
    menu->acted &= (uint8_t)~bit;
    menu->touched_us = (uint32_t)now_us;
    if (menu->held == button)
        menu->held = NO_BUTTON;
    if (acts)
        yt_menu_take(menu, (yt_menu_press)meaning_of(menu, button).soon, now_us);
}

void yt_menu_button(yt_menu *menu, unsigned button, bool is_down, uint64_t now_us) {
    if (button >= menu->parts->buttons)
        return;
    uint8_t bit = (uint8_t)(1u << button);
    if (is_down == ((menu->down & bit) != 0))
        return;
    menu->now_us = now_us;
    menu->down ^= bit;
    if (is_down)
        go_down(menu, button, now_us);
    else
        go_up(menu, button, now_us);
}

/* A button is held: what opens it, what it does then, what is repeated. */
static void hold(yt_menu *menu, uint64_t now_us) {
    const yt_menu_parts *parts = menu->parts;
    uint32_t since_us = menu_since(menu, menu->held_us);
    unsigned chord = chord_of(menu);
    uint8_t bit = (uint8_t)(1u << menu->held);
    if (!menu->is_open) {
        if ((menu->down & chord) == chord && !(menu->ignored & chord) &&
            since_us >= or_usual(parts->open_us, USUAL_OPEN_US))
            yt_menu_open(menu, now_us);
        return;
    }
    if ((menu->ignored & bit) || menu->held >= 4 ||
        since_us < or_usual(parts->long_us, USUAL_LONG_US))
        return;
    meaning meaning = meaning_of(menu, menu->held);
    if (meaning.held == YT_MENU_PRESSES)
        return;
    if (meaning.held == YT_MENU_UP || meaning.held == YT_MENU_DOWN)
        menu->held_us += or_usual(parts->repeat_us, USUAL_REPEAT_US);
    else
        menu->ignored |= bit;
    menu->acted |= bit;
    yt_menu_take(menu, (yt_menu_press)meaning.held, now_us);
}

/* ---- as time goes by ---- */

void yt_menu_report(yt_menu *menu, unsigned number, const uint8_t *bytes, size_t size,
                    uint64_t now_us) {
    if (!menu->is_open)
        return;
    menu->reports++;
    if (menu->calibrates)
        menu->calibrates->report(menu, number, bytes, size, now_us);
}

static void count_reports(yt_menu *menu) {
    uint32_t past_us = menu_since(menu, menu->second_us);
    if (past_us < 1000000)
        return;
    menu->reports_a_second = menu->reports * 1000 / (past_us / 1000);
    menu->reports = 0;
    menu->second_us = (uint32_t)menu->now_us;
}

/* With one button it goes on by itself: to the next row, or to the next letter of a name. */
static void scan(yt_menu *menu, const menu_screen *screen) {
    uint32_t scan_us = or_usual(menu->parts->scan_us, USUAL_SCAN_US);
    if (menu->down || menu->job != MENU_NO_JOB || menu_since(menu, menu->touched_us) < scan_us ||
        menu_since(menu, menu->moved_us) < scan_us + menu->over * SCROLL_US)
        return;
    if (!screen->step) {
        move_by(menu, true);
    } else if (menu_level(menu)->screen == MENU_NAME) {
        screen->choose(menu, 0);
        menu_move(menu, 0);
    }
}

static void go_by_itself(yt_menu *menu) {
    const menu_screen *screen = menu_screen_of(menu);
    if (menu->parts->buttons == 1)
        scan(menu, screen);
    if ((screen->is_live || menu->over > 0) && menu_since(menu, menu->told_us) >= LIVE_US) {
        menu->told_us = (uint32_t)menu->now_us;
        menu->has_changed = true;
    }
}

static bool is_left_alone(const yt_menu *menu) {
    uint32_t close_us = or_usual(menu->parts->close_us, USUAL_CLOSE_US);
    if (menu_screen_of(menu)->is_live && close_us <= UINT32_MAX / 2 / LONG_CLOSE)
        close_us *= LONG_CLOSE;
    return menu->job == MENU_NO_JOB && menu->down == 0 &&
           menu_since(menu, menu->touched_us) >= close_us;
}

uint64_t yt_menu_update(yt_menu *menu, uint64_t now_us) {
    menu->now_us = now_us;
    if (menu->held != NO_BUTTON)
        hold(menu, now_us);
    if (!menu->is_open)
        return menu->down ? now_us + YT_MENU_TICK_US : YT_NEVER;
    menu_look_at_program(menu);
    count_reports(menu);
    if (menu_level(menu)->screen == MENU_TESTER)
        menu_count_pressed(menu);
    if (menu->calibrates)
        menu->calibrates->update(menu);
    if (menu->rebinds)
        menu->rebinds->update(menu);
    go_by_itself(menu);
    if (is_left_alone(menu))
        yt_menu_close(menu);
    return menu->is_open ? now_us + YT_MENU_TICK_US : YT_NEVER;
}

/* ---- lines ---- */

bool yt_menu_changed(yt_menu *menu) {
    bool has_changed = menu->has_changed;
    menu->has_changed = false;
    return has_changed;
}

/* The row of the first line: the cursor's is the last one that fits. */
static unsigned first_row(const yt_menu *menu) {
    unsigned cursor = menu->levels[menu->depth].cursor, lines = menu->parts->lines;
    return cursor < lines ? 0 : cursor - lines + 1;
}

/* How far a row of so many letters has moved that has room for `room`. */
static unsigned scrolled(const yt_menu *menu, unsigned count, unsigned room) {
    unsigned more = count > room ? count - room : 0;
    uint32_t moving_us = more * SCROLL_US, all_us = REST_US + moving_us + REST_US;
    uint32_t at_us = menu_since(menu, menu->moved_us) % all_us;
    return at_us < REST_US ? 0 : at_us < REST_US + moving_us ? (at_us - REST_US) / SCROLL_US : more;
}

static void put_row(yt_menu *menu, const menu_screen *screen, unsigned row, menu_line *line) {
    if (menu->job != MENU_NO_JOB)
        menu_put_word(menu, line, YT_MENU_WAIT);
    else
        screen->row(menu, row, line);
}

void yt_menu_line(yt_menu *menu, unsigned number, char *text) {
    menu_look_at_program(menu);
    const menu_screen *screen = menu_screen_of(menu);
    menu_line line = {.to = text, .left = menu->parts->columns};
    unsigned row = first_row(menu) + number;
    bool is_waiting = menu->job != MENU_NO_JOB;
    bool is_there = is_waiting ? number == 0 : row < screen->rows(menu);
    bool is_cursor = row == menu_level(menu)->cursor || !screen->is_list;
    *text = 0;
    if (!menu->is_open || number >= menu->parts->lines)
        return;
    if (screen->is_list && !is_waiting)
        menu_put(&line, is_cursor ? ">" : " ", 1);
    unsigned room = line.left;
    if (is_there && is_cursor) {
        menu_line all = {.to = text};
        put_row(menu, screen, row, &all);
        line.skip = scrolled(menu, all.count, room);
        unsigned over = all.count > room ? all.count - room : 0;
        if (number == 0 || screen->is_list || over > menu->over)
            menu->over = (uint8_t)(over < UINT8_MAX ? over : UINT8_MAX);
    }
    if (is_there)
        put_row(menu, screen, row, &line);
    line.skip = 0;
    while (line.left > 0)
        menu_put(&line, " ", 1);
    *line.to = 0;
}

bool yt_menu_cursor(const yt_menu *menu, unsigned *line, unsigned *column) {
    const menu_screen *screen = menu_screen_of(menu);
    if (!menu->is_open || !screen->is_list || menu->job != MENU_NO_JOB)
        return false;
    *line = menu->levels[menu->depth].cursor - first_row(menu);
    *column = 0;
    return true;
}
