/* Where a stick points to, how far, and for how long. */
#include "run/functions.h"
#include "signal/angle.h"
#include "signal/fixed.h"

static yt_q16 yt_do_length(const yt_call *call) {
    yt_q16 length;
    yt_angle_of(yt_argument(call, 0), yt_argument(call, 1), &length);
    return length;
}

static yt_q16 yt_do_angle(const yt_call *call) {
    yt_q16 length;
    return yt_angle_of(yt_argument(call, 0), yt_argument(call, 1), &length);
}

/* Arguments: x, y, by how much. */
static yt_q16 yt_do_rotate(const yt_call *call) {
    yt_q16 x = yt_argument(call, 0), y = yt_argument(call, 1);
    yt_angle_turn(&x, &y, yt_argument(call, 2));
    yt_give(call, 1, y);
    return x;
}

static yt_q16 size_of(yt_q16 value) {
    return value < 0 ? yt_q16_subtract(0, value) : value;
}

/* Where both directions are out, the stick lies at the angle, as far out as the farther of them.
 * Arguments: x, y, angle. */
static yt_q16 yt_do_diagonal(const yt_call *call) {
    yt_q16 x = yt_argument(call, 0), y = yt_argument(call, 1);
    if (x != 0 && y != 0) {
        yt_q16 out = size_of(x) > size_of(y) ? size_of(x) : size_of(y), up = 0;
        yt_angle_turn(&out, &up, yt_argument(call, 2));
        x = x < 0 ? -out : out;
        y = y < 0 ? -up : up;
    }
    yt_give(call, 1, y);
    return x;
}

/* Whether an angle lies in a sector around its middle, which is wider on both sides by some
 * degrees. */
static bool is_in(yt_q16 angle, yt_q16 middle, yt_q16 wide, yt_q16 more) {
    return yt_angle_whole(angle - middle + wide / 2 + more) < wide + 2 * more;
}

#define SECTOR_EDGE  (5 * YT_ONE)
#define MOST_SECTORS 16

/* Of 2 sectors and more; there is no division here. */
static const yt_q16 sector_widths[MOST_SECTORS - 1] = {
    YT_TURN / 2,  YT_TURN / 3,  YT_TURN / 4,  YT_TURN / 5,  YT_TURN / 6,
    YT_TURN / 7,  YT_TURN / 8,  YT_TURN / 9,  YT_TURN / 10, YT_TURN / 11,
    YT_TURN / 12, YT_TURN / 13, YT_TURN / 14, YT_TURN / 15, YT_TURN / 16};

/* The sector of an angle. Two neighbours together are as wide as two equal ones; the first of them,
 * and each second one from there, is `wide`. */
static unsigned sector_of(yt_q16 angle, unsigned count, yt_q16 equal, yt_q16 wide) {
    unsigned sector = 1;
    angle = yt_angle_whole(angle + wide / 2);
    for (int half = MOST_SECTORS / 4; half > 0; half /= 2)
        if (angle >= 2 * equal * half) {
            angle -= 2 * equal * half;
            sector += 2 * (unsigned)half;
        }
    sector += angle >= wide;
    return sector < count ? sector : count; /* widths are rounded */
}

/* state[0] is the sector that it is in. Arguments: x, y, how many, how far out, how far back, how
 * wide the first and each second one are; 0: all are equal. */
static yt_q16 yt_do_sector(const yt_call *call) {
    unsigned count = (uint32_t)yt_argument(call, 2) / (uint32_t)YT_ONE, sector = *call->state;
    yt_q16 length, angle = yt_angle_of(yt_argument(call, 0), yt_argument(call, 1), &length);
    if (count < 2 || count > MOST_SECTORS || length == 0 ||
        length < yt_argument(call, sector ? 4 : 3)) {
        *call->state = 0;
        return 0;
    }
    yt_q16 equal = sector_widths[count - 2], wide = yt_argument(call, 5);
    wide = wide <= 0 ? equal : wide > 2 * equal ? 2 * equal : wide;
    yt_q16 own = sector % 2 ? wide : 2 * equal - wide;
    yt_q16 edge = own / 4 < SECTOR_EDGE ? own / 4 : SECTOR_EDGE;
    if (sector == 0 || sector > count || !is_in(angle, (yt_q16)(sector - 1) * equal, own, edge))
        sector = sector_of(angle, count, equal, wide);
    *call->state = sector;
    return (yt_q16)sector * YT_ONE;
}

#define AT_REST (YT_ONE / 16)

static bool is_out(yt_q16 x, yt_q16 y) {
    return size_of(x) > AT_REST || size_of(y) > AT_REST;
}

/* The stick that leads does so until it rests; state[0]: 1 the first, 2 the second. */
static yt_q16 yt_do_first_used(const yt_call *call) {
    bool out[2] = {is_out(yt_argument(call, 0), yt_argument(call, 1)),
                   is_out(yt_argument(call, 2), yt_argument(call, 3))};
    unsigned leads = *call->state;
    if (leads == 0 || !out[leads - 1])
        leads = out[0] ? 1 : out[1] ? 2 : 0;
    *call->state = leads;
    unsigned first = leads == 2 ? 2 : 0;
    yt_give(call, 1, yt_argument(call, first + 1));
    return yt_argument(call, first);
}

enum { DWELL_FLAGS, DWELL_X, DWELL_Y };

/* Where it was when it began to wait is kept. Arguments: alive, x, y, how far it may stray, how
 * long it must stay. */
static yt_q16 yt_do_dwell(const yt_call *call) {
    yt_q16 x = yt_argument(call, 1), y = yt_argument(call, 2), stray = yt_argument(call, 3);
    uint32_t *state = call->state;
    bool moves = size_of(yt_q16_subtract(x, (yt_q16)state[DWELL_X])) > stray ||
                 size_of(yt_q16_subtract(y, (yt_q16)state[DWELL_Y])) > stray;
    if (moves) {
        state[DWELL_X] = (uint32_t)x;
        state[DWELL_Y] = (uint32_t)y;
        *state &= ~YT_STATE_GIVES;
        yt_wait_for(call, yt_argument(call, 4));
    } else if (yt_has_ended(call)) {
        *state = (*state & ~YT_STATE_WAITS) | YT_STATE_GIVES;
    }
    return *state & YT_STATE_GIVES ? YT_ONE : 0;
}

#define YT_ONLY_GROUP YT_GROUP_DIRECTIONS
#include "run/functions/table.h"

const yt_group yt_group_directions = {functions, sizeof functions / sizeof functions[0]};
