/* Fixed point: the one place where numbers are shifted as arithmetic.
 *
 * Q16.16 values saturate at 32 bits. Products round to the nearest step, halves up. */
#ifndef YONDER_SIGNAL_FIXED_H
#define YONDER_SIGNAL_FIXED_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/value.h"

/* An arithmetic shift to the right: rounds towards minus infinity. C leaves the shift of a negative
 * number to the compiler; the compilers that we build with all shift arithmetically. */
#if (-3 >> 1) != -2
#error "This compiler does not shift negative numbers arithmetically."
#endif

static inline yt_q16 yt_q16_saturate(int64_t value) {
    if (value > INT32_MAX)
        return INT32_MAX;
    if (value < INT32_MIN)
        return INT32_MIN;
    return (yt_q16)value;
}

/* In 32 bits, which a Cortex-M0 does in half the time: a sum has gone over where both numbers have
 * the sign that it has not; a difference where neither its sign nor that of what is taken away is
 * the first number's. */
static inline bool yt_q16_sum_is_over(yt_q16 a, yt_q16 b) {
    uint32_t sum = (uint32_t)a + (uint32_t)b;
    return (((uint32_t)a ^ sum) & ((uint32_t)b ^ sum)) >> 31;
}

static inline bool yt_q16_difference_is_over(yt_q16 a, yt_q16 b) {
    uint32_t difference = (uint32_t)a - (uint32_t)b;
    return (((uint32_t)a ^ (uint32_t)b) & ((uint32_t)a ^ difference)) >> 31;
}

/* The end of the range on a number's side. */
static inline yt_q16 yt_q16_limit(yt_q16 a) {
    return a < 0 ? INT32_MIN : INT32_MAX;
}

static inline yt_q16 yt_q16_add(yt_q16 a, yt_q16 b) {
    return yt_q16_sum_is_over(a, b) ? yt_q16_limit(a) : (yt_q16)((uint32_t)a + (uint32_t)b);
}

static inline yt_q16 yt_q16_subtract(yt_q16 a, yt_q16 b) {
    return yt_q16_difference_is_over(a, b) ? yt_q16_limit(a) : (yt_q16)((uint32_t)a - (uint32_t)b);
}

#define YT_Q16_SMALL 0x800000 /* 128 */

static inline bool yt_q16_are_small(yt_q16 a, yt_q16 b) {
    return a >= -YT_Q16_SMALL && a < YT_Q16_SMALL && b >= -YT_Q16_SMALL && b < YT_Q16_SMALL;
}

/* Where both are small, the product is put together from halves in 32 bits; a Cortex-M0 takes a
 * third of the time for that which it takes for a product of 64 bits. The results are the same. */
static inline yt_q16 yt_q16_multiply(yt_q16 a, yt_q16 b) {
    if (yt_q16_are_small(a, b)) {
        int32_t a_high = a >> 16, b_high = b >> 16;
        uint32_t a_low = (uint16_t)a, b_low = (uint16_t)b;
        return a_high * b + (int32_t)a_low * b_high + (int32_t)((a_low * b_low + 0x8000) >> 16);
    }
    return yt_q16_saturate(((int64_t)a * b + 0x8000) >> 16);
}

/* The quotient, to the nearest step, halves away from 0; by 0 it saturates, but 0 / 0 is 0. Bit by
 * bit, since a Cortex-M0 has no division: 16 whole bits more than the numerator has. */
yt_q16 yt_q16_divide(yt_q16 a, yt_q16 b);

/* How far something goes in a time: `a` a second, for so many microseconds. What is left of 1/65536
 * is kept in `rest`, in millionths of that, from 0 to 999,999; so nothing is lost however a time is
 * parted. */
yt_q16 yt_q16_travel(yt_q16 a, uint32_t us, uint32_t *rest);

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

/* A signed raw number of 1 to 16 bits as counts in Q16.16. Its bits stand at the top; they go down
 * to where the counts are. */
static inline yt_q16 yt_q16_from_top(uint32_t top, unsigned bits) {
    return (yt_q16)top >> (16 - bits);
}

#endif
