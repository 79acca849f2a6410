/* Filters of sticks: what they take is worked out here, so that the core divides nothing. */
#include <math.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"
#include "compiler/formulas/layers.h"

#define PI 3.14159265358979323846

static const yt_value nothing = {.type = VALUE_NOTHING};

/* A stick, or an axis whose other direction rests. False: it is neither, which is said. */
static bool take_stick(const yt_written_call *call, yt_value *stick) {
    yt_lowering *lowering = call->lowering;
    *stick = lower_term(lowering, call->arguments[0]);
    if (stick->type == VALUE_NOTHING || stick->type == VALUE_STICK)
        return stick->type == VALUE_STICK;
    if (!value_is_number(*stick) || stick->type == VALUE_RATE) {
        lower_wrong(lowering, call->arguments[0], "%s takes a stick or an axis, not %s",
                    call->function->name, value_meaning(*stick));
        return false;
    }
    stick->node = value_node(lowering, *stick);
    stick->second = build_constant(lowering->scope->build, 0);
    return true;
}

/* The node of a filter of a stick, or of a number. */
static yt_value filtered(const yt_written_call *call, yt_value stick, const unsigned *nodes,
                         unsigned count) {
    unsigned node =
        build_add(call->lowering->scope->build,
                  (yt_build_node){.operation = (uint16_t)(YT_OP_FUNCTIONS + call->function->number),
                                  .type = YT_TYPE_NUMBER,
                                  .argument_count = (uint8_t)count,
                                  .arguments = nodes});
    if (stick.type == VALUE_STICK)
        return (yt_value){.type = VALUE_STICK, .node = node, .second = node + 1};
    bool is_level = stick.type == VALUE_LEVEL || stick.type == VALUE_SWITCH;
    return (yt_value){
        .type = is_level ? VALUE_LEVEL : VALUE_AXIS, .node = node, .travel = stick.travel};
}

/* A damped swing: half of it takes pi / w, and each half is exp(-pi d / sqrt(1 - d^2)) of the one
 * before. */
yt_value make_let_go(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_build *build = lowering->scope->build;
    yt_value stick, parts[2];
    if (!take_stick(call, &stick))
        return nothing;
    for (unsigned k = 0; k < 2; k++) {
        parts[k] = take_quantity(call, 1 + k, 0);
        if (parts[k].type == VALUE_NOTHING)
            return nothing;
        if (parts[k].type != VALUE_CONSTANT)
            return lower_wrong(lowering, call->arguments[1 + k],
                               "%s takes what was measured, as a number that is written here",
                               call->function->arguments[1 + k].label);
    }
    if (!call->arguments[1] != !call->arguments[2])
        return lower_wrong(lowering, call->term,
                           "frequency and damping are of one spring: give both, or none");
    unsigned nodes[6] = {layer_alive(lowering->scope, lowering->layer), stick.node, stick.second};
    double half = 0, damping = (double)parts[1].amount / YT_ONE;
    if (call->arguments[1])
        half = 5e5 / ((double)parts[0].amount / YT_ONE * sqrt(1 - damping * damping));
    nodes[3] = build_here(build, (int32_t)lround(half));
    nodes[4] = build_here(build, half > 0 ? (int32_t)lround(4294967296.0 / half) : 0);
    nodes[5] = build_here(
        build, (int32_t)lround(PI * damping / sqrt(1 - damping * damping) / log(2) * YT_ONE));
    return filtered(call, stick, nodes, 6);
}

#define SECOND_US 1000000

/* 1 by a time, a second: of a quantity in microseconds. */
static unsigned rate_of(const yt_written_call *call, yt_value time) {
    return divided(call, SECOND_US, time);
}

/* The arguments of a filter of a stick with some quantities, each within its range. */
typedef struct filter {
    yt_value stick;
    yt_value quantities[2];
    unsigned nodes[8];
    unsigned count;
} filter;

static bool begin(filter *filter, const yt_written_call *call, bool has_life) {
    filter->count = 0;
    if (!take_stick(call, &filter->stick))
        return false;
    for (unsigned k = 1; k < function_argument_count(call->function); k++) {
        filter->quantities[k - 1] = take_quantity(call, k, filter->stick.travel);
        if (filter->quantities[k - 1].type == VALUE_NOTHING)
            return false;
    }
    if (has_life)
        filter->nodes[filter->count++] = layer_alive(call->lowering->scope, call->lowering->layer);
    filter->nodes[filter->count++] = filter->stick.node;
    filter->nodes[filter->count++] = filter->stick.second;
    return true;
}

static yt_value finish(filter *filter, const yt_written_call *call) {
    return filtered(call, filter->stick, filter->nodes, filter->count);
}

static yt_value make_settling(const yt_written_call *call, double enough, double follows_us,
                              bool by_time) {
    filter filter;
    yt_build *build = call->lowering->scope->build;
    if (!begin(&filter, call, true))
        return nothing;
    yt_value noise = filter.quantities[0];
    unsigned node = value_node(call->lowering, noise);
    filter.nodes[filter.count++] = node;
    filter.nodes[filter.count++] =
        noise.type == VALUE_CONSTANT
            ? build_constant(build, (yt_q16)lround((double)noise.amount * enough))
            : lower_add(call->lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, node,
                        build_constant(build, (yt_q16)lround(enough * YT_ONE)), 0);
    filter.nodes[filter.count++] = rate_of(call, filter.quantities[1]);
    filter.nodes[filter.count++] =
        build_here(build, follows_us > 0 ? (int32_t)lround(1e6 / follows_us * YT_ONE) : 0);
    filter.nodes[filter.count++] = build_here(build, by_time);
    return finish(&filter, call);
}

/* A move goes beyond one standard deviation by eight of them, reading by reading. */
yt_value make_quiet(const yt_written_call *call) {
    return make_settling(call, 8, 0, false);
}

/* A move goes beyond the shake by as much again, for 8 ms. */
yt_value make_steady_hand(const yt_written_call *call) {
    return make_settling(call, 1, 60000, true);
}

yt_value make_lowpass(const yt_written_call *call) {
    filter filter;
    if (!begin(&filter, call, true))
        return nothing;
    filter.nodes[filter.count++] = rate_of(call, filter.quantities[0]);
    filter.nodes[filter.count++] = build_constant(call->lowering->scope->build, 0);
    return finish(&filter, call);
}

yt_value make_adaptive_lowpass(const yt_written_call *call) {
    filter filter;
    if (!begin(&filter, call, true))
        return nothing;
    filter.nodes[filter.count++] = rate_of(call, filter.quantities[0]);
    filter.nodes[filter.count++] = divided(call, YT_ONE, filter.quantities[1]);
    return finish(&filter, call);
}

yt_value make_slew(const yt_written_call *call) {
    filter filter;
    if (!begin(&filter, call, true))
        return nothing;
    filter.nodes[filter.count++] = rate_of(call, filter.quantities[0]);
    return finish(&filter, call);
}

yt_value make_backlash(const yt_written_call *call) {
    filter filter;
    yt_build *build = call->lowering->scope->build;
    if (!begin(&filter, call, false))
        return nothing;
    yt_value by = filter.quantities[0];
    unsigned node = value_node(call->lowering, by), one = build_constant(build, YT_ONE);
    filter.nodes[filter.count++] = node;
    if (by.type == VALUE_CONSTANT) /* up, so that an end is one */
        filter.nodes[filter.count++] = build_constant(
            build, (yt_q16)ceil((double)YT_ONE * YT_ONE / (double)(YT_ONE - by.amount)));
    else
        filter.nodes[filter.count++] = lower_add(
            call->lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2, one,
            lower_add(call->lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, one, node, 0), 0);
    return finish(&filter, call);
}

yt_value make_hysteresis(const yt_written_call *call) {
    filter filter;
    if (!begin(&filter, call, false))
        return nothing;
    filter.nodes[filter.count++] = value_node(call->lowering, filter.quantities[0]);
    return finish(&filter, call);
}
