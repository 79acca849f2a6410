/* The demos beside the first one. Each prints what it does and leaves a picture in `out`. False:
 * said on standard error. */
#ifndef YONDER_TOOL_DEMOS_H
#define YONDER_TOOL_DEMOS_H

#include <stdbool.h>

bool demo_exhibition(const char *data, const char *out);
bool demo_desk(const char *data, const char *out);
bool demo_radio(const char *data, const char *out);
bool demo_jetty(const char *data, const char *out);
bool demo_slots(const char *data, const char *out);
bool demo_link(const char *data, const char *out);
bool demo_panel(const char *data, const char *out);

typedef int demo_command(int count, char **words);

/* Shows a call as a person types it, and does it. The words end with NULL. */
bool demo_call(demo_command *run, const char *first, ...);

#endif
