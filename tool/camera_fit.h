/* What a host's camera does, from what a person saw: how far a view turned while the stick was held
 * somewhere for a time. Numbers in, numbers out; nothing is printed. */
#ifndef YONDER_TOOL_CAMERA_FIT_H
#define YONDER_TOOL_CAMERA_FIT_H

#include <stdbool.h>
#include <stddef.h>

#define CAMERA_SEEN 16

/* A stick that was held `out` of its way (0 to 1): the view turned so often in a time. */
typedef struct camera_seen {
    double out;
    double turns;
    double seconds;
    bool is_vertical;
} camera_seen;

/* A view turns rate * ((out - dead) / (1 - dead)) ^ power degrees a second. */
typedef struct camera_model {
    double rate; /* degrees a second */
    double dead;
    double power;
    double vertical;    /* of the rate, up and down */
    double off;         /* the most that what was seen is off it, of that */
    double power_about; /* the power is known to within so much, where turns are read to a 20th */
} camera_model;

/* `smallest`: the least stick that moves the view, found in steps of `step`. False: nothing fits,
 * and `why` says what is wrong with which of them. */
bool camera_fit(const camera_seen *seen, size_t count, double smallest, double step,
                camera_model *model, char *why, size_t size);

#endif
