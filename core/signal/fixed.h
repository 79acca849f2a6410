/* Fixed point: the one place where numbers are shifted as arithmetic.
 *
 * Q16.16 values saturate at 32 bits. Products round to the nearest step, halves up. */
#ifndef YONDER_SIGNAL_FIXED_H
#define YONDER_SIGNAL_FIXED_H

#include <stdint.h>

#include "yonder/value.h"

/* An arithmetic shift to the right: rounds towards minus infinity. C leaves the shift of a negative
 * number to the compiler; the compilers that we build with all shift arithmetically. */
_Static_assert((-3 >> 1) == -2, "this compiler does not shift negative numbers arithmetically");

static inline yt_q16 yt_q16_saturate(int64_t value) {
    if (value > INT32_MAX)
        return INT32_MAX;
    if (value < INT32_MIN)
        return INT32_MIN;
    return (yt_q16)value;
}

static inline yt_q16 yt_q16_add(yt_q16 a, yt_q16 b) {
    return yt_q16_saturate((int64_t)a + b);
}

static inline yt_q16 yt_q16_subtract(yt_q16 a, yt_q16 b) {
    return yt_q16_saturate((int64_t)a - b);
}

static inline yt_q16 yt_q16_multiply(yt_q16 a, yt_q16 b) {
    return yt_q16_saturate(((int64_t)a * b + 0x8000) >> 16);
}

static inline yt_q16 yt_q16_clamp(yt_q16 value, yt_q16 low, yt_q16 high) {
    return value < low ? low : value > high ? high : value;
}

/* Whole counts to Q16.16; beyond 32,767 counts they saturate. */
static inline yt_q16 yt_q16_from_counts(int64_t counts) {
    if (counts > INT16_MAX)
        return INT32_MAX;
    if (counts < INT16_MIN)
        return INT32_MIN;
    return (yt_q16)(counts * 65536);
}

#endif
