/* Macros: a press begins a sequence of steps, each with its time. */
#include "run/functions.h"

#define AGAIN_RESTART (1 * YT_ONE)
#define AGAIN_STOP    (2 * YT_ONE)
#define AGAIN_QUEUE   (3 * YT_ONE)

/* state[1]: how often it ran since its press; in its upper half, how many presses wait. */
#define RUN       1u
#define WAITING   0x10000u
#define MOST_RUNS 0xffffu
#define MOST_WAIT 9u

#define FIRST_TIME 4 /* the argument */

static yt_q16 begin(const yt_call *call) {
    call->state[1] &= ~MOST_RUNS;
    yt_wait_for(call, yt_argument(call, FIRST_TIME));
    return YT_ONE;
}

static yt_q16 end(const yt_call *call) {
    yt_wait_no_more(call);
    call->state[1] = 0;
    return 0;
}

/* All steps are over: whether they begin anew. */
static bool runs_again(const yt_call *call) {
    yt_q16 repeats = yt_argument(call, 3);
    uint32_t *state = &call->state[1];
    if ((*state & MOST_RUNS) < MOST_RUNS)
        *state += RUN;
    if (repeats < 0 || (repeats == 0 && (*call->state & YT_STATE_WAS_ON)) ||
        (int64_t)(*state & MOST_RUNS) * YT_ONE < repeats)
        return true;
    if (*state < WAITING)
        return false;
    *state = (*state & ~MOST_RUNS) - WAITING;
    return true;
}

/* Arguments: alive, press, what a further press does, how often it runs, how long each step
 * takes. */
static yt_q16 yt_do_sequence(const yt_call *call) {
    unsigned step = (unsigned)(call->before / YT_ONE), steps = call->count - FIRST_TIME;
    if (yt_goes_on(call)) {
        yt_q16 again = yt_argument(call, 2);
        if (step == 0 || again == AGAIN_RESTART)
            return begin(call);
        if (again == AGAIN_STOP)
            return end(call);
        if (again == AGAIN_QUEUE && call->state[1] / WAITING < MOST_WAIT)
            call->state[1] += WAITING;
    }
    if (!yt_has_ended(call))
        return call->before;
    if (step >= steps && !runs_again(call))
        return end(call);
    step = step >= steps ? 0 : step;
    yt_wait_until(call, yt_call_due(call), yt_argument(call, FIRST_TIME + step));
    return (yt_q16)(step + 1) * YT_ONE;
}

#define YT_ONLY_GROUP YT_GROUP_MACROS
#include "run/functions/table.h"

const yt_group yt_group_macros = {functions, sizeof functions / sizeof functions[0]};
