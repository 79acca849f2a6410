/* A slot written anew with other operands: its checksum is made, then all is copied, looked over,
 * and put in the place of what was there. */
#include <string.h>

#include "image/layout.h"
#include "inlining.h"
#include "yonder/rebind.h"

#define PIECE_BYTES   64u
#define PIECES        4u /* at a time */
#define CHECK_ENTRIES 8u
#define SUM_AT        12u /* the checksum, in the program's header */
#define SUM_FROM      16u /* the first byte that it is of */

enum { STAGE_SUM, STAGE_BEGIN, STAGE_PROGRAM, STAGE_TEXT, STAGE_CHECK, STAGE_COMMIT };

static YT_NEVER_INLINE yt_status look_at_slot(yt_rebinding *rebinding) {
    yt_slot info;
    const yt_program_header *header = rebinding->bindings->program->header;
    yt_program_header kept;
    yt_status status = yt_store_slot(rebinding->store, rebinding->slot, &info);
    if (status == YT_OK && info.bytes[YT_SLOT_PROGRAM] < sizeof kept)
        status = YT_ARGUMENT;
    if (status == YT_OK)
        status = yt_store_read(rebinding->store, rebinding->slot, YT_SLOT_PROGRAM, 0, &kept,
                               sizeof kept);
    if (status == YT_OK && memcmp(&kept, header, sizeof kept) != 0)
        status = YT_ARGUMENT;
    memcpy(rebinding->bytes, info.bytes, sizeof info.bytes);
    return status;
}

yt_status yt_rebinding_begin(yt_rebinding *rebinding, const yt_bindings *bindings, yt_store *store,
                             unsigned slot, const yt_rebind *rebinds, unsigned count) {
    *rebinding = (yt_rebinding){.bindings = bindings,
                                .store = store,
                                .rebinds = rebinds,
                                .at = SUM_FROM,
                                .count = (uint16_t)count,
                                .slot = (uint8_t)slot};
    for (unsigned i = 0; i < count; i++)
        if (!yt_binding_fits(bindings, rebinds[i].cell, rebinds[i].choice))
            return YT_ARGUMENT;
    return slot >= store->slots ? YT_SLOT : look_at_slot(rebinding);
}

/* Puts a number, the lowest byte first, where it lies within a piece. */
static void patch(uint8_t *piece, uint32_t from, uint32_t size, uint32_t at, uint32_t number,
                  unsigned bytes) {
    for (unsigned i = 0; i < bytes; i++)
        if (at + i >= from && at + i < from + size)
            piece[at + i - from] = (uint8_t)(number >> 8 * i);
}

/* The value that a cell takes from now on; `k`: of a stick's y 1. */
static unsigned value_for(const yt_bindings *bindings, const yt_rebind *rebind, unsigned k) {
    return rebind->choice == YT_BINDING_USUAL  ? bindings->cells[rebind->cell + k].usual
           : rebind->choice == YT_BINDING_NONE ? bindings->choices[YT_BINDING_NONE].value
                                               : bindings->choices[rebind->choice + k].value;
}

static uint32_t operand_at(const yt_bindings *bindings, unsigned cell) {
    const yt_program *program = bindings->program;
    uint32_t code = (uint32_t)((const uint8_t *)program->code - (const uint8_t *)program->header);
    unsigned first = yt_step_at(program, bindings->cells[cell].step)->code;
    return code + first * (uint32_t)sizeof(yt_instruction) +
           (uint32_t)offsetof(yt_instruction, operand);
}

/* Bytes of the new program, from `rebinding->at` on. */
static yt_status read_piece(yt_rebinding *rebinding, uint8_t *piece, uint32_t size) {
    const yt_bindings *bindings = rebinding->bindings;
    yt_status status = yt_store_read(rebinding->store, rebinding->slot, YT_SLOT_PROGRAM,
                                     rebinding->at, piece, size);
    for (unsigned i = 0; i < rebinding->count; i++) {
        const yt_rebind *rebind = &rebinding->rebinds[i];
        unsigned sides = bindings->cells[rebind->cell].kind == YT_BINDING_STICK ? 2 : 1;
        for (unsigned k = 0; k < sides; k++)
            patch(piece, rebinding->at, size, operand_at(bindings, rebind->cell + k),
                  value_for(bindings, rebind, k), 2);
    }
    patch(piece, rebinding->at, size, SUM_AT, rebinding->checksum, 4);
    return status;
}

static uint32_t least(uint32_t a, uint32_t b) {
    return a < b ? a : b;
}

static yt_status sum(yt_rebinding *rebinding) {
    uint8_t piece[PIECE_BYTES];
    uint32_t all = rebinding->bindings->program->header->total_bytes;
    uint32_t size = least(all - rebinding->at, PIECE_BYTES);
    uint32_t checksum = rebinding->checksum;
    yt_status status = read_piece(rebinding, piece, size);
    rebinding->checksum = yt_checksum(checksum, piece, size);
    rebinding->at += size;
    if (rebinding->at == all)
        rebinding->stage = STAGE_BEGIN;
    return status;
}

static yt_status begin(yt_rebinding *rebinding) {
    rebinding->at = 0;
    rebinding->stage = STAGE_PROGRAM;
    return yt_store_begin(rebinding->store, rebinding->slot, rebinding->bytes[YT_SLOT_PROGRAM],
                          rebinding->bytes[YT_SLOT_TEXT]);
}

static yt_status copy(yt_rebinding *rebinding) {
    uint8_t piece[PIECE_BYTES];
    yt_slot_part part = rebinding->stage == STAGE_PROGRAM ? YT_SLOT_PROGRAM : YT_SLOT_TEXT;
    uint32_t size = least(rebinding->bytes[part] - rebinding->at, PIECE_BYTES);
    yt_status status = part == YT_SLOT_PROGRAM ? read_piece(rebinding, piece, size)
                                               : yt_store_read(rebinding->store, rebinding->slot,
                                                               part, rebinding->at, piece, size);
    if (status == YT_OK)
        status = yt_store_piece(rebinding->store, piece, size);
    rebinding->at += size;
    if (rebinding->at < rebinding->bytes[part])
        return status;
    rebinding->at = 0;
    rebinding->stage =
        part == YT_SLOT_PROGRAM && rebinding->bytes[YT_SLOT_TEXT] > 0 ? STAGE_TEXT : STAGE_CHECK;
    return status;
}

/* Where the flash is mapped, the whole program once more; else what was checked of each change, and
 * that all else is as it was, must do, until it is loaded. */
static yt_status look_over(yt_rebinding *rebinding) {
    const void *image = yt_store_staged_program(rebinding->store);
    bool done = !image;
    yt_status status = YT_OK;
    if (image)
        status = rebinding->at == 0 ? yt_checking_begin(&rebinding->checking, image,
                                                        rebinding->bytes[YT_SLOT_PROGRAM])
                                    : yt_checking_go_on(&rebinding->checking, CHECK_ENTRIES, &done);
    rebinding->at = 1;
    if (status == YT_OK && done)
        rebinding->stage = STAGE_COMMIT;
    return status;
}

static YT_NEVER_INLINE yt_status commit(yt_rebinding *rebinding) {
    yt_slot info;
    yt_status status = yt_store_slot(rebinding->store, rebinding->slot, &info);
    return status == YT_OK
               ? yt_store_commit_kept(rebinding->store, NULL, info.kept, info.kept_bytes)
               : status;
}

static yt_status do_piece(yt_rebinding *rebinding) {
    switch (rebinding->stage) {
    case STAGE_SUM:
        return sum(rebinding);
    case STAGE_BEGIN:
        return begin(rebinding);
    case STAGE_PROGRAM:
    case STAGE_TEXT:
        return copy(rebinding);
    default:
        return look_over(rebinding);
    }
}

yt_status yt_rebinding_go_on(yt_rebinding *rebinding) {
    if (rebinding->stage == STAGE_COMMIT)
        return commit(rebinding);
    for (unsigned i = 0; i < PIECES && rebinding->stage < STAGE_COMMIT; i++) {
        yt_status status = do_piece(rebinding);
        if (status == YT_OK)
            continue;
        if (rebinding->stage > STAGE_BEGIN)
            yt_store_give_up(rebinding->store);
        return status;
    }
    return YT_END;
}
