/* Draws what a formula makes of an input: a curve, or a stick's field before and after. */
#include <argp.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/options.h"
#include "tool/plot.h"
#include "tool/plot_camera.h"
#include "tool/plot_live.h"
#include "tool/sweep.h"

#define PI     3.14159265358979323846
#define STEPS  800
#define WAITS  100 /* at rest before it begins, and at its first place: filters settle */
#define BEFORE "#b4561e"
#define AFTER  "#1f5f9f"

typedef struct options {
    const char *profile, *output, *over, *out;
    const char *in;    /* [NAME=]RECORDING, of a camera's path; NULL: none */
    live_options live; /* its device is NULL where a picture is drawn */
    bool has_speed;
    uint64_t poll_us;
} options;

static void settle(sweep *sweep, const swept_input *input, const double in[2],
                   const swept_output *output) {
    double out[2];
    for (unsigned i = 0; i < WAITS; i++)
        sweep_step(sweep, input, in, output, out);
}

static void print_curve(FILE *to, sweep *sweep, const swept_input *input,
                        const swept_output *output, unsigned side) {
    double low = sweep_lowest(input), high = sweep_highest(input), in[2] = {0, 0}, out[2];
    settle(sweep, input, in, output);
    in[0] = low;
    settle(sweep, input, in, output);
    for (unsigned i = 0; i <= STEPS; i++) {
        in[0] = low + (high - low) * i / STEPS;
        sweep_step(sweep, input, in, output, out);
        fprintf(to, "%.4f %.4f\n", sweep_shown(input, in[0]), 100 * out[side]);
    }
    fprintf(to, "e\n");
}

static void print_straight(FILE *to, const swept_input *input) {
    for (int i = 0; i <= 1; i++) {
        double in = i ? sweep_highest(input) : sweep_lowest(input);
        fprintf(to, "%.4f %.4f\n", sweep_shown(input, in),
                input->kind == YT_AXIS || input->kind == YT_RATE ? (i ? 100.0 : -100.0)
                                                                 : 100.0 * i);
    }
    fprintf(to, "e\n");
}

static void draw_curve(plot *plot, const options *options, sweep *sweep, const swept_input *input,
                       const swept_output *output) {
    bool is_signed = output->kind == YT_AXIS || output->is_stick;
    FILE *to = plot->commands;
    fprintf(to, "set title ");
    plot_text(plot, options->output);
    fprintf(to, "\nset xlabel ");
    plot_text(plot, options->over);
    fprintf(to, ".\", %s, swept from end to end in %d seconds\"\nset ylabel ", sweep_unit(input),
            STEPS / 50);
    plot_text(plot, options->output);
    bool is_switch = output->kind == YT_SWITCH;
    fprintf(to,
            ".\", %%\"\nset yrange [%d:105]\nset grid lc rgb '#dddddd'\nset key top left\n"
            "set xrange [%.3f:%.3f]\nplot %s'-' with lines lw 2.5 lc rgb '" AFTER
            "' title '%s'%s\n",
            is_signed ? -105 : -5, sweep_shown(input, sweep_lowest(input)),
            sweep_shown(input, sweep_highest(input)),
            is_switch ? "" : "'-' with lines lw 1 dt 2 lc rgb '#777777' title 'straight', ",
            output->is_stick ? "x" : "what comes out",
            output->is_stick ? ", '-' with lines lw 2.5 dt 4 lc rgb '" BEFORE "' title 'y'" : "");
    if (!is_switch)
        print_straight(to, input);
    print_curve(to, sweep, input, output, 0);
    if (output->is_stick)
        print_curve(to, sweep, input, output, 1);
}

/* Circles and straight ways of a stick, as lines: before, or what comes of them. */
static void print_field(FILE *to, sweep *sweep, const swept_input *input,
                        const swept_output *output) {
    double in[2] = {0, 0}, out[2];
    for (unsigned line = 0; line < 4 + 16; line++) {
        for (unsigned i = 0; i <= 120; i++) {
            bool is_circle = line < 4;
            double reach = is_circle ? (line + 1) / 4.0 : i / 120.0;
            double angle = is_circle ? i * 3 : (line - 4) * 22.5;
            in[0] = reach * sin(angle * PI / 180);
            in[1] = -reach * cos(angle * PI / 180);
            if (sweep && i == 0)
                settle(sweep, input, in, output);
            if (sweep)
                sweep_step(sweep, input, in, output, out);
            fprintf(to, "%.4f %.4f\n", sweep ? out[0] : in[0], sweep ? out[1] : in[1]);
        }
        fprintf(to, "\n");
    }
    fprintf(to, "e\n");
}

static void draw_field(plot *plot, const options *options, sweep *sweep, const swept_input *input,
                       const swept_output *output) {
    static const char *const sides[] = {"before: ", "after: "};
    FILE *to = plot->commands;
    fprintf(to,
            "set multiplot\nset xrange [-1.1:1.1]\nset yrange [1.1:-1.1]\nset xtics 0.5\n"
            "set ytics 0.5\nset grid lc rgb '#dddddd'\nset xlabel 'x'\nset ylabel 'y, up is up'\n"
            "set tmargin at screen 0.86\nset bmargin at screen 0.16\nunset key\n");
    for (unsigned i = 0; i < 2; i++) {
        fprintf(to, "set lmargin at screen %.3f\nset rmargin at screen %.3f\nset title '%s'.",
                0.05 + 0.5 * i, 0.4875 + 0.5 * i, sides[i]);
        plot_text(plot, i ? options->output : options->over);
        fprintf(to, "\nplot '-' with lines lw 1.5 lc rgb '%s'\n", i ? AFTER : BEFORE);
        print_field(to, i ? sweep : NULL, input, output);
    }
    fprintf(to, "unset multiplot\n");
}

static bool draw(const options *options, const profile *profile) {
    swept_input input;
    swept_output output;
    sweep sweep;
    plot plot;
    if (options->in) {
        camera_off off;
        if (!sweep_find_output(profile, options->profile, options->output, &output))
            return false;
        if (output.is_stick)
            return draw_camera(options->out, profile, options->profile, options->output,
                               options->in, options->poll_us, &off);
        fprintf(stderr, "%s: %s is no stick, so it turns no camera\n", options->profile,
                options->output);
        return false;
    }
    if (!sweep_find_output(profile, options->profile, options->output, &output) ||
        !sweep_find_input(profile, options->profile, options->over, &input) ||
        !sweep_begin(&sweep, profile, options->profile))
        return false;
    plot_begin(&plot, options->out, 800);
    if (input.is_stick && output.is_stick)
        draw_field(&plot, options, &sweep, &input, &output);
    else
        draw_curve(&plot, options, &sweep, &input, &output);
    sweep_end(&sweep);
    return plot_end(&plot, options->out);
}

enum { OPTION_OVER = OPTION_OWN, OPTION_LIVE, OPTION_SPEED, OPTION_PLAIN };

static void check_live(options *options, struct argp_state *state) {
    live_options *live = &options->live;
    if (!live->device && (options->has_speed || live->plain || live->calibrations.count))
        argp_error(state, "--speed, --plain and --calibration are for --live");
    if (!live->device)
        return;
    if (options->out || options->in)
        argp_error(state, "--live draws in the terminal: it takes no --out and no --in");
    live->plain |= !isatty(STDOUT_FILENO); /* there is nothing to draw on */
    speed_check(state, live->plain, live->speed);
    speed_of_device(state, options->has_speed, live->device);
    live->profile = options->profile;
    live->output = options->output;
    live->over = options->over;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        state->child_inputs[1] = &options->live.calibrations;
        return 0;
    case OPTION_LIVE:
        options->live.device = argument;
        return 0;
    case OPTION_SPEED:
        options->live.speed = speed_argument(state, argument);
        options->has_speed = true;
        return 0;
    case OPTION_PLAIN:
        options->live.plain = true;
        return 0;
    case OPTION_OVER:
        options->over = argument;
        return 0;
    case 'i':
        options->in = argument;
        return 0;
    case 'p':
        options->poll_us = poll_argument(state, argument);
        return 0;
    case ARGP_KEY_ARG:
        if (options->output)
            argp_error(state, "one profile and one output at a time");
        *(options->profile ? &options->output : &options->profile) = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->output)
            argp_error(state, "say which profile, and which of its outputs, as in pad.left_stick");
        if (options->in && options->over)
            argp_error(state, "--over sweeps an input and --in plays a recording: one of them");
        if (options->poll_us && !options->in)
            argp_error(state, "--poll is for --in");
        if (!options->poll_us)
            options->poll_us = 1000;
        if (!options->over && !options->in)
            argp_error(state, "say with --over which input is swept, as in --over hand.left_stick");
        check_live(options, state);
        if (!options->out && !options->live.device)
            argp_error(state, "say with --out where the picture goes");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_plot(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"over", OPTION_OVER, "INPUT", 0,
         "the input that is swept, a stick, an axis, a level, a switch or a gyro's axis", 0},
        {"in", 'i', "[NAME=]RECORDING", 0,
         "draw how a host's camera turns by OUTPUT, a stick that camera_stick drives, while the "
         "recording plays",
         0},
        {"poll", 'p', "TIME", 0, "how often the host asks then; 1ms if not given", 0},
        {"live", OPTION_LIVE, "DEVICE", 0,
         "draw it in the terminal, with where a device, or a recording of one, is now", 0},
        {"speed", OPTION_SPEED, "FACTOR", 0, SPEED_HELP, 0},
        {"plain", OPTION_PLAIN, 0, 0, "print a line for each change", 0},
        {0}};
    static const struct argp_child children[] = {
        {&out_argp, 0, NULL, 0}, {&calibration_argp, 0, NULL, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .children = children,
        .args_doc = "PROFILE OUTPUT",
        .doc =
            "Draws what a profile makes of an input, all others at rest: a curve, in the "
            "input's own unit; of a stick that drives a stick, its field before and after. PNG, "
            "or SVG where the file ends in .svg.\vThe input is moved slowly, 20 ms at a place, so "
            "that what smooths or waits is seen as slow hands see it."};
    static profile profile;
    options options = {.live.speed = 1};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.live.device)
        return plot_live(&options.live) ? 0 : 1;
    if (!profile_open(&profile, options.profile))
        return 1;
    bool good = draw(&options, &profile);
    profile_close(&profile);
    return good ? 0 : 1;
}
