/* Comparing a stick's way with the free response of its spring. */
#include "signal/swing.h"

#include "inlining.h"
#include "signal/fixed.h"
#include "signal/power.h"
#include "signal/product.h"

#define BEGUN 1u /* there was a position before */
#define HELD  2u /* the swing is held back */
#define LEFT  4u /* the side on which it swings now is the left one */
#define BACK  8u /* it has come back from its first swing */

#define PAST_UNIT  16u      /* microseconds */
#define PAST_MOST  250000u  /* what was longer ago is forgotten */
#define SETTLES    1000000u /* a swing that takes longer is none */
#define LEAST_US   1000u    /* between two looks at the clock */
#define LONGEST_US 8000u    /* from one report to the next, until it is known */

/* Shares of 65536. */
#define ONE        YT_ONE
#define TENTH      6554
#define LEAST_PEAK 2950 /* swings below 4.5% are not held back, */
#define LAST_PEAK  1966 /* and below 3% one ends that is */
#define TOLERANCE  3277 /* 5% of the whole way, for noise, */
#define ENERGY     3277 /* 5% of the whole way, and 8% of a swing, that it may be off its energy */
#define OF_SWING   5000
#define NOISE      5243  /* 8%: what noise makes of the difference of three positions */
#define SIDE       655   /* 1%: it is on a side */
#define LONG       11796 /* an interval that is 18% of half a swing: a few reports tell a swing */
#define EARLY      7864  /* 12% of half a swing that it may be early or late */
#define SLOWER_US  300u  /* a fall that takes so much longer, and a quarter, fits the spring */

/* A spring that is not known may be as weak as 15 Hz, damped by 0.1 or by 0.6. */
#define SLOWEST_US      42000u
#define SLOWEST_FALL_US 15000u
#define FASTEST_US      8200u
#define LEAST_DECAY     26000 /* each half of a swing at most 0.76 times the one before */
#define MOST_DECAY      (5 * ONE)
#define LEARNED         2 /* let-gos are enough to know a spring */

/* How well a spring is known. */
typedef enum knowing { GUESSED, SEEN, MEASURED } knowing;

static int32_t size_of(int32_t value) {
    return value < 0 ? -value : value;
}

/* A product of two below 128; a function of its own, as there are many. */
static YT_NEVER_INLINE int32_t times(int32_t a, int32_t b) {
    int32_t a_high = a >> 16, b_high = b >> 16;
    uint32_t a_low = (uint16_t)a, b_low = (uint16_t)b;
    return a_high * b + (int32_t)a_low * b_high + (int32_t)((a_low * b_low + 0x8000) >> 16);
}

/* How many halves of a swing a time is, in 1/65536. */
static uint32_t halves_of(const yt_spring *spring, uint32_t us) {
    us = us < SETTLES ? us : SETTLES;
    return yt_upper_product(us << 12, spring->per_us << 4);
}

/* A share of half a swing, in microseconds. */
static uint32_t part_of(const yt_spring *spring, uint32_t share) {
    return yt_upper_product(spring->half_us << 16, share);
}

/* How much smaller a swing is after so many halves. */
static int32_t decayed(const yt_spring *spring, uint32_t halves) {
    uint32_t whole = halves >> 16, power = spring->decay * whole;
    power += (spring->decay >> 3) * ((halves & 0xffff) >> 3) >> 10;
    return whole > 31 || power >= 16u * ONE ? 0 : (int32_t)(yt_exp2(-(int32_t)power * 256) >> 8);
}

/* sin(pi * share), of a share from 0 to 1: a parabola, and some of its square. */
static int32_t half_sine(uint32_t share) {
    uint32_t size = share < ONE ? share : ONE;
    int32_t parabola = (int32_t)((size >> 1) * (ONE - size) >> 13);
    return times(parabola, 50790 + times(parabola, 14746));
}

/* A quotient below 1, with so many bits behind the point: steps of long division. */
static uint32_t quotient(uint32_t a, uint32_t b, unsigned bits) {
    uint32_t result = 0;
    for (; bits > 0; bits--) {
        a <<= 1;
        result <<= 1;
        if (a >= b) {
            a -= b;
            result |= 1;
        }
    }
    return result;
}

/* 2^32 by half a swing. */
static uint32_t per(uint32_t half_us) {
    return quotient(1, half_us, 32);
}

static void remember(yt_swing *axis, uint32_t apart_us, int32_t value, uint32_t now_us) {
    uint16_t at = (uint16_t)(now_us / PAST_UNIT);
    const yt_swing_past *last = &axis->past[(axis->next - 1u) % YT_SWING_PAST];
    if (axis->count && (uint16_t)(at - last->at) * PAST_UNIT < apart_us)
        return;
    axis->past[axis->next].at = at;
    axis->past[axis->next].value = (int16_t)yt_q16_clamp(value / 2, -INT16_MAX, INT16_MAX);
    axis->next = (axis->next + 1u) % YT_SWING_PAST;
    axis->count = (uint8_t)(axis->count + (axis->count < YT_SWING_PAST));
}

/* Worked out where an interval is another one than before, and it is long enough to need it. */
static void know_interval(yt_swing *axis, const yt_spring *spring) {
    uint32_t us = axis->interval_us,
             apart = us > axis->after.us ? us - axis->after.us : axis->after.us - us;
    if (apart <= us / 16 || us < part_of(spring, LONG))
        return;
    uint32_t halves = halves_of(spring, us);
    int32_t decay = decayed(spring, halves), sine = half_sine(halves);
    int32_t cosine = halves <= ONE / 2 ? half_sine(ONE / 2 + halves) : -half_sine(halves - ONE / 2);
    int32_t slope = times((int32_t)spring->decay, 14460); /* ln(2) / pi */
    axis->after = (yt_swing_interval){us, times(decay, cosine + times(slope, sine)),
                                      times(decay, times(sine, ONE + times(slope, slope) / 2)),
                                      2 * times(decay, cosine), times(decay, decay)};
}

/* Whether the last three positions are of one free swing. */
static bool is_swing(const yt_swing *axis, int32_t value, int32_t within) {
    int32_t wanted = times(axis->after.twice, axis->last) - times(axis->after.square, axis->before);
    return size_of(value - wanted) <= within;
}

/* Whether a stick that was held at `held` can go from `last` to `value` in an interval, if it was
 * let go one interval before, or a few: it swings by what it was held at, or as much less as it is
 * after that time. All on the side where it was held; it comes from there, as no interval is longer
 * than half a swing. */
static bool fits_energy(const yt_swing_interval *after, int32_t held, int32_t last, int32_t value,
                        unsigned few) {
    int32_t apart = times(after->along, last) - value, within = ENERGY + times(held, OF_SWING);
    int32_t most = times(after->across, held), own = times(after->across, last);
    int32_t room = times(most, most) - times(own, own), least = times(most, most);
    int32_t above = apart - within, below = apart + within;
    for (unsigned i = 0; i < few; i++)
        least = times(least, after->square);
    least = few ? least - times(own, own) : 0;
    return (above <= 0 || times(above, above) <= room) &&
           (least <= 0 || (below >= 0 && times(below, below) >= least));
}

/* What was a position at a time or before. */
static int32_t past_at(const yt_swing *axis, uint32_t at_us) {
    uint16_t at = (uint16_t)(at_us / PAST_UNIT);
    unsigned k = axis->next;
    for (unsigned left = axis->count; left > 0; left--) {
        k = (k - 1u) % YT_SWING_PAST;
        if ((int16_t)(at - axis->past[k].at) >= 0)
            break;
    }
    return axis->past[k].value * 2;
}

/* How long ago it left a level: since the first position below, and since the last one above. */
typedef struct fall {
    uint32_t least, most;
} fall;

static fall fall_from(const yt_swing *axis, int32_t level, int32_t sign, uint32_t now_us,
                      uint32_t enough_us) {
    fall fall = {0, PAST_MOST};
    uint16_t now = (uint16_t)(now_us / PAST_UNIT);
    unsigned k = axis->next;
    for (unsigned left = axis->count; left > 0; left--) {
        k = (k - 1u) % YT_SWING_PAST;
        fall.most = (uint16_t)(now - axis->past[k].at) * PAST_UNIT;
        if (axis->past[k].value * sign * 2 >= level || fall.least > enough_us)
            return fall;
        fall.least = fall.most;
    }
    return fall;
}

/* The spring is not known: what it is at least, by how long it fell. */
static void guess(yt_swing *axis, uint32_t fall_us) {
    uint32_t half = 4 * fall_us - fall_us / 2;
    half = fall_us > SLOWEST_US / 4 || half > SLOWEST_US ? SLOWEST_US : half;
    axis->guessed.half_us = half < FASTEST_US ? FASTEST_US : half;
    axis->guessed.decay = LEAST_DECAY;
    axis->guessed.per_us = per(axis->guessed.half_us);
}

/* It has crossed its rest at `cross_us`. Whether that fits a stick that was let go. */
static bool was_let_go(yt_swing *axis, const yt_spring *spring, knowing known, int32_t value,
                       uint32_t cross_us, uint32_t interval_us) {
    int32_t sign = value > 0 ? -1 : 1, decay = (int32_t)spring->decay;
    uint32_t quarter =
        known ? part_of(spring, 33436 + (uint32_t)times(decay, 3837)) : SLOWEST_US * 2 / 3;
    uint32_t falls =
        known ? part_of(spring, 17524 + (uint32_t)times(decay, 4265)) : SLOWEST_FALL_US;
    int32_t held = past_at(axis, cross_us - quarter - quarter / 4) * sign;
    int32_t peak = times(held, known ? decayed(spring, ONE) : 3 * ONE / 4);
    if (peak < LEAST_PEAK)
        return false;
    falls += falls / 4 + SLOWER_US;
    fall fell = fall_from(axis, held - held / 4, sign, cross_us, falls);
    bool fits = fell.least <= falls;
    if (!known) {
        guess(axis, fell.most);
    } else if (known == MEASURED && axis->after.us != 0 && interval_us > part_of(spring, LONG)) {
        int32_t last = axis->last * sign, before = axis->before * sign, level = held - held / 4;
        bool jumps = interval_us > part_of(spring, ONE / 2);
        if (jumps)
            fits = last >= level || before >= level;
        else if (interval_us > part_of(spring, 35 * ONE / 100))
            fits = fits || last >= level || before >= level;
        fits = fits && fits_energy(&axis->after, held, last < held ? last : held, value * sign,
                                   last >= level     ? 0
                                   : before >= level ? 1
                                                     : 3);
        if ((int32_t)(axis->before_us + quarter - quarter / 4 - cross_us) >= 0)
            fits = fits && is_swing(axis, value, NOISE + times(held, TENTH));
    }
    axis->held = held;
    axis->peak = peak;
    return fits;
}

/* How far out a free swing can be, so many halves after it crossed its rest. */
static int32_t bound_at(const yt_spring *spring, knowing known, int32_t peak, uint32_t halves,
                        uint32_t interval_us) {
    int32_t most = peak + (known ? peak / 4 : peak / 8);
    uint32_t early = EARLY + halves_of(spring, interval_us) / 2, at = ONE / 2;
    early += known == SEEN ? EARLY / 2 : 0;
    if (interval_us > part_of(spring, 3 * ONE / 10))
        return halves < ONE + 2 * early ? most + TOLERANCE : TOLERANCE;
    if (known && halves + early < ONE / 2)
        at = halves + early;
    else if (halves > ONE / 2 + early)
        at = halves - early;
    if (at >= ONE)
        return TOLERANCE;
    int32_t later = times((int32_t)spring->decay, (int32_t)at - ONE / 2); /* half way it is 1 */
    int32_t shape = times(half_sine(at), (int32_t)(yt_exp2(-later * 256) >> 8));
    return times(most, shape) + TOLERANCE;
}

/* A let-go was held back to its end: the spring is better known. */
static void learn(yt_swing *axis) {
    if (!(axis->flags & BACK) || axis->back_us < 5 * axis->interval_us ||
        axis->back_us < FASTEST_US || axis->back_us > SLOWEST_US || axis->seen < LAST_PEAK ||
        axis->seen >= axis->held)
        return;
    int32_t decay = (yt_log2((uint32_t)axis->held) - yt_log2((uint32_t)axis->seen)) / 256;
    decay = yt_q16_clamp(decay, LEAST_DECAY / 2, MOST_DECAY);
    if (axis->learned) {
        axis->spring.half_us = (axis->spring.half_us + axis->back_us) / 2;
        if ((uint32_t)decay <
            axis->spring.decay) /* friction and rare reports hide how far it swings */
            axis->spring.decay = (uint32_t)decay;
        else
            axis->spring.decay += ((uint32_t)decay - axis->spring.decay) / 16;
    } else {
        axis->spring.half_us = axis->back_us;
        axis->spring.decay = (uint32_t)decay;
    }
    axis->spring.per_us = per(axis->spring.half_us);
    axis->learned = (uint8_t)(axis->learned + (axis->learned < LEARNED));
}

/* It is held back: whether it still is. */
static bool stays_held(yt_swing *axis, const yt_spring *spring, knowing known, int32_t value,
                       uint32_t now_us, uint32_t cross_us, uint32_t interval_us) {
    int32_t sign = axis->flags & LEFT ? -1 : 1;
    if (value * sign < -SIDE) {
        uint32_t halves = (halves_of(spring, cross_us - axis->crossed_us) + ONE / 2) >> 16;
        axis->peak = times(axis->peak, decayed(spring, (halves ? halves : 1) << 16));
        if (!(axis->flags & BACK))
            axis->back_us = cross_us - axis->crossed_us;
        axis->flags = (uint8_t)((axis->flags | BACK) ^ LEFT);
        axis->crossed_us = cross_us;
    }
    uint32_t halves = halves_of(spring, now_us - axis->crossed_us);
    int32_t size = size_of(value), left = axis->peak;
    if (halves >= ONE + ONE / 2)
        left = times(left, decayed(spring, halves & ~0xffffu));
    if (!(axis->flags & BACK) && size > axis->seen)
        axis->seen = size;
    if (left < LAST_PEAK) {
        learn(axis);
        return false;
    }
    if (known == MEASURED && axis->after.us != 0 && interval_us > part_of(spring, LONG) &&
        (int32_t)(axis->before_us - axis->let_go_us) >= 0 &&
        !is_swing(axis, value, NOISE + times(axis->peak, TENTH)))
        return false;
    return size <= bound_at(spring, known, axis->peak, halves, interval_us);
}

yt_q16 yt_swing_step(yt_swing *axis, const yt_spring *spring, yt_q16 value, bool is_held,
                     uint32_t now_us, uint32_t *wait_us) {
    uint32_t interval = now_us - axis->last_us, cross = now_us;
    knowing known = spring->half_us != 0 ? MEASURED : axis->learned >= LEARNED ? SEEN : GUESSED;
    value = yt_q16_clamp(value, -ONE, ONE);
    *wait_us = 0;
    if (spring->half_us == 0)
        spring = known ? &axis->spring : &axis->guessed;
    if (!(axis->flags & BEGUN)) {
        axis->flags = BEGUN;
        axis->interval_us = LONGEST_US;
    } else if (interval > 0) {
        if (interval < axis->interval_us)
            axis->interval_us = interval > LEAST_US / 2 ? interval : LEAST_US / 2;
        else if (value != axis->last)
            axis->interval_us += axis->interval_us / 64;
        if (interval > PAST_MOST)
            axis->count = 0;
        uint32_t most = axis->interval_us + axis->interval_us / 4;
        if (interval > most + axis->interval_us / 4) { /* a report between said the same */
            axis->before = axis->last;
            axis->before_us = axis->last_us;
            axis->last_us = now_us - axis->interval_us;
        }
        interval = interval < most ? interval : axis->interval_us;
        if (axis->count == 0) /* it stayed where it was until a report ago */
            remember(axis, 0, axis->last, now_us - PAST_MOST);
        bool crosses = axis->last > 0 ? value < 0 : axis->last < 0 && value > 0;
        if (crosses) {
            uint32_t size = (uint32_t)size_of(value);
            cross -= interval * quotient(size, size + (uint32_t)size_of(axis->last), 8) / 256;
        }
        if (known == MEASURED && !crosses && !(axis->flags & HELD))
            know_interval(axis, spring);
        if (axis->flags & HELD) {
            if (!stays_held(axis, spring, known, value, now_us, cross, interval))
                axis->flags = BEGUN;
        } else if (crosses && !is_held && was_let_go(axis, spring, known, value, cross, interval)) {
            axis->flags = (uint8_t)(BEGUN | HELD | (value < 0 ? LEFT : 0));
            axis->let_go_us = axis->crossed_us = cross;
            axis->seen = size_of(value);
            if (size_of(value) > axis->peak + axis->peak / 4 + TOLERANCE)
                axis->flags = BEGUN;
        }
    }
    remember(axis, known ? part_of(spring, ONE / 16) : SLOWEST_US / 16, value, now_us);
    if (size_of(value - axis->last) > 1 || !(axis->flags & HELD)) {
        axis->before = axis->last;
        axis->before_us = axis->last_us;
        axis->last = value ? value : axis->last < 0 ? -1 : 1; /* 0 is on neither side: it stays */
        axis->last_us = now_us;
    }
    if (!(axis->flags & HELD))
        return value;
    *wait_us = axis->interval_us + axis->interval_us / 4;
    return 0;
}
