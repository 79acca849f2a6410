/* From a formula's tree to nodes: names are looked up, types checked, conversions put in. */
#ifndef YONDER_COMPILER_LOWER_H
#define YONDER_COMPILER_LOWER_H

#include "compiler/build.h"
#include "compiler/formula.h"
#include "compiler/names.h"

#define PROFILE_INPUTS  16
#define PROFILE_OUTPUTS 4

typedef struct profile_input {
    const char *name;
    const input_kind *kind;
} profile_input;

typedef struct profile_output {
    const char *name;
    unsigned kind;
} profile_output;

/* What formulas are looked up in. */
typedef struct scope {
    pool *pool;
    messages *messages;
    build *build;
    profile_input inputs[PROFILE_INPUTS];
    profile_output outputs[PROFILE_OUTPUTS];
    unsigned input_count;
    unsigned output_count;
} scope;

/* The types of formulas. A motion may have one direction (a wheel) or two (a mouse). */
typedef enum value_type {
    VALUE_NOTHING, /* an error, already told */
    VALUE_SWITCH,
    VALUE_LEVEL,
    VALUE_AXIS,
    VALUE_STICK,
    VALUE_MOTION,
    VALUE_MOTION_PAIR,
    VALUE_CONSTANT
} value_type;

typedef struct value {
    value_type type;
    unit unit;       /* of a constant */
    int64_t amount;  /* of a constant, as in term */
    unsigned node;   /* else: the node, */
    unsigned second; /* and of a stick or a pair the one of y */
} value;

/* A formula's nodes; VALUE_NOTHING where it is wrong, and the messages say why. */
value lower_formula(scope *scope, const part *part, const term *term);

/* The same, made to suit an output control: an axis takes a switch, and so on. `what` is the
 * control's full name, for messages. */
value lower_cell(scope *scope, const part *part, const term *term, value_type wanted,
                 const char *what);

/* Says that there is no input or output of that name. */
void lower_unknown_name(scope *scope, place place, const char *name, size_t length);

#endif
