/* What --in plugs into a simulated adapter. */
#ifndef YONDER_TOOL_PLUGS_H
#define YONDER_TOOL_PLUGS_H

#include "tool/options.h"
#include "tool/tool.h"

typedef struct plugged {
    recording recordings[YT_DEVICES];
    sim_plug plugs[YT_DEVICES];
    unsigned count;
    calibrations calibrations;
} plugged;

/* Says where a simulation stopped at its limit, and how much the whole would be. False. */
bool limit_reached(const simulation *simulation, const char *path);

/* Reads what `[NAME=]RECORDING` names. False: said on standard error. */
bool plugged_add(plugged *plugged, const profile *profile, const char *argument);
void plugged_free(plugged *plugged);

/* Uses calibrations for what is plugged into a simulation that has begun. False: said on standard
 * error. */
bool plugged_calibrate(plugged *plugged, simulation *simulation, const calibration_files *files);

#endif
