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
yt_value make_sector(const yt_written_call *call);
yt_value make_angle(const yt_written_call *call);
yt_value make_whole_chord(const yt_written_call *call);

#endif
