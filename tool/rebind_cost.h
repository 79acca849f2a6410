/* What it costs that outputs can be rebound on the adapter: the profile against itself without it.
 */
#ifndef YONDER_TOOL_REBIND_COST_H
#define YONDER_TOOL_REBIND_COST_H

#include <jansson.h>

#include "tool/tool.h"

/* A line for people; nothing where nothing can be rebound. */
void rebind_cost_print(const profile *profile);

/* The same for programs; null where nothing can be rebound. */
json_t *rebind_cost_json(const profile *profile);

#endif
