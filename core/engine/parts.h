/* What the files of the engine share. */
#ifndef YONDER_ENGINE_PARTS_H
#define YONDER_ENGINE_PARTS_H

#include "in/queue.h"
#include "run/evaluate.h"
#include "signal/scale.h"
#include "yonder/engine.h"
#include "yonder/hid.h"

/* Where a device keeps a control of the program, and what it says of it now. */
typedef struct yt_binding {
    uint16_t control; /* of the program */
    uint16_t bit;     /* the place in the report, behind the ID */
    uint16_t flags;   /* YT_BINDING_… */
    uint8_t bits;
    uint8_t more; /* what is scaled: index into the scales; an array: how many elements; a hat: its
                     direction, and 16 times the number that stands for up */
    uint32_t number; /* in an array: the number that stands for it; of motion: 0; else the raw bits
                        last seen */
    yt_q16 value; /* while a device is attached, the ID of the report stands in its upper bytes */
} yt_binding;

#define YT_BINDING_ARRAY  1u
#define YT_BINDING_SIGNED 2u
#define YT_BINDING_NULL   4u /* numbers outside the range mean that there is no value */
#define YT_BINDING_MOTION 8u
#define YT_BINDING_SCALED 16u
#define YT_BINDING_KEYS   32u /* an array of the keyboard page's usages: 1 to 3 tell of an error */
#define YT_BINDING_HAT    64u
#define YT_BINDING_HALF   128u  /* scaled, and a switch: on from the middle of its range on */
#define YT_BINDING_TURNED 256u  /* the other way round */
#define YT_BINDING_LEVEL  512u  /* scaled, from its minimum up */
#define YT_BINDING_MUTED  1024u /* a switch that reads as up until it was seen up */
#define YT_BINDING_WIDE   2048u /* more bits than a value has: its raw number can be copied */
#define YT_BINDING_FOUR   4096u /* a hat of four positions; else it has eight */

#define YT_MUTED_VALUE 4 /* the same in an array, in place of a value, so that it is looked at */

/* A light or a motor of a device, and what it is to show. */
typedef struct yt_target {
    uint16_t target; /* of the program */
    uint16_t bit;
    uint16_t bytes; /* of its report, without the ID */
    uint8_t bits;
    uint8_t report_id;
    uint8_t direction; /* output or feature */
    uint8_t is_motor;  /* a test pulse drives it */
    bool changed;      /* since its report was built last */
    uint8_t reserved;
    int32_t minimum;
    int32_t maximum;
    uint32_t raw;
} yt_target;

/* The bindings of one report ID, and how long its reports are. */
typedef struct yt_bound_report {
    uint16_t first;
    uint16_t count;
    uint16_t bytes; /* without the ID */
    uint8_t id;
    uint8_t reserved;
} yt_bound_report;

/* A device that is attached: this, then its scales, bindings, reports and targets. Blocks stand
 * behind one another in the engine's memory; when one goes, those behind it move up. */
typedef struct yt_attached {
    uint64_t pulse_until_us; /* a test pulse drives its motors until then; 0: none does */
    uint32_t bytes;
    uint32_t inputs; /* that it was taken for, a bit each */
    uint32_t leads;  /* sticks that follow this device and not another of the input, a bit each */
    uint16_t bindings;
    uint8_t scales;
    uint8_t reports;
    uint8_t targets;
    bool uses_ids;
    bool shares_input; /* another device is attached to an input of it */
    bool owes;         /* a light or a motor has changed */
} yt_attached;

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number);
yt_binding *yt_attached_bindings(yt_attached *device);
yt_scale *yt_attached_scales(yt_attached *device);
yt_bound_report *yt_attached_reports(yt_attached *device);
yt_target *yt_attached_targets(yt_attached *device);

/* Takes a device's block out of the memory; those behind it move up. */
void yt_attached_remove(yt_engine *engine, unsigned number);

/* Takes the values out of a report and tells the evaluator what changed. */
void yt_engine_take_report(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size);

/* A device that leaves is at rest: its switches are up, its axes in the middle. */
void yt_engine_let_go(yt_engine *engine, yt_attached *device);

/* Switches that are on read as up until they are pressed anew. */
void yt_engine_mute(yt_engine *engine, yt_attached *device);

/* The raw number of an axis or a level that is wider than a value, where its range is `range`.
 * False: there is none, or several devices say different things. */
bool yt_engine_raw_number(const yt_engine *engine, unsigned control, const yt_program_range *range,
                          int32_t *number);

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
