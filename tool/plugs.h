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

#define LIMIT_REPORTS UINT64_C(1000000) /* reports out, where --limit says nothing */

/* The option --limit of commands that play recordings. */
#define OPTION_LIMIT 999
#define LIMIT_OPTION                                                                               \
    {                                                                                              \
        "limit", OPTION_LIMIT, "REPORTS", 0,                                                       \
            "stop where a host would get more reports than this; 1000000 if not given", 0          \
    }

/* The number that --limit takes; ends the program where it is none. */
uint64_t limit_argument(struct argp_state *state, const char *argument);

/* Says where a simulation stopped at its limit, and how much the whole would be. False. */
bool limit_reached(const simulation *simulation, const char *path);

/* Keeps an argument of --in for later; ends the program where it cannot be one. `arguments` has
 * room for YT_DEVICES. */
void plug_argument(struct argp_state *state, const char *argument, const char **arguments,
                   unsigned *count);

/* Reads what `[NAME=]RECORDING` names. False: said on standard error. */
bool plugged_add(plugged *plugged, const profile *profile, const char *argument);
void plugged_free(plugged *plugged);

#endif
