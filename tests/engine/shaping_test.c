/* Dead zones, curves and gates as formulas: made-up ones, one to four around one another, over the
 * whole range of a stick of 16 bits, against their manual in double precision. Here the curve is
 * Steffen's as his paper has it, and angles are angles. */
#include <math.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"

#define DEGREE (3.14159265358979323846 / 180)
#define STAGES 4
#define POINTS 18

static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x01, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};

typedef struct point {
    double x, y;
} point;

typedef enum kind {
    ZONE,
    AXIS_ZONE,
    STRAIGHT_ZONE,
    RANGE,
    CURVE,
    POWER,
    S,
    STEPS,
    LEAST,
    AXIS_LEAST,
    TO_SQUARE,
    FROM_SQUARE,
    TO_OCTAGON,
    FROM_OCTAGON,
    TO_EVENLY,
    FROM_EVENLY,
    SNAP,
    KINDS
} kind;

typedef struct stage {
    kind kind;
    double a, b;
    point points[POINTS];
    unsigned count;
} stage;

static rig r;
static dice any;

static double clamped(double value) {
    return fmax(0, fmin(1, value));
}

/* Steffen 1990, equations 2 to 5 and 11; at the ends 26 and its limits. */
static double slope_at(const stage *by, unsigned i) {
    const point *p = by->points;
    unsigned last = by->count - 1;
    double h[2], s[2];
    if (last == 1)
        return (p[1].y - p[0].y) / (p[1].x - p[0].x);
    unsigned first = i == 0 ? 0 : i == last ? last - 2 : i - 1;
    for (unsigned k = 0; k < 2; k++) {
        h[k] = p[first + k + 1].x - p[first + k].x;
        s[k] = (p[first + k + 1].y - p[first + k].y) / h[k];
    }
    if (i == 0 || i == last) {
        unsigned near = i == 0 ? 0 : 1;
        double end = s[near] + (s[near] - s[!near]) * h[near] / (h[0] + h[1]);
        return end * s[near] <= 0 ? 0 : fabs(end) > 2 * fabs(s[near]) ? 2 * s[near] : end;
    }
    double mean = (s[0] * h[1] + s[1] * h[0]) / (h[0] + h[1]);
    double sign = (s[0] > 0 ? 1 : -1) + (s[1] > 0 ? 1 : -1);
    return s[0] == 0 || s[1] == 0 ? 0 : sign * fmin(fmin(fabs(s[0]), fabs(s[1])), 0.5 * fabs(mean));
}

static double on_curve(const stage *by, double size) {
    unsigned i = 0;
    double x = fmin(size, 1);
    while (i + 2 < by->count && x > by->points[i + 1].x)
        i++;
    const point *p = &by->points[i];
    double h = p[1].x - p[0].x, s = (p[1].y - p[0].y) / h, t = x - p->x;
    double one = slope_at(by, i), other = slope_at(by, i + 1);
    double a = (one + other - 2 * s) / (h * h), b = (3 * s - 2 * one - other) / h;
    return ((a * t + b) * t + one) * t + p->y + (size - x);
}

static double sized(const stage *by, double size) {
    if (by->kind == CURVE)
        return on_curve(by, size);
    if (size > 1)
        return size;
    switch (by->kind) {
    case ZONE:
    case AXIS_ZONE:
        return clamped((size - by->a) / (1 - by->a - by->b));
    case RANGE:
        return clamped((size - by->a) / (by->b - by->a));
    case POWER:
        return pow(size, by->a);
    case S:
        return (1 - by->a) * size + by->a * (3 * size * size - 2 * size * size * size);
    case STEPS:
        return floor(size * by->a + 0.5) / by->a;
    default: /* least output */
        return size < 1e-7 ? 0 : by->a + size * (1 - by->a);
    }
}

static double beside(const stage *by, double size, double other) {
    double inner = by->a / (1 - by->a), widest = (by->a + by->b) / (1 - by->a - by->b);
    double z = inner + (widest - inner) * fmin(other, 1), zone = z / (1 + z);
    return size > 1 ? size : clamped((size - zone) / (1 - zone));
}

/* In the first eighth, where x is the larger. */
static point gated(const stage *by, point at) {
    double out = hypot(at.x, at.y), angle = atan2(at.y, at.x), to = 45 * DEGREE;
    double edge = cos(22.5 * DEGREE) / cos(angle - 22.5 * DEGREE);
    double factor = by->kind == TO_SQUARE     ? out / at.x
                    : by->kind == FROM_SQUARE ? at.x / out
                    : by->kind == TO_OCTAGON  ? edge
                                              : 1 / edge;
    switch (by->kind) {
    case TO_EVENLY:
        return (point){out, out * angle / to};
    case FROM_EVENLY:
        return (point){at.x * cos(at.y / at.x * to), at.x * sin(at.y / at.x * to)};
    case SNAP: {
        double low = tan(by->a * DEGREE), high = tan((45 - by->b) * DEGREE);
        double tangent = clamped((at.y / at.x - low) / (high - low));
        return (point){out / hypot(1, tangent), out * tangent / hypot(1, tangent)};
    }
    default:
        return (point){at.x * factor, at.y * factor};
    }
}

/* How many times as long a least output made what was left of a stick: its direction is known as
 * well as 1/2^24 of that. */
static double longer;

static point meant(const stage *stages, unsigned count, point at) {
    double signs[2] = {at.x < 0 ? -1 : 1, at.y < 0 ? -1 : 1};
    at = (point){fabs(at.x), fabs(at.y)};
    for (unsigned i = 0; i < count; i++) {
        const stage *by = &stages[i];
        double out = hypot(at.x, at.y);
        if (by->kind == AXIS_ZONE || by->kind == AXIS_LEAST) {
            at = (point){sized(by, at.x), sized(by, at.y)};
        } else if (by->kind == STRAIGHT_ZONE) {
            at = (point){beside(by, at.x, at.y), beside(by, at.y, at.x)};
        } else if (by->kind >= TO_SQUARE) {
            bool swap = at.y > at.x;
            point straight = swap ? (point){at.y, at.x} : at;
            if (straight.y > 0)
                straight = gated(by, straight);
            at = swap ? (point){straight.y, straight.x} : straight;
        } else if (out > 0) {
            double after = sized(by, out) / out;
            longer = by->kind == LEAST && i > 0 ? fmax(longer, after) : longer;
            at = (point){at.x * after, at.y * after};
        } else if (by->kind == CURVE) {
            at.x = 0; /* a curve that begins above 0 has no direction there; see below */
        }
    }
    return (point){at.x * signs[0], at.y * signs[1]};
}

static double percent(unsigned low, unsigned high) {
    return (low + roll_below(&any, high - low + 1)) / 100.0;
}

static void make_curve(stage *by, char *text, size_t size, bool rises) {
    unsigned points = 1 + roll_below(&any, 16), x = 0, y = 0, least = rises ? 40 : 5;
    by->count = 0;
    by->points[by->count++] = (point){0, 0};
    for (unsigned i = 0; i < points && x < 990; i++) {
        x += least + roll_below(&any, 990 / points - least + 1);
        y = rises ? y + roll_below(&any, (1000 - y) / 3 + 1) : roll_below(&any, 1001);
        by->points[by->count++] = (point){x / 1000.0, y / 1000.0};
        snprintf(text + strlen(text), size - strlen(text), ", %u.%u%% -> %u.%u%%", x / 10, x % 10,
                 y / 10, y % 10);
    }
    if (by->points[by->count - 1].x > 0.995) {
        by->count--;
        *strrchr(text, ',') = 0;
    }
    by->points[by->count++] = (point){1, 1};
}

/* A stage around `inside`, with its call. */
static void make_stage(stage *by, kind kind, bool rises, char *text, size_t size) {
    char inside[2000], arguments[1200] = "";
    static const char *const names[KINDS] = {
        "deadzone",     "axis_deadzone",     "straight_deadzone", "trigger_range",
        "curve",        "power_curve",       "s_curve",           "in_steps",
        "least_output", "axis_least_output", "to_square",         "from_square",
        "to_octagon",   "from_octagon",      "to_square_evenly",  "from_square_evenly",
        "snap"};
    static const char *const labels[KINDS][2] = {[ZONE] = {"inner", "outer"},
                                                 [AXIS_ZONE] = {"inner", "outer"},
                                                 [STRAIGHT_ZONE] = {"inner", "grows"},
                                                 [RANGE] = {"start", "end"},
                                                 [S] = {"bend"},
                                                 [LEAST] = {"least"},
                                                 [AXIS_LEAST] = {"least"}};
    snprintf(inside, sizeof inside, "%s", text);
    by->kind = kind;
    by->a = kind == STRAIGHT_ZONE ? percent(0, 40) : kind == S ? percent(0, 100) : percent(0, 60);
    by->b = kind == RANGE ? by->a + percent(2, 38) : percent(0, 35);
    if (kind == POWER || kind == STEPS || kind == SNAP) {
        by->a = kind == POWER ? percent(30, 500) : 1 + roll_below(&any, kind == STEPS ? 64 : 20);
        by->b = roll_below(&any, 22);
        snprintf(arguments, sizeof arguments,
                 kind == POWER   ? ", %.2f"
                 : kind == STEPS ? ", %.0f"
                                 : ", %.0f deg, %.0f deg",
                 by->a, by->b);
    } else if (kind == CURVE) {
        make_curve(by, arguments, sizeof arguments, rises);
    } else if (labels[kind][0]) {
        snprintf(arguments, sizeof arguments, ", %s=%.0f%%", labels[kind][0], by->a * 100);
        if (labels[kind][1])
            snprintf(arguments + strlen(arguments), sizeof arguments - strlen(arguments),
                     ", %s=%.0f%%", labels[kind][1], by->b * 100);
    }
    snprintf(text, size, "%s(%s%s)", names[kind], inside, arguments);
}

/* What the host was told, of 32,767. */
static bool take(int16_t *x, int16_t *y) {
    unsigned bytes[32] = {0};
    int used;
    const char *text = rig_take(&r, 0, 0);
    if (!*text)
        return false;
    for (unsigned i = 0; i < 32 && sscanf(text, "%x%n", &bytes[i], &used) == 1; i++)
        text += used;
    *x = (int16_t)(bytes[5] | bytes[6] << 8);
    *y = (int16_t)(bytes[7] | bytes[8] << 8);
    return true;
}

static double worst;

/* How far a told number is from what is meant, in 1/65536 beyond its own rounding. */
static double apart(int16_t told, double wanted) {
    wanted = fmax(-1, fmin(1, wanted));
    return fmax(0, fabs(told / 32767.0 - wanted) - 0.5 / 32767) * 65536;
}

/* Near a jump either side will do. */
static double apart_at(const stage *stages, unsigned count, point at, int16_t x, int16_t y,
                       bool jumps) {
    point wanted = meant(stages, count, at);
    double best = fmax(apart(x, wanted.x), apart(y, wanted.y));
    for (int i = 0; i < 24 && jumps && best > 1; i++) {
        static const double by[] = {1e-6, 1e-5, 4e-5};
        point near = {at.x + by[i / 8] * cos(i * 45 * DEGREE),
                      at.y + by[i / 8] * sin(i * 45 * DEGREE)};
        wanted = meant(stages, count, near);
        best = fmin(best, fmax(apart(x, wanted.x), apart(y, wanted.y)));
    }
    return best;
}

static void try_profile(const char *formula, const stage *stages, unsigned count, double allowed,
                        bool is_axis) {
    char profile[3000];
    bool jumps = false;
    uint64_t now_us = 0;
    int16_t x = 0, y = 0;
    for (unsigned i = 0; i < count; i++)
        jumps |= stages[i].kind == STEPS || stages[i].kind == LEAST || stages[i].kind == AXIS_LEAST;
    snprintf(profile, sizeof profile,
             is_axis ? "inputs: {hand: joystick}\noutputs: {told: joystick}\nsheet:\n  told.x: %s\n"
                       "  told.y: hand.y * 0\n"
                     : "inputs: {hand: joystick}\noutputs: {told: joystick}\nnamed:\n  s: %s\n"
                       "sheet:\n  told.x: s.x\n  told.y: s.y\n",
             formula);
    rig_begin(&r, profile);
    unsigned device = RIG_ATTACH(&r, stick);
    for (unsigned i = 0; i < 600; i++) {
        static const int ends[] = {-32767, -32766, -1, 0, 1, 16384, 32766, 32767};
        int raw[2];
        for (unsigned k = 0; k < 2; k++)
            raw[k] = i < 64 ? ends[k ? i % 8 : i / 8] : (int)roll_below(&any, 65535) - 32767;
        if (i % 5 == 4 && i > 64)
            raw[1] = raw[0] / (1 + (int)roll_below(&any, 3));
        now_us += 1000;
        RIG_REPORT(&r, device, now_us, (uint8_t)raw[0], (uint8_t)(raw[0] >> 8), (uint8_t)raw[1],
                   (uint8_t)(raw[1] >> 8));
        while (take(&x, &y))
            ;
        point at = {rig_value(&r, 0) / 65536.0, is_axis ? 0 : rig_value(&r, 1) / 65536.0};
        longer = 0;
        double by = apart_at(stages, count, at, x, y, jumps);
        by = fmax(0, by - longer / 64);
        worst = fmax(worst, by);
        about("%s at %d, %d: %d, %d is %.2f off", formula, raw[0], raw[1], x, y, by);
        CHECK(by <= allowed);
    }
    rig_end(&r);
}

/* How steep a curve is; what is rounded in front of it becomes so much more. */
static double steepest(const stage *by) {
    double most = 0;
    for (unsigned i = 0; by->kind == CURVE && i + 1 < by->count; i++)
        most = fmax(most, 2 * fabs(by->points[i + 1].y - by->points[i].y) /
                              (by->points[i + 1].x - by->points[i].x));
    return most > 16 ? most : 0;
}

int main(void) {
    any = (dice){2026};
    stage stages[STAGES];
    for (unsigned round = 0; round < 24; round++)
        for (kind kind = 0; kind < KINDS; kind++) {
            char text[2500] = "stick(x=hand.x, y=hand.y)";
            bool is_axis =
                kind == RANGE || (kind < TO_SQUARE && kind != AXIS_ZONE && kind != AXIS_LEAST &&
                                  kind != STRAIGHT_ZONE && round % 4 == 0);
            if (is_axis)
                strcpy(text, "hand.x");
            make_stage(&stages[0], kind, round % 2, text, sizeof text);
            try_profile(text, stages, 1, 1 + steepest(&stages[0]) / 64, is_axis);
        }
    about("one stage: %.3f of 1/65536", worst);
    CHECK(worst <= 1);
    double alone = worst;
    worst = 0;
    for (unsigned round = 0; round < 300; round++) {
        char text[2500] = "stick(x=hand.x, y=hand.y)";
        unsigned count = 2 + roll_below(&any, 3);
        for (unsigned i = 0; i < count; i++) {
            kind kind = roll_below(&any, KINDS);
            while (kind == RANGE)
                kind = roll_below(&any, KINDS);
            make_stage(&stages[i], kind, true, text, sizeof text);
        }
        try_profile(text, stages, count, 4, false);
    }
    printf("one stage within %.3f, up to four within %.3f of 1/65536\n", alone, worst);
    return report_checks();
}
