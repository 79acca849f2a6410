/* Macros: steps that run by themselves, one after the other, when a condition comes true. */
#ifndef YONDER_COMPILER_PROFILE_MACROS_H
#define YONDER_COMPILER_PROFILE_MACROS_H

#include "compiler/profile/cells.h"

#define PROFILE_MACROS 100
#define MACRO_STEPS    250

/* Reads `macros:`; adds their steps to what drives the controls that they press or set. */
void read_macros(yt_sheet *sheet, yt_scope *scope, const yt_part *macros);

#endif
