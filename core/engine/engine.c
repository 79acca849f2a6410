#include <string.h>

#include "engine/parts.h"
#include "image/operations.h"

#define QUEUE_BYTES    512u
#define MOTION_WAIT_US 250000u

uint32_t yt_port_wait_us(const yt_port *port) {
    return port->motion_wait_us ? port->motion_wait_us : MOTION_WAIT_US;
}

yt_status yt_engine_init(yt_engine *engine, void *memory, size_t size, const yt_port *port) {
    if ((uintptr_t)memory % 8 || port->version != YT_PORT_VERSION)
        return YT_ARGUMENT;
    memset(engine, 0, sizeof *engine);
    engine->port = port;
    engine->memory = memory;
    engine->size = size;
    yt_queue_begin(&engine->queue, NULL, 0);
    return YT_OK;
}

static size_t rounded_up(size_t bytes) {
    return (bytes + 7) & ~(size_t)7;
}

static uint32_t queue_bytes(const yt_engine *engine) {
    return engine->port->queue_bytes ? engine->port->queue_bytes : QUEUE_BYTES;
}

/* What a program takes of the memory, each part rounded up to eight: the same as `make_parts`
 * takes. */
static size_t bytes_for(const yt_engine *engine, const yt_program *program) {
    size_t bytes = rounded_up(program->header->interface_count * sizeof(yt_endpoint)) +
                   rounded_up(sizeof(yt_evaluator)) + yt_evaluator_bytes(program) +
                   rounded_up(queue_bytes(engine));
    for (unsigned i = 0; i < program->header->report_count; i++)
        if (program->reports[i].direction == YT_HID_INPUT)
            bytes += rounded_up(yt_sending_bytes(&program->reports[i]));
    return bytes;
}

/* Takes `bytes` of the memory, which are there. */
static void *take(yt_engine *engine, size_t bytes) {
    void *taken = engine->memory + engine->used;
    engine->used += rounded_up(bytes);
    return taken;
}

static void unload(yt_engine *engine) {
    engine->used = 0;
    memset(engine->device_at, 0, sizeof engine->device_at);
    memset(&engine->counts, 0, sizeof engine->counts);
}

static void make_sendings(yt_engine *engine, const yt_program *program) {
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = &program->reports[i];
        engine->sendings[i] = NULL;
        if (report->direction != YT_HID_INPUT)
            continue;
        engine->sendings[i] = take(engine, yt_sending_bytes(report));
        yt_sending_begin(engine->sendings[i], program, report);
    }
    engine->report_count = (uint8_t)program->header->report_count;
}

/* Report descriptors, and where they go. */
static uint32_t layout_of(const yt_program *program) {
    uint32_t layout = 0;
    for (unsigned i = 0; i < program->header->interface_count; i++) {
        const yt_program_interface *interface = &program->interfaces[i];
        layout = yt_checksum(layout, &interface->connector, 1);
        layout = yt_checksum(layout, &program->blob[interface->descriptor_offset],
                             interface->descriptor_bytes);
    }
    return layout ? layout : 1;
}

/* They stand first in the memory, so where the last program had the same, what their hosts have
 * asked for is still there, and stays. */
static void make_interfaces(yt_engine *engine, const yt_program *program, uint32_t layout) {
    unsigned count = program->header->interface_count;
    engine->endpoints = take(engine, count * sizeof *engine->endpoints);
    if (engine->layout != layout || engine->interface_count != count)
        memset(engine->endpoints, 0, count * sizeof *engine->endpoints);
    for (unsigned i = 0; i < count; i++) {
        engine->endpoints[i].interface = &program->interfaces[i];
        engine->endpoints[i].next = 0;
    }
    engine->interface_count = (uint8_t)count;
}

static void make_parts(yt_engine *engine, const yt_program *program, uint32_t layout) {
    make_interfaces(engine, program, layout);
    engine->evaluator = take(engine, sizeof *engine->evaluator);
    yt_evaluator_begin(engine->evaluator, program, take(engine, yt_evaluator_bytes(program)));
    yt_queue_begin(&engine->queue, take(engine, queue_bytes(engine)), queue_bytes(engine));
    make_sendings(engine, program);
}

/* Something changed while the host sleeps. */
static void wake_host(yt_engine *engine, yt_endpoint *endpoint) {
    if (endpoint->asked_to_wake || !engine->port->wake)
        return;
    endpoint->asked_to_wake = true;
    engine->port->wake(engine->port->user, endpoint->interface->connector);
}

/* A cell that is only a control's name, between equal raw ranges, copies the raw number. */
static bool tell_raw(yt_engine *engine, const yt_program_root *root, unsigned number) {
    const yt_program *program = &engine->evaluator->program;
    const yt_program_node *node = &program->nodes[root->node];
    int32_t raw;
    if (node->operation != YT_OP_CONTROL ||
        (root->kind != YT_ROOT_AXIS && root->kind != YT_ROOT_LEVEL) ||
        !yt_device_raw_number(engine, node->data, &program->ranges[root->number], &raw))
        return false;
    yt_sending_tell_raw(engine->sendings[root->report], number, raw);
    return true;
}

static void tell_root(void *user, unsigned number, yt_q16 value) {
    yt_engine *engine = user;
    const yt_program *program = &engine->evaluator->program;
    const yt_program_root *root = &program->roots[number];
    if (root->report == YT_NO_REPORT) {
        yt_engine_tell_target(engine, root->number, value);
        return;
    }
    const yt_program_report *report = &program->reports[root->report];
    yt_endpoint *endpoint = &engine->endpoints[report->interface];
    if (root->bits > 16 && tell_raw(engine, root, number - report->first_root))
        return;
    yt_sending_tell(engine->sendings[root->report], endpoint, number - report->first_root, value,
                    engine->view, engine->now_us, yt_port_wait_us(engine->port));
    if (endpoint->suspended && !engine->evaluator->leaving)
        wake_host(engine, endpoint);
}

/* Evaluates what changed and tells the reports of it. */
void yt_engine_settle(yt_engine *engine, uint64_t now_us) {
    bool again = true;
    engine->now_us = now_us;
    while (again) {
        engine->view++;
        again = yt_evaluator_pass(engine->evaluator, now_us, tell_root, engine);
    }
}

/* A host that knows these interfaces already is told what is on now. */
static void note_layout(yt_engine *engine, uint32_t layout) {
    uint32_t before = engine->layout;
    engine->layout = layout;
    for (unsigned i = 0; before == layout && i < engine->interface_count; i++)
        yt_engine_refresh(engine, &engine->endpoints[i]);
    if (before != 0 && before != layout && engine->port->restart)
        engine->port->restart(engine->port->user, layout);
}

/* Functions that depend on these inputs, a bit each, begin afresh. */
static void settle_cancel(yt_engine *engine, uint32_t inputs) {
    engine->evaluator->leaving = inputs;
    yt_engine_settle(engine, engine->now_us);
    engine->evaluator->leaving = 0;
}

/* Until it is sure that the program can run, the one before goes on. */
yt_status yt_engine_load(yt_engine *engine, const void *image, size_t size) {
    yt_program program;
    yt_status status = yt_program_check(&program, image, size);
    if (status != YT_OK)
        return status;
    if (program.header->interface_count > YT_INTERFACES ||
        program.header->report_count > YT_REPORTS)
        return YT_PROGRAM_OUTPUT;
    if (bytes_for(engine, &program) > engine->size)
        return YT_MEMORY;
    uint32_t layout = layout_of(&program);
    unload(engine);
    make_parts(engine, &program, layout);
    settle_cancel(engine, UINT32_MAX); /* what is on when a program begins is no press */
    note_layout(engine, layout);
    return YT_OK;
}

uint32_t yt_engine_layout(const yt_engine *engine) {
    return engine->evaluator ? engine->layout : 0;
}

void yt_engine_cancel(yt_engine *engine) {
    if (!engine->evaluator)
        return;
    for (unsigned i = 0; i < YT_DEVICES; i++) {
        yt_attached *device = yt_attached_at(engine, i);
        if (device)
            yt_device_mute(engine, device);
    }
    yt_evaluator_touch_all(engine->evaluator);
    settle_cancel(engine, UINT32_MAX);
}

yt_status yt_engine_report(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size,
                           uint64_t happened_us) {
    if (number >= YT_DEVICES || size > yt_queue_longest(&engine->queue))
        return YT_ARGUMENT;
    if (yt_queue_put(&engine->queue, number, bytes, size, happened_us))
        return YT_OK;
    uint32_t refused = atomic_load_explicit(&engine->queue.refused, memory_order_relaxed);
    atomic_store_explicit(&engine->queue.refused, refused + 1, memory_order_relaxed);
    return YT_FULL;
}

#define MERGED_ROUNDS 4 /* what ends at once because another one ended has a round of its own */

/* Runs the deadlines up to `until_us`, one by one while `left` lasts, then all that are due as
 * one; what is due after some rounds of that is left to the next update. Those of the time itself
 * come before what comes in at that time. */
static void run_deadlines(yt_engine *engine, uint64_t until_us, unsigned *left) {
    for (unsigned rounds = MERGED_ROUNDS; rounds > 0;) {
        uint64_t due_us = yt_evaluator_due(engine->evaluator);
        if (due_us > until_us)
            return;
        if (*left == 0) {
            due_us = until_us;
            rounds--;
        }
        unsigned count = yt_evaluator_expire(engine->evaluator, due_us);
        *left -= count < *left ? count : *left;
        yt_engine_settle(engine, due_us);
    }
}

static uint64_t within(uint64_t time, uint64_t low, uint64_t high) {
    return time < low ? low : time > high ? high : time;
}

/* A moment of the port's time, in the past or a little ahead, as the engine's. */
static uint64_t time_of(const yt_engine *engine, uint64_t port_us) {
    if (port_us < engine->port_us) {
        uint64_t ago_us = engine->port_us - port_us;
        return ago_us < engine->synced_us ? engine->synced_us - ago_us : 0;
    }
    uint64_t ahead_us = port_us - engine->port_us;
    return engine->synced_us + (ahead_us < YT_AHEAD_US ? ahead_us : YT_AHEAD_US);
}

/* The clock was set back. What was said to be at a later time than now is as if it was now. */
static void set_back(yt_engine *engine, uint64_t port_us) {
    engine->port_us = port_us;
    engine->synced_us = engine->now_us;
    for (unsigned i = 0; i < engine->interface_count; i++) {
        yt_endpoint *endpoint = &engine->endpoints[i];
        endpoint->armed_us = within(endpoint->armed_us, 0, engine->now_us);
        endpoint->taken_us = within(endpoint->taken_us, 0, engine->now_us);
    }
}

uint64_t yt_engine_time(yt_engine *engine, uint64_t port_us) {
    if (port_us >= engine->port_us) {
        engine->synced_us = time_of(engine, port_us);
        engine->port_us = port_us;
        return engine->synced_us;
    }
    if (engine->port_us - port_us > YT_BACK_US)
        set_back(engine, port_us);
    return within(time_of(engine, port_us), engine->now_us, YT_NEVER);
}

/* A time of the engine's, not before the last that the port told, as the port's. */
static uint64_t port_time(const yt_engine *engine, uint64_t time_us) {
    uint64_t ahead_us = time_us - engine->synced_us;
    return ahead_us < YT_NEVER - engine->port_us ? engine->port_us + ahead_us : YT_NEVER;
}

/* When the next update is due, as the port's time; what is due already is due now. */
static uint64_t next_due(yt_engine *engine) {
    uint64_t due_us = yt_evaluator_due(engine->evaluator), idle_us = yt_engine_idle_due(engine);
    uint64_t pulse_us = yt_engine_end_pulses(engine, engine->now_us);
    due_us = due_us < idle_us ? due_us : idle_us;
    due_us = due_us < pulse_us ? due_us : pulse_us;
    if (yt_queue_look(&engine->queue, yt_queue_end(&engine->queue)))
        due_us = engine->now_us;
    if (due_us == YT_NEVER)
        return YT_NEVER;
    return port_time(engine, due_us > engine->synced_us ? due_us : engine->synced_us);
}

uint64_t yt_engine_update(yt_engine *engine, uint64_t now_us) {
    unsigned left = YT_DEADLINES;
    const yt_queued *entry;
    if (!engine->evaluator)
        return YT_NEVER;
    now_us = yt_engine_time(engine, now_us);
    uint32_t end = yt_queue_end(&engine->queue);
    while ((entry = yt_queue_look(&engine->queue, end)) != NULL) {
        uint64_t happened_us = (uint64_t)entry->happened_high << 32 | entry->happened_low;
        happened_us = within(time_of(engine, happened_us), engine->now_us, now_us);
        run_deadlines(engine, happened_us, &left);
        yt_device_read(engine, entry->device, (const uint8_t *)(entry + 1), entry->size);
        yt_queue_drop(&engine->queue);
        yt_engine_settle(engine, happened_us);
    }
    run_deadlines(engine, now_us, &left);
    engine->now_us = now_us;
    return next_due(engine);
}

void yt_engine_detach(yt_engine *engine, unsigned number, uint64_t now_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    yt_engine_update(engine, now_us);
    yt_device_let_go(engine, device);
    uint32_t inputs = device->inputs;
    yt_attached_remove(engine, number);
    settle_cancel(engine, inputs);
}

size_t yt_engine_used(const yt_engine *engine) {
    return engine->used;
}

yt_counts yt_engine_counts(const yt_engine *engine) {
    yt_counts counts = engine->counts;
    counts.reports_refused = atomic_load_explicit(&engine->queue.refused, memory_order_relaxed);
    if (engine->evaluator)
        counts.deadlines_merged = engine->evaluator->late;
    for (unsigned i = 0; i < engine->report_count; i++) {
        if (!engine->sendings[i])
            continue;
        counts.pairs_dropped += engine->sendings[i]->pairs_dropped;
        counts.motion_dropped += engine->sendings[i]->motion_dropped;
    }
    return counts;
}

yt_status yt_engine_set_parameter(yt_engine *engine, unsigned parameter, yt_q16 value) {
    if (!engine->evaluator || parameter >= engine->evaluator->program.header->parameter_count)
        return YT_ARGUMENT;
    const yt_program_parameter *at = &engine->evaluator->program.parameters[parameter];
    if (value < at->minimum || value > at->maximum)
        return YT_ARGUMENT;
    yt_evaluator_set_parameter(engine->evaluator, parameter, value);
    yt_engine_settle(engine, engine->now_us);
    return YT_OK;
}

yt_q16 yt_engine_control(const yt_engine *engine, unsigned control) {
    if (!engine->evaluator || control >= engine->evaluator->program.header->control_count)
        return 0;
    return engine->evaluator->values[engine->evaluator->program.controls[control].node];
}
