/* Angles, lengths and turns against double precision, over the whole range of a stick. */
#include "signal/angle.h"

#include <math.h>
#include <stdlib.h>

#include "tests/harness.h"

#define DEGREE (3.14159265358979323846 / 180)

/* The largest differences: of lengths and turned sticks in 1/65536; of angles in degrees. */
static double worst_length, worst_angle, worst_turn;

static void note(double *worst, double got, double wanted) {
    double apart = fabs(got - wanted);
    *worst = apart > *worst ? apart : *worst;
}

static void try_angle(yt_q16 x, yt_q16 y) {
    yt_q16 length, angle = yt_angle_of(x, y, &length);
    double wanted = atan2(x, -(double)y) / DEGREE;
    wanted += wanted < 0 ? 360 : 0;
    double got = angle / 65536.0;
    got += got - wanted > 180 ? -360 : wanted - got > 180 ? 360 : 0;
    note(&worst_length, length, hypot(x, y));
    if (hypot(x, y) > 4096)
        note(&worst_angle, got, wanted);
    CHECK(angle >= 0 && angle < YT_TURN);
}

static void try_turn(yt_q16 x, yt_q16 y, yt_q16 by) {
    double angle = by / 65536.0 * DEGREE, along = x, across = y;
    yt_q16 got_x = x, got_y = y;
    yt_angle_turn(&got_x, &got_y, by);
    note(&worst_turn, got_x, along * cos(angle) - across * sin(angle));
    note(&worst_turn, got_y, along * sin(angle) + across * cos(angle));
}

/* What is beyond the range is taken as its end. */
static void try_far(yt_q16 x, yt_q16 y) {
    yt_q16 length, angle = yt_angle_of(x, y, &length), most = 8 * YT_ONE;
    double near_x = fmax(fmin(x, most), -most), near_y = fmax(fmin(y, most), -most);
    about("%d, %d", x, y);
    CHECK(fabs(length - hypot(near_x, near_y)) <= 3);
    CHECK(angle >= 0 && angle < YT_TURN);
    yt_angle_turn(&x, &y, INT32_MIN);
    CHECK(abs(x) < 12 * YT_ONE && abs(y) < 12 * YT_ONE);
}

int main(void) {
    static const yt_q16 ends[] = {0,       1,         -1,        YT_ONE,     -YT_ONE,
                                  8 << 16, INT32_MAX, INT32_MIN, -INT32_MAX, 8 * YT_ONE + 1};
    dice dice = {77};
    for (int raw = -65536; raw <= 65536; raw++) {
        try_angle(raw, 65536);
        try_angle(raw, (int)roll_below(&dice, 131073) - 65536);
        try_angle(-65536, raw);
        try_angle(raw, raw);
        try_turn(raw, (int)roll_below(&dice, 131073) - 65536, (yt_q16)roll_below(&dice, YT_TURN));
        try_turn(65536, raw, raw * 720);
    }
    for (int degrees = -720; degrees <= 720; degrees++)
        try_turn(65536, -65536, degrees * YT_ONE);
    for (unsigned i = 0; i < sizeof ends / sizeof ends[0]; i++)
        for (unsigned k = 0; k < sizeof ends / sizeof ends[0]; k++)
            try_far(ends[i], ends[k]);
    about("lengths %.3f, turned sticks %.3f of 1/65536, angles %.5f degrees", worst_length,
          worst_turn, worst_angle);
    CHECK(worst_length <= 1);
    CHECK(worst_turn <= 1);
    CHECK(worst_angle <= 0.001);
    yt_q16 length, x = YT_ONE, y = 0;
    CHECK_EQUAL(yt_angle_of(0, -YT_ONE, &length), 0);
    CHECK_EQUAL(yt_angle_of(YT_ONE, 0, &length), 90 * YT_ONE);
    CHECK_EQUAL(yt_angle_of(0, 1, &length), 180 * YT_ONE);
    CHECK_EQUAL(yt_angle_of(-YT_ONE / 2, 0, &length), 270 * YT_ONE);
    CHECK_EQUAL(length, YT_ONE / 2);
    CHECK_EQUAL(yt_angle_of(0, 0, &length), 0);
    CHECK_EQUAL(length, 0);
    yt_angle_turn(&x, &y, 90 * YT_ONE);
    CHECK(abs(x) <= 1 && abs(y - YT_ONE) <= 1);
    return report_checks();
}
