/* `yonder calibrate --show --json`: what a calibration is, for programs. */
#ifndef YONDER_TOOL_CALIBRATION_JSON_H
#define YONDER_TOOL_CALIBRATION_JSON_H

#include <jansson.h>

#include "yonder/calibration.h"

/* The part, and by its kind where it rests and how far it goes. */
json_t *calibration_as_json(const yt_calibration *record);

#endif
