/* Where up is, by a gyro and an accelerometer: a vector that turns against what the gyro says, and
 * goes slowly to where the accelerometer is pulled (a complementary filter).
 *
 * The axes are those of a device that lies flat: x to the right, y away, z up; a turn is positive
 * as a right hand's fingers point where the thumb is the axis. Rates are Q16.16 degrees a second,
 * pull is Q16.16 g. A part of the vector has 30 bits behind the point; it is 1 long, within 0.1 %,
 * once it is turned by less than 15 degrees at a time. */
#ifndef YONDER_SIGNAL_UPWARD_H
#define YONDER_SIGNAL_UPWARD_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/value.h"

#define YT_UPWARD_ONE (1 << 30)

/* The product of two numbers with 30 bits behind the point, the first up to 2, the second below 2;
 * towards 0, at most 8 short of the exact one. Of a Q16.16 and such a number it is one of Q16.16.
 */
int32_t yt_upward_product(int32_t a, int32_t b);

/* Whether a pull is that of the earth and of little else: 0.7 to 1.3 g. */
bool yt_upward_is_pull(const yt_q16 pull[3]);

/* Begins where a pull points to, which is that of the earth. */
void yt_upward_begin(int32_t up[3], const yt_q16 pull[3]);

/* Turns it for some time, by 28 degrees at most. */
void yt_upward_turn(int32_t up[3], const yt_q16 rates[3], uint32_t us);

/* Draws it to a pull that is that of the earth, with a time constant of 1.05 s; of a 4th, or a
 * 16th, of that, where `haste` is 2 or 4: so it soon knows better than the first reading did. */
void yt_upward_draw(int32_t up[3], const yt_q16 pull[3], uint32_t us, unsigned haste);

#endif
