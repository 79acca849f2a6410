/* Raw numbers of a field to values, and back, without a division for each report.
 *
 * A scale is piecewise about its rest: below it the minimum is -1 (a level has nothing there),
 * above it the maximum is 1. The two divisions are done once, in yt_scale_make. Results are within
 * one step of 1/65536 of the exact quotient; rest gives exactly 0 and both ends exactly 1. */
#ifndef YONDER_SIGNAL_SCALE_H
#define YONDER_SIGNAL_SCALE_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/value.h"

typedef struct yt_scale {
    int64_t minimum;
    int64_t rest;
    int64_t maximum;
    yt_scale_side below;
    yt_scale_side above;
} yt_scale;

/* The rest of an axis that states none: 0 if its range is signed, else the middle, rounded up. */
int64_t yt_scale_rest(int64_t minimum, int64_t maximum);

/* Needs minimum <= rest <= maximum, all within 32 bits (signed or not). */
void yt_scale_make(yt_scale *scale, int64_t minimum, int64_t rest, int64_t maximum);

/* A rate: what a count is, in 1 / 2^24 of its unit. Values beyond 32,767 saturate. */
void yt_scale_make_rate(yt_scale *scale, int64_t minimum, int64_t rest, int64_t maximum,
                        int32_t unit_q24);

/* The one side of a span, from 1 to 2^32: what distance gives it 1; and what a distance gives. */
yt_scale_side yt_scale_side_of(int64_t span);
yt_q16 yt_scale_share(yt_scale_side side, uint32_t distance);

/* 2^bits / span, rounded up. Needs a span of 1 to 2^32 and a result below that. */
uint32_t yt_power_by(unsigned bits, uint64_t span);

bool yt_scale_equals(const yt_scale *a, const yt_scale *b);

/* A number of the field as a value; numbers outside of the range count as its end. */
yt_q16 yt_scale_value(const yt_scale *scale, int64_t number);

/* The number of a value: rest at 0, maximum at 1, minimum at -1; to the nearest, halves away from
 * rest. Values beyond count as the end. Needs minimum <= rest <= maximum. */
int32_t yt_scale_number(yt_q16 value, int32_t minimum, int32_t rest, int32_t maximum);

#endif
