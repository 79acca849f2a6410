/* From a formula's tree to nodes: names are looked up, types checked, conversions put in. */
#ifndef YONDER_COMPILER_FORMULAS_LOWER_H
#define YONDER_COMPILER_FORMULAS_LOWER_H

#include "compiler/formulas/scope.h"
#include "compiler/reading/formula.h"

/* The types of formulas. A motion may have one direction (a wheel) or two (a mouse). */
typedef enum yt_formula_type {
    VALUE_NOTHING, /* an error, already told */
    VALUE_SWITCH,
    VALUE_LEVEL,
    VALUE_AXIS,
    VALUE_STICK,
    VALUE_MOTION,
    VALUE_MOTION_PAIR,
    VALUE_RATE,
    VALUE_CONSTANT,
    VALUE_QUANTITY, /* a number with a unit that a parameter or a control has a part in */
    VALUE_VELOCITY, /* a speed in two directions, or how fast something turns: as its unit says */
    VALUE_AXES      /* three rates: those of a gyro, or of an accelerometer */
} yt_formula_type;

typedef struct yt_value {
    yt_formula_type type;
    yt_unit unit;    /* of a constant, a quantity, a velocity; of axes, where it is known */
    int64_t amount;  /* of a constant, as in term */
    bool is_bounded; /* it is within `low` and `high`, as far as parameters go */
    int64_t low, high;
    unsigned node;             /* else: the node, */
    unsigned second;           /* and of a stick or a pair the one of y, */
    unsigned third;            /* and of three axes that of z */
    bool is_control;           /* it is a control, and nothing else; */
    unsigned control;          /* its node, as everybody sees it */
    bool has_depth;            /* a key or a button: some tell how far they are pressed */
    yt_program_control record; /* of such a one */
    bool is_count;             /* it is a whole number, and no share */
    int64_t travel;            /* of a level: how far it goes, in 1/65536 mm; 0: not said */
} yt_value;

/* A term and what it came to, for those who explain. */
typedef struct yt_lowered_term {
    const yt_term *term;
    const yt_part *part; /* whose text it stands in */
    yt_value value;
} yt_lowered_term;

/* All terms of a profile, in the order in which they were read. */
struct yt_lowered_terms {
    yt_lowered_term *all;
    unsigned count, room;
};

/* Whose eyes a formula has: those of the sheet, or of a layer counted from 1. */
#define LAYER_SHEET 0
#define LAYER_ALL   (-1) /* conditions and named formulas see everything and take nothing */

/* The type of a control's value. */
yt_formula_type value_type_of(unsigned kind);

/* A formula's nodes, as seen by everybody; VALUE_NOTHING where it is wrong, and the messages say
 * why. */
yt_value lower_formula(yt_scope *scope, const yt_part *part, const yt_term *term);

/* A condition: the formula must be a switch. `what` wants it, for messages. False: said. */
bool lower_condition(yt_scope *scope, const yt_part *part, const char *what, yt_value *condition);

/* A formula's text that is a constant: a number with a unit, or sums and products of such. False:
 * said. */
bool lower_constant(yt_scope *scope, const yt_part *part, const char *what, yt_value *constant);

/* A formula that is a time, within 1 ms to 60 s whatever its parameters are; its node. False: said.
 */
bool lower_time(yt_scope *scope, const yt_part *part, unsigned *node);

/* What a cell is for. */
typedef struct yt_cell {
    const yt_part *part;
    yt_formula_type wanted;
    const char *what; /* the control's full name */
    int layer;
    const yt_value *below; /* what lies underneath; NULL where nothing can */
    const char *no_below;  /* why nothing can */
} yt_cell;

/* A cell's nodes, made to suit its control: an axis takes a switch, and so on. */
yt_value lower_cell(yt_scope *scope, const yt_cell *cell, const yt_term *term);

#endif
