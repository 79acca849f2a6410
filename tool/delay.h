/* How long it takes from a report in to a report out of a profile. */
#ifndef YONDER_TOOL_DELAY_H
#define YONDER_TOOL_DELAY_H

#include "tool/tool.h"

/* Plays a recording through a profile, to a host that asks at an interval; several times, as nobody
 * knows at which moment within it. `list` becomes how long each report out came behind the last
 * change that the profile reads, in ms, the shortest first; to be freed. False: said on standard
 * error. */
bool measure_delays(const char *path, recording *recording, uint64_t poll_us, double **list,
                    size_t *count);

#endif
