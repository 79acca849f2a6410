/* Named formulas: written once, used by their names in cells and in one another. */
#ifndef YONDER_COMPILER_NAMED_H
#define YONDER_COMPILER_NAMED_H

#include "compiler/lowering.h"

#define PROFILE_NAMED 1000
#define NAMED_DEPTH   64 /* of formulas that use one another */

/* Notes the formulas of a map; inputs, outputs and parameters are read before. */
void collect_named(scope *scope, const part *all);

/* Reads those that were noted. */
void read_named(scope *scope);

/* The formula of that name; NULL if there is none. */
named_formula *named_find(const scope *scope, const char *name, size_t length);

/* Its value, or that of one direction of it ("x", "y"; NULL: all of it). */
value lower_named(lowering *lowering, const term *term, named_formula *named, const char *direction,
                  size_t length);

#endif
