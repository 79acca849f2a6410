/* Any bytes as the content of the flash: nothing is read outside, and a slot can be written anew.
 */
#include "fuzz/fuzz.h"
#include "ports/sim/flash.h"
#include "yonder/store.h"

#define SECTORS 4
#define SECTOR  256

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static const uint8_t content[] = "whole or not at all";
    uint8_t bytes[2 * SECTOR];
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
    }
    sim_flash_close(&flash);
    return 0;
}
