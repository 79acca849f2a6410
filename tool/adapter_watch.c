#include "tool/adapter_watch.h"

#include <curses.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"
#include "compiler/messages/status_text.h"
#include "tool/adapter_names.h"
#include "tool/adapter_tune.h"
#include "tool/json_text.h"
#include "tool/output.h"
#include "tool/panel.h"
#include "tool/playing.h"
#include "tool/slots.h"

#define SHOWN      400
#define VALUES     2048
#define FRAME_MS   40
#define NAME_WIDTH 26
#define BAR_WIDTH  21
#define STEPS      50 /* of a parameter's range, where the profile gives no step */

typedef struct session {
    holder holder;
    tuned_program tuned;
    profile profile;
    bool has_profile;
    char slot_name[YT_STORE_NAME + 1];
    named_value shown[SHOWN];
    int32_t told[SHOWN]; /* last */
    size_t shown_count;
    int32_t values[VALUES];
    unsigned chosen; /* of the parameters */
    char note[160];
    bool is_over, asks, other_runs, json;
} session;

static bool begin_slot(session *session) {
    slot_content content;
    if (!tuned_read(&session->tuned, &session->holder) ||
        !slot_content_fetch(&content, &session->holder, session->tuned.slot - 1))
        return false;
    snprintf(session->slot_name, sizeof session->slot_name, "%s", content.name);
    plain_line(session->slot_name);
    if (content.text_bytes > 0)
        session->has_profile = slot_profile_open(&session->profile, &content);
    slot_content_free(&content);
    if (session->has_profile)
        session->shown_count = named_values(&session->profile, session->shown, SHOWN);
    for (size_t i = 0; i < session->shown_count; i++)
        plain_line(session->shown[i].name);
    return true;
}

/* All values, in as many answers as it takes. Another program by now: it begins anew. */
static bool read_values(session *session) {
    struct linked *linked = &session->holder.linked;
    unsigned all = session->tuned.program.header->value_count;
    for (unsigned at = 0; at < all && at < VALUES;) {
        yt_status status =
            linked_ask(linked, (link_message){.what = yonder_link_What_WHAT_VALUES, .index = at});
        const link_message *answer = &linked->answer;
        if (status != YT_OK)
            return holder_fail(&session->holder, "values", status);
        if (answer->slot != session->tuned.slot || answer->checksum != session->tuned.checksum) {
            session->other_runs = true;
            return true;
        }
        if (answer->chunk.size < 4)
            return refuse(session->holder.path, "it gives no values");
        for (unsigned i = 0; i + 4 <= answer->chunk.size && at < VALUES; i += 4, at++) {
            const uint8_t *bytes = answer->chunk.bytes + i;
            session->values[at] = (int32_t)((uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 |
                                            (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24);
        }
    }
    return true;
}

static void end_slot(session *session) {
    tuned_free(&session->tuned);
    if (session->has_profile)
        profile_close(&session->profile);
    session->has_profile = false;
    session->shown_count = 0;
    session->chosen = 0;
}

static int32_t value_at(const session *session, size_t i) {
    unsigned number = session->shown[i].number;
    return number < VALUES ? session->values[number] : 0;
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
        json_print_line(json_pack("{s:i, s:o}", "slot", (int)session->tuned.slot, "name",
                                  json_text(session->slot_name)));
    else
        printf("slot %u runs, \"%s\"\n", session->tuned.slot, session->slot_name);
}

static void tell_value(const session *session, size_t i, int32_t value) {
    const char *goes = session->shown[i].is_output ? "out" : "in", *name = session->shown[i].name;
    char text[40];
    value_text(session->shown[i].kind, value, text, sizeof text);
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
        if (!read_values(session))
            return false;
        if (session->other_runs) {
            session->other_runs = false;
            end_slot(session);
            if (!begin_slot(session))
                return false;
            tell_slot(session);
            is_first = true;
            continue;
        }
        for (size_t i = 0; i < session->shown_count; i++) {
            int32_t value = value_at(session, i);
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
    for (size_t i = 0; i < session->shown_count && row < bottom; i++) {
        const named_value *shown = &session->shown[i];
        int32_t value = value_at(session, i);
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
    for (unsigned i = 0; i < session->tuned.count && top + (int)i < LINES - 2; i++) {
        const tuned_parameter *parameter = &session->tuned.parameters[i];
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
    int half = COLS / 2, lines = LINES - 4 - (int)session->tuned.count;
    if (LINES < 8 || COLS < 40)
        return;
    if (lines < 4)
        lines = 4;
    erase();
    attron(A_BOLD);
    mvprintw(0, 0, " slot %u: %s", session->tuned.slot, session->slot_name);
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
                  session->tuned.count
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
    tuned_parameter *parameter = &session->tuned.parameters[session->chosen];
    return parameter->value == value ||
           tuned_set(&session->tuned, &session->holder, parameter, value);
}

static bool keep(session *session) {
    if (!tuned_keep(&session->tuned, &session->holder))
        return false;
    snprintf(session->note, sizeof session->note, "kept in slot %u", session->tuned.slot);
    return true;
}

/* False: the adapter is gone, or refuses. */
static bool take_key(session *session, int key) {
    unsigned count = session->tuned.count;
    bool unkept = tuned_unkept(&session->tuned) > 0;
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
        return count == 0 || set_chosen(session, turned(&session->tuned.parameters[session->chosen],
                                                        key == KEY_RIGHT ? 1 : -1));
    case 'z':
        return count == 0 || set_chosen(session, session->tuned.parameters[session->chosen].kept);
    default:
        return true;
    }
}

static bool watch_screen(session *session) {
    bool good = true;
    if (!panel_open(FRAME_MS))
        return false;
    while (good && !session->is_over && !is_stopped()) {
        good = read_values(session);
        if (good && session->other_runs) {
            session->other_runs = false;
            end_slot(session);
            good = begin_slot(session);
        }
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
    unsigned unkept = good ? tuned_unkept(&session.tuned) : 0;
    if (unkept)
        fprintf(stderr,
                "%u %s not kept: at the next start %s as before; yonder adapter keep keeps "
                "what is set now\n",
                unkept, unkept == 1 ? "parameter is" : "parameters are",
                unkept == 1 ? "it is" : "they are");
    end_slot(&session);
    holder_close(&session.holder);
    return good;
}
