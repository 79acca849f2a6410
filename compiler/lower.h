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
    VALUE_CONSTANT
} value_type;

typedef struct value {
    value_type type;
    unit unit;                 /* of a constant */
    int64_t amount;            /* of a constant, as in term */
    unsigned node;             /* else: the node, */
    unsigned second;           /* and of a stick or a pair the one of y */
    bool has_depth;            /* a key or a button: some tell how far they are pressed */
    yt_program_control record; /* of such a one */
} value;

/* A formula that others use by its name. */
typedef struct named_formula {
    const part *key;
    value value;  /* VALUE_NOTHING where it is wrong */
    bool is_open; /* it is being read */
    bool is_read;
} named_formula;

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
} scope;

/* The type of a control's value. */
value_type value_type_of(unsigned kind);

/* A formula's nodes; VALUE_NOTHING where it is wrong, and the messages say why. */
value lower_formula(scope *scope, const part *part, const term *term);

/* The same, made to suit an output control: an axis takes a switch, and so on. `what` is the
 * control's full name, for messages. */
value lower_cell(scope *scope, const part *part, const term *term, value_type wanted,
                 const char *what);

/* Finds a control of an input by its name; false: it has none such. */
bool input_control_find(const profile_input *input, const char *name, size_t length, bool is_target,
                        control_meaning *meaning);

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
