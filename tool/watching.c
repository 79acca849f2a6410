#include "tool/json_text.h"
#include "tool/watching.h"

#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "ports/linux/hidraw.h"
#include "ports/sim/board_log.h"
#include "ports/sim/described.h"
#include "tool/fields.h"
#include "tool/output.h"

#define POLL_US  8000   /* how often the simulated hosts ask */
#define PULSE_US 300000 /* how long a test pulse lasts */

bool watching_is_live(const watching *watching) {
    for (unsigned i = 0; i < watching->options->source_count; i++)
        if (watching->sources[i].live >= 0)
            return true;
    return false;
}

/* A recording may be long, and a profile may turn little into much. */
static bool is_within_limit(watching *watching) {
    uint64_t limit = watching->options->limit;
    watching->is_full |= !watching_is_live(watching) &&
                         (watching->changes >= limit || watching->polls >= 16 * limit);
    return !watching->is_full;
}

/* A change of a device (its number from 1, 0: of none) or a host: drawn in its panel, or printed.
 */
static void show_change(watching *watching, panel *panel, bool goes_out, unsigned device,
                        const char *name, const yt_raw_meaning *meaning,
                        const host_control *control) {
    char way[16];
    if (!watching->options->plain) {
        panel_change(panel, name, meaning, control, watching->now_us);
        return;
    }
    if (!is_within_limit(watching))
        return;
    watching->changes++;
    if (watching->options->json) {
        json_t *one = change_as_json(watching->now_us, goes_out, name, meaning, control->value);
        json_object_set_new(one, "device", device ? json_integer(device) : json_null());
        json_print_line(one);
        return;
    }
    snprintf(way, sizeof way, device && watching->device_count > 1 ? "%s %u" : "%s",
             goes_out ? "out" : "in", device); /* of several devices each has its number */
    printf("%5" PRIu64 ".%06" PRIu64 "  %-4s  %-30s  ", watching->now_us / 1000000,
           watching->now_us % 1000000, way, name);
    print_raw_value(stdout, meaning, control->value);
    putchar('\n');
}

static void device_changed(void *context, const host_control *control) {
    watching *watching = context;
    watched *at = &watching->devices[watching->looking_at];
    char name[USAGE_NAME_BYTES];
    yt_raw_meaning meaning;
    device_control_name(at->device, at->description, control, name, &meaning);
    show_change(watching, &at->panel, false, watching->looking_at + 1, name, &meaning, control);
}

static void host_changed(void *context, const host_control *control) {
    watching *watching = context;
    char name[160];
    yt_raw_meaning meaning;
    output_control_name(watching->compiled, watching->looking_at, control, name, sizeof name,
                        &meaning);
    show_change(watching, &watching->hosts_panel, true, 0, name, &meaning, control);
}

/* A light or a motor of a device. */
static void light_changed(void *context, const host_control *control) {
    watching *watching = context;
    watched *at = &watching->devices[watching->looking_at];
    char name[USAGE_NAME_BYTES];
    yt_raw_meaning meaning;
    target_name(watching->compiled, yt_engine_inputs_of(&watching->engine, at->number), at->device,
                control, name, &meaning);
    show_change(watching, &at->panel, true, watching->looking_at + 1, name, &meaning, control);
}

/* Gives a device what the sheet drives of its lights and motors. */
static void serve_device(watching *watching, unsigned number) {
    watched *at = &watching->devices[number];
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_device_output output;
    watching->looking_at = number;
    while (at->number < YT_DEVICES &&
           yt_device_report(&watching->engine, at->number, bytes, sizeof bytes, &output) == YT_OK &&
           output.length > 0) {
        int live = watching->sources[at->source].live;
        sim_host_report(&at->lights, bytes, output.length, light_changed, watching);
        if (live < 0)
            continue;
        int status = hidraw_write(live, output.direction, output.has_id, bytes, output.length);
        watching->write_error = status < 0 ? -status : watching->write_error;
    }
}

static void serve_devices(watching *watching) {
    for (unsigned i = 0; i < watching->device_count; i++)
        serve_device(watching, i);
}

static void poll_hosts(watching *watching) {
    for (unsigned i = 0; i < watching->engine.interface_count; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        size_t size;
        if (yt_interface_report(&watching->engine, i, bytes, sizeof bytes, &size) != YT_OK ||
            size == 0)
            continue;
        watching->looking_at = i;
        panel_report(&watching->hosts_panel, watching->now_us);
        sim_host_report(&watching->hosts[i], bytes, size, host_changed, watching);
        yt_interface_taken(&watching->engine, i, watching->now_us);
    }
}

/* Lets the engine and its hosts live on until a time. */
static void go_to(watching *watching, uint64_t time_us) {
    while (watching->has_profile && watching->next_poll_us <= time_us &&
           is_within_limit(watching)) {
        watching->polls++;
        watching->now_us = watching->next_poll_us;
        yt_engine_update(&watching->engine, watching->now_us);
        serve_devices(watching);
        poll_hosts(watching);
        watching->next_poll_us += POLL_US;
    }
    watching->now_us = time_us > watching->now_us ? time_us : watching->now_us;
}

/* A report of the device that a source calls `recorded`. */
static void take(watching *watching, unsigned source, unsigned recorded, const uint8_t *bytes,
                 size_t size) {
    yt_status status = YT_NO_MATCH;
    for (unsigned i = 0; i < watching->device_count; i++) {
        watched *at = &watching->devices[i];
        if (at->source != source || at->recorded != recorded)
            continue;
        watching->looking_at = i;
        panel_report(&at->panel, watching->now_us);
        sim_host_report(&at->view, bytes, size, device_changed, watching);
        if (watching->has_profile && at->number < YT_DEVICES)
            status = yt_engine_report(&watching->engine, at->number, bytes, size, watching->now_us);
    }
    if (status == YT_OK)
        yt_engine_update(&watching->engine, watching->now_us);
}

/* The source whose recording has the earliest report that is left, up to a time; -1: none has. */
static int earliest_source(const watching *watching, uint64_t until_us) {
    int earliest = -1;
    uint64_t least_us = until_us;
    for (unsigned i = 0; i < watching->options->source_count; i++) {
        const recording *recording = &watching->sources[i].recording;
        size_t next = watching->next_report[i];
        if (watching->sources[i].live >= 0 || next == recording->report_count)
            continue;
        uint64_t time_us = recording->reports[next].time_us;
        if (time_us > until_us || (earliest >= 0 && time_us >= least_us))
            continue;
        earliest = (int)i;
        least_us = time_us;
    }
    return earliest;
}

/* A second behind the last report of all recordings. */
static uint64_t end_of_recordings(const watching *watching) {
    uint64_t end_us = 0;
    for (unsigned i = 0; i < watching->options->source_count; i++) {
        const recording *recording = &watching->sources[i].recording;
        if (watching->sources[i].live < 0 && recording->report_count > 0 &&
            recording->reports[recording->report_count - 1].time_us + 1000000 > end_us)
            end_us = recording->reports[recording->report_count - 1].time_us + 1000000;
    }
    return end_us;
}

/* All that the recordings hold up to a time. */
static void play_until(watching *watching, uint64_t time_us) {
    int source;
    while (!watching->is_full && (source = earliest_source(watching, time_us)) >= 0) {
        const recording *recording = &watching->sources[source].recording;
        const recorded_report *report = &recording->reports[watching->next_report[source]++];
        go_to(watching, report->time_us);
        take(watching, (unsigned)source, report->device, recording->bytes + report->offset,
             report->size);
    }
}

static void read_live(watching *watching) {
    for (unsigned i = 0; i < watching->options->source_count; i++) {
        uint8_t bytes[RECORDING_REPORT];
        long size = 0;
        if (watching->sources[i].live < 0 || watching->has_gone[i])
            continue;
        while ((size = hidraw_read(watching->sources[i].live, bytes, sizeof bytes, 0)) > 0)
            take(watching, i, 0, bytes, (size_t)size);
        watching->has_gone[i] = size < 0;
    }
}

/* Whether a real device is left that may send something. */
static bool is_any_left(const watching *watching) {
    for (unsigned i = 0; i < watching->options->source_count; i++)
        if (watching->sources[i].live >= 0 && !watching->has_gone[i])
            return true;
    return false;
}

void watching_advance(watching *watching, uint64_t time_us) {
    uint64_t end_us = end_of_recordings(watching);
    play_until(watching, time_us);
    bool is_live = watching_is_live(watching);
    go_to(watching, is_live || time_us < end_us ? time_us : end_us);
    read_live(watching);
    watching->ended = time_us >= end_us && !is_any_left(watching);
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
    const yt_compiled *compiled = watching->compiled;
    watching->port.version = YT_PORT_VERSION;
    if (!watching->memory)
        watching->memory = calloc(1, SIM_MEMORY);
    yt_status status = watching->memory ? yt_engine_init(&watching->engine, watching->memory,
                                                         SIM_MEMORY, &watching->port)
                                        : YT_MEMORY;
    if (status == YT_OK)
        status = yt_engine_load(&watching->engine, compiled->image, compiled->size);
    if (status != YT_OK) {
        fprintf(stderr, "%s: %s\n", watching->options->profile, status_text(status));
        return false;
    }
    for (unsigned i = 0; i < compiled->program.header->interface_count; i++) {
        const yt_program_interface *interface = &compiled->program.interfaces[i];
        size_t offset;
        if (sim_host_enumerate(&watching->hosts[i],
                               compiled->program.blob + interface->descriptor_offset,
                               interface->descriptor_bytes, &offset) != YT_OK)
            return false;
        watching->looking_at = i;
        if (!watching->options->plain)
            show_all(watching, &watching->hosts_panel, &watching->hosts[i], host_changed);
    }
    snprintf(watching->hosts_panel.title, sizeof watching->hosts_panel.title,
             "What the host gets: %s",
             *compiled->name ? compiled->name : watching->options->profile);
    return true;
}

/* A device becomes an input of the profile, and has the names of its description. */
static yt_status attach(watching *watching, watched *at) {
    const yt_compiled *compiled = watching->compiled;
    size_t offset;
    yt_device arriving = {.descriptor = at->device->descriptor,
                          .descriptor_size = at->device->descriptor_size,
                          .vendor = at->device->vendor,
                          .product = at->device->product,
                          .name = at->device->name,
                          .bus = (uint8_t)at->device->bus,
                          .input = YT_ANY_INPUT};
    yt_status status = yt_engine_attach(&watching->engine, &arriving, &at->number);
    if (status != YT_OK)
        return status;
    calibrations_use(&watching->calibrations, &watching->engine, at->number, at->device);
    uint32_t inputs = yt_engine_inputs_of(&watching->engine, at->number);
    for (unsigned i = 0; i < compiled->input_count && !at->description; i++)
        if (inputs >> i & 1)
            at->description = compiled->inputs[i].description;
    status = sim_host_enumerate_for(&at->lights, YT_HID_OUTPUT, at->device->descriptor,
                                    at->device->descriptor_size, &offset);
    described_add(&compiled->program, inputs, NULL, &at->lights);
    return status;
}

/* False: it cannot be watched, which is said. A device that fits no input is left out where there
 * are others. */
static bool begin_device(watching *watching, unsigned source, unsigned recorded, bool is_only) {
    const watch_options *options = watching->options;
    const recording *recording = &watching->sources[source].recording;
    watched *at = &watching->devices[watching->device_count];
    size_t offset;
    if (watching->device_count == WATCH_DEVICES) {
        fprintf(stderr, "up to %d devices are watched at once\n", WATCH_DEVICES);
        return false;
    }
    *at = (watched){.device = &recording->devices[recorded],
                    .source = source,
                    .recorded = recorded,
                    .description = watching->description.description};
    yt_status status =
        sim_host_enumerate(&at->view, at->device->descriptor, at->device->descriptor_size, &offset);
    if (status != YT_OK) {
        fprintf(stderr, "%s: byte %zu of the report descriptor: %s\n", options->sources[source],
                offset, status_text(status));
        return false;
    }
    status = watching->has_profile ? attach(watching, at) : YT_OK;
    if (status != YT_OK) {
        fprintf(stderr, "%s: %s: %s\n", options->profile, at->device->name, status_text(status));
        return status == YT_NO_MATCH && !is_only;
    }
    view_add_described(&at->view, at->description);
    watching->device_count++;
    return true;
}

/* Names and numbers are known when all devices are there. */
static void title_devices(watching *watching) {
    for (unsigned i = 0; i < watching->device_count; i++) {
        watched *at = &watching->devices[i];
        snprintf(at->panel.title, sizeof at->panel.title,
                 watching->device_count > 1 ? "%s (device %u)" : "%s", at->device->name, i + 1);
        watching->looking_at = i;
        if (!watching->options->plain)
            show_all(watching, &at->panel, &at->view, device_changed);
    }
}

/* A board's log is played through the profile that describes the board. */
static bool open_source(watching *watching, unsigned number) {
    const char *path = watching->options->sources[number];
    size_t length = strlen(path);
    const yt_compiled *compiled = watching->compiled;
    if (length < 5 || strcmp(path + length - 4, ".csv") != 0) {
        bool good = source_open(&watching->sources[number], path);
        watching->sources[number].live = good ? watching->sources[number].live : -1;
        return good;
    }
    recording *recording = &watching->sources[number].recording;
    for (unsigned i = 0; watching->has_profile && i < compiled->input_count; i++) {
        const yt_description *board = compiled->inputs[i].description;
        if (!board || !board->is_board)
            continue;
        if (board_log_read(recording, path, &compiled->program, i, board->name))
            return true;
        fprintf(stderr, "%s\n", recording->error);
        return false;
    }
    fprintf(stderr,
            "%s: a board's log is watched with a profile that names the board (--through)\n", path);
    return false;
}

static bool has_reports(const watching *watching, unsigned source) {
    const recording *recording = &watching->sources[source].recording;
    for (size_t i = 0; i < recording->report_count; i++)
        if (!watching->options->device ||
            recording->reports[i].device == watching->options->device - 1)
            return true;
    fprintf(stderr, "%s: there are no reports in it to watch\n",
            watching->options->sources[source]);
    return false;
}

static bool begin_source(watching *watching, unsigned number) {
    const watch_options *options = watching->options;
    if (!open_source(watching, number))
        return false;
    size_t count = watching->sources[number].recording.device_count;
    if (options->device > count) {
        fprintf(stderr, "%s: it has %zu device%s, not %u\n", options->sources[number], count,
                count == 1 ? "" : "s", options->device);
        return false;
    }
    bool is_only = options->source_count == 1 && (count == 1 || options->device);
    for (unsigned i = 0; i < count; i++)
        if ((!options->device || options->device == i + 1) &&
            !begin_device(watching, number, i, is_only))
            return false;
    return watching->sources[number].live >= 0 || has_reports(watching, number);
}

static bool drives_motor(const watching *watching, const watched *at) {
    if (at->number == YT_DEVICES)
        return false;
    const yt_program *program = &watching->compiled->program;
    uint32_t inputs = yt_engine_inputs_of(&watching->engine, at->number);
    for (unsigned i = 0; i < program->header->target_count; i++)
        if (program->targets[i].kind == YT_LEVEL && !program->targets[i].from_host &&
            (inputs >> program->targets[i].input & 1))
            return true;
    return false;
}

bool watching_has_motor(const watching *watching) {
    for (unsigned i = 0; watching->has_profile && i < watching->device_count; i++)
        if (drives_motor(watching, &watching->devices[i]))
            return true;
    return false;
}

static void pulse_for(watching *watching, uint32_t us) {
    for (unsigned i = 0; watching->has_profile && i < watching->device_count; i++)
        if (drives_motor(watching, &watching->devices[i]))
            yt_device_pulse(&watching->engine, watching->devices[i].number, watching->now_us, us);
    if (watching->has_profile)
        serve_devices(watching);
}

void watching_pulse(watching *watching) {
    pulse_for(watching, PULSE_US);
}

void watching_still(watching *watching) {
    pulse_for(watching, 0);
}

bool watching_take(watching *watching, const yt_compiled *compiled) {
    watching->compiled = compiled;
    watching->hosts_panel.count = 0;
    if (!begin_profile(watching))
        return false;
    for (unsigned i = 0; i < watching->device_count; i++) {
        watching->devices[i].description = watching->description.description;
        if (attach(watching, &watching->devices[i]) != YT_OK)
            watching->devices[i].number = YT_DEVICES; /* nothing of it fits any more */
    }
    return true;
}

bool watching_begin(watching *watching) {
    const watch_options *options = watching->options;
    for (unsigned i = 0; i < WATCH_DEVICES; i++)
        watching->sources[i].live = -1;
    if (!watching->compiled && options->profile) {
        watching->owns_profile = profile_open(&watching->profile, options->profile);
        if (!watching->owns_profile)
            return false;
        watching->compiled = &watching->profile.compiled;
    }
    watching->has_profile = watching->compiled != NULL;
    if ((options->description && !description_open(&watching->description, options->description)) ||
        (watching->has_profile && !begin_profile(watching)) ||
        !calibrations_read(&watching->calibrations, &options->calibrations))
        return false;
    for (unsigned i = 0; i < options->source_count; i++)
        if (!begin_source(watching, i))
            return false;
    if (watching->device_count == 0 && options->source_count > 0) {
        fprintf(stderr, "no device fits an input of %s\n", options->profile);
        return false;
    }
    if (!calibrations_all_used(&watching->calibrations))
        return false;
    title_devices(watching);
    if (options->pulse && !watching_has_motor(watching)) {
        fprintf(stderr, "%s drives no motor of %s, so there is nothing to try\n", options->profile,
                watching->device_count > 1 ? "these devices" : "this device");
        return false;
    }
    return true;
}

void watching_end(watching *watching) {
    if (watching->owns_profile)
        profile_close(&watching->profile);
    if (watching->description.text)
        description_close(&watching->description);
    for (unsigned i = 0; i < watching->options->source_count; i++)
        source_close(&watching->sources[i]);
    free(watching->memory);
}
