/* What the cell makes of what drives it, from one end of its way to the other. */
#ifndef YONDER_TOOL_CURVE_H
#define YONDER_TOOL_CURVE_H

#include "tool/assign/assign.h"

#define CURVE_POINTS 61

typedef struct curve {
    const char *text; /* of the draft, that it is of; and for which cell: */
    unsigned target, layer;
    bool is_there;
    char from[120];         /* what is swept */
    double lowest, highest; /* of it, and of what comes out */
    double out_lowest, out_highest;
    double out[CURVE_POINTS];
} curve;

/* Brings it up to date; false: there is none, as a switch drives it, or a formula of several. */
bool curve_take(curve *curve, const assign *assign);

/* What comes out for a value that goes in. */
double curve_at(const curve *curve, double in);

#endif
