/* Which adapters there are. */
#ifndef YONDER_TOOL_FINDING_H
#define YONDER_TOOL_FINDING_H

#include <stdbool.h>
#include <stddef.h>

#define ADAPTERS 16

typedef struct found_adapter {
    char path[128];
    char name[130];
} found_adapter;

/* Those at hidraw nodes, and a simulated one that is served where it usually is. */
size_t find_adapters(found_adapter *found, size_t most);

/* The path of the only one. False: there is none, or there are several, which is said. */
bool find_adapter(char *path, size_t size);

#endif
