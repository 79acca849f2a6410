/* Calibrating levels and axes: triggers that rest high and end early, pedals the other way round,
 * levers with no spring; with noise, crackles, and devices that only tell what changes. */
#include <math.h>

#include "tests/feel/calibrating.h"
#include "tests/feel/springs.h"

/* A level or an axis: positions are of its whole range, 0 to 1. */
typedef struct line {
    double rest, low, high;
    double noise;
    double crackles; /* of its readings, that are anything */
    bool says_changes;
    unsigned bits;
    double rate;
} line;

static calibrating c;
static dice d;
static double now;
static int32_t last;

static void tell(const line *of, double at) {
    double most = (double)((UINT64_C(1) << of->bits) - 1);
    double read = at + of->noise * roll_normal(&d);
    if (of->crackles > 0 && roll_between(&d, 0, 1) < of->crackles)
        read = roll_between(&d, 0, 1);
    int32_t raw[2] = {(int32_t)lround(fmax(0, fmin(1, read)) * most), 0};
    now += 1 / of->rate;
    if (of->says_changes && raw[0] == last)
        return;
    last = raw[0];
    calibrating_told(&c, now, raw);
}

static void waits(const line *of, double seconds, double at) {
    for (double end = now + seconds; now < end;)
        tell(of, at);
}

static void goes(const line *of, double seconds, double from, double to) {
    for (double begun = now; now - begun < seconds;)
        tell(of, from + (to - from) * hand_moves((now - begun) / seconds));
}

static void goes_there_and_back(const line *of, double to) {
    goes(of, 0.25, of->rest, to);
    waits(of, 0.2, to);
    goes(of, 0.25, to, of->rest);
    waits(of, 0.4, of->rest);
}

static double out_at(const line *of, double at) {
    double out[2], most = (double)((UINT64_C(1) << of->bits) - 1);
    int32_t raw[2] = {(int32_t)lround(fmax(0, fmin(1, at)) * most), 0};
    now += 0.001;
    calibrating_out(&c, now, raw, out);
    return out[0];
}

static line made(unsigned i) {
    static const unsigned bits[] = {8, 10, 12, 16};
    line of = {.noise = i % 3 ? roll_between(&d, 0, 0.004) : 0,
               .crackles = i % 5 == 4 ? 0.002 : 0,
               .says_changes = i % 2,
               .bits = bits[roll_below(&d, 4)],
               .rate = 250};
    return of;
}

static void begins(const line *of, unsigned kind, bool is_free) {
    calibrating_line(&c, kind, of->bits);
    if (is_free) {
        c.part.flags |= YT_CALIBRATION_FREE;
        CHECK_EQUAL(yt_calibrating_begin(&c.gathering, &c.part, 0), YT_OK);
    }
    now = 1;
    last = -1;
    tell(of, of->rest);
}

static void check_only_an_axis_is_free(void) {
    for (unsigned kind = YT_CALIBRATION_STICK; kind <= YT_CALIBRATION_ACCELEROMETER; kind++) {
        yt_calibration_part part = {.kind = (uint8_t)kind, .flags = YT_CALIBRATION_FREE};
        for (unsigned i = 0; i < YT_CALIBRATION_CONTROLS; i++)
            part.places[i] = (yt_calibration_place){
                .maximum = 255, .bit = (uint16_t)(8 * i), .bits = 8, .report_id = 0};
        about("kind %u", kind);
        CHECK_EQUAL(yt_calibrating_begin(&c.gathering, &part, 0),
                    kind == YT_CALIBRATION_AXIS ? YT_OK : YT_ARGUMENT);
        part.flags = 0;
        part.unit_q24 = kind >= YT_CALIBRATION_GYRO ? 1 << 20 : 0;
        CHECK_EQUAL(yt_calibrating_begin(&c.gathering, &part, 0), YT_OK);
    }
}

static void check_levels(void) {
    for (unsigned i = 0; i < 60; i++) {
        yt_calibration_news news;
        line of = made(i);
        bool turned = i % 4 == 3;
        of.rest = roll_between(&d, 0, 0.25);
        of.high = roll_between(&d, 0.6, 1);
        if (turned) {
            of.rest = 1 - of.rest;
            of.high = 1 - of.high;
        }
        about("level %u: from %.3f to %.3f, noise %.4f, %u bits", i, of.rest, of.high, of.noise,
              of.bits);
        begins(&of, YT_CALIBRATION_LEVEL, false);
        waits(&of, 0.8, of.rest);
        yt_calibrating_tell(&c.gathering, &news);
        CHECK(news.advice == YT_ADVICE_PRESS || of.says_changes);
        for (unsigned k = 0; k < 3; k++)
            goes_there_and_back(&of, of.high);
        if (of.crackles > 0)
            for (unsigned k = 0; k < 3; k++)
                goes_there_and_back(&of, of.high);
        if (!calibrating_use(&c)) {
            calibrating_end(&c);
            continue;
        }
        double span = of.high - of.rest, step = 1.0 / (1u << of.bits) / fabs(span);
        double near = 0.006 + 3 * of.noise + step;
        CHECK(fabs(out_at(&of, of.rest)) < near);
        CHECK(fabs(out_at(&of, of.high) - 1) < near);
        CHECK(fabs(out_at(&of, of.rest + span / 2) - 0.5) < near);
        CHECK_EQUAL(out_at(&of, of.rest - span / 5) * 1000, 0);
        CHECK_EQUAL(out_at(&of, of.high + span / 20 + 3 * of.noise * span) * 1000, 1000);
        calibrating_end(&c);
    }
}

static void check_axes(void) {
    for (unsigned i = 0; i < 60; i++) {
        yt_calibration_news news;
        line of = made(i);
        bool is_free = i % 3 == 2;
        of.rest = roll_between(&d, 0.4, 0.6);
        of.low = roll_between(&d, 0, 0.15);
        of.high = roll_between(&d, 0.85, 1);
        if (is_free)
            of.rest = (of.low + of.high) / 2;
        about("axis %u: %.3f to %.3f, rest %.3f, noise %.4f, %u bits", i, of.low, of.high, of.rest,
              of.noise, of.bits);
        begins(&of, YT_CALIBRATION_AXIS, is_free);
        waits(&of, 0.8, of.rest);
        for (unsigned k = 0; k < (of.crackles > 0 ? 5 : 3); k++) {
            yt_calibrating_tell(&c.gathering, &news);
            CHECK(news.advice != YT_ADVICE_DONE || k > 1);
            goes_there_and_back(&of, of.low);
            goes_there_and_back(&of, of.high);
        }
        if (!calibrating_use(&c)) {
            calibrating_end(&c);
            continue;
        }
        double near = 0.012 + 6 * of.noise + 4.0 / (1u << of.bits);
        CHECK(fabs(out_at(&of, of.rest)) < near);
        CHECK(fabs(out_at(&of, of.low) + 1) < near);
        CHECK(fabs(out_at(&of, of.high) - 1) < near);
        CHECK(fabs(out_at(&of, (of.rest + of.high) / 2) - 0.5) < near);
        calibrating_end(&c);
    }
}

/* What must not become a calibration, and what is said. */
static void check_refused(void) {
    line of = {.rest = 0.1, .high = 0.13, .noise = 0.001, .bits = 12, .rate = 250};
    yt_calibration_news news;
    about("a trigger that hardly moves");
    begins(&of, YT_CALIBRATION_LEVEL, false);
    waits(&of, 0.8, of.rest);
    for (unsigned i = 0; i < 4; i++)
        goes_there_and_back(&of, of.high);
    CHECK_EQUAL(yt_calibrating_end(&c.gathering, &c.record), YT_CALIBRATION_UNFINISHED);
    calibrating_end(&c);

    about("a number that never changes");
    of.noise = 0;
    begins(&of, YT_CALIBRATION_LEVEL, false);
    waits(&of, 10, of.rest);
    yt_calibrating_tell(&c.gathering, &news);
    CHECK_EQUAL(news.advice, YT_ADVICE_PRESS);
    CHECK_EQUAL(yt_calibrating_end(&c.gathering, &c.record), YT_CALIBRATION_UNFINISHED);
    calibrating_end(&c);

    about("an axis that rests near one end");
    of = (line){.rest = 0.12, .low = 0, .high = 1, .noise = 0.001, .bits = 12, .rate = 250};
    begins(&of, YT_CALIBRATION_AXIS, false);
    waits(&of, 0.8, of.rest);
    for (unsigned i = 0; i < 4; i++) {
        goes_there_and_back(&of, of.low);
        goes_there_and_back(&of, of.high);
    }
    yt_calibrating_tell(&c.gathering, &news);
    CHECK(news.state != YT_CALIBRATING_ENOUGH);
    CHECK_EQUAL(yt_calibrating_end(&c.gathering, &c.record), YT_CALIBRATION_UNFINISHED);
    calibrating_end(&c);
}

int main(void) {
    d.state = 99;
    check_only_an_axis_is_free();
    check_levels();
    check_axes();
    check_refused();
    return report_checks();
}
