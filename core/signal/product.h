/* Products of which the upper half is wanted, for processors that only give the lower one.
 *
 * A Cortex-M0 multiplies 32 bits by 32 and keeps the lower 32 of the result; from halves of 16 bits
 * the upper ones take three of its multiplications. The fourth, of the lower halves, is left out:
 * what comes out is the same on every machine, and at most 3 below the exact upper half. */
#ifndef YONDER_SIGNAL_PRODUCT_H
#define YONDER_SIGNAL_PRODUCT_H

#include <stdint.h>

/* Inlined even where a compiler saves space: a call takes longer than the product. */
#if defined(__GNUC__)
__attribute__((always_inline))
#endif
static inline uint32_t
yt_upper_product(uint32_t a, uint32_t b) {
    uint32_t a_high = a >> 16, a_low = (uint16_t)a, b_high = b >> 16, b_low = (uint16_t)b;
    return a_high * b_high + (a_high * b_low >> 16) + (a_low * b_high >> 16);
}

#endif
