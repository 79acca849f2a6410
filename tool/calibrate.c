/* Calibrates a stick, a trigger or a gyro: of a device, or of a recording in its place. */
#include <argp.h>
#include <curses.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <sys/select.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "ports/linux/hidraw.h"
#include "tool/calibrating.h"
#include "tool/calibration_json.h"
#include "tool/flash_file.h"
#include "tool/json_text.h"
#include "tool/options.h"
#include "tool/panel.h"
#include "tool/playing.h"

typedef struct options {
    const char *source;
    const char *part;
    const char *description;
    const char *out;
    flash_options flash;
    const char *picture;
    const char *shown; /* a record that is only shown */
    bool json;         /* it */
    double speed;      /* of a recording; 0: as fast as it goes */
    unsigned notches, device;
    bool plain, is_free;
} options;

typedef struct session {
    const options *options;
    described_source from;
    device_part parts[DEVICE_PARTS];
    calibrating calibrating;
    size_t next_report; /* of a recording */
    uint64_t now_us;
    bool ended; /* nothing more comes, */
    bool left;  /* or the person left it */
    /* of the lines */
    uint8_t said_advice, said_state, said_tenth, said_notches;
} session;

/* Takes what has come up to a time of the recording, or what waits at the device. True: something
 * did. */
static bool take_reports(session *session, uint64_t until_us) {
    const recording *recording = &session->from.source.recording;
    if (session->from.source.live >= 0) {
        uint8_t bytes[RECORDING_REPORT];
        long size = hidraw_read(session->from.source.live, bytes, sizeof bytes, 20);
        session->ended = size < 0;
        session->now_us = clock_us();
        if (size > 0)
            calibrating_report(&session->calibrating, session->now_us, bytes, (size_t)size);
        return size > 0;
    }
    if (session->next_report == recording->report_count) {
        session->ended = true;
        return false;
    }
    const recorded_report *report = &recording->reports[session->next_report];
    uint64_t first_us = recording->reports[0].time_us;
    if (report->time_us > first_us && report->time_us - first_us > until_us)
        return false;
    session->next_report++;
    session->now_us = report->time_us;
    if (report->device == session->options->device - 1)
        calibrating_report(&session->calibrating, report->time_us,
                           recording->bytes + report->offset, report->size);
    return true;
}

/* A line when there is something new: what is to be done, another tenth, another notch. */
static void say(session *session, uint64_t begun_us) {
    const yt_calibration_news *news = &session->calibrating.news;
    char advice[300];
    uint8_t tenth = news->percent / 10;
    if (news->advice == session->said_advice && news->state == session->said_state &&
        tenth <= session->said_tenth && news->notches == session->said_notches)
        return;
    session->said_advice = news->advice;
    session->said_state = news->state;
    session->said_tenth = tenth > session->said_tenth ? tenth : session->said_tenth;
    session->said_notches = news->notches;
    calibrating_advice(&session->calibrating, advice, sizeof advice);
    printf("%7.2f s  %3u%%  %s\n", (double)(int64_t)(session->now_us - begun_us) / 1e6,
           news->percent, advice);
    fflush(stdout);
}

/* Whether a person at a device ends it, by a line; or, where nobody can type one, that enough was
 * seen. */
static bool is_to_end(const session *session) {
    fd_set files;
    struct timeval now = {0, 0};
    char line[100];
    FD_ZERO(&files);
    FD_SET(0, &files);
    if (select(1, &files, NULL, NULL, &now) <= 0)
        return false;
    return read(0, line, sizeof line) > 0 ||
           session->calibrating.news.state == YT_CALIBRATING_ENOUGH;
}

static void gather_plainly(session *session) {
    const recording *recording = &session->from.source.recording;
    bool is_live = session->from.source.live >= 0;
    uint64_t begun_us = is_live                   ? clock_us()
                        : recording->report_count ? recording->reports[0].time_us
                                                  : 0;
    uint64_t start_us = clock_us();
    double speed = session->options->speed;
    session->now_us = begun_us;
    session->said_advice = UINT8_MAX;
    while (!session->ended && !is_stopped()) {
        uint64_t until_us =
            speed > 0 ? (uint64_t)((double)(clock_us() - start_us) * speed) : UINT64_MAX;
        if (!take_reports(session, until_us) && !is_live)
            usleep(2000);
        say(session, begun_us);
        if (is_live && is_to_end(session))
            session->ended = true;
    }
}

static bool gather_on_screen(session *session) {
    uint64_t start_us = clock_us();
    double speed = session->options->speed;
    if (!panel_open(15))
        return false;
    while (!session->ended && !is_stopped()) {
        int key = getch();
        session->left = key == 'q';
        if (key == 'q' || key == '\n' || key == KEY_ENTER)
            break;
        uint64_t until_us = (uint64_t)((double)(clock_us() - start_us) * speed);
        for (unsigned i = 0; i < 4000 && take_reports(session, until_us); i++)
            continue;
        draw_calibrating(&session->calibrating, LINES, COLS);
        refresh();
    }
    endwin();
    return true;
}

static void list_parts(const session *session, size_t count) {
    printf("What can be calibrated of %s:\n", session->from.device->name);
    for (size_t i = 0; i < count; i++)
        printf("  %-28s %s\n", session->parts[i].name,
               calibration_kind_name(session->parts[i].part.kind));
}

/* On an adapter, in place of one of the same part. */
static bool keep(const yt_calibration *record, const flash_options *options) {
    flash_file file;
    if (!flash_file_open(&file, options, true))
        return false;
    yt_status status = yt_store_calibrate(&file.store, record, record->bytes);
    if (status != YT_OK)
        fprintf(stderr, "%s: %s\n", options->path, status_text(status));
    bool good = status == YT_OK && flash_file_save(&file);
    flash_file_close(&file);
    if (good)
        printf("kept on %s\n", options->path);
    return good;
}

/* The part that is meant; NULL: there is none, which is said. */
static const device_part *find_part(const session *session, size_t count) {
    const char *wanted = session->options->part, *names[DEVICE_PARTS];
    for (size_t i = 0; i < count; i++) {
        names[i] = session->parts[i].name;
        if (strcmp(names[i], wanted) == 0)
            return &session->parts[i];
    }
    const char *near = nearest_name(wanted, strlen(wanted), names, (unsigned)count);
    fprintf(stderr, "%s: there is nothing called \"%s\" that could be calibrated",
            session->options->source, wanted);
    fprintf(stderr, near ? "; did you mean \"%s\"?\n" : "\n", near);
    return NULL;
}

/* What was gathered becomes a record. */
static bool finish(session *session, const device_part *part) {
    static yt_calibration record;
    calibrating *calibrating = &session->calibrating;
    const yt_calibration_news *news = &calibrating->news;
    char advice[300], title[2 * USAGE_NAME_BYTES + 200];
    if (news->gaps || news->backwards)
        fprintf(stderr, "%s: %u pauses of more than a second, and the time went back %u times\n",
                session->options->source, news->gaps, news->backwards);
    if (session->left) {
        fprintf(stderr, "left; nothing is kept\n");
        return false;
    }
    if (yt_calibrating_end(&calibrating->gathering, &record) != YT_OK) {
        calibrating_advice(calibrating, advice, sizeof advice);
        fprintf(stderr, "%s: %s: no calibration came of it: %s\n", session->options->source,
                part->name, advice);
        return false;
    }
    print_calibration(stdout, part->name, part->unit_amount, &record, calibrating->samples,
                      calibrating->count);
    snprintf(title, sizeof title, "%s of %s, before and after it was calibrated", part->name,
             calibrating->device->name);
    if (session->options->picture && !draw_calibration(session->options->picture, title, &record,
                                                       calibrating->samples, calibrating->count))
        return false;
    return (!session->options->out || calibration_write(&record, session->options->out)) &&
           (!session->options->flash.path || keep(&record, &session->options->flash));
}

static bool gather(session *session, const device_part *part) {
    const options *options = session->options;
    bool good = true;
    if (!calibrating_begin(&session->calibrating, session->from.device, part, options->notches,
                           options->is_free))
        return false;
    stop_by_signals();
    if (options->plain)
        gather_plainly(session);
    else
        good = gather_on_screen(session);
    good = good && finish(session, part);
    calibrating_free(&session->calibrating);
    return good;
}

static bool calibrate(session *session) {
    const options *options = session->options;
    if (!described_open(&session->from, options->source, options->description, options->device))
        return false;
    size_t count =
        device_parts(session->from.device, session->from.file.description, session->parts);
    const device_part *part = options->part ? find_part(session, count) : NULL;
    if (!options->part)
        list_parts(session, count);
    bool good = !options->part || (part && gather(session, part));
    described_close(&session->from);
    return good;
}

static bool show(const char *path, bool json) {
    static yt_calibration record;
    if (!calibration_read(&record, path))
        return false;
    double unit = record.part.kind >= YT_CALIBRATION_GYRO ? record.part.unit_q24 / 16777216.0 : 0;
    if (json)
        return json_print(calibration_as_json(&record));
    print_calibration(stdout, "it", unit, &record, NULL, 0);
    return true;
}

enum {
    OPTION_PLAIN = OPTION_OWN,
    OPTION_SPEED,
    OPTION_WITH,
    OPTION_DEVICE,
    OPTION_NOTCHES,
    OPTION_FREE,
    OPTION_PICTURE,
    OPTION_SHOW
};

static void check_call(struct argp_state *state, options *options) {
    bool is_set = options->out || options->flash.path || options->picture || options->notches ||
                  options->is_free;
    if (options->shown && (options->source || options->description || is_set))
        argp_error(state, "--show only shows a calibration");
    if (options->json && !options->shown)
        argp_error(state, "--json is for --show");
    if (!options->shown && !options->source)
        argp_error(state, "say which device or recording");
    if (!options->part && is_set)
        argp_error(state, "say which stick, trigger or gyro; without one they are listed");
    if (!isatty(STDOUT_FILENO) || !isatty(STDIN_FILENO))
        options->plain = true;
    speed_of_device(state, options->speed >= 0, options->source);
    if (options->speed < 0)
        options->speed = options->plain ? 0 : 1;
    speed_check(state, options->plain, options->speed);
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        state->child_inputs[1] = &options->flash;
        return 0;
    case OPTION_PLAIN:
        options->plain = true;
        return 0;
    case OPTION_SPEED:
        options->speed = speed_argument(state, argument);
        return 0;
    case OPTION_WITH:
        options->description = argument;
        return 0;
    case OPTION_DEVICE:
        options->device = device_argument(state, argument);
        return 0;
    case OPTION_NOTCHES:
        options->notches = number_argument(state, "--notches", argument, 4, YT_CALIBRATION_NOTCHES);
        return 0;
    case OPTION_FREE:
        options->is_free = true;
        return 0;
    case OPTION_PICTURE:
        options->picture = argument;
        return 0;
    case OPTION_SHOW:
        options->shown = argument;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case ARGP_KEY_ARG:
        if (options->part)
            argp_error(state, "one device and one part of it at a time");
        *(options->source ? &options->part : &options->source) = argument;
        return 0;
    case ARGP_KEY_END:
        check_call(state, options);
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_calibrate(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"with", OPTION_WITH, "DESCRIPTION", 0, "use the names of a description", 0},
        {"notches", OPTION_NOTCHES, "NUMBER", 0,
         "the stick's gate has so many notches, 4 to 16; rest in each of them", 0},
        {"no-spring", OPTION_FREE, 0, 0, "an axis that stays where it is put, such as a lever", 0},
        {"picture", OPTION_PICTURE, "FILE", 0,
         "draw what it told before and what comes of it after: PNG, or SVG where it ends in .svg",
         0},
        {"show", OPTION_SHOW, "FILE", 0, "say what a calibration is that was written before", 0},
        JSON_OPTION("what --show says, as JSON"),
        {"plain", OPTION_PLAIN, 0, 0, "print lines and draw nothing in the terminal", 0},
        {"speed", OPTION_SPEED, "FACTOR", 0, SPEED_HELP, 0},
        {"device", OPTION_DEVICE, "NUMBER", 0, DEVICE_HELP, 0},
        {0}};
    static const struct argp_child children[] = {
        {&out_argp, 0, NULL, 0}, {&flash_argp, 0, "To keep it on an adapter:", 1}, {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .children = children,
        .args_doc = "DEVICE [PART]\n--show FILE",
        .doc = "Finds out how one stick, trigger, pedal or gyro differs from a perfect one, while "
               "you move it as it says, and writes that down for the adapter. Without PART it "
               "lists what there is.\vA device is a node such as /dev/hidraw0 or a recording; of a "
               "board a log of its pins, with the board's description. With "
               "a device Enter ends it when it says that enough was seen; where standard input is "
               "at its end, it ends there by itself. `yonder run` and `watch` "
               "take the file by --calibration."};
    static session session;
    options options = {.speed = -1, .device = 1};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    if (options.shown)
        return show(options.shown, options.json) ? 0 : 1;
    session.options = &options;
    return calibrate(&session) ? 0 : 1;
}
