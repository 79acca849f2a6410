/* What the files of gathering share: numbers of reports, sums, and each kind's own part of it. */
#ifndef YONDER_CALIBRATION_GATHER_H
#define YONDER_CALIBRATION_GATHER_H

#include "yonder/calibration.h"

#define YT_WHOLE_RANGE 16384    /* the end of a range, of positions while they are gathered */
#define YT_HOLD_US     20000u   /* a part that says nothing for so long has not moved */
#define YT_PAUSE_US    1000000u /* but after so long it cannot be told */

/* How many controls a kind has; 0: there is no such kind. */
unsigned yt_calibration_count(unsigned kind);

/* Whether a part makes sense: its kind, its places, its ranges. */
bool yt_calibration_part_is_good(const yt_calibration_part *part);

/* A number that a control told, within its range; false: it is outside, and says nothing. */
bool yt_calibration_within(const yt_calibration_part *part, unsigned control, int64_t number,
                           int32_t *raw);

/* The raw number of a control, of a report without its ID; false: it says nothing. `size` is enough
 * for all places of the part (yt_calibration_part_bytes). */
bool yt_calibration_raw(const yt_calibration_part *part, unsigned control, const uint8_t *bytes,
                        size_t size, int32_t *raw);

/* How many bytes a report has at least, without its ID. */
size_t yt_calibration_part_bytes(const yt_calibration_part *part);

/* Of a range, from its minimum on: what a raw number is, 0 to 1. */
yt_scale_side yt_calibration_side(const yt_calibration_place *place);

/* To the nearest; `by` is not 0. Bit by bit, as small processors have no division. */
int32_t yt_quotient(int64_t number, uint32_t by);

/* The middle one; of an even count the mean of both. At most 16. */
int16_t yt_median(const int16_t *numbers, unsigned count, unsigned apart);

void yt_still_begin(yt_still *still, const int16_t *at, uint32_t now_us);

/* A position at a time. True: a window of `window_us` is over in which nothing went further than
 * `most`; `mean` and the farthest way from lowest to highest then tell of it, and the next one
 * begins. `*moved`: it went further, and the window began anew. */
bool yt_still_give(yt_still *still, unsigned axes, const int16_t *at, uint32_t now_us,
                   uint32_t window_us, int most, int16_t *mean, uint16_t *spread, bool *moved);

/* What a kind of calibration does. A position of a stick or a line is in 1 / 16384, of motion in
 * counts. The end of it is the record's own part, when the rest is done; false: it makes no sense.
 */
typedef struct yt_gathering_calls {
    uint8_t first, last; /* kinds */
    void (*take)(yt_calibrating *gathering, const int16_t *at, uint32_t now_us);
    void (*tell)(const yt_calibrating *gathering, yt_calibration_news *news);
    bool (*end)(const yt_calibrating *gathering, yt_calibration *record);
} yt_gathering_calls;

yt_status yt_gather_begin(yt_calibrating *gathering, const yt_calibration_part *part,
                          const yt_gathering_calls *calls);

/* Of a stick: from what was gathered to its knots. */
bool yt_stick_knots(const yt_calibrating *gathering, yt_calibration *record);

/* What a stick's spring does, where that is asked for; positions are from its rest. */
typedef struct yt_spring_calls {
    void (*give)(yt_spring_finder *springs, int x, int y, uint32_t now_us);
    bool (*found)(const yt_spring_finder *springs, uint16_t *frequency, uint16_t *damping);
} yt_spring_calls;

/* Where a stick rests, by what was seen so far; its middle until then. */
void yt_stick_rest(const yt_calibrating *gathering, int16_t rest[2]);

/* A point of a rim or a notch, in 1 / 16384, to 1 / 2048. */
bool yt_unpacked(const uint8_t packed[3], int16_t point[2]);
void yt_packed(uint8_t packed[3], const int32_t point[2]);

/* The point of a sector that counts: that of its passes which is neither nearest nor farthest.
 * False: it was not passed often enough, or never the same way twice. */
bool yt_rim_point(const yt_calibrating *gathering, unsigned sector, const int16_t rest[2],
                  int16_t point[2]);

/* Whether the notches that were seen can be those of the gate: an advice. `where`: degrees from
 * straight up at which one is missing or wrong; untouched where all are right. */
uint8_t yt_judged_notches(const yt_calibrating *gathering, const int16_t rest[2], int16_t *where);

/* How far it is, in 1 / 65536, and its angle from straight up, clockwise, of two in 1 / 16384. */
yt_q16 yt_direction_of(int x, int y, yt_q16 *length);

/* What lies between two knots, 2^47 by it, for yt_calibration_knot; 0: they are too near, in the
 * wrong order, or half a turn apart. */
uint32_t yt_knot_inverse(const yt_calibration_knot *knot, const yt_calibration_knot *next);

#endif
