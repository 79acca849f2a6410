/* What a device does, or with a profile what its host gets, as it happens. */
#include <argp.h>
#include <curses.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/adapter_watch.h"
#include "tool/json_text.h"
#include "tool/output.h"
#include "tool/playing.h"
#include "tool/plugs.h"
#include "tool/watching.h"

#define LAST_US (UINT64_MAX / 4) /* behind all that a recording holds */

#define TWO_COLUMNS   72  /* columns from which the hosts stand beside the devices */
#define PAPER_LINES   600 /* what can be scrolled through */
#define PAPER_COLUMNS 500

/* All devices one below the other; what the hosts get stands beside them, or below where there is
 * little room. How many lines that is. */
static int draw_paper(watching *watching, WINDOW *paper, int width) {
    bool is_wide = watching->has_profile && width >= TWO_COLUMNS;
    int column = is_wide ? width / 2 - 2 : width - 2, row = 0;
    for (unsigned i = 0; i < watching->device_count && row < PAPER_LINES / 2; i++)
        row += 1 + panel_draw(&watching->devices[i].panel, (panel_place){paper, row, 1, column},
                              watching->now_us);
    if (!watching->has_profile)
        return row;
    if (!is_wide)
        return row + panel_draw(&watching->hosts_panel, (panel_place){paper, row, 1, column},
                                watching->now_us);
    int beside =
        panel_draw(&watching->hosts_panel, (panel_place){paper, 0, column + 4, width - column - 5},
                   watching->now_us);
    mvwvline(paper, 0, column + 2, ACS_VLINE, row > beside ? row : beside);
    return row > beside ? row : beside;
}

/* What there is to say of the whole, as much of it as fits. */
static void draw_foot(const watching *watching, int height, int width, bool scrolls) {
    char text[200];
    snprintf(
        text, sizeof text, "%.3f s%s  q: leave  space: hold%s%s", (double)watching->now_us / 1e6,
        watching->paused  ? " (held)"
        : watching->ended ? " (ended)"
                          : "",
        scrolls ? "  arrows: scroll" : "", watching_has_motor(watching) ? "  p: test pulse" : "");
    mvhline(height - 2, 0, ACS_HLINE, width);
    move(height - 1, 0);
    clrtoeol();
    mvaddnstr(height - 1, 1, text, width - 2);
}

/* Draws the paper from line `first` on; that is kept within what there is. */
static void draw(watching *watching, WINDOW *paper, int *first) {
    int height, width;
    getmaxyx(stdscr, height, width);
    if (height < 4 || width < 10)
        return;
    werase(paper);
    int lines = draw_paper(watching, paper, width), shown = height - 2;
    int last = lines > shown ? lines - shown : 0;
    *first = *first < 0 ? 0 : *first > last ? last : *first;
    draw_foot(watching, height, width, last > 0);
    wnoutrefresh(stdscr);
    pnoutrefresh(paper, *first, 0, 0, 0, shown - 1, width - 1);
    doupdate();
}

/* How far a key scrolls; 0: it is no such key. */
static int scrolls_by(int key) {
    int page = LINES > 6 ? LINES - 4 : 1;
    return key == KEY_DOWN    ? 1
           : key == KEY_UP    ? -1
           : key == KEY_NPAGE ? page
           : key == KEY_PPAGE ? -page
           : key == KEY_HOME  ? -PAPER_LINES
           : key == KEY_END   ? PAPER_LINES
                              : 0;
}

static bool watch_screen(watching *watching) {
    uint64_t last_us = clock_us(), time_us = 0;
    int first = 0;
    if (!panel_open(25))
        return false;
    panel_colours(output_has_colours());
    WINDOW *paper = newpad(PAPER_LINES, PAPER_COLUMNS);
    if (watching->options->pulse)
        watching_pulse(watching);
    while (!is_stopped()) {
        int key = getch();
        if (key == 'q')
            break;
        if (key == 'p' && !watching->paused)
            watching_pulse(watching);
        if (key == ' ') {
            watching->paused = !watching->paused;
            watching_still(watching); /* nothing would end it while it is held */
        }
        uint64_t clock = clock_us();
        if (!watching->paused)
            time_us += (uint64_t)((double)(clock - last_us) * watching->options->speed);
        last_us = clock;
        if (!watching->ended && !watching->paused)
            watching_advance(watching, time_us);
        first += scrolls_by(key);
        draw(watching, paper, &first);
    }
    delwin(paper);
    endwin();
    return true;
}

static void watch_plainly(watching *watching) {
    uint64_t start_us = clock_us();
    if (!watching->options->json)
        printf("   time in s  from  control                         value\n");
    if (watching->options->pulse)
        watching_pulse(watching);
    while (!watching->ended && !is_stopped() && !watching->is_full) {
        double speed = watching->options->speed;
        uint64_t time_us = (uint64_t)((double)(clock_us() - start_us) * (speed > 0 ? speed : 1));
        watching_advance(watching, speed > 0 || watching_is_live(watching) ? time_us : LAST_US);
        fflush(stdout);
        if (!watching->ended)
            usleep(2000);
    }
}

static bool watch(watching *watching) {
    if (!watching_begin(watching))
        return false;
    stop_by_signals();
    bool good = true;
    if (watching->options->plain)
        watch_plainly(watching);
    else
        good = watch_screen(watching);
    watching_still(watching);
    if (watching->write_error)
        fprintf(stderr, "a device did not take what it was sent: %s\n",
                strerror(watching->write_error));
    if (watching->is_full)
        fprintf(stderr,
                "%s: stopped at %.3f s, after %" PRIu64 " changes; --limit %" PRIu64
                " lets it go on longer\n",
                watching->options->sources[0], (double)watching->now_us / 1e6, watching->changes,
                2 * watching->options->limit);
    return good && watching->write_error == 0 && !watching->is_full;
}

enum {
    OPTION_PLAIN = OPTION_OWN,
    OPTION_SPEED,
    OPTION_WITH,
    OPTION_THROUGH,
    OPTION_DEVICE,
    OPTION_PULSE,
    OPTION_CHANGES_LIMIT,
    OPTION_AT
};

static error_t parse(int key, char *argument, struct argp_state *state) {
    watch_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->calibrations;
        return 0;
    case 'j':
        options->json = options->plain = true;
        return 0;
    case OPTION_PLAIN:
        options->plain = true;
        return 0;
    case OPTION_SPEED:
        options->speed = speed_argument(state, argument);
        options->has_speed = true;
        return 0;
    case OPTION_WITH:
        options->description = argument;
        return 0;
    case OPTION_THROUGH:
        options->profile = argument;
        return 0;
    case OPTION_DEVICE:
        options->device = device_argument(state, argument);
        return 0;
    case OPTION_PULSE:
        options->pulse = true;
        return 0;
    case OPTION_CHANGES_LIMIT:
        options->limit = limit_argument(state, argument);
        return 0;
    case OPTION_AT:
        options->at = argument;
        return 0;
    case ARGP_KEY_END:
        options->plain |= !isatty(STDOUT_FILENO); /* there is nothing to draw on */
        if (options->at || options->source_count == 0) {
            if (options->source_count || options->description || options->profile ||
                options->has_speed || options->device || options->pulse ||
                options->calibrations.count)
                argp_error(state, "an adapter is watched by itself: leave out all but --at, "
                                  "--plain and --json, or say which device");
            return 0;
        }
        speed_check(state, options->plain, options->speed);
        for (unsigned i = 0; i < options->source_count; i++)
            speed_of_device(state, options->has_speed, options->sources[i]);
        if (options->calibrations.count && !options->profile)
            argp_error(state, "--calibration is for a profile (--through); a device's own numbers "
                              "are shown as they are");
        if (options->pulse && !options->profile)
            argp_error(state, "--pulse is for a profile that drives a motor (--through)");
        return 0;
    case ARGP_KEY_ARG:
        if (options->source_count == WATCH_DEVICES)
            argp_error(state, "up to %d devices are watched at once", WATCH_DEVICES);
        options->sources[options->source_count++] = argument;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_watch(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"through", OPTION_THROUGH, "PROFILE", 0, "show what the host gets by a profile, too", 0},
        {"with", OPTION_WITH, "DESCRIPTION", 0, "use the names of a description", 0},
        {"speed", OPTION_SPEED, "FACTOR", 0, SPEED_HELP, 0},
        {"device", OPTION_DEVICE, "NUMBER", 0, DEVICE_HELP, 0},
        {"pulse", OPTION_PULSE, 0, 0,
         "a test pulse at the start: the device's motors run for 0.3 s", 0},
        {"at", OPTION_AT, "PATH", 0, "watch the adapter that is there, and turn its parameters", 0},
        {"plain", OPTION_PLAIN, 0, 0, "print a line for each change", 0},
        JSON_OPTION("print each change as JSON, one in a line"),
        {"limit", OPTION_CHANGES_LIMIT, "CHANGES", 0,
         "stop where a recording would give more changes than this; 1000000 if not given", 0},
        {0}};
    static const struct argp_child children[] = {{&calibration_argp, 0, NULL, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .children = children,
        .args_doc = "DEVICE...\n",
        .doc =
            "Shows a device's controls as they change, by the names that a profile uses: bars "
            "for levels, a dot in a field for sticks, counts a second for motion. Several "
            "devices are "
            "shown at once.\vA device is a "
            "node such as /dev/hidraw0 or a recording; with --through also a board's log. With no "
            "device, it is the adapter that is plugged in which is watched: what comes in, what "
            "goes out, and its parameters, which the arrow keys turn while you feel it."};
    static watching watching;
    watch_options options = {.speed = 1, .limit = LIMIT_REPORTS};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.source_count == 0)
        return adapter_watch(options.at, options.plain, options.json) ? 0 : 1;
    watching.options = &options;
    bool good = watch(&watching);
    watching_end(&watching);
    return good ? 0 : 1;
}
