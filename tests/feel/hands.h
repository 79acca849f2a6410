/* Sticks with a gate, and the hands that turn them around, rest in their notches and let them go:
 * for tests of calibration. Written apart from the core, in double precision. Positions are of half
 * a stick's range, angles in degrees, clockwise from straight up, times in seconds. */
#ifndef YONDER_TESTS_HANDS_H
#define YONDER_TESTS_HANDS_H

#include "tests/harness.h"

typedef enum hand_gate { GATE_ROUND, GATE_SQUARE, GATE_OCTAGON } hand_gate;

typedef struct hand_stick {
    hand_gate gate;
    double centre[2]; /* where it rests, of the range */
    double scale[2];  /* what its way becomes, of the range, to the right or below */
    double back[2];   /* and to the left or above, of that */
    double off[2];    /* how far the gate's middle is from where it rests */
    double scatter;   /* how far from its rest friction leaves it, at most */
    double noise;     /* of a reading: one standard deviation */
    double frequency; /* Hz, of its spring */
    double damping;
    unsigned bits;    /* of a reading */
    double rate;      /* readings a second */
    double notch[16]; /* angles of its notches, as it was made */
    unsigned notches;
} hand_stick;

/* Told of each reading. */
typedef void hand_told(void *context, double at, const int32_t raw[2]);

typedef struct hand {
    const hand_stick *stick;
    dice *dice;
    hand_told *told;
    void *context;
    double now;  /* of the last reading */
    double x, y; /* where the stick is */
    double rest[2];
} hand;

void hand_begins(hand *hand, const hand_stick *stick, dice *dice, hand_told *told, void *context);

/* Leaves the stick where it is. `touch`: how far a thumb that lies on it pushes it. */
void hand_waits(hand *hand, double seconds, double touch);

/* Goes around along the rim: so many turns, so many a second; for a share of the time it does not
 * press against the rim. */
void hand_turns(hand *hand, double turns, double a_second, double lifts);

/* Goes to a direction, waits there, and lets go; the spring does the rest. */
void hand_lets_go(hand *hand, double angle, double reach, double waits);

/* Goes into a notch, and rests in it. */
void hand_rests_in(hand *hand, unsigned notch, double seconds);

/* How far the rim is from where the stick rests, in a direction; and what a place reads as, without
 * noise. */
double hand_rim(const hand_stick *stick, double angle);
void hand_reads(const hand_stick *stick, double x, double y, int32_t raw[2]);

#endif
