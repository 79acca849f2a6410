/* How far something goes in a time: a product of 63 bits, divided by a million. */
#include "signal/fixed.h"

#define MILLION 1000000u

/* A division by 15,625, as a Cortex-M0 has none: a product with 2^45 / 15,625, rounded up. That is
 * too large by 4,925 / 2^45 of it, which is less than 1 / 15,625 for any number of 32 bits. */
static inline uint32_t by_15625(uint32_t number) {
    return (uint32_t)((uint64_t)number * UINT32_C(2251799814) >> 45);
}

/* A sum of millionths, as whole ones; `rest` is what is left. A million is 64 times 15,625: what
 * stands above the lowest 6 bits is divided in parts of 18 bits, each step in 32 bits; where the
 * sum is short the upper steps are left out. */
static uint64_t whole_of(uint64_t sum, uint32_t *rest) {
    uint64_t above = sum >> 6, whole = 0;
    uint32_t left = 0;
    for (unsigned shift = above >> 36 ? 54 : 18;; shift -= 18) {
        uint32_t part = left << 18 | ((uint32_t)(above >> shift) & 0x3ffff);
        uint32_t times = by_15625(part);
        whole = whole << 18 | times;
        left = part - times * 15625;
        if (shift == 0)
            break;
    }
    *rest = left << 6 | ((uint32_t)sum & 63);
    return whole;
}

yt_q16 yt_q16_travel(yt_q16 a, uint32_t us, uint32_t *rest) {
    uint64_t sum = (uint64_t)(a < 0 ? 0u - (uint32_t)a : (uint32_t)a) * us;
    if (a >= 0) {
        uint64_t whole = whole_of(sum + *rest, rest);
        return whole > INT32_MAX ? INT32_MAX : (yt_q16)whole;
    }
    if (sum <= *rest) {
        *rest -= (uint32_t)sum;
        return 0;
    }
    uint64_t whole = whole_of(sum - *rest + MILLION - 1, rest);
    *rest = MILLION - 1 - *rest;
    return whole > INT32_MAX ? INT32_MIN : -(yt_q16)whole;
}
