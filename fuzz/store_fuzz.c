/* Any bytes as the content of the flash: nothing is read outside, and a slot can be written anew.
 */
#include "fuzz/fuzz.h"
#include "ports/sim/flash.h"
#include "yonder/store.h"

#define SECTORS 4
#define SECTOR  256

/* A program that runs where it stands is not erased: one write goes into the other bank, the next
 * one is refused, and the one after the program has ended is not. */
static void check_running(yt_store *store, uint32_t slot, const void *place) {
    static const uint8_t other[] = "another one", empty[1];
    uint8_t kept[sizeof other];
    memcpy(kept, place, sizeof kept);
    yt_store_runs(store, place);
    INVARIANT(7, yt_store_write(store, slot, other, sizeof other) == YT_OK);
    INVARIANT(7, yt_store_write(store, slot, other, sizeof other) == YT_SLOT_RUNS);
    INVARIANT(7, memcmp(kept, place, sizeof kept) == 0);
    yt_store_runs(store, NULL);
    INVARIANT(7, yt_store_write(store, slot, empty, 0) == YT_OK);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static const uint8_t content[] = "whole or not at all";
    uint8_t bytes[2 * SECTOR];
    const void *place;
    sim_flash flash;
    yt_port port = {0};
    yt_store store;
    size_t found;
    if (!sim_flash_open(&flash, NULL, SECTORS, SECTOR, 4))
        abort();
    memcpy(flash.bytes, data, size < flash.size ? size : flash.size);
    memset(flash.programmed, 1, flash.size / 4);
    sim_flash_port(&flash, &port);
    if (yt_store_init(&store, &port, 2) != YT_OK)
        abort();
    for (uint32_t slot = 0; slot < 2; slot++) {
        yt_status status = yt_store_read(&store, slot, bytes, sizeof bytes, &found);
        INVARIANT(7, status == YT_SLOT_EMPTY || status == YT_SLOT_DAMAGED ||
                         (status == YT_OK && found <= yt_store_slot_bytes(&store)));
        INVARIANT(7, yt_store_write(&store, slot, content, sizeof content) == YT_OK);
        INVARIANT(7, yt_store_read(&store, slot, bytes, sizeof bytes, &found) == YT_OK);
        INVARIANT(7, found == sizeof content && memcmp(bytes, content, found) == 0);
        INVARIANT(7, yt_store_find(&store, slot, &place, &found) == YT_OK);
        INVARIANT(7, found == sizeof content && memcmp(place, content, found) == 0);
        check_running(&store, slot, place);
    }
    INVARIANT(7, yt_store_write(&store, 2, content, 1) == YT_SLOT);
    INVARIANT(7, yt_store_read(&store, 2, bytes, sizeof bytes, &found) == YT_SLOT);
    INVARIANT(7, yt_store_write(&store, 0, bytes, sizeof bytes) == YT_SLOT_SIZE);
    sim_flash_close(&flash);
    return 0;
}
