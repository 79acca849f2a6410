#include <argp.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "ports/sim/capture.h"
#include "tool/json_text.h"
#include "tool/lacking.h"
#include "tool/picture.h"
#include "tool/plugs.h"

typedef struct options {
    const char *profile;
    played_options played;
    const char *out;
    const char *picture;
    bool changes;
    bool json; /* them */
    const char *feedback;
    const char *record;
    uint64_t from_us, to_us; /* of the picture */
    uint32_t loss;
} options;

/* Something that a program asked of the adapter. */
typedef struct asking {
    uint64_t time_us;
    yt_action action;
} asking;

typedef struct running {
    profile profile;
    plugged plugged;
    simulation simulation;
    sim_sent *sent;
    change_list changes;
    sim_given *given; /* what devices were sent */
    size_t given_count, given_room;
    asking *asked; /* what the adapter was asked */
    size_t asked_count, asked_room;
    whole_file out;
    whole_file record;
    capture *capture; /* NULL: none is wanted */
    inside inside;
    bool writes;
    int last_interface; /* whose lines the recording is in; -1: nobody's yet */
} running;

enum {
    OPTION_CHANGES = OPTION_OWN,
    OPTION_PICTURE,
    OPTION_FEEDBACK,
    OPTION_LOSS,
    OPTION_RECORD,
    OPTION_FROM,
    OPTION_TO
};

static void parse_loss(struct argp_state *state, options *options, const char *argument) {
    char *end;
    double percent = strtod(argument, &end);
    if (end == argument || (strcmp(end, "%") != 0 && *end != 0) || !(percent >= 0 && percent <= 90))
        argp_error(state, "--loss takes a share of up to 90%%, such as 5%%, not \"%s\"", argument);
    options->loss = (uint32_t)(percent * 10 + 0.5);
}

static uint64_t picture_time(struct argp_state *state, const char *option, const char *argument) {
    uint64_t time_us = parse_time(argument);
    if (time_us == 0 && strcmp(argument, "0s") != 0)
        argp_error(state, "%s takes a time, such as 1.5s or 250ms, not \"%s\"", option, argument);
    return time_us;
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case ARGP_KEY_INIT:
        state->child_inputs[0] = &options->played;
        state->child_inputs[1] = &options->out;
        return 0;
    case OPTION_CHANGES:
        options->changes = true;
        return 0;
    case 'j':
        options->json = true;
        return 0;
    case OPTION_PICTURE:
        options->picture = argument;
        return 0;
    case OPTION_FROM:
        options->from_us = picture_time(state, "--from", argument);
        return 0;
    case OPTION_TO:
        options->to_us = picture_time(state, "--to", argument);
        return 0;
    case OPTION_RECORD:
        options->record = argument;
        return 0;
    case OPTION_FEEDBACK:
        options->feedback = argument;
        return 0;
    case OPTION_LOSS:
        parse_loss(state, options, argument);
        return 0;
    case ARGP_KEY_END:
        only_argument(key, argument, state, &options->profile, "profile");
        played_check(state, &options->played);
        if ((options->from_us || options->to_us) && !options->picture)
            argp_error(state, "--from and --to choose a part of a picture; add --picture FILE");
        if (options->to_us && options->to_us <= options->from_us)
            argp_error(state, "--to must be later than --from");
        if (options->json && !options->changes)
            argp_error(state, "--json is for --changes");
        if (options->json && ((options->out && strcmp(options->out, "-") == 0) ||
                              (options->record && strcmp(options->record, "-") == 0)))
            argp_error(state, "--json goes to standard output; say another file for the rest");
        if (options->record && options->out && strcmp(options->record, "-") == 0 &&
            strcmp(options->out, "-") == 0)
            argp_error(state, "--out and --record cannot both go to standard output");
        return 0;
    default:
        return only_argument(key, argument, state, &options->profile, "profile");
    }
}

static void write_heads(running *running) {
    const yt_program *program = &running->profile.compiled.program;
    unsigned count = program->header->interface_count;
    for (unsigned i = 0; i < count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        char title[160];
        interface_title(&running->profile, i, title, sizeof title);
        recording_write_device(
            running->out.file, i, title, YT_BUS_USB, OUTPUT_VENDOR, (uint16_t)(OUTPUT_PRODUCT + i),
            program->blob + interface->descriptor_offset, interface->descriptor_bytes);
    }
    running->last_interface = (int)count - 1;
}

static void write_taken(void *context, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                        size_t size) {
    running *running = context;
    if (running->capture)
        capture_taken(running->capture, interface, time_us, bytes, size);
    if (!running->writes)
        return;
    if (running->last_interface != (int)interface)
        fprintf(running->out.file, "D: %u\n", interface);
    running->last_interface = (int)interface;
    recording_write_report(running->out.file, time_us, bytes, size);
}

static void note_sent(void *context, const sim_sent *sent) {
    running *running = context;
    if (running->capture)
        capture_sent(running->capture, sent->interface, sent->time_us, sent->direction, sent->bytes,
                     sent->size);
}

/* Each connector over USB is a device of the capture. */
static void begin_capture(running *running) {
    const yt_program *program = &running->profile.compiled.program;
    char name[64];
    snprintf(name, sizeof name, "%.60s", running->profile.compiled.name);
    for (char *at = name; *at; at++)
        if (*at < ' ' || *at > '~')
            *at = '?';
    const yt_usb_identity identity = {.vendor = OUTPUT_VENDOR,
                                      .product = OUTPUT_PRODUCT,
                                      .product_name = *name ? name : "adapter",
                                      .packet_bytes = 64,
                                      .milliamperes = 100,
                                      .interval_ms = 1};
    for (unsigned connector = 1; connector < 256; connector++) {
        bool is_used = false;
        for (unsigned i = 0; i < program->header->interface_count; i++)
            is_used |= program->interfaces[i].connector == connector;
        if (is_used &&
            !capture_device(running->capture, &running->simulation.engine, &identity, connector))
            fprintf(stderr, "connector %u is not over USB, and not in the capture\n", connector);
    }
}

static void keep_change(void *context, const sim_change *change) {
    running *running = context;
    change_list_add(&running->changes, change);
    if (running->inside.profile)
        inside_seen(&running->inside, change);
}

/* Reports that the description of a device tells of are shown in bytes; what else it gets shows in
 * its lights and motors. */
static const char *who_is_sent(const running *running, const sim_given *given) {
    const yt_compiled *compiled = &running->profile.compiled;
    for (unsigned i = 0; i < compiled->input_count; i++) {
        const yt_description *description = compiled->inputs[i].description;
        for (unsigned k = 0; description && k < description->send_count; k++)
            if ((given->inputs >> i & 1) &&
                description->sends[k].filled.direction == given->direction &&
                description->sends[k].filled.report_id == (given->has_id ? given->bytes[0] : 0))
                return compiled->inputs[i].name;
    }
    return NULL;
}

static void keep_given(void *context, const sim_given *given) {
    running *running = context;
    if (!who_is_sent(running, given))
        return;
    if (running->given_count == running->given_room) {
        running->given_room = 2 * running->given_room + 16;
        running->given = realloc(running->given, running->given_room * sizeof *running->given);
        if (!running->given)
            abort();
    }
    running->given[running->given_count++] = *given;
}

static void keep_asked(void *context, uint64_t time_us, const yt_action *action) {
    running *running = context;
    if (running->asked_count == running->asked_room) {
        running->asked_room = 2 * running->asked_room + 16;
        running->asked = realloc(running->asked, running->asked_room * sizeof *running->asked);
        if (!running->asked)
            abort();
    }
    running->asked[running->asked_count++] = (asking){time_us, *action};
}

static void print_asked(FILE *file, const running *running) {
    if (running->asked_count)
        fprintf(file, "\n   what the adapter is asked\n");
    for (size_t i = 0; i < running->asked_count; i++) {
        const asking *at = &running->asked[i];
        char number[20] = "";
        if (at->action.number)
            snprintf(number, sizeof number, ".%u", at->action.number);
        fprintf(file, "%12.6f  to    adapter.%s%s", (double)at->time_us / 1e6,
                yt_action_name(at->action.kind), number);
        if (at->action.kind == YT_ACTION_LIGHT)
            fprintf(file, "  %.1f %%", at->action.value * 100.0 / YT_ONE);
        fputc('\n', file);
    }
}

static void print_given(FILE *file, const running *running) {
    if (running->given_count)
        fprintf(file, "\n   what devices are sent, in bytes\n");
    for (size_t i = 0; i < running->given_count; i++) {
        const sim_given *given = &running->given[i];
        fprintf(file, "%12.6f  to    %-28s  %s ", (double)given->time_us / 1e6,
                who_is_sent(running, given),
                given->direction == YT_HID_FEATURE ? "feature" : "output");
        for (size_t k = 0; k < given->size; k++)
            fprintf(file, " %02x", given->bytes[k]);
        fputc('\n', file);
    }
}

/* What the engine lost or did not take, with its name for programs. */
typedef struct lost {
    const char *name, *what;
    uint64_t count;
} lost;

#define LOST 7

static void count_lost(const running *running, lost list[LOST]) {
    yt_counts counts = yt_engine_counts(&running->simulation.engine);
    const lost all[LOST] = {
        {"pairs_dropped", "press-and-release pairs dropped", counts.pairs_dropped},
        {"motion_dropped", "counts of motion dropped", counts.motion_dropped},
        {"deadlines_merged", "deadlines merged", counts.deadlines_merged},
        {"reports_short", "reports too short", counts.reports_short},
        {"reports_refused", "reports refused", counts.reports_refused},
        {"numbers_cut", "numbers beyond 32767 cut", counts.numbers_cut},
        {"actions_dropped", "actions of the adapter dropped", counts.actions_dropped}};
    memcpy(list, all, sizeof all);
}

static json_t *given_of(const running *running) {
    json_t *list = json_array();
    for (size_t i = 0; i < running->given_count; i++) {
        const sim_given *given = &running->given[i];
        bool is_feature = given->direction == YT_HID_FEATURE;
        json_t *one = json_object();
        json_object_set_new(one, "time_us", json_integer((json_int_t)given->time_us));
        json_object_set_new(one, "input", json_text(who_is_sent(running, given)));
        json_object_set_new(one, "kind", json_string(is_feature ? "feature" : "output"));
        json_object_set_new(one, "bytes", json_bytes(given->bytes, given->size));
        json_array_append_new(list, one);
    }
    return list;
}

static json_t *asked_of(const running *running) {
    json_t *list = json_array();
    for (size_t i = 0; i < running->asked_count; i++) {
        const asking *at = &running->asked[i];
        json_t *one = json_object();
        json_object_set_new(one, "time_us", json_integer((json_int_t)at->time_us));
        json_object_set_new(one, "action", json_text(yt_action_name(at->action.kind)));
        json_object_set_new(one, "number", json_integer(at->action.number));
        json_object_set_new(one, "value", json_real(at->action.value / (double)YT_ONE));
        json_array_append_new(list, one);
    }
    return list;
}

static bool print_json(const running *running) {
    json_t *all = json_object(), *counts = json_object();
    lost lost[LOST];
    count_lost(running, lost);
    json_object_set_new(counts, "devices", json_integer(running->simulation.device_count));
    json_object_set_new(counts, "reports_in",
                        json_integer((json_int_t)running->simulation.reports_in));
    json_object_set_new(counts, "reports_out",
                        json_integer((json_int_t)running->simulation.reports_out));
    json_object_set_new(counts, "memory_bytes",
                        json_integer((json_int_t)yt_engine_used(&running->simulation.engine)));
    for (unsigned i = 0; i < LOST; i++)
        json_object_set_new(counts, lost[i].name, json_integer((json_int_t)lost[i].count));
    json_object_set_new(all, "changes",
                        changes_of(&running->profile, running->plugged.plugs, &running->changes));
    json_object_set_new(all, "sent", given_of(running));
    json_object_set_new(all, "asked", asked_of(running));
    json_object_set_new(all, "counts", counts);
    return json_print(all);
}

static void print_summary(const running *running) {
    lost lost[LOST];
    count_lost(running, lost);
    fprintf(stderr,
            "%u device%s, %" PRIu64 " reports in, %" PRIu64 " reports out; %zu bytes of the "
            "engine's memory in use",
            running->simulation.device_count, running->simulation.device_count == 1 ? "" : "s",
            running->simulation.reports_in, running->simulation.reports_out,
            yt_engine_used(&running->simulation.engine));
    for (size_t i = 0; i < LOST; i++)
        if (lost[i].count)
            fprintf(stderr, "; %" PRIu64 " %s", lost[i].count, lost[i].what);
    fputc('\n', stderr);
}

static void note_inside(void *context) {
    running *running = context;
    if (running->inside.profile)
        inside_settled(&running->inside);
}

static bool simulate(running *running, const options *options) {
    sim_observer observer = {.context = running,
                             .change = options->changes || options->picture ? keep_change : NULL,
                             .taken = write_taken,
                             .sent = note_sent,
                             .settled = note_inside,
                             .given = options->changes ? keep_given : NULL,
                             .asked = options->changes ? keep_asked : NULL};
    const yt_compiled *compiled = &running->profile.compiled;
    if (!simulation_begin(&running->simulation, compiled->image, compiled->size,
                          running->plugged.plugs, running->plugged.count,
                          (sim_timing){.poll_us = options->played.poll_us,
                                       .loss = options->loss,
                                       .limit = options->played.limit},
                          observer)) {
        fprintf(stderr, "%s: %s\n", options->profile, running->simulation.error);
        return false;
    }
    if (!plugged_calibrate(&running->plugged, &running->simulation, &options->played.calibrations))
        return false;
    warn_of_lacking(&running->profile, &running->simulation);
    if (options->feedback) {
        size_t count;
        running->sent = feedback_read(&running->profile, options->feedback, &count);
        if (!running->sent)
            return false;
        simulation_send(&running->simulation, running->sent, count);
    }
    if (running->writes)
        write_heads(running);
    if (running->capture)
        begin_capture(running);
    if (options->picture)
        inside_begin(&running->inside, &running->profile, &running->simulation);
    return simulation_run(&running->simulation) ||
           limit_reached(&running->simulation, options->profile);
}

static bool show(running *running, const options *options) {
    char title[320];
    change_list_sort(&running->changes);
    bool good = true;
    if (options->json) {
        good = print_json(running);
    } else if (options->changes) {
        print_changes(stdout, &running->profile, running->plugged.plugs, &running->changes);
        print_given(stdout, running);
        print_asked(stdout, running);
    }
    if (!options->picture)
        return good;
    snprintf(title, sizeof title, "%s, host polls every %g ms",
             *running->profile.compiled.name ? running->profile.compiled.name : options->profile,
             (double)options->played.poll_us / 1000);
    const picture picture = {options->picture, title, options->from_us, options->to_us,
                             &running->inside};
    return draw_picture(&picture, &running->profile, running->plugged.plugs, &running->changes) &&
           good;
}

static bool run_profile(running *running, const options *options) {
    for (unsigned i = 0; i < options->played.input_count; i++)
        if (!plugged_add(&running->plugged, &running->profile, options->played.inputs[i]))
            return false;
    running->writes = options->out || (!options->changes && !options->picture && !options->record);
    if (options->record) {
        if (!whole_file_open(&running->record, options->record, CONTENT_BYTES))
            return false;
        running->capture = capture_begin(&running->profile.compiled.program);
    }
    if (running->writes &&
        !whole_file_open(&running->out, options->out ? options->out : "-", CONTENT_TEXT))
        return false;
    bool good = simulate(running, options);
    if (running->writes && !good)
        whole_file_abandon(&running->out);
    else if (running->writes)
        good = whole_file_close(&running->out);
    if (running->capture && capture_end(running->capture, running->record.file) && good)
        good = whole_file_close(&running->record);
    else if (running->capture)
        whole_file_abandon(&running->record);
    good = good && show(running, options);
    fflush(stdout);
    if (good)
        print_summary(running);
    return good;
}

int command_run(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"feedback", OPTION_FEEDBACK, "FILE", 0,
         "what the host sends back: lines such as 1.5, pad.rumble.strong, 80%", 0},
        {"loss", OPTION_LOSS, "PERCENT", 0,
         "a radio in place of a cable: --poll is its connection interval, and so much gets lost",
         0},
        {"record", OPTION_RECORD, "FILE", 0,
         "write what went over the USB cables as a capture (pcap), as Linux' usbmon would", 0},
        {"changes", OPTION_CHANGES, 0, 0, "print a table of all that changed, in and out", 0},
        JSON_OPTION("that table as JSON, with what was counted"),
        {"picture", OPTION_PICTURE, "FILE", 0,
         "draw what came in and what went out on one time axis (PNG, or SVG by its name)", 0},
        {"from", OPTION_FROM, "TIME", 0, "where the picture begins", 0},
        {"to", OPTION_TO, "TIME", 0, "where it ends", 0},
        {0}};
    static const struct argp_child children[] = {
        {&played_argp, 0, 0, 0}, {&out_argp, 0, 0, 0}, {0}};
    static const struct argp argp = {
        .options = known,
        .children = children,
        .parser = parse,
        .args_doc = "PROFILE",
        .doc = "Plays recordings through a profile on a simulated adapter, by their own times, as "
               "fast as the machine allows, and writes what the host gets as a HID recording "
               "text.\vWithout --out, --record, --changes and --picture the recording goes to "
               "standard "
               "output. The same call gives the same bytes each time."};
    options options = {0};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    running *running = calloc(1, sizeof *running);
    if (!running || !profile_open(&running->profile, options.profile)) {
        free(running);
        return 1;
    }
    bool good = run_profile(running, &options);
    inside_free(&running->inside);
    simulation_end(&running->simulation);
    free(running->sent);
    free(running->given);
    free(running->asked);
    plugged_free(&running->plugged);
    change_list_free(&running->changes);
    profile_close(&running->profile);
    free(running);
    return good ? 0 : 1;
}
