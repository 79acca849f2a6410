/* What goes on inside while a profile is played: layers that are on, macros' steps, and how long
 * what an output is told takes to its host. */
#ifndef YONDER_TOOL_INSIDE_H
#define YONDER_TOOL_INSIDE_H

#include "tool/tool.h"

/* A layer went on or off; a macro is at another step. */
typedef struct inside_change {
    uint64_t time_us;
    unsigned lane; /* the layers in their order, the lowest first, then the macros */
    int value;     /* 1 or 0; of a macro the step, from 1; 0: it does not run */
} inside_change;

typedef struct inside {
    const profile *profile;
    const simulation *simulation;
    inside_change *list;
    size_t count, room;
    unsigned lane_count, layer_count;
    const unsigned *sequences;      /* of the macros: the nodes that tell their steps */
    int *now;                       /* of each lane */
    int32_t *told;                  /* of each output's control: its value now, */
    struct inside_waiting *waiting; /* and what of it is not with its host yet */
    uint64_t *delays_us;            /* of all that got there */
    size_t delay_count, delay_room;
} inside;

/* Begins, when the simulation has. Ends the program where there is no memory. */
void inside_begin(inside *inside, const profile *profile, const simulation *simulation);
void inside_free(inside *inside);

/* After each step of the simulation; and of each change that a host saw. */
void inside_settled(inside *inside);
void inside_seen(inside *inside, const sim_change *change);

const char *inside_lane_name(const inside *inside, unsigned lane);

/* The middle and the worst of the delays, of motion none; false: there are none. */
bool inside_delays(inside *inside, uint64_t *median_us, uint64_t *worst_us);

#endif
