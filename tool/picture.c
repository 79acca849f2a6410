/* What came in and what went out, drawn by gnuplot: a lane for each control, one time axis. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "tool/tool.h"

#define LANES_MOST 34

/* One control's lane, and what was last drawn in it. */
typedef struct lane {
    char name[160];
    bool is_output;
    bool is_switch;
    bool is_motion;
    bool is_hat;
    double span; /* the largest size of its values */
    double from; /* of a switch: since when it is pressed; below 0: it is not */
} lane;

typedef struct drawing {
    lane lanes[LANES_MOST];
    unsigned lane_count;
    unsigned left_out; /* changes of controls that found no lane */
    double end;
} drawing;

static bool is_hat(const host_control *control) {
    return control->page == 0x01 && control->usage == 0x39;
}

static lane *lane_of(drawing *drawing, const profile *profile, const sim_plug *plugs,
                     const sim_change *change) {
    char name[160];
    change_name(profile, plugs, change, name, sizeof name);
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].is_output == change->is_output &&
            strcmp(drawing->lanes[i].name, name) == 0)
            return &drawing->lanes[i];
    if (drawing->lane_count == LANES_MOST) {
        drawing->left_out++;
        return NULL;
    }
    lane *lane = &drawing->lanes[drawing->lane_count++];
    memcpy(lane->name, name, sizeof name);
    lane->is_output = change->is_output;
    lane->is_switch = host_control_is_switch(&change->control);
    lane->is_motion = change->control.is_relative;
    lane->is_hat = is_hat(&change->control);
    lane->from = -1;
    return lane;
}

static double size_of(const sim_change *change) {
    double value = (double)change->control.value;
    return value < 0 ? -value : value;
}

/* Inputs first, then outputs, each in the order in which they first moved. */
static int compare_lanes(const void *a, const void *b) {
    const lane *one = a, *other = b;
    if (one->is_output != other->is_output)
        return one->is_output ? 1 : -1;
    return strcmp(one->name, other->name);
}

static void make_lanes(drawing *drawing, const profile *profile, const sim_plug *plugs,
                       const change_list *changes) {
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        lane *lane = lane_of(drawing, profile, plugs, change);
        double full = change->control.maximum > 0 ? (double)change->control.maximum : 1;
        if (lane && !lane->is_motion)
            lane->span = full;
        else if (lane && size_of(change) > lane->span)
            lane->span = size_of(change);
        drawing->end = (double)change->time_us / 1e6;
    }
    qsort(drawing->lanes, drawing->lane_count, sizeof drawing->lanes[0], compare_lanes);
}

/* Lanes stand from the top down; outputs one lane lower, behind the line. */
static double height_of(const drawing *drawing, const lane *lane) {
    unsigned index = (unsigned)(lane - drawing->lanes);
    return (double)(drawing->lane_count - index) - (lane->is_output ? 1 : 0);
}

static void print_bar(FILE *plot, double from, double to, double height) {
    fprintf(plot, "%.6f %.3f %.6f %.6f %.3f %.3f\n", (from + to) / 2, height, from, to,
            height - 0.32, height + 0.32);
}

static void print_bars(FILE *plot, drawing *drawing, const profile *profile, const sim_plug *plugs,
                       const change_list *changes, bool outputs) {
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        lane *lane = lane_of(drawing, profile, plugs, change);
        if (!lane || lane->is_output != outputs || !(lane->is_switch || lane->is_hat))
            continue;
        double now = (double)change->time_us / 1e6, height = height_of(drawing, lane);
        bool on = lane->is_hat ? change->control.value >= 0 && change->control.value < 8
                               : change->control.value != 0;
        if (lane->from >= 0)
            print_bar(plot, lane->from, now, height);
        lane->from = on ? now : -1;
    }
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].from >= 0 && drawing->lanes[i].is_output == outputs)
            print_bar(plot, drawing->lanes[i].from, drawing->end,
                      height_of(drawing, &drawing->lanes[i]));
    fprintf(plot, "-1 0 -1 -1 0 0\ne\n"); /* gnuplot wants at least one row */
}

/* Motion as strokes from the lane's middle. */
static void print_strokes(FILE *plot, drawing *drawing, const profile *profile,
                          const sim_plug *plugs, const change_list *changes, bool outputs) {
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        const lane *lane = lane_of(drawing, profile, plugs, change);
        if (!lane || lane->is_output != outputs || !lane->is_motion)
            continue;
        fprintf(plot, "%.6f %.3f 0 %.4f\n", (double)change->time_us / 1e6, height_of(drawing, lane),
                0.45 * (double)change->control.value / lane->span);
    }
    fprintf(plot, "-1 0 0 0\ne\n");
}

/* Axes as steps about the lane's middle, a line for each. */
static void print_lines(FILE *plot, drawing *drawing, const profile *profile, const sim_plug *plugs,
                        const change_list *changes, bool outputs) {
    for (unsigned k = 0; k < drawing->lane_count; k++) {
        const lane *line = &drawing->lanes[k];
        if (line->is_output != outputs || line->is_switch || line->is_motion || line->is_hat)
            continue;
        double height = height_of(drawing, line), last = 0;
        fprintf(plot, "0 %.3f\n", height);
        for (size_t i = 0; i < changes->count; i++) {
            const sim_change *change = &changes->list[i];
            if (lane_of(drawing, profile, plugs, change) != line)
                continue;
            last = 0.42 * (double)change->control.value / line->span;
            fprintf(plot, "%.6f %.4f\n", (double)change->time_us / 1e6, height + last);
        }
        fprintf(plot, "%.6f %.4f\n\n", drawing->end, height + last);
    }
    fprintf(plot, "-1 0\ne\n");
}

static void print_text(FILE *plot, const char *text) {
    fputc('"', plot);
    for (; *text; text++) {
        if (strchr("\"\\", *text))
            fputc('\\', plot);
        fputc((unsigned char)*text < ' ' ? ' ' : *text, plot);
    }
    fputc('"', plot);
}

static void print_frame(FILE *plot, const drawing *drawing, const char *path, const char *title) {
    unsigned inputs = 0;
    fprintf(plot,
            "set terminal pngcairo size 1280,800 font 'DejaVu Sans,10' noenhanced\nset output ");
    print_text(plot, path);
    fprintf(plot, "\nset title ");
    print_text(plot, title);
    fprintf(plot, "\nset ytics (");
    for (unsigned i = 0; i < drawing->lane_count; i++) {
        inputs += !drawing->lanes[i].is_output;
        fprintf(plot, "%s", i ? ", " : "");
        print_text(plot, drawing->lanes[i].name);
        fprintf(plot, " %.3f", height_of(drawing, &drawing->lanes[i]));
    }
    double line = (double)(drawing->lane_count - inputs);
    fprintf(plot,
            ")\nset xlabel 'seconds      (bars: switches and hats; strokes: motion; lines: axes, "
            "positive upwards)'\nset xrange [0:%.6f]\nset yrange [-0.6:%.3f]\n"
            "set tics out nomirror\nset border 3\nset grid x lc rgb '#dddddd' lw 1\n"
            "set arrow from graph 0, first %.3f to graph 1, first %.3f nohead lc rgb '#555555' "
            "dt 2\nset label 'came in' at graph 1.005, first %.3f left tc rgb '#1f5f9f'\n"
            "set label 'went out' at graph 1.005, first %.3f left tc rgb '#b4561e'\n"
            "set rmargin 10\nset key off\nset style fill solid 0.85 noborder\n",
            drawing->end > 0 ? drawing->end * 1.01 : 1, drawing->lane_count + 0.7, line, line,
            line + 0.5, line - 0.5);
    if (drawing->left_out)
        fprintf(plot,
                "set label '%u further controls or changes are not drawn' at graph 0.5, "
                "screen 0.02 center\n",
                drawing->left_out);
}

static void print_plots(FILE *plot, drawing *drawing, const profile *profile, const sim_plug *plugs,
                        const change_list *changes) {
    fprintf(plot, "plot '-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#1f5f9f', "
                  "'-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#b4561e', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#b4561e', "
                  "'-' with steps lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with steps lw 1.5 lc rgb '#b4561e'\n");
    print_bars(plot, drawing, profile, plugs, changes, false);
    print_bars(plot, drawing, profile, plugs, changes, true);
    print_strokes(plot, drawing, profile, plugs, changes, false);
    print_strokes(plot, drawing, profile, plugs, changes, true);
    print_lines(plot, drawing, profile, plugs, changes, false);
    print_lines(plot, drawing, profile, plugs, changes, true);
}

bool draw_picture(const char *path, const profile *profile, const sim_plug *plugs,
                  const change_list *changes, const char *title) {
    drawing drawing = {0};
    FILE *plot = popen("gnuplot", "w");
    if (!plot) {
        perror("gnuplot");
        return false;
    }
    make_lanes(&drawing, profile, plugs, changes);
    print_frame(plot, &drawing, path, title);
    print_plots(plot, &drawing, profile, plugs, changes);
    if (pclose(plot) == 0)
        return true;
    fprintf(stderr, "%s: the picture could not be drawn; it takes the package gnuplot-nox\n", path);
    return false;
}
