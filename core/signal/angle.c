/* CORDIC in 32 bits: each step turns by an angle whose tangent is a power of 2. All steps together
 * make what is turned longer by a known factor, which is taken out at the end. */
#include "signal/angle.h"

#include <stdbool.h>

#include "signal/fixed.h"

#define STEPS      19
#define MOST       (8 * YT_ONE)
#define GUARD_BITS 8                    /* that numbers have behind the point beyond their own 16 */
#define ANGLE_BITS 22                   /* behind the point, of a degree */
#define SHORTER    UINT32_C(2608131496) /* what the steps make longer, in 1/2^32 */
#define DEGREES(n) ((int32_t)(n) * (1 << ANGLE_BITS))

/* atan(2^-k) in degrees. */
static const int32_t step_angles[STEPS] = {
    188743680, 111421900, 58872272, 29884485, 15000234, 7507429, 3754631, 1877430, 938729, 469366,
    234683,    117342,    58671,    29335,    14668,    7334,    3667,    1833,    917};

/* A number of the steps' as one of ours, to the nearest step. */
static yt_q16 shortened(int32_t number) {
    int64_t product = (int64_t)number * SHORTER;
    return (yt_q16)((product + (INT64_C(1) << (31 + GUARD_BITS))) >> (32 + GUARD_BITS));
}

/* One step: a quarter turn's part, one way or the other. */
static inline void turn_step(int32_t *x, int32_t *y, unsigned step, bool clockwise) {
    int32_t more_x = *y >> step, more_y = *x >> step;
    *x = clockwise ? *x - more_x : *x + more_x;
    *y = clockwise ? *y + more_y : *y - more_y;
}

static int32_t taken(yt_q16 number) {
    return yt_q16_clamp(number, -MOST, MOST) * (1 << GUARD_BITS);
}

/* Turns onto the way to the right; how far that was is the angle. */
yt_q16 yt_angle_of(yt_q16 x, yt_q16 y, yt_q16 *length) {
    int32_t along = taken(x), across = taken(y), angle = DEGREES(90);
    if (x == 0 || y == 0) { /* straight ahead, exactly */
        int32_t out = along < 0 || across < 0 ? -(along + across) : along + across;
        *length = out / (1 << GUARD_BITS);
        return x > 0 ? 90 * YT_ONE : y > 0 ? 180 * YT_ONE : x < 0 ? 270 * YT_ONE : 0;
    }
    if (along < 0) {
        along = -along;
        across = -across;
        angle = DEGREES(270);
    }
    for (unsigned step = 0; step < STEPS; step++) {
        bool clockwise = across < 0;
        turn_step(&along, &across, step, clockwise);
        angle += clockwise ? -step_angles[step] : step_angles[step];
    }
    *length = shortened(along);
    yt_q16 whole = (angle + (1 << (ANGLE_BITS - 17))) >> (ANGLE_BITS - 16);
    return whole < 0 ? whole + YT_TURN : whole >= YT_TURN ? whole - YT_TURN : whole;
}

yt_q16 yt_angle_whole(yt_q16 angle) {
    while (angle < 0)
        angle += YT_TURN;
    while (angle >= YT_TURN) /* up to 91 times, as no angle is larger */
        angle -= YT_TURN;
    return angle;
}

void yt_angle_turn(yt_q16 *x, yt_q16 *y, yt_q16 angle) {
    int32_t along = taken(*x), across = taken(*y);
    angle = yt_angle_whole(angle);
    for (; angle > 45 * YT_ONE; angle -= 90 * YT_ONE) {
        int32_t before = along;
        along = -across;
        across = before;
    }
    if (angle == 0) {
        *x = along / (1 << GUARD_BITS);
        *y = across / (1 << GUARD_BITS);
        return;
    }
    int32_t left = angle * (1 << (ANGLE_BITS - 16));
    for (unsigned step = 0; step < STEPS; step++) {
        bool clockwise = left >= 0;
        turn_step(&along, &across, step, clockwise);
        left -= clockwise ? step_angles[step] : -step_angles[step];
    }
    *x = shortened(along);
    *y = shortened(across);
}
