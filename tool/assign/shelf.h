/* What is on an adapter beside the profile that is worked on: tried there, kept, taken back. */
#ifndef YONDER_TOOL_SHELF_H
#define YONDER_TOOL_SHELF_H

#include "tool/slots.h"

#define SHELF_SLOTS 64

typedef enum shelf_state { SHELF_EMPTY, SHELF_SAME, SHELF_OTHER } shelf_state;

typedef struct shelf {
    const holder_options *options; /* which adapter; none is named: the only one that there is */
    holder holder;
    bool is_open;                    /* it is there, and talked to */
    shelf_state states[SHELF_SLOTS]; /* of each slot, against the profile */
    char names[SHELF_SLOTS][YT_STORE_NAME + 1];
    unsigned active;        /* the slot that starts */
    bool tries;             /* the profile is tried: */
    unsigned tried, before; /* in a slot that was empty; and which one started before */
} shelf;

/* Finds the adapter, once. False: said on standard error. */
bool shelf_open(shelf *shelf);
void shelf_close(shelf *shelf);

/* Looks at all slots. False: said on standard error. */
bool shelf_look(shelf *shelf, profile *profile);

/* Puts the profile into a slot, which holds it then. False: said on standard error. */
bool shelf_put(shelf *shelf, profile *profile, unsigned slot);

/* Lets the adapter run it from a slot that is empty. False: said on standard error. */
bool shelf_try(shelf *shelf, profile *profile);

/* All is as it was before it was tried. False: said on standard error. */
bool shelf_take_back(shelf *shelf);

#endif
