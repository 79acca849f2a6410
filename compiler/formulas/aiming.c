/* What turns views: a pointer by a stick, a gyro, a device that is tilted. */
#include "compiler/formulas/calls.h"

#include <math.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/camera.h"
#include "compiler/formulas/layers.h"

static const yt_value nothing = {.type = VALUE_NOTHING};

static yt_value stick_of(unsigned node) {
    return (yt_value){.type = VALUE_STICK, .node = node, .second = node + 1};
}

/* A node times a number, or times what a node says. */
static unsigned times(const yt_written_call *call, unsigned node, unsigned by) {
    return lower_add(call->lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, node, by, 0);
}

static unsigned number_node(const yt_written_call *call, double number) {
    return build_constant(call->lowering->scope->build, (yt_q16)lround(number * YT_ONE));
}

/* The ratio of two nodes. */
static unsigned ratio(const yt_written_call *call, unsigned node, unsigned by) {
    return lower_add(call->lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2, node, by, 0);
}

static bool is_constant(yt_value value, int64_t amount) {
    return value.type == VALUE_CONSTANT && value.amount == amount;
}

/* What camera_stick is told: an argument of its own, else what the profile says of the host's
 * camera, else what the list says. False: it is wrong, which is said. */
static bool take_camera(const yt_written_call *call, yt_value told[CAMERA_ARGUMENTS]) {
    struct yt_camera *camera = call->lowering->scope->camera;
    camera->is_used = true;
    for (unsigned k = CAMERA_TURN; k < CAMERA_ARGUMENTS; k++) {
        bool is_here = call->arguments[k] || !camera->keys[k];
        told[k] = is_here ? take_quantity(call, k, 0) : camera->values[k];
        if (told[k].type == VALUE_NOTHING)
            return false;
    }
    if (!is_constant(told[CAMERA_STEPS], YT_ONE))
        return true;
    lower_wrong(call->lowering, call->arguments[CAMERA_STEPS], "steps is 2 or more, or 0");
    return false;
}

static double number_of(yt_value value) {
    return (double)value.amount / YT_ONE;
}

#define SLOTS      8  /* of a frame (core/run/functions/aiming.c) */
#define COUNT_BITS 22 /* behind the point of what a count is */
#define FINE       64

/* A number of the program where all of `known` are numbers; else what `node` comes to. */
static unsigned put(const yt_written_call *call, bool known, double number, unsigned node) {
    return known ? build_here(call->lowering->scope->build, (int32_t)lround(number)) : node;
}

static unsigned raw(const yt_written_call *call, double number) {
    return build_constant(call->lowering->scope->build, (yt_q16)lround(number));
}

/* What a count is of what a stick that is all the way out turns in a frame: 360 frames by turn and
 * rate. Where those are parameters it is worked out as they change. */
static unsigned count_node(const yt_written_call *call, const yt_value *told) {
    double each = 360.0 * (1 << COUNT_BITS) / number_of(told[CAMERA_TURN]);
    unsigned frames =
        times(call, value_node(call->lowering, told[CAMERA_FRAMES]), raw(call, FINE * YT_ONE));
    return times(call, ratio(call, frames, value_node(call->lowering, told[CAMERA_RATE])),
                 raw(call, each / FINE));
}

/* Whether a count can be more than a frame's turn, whatever parameters are. */
static bool is_too_coarse(const yt_value *told) {
    int64_t rate[2], frames[2], vertical[2];
    value_bounds(told[CAMERA_RATE], &rate[0], &rate[1]);
    value_bounds(told[CAMERA_FRAMES], &frames[0], &frames[1]);
    value_bounds(told[CAMERA_VERTICAL], &vertical[0], &vertical[1]);
    double count = 360 * (double)frames[1] / (number_of(told[CAMERA_TURN]) * (double)rate[0]);
    return count >= 1 || count * YT_ONE / (double)vertical[0] >= 1;
}

yt_value make_camera_stick(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value motion, told[CAMERA_ARGUMENTS];
    bool known[CAMERA_ARGUMENTS] = {false};
    double number[CAMERA_ARGUMENTS];
    if (!take_motion(call, 0, &motion) || !take_camera(call, told))
        return nothing;
    if (is_too_coarse(told))
        return lower_wrong(
            lowering, call->term,
            "one count would be more than the host can turn in a frame: turn must be "
            "larger, or rate");
    for (unsigned k = CAMERA_TURN; k < CAMERA_ARGUMENTS; k++) {
        known[k] = told[k].type == VALUE_CONSTANT;
        number[k] = known[k] ? number_of(told[k]) : 0;
    }
    bool knows_count = known[CAMERA_FRAMES] && known[CAMERA_RATE];
    bool knows_both = knows_count && known[CAMERA_VERTICAL];
    double count = knows_count ? 360 * number[CAMERA_FRAMES] * (1 << COUNT_BITS) /
                                     (number[CAMERA_TURN] * number[CAMERA_RATE])
                               : 0;
    unsigned across = knows_count ? raw(call, count) : count_node(call, told);
    unsigned frames = value_node(lowering, told[CAMERA_FRAMES]), one = raw(call, YT_ONE);
    unsigned dead = value_node(lowering, told[CAMERA_DEAD]);
    unsigned power = value_node(lowering, told[CAMERA_POWER]);
    unsigned vertical = value_node(lowering, told[CAMERA_VERTICAL]);
    unsigned left = lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, one, dead, 0);
    double steps = number[CAMERA_STEPS];
    unsigned nodes[] = {
        layer_alive(lowering->scope, lowering->layer),
        motion.node,
        motion.second,
        put(call, knows_count, count, across),
        put(call, knows_both, knows_both ? count / number[CAMERA_VERTICAL] : 0,
            ratio(call, across, vertical)),
        put(call, known[CAMERA_FRAMES], 1e6 / SLOTS / number[CAMERA_FRAMES],
            ratio(call, raw(call, 1e6 / SLOTS), frames)),
        put(call, known[CAMERA_DEAD], number[CAMERA_DEAD] * (1 << COUNT_BITS),
            times(call, dead, raw(call, (1 << (COUNT_BITS - 16)) * YT_ONE))),
        put(call, known[CAMERA_DEAD], (1 << 18) / (1 - number[CAMERA_DEAD]),
            ratio(call, raw(call, 1 << 18), left)),
        put(call, known[CAMERA_POWER], number[CAMERA_POWER] * YT_ONE, power),
        put(call, known[CAMERA_POWER], YT_ONE / number[CAMERA_POWER], ratio(call, one, power)),
        put(call, true, steps, 0),
        put(call, true, steps > 0 ? 256.0 * YT_ONE / steps : 0, 0)};
    return stick_of(build_add(lowering->scope->build,
                              (yt_build_node){.operation = YT_OP_CAMERA,
                                              .type = YT_TYPE_NUMBER,
                                              .argument_count = sizeof nodes / sizeof nodes[0],
                                              .arguments = nodes}));
}

#define STEP_US 4000 /* of a stick that follows motion (core/run/functions/sticks.c) */

/* How much of the way it goes in a step, of a time constant. What is not known until it runs comes
 * within a hundredth of that. */
static unsigned share_of_time(const yt_written_call *call, yt_value time) {
    yt_build *build = call->lowering->scope->build;
    if (time.type == VALUE_CONSTANT)
        return number_node(call, 1 - exp(-STEP_US / (double)time.amount));
    return lower_add(call->lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2,
                     build_constant(build, STEP_US),
                     lower_add(call->lowering, YT_OP_ADD, YT_TYPE_NUMBER, 2, time.node,
                               build_constant(build, STEP_US / 2), 0),
                     0);
}

/* The arguments of stick_from_motion. */
enum { FULL_AT = 1, VERTICALLY, OVER };

#define STEPS_A_SECOND 250

yt_value make_stick_from_motion(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    const yt_listed_argument *listed = call->function->arguments;
    yt_value motion, full, vertical, over;
    if (!take_motion(call, 0, &motion))
        return nothing;
    full = take_quantity(call, FULL_AT, 0);
    vertical = take_quantity(call, VERTICALLY, 0);
    over = take_quantity(call, OVER, 0);
    if (full.type == VALUE_NOTHING || vertical.type == VALUE_NOTHING || over.type == VALUE_NOTHING)
        return nothing;
    unsigned nodes[6] = {layer_alive(lowering->scope, lowering->layer), motion.node, motion.second,
                         divided(call, STEPS_A_SECOND * YT_ONE, full)};
    unsigned count = 4;
    bool is_even = is_constant(vertical, listed[VERTICALLY].otherwise);
    if (!is_even || !is_constant(over, listed[OVER].otherwise)) {
        nodes[count++] = is_even ? nodes[3] : times(call, nodes[3], value_node(lowering, vertical));
        nodes[count++] = share_of_time(call, over);
    }
    return stick_of(
        build_add(lowering->scope->build, (yt_build_node){.operation = YT_OP_STICK_FROM_MOTION,
                                                          .type = YT_TYPE_NUMBER,
                                                          .argument_count = (uint8_t)count,
                                                          .arguments = nodes}));
}

yt_value make_axes(const yt_written_call *call) {
    unsigned nodes[3];
    int64_t travel;
    for (unsigned k = 0; k < 3; k++)
        if (!take_number(call, k, &nodes[k], &travel))
            return nothing;
    return (yt_value){.type = VALUE_AXES, .node = nodes[0], .second = nodes[1], .third = nodes[2]};
}

static yt_value turning_of(unsigned right, unsigned down) {
    return (yt_value){.type = VALUE_VELOCITY, .unit = YT_UNIT_TURN, .node = right, .second = down};
}

static unsigned negative(const yt_written_call *call, unsigned node) {
    return lower_add(call->lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, number_node(call, 0), node,
                     0);
}

yt_value make_turning(const yt_written_call *call) {
    yt_value axes, leaning = take_quantity(call, 1, 0);
    if (!take_axes(call, 0, &axes) || leaning.type == VALUE_NOTHING)
        return nothing;
    unsigned right = negative(call, axes.third);
    if (leaning.type != VALUE_CONSTANT || leaning.amount != 0)
        right = lower_add(call->lowering, YT_OP_ADD, YT_TYPE_NUMBER, 2, right,
                          times(call, axes.second, value_node(call->lowering, leaning)), 0);
    return turning_of(right, negative(call, axes.node));
}

yt_value make_level_turning(const yt_written_call *call) {
    yt_value value = make_function(call);
    return value.type == VALUE_NOTHING ? value : turning_of(value.node, value.second);
}

yt_value make_tilt(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value axes[2], full = take_quantity(call, 2, 0);
    if (!take_axes(call, 0, &axes[0]) || !take_axes(call, 1, &axes[1]) ||
        full.type == VALUE_NOTHING)
        return nothing;
    unsigned nodes[7] = {layer_alive(lowering->scope, lowering->layer)};
    for (unsigned k = 0; k < 2; k++) {
        nodes[1 + 3 * k] = axes[k].node;
        nodes[2 + 3 * k] = axes[k].second;
        nodes[3 + 3 * k] = axes[k].third;
    }
    unsigned node = build_add(lowering->scope->build, (yt_build_node){.operation = YT_OP_TILTED,
                                                                      .type = YT_TYPE_NUMBER,
                                                                      .argument_count = 7,
                                                                      .arguments = nodes});
    unsigned by = divided(call, 90 * YT_ONE, full);
    return (yt_value){
        .type = VALUE_STICK, .node = times(call, node, by), .second = times(call, node + 1, by)};
}

/* The argument of those that take how fast something turns. */
static bool take_turning(const yt_written_call *call, yt_value *turning) {
    *turning = lower_term(call->lowering, call->arguments[0]);
    if (turning->type == VALUE_NOTHING)
        return false;
    if (!value_is_turning(*turning))
        lower_wrong(call->lowering, call->arguments[0],
                    "%s takes how fast something turns, as in turning(grip.gyro), not %s",
                    call->function->name, value_meaning(*turning));
    return value_is_turning(*turning);
}

#define SCALE                                                                                      \
    256 /* the length of a stick is taken up to 8: of turns up to 2,048 degrees a second */

/* How fast it turns, whatever the direction, by SCALE. */
static unsigned fastness(const yt_written_call *call, yt_value turning) {
    unsigned down = number_node(call, 1.0 / SCALE);
    return lower_add(call->lowering, YT_OP_LENGTH, YT_TYPE_NUMBER, 2,
                     times(call, turning.node, down), times(call, turning.second, down), 0);
}

static yt_value scaled_turning(const yt_written_call *call, yt_value turning, unsigned by) {
    return turning_of(times(call, turning.node, by), times(call, turning.second, by));
}

static unsigned at_most_one(const yt_written_call *call, unsigned node) {
    return pick_node(call->lowering, node, number_node(call, 1), false);
}

yt_value make_softened(const yt_written_call *call) {
    yt_value turning, below = take_quantity(call, 1, 0);
    if (!take_turning(call, &turning) || below.type == VALUE_NOTHING)
        return nothing;
    unsigned share = times(call, fastness(call, turning), divided(call, SCALE * YT_ONE, below));
    return scaled_turning(call, turning, at_most_one(call, share));
}

yt_value make_quickened(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value turning, quantities[3];
    int64_t low, high, from_low, from_high;
    for (unsigned k = 0; k < 3; k++) {
        quantities[k] = take_quantity(call, 1 + k, 0);
        if (quantities[k].type == VALUE_NOTHING)
            return nothing;
    }
    if (!take_turning(call, &turning))
        return nothing;
    value_bounds(quantities[0], &from_low, &from_high);
    value_bounds(quantities[1], &low, &high);
    if (low < from_high + YT_ONE)
        return lower_wrong(lowering, call->term,
                           "`to` must be 1 deg/s or more above `from`, whatever a parameter is");
    unsigned from = value_node(lowering, quantities[0]), one = number_node(call, 1);
    unsigned wide = lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2,
                              value_node(lowering, quantities[1]), from, 0);
    yt_value width = value_quantity(YT_UNIT_TURN, wide, 0, 0);
    if (quantities[0].type == VALUE_CONSTANT && quantities[1].type == VALUE_CONSTANT)
        width = (yt_value){.type = VALUE_CONSTANT,
                           .amount = quantities[1].amount - quantities[0].amount};
    unsigned beyond =
        lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, fastness(call, turning),
                  times(call, from, number_node(call, 1.0 / SCALE)), 0);
    unsigned share = times(call, beyond, divided(call, SCALE * YT_ONE, width));
    share = at_most_one(call, pick_node(lowering, share, number_node(call, 0), true));
    unsigned more = lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2,
                              value_node(lowering, quantities[2]), one, 0);
    unsigned by =
        lower_add(lowering, YT_OP_ADD, YT_TYPE_NUMBER, 2, times(call, share, more), one, 0);
    return scaled_turning(call, turning, by);
}

yt_value make_stick_from_turning(const yt_written_call *call) {
    yt_value turning, full = take_quantity(call, 1, 0);
    if (!take_turning(call, &turning) || full.type == VALUE_NOTHING)
        return nothing;
    unsigned by = divided(call, SCALE * YT_ONE, full), down = number_node(call, 1.0 / SCALE);
    return (yt_value){.type = VALUE_STICK,
                      .node = times(call, times(call, turning.node, down), by),
                      .second = times(call, times(call, turning.second, down), by)};
}

yt_value make_motion_from_turning(const yt_written_call *call) {
    yt_value turning, turn = take_quantity(call, 1, 0);
    if (!take_turning(call, &turning) || turn.type == VALUE_NOTHING)
        return nothing;
    yt_value speed =
        scaled_turning(call, turning, number_node(call, (double)turn.amount / YT_ONE / 360));
    speed.unit = YT_UNIT_SPEED;
    return value_as_motion(call->lowering, speed);
}
