/* Functions of plain numbers, made of operations: min, max, abs and clamp. */
#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"

static const yt_value nothing = {.type = VALUE_NOTHING};

static bool is_rate(yt_value value) {
    return value.type == VALUE_RATE ||
           (value_has_unit(value) && (value.unit == YT_UNIT_TURN || value.unit == YT_UNIT_PULL));
}

/* What min, max, abs and clamp take: numbers; rates, and quantities in their unit; or quantities of
 * one unit. */
static bool take_numbers(const yt_written_call *call, unsigned count, yt_value *values) {
    yt_lowering *lowering = call->lowering;
    bool any_rate = false, one_unit = true;
    for (unsigned k = 0; k < count; k++) {
        values[k] = lower_term(lowering, call->arguments[k]);
        if (values[k].type == VALUE_NOTHING)
            return false;
        any_rate |= values[k].type == VALUE_RATE;
        one_unit &= value_has_unit(values[k]) && values[k].unit == values[0].unit;
    }
    for (unsigned k = 0; k < count; k++) {
        if (value_is_number(values[k]) || one_unit || (any_rate && is_rate(values[k])))
            continue;
        lower_wrong(lowering, call->arguments[k],
                    "%s takes switches, levels, axes and numbers, not %s", call->function->name,
                    value_meaning(values[k]));
        return false;
    }
    return true;
}

/* The smaller of two numbers, or the larger. */
static yt_value pick(yt_lowering *lowering, yt_value a, yt_value b, bool larger) {
    int64_t low[2], high[2];
    if (a.type == VALUE_CONSTANT && b.type == VALUE_CONSTANT)
        return (a.amount < b.amount) != larger ? a : b;
    unsigned node = pick_node(lowering, value_node(lowering, a), value_node(lowering, b), larger);
    if (is_rate(a) && is_rate(b))
        return (yt_value){.type = VALUE_RATE, .node = node};
    value_bounds(a, &low[0], &high[0]);
    value_bounds(b, &low[1], &high[1]);
    return value_quantity(value_has_unit(a) ? a.unit : YT_UNIT_NONE, node,
                          (low[0] < low[1]) != larger ? low[0] : low[1],
                          (high[0] < high[1]) != larger ? high[0] : high[1]);
}

static yt_value pick_of_two(const yt_written_call *call, bool larger) {
    yt_value values[2];
    if (!take_numbers(call, 2, values))
        return nothing;
    return pick(call->lowering, values[0], values[1], larger);
}

yt_value make_min(const yt_written_call *call) {
    return pick_of_two(call, false);
}

yt_value make_max(const yt_written_call *call) {
    return pick_of_two(call, true);
}

yt_value make_abs(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value number;
    if (!take_numbers(call, 1, &number))
        return nothing;
    yt_value other = number;
    if (number.type == VALUE_CONSTANT)
        other.amount = -number.amount;
    else
        other.node =
            lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2,
                      build_constant(lowering->scope->build, 0), value_node(lowering, number), 0);
    if (number.type == VALUE_SWITCH || number.type == VALUE_LEVEL)
        other.type = VALUE_AXIS;
    other.low = -number.high;
    other.high = -number.low;
    return pick(lowering, number, other, true);
}

yt_value make_clamp(const yt_written_call *call) {
    yt_value values[3];
    if (!take_numbers(call, 3, values))
        return nothing;
    if (values[1].type == VALUE_CONSTANT && values[2].type == VALUE_CONSTANT &&
        values[1].amount > values[2].amount)
        return lower_wrong(call->lowering, call->arguments[1], "low is above high");
    return pick(call->lowering, pick(call->lowering, values[0], values[1], true), values[2], false);
}
