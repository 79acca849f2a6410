/* Content on its way into the flash: what a caller gives in pieces, and what is moved. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

#define TRIES 4u

uint32_t yt_content_bytes(const yt_content *content) {
    return content->bytes[0] + content->bytes[1];
}

yt_status yt_stage(yt_store *store, unsigned key, const uint32_t *bytes) {
    yt_staging *staging = &store->staging;
    uint32_t from = store->space, size = (bytes[0] + bytes[1] + YT_PIECE - 1) & ~(YT_PIECE - 1);
    const yt_space left = {from + size, store->space_end};
    staging->is_on = false;
    if (size > 0) {
        /* Before it is programmed: after a power cut it is not taken for untouched. */
        yt_status status = yt_append(store, YT_RECORD_SPACE, YT_KEY_SPACE, &left, sizeof left);
        if (status != YT_OK)
            return status;
        store->space = left.from;
    }
    *staging = (yt_staging){.offset = size > 0 ? from : 0,
                            .bytes = {bytes[0], bytes[1]},
                            .rotten = UINT32_MAX,
                            .key = (uint8_t)key,
                            .is_on = true};
    return YT_OK;
}

yt_status yt_stage_begin(yt_store *store, unsigned key, const uint32_t *bytes) {
    const uint32_t failures = store->counts.failures;
    yt_store_give_up(store);
    yt_status status = yt_make_ready(store, bytes[0] + bytes[1]);
    if (status == YT_OK)
        status = yt_make_room(store, bytes[0] + bytes[1]);
    if (status == YT_OK)
        status = yt_stage(store, key, bytes);
    return yt_full_or_failed(store, status, failures);
}

yt_status yt_stage_whole(yt_store *store, unsigned key, const void *const *parts,
                         const uint32_t *bytes) {
    const uint32_t failures = store->counts.failures;
    yt_status status = YT_FLASH;
    for (unsigned i = 0; i < TRIES && status == YT_FLASH; i++) {
        status = yt_stage_begin(store, key, bytes);
        for (unsigned part = 0; part < YT_SLOT_PARTS && status == YT_OK; part++)
            status = yt_stage_bytes(store, (const uint8_t *)parts[part], bytes[part]);
    }
    return yt_full_or_failed(store, status, failures);
}

/* Whether four bytes, with the four before, could be taken for the beginning of a sector's head,
 * even if a bit of it had rotted. */
static bool is_like_head(yt_staging *staging, const uint8_t *bytes) {
    uint32_t word;
    memcpy(&word, bytes, sizeof word);
    bool is_like = yt_magic_distance(staging->word, word) <= YT_MAGIC_BITS;
    staging->word = word;
    return is_like;
}

static yt_status program_piece(yt_store *store, uint32_t size) {
    yt_staging *staging = &store->staging;
    for (unsigned i = 0; i + 4 <= size; i += 4)
        if (is_like_head(staging, staging->piece + i))
            return YT_STORE_CONTENT;
    return yt_flash_program(store, staging->offset + staging->done - size, staging->piece, size)
               ? YT_OK
               : YT_FLASH;
}

/* The sector is left alone until the next power-on, and its rest is no space any more. */
static yt_status fail(yt_store *store, yt_status status) {
    static const yt_space none = {0, 0};
    yt_staging *staging = &store->staging;
    yt_store_sector *of = &store->sectors[yt_sector_of(store, staging->offset + staging->done - 1)];
    staging->is_on = false;
    if (status != YT_FLASH)
        return status;
    if (of->live == 0)
        of->state = YT_SECTOR_BAD;
    if (yt_append(store, YT_RECORD_SPACE, YT_KEY_SPACE, &none, sizeof none) == YT_OK)
        store->space = store->space_end = 0;
    return status;
}

static void check_byte(yt_staging *staging, uint8_t byte) {
    unsigned part = staging->done < staging->bytes[0] ? YT_SLOT_PROGRAM : YT_SLOT_TEXT;
    staging->checksum[part] = yt_checksum(staging->checksum[part], &byte, 1);
    staging->sum[part] = (uint16_t)(staging->sum[part] + byte);
}

yt_status yt_stage_bytes(yt_store *store, const uint8_t *bytes, uint32_t size) {
    yt_staging *staging = &store->staging;
    uint32_t all = staging->bytes[0] + staging->bytes[1];
    if (!staging->is_on || size > all - staging->done)
        return YT_ARGUMENT;
    for (uint32_t i = 0; i < size; i++) {
        uint32_t in_piece = staging->done % YT_PIECE;
        check_byte(staging, bytes[i]);
        staging->piece[in_piece] = bytes[i];
        staging->done++;
        if (in_piece + 1 < YT_PIECE && staging->done < all)
            continue;
        yt_status status = program_piece(store, in_piece + 1);
        if (status != YT_OK)
            return fail(store, status);
    }
    return YT_OK;
}

yt_status yt_put_entry(yt_store *store, unsigned key, const yt_entry *entry) {
    yt_content before;
    bool was_there = yt_content_read(store, key, &before) == YT_OK;
    yt_status status =
        yt_append(store, YT_RECORD_ENTRY, key, entry,
                  (uint32_t)YT_ENTRY_HEAD_BYTES + entry->name_bytes + entry->kept_bytes);
    if (status != YT_OK)
        return status;
    if (was_there)
        yt_count_content(store, &before, false);
    yt_count_content(store, &entry->content, true);
    return YT_OK;
}

yt_status yt_stage_end(yt_store *store, yt_entry *entry) {
    yt_staging *staging = &store->staging;
    if (!staging->is_on || staging->done != staging->bytes[0] + staging->bytes[1])
        return YT_ARGUMENT;
    yt_content *content = &entry->content;
    content->offset = staging->offset;
    for (unsigned part = 0; part < YT_SLOT_PARTS; part++) {
        content->bytes[part] = staging->bytes[part];
        content->checksum[part] = staging->checksum[part];
        content->sum[part] = staging->sum[part];
    }
    yt_status status = yt_put_entry(store, staging->key, entry);
    staging->is_on = false;
    return status;
}

/* ---- looking through ---- */

uint32_t yt_part_offset(const yt_content *content, unsigned part) {
    return content->offset + (part == YT_SLOT_TEXT ? content->bytes[YT_SLOT_PROGRAM] : 0);
}

yt_status yt_part_check(const yt_store *store, const yt_content *content, unsigned part) {
    uint32_t checksum = 0, from = yt_part_offset(content, part);
    uint8_t piece[YT_PIECE];
    for (uint32_t done = 0; done < content->bytes[part]; done += YT_PIECE) {
        uint32_t left = content->bytes[part] - done, size = left < YT_PIECE ? left : YT_PIECE;
        if (!yt_flash_read(store, from + done, piece, size))
            return YT_SLOT_DAMAGED;
        checksum = yt_checksum(checksum, piece, size);
    }
    return checksum == content->checksum[part] ? YT_OK : YT_SLOT_DAMAGED;
}

/* ---- moving ---- */

yt_status yt_move_begin(yt_store *store, unsigned key, const yt_content *content, uint32_t rotten) {
    yt_status status = yt_stage(store, key, content->bytes);
    if (status != YT_OK)
        return status;
    store->staging.is_move = true;
    store->staging.source = content->offset;
    store->staging.rotten = rotten;
    return YT_OK;
}

/* What cannot be read is moved as it is not: it stays damaged. */
static void read_source(const yt_store *store, uint8_t *piece, uint32_t size) {
    const yt_staging *staging = &store->staging;
    uint32_t at = staging->source + staging->done, bit = staging->rotten - 8 * staging->done;
    if (!yt_flash_read(store, at, piece, size))
        memset(piece, 0, size);
    if (staging->rotten != UINT32_MAX && staging->rotten >= 8 * staging->done && bit < 8 * size)
        piece[bit / 8] ^= (uint8_t)(1u << bit % 8);
}

/* The content stands there as well: now it is that which counts. What it is to be is what it was,
 * so what had rotted on the way is seen later on. */
static YT_NEVER_INLINE yt_status move_end(yt_store *store) {
    yt_staging *staging = &store->staging;
    yt_entry entry;
    yt_status status = yt_entry_read(store, staging->key, &entry);
    if (status != YT_OK || entry.content.offset != staging->source) {
        staging->is_on = false;
        return YT_OK; /* something else was written meanwhile */
    }
    entry.content.offset = staging->offset;
    status = yt_put_entry(store, staging->key, &entry);
    staging->is_on = false;
    store->counts.moved += status == YT_OK;
    return status;
}

/* So many pieces of it. False: it was given up, and goes elsewhere, or what is there is something
 * else by now. */
static YT_NEVER_INLINE bool move_pieces(yt_store *store, uint32_t pieces) {
    yt_staging *staging = &store->staging;
    uint32_t all = staging->bytes[0] + staging->bytes[1];
    for (uint32_t i = 0; i <= pieces && staging->done < all; i++) {
        uint8_t piece[YT_PIECE];
        uint32_t left = all - staging->done, size = left < YT_PIECE ? left : YT_PIECE;
        read_source(store, piece, size);
        if (yt_stage_bytes(store, piece, size) != YT_OK)
            return false;
    }
    return true;
}

yt_status yt_move_step(yt_store *store, unsigned units) {
    const yt_staging *staging = &store->staging;
    bool goes_on = move_pieces(store, units * yt_flash_unit(store) / YT_PIECE);
    return goes_on && staging->done == staging->bytes[0] + staging->bytes[1] ? move_end(store)
                                                                             : YT_OK;
}
