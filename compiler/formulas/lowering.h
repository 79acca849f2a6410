/* What the files that turn terms into nodes share. */
#ifndef YONDER_COMPILER_FORMULAS_LOWERING_H
#define YONDER_COMPILER_FORMULAS_LOWERING_H

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"

/* One formula on its way. */
typedef struct yt_lowering {
    yt_scope *scope;
    const yt_part *part;
    int layer;                  /* whose eyes it has */
    const yt_cell *cell;        /* NULL: it is no cell */
    struct yt_layer *condition; /* the layer whose condition it is; NULL: it is none */
} yt_lowering;

/* The value of a term. */
yt_value lower_term(yt_lowering *lowering, const yt_term *term);

/* One that must be a switch; `operator` is what wants it, for messages. */
yt_value lower_switch(yt_lowering *lowering, const yt_term *term, const char *operator);

/* The formula of a part as a condition; see lower_condition. */
bool lower_condition_of(yt_lowering *lowering, const char *what, yt_value *condition);

/* A call of a function. */
yt_value lower_call(yt_lowering *lowering, const yt_term *call);

/* A control of input `number`; what the host sends to an output. `name` is without the device's. */
yt_value lower_control(yt_lowering *lowering, const yt_term *term, unsigned number,
                       const char *name, size_t length);
yt_value lower_feedback(yt_lowering *lowering, const yt_term *term, const yt_profile_output *output,
                        const char *name, size_t length);

/* Tells what is wrong with a term; gives no value. */
yt_value lower_wrong(yt_lowering *lowering, const yt_term *term, const char *format, ...)
    __attribute__((format(printf, 3, 4)));

/* Tells that a term is not of the type that is wanted, and what to write instead; `what` says who
 * wants it, as in "pad.south is a switch". */
yt_value wrong_type(yt_lowering *lowering, const yt_term *term, const char *what,
                    yt_formula_type wanted, yt_value got);

/* "a switch", "a stick"…, for messages. */
const char *value_meaning(yt_value value);

/* A term's own text, and how much of it is shown. */
const char *term_text(const yt_lowering *lowering, const yt_term *term);
int term_shown(const yt_term *term);

/* A new node with up to three arguments. */
unsigned lower_add(yt_lowering *lowering, unsigned operation, unsigned type, unsigned count,
                   unsigned a, unsigned b, unsigned c);

/* The node of a plain number, level, axis, switch or motion. Where a number is wanted, a key that
 * tells how deep it is is read as that. */
unsigned value_node(yt_lowering *lowering, yt_value value);

static inline bool value_is_number(yt_value value) {
    return value.type == VALUE_SWITCH || value.type == VALUE_LEVEL || value.type == VALUE_AXIS ||
           value.type == VALUE_RATE || (value.type == VALUE_CONSTANT && value.unit == YT_UNIT_NONE);
}

/* A number with a unit, be it a constant or not. */
static inline bool value_has_unit(yt_value value) {
    return value.type == VALUE_QUANTITY ||
           (value.type == VALUE_CONSTANT && value.unit != YT_UNIT_NONE);
}

/* The least and the most that a number can be, as far as that is known. */
void value_bounds(yt_value value, int64_t *low, int64_t *high);

/* A quantity, or a plain number for YT_UNIT_NONE; a time that goes beyond what a node holds is cut.
 */
yt_value value_quantity(yt_unit unit, unsigned node, int64_t low, int64_t high);

/* A depth in mm as a share of how far a control travels; any other value stays as it is. */
yt_value value_as_share(yt_lowering *lowering, yt_value value, int64_t travel);

/* A value of two directions: `second` is that of y. */
static inline bool value_is_pair(yt_value value) {
    return value.type == VALUE_STICK || value.type == VALUE_MOTION_PAIR ||
           value.type == VALUE_VELOCITY;
}

static inline bool value_is_speed(yt_value value) {
    return value_has_unit(value) && value.unit == YT_UNIT_SPEED;
}

/* Where motion is wanted: a speed becomes the counts that it comes to; any other value stays as it
 * is. */
yt_value value_as_motion(yt_lowering *lowering, yt_value value);

/* How fast something turns, in two directions. */
static inline bool value_is_turning(yt_value value) {
    return value.type == VALUE_VELOCITY && value.unit == YT_UNIT_TURN;
}

static inline bool value_is_motion(yt_value value) {
    return value.type == VALUE_MOTION || value.type == VALUE_MOTION_PAIR;
}

#endif
