/* Shapes against double precision: every stage by itself over the whole range of 16 bits, and four
 * of them in a chain, whose exact results are worked out here in the obvious way. */
#include "signal/shape.h"

#include <math.h>
#include <stdlib.h>

#include "tests/harness.h"

typedef struct point {
    double x, y;
} point;

/* The largest differences in 1/65536, beyond the rounding of the result. */
static double worst;
static point worst_at;

static void note(yt_q16 got, double wanted, double x, double y) {
    double apart = fabs(got - wanted * 65536) - 0.5;
    if (apart > worst) {
        worst = apart;
        worst_at = (point){x, y};
    }
}

static double clamped(double value) {
    return fmax(0, fmin(1, value));
}

/* Each way of shaping a size: by our arithmetic, and exactly. */
typedef struct sizing {
    double a, b;
} sizing;

static double between(double size, sizing by) {
    return size > 1 ? size : clamped((size - by.a) / (1 - by.b - by.a));
}
static double power(double size, sizing by) {
    return size > 1 ? size : pow(size, by.a);
}
static double s_shape(double size, sizing by) {
    return size > 1 ? size : size + by.a * size * (1 - size) * (2 * size - 1);
}
static double at_least(double size, sizing by) {
    return size == 0 || size > 1 ? size : by.a + size * (1 - by.a);
}

typedef uint32_t ours(uint32_t size, sizing by);
typedef double exact(double size, sizing by);

static uint32_t our_between(uint32_t size, sizing by) {
    return yt_size_between(size, (uint32_t)lround(by.a * YT_Q24_ONE),
                           (uint32_t)lround((1 - by.b) * YT_Q24_ONE),
                           (uint32_t)lround(262144 / (1 - by.a - by.b)));
}
static uint32_t our_power(uint32_t size, sizing by) {
    return yt_size_power(size, (yt_q16)lround(by.a * 65536));
}
static uint32_t our_s(uint32_t size, sizing by) {
    return yt_size_s(size, (yt_q16)lround(by.a * 65536));
}
static uint32_t our_at_least(uint32_t size, sizing by) {
    return yt_size_at_least(size, (uint32_t)lround(by.a * YT_Q24_ONE));
}

/* A size over the whole range of a level: within half a step and a little, never falling, its ends
 * exact. */
static void try_size(const char *name, ours *shape, exact *wanted, sizing by, double allowed) {
    uint32_t before = 0;
    worst = 0;
    for (uint32_t raw = 0; raw <= 65536; raw++) {
        uint32_t got = shape(raw << 8, by);
        double apart = fabs(got / 256.0 - wanted(raw / 65536.0, by) * 65536);
        worst = apart > worst ? apart : worst;
        about("%s %g %g at %u", name, by.a, by.b, raw);
        CHECK(got + 8 >= before); /* of 1/2^24: what is rounded never falls by a step */
        CHECK((got + 128) >> 8 >= (before + 128) >> 8);
        before = got;
    }
    about("%s %g %g: %.4f of 1/65536", name, by.a, by.b, worst);
    CHECK(worst <= allowed);
    CHECK_EQUAL(shape(YT_Q24_ONE, by), YT_Q24_ONE);
    CHECK_EQUAL(shape(0, by), 0);
}

/* The stages of sticks. */
typedef void stage(yt_shape *shape);
typedef point exact_stage(point at);

static point radial(point at, double by) {
    return (point){at.x * by, at.y * by};
}
static double larger(point at) {
    return fmax(fabs(at.x), fabs(at.y)) / hypot(at.x, at.y);
}
static bool is_straight(point at) {
    return at.x == 0 || at.y == 0;
}
static point to_square(point at) {
    return is_straight(at) ? at : radial(at, 1 / larger(at));
}
static point from_square(point at) {
    return is_straight(at) ? at : radial(at, larger(at));
}
static double octagon_edge(point at) {
    double angle = fmod(atan2(fabs(at.y), fabs(at.x)), atan(1)) - atan(1) / 2;
    return cos(atan(1) / 2) / cos(angle);
}
static point to_octagon(point at) {
    return is_straight(at) ? at : radial(at, octagon_edge(at));
}
static point from_octagon(point at) {
    return is_straight(at) ? at : radial(at, 1 / octagon_edge(at));
}
static point to_square_evenly(point at) {
    double out = hypot(at.x, at.y), x = fabs(at.x), y = fabs(at.y);
    double across = out * atan(fmin(x, y) / fmax(x, y)) / atan(1);
    if (is_straight(at))
        return at;
    return (point){copysign(x > y ? out : across, at.x), copysign(x > y ? across : out, at.y)};
}
static point from_square_evenly(point at) {
    double x = fabs(at.x), y = fabs(at.y), out = fmax(x, y), angle = fmin(x, y) / out * atan(1);
    double along = out * cos(angle), across = out * sin(angle);
    if (is_straight(at))
        return at;
    return (point){copysign(x > y ? along : across, at.x), copysign(x > y ? across : along, at.y)};
}
static double snap_straight, snap_diagonal;
static void snap(yt_shape *shape) {
    yt_shape_snap(shape, (uint32_t)lround(snap_straight * YT_Q24_ONE),
                  (uint32_t)lround(snap_diagonal * YT_Q24_ONE),
                  (uint32_t)lround(262144 / (snap_diagonal - snap_straight)));
}
static point snap_exactly(point at) {
    double out = hypot(at.x, at.y), x = fabs(at.x), y = fabs(at.y);
    double s = snap_straight, d = snap_diagonal;
    double tangent = clamped((fmin(x, y) / fmax(x, y) - s) / (d - s));
    double along = out / hypot(1, tangent), across = tangent * along;
    if (is_straight(at))
        return at;
    return (point){copysign(x > y ? along : across, at.x), copysign(x > y ? across : along, at.y)};
}

static void try_point(stage *stage, exact_stage *exact, int x, int y) {
    yt_shape shape;
    yt_q16 got_x, got_y;
    yt_shape_begin(&shape, x, y);
    stage(&shape);
    yt_shape_end(&shape, &got_x, &got_y);
    point wanted = exact((point){x / 65536.0, y / 65536.0});
    note(got_x, wanted.x, x, y);
    note(got_y, wanted.y, x, y);
    yt_q16 other_x, other_y;
    yt_shape_begin(&shape, -x, -y);
    stage(&shape);
    yt_shape_end(&shape, &other_x, &other_y);
    CHECK(other_x == -got_x && other_y == -got_y); /* it is odd */
}

static void try_stage(const char *name, stage *stage, exact_stage *exact, double allowed) {
    dice dice = {3};
    worst = 0;
    for (int raw = -65536; raw <= 65536; raw++) {
        try_point(stage, exact, raw, 65536);
        try_point(stage, exact, raw, (int)roll_below(&dice, 131073) - 65536);
        try_point(stage, exact, raw, raw);
        try_point(stage, exact, raw, 0);
        try_point(stage, exact, raw / 64, (int)roll_below(&dice, 2049) - 1024);
    }
    about("%s: %.4f of 1/65536 at %g, %g", name, worst, worst_at.x, worst_at.y);
    CHECK(worst <= allowed);
}

/* Dead zone, power and S one after the other, by distance, and then a gate. */
static void chain(yt_shape *shape) {
    yt_shape_need_reach(shape);
    uint32_t out = our_between(shape->out, (sizing){0.08, 0.03});
    out = our_power(out, (sizing){1.5, 0});
    out = our_s(out, (sizing){0.5, 0});
    yt_shape_set_out(shape, out);
    yt_shape_to_square(shape);
}
static point chain_exactly(point at) {
    double out = hypot(at.x, at.y);
    double after =
        s_shape(power(between(out, (sizing){0.08, 0.03}), (sizing){1.5, 0}), (sizing){0.5, 0});
    return out == 0 ? at : to_square(radial(at, after / out));
}
static void nothing(yt_shape *shape) {
    yt_shape_need_reach(shape);
    yt_shape_set_out(shape, shape->out);
}
static point exactly_nothing(point at) {
    return at;
}

static void try_logarithms(void) {
    double apart = 0;
    dice dice = {5};
    for (uint32_t i = 1; i < 3000000; i++) {
        uint32_t value = i < 100000 ? i : (uint32_t)roll_below(&dice, 1u << 28) + 1;
        double got = yt_log2(value) / 16777216.0;
        apart = fmax(apart, fabs(got - log2(value / 16777216.0)));
    }
    about("logarithms %.3f of 1/2^22", apart * 4194304);
    CHECK(apart * 4194304 <= 1);
    apart = 0;
    for (int32_t exponent = -25 * 16777216; exponent < 6 * 16777216; exponent += 131) {
        double wanted = exp2(exponent / 16777216.0), got = yt_exp2(exponent) / 16777216.0;
        apart = fmax(apart, (fabs(got - wanted) - 0.5 / 16777216) / fmax(1, wanted));
    }
    about("powers %.3f of 1/2^22", apart * 4194304);
    CHECK(apart * 4194304 <= 1);
}

/* Whatever comes in, numbers stay below 8. */
static void try_anything(void) {
    dice dice = {11};
    for (int i = 0; i < 200000; i++) {
        yt_shape shape;
        yt_q16 x, y;
        yt_shape_begin(&shape, (yt_q16)roll(&dice), (yt_q16)(roll(&dice) >> roll_below(&dice, 32)));
        for (int k = 0; k < 4; k++)
            switch (roll_below(&dice, 9)) {
            case 0:
                yt_shape_to_square(&shape);
                break;
            case 1:
                yt_shape_from_square(&shape);
                break;
            case 2:
                yt_shape_to_octagon(&shape);
                break;
            case 3:
                yt_shape_from_octagon(&shape);
                break;
            case 4:
                yt_shape_to_square_evenly(&shape);
                break;
            case 5:
                yt_shape_from_square_evenly(&shape);
                break;
            case 6:
                yt_shape_snap(&shape, (uint32_t)roll(&dice) >> 12, (uint32_t)roll(&dice) >> 12,
                              (uint32_t)roll(&dice) >> 8);
                break;
            case 7: {
                yt_curve_part part = {(uint32_t)roll(&dice) >> 8, (unsigned)roll_below(&dice, 16),
                                      (int32_t)roll(&dice) >> 8,  (int32_t)roll(&dice) >> 8,
                                      (int32_t)roll(&dice) >> 8,  (int32_t)roll(&dice) >> 8};
                yt_shape_need_reach(&shape);
                yt_shape_set_out(&shape, yt_size_on_curve(shape.out, &part));
                break;
            }
            default:
                yt_shape_need_sides(&shape);
                yt_shape_set_sides(
                    &shape,
                    yt_size_beside(shape.x, shape.y, (uint32_t)roll(&dice), (uint32_t)roll(&dice)),
                    yt_size_power(shape.y, (yt_q16)roll(&dice)));
            }
        yt_shape_end(&shape, &x, &y);
        CHECK(abs(x) <= 8 * YT_ONE && abs(y) <= 8 * YT_ONE);
    }
}

int main(void) {
    static const sizing zones[] = {{0, 0}, {0.08, 0}, {0.25, 0.15}, {0.5, 0.4}, {0.01, 0.9}};
    for (size_t i = 0; i < sizeof zones / sizeof zones[0]; i++)
        try_size("between", our_between, between, zones[i], 0.3);
    for (double exponent = 0.25; exponent <= 8; exponent *= 1.25)
        try_size("power", our_power, power, (sizing){round(exponent * 65536) / 65536, 0}, 0.3);
    for (double share = 0; share <= 1; share += 0.125) {
        try_size("s", our_s, s_shape, (sizing){share, 0}, 0.3);
        if (share < 1)
            try_size("at least", our_at_least, at_least, (sizing){share, 0}, 0.3);
    }
    try_stage("nothing", nothing, exactly_nothing, 0.1);
    try_stage("to square", yt_shape_to_square, to_square, 0.2);
    try_stage("from square", yt_shape_from_square, from_square, 0.1);
    try_stage("to octagon", yt_shape_to_octagon, to_octagon, 0.2);
    try_stage("from octagon", yt_shape_from_octagon, from_octagon, 0.2);
    try_stage("to square evenly", yt_shape_to_square_evenly, to_square_evenly, 0.2);
    try_stage("from square evenly", yt_shape_from_square_evenly, from_square_evenly, 0.1);
    for (int i = 0; i < 4; i++) {
        snap_straight = tan((3 + 4 * i) * atan(1) / 45);
        snap_diagonal = tan((45 - 5 * i) * atan(1) / 45);
        try_stage("snap", snap, snap_exactly, 0.5);
    }
    try_stage("chain", chain, chain_exactly, 3);
    try_logarithms();
    try_anything();
    return report_checks();
}
