/* Warnings: what is legal in a profile and probably wrong. */
#ifndef YONDER_COMPILER_PROFILE_WARNINGS_H
#define YONDER_COMPILER_PROFILE_WARNINGS_H

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"

/* Looks at all cells and conditions; what layers see is not yet made into nodes. */
void warn_of_cells(yt_scope *scope);

#endif
