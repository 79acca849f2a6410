/* What an adapter's store goes through in one power-on: changes that are the same on every machine,
 * all from one seed. What it holds afterwards is one checksum.
 *
 * Freestanding, so that an image plays it too. */
#ifndef YONDER_TESTS_HISTORY_H
#define YONDER_TESTS_HISTORY_H

#include "yonder/store.h"

#define HISTORY_SLOTS        4u
#define HISTORY_SECTORS      16u
#define HISTORY_SECTOR_BYTES 1024u
#define HISTORY_UNIT_BYTES   4u

/* Opens the store and changes it so many times; memory of its own. The power may go in any of the
 * port's calls: that is theirs to do. */
yt_status history_play(yt_store *store, yt_store_sector *sectors, const yt_port *port,
                       uint32_t seed, unsigned changes);

/* Where the stack stood when the store was called last. */
extern uintptr_t history_called;

/* Of all that can be read, statuses among it. */
uint32_t history_digest(const yt_store *store);

#endif
