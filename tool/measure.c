/* Measures what a device does, and says what to set. */
#include <argp.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "tool/options.h"
#include "tool/tuning.h"

typedef struct options {
    const char *source;
    const char *part;
    const char *description;
    const char *profile; /* to write into; NULL: none */
    unsigned device;
} options;

typedef struct session {
    const options *options;
    described_source from;
    device_part parts[DEVICE_PARTS];
    size_t part_count;
    rewriting rewriting; /* of the profile, where there is one */
    uint32_t inputs;     /* of it that the device is */
    bool failed;
} session;

static void print_row(const char *what) {
    printf("  %-10s ", what);
}

static bool is_of_device(const session *session, const recorded_report *report) {
    return report->device == session->options->device - 1;
}

static void print_rate(const session *session) {
    const recording *recording = &session->from.source.recording;
    uint64_t *times = calloc(recording->report_count + 1, sizeof *times);
    bool *moves = calloc(recording->report_count + 1, sizeof *moves);
    const recorded_report *last = NULL;
    rate_measure measure;
    size_t count = 0;
    if (!times || !moves)
        abort();
    for (size_t i = 0; i < recording->report_count; i++) {
        const recorded_report *report = &recording->reports[i];
        if (!is_of_device(session, report))
            continue;
        times[count] = report->time_us;
        moves[count++] = last && (last->size != report->size ||
                                  memcmp(recording->bytes + last->offset,
                                         recording->bytes + report->offset, report->size) != 0);
        last = report;
    }
    measure_rate(times, moves, count, &measure);
    printf("%s (%04x:%04x), %zu reports in %.1f s\n", session->from.device->name,
           session->from.device->vendor, session->from.device->product, count, measure.seconds);
    if (count > 1 && measure.middle > 0) {
        print_row("reports");
        printf(
            "%.1f a second: half of them within %.2f ms of the one before, 98 of 100 within %.2f "
            "to %.2f ms\n",
            1e6 / measure.middle, measure.middle / 1000, measure.low / 1000, measure.high / 1000);
        print_row("");
        printf("longest pause %.1f ms; ", measure.longest / 1000);
        if (!measure.is_regular)
            puts("they come when something changes, so it cannot be told whether one is missing");
        else if (measure.lost == 0)
            puts("none is missing");
        else
            printf("%u are missing while it moved\n", measure.lost);
    }
    if (measure.backwards > 0) {
        print_row("");
        printf("the time goes back %u times: this recording is not to be trusted\n",
               measure.backwards);
    }
    free(times);
    free(moves);
}

static void print_reach(const calibrating *calibrating, const part_measure *measure) {
    static const char *const directions[] = {"up",   "up right",  "right", "down right",
                                             "down", "down left", "left",  "up left"};
    unsigned kind = calibrating->part->part.kind, count = 0;
    for (unsigned i = 0; i < MEASURE_DIRECTIONS; i++) {
        const char *word = kind == YT_CALIBRATION_STICK   ? directions[i]
                           : kind == YT_CALIBRATION_LEVEL ? "full"
                           : i == 0                       ? "low"
                                                          : "high";
        if (!measure->has_reach[i])
            continue;
        if (count == 0)
            print_row("reach");
        printf("%s%s %.0f%%", count++ ? ", " : "", word, 100 * measure->reach[i]);
    }
    if (count > 0)
        putchar('\n');
}

static void print_measures(const calibrating *calibrating, const part_measure *measure) {
    bool is_stick = calibrating->part->part.kind == YT_CALIBRATION_STICK;
    printf("%s, a %s\n", calibrating->part->name,
           calibration_kind_name(calibrating->part->part.kind));
    if (measure->rests == 0) {
        print_row("rest");
        puts("it never rested: leave it alone for some seconds");
    } else {
        print_row("rest");
        printf("%.2f%%", 100 * measure->rest[0]);
        if (is_stick)
            printf(", %.2f%%", 100 * measure->rest[1]);
        printf("; %zu reports, %u times; within %.2f%% of there, %.2f%% of 0\n", measure->rests,
               measure->times, 100 * measure->own_within, 100 * measure->within);
        print_row("noise");
        printf("%.2f%%", 100 * measure->noise[0]);
        if (is_stick)
            printf(" in x, %.2f%% in y", 100 * measure->noise[1]);
        puts(" (one standard deviation)");
        if (measure->drift > 0.002) {
            print_row("drift");
            printf("%.2f%% from the first quarter of the time to the last\n", 100 * measure->drift);
        }
    }
    if (measure->wrong > 0) {
        print_row("wrong");
        printf("%u numbers far off both their neighbours: it is worn, or dirty; they count for "
               "nothing here\n",
               measure->wrong);
    }
    print_reach(calibrating, measure);
    if (measure->frequency > 0) {
        print_row("spring");
        printf("%.1f Hz, damping %.0f%%: let go, it swings %.0f%% to the other side\n",
               measure->frequency, 100 * measure->damping, 100 * measure_overshoot(measure));
    }
}

static void tell_settings(session *session, const char *part, const measure_setting *settings,
                          unsigned count) {
    const char *profile = session->options->profile;
    char text[400];
    bool is_used = profile && tuning_uses(&session->rewriting, session->inputs, part);
    for (unsigned i = 0; i < count; i++) {
        measure_setting_text(&settings[i], part, text, sizeof text);
        print_row("set");
        puts(text);
        if (is_used && settings[i].function)
            session->failed |=
                !tuning_put(&session->rewriting, session->inputs, part, &settings[i]);
    }
    if (profile && !is_used && count > 0) {
        print_row("");
        printf("no formula of %s has it as a whole, so nothing is written there\n", profile);
    }
}

static bool measure_one(session *session, const device_part *part) {
    const recording *recording = &session->from.source.recording;
    measure_setting settings[MEASURE_SETTINGS];
    calibrating calibrating;
    part_measure measure;
    if (!calibrating_begin(&calibrating, session->from.device, part, 0, false))
        return false;
    for (size_t i = 0; i < recording->report_count; i++)
        if (is_of_device(session, &recording->reports[i]))
            calibrating_report(&calibrating, recording->reports[i].time_us,
                               recording->bytes + recording->reports[i].offset,
                               recording->reports[i].size);
    measure_part(&calibrating, &measure);
    putchar('\n');
    print_measures(&calibrating, &measure);
    tell_settings(session, part->name, settings, measure_advice(&calibrating, &measure, settings));
    calibrating_free(&calibrating);
    return true;
}

static bool is_measured(const device_part *part) {
    return part->part.kind < YT_CALIBRATION_GYRO;
}

static bool measure_all(session *session) {
    const char *wanted = session->options->part, *names[DEVICE_PARTS];
    unsigned count = 0, done = 0;
    for (size_t i = 0; i < session->part_count; i++)
        if (is_measured(&session->parts[i]))
            names[count++] = session->parts[i].name;
    for (size_t i = 0; i < session->part_count; i++)
        if (is_measured(&session->parts[i]) &&
            (!wanted || strcmp(session->parts[i].name, wanted) == 0))
            done += measure_one(session, &session->parts[i]);
    if (!wanted || done > 0)
        return true;
    const char *near = nearest_name(wanted, strlen(wanted), names, count);
    fprintf(stderr, "%s: there is no stick, axis or level called \"%s\"", session->options->source,
            wanted);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "\n", near);
    return false;
}

/* The profile that what is measured goes into. False: said on standard error. */
static bool begin_writing(session *session) {
    const char *profile = session->options->profile;
    if (!profile)
        return true;
    if (!rewriting_begin(&session->rewriting, profile))
        return false;
    session->inputs = tuning_inputs(&session->rewriting, &session->from.source.recording,
                                    session->options->device - 1);
    if (session->inputs)
        return true;
    fprintf(stderr, "%s: none of its inputs is this device\n", profile);
    rewriting_abandon(&session->rewriting);
    return false;
}

static bool end_writing(session *session, bool good) {
    if (!session->options->profile)
        return good;
    putchar('\n');
    return rewriting_end(&session->rewriting) && good && !session->failed;
}

static bool measure(session *session) {
    const options *options = session->options;
    bool good = false;
    if (!described_open(&session->from, options->source, options->description, options->device))
        return false;
    if (session->from.source.live >= 0) {
        fprintf(stderr, "%s: record it first, with `yonder record`, then measure that\n",
                options->source);
    } else if (begin_writing(session)) {
        session->part_count =
            device_parts(session->from.device, session->from.file.description, session->parts);
        if (!options->part)
            print_rate(session);
        good = measure_all(session);
        good = end_writing(session, good);
    }
    described_close(&session->from);
    return good;
}

enum { OPTION_WITH = OPTION_OWN, OPTION_DEVICE, OPTION_WRITE };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case OPTION_WITH:
        options->description = argument;
        return 0;
    case OPTION_DEVICE:
        options->device = device_argument(state, argument);
        return 0;
    case OPTION_WRITE:
        options->profile = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (options->part)
            argp_error(state, "one recording and one part of its device at a time");
        *(options->source ? &options->part : &options->source) = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->source)
            argp_error(state, "say which recording");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_measure(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"with", OPTION_WITH, "DESCRIPTION", 0, "use the names of a description", 0},
        {"device", OPTION_DEVICE, "NUMBER", 0, DEVICE_HELP, 0},
        {"write", OPTION_WRITE, "PROFILE", 0,
         "put what is to be set into the formulas of a profile that use the device; the rest of it "
         "stays as it is",
         0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "RECORDING [PART]\ncamera",
        .doc = "Measures what a device did: how often it reports and whether reports are missing; "
               "of each stick, axis and level its noise, where it rests, how far it reaches, its "
               "spring; and says what to set, as it stands in a formula, with the reason.\vRecord "
               "it with `yonder record`: leave it alone, turn each stick around, press each "
               "trigger, let go. Of a board it is a log of its pins, with the board's "
               "description. `yonder measure camera --help` says how a host's camera is measured."};
    static session session;
    options options = {.device = 1};
    if (count > 1 && strcmp(arguments[1], "camera") == 0)
        return measure_camera(count - 1, arguments + 1);
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    session.options = &options;
    return measure(&session) ? 0 : 1;
}
