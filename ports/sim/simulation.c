#include "ports/sim/simulation.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "compiler/names/names.h"
#include "ports/sim/described.h"
#include "yonder/menu.h"
#include "yonder/inspect.h"

#define WORK_CALLS 1000     /* at a start, when the flash may be erased; it takes fewer */
#define TAIL_US    10000000 /* how long after the last report timers may still run */

static void tell_input(void *context, const host_control *control) {
    simulation *simulation = context;
    sim_change change = {.time_us = simulation->now_us,
                         .number = simulation->reporting,
                         .device = simulation->from,
                         .control = *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.context, &change);
}

static void tell_output(void *context, const host_control *control) {
    simulation *simulation = context;
    sim_change change = {.time_us = simulation->now_us,
                         .is_output = true,
                         .number = simulation->reporting,
                         .control = *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.context, &change);
}

static void tell_nobody(void *context, const host_control *control) {
    (void)context, (void)control;
}

static void tell_sent(void *context, const host_control *control) {
    simulation *simulation = context;
    sim_change change = {.time_us = simulation->now_us,
                         .is_output = true,
                         .is_feedback = true,
                         .number = simulation->reporting,
                         .control = *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.context, &change);
}

static void tell_light(void *context, const host_control *control) {
    simulation *simulation = context;
    sim_change change = {.time_us = simulation->now_us,
                         .is_feedback = true,
                         .number = simulation->reporting,
                         .device = simulation->from,
                         .control = *control};
    if (simulation->observer.change)
        simulation->observer.change(simulation->observer.context, &change);
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

/* All of it was played: once more, a second later. */
static bool play_again(simulation *simulation) {
    uint64_t last_us = 0;
    bool any = false;
    for (unsigned i = 0; i < simulation->plug_count; i++) {
        const recording *recording = simulation->plugs[i].recording;
        if (recording->report_count == 0)
            continue;
        uint64_t end_us = recording->reports[recording->report_count - 1].time_us;
        last_us = end_us > last_us ? end_us : last_us;
        simulation->positions[i] = 0;
        any = true;
    }
    simulation->shift_us += last_us + 1000000;
    return any;
}

static sim_attached *find_device(simulation *simulation, unsigned plug, unsigned recorded) {
    for (unsigned i = 0; i < simulation->device_count; i++)
        if (simulation->devices[i].plug == plug && simulation->devices[i].recorded == recorded)
            return &simulation->devices[i];
    return NULL;
}

/* When the adapter hears what a host sent at a time: where it sleeps in between, later. */
static uint64_t heard_at(const simulation *simulation, uint64_t time_us) {
    uint64_t step_us = simulation->listen_us;
    return step_us ? (time_us + step_us - 1) / step_us * step_us : time_us;
}

/* A report of a host, where the next one is earlier than what devices send. */
static bool next_sent(simulation *simulation, int plug, loop_report *report) {
    if (simulation->next_sent == simulation->sent_count)
        return false;
    const sim_sent *sent = &simulation->sent[simulation->next_sent];
    uint64_t time_us = heard_at(simulation, sent->time_us);
    if (plug >= 0 &&
        simulation->plugs[plug].recording->reports[simulation->positions[plug]].time_us +
                simulation->shift_us <
            time_us)
        return false;
    simulation->next_sent++;
    *report = (loop_report){.time_us = time_us,
                            .device = sent->interface,
                            .from_host = true,
                            .direction = (uint8_t)sent->direction,
                            .bytes = sent->bytes,
                            .size = sent->size};
    simulation->now_us = time_us;
    simulation->reporting = sent->interface;
    if (simulation->observer.sent)
        simulation->observer.sent(simulation->observer.context, sent);
    sim_host_report(&simulation->senders[sent->interface], sent->bytes, sent->size, tell_sent,
                    simulation);
    return true;
}

static bool next_report(void *context, loop_report *report) {
    simulation *simulation = context;
    int plug;
    if (simulation->given)
        *simulation->given = simulation->giving; /* the loop has given it */
    simulation->given = NULL;
    if (next_sent(simulation, earliest_plug(simulation), report))
        return true;
    while (
        (plug = earliest_plug(simulation)) >= 0 ||
        (simulation->again && play_again(simulation) && (plug = earliest_plug(simulation)) >= 0)) {
        const recording *recording = simulation->plugs[plug].recording;
        const recorded_report *recorded = &recording->reports[simulation->positions[plug]++];
        sim_attached *device = find_device(simulation, (unsigned)plug, recorded->device);
        simulation->waiting_plug = (unsigned)plug;
        simulation->waiting_device = recorded->device;
        simulation->given = &simulation->last[plug][recorded->device];
        simulation->giving = (sim_last){recording->bytes + recorded->offset, recorded->size};
        if (!device && !simulation->has_slots)
            continue; /* another device of the recording, which fits no input */
        report->from_host = false;
        report->time_us = recorded->time_us + simulation->shift_us;
        report->device = device ? device->engine_number : YT_DEVICES;
        report->bytes = recording->bytes + recorded->offset;
        report->size = recorded->size;
        simulation->reports_in++;
        simulation->now_us = report->time_us;
        simulation->reporting = (unsigned)plug;
        simulation->from = &recording->devices[recorded->device];
        if (device)
            sim_host_report(&device->view, report->bytes, report->size, tell_input, simulation);
        if (simulation->menu)
            yt_menu_report(simulation->menu, report->device, report->bytes, report->size,
                           report->time_us);
        if (simulation->link)
            yt_link_report(simulation->link, report->device, report->bytes, report->size,
                           report->time_us);
        return true;
    }
    return false;
}

/* What a program asks of the adapter: where it has slots, those are changed first. */
static bool take_action(simulation *simulation, yt_action *action) {
    yt_engine *engine = &simulation->engine;
    return simulation->has_slots
               ? yt_adapter_action(&simulation->adapter, simulation->loop.now_us, action)
               : yt_engine_action(engine, action);
}

/* In play nothing is erased, unless it may be. Where another slot runs than before, there are
 * reports to be made. */
static void attend_slots(simulation *simulation, unsigned slot) {
    uint64_t now_us = simulation->loop.now_us; /* the engine has none while nothing runs */
    yt_adapter *adapter = &simulation->adapter;
    uint64_t due_us = simulation->menu ? yt_menu_update(simulation->menu, now_us) : YT_NEVER;
    yt_status status = simulation->menu && yt_menu_is_busy(simulation->menu)
                           ? yt_menu_work(simulation->menu, now_us, 8, simulation->may_erase)
                       : simulation->link
                           ? yt_link_work(simulation->link, now_us, 8, simulation->may_erase)
                           : yt_adapter_work(adapter, now_us, 8, simulation->may_erase);
    (void)status; /* what the flash fails to keep is tried again by whoever wants it kept */
    uint64_t wake_us = yt_adapter_update(adapter, now_us);
    if (due_us < wake_us)
        wake_us = due_us;
    if (simulation->menu && yt_menu_is_busy(simulation->menu))
        wake_us = now_us + 1000; /* the flash goes on in the next turn */
    if (adapter->keep_at_us > now_us && adapter->keep_at_us < wake_us)
        wake_us = adapter->keep_at_us;
    simulation->loop.wake_us = slot == yt_adapter_slot(adapter) ? wake_us : now_us;
}

/* Devices get what the sheet drives of their lights and motors. */
static void drive_devices(void *context, unsigned reports) {
    simulation *simulation = context;
    (void)reports;
    yt_action action;
    unsigned slot = yt_adapter_slot(&simulation->adapter);
    if (simulation->observer.settled)
        simulation->observer.settled(simulation->observer.context);
    while (take_action(simulation, &action))
        if (simulation->observer.asked)
            simulation->observer.asked(simulation->observer.context, simulation->now_us, &action);
    if (simulation->has_slots)
        attend_slots(simulation, slot);
    if (simulation->limit && ++simulation->updates >= 16 * simulation->limit)
        simulation->loop.stopped = true;
    for (unsigned i = 0; i < simulation->device_count; i++) {
        sim_attached *device = &simulation->devices[i];
        sim_given given = {.plug = device->plug};
        yt_device_output output;
        while (yt_device_report(&simulation->engine, device->engine_number, given.bytes,
                                sizeof given.bytes, &output) == YT_OK &&
               output.length > 0) {
            simulation->now_us = simulation->loop.now_us;
            given.time_us = simulation->now_us;
            given.inputs = yt_engine_inputs_of(&simulation->engine, device->engine_number);
            given.direction = output.direction;
            given.has_id = output.has_id;
            given.size = output.length;
            if (simulation->observer.given)
                simulation->observer.given(simulation->observer.context, &given);
            simulation->reporting = device->plug;
            simulation->from =
                &simulation->plugs[device->plug].recording->devices[device->recorded];
            sim_host_report(&device->lights, given.bytes, output.length, tell_light, simulation);
        }
    }
}

static void report_taken(void *context, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                         size_t size) {
    simulation *simulation = context;
    simulation->reports_out++;
    simulation->now_us = time_us;
    if (simulation->reports_out == simulation->limit)
        simulation->loop.stopped = true;
    simulation->reporting = interface;
    if (simulation->observer.taken)
        simulation->observer.taken(simulation->observer.context, interface, time_us, bytes, size);
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
    sim_last last = simulation->last[plug][recorded];
    *status = simulation->has_slots
                  ? yt_adapter_attach(&simulation->adapter, &arriving, last.bytes, last.size,
                                      &attached->engine_number)
                  : yt_engine_attach(&simulation->engine, &arriving, &attached->engine_number);
    if (*status != YT_OK)
        return false;
    attached->device = arriving;
    attached->plug = plug;
    attached->recorded = recorded;
    simulation->device_count++;
    bool good = sim_host_enumerate(&attached->view, device->descriptor, device->descriptor_size,
                                   &offset) == YT_OK &&
                sim_host_enumerate_for(&attached->lights, YT_HID_OUTPUT, device->descriptor,
                                       device->descriptor_size, &offset) == YT_OK;
    described_add(simulation->program,
                  yt_engine_inputs_of(&simulation->engine, attached->engine_number),
                  &attached->view, &attached->lights);
    if (last.bytes)
        sim_host_report(&attached->view, last.bytes, last.size, tell_nobody, NULL);
    return good;
}

/* A text of the program's. */
static int text_of(const yt_program *program, unsigned offset, unsigned bytes, const char **text) {
    *text = program->text + offset;
    return (int)bytes;
}

/* The first thing that an input asks for and a device has not, with both values. */
static void say_condition(const yt_program *program, const yt_program_input *input,
                          const recorded_device *device, char *text, size_t size) {
    const char *name;
    int bytes = text_of(program, input->device_name_offset, input->device_name_bytes, &name);
    uint32_t checksum = yt_checksum(0, device->descriptor, device->descriptor_size);
    if (input->bus && input->bus != device->bus)
        snprintf(text, size, "wants bus %u, and the device is on bus %u", input->bus, device->bus);
    else if (input->vendor && input->vendor != device->vendor)
        snprintf(text, size, "wants vendor 0x%04x, and the device has 0x%04x", input->vendor,
                 device->vendor);
    else if (input->product && input->product != device->product)
        snprintf(text, size, "wants product 0x%04x, and the device has 0x%04x", input->product,
                 device->product);
    else if (input->connector)
        snprintf(text, size, "wants what is in connector %u, and a recording is in none",
                 input->connector);
    else if ((input->needs & YT_NEEDS_DESCRIPTOR) && input->descriptor != checksum)
        snprintf(text, size, "wants the report descriptor 0x%08x, and the device has 0x%08x",
                 (unsigned)input->descriptor, (unsigned)checksum);
    else if (bytes &&
             (strlen(device->name) != (size_t)bytes || memcmp(device->name, name, (size_t)bytes)))
        snprintf(text, size, "wants the name \"%.*s\", and the device is called \"%.60s\"", bytes,
                 name, device->name);
    else if (input->serial_bytes)
        snprintf(text, size, "wants a serial number, and a recording has none");
    else
        snprintf(text, size, "wants %s, and the device has no such collection",
                 device_kind_of(input->application_page, input->application_usage)->meaning);
}

/* Why the devices of a plug fit nothing: for each input the first thing that is not so. */
static bool fail_to_match(simulation *simulation, unsigned plug) {
    const recorded_device *device = &simulation->plugs[plug].recording->devices[0];
    const yt_program *program = simulation->program;
    unsigned wanted = simulation->plugs[plug].input;
    fail(simulation, "device", device->name, YT_NO_MATCH);
    size_t used = strlen(simulation->error);
    for (unsigned i = 0; i < program->header->input_count; i++) {
        const yt_program_input *input = &program->inputs[i];
        const char *name;
        char why[160];
        if (wanted != YT_ANY_INPUT && wanted != i)
            continue;
        int bytes = text_of(program, input->name_offset, input->name_bytes, &name);
        say_condition(program, input, device, why, sizeof why);
        if (used + (size_t)bytes + strlen(why) + 8 >= sizeof simulation->error)
            break;
        used += (size_t)snprintf(simulation->error + used, sizeof simulation->error - used,
                                 "\n    %.*s %s", bytes, name, why);
    }
    return false;
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
    return any || fail_to_match(simulation, plug);
}

static bool enumerate(simulation *simulation, const yt_program *program) {
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        size_t offset;
        const uint8_t *descriptor = program->blob + interface->descriptor_offset;
        yt_status status = sim_host_enumerate(&simulation->hosts[i], descriptor,
                                              interface->descriptor_bytes, &offset);
        if (status == YT_OK)
            status = sim_host_enumerate_for(&simulation->senders[i], YT_HID_OUTPUT, descriptor,
                                            interface->descriptor_bytes, &offset);
        if (status != YT_OK)
            return fail(simulation, "the output's report descriptor", "", status);
    }
    return true;
}

/* All but what runs. */
static bool begin(simulation *simulation, const sim_plug *plugs, unsigned plug_count,
                  sim_timing timing, sim_observer observer) {
    memset(simulation, 0, sizeof *simulation);
    simulation->observer = observer;
    simulation->limit = timing.limit;
    simulation->port.version = YT_PORT_VERSION;
    if (plug_count > YT_DEVICES)
        return fail(simulation, "too many recordings", "", YT_TOO_MANY_DEVICES);
    memcpy(simulation->plugs, plugs, plug_count * sizeof *plugs);
    simulation->plug_count = plug_count;
    simulation->memory = calloc(1, SIM_MEMORY);
    if (!simulation->memory)
        return fail(simulation, "the simulation", "", YT_MEMORY);
    simulation->listen_us = timing.latency ? (timing.latency + 1) * timing.poll_us : 0;
    simulation->loop = (loop){.engine = &simulation->engine,
                              .context = simulation,
                              .next = next_report,
                              .taken = report_taken,
                              .step = drive_devices,
                              .poll_us = timing.poll_us,
                              .loss = timing.loss,
                              .dice = 1};
    yt_status status =
        yt_engine_init(&simulation->engine, simulation->memory, SIM_MEMORY, &simulation->port);
    return status == YT_OK || fail(simulation, "the engine", "", status);
}

bool simulation_begin(simulation *simulation, const void *program, size_t size,
                      const sim_plug *plugs, unsigned plug_count, sim_timing timing,
                      sim_observer observer) {
    yt_program checked;
    if (!begin(simulation, plugs, plug_count, timing, observer))
        return false;
    yt_status status = yt_program_check(&checked, program, size);
    if (status == YT_OK)
        status = yt_engine_load(&simulation->engine, program, size);
    if (status != YT_OK)
        return fail(simulation, "the program", "", status);
    simulation->program = yt_engine_program(&simulation->engine);
    if (!enumerate(simulation, &checked))
        return false;
    for (unsigned i = 0; i < plug_count; i++)
        if (!plug_in(simulation, i))
            return false;
    return true;
}

/* ---- with slots ---- */

static void note_restart(void *context, uint32_t layout) {
    (void)layout;
    ((simulation *)context)->is_other_device = true;
}

/* The hosts find another device: what was under way is gone. */
static void find_anew(simulation *simulation) {
    loop *loop = &simulation->loop;
    memset(simulation->hosts, 0, sizeof simulation->hosts);
    memset(simulation->senders, 0, sizeof simulation->senders);
    if (!enumerate(simulation, simulation->program))
        memset(simulation->hosts, 0, sizeof simulation->hosts);
    for (unsigned i = 0; i < YT_INTERFACES; i++) {
        loop->take_at_us[i] = YT_NEVER;
        loop->next_poll_us[i] = loop->now_us + SIM_RESTART_US;
    }
}

/* The report that the loop has taken already is of a device that has another number now, or none.
 */
static void give_to_whom(simulation *simulation) {
    loop_report *report = &simulation->loop.waiting;
    sim_attached *device =
        find_device(simulation, simulation->waiting_plug, simulation->waiting_device);
    if (!simulation->given || report->from_host)
        return;
    report->device = device ? device->engine_number : YT_DEVICES;
    if (device) /* who looks on knows it already */
        sim_host_report(&device->view, report->bytes, report->size, tell_nobody, NULL);
}

/* Another slot runs: everything that is plugged in is attached anew, as far as it fits. */
static void attach_all(void *context) {
    simulation *simulation = context;
    bool is_first = !simulation->program;
    simulation->program = yt_engine_program(&simulation->engine);
    if (is_first || simulation->is_other_device)
        find_anew(simulation);
    simulation->is_other_device = false;
    simulation->device_count = 0;
    for (unsigned i = 0; i < simulation->plug_count; i++)
        for (unsigned k = 0; k < simulation->plugs[i].recording->device_count; k++) {
            yt_status status;
            attach(simulation, i, k, &status);
        }
    give_to_whom(simulation);
}

static void tell_slot(void *context, unsigned slot, uint32_t colour, unsigned percent) {
    simulation *simulation = context;
    if (simulation->observer.light)
        simulation->observer.light(simulation->observer.context, simulation->loop.now_us, slot,
                                   colour, percent);
}

bool simulation_begin_slots(simulation *simulation, const sim_slots *slots, const sim_plug *plugs,
                            unsigned plug_count, sim_timing timing, sim_observer observer,
                            yt_status *status) {
    if (!begin(simulation, plugs, plug_count, timing, observer))
        return false;
    simulation->has_slots = true;
    simulation->again = slots->again;
    simulation->port.context = simulation;
    simulation->port.restart = note_restart;
    simulation->parts = (yt_adapter_parts){.engine = &simulation->engine,
                                           .store = slots->store,
                                           .settings = simulation->settings,
                                           .settings_room = sizeof simulation->settings,
                                           .calibrations = simulation->calibrations,
                                           .calibration_count = SIM_CALIBRATIONS,
                                           .own_program = slots->own_program,
                                           .own_bytes = slots->own_bytes,
                                           .context = simulation,
                                           .attach = attach_all,
                                           .light = tell_slot};
    *status = yt_adapter_start(&simulation->adapter, &simulation->parts, &slots->plugged_in, 0);
    for (unsigned i = 0; i < WORK_CALLS && !yt_store_ready(slots->store, 0); i++)
        if (yt_store_work(slots->store, 8, true) != YT_OK)
            break;
    for (unsigned i = 0; i < YT_INTERFACES; i++) /* the hosts have found it before it is used */
        simulation->loop.next_poll_us[i] = 0;
    return true;
}

void simulation_send(simulation *simulation, const sim_sent *sent, size_t count) {
    simulation->sent = sent;
    simulation->sent_count = count;
}

bool simulation_run(simulation *simulation) {
    uint64_t last_us = 0;
    loop_begin(&simulation->loop);
    if (simulation->sent_count)
        last_us = simulation->sent[simulation->sent_count - 1].time_us;
    for (unsigned i = 0; i < simulation->plug_count; i++) {
        const recording *recording = simulation->plugs[i].recording;
        if (recording->report_count == 0)
            continue;
        uint64_t end_us = recording->reports[recording->report_count - 1].time_us;
        last_us = end_us > last_us ? end_us : last_us;
    }
    simulation->last_us = last_us;
    loop_run(&simulation->loop, last_us + TAIL_US);
    return !simulation->loop.stopped;
}

bool simulation_run_until(simulation *simulation, uint64_t until_us) {
    loop_begin(&simulation->loop);
    simulation->last_us = until_us;
    loop_run(&simulation->loop, until_us);
    if (!simulation->loop.stopped)
        yt_engine_update(&simulation->engine, until_us);
    return !simulation->loop.stopped;
}

bool simulation_go_on(simulation *simulation, uint64_t until_us) {
    if (!simulation->is_on)
        loop_begin(&simulation->loop);
    simulation->is_on = true;
    simulation->last_us = until_us;
    loop_run(&simulation->loop, until_us);
    simulation->loop.now_us = until_us;
    yt_engine_update(&simulation->engine, until_us);
    drive_devices(simulation, 0);
    return !simulation->loop.stopped;
}

void simulation_end(simulation *simulation) {
    free(simulation->memory);
    simulation->memory = NULL;
}
