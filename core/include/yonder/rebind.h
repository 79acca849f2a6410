/* Rebinding: which control drives an output, changed on the adapter, without a compiler.
 *
 * A profile says which outputs may be rebound, and what may drive them instead (`rebind:`). Its
 * program has a table of that behind it (docs/program-format.md). Each of these outputs has a cell:
 * a step that is LOAD and END, so that another control is another operand and a new checksum.
 *
 *     static yt_bindings bindings;
 *     if (yt_bindings_open(&bindings, yt_engine_program(&engine), bytes_of_slot) == YT_OK) {
 *         const yt_rebind rebinds[] = {{cell, choice}};
 *         static yt_rebinding rebinding;
 *         status = yt_rebinding_begin(&rebinding, &bindings, &store, slot, rebinds, 1);
 *         while (status == YT_OK && (status = yt_rebinding_go_on(&rebinding)) == YT_END)
 *             run_the_engine();
 *     }
 *
 * The slot is old or new as a whole. What was rebound is known for good: it is what a cell takes
 * now, where that is not what it took as it was written. */
#ifndef YONDER_REBIND_H
#define YONDER_REBIND_H

#include "yonder/image/check.h"
#include "yonder/image/program.h"
#include "yonder/store.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_BINDINGS_MAGIC  0x31425459u /* "YTB1" */
#define YT_BINDING_CELLS   255u        /* of a program, at most, */
#define YT_BINDING_CHOICES 1024u

/* The table behind a program, at the next address that four divides. */
typedef struct YT_OVERLAY yt_bindings_header {
    uint32_t magic;
    uint32_t bytes;    /* of all of it */
    uint32_t checksum; /* CRC-32 (IEEE 802.3) of all that follows this word */
    uint16_t cell_count;
    uint16_t choice_count;
    uint16_t text_bytes;
    uint16_t reserved;
} yt_bindings_header;

/* An output that may be rebound. */
typedef struct YT_OVERLAY yt_binding_cell {
    uint16_t step;  /* that is LOAD and END */
    uint16_t usual; /* the number of the value that it takes as it was written */
    uint16_t name_offset;
    uint8_t name_bytes;
    uint8_t kind;    /* yt_kind, or YT_BINDING_… */
    uint16_t number; /* of a button, as in HID, from 1; 0: it is none */
    uint16_t reserved;
} yt_binding_cell;

/* Kinds beside those of yt_kind: a stick's x, and in the entry behind it its y. */
#define YT_BINDING_STICK   8u
#define YT_BINDING_STICK_Y 9u

#define YT_BINDING_NONE  0u      /* the first choice: nothing */
#define YT_BINDING_USUAL 0xffffu /* in place of a choice: as it was written */
#define YT_NO_CONTROL    0xffffu

/* What may drive it: an input control, as the sheet sees it. */
typedef struct YT_OVERLAY yt_binding_choice {
    uint16_t value;   /* its number */
    uint16_t control; /* index into the controls; YT_NO_CONTROL of the first choice */
    uint16_t name_offset;
    uint8_t name_bytes;
    uint8_t kind; /* as of cells; of the first choice 0 */
} yt_binding_choice;

/* A table that was looked through. Points into the image. */
typedef struct yt_bindings {
    const yt_program *program;
    const yt_bindings_header *header;
    const yt_binding_cell *cells;
    const yt_binding_choice *choices;
    const char *text;
} yt_bindings;

/* Looks through the table behind a program that was checked; `size` is that of the program with all
 * that stands behind it. YT_NO_MATCH: there is none. YT_PROGRAM_SIZE, YT_PROGRAM_CHECKSUM,
 * YT_PROGRAM_TEXT, YT_PROGRAM_STEP (of a cell), YT_PROGRAM_ORDER (of a choice): it is broken. */
YT_MUST_USE yt_status yt_bindings_open(yt_bindings *bindings, const yt_program *program,
                                       size_t size);

/* The number of the value that a cell takes now; another one than `usual`: it was rebound. */
unsigned yt_binding_value(const yt_bindings *bindings, unsigned cell);

/* The choice that drives a cell now; YT_BINDING_USUAL: what it was written with, which is none of
 * the choices. `cell` is one of the table's. */
unsigned yt_binding_of(const yt_bindings *bindings, unsigned cell);

/* Whether a choice may drive a cell: it is of the same kind, and stands before it. */
bool yt_binding_fits(const yt_bindings *bindings, unsigned cell, unsigned choice);

/* What is to be changed. Of a stick its x is named, and its y goes with it. */
typedef struct yt_rebind {
    uint16_t cell;
    uint16_t choice; /* or YT_BINDING_USUAL */
} yt_rebind;

/* A slot that is being rewritten. The caller's memory. */
typedef struct yt_rebinding {
    const yt_bindings *bindings;
    yt_store *store;
    const yt_rebind *rebinds;
    yt_checking checking;
    uint32_t bytes[YT_SLOT_PARTS];
    uint32_t checksum, at;
    uint16_t count;
    uint8_t slot, stage;
} yt_rebinding;

/* Begins to write the slot that holds the program of `bindings` anew, with so many changes, the
 * later ones on top; all must stay. YT_ARGUMENT: one of them does not fit, or the slot holds
 * another program. The statuses of yt_store_slot. Nothing is written yet. */
YT_MUST_USE yt_status yt_rebinding_begin(yt_rebinding *rebinding, const yt_bindings *bindings,
                                         yt_store *store, unsigned slot, const yt_rebind *rebinds,
                                         unsigned count);

/* Goes on, about 256 bytes at a time. YT_END: not done yet. YT_OK: the slot holds the new program,
 * with its text, its name and what was kept; load it. Else all is as it was: the statuses of
 * yt_store_begin, yt_store_commit and yt_program_check. */
YT_MUST_USE yt_status yt_rebinding_go_on(yt_rebinding *rebinding);

#ifdef __cplusplus
}
#endif

#endif
