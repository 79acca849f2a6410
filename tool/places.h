/* Where the command keeps what is only for a while: the doors of a simulated adapter, and what
 * it remembers of adapters that it talks to. A folder of the user's own, which nobody else may
 * read. */
#ifndef YONDER_TOOL_PLACES_H
#define YONDER_TOOL_PLACES_H

#include <stdbool.h>
#include <stddef.h>

/* The folder itself, made where it is not there; false: said on standard error. */
bool place_for_now(char *path, size_t size);

/* That of a simulated adapter which was not told another one. */
const char *place_of_sim(char *path, size_t size);

#endif
