/* A call of a function, and what makes nodes of it. */
#ifndef YONDER_COMPILER_FORMULAS_CALLS_H
#define YONDER_COMPILER_FORMULAS_CALLS_H

#include "compiler/formulas/functions.h"
#include "compiler/formulas/lowering.h"

/* A call whose arguments are matched: each a term, or NULL where it is left out. */
typedef struct yt_written_call {
    yt_lowering *lowering;
    const yt_listed_function *function;
    const yt_term *term;
    const yt_term *arguments[FUNCTION_ARGUMENTS];
} yt_written_call;

/* Each makes what functions.def says in its rows. What is wrong is said; VALUE_NOTHING then. */
yt_value make_function(const yt_written_call *call);
yt_value make_count(const yt_written_call *call);
yt_value make_next_press(const yt_written_call *call);
yt_value make_farther(const yt_written_call *call);
yt_value make_if(const yt_written_call *call);
yt_value make_min(const yt_written_call *call);
yt_value make_max(const yt_written_call *call);
yt_value make_abs(const yt_written_call *call);
yt_value make_clamp(const yt_written_call *call);
yt_value make_stick(const yt_written_call *call);
yt_value make_stick_of_axes(const yt_written_call *call);
yt_value make_motion(const yt_written_call *call);
yt_value make_axes(const yt_written_call *call);
yt_value make_turning(const yt_written_call *call);
yt_value make_stick_from_turning(const yt_written_call *call);
yt_value make_motion_from_turning(const yt_written_call *call);
yt_value make_sector(const yt_written_call *call);
yt_value make_angle(const yt_written_call *call);
yt_value make_whole_chord(const yt_written_call *call);

/* Calls for which something is worked out (shapes.c, filters.c, aiming.c). */
#define YT_MAKING(NAME, OF, make, ...) yt_value make(const yt_written_call *call);
#include "yonder/image/functions.def"

/* A quantity that is left out, or that a term gives; it is kept within the argument's range. A
 * depth is a share of `travel`, where that is known. */
yt_value take_quantity(const yt_written_call *call, unsigned index, int64_t travel);

/* The node of `whole` divided by a quantity. Where that is a constant the division is done here,
 * once.
 */
unsigned divided(const yt_written_call *call, int64_t whole, yt_value quantity);

/* Motion in two directions. False: it is something else, which is said. */
bool take_motion(const yt_written_call *call, unsigned index, yt_value *motion);

/* Three axes. False: it is something else, which is said. */
bool take_axes(const yt_written_call *call, unsigned index, yt_value *axes);

/* The node of the smaller of two numbers, or of the larger. */
unsigned pick_node(yt_lowering *lowering, unsigned one, unsigned other, bool larger);

/* A number's node. False: it is none, which is said. */
bool take_number(const yt_written_call *call, unsigned index, unsigned *node, int64_t *travel);

#endif
