/* What turns views: a pointer by a stick, a gyro, a device that is tilted. */
#include "compiler/formulas/calls.h"

#include <math.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/layers.h"

static const yt_value nothing = {.type = VALUE_NOTHING};

static yt_value stick_of(unsigned node) {
    return (yt_value){.type = VALUE_STICK, .node = node, .second = node + 1};
}

/* The arguments of camera_stick behind its motion. */
enum { TURN = 1, RATE, DEAD, POWER, FRAMES, VERTICAL, STEPS, CAMERA_ARGUMENTS };

#define SLOTS 8 /* of a frame (core/run/functions/aiming.c) */

/* How the host turns it, worked back: what a count is of what a stick all the way out turns in a
 * frame. */
yt_value make_camera_stick(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_build *build = lowering->scope->build;
    yt_value motion;
    double numbers[CAMERA_ARGUMENTS];
    if (!take_motion(call, 0, &motion))
        return nothing;
    for (unsigned k = TURN; k < CAMERA_ARGUMENTS; k++) {
        yt_value quantity = take_quantity(call, k, 0);
        if (quantity.type == VALUE_NOTHING)
            return nothing;
        if (quantity.type != VALUE_CONSTANT)
            return lower_wrong(lowering, call->arguments[k],
                               "%s takes what was measured, as a number that is written here",
                               call->function->arguments[k].label);
        numbers[k] = (double)quantity.amount / YT_ONE;
    }
    if (numbers[STEPS] == 1)
        return lower_wrong(lowering, call->arguments[STEPS], "steps is 2 or more, or 0");
    double count = 360 * numbers[FRAMES] / (numbers[TURN] * numbers[RATE]);
    if (count >= 1 || count / numbers[VERTICAL] >= 1)
        return lower_wrong(
            lowering, call->term,
            "one count would be more than the host can turn in a frame: turn must be "
            "larger, or rate");
    const double here[] = {count * (1 << 22),
                           count / numbers[VERTICAL] * (1 << 22),
                           1e6 / numbers[FRAMES] / SLOTS,
                           numbers[DEAD] * (1 << 22),
                           (1 << 18) / (1 - numbers[DEAD]),
                           numbers[POWER] * YT_ONE,
                           YT_ONE / numbers[POWER],
                           numbers[STEPS],
                           numbers[STEPS] > 0 ? 256.0 * YT_ONE / numbers[STEPS] : 0};
    unsigned nodes[3 + sizeof here / sizeof here[0]] = {
        layer_alive(lowering->scope, lowering->layer), motion.node, motion.second};
    for (unsigned k = 0; k < sizeof here / sizeof here[0]; k++)
        nodes[3 + k] = build_here(build, (int32_t)lround(here[k]));
    unsigned node =
        build_add(build, (yt_build_node){.operation = YT_OP_CAMERA,
                                         .type = YT_TYPE_NUMBER,
                                         .argument_count = sizeof nodes / sizeof nodes[0],
                                         .arguments = nodes});
    return stick_of(node);
}

/* A node times a number, or times what a node says. */
static unsigned times(const yt_written_call *call, unsigned node, unsigned by) {
    return lower_add(call->lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, node, by, 0);
}

static unsigned number_node(const yt_written_call *call, double number) {
    return build_constant(call->lowering->scope->build, (yt_q16)lround(number * YT_ONE));
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

static bool is_constant(yt_value value, int64_t amount) {
    return value.type == VALUE_CONSTANT && value.amount == amount;
}

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
