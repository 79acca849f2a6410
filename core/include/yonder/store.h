/* Slots: numbered places in flash that hold one program each.
 *
 * A slot is two banks of whole sectors. A write erases the bank that is not in use, programs the
 * content, then a head with the sizes and checksums, and last a seal. So after a power cut at any
 * moment the slot holds its whole old or its whole new content, never a part; and where what was
 * written last can no longer be read, the slot says so and does not fall back to what was before.
 * docs/slots.md has the layout.
 *
 *     yt_store store;
 *     const void *content;
 *     yt_store_init(&store, &port, 8);
 *     if (yt_store_find(&store, 3, &content, &size) == YT_OK &&
 *         yt_engine_load(&engine, content, size) == YT_OK)
 *         yt_store_runs(&store, content); */
#ifndef YONDER_STORE_H
#define YONDER_STORE_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/port.h"
#include "yonder/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_STORE_HEAD_BYTES 64u /* of a bank, in front of the content */

/* The caller's memory. Keeps no copy of the flash. */
typedef struct yt_store {
    const yt_port *port;
    uint32_t slots;
    uint32_t bank_bytes;
    uint32_t running_bank; /* UINT32_MAX: none */
} yt_store;

/* Divides the port's flash into `slots` slots. Writes nothing. YT_PORT: the facts make no sense, or
 * the flash has fewer than two sectors a slot. */
YT_MUST_USE yt_status yt_store_init(yt_store *store, const yt_port *port, uint32_t slots);

/* The longest content that a slot takes, in bytes. */
size_t yt_store_slot_bytes(const yt_store *store);

/* Says where the program stands that runs, as yt_store_find gave it: that bank is not erased by a
 * write to its slot. NULL, or what is not in the flash: none runs in it. Say it anew whenever
 * another program was loaded. */
void yt_store_runs(yt_store *store, const void *program);

/* Writes content into a slot in place of what was there. Size 0 empties it, as safely. Blocks for
 * as long as the port's erase and program take. YT_SLOT, YT_SLOT_SIZE: nothing was done.
 * YT_SLOT_RUNS: nothing was done, as the running program stands in the only bank that could be
 * written; load what the slot holds now, then write again. YT_FLASH, or YT_UNREADABLE when what was
 * written does not read back: the slot holds its old content, whole, or where only the seal failed
 * the new one. What of the old content cannot be read when the write begins counts as rotten. */
YT_MUST_USE yt_status yt_store_write(yt_store *store, uint32_t slot, const void *bytes,
                                     size_t size);

/* Copies a slot's content out and gives its size. YT_SLOT_EMPTY: nothing was written, or it was
 * emptied. YT_SLOT_DAMAGED: what was written last is no longer whole; a write mends the slot.
 * YT_ARGUMENT: `capacity` is too small; `size` says what is needed. */
YT_MUST_USE yt_status yt_store_read(const yt_store *store, uint32_t slot, void *bytes,
                                    size_t capacity, size_t *size);

/* Where a slot's content stands in memory, to run it in place; it is checked before. `bytes` is a
 * multiple of four from the start of the flash and stays until the slot is written twice. YT_PORT:
 * the port's flash is not mapped. */
YT_MUST_USE yt_status yt_store_find(const yt_store *store, uint32_t slot, const void **bytes,
                                    size_t *size);

#ifdef __cplusplus
}
#endif

#endif
