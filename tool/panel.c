#include "tool/panel.h"

#include <curses.h>
#include <inttypes.h>
#include <string.h>

#include "compiler/messages/plain.h"

#define FIELD_WIDTH  21 /* of a stick */
#define FIELD_HEIGHT 9
#define NAME_WIDTH   22
#define FRESH_US     2000000 /* how long a key that was pressed is still shown */

static panel_control *find(panel *panel, const host_control *control) {
    for (unsigned i = 0; i < panel->count; i++) {
        panel_control *at = &panel->controls[i];
        if (at->page == control->page && at->usage == control->usage && at->bit == control->bit &&
            at->report_id == control->report_id)
            return at;
    }
    return NULL;
}

void panel_change(panel *panel, const char *name, const yt_raw_meaning *meaning,
                  const host_control *control, uint64_t now_us) {
    panel_control *at = find(panel, control);
    if (!at && panel->count == PANEL_CONTROLS)
        return;
    if (!at) {
        at = &panel->controls[panel->count++];
        *at = (panel_control){.page = control->page,
                              .usage = control->usage,
                              .bit = control->bit,
                              .report_id = control->report_id,
                              .is_switch = meaning->kind == YT_SWITCH && !meaning->is_hat &&
                                           meaning->maximum - meaning->minimum <= 1,
                              .meaning = *meaning};
        snprintf(at->name, sizeof at->name, "%s", name);
        plain_line(at->name);
    }
    at->value = control->value;
    at->changed_us = now_us;
    if (control->is_relative) {
        at->sum = control->sum;
        at->counted += control->value;
    }
}

static void end_second(panel *panel, uint64_t now_us) {
    if (now_us < panel->second_us + 500000)
        return;
    double seconds = (double)(now_us - panel->second_us) / 1e6;
    panel->per_second = (unsigned)(panel->reports_now / seconds + 0.5);
    panel->reports_now = 0;
    panel->second_us = now_us;
    for (unsigned i = 0; i < panel->count; i++) {
        panel->controls[i].per_second = (double)panel->controls[i].counted / seconds;
        panel->controls[i].counted = 0;
    }
}

void panel_report(panel *panel, uint64_t now_us) {
    end_second(panel, now_us);
    panel->reports++;
    panel->reports_now++;
}

static bool is_axis(const panel_control *control) {
    return control->meaning.kind == YT_AXIS;
}

/* Where a control is between both ends of its way, from 0 to 1. */
static double share_of(const panel_control *control) {
    const yt_raw_meaning *meaning = &control->meaning;
    double value = raw_value(meaning, control->value);
    if (meaning->kind == YT_RATE) {
        double span = (double)(meaning->maximum - meaning->minimum) * meaning->unit_amount;
        value = span > 0 ? 2 * value / span : 0;
    }
    double share = meaning->kind == YT_AXIS || meaning->kind == YT_RATE ? (value + 1) / 2 : value;
    return share < 0 ? 0 : share > 1 ? 1 : share;
}

/* The y that goes with an x: "left_stick.x" and "left_stick.y", or "x" and "y". */
static int partner_of(const panel *panel, unsigned x) {
    const char *name = panel->controls[x].name;
    size_t length = strlen(name);
    if (!is_axis(&panel->controls[x]) || length == 0 || name[length - 1] != 'x')
        return -1;
    for (unsigned i = 0; i < panel->count; i++) {
        const char *other = panel->controls[i].name;
        if (is_axis(&panel->controls[i]) && strlen(other) == length &&
            memcmp(other, name, length - 1) == 0 && other[length - 1] == 'y')
            return (int)i;
    }
    return -1;
}

/* A stick: a dot in a field, y downwards. */
static void draw_stick(const panel *panel, unsigned x, unsigned y, int top, int left) {
    const panel_control *across = &panel->controls[x], *along = &panel->controls[y];
    int column = (int)(share_of(across) * (FIELD_WIDTH - 1) + 0.5);
    int row = (int)(share_of(along) * (FIELD_HEIGHT - 1) + 0.5);
    char name[96];
    snprintf(name, sizeof name, "%s", across->name);
    size_t length = strlen(name);
    if (length > 2 && name[length - 2] == '.')
        name[length - 2] = 0;
    for (int i = 0; i < FIELD_HEIGHT; i++)
        for (int k = 0; k < FIELD_WIDTH; k++)
            mvaddch(top + i, left + k,
                    i == FIELD_HEIGHT / 2 && k == FIELD_WIDTH / 2                           ? '+'
                    : i == FIELD_HEIGHT / 2                                                 ? '-'
                    : k == FIELD_WIDTH / 2                                                  ? '|'
                    : (i == 0 || i == FIELD_HEIGHT - 1) || (k == 0 || k == FIELD_WIDTH - 1) ? '.'
                                                                                            : ' ');
    attron(A_REVERSE | A_BOLD);
    mvaddch(top + row, left + column, 'O');
    attroff(A_REVERSE | A_BOLD);
    mvprintw(top + FIELD_HEIGHT, left, "%-*.*s", FIELD_WIDTH, FIELD_WIDTH, name);
    mvprintw(top + FIELD_HEIGHT + 1, left, "%+6.1f %% %+6.1f %%", 200 * share_of(across) - 100,
             200 * share_of(along) - 100);
}

static int draw_sticks(const panel *panel, bool *drawn, int top, int left, int width) {
    int at = left, rows = 0;
    for (unsigned i = 0; i < panel->count; i++) {
        int partner = partner_of(panel, i);
        if (partner < 0 || at + FIELD_WIDTH > left + width)
            continue;
        draw_stick(panel, i, (unsigned)partner, top, at);
        drawn[i] = drawn[partner] = true;
        at += FIELD_WIDTH + 2;
        rows = FIELD_HEIGHT + 3;
    }
    return rows;
}

/* A level from the left, an axis from the middle. */
static void draw_bar(const panel_control *control, int row, int left, int width) {
    int room = width - NAME_WIDTH - 10;
    int begin = is_axis(control) || control->meaning.kind == YT_RATE ? room / 2 : 0;
    int end = (int)(share_of(control) * room + 0.5);
    if (end < begin) {
        int other = end;
        end = begin;
        begin = other;
    }
    mvprintw(row, left, "%-*.*s", NAME_WIDTH, NAME_WIDTH, control->name);
    for (int i = 0; i < room; i++) {
        bool is_in = i >= begin && i < end;
        attrset(is_in ? A_REVERSE : A_NORMAL);
        mvaddch(row, left + NAME_WIDTH + i, is_in ? ' ' : '.');
    }
    attrset(A_NORMAL);
    if (control->meaning.kind == YT_RATE)
        mvprintw(row, left + NAME_WIDTH + room + 1, "%+7.1f",
                 raw_value(&control->meaning, control->value));
    else
        mvprintw(row, left + NAME_WIDTH + room + 1, "%6.1f %%",
                 100 * raw_value(&control->meaning, control->value));
}

static void draw_motion(const panel_control *control, int row, int left) {
    mvprintw(row, left, "%-*.*s%+8.0f counts/s  %+10" PRId64 " in all", NAME_WIDTH, NAME_WIDTH,
             control->name, control->per_second, control->sum);
}

static void draw_hat(const panel_control *control, int row, int left) {
    static const char *const names[] = {"up",   "up right",  "right", "down right",
                                        "down", "down left", "left",  "up left"};
    int direction = raw_direction(&control->meaning, control->value);
    bool on = direction >= 0;
    mvprintw(row, left, "%-*.*s", NAME_WIDTH, NAME_WIDTH, control->name);
    if (on)
        attron(A_REVERSE | A_BOLD);
    mvprintw(row, left + NAME_WIDTH, " %-10s ", on ? names[direction & 7] : "centre");
    attroff(A_REVERSE | A_BOLD);
}

/* Switches in columns: reversed while pressed. Of a keyboard only those that were pressed lately.
 */
static int draw_switches(const panel *panel, int top, int left, int height, int width,
                         uint64_t now_us) {
    int row = top, at = left;
    for (unsigned i = 0; i < panel->count && row < top + height; i++) {
        const panel_control *control = &panel->controls[i];
        bool is_key = control->page == 7;
        if (!control->is_switch ||
            (is_key && !control->value && now_us > control->changed_us + FRESH_US))
            continue;
        int length = (int)strlen(control->name) + 2;
        if (at + length > left + width && at > left) {
            at = left;
            row++;
        }
        if (row >= top + height)
            break;
        if (control->value)
            attron(A_REVERSE | A_BOLD);
        mvprintw(row, at, " %.*s ", width - 2, control->name);
        attroff(A_REVERSE | A_BOLD);
        at += length;
    }
    return row - top + 1;
}

void panel_draw(panel *panel, int top, int left, int height, int width, uint64_t now_us) {
    bool drawn[PANEL_CONTROLS] = {false};
    end_second(panel, now_us);
    attron(A_BOLD);
    char title[sizeof panel->title];
    memcpy(title, panel->title, sizeof title);
    plain_line(title);
    mvprintw(top, left, "%-*.*s", width, width, title);
    attroff(A_BOLD);
    mvprintw(top + 1, left, "%" PRIu64 " reports, %u a second", panel->reports, panel->per_second);
    int row = top + 3;
    row += draw_sticks(panel, drawn, row, left, width);
    for (unsigned i = 0; i < panel->count && row < top + height - 1; i++) {
        const panel_control *control = &panel->controls[i];
        if (control->is_switch || drawn[i])
            continue;
        if (control->meaning.kind == YT_MOTION)
            draw_motion(control, row++, left);
        else if (control->meaning.is_hat)
            draw_hat(control, row++, left);
        else
            draw_bar(control, row++, left, width);
    }
    if (row < top + height - 1)
        draw_switches(panel, row + 1, left, top + height - row - 1, width, now_us);
}
