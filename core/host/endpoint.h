/* The way of one interface's reports to its host, and what the host asked for. */
#ifndef YONDER_HOST_ENDPOINT_H
#define YONDER_HOST_ENDPOINT_H

#include "yonder/engine.h"

typedef struct yt_endpoint {
    const yt_program_interface *interface;
    uint32_t armed_us; /* when the report that the host has not taken was built */
    uint32_t taken_us; /* when the host took the last one */
    uint32_t idle_us;
    uint32_t features;  /* the first bits of its feature report, as the host set them */
    uint8_t next;       /* of its reports, the one to look at first */
    bool armed;         /* a report was built that the host has not taken */
    bool ready;         /* there may be something for the host */
    uint8_t rare;       /* YT_ENDPOINT_… */
    bool asked_to_wake; /* since it was suspended */
    uint8_t bytes;      /* of its longest report to the host, with its ID */
    uint8_t built;      /* of its reports, the one that was built last */
    bool repeats;       /* …with nothing new */
} yt_endpoint;

#define YT_ENDPOINT_BOOT      1u /* it asked for the boot protocol */
#define YT_ENDPOINT_SUSPENDED 2u
#define YT_ENDPOINT_FEATURES  4u /* `features` is not 0 */
#define YT_ENDPOINT_IDLE      8u /* it wants a report every `idle_us`, with nothing new too */

#define YT_MOTION_WAIT_US 250000u

/* How long motion waits; stamps are good for so long (engine/time.c). */
static inline uint32_t yt_endpoint_wait_us(const yt_engine *engine) {
    const uint32_t most_us = (uint32_t)1 << 30;
    uint32_t wait_us = engine->port->motion_wait_us;
    return wait_us == 0 ? YT_MOTION_WAIT_US : wait_us < most_us ? wait_us : most_us;
}

/* How long the host may leave a report before motion is dropped: what is 2^30 us ago counts as
 * that, so 32 bits are enough for it (engine/time.c). */
static inline bool yt_endpoint_was_left(const yt_engine *engine, const yt_endpoint *endpoint) {
    uint32_t left_us = (uint32_t)engine->now_us - endpoint->armed_us;
    return endpoint->armed && (int32_t)left_us > 0 && left_us > yt_endpoint_wait_us(engine);
}

/* NULL where there is no such interface. */
yt_endpoint *yt_endpoint_of(const yt_engine *engine, unsigned interface);

/* The ID in front of a report of it as it is now; 0: none is. */
uint8_t yt_endpoint_report_id(const yt_endpoint *endpoint, const yt_program_report *report);

void yt_endpoint_drop_motion(yt_engine *engine, const yt_endpoint *endpoint);

/* The port's time as the engine's: what the port says now, not of a moment in the past. */
uint64_t yt_engine_time(yt_engine *engine, uint64_t port_us);

/* Something changed while the host sleeps: it is asked to wake, once, but not by what ends because
 * a device leaves or nobody is there. */
void yt_endpoint_wake(yt_engine *engine, yt_endpoint *endpoint);

/* All reports to the host are sent again. */
void yt_endpoint_refresh(yt_engine *engine, yt_endpoint *endpoint);

/* In how many microseconds a host is to get a report with nothing new; YT_NO_WAIT: not at all. */
#define YT_NO_WAIT UINT32_MAX
uint32_t yt_endpoints_idle_in(const yt_engine *engine);

/* A light's or a motor's value has changed; a device that arrives gets the present ones. */
void yt_tell_target(yt_engine *engine, unsigned target, yt_q16 value);

/* What a target of the adapter's asks for (engine/actions.c). */
void yt_tell_action(yt_engine *engine, const yt_program_control *target, yt_q16 value);

struct yt_attached;
void yt_targets_fill(yt_engine *engine, struct yt_attached *device);

/* Ends test pulses, and says in how many microseconds the next one ends, or a device is to be sent
 * a report again; YT_NO_WAIT: neither will be. */
uint32_t yt_targets_next(yt_engine *engine);

#endif
