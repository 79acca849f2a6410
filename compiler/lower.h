/* From a formula's tree to nodes: names are looked up, types checked, conversions put in. */
#ifndef YONDER_COMPILER_LOWER_H
#define YONDER_COMPILER_LOWER_H

#include "compiler/build.h"
#include "compiler/description.h"
#include "compiler/formula.h"
#include "compiler/names.h"
#include "compiler/outputs.h"

#define PROFILE_INPUTS YT_PROGRAM_INPUTS

typedef struct profile_input {
    const char *name;
    const device_kind *kind;
    const description *description; /* NULL: only the names of its kind are known */
    bool is_broken;                 /* an error was told of it: nothing more is to be said */
} profile_input;

#define PROFILE_STICKS 64

typedef struct stick_name {
    unsigned input;
    const char *name; /* without .x or .y */
} stick_name;

/* The types of formulas. A motion may have one direction (a wheel) or two (a mouse). */
typedef enum value_type {
    VALUE_NOTHING, /* an error, already told */
    VALUE_SWITCH,
    VALUE_LEVEL,
    VALUE_AXIS,
    VALUE_STICK,
    VALUE_MOTION,
    VALUE_MOTION_PAIR,
    VALUE_RATE,
    VALUE_CONSTANT,
    VALUE_QUANTITY /* a number with a unit that a parameter has a part in */
} value_type;

typedef struct value {
    value_type type;
    unit unit;       /* of a constant, a quantity */
    int64_t amount;  /* of a constant, as in term */
    bool is_bounded; /* it is within `low` and `high`, as far as parameters go */
    int64_t low, high;
    unsigned node;             /* else: the node, */
    unsigned second;           /* and of a stick or a pair the one of y */
    bool is_control;           /* it is a control, and nothing else; */
    unsigned control;          /* its node, as everybody sees it */
    bool has_depth;            /* a key or a button: some tell how far they are pressed */
    yt_program_control record; /* of such a one */
} value;

/* A formula that others use by its name. */
typedef struct named_formula {
    const part *key;
    const term *term;
    value value;  /* VALUE_NOTHING where it is wrong */
    bool is_open; /* it is being read */
    bool is_read;
} named_formula;

/* A number that can be set while the program runs. */
typedef struct parameter {
    const part *key;
    value value;
} parameter;

/* A second sheet laid over the first while a condition holds. */
typedef struct layer {
    const char *name;
    const part *head;      /* for messages: where it begins */
    const part *condition; /* NULL: it has none, which was told */
    const term *condition_term;
    const part *cells; /* NULL: it has none, which was told */
    unsigned on;       /* the node of its condition */
    bool is_bare;      /* its condition is a control and nothing else: */
    yt_program_control bare;
    yt_program_control *shared; /* controls that it names without taking */
    unsigned shared_count;
} layer;

/* A term and what it came to, for those who explain. */
typedef struct lowered_term {
    const term *term;
    const part *part; /* whose text it stands in */
    value value;
} lowered_term;

/* A cell that is there. */
typedef struct cell_record {
    const part *key;
    const part *text;
    const term *term; /* NULL: it is `none` */
    int layer;
    bool is_copy;
    value value;
} cell_record;

/* Whose eyes a formula has: those of the sheet, or of a layer counted from 1. */
#define LAYER_SHEET 0
#define LAYER_ALL   (-1) /* conditions and named formulas see everything and take nothing */

/* What formulas are looked up in. */
typedef struct scope {
    pool *pool;
    messages *messages;
    build *build;
    profile_input inputs[PROFILE_INPUTS];
    profile_output outputs[PROFILE_OUTPUTS];
    unsigned input_count;
    unsigned output_count;
    stick_name sticks[PROFILE_STICKS]; /* what an x and a y together are */
    unsigned stick_count;
    named_formula *named;
    unsigned named_count;
    unsigned named_depth; /* how many of them are being read, inside one another */
    parameter *parameters;
    unsigned parameter_count;
    layer *layers; /* the lowest first */
    unsigned layer_count;
    lowered_term *terms;
    unsigned term_count, term_room;
    cell_record *cells;
    unsigned cell_count, cell_room;
} scope;

/* The type of a control's value. */
value_type value_type_of(unsigned kind);

/* A formula's nodes, as seen by everybody; VALUE_NOTHING where it is wrong, and the messages say
 * why. */
value lower_formula(scope *scope, const part *part, const term *term);

/* A condition: the formula must be a switch. `what` wants it, for messages. False: said. */
bool lower_condition(scope *scope, const part *part, const char *what, value *condition);

/* A formula's text that is a constant: a number with a unit, or sums and products of such. False:
 * said. */
bool lower_constant(scope *scope, const part *part, const char *what, value *constant);

/* A formula that is a time, within 1 ms to 60 s whatever its parameters are; its node. False: said.
 */
bool lower_time(scope *scope, const part *part, unsigned *node);

/* What a cell is for. */
typedef struct cell {
    const part *part;
    value_type wanted;
    const char *what; /* the control's full name */
    int layer;
    const value *below;   /* what lies underneath; NULL where nothing can */
    const char *no_below; /* why nothing can */
} cell;

/* A cell's nodes, made to suit its control: an axis takes a switch, and so on. */
value lower_cell(scope *scope, const cell *cell, const term *term);

/* Finds a control of an input by its name; false: it has none such. */
bool input_control_find(const profile_input *input, const char *name, size_t length, bool is_target,
                        control_meaning *meaning);

/* Whether two records are of one control, however it is read. */
bool is_same_control(const yt_program_control *a, const yt_program_control *b);

/* The record of a control or a target that is found; all but its node. */
yt_program_control input_control_record(build *build, unsigned input,
                                        const control_meaning *meaning);

/* Says that an input has no such control, and which one was meant. */
void lower_unknown_control(scope *scope, place place, const profile_input *input,
                           const char *control, size_t length, bool is_target);

/* Says that there is no input or output of that name; in a formula, no named formula either. */
void lower_unknown_name(scope *scope, place place, const char *name, size_t length,
                        bool in_formula);

#endif
