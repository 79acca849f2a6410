/* Named formulas: written once, used by their names in cells and in one another. */
#ifndef YONDER_COMPILER_FORMULAS_NAMED_H
#define YONDER_COMPILER_FORMULAS_NAMED_H

#include "compiler/formulas/lowering.h"

#define PROFILE_NAMED 1000
#define NAMED_DEPTH   64 /* of formulas that use one another */

/* A formula that others use by its name. */
typedef struct yt_named_formula {
    const yt_part *key;
    const yt_term *term;
    yt_value value; /* VALUE_NOTHING where it is wrong */
    bool is_open;   /* it is being read */
    bool is_read;
} yt_named_formula;

struct yt_named_formulas {
    yt_named_formula *all;
    unsigned count;
    unsigned depth; /* how many of them are being read, inside one another */
};

/* Notes the formulas of a map; inputs, outputs and parameters are read before. */
void collect_named(yt_scope *scope, const yt_part *all);

/* Reads those that were noted. */
void read_named(yt_scope *scope);

/* The formula of that name; NULL if there is none. */
yt_named_formula *named_find(const yt_scope *scope, const char *name, size_t length);

/* Its value, or that of one direction of it ("x", "y"; NULL: all of it). */
yt_value lower_named(yt_lowering *lowering, const yt_term *term, yt_named_formula *named,
                     const char *direction, size_t length);

#endif
