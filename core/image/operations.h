/* What each operation and each function takes and gives: operations.def and functions.def as
 * tables.
 */
#ifndef YONDER_IMAGE_OPERATIONS_H
#define YONDER_IMAGE_OPERATIONS_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/groups.h"

typedef enum yt_operation_number {
#define YT_OPERATION(number, NAME, result, arguments, state, meaning) YT_OP_##NAME = (number),
#include "yonder/image/operations.def"
#undef YT_OPERATION
#define YT_FUNCTION_NUMBER(group, index)     YT_OP_FUNCTIONS + 16 * YT_GROUP_##group + (index)
#define YT_FUNCTION(group, index, NAME, ...) YT_OP_##NAME = YT_FUNCTION_NUMBER(group, index),
#define YT_UNCALLED(group, index, NAME, ...) YT_OP_##NAME = YT_FUNCTION_NUMBER(group, index),
    YT_OP_FUNCTIONS = 64, /* from here on they are functions, 16 numbers for each group */
#include "yonder/image/functions.def"
#undef YT_FUNCTION_NUMBER
} yt_operation_number;

typedef struct yt_operation {
    char result;
    uint8_t results; /* how many, each in a node of its own: the others are its SECOND */
    uint8_t state_words;
    uint8_t words_each; /* more for each argument behind the | */
    uint8_t timers;
    uint8_t most;       /* arguments; 0: as many as a node can have */
    char arguments[10]; /* the types, as letters; ended by 0 */
} yt_operation;

_Static_assert(YT_GROUPS <= 11, "numbers above 240 stand for what only the compiler has");

/* A function: what it takes, and the C function in its group's file (run/functions). */
typedef struct yt_call yt_call;
typedef yt_q16 yt_do(const yt_call *call);

typedef struct yt_function {
    yt_do *run;
    yt_operation shape;
    bool alive; /* its first argument says whether its layer is alive */
} yt_function;

struct yt_group {
    const yt_function *functions;
    uint8_t count;
};

/* The function of a number; NULL: there is none, or its group is not linked. */
const yt_function *yt_function_of(unsigned number);

/* NULL where there is no such operation, or it is a function whose group is not linked. */
const yt_operation *yt_operation_of(unsigned number);

/* The group of a function's number. */
static inline unsigned yt_operation_group(unsigned number) {
    return (number - YT_OP_FUNCTIONS) >> 4;
}

/* Whether it takes so many arguments. */
bool yt_operation_takes(const yt_operation *operation, unsigned count);

/* The type of its argument `index`, as a letter. */
char yt_operation_argument(const yt_operation *operation, unsigned index);

/* Words of state of a node with so many arguments. */
unsigned yt_operation_words(const yt_operation *operation, unsigned count);

/* Whether its node is followed by one for its second result. */
bool yt_operation_has_second(unsigned number);

#endif
