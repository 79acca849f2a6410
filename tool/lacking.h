/* What a profile names of its inputs, and the devices that are plugged in have not. */
#ifndef YONDER_TOOL_LACKING_H
#define YONDER_TOOL_LACKING_H

#include "ports/sim/simulation.h"
#include "tool/tool.h"

/* Warns of each, at its place in the profile. A copy names nothing by itself; an input that nothing
 * is plugged in for is not looked at. */
void warn_of_lacking(const profile *profile, const simulation *simulation);

#endif
