/* A formula's curve, or a stick's field, in the terminal, with where it is now. */
#ifndef YONDER_TOOL_PLOT_LIVE_H
#define YONDER_TOOL_PLOT_LIVE_H

#include "tool/calibrations.h"
#include "tool/sweep.h"

typedef struct live_options {
    const char *profile, *output, *over;
    const char *device; /* a node or a recording */
    double speed;       /* of a recording; 0: as fast as the machine allows, printed only */
    bool plain;         /* print a line for each change */
    calibration_files calibrations;
} live_options;

/* Until it is left, or a recording is over. False: said on standard error. */
bool plot_live(const live_options *options);

#endif
