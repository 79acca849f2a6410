/* What came in, what went on inside and what went out, drawn by gnuplot: a lane for each, one time
 * axis. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "tool/picture.h"
#include "tool/plot.h"

#define LANES_SIDE 80 /* of inputs, and of outputs, at most */

typedef enum side { CAME_IN, INSIDE, WENT_OUT, SIDES } side;

/* A lane, and what was last drawn in it. */
typedef struct lane {
    char name[160];
    side side;
    unsigned order; /* of its input or output in the profile, or of the layer or macro */
    yt_raw_meaning meaning;
    bool is_switch, is_motion;
    bool is_upright; /* a y: its negative end is up */
    double span;     /* of motion: the largest size of its values */
    double from;     /* of a bar: since when it is on; below 0: it is not */
} lane;

typedef struct drawing {
    const picture *picture;
    const change_list *changes;
    lane *lanes;
    unsigned lane_count, lane_room;
    unsigned side_count[SIDES];
    int *lane_at;      /* for each change the index of its lane; -1: it has none */
    unsigned left_out; /* changes of controls that found no lane */
    double begin, end;
} drawing;

static side side_of(const sim_change *change) {
    return change_goes_out(change) ? WENT_OUT : CAME_IN;
}

static int find_lane(const drawing *drawing, const char *name, side side) {
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].side == side && strcmp(drawing->lanes[i].name, name) == 0)
            return (int)i;
    return -1;
}

static lane *new_lane(drawing *drawing, const char *name, side side) {
    if (drawing->side_count[side] == LANES_SIDE)
        return NULL;
    if (drawing->lane_count == drawing->lane_room) {
        drawing->lane_room = drawing->lane_room ? 2 * drawing->lane_room : 32;
        drawing->lanes = realloc(drawing->lanes, drawing->lane_room * sizeof *drawing->lanes);
        if (!drawing->lanes)
            abort();
    }
    drawing->side_count[side]++;
    lane *lane = &drawing->lanes[drawing->lane_count++];
    memset(lane, 0, sizeof *lane);
    snprintf(lane->name, sizeof lane->name, "%s", name);
    lane->side = side;
    lane->from = -1;
    return lane;
}

/* Where the device of a full name stands in the profile. */
static unsigned order_of(const profile *profile, const char *name, side side) {
    const yt_compiled *compiled = &profile->compiled;
    unsigned count = side == CAME_IN ? compiled->input_count : compiled->output_count, i = 0;
    size_t length = strcspn(name, ".");
    while (i < count &&
           !is_name(side == CAME_IN ? compiled->inputs[i].name : compiled->outputs[i].name, name,
                    length))
        i++;
    return i;
}

static void add_lane(drawing *drawing, const profile *profile, const char *name,
                     const yt_raw_meaning *meaning, const sim_change *change) {
    lane *lane = new_lane(drawing, name, side_of(change));
    const char *last = strrchr(name, '.');
    if (!lane)
        return;
    lane->order = order_of(profile, name, lane->side);
    lane->meaning = *meaning;
    lane->is_motion = meaning->kind == YT_MOTION;
    lane->is_switch = meaning->kind == YT_SWITCH && !meaning->is_hat;
    lane->is_upright = last && strcmp(last, ".y") == 0;
}

/* Names with numbers go by those: button2 stands before button10. */
static int compare_names(const char *a, const char *b) {
    while (*a && *b) {
        if (*a >= '0' && *a <= '9' && *b >= '0' && *b <= '9') {
            char *a_end, *b_end;
            unsigned long one = strtoul(a, &a_end, 10), other = strtoul(b, &b_end, 10);
            if (one != other)
                return one < other ? -1 : 1;
            a = a_end;
            b = b_end;
        } else if (*a != *b) {
            return (unsigned char)*a - (unsigned char)*b;
        } else {
            a++;
            b++;
        }
    }
    return (unsigned char)*a - (unsigned char)*b;
}

static int compare_lanes(const void *a, const void *b) {
    const lane *one = a, *other = b;
    if (one->side != other->side)
        return (int)one->side - (int)other->side;
    if (one->order != other->order)
        return one->order < other->order ? -1 : 1;
    return compare_names(one->name, other->name);
}

static bool is_shown(const drawing *drawing, uint64_t time_us) {
    double time = (double)time_us / 1e6;
    return time >= drawing->begin && time <= drawing->end;
}

/* Layers and macros that are on at some time. */
static void add_inside_lanes(drawing *drawing) {
    const inside *inside = drawing->picture->inside;
    for (size_t i = 0; inside && i < inside->count; i++) {
        char name[160];
        unsigned number = inside->list[i].lane;
        snprintf(name, sizeof name, "%s %.120s", number < inside->layer_count ? "layer" : "macro",
                 inside_lane_name(inside, number));
        lane *lane = find_lane(drawing, name, INSIDE) < 0 ? new_lane(drawing, name, INSIDE) : NULL;
        if (lane)
            lane->order = number;
    }
}

/* The controls that moved first get the lanes; then each change is told its lane. */
static void make_lanes(drawing *drawing, const profile *profile, const sim_plug *plugs) {
    const change_list *changes = drawing->changes;
    char name[160];
    yt_raw_meaning meaning;
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        if (is_shown(drawing, change->time_us) && change_is_used(profile, plugs, change) &&
            find_lane(drawing, name, side_of(change)) < 0)
            add_lane(drawing, profile, name, &meaning, change);
    }
    add_inside_lanes(drawing);
    if (drawing->lane_count > 0)
        qsort(drawing->lanes, drawing->lane_count, sizeof drawing->lanes[0], compare_lanes);
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        drawing->lane_at[i] = find_lane(drawing, name, side_of(change));
        drawing->left_out += drawing->lane_at[i] < 0 && is_shown(drawing, change->time_us) &&
                             change_is_used(profile, plugs, change);
        if (drawing->lane_at[i] < 0)
            continue;
        lane *lane = &drawing->lanes[drawing->lane_at[i]];
        double size = (double)llabs(change->control.value);
        if (lane->is_motion && size > lane->span)
            lane->span = size;
    }
}

/* The lane of a change, if it has one on that side. */
static lane *lane_of(drawing *drawing, size_t change, side side) {
    if (drawing->lane_at[change] < 0)
        return NULL;
    lane *lane = &drawing->lanes[drawing->lane_at[change]];
    return lane->side == side ? lane : NULL;
}

/* Lanes stand from the top down; those of the next side one lower, behind the line. */
static double height_of(const drawing *drawing, const lane *lane) {
    unsigned index = (unsigned)(lane - drawing->lanes);
    return (double)drawing->lane_count - index - (double)lane->side;
}

static void print_bar(FILE *plot, double from, double to, double height) {
    fprintf(plot, "%.6f %.3f %.6f %.6f %.3f %.3f\n", (from + to) / 2, height, from, to,
            height - 0.32, height + 0.32);
}

/* A bar ends, or begins. */
static void turn_bar(FILE *plot, const drawing *drawing, lane *lane, double now, bool on) {
    if (lane->from >= 0)
        print_bar(plot, lane->from, now, height_of(drawing, lane));
    lane->from = on ? now : -1;
}

static void end_bars(FILE *plot, drawing *drawing, side side) {
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].side == side)
            turn_bar(plot, drawing, &drawing->lanes[i], drawing->end, false);
    fprintf(plot, "-1 0 -1 -1 0 0\ne\n"); /* gnuplot wants at least one row */
}

static void print_bars(FILE *plot, drawing *drawing, side side) {
    for (size_t i = 0; i < drawing->changes->count; i++) {
        const sim_change *change = &drawing->changes->list[i];
        lane *lane = lane_of(drawing, i, side);
        if (!lane || !(lane->is_switch || lane->meaning.is_hat))
            continue;
        bool on = lane->meaning.is_hat ? raw_direction(&lane->meaning, change->control.value) >= 0
                                       : raw_value(&lane->meaning, change->control.value) >= 0.5;
        turn_bar(plot, drawing, lane, (double)change->time_us / 1e6, on);
    }
    end_bars(plot, drawing, side);
}

static lane *inside_lane(drawing *drawing, const inside_change *change) {
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].side == INSIDE && drawing->lanes[i].order == change->lane)
            return &drawing->lanes[i];
    return NULL;
}

static void print_inside_bars(FILE *plot, drawing *drawing) {
    const inside *inside = drawing->picture->inside;
    for (size_t i = 0; inside && i < inside->count; i++) {
        lane *lane = inside_lane(drawing, &inside->list[i]);
        if (lane)
            turn_bar(plot, drawing, lane, (double)inside->list[i].time_us / 1e6,
                     inside->list[i].value != 0);
    }
    end_bars(plot, drawing, INSIDE);
}

/* Hats' directions, and macros' steps. */
static void print_labels(FILE *plot, drawing *drawing) {
    static const char *const arrows[] = {"↑", "↗", "→", "↘", "↓", "↙", "←", "↖"};
    const inside *inside = drawing->picture->inside;
    for (size_t i = 0; i < drawing->changes->count; i++) {
        const sim_change *change = &drawing->changes->list[i];
        if (drawing->lane_at[i] < 0 || !is_shown(drawing, change->time_us))
            continue;
        const lane *lane = &drawing->lanes[drawing->lane_at[i]];
        int direction = raw_direction(&lane->meaning, change->control.value);
        if (lane->meaning.is_hat && direction >= 0)
            fprintf(plot, "%.6f %.3f \"%s\"\n", (double)change->time_us / 1e6,
                    height_of(drawing, lane), arrows[direction & 7]);
    }
    for (size_t i = 0; inside && i < inside->count; i++) {
        const inside_change *change = &inside->list[i];
        const lane *lane = inside_lane(drawing, change);
        if (lane && change->lane >= inside->layer_count && change->value > 0 &&
            is_shown(drawing, change->time_us))
            fprintf(plot, "%.6f %.3f \"%d\"\n", (double)change->time_us / 1e6,
                    height_of(drawing, lane), change->value);
    }
    fprintf(plot, "-1 0 \" \"\ne\n");
}

/* Motion as strokes from the lane's middle. */
static void print_strokes(FILE *plot, drawing *drawing, side side) {
    for (size_t i = 0; i < drawing->changes->count; i++) {
        const sim_change *change = &drawing->changes->list[i];
        const lane *lane = lane_of(drawing, i, side);
        if (!lane || !lane->is_motion)
            continue;
        fprintf(plot, "%.6f %.3f 0 %.4f\n", (double)change->time_us / 1e6, height_of(drawing, lane),
                (lane->is_upright ? -0.45 : 0.45) * (double)change->control.value / lane->span);
    }
    fprintf(plot, "-1 0 0 0\ne\n");
}

/* How far from the lane's middle a value is drawn, as a share of the whole way. */
static double way_of(const lane *lane, int64_t raw) {
    const yt_raw_meaning *meaning = &lane->meaning;
    double value = raw_value(meaning, raw);
    if (meaning->kind == YT_RATE) {
        double span = (double)(meaning->maximum - meaning->minimum) * meaning->unit_amount;
        value = span > 0 ? 2 * value / span : 0;
    }
    return lane->is_upright ? -value : value;
}

/* Axes as steps about the lane's middle, a line for each. */
static void print_lines(FILE *plot, drawing *drawing, side side) {
    for (unsigned k = 0; k < drawing->lane_count; k++) {
        const lane *line = &drawing->lanes[k];
        if (line->side != side || line->is_switch || line->is_motion || line->meaning.is_hat)
            continue;
        double height = height_of(drawing, line), last = 0;
        fprintf(plot, "0 %.3f\n", height);
        for (size_t i = 0; i < drawing->changes->count; i++) {
            const sim_change *change = &drawing->changes->list[i];
            if (lane_of(drawing, i, side) != line)
                continue;
            last = 0.42 * way_of(line, change->control.value);
            fprintf(plot, "%.6f %.4f\n", (double)change->time_us / 1e6, height + last);
        }
        fprintf(plot, "%.6f %.4f\n\n", drawing->end, height + last);
    }
    fprintf(plot, "-1 0\ne\n");
}

#define LANE_PIXELS 18 /* of a picture that has many lanes, each */

static unsigned picture_height(const drawing *drawing) {
    unsigned height = 110 + LANE_PIXELS * (drawing->lane_count + SIDES);
    return height < 800 ? 800 : height;
}

/* The title, and below it how long what was told took to the hosts. */
static void print_title(plot *drawn, const drawing *drawing) {
    FILE *plot = drawn->commands;
    const picture *picture = drawing->picture;
    char heading[512];
    uint64_t median_us, worst_us;
    snprintf(heading, sizeof heading, "%s", picture->title);
    if (drawing->left_out)
        snprintf(heading, sizeof heading, "%s (no room for %u changes of further controls)",
                 picture->title, drawing->left_out);
    fprintf(plot, "set title ");
    plot_text(drawn, heading);
    if (picture->inside && inside_delays(picture->inside, &median_us, &worst_us)) {
        snprintf(heading, sizeof heading,
                 "from cause to effect: half of all within %.3g ms, the worst %.3g ms",
                 (double)median_us / 1000, (double)worst_us / 1000);
        fprintf(plot, ".\"\\n\".");
        plot_text(drawn, heading);
    }
    fputc('\n', plot);
}

/* What the sides are called stands beside the lanes; lines part them. */
static void print_sides(FILE *plot, const drawing *drawing) {
    static const char *const names[] = {"came in", "inside", "went out"};
    static const char *const colours[] = {"#1f5f9f", "#3f7f3f", "#b4561e"};
    unsigned before = 0;
    for (unsigned i = 0; i < SIDES; i++) {
        double top = (double)drawing->lane_count - before - i;
        if (i > 0 && drawing->side_count[i])
            fprintf(plot,
                    "set arrow from graph 0, first %.3f to graph 1, first %.3f nohead lc rgb "
                    "'#555555' dt 2\n",
                    top + 1, top + 1);
        if (drawing->side_count[i])
            fprintf(plot, "set label '%s' at graph 1.005, first %.3f left tc rgb '%s'\n", names[i],
                    top, colours[i]);
        before += drawing->side_count[i];
    }
}

static void print_frame(plot *drawn, const drawing *drawing) {
    FILE *plot = drawn->commands;
    print_title(drawn, drawing);
    fprintf(plot, "set ytics (");
    for (unsigned i = 0; i < drawing->lane_count; i++) {
        fprintf(plot, "%s", i ? ", " : "");
        plot_text(drawn, drawing->lanes[i].name);
        fprintf(plot, " %.3f", height_of(drawing, &drawing->lanes[i]));
    }
    fprintf(plot,
            ")\nset xlabel 'seconds      (bars: switches and hats; strokes: motion; lines: axes; "
            "of x the right is up, of y up is up)'\nset xrange [%.6f:%.6f]\nset yrange "
            "[-1.6:%.3f]\n"
            "set tics out nomirror\nset border 3\nset grid x lc rgb '#dddddd' lw 1\n"
            "set rmargin 10\nset key off\nset style fill solid 0.85 noborder\n",
            drawing->begin,
            drawing->end > drawing->begin ? drawing->end + 0.01 * (drawing->end - drawing->begin)
                                          : drawing->begin + 1,
            drawing->lane_count + 0.7);
    print_sides(plot, drawing);
}

static void print_plots(FILE *plot, drawing *drawing) {
    fprintf(plot, "plot '-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#1f5f9f', "
                  "'-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#3f7f3f', "
                  "'-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#b4561e', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#b4561e', "
                  "'-' with steps lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with steps lw 1.5 lc rgb '#b4561e', "
                  "'-' with labels left offset 0.2,0 tc rgb '#ffffff' font 'DejaVu Sans Bold,9'\n");
    print_bars(plot, drawing, CAME_IN);
    print_inside_bars(plot, drawing);
    print_bars(plot, drawing, WENT_OUT);
    print_strokes(plot, drawing, CAME_IN);
    print_strokes(plot, drawing, WENT_OUT);
    print_lines(plot, drawing, CAME_IN);
    print_lines(plot, drawing, WENT_OUT);
    print_labels(plot, drawing);
}

bool draw_picture(const picture *wanted, const profile *profile, const sim_plug *plugs,
                  const change_list *changes) {
    uint64_t last_us = changes->count ? changes->list[changes->count - 1].time_us : 0;
    drawing drawing = {.picture = wanted,
                       .changes = changes,
                       .lane_at = calloc(changes->count + 1, sizeof *drawing.lane_at),
                       .begin = (double)wanted->from_us / 1e6,
                       .end = (double)(wanted->to_us ? wanted->to_us : last_us) / 1e6};
    plot plot;
    if (!drawing.lane_at) {
        perror("yonder");
        return false;
    }
    make_lanes(&drawing, profile, plugs);
    plot_begin(&plot, wanted->path, picture_height(&drawing));
    print_frame(&plot, &drawing);
    print_plots(plot.commands, &drawing);
    bool good = plot_end(&plot, wanted->path);
    free(drawing.lane_at);
    free(drawing.lanes);
    return good;
}
