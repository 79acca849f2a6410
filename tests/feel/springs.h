/* Sticks on springs, and hands that hold them, move them and let them go: for tests of what a
 * stick's filters do. Written apart from the core, in double precision. */
#ifndef YONDER_TESTS_SPRINGS_H
#define YONDER_TESTS_SPRINGS_H

#include "tests/harness.h"

/* A stick, and how it is read. */
typedef struct spring_stick {
    double frequency; /* Hz, of its swing if nothing damped it */
    double damping;
    double friction; /* how far from its rest dry friction can hold it, of the whole way */
    double noise;    /* of a reading, of the whole way: one standard deviation */
    unsigned bits;   /* of a reading */
    double rate;     /* reports a second */
} spring_stick;

typedef enum spring_act {
    SPRING_LET_GO,      /* held, then let go at once */
    SPRING_SLIDE,       /* held, then a thumb slides off, over some milliseconds */
    SPRING_REVERSE,     /* moved from one side to the other */
    SPRING_ROUND,       /* moved in a circle, in the direction in which it begins, */
    SPRING_ROUND_ACROSS /* and in the other one */
} spring_act;

typedef struct spring_move {
    spring_act act;
    double from;  /* where it is held at first, -1 to 1 */
    double to;    /* where a hand moves it */
    double takes; /* how long sliding, or moving, takes, in seconds; of a circle once around */
} spring_move;

#define SPRING_BEGINS 0.1  /* seconds: when it is let go, or moved */
#define SPRING_LASTS  0.45 /* seconds */
#define SPRING_MOST   480  /* readings in that time, at 1000 a second */

typedef struct spring_reading {
    double at;    /* seconds */
    double value; /* -1 to 1 */
} spring_reading;

/* From `low` to `high`; and numbers of a normal distribution. */
double roll_between(dice *dice, double low, double high);
double roll_normal(dice *dice);

/* How far a hand has come that moves as smoothly as it can (T. Flash and N. Hogan, "The
 * coordination of arm movements", 1985), of a time from 0 to 1. */
double hand_moves(double share);

/* The readings of a stick while a hand does something with it. */
unsigned spring_play(const spring_stick *stick, const spring_move *move, dice *dice,
                     spring_reading readings[SPRING_MOST]);

#endif
