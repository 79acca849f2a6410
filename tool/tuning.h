/* Puts what was measured of a part into a profile's formulas. */
#ifndef YONDER_TOOL_TUNING_H
#define YONDER_TOOL_TUNING_H

#include "tool/measuring.h"
#include "tool/rewriting.h"

/* The inputs of a profile that a recording's device is taken for, a bit each. */
uint32_t tuning_inputs(const rewriting *rewriting, recording *recording, unsigned device);

/* Whether a formula has the part of one of these inputs as a whole. */
bool tuning_uses(const rewriting *rewriting, uint32_t inputs, const char *part);

/* Puts a setting wherever one has: the function's own arguments where it is called already, a
 * parameter's value where an argument is one, else the call around the part, behind those that
 * belong in front of it. A `pressed` is not touched. False: it could not, which is said on
 * standard error; the text is as it was then. */
bool tuning_put(rewriting *rewriting, uint32_t inputs, const char *part,
                const measure_setting *setting);

#endif
