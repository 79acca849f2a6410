/* What the files that turn terms into nodes share. */
#ifndef YONDER_COMPILER_LOWERING_H
#define YONDER_COMPILER_LOWERING_H

#include "compiler/lower.h"

/* One formula on its way. */
typedef struct lowering {
    scope *scope;
    const part *part;
    int layer;        /* whose eyes it has */
    const cell *cell; /* NULL: it is no cell */
    layer *condition; /* the layer whose condition it is; NULL: it is none */
} lowering;

/* The value of a term. */
value lower_term(lowering *lowering, const term *term);

/* One that must be a switch; `operator` is what wants it, for messages. */
value lower_switch(lowering *lowering, const term *term, const char *operator);

/* The formula of a part as a condition; see lower_condition. */
bool lower_condition_of(lowering *lowering, const char *what, value *condition);

/* A call of a function. */
value lower_call(lowering *lowering, const term *call);

/* A control of input `number`; what the host sends to an output. `name` is without the device's. */
value lower_control(lowering *lowering, const term *term, unsigned number, const char *name,
                    size_t length);
value lower_feedback(lowering *lowering, const term *term, const profile_output *output,
                     const char *name, size_t length);

/* Tells what is wrong with a term; gives no value. */
value lower_wrong(lowering *lowering, const term *term, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/* Tells that a term is not of the type that is wanted, and what to write instead; `what` says who
 * wants it, as in "pad.south is a switch". */
value wrong_type(lowering *lowering, const term *term, const char *what, value_type wanted,
                 value got);

/* "a switch", "a stick"…, for messages. */
const char *value_meaning(value value);

/* A term's own text, and how much of it is shown. */
const char *term_text(const lowering *lowering, const term *term);
int term_shown(const term *term);

/* A new node with up to three arguments. */
unsigned lower_add(lowering *lowering, unsigned operation, unsigned type, unsigned count,
                   unsigned a, unsigned b, unsigned c);

/* The node of a plain number, level, axis, switch or motion. Where a number is wanted, a key that
 * tells how deep it is is read as that. */
unsigned value_node(lowering *lowering, value value);

static inline bool value_is_number(value value) {
    return value.type == VALUE_SWITCH || value.type == VALUE_LEVEL || value.type == VALUE_AXIS ||
           value.type == VALUE_RATE || (value.type == VALUE_CONSTANT && value.unit == UNIT_NONE);
}

/* A number with a unit, be it a constant or not. */
static inline bool value_has_unit(value value) {
    return value.type == VALUE_QUANTITY ||
           (value.type == VALUE_CONSTANT && value.unit != UNIT_NONE);
}

/* The least and the most that a number can be, as far as that is known. */
void value_bounds(value value, int64_t *low, int64_t *high);

/* A quantity, or a plain number for UNIT_NONE; a time that goes beyond what a node holds is cut. */
value value_quantity(unit unit, unsigned node, int64_t low, int64_t high);

static inline bool value_is_motion(value value) {
    return value.type == VALUE_MOTION || value.type == VALUE_MOTION_PAIR;
}

#endif
