#include "tool/adapter_watch.h"

#include <curses.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "tool/adapter_values.h"
#include "tool/json_text.h"
#include "tool/output.h"
#include "tool/panel.h"
#include "tool/playing.h"
#include "tool/slots.h"

#define FRAME_MS   40
#define NAME_WIDTH 26
#define BAR_WIDTH  21
#define STEPS      50 /* of a parameter's range, where the profile gives no step */

typedef struct session {
    holder holder;
    adapter_values values;
    int32_t told[ADAPTER_SHOWN]; /* last */
    unsigned chosen;             /* of the parameters */
    char note[160];
    bool is_over, asks, json;
} session;

static bool begin_slot(session *session) {
    session->chosen = 0;
    return adapter_values_begin(&session->values, &session->holder);
}

/* Another program runs: its names, and its parameters. */
static bool begin_anew(session *session) {
    adapter_values_end(&session->values);
    return begin_slot(session);
}

static void value_text(uint8_t kind, int32_t value, char *text, size_t size) {
    double number = (double)value / YT_ONE;
    if (kind == YT_SWITCH)
        snprintf(text, size, "%s", value ? "on" : "off");
    else if (kind == YT_RATE)
        snprintf(text, size, "%.1f", number);
    else
        snprintf(text, size, "%.1f %%", 100 * number);
}

/* ---- line by line ---- */

static void tell_slot(const session *session) {
    if (session->json)
        json_print_line(json_pack("{s:i, s:o}", "slot", (int)session->values.tuned.slot, "name",
                                  json_text(session->values.slot_name)));
    else
        printf("slot %u runs, \"%s\"\n", session->values.tuned.slot, session->values.slot_name);
}

static void tell_value(const session *session, size_t i, int32_t value) {
    const char *goes = session->values.shown[i].is_output ? "out" : "in",
               *name = session->values.shown[i].name;
    char text[40];
    value_text(session->values.shown[i].kind, value, text, sizeof text);
    if (session->json)
        json_print_line(json_pack("{s:s, s:o, s:f, s:s}", "goes", goes, "control", json_text(name),
                                  "value", (double)value / YT_ONE, "text", text));
    else
        printf("%-4s %-40s %s\n", goes, name, text);
}

static bool watch_plainly(session *session) {
    bool is_first = true;
    tell_slot(session);
    while (!is_stopped()) {
        if (!adapter_values_read(&session->values))
            return false;
        if (session->values.other_runs) {
            if (!begin_anew(session))
                return false;
            tell_slot(session);
            is_first = true;
            continue;
        }
        for (size_t i = 0; i < session->values.count; i++) {
            int32_t value = adapter_value(&session->values, i);
            if (!is_first && value == session->told[i])
                continue;
            session->told[i] = value;
            tell_value(session, i, value);
        }
        is_first = false;
        fflush(stdout);
        poll(NULL, 0, FRAME_MS);
    }
    return true;
}

/* ---- on the screen ---- */

static void draw_bar(int row, int column, uint8_t kind, int32_t value) {
    char bar[BAR_WIDTH + 1];
    double number = (double)value / YT_ONE;
    int middle = kind == YT_AXIS || kind == YT_RATE ? BAR_WIDTH / 2 : 0;
    double share = kind == YT_RATE ? number / 360 : number;
    share = share > 1 ? 1 : share < -1 ? -1 : share;
    int end = middle +
              (int)(share * (kind == YT_AXIS || kind == YT_RATE ? BAR_WIDTH / 2 : BAR_WIDTH - 1));
    memset(bar, '.', BAR_WIDTH);
    bar[BAR_WIDTH] = 0;
    for (int i = middle < end ? middle : end; i <= (middle < end ? end : middle); i++)
        if (i >= 0 && i < BAR_WIDTH && (value != 0 || middle > 0))
            bar[i] = '=';
    mvaddstr(row, column, bar);
}

static int draw_values(const session *session, bool outputs, int top, int left, int width,
                       int bottom) {
    int row = top;
    mvaddnstr(row++, left, outputs ? "goes out" : "comes in", width);
    for (size_t i = 0; i < session->values.count && row < bottom; i++) {
        const named_value *shown = &session->values.shown[i];
        int32_t value = adapter_value(&session->values, i);
        char text[40];
        if (shown->is_output != outputs)
            continue;
        value_text(shown->kind, value, text, sizeof text);
        if (value)
            attron(A_BOLD);
        mvaddnstr(row, left, shown->name, NAME_WIDTH - 1);
        if (shown->kind != YT_SWITCH && width > NAME_WIDTH + BAR_WIDTH + 10)
            draw_bar(row, left + NAME_WIDTH, shown->kind, value);
        mvprintw(row, left + width - 10, "%9s", text);
        attroff(A_BOLD);
        row++;
    }
    return row;
}

static void draw_parameters(const session *session, int top, int width) {
    mvhline(top - 1, 0, ACS_HLINE, width);
    for (unsigned i = 0; i < session->values.tuned.count && top + (int)i < LINES - 2; i++) {
        const tuned_parameter *parameter = &session->values.tuned.parameters[i];
        const yt_program_parameter *of = parameter->parameter;
        char now[40], least[40], most[40], kept[40];
        bool is_chosen = i == session->chosen;
        tuned_text(parameter, parameter->value, now, sizeof now);
        tuned_text(parameter, of->minimum, least, sizeof least);
        tuned_text(parameter, of->maximum, most, sizeof most);
        tuned_text(parameter, parameter->kept, kept, sizeof kept);
        if (is_chosen)
            attron(A_REVERSE);
        mvprintw(top + (int)i, 0, " %c %-24s %10s   from %s to %s", is_chosen ? '>' : ' ',
                 parameter->name, now, least, most);
        attroff(A_REVERSE);
        if (parameter->value != parameter->kept)
            printw("   kept is %s", kept);
    }
}

static void draw(const session *session) {
    int half = COLS / 2, lines = LINES - 4 - (int)session->values.tuned.count;
    if (LINES < 8 || COLS < 40)
        return;
    if (lines < 4)
        lines = 4;
    erase();
    attron(A_BOLD);
    mvprintw(0, 0, " slot %u: %s", session->values.tuned.slot, session->values.slot_name);
    attroff(A_BOLD);
    draw_values(session, false, 1, 1, half - 3, 1 + lines);
    draw_values(session, true, 1, half + 1, COLS - half - 2, 1 + lines);
    mvvline(1, half - 1, ACS_VLINE, lines);
    draw_parameters(session, 2 + lines, COLS);
    move(LINES - 1, 0);
    clrtoeol();
    if (session->asks)
        mvaddnstr(LINES - 1, 1,
                  "not kept: k keeps it and leaves, q leaves all the same, any other key stays",
                  COLS - 2);
    else if (session->note[0])
        mvaddnstr(LINES - 1, 1, session->note, COLS - 2);
    else
        mvaddnstr(LINES - 1, 1,
                  session->values.tuned.count
                      ? "up, down: choose  left, right: turn  k: keep  z: as it is kept  q: leave"
                      : "q: leave",
                  COLS - 2);
    refresh();
}

static int32_t turned(const tuned_parameter *parameter, int steps) {
    const yt_program_parameter *of = parameter->parameter;
    int64_t step = of->step ? of->step : ((int64_t)of->maximum - of->minimum) / STEPS;
    int64_t value = parameter->value + (step ? step : 1) * steps;
    return (int32_t)(value < of->minimum ? of->minimum : value > of->maximum ? of->maximum : value);
}

static bool set_chosen(session *session, int32_t value) {
    tuned_parameter *parameter = &session->values.tuned.parameters[session->chosen];
    return parameter->value == value ||
           tuned_set(&session->values.tuned, &session->holder, parameter, value);
}

static bool keep(session *session) {
    if (!tuned_keep(&session->values.tuned, &session->holder))
        return false;
    snprintf(session->note, sizeof session->note, "kept in slot %u", session->values.tuned.slot);
    return true;
}

/* False: the adapter is gone, or refuses. */
static bool take_key(session *session, int key) {
    unsigned count = session->values.tuned.count;
    bool unkept = tuned_unkept(&session->values.tuned) > 0;
    if (key == ERR)
        return true;
    session->note[0] = 0;
    if (session->asks) {
        session->asks = false;
        session->is_over = key == 'q' || key == 'k';
        return key != 'k' || keep(session);
    }
    switch (key) {
    case 'q':
        session->asks = unkept;
        session->is_over = !unkept;
        return true;
    case 'k':
        return !unkept || keep(session);
    case KEY_DOWN:
        session->chosen += session->chosen + 1 < count;
        return true;
    case KEY_UP:
        session->chosen -= session->chosen > 0;
        return true;
    case KEY_LEFT:
    case KEY_RIGHT:
        return count == 0 ||
               set_chosen(session, turned(&session->values.tuned.parameters[session->chosen],
                                          key == KEY_RIGHT ? 1 : -1));
    case 'z':
        return count == 0 ||
               set_chosen(session, session->values.tuned.parameters[session->chosen].kept);
    default:
        return true;
    }
}

static bool watch_screen(session *session) {
    bool good = true;
    if (!panel_open(FRAME_MS))
        return false;
    while (good && !session->is_over && !is_stopped()) {
        good = adapter_values_read(&session->values);
        if (good && session->values.other_runs)
            good = begin_anew(session);
        if (good)
            draw(session);
        good = good && take_key(session, getch());
    }
    endwin();
    return good;
}

bool adapter_watch(const char *at, bool plain, bool json) {
    static session session;
    const holder_options options = {.at = at};
    memset(&session, 0, sizeof session);
    session.json = json;
    if (!holder_open(&session.holder, &options, false))
        return false;
    bool good = begin_slot(&session);
    stop_by_signals();
    if (good)
        good = plain ? watch_plainly(&session) : watch_screen(&session);
    unsigned unkept = good ? tuned_unkept(&session.values.tuned) : 0;
    if (unkept)
        fprintf(stderr,
                "%u %s not kept: at the next start %s as before; yonder adapter keep keeps "
                "what is set now\n",
                unkept, unkept == 1 ? "parameter is" : "parameters are",
                unkept == 1 ? "it is" : "they are");
    adapter_values_end(&session.values);
    holder_close(&session.holder);
    return good;
}
