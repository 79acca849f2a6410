/* Which of two opposite ways counts while both are pressed. */
#include "run/functions.h"

/* Each bit, and the one to the left of it: of the way back, and of the way forth. */
#define HELD   16u /* it was pressed, and still is */
#define COUNTS 64u /* while both are */

/* What was held before its layer began is no press (YT_STATE_WAS_ON). Gives which ways are pressed
 * anew. */
static uint32_t look_at(const yt_call *call) {
    uint32_t begins = 0;
    for (unsigned k = 0; k < 2; k++) {
        bool is_on = yt_argument(call, k + 1) != 0;
        if (is_on && !(*call->state & YT_STATE_WAS_ON << k))
            begins |= HELD << k;
        if (is_on)
            *call->state |= YT_STATE_WAS_ON << k;
        else
            *call->state &= ~(YT_STATE_WAS_ON << k | HELD << k);
    }
    *call->state |= begins;
    return begins;
}

static yt_q16 way_of(uint32_t ways) {
    return ways == HELD << 1 ? YT_ONE : ways == HELD ? -YT_ONE : 0;
}

/* `last`: of two the one that was pressed last counts; else the first. Arguments: alive, back,
 * forth. */
static yt_q16 choose(const yt_call *call, bool last) {
    uint32_t both = HELD | HELD << 1, before = *call->state & both, begins = look_at(call);
    uint32_t held = *call->state & both;
    if (held == both && begins) {
        uint32_t chosen = begins == both ? 0 : last ? begins : before;
        *call->state = (*call->state & ~(both * (COUNTS / HELD))) | chosen * (COUNTS / HELD);
    }
    if (held == both)
        return way_of(*call->state / (COUNTS / HELD) & both);
    return way_of(held);
}

static yt_q16 yt_do_last_wins(const yt_call *call) {
    return choose(call, true);
}

static yt_q16 yt_do_first_wins(const yt_call *call) {
    return choose(call, false);
}

#define YT_ONLY_GROUP YT_GROUP_WAYS
#include "run/functions/table.h"

const yt_group yt_group_ways = {functions, sizeof functions / sizeof functions[0]};
