/* The operations of nodes, as a program is built; steps are made of them (steps.c). A number from
 * YT_OP_FUNCTIONS on is that of a function (functions.def). */
#ifndef YONDER_COMPILER_BUILDING_OPERATIONS_H
#define YONDER_COMPILER_BUILDING_OPERATIONS_H

#include "image/functions.h"

#define YT_OP_FUNCTIONS 64

typedef enum yt_operation_number {
#define YT_OPERATION(number, NAME, meaning) YT_OP_##NAME = (number),
#include "compiler/building/operations.def"
#undef YT_OPERATION
#define YT_FUNCTION(group, index, NAME, ...) YT_OP_##NAME = YT_OP_FUNCTIONS + YT_DO_##NAME,
#define YT_UNCALLED(group, index, NAME, ...) YT_OP_##NAME = YT_OP_FUNCTIONS + YT_DO_##NAME,
#include "yonder/image/functions.def"
} yt_operation_number;

_Static_assert(YT_GROUPS <= 16, "a program names its groups by a bit each");

/* Whether a node is no more than a value, or a number. */
static inline bool operation_is_leaf(unsigned operation) {
    return operation <= YT_OP_SECOND || operation == YT_OP_PARAMETER || operation == YT_OP_HERE;
}

/* The function of an operation; NULL: it is none. */
static inline const yt_function *operation_function(unsigned operation) {
    return operation >= YT_OP_FUNCTIONS ? yt_function_of(YT_ANY_GROUP, operation - YT_OP_FUNCTIONS)
                                        : 0;
}

/* Whether a node is followed by one for its second result. */
static inline bool operation_has_second(unsigned operation) {
    const yt_function *function = operation_function(operation);
    return function && function->results == 2;
}

#endif
