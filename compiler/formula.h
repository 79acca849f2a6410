/* A formula's text as a tree of terms. docs/language.md has the grammar. */
#ifndef YONDER_COMPILER_FORMULA_H
#define YONDER_COMPILER_FORMULA_H

#include <stdint.h>

#include "compiler/document.h"

#define FORMULA_PARTS 1000 /* operators in one formula */
#define FORMULA_DEPTH 64   /* parentheses, `not`s and calls inside one another */

typedef enum unit {
    UNIT_NONE,
    UNIT_TIME,
    UNIT_FREQUENCY,
    UNIT_ANGLE,
    UNIT_SPEED,
    UNIT_TURN,
    UNIT_PULL
} unit;

typedef enum term_kind {
    TERM_NUMBER,
    TERM_NAME,
    TERM_CALL,
    TERM_NOT,
    TERM_NEGATE,
    TERM_AND,
    TERM_OR,
    TERM_ADD,
    TERM_SUBTRACT,
    TERM_MULTIPLY,
    TERM_LESS,
    TERM_LESS_OR_EQUAL,
    TERM_GREATER,
    TERM_GREATER_OR_EQUAL,
    TERM_EQUAL,
    TERM_NOT_EQUAL
} term_kind;

typedef struct term {
    term_kind kind;
    unit unit;
    int64_t amount; /* of a number: microseconds for times, else in 1/65536 of the unit */
    size_t offset;  /* where it stands in the text, in bytes */
    size_t width;
    size_t name_width; /* of a call: of the function's name, which it begins with */
    const char *label; /* of an argument: the name in front of `=`; NULL without one */
    size_t label_width;
    struct term *first; /* operands, arguments */
    struct term *next;
} term;

/* NULL where the text is no formula; one error is then added. */
term *formula_parse(pool *pool, messages *messages, const part *part);

/* "a time", "a speed" and so on, for messages. */
const char *unit_meaning(unit unit);

#endif
