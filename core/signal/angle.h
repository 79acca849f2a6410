/* Sticks by their angle and their length: the arithmetic of CORDIC (J. Volder, "The CORDIC
 * trigonometric computing technique", 1959), by shifts and sums alone.
 *
 * Angles are Q16.16 degrees, clockwise, since y points down: 0 is up, 90 to the right. Numbers are
 * taken up to 8 from 0; what comes out is within 1/65536 of the exact result for sticks, up to 2.
 */
#ifndef YONDER_SIGNAL_ANGLE_H
#define YONDER_SIGNAL_ANGLE_H

#include "yonder/value.h"

#define YT_TURN (360 * YT_ONE)

/* The angle of (x, y), from 0 to less than 360 degrees, and in `length` how far that is from 0. Of
 * (0, 0) both are 0. */
yt_q16 yt_angle_of(yt_q16 x, yt_q16 y, yt_q16 *length);

/* Turns (x, y) clockwise by an angle of any size. */
void yt_angle_turn(yt_q16 *x, yt_q16 *y, yt_q16 angle);

/* An angle as one of 0 to less than 360 degrees. */
yt_q16 yt_angle_whole(yt_q16 angle);

#endif
