/* How a host's camera turns by a stick, while a recording plays: where the hand meant it to be, and
 * where it is. */
#ifndef YONDER_TOOL_PLOT_CAMERA_H
#define YONDER_TOOL_PLOT_CAMERA_H

#include "tool/tool.h"

/* How far the view is from where the hand meant it to be, in degrees. */
typedef struct camera_off {
    double in_the_end;
    double most;
} camera_off;

/* Draws it. `output` is a stick of the profile, `in` what is plugged in, as [NAME=]RECORDING. The
 * camera is what the profile's camera_stick is told, or its `camera:`. False: said on standard
 * error.
 */
bool draw_camera(const char *path, const profile *profile, const char *profile_path,
                 const char *output, const char *in, uint64_t poll_us, camera_off *off);

#endif
