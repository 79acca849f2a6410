/* Settings, and what they share with calibrations: content without a name. */
#include <string.h>

#include "store/parts.h"

yt_status yt_forget_key(yt_store *store, unsigned key) {
    yt_content content;
    if (store->records[key] == 0)
        return YT_OK;
    yt_status status = yt_make_ready(store, 0);
    bool is_there = yt_content_read(store, key, &content) == YT_OK;
    if (status == YT_OK)
        status = yt_append_value(store, YT_RECORD_EMPTY, key, 0);
    if (status == YT_OK && is_there)
        yt_count_content(store, &content, false);
    return status;
}

yt_status yt_kept_read(const yt_store *store, unsigned key, void *bytes, size_t capacity,
                       size_t *size) {
    yt_content content;
    yt_status status = yt_content_read(store, key, &content);
    *size = status == YT_OK ? content.bytes[0] : 0;
    if (status != YT_OK)
        return status;
    if (content.bytes[0] > capacity)
        return YT_ROOM;
    status = yt_part_check(store, &content, 0);
    if (status == YT_OK && !yt_flash_read(store, content.offset, bytes, content.bytes[0]))
        status = YT_UNREADABLE;
    return status;
}

static YT_NEVER_INLINE yt_status end_write(yt_store *store) {
    yt_entry entry = {.content = {.generation = store->generation + 1}};
    return yt_stage_end(store, &entry);
}

yt_status yt_kept_write(yt_store *store, unsigned key, const void *bytes, size_t size) {
    const void *const parts[2] = {bytes, NULL};
    const uint32_t sizes[2] = {(uint32_t)size, 0};
    if (size > YT_STORE_FLASH_BYTES / 2)
        return YT_STORE_FULL;
    yt_status status = yt_stage_whole(store, key, parts, sizes);
    if (status == YT_OK)
        status = end_write(store);
    yt_store_give_up(store);
    return status;
}

static yt_status content_of(const yt_store *store, unsigned place, yt_content *content) {
    return place <= YT_STORE_SETTINGS ? yt_content_read(store, YT_KEY_CALIBRATION + place, content)
                                      : YT_SLOT;
}

yt_status yt_store_kept(const yt_store *store, unsigned place, yt_kept *kept) {
    yt_content content;
    yt_status status = content_of(store, place, &content);
    *kept = (yt_kept){0, 0, 0};
    if (status == YT_OK)
        *kept = (yt_kept){content.bytes[0], content.checksum[0], content.generation};
    return status;
}

yt_status yt_store_kept_read(const yt_store *store, unsigned place, uint32_t offset, void *bytes,
                             size_t size) {
    yt_content content;
    yt_status status = content_of(store, place, &content);
    if (status != YT_OK)
        return status;
    if (offset > content.bytes[0] || size > content.bytes[0] - offset)
        return YT_ARGUMENT;
    return yt_flash_read(store, content.offset + offset, bytes, size) ? YT_OK : YT_UNREADABLE;
}

yt_status yt_store_settings(const yt_store *store, void *bytes, size_t capacity, size_t *size) {
    return yt_kept_read(store, YT_KEY_SETTINGS, bytes, capacity, size);
}

yt_status yt_store_set(yt_store *store, const void *bytes, size_t size) {
    return yt_kept_write(store, YT_KEY_SETTINGS, bytes, size);
}
