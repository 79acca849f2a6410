#include "tests/feel/hands.h"

#include <math.h>

#include "tests/feel/springs.h"

#define PI 3.14159265358979323846

double hand_rim(const hand_stick *stick, double angle) {
    double a = angle * PI / 180, way[2] = {sin(a), -cos(a)}, low = 0, high = 3;
    for (unsigned i = 0; i < 50; i++) { /* by halves: each gate is convex */
        double reach = (low + high) / 2;
        double x = way[0] * reach - stick->off[0], y = way[1] * reach - stick->off[1];
        double most = fmax(fabs(x), fabs(y));
        double is = stick->gate == GATE_ROUND    ? hypot(x, y)
                    : stick->gate == GATE_SQUARE ? most
                                                 : fmax(most, (fabs(x) + fabs(y)) / sqrt(2));
        if (is < 1)
            low = reach;
        else
            high = reach;
    }
    return low;
}

static double read_axis(const hand_stick *stick, unsigned axis, double way) {
    return stick->centre[axis] + way * stick->scale[axis] * (way < 0 ? stick->back[axis] : 1);
}

void hand_reads(const hand_stick *stick, double x, double y, int32_t raw[2]) {
    double way[2] = {x, y}, half = ((1u << stick->bits) - 1) / 2.0;
    for (unsigned i = 0; i < 2; i++)
        raw[i] = (int32_t)lround(half + half * fmax(-1, fmin(1, read_axis(stick, i, way[i]))));
}

void hand_begins(hand *hand, const hand_stick *stick, dice *dice, hand_told *told, void *context) {
    *hand = (struct hand){.stick = stick, .dice = dice, .told = told, .context = context};
}

static void tell(hand *hand) {
    const hand_stick *stick = hand->stick;
    int32_t raw[2];
    double noise[2] = {roll_normal(hand->dice), roll_normal(hand->dice)};
    hand->now += 1 / stick->rate;
    hand_reads(stick, hand->x + noise[0] * stick->noise / stick->scale[0],
               hand->y + noise[1] * stick->noise / stick->scale[1], raw);
    hand->told(hand->context, hand->now, raw);
}

void hand_waits(hand *hand, double seconds, double touch) {
    double end = hand->now + seconds, x = hand->x, y = hand->y;
    double angle = roll_between(hand->dice, 0, 2 * PI), phase = roll_between(hand->dice, 0, 2 * PI);
    while (hand->now < end) {
        double trembles = touch * (1 + 0.3 * sin(2 * PI * 9 * hand->now + phase));
        hand->x = x + trembles * sin(angle);
        hand->y = y - trembles * cos(angle);
        tell(hand);
    }
    hand->x = x;
    hand->y = y;
}

/* As smoothly as a hand moves. */
static void go(hand *hand, double x, double y, double seconds) {
    double from[2] = {hand->x, hand->y}, begun = hand->now;
    while (hand->now - begun < seconds) {
        double share = hand_moves((hand->now - begun) / seconds);
        hand->x = from[0] + (x - from[0]) * share;
        hand->y = from[1] + (y - from[1]) * share;
        tell(hand);
    }
    hand->x = x;
    hand->y = y;
}

static void point_at(hand *hand, double angle, double share) {
    double reach = hand_rim(hand->stick, angle) * share;
    hand->x = reach * sin(angle * PI / 180);
    hand->y = -reach * cos(angle * PI / 180);
}

void hand_turns(hand *hand, double turns, double a_second, double lifts) {
    double angle = roll_between(hand->dice, 0, 360), begun = hand->now;
    double seconds = fabs(turns) / a_second, lifted = 0, off = 0;
    double reach = hand_rim(hand->stick, angle);
    go(hand, reach * sin(angle * PI / 180), -reach * cos(angle * PI / 180), 0.15);
    begun = hand->now;
    while (hand->now - begun < seconds) {
        double at = (hand->now - begun) / seconds;
        if (hand->now > lifted) {
            lifted = hand->now + 0.12;
            off = roll_between(hand->dice, 0, 1) < lifts ? roll_between(hand->dice, 0.1, 0.4) : 0;
        }
        double uneven = 0.15 * sin(2 * PI * 0.7 * at * turns) / (2 * PI * 0.7);
        point_at(hand, angle + 360 * (at * turns + uneven), 1 - off);
        tell(hand);
    }
}

void hand_lets_go(hand *hand, double angle, double reach, double waits) {
    const hand_stick *stick = hand->stick;
    double out = hand_rim(stick, angle) * reach, own = 2 * PI * stick->frequency;
    go(hand, out * sin(angle * PI / 180), -out * cos(angle * PI / 180), 0.15);
    hand_waits(hand, waits, 0);
    double rest[2], from[2] = {hand->x, hand->y}, begun = hand->now;
    for (unsigned i = 0; i < 2; i++)
        rest[i] = roll_between(hand->dice, -stick->scatter, stick->scatter);
    double fast = own * sqrt(1 - stick->damping * stick->damping);
    while (hand->now - begun < 0.4) {
        double t = hand->now - begun + 1 / stick->rate;
        double left = exp(-stick->damping * own * t) *
                      (cos(fast * t) + stick->damping * own / fast * sin(fast * t));
        hand->x = rest[0] + (from[0] - rest[0]) * left;
        hand->y = rest[1] + (from[1] - rest[1]) * left;
        tell(hand);
    }
    hand->x = rest[0];
    hand->y = rest[1];
}

void hand_rests_in(hand *hand, unsigned notch, double seconds) {
    double angle = hand->stick->notch[notch], reach = hand_rim(hand->stick, angle);
    go(hand, reach * sin(angle * PI / 180), -reach * cos(angle * PI / 180), 0.25);
    hand_waits(hand, seconds, 0);
}
