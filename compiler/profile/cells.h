/* The sheet: a cell for each output control, and for each light or motor of a device. */
#ifndef YONDER_COMPILER_PROFILE_CELLS_H
#define YONDER_COMPILER_PROFILE_CELLS_H

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"
#include "compiler/reading/include.h"

/* A cell that is there. */
typedef struct yt_cell_record {
    const yt_part *key;
    const yt_part *text;
    const yt_term *term;  /* NULL: it is `none` */
    const yt_part *whole; /* the key with its modifiers in front; NULL: it has none */
    int layer;
    bool is_copy;
    yt_value value;
} yt_cell_record;

/* What sets a macro off. */
typedef struct yt_macro_trigger {
    const yt_part *when;
    unsigned node;
} yt_macro_trigger;

/* A control that a step of a macro presses or sets. */
typedef struct yt_macro_use {
    const yt_part *macro;   /* its name */
    const yt_part *when;    /* what sets it off */
    const yt_part *control; /* its name, where the step has it */
    unsigned step, steps;   /* which of how many, from 1 */
    unsigned sequence;      /* the node that tells which step is going on; 0: none is */
} yt_macro_use;

/* All cells, those of copies and of layers among them, in the order in which they were read. */
struct yt_cell_records {
    yt_cell_record *all;
    unsigned count, room;
    yt_macro_trigger *triggers;
    unsigned trigger_count, trigger_room;
    yt_macro_use *uses;
    unsigned use_count, use_room;
};

typedef struct yt_sheet yt_sheet;

/* Adds a cell that a copy of a layer makes, or of the sheet (LAYER_SHEET), at the copy's place,
 * unless a cell there drives that control already. What it names is there, and of one type. */
void sheet_copy(yt_sheet *sheet, const yt_part *copy, int layer, const char *control,
                const char *formula);

/* Whether a cell of a layer, or of the sheet, drives an output's control already, or a direction of
 * it. */
bool sheet_drives(yt_sheet *sheet, int layer, const char *control);

/* Adds a macro's step: the control that `control` names is pressed while `step` is on; the control
 * of the line `key` is what its formula says. */
void sheet_press(yt_sheet *sheet, const yt_part *control, unsigned step);
void sheet_set(yt_sheet *sheet, const yt_part *key, unsigned step);

/* Adds so many counts to the motion of the line `key`, when `step` begins. */
void sheet_move(yt_sheet *sheet, const yt_part *key, unsigned step);

/* Reads `sheet:` and `copy:` of the profile, the last of the files, the cells of all layers and the
 * macros of all files; adds the roots. All else is read before. */
void read_sheet(yt_scope *scope, const yt_files *files);

#endif
