#include "tool/measure_picture.h"

#include <math.h>
#include <stdlib.h>

#include "tool/plot.h"

#define RESTS   "#1f5f9f" /* two colours that all can tell apart, and by their forms too */
#define LET_GO  "#b4561e"
#define BARS    60
#define NEAR    0.3  /* where it is looked for when it rests */
#define HELD_S  0.05 /* it was held still for so long, */
#define HELD_IN 0.05 /* within so much, */
#define OUT     0.35 /* and so far out */
#define BEFORE  0.03 /* seconds that are shown of it before it is let go, */
#define BEHIND  0.25 /* and behind */

typedef struct place {
    double time, at[2];
} place;

static place place_of(const calibrating *calibrating, size_t i) {
    const device_part *part = calibrating->part;
    const sample *sample = &calibrating->samples[i];
    place place = {.time = (double)sample->time_us / 1e6};
    place.at[0] = raw_value(&part->meaning[0], sample->raw[0]);
    if (part->part.kind == YT_CALIBRATION_STICK)
        place.at[1] = raw_value(&part->meaning[1], sample->raw[1]);
    return place;
}

/* How often it is so far from 0. */
static void print_bars(FILE *to, const calibrating *calibrating) {
    size_t bars[BARS] = {0};
    for (size_t i = 0; i < calibrating->count; i++) {
        place place = place_of(calibrating, i);
        double far = hypot(place.at[0], place.at[1]);
        if (far < NEAR)
            bars[(size_t)(far / NEAR * BARS)]++;
    }
    for (unsigned i = 0; i < BARS; i++)
        fprintf(to, "%.4f %zu\n", (i + 0.5) * NEAR / BARS * 100, bars[i]);
    fprintf(to, "e\n");
}

static void draw_rests(FILE *to, const calibrating *calibrating, const measure_setting *setting) {
    fprintf(to,
            "set title 'how often it is so far from 0'\nset xlabel 'from 0, %% of its way'\n"
            "set ylabel 'reports'\nset logscale y\nset yrange [0.8:*]\nset xrange [0:%g]\n"
            "set boxwidth %g\nset style fill solid 0.8\nset key top right\n"
            "set grid y lc rgb '#dddddd'\n",
            100 * NEAR, 0.9 * 100 * NEAR / BARS);
    if (setting)
        fprintf(
            to,
            "set arrow 1 from first %.3f, graph 0 to first %.3f, graph 1 nohead lw 2 dt 2 lc rgb "
            "'#222222'\nset label 2 '%s=%s' at first %.3f, graph 0.96 offset 0.6,0\n",
            atof(setting->values[0]), atof(setting->values[0]), setting->labels[0],
            setting->values[0], atof(setting->values[0]));
    fprintf(to, "plot '-' with boxes lc rgb '" RESTS "' title 'reports'\n");
    print_bars(to, calibrating);
    fprintf(to, "unset arrow 1\nunset label 2\nunset logscale y\nset yrange [*:*]\n");
}

/* Whether it was held there until a report, and goes back from it at once. */
static bool is_let_go(const calibrating *calibrating, size_t i, const double rest[2]) {
    place here = place_of(calibrating, i);
    double x = here.at[0] - rest[0], y = here.at[1] - rest[1], far = hypot(x, y);
    if (far < OUT)
        return false;
    for (size_t k = i; k-- > 0;) {
        place before = place_of(calibrating, k);
        if (hypot(before.at[0] - here.at[0], before.at[1] - here.at[1]) > HELD_IN)
            return false;
        if (here.time - before.time > HELD_S)
            break;
    }
    for (size_t k = i + 1; k < calibrating->count; k++) {
        place behind = place_of(calibrating, k);
        double left = ((behind.at[0] - rest[0]) * x + (behind.at[1] - rest[1]) * y) / (far * far);
        if (behind.time - here.time > 0.05)
            return false;
        if (left < 0.1)
            return true;
    }
    return false;
}

/* The report from which on it goes: of those in a row the last. */
static size_t next_let_go(const calibrating *calibrating, size_t from, const double rest[2]) {
    for (size_t i = from; i < calibrating->count; i++)
        if (is_let_go(calibrating, i, rest)) {
            while (i + 1 < calibrating->count && is_let_go(calibrating, i + 1, rest))
                i++;
            return i;
        }
    return calibrating->count;
}

/* All of them, one line each: where it is, of where it was held. */
static void print_let_gos(FILE *to, const calibrating *calibrating, const double rest[2]) {
    size_t first = next_let_go(calibrating, 0, rest);
    for (size_t i = first; i < calibrating->count; i = next_let_go(calibrating, i + 1, rest)) {
        place held = place_of(calibrating, i);
        double x = held.at[0] - rest[0], y = held.at[1] - rest[1], far = x * x + y * y;
        size_t k = i;
        while (k > 0 && held.time - place_of(calibrating, k - 1).time < BEFORE)
            k--;
        for (; k < calibrating->count; k++) {
            place now = place_of(calibrating, k);
            if (now.time - held.time > BEHIND)
                break;
            fprintf(to, "%.3f %.3f\n", 1000 * (now.time - held.time),
                    100 * ((now.at[0] - rest[0]) * x + (now.at[1] - rest[1]) * y) / far);
        }
        fprintf(to, "\n");
    }
    if (first == calibrating->count)
        fprintf(to, "0 0\n");
    fprintf(to, "e\n");
}

static void draw_let_gos(FILE *to, const calibrating *calibrating, const part_measure *measure) {
    double over = 100 * measure_overshoot(measure);
    fprintf(
        to,
        "set title 'let go: where it is, of where it was held'\nset xlabel 'ms since it was let "
        "go'\nset ylabel '%%'\nset xrange [%g:%g]\nset yrange [-100:110]\n"
        "set grid lc rgb '#dddddd'\nset xzeroaxis lw 1.5 lc rgb '#222222'\n",
        -1000 * BEFORE, 1000 * BEHIND);
    if (over > 0)
        fprintf(
            to,
            "set label 3 'to the other side by %.0f%%: %.1f Hz, damping %.0f%%' at graph 0.96,0.9 "
            "right\nset arrow 3 from graph 0, first %.2f to graph 1, first %.2f nohead lw 1.5 dt 2 "
            "lc rgb '#222222'\n",
            over, measure->frequency, 100 * measure->damping, -over, -over);
    fprintf(to, "plot '-' with linespoints pt 7 ps 0.3 lw 1 lc rgb '" LET_GO "' notitle\n");
    print_let_gos(to, calibrating, measure->rest);
}

static void draw_course(FILE *to, const calibrating *calibrating) {
    size_t step = calibrating->count / 20000 + 1;
    double from = calibrating->count ? place_of(calibrating, 0).time : 0;
    fprintf(to,
            "set title 'over time'\nset xlabel 'seconds'\nset ylabel '%%'\nset xrange [*:*]\n"
            "set yrange [*:*]\nset grid lc rgb '#dddddd'\nplot '-' with lines lw 1 lc rgb '" LET_GO
            "' notitle\n");
    for (size_t i = 0; i < calibrating->count; i += step)
        fprintf(to, "%.4f %.3f\n", place_of(calibrating, i).time - from,
                100 * place_of(calibrating, i).at[0]);
    fprintf(to, "e\n");
}

bool draw_measure(const char *path, const char *title, const calibrating *calibrating,
                  const part_measure *measure, const measure_setting *setting) {
    plot plot;
    plot_begin(&plot, path, 800);
    fprintf(plot.commands, "set label 1 ");
    plot_text(&plot, title);
    fprintf(plot.commands,
            " at screen 0.5,0.975 center font 'DejaVu Sans,12'\nset multiplot layout 1,2\n"
            "set tmargin 5\nset bmargin 5\n");
    draw_rests(plot.commands, calibrating, setting);
    fprintf(plot.commands, "unset label 1\n");
    if (calibrating->part->part.kind == YT_CALIBRATION_STICK)
        draw_let_gos(plot.commands, calibrating, measure);
    else
        draw_course(plot.commands, calibrating);
    fprintf(plot.commands, "unset multiplot\n");
    return plot_end(&plot, path);
}
