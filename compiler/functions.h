/* The functions that formulas may call: the one table from which the compiler, `yonder functions`
 * and docs/functions.md come. */
#ifndef YONDER_COMPILER_FUNCTIONS_H
#define YONDER_COMPILER_FUNCTIONS_H

#include "compiler/formula.h"

#define FUNCTION_ARGUMENTS 8

typedef enum wanted {
    WANTED_NOTHING, /* behind the last argument */
    WANTED_SWITCH,
    WANTED_NUMBER,  /* a switch, a level, an axis, a number */
    WANTED_LIKE,    /* anything; all that are like this must be of one kind */
    WANTED_NUMBERS, /* numbers; with units, where all have the same */
    WANTED_STICK,   /* or an axis */
    WANTED_MOTION,  /* in two directions */
    WANTED_TIME,
    WANTED_FREQUENCY,
    WANTED_SPEED
} wanted;

typedef struct function_argument {
    const char *label;
    wanted wanted;
    bool may_lack;     /* it may be left out: it is `otherwise` then, where that is not 0 */
    int64_t otherwise; /* these three in its unit, as in a term */
    int64_t low;
    int64_t high;
    const char *meaning;
} function_argument;

typedef enum function_number {
    FUNCTION_IF,
    FUNCTION_MIN,
    FUNCTION_MAX,
    FUNCTION_ABS,
    FUNCTION_CLAMP,
    FUNCTION_STICK_OF_FOUR,
    FUNCTION_STICK_OF_TWO,
    FUNCTION_STICK_FROM_MOTION,
    FUNCTION_FARTHER,
    FUNCTION_TOGGLE,
    FUNCTION_TURBO,
    FUNCTION_HOLD,
    FUNCTION_TAP,
    FUNCTION_CHORD,
    FUNCTION_NEXT_PRESS,
    FUNCTION_COUNT
} function_number;

typedef struct function {
    const char *name;
    const char *usage;
    const char *gives;
    const char *meaning;
    const char *example; /* a cell, or a layer's condition */
    const char *ability; /* what it lets a profile do; "" for nothing in particular */
    function_argument arguments[FUNCTION_ARGUMENTS];
    uint8_t operation; /* of its node (yonder/operations.def); 0: it is made of simpler ones */
    uint8_t nodes;     /* how many there are of those, for plain numbers */
} function;

extern const function functions[FUNCTION_COUNT];

unsigned function_argument_count(const function *function);

/* The unit of what an argument takes; UNIT_NONE for all but quantities. */
unit wanted_unit(wanted wanted);

/* "a switch", "a time such as 120 ms"… */
const char *wanted_meaning(wanted wanted);

/* An amount as it is written in a formula, such as "120 ms". */
void amount_text(unit unit, int64_t amount, char *text, size_t size);

#endif
