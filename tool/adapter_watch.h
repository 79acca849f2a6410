/* Watching an adapter: what comes in and goes out, and its parameters, turned and felt at once. */
#ifndef YONDER_TOOL_ADAPTER_WATCH_H
#define YONDER_TOOL_ADAPTER_WATCH_H

#include "tool/holder.h"

/* `at`: where, NULL: the only one. `plain`: a line for each change, until a signal comes. False:
 * said. */
bool adapter_watch(const char *at, bool plain, bool json);

#endif
