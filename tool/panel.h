/* What one device's controls, or one host's, are now: kept up to date, and drawn in a terminal. */
#ifndef YONDER_TOOL_PANEL_H
#define YONDER_TOOL_PANEL_H

#include <curses.h>
#include <stdbool.h>
#include <stdint.h>

#include "compiler/formulas/naming.h"
#include "ports/sim/host.h"

#define PANEL_CONTROLS 320

typedef struct panel_control {
    char name[96];
    uint16_t page, usage, bit;
    uint8_t report_id;
    bool is_switch;
    yt_raw_meaning meaning;
    int64_t value;
    int64_t sum;         /* of motion */
    double per_second;   /* of motion */
    int64_t counted;     /* of motion, in this second */
    uint64_t changed_us; /* 0: never */
} panel_control;

typedef struct panel {
    char title[160];
    panel_control controls[PANEL_CONTROLS];
    unsigned count;
    uint64_t reports;
    unsigned reports_now; /* in this second */
    unsigned per_second;
    uint64_t second_us; /* when this second began */
} panel;

/* A control has changed, or moved. One that is new gets a place. */
void panel_change(panel *panel, const char *name, const yt_raw_meaning *meaning,
                  const host_control *control, uint64_t now_us);

/* A report came. */
void panel_report(panel *panel, uint64_t now_us);

/* Takes the terminal that standard output is, to draw on; a key is waited for at most `wait_ms`
 * milliseconds. False: it cannot be drawn on, said on standard error. */
bool panel_open(int wait_ms);

/* Where a panel draws: a column of a window, cut at its width. */
typedef struct panel_place {
    WINDOW *window;
    int top, left, width;
} panel_place;

/* The colours that panels use; once, when the screen is there. */
void panel_colours(bool wanted);

/* Draws a panel; how many lines it took. */
int panel_draw(panel *panel, panel_place place, uint64_t now_us);

#endif
