/* What --in plugs into a simulated adapter. */
#ifndef YONDER_TOOL_PLUGS_H
#define YONDER_TOOL_PLUGS_H

#include <argp.h>

#include "tool/tool.h"

typedef struct plugged {
    recording recordings[YT_DEVICES];
    sim_plug plugs[YT_DEVICES];
    unsigned count;
} plugged;

/* Keeps an argument of --in for later; ends the program where it cannot be one. `arguments` has
 * room for YT_DEVICES. */
void plug_argument(struct argp_state *state, const char *argument, const char **arguments,
                   unsigned *count);

/* Reads what `[NAME=]RECORDING` names. False: said on standard error. */
bool plugged_add(plugged *plugged, const profile *profile, const char *argument);
void plugged_free(plugged *plugged);

#endif
