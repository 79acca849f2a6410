/* What hands do and what comes of it, seen and written down as a test of a profile. Keys and
 * buttons are noted at once, sticks and triggers where they rest; motion is left out. */
#ifndef YONDER_TOOL_WITNESS_H
#define YONDER_TOOL_WITNESS_H

#include "tool/assign/hands.h"

#define WITNESS_EVENTS 200
#define WITNESS_BYTES  24000

typedef struct witness {
    hands *hands;
    double *inputs;                 /* of each device's controls: what was noted last, */
    double *latest;                 /* what it is, */
    uint64_t *still;                /* and since when */
    double outputs[PANEL_CONTROLS]; /* what was expected last, */
    double now[PANEL_CONTROLS];     /* and what it is */
    uint64_t begin_us, event_us, last_us;
    unsigned events;
    bool is_moving;  /* a stick or a trigger is on its way */
    bool is_full;    /* there were more of them */
    bool has_motion; /* something was moved that is left out */
    char did[WITNESS_BYTES], came[WITNESS_BYTES];
} witness;

/* From now on. */
void witness_begin(witness *witness, hands *hands);

/* Until now: the lines of the test behind its name, into `text` of 2 * WITNESS_BYTES + 100. False:
 * nothing was done, or nothing came of it. */
bool witness_end(witness *witness, char *text);

/* Without them. */
void witness_drop(witness *witness);

#endif
