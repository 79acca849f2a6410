/* Measures a host's camera by what a person sees, and says what stands for it in a profile. */
#include <argp.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/camera_fit.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/rewriting.h"

#define STEP    0.005 /* of the stick, at each press */
#define PULSE_S 0.1
#define HELD_S  20.0

/* The profile with which a person holds the stick: a keyboard is all that it takes. */
static const char probe_head[] =
    "# Holds a stick for exact times, to see how a host turns its view by it. Play it on an "
    "adapter,\n"
    "# with a keyboard, and look at the host; `yonder measure camera` asks what you saw.\n"
    "yonder: 1\n"
    "name: Camera probe\n"
    "inputs: {keys: keyboard}\n"
    "outputs: {pad: gamepad}\n"
    "named:\n"
    "  # Up raises the stick by 0.5 % of its way, Down lowers it, Backspace lets it go.\n"
    "  raised: dial(step(keys.up_arrow, 1) + step(keys.down_arrow, -1), each=0.5%, from=0%, "
    "to=60%, "
    "reset=keys.backspace)\n"
    "sheet:\n"
    "  pad.right_stick: stick(x=raised, y=0%)\n"
    "macros:\n"
    "  # 3 to 9 hold it at 30 to 90 % for 20 s, 0 all the way out.\n";

static void write_probe(FILE *file) {
    fputs(probe_head, file);
    for (unsigned i = 3; i <= 10; i++)
        fprintf(file,
                "  held_%u:\n    when: keys.digit_%u\n    steps:\n"
                "      - {set: {pad.right_stick.x: %u%%}, for: 20 s}\n",
                10 * i, i % 10, 10 * i);
    fputs("  # V lifts the view for 0.1 s.\n"
          "  lifted:\n    when: keys.v\n    steps:\n"
          "      - {set: {pad.right_stick.y: -100%}, for: 100 ms}\n"
          "tests:\n"
          "  - name: Up raises it by half a percent\n"
          "    do:\n"
          "      - {at: 0 ms, press: keys.up_arrow}\n"
          "      - {at: 10 ms, release: keys.up_arrow}\n"
          "      - {at: 20 ms, press: keys.up_arrow}\n"
          "    expect: [{at: 100 ms, value: {pad.right_stick.x: 1%}}]\n"
          "  - name: 6 holds it at 60 % for 20 s\n"
          "    do: [{at: 0 ms, press: keys.digit_6}, {at: 30 ms, release: keys.digit_6}]\n"
          "    expect:\n"
          "      - {at: 10 ms, value: {pad.right_stick.x: 60%}}\n"
          "      - {at: 19.9 s, value: {pad.right_stick.x: 60%}}\n"
          "      - {at: 20.1 s, value: {pad.right_stick.x: 0%}}\n",
          file);
}

typedef struct options {
    const char *profile; /* to write into; NULL: none */
    const char *probe;
    double smallest; /* below 0: not told */
    double frames;
    camera_seen seen[CAMERA_SEEN];
    size_t count;
    bool json;
} options;

/* "60%=3.45/20s": a share, turns and a time. */
static bool parse_seen(const char *text, camera_seen *seen) {
    char *end;
    seen->out = strtod(text, &end) / 100;
    if (end == text || end[0] != '%' || end[1] != '=')
        return false;
    text = end + 2;
    seen->turns = strtod(text, &end);
    uint64_t us = end != text && *end == '/' ? parse_time(end + 1) : 0;
    seen->seconds = (double)us / 1e6;
    return us > 0 && seen->turns > 0 && seen->turns < 1e4 && seen->out > 0 && seen->out <= 1;
}

static bool parse_between(const char *text, const char *unit, double low, double high,
                          double *number) {
    char *end;
    *number = strtod(text, &end);
    while (*end == ' ')
        end++;
    return end != text && (strcmp(end, unit) == 0 || *end == 0) && *number >= low &&
           *number <= high;
}

/* ---- asking ---- */

/* A number from a person; asks again where it is none. False: there is nobody. */
static bool ask(const char *question, double low, double high, double *number) {
    char *line = NULL;
    size_t bytes = 0;
    bool is_good = false;
    while (!is_good) {
        printf("%s\n> ", question);
        fflush(stdout);
        bool is_answered = getline(&line, &bytes, stdin) >= 0;
        if (!is_answered || !isatty(STDIN_FILENO))
            putchar('\n');
        if (!is_answered)
            break;
        line[strcspn(line, "\r\n")] = 0;
        is_good = parse_between(line, "", low, high, number);
        if (!is_good)
            printf("  a number from %g to %g, please\n", low, high);
    }
    free(line);
    return is_good;
}

static bool ask_turns(options *options, const char *key, double out) {
    char question[200];
    camera_seen *seen = &options->seen[options->count];
    snprintf(
        question, sizeof question,
        "Press %s: the stick is held at %.0f %% for 20 s. How often does the view turn around?\n"
        "  (in tenths, as 6.7)",
        key, 100 * out);
    *seen = (camera_seen){.out = out, .seconds = HELD_S};
    options->count++;
    return ask(question, 0.1, 500, &seen->turns);
}

static bool ask_all(options *options) {
    double number;
    puts("Play the probe (`yonder measure camera --probe probe.yaml` writes it) on the adapter, "
         "with a\n"
         "keyboard, and look at the host. Set the host's own acceleration and smoothing off "
         "first.\n");
    if (!ask("Press Up until the view just begins to turn. How often did you press it?", 0, 120,
             &number))
        return false;
    options->smallest = number * STEP;
    puts("  Press Backspace: the stick is let go.");
    if (!ask_turns(options, "0", 1) || !ask_turns(options, "7", 0.7) ||
        !ask_turns(options, "5", 0.5))
        return false;
    if (!ask("Look straight down, then press V until the view looks straight up. How often?\n"
             "  (0 if the host does not go so far)",
             0, 1000, &number))
        return false;
    if (number > 0)
        options->seen[options->count++] =
            (camera_seen){.out = 1, .turns = 0.5, .seconds = number * PULSE_S, .is_vertical = true};
    return ask("How many frames a second does the host draw?", 20, 500, &options->frames);
}

/* ---- what comes out ---- */

typedef struct camera_text {
    const char *key;
    char value[40];
} camera_text;

static size_t texts_of(const options *options, const camera_model *model, camera_text texts[5]) {
    size_t count = 0;
    snprintf(texts[count].value, 40, "%.1f deg/s", model->rate);
    texts[count++].key = "rate";
    snprintf(texts[count].value, 40, "%.1f%%", 100 * model->dead);
    texts[count++].key = "dead";
    snprintf(texts[count].value, 40, "%.3f", model->power);
    texts[count++].key = "power";
    if (options->frames > 0) {
        snprintf(texts[count].value, 40, "%g Hz", options->frames);
        texts[count++].key = "frames";
    }
    if (model->vertical != 1) {
        snprintf(texts[count].value, 40, "%.0f%%", 100 * fmin(1, model->vertical));
        texts[count++].key = "vertical";
    }
    return count;
}

static bool write_into(const char *path, const camera_text *texts, size_t count) {
    rewriting rewriting;
    if (!rewriting_begin(&rewriting, path))
        return false;
    for (size_t i = 0; i < count; i++)
        if (!rewriting_set(&rewriting, "camera", texts[i].key, texts[i].value)) {
            rewriting_abandon(&rewriting);
            return false;
        }
    return rewriting_end(&rewriting);
}

static bool print_json(const options *options, const camera_model *model) {
    json_t *camera = json_object(), *frames = json_null();
    if (options->frames > 0)
        frames = json_real(options->frames);
    json_object_set_new(camera, "rate_degrees_per_second", json_real(model->rate));
    json_object_set_new(camera, "dead", json_real(model->dead));
    json_object_set_new(camera, "power", json_real(model->power));
    json_object_set_new(camera, "frames_hz", frames);
    json_object_set_new(camera, "vertical", json_real(model->vertical));
    json_object_set_new(camera, "off", options->count > 2 ? json_real(model->off) : json_null());
    json_object_set_new(camera, "power_about", json_real(model->power_about));
    return json_print(camera);
}

static bool tell(const options *options) {
    camera_model model;
    camera_text texts[5];
    char why[200];
    if (!camera_fit(options->seen, options->count, options->smallest, STEP, &model, why,
                    sizeof why)) {
        fprintf(stderr, "%s\n", why);
        return false;
    }
    if (options->json)
        return print_json(options, &model);
    size_t count = texts_of(options, &model, texts);
    puts("camera:");
    for (size_t i = 0; i < count; i++)
        printf("  %s: %s\n", texts[i].key, texts[i].value);
    if (options->count > 2)
        printf("# what was seen is within %.1f %% of that", 100 * model.off);
    else
        printf("# two deflections are no check: a third would be one");
    printf("; the power is known to %.3f\n", model.power_about);
    if (model.off > 0.05)
        puts("# more than 5 % off: the host's curve is not a power. Set it to straight there, if "
             "it can be");
    if (model.vertical > 1)
        puts("# it turns faster up and down than to the sides: turn that down in the host, or use "
             "less of "
             "the motion's .y");
    return !options->profile || write_into(options->profile, texts, count);
}

enum {
    OPTION_SMALLEST = OPTION_OWN,
    OPTION_TURNED,
    OPTION_LIFTED,
    OPTION_FRAMES,
    OPTION_WRITE,
    OPTION_PROBE
};

static void keep_seen(options *options, const char *argument, bool is_vertical,
                      struct argp_state *state) {
    if (options->count == CAMERA_SEEN)
        argp_error(state, "at most %d times", CAMERA_SEEN);
    camera_seen *seen = &options->seen[options->count++];
    if (!parse_seen(argument, seen))
        argp_error(state,
                   "--turned and --lifted take a share of the stick, turns and a time, as in "
                   "60%%=3.4/20s, not \"%s\"",
                   argument);
    seen->is_vertical = is_vertical;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case OPTION_SMALLEST:
        if (!parse_between(argument, "%", 0, 80, &options->smallest))
            argp_error(state, "--smallest takes a share up to 80%%, not \"%s\"", argument);
        options->smallest /= 100;
        return 0;
    case OPTION_TURNED:
    case OPTION_LIFTED:
        keep_seen(options, argument, key == OPTION_LIFTED, state);
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case OPTION_FRAMES:
        if (!parse_between(argument, "Hz", 20, 500, &options->frames))
            argp_error(state, "--frames takes a number from 20 to 500, not \"%s\"", argument);
        return 0;
    case OPTION_WRITE:
        options->profile = argument;
        return 0;
    case OPTION_PROBE:
        options->probe = argument;
        return 0;
    case ARGP_KEY_ARG:
        argp_error(state, "camera takes no recording: it asks what you see");
        return 0;
    case ARGP_KEY_END:
        if (options->probe &&
            (options->count || options->smallest >= 0 || options->frames > 0 || options->profile))
            argp_error(state, "--probe writes the probe and does nothing else");
        if (options->count > 0 && options->smallest < 0)
            argp_error(state, "say with --smallest which stick just moves the view");
        if (options->count == 0 && (options->smallest >= 0 || options->frames > 0))
            argp_error(state, "say with --turned how far the view turned");
        if (options->json && (options->count == 0 || options->profile))
            argp_error(state, "--json is for what --turned tells, without --write");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

static bool put_probe(const char *path) {
    whole_file file;
    if (!whole_file_open(&file, path, CONTENT_TEXT))
        return false;
    write_probe(file.file);
    return whole_file_close(&file);
}

int measure_camera(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"probe", OPTION_PROBE, "FILE", 0,
         "write the profile that holds the stick, and stop (- is standard output)", 0},
        {"smallest", OPTION_SMALLEST, "SHARE", 0, "the smallest stick that moves the view", 0},
        {"turned", OPTION_TURNED, "SHARE=TURNS/TIME", 0,
         "a stick held at a share of its way turned the view so often in a time, as in "
         "60%=3.4/20s; twice or more",
         0},
        {"lifted", OPTION_LIFTED, "SHARE=TURNS/TIME", 0,
         "the same up and down: from straight down to straight up is half a turn", 0},
        {"frames", OPTION_FRAMES, "HZ", 0, "the frames that the host draws a second", 0},
        {"write", OPTION_WRITE, "PROFILE", 0,
         "put what comes out into a profile; the rest of it stays as it is", 0},
        JSON_OPTION("what comes out, as JSON"),
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .doc =
            "Measures how a host turns its view by a stick, for camera_stick: its dead zone, how "
            "fast it turns, the power of its curve. Without --turned it asks, one thing after "
            "the other, what you see."};
    static char name[] = "yonder measure camera";
    options options = {.smallest = -1};
    arguments[0] = name;
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.probe)
        return put_probe(options.probe) ? 0 : 1;
    if (options.count == 0 && !ask_all(&options)) {
        fprintf(stderr, "the answers end before the questions do\n");
        return 1;
    }
    return tell(&options) ? 0 : 1;
}
