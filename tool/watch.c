/* What a device does, or with a profile what its host gets, as it happens. */
#include <argp.h>
#include <curses.h>
#include <inttypes.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "compiler/status_text.h"
#include "ports/linux/hidraw.h"
#include "ports/sim/board_log.h"
#include "tool/panel.h"
#include "tool/source.h"

#define POLL_US 8000 /* how often the simulated host asks */

typedef struct options {
    const char *source;
    const char *description;
    const char *profile;
    double speed; /* 0: as fast as the machine allows */
    bool plain;
} options;

typedef struct watching {
    const options *options;
    device_source source;
    description_file description;
    profile profile;
    bool has_profile;
    field_place place;
    sim_host view;
    const device_kind *kind;
    panel panels[2]; /* the device, and what the host gets */
    size_t next_report;
    uint64_t now_us; /* in the recording's time, or since the start */
    yt_engine engine;
    yt_port port;
    uint64_t *memory;
    unsigned device;
    sim_host hosts[YT_INTERFACES];
    uint64_t next_poll_us;
    unsigned interface; /* whose report is being read */
    bool ended;
    bool paused;
} watching;

static volatile sig_atomic_t stopped;

static void stop(int signal) {
    (void)signal;
    stopped = 1;
}

static void print_change(const watching *watching, const char *way, const char *name,
                         const host_control *control) {
    sim_change change = {.control = *control};
    char value[64];
    change_value(&change, value, sizeof value);
    printf("%5" PRIu64 ".%06" PRIu64 "  %-4s  %-30s  %s\n", watching->now_us / 1000000,
           watching->now_us % 1000000, way, name, value);
}

static void device_changed(void *user, const host_control *control) {
    watching *watching = user;
    char name[USAGE_NAME_BYTES];
    field_place place = {.page = control->page,
                         .usage = control->usage,
                         .bit = control->bit,
                         .report_id = control->report_id,
                         .occurrence = control->occurrence,
                         .is_relative = control->is_relative};
    const description *description = watching->description.description;
    const device_kind *kind =
        description      ? description->kind
        : watching->kind ? watching->kind
                         : device_kind_of(control->application_page, control->application_usage);
    name_place(kind, description, &place, name, sizeof name);
    if (watching->options->plain)
        print_change(watching, "in", name, control);
    else
        panel_change(&watching->panels[0], name, control, watching->now_us);
}

static void host_changed(void *user, const host_control *control) {
    watching *watching = user;
    char name[160];
    output_control_name(&watching->profile.compiled, watching->interface, control, name,
                        sizeof name);
    if (watching->options->plain)
        print_change(watching, "out", name, control);
    else
        panel_change(&watching->panels[1], name, control, watching->now_us);
}

static void poll_hosts(watching *watching) {
    for (unsigned i = 0; i < watching->engine.interface_count; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        size_t size = yt_interface_report(&watching->engine, i, bytes, sizeof bytes);
        if (size == 0)
            continue;
        watching->interface = i;
        panel_report(&watching->panels[1], watching->now_us);
        sim_host_report(&watching->hosts[i], bytes, size, host_changed, watching);
        yt_interface_taken(&watching->engine, i, watching->now_us);
    }
}

/* Lets the engine and its hosts live on until a time. */
static void go_to(watching *watching, uint64_t time_us) {
    while (watching->has_profile && watching->next_poll_us <= time_us) {
        watching->now_us = watching->next_poll_us;
        yt_engine_update(&watching->engine, watching->now_us);
        poll_hosts(watching);
        watching->next_poll_us += POLL_US;
    }
    watching->now_us = time_us;
}

static void take(watching *watching, const uint8_t *bytes, size_t size) {
    panel_report(&watching->panels[0], watching->now_us);
    sim_host_report(&watching->view, bytes, size, device_changed, watching);
    if (!watching->has_profile)
        return;
    yt_engine_update(&watching->engine, watching->now_us);
    yt_status status =
        yt_engine_report(&watching->engine, watching->device, bytes, size, watching->now_us);
    if (status == YT_OK)
        yt_engine_update(&watching->engine, watching->now_us);
}

/* All that a recording holds up to a time. */
static void play_until(watching *watching, uint64_t time_us) {
    const recording *recording = &watching->source.recording;
    for (; watching->next_report < recording->report_count; watching->next_report++) {
        const recorded_report *report = &recording->reports[watching->next_report];
        if (report->time_us > time_us)
            break;
        if (report->device != 0)
            continue;
        go_to(watching, report->time_us > watching->now_us ? report->time_us : watching->now_us);
        take(watching, recording->bytes + report->offset, report->size);
    }
    watching->ended = watching->next_report == recording->report_count;
    uint64_t end_us = watching->ended && recording->report_count > 0
                          ? recording->reports[recording->report_count - 1].time_us + 1000000
                          : time_us;
    go_to(watching, time_us < end_us ? time_us : end_us);
    watching->ended = watching->ended && time_us >= end_us;
}

static void read_live(watching *watching, uint64_t time_us) {
    uint8_t bytes[RECORDING_REPORT];
    long size;
    go_to(watching, time_us);
    while ((size = hidraw_read(watching->source.live, bytes, sizeof bytes, 0)) > 0)
        take(watching, bytes, (size_t)size);
    watching->ended = size < 0;
}

static uint64_t clock_us(void) {
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000 + (uint64_t)now.tv_nsec / 1000;
}

static void draw(watching *watching) {
    int height, width;
    getmaxyx(stdscr, height, width);
    erase();
    int half = watching->has_profile ? width / 2 - 1 : width - 2;
    panel_draw(&watching->panels[0], 0, 1, height - 2, half - 1, watching->now_us);
    if (watching->has_profile) {
        mvvline(0, half + 1, ACS_VLINE, height - 2);
        panel_draw(&watching->panels[1], 0, half + 3, height - 2, width - half - 4,
                   watching->now_us);
    }
    mvhline(height - 2, 0, ACS_HLINE, width);
    mvprintw(height - 1, 1, "%8.3f s%s   space: hold   q: leave   names are those of a profile",
             (double)watching->now_us / 1e6,
             watching->paused  ? " (held)"
             : watching->ended ? " (ended)"
                               : "");
    refresh();
}

static void watch_screen(watching *watching) {
    uint64_t last_us = clock_us(), time_us = 0;
    if (!initscr())
        return;
    cbreak();
    noecho();
    curs_set(0);
    timeout(25);
    while (!stopped) {
        int key = getch();
        if (key == 'q')
            break;
        if (key == ' ')
            watching->paused = !watching->paused;
        uint64_t clock = clock_us();
        if (!watching->paused)
            time_us += (uint64_t)((double)(clock - last_us) * watching->options->speed);
        last_us = clock;
        if (!watching->ended && !watching->paused) {
            if (watching->source.live >= 0)
                read_live(watching, time_us);
            else
                play_until(watching, time_us);
        }
        draw(watching);
    }
    endwin();
}

static void watch_plainly(watching *watching) {
    uint64_t start_us = clock_us();
    printf("   time in s  from  control                         value\n");
    while (!watching->ended && !stopped) {
        double speed = watching->options->speed;
        uint64_t time_us = (uint64_t)((double)(clock_us() - start_us) * (speed > 0 ? speed : 1));
        if (watching->source.live >= 0)
            read_live(watching, time_us);
        else
            play_until(watching, speed > 0 ? time_us : UINT64_MAX / 4);
        fflush(stdout);
        if (!watching->ended)
            usleep(2000);
    }
}

/* Where what happens has names before it happens, they are shown at once. */
static void show_all(watching *watching, panel *panel, sim_host *host, host_change *change) {
    for (unsigned i = 0; i < host->control_count; i++)
        if (host->controls[i].page != PAGE_KEYBOARD || !host_control_is_switch(&host->controls[i]))
            change(watching, &host->controls[i]);
    for (unsigned i = 0; i < panel->count; i++)
        panel->controls[i].changed_us = 0;
}

static bool begin_profile(watching *watching) {
    const compiled *compiled = &watching->profile.compiled;
    const recorded_device *device = watching->source.recording.devices;
    watching->port.version = YT_PORT_VERSION;
    watching->memory = calloc(1, SIM_MEMORY);
    yt_device arriving = {.descriptor = device->descriptor,
                          .descriptor_size = device->descriptor_size,
                          .vendor = device->vendor,
                          .product = device->product,
                          .name = device->name,
                          .bus = (uint8_t)device->bus,
                          .input = YT_ANY_INPUT};
    yt_status status = watching->memory ? yt_engine_init(&watching->engine, watching->memory,
                                                         SIM_MEMORY, &watching->port)
                                        : YT_MEMORY;
    if (status == YT_OK)
        status = yt_engine_load(&watching->engine, compiled->image, compiled->size);
    if (status == YT_OK)
        status = yt_engine_attach(&watching->engine, &arriving, &watching->device);
    if (status != YT_OK) {
        fprintf(stderr, "%s: %s: %s\n", watching->options->profile, device->name,
                status_text(status));
        return false;
    }
    for (unsigned i = 0; i < compiled->program.header->interface_count; i++) {
        const yt_program_interface *interface = &compiled->program.interfaces[i];
        size_t offset;
        status = sim_host_enumerate(&watching->hosts[i],
                                    compiled->program.blob + interface->descriptor_offset,
                                    interface->descriptor_bytes, &offset);
        if (status != YT_OK)
            return false;
        watching->interface = i;
        if (!watching->options->plain)
            show_all(watching, &watching->panels[1], &watching->hosts[i], host_changed);
    }
    snprintf(watching->panels[1].title, sizeof watching->panels[1].title, "What the host gets: %s",
             *compiled->name ? compiled->name : watching->options->profile);
    return true;
}

static bool begin_device(watching *watching) {
    const recorded_device *device = watching->source.recording.devices;
    size_t offset;
    yt_status status =
        sim_host_enumerate(&watching->view, device->descriptor, device->descriptor_size, &offset);
    if (status != YT_OK) {
        fprintf(stderr, "%s: byte %zu of the report descriptor: %s\n", watching->options->source,
                offset, status_text(status));
        return false;
    }
    const description *description = watching->description.description;
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const control_meaning *meaning = &description->controls[i].meaning;
        if (!(meaning->place.flags & YT_PLACE_HERE) || description->controls[i].is_target)
            continue;
        yt_hid_field field = {
            .report_id = meaning->place.report_id,
            .flags = (uint16_t)(YT_HID_VARIABLE |
                                (meaning->place.flags & YT_PLACE_MOTION ? YT_HID_RELATIVE : 0)),
            .bit = meaning->place.bit,
            .bits = meaning->place.bits,
            .count = 1,
            .minimum = meaning->range.minimum,
            .maximum = meaning->range.maximum};
        sim_host_add_field(&watching->view, &field);
    }
    snprintf(watching->panels[0].title, sizeof watching->panels[0].title, "%s", device->name);
    if (!watching->options->plain)
        show_all(watching, &watching->panels[0], &watching->view, device_changed);
    return true;
}

/* A board's log is played through the profile that describes the board. */
static bool open_source(watching *watching) {
    const char *path = watching->options->source;
    size_t length = strlen(path);
    const compiled *compiled = &watching->profile.compiled;
    watching->source.live = -1;
    if (length < 5 || strcmp(path + length - 4, ".csv") != 0)
        return source_open(&watching->source, path);
    for (unsigned i = 0; watching->has_profile && i < compiled->input_count; i++) {
        const description *board = compiled->inputs[i].description;
        if (!board || !board->is_board)
            continue;
        watching->description.description = board;
        if (board_log_read(&watching->source.recording, path, &compiled->program, i, board->name))
            return true;
        fprintf(stderr, "%s\n", watching->source.recording.error);
        return false;
    }
    fprintf(stderr,
            "%s: a board's log is watched with a profile that names the board (--through)\n", path);
    return false;
}

static bool watch(watching *watching) {
    const options *options = watching->options;
    if (options->profile) {
        watching->has_profile = profile_open(&watching->profile, options->profile);
        if (!watching->has_profile)
            return false;
    }
    if (options->description && !description_open(&watching->description, options->description))
        return false;
    if (!open_source(watching) || !begin_device(watching) ||
        (watching->has_profile && !begin_profile(watching)))
        return false;
    if (watching->source.live < 0 && watching->source.recording.report_count == 0) {
        fprintf(stderr, "%s: there are no reports in it to watch\n", options->source);
        return false;
    }
    signal(SIGINT, stop);
    signal(SIGTERM, stop);
    if (options->plain)
        watch_plainly(watching);
    else
        watch_screen(watching);
    return true;
}

enum { OPTION_PLAIN = 256, OPTION_SPEED, OPTION_WITH, OPTION_THROUGH };

static void parse_speed(struct argp_state *state, options *options, const char *argument) {
    char *end;
    options->speed = strtod(argument, &end);
    if (strcmp(argument, "max") == 0)
        options->speed = 0;
    else if (end == argument || *end != 0 || !(options->speed >= 0.01 && options->speed <= 1000))
        argp_error(state, "--speed takes a factor from 0.01 to 1000, or max, not \"%s\"", argument);
}

static error_t parse(int key, char *argument, struct argp_state *state) {
    options *options = state->input;
    switch (key) {
    case OPTION_PLAIN:
        options->plain = true;
        return 0;
    case OPTION_SPEED:
        parse_speed(state, options, argument);
        return 0;
    case OPTION_WITH:
        options->description = argument;
        return 0;
    case OPTION_THROUGH:
        options->profile = argument;
        return 0;
    case ARGP_KEY_ARG:
        if (options->source)
            argp_error(state, "one device at a time");
        options->source = argument;
        return 0;
    case ARGP_KEY_END:
        if (!options->source)
            argp_error(state, "say which recording or device");
        if (!options->plain && options->speed == 0)
            argp_error(state, "--speed max is for --plain");
        return 0;
    default:
        return ARGP_ERR_UNKNOWN;
    }
}

int command_watch(int count, char **arguments) {
    static const struct argp_option known[] = {
        {"through", OPTION_THROUGH, "PROFILE", 0, "show what the host gets by a profile, too", 0},
        {"with", OPTION_WITH, "DESCRIPTION", 0, "use the names of a description", 0},
        {"speed", OPTION_SPEED, "FACTOR", 0,
         "how fast a recording is played: 1 is real time; max, with --plain, does not wait", 0},
        {"plain", OPTION_PLAIN, 0, 0, "print a line for each change", 0},
        {0}};
    static const struct argp argp = {
        .options = known,
        .parser = parse,
        .args_doc = "DEVICE",
        .doc =
            "Shows a device's controls as they change, by the names that a profile uses: bars "
            "for levels, a dot in a field for sticks, counts a second for motion.\vA device is a "
            "node such as /dev/hidraw0 or a recording; with --through also a board's log."};
    static watching watching;
    options options = {.speed = 1};
    argp_parse(&argp, count, arguments, 0, NULL, &options);
    watching.options = &options;
    bool good = watch(&watching);
    if (watching.has_profile)
        profile_close(&watching.profile);
    if (options.description && watching.description.text)
        description_close(&watching.description);
    source_close(&watching.source);
    free(watching.memory);
    return good ? 0 : 1;
}
