#include <string.h>

#include "engine/parts.h"

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

/* Takes `bytes` of the memory, rounded up to eight; NULL where they are not to be had. */
static void *take(yt_engine *engine, size_t bytes) {
    bytes = (bytes + 7) & ~(size_t)7;
    if (engine->size - engine->used < bytes)
        return NULL;
    void *taken = engine->memory + engine->used;
    engine->used += bytes;
    return taken;
}

static void unload(yt_engine *engine) {
    engine->used = 0;
    engine->evaluator = NULL;
    engine->output_count = 0;
    memset(engine->device_at, 0, sizeof engine->device_at);
    memset(&engine->counts, 0, sizeof engine->counts);
    yt_queue_begin(&engine->queue, NULL, 0);
}

static yt_status make_outputs(yt_engine *engine, const yt_program *program) {
    if (program->header->output_count > YT_OUTPUTS)
        return YT_PROGRAM_OUTPUT;
    for (unsigned i = 0; i < program->header->output_count; i++) {
        const yt_output_layout *layout = yt_output_layout_of(program->outputs[i].kind);
        yt_sending *sending = take(engine, yt_sending_bytes(layout));
        if (!sending)
            return YT_MEMORY;
        yt_sending_begin(sending, layout);
        engine->outputs[engine->output_count++] = sending;
    }
    return YT_OK;
}

static yt_status make_parts(yt_engine *engine, const yt_program *program) {
    uint32_t queue_bytes = engine->port->queue_bytes ? engine->port->queue_bytes : QUEUE_BYTES;
    yt_evaluator *evaluator = take(engine, sizeof *evaluator);
    void *memory = evaluator ? take(engine, yt_evaluator_bytes(program)) : NULL;
    uint8_t *queue = memory ? take(engine, queue_bytes) : NULL;
    if (!queue)
        return YT_MEMORY;
    yt_evaluator_begin(evaluator, program, memory);
    yt_queue_begin(&engine->queue, queue, queue_bytes);
    engine->evaluator = evaluator;
    return make_outputs(engine, program);
}

static void tell_output(void *user, unsigned root, yt_q16 value) {
    yt_engine *engine = user;
    const yt_program_root *at = &engine->evaluator->program.roots[root];
    yt_sending_tell(engine->outputs[at->output], at->control, value, engine->view, engine->now_us,
                    yt_port_wait_us(engine->port));
}

/* Evaluates what changed and gives it to the outputs. */
static void settle(yt_engine *engine, uint64_t now_us) {
    bool again = true;
    engine->now_us = now_us;
    while (again) {
        engine->view++;
        again = yt_evaluator_pass(engine->evaluator, now_us, tell_output, engine);
    }
}

yt_status yt_engine_load(yt_engine *engine, const void *image, size_t size) {
    yt_program program;
    unload(engine);
    yt_status status = yt_program_check(&program, image, size);
    if (status == YT_OK)
        status = make_parts(engine, &program);
    if (status != YT_OK)
        unload(engine);
    else
        settle(engine, engine->now_us);
    return status;
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

/* Runs the deadlines up to `until_us`, one by one while `left` lasts, then all that are due as
 * one. Those of the time itself come before what comes in at that time. */
static void run_deadlines(yt_engine *engine, uint64_t until_us, unsigned *left) {
    for (;;) {
        uint64_t due_us = yt_evaluator_due(engine->evaluator);
        if (due_us > until_us)
            return;
        if (*left > 0)
            --*left;
        else
            due_us = until_us;
        yt_evaluator_expire(engine->evaluator, due_us);
        settle(engine, due_us);
    }
}

static uint64_t within(uint64_t time, uint64_t low, uint64_t high) {
    return time < low ? low : time > high ? high : time;
}

uint64_t yt_engine_update(yt_engine *engine, uint64_t now_us) {
    unsigned left = YT_DEADLINES;
    const yt_queued *entry;
    if (!engine->evaluator)
        return YT_NEVER;
    now_us = within(now_us, engine->now_us, YT_NEVER - 1);
    while ((entry = yt_queue_look(&engine->queue)) != NULL) {
        uint64_t happened_us = (uint64_t)entry->happened_high << 32 | entry->happened_low;
        happened_us = within(happened_us, engine->now_us, now_us);
        run_deadlines(engine, happened_us, &left);
        yt_engine_take_report(engine, entry->device, (const uint8_t *)(entry + 1), entry->size);
        yt_queue_drop(&engine->queue);
        settle(engine, happened_us);
    }
    run_deadlines(engine, now_us, &left);
    engine->now_us = now_us;
    return yt_evaluator_due(engine->evaluator);
}

void yt_engine_detach(yt_engine *engine, unsigned number, uint64_t now_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    yt_engine_update(engine, now_us);
    yt_engine_let_go(engine, device);
    yt_attached_remove(engine, number);
    settle(engine, engine->now_us);
}

size_t yt_output_report(yt_engine *engine, unsigned output, uint8_t *bytes, size_t size) {
    if (output >= engine->output_count || !yt_sending_is_ready(engine->outputs[output]))
        return 0;
    return yt_sending_report(engine->outputs[output], bytes, size, engine->now_us,
                             yt_port_wait_us(engine->port));
}

void yt_output_taken(yt_engine *engine, unsigned output, uint64_t now_us) {
    if (output >= engine->output_count)
        return;
    yt_sending_taken(engine->outputs[output], now_us, yt_port_wait_us(engine->port));
}

size_t yt_output_state(const yt_engine *engine, unsigned output, uint8_t *bytes, size_t size) {
    if (output >= engine->output_count)
        return 0;
    const yt_sending *sending = engine->outputs[output];
    if (size < sending->layout->report_bytes)
        return 0;
    memcpy(bytes, sending->shown, sending->layout->report_bytes);
    return sending->layout->report_bytes;
}

size_t yt_engine_used(const yt_engine *engine) {
    return engine->used;
}

yt_counts yt_engine_counts(const yt_engine *engine) {
    yt_counts counts = engine->counts;
    counts.reports_refused = atomic_load_explicit(&engine->queue.refused, memory_order_relaxed);
    if (engine->evaluator)
        counts.deadlines_merged = engine->evaluator->late;
    for (unsigned i = 0; i < engine->output_count; i++) {
        counts.pairs_dropped += engine->outputs[i]->pairs_dropped;
        counts.motion_dropped += engine->outputs[i]->motion_dropped;
    }
    return counts;
}

yt_q16 yt_engine_control(const yt_engine *engine, unsigned control) {
    if (!engine->evaluator || control >= engine->evaluator->program.header->control_count)
        return 0;
    return engine->evaluator->values[engine->evaluator->program.controls[control].node];
}
