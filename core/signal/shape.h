/* Shaping sticks, triggers and axes: dead zones, curves, gates.
 *
 * A shape is a stick on its way through some stages. It is kept in its first quarter, as all stages
 * treat every direction alike, and either as x and y or as a distance with a direction; what a
 * stage needs is worked out when it is needed. Numbers have 24 bits behind the point (1.0 is 2^24),
 * directions 30. No division is done on the way: what would need one comes as an argument.
 *
 * Every stage is within 1/2^20 of the exact result for sticks within 1; the largest error is that
 * of yt_shape_end, which rounds to 1/65536. Whatever the arguments are, numbers stay below 8. */
#ifndef YONDER_SIGNAL_SHAPE_H
#define YONDER_SIGNAL_SHAPE_H

#include <stdbool.h>

#include "signal/power.h"
#include "yonder/value.h"

typedef struct yt_shape {
    uint32_t x, y;        /* where `has_sides` */
    uint32_t out;         /* the distance, */
    uint32_t right, down; /* and the direction, where `has_reach` */
    bool has_sides, has_reach;
    bool is_left, is_up;
} yt_shape;

void yt_shape_begin(yt_shape *shape, yt_q16 x, yt_q16 y);
void yt_shape_end(yt_shape *shape, yt_q16 *x, yt_q16 *y);

/* Works out what the next stage needs. */
void yt_shape_need_sides(yt_shape *shape);
void yt_shape_need_reach(yt_shape *shape);

/* A stage has set x and y, or the distance; the other form holds no longer. */
#define YT_SHAPE_MOST (8u * YT_Q24_ONE - 1)

void yt_shape_set_sides(yt_shape *shape, uint32_t x, uint32_t y);
static inline void yt_shape_set_out(yt_shape *shape, uint32_t out) {
    shape->out = out < YT_SHAPE_MOST ? out : YT_SHAPE_MOST;
    shape->has_reach = true;
    shape->has_sides = false;
}

/* Of a size, the distance or one side. Beyond 1 a size stays as it is, so that the corners of a
 * square gate are left alone. */

/* 0 up to `inner`, 1 from `end` on, straight between: `gain`, 1 / (end - inner), has 18 bits behind
 * the point; it is 32 at most. */
uint32_t yt_size_between(uint32_t size, uint32_t inner, uint32_t end, uint32_t gain);

/* One part of a curve: from `from` on, start + t * (slope + t * (bend + t * twist)) for
 * t = (size - from) * 2^shift. The last four have 19 bits behind the point. */
typedef struct yt_curve_part {
    uint32_t from;
    unsigned shift;
    int32_t start, slope, bend, twist;
} yt_curve_part;

uint32_t yt_size_on_curve(uint32_t size, const yt_curve_part *part);

/* To the power of `exponent` / 65536. */
uint32_t yt_size_power(uint32_t size, yt_q16 exponent);

/* An S: a share `bend` (1.0 is 65536) of 3 t^2 - 2 t^3, and the rest of t. */
uint32_t yt_size_s(uint32_t size, yt_q16 bend);

/* So many equal steps; `each` is 1 / count, with 24 bits behind the point. */
uint32_t yt_size_steps(uint32_t size, unsigned count, uint32_t each);

/* Never below `least` once it is not 0. */
uint32_t yt_size_at_least(uint32_t size, uint32_t least);

/* A dead zone of a side that grows with the other one, to z / (1 + z) for z = zone + grows * other.
 */
uint32_t yt_size_beside(uint32_t size, uint32_t other, uint32_t zone, uint32_t grows);

/* Gates. Radial: each direction is made longer or shorter. */
void yt_shape_to_square(yt_shape *shape);
void yt_shape_from_square(yt_shape *shape);
void yt_shape_to_octagon(yt_shape *shape);
void yt_shape_from_octagon(yt_shape *shape);

/* Between a disc and a square so that equal areas stay equal (P. Shirley and K. Chiu, "A Low
 * Distortion Map Between Disk and Square", Journal of Graphics Tools 2(3), 1997). */
void yt_shape_to_square_evenly(yt_shape *shape);
void yt_shape_from_square_evenly(yt_shape *shape);

/* Directions near straight lines become those, and near diagonals those; between them directions
 * are spread, so that nothing jumps. `straight` and `diagonal` are tangents of the angles from the
 * straight line at which that ends and begins; `gain` is
 * 1 / (diagonal - straight), with 18. */
void yt_shape_snap(yt_shape *shape, uint32_t straight, uint32_t diagonal, uint32_t gain);

#endif
