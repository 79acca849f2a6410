#include "tool/plot_live.h"

#include <curses.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/panel.h"
#include "tool/playing.h"
#include "tool/watching.h"

#define LAST_US (UINT64_MAX / 4) /* behind all that a recording holds */
#define SETTLE  40               /* steps of a sweep at its first place */
#define PLACES  200              /* of a curve that are known */
#define LEFT    9                /* columns, and */
#define TOP     3                /* lines, in front of what is drawn */

typedef struct live {
    const live_options *options;
    watch_options watch;
    watching watching;
    swept_input input;
    swept_output output;
    double curve[PLACES + 1][2]; /* what comes out, from one end to the other */
    double in[2], out[2];        /* now */
} live;

/* What a slow hand gets, from one end to the other. */
static bool find_curve(live *live, const profile *profile) {
    double low = sweep_lowest(&live->input), high = sweep_highest(&live->input), in[2] = {low, 0};
    sweep sweep;
    if (!sweep_begin(&sweep, profile, live->options->profile))
        return false;
    for (unsigned i = 0; i < SETTLE; i++)
        sweep_step(&sweep, &live->input, in, &live->output, live->curve[0]);
    for (unsigned i = 0; i <= PLACES; i++) {
        in[0] = low + (high - low) * i / PLACES;
        sweep_step(&sweep, &live->input, in, &live->output, live->curve[i]);
    }
    sweep_end(&sweep);
    return true;
}

static void look(live *live) {
    for (unsigned i = 0; i < 2; i++) {
        live->in[i] = i == 0 || live->input.is_stick
                          ? yt_engine_control(&live->watching.engine, live->input.controls[i]) /
                                (double)YT_ONE
                          : 0;
        live->out[i] = i == 0 || live->output.is_stick
                           ? sweep_value(&live->watching.engine, &live->watching.profile,
                                         live->output.roots[i])
                           : 0;
    }
}

/* ---- on the screen ---- */

/* An area of the screen, and the numbers at its edges. */
typedef struct area {
    int top, left, lines, columns;
    double low[2], high[2]; /* of columns from the left, of lines from below */
} area;

static void mark(const area *area, double x, double y, chtype what) {
    double column = (x - area->low[0]) / (area->high[0] - area->low[0]) * (area->columns - 1);
    double line = (y - area->low[1]) / (area->high[1] - area->low[1]) * (area->lines - 1);
    int at = area->top + area->lines - 1 - (int)lround(fmax(0, fmin(area->lines - 1, line)));
    mvaddch(at, area->left + (int)lround(fmax(0, fmin(area->columns - 1, column))), what);
}

static void draw_frame(const area *area, const char *title) {
    mvaddnstr(area->top - 2, area->left, title, area->columns);
    for (int i = 0; i < area->lines; i++)
        mvaddch(area->top + i, area->left - 1, ACS_VLINE);
    mvhline(area->top + area->lines, area->left, ACS_HLINE, area->columns);
    mvaddch(area->top + area->lines, area->left - 1, ACS_LLCORNER);
}

static void draw_curve(const live *live, int lines, int columns) {
    const swept_input *input = &live->input;
    double low = sweep_lowest(input), high = sweep_highest(input);
    bool is_signed = live->output.kind == YT_AXIS || live->output.is_stick;
    area area = {TOP,      LEFT, lines - TOP - 4, columns - LEFT - 2, {low, is_signed ? -1 : 0},
                 {high, 1}};
    char title[200], text[40];
    snprintf(title, sizeof title, "%s by %s", live->options->output, live->options->over);
    draw_frame(&area, title);
    mvprintw(area.top, 0, "%7d%%", 100);
    mvprintw(area.top + area.lines - 1, 0, "%7d%%", is_signed ? -100 : 0);
    snprintf(text, sizeof text, "%.4g %s", sweep_shown(input, low), sweep_unit(input));
    mvaddstr(area.top + area.lines + 1, LEFT, text);
    snprintf(text, sizeof text, "%.4g %s", sweep_shown(input, high), sweep_unit(input));
    mvaddstr(area.top + area.lines + 1, columns - 2 - (int)strlen(text), text);
    for (unsigned side = 0; side < (live->output.is_stick ? 2u : 1u); side++)
        for (unsigned i = 0; i <= PLACES; i++)
            mark(&area, low + (high - low) * i / PLACES, live->curve[i][side], side ? ',' : '.');
    for (unsigned side = 0; side < (live->output.is_stick ? 2u : 1u); side++)
        mark(&area, live->in[0], live->out[side], '@' | A_BOLD);
}

/* A stick before and after, each in a field as wide as it is high to the eye. */
static void draw_fields(const live *live, int lines, int columns) {
    int high = lines - TOP - 3, wide = columns / 2 - 4;
    high = high < wide / 2 ? high : wide / 2;
    for (unsigned i = 0; i < 2; i++) {
        area area = {TOP, 2 + (int)i * (columns / 2), high, 2 * high, {-1.05, -1.05}, {1.05, 1.05}};
        const double *at = i ? live->out : live->in;
        draw_frame(&area, i ? live->options->output : live->options->over);
        for (unsigned k = 0; k < 120; k++)
            mark(&area, sin(k * 0.05236), cos(k * 0.05236), '.');
        mark(&area, 0, 0, '+');
        mark(&area, at[0], -at[1], '@' | A_BOLD);
    }
}

static void draw(const live *live, bool is_held) {
    int lines, columns;
    getmaxyx(stdscr, lines, columns);
    erase();
    if (lines >= 10 && columns >= 30) {
        if (live->input.is_stick && live->output.is_stick)
            draw_fields(live, lines, columns);
        else
            draw_curve(live, lines, columns);
        mvhline(lines - 2, 0, ACS_HLINE, columns);
    }
    char text[200];
    bool has_two = live->input.is_stick && live->output.is_stick;
    snprintf(text, sizeof text,
             has_two ? "%.2f s%s  %.1f, %.1f -> %.1f, %.1f %%  q: leave  space: hold"
                     : "%.2f s%s  %.1f -> %.1f %%  q: leave  space: hold",
             (double)live->watching.now_us / 1e6, is_held ? " (held)" : "",
             sweep_shown(&live->input, live->in[0]),
             has_two ? 100 * live->in[1] : 100 * live->out[0], 100 * live->out[0],
             100 * live->out[1]);
    mvaddnstr(lines - 1, 1, text, columns - 2);
    refresh();
}

static bool show(live *live) {
    uint64_t last_us = clock_us(), time_us = 0;
    bool is_held = false;
    if (!panel_open(25))
        return false;
    for (int key = 0; !is_stopped() && key != 'q'; key = getch()) {
        uint64_t clock = clock_us();
        is_held ^= key == ' ';
        if (!is_held)
            time_us += (uint64_t)((double)(clock - last_us) * live->options->speed);
        last_us = clock;
        if (!is_held && !live->watching.ended)
            watching_advance(&live->watching, time_us);
        look(live);
        draw(live, is_held);
    }
    endwin();
    return true;
}

/* ---- line by line ---- */

#define LINE_US 20000 /* of a recording, from one line to the next that may be printed */

static void print(live *live) {
    uint64_t begun_us = clock_us();
    double speed = live->options->speed, last[4] = {9, 9, 9, 9};
    bool has_two = live->input.is_stick && live->output.is_stick;
    printf("   time in s  %s -> %s, %%\n", live->options->over, live->options->output);
    for (uint64_t at_us = 0; !live->watching.ended && !is_stopped(); at_us += LINE_US) {
        while (speed > 0 && (double)(clock_us() - begun_us) * speed < (double)at_us &&
               !is_stopped())
            usleep(2000);
        watching_advance(&live->watching, at_us);
        look(live);
        const double now[4] = {live->in[0], live->in[1], live->out[0], live->out[1]};
        if (memcmp(now, last, sizeof now) == 0)
            continue;
        memcpy(last, now, sizeof now);
        if (has_two)
            printf("%12.3f  %.1f, %.1f -> %.1f, %.1f\n", (double)live->watching.now_us / 1e6,
                   100 * now[0], 100 * now[1], 100 * now[2], 100 * now[3]);
        else
            printf("%12.3f  %.1f -> %.1f\n", (double)live->watching.now_us / 1e6,
                   sweep_shown(&live->input, now[0]), 100 * now[2]);
        fflush(stdout);
    }
}

bool plot_live(const live_options *options) {
    static live live;
    memset(&live, 0, sizeof live);
    live.options = options;
    live.watch = (watch_options){.limit = UINT64_MAX,
                                 .sources = {options->device},
                                 .source_count = 1,
                                 .profile = options->profile,
                                 .calibrations = options->calibrations,
                                 .speed = options->speed};
    live.watching.options = &live.watch;
    if (!watching_begin(&live.watching))
        return false;
    const profile *profile = &live.watching.profile;
    bool good = sweep_find_output(profile, options->profile, options->output, &live.output) &&
                sweep_find_input(profile, options->profile, options->over, &live.input) &&
                find_curve(&live, profile);
    stop_by_signals();
    if (good && options->plain)
        print(&live);
    else if (good)
        good = show(&live);
    watching_end(&live.watching);
    return good;
}
