/* The let-go filter, as a formula in the engine, on sticks that are let go and sticks that a hand
 * moves. Counts let-gos after which a host sees anything of the swing, and how much later a hand's
 * move to the other side comes. With the argument `table` it prints both for docs/feel.md, of more
 * sessions. */
#include <math.h>

#include "tests/feel/springs.h"
#include "tests/feel/told.h"

#define SEEN 0.08 /* of the whole way: more than that is seen */

/* What happened in some sessions. */
typedef struct result {
    unsigned let_gos, seen;
    unsigned moves, lost; /* reversals, and those that never came */
    double late[4000];    /* seconds, of each that came */
    double sum;
} result;

static void begin(const char *arguments) {
    char formula[200];
    snprintf(formula, sizeof formula, "let_go(stick(x=hand.x, y=hand.y)%s)", arguments);
    told_stick_begins(formula);
}

static double feed(double at, double value) {
    told_feed(at, value, 0);
    return told[0];
}

/* A hand brings the stick from where it was to where the next session begins. */
static void bring(double from, double to, double at, double rate) {
    for (double t = 0; t < 0.4; t += 1 / rate) {
        double way =
            t < 0.2 ? from * (1 - hand_moves(t / 0.15)) : to * hand_moves((t - 0.2) / 0.15);
        feed(at - 0.45 + t, way);
    }
}

typedef enum knowing { MEASURED, UNKNOWN, LEARNING, NO_FILTER, FIXED_TIME } knowing;

/* What is often done instead: the other side is held back for a fixed time. */
#define FIXED 0.04

static double hold_side(double at, double value, bool begins) {
    static double side, since;
    if (begins)
        side = since = 0;
    if (value * side >= 0) {
        since = 0;
        side = fabs(value) > 0.2 ? value : side;
        return value;
    }
    since = since > 0 ? since : at;
    if (at - since < FIXED)
        return 0;
    since = 0;
    side = value;
    return value;
}

static double told_of(knowing knowing, double at, double value) {
    return knowing == NO_FILTER    ? value
           : knowing == FIXED_TIME ? hold_side(at, value, false)
                                   : feed(at, value);
}

static void play(const spring_stick *of, const spring_move *move, knowing knowing, double at,
                 dice *dice, result *result) {
    static spring_reading readings[SPRING_MOST];
    unsigned count = spring_play(of, move, dice, readings);
    double sign = move->from < 0 ? -1 : 1, came = -1, out = -1;
    bool crossed = false, seen = false;
    for (unsigned i = 0; i < count; i++) {
        double value = readings[i].value * sign,
               after = told_of(knowing, at + readings[i].at, readings[i].value) * sign;
        crossed |= value < 0;
        seen |= after < -SEEN || (crossed && after > SEEN);
        came = came < 0 && value < -SEEN ? readings[i].at : came;
        out = out < 0 && after < -SEEN ? readings[i].at : out;
    }
    if (move->act != SPRING_REVERSE) {
        result->let_gos++;
        result->seen += seen;
        return;
    }
    result->moves++;
    if (out < 0) {
        result->lost++;
        return;
    }
    result->late[result->moves - result->lost - 1] = fmax(0, out - came);
    result->sum += fmax(0, out - came);
}

/* Sessions with sticks around a frequency and a damping, which were measured to 3 % and 15 %. */
static void play_all(result *result, double frequency, double damping, double rate, knowing knowing,
                     unsigned sessions, dice *dice) {
    char arguments[100] = "";
    double last = 0;
    if (knowing == MEASURED)
        snprintf(arguments, sizeof arguments, ", frequency=%.1f Hz, damping=%.0f%%", frequency,
                 damping * 100);
    if (knowing == LEARNING)
        begin(arguments);
    spring_stick of = {frequency, damping, 0, 0, 16, rate};
    for (unsigned i = 0; i < sessions; i++) {
        if (knowing != LEARNING || i == 0) {
            of.frequency = frequency * roll_between(dice, 0.97, 1.03);
            of.damping = damping * roll_between(dice, 0.87, 1.15);
        }
        if (knowing != LEARNING)
            begin(arguments);
        of.noise = roll_between(dice, 0, 0.01);
        of.bits = 8 + roll_below(dice, 9);
        of.friction = i % 8 == 6 ? roll_between(dice, 0, 0.03) : 0;
        spring_act act = i % 2 ? SPRING_REVERSE : i % 8 == 4 ? SPRING_SLIDE : SPRING_LET_GO;
        double sign = roll_below(dice, 2) ? 1 : -1, at = 1 + i;
        spring_move move = {act, sign * roll_between(dice, 0.3, 1),
                            -sign * roll_between(dice, 0.3, 1),
                            act == SPRING_SLIDE ? roll_between(dice, 0.001, 0.004)
                                                : roll_between(dice, 0.07, 0.25)};
        bring(last, move.from, at, rate);
        hold_side(0, 0, true);
        play(&of, &move, knowing, at, dice, result);
        last = act == SPRING_REVERSE ? move.to : 0;
        if (knowing != LEARNING || i + 1 == sessions)
            told_end();
    }
}

static int compare(const void *a, const void *b) {
    double one = *(const double *)a, other = *(const double *)b;
    return one < other ? -1 : one > other;
}

static double late_at(result *result, double share) {
    unsigned count = result->moves - result->lost;
    qsort(result->late, count, sizeof result->late[0], compare);
    return count ? result->late[(unsigned)(share * (count - 1))] : 0;
}

static const double frequencies[] = {15, 20, 30, 45, 60}, dampings[] = {0.1, 0.2, 0.35, 0.6},
                    rates[] = {125, 250, 500, 1000};

static void print_row(const char *what, result *result) {
    printf("| %s | %.2f %% | %.1f ms | %.0f ms | %u of %u |\n", what,
           100.0 * result->seen / result->let_gos, 1e3 * result->sum / result->moves,
           1e3 * late_at(result, 0.99), result->lost, result->moves);
}

static void print_table(dice *dice) {
    static const char *const names[] = {"measured", "not measured", "learned from what it sees",
                                        "no filter", "the other side held back for 40 ms"};
    static result one, all;
    printf("| spring | seen after a let-go | late, mean | late, 99 %% | moves that never came |\n"
           "|---|---|---|---|---|\n");
    for (knowing knowing = MEASURED; knowing <= FIXED_TIME; knowing++)
        for (unsigned k = 0; k < 4; k++) {
            char text[100];
            memset(&all, 0, sizeof all);
            for (unsigned f = 0; f < 5; f++)
                for (unsigned d = 0; d < 4; d++) {
                    play_all(&all, frequencies[f], dampings[d], rates[k], knowing, 200, dice);
                }
            snprintf(text, sizeof text, "%s, %.0f reports a second", names[knowing], rates[k]);
            print_row(text, &all);
        }
    for (unsigned f = 0; f < 5; f++) {
        char text[100];
        memset(&one, 0, sizeof one);
        for (unsigned k = 0; k < 4; k++)
            for (unsigned d = 0; d < 4; d++)
                play_all(&one, frequencies[f], dampings[d], rates[k], MEASURED, 200, dice);
        snprintf(text, sizeof text, "measured, %.0f Hz", frequencies[f]);
        print_row(text, &one);
    }
}

/* A stick that goes round is nothing that swings, however fast. */
static void check_round(dice *dice) {
    for (unsigned i = 0; i < 60; i++) {
        static spring_reading x[SPRING_MOST], y[SPRING_MOST];
        spring_stick of = {roll_between(dice, 20, 60), 0.2, 0, 0.004, 12, rates[i % 4]};
        double takes = roll_between(dice, 0.12, 0.5);
        spring_move along = {SPRING_ROUND, 1, 0, takes},
                    across = {SPRING_ROUND_ACROSS, 1, 0, takes};
        struct dice same = *dice;
        unsigned count = spring_play(&of, &along, dice, x), apart = 0;
        spring_play(&of, &across, &same, y);
        begin(i % 2 ? ", frequency=30 Hz, damping=20%" : "");
        for (unsigned k = 0; k < count; k++) {
            told_feed(1 + x[k].at, x[k].value, y[k].value);
            apart += fabs(told[0] - x[k].value) > SEEN || fabs(told[1] - y[k].value) > SEEN;
        }
        about("a circle in %.2f s at %.0f Hz: %u of %u are held back", takes, of.rate, apart,
              count);
        CHECK_EQUAL(apart, 0);
        told_end();
    }
}

/* A stick that is let go in a corner swings in both directions. */
static void check_corners(dice *dice) {
    unsigned seen = 0, count = 0;
    for (unsigned i = 0; i < 200; i++) {
        static spring_reading readings[2][SPRING_MOST];
        spring_stick of = {
            roll_between(dice, 20, 60), roll_between(dice, 0.1, 0.5), 0, 0.005, 12, rates[i % 4]};
        double angle = roll_between(dice, 0, 6.2832);
        spring_move moves[2] = {{SPRING_LET_GO, cos(angle), 0, 0},
                                {SPRING_LET_GO, sin(angle), 0, 0}};
        struct dice same = *dice;
        char arguments[100];
        snprintf(arguments, sizeof arguments, ", frequency=%.1f Hz, damping=%.0f%%", of.frequency,
                 of.damping * 100);
        count = spring_play(&of, &moves[0], dice, readings[0]);
        spring_play(&of, &moves[1], &same, readings[1]);
        begin(arguments);
        for (unsigned k = 0; k < count; k++) {
            told_feed(1 + readings[0][k].at, readings[0][k].value, readings[1][k].value);
            seen += told[0] * moves[0].from + told[1] * moves[1].from < -SEEN;
        }
        told_end();
    }
    about("%u readings of a swing are seen", seen);
    CHECK_EQUAL(seen, 0);
}

/* Each half of a swing is smaller than the one before: a hand that takes the stick farther out than
 * the second one can be is let through at once. */
static void check_shrinks(dice *dice) {
    for (unsigned i = 0; i < 40; i++) {
        static spring_reading readings[SPRING_MOST];
        spring_stick of = {20, 0.35, 0, 0.002, 14, 500};
        spring_move move = {SPRING_LET_GO, i % 2 ? 1 : -1, 0, 0};
        unsigned count = spring_play(&of, &move, dice, readings), crossings = 0, k = 1;
        begin(", frequency=20 Hz, damping=35%");
        for (; k < count && crossings < 2; k++) {
            feed(1 + readings[k].at, readings[k].value);
            crossings += readings[k].value * readings[k - 1].value < 0;
        }
        double side = readings[k - 1].value < 0 ? -1 : 1, at = 1 + readings[k - 1].at;
        about("a hand after %.0f ms", 1e3 * (readings[k - 1].at - SPRING_BEGINS));
        CHECK_EQUAL(crossings, 2);
        CHECK(fabs(told[0]) < 0.01);
        feed(at + 0.002, 0.25 * side);
        CHECK(feed(at + 0.004, 0.4 * side) * side > 0.35);
        told_end();
    }
}

/* It is told as it is while it is held, in the middle and at its ends, and with time standing
 * still. */
static void check_held(void) {
    begin("");
    CHECK(feed(1, 0.5) > 0.49);
    CHECK(feed(1, -0.5) < -0.49);
    CHECK(feed(1, 1) > 0.99);
    CHECK(feed(2, -1) < -0.99);
    CHECK(feed(2.2, -1) < -0.99);
    CHECK(fabs(feed(3, 0)) < 0.01);
    told_end();
}

int main(int count, char **arguments) {
    static result all;
    dice dice = {count > 2 ? strtoull(arguments[2], NULL, 0) : 990001};
    if (count > 1 && strcmp(arguments[1], "table") == 0) {
        print_table(&dice);
        return 0;
    }
    check_held();
    check_shrinks(&dice);
    check_round(&dice);
    check_corners(&dice);
    for (knowing knowing = MEASURED; knowing <= LEARNING; knowing++) {
        memset(&all, 0, sizeof all);
        for (unsigned f = 0; f < 5; f++)
            for (unsigned d = 0; d < 4; d++)
                for (unsigned k = 0; k < 4; k++)
                    play_all(&all, frequencies[f], dampings[d], rates[k], knowing, 24, &dice);
        double mean = 1e3 * all.sum / all.moves, most = 1e3 * late_at(&all, 0.99);
        about("%u: %u of %u let-gos are seen, %u of %u moves never come, %.2f ms late, %.1f ms at "
              "99 %%",
              knowing, all.seen, all.let_gos, all.lost, all.moves, mean, most);
        CHECK(all.seen <= (knowing == MEASURED ? 2 : 10));
        CHECK_EQUAL(all.lost, 0);
        CHECK(mean <= (knowing == MEASURED ? 2 : 9.5));
    }
    return report_checks();
}
