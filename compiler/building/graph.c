#include "compiler/building/graph.h"

#include "compiler/building/operations.h"
#include "signal/fixed.h"

bool graph_follows(const yt_build_node *node) {
    return node->operation < YT_OP_FUNCTIONS && !operation_is_leaf(node->operation) &&
           node->operation != YT_OP_OWNER && node->operation != YT_OP_DRIVE &&
           node->operation != YT_OP_PRESS;
}

yt_q16 graph_value(const yt_build_node *nodes, const yt_q16 *values, unsigned node) {
    if (nodes[node].operation == YT_OP_CONSTANT || nodes[node].operation == YT_OP_HERE)
        return nodes[node].data;
    if (nodes[node].value != YT_NO_VALUE)
        return values[nodes[node].value];
    return graph_follows(&nodes[node]) ? graph_evaluate(nodes, values, node) : 0;
}

/* Of pairs of a switch and a value, the value of the first whose switch is on. */
static yt_q16 topmost(const yt_build_node *nodes, const yt_q16 *values, const yt_build_node *node) {
    for (unsigned k = 0; k + 1 < node->argument_count; k += 2)
        if (graph_value(nodes, values, node->arguments[k]))
            return graph_value(nodes, values, node->arguments[k + 1]);
    return 0;
}

static yt_q16 any(const yt_build_node *nodes, const yt_q16 *values, const yt_build_node *node) {
    yt_q16 all = 0;
    for (unsigned k = 0; k < node->argument_count; k++)
        all |= graph_value(nodes, values, node->arguments[k]);
    return all;
}

yt_q16 graph_evaluate(const yt_build_node *nodes, const yt_q16 *values, unsigned number) {
    const yt_build_node *node = &nodes[number];
    const unsigned *argument = node->arguments;
    yt_q16 a = node->argument_count > 0 ? graph_value(nodes, values, argument[0]) : 0;
    yt_q16 b = node->argument_count > 1 ? graph_value(nodes, values, argument[1]) : 0;
    switch (node->operation) {
    case YT_OP_NOT:
        return a ? 0 : YT_ONE;
    case YT_OP_AND:
        return a & b;
    case YT_OP_OR:
        return a | b;
    case YT_OP_ADD:
        return yt_q16_add(a, b);
    case YT_OP_SUBTRACT:
        return yt_q16_subtract(a, b);
    case YT_OP_MULTIPLY:
        return yt_q16_multiply(a, b);
    case YT_OP_DIVIDE:
        return yt_q16_divide(a, b);
    case YT_OP_LESS:
        return a < b ? YT_ONE : 0;
    case YT_OP_LESS_OR_EQUAL:
        return a <= b ? YT_ONE : 0;
    case YT_OP_EQUAL:
        return a == b ? YT_ONE : 0;
    case YT_OP_CHOOSE:
        return a ? b : graph_value(nodes, values, argument[2]);
    case YT_OP_GATE:
        return a ? b : 0;
    case YT_OP_TOPMOST:
        return topmost(nodes, values, node);
    case YT_OP_ANY:
        return any(nodes, values, node);
    default: /* SEEN */
        return a;
    }
}
