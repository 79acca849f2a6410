/* A device that is attached: where it keeps the controls of the program, and what it said last.
 *
 * Its block in the engine's memory: the head, then scales, targets, reports to it that fill
 * themselves, bindings, groups, reports, and what was kept of its last reports. Blocks stand behind
 * one another; when one goes, those behind it move up, so nothing points into them.
 *
 * The bytes of a report that hold controls are cut into groups. A group whose bytes are as in the
 * last report costs one comparison; else its bindings are looked at:
 *
 *     report of a keyboard      | modifiers |     | key  key  key  key  key  key |
 *     groups                    [bits       ]     [keys, an array                ]
 *     bindings of the program    shift            a, d, w, s, space
 *
 * What is rare (a first report, switches that are muted, several devices at one input) is looked at
 * in read_rarely.c, control by control, behind one test of `rare`.
 *
 * A binding of a switch. It is muted when the engine is told to let go of all (a cancel, another
 * program, a device that comes with a key held), so that nothing is pressed that nobody pressed:
 *
 *     muted: reads as up --a report in which it is up--> follows its device
 *       ^                                                     |
 *       +-------------------- cancel while it is down --------+ */
#ifndef YONDER_IN_DEVICE_H
#define YONDER_IN_DEVICE_H

#include "signal/scale.h"
#include "yonder/calibration.h"

/* How the bytes of a group are read. */
typedef enum yt_reading {
    YT_READ_BITS,   /* one byte of switches, a bit each */
    YT_READ_MOTION, /* a field that tells how far something moved */
    YT_READ_NUMBER, /* a field whose values follow from its range; also as a switch, from the middle
                     */
    YT_READ_HAT,
    YT_READ_ARRAY,  /* elements, each with the number of something that is on */
    YT_READ_KEYS,   /* an array of the keyboard page's usages: 1 to 3 tell of an error */
    YT_READ_SWITCH, /* a field of several bits that is on while it is not 0 */
    YT_READ_OFFSET, /* motion, told around a middle */
    YT_READ_ANGLE   /* motion: a knob that tells where it is, and goes round */
} yt_reading;

/* One control of the program, in its group. */
typedef struct yt_binding {
    uint16_t control; /* of the program */
    union {
        uint8_t shift;   /* YT_READ_BITS: its bit in the byte */
        uint8_t scale;   /* YT_READ_NUMBER, _OFFSET, _ANGLE: index into the scales */
        uint16_t number; /* an array: the number that stands for it, as raw bits */
        struct {
            uint8_t direction; /* 1 up, 2 right, 4 down, 8 left */
            uint8_t up;        /* the number that stands for up */
        } hat;
    } as;
    uint8_t flags;       /* YT_BINDING_… */
    bool twice : 1;      /* its control, a key, stands in other places of the device too */
    bool calibrated : 1; /* of a number: what it comes to is worked out in in/calibrated.c */
} yt_binding;

#define YT_BINDING_SIGNED 1u
#define YT_BINDING_NULL   2u   /* numbers outside the range mean that there is no value */
#define YT_BINDING_HALF   4u   /* of a number: a switch, on from the middle of its range on */
#define YT_BINDING_TURNED 8u   /* the other way round */
#define YT_BINDING_LEVEL  16u  /* of a number: from its minimum up */
#define YT_BINDING_MUTED  32u  /* a switch that reads as up until it was seen up */
#define YT_BINDING_WIDE   64u  /* more bits than a value has: its raw number can be copied */
#define YT_BINDING_FOUR   128u /* a hat of four positions; else it has eight */

/* A binding with where it stands, until it is put into a group. */
typedef struct yt_found {
    yt_binding binding;
    uint16_t bit; /* behind the report ID; of an array its first */
    uint8_t bits;
    uint8_t elements;
    uint8_t report_id;
    uint8_t reading;
    uint8_t reserved[4];
} yt_found;

typedef struct yt_bytes_group {
    uint16_t at;      /* its first byte, behind the report ID */
    uint16_t kept;    /* where the same bytes of the last report stand */
    uint16_t first;   /* its bindings; of an array by number */
    uint16_t count;   /* of them */
    uint8_t reading;  /* yt_reading */
    uint8_t shift;    /* of a field, an array: its first bit in the first byte, 0 to 7 */
    uint8_t bits;     /* of it, 1 to 32; of an array: of each element */
    uint8_t elements; /* of an array; else 1 */
} yt_bytes_group;

/* The groups of one report ID, and how long its reports are. */
typedef struct yt_bound_report {
    uint16_t first;
    uint16_t count;
    uint16_t bytes; /* without the ID */
    uint8_t id;
    bool fresh; /* none came yet */
} yt_bound_report;

/* A light or a motor of a device, and what it is to show. */
typedef struct yt_target {
    uint16_t target; /* of the program */
    uint16_t bytes;  /* of its report, without the ID */
    yt_place at;
    uint8_t direction; /* output or feature */
    bool is_motor;     /* a test pulse drives it */
    bool changed;      /* since its report was built last */
    uint8_t reserved;
    int32_t minimum;
    int32_t maximum;
    uint32_t raw;
} yt_target;

/* A report of a device that fills itself. */
typedef struct yt_filled {
    uint64_t due_us; /* it is to get it then; YT_NEVER: when something in it changes */
    uint32_t built;  /* how often it was built */
    uint16_t bytes;  /* without its ID */
    uint8_t filled;  /* of the program */
    uint8_t reserved;
} yt_filled;

typedef struct yt_attached {
    uint8_t rare; /* YT_RARE_…: each of its reports is looked at control by control */
    bool uses_ids;
    uint8_t scales, reports, targets;
    bool lights_changed; /* a light or a motor has changed */
    uint8_t filled;      /* reports that fill themselves */
    uint8_t reserved;
    uint16_t bindings, groups;
    uint16_t bindings_at, groups_at, reports_at, kept_at; /* in the block */
    uint32_t bytes;                                       /* of the whole block */
    uint32_t inputs;                                      /* that it was taken for, a bit each */
    uint32_t leads; /* sticks that follow this device and not another of the input, a bit each */
    uint64_t pulse_until_us; /* a test pulse drives its motors until then; 0: none does */
} yt_attached;

#define YT_RARE_SHARED 1u /* another device is attached to an input of it */
#define YT_RARE_MUTED  2u /* a switch may be muted */
#define YT_RARE_GONE   4u /* it leaves: all of it rests */

yt_attached *yt_attached_at(const yt_engine *engine, unsigned number);

static inline yt_scale *yt_attached_scales(yt_attached *device) {
    return (yt_scale *)(device + 1);
}
static inline yt_target *yt_attached_targets(yt_attached *device) {
    return (yt_target *)(yt_attached_scales(device) + device->scales);
}
static inline yt_filled *yt_attached_filled(yt_attached *device) {
    return (yt_filled *)(yt_attached_targets(device) + device->targets);
}
static inline yt_binding *yt_attached_bindings(yt_attached *device) {
    return (yt_binding *)((uint8_t *)device + device->bindings_at);
}
static inline yt_bytes_group *yt_attached_groups(yt_attached *device) {
    return (yt_bytes_group *)((uint8_t *)device + device->groups_at);
}
static inline yt_bound_report *yt_attached_reports(yt_attached *device) {
    return (yt_bound_report *)((uint8_t *)device + device->reports_at);
}
static inline uint8_t *yt_attached_kept(yt_attached *device) {
    return (uint8_t *)device + device->kept_at;
}

/* A device that arrives: what was found stands behind its targets, and all that is in use ends
 * there. It becomes bindings, groups and reports, with room for what is kept of them, at rest.
 * YT_MEMORY: there is no room. The reader has read the descriptor to its end. */
YT_MUST_USE yt_status yt_groups_make(yt_engine *engine, yt_attached *block,
                                     const yt_hid_reader *reader);

/* Takes a device's block out of the memory; those behind it move up. */
void yt_attached_remove(yt_engine *engine, unsigned number);

/* Takes the values out of a report and tells the evaluator what changed. */
void yt_device_read(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size);

/* The same, control by control: for what is rare, and for the tests, which compare. */
void yt_device_read_rarely(yt_engine *engine, yt_attached *device, yt_bound_report *report,
                           const uint8_t *bytes);

/* A device that leaves is at rest: its switches are up, its axes in the middle. */
void yt_device_let_go(yt_engine *engine, yt_attached *device);

/* Switches that are on read as up until they are pressed anew. */
void yt_device_mute(yt_engine *engine, yt_attached *device);

/* What a device says of a binding now: 0 where it rests, leaves, or the binding is muted. */
yt_q16 yt_device_says(const yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                      const yt_binding *binding);

/* What is called of calibrations that are in use; each has it, and it is one and the same. */
typedef struct yt_calibrated_calls {
    /* The controls of a report that are calibrated; the others have been read. */
    void (*read)(yt_engine *engine, unsigned number, uint8_t id, const uint8_t *bytes);
    /* What a calibrated binding comes to. */
    yt_q16 (*says)(const yt_engine *engine, yt_attached *device, const yt_bytes_group *group,
                   const yt_binding *binding);
} yt_calibrated_calls;

/* The raw number that a device told last of a binding whose values follow from a range. */
int64_t yt_device_number(yt_attached *device, const yt_bytes_group *group,
                         const yt_binding *binding);

/* A binding has another value: what its control is now follows from all devices that have it. */
void yt_device_combine(yt_engine *engine, yt_attached *device, const yt_binding *binding,
                       yt_q16 value);

/* The raw number of an axis or a level that is wider than a value, where its range is `range`.
 * False: there is none, or several devices say different things. */
bool yt_device_raw_number(const yt_engine *engine, unsigned control, const yt_program_range *range,
                          int32_t *number);

/* The bits of a field, from the bytes of its group: `shift` is 0 to 7, `bits` 1 to 32. */
static inline uint32_t yt_field_bits(const uint8_t *at, unsigned shift, unsigned bits) {
    unsigned end = shift + bits;
    uint32_t raw = at[0];
    if (end > 8)
        raw |= (uint32_t)at[1] << 8;
    if (end > 16)
        raw |= (uint32_t)at[2] << 16;
    if (end > 24)
        raw |= (uint32_t)at[3] << 24;
    raw >>= shift;
    if (end > 32) /* the field spans five bytes, so `shift` is not 0 */
        raw |= (uint32_t)at[4] << (32 - shift);
    return raw & (UINT32_MAX >> (32 - bits));
}

/* What a binding comes to in the bytes of its group; motion: how far it moved. */
yt_q16 yt_group_value(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                      const uint8_t *at);

/* The same of one kind of group each. */
yt_q16 yt_number_value(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                       const uint8_t *at);
bool yt_number_is_null(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                       const uint8_t *at);
bool yt_hat_is_on(const yt_bytes_group *group, const yt_binding *binding, const uint8_t *at);
/* How far a knob moved: off its middle; or since what was kept of it, the shorter way round. */
yt_q16 yt_turned_by(yt_attached *device, const yt_bytes_group *group, const yt_binding *binding,
                    const uint8_t *at);
/* Whether a number is outside of its range. */
bool yt_number_is_outside(yt_attached *device, const yt_bytes_group *group,
                          const yt_binding *binding, const uint8_t *at);
/* How far it moved; the `bits` of its raw number stand at the top of `top`. */
yt_q16 yt_motion_of(const yt_binding *binding, uint32_t top, unsigned bits);

/* Motion as it was told: more counts than a number holds are cut, which is counted. Only a field of
 * more than 16 bits can tell so many. */
yt_q16 yt_motion_told(yt_engine *engine, const yt_bytes_group *group, yt_q16 motion);

/* Element `index` of an array: its raw bits. */
uint32_t yt_array_element(const yt_bytes_group *group, const uint8_t *at, unsigned index);

/* On the keyboard page the first numbers of an array tell of an error: too many keys (1), a failed
 * test (2), undefined (3). The report then says nothing of the keys (HID 1.11, appendix C). */
bool yt_array_has_error(const yt_bytes_group *group, const uint8_t *at);
bool yt_array_holds(const yt_bytes_group *group, const uint8_t *at, uint32_t number);

/* How many bytes of the report a group is. */
static inline unsigned yt_group_bytes(const yt_bytes_group *group) {
    return (group->shift + (unsigned)group->elements * group->bits + 7) / 8;
}

/* Whether its controls are motion, which is no state. */
static inline bool yt_group_moves(const yt_bytes_group *group) {
    return group->reading == YT_READ_MOTION || group->reading >= YT_READ_OFFSET;
}

/* Whether a control reads as up when all is let go of, until it is pressed anew: one that formulas
 * take as a switch, and a key or a button that they take as a level. */
static inline bool yt_is_let_go(unsigned kind, unsigned reading) {
    return kind == YT_SWITCH || (reading >= YT_READ_HAT && reading <= YT_READ_SWITCH) ||
           reading == YT_READ_BITS;
}

/* How many of its bytes are kept. */
static inline unsigned yt_kept_bytes(const yt_bytes_group *group) {
    return yt_group_moves(group) && group->reading != YT_READ_ANGLE ? 0 : yt_group_bytes(group);
}

#endif
