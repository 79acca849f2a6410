#include "tests/feel/springs.h"

#include <math.h>

#define PI   3.14159265358979323846
#define STEP 1e-5 /* seconds */

double roll_between(dice *dice, double low, double high) {
    return low + (high - low) * roll(dice) / 2147483648.0; /* a roll has 31 bits */
}

double roll_normal(dice *dice) {
    double a = roll_between(dice, 1e-9, 1), b = roll_between(dice, 0, 2 * PI);
    return sqrt(-2 * log(a)) * cos(b);
}

double hand_moves(double share) {
    double s = fmax(0, fmin(1, share));
    return s * s * s * (10 - 15 * s + 6 * s * s);
}

/* Where the hand wants the stick, and how firmly it has it, 0 to 1. */
static double hand_at(const spring_move *move, double now, double *grip) {
    double since = now - SPRING_BEGINS;
    *grip = 1;
    switch (move->act) {
    case SPRING_LET_GO:
        *grip = since < 0;
        return move->from;
    case SPRING_SLIDE:
        *grip = since < 0 ? 1 : fmax(0, 1 - since / move->takes);
        return move->from;
    case SPRING_ROUND:
        return move->from * (since < 0 ? 1 : cos(2 * PI * since / move->takes));
    case SPRING_ROUND_ACROSS:
        return since < 0 ? 0 : move->from * sin(2 * PI * since / move->takes);
    default:
        return move->from + (move->to - move->from) * hand_moves(since / move->takes);
    }
}

unsigned spring_play(const spring_stick *stick, const spring_move *move, dice *dice,
                     spring_reading readings[SPRING_MOST]) {
    double own = 2 * PI * stick->frequency, hand = 2 * PI * 250; /* a hand is much stiffer */
    double at = move->act == SPRING_ROUND_ACROSS ? 0 : move->from, speed = 0,
           next = roll_between(dice, 0, 1 / stick->rate), before = at;
    double steps = (1u << (stick->bits - 1)) - 1;
    unsigned count = 0;
    for (double now = 0; now < SPRING_LASTS; now += STEP) {
        double grip, wanted = hand_at(move, now, &grip), moves = (wanted - before) / STEP;
        before = wanted;
        double force = -own * own * at - 2 * stick->damping * own * speed +
                       grip * (hand * hand * (wanted - at) + 2 * hand * (moves - speed));
        double sticks = stick->friction * own * own;
        if (grip == 0 && fabs(speed) < 0.2 && fabs(at) < stick->friction)
            force = speed = 0;
        else if (grip == 0 && speed != 0)
            force -= copysign(sticks, speed);
        speed += force * STEP;
        at += speed * STEP;
        if (fabs(at) > 1) { /* the gate */
            at = copysign(1, at);
            speed = 0;
        }
        if (now < next || count == SPRING_MOST)
            continue;
        double read = at + stick->noise * roll_normal(dice);
        readings[count].at = now;
        readings[count++].value = fmax(-1, fmin(1, round(read * steps) / steps));
        next += 1 / stick->rate;
    }
    return count;
}
