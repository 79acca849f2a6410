/* Reading round and round for what rots, and mending one bit of it. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

#define BITS_AT_ONCE 16u /* that are tried for each byte that may be read */

/* Whether the sum of a part's bytes fits when a bit of it is turned. */
static bool sum_fits(const yt_store *store, const yt_content *content, unsigned part, uint16_t sum,
                     uint32_t bit) {
    uint8_t byte;
    if (!yt_flash_read(store, yt_part_offset(content, part) + bit / 8, &byte, 1))
        return false;
    uint32_t turned = (uint32_t)byte ^ 1u << bit % 8;
    return (uint16_t)(sum - byte + turned) == content->sum[part];
}

/* Begins to copy a key's content without the bit that rotted in a part of it. */
static YT_NEVER_INLINE yt_status copy_mended(yt_store *store, unsigned key,
                                             const yt_content *content, unsigned part,
                                             uint32_t bit) {
    uint32_t before = part == YT_SLOT_TEXT ? content->bytes[YT_SLOT_PROGRAM] : 0;
    return yt_move_begin(store, key, content, before * 8 + bit);
}

yt_status yt_part_mend(yt_store *store, unsigned key, unsigned part) {
    yt_content content;
    yt_bit_finder search;
    uint32_t checksum = 0;
    uint16_t sum = 0;
    yt_status status = yt_content_read(store, key, &content);
    for (uint32_t i = 0; status == YT_OK && i < content.bytes[part]; i++) {
        uint8_t byte;
        if (!yt_flash_read(store, yt_part_offset(&content, part) + i, &byte, 1))
            status = YT_SLOT_DAMAGED;
        checksum = yt_checksum(checksum, &byte, 1);
        sum = (uint16_t)(sum + byte);
    }
    if (status != YT_OK)
        return status;
    yt_bit_finder_begin(&search, checksum ^ content.checksum[part], content.bytes[part]);
    if (yt_bit_finder_go(&search, search.bits + 1) != 1 ||
        !sum_fits(store, &content, part, sum, search.bits - 1 - search.passed))
        return YT_SLOT_DAMAGED;
    yt_store_give_up(store);
    uint32_t moved = store->counts.moved;
    status = yt_make_room(store, yt_content_bytes(&content));
    if (status == YT_OK && store->counts.moved != moved)
        status = yt_content_read(store, key, &content); /* it may be another place now */
    if (status == YT_OK)
        status = copy_mended(store, key, &content, part, search.bits - 1 - search.passed);
    while (status == YT_OK && store->staging.is_on)
        status = yt_move_step(store, UINT16_MAX);
    store->counts.mended += status == YT_OK;
    return status;
}

/* ---- round and round ---- */

static void next_part(yt_store *store) {
    yt_scrubbing *scrub = &store->scrubbing;
    unsigned key = scrub->key, part = scrub->part + 1u;
    if (part == YT_SLOT_PARTS) {
        part = 0;
        key = key < YT_KEY_SETTINGS ? key + 1 : 0;
    }
    *scrub = (yt_scrubbing){.key = (uint8_t)key, .part = (uint8_t)part};
}

/* A record that has rotted, or its head, is written anew, as long as it can be told. */
static YT_NEVER_INLINE yt_status renew_record(yt_store *store, unsigned key,
                                              const yt_found_record *found) {
    yt_record head;
    yt_entry entry;
    bool has_rotted;
    if (!yt_payload_read(store, found, &entry, sizeof entry, &has_rotted))
        return YT_OK;
    if (!has_rotted && yt_flash_read(store, found->at, &head, sizeof head) &&
        memcmp(&head, &found->record, sizeof head - sizeof head.checksum) == 0)
        return YT_OK;
    if (!yt_needs_no_erase(store) || !yt_is_safe(store))
        return YT_OK; /* another time round */
    yt_status status = yt_append(store, YT_RECORD_ENTRY, key, &entry, found->record.bytes);
    store->counts.mended += status == YT_OK;
    return status;
}

/* The bit that rotted is looked for, a part of them at a time. */
static YT_NEVER_INLINE yt_status search_step(yt_store *store, const yt_content *content,
                                             uint32_t bits, bool may_erase) {
    yt_scrubbing *scrub = &store->scrubbing;
    unsigned part = scrub->part;
    yt_bit_finder search = {.syndrome = scrub->checksum ^ content->checksum[part],
                            .shifted = scrub->shifted,
                            .passed = scrub->passed,
                            .bits = content->bytes[part] * 8};
    int found = yt_bit_finder_go(&search, bits);
    scrub->shifted = search.shifted;
    scrub->passed = search.passed;
    if (found == 0)
        return YT_OK;
    uint32_t bit = search.bits - 1 - search.passed;
    if (found < 0 || !sum_fits(store, content, part, scrub->sum, bit)) {
        store->counts.damaged++;
        next_part(store);
        return YT_OK;
    }
    bool may_begin = may_erase || (yt_needs_no_erase(store) && yt_is_safe(store));
    yt_status status =
        may_begin ? yt_room_step(store, yt_content_bytes(content), UINT16_MAX, may_erase) : YT_FULL;
    if (status == YT_END) {
        status = copy_mended(store, scrub->key, content, part, bit);
        store->counts.mended += status == YT_OK;
        next_part(store);
    } else if (status != YT_OK) {
        next_part(store); /* there is no room now: another time round */
        status = YT_OK;
    }
    return status;
}

yt_status yt_scrub_step(yt_store *store, uint32_t bytes, bool may_erase) {
    yt_scrubbing *scrub = &store->scrubbing;
    yt_found_record found;
    yt_content content;
    unsigned key = scrub->key, part = scrub->part;
    if (yt_entry_find(store, key, &found) != YT_OK ||
        yt_content_read(store, key, &content) != YT_OK) {
        next_part(store);
        return YT_OK;
    }
    if (scrub->record != found.at) {
        *scrub = (yt_scrubbing){.record = found.at, .key = (uint8_t)key, .part = (uint8_t)part};
        if (part == 0)
            return renew_record(store, key, &found);
    }
    if (scrub->searches)
        return search_step(store, &content, bytes * BITS_AT_ONCE, may_erase);
    for (uint32_t i = 0; i < bytes && scrub->done < content.bytes[part]; i++, scrub->done++) {
        uint8_t byte;
        if (!yt_flash_read(store, yt_part_offset(&content, part) + scrub->done, &byte, 1)) {
            store->counts.damaged++;
            next_part(store);
            return YT_OK;
        }
        scrub->checksum = yt_checksum(scrub->checksum, &byte, 1);
        scrub->sum = (uint16_t)(scrub->sum + byte);
    }
    if (scrub->done < content.bytes[part])
        return YT_OK;
    if (scrub->checksum == content.checksum[part]) {
        next_part(store);
        return YT_OK;
    }
    yt_bit_finder search;
    yt_bit_finder_begin(&search, 0, 0);
    scrub->shifted = search.shifted;
    scrub->searches = true;
    return YT_OK;
}
