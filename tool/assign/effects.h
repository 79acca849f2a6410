/* What a formula does, in plain words: from the outside in, each thing that it does to what stands
 * inside it, with its few numbers. What has no words here stays as it is written. Changes are made
 * to the text, in the one place that they are about. */
#ifndef YONDER_TOOL_EFFECTS_H
#define YONDER_TOOL_EFFECTS_H

#include "compiler/formulas/functions.h"
#include "compiler/formulas/lower.h"

#define EFFECTS        12 /* around one another */
#define EFFECT_NUMBERS 16
#define EFFECT_TEXT    1200 /* a formula that is changed by these calls is shorter */

/* A number of a way. */
typedef struct effect_number {
    const char *name;                   /* "rate"; of a curve's points "from" and "to" */
    const char *meaning;                /* in words */
    const yt_listed_argument *argument; /* its unit and range; of points those of a share */
    int64_t amount;                     /* as in a term */
    bool is_written;                    /* else it is what it is where it is left out; */
    bool is_fixed;                      /* it is no number but a formula, a parameter perhaps */
    size_t at, length;                  /* in the formula; where it would be written */
} effect_number;

/* The things that can be done, as they are offered. */
typedef struct effect_kind {
    const char *words;    /* "repeated" */
    const char *meaning;  /* a sentence */
    const char *pattern;  /* $ stands for what is inside, @ for another control */
    const char *function; /* the name of the call; NULL: it is none */
    unsigned types;       /* of what it takes, a bit for each yt_formula_type */
} effect_kind;

extern const effect_kind effect_kinds[];
extern const size_t effect_kind_count;

typedef struct effect {
    const effect_kind *kind;
    size_t at, length;             /* of all of it in the formula */
    size_t inner_at, inner_length; /* of what stands inside */
    size_t other_at, other_length; /* of the other control; 0: it has none */
    effect_number numbers[EFFECT_NUMBERS];
    unsigned number_count;
} effect;

typedef struct effects {
    effect list[EFFECTS];
    unsigned count;
    size_t at, length; /* what is left inside: what drives it */
    bool is_control;   /* it is a control, or another name, and nothing else */
} effects;

/* Reads a formula that is right. */
void effects_read(effects *effects, const char *formula);

/* The kind of that pattern's words; NULL: there is none. */
const effect_kind *effect_kind_named(const char *words);

/* Whether it can be done to what is of a type. */
bool effect_suits(const effect_kind *kind, yt_formula_type type);

/* New formulas, into `text` of WAY_TEXT. False: it would be too long. */
bool effect_add(const effect_kind *kind, const char *formula, const char *other, char *text);
bool effect_remove(const effects *effects, unsigned index, const char *formula, char *text);
/* Another thing drives it. */
bool effects_drive(const effects *effects, const char *formula, const char *driver, char *text);
/* A number, or the other control, is another one. */
bool effect_set_number(const effect_number *number, const char *formula, int64_t amount,
                       char *text);
bool effect_set_other(const effect *effect, const char *formula, const char *other, char *text);

/* A number so many steps on, within its range. */
int64_t effect_stepped(const effect_number *number, int steps);
void effect_number_text(const effect_number *number, char *text, size_t size);

#endif
