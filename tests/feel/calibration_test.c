/* Calibrating sticks by hands that the test makes up: rest, rim, notches, springs. With an argument
 * it prints what came out, for docs/feel.md, by other seeds than those that it was made with. */
#include <math.h>

#include "tests/feel/calibrating.h"
#include "tests/feel/springs.h"

#define PI 3.14159265358979323846

static bool tells; /* prints a table */
static calibrating c;

/* How far an angle is from another, -180 to 180 degrees. */
static double turned(double angle, double from) {
    return fmod(angle - from + 900, 360) - 180;
}

static double angle_of(const double out[2]) {
    return atan2(out[0], -out[1]) * 180 / PI;
}

/* Where the stick is on its rim, through the engine, without noise. */
static void out_at(const hand_stick *stick, double angle, double seconds, double out[2]) {
    double reach = hand_rim(stick, angle), a = angle * PI / 180;
    int32_t raw[2];
    hand_reads(stick, reach * sin(a), -reach * cos(a), raw);
    calibrating_out(&c, seconds, raw, out);
}

static hand_stick made_stick(dice *dice, hand_gate gate) {
    static const unsigned bits[] = {8, 10, 12, 16};
    static const double rates[] = {125, 250, 500, 1000};
    hand_stick stick = {.gate = gate, .scatter = 0.006, .frequency = 30, .damping = 0.3};
    for (unsigned i = 0; i < 2; i++) {
        stick.centre[i] = roll_between(dice, -0.12, 0.12);
        stick.scale[i] = roll_between(dice, 0.5, 0.78);
        stick.back[i] = roll_between(dice, 0.9, 1.1);
        stick.off[i] = roll_between(dice, -0.03, 0.03);
    }
    stick.noise = roll_between(dice, 0.0005, 0.006);
    stick.bits = bits[roll_below(dice, 4)];
    stick.rate = rates[roll_below(dice, 4)];
    return stick;
}

/* What a person does: it turns and lets go a few times, once with the thumb still on the stick, and
 * goes on with what is asked for. */
static void gather(hand *hand, double lifts) {
    yt_calibration_news news;
    hand_waits(hand, 0.7, 0);
    for (unsigned i = 0; i < 5; i++) {
        hand_turns(hand, i % 2 ? 2 : -2, roll_between(hand->dice, 0.4, 1), lifts);
        hand_lets_go(hand, roll_between(hand->dice, 0, 360), 0.9, 0.1);
        hand_waits(hand, 0.4, i == 1 ? 0.03 : 0);
    }
    for (unsigned more = 0; more < 20; more++) {
        yt_calibrating_tell(&c.gathering, &news);
        if (news.advice == YT_ADVICE_TURN)
            hand_turns(hand, 1, 0.6, lifts);
        else if (news.advice == YT_ADVICE_LET_GO)
            hand_lets_go(hand, 30, 0.9, 0.5);
        else
            break;
    }
}

/* Of many sticks. */
static struct {
    double centre, rim, angle;
    unsigned count;
    double off[60 * 360];
} seen;

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

static void judge_stick(const hand_stick *stick) {
    double out[2], step = 2.0 / (1u << stick->bits) / stick->scale[0] / stick->back[0];
    int32_t raw[2];
    hand_reads(stick, 0, 0, raw);
    calibrating_out(&c, 1000, raw, out);
    seen.centre = fmax(seen.centre, hypot(out[0], out[1]) - step);
    for (unsigned degree = 0; degree < 360; degree++) {
        out_at(stick, degree, 1001 + degree * 0.001, out);
        seen.off[seen.count++] = fabs(hypot(out[0], out[1]) - 1);
        seen.rim += fabs(hypot(out[0], out[1]) - 1);
        seen.angle = fmax(seen.angle, fabs(turned(angle_of(out), degree)));
    }
}

static void check_gate(hand_gate gate, double lifts, uint64_t seed) {
    static const char *const names[] = {"round", "square", "octagon"};
    dice dice = {seed};
    memset(&seen, 0, sizeof seen);
    for (unsigned i = 0; i < 60; i++) {
        hand hand;
        hand_stick stick = made_stick(&dice, gate);
        about("a %s gate, stick %u of seed %u", names[gate], i, (unsigned)seed);
        calibrating_stick(&c, stick.bits, 0);
        hand_begins(&hand, &stick, &dice, calibrating_told, &c);
        gather(&hand, lifts);
        if (calibrating_use(&c))
            judge_stick(&stick);
        calibrating_end(&c);
    }
    qsort(seen.off, seen.count, sizeof *seen.off, by_size);
    double mean = seen.rim / seen.count, most = seen.off[seen.count * 999 / 1000];
    if (tells)
        printf("| %s | %.0f%% | %.2f%% | %.2f%% | %.2f%% | %.1f deg |\n", names[gate], 100 * lifts,
               100 * seen.centre, 100 * mean, 100 * most, seen.angle);
    about("a %s gate, seed %u: centre %.4f, rim %.4f and %.4f, angle %.2f", names[gate],
          (unsigned)seed, seen.centre, mean, most, seen.angle);
    CHECK(seen.centre < 0.0065);
    CHECK(mean < 0.005);
    CHECK(most < (lifts > 0 ? 0.04 : 0.0325));
    CHECK(seen.angle < 3);
}

/* A gate with notches that are a little off, rested in in any order. */
static hand_stick made_notches(dice *dice, unsigned count) {
    hand_stick stick = made_stick(dice, count == 8 ? GATE_OCTAGON : GATE_ROUND);
    stick.notches = count;
    for (unsigned i = 0; i < count; i++)
        stick.notch[i] = 360.0 * i / count + roll_between(dice, -3, 3) * fmin(1, 8.0 / count);
    return stick;
}

/* From notch to notch in an order that leaves none out. */
static unsigned next_notch(unsigned from, unsigned count) {
    return (from + (count % 3 ? 3 : count % 5 ? 5 : 7)) % count;
}

static void check_notches(unsigned count, uint64_t seed, double *angle, double *reach) {
    dice dice = {seed};
    hand hand;
    hand_stick stick = made_notches(&dice, count);
    yt_calibration_news news;
    about("%u notches, seed %u", count, (unsigned)seed);
    calibrating_stick(&c, stick.bits, count);
    hand_begins(&hand, &stick, &dice, calibrating_told, &c);
    gather(&hand, 0.05);
    unsigned notch = roll_below(&dice, count);
    for (unsigned i = 0; i < count; i++, notch = next_notch(notch, count)) {
        yt_calibrating_tell(&c.gathering, &news);
        CHECK_EQUAL(news.notches, i);
        CHECK_EQUAL(news.advice, YT_ADVICE_REST_IN_NOTCHES);
        hand_rests_in(&hand, notch, 0.9);
    }
    if (!calibrating_use(&c)) {
        calibrating_end(&c);
        return;
    }
    CHECK_EQUAL(c.record.notches, count);
    for (unsigned i = 0; i < count; i++) {
        double out[2];
        out_at(&stick, stick.notch[i], 1000 + 0.001 * i, out);
        double half = stick.bits == 8 ? 0.5 / 128 / stick.scale[0] : 0; /* of a raw number */
        *angle = fmax(*angle, fabs(turned(angle_of(out), 360.0 * i / count)) - half * 180 / PI);
        *reach = fmax(*reach, fabs(hypot(out[0], out[1]) - 1) - half);
    }
    double before = 0, grain = 300.0 / (1u << stick.bits); /* of the raw numbers, in degrees */
    for (unsigned i = 0; i <= 720; i++) {                  /* around: it goes on, and never jumps */
        double out[2];
        out_at(&stick, i / 2.0, 1100 + 0.001 * i, out);
        double step = turned(angle_of(out), before);
        CHECK(i == 0 || (step > -grain && step < 1.2 + grain));
        before = angle_of(out);
    }
    calibrating_end(&c);
}

static void check_all_notches(uint64_t seed) {
    double all_angle = 0, all_reach = 0;
    for (unsigned count = 4; count <= 16; count++) {
        double angle = 0, reach = 0;
        for (unsigned i = 0; i < 6; i++)
            check_notches(count, seed + 100 * count + i, &angle, &reach);
        about("%u notches: %.2f degrees, %.4f", count, angle, reach);
        CHECK(angle < 0.5);
        CHECK(reach < 0.01);
        all_angle = fmax(all_angle, angle);
        all_reach = fmax(all_reach, reach);
    }
    if (tells)
        printf("\nNotches, 4 to 16 of them, 78 gates: each within %.2f degrees and %.2f%% of its "
               "reach, "
               "beyond half of one raw number where that has 8 bits.\n",
               all_angle, 100 * all_reach);
}

/* What can go wrong with notches: each is told, with where. */
static void check_wrong_notches(void) {
    enum { MISSING, TWICE, TOO_MANY, NOT_OUT, CASES };
    static const uint8_t advice[CASES] = {YT_ADVICE_REST_IN_NOTCHES, YT_ADVICE_NOTCH_MISSING,
                                          YT_ADVICE_NOTCH_TOO_MANY, YT_ADVICE_NOTCH_PLACE};
    for (unsigned wrong = 0; wrong < CASES; wrong++) {
        dice dice = {900 + wrong};
        hand hand;
        hand_stick stick = made_notches(&dice, 8);
        yt_calibration_news news;
        stick.bits = 12;
        stick.rate = 250;
        about("wrong notches, case %u", wrong);
        calibrating_stick(&c, stick.bits, 8);
        hand_begins(&hand, &stick, &dice, calibrating_told, &c);
        gather(&hand, 0);
        if (wrong == TWICE) /* 23 degrees beside a notch the hand rested too; one was left out */
            stick.notch[5] = stick.notch[2] + 23;
        for (unsigned i = 0; i < 8; i++)
            if (wrong != MISSING || i != 5)
                if (wrong != NOT_OUT || i != 5)
                    hand_rests_in(&hand, i, 0.9);
        if (wrong == TOO_MANY) {
            stick.notch[0] += 22;
            hand_rests_in(&hand, 0, 0.9);
        }
        if (wrong == NOT_OUT) { /* three quarters of the way only */
            hand_lets_go(&hand, stick.notch[5], 0.75, 0.9);
        }
        yt_calibrating_tell(&c.gathering, &news);
        CHECK_EQUAL(news.advice, advice[wrong]);
        if (wrong == MISSING || wrong == TWICE)
            CHECK(fabs(turned(news.notch_missing, 225)) < 8);
        CHECK_EQUAL(news.state, wrong == MISSING ? YT_CALIBRATING_GATHERS : YT_CALIBRATING_FAILED);
        c.record.magic = 77;
        CHECK_EQUAL(yt_calibrating_end(&c.gathering, &c.record), YT_CALIBRATION_UNFINISHED);
        CHECK_EQUAL(c.record.magic, 77); /* it is not touched */
        calibrating_end(&c);
    }
}

/* A dozen let-gos, at all rates at which the swing is seen: six readings of it at least. */
static void check_springs(uint64_t seed) {
    static const double rates[] = {125, 250, 500, 1000};
    double most_frequency = 0, most_damping = 0, all = 0;
    unsigned springs = 0;
    dice dice = {seed};
    for (unsigned i = 0; i < 120; i++) {
        hand hand;
        hand_stick stick = made_stick(&dice, GATE_ROUND);
        stick.frequency = roll_between(&dice, 15, 60);
        stick.damping = roll_between(&dice, 0.1, 0.6);
        stick.rate = rates[i % 4];
        stick.bits = i % 3 ? 12 : 8;
        about("spring %u: %.1f Hz, %.2f, %.0f a second", i, stick.frequency, stick.damping,
              stick.rate);
        calibrating_stick(&c, stick.bits, 0);
        yt_calibrating_spring(&c.gathering, &c.springs);
        hand_begins(&hand, &stick, &dice, calibrating_told, &c);
        hand_waits(&hand, 0.7, 0);
        for (unsigned k = 0; k < 12; k++) {
            hand_lets_go(&hand, roll_between(&dice, 0, 360), roll_between(&dice, 0.5, 1), 0.1);
            hand_waits(&hand, 0.1, 0);
        }
        uint16_t frequency, damping;
        bool found = yt_spring_found(&c.springs, &frequency, &damping);
        if (stick.rate < 6 * stick.frequency) {
            calibrating_end(&c);
            continue;
        }
        CHECK(found);
        double off = found ? fabs(frequency / 100.0 / stick.frequency - 1) : 1;
        double off_damping = found ? fabs(damping / 10000.0 / stick.damping - 1) : 1;
        CHECK(off < 0.04);
        all += off;
        springs++;
        CHECK(off_damping < 0.16);
        most_frequency = fmax(most_frequency, off);
        most_damping = fmax(most_damping, off_damping);
        calibrating_end(&c);
    }
    CHECK(all / springs < 0.01);
    if (tells)
        printf("\nSprings by a dozen let-gos, with at least six reports a swing, %u of them: "
               "frequency "
               "within %.1f%%, on average %.1f%%, damping within %.0f%%.\n",
               springs, 100 * most_frequency, 100 * all / springs, 100 * most_damping);
}

/* A hand that moves and never lets go has no spring. */
static void check_no_spring(void) {
    dice dice = {44};
    hand hand;
    hand_stick stick = made_stick(&dice, GATE_ROUND);
    uint16_t frequency, damping;
    calibrating_stick(&c, stick.bits, 0);
    yt_calibrating_spring(&c.gathering, &c.springs);
    hand_begins(&hand, &stick, &dice, calibrating_told, &c);
    hand_waits(&hand, 0.7, 0);
    hand_turns(&hand, 8, 0.7, 0.3);
    CHECK(!yt_spring_found(&c.springs, &frequency, &damping));
    calibrating_end(&c);
}

/* 1% of drift: it is followed while the stick rests, and not while a hand holds it still elsewhere.
 */
static void check_drift(void) {
    dice dice = {71};
    hand hand;
    hand_stick stick = made_stick(&dice, GATE_ROUND);
    double out[2] = {0, 0}, held = 0.2;
    int32_t raw[2];
    stick.bits = 12;
    stick.noise = 0.002;
    stick.rate = 250;
    calibrating_stick(&c, stick.bits, 0);
    hand_begins(&hand, &stick, &dice, calibrating_told, &c);
    gather(&hand, 0);
    if (!calibrating_use(&c))
        return;
    for (unsigned i = 0; i < 250 * 120; i++) { /* two minutes; it warms up in the first */
        double now = 1000 + i / 250.0;
        hand_stick warm = stick;
        warm.centre[0] += 0.01 * fmin(1, i / (250.0 * 60));
        hand_reads(&warm, roll_normal(&dice) * stick.noise, roll_normal(&dice) * stick.noise, raw);
        calibrating_out(&c, now, raw, out);
    }
    stick.centre[0] += 0.01;
    hand_reads(&stick, 0, 0, raw);
    calibrating_out(&c, 2000, raw, out);
    about("after 1%% of drift the rest is %.4f off", hypot(out[0], out[1]));
    CHECK(hypot(out[0], out[1]) < 0.005);
    hand_reads(&stick, held, 0, raw);
    calibrating_out(&c, 2001, raw, out);
    double before = out[0];
    for (unsigned i = 0; i < 250 * 60; i++) /* a minute */
        calibrating_out(&c, 2001 + i / 250.0, raw, out);
    CHECK(out[0] == before);
    calibrating_end(&c);
}

/* Reports that stop, or whose time goes back, are counted, and nothing is taken from them that was
 * not there. */
static void check_gaps(void) {
    int32_t raw[2] = {2048, 2048};
    yt_calibration_news news;
    calibrating_stick(&c, 12, 0);
    yt_calibrating_tell(&c.gathering, &news);
    CHECK_EQUAL(news.state, YT_CALIBRATING_WAITS);
    CHECK_EQUAL(news.advice, YT_ADVICE_SILENT);
    calibrating_told(&c, 1, raw);
    calibrating_told(&c, 4, raw);
    calibrating_told(&c, 3, raw);
    calibrating_told(&c, 10, raw);
    yt_calibrating_tell(&c.gathering, &news);
    CHECK_EQUAL(news.gaps, 2);
    CHECK_EQUAL(news.backwards, 1);
    CHECK_EQUAL(news.state, YT_CALIBRATING_GATHERS);
    CHECK_EQUAL(news.covered, 0);
    calibrating_end(&c);
}

int main(int count, char **arguments) {
    (void)arguments;
    tells = count > 1;
    uint64_t seed = tells ? 7000000 : 0;
    if (tells)
        printf("| gate | off the rim for | rest | rim, mean | rim, 99.9%% | angle "
               "|\n|---|---|---|---|---|---|\n");
    for (unsigned gate = 0; gate < 3; gate++) {
        check_gate((hand_gate)gate, 0, seed + 17 + gate);
        check_gate((hand_gate)gate, 0.1, seed + 57 + gate);
    }
    check_all_notches(seed);
    check_wrong_notches();
    check_springs(seed + 5);
    check_no_spring();
    check_drift();
    check_gaps();
    return report_checks();
}
