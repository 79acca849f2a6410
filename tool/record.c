/* Records what devices send, several at once by one clock, until it is told to stop. */
#include <argp.h>
#include <errno.h>
#include <inttypes.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/keys.h"
#include "ports/linux/hidraw.h"
#include "tool/noting.h"
#include "tool/options.h"
#include "tool/playing.h"
#include "tool/source.h"

typedef struct options {
    const char *devices[RECORDING_DEVICES];
    unsigned count;
    const char *out;
    const char *macro; /* the output that a macro is for; NULL: a recording is written */
    uint64_t round_us;
    uint64_t for_us; /* 0: until it is interrupted */
    bool quiet;
} options;

/* A device that is recorded. */
typedef struct recorded {
    const recorded_device *device;
    unsigned source;    /* where it comes from, */
    unsigned in_source; /* and which of its devices it is */
    sim_host view;
    uint64_t reports;
    bool has_gone;
} recorded;

typedef struct recorder {
    const options *options;
    device_source sources[RECORDING_DEVICES];
    recorded devices[RECORDING_DEVICES];
    unsigned count;
    whole_file out;
    noting noting;    /* for a macro */
    unsigned last;    /* whose lines the file is in */
    unsigned changed; /* the device whose report is looked at, */
    uint64_t now_us;  /* and when it came */
} recorder;

static void show_change(void *context, const host_control *control) {
    recorder *recorder = context;
    const recorded *from = &recorder->devices[recorder->changed];
    char name[USAGE_NAME_BYTES];
    yt_raw_meaning meaning;
    device_control_name(from->device, NULL, control, name, &meaning);
    if (recorder->options->macro)
        note_change(&recorder->noting, recorder->now_us, name, &meaning, control->value);
    if (recorder->options->quiet)
        return;
    printf("%5" PRIu64 ".%06" PRIu64 "  %2u  %-30s  ", recorder->now_us / 1000000,
           recorder->now_us % 1000000, recorder->changed, name);
    print_raw_value(stdout, &meaning, control->value);
    putchar('\n');
}

static void take(recorder *recorder, unsigned number, uint64_t time_us, const uint8_t *bytes,
                 size_t size) {
    recorded *from = &recorder->devices[number];
    if (recorder->last != number && !recorder->options->macro)
        fprintf(recorder->out.file, "D: %u\n", number);
    recorder->last = number;
    recorder->changed = number;
    recorder->now_us = time_us;
    from->reports++;
    if (!recorder->options->macro)
        recording_write_report(recorder->out.file, time_us, bytes, size);
    sim_host_report(&from->view, bytes, size, show_change, recorder);
}

static bool add_device(recorder *recorder, unsigned source, unsigned in_source) {
    const recorded_device *device = &recorder->sources[source].recording.devices[in_source];
    recorded *new = &recorder->devices[recorder->count];
    size_t offset;
    if (recorder->count == RECORDING_DEVICES) {
        fprintf(stderr, "a recording holds up to %d devices\n", RECORDING_DEVICES);
        return false;
    }
    *new = (recorded){.device = device, .source = source, .in_source = in_source};
    yt_status status =
        sim_host_enumerate(&new->view, device->descriptor, device->descriptor_size, &offset);
    if (status != YT_OK)
        fprintf(stderr,
                "%s: byte %zu of its report descriptor is wrong; its reports are recorded "
                "all the same\n",
                device->name, offset);
    recorder->last = recorder->count++;
    if (!recorder->options->macro)
        recording_write_device(recorder->out.file, recorder->last, device->name, device->bus,
                               device->vendor, device->product, device->descriptor,
                               device->descriptor_size);
    return true;
}

/* All reports of files, by their own times. */
static void play_files(recorder *recorder) {
    size_t next[RECORDING_DEVICES] = {0};
    for (;;) {
        const recorded_report *first = NULL;
        unsigned from = 0;
        for (unsigned i = 0; i < recorder->options->count; i++) {
            const recording *recording = &recorder->sources[i].recording;
            if (next[i] < recording->report_count &&
                (!first || recording->reports[next[i]].time_us < first->time_us)) {
                first = &recording->reports[next[i]];
                from = i;
            }
        }
        if (!first || (recorder->options->for_us && first->time_us >= recorder->options->for_us))
            return;
        next[from]++;
        for (unsigned i = 0; i < recorder->count; i++)
            if (recorder->devices[i].source == from &&
                recorder->devices[i].in_source == first->device)
                take(recorder, i, first->time_us,
                     recorder->sources[from].recording.bytes + first->offset, first->size);
    }
}

static int live_of(const recorder *recorder, unsigned number) {
    return recorder->sources[recorder->devices[number].source].live;
}

/* Everything that a node has ready; false: it has gone. */
static bool read_node(recorder *recorder, unsigned number, uint64_t begin_us) {
    uint8_t bytes[RECORDING_REPORT];
    long size;
    while ((size = hidraw_read(live_of(recorder, number), bytes, sizeof bytes, 0)) > 0)
        take(recorder, number, clock_us() - begin_us, bytes, (size_t)size);
    return size == 0;
}

/* Until it is interrupted, its time is over, or all devices have gone. */
static void record_nodes(recorder *recorder) {
    struct pollfd nodes[RECORDING_DEVICES];
    uint64_t begin_us = clock_us(), for_us = recorder->options->for_us;
    unsigned left = recorder->count;
    stop_by_signals();
    while (!is_stopped() && left > 0 && (!for_us || clock_us() - begin_us < for_us)) {
        for (unsigned i = 0; i < recorder->count; i++)
            nodes[i] = (struct pollfd){
                .fd = recorder->devices[i].has_gone ? -1 : live_of(recorder, i), .events = POLLIN};
        uint64_t gone_us = clock_us() - begin_us;
        int wait_ms =
            for_us ? (int)((for_us - (gone_us < for_us ? gone_us : for_us)) / 1000) + 1 : 500;
        if (poll(nodes, recorder->count, wait_ms < 500 ? wait_ms : 500) <= 0)
            continue;
        for (unsigned i = 0; i < recorder->count; i++) {
            if (!nodes[i].revents || read_node(recorder, i, begin_us))
                continue;
            fprintf(stderr, "%s has gone\n", recorder->devices[i].device->name);
            recorder->devices[i].has_gone = true;
            left--;
        }
        fflush(stdout);
    }
}

/* Nodes and files have clocks of their own, so it is one or the other. */
static bool open_sources(recorder *recorder, bool *live) {
    const options *options = recorder->options;
    for (unsigned i = 0; i < options->count; i++) {
        device_source *source = &recorder->sources[i];
        if (!source_open(source, options->devices[i])) {
            source->live = -1;
            return false;
        }
        if (i > 0 && (source->live >= 0) != *live) {
            fprintf(stderr,
                    "%s: nodes and recordings have different clocks; record the nodes "
                    "first\n",
                    options->devices[i]);
            return false;
        }
        *live = source->live >= 0;
    }
    return true;
}

static void say_counts(const recorder *recorder) {
    for (unsigned i = 0; i < recorder->count; i++)
        fprintf(stderr, "%2u  %s: %" PRIu64 " reports\n", i, recorder->devices[i].device->name,
                recorder->devices[i].reports);
}

static bool record(recorder *recorder) {
    bool live = false;
    if (!open_sources(recorder, &live) ||
        !whole_file_open(&recorder->out, recorder->options->out, CONTENT_TEXT))
        return false;
    for (unsigned i = 0; i < recorder->options->count; i++)
        for (unsigned k = 0; k < recorder->sources[i].recording.device_count; k++)
            if (!add_device(recorder, i, k)) {
                whole_file_abandon(&recorder->out);
                return false;
            }
    if (!recorder->options->quiet)
        printf("   time in s  no  %-30s  value\n", "control");
    if (live && !recorder->options->for_us)
        fprintf(stderr, "Ctrl-C ends it\n");
    if (live)
        record_nodes(recorder);
    else
        play_files(recorder);
    const options *options = recorder->options;
    if (options->macro &&
        !write_macro(recorder->out.file, &recorder->noting, options->macro, options->round_us)) {
        whole_file_abandon(&recorder->out);
        return false;
    }
    if (!whole_file_close(&recorder->out))
        return false;
    if (recorder->noting.left_out)
        fprintf(stderr, "%zu changes of axes and levels are not in the macro\n",
                recorder->noting.left_out);
    fflush(stdout);
    say_counts(recorder);
    return true;
}

enum { OPTION_FOR = OPTION_OWN, OPTION_MACRO, OPTION_ROUND };

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->out;
        return 0;
    case OPTION_FOR:
        options->for_us = parse_time(argument);
        if (options->for_us == 0)
            argp_error(state, "--for takes a time, such as 10s or 500ms, not \"%s\"", argument);
        return 0;
    case OPTION_MACRO:
        if (!is_good_name(argument, strlen(argument), false))
            argp_error(state, "--macro takes the name of the output that it presses, such as pad");
        options->macro = argument;
        return 0;
    case OPTION_ROUND:
        options->round_us = parse_time(argument);
        if (options->round_us < 2000 || options->round_us > 1000000)
            argp_error(state, "--round takes a time from 2ms to 1s, not \"%s\"", argument);
        return 0;
    case ARGP_KEY_ARG:
        if (options->count == RECORDING_DEVICES)
            argp_error(state, "it records up to %d devices", RECORDING_DEVICES);
        options->devices[options->count++] = argument;
        return 0;
    case ARGP_KEY_END:
        if (options->count == 0)
            argp_error(state, "say which device, such as /dev/hidraw0; `yonder list` shows them");
        if (options->round_us && !options->macro)
            argp_error(state, "--round rounds the times of a macro; say --macro too");
        if (!options->round_us)
            options->round_us = 10000;
        if (!options->out)
            argp_error(state, "say with --out where it goes; - is standard output");
        options->quiet = strcmp(options->out, "-") == 0;
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_record(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"macro", OPTION_MACRO, "OUTPUT", 0,
         "write a profile's macro in place of a recording: what was pressed and moved, as controls "
         "of that output",
         0},
        {"round", OPTION_ROUND, "TIME", 0, "round a macro's times to this; 10ms if not given", 0},
        {"for", OPTION_FOR, "TIME", 0, "so long, such as 10s; until Ctrl-C if not given", 0},
        {0}};
    static const struct argp_child children[] = {{&out_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "DEVICE...",
        .doc = "Records what devices send, several at once by one clock, as a HID recording text, "
               "and shows what comes.\vA device is a node such as /dev/hidraw0. Recordings and USB "
               "captures are put together into one, by their own times."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    recorder *recorder = calloc(1, sizeof *recorder);
    if (!recorder)
        return 1;
    recorder->options = &options;
    for (unsigned i = 0; i < RECORDING_DEVICES; i++)
        recorder->sources[i].live = -1;
    bool good = record(recorder);
    for (unsigned i = 0; i < options.count; i++)
        source_close(&recorder->sources[i]);
    noting_free(&recorder->noting);
    free(recorder);
    return good ? 0 : 1;
}
