/* The engine's time, which never goes back, and the port's, which may.
 *
 * Stamps of 32 bits (when a report was built, taken, since when motion waits) are enough, since no
 * time that they are compared with is longer than half of 2^32 us: whenever 2^30 us have gone by,
 * what is older than that is made to be as old as that. */
#include "engine/parts.h"

static uint64_t within(uint64_t time, uint64_t low, uint64_t high) {
    return time < low ? low : time > high ? high : time;
}

#define OLDEST_US ((uint32_t)1 << 30)

static void age(uint32_t *stamp_us, uint32_t now_us) {
    if (now_us - *stamp_us > OLDEST_US)
        *stamp_us = now_us - OLDEST_US;
}

static void each_stamp(yt_engine *engine, void (*change)(uint32_t *stamp_us, uint32_t now_us),
                       uint32_t now_us) {
    for (unsigned i = 0; i < engine->interface_count; i++) {
        change(&engine->endpoints[i].armed_us, now_us);
        change(&engine->endpoints[i].taken_us, now_us);
    }
    for (unsigned i = 0; i < engine->report_count; i++)
        if (engine->sendings[i])
            change(&engine->sendings[i]->since_us, now_us);
}

/* A moment of the port's time as the engine's. */
static uint64_t moment(const yt_engine *engine, uint64_t port_us) {
    if (port_us < engine->port_us) {
        uint64_t ago_us = engine->port_us - port_us;
        return ago_us < engine->synced_us ? engine->synced_us - ago_us : 0;
    }
    uint64_t ahead_us = port_us - engine->port_us;
    return engine->synced_us + (ahead_us < YT_AHEAD_US ? ahead_us : YT_AHEAD_US);
}

static void not_after(uint32_t *stamp_us, uint32_t now_us) {
    if ((int32_t)(*stamp_us - now_us) > 0)
        *stamp_us = now_us;
}

/* The clock was set back. What was said to be at a later time than now is as if it was now. */
static void set_back(yt_engine *engine, uint64_t port_us) {
    engine->port_us = port_us;
    engine->synced_us = engine->now_us;
    each_stamp(engine, not_after, (uint32_t)engine->now_us);
}

static uint64_t time_rarely(yt_engine *engine, uint64_t port_us) {
    if (port_us >= engine->port_us) {
        engine->synced_us = moment(engine, port_us);
        engine->port_us = port_us;
        return engine->synced_us;
    }
    if (engine->port_us - port_us > YT_BACK_US)
        set_back(engine, port_us);
    return within(moment(engine, port_us), engine->now_us, YT_NEVER);
}

uint64_t yt_engine_time(yt_engine *engine, uint64_t port_us) {
    uint64_t ahead_us = port_us - engine->port_us, time_us;
    if (ahead_us < YT_AHEAD_US) {
        engine->port_us = port_us;
        time_us = engine->synced_us += ahead_us;
    } else {
        time_us = time_rarely(engine, port_us);
    }
    uint32_t epoch = (uint32_t)time_us >> 30; /* no call goes on by four of them */
    if (epoch != engine->epoch) {
        engine->epoch = epoch;
        each_stamp(engine, age, (uint32_t)time_us);
    }
    return time_us;
}

/* The engine may be behind what it was told last, while that is worked off. */
uint64_t yt_engine_port_time(const yt_engine *engine, uint32_t after_us) {
    if (after_us == YT_NO_WAIT)
        return YT_NEVER;
    uint64_t ahead_us = engine->now_us + after_us - engine->synced_us;
    if ((int64_t)ahead_us < 0)
        return engine->port_us;
    uint64_t due_us = engine->port_us + ahead_us;
    return due_us >= ahead_us ? due_us : YT_NEVER;
}
