/* What a stick does when it is let go: it springs back, shoots over, and swings out. A host sees
 * the other direction, which nobody meant. This holds the swing back and lets what a hand does
 * through.
 *
 * A stick on its spring is a damped system of second order. When it crosses its rest, the way that
 * it came is compared with the free response from where it was held: a hand is slower. If that
 * fits, the other side is held back for as long as it stays within what the spring can do: below
 * the peaks of a damped sine, each half of a swing smaller by the same factor. Whatever goes beyond
 * them is a hand, and is let through at once.
 *
 *     free: told as it is --crosses its rest as fast as the spring would--> held: told as 0
 *      ^                                                                      |
 *      +---- the swing has died away, or the stick is where no swing goes ----+
 *
 * One axis at a time. Positions are Q16.16, times microseconds of a clock that goes round. */
#ifndef YONDER_SIGNAL_SWING_H
#define YONDER_SIGNAL_SWING_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/value.h"

#define YT_SWING_PAST 16 /* positions that are remembered */

/* A spring. `half_us`, how long half a swing takes, is from 4,000 to 65,000; 0: it is not known,
 * and is learned from what is seen. `per_us` is 2^32 by that. `decay` is how many times smaller the
 * next half of a swing is, as a logarithm to the base of 2 in Q16.16. */
typedef struct yt_spring {
    uint32_t half_us;
    uint32_t per_us;
    uint32_t decay;
} yt_spring;

/* A position in the past. */
typedef struct yt_swing_past {
    uint16_t at;   /* in 16 us */
    int16_t value; /* of 32,767 */
} yt_swing_past;

/* What a free stick does from one report to the next: it goes from x at rest to along * x, and by
 * across * u where its velocity is that of a swing of u. Of three positions the last one is twice *
 * the second - square * the first. */
typedef struct yt_swing_interval {
    uint32_t us; /* between the reports; 0: it is not worked out */
    int32_t along, across, twice, square;
} yt_swing_interval;

/* What is remembered of one axis. All of it is 0 to begin with. It may lie in memory that is
 * declared as words. */
#if defined(__GNUC__)
typedef struct __attribute__((may_alias)) yt_swing {
#else
typedef struct yt_swing {
#endif
    yt_swing_past past[YT_SWING_PAST];
    uint8_t next, count; /* of `past` */
    uint8_t flags;
    uint8_t learned;  /* let-gos that `spring` was learned from */
    uint32_t last_us; /* the last position, and when it came */
    int32_t last;
    uint32_t before_us; /* and the one before */
    int32_t before;
    uint32_t interval_us; /* from one report to the next, as far as that is known */
    uint32_t let_go_us;   /* when it crossed its rest first, */
    uint32_t crossed_us;  /* and last */
    int32_t held;         /* where it was held */
    int32_t peak;         /* how far out it can be in this half of a swing */
    int32_t seen;         /* how far out it was in the first one, */
    uint32_t back_us;     /* and how long that took */
    yt_swing_interval after;
    yt_spring spring;  /* as it was learned */
    yt_spring guessed; /* what it is at least, until then */
} yt_swing;

/* Whether a hand has the stick in the other direction: it is far out there, and has not just
 * crossed its rest. A stick that goes round is no stick that is let go. */
static inline bool yt_swing_is_held(const yt_swing *axis, yt_q16 value) {
    return value > 0 ? value > YT_ONE * 2 / 5 && axis->last > 0
                     : value < -YT_ONE * 2 / 5 && axis->last < 0;
}

/* A position at a time; what is to be told comes back. `is_held`: a hand has it in the other
 * direction. `wait_us`: it must be looked at again after so long, with the same position, unless
 * another one comes before; 0: it need not. */
yt_q16 yt_swing_step(yt_swing *axis, const yt_spring *spring, yt_q16 value, bool is_held,
                     uint32_t now_us, uint32_t *wait_us);

#endif
