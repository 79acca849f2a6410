#include "signal/upward.h"

#include "signal/fixed.h"
#include "signal/product.h"

/* A degree a second for a microsecond is pi / 180 / 1e6 of a radian: with 40 bits behind the point,
 * RADIAN. */
#define RADIAN     19190u
#define MOST       (YT_UPWARD_ONE / 2) /* radians at a time */
#define FASTEST    (4000 * YT_ONE)
#define LONGEST_US (1u << 18)

static uint32_t size_of(int32_t number) {
    return number < 0 ? 0u - (uint32_t)number : (uint32_t)number;
}

static int32_t with_sign(uint32_t size, bool is_negative) {
    return is_negative ? -(int32_t)size : (int32_t)size;
}

int32_t yt_upward_product(int32_t a, int32_t b) {
    uint32_t four = yt_upper_product(size_of(a), size_of(b) << 1);
    return with_sign(four << 1, (a < 0) != (b < 0));
}

/* A step of Newton's for 1 by the root of its length: exact enough where it is nearly 1 long. */
static void make_one_long(int32_t up[3]) {
    uint32_t square = 0;
    for (unsigned i = 0; i < 3; i++)
        square += yt_upper_product(size_of(up[i]), size_of(up[i]));
    int32_t factor = (int32_t)(((uint32_t)YT_UPWARD_ONE * 3u - (square << 2)) / 2);
    for (unsigned i = 0; i < 3; i++)
        up[i] = yt_upward_product(up[i], factor);
}

bool yt_upward_is_pull(const yt_q16 pull[3]) {
    uint32_t square = 0; /* with 28 bits behind the point */
    for (unsigned i = 0; i < 3; i++) {
        uint32_t size = size_of(pull[i]);
        if (size > 2 * (uint32_t)YT_ONE)
            return false;
        square += (size >> 2) * (size >> 2);
    }
    return square > 131533373u && square < 453655101u; /* 0.49 and 1.69 */
}

void yt_upward_begin(int32_t up[3], const yt_q16 pull[3]) {
    for (unsigned i = 0; i < 3; i++)
        up[i] = pull[i] * (YT_UPWARD_ONE / YT_ONE);
    for (unsigned k = 0; k < 5; k++)
        make_one_long(up);
}

void yt_upward_turn(int32_t up[3], const yt_q16 rates[3], uint32_t us) {
    int32_t by[3], x = up[0], y = up[1], z = up[2];
    uint32_t time = (us < 8000 ? us : 8000) * RADIAN;
    for (unsigned i = 0; i < 3; i++) {
        uint32_t rate = size_of(yt_q16_clamp(rates[i], -FASTEST, FASTEST));
        uint32_t angle = yt_upper_product(rate << 4, time << 4) >> 2;
        by[i] = with_sign(angle < MOST ? angle : MOST, rates[i] < 0);
    }
    up[0] = x + yt_upward_product(y, by[2]) - yt_upward_product(z, by[1]);
    up[1] = y + yt_upward_product(z, by[0]) - yt_upward_product(x, by[2]);
    up[2] = z + yt_upward_product(x, by[1]) - yt_upward_product(y, by[0]);
    make_one_long(up);
}

void yt_upward_draw(int32_t up[3], const yt_q16 pull[3], uint32_t us, unsigned haste) {
    uint32_t longest_us = LONGEST_US >> haste;
    uint32_t time = (us < longest_us ? us : longest_us - 1) << (13 + haste);
    for (unsigned i = 0; i < 3; i++) {
        int32_t half = pull[i] * (YT_UPWARD_ONE / YT_ONE / 2) - up[i] / 2;
        up[i] += with_sign(yt_upper_product(size_of(half), time), half < 0);
    }
    make_one_long(up);
}
