#include "tool/panel.h"

#include <inttypes.h>
#include <stdarg.h>
#include <string.h>

#include "compiler/messages/plain.h"
#include "tool/output.h"

#define FIELD_WIDTH  21 /* of a stick */
#define FIELD_HEIGHT 9
#define NAME_WIDTH   22
#define FRESH_US     2000000 /* how long a key that was pressed is still shown */

bool panel_open(int wait_ms) {
    if (!newterm(NULL, output_bytes(), stdin)) {
        fprintf(stderr, "this terminal cannot be drawn on; --plain prints line by line\n");
        return false;
    }
    cbreak();
    noecho();
    curs_set(0);
    keypad(stdscr, TRUE);
    timeout(wait_ms);
    return true;
}

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

#define PAIR_ON      1
#define PAIR_CHANGED 2

static bool has_pairs;

void panel_colours(bool wanted) {
    has_pairs = wanted && has_colors();
    if (!has_pairs)
        return;
    start_color();
    use_default_colors();
    init_pair(PAIR_ON, COLOR_GREEN, -1);
    init_pair(PAIR_CHANGED, COLOR_MAGENTA, -1);
}

static attr_t coloured(int pair, attr_t without) {
    return has_pairs ? without | (attr_t)COLOR_PAIR(pair) : without;
}

#define ON_SHOWN   coloured(PAIR_ON, A_REVERSE)
#define CHANGED_US 700000 /* how long what changed has a colour */

/* A text within the column, cut at its end. */
__attribute__((format(printf, 5, 6))) static void put(const panel_place *place, int row, int column,
                                                      attr_t look, const char *format, ...) {
    char text[200];
    va_list arguments;
    int room = place->width - column;
    if (room <= 0)
        return;
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    wattrset(place->window, (int)look);
    mvwaddnstr(place->window, place->top + row, place->left + column, text, room);
    wattrset(place->window, A_NORMAL);
}

static attr_t look_of(const panel_control *control, uint64_t now_us) {
    bool is_fresh = control->changed_us && now_us < control->changed_us + CHANGED_US;
    return is_fresh ? coloured(PAIR_CHANGED, A_NORMAL) : A_NORMAL;
}

static void put_name(const panel_place *place, const panel_control *control, int row,
                     uint64_t now_us) {
    put(place, row, 0, look_of(control, now_us), "%-*.*s", NAME_WIDTH, NAME_WIDTH, control->name);
}

/* A stick: a dot in a field, y downwards. */
static void draw_stick(const panel *panel, unsigned x, unsigned y, const panel_place *place,
                       int top, int left) {
    const panel_control *across = &panel->controls[x], *along = &panel->controls[y];
    int column = (int)(share_of(across) * (FIELD_WIDTH - 1) + 0.5);
    int row = (int)(share_of(along) * (FIELD_HEIGHT - 1) + 0.5);
    char name[96], line[FIELD_WIDTH + 1];
    snprintf(name, sizeof name, "%s", across->name);
    size_t length = strlen(name);
    if (length > 2 && name[length - 2] == '.')
        name[length - 2] = 0;
    for (int i = 0; i < FIELD_HEIGHT; i++) {
        for (int k = 0; k < FIELD_WIDTH; k++)
            line[k] = i == FIELD_HEIGHT / 2 && k == FIELD_WIDTH / 2                           ? '+'
                      : i == FIELD_HEIGHT / 2                                                 ? '-'
                      : k == FIELD_WIDTH / 2                                                  ? '|'
                      : (i == 0 || i == FIELD_HEIGHT - 1) || (k == 0 || k == FIELD_WIDTH - 1) ? '.'
                                                                                              : ' ';
        line[FIELD_WIDTH] = 0;
        put(place, top + i, left, A_NORMAL, "%s", line);
    }
    put(place, top + row, left + column, ON_SHOWN, "O");
    put(place, top + FIELD_HEIGHT, left, A_NORMAL, "%-*.*s", FIELD_WIDTH, FIELD_WIDTH, name);
    put(place, top + FIELD_HEIGHT + 1, left, A_NORMAL, "%+6.1f %% %+6.1f %%",
        200 * share_of(across) - 100, 200 * share_of(along) - 100);
}

/* As many beside one another as there is room for, then the next below. */
static int draw_sticks(const panel *panel, bool *drawn, const panel_place *place, int top) {
    int left = 0, rows = 0;
    for (unsigned i = 0; i < panel->count; i++) {
        int partner = partner_of(panel, i);
        if (partner < 0)
            continue;
        if (left > 0 && left + FIELD_WIDTH > place->width) {
            left = 0;
            top += FIELD_HEIGHT + 3;
        }
        if (left == 0)
            rows += FIELD_HEIGHT + 3;
        draw_stick(panel, i, (unsigned)partner, place, top, left);
        drawn[i] = drawn[partner] = true;
        left += FIELD_WIDTH + 2;
    }
    return rows;
}

/* A level from the left, an axis from the middle. */
static void draw_bar(const panel_control *control, const panel_place *place, int row,
                     uint64_t now_us) {
    int room = place->width - NAME_WIDTH - 10;
    int begin = is_axis(control) || control->meaning.kind == YT_RATE ? room / 2 : 0;
    int end = (int)(share_of(control) * room + 0.5);
    if (end < begin) {
        int other = end;
        end = begin;
        begin = other;
    }
    put_name(place, control, row, now_us);
    for (int i = 0; i < room; i++)
        put(place, row, NAME_WIDTH + i,
            i >= begin && i < end ? coloured(PAIR_ON, A_REVERSE) : A_NORMAL,
            i >= begin && i < end ? " " : ".");
    if (room < 0)
        room = 0;
    if (control->meaning.kind == YT_RATE)
        put(place, row, NAME_WIDTH + room + 1, A_NORMAL, "%+7.1f",
            raw_value(&control->meaning, control->value));
    else
        put(place, row, NAME_WIDTH + room + 1, A_NORMAL, "%6.1f %%",
            100 * raw_value(&control->meaning, control->value));
}

static void draw_motion(const panel_control *control, const panel_place *place, int row,
                        uint64_t now_us) {
    put_name(place, control, row, now_us);
    put(place, row, NAME_WIDTH, A_NORMAL, "%+7.0f /s %+9" PRId64, control->per_second,
        control->sum);
}

static void draw_hat(const panel_control *control, const panel_place *place, int row,
                     uint64_t now_us) {
    static const char *const names[] = {"up",   "up right",  "right", "down right",
                                        "down", "down left", "left",  "up left"};
    int direction = raw_direction(&control->meaning, control->value);
    bool on = direction >= 0;
    put_name(place, control, row, now_us);
    put(place, row, NAME_WIDTH, on ? ON_SHOWN : A_NORMAL, " %-10s ",
        on ? names[direction & 7] : "centre");
}

/* Switches in columns: reversed while pressed. Of a keyboard only those that were pressed lately.
 */
static int draw_switches(const panel *panel, const panel_place *place, int top, uint64_t now_us) {
    int row = top, at = 0;
    bool any = false;
    for (unsigned i = 0; i < panel->count; i++) {
        const panel_control *control = &panel->controls[i];
        bool is_key = control->page == 7;
        if (!control->is_switch ||
            (is_key && !control->value && now_us > control->changed_us + FRESH_US))
            continue;
        int length = (int)strlen(control->name) + 2;
        if (at + length > place->width && at > 0) {
            at = 0;
            row++;
        }
        put(place, row, at, control->value ? ON_SHOWN : look_of(control, now_us), " %s ",
            control->name);
        at += length;
        any = true;
    }
    return any ? row - top + 1 : 0;
}

int panel_draw(panel *panel, panel_place place, uint64_t now_us) {
    bool drawn[PANEL_CONTROLS] = {false};
    char title[sizeof panel->title];
    end_second(panel, now_us);
    memcpy(title, panel->title, sizeof title);
    plain_line(title);
    put(&place, 0, 0, A_BOLD, "%s", title);
    put(&place, 1, 0, A_NORMAL, "%" PRIu64 " reports, %u a second", panel->reports,
        panel->per_second);
    int row = 3 + draw_sticks(panel, drawn, &place, 3);
    for (unsigned i = 0; i < panel->count; i++) {
        const panel_control *control = &panel->controls[i];
        if (control->is_switch || drawn[i])
            continue;
        if (control->meaning.kind == YT_MOTION)
            draw_motion(control, &place, row++, now_us);
        else if (control->meaning.is_hat)
            draw_hat(control, &place, row++, now_us);
        else
            draw_bar(control, &place, row++, now_us);
    }
    row += row > 3; /* a blank line, where something stands above */
    return row + draw_switches(panel, &place, row, now_us);
}
