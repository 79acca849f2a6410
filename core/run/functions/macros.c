/* Macros: a press begins a sequence of steps, each with its time. */
#include "run/functions.h"

/* Arguments: alive, press, how long each step takes. A press while it runs does nothing. */
static yt_q16 yt_do_sequence(const yt_call *call) {
    unsigned step = (unsigned)(call->before / YT_ONE), steps = call->count - 2u;
    if (yt_goes_on(call) && step == 0) {
        yt_wait_for(call, yt_argument(call, 2));
        return YT_ONE;
    }
    if (!yt_has_ended(call))
        return call->before;
    if (step >= steps) {
        *call->state &= ~YT_STATE_WAITS;
        return 0;
    }
    yt_wait_until(call, yt_call_due(call), yt_argument(call, step + 2));
    return call->before + YT_ONE;
}

#define YT_ONLY_GROUP YT_GROUP_MACROS
#include "run/functions/table.h"

const yt_group yt_group_macros = {functions, sizeof functions / sizeof functions[0]};
