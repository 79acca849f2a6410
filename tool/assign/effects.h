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
    const char *with;                   /* what is written with it then; NULL: nothing */
} effect_number;

/* Where a thing can be done. */
typedef enum effect_where {
    ANYWHERE,
    IN_CONDITION,  /* in that of a layer alone */
    AROUND_CONTROL /* to a control of an input as it is */
} effect_where;

/* The things that can be done, as they are offered. */
typedef struct effect_kind {
    const char *words;     /* "repeated" */
    const char *meaning;   /* a sentence */
    const char *pattern;   /* $ stands for what is inside, @ for another control */
    const char *function;  /* the name of the call; NULL: it is none */
    unsigned types;        /* of what it takes, a bit for each yt_formula_type */
    yt_formula_type gives; /* VALUE_NOTHING: the same as it takes; else it is what a control is made
                              into, and is only offered where one is chosen */
    effect_where where;
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

/* Whether it can be done to something in a formula of a type: to all of it, or to what stands
 * inside one of its effects; `from` says where that begins: 0 is all, 1 what is inside the first of
 * them. */
bool effect_suits(const effect_kind *kind, const effects *effects, yt_formula_type type,
                  unsigned from, bool is_condition);

/* What a control of one type can be made into to drive what is of another one: the pattern's, one
 * after the other from `at`, which goes on; NULL: there are no more. */
const effect_kind *effect_between(yt_formula_type from, yt_formula_type to, size_t *at);

/* New formulas, into `text` of EFFECT_TEXT. False: it would be too long. */

/* It is done to the outermost part that it suits, from `from` on. */
bool effect_add(const effect_kind *kind, const char *formula, yt_formula_type type, unsigned from,
                const char *other, char *text);
bool effect_remove(const effects *effects, unsigned index, const char *formula, char *text);
/* Another thing drives it. */
bool effects_drive(const effects *effects, const char *formula, const char *driver, char *text);
/* A number, or the other control, is another one. */
bool effect_set_number(const effect_number *number, const char *formula, int64_t amount,
                       char *text);
/* The same with what is written: a number with its unit, a parameter, a formula. */
bool effect_set_text(const effect_number *number, const char *formula, const char *written,
                     char *text);
bool effect_set_other(const effect *effect, const char *formula, const char *other, char *text);

/* A curve's points: whether it has any, one more in the widest gap, and one less, whose number is
 * given. False: there are too many, too few, or they are no numbers. */
bool effect_is_of_points(const effect *effect);
bool effect_add_point(const effect *effect, const char *formula, char *text);
bool effect_take_point(const effect *effect, unsigned number, const char *formula, char *text);

/* A number so many steps on, within its range; fine ones are tenths of the others. */
int64_t effect_stepped(const effect_number *number, int steps, bool is_fine);
void effect_number_text(const effect_number *number, char *text, size_t size);

#endif
