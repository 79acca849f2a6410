/* A profile's outputs while one of its inputs is swept, without a device. */
#ifndef YONDER_TOOL_SWEEP_H
#define YONDER_TOOL_SWEEP_H

#include "tool/tool.h"

/* A control of an input, or a stick's two. */
typedef struct swept_input {
    unsigned controls[2]; /* of the program */
    bool is_stick;
    unsigned kind;      /* yt_kind */
    const char *unit;   /* of a rate, or "mm" of a level's travel; else NULL */
    double unit_amount; /* of "mm": the whole travel */
} swept_input;

/* A control of an output, or a stick's two. */
typedef struct swept_output {
    unsigned roots[2]; /* of the program */
    bool is_stick;
    unsigned kind;
} swept_output;

/* Finds them by their full names ("hand.left_stick", "pad.left_stick.x"). False: said. */
bool sweep_find_input(const profile *profile, const char *path, const char *name,
                      swept_input *input);
bool sweep_find_output(const profile *profile, const char *path, const char *name,
                       swept_output *output);

typedef struct sweep {
    yt_engine engine;
    yt_port port;
    uint64_t *memory;
    uint64_t now_us;
    const profile *profile;
} sweep;

/* Begins, all at rest. False: said. */
bool sweep_begin(sweep *sweep, const profile *profile, const char *path);
void sweep_end(sweep *sweep);

/* Sets an input to a value (of a stick both), lets 20 ms go by, and tells what comes out. */
void sweep_step(sweep *sweep, const swept_input *input, const double in[2],
                const swept_output *output, double out[2]);

/* From where to where an input is swept, and in which unit its values are shown. */
double sweep_lowest(const swept_input *input);
double sweep_highest(const swept_input *input);
const char *sweep_unit(const swept_input *input);
double sweep_shown(const swept_input *input, double value);

/* What comes out of an engine that runs the profile, -1 to 1. */
double sweep_value(const yt_engine *engine, const profile *profile, unsigned root);

#endif
