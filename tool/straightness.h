/* How straight the two axes of a stick are, by its rim. Numbers in, numbers out. */
#ifndef YONDER_TOOL_STRAIGHTNESS_H
#define YONDER_TOOL_STRAIGHTNESS_H

#include <stdbool.h>
#include <stddef.h>

typedef struct rim_point {
    double at[2]; /* where the stick is read, -1 to 1 */
} rim_point;

/* The rim of a round gate is a circle, however the stick is read: what has to be done to each axis
 * to make it one, by a polynomial of the third order, tells how straight that is. Its third order
 * is taken to be that of both axes, as a rim does not tell which it is of. `rest` is where it
 * rests; `off` becomes how far each axis is from the straight line through its ends, of half its
 * way. False: it was not turned around, or its gate is not round. */
bool straightness(const rim_point *points, size_t count, const double rest[2], double off[2]);

#endif
