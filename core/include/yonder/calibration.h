/* Calibration: what one physical stick, trigger or gyro is like, apart from any profile.
 *
 * A calibration is a record of bytes that the caller keeps. It is gathered from a part's reports
 * while somebody moves it, bound to that part, and from then on corrects what comes from it, in the
 * engine, before any formula sees it:
 *
 *     yt_calibration_part part = {.kind = YT_CALIBRATION_STICK};
 *     yt_calibration_part_of(&part, &device);                 // which device it is
 *     yt_calibration_find(&part, &engine, number, controls);  // and which of its controls
 *     yt_calibrating_begin(&gathering, &part, 0);
 *     yt_calibrating_report(&gathering, bytes, size, now_us); // each report while it moves
 *     yt_calibrating_tell(&gathering, &news);                 // for a light or a display
 *     if (yt_calibrating_end(&gathering, &record) == YT_OK)   // keep record.bytes bytes of it
 *         yt_engine_calibrate(&engine, number, &calibrated, &record, record.bytes);
 *
 * A record is little-endian, and is read where it stands, so it may stay in flash; it must begin at
 * an address that four divides. It is looked through before it is used: one that is torn, of
 * another version or absurd is refused, and the part works as if it had none.
 *
 * Positions are of a field's whole range: its middle is 0, its ends are -1 and 1. */
#ifndef YONDER_CALIBRATION_H
#define YONDER_CALIBRATION_H

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_CALIBRATION_MAGIC    0x4c435459u /* "YTCL" */
#define YT_CALIBRATION_VERSION  1
#define YT_CALIBRATION_CONTROLS 3
#define YT_CALIBRATION_NOTCHES  16
#define YT_CALIBRATION_KNOTS    48

/* What is calibrated. The numbers are stored in records. */
typedef enum yt_calibration_kind {
    YT_CALIBRATION_STICK = 1,    /* two axes, with a rest and a rim */
    YT_CALIBRATION_AXIS,         /* an axis, with a rest and two ends */
    YT_CALIBRATION_LEVEL,        /* a trigger, a pedal, a key's depth: a rest and a full */
    YT_CALIBRATION_GYRO,         /* three rates */
    YT_CALIBRATION_ACCELEROMETER /* three axes that tell which way is down */
} yt_calibration_kind;

/* Where a control's number stands in its report: as in yt_hid_field. */
typedef struct yt_calibration_place {
    int32_t minimum, maximum; /* raw numbers; those outside count as the end */
    uint16_t bit;             /* behind the report ID */
    uint8_t bits;
    uint8_t report_id; /* 0: its reports have none */
} yt_calibration_place;

/* A part: its device, and which of its controls. A device is known by its vendor, product and
 * serial number; without a serial number, by the connector that it is plugged into; a board's part,
 * by the board's name. */
typedef struct yt_calibration_part {
    uint16_t vendor, product;
    uint32_t serial;   /* CRC-32 of its serial number, or of a board's name; 0: it has none */
    uint8_t bus;       /* yt_bus */
    uint8_t connector; /* 0: not known, or it does not matter */
    uint8_t kind;      /* yt_calibration_kind */
    uint8_t flags;     /* YT_CALIBRATION_… */
    int32_t unit_q24;  /* of rates: degrees a second for a count, in 1 / 2^24; else 0 */
    yt_calibration_place places[YT_CALIBRATION_CONTROLS];
} yt_calibration_part;

#define YT_CALIBRATION_SIGNED 1u  /* of the first control; twice, four times that of the others */
#define YT_CALIBRATION_NULL   16u /* numbers outside of a range say nothing (HID 1.11, 6.2.2.5) */
#define YT_CALIBRATION_FREE   8u  /* an axis with no spring: it stays where it is put */

/* A direction of a stick: where its rim is, and what that is to be. What is between two of them is
 * between them in the result. In the order of the angles, clockwise from straight up. */
typedef struct yt_calibration_knot {
    int16_t x, y;         /* from its rest, in 1 / 8192 */
    int16_t out_x, out_y; /* in 1 / 16384 */
    uint32_t inverse;     /* 2^47 / (x * the next y - y * the next x) */
} yt_calibration_knot;

/* A record. Behind its head stand `knots` knots and no more. */
typedef struct yt_calibration {
    uint32_t magic;
    uint32_t checksum; /* CRC-32 (IEEE 802.3) of all behind it */
    uint16_t bytes;    /* of the whole record */
    uint8_t version;
    uint8_t knots; /* of a stick; else 0 */
    yt_calibration_part part;
    /* stick: rest, in 1 / 65536, and low and high 0
     * axis: raw numbers; level: raw numbers, low 0, and high its full, which may be below rest
     * gyro: rest in 1 / 256 of a count, low 0, and high what counts are to be times, in 1 / 65536
     * accelerometer: rest and what gravity makes of it (high), in 1 / 256 of a count; high 0: not
     * known */
    int32_t rest[YT_CALIBRATION_CONTROLS];
    int32_t low[YT_CALIBRATION_CONTROLS];
    int32_t high[YT_CALIBRATION_CONTROLS];
    uint16_t noise;     /* at rest, from the lowest to the highest, in 1 / 16384; a gyro: counts */
    uint16_t notches;   /* of a stick's gate; 0: it has none, or they were not asked for */
    uint16_t frequency; /* of its spring, in 1 / 100 Hz; 0: not known */
    uint16_t damping;   /* in 1 / 10000 */
    yt_calibration_knot knot[YT_CALIBRATION_KNOTS];
} yt_calibration;

/* Of a record without knots. */
#define YT_CALIBRATION_HEAD_BYTES                                                                  \
    (sizeof(yt_calibration) - YT_CALIBRATION_KNOTS * sizeof(yt_calibration_knot))

/* Looks a record through: it may come from anywhere. YT_CALIBRATION_FOREIGN: it is none, or it is
 * cut short. YT_CALIBRATION_NEWER: of a version that is not known here. YT_CALIBRATION_CHECKSUM: it
 * was changed. YT_CALIBRATION_VALUES: its numbers are out of order, its range is empty, or its rest
 * is absurd. YT_ARGUMENT: its address is not divided by four. */
YT_MUST_USE yt_status yt_calibration_check(const void *record, size_t size);

/* Whether two parts are one: the same device as far as can be known, and the same controls. */
bool yt_calibration_is_of(const yt_calibration_part *a, const yt_calibration_part *b);

/* Whether a part is one of that device, as far as can be known. */
bool yt_calibration_is_on(const yt_calibration_part *part, const yt_device *device);

/* Writes into a part which device it is of. */
void yt_calibration_part_of(yt_calibration_part *part, const yt_device *device);

/* Writes into a part, whose kind is set, where its controls stand on a device that is attached:
 * `controls` are the program's numbers of them, of a stick x and y, of a gyro or an accelerometer
 * x, y and z. YT_ARGUMENT: there is no such device or kind. YT_NO_MATCH: the device has them not,
 * or not in one report, or not as this kind needs them. */
YT_MUST_USE yt_status yt_calibration_find(yt_calibration_part *part, const yt_engine *engine,
                                          unsigned number, const uint16_t *controls);

/* A range that somebody wrote down is about that of a part: real numbers may go beyond it, by a
 * quarter on each side, as far as the bits allow. yt_calibration_find does that where a description
 * says the range. */
void yt_calibration_widen(yt_calibration_part *part, unsigned control);

/* ---- using it ---- */

/* A calibration in use. The caller's memory, which must stay until the device is detached, another
 * program is loaded or yt_engine_uncalibrate; then it is free. */
typedef struct yt_calibrated {
    struct yt_calibrated *next;
    const struct yt_calibrated_calls *calls; /* what the engine calls; else it is not linked */
    const yt_calibration *record;
    uint8_t number;                          /* of the device */
    uint8_t half;                            /* of the knots: the first that points to the left */
    uint16_t group[YT_CALIBRATION_CONTROLS]; /* of the device; UINT16_MAX: nothing reads it */
    uint16_t samples;                        /* of the window in which its rest is judged */
    int32_t raw[YT_CALIBRATION_CONTROLS];    /* as they were told last */
    yt_q16 value[YT_CALIBRATION_CONTROLS];   /* and what that comes to */
    yt_scale_side above[YT_CALIBRATION_CONTROLS];
    yt_scale_side below[YT_CALIBRATION_CONTROLS];
    int32_t drift[YT_CALIBRATION_CONTROLS]; /* how far its rest moved since; as `rest` */
    uint32_t since_us;
    int32_t sum[YT_CALIBRATION_CONTROLS];
    int32_t low[YT_CALIBRATION_CONTROLS], high[YT_CALIBRATION_CONTROLS];
} yt_calibrated;

/* Uses a record for a device that is attached, in place of one that was in use for the same
 * controls. What comes from them is corrected from now on, and so is what they told last. `record`
 * must stay where it is. Any status but YT_OK, those of yt_calibration_check among them, leaves all
 * as it was. YT_ARGUMENT: there is no such device. YT_CALIBRATION_PART: the device has not the
 * controls that the record tells of, or the program reads none of them; which device it is, the
 * caller asks (yt_calibration_is_of). */
YT_MUST_USE yt_status yt_engine_calibrate(yt_engine *engine, unsigned number,
                                          yt_calibrated *calibrated, const yt_calibration *record,
                                          size_t size);

/* Ends the use of a calibration: what its device told last counts again as it is. Nothing happens
 * if it is not in use. To undo one, use the record before, or the firmware's own, in its place. */
void yt_engine_uncalibrate(yt_engine *engine, yt_calibrated *calibrated);

/* The same without an engine, for tools, and for a firmware that has none: what a record makes of
 * raw numbers, x, y and z in their order, each within its place's range, is in `value` then: of
 * sticks and axes -1 to 1, of levels 0 to 1, of rates in their unit. The statuses are those of
 * yt_calibration_check. */
YT_MUST_USE yt_status yt_calibrated_begin(yt_calibrated *calibrated, const yt_calibration *record,
                                          size_t size);
void yt_calibrated_take(yt_calibrated *calibrated, const int32_t *raw, uint64_t now_us);

/* ---- gathering it ---- */

/* What a person is to do next, or what is wrong. X(name, text) */
#define YT_CALIBRATION_ADVICE(X)                                                                   \
    X(DONE, "enough was seen")                                                                     \
    X(SILENT, "nothing came from it yet")                                                          \
    X(LET_GO, "let go of it, and leave it alone for a moment")                                     \
    X(TURN, "turn it around along its rim, slowly, several times")                                 \
    X(REST_IN_NOTCHES, "rest in each notch for a second")                                          \
    X(PRESS, "press it all the way and let go, three times")                                       \
    X(GO_TO_ENDS, "move it to each end and back, three times")                                     \
    X(LAY_DOWN, "lay it down and leave it alone for five seconds")                                 \
    X(SIX_SIDES, "lay it on each of its six sides, and leave it alone for a second")               \
    X(SHAKEN, "it was moved: it cannot be told what is rest")                                      \
    X(HARDLY_MOVES, "it hardly moves: less than a twentieth of its range was seen")                \
    X(FAR_CENTRE, "it rests too far from the middle of what it reaches")                           \
    X(UNEVEN, "its rim was another one each time it went round")                                   \
    X(NOTCH_MISSING, "a notch is missing: no rest was seen where one must be")                     \
    X(NOTCH_TWICE, "two rests are too near to each other for two notches")                         \
    X(NOTCH_TOO_MANY, "there were rests in more places than it has notches")                       \
    X(NOTCH_PLACE, "a rest is where no notch can be")                                              \
    X(ABSURD, "it stands still at a rate that no gyro has at rest")

/* See YT_CALIBRATION_ADVICE; from YT_ADVICE_SHAKEN on something is wrong. */
typedef enum yt_advice {
#define YT_ADVICE_NAME(name, text) YT_ADVICE_##name,
    YT_CALIBRATION_ADVICE(YT_ADVICE_NAME)
#undef YT_ADVICE_NAME
        YT_ADVICE_COUNT
} yt_advice;

/* How far a calibration is that is being gathered. */
typedef enum yt_calibrating_state {
    YT_CALIBRATING_WAITS,   /* for a first report */
    YT_CALIBRATING_GATHERS, /* `percent` of what is needed was seen */
    YT_CALIBRATING_ENOUGH,  /* more makes it better, but it may end */
    YT_CALIBRATING_FAILED   /* it cannot become one as it is: begin again, or mend what is said */
} yt_calibrating_state;

#define YT_CALIBRATION_SECTORS 32 /* directions of a rim: 0 is up, then clockwise */

/* For lights and displays. */
typedef struct yt_calibration_news {
    uint8_t state;      /* yt_calibrating_state */
    uint8_t advice;     /* yt_advice */
    uint8_t percent;    /* of all that is needed, 0 to 100 */
    uint8_t notches;    /* that were seen */
    uint16_t gaps;      /* pauses of more than a second between reports */
    uint16_t backwards; /* reports whose time was before that of the last one */
    uint32_t covered;   /* stick: a bit for each direction of its rim that is known; axis: 1 low, 2
                           high; level: 2 full; gyro: 1 its rest, 2, 4 and 8 the axes that were
                           turned; accelerometer: 1, 2, 4 its axes pointing up, 8, 16, 32 down */
    uint32_t begun;     /* of a stick, that were passed, but not as often as is needed */
    int16_t at[YT_CALIBRATION_CONTROLS];   /* where it is, in 1 / 16384; of a gyro in counts */
    int16_t rest[YT_CALIBRATION_CONTROLS]; /* where it rests, as far as that is known */
    int16_t notch_missing; /* degrees, clockwise from up, where a notch is missing or wrong; else -1
                            */
    uint16_t let_gos;      /* that the spring was measured by */
} yt_calibration_news;

/* Whether a part stands still: the numbers of a window of time. */
typedef struct yt_still {
    uint32_t since_us, last_us;
    int32_t sum[YT_CALIBRATION_CONTROLS];
    int16_t last[YT_CALIBRATION_CONTROLS];
    int16_t low[YT_CALIBRATION_CONTROLS], high[YT_CALIBRATION_CONTROLS];
    uint16_t count;
} yt_still;

#define YT_CALIBRATING_RESTS 10
#define YT_SPRING_SAMPLES    64
#define YT_SPRING_LET_GOS    15

/* What a stick's spring does when it is let go, found out beside the rest (yt_calibrating_spring).
 */
typedef struct yt_spring_finder {
    const struct yt_spring_calls *calls; /* else it is not linked */
    int16_t way[YT_SPRING_SAMPLES]; /* from where it was held, towards its rest, in 1 / 16384 */
    uint8_t count;
    uint8_t state;
    uint8_t found, next;
    int16_t held[2];
    uint32_t held_us;
    uint32_t begun_us, last_us;
    uint16_t frequency[YT_SPRING_LET_GOS];
    uint16_t damping[YT_SPRING_LET_GOS];
} yt_spring_finder;

/* A calibration that is being gathered. The caller's memory. */
typedef struct yt_calibrating {
    const struct yt_gathering_calls *calls; /* of its kind; others need not be linked */
    yt_calibration_part part;
    yt_still still;
    yt_spring_finder *springs;
    uint16_t gaps, backwards;
    uint16_t noise;
    bool has_begun;
    uint8_t failed;         /* yt_advice */
    uint8_t rests, next;    /* of `rest` */
    uint8_t in_one;         /* windows since it moved last, */
    uint8_t windows;        /* and all of them; up to 3 */
    uint8_t notches_wanted; /* of its gate */
    union {
        struct {
            int16_t rest[YT_CALIBRATING_RESTS][2];
            uint8_t rim[YT_CALIBRATION_SECTORS][3][3]; /* points, packed; all 0: none */
            uint8_t notch[YT_CALIBRATION_NOTCHES][3];
            int16_t before[2]; /* the last window of time in which it stood still far out */
            uint8_t notches;
            uint8_t sector, came; /* it is in now, and which way it came into it */
            uint8_t has_before;
            uint16_t passing; /* samples of this pass, */
            int32_t sum[2];   /* and their sum */
        } stick;
        struct {
            int16_t rest[YT_CALIBRATING_RESTS];
            int16_t end[2][3]; /* how far out it went, low and high */
            uint8_t ends[2];
            uint8_t is_out; /* 1: low, 2: high */
            uint8_t seen;
            int16_t past[2];
            int16_t farthest;
            int16_t lowest, highest;
        } line;
        struct {
            int64_t turned[3]; /* counts times microseconds, since it stood still */
            uint32_t turned_us;
            int32_t sum[3]; /* of all windows in which it stood still, */
            uint32_t samples;
            int16_t mean[3]; /* what they were about, */
            int16_t spread;  /* and how far from lowest to highest */
            uint32_t last_us;
            int16_t last[3];
            uint32_t still_us; /* the end of the last window in which it stood still */
            uint8_t windows;   /* in which it stood still, in a row */
            uint8_t known;     /* as yt_calibration_news.covered */
            int32_t factor[3]; /* of its axes, in 1 / 65536; 0: not turned */
            int16_t up[3], down[3];
        } motion;
    } as;
} yt_calibrating;

/* Begins for a part whose places are known. `notches`: of a stick's gate, 4 to 16; 0: it has none,
 * or they do not matter. YT_ARGUMENT: the part or the number makes no sense. */
YT_MUST_USE yt_status yt_calibrating_begin(yt_calibrating *gathering,
                                           const yt_calibration_part *part, unsigned notches);

/* The same for one kind of part each, so that a firmware links no other. */
YT_MUST_USE yt_status yt_calibrating_stick(yt_calibrating *gathering,
                                           const yt_calibration_part *part, unsigned notches);
YT_MUST_USE yt_status yt_calibrating_line(yt_calibrating *gathering,
                                          const yt_calibration_part *part);
YT_MUST_USE yt_status yt_calibrating_motion(yt_calibrating *gathering,
                                            const yt_calibration_part *part);

/* Measures a stick's spring too, in the caller's memory; let it go a dozen times. */
void yt_calibrating_spring(yt_calibrating *gathering, yt_spring_finder *springs);

/* A report of the device, with its ID in front where it uses IDs; others than the part's are left
 * out. `now_us` is when it came. */
void yt_calibrating_report(yt_calibrating *gathering, const uint8_t *bytes, size_t size,
                           uint64_t now_us);

/* How far it is, and what is to be done. */
void yt_calibrating_tell(const yt_calibrating *gathering, yt_calibration_news *news);

/* Makes the record, of which `record->bytes` bytes are to be kept. YT_CALIBRATION_UNFINISHED: too
 * little was seen, or what was seen makes no sense; yt_calibrating_tell says why. What stands in
 * `record` then is no calibration. */
YT_MUST_USE yt_status yt_calibrating_end(const yt_calibrating *gathering, yt_calibration *record);

/* What was found of a spring: its frequency in 1 / 100 Hz and its damping in 1 / 10000. False:
 * fewer than three let-gos were seen whole. */
bool yt_spring_found(const yt_spring_finder *springs, uint16_t *frequency, uint16_t *damping);

#ifdef __cplusplus
}
#endif

#endif
