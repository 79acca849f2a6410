/* What the nodes of a program come to, worked out from the values that the engine keeps: for those
 * who explain, and as the obvious way that tests compare steps with. */
#ifndef YONDER_COMPILER_BUILDING_GRAPH_H
#define YONDER_COMPILER_BUILDING_GRAPH_H

#include "compiler/building/build.h"

/* The value of a node, its value kept by the engine or not. `values` are the engine's, by number.
 */
yt_q16 graph_value(const yt_build_node *nodes, const yt_q16 *values, unsigned node);

/* The same, but what the node itself keeps is not looked at, as if it was a part of another: only
 * of an operation that does not remember. */
yt_q16 graph_evaluate(const yt_build_node *nodes, const yt_q16 *values, unsigned node);

/* Whether what a node gives follows from its arguments alone. */
bool graph_follows(const yt_build_node *node);

#endif
