/* A calibration in the terminal, while it is gathered: where the part is, and what is known. */
#include <curses.h>
#include <math.h>
#include <string.h>

#include "tool/calibrating.h"

#define PI 3.14159265358979323846

/* A field of the screen: two columns are as wide as a line is high. */
typedef struct field {
    int top, left, radius;
} field;

static void put(const field *field, double x, double y, chtype mark) {
    int line = field->top + field->radius + (int)lround(y * field->radius);
    int column = field->left + 2 * field->radius + (int)lround(2 * x * field->radius);
    mvaddch(line, column, mark);
}

/* Each direction of the rim by what is known of it: a dot, a circle, a full block. */
static void draw_rim(const field *field, const yt_calibration_news *news) {
    for (unsigned i = 0; i < YT_CALIBRATION_SECTORS; i++) {
        double a = 2 * PI * i / YT_CALIBRATION_SECTORS;
        chtype mark = news->covered >> i & 1 ? '#' | A_BOLD : news->begun >> i & 1 ? 'o' : '.';
        put(field, sin(a), -cos(a), mark);
    }
}

static void draw_stick(const field *field, const calibrating *calibrating) {
    const yt_calibration_news *news = &calibrating->news;
    draw_rim(field, news);
    put(field, 0.85 * news->rest[0] / 16384.0, 0.85 * news->rest[1] / 16384.0, '+');
    put(field, 0.85 * news->at[0] / 16384.0, 0.85 * news->at[1] / 16384.0, '@' | A_BOLD);
}

/* A bar from -1 to 1, or from 0 to 1, with where it is and where it rests. */
static void draw_bar(int line, int left, int width, double at, double rest) {
    int place = (int)lround((at + 1) / 2 * (width - 1));
    int rests = (int)lround((rest + 1) / 2 * (width - 1));
    mvhline(line, left, '.', width);
    mvaddch(line, left + (rests < 0 ? 0 : rests >= width ? width - 1 : rests), '+');
    mvaddch(line, left + (place < 0 ? 0 : place >= width ? width - 1 : place), '@' | A_BOLD);
}

static void draw_bars(const field *field, const calibrating *calibrating, int width) {
    const yt_calibration_news *news = &calibrating->news;
    bool is_motion = calibrating->part->part.kind >= YT_CALIBRATION_GYRO;
    double full = is_motion ? 400 : 16384; /* counts: what lies still is seen to move */
    for (int i = 0; i < (is_motion ? 3 : 1); i++) {
        if (is_motion)
            mvaddch(field->top + 2 * i, field->left, (chtype)('x' + i));
        draw_bar(field->top + 2 * i, field->left + 2, width - 2, news->at[i] / full,
                 news->rest[i] / full);
    }
}

/* Words, broken into lines of a width. How many lines. */
static int draw_words(int line, int left, int width, const char *text) {
    int lines = 0;
    while (*text) {
        int length = (int)strlen(text);
        if (length > width)
            for (length = width; length > 0 && text[length] != ' '; length--)
                continue;
        length = length > 0 ? length : width;
        mvaddnstr(line + lines++, left, text, length);
        text += length;
        text += strspn(text, " ");
    }
    return lines;
}

static int draw_facts(const calibrating *calibrating, int line, int left, int width) {
    const yt_calibration_news *news = &calibrating->news;
    char text[300];
    static const char *const states[] = {"waiting", "gathering", "enough", "failed"};
    int filled = news->percent * (width - 8) / 100;
    snprintf(text, sizeof text, "%3u%%  (%s)", news->percent, states[news->state]);
    mvaddnstr(line++, left, text, width);
    mvaddch(line, left, '[');
    mvhline(line, left + 1, '-', width - 8);
    mvhline(line, left + 1, '=' | A_BOLD, filled);
    mvaddch(line++, left + width - 7, ']');
    calibrating_advice(calibrating, text, sizeof text);
    attron(A_BOLD);
    line += 1 + draw_words(line + 1, left, width, text);
    attroff(A_BOLD);
    if (calibrating->gathering.notches_wanted) {
        snprintf(text, sizeof text, "notches   %u of %u", news->notches,
                 calibrating->gathering.notches_wanted);
        mvaddnstr(++line, left, text, width);
    }
    if (calibrating->part->part.kind == YT_CALIBRATION_STICK) {
        snprintf(text, sizeof text, "let go    %u of the 12 that its spring takes", news->let_gos);
        mvaddnstr(++line, left, text, width);
        mvaddnstr(line += 2, left, "# known   o passed   . not yet", width);
        mvaddnstr(++line, left, "@ where it is   + where it rests", width);
    }
    if (news->gaps || news->backwards) {
        snprintf(text, sizeof text, "%u pauses, %u times back", news->gaps, news->backwards);
        mvaddnstr(line += 2, left, text, width);
    }
    return line;
}

void draw_calibrating(const calibrating *calibrating, int lines, int columns) {
    char title[2 * USAGE_NAME_BYTES + 200];
    bool is_stick = calibrating->part->part.kind == YT_CALIBRATION_STICK;
    int radius = (lines - 5) / 2 < columns / 8 ? (lines - 5) / 2 : columns / 8;
    field field = {2, 2, radius > 1 ? radius : 1};
    int right = is_stick ? 4 * field.radius + 8 : columns / 2 + 2;
    erase();
    if (lines < 8 || columns < 40) {
        mvaddnstr(0, 0, "this window is too small", columns);
        return;
    }
    snprintf(title, sizeof title, "%s of %s", calibrating->part->name, calibrating->device->name);
    mvaddnstr(0, 2, title, columns - 4);
    if (is_stick)
        draw_stick(&field, calibrating);
    else
        draw_bars(&field, calibrating, columns / 2 - 4);
    draw_facts(calibrating, 2, right, columns - right - 2);
    mvhline(lines - 2, 0, ACS_HLINE, columns);
    mvaddnstr(lines - 1, 1, "Enter: that is enough  q: leave it", columns - 2);
}
