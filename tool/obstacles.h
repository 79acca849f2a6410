/* What `yonder obstacles` looks at, and what it has found. */
#ifndef YONDER_TOOL_OBSTACLES_H
#define YONDER_TOOL_OBSTACLES_H

#include <jansson.h>

#include "tool/served.h"

typedef enum state { FINE, WARNING, OBSTACLE } state;

typedef struct looking {
    served_options outputs;
    json_t *list;
    bool is_obstructed;
    char user[64];
} looking;

/* Notes something; `mend` is the command that mends it, or NULL. */
void found(looking *looking, state state, const char *what, const char *mend)
    __attribute__((nonnull(1, 3)));

/* What comes in, and what goes out, in the order in which people get stuck. */
void look_at_devices(looking *looking);
void look_at_outputs(looking *looking);

#endif
