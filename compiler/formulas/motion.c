/* Motion that is made of speeds. */
#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"

/* Motion of one direction; of an argument that is left out, what never moves: `other`, times 0. */
static bool take_wheel(const yt_written_call *call, unsigned index, unsigned *node) {
    const yt_term *term = call->arguments[index];
    yt_value wheel = value_as_motion(call->lowering, lower_term(call->lowering, term));
    if (wheel.type != VALUE_NOTHING && wheel.type != VALUE_MOTION)
        wheel = lower_wrong(
            call->lowering, term, "%s takes %s, not %s", call->function->arguments[index].label,
            wanted_meaning(call->function->arguments[index].wanted), value_meaning(wheel));
    *node = wheel.node;
    return wheel.type == VALUE_MOTION;
}

yt_value make_motion(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    unsigned nodes[2];
    bool good = true;
    if (!call->arguments[0] && !call->arguments[1])
        return lower_wrong(lowering, call->term, "nothing moves here; write: %s",
                           call->function->usage);
    for (unsigned k = 0; k < 2; k++)
        good &= !call->arguments[k] || take_wheel(call, k, &nodes[k]);
    if (!good)
        return (yt_value){.type = VALUE_NOTHING};
    for (unsigned k = 0; k < 2; k++)
        if (!call->arguments[k])
            nodes[k] = lower_add(lowering, YT_OP_MULTIPLY, YT_TYPE_PULSE, 2, nodes[1 - k],
                                 build_constant(lowering->scope->build, 0), 0);
    return (yt_value){.type = VALUE_MOTION_PAIR, .node = nodes[0], .second = nodes[1]};
}

static unsigned travel(yt_lowering *lowering, unsigned speed) {
    return lower_add(lowering, YT_OP_TRAVEL, YT_TYPE_PULSE, 1, speed, 0, 0);
}

yt_value value_as_motion(yt_lowering *lowering, yt_value value) {
    if (value_is_speed(value))
        return (yt_value){.type = VALUE_MOTION,
                          .node = travel(lowering, value_node(lowering, value))};
    if (value.type != VALUE_VELOCITY || value_is_turning(value))
        return value;
    return (yt_value){.type = VALUE_MOTION_PAIR,
                      .node = travel(lowering, value.node),
                      .second = travel(lowering, value.second)};
}
