/* What came in and what went out, drawn by gnuplot: a lane for each control, one time axis. */
#include <errno.h>
#include <fcntl.h>
#include <inttypes.h>
#include <signal.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "compiler/messages/plain.h"
#include "tool/tool.h"

#define LANES_SIDE 22 /* of inputs, and of outputs, at most */

/* One control's lane, and what was last drawn in it. */
typedef struct lane {
    char name[160];
    bool goes_out;
    bool is_switch;
    bool is_motion;
    bool is_hat;
    double span; /* the largest size of its values */
    double from; /* of a switch: since when it is pressed; below 0: it is not */
} lane;

typedef struct drawing {
    const change_list *changes;
    lane lanes[2 * LANES_SIDE];
    unsigned lane_count;
    unsigned side_count[2]; /* of inputs, of outputs */
    int *lane_at;           /* for each change the index of its lane; -1: it has none */
    unsigned left_out;      /* changes of controls that found no lane */
    double end;
} drawing;

static bool is_hat(const host_control *control) {
    return control->page == 0x01 && control->usage == 0x39;
}

static int find_lane(const drawing *drawing, const char *name, bool goes_out) {
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].goes_out == goes_out && strcmp(drawing->lanes[i].name, name) == 0)
            return (int)i;
    return -1;
}

static void add_lane(drawing *drawing, const char *name, const sim_change *change) {
    if (drawing->side_count[change_goes_out(change)] == LANES_SIDE)
        return;
    drawing->side_count[change_goes_out(change)]++;
    lane *lane = &drawing->lanes[drawing->lane_count++];
    snprintf(lane->name, sizeof lane->name, "%s", name);
    lane->goes_out = change_goes_out(change);
    lane->is_switch = host_control_is_switch(&change->control);
    lane->is_motion = change->control.is_relative;
    lane->is_hat = is_hat(&change->control);
    lane->from = -1;
}

static double size_of(const sim_change *change) {
    double value = (double)change->control.value;
    return value < 0 ? -value : value;
}

/* Where a line lies flat: at 0, but of axes that only count upwards in the middle. */
static double middle_of(const sim_change *change) {
    const host_control *control = &change->control;
    bool is_axis = control->page <= 1 && control->minimum >= 0;
    return is_axis ? (double)(control->minimum + control->maximum) / 2 : 0;
}

/* Inputs first, then outputs, each by name. */
static int compare_lanes(const void *a, const void *b) {
    const lane *one = a, *other = b;
    if (one->goes_out != other->goes_out)
        return one->goes_out ? 1 : -1;
    return strcmp(one->name, other->name);
}

/* The controls that moved first get the lanes; then each change is told its lane. */
static void make_lanes(drawing *drawing, const profile *profile, const sim_plug *plugs) {
    const change_list *changes = drawing->changes;
    char name[160];
    yt_raw_meaning meaning;
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        if (change_is_used(profile, plugs, change) &&
            find_lane(drawing, name, change_goes_out(change)) < 0)
            add_lane(drawing, name, change);
        drawing->end = (double)change->time_us / 1e6;
    }
    qsort(drawing->lanes, drawing->lane_count, sizeof drawing->lanes[0], compare_lanes);
    for (size_t i = 0; i < changes->count; i++) {
        const sim_change *change = &changes->list[i];
        change_name(profile, plugs, change, name, sizeof name, &meaning);
        drawing->lane_at[i] = find_lane(drawing, name, change_goes_out(change));
        drawing->left_out += drawing->lane_at[i] < 0 && change_is_used(profile, plugs, change);
        if (drawing->lane_at[i] < 0)
            continue;
        lane *lane = &drawing->lanes[drawing->lane_at[i]];
        double size =
            lane->is_motion ? size_of(change) : (double)change->control.maximum - middle_of(change);
        if (size > lane->span)
            lane->span = size;
    }
}

/* The lane of a change, if it has one on that side. */
static lane *lane_of(drawing *drawing, size_t change, bool outputs) {
    if (drawing->lane_at[change] < 0)
        return NULL;
    lane *lane = &drawing->lanes[drawing->lane_at[change]];
    return lane->goes_out == outputs ? lane : NULL;
}

/* Lanes stand from the top down; outputs one lane lower, behind the line. */
static double height_of(const drawing *drawing, const lane *lane) {
    unsigned index = (unsigned)(lane - drawing->lanes);
    return (double)(drawing->lane_count - index) - (lane->goes_out ? 1 : 0);
}

static void print_bar(FILE *plot, double from, double to, double height) {
    fprintf(plot, "%.6f %.3f %.6f %.6f %.3f %.3f\n", (from + to) / 2, height, from, to,
            height - 0.32, height + 0.32);
}

static void print_bars(FILE *plot, drawing *drawing, bool outputs) {
    for (size_t i = 0; i < drawing->changes->count; i++) {
        const sim_change *change = &drawing->changes->list[i];
        lane *lane = lane_of(drawing, i, outputs);
        if (!lane || !(lane->is_switch || lane->is_hat))
            continue;
        double now = (double)change->time_us / 1e6, height = height_of(drawing, lane);
        bool on = lane->is_hat ? change->control.value >= 0 && change->control.value < 8
                               : change->control.value != 0;
        if (lane->from >= 0)
            print_bar(plot, lane->from, now, height);
        lane->from = on ? now : -1;
    }
    for (unsigned i = 0; i < drawing->lane_count; i++)
        if (drawing->lanes[i].from >= 0 && drawing->lanes[i].goes_out == outputs)
            print_bar(plot, drawing->lanes[i].from, drawing->end,
                      height_of(drawing, &drawing->lanes[i]));
    fprintf(plot, "-1 0 -1 -1 0 0\ne\n"); /* gnuplot wants at least one row */
}

/* Motion as strokes from the lane's middle. */
static void print_strokes(FILE *plot, drawing *drawing, bool outputs) {
    for (size_t i = 0; i < drawing->changes->count; i++) {
        const sim_change *change = &drawing->changes->list[i];
        const lane *lane = lane_of(drawing, i, outputs);
        if (!lane || !lane->is_motion)
            continue;
        fprintf(plot, "%.6f %.3f 0 %.4f\n", (double)change->time_us / 1e6, height_of(drawing, lane),
                0.45 * (double)change->control.value / lane->span);
    }
    fprintf(plot, "-1 0 0 0\ne\n");
}

/* Axes as steps about the lane's middle, a line for each. */
static void print_lines(FILE *plot, drawing *drawing, bool outputs) {
    for (unsigned k = 0; k < drawing->lane_count; k++) {
        const lane *line = &drawing->lanes[k];
        if (line->goes_out != outputs || line->is_switch || line->is_motion || line->is_hat)
            continue;
        double height = height_of(drawing, line), last = 0;
        fprintf(plot, "0 %.3f\n", height);
        for (size_t i = 0; i < drawing->changes->count; i++) {
            const sim_change *change = &drawing->changes->list[i];
            if (lane_of(drawing, i, outputs) != line)
                continue;
            last = 0.42 * ((double)change->control.value - middle_of(change)) / line->span;
            fprintf(plot, "%.6f %.4f\n", (double)change->time_us / 1e6, height + last);
        }
        fprintf(plot, "%.6f %.4f\n\n", drawing->end, height + last);
    }
    fprintf(plot, "-1 0\ne\n");
}

/* Texts never stand in what gnuplot reads as commands. They are put together as the one argument
 * that it is started with, the string ARG1 there, and the commands name parts of that. */
typedef struct texts {
    char *all;
    size_t bytes;
    FILE *file;
    unsigned characters; /* gnuplot counts those, not bytes */
} texts;

static unsigned count_characters(const char *text) {
    unsigned count = 0;
    for (; *text; text++)
        count += ((unsigned char)*text & 0xc0) != 0x80;
    return count;
}

/* Adds a text, made plain, and says in the commands which part of ARG1 it is. */
static void print_text(FILE *plot, texts *texts, const char *text) {
    char shown[512];
    snprintf(shown, sizeof shown, "%s", *text ? text : " ");
    plain_line(shown);
    unsigned count = count_characters(shown), begin = texts->characters + 1;
    fputs(shown, texts->file);
    texts->characters += count;
    fprintf(plot, "ARG1[%u:%u]", begin, texts->characters);
}

static void print_frame(FILE *plot, const drawing *drawing, const char *title, texts *texts) {
    unsigned inputs = 0;
    char heading[512];
    snprintf(heading, sizeof heading, "%s", title);
    if (drawing->left_out)
        snprintf(heading, sizeof heading, "%s (no room for %u changes of further controls)", title,
                 drawing->left_out);
    fprintf(plot, "set encoding utf8\n"
                  "set terminal pngcairo size 1280,800 font 'DejaVu Sans,10' noenhanced\n"
                  "set title ");
    print_text(plot, texts, heading);
    fprintf(plot, "\nset ytics (");
    for (unsigned i = 0; i < drawing->lane_count; i++) {
        inputs += !drawing->lanes[i].goes_out;
        fprintf(plot, "%s", i ? ", " : "");
        print_text(plot, texts, drawing->lanes[i].name);
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
}

static void print_plots(FILE *plot, drawing *drawing) {
    fprintf(plot, "plot '-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#1f5f9f', "
                  "'-' using 1:2:3:4:5:6 with boxxyerror lc rgb '#b4561e', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with vectors nohead lw 1.5 lc rgb '#b4561e', "
                  "'-' with steps lw 1.5 lc rgb '#1f5f9f', "
                  "'-' with steps lw 1.5 lc rgb '#b4561e'\n");
    print_bars(plot, drawing, false);
    print_bars(plot, drawing, true);
    print_strokes(plot, drawing, false);
    print_strokes(plot, drawing, true);
    print_lines(plot, drawing, false);
    print_lines(plot, drawing, true);
}

/* Starts gnuplot: it reads its commands from the stream that is given back, and writes the picture
 * to `picture`, so that no path is told to it. NULL: it cannot be started. */
static FILE *start_gnuplot(FILE *picture, char *texts, pid_t *process) {
    static char name[] = "gnuplot", own[] = "-d", /* nobody's settings are read */
        script[] = "-c", in[] = "/dev/stdin";
    char *const arguments[] = {name, own, script, in, texts, NULL};
    posix_spawn_file_actions_t actions;
    int ends[2];
    if (pipe2(ends, O_CLOEXEC) != 0)
        return NULL;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, ends[0], STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, fileno(picture), STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    int error = posix_spawnp(process, arguments[0], &actions, NULL, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    close(ends[0]);
    if (error == 0)
        return fdopen(ends[1], "w");
    close(ends[1]);
    return NULL;
}

/* Lets gnuplot do what the commands say. */
static bool run_gnuplot(FILE *picture, const char *commands, size_t size, char *texts) {
    pid_t process;
    int status = 1;
    void (*before)(int) = signal(SIGPIPE, SIG_IGN); /* where it ends early its status tells */
    FILE *plot = start_gnuplot(picture, texts, &process);
    if (plot) {
        fwrite(commands, 1, size, plot);
        fclose(plot);
        while (waitpid(process, &status, 0) < 0 && errno == EINTR)
            continue;
    }
    signal(SIGPIPE, before);
    return status == 0;
}

static bool plot_picture(FILE *picture, drawing *drawing, const char *title) {
    texts texts = {.all = NULL};
    char *commands = NULL;
    size_t size = 0;
    FILE *plot = open_memstream(&commands, &size);
    texts.file = open_memstream(&texts.all, &texts.bytes);
    if (!plot || !texts.file)
        abort();
    print_frame(plot, drawing, title, &texts);
    print_plots(plot, drawing);
    fclose(plot);
    fclose(texts.file);
    bool good = run_gnuplot(picture, commands, size, texts.all);
    free(commands);
    free(texts.all);
    return good;
}

bool draw_picture(const char *path, const profile *profile, const sim_plug *plugs,
                  const change_list *changes, const char *title) {
    drawing drawing = {.changes = changes,
                       .lane_at = calloc(changes->count + 1, sizeof *drawing.lane_at)};
    whole_file picture;
    if (!drawing.lane_at) {
        perror("yonder");
        return false;
    }
    bool good = whole_file_open(&picture, path, CONTENT_BYTES);
    if (good) {
        make_lanes(&drawing, profile, plugs);
        good = plot_picture(picture.file, &drawing, title);
        if (!good) {
            whole_file_abandon(&picture);
            fprintf(stderr,
                    "%s: the picture could not be drawn; it takes the package gnuplot-nox\n", path);
        } else {
            good = whole_file_close(&picture);
        }
    }
    free(drawing.lane_at);
    return good;
}
