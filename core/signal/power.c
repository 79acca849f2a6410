/* Logarithms and roots_of_two of 2: the upper four bits of a mantissa choose a part, whose value is
 * known; what is left is small, and a polynomial of four terms does for it. */
#include "signal/power.h"

#include "signal/product.h"

#define PARTS 16

/* 2^31 / (1 + k / 16), and log2(1 + k / 16) in 1/2^24. */
static const uint32_t reciprocals[PARTS] = {
    2147483648, 2021161080, 1908874354, 1808407283, 1717986918, 1636178018, 1561806289, 1493901668,
    1431655765, 1374389535, 1321528399, 1272582903, 1227133513, 1184818564, 1145324612, 1108378657};
static const int32_t logarithms[PARTS] = {
    0,       1467383,  2850868,  4159533,  5401057,  6581994,  7707984,  8783912,
    9814042, 10802114, 11751428, 12664911, 13545168, 14394532, 15215099, 16008758};

/* 2^(k / 16) in 1/2^30. */
static const uint32_t roots_of_two[PARTS] = {
    1073741824, 1121280436, 1170923762, 1222764986, 1276901417, 1333434672, 1392470869, 1454120821,
    1518500250, 1585730000, 1655936265, 1729250827, 1805811301, 1885761398, 1969251188, 2056437387};

int32_t yt_log2(uint32_t value) {
    int32_t whole = 7 * YT_Q24_ONE;
    for (unsigned step = 16; step > 0; step >>= 1)
        if (value < UINT32_C(1) << (32 - step)) {
            value <<= step;
            whole -= (int32_t)step * YT_Q24_ONE;
        }
    unsigned part = value >> 27 & 15;
    uint32_t nearly_one = yt_upper_product(value, reciprocals[part]);           /* 1 is 2^30 */
    uint32_t left = nearly_one > 1u << 30 ? (nearly_one - (1u << 30)) << 2 : 0; /* 1 is 2^32 */
    uint32_t sum = 772809293 - yt_upper_product(left, 471086460);
    sum = 1549060539 - yt_upper_product(left, sum);
    return whole + logarithms[part] + (int32_t)(yt_upper_product(left, sum) >> 6);
}

uint32_t yt_exp2(int32_t exponent) {
    int32_t whole = exponent >> 24;
    if (whole < -24)
        return 0;
    uint32_t fraction = (uint32_t)exponent & (YT_Q24_ONE - 1);
    uint32_t left = fraction << 8 & 0x0fffffff; /* 1 is 2^32 */
    uint32_t sum = 257890027 + yt_upper_product(left, 60903518);
    sum = 744261759 + yt_upper_product(left, sum);
    sum = (1u << 30) + yt_upper_product(left, sum);
    uint32_t power = yt_upper_product(roots_of_two[fraction >> 20] << 1, sum << 1); /* 1 is 2^30 */
    int32_t shift = 6 - whole;
    return shift <= 0 ? power : (power + (UINT32_C(1) << (shift - 1))) >> shift;
}
