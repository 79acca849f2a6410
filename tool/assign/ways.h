/* What a formula does, in plain words: from the outside in, each thing that it does to what stands
 * inside it, with its few numbers. What has no words here stays as it is written. Changes are made
 * to the text, in the one place that they are about. */
#ifndef YONDER_TOOL_WAYS_H
#define YONDER_TOOL_WAYS_H

#include "compiler/formulas/functions.h"
#include "compiler/formulas/lower.h"

#define WAYS        12 /* around one another */
#define WAY_NUMBERS 16
#define WAY_TEXT    1200 /* a formula that is changed by these calls is shorter */

/* A number of a way. */
typedef struct way_number {
    const char *name;                   /* "rate"; of a curve's points "from" and "to" */
    const char *meaning;                /* in words */
    const yt_listed_argument *argument; /* its unit and range; of points those of a share */
    int64_t amount;                     /* as in a term */
    bool is_written;                    /* else it is what it is where it is left out; */
    bool is_fixed;                      /* it is no number but a formula, a parameter perhaps */
    size_t at, length;                  /* in the formula; where it would be written */
} way_number;

/* The things that can be done, as they are offered. */
typedef struct way_kind {
    const char *words;    /* "repeated" */
    const char *meaning;  /* a sentence */
    const char *pattern;  /* $ stands for what is inside, @ for another control */
    const char *function; /* the name of the call; NULL: it is none */
    unsigned types;       /* of what it takes, a bit for each yt_formula_type */
} way_kind;

extern const way_kind way_kinds[];
extern const size_t way_kind_count;

typedef struct way {
    const way_kind *kind;
    size_t at, length;             /* of all of it in the formula */
    size_t inner_at, inner_length; /* of what stands inside */
    size_t other_at, other_length; /* of the other control; 0: it has none */
    way_number numbers[WAY_NUMBERS];
    unsigned number_count;
} way;

typedef struct ways {
    way list[WAYS];
    unsigned count;
    size_t at, length; /* what is left inside: what drives it */
    bool is_control;   /* it is a control, or another name, and nothing else */
} ways;

/* Reads a formula that is right. */
void ways_read(ways *ways, const char *formula);

/* The kind of that pattern's words; NULL: there is none. */
const way_kind *way_kind_named(const char *words);

/* Whether it can be done to what is of a type. */
bool way_suits(const way_kind *kind, yt_formula_type type);

/* New formulas, into `text` of WAY_TEXT. False: it would be too long. */
bool way_add(const way_kind *kind, const char *formula, const char *other, char *text);
bool way_remove(const ways *ways, unsigned index, const char *formula, char *text);
/* Another thing drives it. */
bool ways_drive(const ways *ways, const char *formula, const char *driver, char *text);
/* A number, or the other control, is another one. */
bool way_set_number(const way_number *number, const char *formula, int64_t amount, char *text);
bool way_set_other(const way *way, const char *formula, const char *other, char *text);

/* A number so many steps on, within its range. */
int64_t way_stepped(const way_number *number, int steps);
void way_number_text(const way_number *number, char *text, size_t size);

#endif
