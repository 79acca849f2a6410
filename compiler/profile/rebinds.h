/* `rebind:` which outputs may be rebound on the adapter, and what may drive them there. */
#ifndef YONDER_COMPILER_PROFILE_REBINDS_H
#define YONDER_COMPILER_PROFILE_REBINDS_H

#include "compiler/profile/targets.h"
#include "yonder/rebind.h"

#define REBIND_CHOICES (YT_BINDING_CHOICES - 1) /* beside nothing */
#define REBIND_CELLS   YT_BINDING_CELLS

/* A control that may drive a cell. */
typedef struct yt_rebind_choice {
    const char *name;
    unsigned node;    /* as the sheet sees it, */
    unsigned control; /* and as everybody does */
    uint8_t kind;     /* as in yt_binding_choice */
} yt_rebind_choice;

typedef struct yt_rebind_cell {
    const char *name;
    unsigned node; /* what it is as it was written, */
    unsigned socket;
    uint8_t kind;
    uint16_t number; /* of a button, from 1 */
} yt_rebind_cell;

/* What a line says may drive its output: an input, or one of its controls. */
typedef struct yt_rebind_entry {
    const yt_part *part;
    bool is_offered; /* for at least one cell */
} yt_rebind_entry;

/* A control of an entry: "keys.a". */
typedef struct yt_rebind_name {
    const char *name;
    unsigned entry;
} yt_rebind_name;

/* An output's line of `rebind:`. */
typedef struct yt_rebind_line {
    const yt_part *key;
    unsigned output;
    yt_rebind_entry *entries;
    unsigned entry_count, entry_room;
    yt_rebind_name *names;
    unsigned count, room;
    unsigned cells; /* that it has */
} yt_rebind_line;

struct yt_rebinds {
    yt_rebind_line lines[PROFILE_OUTPUTS];
    unsigned line_count;
    yt_rebind_choice choices[REBIND_CHOICES];
    unsigned choice_count;
    yt_rebind_cell cells[REBIND_CELLS];
    unsigned cell_count;
    unsigned nothing; /* the node of what never is */
};

/* Reads the map behind `rebind:`; the sheet is read behind it. */
void read_rebinds(yt_scope *scope, const yt_part *map);

/* Whether cells of an output may be rebound. */
bool is_rebound(const yt_scope *scope, const yt_profile_output *output);

/* A cell of the sheet for control `k` of a target: where it may be rebound, `node`, which counts
 * where it `drives` something, becomes the node of that. False: it may not. */
bool rebind_cell(yt_scope *scope, const yt_part *key, const yt_cell_target *target, unsigned k,
                 bool drives, unsigned *node);

/* Says what is wrong once all cells are read. */
void check_rebinds(yt_scope *scope);

/* The program with the table behind it (yonder/rebind.h), where there is one. */
const uint8_t *rebinds_append(const yt_scope *scope, const uint8_t *image, size_t *size);

#endif
