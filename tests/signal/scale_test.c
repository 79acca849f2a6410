/* Fixed point and scales against the exact quotient. */
#include <math.h>

#include "signal/fixed.h"
#include "signal/scale.h"
#include "tests/harness.h"

static int64_t within_32(int64_t value) {
    return value > INT32_MAX ? INT32_MAX : value < INT32_MIN ? INT32_MIN : value;
}

/* To the nearest step, halves away from 0; by 0 as far as it goes, but 0 / 0 is 0. */
static int64_t divided(yt_q16 a, yt_q16 b) {
    if (b == 0)
        return a > 0 ? INT32_MAX : a < 0 ? INT32_MIN : 0;
    int64_t twice = ((int64_t)a * 65536 * 2) / b;
    return within_32((twice + (twice < 0 ? -1 : 1)) / 2);
}

/* Sums, differences, products and quotients against the same in 64 bits. */
static void check_arithmetic(void) {
    dice dice = {3};
    static const yt_q16 edges[] = {0,         1,        -1,        YT_ONE,    -YT_ONE,
                                   0x7fffff,  0x800000, -0x800000, -0x800001, INT32_MAX,
                                   INT32_MIN, 0xffff,   0x8000,    -0x8000,   0x10001};
    for (int i = 0; i < 400000; i++) {
        yt_q16 a = edges[roll_below(&dice, 15)], b = edges[roll_below(&dice, 15)];
        if (i > 1000) {
            a = (yt_q16)(roll(&dice) ^ roll(&dice) << 8) >> roll_below(&dice, 20);
            b = (yt_q16)(roll(&dice) ^ roll(&dice) << 8) >> roll_below(&dice, 20);
        }
        about("%d and %d", a, b);
        CHECK_EQUAL(yt_q16_multiply(a, b), within_32(((int64_t)a * b + 0x8000) >> 16));
        CHECK_EQUAL(yt_q16_add(a, b), within_32((int64_t)a + b));
        CHECK_EQUAL(yt_q16_subtract(a, b), within_32((int64_t)a - b));
        CHECK_EQUAL(yt_q16_divide(a, b), divided(a, b));
    }
}

/* How far something goes in a time that is parted in any way: never a millionth of a step is lost.
 */
static void check_travel(void) {
    dice dice = {9};
    for (int i = 0; i < 3000; i++) {
        uint32_t rest = 0;
        __int128 exact = 0, gone = 0; /* millionths of a step */
        bool any_sign = i % 2;
        for (int k = 0; k < 60; k++) {
            yt_q16 speed = (yt_q16)(roll(&dice) ^ roll(&dice) << 8) >> roll_below(&dice, 31);
            uint32_t us = roll(&dice) >> (1 + roll_below(&dice, 31));
            if (roll_below(&dice, 50) == 0)
                speed = roll_below(&dice, 2) ? INT32_MAX : INT32_MIN;
            if (!any_sign && speed < 0)
                speed = ~speed;
            if ((double)speed * us >= 2147.0e12 || (double)speed * us <= -2147.0e12)
                us = 1000; /* more would saturate */
            about("%d a second for %u us", speed, us);
            exact += (__int128)speed * us;
            gone += (__int128)yt_q16_travel(speed, us, &rest) * 1000000;
            CHECK(rest < 1000000);
            CHECK(exact - gone == rest);
        }
    }
    uint32_t rest = 999999;
    CHECK_EQUAL(yt_q16_travel(INT32_MAX, INT32_MAX, &rest), INT32_MAX);
    CHECK_EQUAL(yt_q16_travel(INT32_MIN, INT32_MAX, &rest), INT32_MIN);
    CHECK(rest < 1000000);
}

static void check_raw_motion(void) {
    for (unsigned bits = 1; bits <= 16; bits++)
        for (uint32_t raw = 0; raw < (uint32_t)1 << bits; raw += bits < 12 ? 1 : 37) {
            int64_t counts = raw >> (bits - 1) & 1 ? (int64_t)raw - (1 << bits) : raw;
            about("raw %x of %u bits", raw, bits);
            CHECK_EQUAL(yt_q16_from_top(raw << (32 - bits), bits), yt_q16_from_counts(counts));
        }
}

/* Every number of a range: within one step of the exact value, exact at rest and at both ends, and
 * back to itself. */
static void check_range(int64_t minimum, int64_t rest, int64_t maximum) {
    yt_scale scale;
    yt_scale_make(&scale, minimum, rest, maximum);
    int64_t span = maximum - minimum, step = span > 200000 ? span / 70001 : 1;
    about("range %" PRId64 " to %" PRId64 ", rest %" PRId64, minimum, maximum, rest);
    for (int64_t number = minimum; number <= maximum; number += step) {
        int64_t side = number < rest ? rest - minimum : maximum - rest;
        double exact = side ? 65536.0 * (double)(number - rest) / (double)side : 0;
        yt_q16 value = yt_scale_value(&scale, number);
        CHECK(fabs(value - exact) <= 1);
        if (span < 65536)
            CHECK_EQUAL(yt_scale_number(value, (int32_t)minimum, (int32_t)rest, (int32_t)maximum),
                        number);
    }
    CHECK_EQUAL(yt_scale_value(&scale, rest), 0);
    CHECK_EQUAL(yt_scale_number(2 * YT_ONE, 0, 0, 100), 100);
    CHECK_EQUAL(yt_scale_number(INT32_MIN, -100, 0, 100), -100);
    if (rest < maximum) {
        CHECK_EQUAL(yt_scale_value(&scale, maximum), YT_ONE);
        CHECK_EQUAL(yt_scale_value(&scale, maximum + 1), YT_ONE);
    }
    if (rest > minimum) {
        CHECK_EQUAL(yt_scale_value(&scale, minimum), -YT_ONE);
        CHECK_EQUAL(yt_scale_value(&scale, minimum - 1), -YT_ONE);
    }
}

static void check_rests(void) {
    about("where an axis rests that does not say so");
    CHECK_EQUAL(yt_scale_rest(-127, 127), 0);
    CHECK_EQUAL(yt_scale_rest(-128, 127), 0);
    CHECK_EQUAL(yt_scale_rest(0, 255), 128);
    CHECK_EQUAL(yt_scale_rest(0, 1023), 512);
    CHECK_EQUAL(yt_scale_rest(1, 9), 5);
    CHECK_EQUAL(yt_scale_rest(-9, -1), -1);
}

int main(void) {
    check_arithmetic();
    check_travel();
    check_raw_motion();
    check_rests();
    check_range(0, 0, 1);
    check_range(0, 128, 255);
    check_range(-128, 0, 127);
    check_range(-32768, 0, 32767);
    check_range(-32767, 0, 32767);
    check_range(0, 16384, 32767);
    check_range(0, 0, 65535);
    check_range(0, 32768, 65535);
    check_range(-2047, 0, 2047);
    check_range(0, 0, UINT32_MAX);
    check_range(INT32_MIN, 0, INT32_MAX);
    check_range(5, 5, 5);
    check_range(0, 3, 100);
    return report_checks();
}
