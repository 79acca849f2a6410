#include "ports/sim/simulation.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/status_text.h"

#define TAIL_US 10000000 /* how long after the last report timers may still run */

static void tell_input(void *user, const host_control *control) {
    simulation *simulation = user;
    sim_change change = {simulation->now_us, false, simulation->reporting, *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.user, &change);
}

static void tell_output(void *user, const host_control *control) {
    simulation *simulation = user;
    sim_change change = {simulation->now_us, true, simulation->reporting, *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.user, &change);
}

/* The plug whose next report is the earliest; of several, the first. */
static int earliest_plug(const simulation *simulation) {
    int earliest = -1;
    uint64_t time_us = YT_NEVER;
    for (unsigned i = 0; i < simulation->plug_count; i++) {
        const recording *recording = simulation->plugs[i].recording;
        if (simulation->positions[i] >= recording->report_count ||
            recording->reports[simulation->positions[i]].time_us >= time_us)
            continue;
        earliest = (int)i;
        time_us = recording->reports[simulation->positions[i]].time_us;
    }
    return earliest;
}

static sim_attached *find_device(simulation *simulation, unsigned plug, unsigned recorded) {
    for (unsigned i = 0; i < simulation->device_count; i++)
        if (simulation->devices[i].plug == plug && simulation->devices[i].recorded == recorded)
            return &simulation->devices[i];
    return NULL;
}

static bool next_report(void *user, loop_report *report) {
    simulation *simulation = user;
    int plug;
    while ((plug = earliest_plug(simulation)) >= 0) {
        const recording *recording = simulation->plugs[plug].recording;
        const recorded_report *recorded = &recording->reports[simulation->positions[plug]++];
        sim_attached *device = find_device(simulation, (unsigned)plug, recorded->device);
        if (!device)
            continue; /* another device of the recording, which fits no input */
        report->time_us = recorded->time_us;
        report->device = device->engine_number;
        report->bytes = recording->bytes + recorded->offset;
        report->size = recorded->size;
        simulation->reports_in++;
        simulation->now_us = recorded->time_us;
        simulation->reporting = (unsigned)plug;
        sim_host_report(&device->view, report->bytes, report->size, tell_input, simulation);
        return true;
    }
    return false;
}

static void report_taken(void *user, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                         size_t size) {
    simulation *simulation = user;
    simulation->reports_out++;
    simulation->now_us = time_us;
    simulation->reporting = interface;
    if (simulation->observer.taken)
        simulation->observer.taken(simulation->observer.user, interface, time_us, bytes, size);
    sim_host_report(&simulation->hosts[interface], bytes, size, tell_output, simulation);
}

static bool fail(simulation *simulation, const char *what, const char *name, yt_status status) {
    snprintf(simulation->error, sizeof simulation->error, "%s%s%s: %s", what, *name ? " " : "",
             name, status_text(status));
    return false;
}

static bool attach(simulation *simulation, unsigned plug, unsigned recorded, yt_status *status) {
    const recorded_device *device = &simulation->plugs[plug].recording->devices[recorded];
    sim_attached *attached = &simulation->devices[simulation->device_count];
    size_t offset;
    yt_device arriving = {.descriptor = device->descriptor,
                          .descriptor_size = device->descriptor_size,
                          .vendor = device->vendor,
                          .product = device->product,
                          .name = device->name,
                          .bus = (uint8_t)device->bus,
                          .input = (uint8_t)simulation->plugs[plug].input};
    if (simulation->device_count == YT_DEVICES) {
        *status = YT_TOO_MANY_DEVICES;
        return false;
    }
    *status = yt_engine_attach(&simulation->engine, &arriving, &attached->engine_number);
    if (*status != YT_OK)
        return false;
    attached->plug = plug;
    attached->recorded = recorded;
    simulation->device_count++;
    return sim_host_enumerate(&attached->view, device->descriptor, device->descriptor_size,
                              &offset) == YT_OK;
}

/* Of a recording's devices, those that fit the input are attached; at least one must. */
static bool plug_in(simulation *simulation, unsigned plug) {
    const recording *recording = simulation->plugs[plug].recording;
    yt_status status = YT_NO_MATCH;
    bool any = false;
    for (unsigned i = 0; i < recording->device_count; i++) {
        any |= attach(simulation, plug, i, &status);
        if (status != YT_OK && status != YT_NO_MATCH)
            return fail(simulation, "device", recording->devices[i].name, status);
    }
    return any || fail(simulation, "device", recording->devices[0].name, YT_NO_MATCH);
}

static bool enumerate(simulation *simulation, const yt_program *program) {
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        size_t offset;
        yt_status status =
            sim_host_enumerate(&simulation->hosts[i], program->blob + interface->descriptor_offset,
                               interface->descriptor_bytes, &offset);
        if (status != YT_OK)
            return fail(simulation, "the output's report descriptor", "", status);
    }
    return true;
}

bool simulation_begin(simulation *simulation, const void *program, size_t size,
                      const sim_plug *plugs, unsigned plug_count, uint64_t poll_us,
                      sim_observer observer) {
    yt_program checked;
    memset(simulation, 0, sizeof *simulation);
    simulation->observer = observer;
    simulation->port.version = YT_PORT_VERSION;
    if (plug_count > YT_DEVICES)
        return fail(simulation, "too many recordings", "", YT_TOO_MANY_DEVICES);
    memcpy(simulation->plugs, plugs, plug_count * sizeof *plugs);
    simulation->plug_count = plug_count;
    simulation->memory = calloc(1, SIM_MEMORY);
    if (!simulation->memory)
        return fail(simulation, "the simulation", "", YT_MEMORY);
    yt_status status =
        yt_engine_init(&simulation->engine, simulation->memory, SIM_MEMORY, &simulation->port);
    if (status == YT_OK)
        status = yt_program_check(&checked, program, size);
    if (status == YT_OK)
        status = yt_engine_load(&simulation->engine, program, size);
    if (status != YT_OK)
        return fail(simulation, "the program", "", status);
    if (!enumerate(simulation, &checked))
        return false;
    for (unsigned i = 0; i < plug_count; i++)
        if (!plug_in(simulation, i))
            return false;
    simulation->loop = (loop){.engine = &simulation->engine,
                              .user = simulation,
                              .next = next_report,
                              .taken = report_taken,
                              .poll_us = poll_us};
    loop_begin(&simulation->loop);
    return true;
}

void simulation_run(simulation *simulation) {
    uint64_t last_us = 0;
    for (unsigned i = 0; i < simulation->plug_count; i++) {
        const recording *recording = simulation->plugs[i].recording;
        if (recording->report_count == 0)
            continue;
        uint64_t end_us = recording->reports[recording->report_count - 1].time_us;
        last_us = end_us > last_us ? end_us : last_us;
    }
    loop_run(&simulation->loop, last_us + TAIL_US);
}

void simulation_end(simulation *simulation) {
    free(simulation->memory);
    simulation->memory = NULL;
}
