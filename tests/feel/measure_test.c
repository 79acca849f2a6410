/* What is measured of sticks in made-up hands: noise, rest, reach, rates, reports that are missing;
 * and that what is said to be set is what is needed. */
#include <math.h>

#include "tests/feel/hands.h"
#include "tests/feel/springs.h"
#include "tool/chatter.h"
#include "tool/measuring.h"

#define PI 3.14159265358979323846

static recorded_device device = {
    .name = "Made-up stick", .bus = 3, .vendor = 0x1209, .product = 0x77};
static device_part parts[DEVICE_PARTS];
static calibrating measuring;
static dice d;

/* While it is told: which readings are of a stick that rests, and how far out those are. */
static struct {
    const hand_stick *stick;
    bool rests;
    double crackles;
    double far[200000], own[200000];
    size_t count;
} seen;

static void make_device(unsigned bits) {
    static const uint8_t head[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                   0x09, 0x31, 0x15, 0x00, 0x27, 0,    0,    0,
                                   0,    0x75, 0,    0x95, 0x02, 0x81, 0x02, 0xc0};
    memcpy(device.descriptor, head, sizeof head);
    device.descriptor_size = sizeof head;
    for (unsigned i = 0; i < 4; i++)
        device.descriptor[13 + i] = (uint8_t)(((1u << bits) - 1) >> 8 * i);
    device.descriptor[18] = (uint8_t)bits;
}

/* A stick whose track is bent: what is read is a polynomial of where it is, with both ends as they
 * were. */
static double bends[2][2];

static int32_t bend(unsigned axis, int32_t raw, unsigned bits) {
    double half = ((1u << bits) - 1) / 2.0, x = (raw - half) / half, span = 0.6;
    double u = x / span; /* of the way that sticks here go */
    x = span * (u + bends[axis][0] * (u * u - 1) + bends[axis][1] * (u * u * u - u));
    return (int32_t)lround(half + half * fmax(-1, fmin(1, x)));
}

static void told(void *context, double at, const int32_t raw[2]) {
    unsigned bits = seen.stick->bits;
    int32_t numbers[2] = {raw[0], raw[1]};
    if (bends[0][0] != 0)
        for (unsigned i = 0; i < 2; i++)
            numbers[i] = bend(i, raw[i], bits);
    uint8_t bytes[8] = {0};
    (void)context;
    bool is_wrong = seen.crackles > 0 && roll_between(&d, 0, 1) < seen.crackles;
    for (unsigned i = 0; i < 2; i++) {
        if (is_wrong)
            numbers[i] = (int32_t)roll_below(&d, 1u << bits);
        yt_hid_set(bytes, 8, bits * i, bits, (uint32_t)numbers[i]);
    }
    calibrating_report(&measuring, (uint64_t)(at * 1e6), bytes, (2 * bits + 7) / 8);
    if (!seen.rests || is_wrong)
        return;
    double rest = (double)(1u << (bits - 1)), x, y;
    x = (raw[0] - rest) / (raw[0] < rest ? rest : rest - 1);
    y = (raw[1] - rest) / (raw[1] < rest ? rest : rest - 1);
    seen.far[seen.count++] = hypot(x, y);
}

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

static hand_stick made_stick(void) {
    static const unsigned bits[] = {8, 10, 12, 16};
    static const double rates[] = {125, 250, 500, 1000};
    hand_stick stick = {.gate = (hand_gate)roll_below(&d, 3),
                        .scatter = roll_between(&d, 0, 0.02),
                        .frequency = roll_between(&d, 15, 40),
                        .damping = roll_between(&d, 0.15, 0.5)};
    for (unsigned i = 0; i < 2; i++) {
        stick.centre[i] = roll_between(&d, -0.08, 0.08);
        stick.scale[i] = roll_between(&d, 0.5, 0.8);
        stick.back[i] = roll_between(&d, 0.9, 1.1);
    }
    stick.noise = roll_between(&d, 0.001, 0.006);
    stick.bits = bits[roll_below(&d, 4)];
    stick.rate = rates[roll_below(&d, 4)];
    return stick;
}

static void play(const hand_stick *stick) {
    hand hand;
    make_device(stick->bits);
    CHECK_EQUAL(device_parts(&device, NULL, parts), 1);
    CHECK_TEXT(parts[0].name, "stick");
    CHECK(calibrating_begin(&measuring, &device, &parts[0], 0, false));
    seen.stick = stick;
    seen.count = 0;
    hand_begins(&hand, stick, &d, told, NULL);
    for (unsigned i = 0; i < 12; i++) {
        seen.rests = true;
        hand_waits(&hand, 0.8, 0);
        seen.rests = false;
        hand_turns(&hand, 1, 0.7, 0);
        hand_lets_go(&hand, roll_between(&d, 0, 360), 0.9, 0.15);
    }
}

static void check_sticks(void) {
    for (unsigned i = 0; i < some(24); i++) {
        hand_stick stick = made_stick();
        part_measure measure;
        char text[400];
        seen.crackles = i % 4 == 3 ? 0.001 : 0;
        about("stick %u: noise %.4f, %u bits, %.0f a second, crackles %.3f", i, stick.noise,
              stick.bits, stick.rate, seen.crackles);
        play(&stick);
        measure_part(&measuring, &measure);
        for (unsigned a = 0; a < 2; a++) { /* a reading is rounded, which is noise too */
            double step = 2.0 / (1u << stick.bits);
            double most = hypot(stick.noise, step / sqrt(12));
            if (stick.noise < step)
                continue; /* what is below a raw number cannot be told */
            CHECK(measure.noise[a] > 0.8 * most && measure.noise[a] < 1.2 * most);
        }
        qsort(seen.far, seen.count, sizeof *seen.far, by_size);
        double needed =
                   seen.far[(size_t)((double)seen.count * measure.share) - (measure.share == 1)],
               inner = 0;
        measure_setting settings[MEASURE_SETTINGS];
        CHECK(measure_advice(&measuring, &measure, settings) > 0);
        measure_setting_text(&settings[0], "stick", text, sizeof text);
        CHECK(sscanf(text, "deadzone(stick, inner=%lf%%): it rests within", &inner) == 1);
        about("stick %u: needs %.4f: %s", i, needed, text);
        CHECK(inner / 100 >= needed && inner / 100 <= 1.5 * needed + 0.002);
        CHECK(seen.crackles > 0 ? measure.wrong > 0 : measure.wrong == 0);
        for (unsigned k = 0; k < MEASURE_DIRECTIONS; k += 2) { /* along the axes the rim is known */
            double rim = hand_rim(&stick, 45.0 * k), a = k % 4 ? 0 : 1;
            bool is_back = k == 0 || k == 6;
            double off = stick.centre[a > 0] * (is_back ? -1 : 1);
            double reach = rim * stick.scale[a > 0] * (is_back ? stick.back[a > 0] : 1) + off;
            CHECK(measure.has_reach[k]);
            CHECK(fabs(measure.reach[k] - reach) < 0.06); /* within 11 degrees of there */
        }
        calibrating_free(&measuring);
    }
}

/* How straight the axes of sticks with round gates are; of square gates nothing is said. */
static void check_straight(void) {
    for (unsigned i = 0; i < some(16); i++) {
        hand_stick stick = made_stick();
        part_measure measure;
        double should[2];
        stick.gate = i % 4 == 3 ? GATE_SQUARE : GATE_ROUND;
        stick.bits = 12;
        for (unsigned a = 0; a < 2; a++) { /* its middle in the middle, so that the span is known */
            stick.centre[a] = 0;
            stick.scale[a] = 0.6;
            stick.back[a] = 1;
            stick.off[a] = 0;
            bends[a][0] = roll_between(&d, -0.08, 0.08);
            bends[a][1] = a ? bends[0][1] : roll_between(&d, -0.12, 0.12);
            should[a] = 0;
            for (unsigned k = 0; k <= 100; k++) { /* of the way back: where it is by what is read */
                double u = k / 50.0 - 1;
                double v = u + bends[a][0] * (u * u - 1) + bends[a][1] * (u * u * u - u);
                should[a] = fmax(should[a], fabs(u - v));
            }
        }
        play(&stick);
        measure_part(&measuring, &measure);
        about("stick %u, bent by %.3f and %.3f: %d, %.3f and %.3f", i, should[0], should[1],
              measure.has_bent, measure.bent[0], measure.bent[1]);
        CHECK_EQUAL(measure.has_bent, stick.gate == GATE_ROUND);
        for (unsigned a = 0; a < 2 && measure.has_bent; a++)
            CHECK(fabs(measure.bent[a] - should[a]) < 0.012 + 0.2 * should[a]);
        calibrating_free(&measuring);
    }
    bends[0][0] = 0;
}

/* Switches that bounce for some milliseconds, between presses that do not; encoders that turn back.
 */
static void check_chatter(void) {
    for (unsigned turn = 0; turn < 30; turn++) {
        switch_chatter chatter = {0};
        turn_chatter turns = {0};
        uint64_t now_us = 1000000, longest_us = 0;
        unsigned changes = 20 + roll_below(&d, 60), bounces = 0, back = 0, told = 0;
        for (unsigned i = 0; i < changes; i++) {
            uint64_t begun_us = now_us;
            unsigned more = roll_below(&d, 3) == 0 ? 1 + roll_below(&d, 4) : 0;
            switch_changes(&chatter, now_us);
            for (unsigned k = 0; k < more; k++)
                switch_changes(&chatter, now_us += 100 + roll_below(&d, 2500));
            bounces += more > 0;
            longest_us = now_us - begun_us > longest_us ? now_us - begun_us : longest_us;
            now_us += 30000 + roll_below(&d, 400000);
        }
        switch_ends(&chatter);
        about("%u changes, %u of which bounce for up to %.1f ms", changes, bounces,
              (double)longest_us / 1000);
        CHECK_EQUAL(chatter.changes, changes);
        CHECK_EQUAL(chatter.bounces, bounces);
        CHECK_EQUAL(chatter.longest_us, longest_us);
        double steady = measure_steady_ms(longest_us) * 1000;
        CHECK(steady > (double)longest_us && steady <= 1.5 * (double)longest_us + 2000);
        for (unsigned i = 0; i < changes; i++) { /* now and then it goes the other way, slowly */
            int way = i / 9 % 2 ? -1 : 1;
            turn_moves(&turns, now_us += 60000 + roll_below(&d, 50000), way);
            told++;
            if (roll_below(&d, 6) == 0 && i % 9 > 0 && i % 9 < 8) {
                turn_moves(&turns, now_us += 1000 + roll_below(&d, 9000), -way);
                turn_moves(&turns, now_us += 1000 + roll_below(&d, 9000), way);
                back++;
                told += 2;
            }
        }
        about("%u turns, %u of them back", told, back);
        CHECK_EQUAL(turns.turns, told);
        CHECK_EQUAL(turns.back, back);
    }
}

/* A device that reports at fixed times: what is left out while it moves is counted to the report,
 * and its jitter is told. One that reports when something changes tells nothing of that. */
static void check_rates(void) {
    static uint64_t times[4000];
    static bool moves[4000];
    rate_measure measure;
    unsigned left_out = 0;
    size_t count = 0;
    for (unsigned i = 0; i < 4000; i++) {
        bool is_moving = i / 500 % 2;
        if (is_moving && i % 97 == 5) {
            left_out++;
            continue;
        }
        if (!is_moving && i % 89 == 5)
            continue; /* at rest nobody can tell */
        times[count] = i * UINT64_C(4000) + roll_below(&d, 200);
        moves[count++] = is_moving;
    }
    measure_rate(times, moves, count, &measure);
    CHECK(measure.is_regular);
    CHECK_EQUAL(measure.lost, left_out);
    CHECK(fabs(measure.middle - 4000) < 20);
    CHECK(measure.low > 3790 && measure.low < 3900);
    CHECK(measure.longest > 7700 && measure.longest < 8300);
    CHECK_EQUAL(measure.backwards, 0);
    times[50] = times[48];
    measure_rate(times, moves, count, &measure);
    CHECK_EQUAL(measure.backwards, 1);
    times[count - 1] = 0; /* as where a clock began anew: what lies before it counts */
    measure_rate(times, moves, count, &measure);
    CHECK_EQUAL(measure.backwards, 2);
    CHECK(fabs(measure.seconds - (double)(times[count - 2] - times[0]) / 1e6) < 0.01);
    for (size_t i = 0; i < 1000; i++)
        times[i] = i ? times[i - 1] + 4000 * (1 + roll_below(&d, 20)) : 0;
    measure_rate(times, moves, 1000, &measure);
    CHECK(!measure.is_regular);
    CHECK_EQUAL(measure.lost, 0);
    measure_rate(times, moves, 0, &measure);
    CHECK_EQUAL(measure.reports, 0);
    measure_rate(times, moves, 1, &measure);
    CHECK_EQUAL(measure.lost, 0);
}

int main(void) {
    d.state = 31;
    check_sticks();
    check_straight();
    check_chatter();
    check_rates();
    return report_checks();
}
