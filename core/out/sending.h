/* What one report has to tell its host: switches in the order in which they changed, then axes,
 * levels and motion.
 *
 * A switch on its way to the host:
 *
 *     changes (held) --> waits in the list, once or several times --> is in a report (told)
 *
 * A report takes the longest run of the list in which nothing changes twice, so a tap shorter than
 * the host's interval is still a press and a release. */
#ifndef YONDER_OUT_SENDING_H
#define YONDER_OUT_SENDING_H

#include "host/endpoint.h"
#include "yonder/engine.h"

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
#define YT_LISTED                                                                                  \
    8u /* it leads one, and the last of those turns it on; of no interest for hats                 \
        */

/* An axis, a level or motion of a report, by the root's kind. */
typedef union yt_analog {
    yt_q16 value; /* of an axis, a level: what it is */
    int32_t raw;  /* the same, where its bit in `raw` is set: a number that is copied as it is */
    int64_t owed; /* of motion: what was not sent, in Q16 */
} yt_analog;

/* Behind it stand its axes, levels and motion, then `report->bytes` bytes of what was told last,
 * motion at rest, then a byte for each switch. */
typedef struct yt_sending {
    const yt_program_report *report;
    const yt_program_root *roots;
    yt_endpoint *endpoint;
    const uint8_t *rest; /* the report with nothing on */
    uint8_t *shown;      /* the report as it was told last */
    uint8_t *known;      /* of each switch */
    uint8_t change_count;
    uint8_t view_begin; /* the first change of the view that was told last */
    bool is_over;       /* switches changed that the list had no room for */
    bool fresh;         /* the host is to get a report, even with nothing new */
    uint32_t touched;   /* axes, levels and motion that changed since the last report, a bit each */
    uint32_t raw;       /* those whose value is a raw number that is copied */
    uint32_t view;      /* the number of the view that was told last */
    uint32_t since_us;  /* since when motion waits that did not fit */
    bool waits;         /* there is such motion */
    uint8_t sent_count; /* changes in the report that was built last, behind the list */
    bool sent_lost;     /* …but they were overwritten */
    uint8_t filled;     /* 1 + the index of what fills itself in it; 0: nothing does */
    yt_change changes[YT_CHANGES];
    uint32_t pairs_dropped;
    uint32_t built; /* how often it was built with something new */
    uint64_t motion_dropped;
    yt_analog analogs[];
} yt_sending;

size_t yt_sending_bytes(const yt_program_report *report);
void yt_sending_begin(yt_sending *sending, const yt_program *program,
                      const yt_program_report *report, yt_endpoint *endpoint);

/* Each tells of the value of root `index` of the report. All that is told in one pass is one view:
 * a hat changes at once, not part by part. */
void yt_tell_switch(yt_engine *engine, yt_sending *sending, unsigned index, bool on);
void yt_tell_hat(yt_engine *engine, yt_sending *sending, unsigned index, bool on);
void yt_tell_motion(yt_engine *engine, yt_sending *sending, unsigned index, yt_q16 value);
void yt_tell_axis(yt_engine *engine, const yt_program_step *step, yt_q16 value);

/* A step that only copies an axis' or a level's raw number tells that again; any other does not. */
void yt_tell_finer(yt_engine *engine, const yt_program_step *step);

/* Motion that is owed is not to be sent any more. */
void yt_drop_motion(yt_sending *sending, int64_t *owed);
void yt_sending_drop_motion(yt_sending *sending);

/* Whole counts without their sign. */
uint32_t yt_owed_counts(int64_t owed);

/* Whether there may be something for the host. */
static inline bool yt_sending_is_ready(const yt_sending *sending) {
    return sending->change_count || sending->touched || sending->is_over || sending->fresh;
}

/* Puts as many changes as go into one report into what was told. True: it is another report then.
 */
bool yt_changes_put(yt_sending *sending);

/* What the last call put comes first in the list again, and what was told is as before it. False:
 * that is not known any more; nothing is done. */
bool yt_changes_take_back(yt_sending *sending);

/* The report that was built last was no host's: what it told is to be told anew. `bytes` are those
 * of it, without its ID. */
bool yt_sending_take_back(const yt_engine *engine, yt_sending *sending, const uint8_t *bytes);

/* Builds the report, without its ID, in `bytes`, which have room for it; 0: there is nothing new.
 */
size_t yt_sending_report(yt_engine *engine, yt_sending *sending, uint8_t *bytes, uint32_t now_us);

/* The report as it was told last, motion at rest, in the boot protocol or not. */
size_t yt_sending_state(const yt_engine *engine, const yt_sending *sending, bool boot,
                        uint8_t *bytes);

/* The boot report (HID 1.11, appendix B) of what was told; motion is 0. Returns its length, 0 for a
 * report that the boot protocol does not have. */
size_t yt_boot_report(const yt_sending *sending, uint8_t *bytes);

/* A boot mouse tells of less far, and of no wheels: what those owe goes. */
bool yt_boot_motion(yt_sending *sending, const yt_program_root *root, const yt_program_range *range,
                    int64_t *owed, uint8_t *bytes);

/* Takes from what is owed as many whole counts as there may be: `least` (below 0) to `most`. */
int32_t yt_pay_counts(int64_t *owed, int32_t least, int32_t most);

#endif
