/* Dead zones, curves and gates: each is a stage of one call of SHAPE. Where one is around another,
 * its stage goes behind the other's, so that a stick is taken apart and put together once. */
#include <math.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"
#include "compiler/reading/keys.h"

enum {
#define YT_STAGE(number, NAME, name, takes, meaning) STAGE_##NAME = (number),
#include "yonder/image/stages.def"
#undef YT_STAGE
};

static const yt_value nothing = {.type = VALUE_NOTHING};

/* A call of SHAPE as it is put together. */
typedef struct shaping {
    const yt_written_call *call;
    yt_value taken; /* the stick or the number that is shaped */
    unsigned nodes[BUILD_ARGUMENTS];
    unsigned count;
    bool is_full;
} shaping;

static yt_build *build_of(const shaping *shaping) {
    return shaping->call->lowering->scope->build;
}

static void put(shaping *shaping, unsigned node) {
    shaping->is_full |= shaping->count >= BUILD_ARGUMENTS;
    if (!shaping->is_full)
        shaping->nodes[shaping->count++] = node;
}

/* A number of the program; a value where it is not known yet. */
static void put_number(shaping *shaping, double number) {
    put(shaping, build_here(build_of(shaping), (int32_t)lround(number)));
}

/* Whether a node is a call of SHAPE; an axis by itself has nothing in its other direction. */
static bool is_shape(const yt_build *build, yt_value value, bool is_stick) {
    const yt_build_node *node = &build->nodes[value.node];
    const yt_build_node *other = NULL;
    if (node->operation != YT_OP_SHAPE)
        return false;
    other = &build->nodes[node->arguments[1]];
    return is_stick ? value.second == value.node + 1
                    : other->operation == YT_OP_CONSTANT && other->data == 0;
}

/* Begins with what the first argument is: a stick, or a number where one will do. */
static bool begin(shaping *shaping, const yt_written_call *call, bool only_stick) {
    yt_lowering *lowering = call->lowering;
    yt_value value = lower_term(lowering, call->arguments[0]);
    bool is_stick = value.type == VALUE_STICK;
    memset(shaping, 0, sizeof *shaping);
    shaping->call = call;
    if (value.type == VALUE_NOTHING)
        return false;
    if (!is_stick && (only_stick || !value_is_number(value) || value.type == VALUE_RATE)) {
        lower_wrong(lowering, call->arguments[0], "%s takes %s, not %s", call->function->name,
                    only_stick ? "a stick" : "a stick, an axis or a level", value_meaning(value));
        return false;
    }
    shaping->taken = value;
    if (!is_stick)
        shaping->taken.node = value_node(lowering, value);
    if (value.type != VALUE_CONSTANT && is_shape(build_of(shaping), shaping->taken, is_stick)) {
        const yt_build_node *node = &build_of(shaping)->nodes[shaping->taken.node];
        for (unsigned k = 0; k < node->argument_count; k++)
            put(shaping, node->arguments[k]);
        return true;
    }
    put(shaping, shaping->taken.node);
    put(shaping, is_stick ? value.second : build_constant(build_of(shaping), 0));
    return true;
}

static yt_value finish(shaping *shaping) {
    yt_lowering *lowering = shaping->call->lowering;
    if (shaping->is_full)
        return lower_wrong(lowering, shaping->call->term,
                           "these are too many stages for one stick; give a part of them a name");
    unsigned node =
        build_add(build_of(shaping), (yt_build_node){.operation = YT_OP_SHAPE,
                                                     .type = YT_TYPE_NUMBER,
                                                     .argument_count = (uint8_t)shaping->count,
                                                     .arguments = shaping->nodes});
    if (shaping->taken.type == VALUE_STICK)
        return (yt_value){.type = VALUE_STICK, .node = node, .second = node + 1};
    bool is_level = shaping->taken.type == VALUE_LEVEL || shaping->taken.type == VALUE_SWITCH;
    return (yt_value){
        .type = is_level ? VALUE_LEVEL : VALUE_AXIS, .node = node, .travel = shaping->taken.travel};
}

/* A share that is an argument. False: it is wrong, which is said. */
static bool take_share(shaping *shaping, unsigned index, yt_value *share) {
    *share = take_quantity(shaping->call, index, shaping->taken.travel);
    return share->type != VALUE_NOTHING;
}

static bool is_known(yt_value value) {
    return value.type == VALUE_CONSTANT;
}

/* A constant as it was meant: 57% is 57 of 100, of which 1/65536 is only the nearest. */
static double share_of(yt_value value) {
    double meant = round((double)value.amount * 10000 / YT_ONE) / 10000;
    return fabs(meant * YT_ONE - (double)value.amount) <= 0.5 ? meant
                                                              : (double)value.amount / YT_ONE;
}

/* A share with so many bits behind the point. */
static void put_share(shaping *shaping, yt_value share, unsigned bits) {
    yt_lowering *lowering = shaping->call->lowering;
    if (is_known(share))
        put_number(shaping, share_of(share) * (1 << bits));
    else if (bits == 16)
        put(shaping, share.node);
    else
        put(shaping, lower_add(lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, share.node,
                               build_constant(build_of(shaping), YT_ONE << (bits - 16)), 0));
}

static yt_value constant(double number) {
    return (yt_value){.type = VALUE_CONSTANT, .amount = (int64_t)lround(number * YT_ONE)};
}

/* What comes of two values: worked out here where both are known. */
static yt_value combined(shaping *shaping, unsigned operation, yt_value a, yt_value b) {
    if (is_known(a) && is_known(b)) {
        double one = share_of(a), other = share_of(b);
        return constant(operation == YT_OP_ADD        ? one + other
                        : operation == YT_OP_SUBTRACT ? one - other
                        : operation == YT_OP_DIVIDE   ? one / other
                                                      : one * other);
    }
    yt_lowering *lowering = shaping->call->lowering;
    return value_quantity(YT_UNIT_NONE,
                          lower_add(lowering, operation, YT_TYPE_NUMBER, 2, value_node(lowering, a),
                                    value_node(lowering, b), 0),
                          INT32_MIN, INT32_MAX);
}

/* A stage BETWEEN, or one of each side: from `inner` to `end`. */
static yt_value put_between(shaping *shaping, unsigned stage, yt_value inner, yt_value end) {
    int64_t low[2], high[2];
    value_bounds(inner, &low[0], &high[0]);
    value_bounds(end, &low[1], &high[1]);
    if (low[1] - high[0] < YT_ONE / 50)
        return lower_wrong(
            shaping->call->lowering, shaping->call->term,
            "nothing is left between the two: where it begins and where it ends must "
            "be 2%% apart%s",
            is_known(inner) && is_known(end) ? ""
                                             : ", whatever the parameters are within their ranges");
    yt_value span = combined(shaping, YT_OP_SUBTRACT, end, inner);
    put_number(shaping, stage);
    put_share(shaping, inner, 22);
    put_share(shaping, end, 22);
    if (is_known(span))
        put_number(shaping, 4.0 * YT_ONE / (share_of(end) - share_of(inner)));
    else
        put_share(shaping, combined(shaping, YT_OP_DIVIDE, constant(4), span), 16);
    return finish(shaping);
}

static yt_value make_zone(const yt_written_call *call, unsigned stage, bool only_stick) {
    shaping shaping;
    yt_value inner, outer;
    if (!begin(&shaping, call, only_stick) || !take_share(&shaping, 1, &inner) ||
        !take_share(&shaping, 2, &outer))
        return nothing;
    int64_t low, high;
    value_bounds(outer, &low, &high);
    yt_value end = combined(&shaping, YT_OP_SUBTRACT, constant(1), outer);
    if (!is_known(end))
        end = value_quantity(YT_UNIT_NONE, end.node, YT_ONE - high, YT_ONE - low);
    return put_between(&shaping, stage, inner, end);
}

yt_value make_deadzone(const yt_written_call *call) {
    return make_zone(call, STAGE_BETWEEN, false);
}

yt_value make_axis_deadzone(const yt_written_call *call) {
    return make_zone(call, STAGE_SIDES_BETWEEN, true);
}

yt_value make_trigger_range(const yt_written_call *call) {
    shaping shaping;
    yt_value start, end;
    if (!begin(&shaping, call, false) || !take_share(&shaping, 1, &start) ||
        !take_share(&shaping, 2, &end))
        return nothing;
    if (shaping.taken.type == VALUE_STICK)
        return lower_wrong(call->lowering, call->arguments[0],
                           "trigger_range takes a level or an axis, not a stick; for a stick there "
                           "is deadzone");
    return put_between(&shaping, STAGE_BETWEEN, start, end);
}

/* z / (1 + z) is to be `inner` where the other side rests, and `inner` + `grows` where it is out.
 */
yt_value make_straight_deadzone(const yt_written_call *call) {
    shaping shaping;
    yt_value inner, grows;
    if (!begin(&shaping, call, true) || !take_share(&shaping, 1, &inner) ||
        !take_share(&shaping, 2, &grows))
        return nothing;
    yt_value one = constant(1), wide = combined(&shaping, YT_OP_ADD, inner, grows);
    put_number(&shaping, STAGE_BESIDE);
    if (is_known(inner) && is_known(wide)) {
        double least = share_of(inner) / (1 - share_of(inner));
        double most = share_of(inner) + share_of(grows);
        put_number(&shaping, least * (1 << 20));
        put_number(&shaping, (most / (1 - most) - least) * (1 << 20));
        return finish(&shaping);
    }
    yt_value zone =
        combined(&shaping, YT_OP_DIVIDE, inner, combined(&shaping, YT_OP_SUBTRACT, one, inner));
    yt_value widest =
        combined(&shaping, YT_OP_DIVIDE, wide, combined(&shaping, YT_OP_SUBTRACT, one, wide));
    put_share(&shaping, zone, 20);
    put_share(&shaping, combined(&shaping, YT_OP_SUBTRACT, widest, zone), 20);
    return finish(&shaping);
}

/* A stage that takes one quantity. */
static yt_value make_of_one(const yt_written_call *call, unsigned stage, bool only_stick,
                            unsigned bits) {
    shaping shaping;
    yt_value quantity;
    if (!begin(&shaping, call, only_stick) || !take_share(&shaping, 1, &quantity))
        return nothing;
    put_number(&shaping, stage);
    put_share(&shaping, quantity, bits);
    return finish(&shaping);
}

yt_value make_power_curve(const yt_written_call *call) {
    return make_of_one(call, STAGE_POWER, false, 16);
}
yt_value make_s_curve(const yt_written_call *call) {
    return make_of_one(call, STAGE_S, false, 16);
}
yt_value make_least_output(const yt_written_call *call) {
    return make_of_one(call, STAGE_LEAST, false, 22);
}
yt_value make_axis_least_output(const yt_written_call *call) {
    return make_of_one(call, STAGE_SIDES_LEAST, true, 22);
}

yt_value make_in_steps(const yt_written_call *call) {
    shaping shaping;
    yt_value count;
    if (!begin(&shaping, call, false) || !take_share(&shaping, 1, &count))
        return nothing;
    double steps = share_of(count);
    put_number(&shaping, STAGE_STEPS);
    put_number(&shaping, steps);
    put_number(&shaping, steps > 1 ? 4194304 / steps : 4194304);
    return finish(&shaping);
}

/* A gate: a stage that takes nothing. */
static yt_value make_gate(const yt_written_call *call, unsigned stage) {
    shaping shaping;
    if (!begin(&shaping, call, true))
        return nothing;
    put_number(&shaping, stage);
    return finish(&shaping);
}

yt_value make_to_square(const yt_written_call *call) {
    return make_gate(call, STAGE_TO_SQUARE);
}
yt_value make_from_square(const yt_written_call *call) {
    return make_gate(call, STAGE_FROM_SQUARE);
}
yt_value make_to_octagon(const yt_written_call *call) {
    return make_gate(call, STAGE_TO_OCTAGON);
}
yt_value make_from_octagon(const yt_written_call *call) {
    return make_gate(call, STAGE_FROM_OCTAGON);
}
yt_value make_to_square_evenly(const yt_written_call *call) {
    return make_gate(call, STAGE_TO_SQUARE_EVENLY);
}
yt_value make_from_square_evenly(const yt_written_call *call) {
    return make_gate(call, STAGE_FROM_SQUARE_EVENLY);
}

#define RADIAN (3.14159265358979323846 / 180)

yt_value make_snap(const yt_written_call *call) {
    shaping shaping;
    yt_value within, diagonals;
    if (!begin(&shaping, call, true) || !take_share(&shaping, 1, &within) ||
        !take_share(&shaping, 2, &diagonals))
        return nothing;
    for (unsigned k = 1; k <= 2; k++)
        if (!is_known(k == 1 ? within : diagonals))
            return lower_wrong(call->lowering, call->arguments[k],
                               "%s takes an angle that is written here: its tangent is worked out "
                               "once",
                               call->function->arguments[k].label);
    double straight = tan(share_of(within) * RADIAN);
    double diagonal = tan((45 - share_of(diagonals)) * RADIAN);
    put_number(&shaping, STAGE_SNAP);
    put_number(&shaping, straight * (1 << 22));
    put_number(&shaping, diagonal * (1 << 22));
    put_number(&shaping, 4 * YT_ONE / (diagonal - straight));
    return finish(&shaping);
}

#define POINTS      16
#define POINTS_EACH 0.00499  /* how far apart they must be */
#define CURVE_ONE   524288.0 /* 19 bits behind the point */

typedef struct curve {
    double x[POINTS + 2], y[POINTS + 2];
    unsigned count;
} curve;

static double smaller(double a, double b) {
    return a < b ? a : b;
}

static double slope_of(const curve *curve, unsigned part) {
    return (curve->y[part + 1] - curve->y[part]) / (curve->x[part + 1] - curve->x[part]);
}

/* The derivative at a point by Steffen 1990, equations 8 to 11; at an end equation 26 and its
 * limit.
 */
static double derivative(const curve *curve, unsigned at) {
    unsigned last = curve->count - 1;
    if (last == 1)
        return slope_of(curve, 0);
    if (at == 0 || at == last) {
        unsigned part = at == 0 ? 0 : last - 1, next = at == 0 ? 1 : last - 2;
        double near = curve->x[part + 1] - curve->x[part];
        double far = curve->x[next + 1] - curve->x[next], slope = slope_of(curve, part);
        double end =
            slope * (1 + near / (near + far)) - slope_of(curve, next) * near / (near + far);
        if (end * slope <= 0)
            return 0;
        return fabs(end) > 2 * fabs(slope) ? 2 * slope : end;
    }
    double before = curve->x[at] - curve->x[at - 1], behind = curve->x[at + 1] - curve->x[at];
    double one = slope_of(curve, at - 1), other = slope_of(curve, at);
    double between = (one * behind + other * before) / (before + behind);
    if (one * other <= 0)
        return 0;
    return copysign(smaller(smaller(2 * fabs(one), 2 * fabs(other)), fabs(between)), one);
}

static void put_part(shaping *shaping, const curve *curve, unsigned part) {
    double wide = curve->x[part + 1] - curve->x[part], high = curve->y[part + 1] - curve->y[part];
    double begin = derivative(curve, part), end = derivative(curve, part + 1), by;
    int shift = 0;
    while (shift < 7 && wide * (1 << (shift + 1)) <= 1)
        shift++;
    by = 1.0 / (1 << shift); /* what one of t is */
    put_number(shaping, curve->x[part] * (1 << 22));
    put_number(shaping, curve->y[part] * CURVE_ONE + shift * (1 << 20));
    put_number(shaping, begin * by * CURVE_ONE);
    put_number(shaping, (3 * high / wide - 2 * begin - end) / wide * by * by * CURVE_ONE);
    put_number(shaping, (begin + end - 2 * high / wide) / (wide * wide) * by * by * by * CURVE_ONE);
}

static yt_value put_curve(shaping *shaping, const curve *curve) {
    put_number(shaping, STAGE_CURVE);
    put_number(shaping, curve->count - 1);
    for (unsigned part = 0; part + 1 < curve->count; part++)
        put_part(shaping, curve, part);
    return finish(shaping);
}

static void add_point(curve *curve, double x, double y) {
    curve->x[curve->count] = x;
    curve->y[curve->count++] = y;
}

/* One number of a point. */
static bool take_point(const yt_written_call *call, const yt_term *term, double *share) {
    yt_value value = lower_term(call->lowering, term);
    if (value.type == VALUE_NOTHING)
        return false;
    if (value.type == VALUE_CONSTANT && value.unit == YT_UNIT_NONE && value.amount >= 0 &&
        value.amount <= YT_ONE) {
        *share = share_of(value);
        return true;
    }
    lower_wrong(call->lowering, term,
                "a point of a curve is two shares from 0%% to 100%% that are written here, as in "
                "25%% -> 10%%; both sides of a rest are alike");
    return false;
}

yt_value make_curve(const yt_written_call *call) {
    shaping shaping;
    curve curve = {.count = 0};
    double x = 0, y;
    unsigned given = 0;
    if (!begin(&shaping, call, false))
        return nothing;
    for (const yt_term *term = call->arguments[1]; term; term = term->next) {
        double before = x;
        if (term->kind != TERM_POINT)
            continue;
        if (!take_point(call, term->first, &x) || !take_point(call, term->first->next, &y))
            return nothing;
        if (given == POINTS)
            return lower_wrong(call->lowering, term, "a curve has up to %d points", POINTS);
        if (given > 0 && x < before + POINTS_EACH)
            return lower_wrong(call->lowering, term,
                               "points stand in the order of their first numbers, 0.5%% apart or "
                               "more");
        if ((x > 0 && x < POINTS_EACH) || (x < 1 && x > 1 - POINTS_EACH))
            return lower_wrong(
                call->lowering, term,
                "0%% -> 0%% and 100%% -> 100%% are there by themselves; other points are "
                "0.5%% away from them or more");
        if (given++ == 0 && x > 0)
            add_point(&curve, 0, 0);
        add_point(&curve, x, y);
    }
    if (x < 1)
        add_point(&curve, 1, 1);
    return put_curve(&shaping, &curve);
}

/* A ready-made curve through points. */
static yt_value make_ready(const yt_written_call *call, const double (*points)[2], unsigned count) {
    shaping shaping;
    curve curve = {.count = 0};
    if (!begin(&shaping, call, false))
        return nothing;
    for (unsigned i = 0; i < count; i++)
        add_point(&curve, points[i][0], points[i][1]);
    return put_curve(&shaping, &curve);
}

static yt_value make_ready_power(const yt_written_call *call, double exponent) {
    shaping shaping;
    if (!begin(&shaping, call, false))
        return nothing;
    put_number(&shaping, STAGE_POWER);
    put_number(&shaping, exponent * YT_ONE);
    return finish(&shaping);
}

yt_value make_gentle(const yt_written_call *call) {
    return make_ready_power(call, 1.7);
}
yt_value make_eager(const yt_written_call *call) {
    return make_ready_power(call, 0.65);
}
yt_value make_fine_then_fast(const yt_written_call *call) {
    static const double points[][2] = {{0, 0}, {0.35, 0.13}, {0.65, 0.3}, {0.85, 0.62}, {1, 1}};
    return make_ready(call, points, sizeof points / sizeof points[0]);
}
