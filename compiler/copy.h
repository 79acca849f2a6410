/* `copy:` lets the controls of an input through to those of an output that have the same names. */
#ifndef YONDER_COMPILER_COPY_H
#define YONDER_COMPILER_COPY_H

#include "compiler/cells.h"

/* Adds cells for what the sheet has none for, and for what the host sends back. */
void read_copies(sheet *sheet, scope *scope, const part *copies);

#endif
