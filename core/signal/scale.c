/* Between raw numbers of a range and values: the factor is worked out once for a range, so that a
 * report costs a product and no division. */
#include "signal/scale.h"

#include "signal/fixed.h"

int64_t yt_scale_rest(int64_t minimum, int64_t maximum) {
    if (minimum < 0)
        return maximum < 0 ? maximum : 0;
    return (minimum + maximum + 1) / 2;
}

/* 2^bits / span, rounded up, bit by bit: a division of 64 bits would bring half a kilobyte of the
 * compiler's library with it. Needs span <= 2^32 and a result below that. */
uint32_t yt_power_by(unsigned bits, uint64_t span) {
    uint64_t rest = 1;
    uint32_t quotient = 0;
    while (bits-- > 0) {
        rest <<= 1;
        quotient <<= 1;
        if (rest >= span) {
            rest -= span;
            quotient |= 1;
        }
    }
    return quotient + (rest != 0);
}

/* The largest factor of 32 bits: 2^(16 + shift) / span, rounded up so that the whole span gives 1.
 * Its error is below 1 of 2^31, so a distance below 2^32 is out by less than 2^-15 steps. */
yt_scale_side yt_scale_side_of(int64_t span) {
    yt_scale_side side = {0, 0};
    unsigned shift = 15;
    if (span <= 0)
        return side;
    for (uint64_t left = (uint64_t)span - 1; left > 0; left >>= 1)
        shift++;
    shift = shift > 47 ? 47 : shift;
    side.shift = (uint8_t)shift;
    side.factor = yt_power_by(16 + shift, (uint64_t)span);
    return side;
}

void yt_scale_make(yt_scale *scale, int64_t minimum, int64_t rest, int64_t maximum) {
    scale->minimum = minimum;
    scale->rest = rest;
    scale->maximum = maximum;
    scale->below = yt_scale_side_of(rest - minimum);
    scale->above = yt_scale_side_of(maximum - rest);
}

void yt_scale_make_rate(yt_scale *scale, int64_t minimum, int64_t rest, int64_t maximum,
                        int32_t unit_q24) {
    scale->minimum = minimum;
    scale->rest = rest;
    scale->maximum = maximum;
    scale->below = scale->above = (yt_scale_side){(uint32_t)unit_q24, 8};
}

bool yt_scale_equals(const yt_scale *a, const yt_scale *b) {
    return a->minimum == b->minimum && a->rest == b->rest && a->maximum == b->maximum &&
           a->below.factor == b->below.factor && a->above.factor == b->above.factor;
}

yt_q16 yt_scale_share(yt_scale_side side, uint32_t distance) {
    unsigned shift = side.shift;
    if (side.factor == 0 || shift < 1 || shift > 47)
        return 0;
    uint64_t half = (uint64_t)1 << (shift - 1);
    uint64_t size = ((uint64_t)distance * side.factor + half) >> shift;
    return size > INT32_MAX ? INT32_MAX : (yt_q16)size;
}

yt_q16 yt_scale_value(const yt_scale *scale, int64_t number) {
    if (number >= scale->rest) {
        int64_t top = number < scale->maximum ? number : scale->maximum;
        return yt_scale_share(scale->above, (uint32_t)(top - scale->rest));
    }
    int64_t bottom = number > scale->minimum ? number : scale->minimum;
    return -yt_scale_share(scale->below, (uint32_t)(scale->rest - bottom));
}

/* Up to spans of 16 bits the product and the half fit into 32 bits. */
static uint32_t distance(uint32_t size, uint32_t span) {
    if (span <= UINT16_MAX)
        return (size * span + 0x8000) >> 16;
    return (uint32_t)(((uint64_t)size * span + 0x8000) >> 16);
}

int32_t yt_scale_number(yt_q16 value, int32_t minimum, int32_t rest, int32_t maximum) {
    uint32_t size = value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
    if (size > (uint32_t)YT_ONE)
        size = (uint32_t)YT_ONE;
    if (value < 0)
        return (int32_t)((uint32_t)rest - distance(size, (uint32_t)rest - (uint32_t)minimum));
    return (int32_t)((uint32_t)rest + distance(size, (uint32_t)maximum - (uint32_t)rest));
}
