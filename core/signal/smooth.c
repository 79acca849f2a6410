/* Exponentials by powers of 2; noise by sums of what goes beyond it. */
#include "signal/smooth.h"

#include "signal/fixed.h"
#include "signal/power.h"
#include "signal/product.h"

#define MOST_US 50000u
#define MOST    (8 * YT_Q24_ONE - 1)

uint32_t yt_left_after(uint32_t us, yt_q16 rate) {
    us = us < MOST_US ? us : MOST_US;
    uint32_t per = rate < 0 ? 0 : rate > 1023 * YT_ONE ? 1023u << 16 : (uint32_t)rate;
    uint32_t way = yt_upper_product(us << 14, per << 5); /* us * per / 2^13 */
    way = 3 * way + ((way >> 6) * 105 >> 6);             /* times 2^21 / (a million * ln 2) */
    return way > 24u << 24 ? 0 : yt_exp2(-(int32_t)way);
}

int32_t yt_follow(int32_t from, int32_t to, uint32_t left) {
    from = from > MOST ? MOST : from < -MOST ? -MOST : from;
    to = to > MOST ? MOST : to < -MOST ? -MOST : to;
    int32_t way = from - to;
    uint32_t size = way < 0 ? 0u - (uint32_t)way : (uint32_t)way;
    if (left >= YT_Q24_ONE)
        return from;
    int32_t rest = (int32_t)(yt_upper_product(size << 3, left << 7) >> 2);
    return way < 0 ? to - rest : to + rest;
}

#define FIRST_RATE   (250 * YT_ONE) /* 1 by 4 ms */
#define RESTS_US     30000u         /* so long it must stay near a place to be taken for resting */
#define RESTS_BIG_US 150000u

bool yt_settle_tests(yt_settle *axis, const yt_settling *by, yt_q16 value, uint32_t us) {
    yt_q16 away = yt_q16_clamp(value, -8 * YT_ONE, 8 * YT_ONE) - axis->mean / 256;
    yt_q16 noise = yt_q16_clamp(by->noise, 0, 8 * YT_ONE), over = away - noise,
           under = -away - noise;
    if (value == axis->last && !by->by_time)
        return false; /* a look at the same reading */
    if (by->by_time) {
        int32_t part = us < 8192 ? (int32_t)us * 8 : YT_ONE;
        over = yt_q16_multiply(over, part);
        under = yt_q16_multiply(under, part);
    }
    axis->up = yt_q16_clamp(axis->up + over, 0, 64 * YT_ONE);
    axis->down = yt_q16_clamp(axis->down + under, 0, 64 * YT_ONE);
    return axis->moves == 0 && (axis->up > by->enough || axis->down > by->enough);
}

yt_q16 yt_settle_step(yt_settle *axis, const yt_settling *by, yt_q16 value, bool moves,
                      uint32_t now_us, uint32_t us) {
    value = yt_q16_clamp(value, -8 * YT_ONE, 8 * YT_ONE);
    yt_q16 wide = yt_q16_clamp(by->noise, 0, YT_ONE) * (by->by_time ? 2 : 5),
           away = value - axis->near;
    if (moves && !axis->moves) {
        axis->moves = 1;
        axis->near = value;
        axis->since_us = now_us;
    } else if (axis->moves && (away > wide || away < -wide)) {
        axis->near = value;
        axis->since_us = now_us;
    } else if (axis->moves && now_us - axis->since_us > (by->by_time ? RESTS_BIG_US : RESTS_US)) {
        axis->moves = 0;
        axis->rate = by->follows > 0 ? by->follows : FIRST_RATE;
        axis->up = axis->down = 0;
        if (by->follows <= 0)
            axis->mean = value * 256;
    }
    if (axis->moves && by->follows <= 0) {
        axis->mean = value * 256;
    } else {
        yt_q16 rate = axis->moves                ? by->follows
                      : axis->rate > by->slowest ? axis->rate
                                                 : by->slowest;
        uint32_t left = yt_left_after(us, rate);
        axis->mean = yt_follow(axis->mean, axis->last * 256, left);
        axis->rate = yt_follow(rate, 0, left); /* it goes on as 1 by the time */
    }
    axis->last = value;
    return (axis->mean + 128) >> 8;
}

bool yt_settle_goes_on(const yt_settle *axis, const yt_settling *by) {
    int32_t away = axis->mean - axis->last * 256;
    return axis->moves || axis->rate > by->slowest || away > 128 || away < -128;
}
