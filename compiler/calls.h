/* A call of a function, and what makes nodes of it. */
#ifndef YONDER_COMPILER_CALLS_H
#define YONDER_COMPILER_CALLS_H

#include "compiler/functions.h"
#include "compiler/lowering.h"

/* A call whose arguments are matched: each a term, or NULL where it is left out. */
typedef struct call {
    lowering *lowering;
    const function *function;
    const term *term;
    const term *arguments[FUNCTION_ARGUMENTS];
} call;

/* Each makes what functions.def says in its rows. What is wrong is said; VALUE_NOTHING then. */
value make_function(const call *call);
value make_next_press(const call *call);
value make_farther(const call *call);
value make_if(const call *call);
value make_min(const call *call);
value make_max(const call *call);
value make_abs(const call *call);
value make_clamp(const call *call);
value make_stick(const call *call);
value make_stick_of_axes(const call *call);

#endif
