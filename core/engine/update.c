/* An update: all that came before it and all deadlines, each in its time and order. */
#include <string.h>

#include "engine/parts.h"
#include "image/layout.h"

static void pass_all(yt_engine *engine) {
    do
        engine->view++;
    while (yt_evaluator_pass(engine));
}

void yt_engine_settle(yt_engine *engine, uint64_t now_us) {
    engine->now_us = engine->evaluator->now_us = now_us;
    pass_all(engine);
    if (engine->action_count > 0 && yt_actions_apply(engine))
        pass_all(engine); /* what that asks for in turn counts from the next update */
}

void yt_engine_settle_cancel(yt_engine *engine, uint32_t inputs) {
    yt_evaluator *evaluator = engine->evaluator;
    evaluator->leaving = inputs;
    yt_engine_settle(engine, engine->now_us);
    evaluator->leaving = 0;
    yt_evaluator_forget_moved(evaluator);
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
    yt_engine_settle_cancel(engine, UINT32_MAX);
}

#define ACTION_WAIT_US 1000 /* until parameters that change one another do so once more */

#define MERGED_ROUNDS 4 /* what ends at once because another one ended has a round of its own */

/* Deadlines run one by one while `left` lasts, then all that are due as one; what is due after some
 * rounds of that is left to the next update. Those of the time itself come before what comes in at
 * that time. */
void yt_engine_run_deadlines(yt_engine *engine, uint64_t until_us, unsigned *left) {
    yt_evaluator *evaluator = engine->evaluator;
    uint32_t until = (uint32_t)until_us;
    while (*left > 0 && yt_timers_due(evaluator, until)) {
        uint32_t due = yt_timers_first(evaluator);
        unsigned count = yt_timers_expire(evaluator, due);
        *left -= count < *left ? count : *left;
        yt_engine_settle(engine, until_us - (until - due));
    }
    for (unsigned k = 0; k < MERGED_ROUNDS && yt_timers_due(evaluator, until); k++) {
        yt_timers_expire(evaluator, until);
        yt_engine_settle(engine, until_us);
    }
}

uint64_t yt_engine_next_due(yt_engine *engine) {
    const yt_evaluator *evaluator = engine->evaluator;
    uint32_t least = YT_NO_WAIT;
    if (!yt_queue_is_empty(&engine->queue))
        return yt_engine_port_time(engine, 0);
    if (evaluator->running) {
        uint32_t left = yt_timers_first(evaluator) - (uint32_t)engine->now_us;
        least = (int32_t)left > 0 ? left : 0;
    }
    if (engine->idles || engine->pulses) {
        uint32_t idle = yt_endpoints_idle_in(engine), pulse = yt_targets_next(engine);
        least = idle < least ? idle : least;
        least = pulse < least ? pulse : least;
    }
    if (engine->action_count > 0 && yt_actions_wait(engine) && least > ACTION_WAIT_US)
        least = ACTION_WAIT_US;
    return yt_engine_port_time(engine, least);
}

/* How long ago a report came: after the last that was looked at, which is no longer ago than one
 * call goes on (YT_AHEAD_US), and not after now. */
static uint32_t ago(const yt_engine *engine, const yt_queued *entry, uint64_t now_us) {
    uint32_t most_us = (uint32_t)(now_us - engine->now_us);
    uint64_t ago_us =
        engine->port_us - ((uint64_t)entry->happened_high << 32 | entry->happened_low);
    if ((int64_t)ago_us < 0)
        return 0;
    return ago_us < most_us ? (uint32_t)ago_us : most_us;
}

uint64_t yt_engine_update(yt_engine *engine, uint64_t now_us) {
    unsigned left = YT_DEADLINES;
    const yt_queued *entry;
    if (!engine->evaluator)
        return YT_NEVER;
    now_us = yt_engine_time(engine, now_us);
    engine->evaluator->until_us = (uint32_t)now_us;
    uint32_t end = yt_queue_end(&engine->queue);
    while ((entry = yt_queue_look(&engine->queue, end)) != NULL) {
        uint64_t happened_us = now_us - ago(engine, entry, now_us);
        if (yt_timers_due(engine->evaluator, (uint32_t)happened_us))
            yt_engine_run_deadlines(engine, happened_us, &left);
        yt_device_read(engine, entry->device, (const uint8_t *)(entry + 1), entry->size);
        yt_queue_drop(&engine->queue);
        yt_engine_settle(engine, happened_us);
    }
    if (yt_timers_due(engine->evaluator, (uint32_t)now_us))
        yt_engine_run_deadlines(engine, now_us, &left);
    if (engine->action_count > 0 && yt_actions_wait(engine))
        yt_engine_settle(engine, now_us);
    engine->now_us = now_us;
    return yt_engine_next_due(engine);
}

uint64_t yt_engine_give(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size,
                        uint64_t now_us) {
    unsigned left = YT_DEADLINES;
    if (!engine->evaluator)
        return YT_NEVER;
    if (!yt_queue_is_empty(&engine->queue))
        yt_engine_update(engine, now_us);
    now_us = yt_engine_time(engine, now_us);
    engine->evaluator->until_us = (uint32_t)now_us;
    if (yt_timers_due(engine->evaluator, (uint32_t)now_us))
        yt_engine_run_deadlines(engine, now_us, &left);
    yt_device_read(engine, number, bytes, size);
    yt_engine_settle(engine, now_us);
    return yt_engine_next_due(engine);
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

void yt_engine_detach(yt_engine *engine, unsigned number, uint64_t now_us) {
    yt_attached *device = yt_attached_at(engine, number);
    if (!device)
        return;
    yt_engine_update(engine, now_us);
    yt_device_let_go(engine, device);
    uint32_t inputs = device->inputs;
    yt_attached_remove(engine, number);
    yt_engine_settle_cancel(engine, inputs);
}

yt_counts yt_engine_counts(const yt_engine *engine) {
    yt_counts counts = engine->counts;
    counts.reports_refused = atomic_load_explicit(&engine->queue.refused, memory_order_relaxed);
    if (engine->evaluator) {
        counts.deadlines_merged = engine->evaluator->late;
        counts.numbers_cut = engine->evaluator->cut;
    }
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
    const yt_program *program = &engine->evaluator->program;
    const yt_program_parameter *at = yt_parameter_at(program, parameter);
    if (value < at->minimum || value > at->maximum)
        return YT_ARGUMENT;
    yt_value_set(engine->evaluator, yt_first_parameter(program) + parameter, value);
    yt_engine_settle(engine, engine->now_us);
    return YT_OK;
}

yt_q16 yt_engine_control(const yt_engine *engine, unsigned control) {
    if (!engine->evaluator || control >= engine->evaluator->program.header->control_count)
        return 0;
    return yt_control_value(engine->evaluator, control);
}

yt_q16 yt_engine_parameter(const yt_engine *engine, unsigned parameter) {
    if (!engine->evaluator || parameter >= engine->evaluator->program.header->parameter_count)
        return 0;
    return engine->evaluator->values[yt_first_parameter(&engine->evaluator->program) + parameter];
}
