/* Runs the tests inside a profile on a simulated adapter, and shows those that fail. */
#ifndef YONDER_TOOL_TRIAL_H
#define YONDER_TOOL_TRIAL_H

#include "tool/tool.h"

/* Runs them all; prints a line for all of them, and for each that fails a small timeline. Returns
 * how many failed. */
unsigned run_profile_tests(const profile *profile, FILE *file);

#endif
