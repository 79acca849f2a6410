/* What the files of the engine share: its memory, its time, and that a view is looked at. */
#ifndef YONDER_ENGINE_PARTS_H
#define YONDER_ENGINE_PARTS_H

#include "host/endpoint.h"
#include "in/device.h"
#include "in/queue.h"
#include "out/sending.h"
#include "run/evaluate.h"

/* Hands out `bytes` of the engine's memory behind what is in use, all 0; NULL: there is no room.
 * What is handed out together stands together. */
void *yt_engine_reserve(yt_engine *engine, size_t bytes);

/* Of the queue of reports. */
static inline uint32_t yt_port_queue_bytes(const yt_port *port) {
    return port->queue_bytes ? port->queue_bytes : 512;
}

static inline size_t yt_rounded_up(size_t bytes) {
    return (bytes + 7) & ~(size_t)7;
}

/* Evaluates what changed, as of `now_us`, and tells the reports of it. */
void yt_engine_settle(yt_engine *engine, uint64_t now_us);

/* The same for what depends on inputs whose devices leave, a bit each: functions begin afresh. */
void yt_engine_settle_cancel(yt_engine *engine, uint32_t inputs);

/* What actions do to parameters, done now; whether any of that waits. */
bool yt_actions_apply(yt_engine *engine);
bool yt_actions_wait(const yt_engine *engine);

/* So many microseconds after the engine's time, as the port's time; YT_NO_WAIT: YT_NEVER. */
uint64_t yt_engine_port_time(const yt_engine *engine, uint32_t after_us);

/* Runs what is due up to `until_us`. */
void yt_engine_run_deadlines(yt_engine *engine, uint64_t until_us, unsigned *left);

/* When the next update is due, as the port's time; what is due already is due now. */
uint64_t yt_engine_next_due(yt_engine *engine);

#endif
