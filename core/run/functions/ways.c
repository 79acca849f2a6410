/* Which of two opposite ways counts while both are pressed. */
#include "run/functions.h"
#include "signal/fixed.h"

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

/* Arguments: back, forth. */
static yt_q16 yt_do_forth_wins(const yt_call *call) {
    return yt_argument(call, 1) != 0 ? YT_ONE : yt_argument(call, 0) != 0 ? -YT_ONE : 0;
}

static yt_q16 yt_do_back_wins(const yt_call *call) {
    return yt_argument(call, 0) != 0 ? -YT_ONE : yt_argument(call, 1) != 0 ? YT_ONE : 0;
}

#define RESTS      0u
#define GOES_BACK  1u
#define GOES_FORTH 2u

/* state[0] is which way leads. It does so until the other is deeper by a lead, or until it rests.
 * Arguments: back, forth, lead. */
static yt_q16 yt_do_deeper_wins(const yt_call *call) {
    yt_q16 back = yt_argument(call, 0), forth = yt_argument(call, 1);
    yt_q16 ahead = yt_q16_subtract(forth, back), lead = yt_argument(call, 2);
    uint32_t way = *call->state;
    if (way == GOES_BACK ? back <= 0 || ahead >= lead
                         : forth <= 0 || ahead <= yt_q16_subtract(0, lead))
        way = RESTS;
    if (way == RESTS)
        way = ahead > 0 ? GOES_FORTH : ahead < 0 ? GOES_BACK : RESTS;
    *call->state = way;
    return way == GOES_FORTH ? forth : way == GOES_BACK ? yt_q16_subtract(0, back) : 0;
}

#define YT_ONLY_GROUP YT_GROUP_WAYS
#include "run/functions/table.h"

const yt_group yt_group_ways = {functions, sizeof functions / sizeof functions[0]};
