/* Gyros that turn views: pads that hands hold askew, turn and shake, reckoned with matrices in
 * double precision. With the argument `table` it prints what came out, for docs/feel.md. */
#include <math.h>

#include "tests/feel/springs.h"
#include "tests/feel/told.h"

#define PI     3.14159265358979323846
#define DEGREE (PI / 180)
#define COUNTS 3600.0 /* of a mouse, once around */

static bool tells;
static dice d;

/* A pad in a hand: the columns of `axes` are its x, y and z in the room, whose z is up. */
typedef struct pad {
    double axes[3][3];
    double now, rate;
    double noise, bias[3]; /* of its gyro, in degrees a second */
    double pull_noise;     /* g */
    double shake[3];       /* how strongly a hand shakes it in the room, in g */
    double to[2];          /* how far it was turned about gravity, to the right and down */
} pad;

static double dot(const double a[3], const double b[3]) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

/* Turns the pad about an axis of the room, by an angle in radians (Rodrigues' formula). */
static void turn_about(pad *of, const double axis[3], double angle) {
    for (unsigned k = 0; k < 3; k++) {
        double v[3] = {of->axes[0][k], of->axes[1][k], of->axes[2][k]};
        double along = dot(axis, v) * (1 - cos(angle));
        double across[3] = {axis[1] * v[2] - axis[2] * v[1], axis[2] * v[0] - axis[0] * v[2],
                            axis[0] * v[1] - axis[1] * v[0]};
        for (unsigned i = 0; i < 3; i++)
            of->axes[i][k] = v[i] * cos(angle) + across[i] * sin(angle) + axis[i] * along;
    }
}

static void axis_of(const pad *of, unsigned which, double axis[3]) {
    for (unsigned i = 0; i < 3; i++)
        axis[i] = of->axes[i][which];
}

/* What is level, to the pad's right. */
static void level_axis(const pad *of, double axis[3]) {
    axis_of(of, 0, axis);
    axis[2] = 0;
    double length = sqrt(dot(axis, axis));
    for (unsigned i = 0; i < 3; i++)
        axis[i] /= length;
}

static const double upright[3] = {0, 0, 1};

static void hold(pad *of, double pitch, double roll) {
    static const double x[3] = {1, 0, 0};
    double y[3];
    for (unsigned i = 0; i < 3; i++)
        for (unsigned k = 0; k < 3; k++)
            of->axes[i][k] = i == k;
    turn_about(of, x, pitch * DEGREE);
    axis_of(of, 1, y);
    turn_about(of, y, roll * DEGREE);
}

/* A report of the pad, which turns about an axis of the room. */
static void tell(pad *of, const double axis[3], double degrees_a_second) {
    double gyro[3], pull[3], force[3];
    for (unsigned i = 0; i < 3; i++)
        force[i] = (i == 2) + of->shake[i] * sin(2 * PI * (4 + i) * of->now + i);
    for (unsigned k = 0; k < 3; k++) {
        double own[3];
        axis_of(of, k, own);
        gyro[k] = dot(axis, own) * degrees_a_second + of->bias[k] + of->noise * roll_normal(&d);
        pull[k] = dot(force, own) + of->pull_noise * roll_normal(&d);
    }
    of->now += 1 / of->rate;
    told_grip(of->now, NULL, gyro, pull);
}

static void stays(pad *of, double seconds) {
    for (double end = of->now + seconds; of->now < end;)
        tell(of, upright, 0);
}

/* The same as the core does by its own definition, exactly. */
static void count_level(pad *of, const double axis[3], double degrees) {
    double x[3], level;
    axis_of(of, 0, x);
    level = fmax(0.25, sqrt(1 - x[2] * x[2]));
    of->to[0] -= axis[2] * degrees;
    of->to[1] -= (dot(axis, x) - x[2] * axis[2]) / level * degrees;
}

/* A hand turns it by an angle about an axis, as smoothly as hands do. The gyro tells what it turned
 * by on average since the report before. */
static void turns(pad *of, const double axis[3], double degrees, double takes) {
    double done = 0;
    unsigned reports = (unsigned)(takes * of->rate) + 1;
    for (unsigned i = 1; i <= reports; i++) {
        double to = degrees * hand_moves((double)i / reports);
        tell(of, axis, (to - done) * of->rate);
        for (unsigned k = 0; k < 16; k++) {
            count_level(of, axis, (to - done) / 16);
            turn_about(of, axis, (to - done) / 16 * DEGREE);
        }
        done = to;
    }
    tell(of, axis, 0);
}

static double moved(unsigned i) {
    return told_moved[i] * 360 / COUNTS;
}

static pad made_pad(void) {
    static const double rates[] = {125, 250, 500, 1000};
    pad of = {.now = 1, .rate = rates[roll_below(&d, 4)], .noise = 0.05, .pull_noise = 0.01};
    for (unsigned i = 0; i < 3; i++)
        of.bias[i] = roll_between(&d, -0.05, 0.05);
    return of;
}

static void begin(const char *formula) {
    char text[300];
    snprintf(text, sizeof text, "motion_from_turning(%s, turn=%.0f)", formula, COUNTS);
    told_grip_begins(text, true);
}

/* What came of a turn, in degrees. */
static void turned(pad *of, const double axis[3], double degrees, double takes, double got[2]) {
    double before[2] = {moved(0), moved(1)};
    of->to[0] = of->to[1] = 0;
    turns(of, axis, degrees, takes);
    stays(of, 0.05);
    for (unsigned i = 0; i < 2; i++)
        got[i] = moved(i) - before[i];
}

/* About gravity: however it is held, a turn about what is upright goes to the side, one about what
 * is level up or down. */
static void check_level(unsigned pads, double shake) {
    double worst = 0, sum = 0;
    unsigned count = 0;
    for (unsigned i = 0; i < pads; i++) {
        pad of = made_pad();
        double level[3], got[2], degrees = roll_between(&d, -180, 180);
        begin("level_turning(hand.gyro, hand.pull)");
        hold(&of, roll_between(&d, -60, 60), roll_between(&d, -60, 60));
        stays(&of, 0.5);
        for (unsigned k = 0; k < 3; k++)
            of.shake[k] = shake;
        stays(&of, shake > 0 ? 5 : 0);
        turned(&of, upright, degrees, roll_between(&d, 0.2, 1), got);
        about("%.0f degrees about what is upright: %.2f and %.2f, at %.0f Hz", degrees, got[0],
              got[1], of.rate);
        double off = hypot(got[0] + degrees, got[1]);
        CHECK(off < (shake > 0 ? 0.6 : 0.3) + fabs(degrees) * (shake > 0 ? 0.02 : 0.01));
        worst = fmax(worst, off / (1 + fabs(degrees) / 100));
        sum += off;
        level_axis(&of, level);
        degrees = roll_between(&d, -25, 25);
        turned(&of, level, degrees, roll_between(&d, 0.2, 1), got);
        about("%.0f degrees about what is level: %.2f and %.2f, at %.0f Hz", degrees, got[0],
              got[1], of.rate);
        off = hypot(got[0], got[1] - of.to[1]);
        CHECK(off < (shake > 0 ? 0.6 : 0.3) + fabs(degrees) * (shake > 0 ? 0.02 : 0.01));
        CHECK(fabs(of.to[1] + degrees) < 0.1 * fabs(degrees));
        sum += off;
        double any[3] = {roll_normal(&d), roll_normal(&d), roll_normal(&d)};
        double length = sqrt(dot(any, any));
        for (unsigned k = 0; k < 3; k++)
            any[k] /= length;
        turned(&of, any, degrees * 3, roll_between(&d, 0.2, 1), got);
        about("%.0f degrees about any axis: %.2f and %.2f, not %.2f and %.2f, at %.0f Hz",
              degrees * 3, got[0], got[1], of.to[0], of.to[1], of.rate);
        off = hypot(got[0] - of.to[0], got[1] - of.to[1]);
        CHECK(off < (shake > 0 ? 0.8 : 0.4) + fabs(degrees) * 3 * (shake > 0 ? 0.03 : 0.015));
        sum += off;
        count += 3;
        told_end();
    }
    if (tells)
        printf("| turned about gravity, the pad held askew by up to 60 deg%s | %.2f deg | %.2f deg "
               "|\n",
               shake > 0 ? ", a hand shakes it by 0.3 g" : "", sum / count, worst);
}

/* About its own axes. */
static void check_own(unsigned pads) {
    double worst = 0, sum = 0;
    for (unsigned i = 0; i < pads; i++) {
        pad of = made_pad();
        double axis[3], got[2], degrees = roll_between(&d, -180, 180);
        begin("turning(hand.gyro, leaning=50%)");
        hold(&of, roll_between(&d, -90, 90), roll_between(&d, -90, 90));
        stays(&of, 0.1);
        axis_of(&of, 2, axis);
        turned(&of, axis, degrees, roll_between(&d, 0.2, 1), got);
        double off = hypot(got[0] + degrees, got[1]);
        axis_of(&of, 0, axis);
        turned(&of, axis, degrees, roll_between(&d, 0.2, 1), got);
        off = fmax(off, hypot(got[0], got[1] + degrees));
        axis_of(&of, 1, axis);
        turned(&of, axis, degrees, roll_between(&d, 0.2, 1), got);
        off = fmax(off, hypot(got[0] - degrees / 2, got[1]));
        about("%.0f degrees about its own axes: %.2f off", degrees, off);
        CHECK(off < 0.3 + 0.005 * fabs(degrees));
        worst = fmax(worst, off);
        sum += off;
        told_end();
    }
    if (tells)
        printf("| turned about its own axes | %.2f deg | %.2f deg |\n", sum / pads, worst);
}

/* Gyros that turn evenly, in a plane: what comes out in degrees a second. */
static void even(const char *formula, double right, double down, double got[2]) {
    double gyro[3] = {-down, 0, -right}, still[3] = {0, 0, 0}, pull[3] = {0, 0, 1};
    begin(formula);
    told_grip(1, NULL, gyro, pull);
    for (double at = 1.001; at < 3; at += 0.001)
        told_wait(at);
    told_grip(3, NULL, still, pull);
    told_wait(3.1);
    for (unsigned i = 0; i < 2; i++)
        got[i] = moved(i) / 2;
    told_end();
}

static void check_strength(void) {
    for (unsigned i = 0; i < 60; i++) {
        char formula[200];
        double below = floor(roll_between(&d, 1, 60)), from = floor(roll_between(&d, 0, 90));
        double to = from + floor(roll_between(&d, 1, 200)),
               times = floor(roll_between(&d, 2, 60)) / 10;
        double fast = roll_between(&d, 0, 1) * pow(10, roll_between(&d, 0, 2.6)),
               way = roll_between(&d, 0, 2 * PI);
        double right = round(fast * cos(way) / 0.061) * 0.061,
               down = round(fast * sin(way) / 0.061) * 0.061, got[2];
        double is = hypot(right, down), share = fmin(1, is / below);
        snprintf(formula, sizeof formula, "softened(turning(hand.gyro), below=%.0f deg/s)", below);
        even(formula, right, down, got);
        about("%s: %.3f, %.3f is %.3f, %.3f", formula, right, down, got[0], got[1]);
        CHECK(hypot(got[0] - right * share, got[1] - down * share) < 0.1 + 0.01 * is * share);
        share = 1 + (times - 1) * fmax(0, fmin(1, (is - from) / (to - from)));
        snprintf(formula, sizeof formula,
                 "quickened(turning(hand.gyro), from=%.0f deg/s, to=%.0f deg/s, times=%.1f)", from,
                 to, times);
        if (is * share > 600) /* what is more than a mouse can tell */
            continue;
        even(formula, right, down, got);
        about("%s: %.3f, %.3f is %.3f, %.3f", formula, right, down, got[0], got[1]);
        CHECK(hypot(got[0] - right * share, got[1] - down * share) < 0.1 + 0.01 * is * share);
    }
}

static void check_stick(void) {
    static const double pull[3] = {0, 0, 1};
    for (unsigned i = 0; i < 100; i++) {
        char formula[100];
        double full = floor(roll_between(&d, 1, 3000)),
               gyro[3] = {roll_between(&d, -1900, 1900), 0, roll_between(&d, -1900, 1900)};
        snprintf(formula, sizeof formula,
                 "stick_from_turning(turning(hand.gyro), full_at=%.0f deg/s)", full);
        told_grip_begins(formula, false);
        told_grip(1, NULL, gyro, pull);
        told_wait(1.1);
        double x = fmax(-1, fmin(1, -gyro[2] / full)), y = fmax(-1, fmin(1, -gyro[0] / full));
        about("%s: %.4f, %.4f is %.4f, %.4f", formula, gyro[0], gyro[2], told[0], told[1]);
        CHECK(fabs(told[0] - x) < 0.04 / full + 0.001 && fabs(told[1] - y) < 0.04 / full + 0.001);
        told_end();
    }
}

/* Only while a control is held. */
static void check_held(void) {
    static const double pull[3] = {0, 0, 1}, gyro[3] = {0, 0, -90}, still[3] = {0, 0, 0};
    begin("turning(hand.gyro) * keys.a");
    told_grip(1, NULL, gyro, pull);
    told_wait(2);
    about("a gyro whose control is not held");
    CHECK(moved(0) == 0);
    told_key(2, true);
    told_wait(3);
    told_key(3, false);
    told_wait(4);
    told_grip(4, NULL, still, pull);
    about("held for a second at 90 degrees a second: %.2f", moved(0));
    CHECK(fabs(moved(0) - 90) < 0.2);
    told_end();
}

/* How far it is tilted: at rest, while a hand shakes it, and just after a quick turn. */
static void check_tilt(unsigned pads) {
    double rest = 0, shaken = 0, quick = 0;
    for (unsigned i = 0; i < pads; i++) {
        pad of = made_pad();
        double pitch = roll_between(&d, -40, 40), roll = roll_between(&d, -40, 40), y[3], level[3];
        told_grip_begins("tilt(hand.gyro, hand.pull, full=80 deg)", false);
        hold(&of, pitch, roll);
        stays(&of, 4);
        axis_of(&of, 0, level);
        axis_of(&of, 1, y);
        double off =
            hypot(told[0] * 80 + asin(level[2]) / DEGREE, told[1] * 80 - asin(y[2]) / DEGREE);
        rest = fmax(rest, off);
        for (unsigned k = 0; k < 3; k++)
            of.shake[k] = 0.3;
        stays(&of, 3);
        off = hypot(told[0] * 80 + asin(level[2]) / DEGREE, told[1] * 80 - asin(y[2]) / DEGREE);
        shaken = fmax(shaken, off);
        turns(&of, y, 25, 0.15);
        axis_of(&of, 0, level);
        axis_of(&of, 1, y);
        off = hypot(told[0] * 80 + asin(level[2]) / DEGREE, told[1] * 80 - asin(y[2]) / DEGREE);
        quick = fmax(quick, off);
        told_end();
    }
    about("tilt: %.2f degrees off at rest, %.2f shaken, %.2f after a quick turn", rest, shaken,
          quick);
    CHECK(rest < 0.6);
    CHECK(shaken < 3);
    CHECK(quick < 3);
    if (tells)
        printf("| tilt, at rest | | %.2f deg |\n| tilt, a hand shakes it by 0.3 g | | %.2f deg "
               "|\n| tilt, at the "
               "end of a turn of 25 deg in 0.15 s, shaken | | %.2f deg |\n",
               rest, shaken, quick);
}

/* The time goes on; an update comes each millisecond. */
static void wait_until(double *now, double at) {
    while (*now + 0.001 < at)
        told_wait(*now += 0.001);
    told_wait(*now = at);
}

/* An accelerometer that tells nothing, or of a fall, or of a blow: where up is stays unknown. */
static void check_unknown(void) {
    static const double pulls[][3] = {{0, 0, 0}, {0, 0, 0.6}, {0.9, 0, 1}, {0, -3, 0}};
    static const double gyro[3] = {-20, 30, -90}, still[3] = {0, 0, 0}, up[3] = {0.6, 0, 0.8};
    for (unsigned i = 0; i < 4; i++) {
        begin("level_turning(hand.gyro, hand.pull)");
        told_grip(1, NULL, gyro, pulls[i]);
        told_wait(2);
        told_grip(2, NULL, still, pulls[i]);
        about("%.1f, %.1f, %.1f g: %.1f and %.1f degrees", pulls[i][0], pulls[i][1], pulls[i][2],
              moved(0), moved(1));
        CHECK(fabs(moved(0) - 90) < 0.3 && fabs(moved(1) - 20) < 0.3);
        told_end();
        told_grip_begins("tilt(hand.gyro, hand.pull, full=90 deg)", false);
        told_grip(1, NULL, still, pulls[i]);
        told_wait(2);
        CHECK(told[0] == 0 && told[1] == 0);
        told_grip(2, NULL, still, up);
        told_grip(2.01, NULL, still, pulls[i]);
        told_wait(4);
        about("once it was known it stays: %.3f", told[0]);
        CHECK(fabs(told[0] + asin(0.6) / DEGREE / 90) < 0.01);
        told_end();
    }
}

/* A device that lies still lets the adapter sleep; one that turns, or was just put askew, does not.
 */
static void check_sleep(void) {
    static const double still[3] = {0, 0, 0}, slow[3] = {0, 0.1, 0};
    for (unsigned i = 0; i < 2; i++) {
        double flat[3] = {0, 0, 1}, askew[3] = {0.1, 0, 0.995}, now = 1;
        told_grip_begins(i ? "tilt(hand.gyro, hand.pull)"
                           : "stick_from_turning(level_turning(hand.gyro, hand.pull))",
                         false);
        told_grip(1, NULL, still, flat);
        CHECK(!told_goes_on(now += 0.1));
        told_grip(now, NULL, still, askew);
        CHECK(told_goes_on(now += 0.001));
        wait_until(&now, now + 15);
        CHECK(!told_goes_on(now += 0.001));
        told_grip(now, NULL, slow, askew);
        wait_until(&now, now + 15);
        CHECK(told_goes_on(now += 0.001));
        told_end();
    }
}

/* The first readings may be of a hand that picks it up: they soon count for little. Later ones that
 * are wrong for a moment hardly do. */
static void check_haste(void) {
    static const double still[3] = {0, 0, 0}, flat[3] = {0, 0, 1};
    for (unsigned i = 0; i < 30; i++) {
        double askew = roll_between(&d, 5, 15) * (i % 2 ? 1 : -1), now = 1;
        double wrong[3] = {-sin(askew * DEGREE), 0, cos(askew * DEGREE)};
        told_grip_begins("tilt(hand.gyro, hand.pull, full=90 deg)", false);
        told_grip(1, NULL, still, wrong);
        about("askew by %.1f degrees at first: %.2f", askew, told[0] * 90);
        CHECK(fabs(told[0] * 90 - askew) < 0.3);
        told_grip(1.001, NULL, still, flat);
        wait_until(&now, 1.5);
        about("askew by %.1f degrees at first, half a second later %.2f", askew, told[0] * 90);
        CHECK(fabs(told[0] * 90) < 0.1 * fabs(askew));
        for (; now < 3; now += 0.004)
            told_grip(now, NULL, still, flat);
        told_grip(now, NULL, still, wrong);
        wait_until(&now, now + 0.1);
        about("flat for long, then askew by %.1f degrees for 0.1 s: %.2f", askew, told[0] * 90);
        CHECK(fabs(told[0] * 90) < 0.2 * fabs(askew) && fabs(told[0] * 90) > 0.02 * fabs(askew));
        told_end();
    }
}

static double view(void) {
    return told_moved[0] * 360 / COUNTS;
}

static void point(double at, double degrees, double out) {
    static const double still[3] = {0, 0, 0}, pull[3] = {0, 0, 1};
    double stick[2] = {out * sin(degrees * DEGREE), -out * cos(degrees * DEGREE)};
    told_grip(at, stick, still, pull);
}

/* The view turns to where a stick points, in the time; then it follows the stick around. */
static void check_turn_to(void) {
    for (unsigned i = 0; i < 60; i++) {
        char formula[200];
        double now = 1.2, over = floor(roll_between(&d, 8, 2000)),
               first = floor(roll_between(&d, -179, 180)),
               goes = floor(roll_between(&d, -900, 900));
        snprintf(formula, sizeof formula,
                 "motion(x=turn_to(hand.left_stick, turn=%.0f, over=%.0f ms))", COUNTS, over);
        told_grip_begins(formula, true);
        point(1, 0, 0);
        point(1.1, first, 0.5);
        told_wait(1.2);
        about("%s to %.0f degrees", formula, first);
        CHECK(view() == 0);
        point(1.2, first, 0.98);
        wait_until(&now, 1.2 + over / 2000);
        about("%s to %.0f degrees: half way there %.2f", formula, first, view());
        CHECK(fabs(view() - first / 2) < 0.6 + fabs(first) * 4.1 / over);
        wait_until(&now, 1.2 + over / 1000 + 0.008);
        about("%s to %.0f degrees: %.2f", formula, first, view());
        CHECK(fabs(view() - first) < 0.2);
        for (unsigned k = 1; k <= 100; k++)
            point(4 + k * 0.01, first + goes * k / 100, 0.98);
        about("%s to %.0f degrees and on by %.0f: %.2f", formula, first, goes, view());
        CHECK(fabs(view() - first - goes) < 0.2);
        point(6.0, first + goes, 0.76); /* a little back: it still counts */
        point(6.1, first + goes + 20, 0.76);
        CHECK(fabs(view() - first - goes - 20) < 0.2);
        point(6.2, 33, 0.7);
        point(6.3, 133, 0.3);
        point(6.4, 0, 0);
        told_wait(7);
        about("let go");
        CHECK(fabs(view() - first - goes - 20) < 0.2);
        told_end();
    }
}

/* A stick that follows motion: as far out as the motion is fast, whatever the rate of reports, and
 * with the time constant that it was given. */
static void check_following(void) {
    static const double rates[] = {125, 250, 500, 1000};
    for (unsigned i = 0; i < 40; i++) {
        char formula[200];
        double rate = rates[roll_below(&d, 4)], over = floor(roll_between(&d, 20, 300)) / 1000;
        double full = floor(roll_between(&d, 2000, 20000)),
               tall = floor(roll_between(&d, 10, 1000)) / 100;
        double speed = floor(roll_between(&d, 1, 12)) * rate, sum[2] = {0, 0}, most = 0;
        double half = 0, x = fmin(1, speed / full), y = fmin(1, speed / full * tall);
        unsigned count = 0;
        snprintf(formula, sizeof formula,
                 "stick_from_motion(ball.motion, full_at=%.0f /s, vertical=%.0f%%, over=%.0f ms)",
                 full, tall * 100, over * 1000);
        told_mouse_begins(formula);
        for (unsigned k = 1; k <= (0.1 + 12 * over) * rate; k++) {
            told_report(1 + k / rate, (int)(speed / rate), -(int)(speed / rate));
            if (half == 0 && told[0] > 0.632 * x)
                half = k / rate;
            for (unsigned m = 1; m <= 8; m++) {
                told_wait(1 + k / rate + m / rate / 8.1);
                if (k / rate < 8 * over + 0.1)
                    continue;
                sum[0] += told[0];
                sum[1] += told[1];
                most = fmax(most, (fabs(told[0] - x) - 0.001) / x);
                count++;
            }
        }
        about("%s at %.0f /s, %.0f Hz: %.4f and %.4f, within %.1f%%, 63%% after %.0f ms", formula,
              speed, rate, sum[0] / count, sum[1] / count, most * 100, half * 1000);
        CHECK(fabs(sum[0] / count - x) < 0.001 + 0.01 * x);
        CHECK(fabs(sum[1] / count + y) < 0.001 + 0.01 * y);
        CHECK(most < 0.01 + 0.5 * fmax(0.004, 1 / rate) / over);
        CHECK(fabs(half - over) < 0.1 * over + 0.012);
        told_end();
    }
}

int main(int count, char **arguments) {
    tells = count > 1 && strcmp(arguments[1], "table") == 0;
    d.state = count > 2 ? strtoull(arguments[2], NULL, 0) : 4242;
    if (tells)
        printf("| what | off, mean | off, most |\n|---|---|---|\n");
    unsigned pads = tells ? 400 : 40;
    check_own(pads);
    check_level(pads, 0);
    check_level(pads, 0.3);
    check_tilt(pads);
    if (tells)
        return checks_failed > 0;
    check_strength();
    check_stick();
    check_held();
    check_unknown();
    check_haste();
    check_sleep();
    check_turn_to();
    check_following();
    return report_checks();
}
