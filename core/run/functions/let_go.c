/* Sticks that swing when they are let go: each axis for itself, by the same spring. */
#include "run/functions.h"
#include "signal/swing.h"

#define WORDS (sizeof(yt_swing) / sizeof(uint32_t))

/* Behind the first word of its state stand those of both axes. Arguments: alive, x, y, the spring.
 */
static yt_q16 yt_do_letting_go(const yt_call *call) {
    yt_swing *axes = (yt_swing *)(call->state + 1);
    uint32_t now_us = (uint32_t)yt_call_now(call), wait_us[2];
    const yt_instruction *at = call->arguments + 3;
    yt_spring spring = {0, 0, 0};
    _Static_assert(1 + 2 * WORDS == 79, "as functions.def has it");
    if (call->count == 6)
        spring = (yt_spring){(uint32_t)yt_here(at), (uint32_t)yt_here(at + 1),
                             (uint32_t)yt_here(at + 2)};
    yt_q16 x = yt_argument(call, 1), y = yt_argument(call, 2);
    bool holds_x = yt_swing_is_held(&axes[0], x), holds_y = yt_swing_is_held(&axes[1], y);
    x = yt_swing_step(&axes[0], &spring, x, holds_y, now_us, &wait_us[0]);
    y = yt_swing_step(&axes[1], &spring, y, holds_x, now_us, &wait_us[1]);
    uint32_t wait = wait_us[0];
    if (wait == 0 || (wait_us[1] != 0 && wait_us[1] < wait))
        wait = wait_us[1];
    if (wait != 0)
        yt_wait_for(call, (yt_q16)wait);
    else
        yt_wait_no_more(call);
    yt_give(call, 1, y);
    return x;
}

#define YT_ONLY_GROUP YT_GROUP_LET_GO
#include "run/functions/table.h"

const yt_group yt_group_let_go = {functions, sizeof functions / sizeof functions[0]};
