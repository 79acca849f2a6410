/* Slots: numbered places in flash that hold one program each.
 *
 * A slot is two banks of whole sectors. A write erases the bank that is not in use, programs the
 * content, and last a head with the sizes and checksums. So after a power cut at any moment the
 * slot holds its whole old or its whole new content, never a part. docs/slots.md has the layout. */
#ifndef YONDER_STORE_H
#define YONDER_STORE_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/port.h"
#include "yonder/status.h"

#define YT_STORE_HEAD_BYTES 32u

/* The caller's memory. Keeps no copy of the flash. */
typedef struct yt_store {
    const yt_port *port;
    uint32_t slots;
    uint32_t bank_bytes;
} yt_store;

/* Divides the port's flash into `slots` slots. Writes nothing. YT_PORT: the facts make no sense, or
 * the flash has fewer than two sectors a slot. */
YT_MUST_USE yt_status yt_store_init(yt_store *store, const yt_port *port, uint32_t slots);

/* The longest content that a slot takes, in bytes. */
size_t yt_store_slot_bytes(const yt_store *store);

/* Writes content into a slot in place of what was there. Size 0 empties it. Blocks for as long as
 * the port's erase and program take. YT_SLOT, YT_SLOT_SIZE: nothing was done. YT_FLASH, or
 * YT_UNREADABLE when what was written does not read back: the slot holds its old content. */
YT_MUST_USE yt_status yt_store_write(yt_store *store, uint32_t slot, const void *bytes,
                                     size_t size);

/* Copies a slot's content out and gives its size. YT_SLOT_EMPTY: nothing whole is there.
 * YT_ARGUMENT: `capacity` is too small; `size` says what is needed. */
YT_MUST_USE yt_status yt_store_read(const yt_store *store, uint32_t slot, void *bytes,
                                    size_t capacity, size_t *size);

/* Where a slot's content stands in memory, to run it in place; it is checked before. `bytes` is a
 * multiple of four from the start of the flash and stays until the slot is written twice. YT_PORT:
 * the port's flash is not mapped. */
YT_MUST_USE yt_status yt_store_find(const yt_store *store, uint32_t slot, const void **bytes,
                                    size_t *size);

#endif
