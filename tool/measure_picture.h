/* What was measured of a part, as a picture: how often it is where at rest, and what it does when
 * it is let go. */
#ifndef YONDER_TOOL_MEASURE_PICTURE_H
#define YONDER_TOOL_MEASURE_PICTURE_H

#include "tool/measuring.h"

/* `setting`: what is said to be set first, a share from 0 on; NULL: nothing is. False: said on
 * standard error. */
bool draw_measure(const char *path, const char *title, const calibrating *calibrating,
                  const part_measure *measure, const measure_setting *setting);

#endif
