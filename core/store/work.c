/* What is done beside the engine, a little at a time. */
#include "store/parts.h"

#define SCRUB_BYTES 64u

void yt_store_keep_ready(yt_store *store, uint32_t bytes) {
    store->keep_ready = bytes;
    store->full_at = 0;
}

bool yt_store_ready(const yt_store *store, size_t bytes) {
    return bytes <= YT_STORE_FLASH_BYTES && !yt_is_short(store) && yt_needs_no_erase(store) &&
           !(store->staging.is_on && store->staging.is_move) &&
           yt_has_space(store, (uint32_t)bytes);
}

/* The journal's next sector. */
static yt_status erase_ahead(yt_store *store) {
    unsigned next = yt_journal_choice(store);
    if (next == YT_NO_SECTOR)
        return YT_OK;
    return yt_flash_erase(store, next) ? YT_OK : YT_FLASH;
}

yt_status yt_store_work(yt_store *store, unsigned units, bool may_erase) {
    const yt_staging *staging = &store->staging;
    bool is_moving = staging->is_on && staging->is_move, is_safe = yt_is_safe(store);
    store->is_attended = true;
    if (is_moving && is_safe)
        return yt_move_step(store, units);
    if (!yt_needs_no_erase(store)) {
        if (may_erase)
            return erase_ahead(store);
    } else if (yt_is_short(store) || !is_safe) {
        yt_status status = yt_collect(store);
        if (status != YT_END)
            return status;
    }
    if (!staging->is_on && yt_needs_no_erase(store)) {
        /* Where there was no room, there is none as long as nothing changes. */
        bool is_wanted = store->keep_ready > 0 && store->full_at != store->generation + 1;
        yt_status status =
            is_wanted ? yt_room_step(store, store->keep_ready, units, may_erase) : YT_END;
        if (status == YT_STORE_FULL)
            store->full_at = store->generation + 1;
        if (status == YT_END)
            status = yt_level_step(store, units, may_erase);
        if (status == YT_OK || status == YT_FLASH)
            return status;
    }
    yt_status status = yt_scrub_step(store, SCRUB_BYTES, may_erase && !staging->is_on);
    return status == YT_OK ? YT_END : status;
}
