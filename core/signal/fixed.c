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
