/* Records as they stand in a sector of the journal: finding them, and reading what they say. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

#define MOST_NUMBER  0xf0000000u /* of a sector; no flash lives to see it */
#define HEAD_CHECKED 8u          /* bytes of a record's head that its checksum is of */
#define COPY_AT      (YT_PIECE + (uint32_t)sizeof(yt_record)) /* of a sector's head */

/* ---- heads of sectors ---- */

uint32_t yt_head_checksum(const yt_store *store, const yt_sector_head *head) {
    const yt_flash *flash = &store->port->flash;
    return yt_checksum(flash->sector_bytes | (uint32_t)flash->erased_value << 24, head,
                       sizeof *head - sizeof head->checksum);
}

static bool is_good_head(const yt_store *store, yt_sector_head *head) {
    return yt_mend(head, sizeof *head - sizeof head->checksum, yt_head_checksum(store, head),
                   head->checksum) &&
           head->magic[0] == YT_SECTOR_MAGIC_0 && head->magic[1] == YT_SECTOR_MAGIC_1 &&
           head->version == YT_SECTOR_VERSION && head->unit_bytes == yt_flash_unit(store) &&
           head->number > 0 && head->number <= MOST_NUMBER && head->previous < head->number &&
           head->oldest <= head->number;
}

static unsigned bits_of(uint32_t word) {
    unsigned bits = 0;
    for (; word; word &= word - 1)
        bits++;
    return bits;
}

unsigned yt_magic_distance(uint32_t first, uint32_t second) {
    return bits_of(first ^ YT_SECTOR_MAGIC_0) + bits_of(second ^ YT_SECTOR_MAGIC_1);
}

static bool is_head_at(const yt_store *store, uint32_t at, yt_sector_head *head) {
    return yt_flash_read(store, at, head->magic, sizeof head->magic) &&
           yt_magic_distance(head->magic[0], head->magic[1]) == 0 &&
           yt_flash_read(store, at, head, sizeof *head) && is_good_head(store, head);
}

bool yt_head_read(const yt_store *store, unsigned sector, yt_sector_head *head) {
    uint32_t at = yt_sector_offset(store, sector);
    return is_head_at(store, at, head) || is_head_at(store, at + COPY_AT, head);
}

/* ---- heads of records ---- */

static uint32_t body_bytes(const yt_store *store, const yt_record *record) {
    return yt_flash_whole(store, (uint32_t)sizeof *record + record->bytes);
}

static uint32_t tail_bytes(const yt_store *store) {
    return yt_flash_whole(store, sizeof(yt_record));
}

uint32_t yt_record_bytes(const yt_store *store, uint32_t payload) {
    return yt_flash_whole(store, (uint32_t)sizeof(yt_record) + payload) + tail_bytes(store) +
           yt_flash_unit(store);
}

uint32_t yt_record_checksum(const yt_record *record, uint32_t number, bool is_tail) {
    return yt_checksum(is_tail ? ~number : number, record, HEAD_CHECKED);
}

static bool is_good_record(yt_record *record, uint32_t number, bool is_tail) {
    return yt_mend(record, HEAD_CHECKED, yt_record_checksum(record, number, is_tail),
                   record->checksum) &&
           (record->kind & YT_RECORD_KIND) >= YT_RECORD_BEGIN &&
           (record->kind & ~YT_RECORD_COPY) <= YT_RECORD_RETIRE && record->key < YT_STORE_ENTRIES &&
           record->bytes <= sizeof(yt_entry);
}

/* A record whose head has rotted is found by its tail, which stands where it says. */
static bool find_by_tail(const yt_store *store, uint32_t number, uint32_t end, uint32_t at,
                         yt_record *record) {
    uint32_t most = yt_flash_whole(store, YT_RECORD_MOST), tail = tail_bytes(store);
    if (end - at < most + tail)
        most = end - at > tail ? end - at - tail : 0;
    if (yt_flash_is_blank(store, at, most))
        return false;
    for (uint32_t body = tail; body <= most; body += yt_flash_unit(store))
        if (yt_flash_read(store, at + body, record, sizeof *record) &&
            is_good_record(record, number, true) && body_bytes(store, record) == body)
            return true;
    return false;
}

bool yt_record_read(const yt_store *store, uint32_t number, uint32_t end, uint32_t at,
                    yt_found_record *found) {
    found->at = at;
    if (at > end || end - at < yt_record_bytes(store, 0))
        return false;
    if (!(yt_flash_read(store, at, &found->record, sizeof found->record) &&
          is_good_record(&found->record, number, false)) &&
        !find_by_tail(store, number, end, at, &found->record))
        return false;
    found->size = yt_record_bytes(store, found->record.bytes);
    return found->size <= end - at;
}

bool yt_has_tail(const yt_store *store, const yt_found_record *found) {
    return !yt_flash_is_blank(store, found->at + body_bytes(store, &found->record),
                              tail_bytes(store));
}

bool yt_has_mark(const yt_store *store, const yt_found_record *found) {
    uint32_t unit = yt_flash_unit(store);
    return !yt_flash_is_blank(store, found->at + found->size - unit, unit);
}

/* ---- payloads ---- */

bool yt_payload_read(const yt_store *store, const yt_found_record *found, void *payload,
                     size_t capacity, bool *has_rotted) {
    const yt_record *record = &found->record;
    *has_rotted = false;
    if (record->bytes == 0)
        return true;
    if (record->bytes > capacity ||
        !yt_flash_read(store, found->at + (uint32_t)sizeof *record, payload, record->bytes))
        return false;
    uint32_t now = yt_checksum(0, payload, record->bytes);
    *has_rotted = now != record->value;
    return yt_mend(payload, record->bytes, now, record->value);
}

yt_status yt_entry_find(const yt_store *store, unsigned key, yt_found_record *found) {
    uint32_t at = store->records[key];
    if (at == 0)
        return YT_SLOT_EMPTY;
    if (at & YT_IS_LOST)
        return YT_SLOT_DAMAGED;
    unsigned sector = yt_sector_of(store, at);
    return yt_record_read(store, store->sectors[sector].number, yt_sector_offset(store, sector + 1),
                          at, found)
               ? YT_OK
               : YT_SLOT_DAMAGED;
}

/* What a record says may be from a flash that somebody else wrote: nothing outside is believed. */
static bool is_good_entry(const yt_store *store, const yt_entry *entry, uint32_t bytes) {
    uint32_t flash = yt_sector_offset(store, store->sector_count);
    return bytes >= YT_ENTRY_HEAD_BYTES && entry->name_bytes <= YT_STORE_NAME &&
           entry->kept_bytes <= YT_STORE_KEPT &&
           bytes == YT_ENTRY_HEAD_BYTES + entry->name_bytes + entry->kept_bytes &&
           entry->content.offset % YT_STORE_ALIGNMENT == 0 && entry->content.offset < flash &&
           entry->content.bytes[0] <= flash - entry->content.offset &&
           entry->content.bytes[1] <= flash - entry->content.offset - entry->content.bytes[0];
}

yt_status yt_entry_read(const yt_store *store, unsigned key, yt_entry *entry) {
    yt_found_record found;
    bool has_rotted;
    yt_status status = yt_entry_find(store, key, &found);
    if (status != YT_OK)
        return status;
    return (found.record.kind & YT_RECORD_KIND) == YT_RECORD_ENTRY &&
                   yt_payload_read(store, &found, entry, sizeof *entry, &has_rotted) &&
                   is_good_entry(store, entry, found.record.bytes)
               ? YT_OK
               : YT_SLOT_DAMAGED;
}

YT_NEVER_INLINE yt_status yt_content_read(const yt_store *store, unsigned key,
                                          yt_content *content) {
    yt_entry entry;
    yt_status status = yt_entry_read(store, key, &entry);
    if (status == YT_OK)
        *content = entry.content;
    return status;
}
