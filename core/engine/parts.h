/* What the files of the engine share. */
#ifndef YONDER_ENGINE_PARTS_H
#define YONDER_ENGINE_PARTS_H

#include "engine/queue.h"
#include "program/evaluate.h"
#include "signal/scale.h"
#include "yonder/engine.h"
#include "yonder/hid.h"

/* Where a device keeps a control of the program, and what it says of it now. */
typedef struct yt_binding {
    uint16_t control; /* of the program */
    uint16_t bit;     /* the place in the report, behind the ID */
    uint16_t count;   /* elements, if it is an array */
    uint8_t bits;
    uint8_t report_id;
    uint8_t flags;   /* YT_BINDING_… */
    uint8_t scale;   /* of an axis or a level: index into the scales */
    uint32_t number; /* in an array: the number that stands for it; of motion: 0; else the raw bits
                        last seen */
    yt_q16 value;
} yt_binding;

#define YT_BINDING_ARRAY  1u
#define YT_BINDING_SIGNED 2u
#define YT_BINDING_NULL   4u /* numbers outside the range mean that there is no value */
#define YT_BINDING_MOTION 8u
#define YT_BINDING_SCALED 16u
#define YT_BINDING_KEYS   32u /* an array on the keyboard page: 1 to 3 tell of an error */

/* The bindings of one report ID, and how long its reports are. */
typedef struct yt_bound_report {
    uint16_t first;
    uint16_t count;
    uint16_t bytes; /* without the ID */
    uint8_t id;
    uint8_t reserved;
} yt_bound_report;

/* A device that is attached: this, then its scales, bindings and reports. Blocks stand behind one
 * another in the engine's memory; when one goes, those behind it move up. */
typedef struct yt_attached {
    uint32_t bytes;
    uint16_t bindings;
    uint8_t scales;
    uint8_t reports;
    uint8_t input;
    bool uses_ids;
    bool shares_input; /* another device is attached to the same input */
    uint8_t reserved[5];
} yt_attached;

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number);
yt_binding *yt_attached_bindings(yt_attached *device);
yt_scale *yt_attached_scales(yt_attached *device);
yt_bound_report *yt_attached_reports(yt_attached *device);

/* Takes a device's block out of the memory; those behind it move up. */
void yt_attached_remove(yt_engine *engine, unsigned number);

/* Takes the values out of a report and tells the evaluator what changed. */
void yt_engine_take_report(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size);

/* A device that leaves is at rest: its switches are up, its axes in the middle. */
void yt_engine_let_go(yt_engine *engine, yt_attached *device);

/* One switch field's change, in the order in which it happened. */
typedef struct yt_change {
    uint8_t field;
    uint8_t number; /* what the field is to hold */
} yt_change;

/* What one output has to tell the host. */
typedef struct yt_sending {
    const yt_output_layout *layout;
    uint64_t armed_us;         /* when the report that the host has not taken was built */
    uint64_t taken_us;         /* when the host took the last one */
    uint64_t waiting_since_us; /* since when motion waits that did not fit; YT_NEVER: none does */
    uint32_t pairs_dropped;
    uint64_t motion_dropped;
    uint32_t view;    /* the number of the view that was told last */
    uint32_t touched; /* axes and motion fields that changed since the last report, a bit each */
    uint8_t shown[YT_OUTPUT_REPORT_BYTES]; /* the last report, motion 0 */
    yt_change changes[YT_CHANGES];
    uint8_t change_count;
    uint8_t view_begin; /* the first change of that view */
    bool armed;
    uint8_t reserved[5];
    int64_t fields[]; /* switches: present value; axes: value; motion: what is owed, in Q16 */
} yt_sending;

size_t yt_sending_bytes(const yt_output_layout *layout);
void yt_sending_begin(yt_sending *sending, const yt_output_layout *layout);

/* Tells of a control's value. All that is told with the same number is one view: a hat changes at
 * once, not part by part. */
void yt_sending_tell(yt_sending *sending, unsigned control, yt_q16 value, uint32_t view,
                     uint64_t now_us, uint32_t wait_us);

/* The host has taken the report. Where it left it for longer than `wait_us`, nobody was there to
 * see what moved meanwhile, and that motion is dropped. */
void yt_sending_taken(yt_sending *sending, uint64_t now_us, uint32_t wait_us);

/* Whether there may be something for the host, and it may be sent. */
static inline bool yt_sending_is_ready(const yt_sending *sending) {
    return !sending->armed && (sending->change_count || sending->touched);
}

size_t yt_sending_report(yt_sending *sending, uint8_t *bytes, size_t size, uint64_t now_us,
                         uint32_t wait_us);

uint32_t yt_port_wait_us(const yt_port *port);

#endif
