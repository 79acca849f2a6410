/* Macros: steps that run by themselves, one after the other, when a condition comes true. */
#ifndef YONDER_COMPILER_PROFILE_MACROS_H
#define YONDER_COMPILER_PROFILE_MACROS_H

#include "compiler/formulas/sequences.h"
#include "compiler/profile/cells.h"

/* Adds the steps of all macros to what drives the controls that they press, set or move. */
void apply_macros(yt_sheet *sheet, yt_scope *scope);

#endif
