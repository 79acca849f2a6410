/* What a stick's spring does: each let-go is a free swing, of which samples at equal times obey
 * x(n + 1) = a x(n) - b x(n - 1), with b = exp(-2 d w t) and a = 2 exp(-d w t) cos(v t), where w is
 * the natural frequency, d the damping and v = w sqrt(1 - d^2). Both are fitted by least squares to
 * all samples of a let-go, as far apart as three quarters of the way to its rest take, where noise
 * matters least; of all let-gos the medians count. */
#include <string.h>

#include "calibration/gather.h"
#include "signal/angle.h"
#include "signal/fixed.h"
#include "signal/power.h"

typedef enum spring_state { WAITS, IS_HELD, SWINGS } spring_state;

#define HELD       4915 /* 30%: it is held out */
#define STEADY     1966 /* 12%: it is moved elsewhere */
#define STEADY_US  50000u
#define LET_GO     900     /* 90% of where it was held: it is on its way */
#define SLOW_US    40000u  /* a hand brings it back so slowly */
#define LONGEST_US 200000u /* of a swing that is looked at */

static int32_t size_of(int x, int y) {
    yt_q16 length;
    yt_direction_of(x, y, &length);
    return length / 4;
}

/* Along where it was held, 1 there, in 1 / 1024. */
static int along(const yt_spring_finder *springs, int x, int y) {
    int32_t held = size_of(springs->held[0], springs->held[1]);
    int64_t product = (int64_t)x * springs->held[0] + (int64_t)y * springs->held[1];
    int32_t share = yt_quotient(product * 1024, (uint32_t)held * (uint32_t)held);
    return share < -2048 ? -2048 : share > 2048 ? 2048 : share;
}

static void hold(yt_spring_finder *springs, int x, int y, uint32_t now_us) {
    springs->state = size_of(x, y) > HELD ? IS_HELD : WAITS;
    springs->held[0] = (int16_t)x;
    springs->held[1] = (int16_t)y;
    springs->held_us = now_us;
    springs->count = 0;
}

/* The sums of a fit, of numbers of 1 / 1024. */
typedef struct sums {
    int64_t now, first, second, both, with_first, with_second;
} sums;

static sums sums_of(const yt_spring_finder *springs, unsigned apart) {
    sums sums = {0, 0, 0, 0, 0, 0};
    for (unsigned i = 2 * apart; i < springs->count; i++) {
        int now = springs->way[i], first = springs->way[i - apart],
            second = springs->way[i - 2 * apart];
        sums.now += now * now;
        sums.first += first * first;
        sums.second += second * second;
        sums.both += first * second;
        sums.with_first += now * first;
        sums.with_second += now * second;
    }
    return sums;
}

/* A quotient of 64 bits, in 1 / 65536. */
static yt_q16 share_of(int64_t number, int64_t by) {
    while (by > UINT32_MAX || number > INT64_MAX >> 18 || number < -(INT64_MAX >> 18)) {
        by >>= 1;
        number >>= 1;
    }
    return yt_quotient(number * 65536, (uint32_t)by);
}

static int32_t root_of(uint32_t square) {
    uint32_t root = 0;
    for (uint32_t bit = 1u << 15; bit > 0; bit >>= 1)
        if ((root + bit) * (root + bit) <= square)
            root += bit;
    return (int32_t)root;
}

#define LN2           45426    /* in 1 / 65536 */
#define RADIANS       1144     /* of a degree */
#define HZ_BY_RADIANS 15915494 /* a million microseconds by 2 pi, times 100 */

/* From a and b to the frequency and the damping; false: they are of no swing. */
static bool swing_of(yt_q16 a, yt_q16 b, uint32_t step_us, uint16_t *frequency, uint16_t *damping) {
    yt_q16 length;
    if (b < YT_ONE / 1024 || b >= YT_ONE)
        return false;
    int32_t decay = yt_q16_multiply(-(yt_log2((uint32_t)b << 8) / 256) / 2, LN2); /* d w t */
    int32_t half = (int32_t)(yt_exp2(yt_log2((uint32_t)b << 8) / 2) >> 8);        /* exp(-d w t) */
    int32_t cosine = share_of(a, 2 * half);
    if (cosine <= -YT_ONE || cosine >= YT_ONE)
        return false;
    int32_t sine =
        root_of((uint32_t)(((int64_t)YT_ONE * YT_ONE - (int64_t)cosine * cosine) >> 2)) * 2;
    yt_q16 turn = yt_angle_of(sine, -cosine, &length); /* from straight up: v t */
    int32_t radians = (int32_t)(((int64_t)turn * RADIANS + 32768) >> 16);
    yt_angle_of(radians, -decay, &length); /* w t */
    if (length <= 0)
        return false;
    int32_t hundredths = yt_quotient((int64_t)length * HZ_BY_RADIANS >> 16, step_us);
    int32_t ratio = yt_quotient((int64_t)decay * 10000, (uint32_t)length);
    if (hundredths < 500 || hundredths > 10000 || ratio < 100 || ratio > 9500)
        return false;
    *frequency = (uint16_t)hundredths;
    *damping = (uint16_t)ratio;
    return true;
}

/* Of a swing a is below 2 and b below 1. */
static bool least_squares(const sums *sums, yt_q16 *a, yt_q16 *b) {
    int64_t by = sums->first * sums->second - sums->both * sums->both;
    if (sums->first <= 0 || sums->second <= 0 || by <= 0)
        return false;
    *a = share_of(sums->with_first * sums->second - sums->with_second * sums->both, by);
    *b = share_of(sums->with_first * sums->both - sums->with_second * sums->first, by);
    return *a > -4 * YT_ONE && *a<4 * YT_ONE && * b> - 4 * YT_ONE && *b < 4 * YT_ONE;
}

/* What the noise of all samples is in a sum of squares, by what the fit leaves. Without it the two
 * sums would be too large, and the swing would seem too fast and too much damped. */
static int64_t noise_of(const sums *sums, yt_q16 a, yt_q16 b) {
    int64_t left = sums->now - (sums->with_first * a - sums->with_second * b) / 65536;
    int64_t squares = YT_ONE + yt_q16_multiply(a, a) + yt_q16_multiply(b, b);
    return left > 0 ? yt_quotient(left * 65536, (uint32_t)squares) : 0;
}

/* How many samples it takes to its rest; all, where it is not there yet. */
static unsigned crossing_of(const yt_spring_finder *springs) {
    unsigned crossed = 0;
    while (crossed < springs->count && springs->way[crossed] > 0)
        crossed++;
    return crossed;
}

/* Each time what the noise is, is better known. */
static bool fit_without_noise(sums *sums, yt_q16 *a, yt_q16 *b) {
    int64_t first = sums->first, second = sums->second;
    bool fits = least_squares(sums, a, b);
    for (unsigned i = 0; fits && i < 3; i++) {
        int64_t noise = noise_of(sums, *a, *b);
        sums->first = first - noise;
        sums->second = second - noise;
        fits = least_squares(sums, a, b);
    }
    return fits;
}

/* A swing was seen to its end. */
static void fit(yt_spring_finder *springs) {
    unsigned crossed = crossing_of(springs), apart = (3 * crossed + 2) / 4;
    uint16_t frequency, damping;
    if (crossed == springs->count || apart == 0 || springs->count < 4 * apart + 2)
        return;
    uint32_t step_us = (uint32_t)yt_quotient(
        (int64_t)(springs->last_us - springs->begun_us) * apart, springs->count - 1u);
    sums sums = sums_of(springs, apart);
    yt_q16 a, b;
    if (step_us == 0 || !fit_without_noise(&sums, &a, &b) ||
        !swing_of(a, b, step_us, &frequency, &damping))
        return;
    springs->frequency[springs->next] = frequency;
    springs->damping[springs->next] = damping;
    springs->next = springs->next + 1 < YT_SPRING_LET_GOS ? springs->next + 1u : 0;
    if (springs->found < YT_SPRING_LET_GOS)
        springs->found++;
}

/* How many samples are looked at: five times as many as it takes to its rest, and some. */
static bool is_over(const yt_spring_finder *springs, uint32_t now_us) {
    unsigned crossed = crossing_of(springs);
    if (springs->count == YT_SPRING_SAMPLES || now_us - springs->begun_us > LONGEST_US)
        return true;
    return springs->count >= 5 * crossed + 3 && crossed < springs->count;
}

static void give(yt_spring_finder *springs, int x, int y, uint32_t now_us) {
    int now = springs->state == WAITS ? 0 : along(springs, x, y);
    if (springs->state == WAITS) {
        hold(springs, x, y, now_us);
        return;
    }
    if (springs->state == IS_HELD) {
        int moved = size_of(x - springs->held[0], y - springs->held[1]);
        if (now >= LET_GO && moved > STEADY) {
            hold(springs, x, y, now_us); /* it is moved, not let go */
        } else if (now < LET_GO) {
            if (now_us - springs->held_us < STEADY_US) {
                hold(springs, x, y, now_us);
                return;
            }
            springs->state = SWINGS;
            springs->begun_us = now_us;
        }
        if (springs->state != SWINGS)
            return;
    }
    if (now_us == springs->last_us && springs->count > 0)
        return;
    springs->way[springs->count++] = (int16_t)now;
    springs->last_us = now_us;
    if (crossing_of(springs) == springs->count && now_us - springs->begun_us > SLOW_US) {
        hold(springs, x, y, now_us); /* a hand has it still */
        return;
    }
    if (!is_over(springs, now_us))
        return;
    fit(springs);
    hold(springs, x, y, now_us);
}

static uint16_t median_of(const uint16_t *numbers, unsigned count) {
    int16_t kept[YT_SPRING_LET_GOS];
    for (unsigned i = 0; i < count; i++)
        kept[i] = (int16_t)numbers[i];
    return (uint16_t)yt_median(kept, count, 1);
}

bool yt_spring_found(const yt_spring_finder *springs, uint16_t *frequency, uint16_t *damping) {
    if (springs->found < 3)
        return false;
    *frequency = median_of(springs->frequency, springs->found);
    *damping = median_of(springs->damping, springs->found);
    return true;
}

void yt_calibrating_spring(yt_calibrating *gathering, yt_spring_finder *springs) {
    static const yt_spring_calls calls = {give, yt_spring_found};
    memset(springs, 0, sizeof *springs);
    springs->calls = &calls;
    gathering->springs = springs;
}
