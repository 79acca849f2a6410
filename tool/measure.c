/* Measures what a device does, and says what to set. */
#include <argp.h>
#include <math.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/chatter.h"
#include "tool/delay.h"
#include "tool/json_text.h"
#include "tool/measure_json.h"
#include "tool/measure_picture.h"
#include "tool/options.h"
#include "tool/playing.h"
#include "tool/tuning.h"

typedef struct options {
    const char *source;
    const char *part;
    const char *description;
    const char *profile; /* to write into; NULL: none */
    const char *picture; /* NULL: none */
    const char *through; /* a profile whose delay is measured; NULL: none */
    uint64_t poll_us;    /* of a host that asks it; 0: not said */
    uint64_t for_us;     /* of a device that is plugged in; 0: until a line is typed */
    unsigned device;
    bool json;
} options;

typedef struct session {
    const options *options;
    described_source from;
    device_part parts[DEVICE_PARTS];
    size_t part_count;
    rewriting rewriting; /* of the profile, where there is one */
    uint32_t inputs;     /* of it that the device is */
    json_t *told;        /* for programs; NULL: for people */
    bool failed;
} session;

static void tell(const session *session, const char *list, json_t *one) {
    json_array_append_new(json_object_get(session->told, list), one);
}

static void print_row(const char *what) {
    printf("  %-10s ", what);
}

static bool is_of_device(const session *session, const recorded_report *report) {
    return report->device == session->options->device - 1;
}

static void measure_reports(const session *session) {
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
    free(times);
    free(moves);
    if (session->told) {
        json_object_set_new(session->told, "device", rate_as_json(session->from.device, &measure));
        return;
    }
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
}

static void print_reach(const calibrating *calibrating, const part_measure *measure) {
    unsigned kind = calibrating->part->part.kind, count = 0;
    for (unsigned i = 0; i < MEASURE_DIRECTIONS; i++) {
        if (!measure->has_reach[i])
            continue;
        if (count == 0)
            print_row("reach");
        printf("%s%s %.0f%%", count++ ? ", " : "", reach_word(kind, i), 100 * measure->reach[i]);
    }
    if (count > 0)
        putchar('\n');
}

static void print_measures(const calibrating *calibrating, const part_measure *measure) {
    bool is_stick = calibrating->part->part.kind == YT_CALIBRATION_STICK;
    printf("%s, a %s\n", calibrating->part->name,
           calibration_kind_name(calibrating->part->part.kind));
    if (measure->samples > 1 && measure->step == 0) {
        print_row("constant");
        puts("it told the same number all the time: it was not used, or tells nothing");
        return;
    }
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
    if (measure->step > 0) {
        print_row("steps");
        printf("%.3g%%", 100 * measure->step);
        if (measure->gap > 0)
            printf("; around %.0f%% it jumps by %.1f%%: its track is worn there",
                   100 * measure->gap_at, 100 * measure->gap);
        putchar('\n');
    }
    if (measure->has_bent) {
        print_row("straight");
        printf("within %.1f%% in x, %.1f%% in y, by its round rim, both taken to be bent alike\n",
               100 * measure->bent[0], 100 * measure->bent[1]);
    }
    if (measure->presses > 0) {
        print_row("presses");
        printf("%u past half its way, %u more as it trembled there\n", measure->presses,
               measure->chatters);
    }
    if (measure->frequency > 0) {
        print_row("spring");
        printf("%.1f Hz, damping %.0f%%: let go, it swings %.0f%% to the other side\n",
               measure->frequency, 100 * measure->damping, 100 * measure_overshoot(measure));
    }
}

static void print_settings(const measure_setting *settings, unsigned count, const char *part) {
    char text[400];
    for (unsigned i = 0; i < count; i++) {
        measure_setting_text(&settings[i], part, text, sizeof text);
        print_row("set");
        puts(text);
    }
}

static void put_settings(session *session, const char *part, const measure_setting *settings,
                         unsigned count) {
    const char *profile = session->options->profile;
    bool is_used = profile && tuning_uses(&session->rewriting, session->inputs, part);
    for (unsigned i = 0; i < count && is_used; i++)
        if (settings[i].function)
            session->failed |=
                !tuning_put(&session->rewriting, session->inputs, part, &settings[i]);
    if (profile && !is_used && count > 0) {
        print_row("");
        printf("no formula of %s has it as a whole, so nothing is written there\n", profile);
    }
}

static bool draw(const session *session, const calibrating *calibrating,
                 const part_measure *measure, const measure_setting *settings, unsigned count) {
    bool has_inner = count > 0 && settings[0].function && settings[0].count > 0;
    char title[300];
    snprintf(title, sizeof title, "%s of %s", calibrating->part->name, session->from.device->name);
    return draw_measure(session->options->picture, title, calibrating, measure,
                        has_inner ? &settings[0] : NULL);
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
    unsigned count = measure_advice(&calibrating, &measure, settings);
    if (session->told) {
        tell(session, "parts", part_as_json(&calibrating, &measure, settings, count));
    } else {
        putchar('\n');
        print_measures(&calibrating, &measure);
        print_settings(settings, count, part->name);
    }
    put_settings(session, part->name, settings, count);
    if (session->options->picture)
        session->failed |= !draw(session, &calibrating, &measure, settings, count);
    calibrating_free(&calibrating);
    return true;
}

/* ---- switches and encoders ---- */

typedef struct switches {
    const session *session;
    sim_host view;
    switch_chatter switches[HOST_CONTROLS];
    turn_chatter turns[HOST_CONTROLS];
    uint64_t now_us;
} switches;

static void look_at_change(void *context, const host_control *control) {
    switches *of = context;
    size_t which = (size_t)(control - of->view.controls);
    if (host_control_is_switch(control))
        switch_changes(&of->switches[which], of->now_us);
    else if (control->is_relative && control->value != 0)
        turn_moves(&of->turns[which], of->now_us, control->value);
}

static void name_control(const session *session, const host_control *control,
                         char name[USAGE_NAME_BYTES]) {
    yt_raw_meaning meaning;
    device_control_name(session->from.device, session->from.file.description, control, name,
                        &meaning);
}

static void print_switch(const session *session, const host_control *control,
                         const switch_chatter *chatter) {
    char name[USAGE_NAME_BYTES];
    double longest_ms = (double)chatter->longest_us / 1000;
    name_control(session, control, name);
    if (session->told) {
        tell(session, "switches", switch_as_json(name, chatter));
        return;
    }
    printf("\n%s, a switch\n", name);
    print_row("bounces");
    printf("in %u of %u changes, for up to %.1f ms\n", chatter->bounces, chatter->changes,
           longest_ms);
    print_row("set");
    printf(
        "steady(%s, after=%.0f ms): it bounces for up to %.1f ms; of a board's pin `debounce:`\n",
        name, measure_steady_ms(chatter->longest_us), longest_ms);
}

static void print_turns(const session *session, const host_control *control,
                        const turn_chatter *chatter) {
    char name[USAGE_NAME_BYTES];
    name_control(session, control, name);
    if (session->told) {
        tell(session, "turning", turns_as_json(name, chatter));
        return;
    }
    printf("\n%s, which turns\n", name);
    print_row("turns back");
    printf("%u of %u times it went against those before and behind, within %d ms: it bounces\n",
           chatter->back, chatter->turns, 2 * CHATTER_US / 1000);
}

/* Motion of a hand that changes its mind is none, so a mouse is not taken for an encoder. */
static bool turns_back(const turn_chatter *chatter) {
    return chatter->back > 0 && chatter->back * 200 > chatter->turns;
}

/* Those that bounce; of the others there is nothing to say. */
static void measure_switches(const session *session) {
    static switches of;
    const recording *recording = &session->from.source.recording;
    const recorded_device *device = session->from.device;
    size_t offset;
    memset(&of, 0, sizeof of);
    of.session = session;
    sim_host_enumerate(&of.view, device->descriptor, device->descriptor_size, &offset);
    for (size_t i = 0; i < recording->report_count; i++) {
        const recorded_report *report = &recording->reports[i];
        of.now_us = report->time_us;
        if (is_of_device(session, report))
            sim_host_report(&of.view, recording->bytes + report->offset, report->size,
                            look_at_change, &of);
    }
    for (unsigned i = 0; i < of.view.control_count; i++) {
        switch_ends(&of.switches[i]);
        if (of.switches[i].bounces > 0)
            print_switch(session, &of.view.controls[i], &of.switches[i]);
        if (turns_back(&of.turns[i]))
            print_turns(session, &of.view.controls[i], &of.turns[i]);
    }
}

static bool print_delays(session *session) {
    const options *options = session->options;
    double *list, sum = 0;
    size_t count;
    if (!measure_delays(options->through, &session->from.source.recording, options->poll_us, &list,
                        &count))
        return false;
    for (size_t i = 0; i < count; i++)
        sum += list[i];
    if (session->told) {
        json_object_set_new(session->told, "delay",
                            delays_as_json(options->through, options->poll_us, list, count));
        free(list);
        return true;
    }
    print_row("delay");
    if (count == 0)
        printf("through %s nothing comes out\n", options->through);
    else
        printf("through %s, to a host that asks each %g ms: %.1f ms on average, 99 of 100 within "
               "%.1f, %.1f at most; %zu times\n",
               options->through, (double)options->poll_us / 1000, sum / (double)count,
               list[(size_t)(0.99 * (double)(count - 1))], list[count - 1], count);
    free(list);
    return true;
}

/* ---- a device that is plugged in ---- */

/* Whether a person has typed a line; where nobody can, the time tells. */
static bool has_typed(bool *can) {
    struct pollfd typed = {.fd = STDIN_FILENO, .events = POLLIN};
    char line[100];
    if (!*can || poll(&typed, 1, 0) <= 0)
        return false;
    *can = read(STDIN_FILENO, line, sizeof line) > 0;
    return *can;
}

/* Records until a line is typed, its time is over, or the device has gone. */
static bool gather(session *session) {
    uint64_t begun_us = clock_us(), for_us = session->options->for_us;
    uint8_t bytes[RECORDING_REPORT];
    bool can_type = true;
    long size = 0;
    stop_by_signals();
    fputs("Leave it alone for some seconds; then turn its sticks around, press its triggers and "
          "buttons, let go a dozen times. Enter ends it.\n",
          stderr);
    while (size >= 0 && !is_stopped() && !has_typed(&can_type)) {
        uint64_t now_us = clock_us() - begun_us;
        if (for_us && now_us >= for_us)
            break;
        if (!can_type && !for_us) {
            fputs("nobody can type a line here; say with --for how long it is to be\n", stderr);
            return false;
        }
        size = hidraw_read(session->from.source.live, bytes, sizeof bytes, 20);
        if (size > 0 && !recording_add_report(&session->from.source.recording,
                                              clock_us() - begun_us, 0, bytes, (size_t)size))
            return false;
    }
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
        return good && !session->failed;
    putchar('\n');
    return rewriting_end(&session->rewriting) && good && !session->failed;
}

static bool measure(session *session) {
    static const char *const lists[] = {"parts", "switches", "turning"};
    const options *options = session->options;
    bool good = false;
    if (!described_open(&session->from, options->source, options->description, options->device))
        return false;
    bool is_there = session->from.source.live < 0 || gather(session);
    if (is_there && begin_writing(session)) {
        session->part_count =
            device_parts(session->from.device, session->from.file.description, session->parts);
        if (options->json)
            session->told = json_object();
        if (!options->part)
            measure_reports(session);
        for (size_t i = 0; session->told && i < sizeof lists / sizeof lists[0]; i++)
            json_object_set_new(session->told, lists[i], json_array());
        good = !options->through || print_delays(session);
        good = measure_all(session) && good;
        if (!options->part)
            measure_switches(session);
        good = end_writing(session, good);
        if (session->told && good)
            good = json_print(session->told);
        else
            json_decref(session->told);
    }
    described_close(&session->from);
    return good;
}

enum {
    OPTION_WITH = OPTION_OWN,
    OPTION_DEVICE,
    OPTION_WRITE,
    OPTION_THROUGH,
    OPTION_FOR,
    OPTION_PICTURE
};

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
    case OPTION_THROUGH:
        options->through = argument;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case 'p':
        options->poll_us = poll_argument(state, argument);
        return 0;
    case OPTION_PICTURE:
        options->picture = argument;
        return 0;
    case OPTION_FOR:
        options->for_us = parse_time(argument);
        if (!options->for_us)
            argp_error(state, "--for takes a time such as 30s, not \"%s\"", argument);
        return 0;
    case ARGP_KEY_ARG:
        if (options->part)
            argp_error(state, "one recording and one part of its device at a time");
        *(options->source ? &options->part : &options->source) = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->source)
            argp_error(state, "say which recording");
        if (options->picture && !options->part)
            argp_error(state, "a picture is of one part: say which, as in left_stick");
        if (options->for_us && !hidraw_is_node(options->source))
            argp_error(state, "--for is for a device that is plugged in, and %s is a recording",
                       options->source);
        if (options->json && options->profile)
            argp_error(state, "--write says what it changes; leave out --json");
        if (options->poll_us && !options->through)
            argp_error(state, "--poll is for --through");
        if (!options->poll_us)
            options->poll_us = 8000;
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
        {"picture", OPTION_PICTURE, "FILE", 0,
         "draw how often a part is where at rest, and what it does when it is let go (PNG, or SVG "
         "where the file ends in .svg)",
         0},
        {"through", OPTION_THROUGH, "PROFILE", 0,
         "measure how long it takes from a report in to a report out of a profile", 0},
        {"poll", 'p', "TIME", 0, "how often the host asks then; 8ms if not given", 0},
        {"for", OPTION_FOR, "TIME", 0,
         "of a device that is plugged in: end by itself after a time, as in 60s", 0},
        JSON_OPTION("as JSON: what was measured, and what to set"),
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "DEVICE [PART]\ncamera",
        .doc = "Measures what a device does: how often it reports and whether reports are missing; "
               "of each stick, axis and level its noise, where it rests, how far it reaches, how "
               "straight it is, its spring; switches and encoders that bounce; and says what to "
               "set, as it stands in a formula, with the reason.\vDEVICE is a recording or a node "
               "such as /dev/hidraw0: leave it alone, turn each stick around, press each trigger, "
               "let go. Of a board it is a log of its pins, with the board's description. `yonder "
               "measure camera --help` says how a host's camera is measured."};
    static session session;
    options options = {.device = 1};
    if (count > 1 && strcmp(arguments[1], "camera") == 0)
        return measure_camera(count - 1, arguments + 1);
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    session.options = &options;
    return measure(&session) ? 0 : 1;
}
