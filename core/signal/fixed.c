/* Numbers of 1/65536: the quotient, which is too long to stand in the header. It is worked out bit
 * by bit on every machine, since a library's division of 64 bits is long. */
#include "signal/fixed.h"

static uint32_t size_of(yt_q16 value) {
    return value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
}

/* Long division of a * 65536 by b, 48 bits by 32; a quotient of more than 31 bits saturates. */
yt_q16 yt_q16_divide(yt_q16 a, yt_q16 b) {
    uint32_t numerator = size_of(a), divisor = size_of(b), rest = 0, quotient = 0;
    bool negative = (a < 0) != (b < 0), over = b == 0;
    if (a == 0)
        return 0;
    for (unsigned i = 0; i < 48 && !over; i++) {
        over = quotient >> 31; /* one more bit would not fit */
        bool carry = rest >> 31;
        rest = rest << 1 | numerator >> 31;
        numerator <<= 1;
        quotient <<= 1;
        if (carry || rest >= divisor) {
            rest -= divisor;
            quotient |= 1;
        }
    }
    if (rest >= divisor - rest && quotient != UINT32_MAX) /* twice the rest, without going over */
        quotient++;
    if (over || quotient > (uint32_t)INT32_MAX)
        return negative ? INT32_MIN : INT32_MAX;
    return negative ? -(yt_q16)quotient : (yt_q16)quotient;
}

#define MILLION 1000000u

/* A sum of millionths, as whole ones; `rest` is what is left. A million is 64 times 15,625: what
 * stands above the lowest 6 bits is divided in parts of 18 bits, each step in 32 bits; where the
 * sum is short the upper steps are left out. */
static uint64_t whole_of(uint64_t sum, uint32_t *rest) {
    uint64_t above = sum >> 6, whole = 0;
    uint32_t left = 0;
    for (unsigned shift = above >> 36 ? 54 : 18;; shift -= 18) {
        uint32_t part = left << 18 | ((uint32_t)(above >> shift) & 0x3ffff);
        whole = whole << 18 | part / 15625;
        left = part % 15625;
        if (shift == 0)
            break;
    }
    *rest = left << 6 | ((uint32_t)sum & 63);
    return whole;
}

yt_q16 yt_q16_travel(yt_q16 a, uint32_t us, uint32_t *rest) {
    uint64_t sum = (uint64_t)size_of(a) * us;
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
