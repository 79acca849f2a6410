/* The sheet: a cell for each output control, and for each light or motor of a device. */
#ifndef YONDER_COMPILER_CELLS_H
#define YONDER_COMPILER_CELLS_H

#include "compiler/lower.h"

/* Reads `sheet:`; adds the roots. Inputs and outputs are read before. */
void read_sheet(scope *scope, const part *top);

#endif
