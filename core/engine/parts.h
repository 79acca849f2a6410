/* What the files of the engine share. */
#ifndef YONDER_ENGINE_PARTS_H
#define YONDER_ENGINE_PARTS_H

#include "in/device.h"
#include "in/queue.h"
#include "run/evaluate.h"
#include "yonder/engine.h"
#include "yonder/hid.h"

/* What a target is driven with. */
yt_q16 yt_engine_target_value(const yt_engine *engine, unsigned target);

/* A target's value has changed; a device that arrives gets the present ones. */
void yt_engine_tell_target(yt_engine *engine, unsigned target, yt_q16 value);
void yt_engine_fill_targets(yt_engine *engine, yt_attached *device);

/* Ends test pulses, and says when the next one ends. */
uint64_t yt_engine_end_pulses(yt_engine *engine, uint64_t now_us);

/* One change of a button, a key or a hat, in the order in which it happened. */
typedef struct yt_change {
    uint8_t lead;      /* the root, or the first root of the hat, counted within the report */
    uint8_t now : 4;   /* 0 or 1; of a hat: the directions that are on */
    uint8_t again : 1; /* an earlier change of the same lead waits too */
} yt_change;

/* What is known of a switch of a report, a bit each. */
#define YT_HELD    1u /* it is on now */
#define YT_TOLD    2u /* it is on as the host was told last */
#define YT_WAITING 4u /* it leads a change that waits */

/* The way of one interface's reports to the host. */
typedef struct yt_endpoint {
    const yt_program_interface *interface;
    uint64_t armed_us; /* when the report that the host has not taken was built */
    uint64_t taken_us; /* when the host took the last one */
    uint32_t idle_us;  /* 0: a report is sent only when there is something new */
    uint32_t features; /* the first bits of its feature report, as the host set them */
    uint8_t next;      /* of its reports, the one to look at first */
    bool armed;
    bool boot; /* the host asked for the boot protocol */
    bool suspended;
    bool asked_to_wake; /* since it was suspended */
    uint8_t reserved[3];
} yt_endpoint;

/* What one report has to tell the host. Behind it stand a value for each axis, level (what it is)
 * and motion (what is owed, in Q16), then `report->bytes` bytes of what was told last, motion at
 * rest, then a byte for each switch. */
typedef struct yt_sending {
    const yt_program_report *report;
    const yt_program_root *roots;
    const yt_program_range *ranges;
    const uint8_t *rest;       /* the report with nothing on */
    uint8_t *shown;            /* the report as it was told last */
    uint8_t *switches;         /* of each what is known */
    uint64_t waiting_since_us; /* since when motion waits that did not fit; YT_NEVER: none does */
    uint64_t motion_dropped;
    uint32_t pairs_dropped;
    uint32_t view;    /* the number of the view that was told last */
    uint32_t touched; /* axes, levels and motion that changed since the last report, a bit each */
    yt_change changes[YT_CHANGES];
    uint8_t change_count;
    uint8_t view_begin; /* the first change of that view */
    bool owes;          /* switches changed that the list had no room for */
    bool fresh;         /* the host is to get a report, even with nothing new */
    int64_t values[];
} yt_sending;

size_t yt_sending_bytes(const yt_program_report *report);
void yt_sending_begin(yt_sending *sending, const yt_program *program,
                      const yt_program_report *report);

/* Tells of the value of root `number` of the report. All that is told with the same view is one:
 * a hat changes at once, not part by part. */
void yt_sending_tell(yt_sending *sending, const yt_endpoint *endpoint, unsigned number,
                     yt_q16 value, uint32_t view, uint64_t now_us, uint32_t wait_us);

/* The same of an axis or a level whose raw number is copied. */
void yt_sending_tell_raw(yt_sending *sending, unsigned number, int32_t raw);

/* Motion that is owed is not to be sent any more. */
void yt_sending_drop_motion(yt_sending *sending);

/* Whether there may be something for the host. */
static inline bool yt_sending_is_ready(const yt_sending *sending) {
    return sending->change_count || sending->touched || sending->owes || sending->fresh;
}

/* Builds the report, without its ID, in `bytes`, which have room for it; 0: there is nothing new.
 */
size_t yt_sending_report(yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes,
                         uint64_t now_us, uint32_t wait_us);

/* The report as it stands, motion at rest. */
size_t yt_sending_state(const yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes);

/* The boot report (HID 1.11, appendix B) of what was told; motion is 0. Returns its length, 0 for a
 * report that the boot protocol does not have. */
size_t yt_boot_report(const yt_sending *sending, uint8_t *bytes);

/* Evaluates what changed, as of `now_us`, and tells the reports of it. */
void yt_engine_settle(yt_engine *engine, uint64_t now_us);

/* All reports to the host are sent again. */
void yt_engine_refresh(yt_engine *engine, yt_endpoint *endpoint);

/* When a host is to get a report with nothing new, where that is to come; YT_NEVER: it is not. */
uint64_t yt_engine_idle_due(const yt_engine *engine);

uint32_t yt_port_wait_us(const yt_port *port);

/* The port's time as the engine's: what the port says now, not of a moment in the past. */
uint64_t yt_engine_time(yt_engine *engine, uint64_t port_us);

#endif
