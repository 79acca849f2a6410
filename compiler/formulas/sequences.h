/* Macros: which step of each is going on. Their steps stand one after the other, those of macros
 * that they run among them; what the steps do is the sheet's (profile/macros.h). */
#ifndef YONDER_COMPILER_FORMULAS_SEQUENCES_H
#define YONDER_COMPILER_FORMULAS_SEQUENCES_H

#include "compiler/formulas/lowering.h"

#define PROFILE_MACROS 100
#define MACRO_STEPS    250 /* with those of the macros that it runs */
#define MACRO_DEPTH    8   /* of macros that run one another */

/* A macro. */
typedef struct yt_macro {
    const yt_part *key;
    const yt_part *when; /* NULL: only others run it */
    const yt_part **steps;
    unsigned step_count;
    int repeat;        /* how often it runs; 0 while it is held, below 0 until it is ended */
    int64_t least_us;  /* how long all steps take at least */
    unsigned whose;    /* the node of its condition */
    unsigned sequence; /* the node that tells which step is going on, from 1 */
    bool is_open;      /* it is being read */
    bool is_read;
    bool is_good; /* its nodes are there */
    bool is_run;  /* by another macro */
} yt_macro;

struct yt_macros {
    yt_macro *all;
    unsigned count;
    unsigned depth;
};

/* Notes the macros of a map; inputs, outputs and parameters are read before. */
void collect_macros(yt_scope *scope, const yt_part *all);

/* Reads those that were noted: all but what their steps do. */
void read_sequences(yt_scope *scope);

/* 1 while the macro of that name runs: "macros.NAME". */
yt_value lower_running(yt_lowering *lowering, const yt_term *term, const char *name, size_t length);

#endif
