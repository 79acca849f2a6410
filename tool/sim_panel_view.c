/* The panel of a simulated adapter, drawn in a terminal. */
#include <string.h>

#include "compiler/messages/plain.h"
#include "tool/panel.h"
#include "tool/sim_panel.h"

#define LEFT 4

bool sim_panel_open(sim_panel *panel, sim_panel_view *view) {
    memset(view, 0, sizeof *view);
    if (!panel_open(0))
        return false;
    set_escdelay(25);
    panel_colours(true);
    panel->is_drawn = true;
    view->has_changed = true;
    return true;
}

void sim_panel_close(void) {
    endwin();
}

int sim_panel_read(void) {
    int key = getch();
    switch (key) {
    case ERR:
        return -1;
    case KEY_UP:
        return PANEL_KEY_UP;
    case KEY_DOWN:
        return PANEL_KEY_DOWN;
    case KEY_RIGHT:
    case KEY_ENTER:
    case '\n':
    case '\r':
        return PANEL_KEY_CHOOSE;
    case KEY_LEFT:
    case KEY_BACKSPACE:
    case 27:
        return PANEL_KEY_BACK;
    default:
        return key;
    }
}

void sim_panel_tell(sim_panel_view *view, const char *text) {
    if (view->count == SIM_PANEL_TOLD) {
        memmove(view->told[0], view->told[1], sizeof view->told - sizeof view->told[0]);
        view->count--;
    }
    snprintf(view->told[view->count], sizeof view->told[0], "%s", text);
    plain_line(view->told[view->count++]);
    view->has_changed = true;
}

static void draw_buttons(const sim_panel *panel, int row) {
    static const char *const names[7][6] = {{0},
                                            {"choose, held: back"},
                                            {"down, held: up", "choose, held: back"},
                                            {"up", "down", "choose, held: back"},
                                            {"up", "down", "choose", "back"},
                                            {"up", "down", "choose", "back", "menu"},
                                            {"up", "down", "choose", "back", "menu", "keep"}};
    move(row, LEFT);
    for (unsigned i = 0; i < panel->buttons; i++) {
        attron(A_REVERSE);
        printw(" %u ", i + 1);
        attroff(A_REVERSE);
        printw(" %s   ", names[panel->buttons][i]);
    }
}

void sim_panel_draw(sim_panel *panel, sim_panel_view *view) {
    yt_menu *menu = &panel->menu.menu;
    char line[YT_MENU_LINE_BYTES];
    bool has_changed = yt_menu_changed(menu);
    if (!has_changed && !view->has_changed)
        return;
    view->has_changed = false;
    erase();
    int top = 2, lines = (int)panel->lines, columns = (int)panel->columns;
    mvprintw(top - 1, LEFT, "the adapter's display, %d by %d", columns, lines);
    for (int i = -1; i <= lines; i++) {
        bool is_edge = i < 0 || i == lines;
        mvaddch(top + 1 + i, LEFT, i < 0 ? ACS_ULCORNER : i == lines ? ACS_LLCORNER : ACS_VLINE);
        if (is_edge)
            hline(ACS_HLINE, columns);
        mvaddch(top + 1 + i, LEFT + 1 + columns,
                i < 0        ? ACS_URCORNER
                : i == lines ? ACS_LRCORNER
                             : ACS_VLINE);
        if (is_edge)
            mvhline(top + 1 + i, LEFT + 1, ACS_HLINE, columns);
    }
    for (int i = 0; i < lines; i++) {
        yt_menu_line(menu, (unsigned)i, line);
        attron(A_BOLD);
        mvprintw(top + 1 + i, LEFT + 1, "%s", line);
        attroff(A_BOLD);
    }
    int row = top + lines + 3;
    draw_buttons(panel, row);
    mvprintw(row + 2, LEFT,
             "keys 1 to %u are its buttons; arrows, enter and escape as well; m opens "
             "and closes the menu",
             panel->buttons);
    mvprintw(row + 3, LEFT,
             "space: press  h: hold, let go  u: plug in anew  e: the same, and end an event  q: "
             "leave");
    for (unsigned i = 0; i < view->count; i++)
        mvprintw(row + 5 + (int)i, LEFT, "%s", view->told[i]);
    refresh();
}
