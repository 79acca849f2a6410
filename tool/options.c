#include "tool/options.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/messages.h"
#include "ports/linux/hidraw.h"

enum { OPTION_LIMIT = 256, OPTION_CALIBRATION };

static void keep_input(struct argp_state *state, played_options *options, const char *argument) {
    const char *sign = strchr(argument, '=');
    if (*argument == 0 || sign == argument || (sign && sign[1] == 0))
        argp_error(state,
                   "--in takes RECORDING or NAME=RECORDING, as in --in "
                   "keys=crane/recordings/otter-keyboard.hid, not \"%s\"",
                   argument);
    if (options->input_count == YT_DEVICES)
        argp_error(state, "at most %d recordings at a time", YT_DEVICES);
    options->inputs[options->input_count++] = argument;
}

void played_by_slots_check(struct argp_state *state, const played_options *options) {
    if (options->calibrations.count)
        argp_error(state, "the adapter has calibrations of its own: leave out --calibration");
    for (unsigned i = 0; i < options->input_count; i++)
        if (strchr(options->inputs[i], '='))
            argp_error(state, "--in takes RECORDING here: which input it is, each slot says");
}

void unknown_word(struct argp_state *state, const char *what, const char *word,
                  const char *const names[], size_t count, const char *otherwise) {
    const char *near = nearest_name(word, strlen(word), names, count);
    if (near)
        argp_error(state, "%s \"%s\"; did you mean \"%s\"?", what, word, near);
    else
        argp_error(state, "%s \"%s\"%s", what, word, otherwise);
}

uint64_t limit_argument(struct argp_state *state, const char *argument) {
    char *end;
    errno = 0;
    unsigned long long limit = strtoull(argument, &end, 10);
    if (*argument < '0' || *argument > '9' || *end || errno || limit == 0 ||
        limit > UINT64_MAX / 16)
        argp_error(state, "--limit takes a number, such as 5000000, not \"%s\"", argument);
    return limit;
}

unsigned number_argument(struct argp_state *state, const char *option, const char *argument,
                         unsigned least, unsigned most) {
    char *end;
    unsigned long number = strtoul(argument, &end, 10);
    if (end == argument || *end || number < least || number > most)
        argp_error(state, "%s takes a number from %u to %u, not \"%s\"", option, least, most,
                   argument);
    return (unsigned)number;
}

unsigned device_argument(struct argp_state *state, const char *argument) {
    return number_argument(state, "--device", argument, 1, RECORDING_DEVICES);
}

double speed_argument(struct argp_state *state, const char *argument) {
    char *end;
    double speed = strtod(argument, &end);
    if (strcmp(argument, "max") == 0)
        return 0;
    if (end == argument || *end != 0 || !(speed >= 0.01 && speed <= 1000))
        argp_error(state, "--speed takes a factor from 0.01 to 1000, or max, not \"%s\"", argument);
    return speed;
}

void speed_of_device(struct argp_state *state, bool is_given, const char *path) {
    if (is_given && path && hidraw_is_node(path))
        argp_error(state, "--speed is for recordings, and %s is a device", path);
}

void speed_check(struct argp_state *state, bool plain, double speed) {
    if (!plain && speed == 0)
        argp_error(state, "--speed max is for --plain");
}

uint64_t parse_time(const char *text) {
    static const struct {
        const char *unit;
        double us;
    } units[] = {{"us", 1}, {"ms", 1000}, {"s", 1000000}};
    char *end;
    double number = strtod(text, &end);
    if (end == text || !(number > 0) || number > 1e6)
        return 0;
    while (*end == ' ')
        end++;
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++)
        if (strcmp(end, units[i].unit) == 0)
            return (uint64_t)(number * units[i].us + 0.5);
    return 0;
}

uint64_t poll_argument(struct argp_state *state, const char *argument) {
    uint64_t poll_us = parse_time(argument);
    if (poll_us < 1 || poll_us > 10000000)
        argp_error(state, "--poll takes a time of up to 10 s, such as 8ms or 125us, not \"%s\"",
                   argument);
    return poll_us;
}

static error_t parse_played(int key, char *argument, struct argp_state *state) {
    played_options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->calibrations;
        options->poll_us = 8000;
        options->limit = LIMIT_REPORTS;
        return 0;
    case 'i':
        keep_input(state, options, argument);
        return 0;
    case 'p':
        options->poll_us = poll_argument(state, argument);
        options->has_poll = true;
        return 0;
    case OPTION_LIMIT:
        options->limit = limit_argument(state, argument);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

void played_check(struct argp_state *state, const played_options *options) {
    if (options->input_count == 0)
        argp_error(state, "say with --in RECORDING what comes in");
}

static const struct argp_option played_known[] = {
    {"in", 'i', "[NAME=]RECORDING", 0,
     "plug the device of a recording in, as the input NAME or as what it fits; may be given "
     "several times. Of a board it is a log (CSV)",
     0},
    {"poll", 'p', "TIME", 0, "how often the host asks for a report; 8ms if not given", 0},
    {"limit", OPTION_LIMIT, "REPORTS", 0,
     "stop where a host would get more reports than this; 1000000 if not given", 0},
    {0}};

static error_t parse_calibration(int key, char *argument, struct argp_state *state) {
    calibration_files *files = state->input;
    if (key != OPTION_CALIBRATION)
        return ARGP_ERR_UNKNOWN;
    if (files->count == CALIBRATIONS)
        argp_error(state, "at most %d calibrations at a time", CALIBRATIONS);
    files->paths[files->count++] = argument;
    return 0;
}

static const struct argp_option calibration_known[] = {
    {"calibration", OPTION_CALIBRATION, "FILE", 0,
     "use what `yonder calibrate` found out of a device; may be given several times", 0},
    {0}};

const struct argp calibration_argp = {.options = calibration_known, .parser = parse_calibration};

static const struct argp_child played_children[] = {{&calibration_argp, 0, NULL, 0}, {0}};

const struct argp played_argp = {
    .options = played_known, .parser = parse_played, .children = played_children};

static error_t parse_out(int key, char *argument, struct argp_state *state) {
    if (key != 'o')
        return ARGP_ERR_UNKNOWN;
    *(const char **)state->input = argument;
    return 0;
}

static const struct argp_option out_known[] = {
    {"out", 'o', "FILE", 0, "where it goes; - is standard output", 0}, {0}};

const struct argp out_argp = {.options = out_known, .parser = parse_out};

error_t only_argument(int key, const char *argument, struct argp_state *state, const char **kept,
                      const char *what) {
    if (key == ARGP_KEY_ARG && *kept)
        argp_error(state, "one %s at a time", what);
    if (key == ARGP_KEY_ARG)
        *kept = argument;
    else if (key == ARGP_KEY_END && !*kept)
        argp_error(state, "say which %s", what);
    return key == ARGP_KEY_ARG || key == ARGP_KEY_END ? 0 : ARGP_ERR_UNKNOWN;
}
