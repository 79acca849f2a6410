/* Smoothing a number over time, whatever the rate of its reports.
 *
 * Between two reports a number is taken to stay what the first one said, and what follows it moves
 * by the share of the way that an exponential takes in that time: reports twice as often give the
 * same. */
#ifndef YONDER_SIGNAL_SMOOTH_H
#define YONDER_SIGNAL_SMOOTH_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/value.h"

/* What is left of a way after a time, of 2^24: exp(-time * rate). `rate` is 1 by the time constant,
 * a second, in Q16.16. Times beyond 50 ms count as that. */
uint32_t yt_left_after(uint32_t us, yt_q16 rate);

/* A number that follows another one. Both have 24 bits behind the point. */
int32_t yt_follow(int32_t from, int32_t to, uint32_t left);

/* How a reading that rests is told from one that moves: by sums of what goes beyond the noise, on
 * both sides (E. S. Page, "Continuous Inspection Schemes", Biometrika 41, 1954). */
typedef struct yt_settling {
    yt_q16 noise;   /* what is within it is no move */
    yt_q16 enough;  /* what goes beyond it, all together, that is one */
    yt_q16 slowest; /* rates, 1 by their time constants, a second: of the mean while it rests, */
    yt_q16 follows; /* and while it moves; 0: it is told as it is */
    bool by_time;   /* readings count by how long they last: one of 8 ms as one */
} yt_settling;

/* What is remembered of one axis. All of it is 0 to begin with. It may lie in memory that is
 * declared as words. */
#if defined(__GNUC__)
typedef struct __attribute__((may_alias)) yt_settle {
#else
typedef struct yt_settle {
#endif
    int32_t mean;    /* 24 bits behind the point */
    yt_q16 last;     /* the last reading */
    yt_q16 up, down; /* how far readings went beyond the noise, either way */
    yt_q16 near;     /* while it moves: where it has been since */
    uint32_t since_us;
    yt_q16 rate;    /* of the mean now: it averages over a short time at first */
    uint32_t moves; /* 1: it is told as it moves */
} yt_settle;

/* A reading, `us` after the last one: whether it is one of a move. */
bool yt_settle_tests(yt_settle *axis, const yt_settling *by, yt_q16 value, uint32_t us);

/* What is to be told of it; `moves`: it moves, in this direction or in another. */
yt_q16 yt_settle_step(yt_settle *axis, const yt_settling *by, yt_q16 value, bool moves,
                      uint32_t now_us, uint32_t us);

/* Whether it must be looked at again soon, with the same reading. */
bool yt_settle_goes_on(const yt_settle *axis, const yt_settling *by);

#endif
