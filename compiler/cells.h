/* The sheet: a cell for each output control, and for each light or motor of a device. */
#ifndef YONDER_COMPILER_CELLS_H
#define YONDER_COMPILER_CELLS_H

#include "compiler/include.h"
#include "compiler/lower.h"

typedef struct sheet sheet;

/* Adds a cell that a copy makes, at the copy's place, unless the sheet drives that control already.
 * What it names is there, and of one type. */
void sheet_copy(sheet *sheet, const part *copy, const char *control, const char *formula);

/* Whether a cell of the sheet drives an output's control already, or a direction of it. */
bool sheet_drives(sheet *sheet, const char *control);

/* Adds a macro's step: the control that `control` names is pressed while `step` is on; the control
 * of the line `key` is what its formula says. */
void sheet_press(sheet *sheet, const part *control, unsigned step);
void sheet_set(sheet *sheet, const part *key, unsigned step);

/* Whether a control of an input can be driven: a light or a motor. */
bool is_drivable(const profile_input *input, const char *name, control_meaning *meaning);

/* Reads `sheet:` and `copy:` of the profile, the last of the files, the cells of all layers and the
 * macros of all files; adds the roots. All else is read before. */
void read_sheet(scope *scope, const files *files);

#endif
