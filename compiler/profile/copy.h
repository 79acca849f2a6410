/* `copy:` lets the controls of an input through to those of an output that have the same names. */
#ifndef YONDER_COMPILER_PROFILE_COPY_H
#define YONDER_COMPILER_PROFILE_COPY_H

#include "compiler/profile/cells.h"

/* Adds cells for what the sheet has none for, and for what the host sends back. */
void read_copies(yt_sheet *sheet, yt_scope *scope, const yt_part *copies);

#endif
