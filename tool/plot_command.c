/* Draws what a formula makes of an input: a curve, or a stick's field before and after. */
#include <argp.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/plot.h"
#include "tool/sweep.h"

#define PI     3.14159265358979323846
#define STEPS  800
#define WAITS  100 /* at rest before it begins, and at its first place: filters settle */
#define RATE   500 /* degrees a second that a gyro is swept to */
#define BEFORE "#b4561e"
#define AFTER  "#1f5f9f"

typedef struct options {
    const char *profile, *output, *over, *out;
} options;

/* From where to where an input is swept, in its unit. */
static double lowest_of(const swept_input *input) {
    return input->kind == YT_RATE   ? (strcmp(input->unit, "g") == 0 ? -2 : -RATE)
           : input->kind == YT_AXIS ? -1
                                    : 0;
}
static double highest_of(const swept_input *input) {
    return input->kind == YT_RATE ? (strcmp(input->unit, "g") == 0 ? 2 : RATE) : 1;
}

static const char *unit_of(const swept_input *input) {
    return input->kind == YT_RATE || (input->kind == YT_LEVEL && input->unit) ? input->unit : "%";
}

/* A value in the unit that is shown. */
static double shown(const swept_input *input, double value) {
    return input->kind == YT_RATE                   ? value
           : input->kind == YT_LEVEL && input->unit ? value * input->unit_amount
                                                    : 100 * value;
}

static void settle(sweep *sweep, const swept_input *input, const double in[2],
                   const swept_output *output) {
    double out[2];
    for (unsigned i = 0; i < WAITS; i++)
        sweep_step(sweep, input, in, output, out);
}

static void print_curve(FILE *to, sweep *sweep, const swept_input *input,
                        const swept_output *output, unsigned side) {
    double low = lowest_of(input), high = highest_of(input), in[2] = {0, 0}, out[2];
    settle(sweep, input, in, output);
    in[0] = low;
    settle(sweep, input, in, output);
    for (unsigned i = 0; i <= STEPS; i++) {
        in[0] = low + (high - low) * i / STEPS;
        sweep_step(sweep, input, in, output, out);
        fprintf(to, "%.4f %.4f\n", shown(input, in[0]), 100 * out[side]);
    }
    fprintf(to, "e\n");
}

static void print_straight(FILE *to, const swept_input *input) {
    for (int i = 0; i <= 1; i++) {
        double in = i ? highest_of(input) : lowest_of(input);
        fprintf(to, "%.4f %.4f\n", shown(input, in),
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
    fprintf(to, ".\", %s, swept from end to end in %d seconds\"\nset ylabel ", unit_of(input),
            STEPS / 50);
    plot_text(plot, options->output);
    bool is_switch = output->kind == YT_SWITCH;
    fprintf(to,
            ".\", %%\"\nset yrange [%d:105]\nset grid lc rgb '#dddddd'\nset key top left\n"
            "set xrange [%.3f:%.3f]\nplot %s'-' with lines lw 2.5 lc rgb '" AFTER
            "' title '%s'%s\n",
            is_signed ? -105 : -5, shown(input, lowest_of(input)), shown(input, highest_of(input)),
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

enum { OPTION_OVER = OPTION_OWN };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        return 0;
    case OPTION_OVER:
        options->over = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (options->output)
            argp_error(state, "one profile and one output at a time");
        *(options->profile ? &options->output : &options->profile) = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->output)
            argp_error(state, "say which profile, and which of its outputs, as in pad.left_stick");
        if (!options->over)
            argp_error(state, "say with --over which input is swept, as in --over hand.left_stick");
        if (!options->out)
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
        {0}};
    static const struct argp_child children[] = {{&out_argp, 0, NULL, 0}, {0}};
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
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (!profile_open(&profile, options.profile))
        return 1;
    bool good = draw(&options, &profile);
    profile_close(&profile);
    return good ? 0 : 1;
}
