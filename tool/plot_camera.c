#include "tool/plot_camera.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/calls.h"
#include "compiler/formulas/camera.h"
#include "tool/plot.h"
#include "tool/plugs.h"

#define HAND "#b4561e" /* two colours that all can tell apart, and by their forms too */
#define VIEW "#1f5f9f"

#define PLAYED_ON_US 500000 /* behind the last report: what waits is told */

/* The numbers of the camera that a profile's camera_stick works back. */
typedef struct camera {
    double told[CAMERA_ARGUMENTS];
} camera;

typedef struct viewing {
    const profile *profile;
    const char *output;
    camera camera;
    plugged plugged;
    change_list changes;
    double hand[2], view[2], stick[2]; /* degrees; the stick -1 to 1 */
    double behind;                     /* degrees times seconds, along the way */
} viewing;

static const yt_lowered_term *find_call(const profile *profile) {
    const yt_scope *scope = profile->compiled.scope;
    for (unsigned i = 0; i < scope->terms->count; i++) {
        const yt_lowered_term *term = &scope->terms->all[i];
        if (term->term->kind == TERM_CALL &&
            is_name("camera_stick", term->part->text + term->term->offset, term->term->name_width))
            return term;
    }
    return NULL;
}

/* What a number is at first: one that is written, or a parameter's value. NAN: neither. */
static double first_value(const profile *profile, yt_value value) {
    const yt_build *build = profile->compiled.scope->build;
    if (value.type == VALUE_CONSTANT)
        return (double)value.amount / YT_ONE;
    for (unsigned i = 0; i < build->parameter_count; i++)
        if (build->parameter_nodes[i] == value.node)
            return (double)build->parameters[i].value / YT_ONE;
    return NAN;
}

/* The value of an argument's term. */
static yt_value value_of_term(const profile *profile, const yt_term *term) {
    const yt_scope *scope = profile->compiled.scope;
    for (unsigned i = 0; i < scope->terms->count; i++)
        if (scope->terms->all[i].term == term)
            return scope->terms->all[i].value;
    return (yt_value){.type = VALUE_NOTHING};
}

static bool find_camera(viewing *viewing, const char *path) {
    const profile *profile = viewing->profile;
    const yt_lowered_term *call = find_call(profile);
    const yt_listed_function *function = &functions[FUNCTION_CAMERA_STICK];
    if (!call && !profile->compiled.scope->camera->at) {
        fprintf(stderr,
                "%s: nothing is known of the camera: it has no camera:, and no formula calls "
                "camera_stick\n",
                path);
        return false;
    }
    for (unsigned k = CAMERA_TURN; k < CAMERA_ARGUMENTS; k++) {
        const struct yt_camera *known = profile->compiled.scope->camera;
        yt_value value = {.type = VALUE_CONSTANT, .amount = function->arguments[k].otherwise};
        unsigned place = 0;
        if (known->keys[k])
            value = known->values[k];
        for (const yt_term *term = call ? call->term->first : NULL; term;
             term = term->next, place++)
            if (term->label ? is_name(function->arguments[k].label, term->label, term->label_width)
                            : place == k)
                value = value_of_term(profile, term);
        viewing->camera.told[k] = first_value(profile, value);
        if (isnan(viewing->camera.told[k])) {
            fprintf(stderr,
                    "%s: camera_stick's %s is reckoned as it runs; a picture takes a number "
                    "or a parameter\n",
                    path, function->arguments[k].label);
            return false;
        }
    }
    return true;
}

/* Takes in what a mouse moved, or where the host's stick is. */
static void take_change(viewing *viewing, const sim_change *change) {
    char name[USAGE_NAME_BYTES + 80];
    yt_raw_meaning meaning;
    change_name(viewing->profile, viewing->plugged.plugs, change, name, sizeof name, &meaning);
    size_t length = strlen(name);
    const char *side = length > 2 ? name + length - 2 : "";
    unsigned which = strcmp(side, ".y") == 0;
    if (strcmp(side, ".x") != 0 && !which)
        return;
    if (change_goes_out(change)) {
        if (strncmp(name, viewing->output, strlen(viewing->output)) == 0 &&
            strlen(viewing->output) == length - 2)
            viewing->stick[which] = raw_value(&meaning, change->control.value);
    } else if (change->control.is_relative) {
        viewing->hand[which] +=
            (double)change->control.value * 360 / viewing->camera.told[CAMERA_TURN];
    }
}

/* The host draws a frame: it turns by where the stick is. */
static void turn(viewing *viewing) {
    const double *told = viewing->camera.told;
    double out = hypot(viewing->stick[0], viewing->stick[1]), dead = told[CAMERA_DEAD];
    if (out <= dead)
        return;
    double by = pow(fmin(1, (out - dead) / (1 - dead)), told[CAMERA_POWER]) * told[CAMERA_RATE] /
                told[CAMERA_FRAMES];
    viewing->view[0] += by * viewing->stick[0] / out;
    viewing->view[1] += by * viewing->stick[1] / out * told[CAMERA_VERTICAL];
}

typedef struct frame {
    double time, hand[2], view[2];
} frame;

/* All frames of a run. To be freed. */
static frame *play_frames(viewing *viewing, size_t *count) {
    const change_list *changes = &viewing->changes;
    double apart = 1 / viewing->camera.told[CAMERA_FRAMES];
    uint64_t from_us = changes->count ? changes->list[0].time_us : 0;
    uint64_t to_us = changes->count ? changes->list[changes->count - 1].time_us : 0;
    frame *frames = NULL;
    size_t room = 0, next = 0;
    *count = 0;
    for (double at = 0; at * 1e6 < (double)(to_us - from_us + PLAYED_ON_US); at += apart) {
        while (next < changes->count && (double)(changes->list[next].time_us - from_us) <= at * 1e6)
            take_change(viewing, &changes->list[next++]);
        turn(viewing);
        frames = recording_grow(frames, *count + 1, &room, sizeof *frames);
        frames[(*count)++] =
            (frame){at, {viewing->hand[0], viewing->hand[1]}, {viewing->view[0], viewing->view[1]}};
    }
    return frames;
}

static void print_path(FILE *to, const frame *frames, size_t count, bool is_view) {
    for (size_t i = 0; i < count; i++)
        fprintf(to, "%.3f %.3f\n", is_view ? frames[i].view[0] : frames[i].hand[0],
                is_view ? frames[i].view[1] : frames[i].hand[1]);
    fprintf(to, "e\n");
}

static void print_course(FILE *to, const frame *frames, size_t count, bool is_view) {
    for (size_t i = 0; i < count; i++)
        fprintf(to, "%.4f %.3f\n", frames[i].time, is_view ? frames[i].view[0] : frames[i].hand[0]);
    fprintf(to, "e\n");
}

#define BOTH                                                                                       \
    "plot '-' with lines lw 4 lc rgb '" HAND "' title 'the hand', "                                \
    "'-' with lines lw 1.6 lc rgb '" VIEW "' title 'the view'\n"

static camera_off off_of(const frame *frames, size_t count) {
    camera_off off = {0, 0};
    for (size_t i = 0; i < count; i++) {
        off.in_the_end =
            hypot(frames[i].view[0] - frames[i].hand[0], frames[i].view[1] - frames[i].hand[1]);
        off.most = fmax(off.most, off.in_the_end);
    }
    return off;
}

static bool draw_frames(const char *path, const viewing *viewing, const frame *frames, size_t count,
                        camera_off off) {
    const double *told = viewing->camera.told;
    plot plot;
    plot_begin(&plot, path, 800);
    FILE *to = plot.commands;
    fprintf(to, "set label 1 'how the host turns its view by '.");
    plot_text(&plot, viewing->output);
    fprintf(
        to,
        " at screen 0.5,0.975 center font 'DejaVu Sans,12'\n"
        "set label 2 'camera: %.4g deg/s, dead zone %.3g%%, power %.3g, %.4g frames a second, "
        "up and "
        "down %.3g%%; off by %.1f deg in the end, %.1f deg at most' at screen 0.5,0.945 center\n"
        "set multiplot layout 1,2\nset tmargin 6\nset bmargin 5\nset grid lc rgb '#dddddd'\n"
        "set key top left\nset title 'its path'\nset xlabel 'to the right, degrees'\n"
        "set ylabel 'down, degrees'\nset yrange [*:*] reverse\n" BOTH,
        told[CAMERA_RATE], 100 * told[CAMERA_DEAD], told[CAMERA_POWER], told[CAMERA_FRAMES],
        100 * told[CAMERA_VERTICAL], off.in_the_end, off.most);
    print_path(to, frames, count, false);
    print_path(to, frames, count, true);
    fprintf(to, "unset label 1\nunset label 2\nset title 'to the right, over time'\nset xlabel "
                "'seconds'\nset ylabel 'degrees'\nset yrange [*:*] noreverse\n" BOTH);
    print_course(to, frames, count, false);
    print_course(to, frames, count, true);
    fprintf(to, "unset multiplot\n");
    return plot_end(&plot, path);
}

static bool play(viewing *viewing, const char *path, uint64_t poll_us) {
    static simulation simulation;
    const yt_compiled *compiled = &viewing->profile->compiled;
    if (!simulation_begin(
            &simulation, compiled->image, compiled->size, viewing->plugged.plugs,
            viewing->plugged.count, (sim_timing){.poll_us = poll_us, .limit = LIMIT_REPORTS},
            (sim_observer){.context = &viewing->changes, .change = change_list_add})) {
        fprintf(stderr, "%s: it takes more memory than the simulated adapter has\n", path);
        return false;
    }
    bool good = simulation_run(&simulation) || limit_reached(&simulation, path);
    simulation_end(&simulation);
    change_list_sort(&viewing->changes);
    return good;
}

bool draw_camera(const char *path, const profile *profile, const char *profile_path,
                 const char *output, const char *in, uint64_t poll_us, camera_off *off) {
    static viewing viewing;
    memset(&viewing, 0, sizeof viewing);
    viewing.profile = profile;
    viewing.output = output;
    if (!find_camera(&viewing, profile_path) || !plugged_add(&viewing.plugged, profile, in))
        return false;
    bool good = play(&viewing, profile_path, poll_us);
    if (good) {
        size_t count;
        frame *frames = play_frames(&viewing, &count);
        *off = off_of(frames, count);
        good = draw_frames(path, &viewing, frames, count, *off);
        free(frames);
    }
    change_list_free(&viewing.changes);
    plugged_free(&viewing.plugged);
    return good;
}
