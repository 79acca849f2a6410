/* A formula's text as a tree of terms. docs/language.md has the grammar. */
#ifndef YONDER_COMPILER_READING_FORMULA_H
#define YONDER_COMPILER_READING_FORMULA_H

#include <stdint.h>

#include "compiler/reading/document.h"
#include "yonder/value.h"

#define FORMULA_PARTS 1000 /* operators in one formula */
#define FORMULA_DEPTH 64   /* parentheses, `not`s and calls inside one another */

#define FORMULA_TIME INT64_C(1800000000) /* the longest time, in microseconds */

typedef enum yt_term_kind {
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
    TERM_DIVIDE,
    TERM_LESS,
    TERM_LESS_OR_EQUAL,
    TERM_GREATER,
    TERM_GREATER_OR_EQUAL,
    TERM_EQUAL,
    TERM_NOT_EQUAL,
    TERM_POINT /* an argument: a -> b */
} yt_term_kind;

typedef struct yt_term {
    yt_term_kind kind;
    yt_unit unit;
    int64_t amount; /* of a number: microseconds for times, else in 1/65536 of the unit */
    size_t offset;  /* where it stands in the text, in bytes */
    size_t width;
    size_t name_width; /* of a call: of the function's name, which it begins with */
    const char *label; /* of an argument: the name in front of `=`; NULL without one */
    size_t label_width;
    struct yt_term *first; /* operands, arguments */
    struct yt_term *next;
} yt_term;

/* NULL where the text is no formula; one error is then added. */
yt_term *formula_parse(yt_pool *pool, yt_messages *messages, const yt_part *part);

/* Whether a name stands somewhere in it, as it is in the text. */
bool formula_has_name(const yt_term *term, const char *text, const char *name);

/* Whether a word is one of the language's own (and, or, not), which no name is. */
bool formula_is_reserved(const char *word, size_t length);

/* The bytes of the unit that a text begins with; 0: it begins with none. */
size_t formula_unit_length(const char *text);

/* "a time", "a speed" and so on, for messages. */
const char *unit_meaning(yt_unit unit);

#endif
