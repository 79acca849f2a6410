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
