#include "tool/watching.h"

#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "ports/linux/hidraw.h"
#include "ports/sim/board_log.h"

#define POLL_US  8000   /* how often the simulated host asks */
#define PULSE_US 300000 /* how long a test pulse lasts */

/* A recording may be long, and a profile may turn little into much. */
static bool is_within_limit(watching *watching) {
    uint64_t limit = watching->options->limit;
    watching->is_full |=
        watching->source.live < 0 && (watching->changes >= limit || watching->polls >= 16 * limit);
    return !watching->is_full;
}

/* A change of the panel's device or host: drawn there, or printed. */
static void show_change(watching *watching, unsigned panel, const char *way, const char *name,
                        const yt_raw_meaning *meaning, const host_control *control) {
    char value[64];
    if (!watching->options->plain) {
        panel_change(&watching->panels[panel], name, meaning, control, watching->now_us);
        return;
    }
    if (!is_within_limit(watching))
        return;
    watching->changes++;
    raw_text(meaning, control->value, value, sizeof value);
    printf("%5" PRIu64 ".%06" PRIu64 "  %-4s  %-30s  %s\n", watching->now_us / 1000000,
           watching->now_us % 1000000, way, name, value);
}

static void device_changed(void *context, const host_control *control) {
    watching *watching = context;
    char name[USAGE_NAME_BYTES];
    yt_raw_meaning meaning;
    device_control_name(watching->source.recording.devices, watching->description.description,
                        control, name, &meaning);
    show_change(watching, 0, "in", name, &meaning, control);
}

static void host_changed(void *context, const host_control *control) {
    watching *watching = context;
    char name[160];
    yt_raw_meaning meaning;
    output_control_name(&watching->profile.compiled, watching->interface, control, name,
                        sizeof name, &meaning);
    show_change(watching, 1, "out", name, &meaning, control);
}

/* A light or a motor of the device. */
static void light_changed(void *context, const host_control *control) {
    watching *watching = context;
    const yt_compiled *compiled = &watching->profile.compiled;
    char name[USAGE_NAME_BYTES];
    uint32_t inputs = yt_engine_inputs_of(&watching->engine, watching->device);
    yt_raw_meaning meaning;
    target_name(compiled, inputs, watching->source.recording.devices, control, name, &meaning);
    show_change(watching, 0, "out", name, &meaning, control);
}

/* Gives the device what the sheet drives of its lights and motors. */
static void serve_device(watching *watching) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_device_output output;
    while (yt_device_report(&watching->engine, watching->device, bytes, sizeof bytes, &output) ==
               YT_OK &&
           output.length > 0) {
        sim_host_report(&watching->lights, bytes, output.length, light_changed, watching);
        if (watching->source.live < 0)
            continue;
        int status = hidraw_write(watching->source.live, output.direction, output.has_id, bytes,
                                  output.length);
        watching->write_error = status < 0 ? -status : 0;
    }
}

static void poll_hosts(watching *watching) {
    for (unsigned i = 0; i < watching->engine.interface_count; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        size_t size;
        if (yt_interface_report(&watching->engine, i, bytes, sizeof bytes, &size) != YT_OK ||
            size == 0)
            continue;
        watching->interface = i;
        panel_report(&watching->panels[1], watching->now_us);
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
        serve_device(watching);
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
        if (report->time_us > time_us || watching->is_full)
            break;
        if (report->device != watching->recorded)
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

void watching_advance(watching *watching, uint64_t time_us) {
    if (watching->source.live >= 0)
        read_live(watching, time_us);
    else
        play_until(watching, time_us);
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
    const yt_compiled *compiled = &watching->profile.compiled;
    const recorded_device *device = &watching->source.recording.devices[watching->recorded];
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
    size_t offset;
    status = sim_host_enumerate_for(&watching->lights, YT_HID_OUTPUT, device->descriptor,
                                    device->descriptor_size, &offset);
    if (status != YT_OK)
        return false;
    simulation_add_described(&compiled->program,
                             yt_engine_inputs_of(&watching->engine, watching->device), NULL,
                             &watching->lights);
    for (unsigned i = 0; i < compiled->program.header->interface_count; i++) {
        const yt_program_interface *interface = &compiled->program.interfaces[i];
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
    const recorded_device *device = &watching->source.recording.devices[watching->recorded];
    size_t offset;
    yt_status status =
        sim_host_enumerate(&watching->view, device->descriptor, device->descriptor_size, &offset);
    if (status != YT_OK) {
        fprintf(stderr, "%s: byte %zu of the report descriptor: %s\n", watching->options->source,
                offset, status_text(status));
        return false;
    }
    const yt_description *description = watching->description.description;
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_control_meaning *meaning = &description->controls[i].meaning;
        if (description->controls[i].is_target)
            continue;
        if (!(meaning->place.flags & YT_PLACE_HERE)) {
            simulation_turn(&watching->view, &meaning->place, &meaning->range, meaning->name.page,
                            meaning->name.usage, meaning->name.occurrence);
            continue;
        }
        yt_hid_field field = {
            .report_id = meaning->place.at.report_id,
            .flags = (uint16_t)(YT_HID_VARIABLE |
                                (meaning->place.flags & YT_PLACE_MOTION ? YT_HID_RELATIVE : 0)),
            .bit = meaning->place.at.bit,
            .bits = meaning->place.at.bits,
            .count = 1,
            .minimum = meaning->range.minimum,
            .maximum = meaning->range.maximum};
        sim_host_add_field(&watching->view, &field);
        simulation_turn(&watching->view, &meaning->place, &meaning->range, 0, 0, 0);
    }
    size_t devices = watching->source.recording.device_count;
    snprintf(watching->panels[0].title, sizeof watching->panels[0].title,
             devices > 1 ? "%s (device %u of %zu)" : "%s", device->name, watching->recorded + 1,
             devices);
    if (!watching->options->plain)
        show_all(watching, &watching->panels[0], &watching->view, device_changed);
    return true;
}

/* A board's log is played through the profile that describes the board. */
static bool open_source(watching *watching) {
    const char *path = watching->options->source;
    size_t length = strlen(path);
    const yt_compiled *compiled = &watching->profile.compiled;
    watching->source.live = -1;
    if (length < 5 || strcmp(path + length - 4, ".csv") != 0)
        return source_open(&watching->source, path);
    for (unsigned i = 0; watching->has_profile && i < compiled->input_count; i++) {
        const yt_description *board = compiled->inputs[i].description;
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

static bool choose_device(watching *watching) {
    const watch_options *options = watching->options;
    const recording *recording = &watching->source.recording;
    if (options->device > recording->device_count) {
        fprintf(stderr, "%s: it has %zu device%s, not %u\n", options->source,
                recording->device_count, recording->device_count == 1 ? "" : "s", options->device);
        return false;
    }
    watching->recorded = options->device ? options->device - 1 : 0;
    return true;
}

bool watching_has_motor(const watching *watching) {
    const yt_program *program = &watching->profile.compiled.program;
    if (!watching->has_profile)
        return false;
    uint32_t inputs = yt_engine_inputs_of(&watching->engine, watching->device);
    for (unsigned i = 0; i < program->header->target_count; i++)
        if (program->targets[i].kind == YT_LEVEL && (inputs >> program->targets[i].input & 1))
            return true;
    return false;
}

static void pulse_for(watching *watching, uint32_t us) {
    if (!watching_has_motor(watching))
        return;
    yt_device_pulse(&watching->engine, watching->device, watching->now_us, us);
    serve_device(watching);
}

void watching_pulse(watching *watching) {
    pulse_for(watching, PULSE_US);
}

void watching_still(watching *watching) {
    pulse_for(watching, 0);
}

static bool has_reports(const watching *watching) {
    const recording *recording = &watching->source.recording;
    for (size_t i = 0; i < recording->report_count; i++)
        if (recording->reports[i].device == watching->recorded)
            return true;
    fprintf(stderr, "%s: there are no reports in it to watch\n", watching->options->source);
    return false;
}

bool watching_begin(watching *watching) {
    const watch_options *options = watching->options;
    watching->source.live = -1;
    if (options->profile) {
        watching->has_profile = profile_open(&watching->profile, options->profile);
        if (!watching->has_profile)
            return false;
    }
    if (options->description && !description_open(&watching->description, options->description))
        return false;
    if (!open_source(watching) || !choose_device(watching) || !begin_device(watching) ||
        (watching->has_profile && !begin_profile(watching)))
        return false;
    if (watching->source.live < 0 && !has_reports(watching))
        return false;
    if (options->pulse && !watching_has_motor(watching)) {
        fprintf(stderr, "%s drives no motor of this device, so there is nothing to try\n",
                options->profile);
        return false;
    }
    return true;
}

void watching_end(watching *watching) {
    if (watching->has_profile)
        profile_close(&watching->profile);
    if (watching->description.text)
        description_close(&watching->description);
    source_close(&watching->source);
    free(watching->memory);
}
