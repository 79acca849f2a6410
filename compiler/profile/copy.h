/* `copy:` lets the controls of an input through to those of an output that have the same names. */
#ifndef YONDER_COMPILER_PROFILE_COPY_H
#define YONDER_COMPILER_PROFILE_COPY_H

#include "compiler/profile/cells.h"

#define COPY_NAMES 256 /* that are kept of those that do not go through */

/* One line of `copy:`, for those who tell what it leaves out. */
typedef struct yt_copy_record {
    int layer; /* LAYER_SHEET: it is the sheet's */
    const char *output;
    const char *stays[COPY_NAMES]; /* what an input has and the output has not, as "hand.trip" */
    unsigned stay_count;
    const char *lacks[COPY_NAMES]; /* what the output has and no input: nothing goes there */
    unsigned lack_count;
} yt_copy_record;

struct yt_copy_records {
    yt_copy_record *all;
    unsigned count, room;
};

/* Adds cells for what a layer, or the sheet (LAYER_SHEET), has none for, and for what the host
 * sends back. */
void read_copies(yt_sheet *sheet, yt_scope *scope, const yt_part *copies, int layer);

#endif
