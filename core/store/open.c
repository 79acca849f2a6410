/* What a flash holds when the power comes: which sectors of the journal count, what its records
 * say, and whether the last one was finished. Nothing is answered before that is firm. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

static uint32_t first_record(const yt_store *store, unsigned sector) {
    return yt_sector_offset(store, sector) + YT_PIECE;
}

static bool is_power_of_two(uint32_t number) {
    return number != 0 && (number & (number - 1)) == 0;
}

/* ---- the facts ---- */

static bool facts_suit(const yt_flash *flash, unsigned slots) {
    return flash->read && flash->program && flash->erase && slots > 0 && slots <= YT_STORE_SLOTS &&
           is_power_of_two(flash->unit_bytes) && flash->unit_bytes <= YT_PIECE &&
           flash->sector_bytes >= 1024 && flash->sector_bytes <= 131072 &&
           flash->sector_bytes % YT_PIECE == 0 && flash->sectors > 0 &&
           flash->sectors <= YT_STORE_SECTORS &&
           flash->sectors <= YT_STORE_FLASH_BYTES / flash->sector_bytes &&
           (flash->erased_value == 0xff || flash->erased_value == 0);
}

/* Sectors that the journal takes when every key holds the longest record. */
static uint32_t sectors_needed(const yt_store *store) {
    uint32_t record = yt_record_bytes(store, sizeof(yt_entry));
    uint32_t usable =
        yt_sector_bytes(store) - YT_PIECE - yt_record_bytes(store, yt_begin_bytes(store)) - record;
    uint32_t bytes = (store->slots + YT_STORE_ENTRIES - YT_STORE_SLOTS) * record;
    return (bytes + usable - 1) / usable;
}

static yt_status begin(yt_store *store, const yt_port *port, unsigned slots,
                       yt_store_sector *sectors, size_t count) {
    memset(store, 0, sizeof *store);
    if (!facts_suit(&port->flash, slots))
        return YT_PORT;
    if (count < port->flash.sectors)
        return YT_MEMORY;
    store->port = port;
    store->slots = (uint16_t)slots;
    store->sectors = sectors;
    store->sector_count = (uint16_t)port->flash.sectors;
    store->newest = YT_NO_SECTOR;
    store->next_number = 1;
    store->need = (uint16_t)sectors_needed(store);
    memset(sectors, 0, store->sector_count * sizeof *sectors);
    return store->sector_count > store->need + yt_reserve(store) ? YT_OK : YT_PORT;
}

/* ---- which sectors count ---- */

static YT_NEVER_INLINE void read_heads(yt_store *store) {
    yt_sector_head head;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (yt_head_read(store, i, &head)) {
            store->sectors[i].number = head.number;
            store->sectors[i].erases = head.erases;
            if (head.number >= store->next_number)
                store->next_number = head.number + 1;
        }
}

/* A sector counts if its first record does. One whose first record is in doubt says nothing that
 * the sector before does not say itself. */
static bool counts(const yt_store *store, unsigned sector) {
    yt_found_record found;
    return yt_record_read(store, store->sectors[sector].number, yt_sector_offset(store, sector + 1),
                          first_record(store, sector), &found) &&
           found.record.kind == YT_RECORD_BEGIN && yt_has_tail(store, &found);
}

/* What a walk through the records of a sector finds. */
typedef struct tally {
    yt_found_record last;
    uint32_t retired; /* the highest number of which it says that those below are past */
    unsigned records;
    bool are_copies; /* all of them but the first */
} tally;

static tally walk(const yt_store *store, unsigned sector, unsigned most) {
    tally tally = {.are_copies = true};
    uint32_t number = store->sectors[sector].number, at = first_record(store, sector);
    yt_found_record found;
    while (tally.records < most &&
           yt_record_read(store, number, yt_sector_offset(store, sector + 1), at, &found)) {
        const yt_record *record = &found.record;
        if (record->kind == YT_RECORD_RETIRE && record->value > tally.retired &&
            record->value <= number)
            tally.retired = record->value;
        tally.are_copies &= tally.records == 0 || (record->kind & YT_RECORD_COPY);
        tally.last = found;
        tally.records++;
        at += found.size;
    }
    return tally;
}

/* The sector with the highest number below one; YT_NO_SECTOR: there is none. */
static unsigned highest_below(const yt_store *store, uint32_t number) {
    unsigned highest = YT_NO_SECTOR;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].number > 0 && store->sectors[i].number < number &&
            (highest == YT_NO_SECTOR || store->sectors[i].number > store->sectors[highest].number))
            highest = i;
    return highest;
}

static YT_NEVER_INLINE bool find_newest(yt_store *store) {
    unsigned sector = highest_below(store, UINT32_MAX);
    while (sector != YT_NO_SECTOR && !counts(store, sector))
        sector = highest_below(store, store->sectors[sector].number);
    store->newest = (uint16_t)sector;
    return sector != YT_NO_SECTOR;
}

/* How many records of the newest sector count; whether that could be taken otherwise the next time.
 * It makes no difference whether a copy counts, as what it is of is there, too. */
static YT_NEVER_INLINE bool read_newest(yt_store *store) {
    tally all = walk(store, store->newest, UINT16_MAX);
    yt_entry any;
    bool has_tail = yt_has_tail(store, &all.last), has_rotted;
    store->newest_records = (uint16_t)(all.records - !has_tail);
    if (all.last.record.kind & YT_RECORD_COPY)
        return false;
    if (has_tail)
        return !yt_has_mark(store, &all.last);
    return yt_payload_read(store, &all.last, &any, sizeof any, &has_rotted) && !has_rotted;
}

/* The sector of a number, if it counts. */
static unsigned sector_of(const yt_store *store, uint32_t number) {
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].number == number && counts(store, i))
            return i;
    return YT_NO_SECTOR;
}

/* Each sector names the one before. One that is missing was lost whole. */
static YT_NEVER_INLINE void follow_chain(yt_store *store) {
    yt_sector_head head;
    unsigned sector = store->newest;
    while (yt_head_read(store, sector, &head)) {
        store->sectors[sector].state = YT_SECTOR_JOURNAL;
        if (head.oldest > store->oldest)
            store->oldest = head.oldest;
        if (head.previous < store->oldest)
            return;
        sector = sector_of(store, head.previous);
        if (sector == YT_NO_SECTOR)
            break;
    }
    store->counts.damaged++;
}

/* ---- what the records say ---- */

static YT_NEVER_INLINE void take_begin(yt_store *store, const yt_found_record *found) {
    yt_begin begin;
    bool has_rotted;
    unsigned each = (store->sector_count + YT_WEAR_COUNTS - 1) / YT_WEAR_COUNTS;
    if (found->record.bytes != yt_begin_bytes(store) ||
        !yt_payload_read(store, found, &begin, sizeof begin, &has_rotted))
        return;
    store->generation = begin.generation;
    for (unsigned i = 0; i < store->sector_count; i++) {
        uint32_t erases = begin.lowest + begin.more[i / each];
        if (store->sectors[i].erases < erases)
            store->sectors[i].erases = erases;
    }
}

/* Applies the records of a sector that count. Where one has rotted so that it cannot be told what
 * it was, the next one is looked for. */
static void read_records(yt_store *store, unsigned sector, unsigned records) {
    uint32_t number = store->sectors[sector].number;
    uint32_t end = yt_sector_offset(store, sector + 1), at = first_record(store, sector);
    bool is_gap = false;
    for (unsigned i = 0; i < records && at < end;) {
        yt_found_record found;
        if (!yt_record_read(store, number, end, at, &found)) {
            at += yt_flash_unit(store);
            is_gap = true;
            continue;
        }
        if (is_gap) {
            store->counts.damaged++;
            is_gap = false;
            if (++i == records)
                return;
        }
        if (found.record.kind == YT_RECORD_BEGIN)
            take_begin(store, &found);
        yt_record_apply(store, &found);
        store->generation++;
        at += found.size;
        i++;
    }
}

static YT_NEVER_INLINE void read_journal(yt_store *store) {
    unsigned sector = yt_sector_after(store, 0);
    while (sector != YT_NO_SECTOR) {
        uint32_t number = store->sectors[sector].number;
        unsigned after = yt_sector_after(store, number);
        unsigned records = store->newest_records;
        yt_sector_head head;
        if (after != YT_NO_SECTOR)
            records = yt_head_read(store, after, &head) ? head.records : 0;
        read_records(store, sector, records);
        sector = after;
    }
}

static void read_space(yt_store *store) {
    yt_found_record found;
    yt_space space;
    bool has_rotted;
    store->space = store->space_end = 0;
    if (yt_entry_find(store, YT_KEY_SPACE, &found) == YT_OK && found.record.bytes == sizeof space &&
        yt_payload_read(store, &found, &space, sizeof space, &has_rotted) &&
        space.from % YT_PIECE == 0 && space.from < space.end &&
        space.end <= yt_sector_offset(store, store->sector_count)) {
        store->space = space.from;
        store->space_end = space.end;
    }
}

/* Looks at what each key holds. */
static YT_NEVER_INLINE void read_entries(yt_store *store) {
    for (unsigned key = 0; key <= YT_KEY_SETTINGS; key++) {
        yt_content content;
        yt_status status = yt_content_read(store, key, &content);
        if (status == YT_OK)
            yt_count_content(store, &content, true);
        if (status == YT_SLOT_DAMAGED) {
            store->records[key] |= YT_IS_LOST;
            store->counts.damaged++;
        }
    }
    read_space(store);
}

/* ---- a flash that is new ---- */

static YT_NEVER_INLINE bool is_newer(const yt_store *store) {
    yt_sector_head head;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (yt_flash_read(store, yt_sector_offset(store, i), &head, sizeof head) &&
            head.magic[0] == YT_SECTOR_MAGIC_0 && head.magic[1] == YT_SECTOR_MAGIC_1 &&
            head.version > YT_SECTOR_VERSION && head.checksum == yt_head_checksum(store, &head))
            return true;
    return false;
}

/* Blank, but for units that cannot be read: the erase of a blank sector may be torn like that. */
static bool holds_nothing(const yt_store *store, uint32_t from, uint32_t end) {
    uint32_t unit = yt_flash_unit(store);
    uint8_t bytes[YT_PIECE];
    for (; from < end; from += unit)
        if (yt_flash_read(store, from, bytes, unit) && !yt_flash_is_blank(store, from, unit))
            return false;
    return true;
}

/* The first head of all, as far as the power let it be written. */
static YT_NEVER_INLINE bool is_first_head(const yt_store *store, unsigned sector) {
    yt_sector_head first = {.magic = {YT_SECTOR_MAGIC_0, YT_SECTOR_MAGIC_1},
                            .number = 1,
                            .oldest = 1,
                            .erases = 1,
                            .version = YT_SECTOR_VERSION,
                            .unit_bytes = (uint8_t)yt_flash_unit(store)};
    uint32_t at = yt_sector_offset(store, sector), unit = yt_flash_unit(store);
    uint8_t bytes[YT_PIECE], erased = store->port->flash.erased_value;
    uint32_t record = yt_record_bytes(store, yt_begin_bytes(store));
    first.checksum = yt_head_checksum(store, &first);
    bool is_whole = true;
    for (uint32_t i = 0; i < sizeof first; i += unit) {
        bool is_read = yt_flash_read(store, at + i, bytes, unit), is_begun = false;
        for (uint32_t k = 0; k < unit && is_read; k++) {
            uint8_t wanted = ((const uint8_t *)&first)[i + k];
            if ((bytes[k] ^ erased) & (uint8_t) ~(wanted ^ erased))
                return false;
            is_begun |= bytes[k] != erased;
        }
        if (is_begun && !is_whole)
            return false; /* what stands before it was finished */
        is_whole &= is_read && memcmp(bytes, (const uint8_t *)&first + i, unit) == 0;
    }
    uint32_t rest = at + YT_PIECE + (is_whole ? record : 0);
    return holds_nothing(store, rest, yt_sector_offset(store, sector + 1));
}

/* Every byte is erased, or the power went when it was made ready the first time. */
static bool is_unused(const yt_store *store) {
    bool is_begun = false;
    for (unsigned i = 0; i < store->sector_count; i++) {
        uint32_t at = yt_sector_offset(store, i);
        if (yt_flash_is_blank(store, at, yt_sector_bytes(store)))
            continue;
        if (is_begun || !is_first_head(store, i))
            return false;
        is_begun = true;
    }
    return true;
}

static YT_NEVER_INLINE bool can_be_read(const yt_store *store) {
    yt_sector_head head;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (!yt_flash_read(store, yt_sector_offset(store, i), &head, sizeof head))
            return false;
    return true;
}

static yt_status make_ready(yt_store *store) {
    bool is_erased = false;
    for (unsigned i = 0; i < store->sector_count; i++)
        is_erased |= yt_flash_erase(store, i);
    return is_erased ? yt_journal_go_on(store) : YT_FLASH;
}

yt_status yt_store_format(yt_store *store, const yt_port *port, unsigned slots,
                          yt_store_sector *sectors, size_t count) {
    yt_status status = begin(store, port, slots, sectors, count);
    if (status != YT_OK)
        return status;
    read_heads(store); /* numbers go on, in case that a sector can no more be erased */
    return make_ready(store);
}

/* What counts in the journal if so many records of a sector, the newest, do. */
static void read_as(yt_store *store, unsigned newest, unsigned records) {
    for (unsigned i = 0; i < store->sector_count; i++) {
        yt_store_sector *of = &store->sectors[i];
        of->live = 0;
        if (of->state == YT_SECTOR_JOURNAL)
            of->state = YT_SECTOR_FREE;
    }
    memset(store->records, 0, sizeof store->records);
    store->newest = (uint16_t)newest;
    store->newest_records = (uint16_t)records;
    store->oldest = walk(store, newest, records).retired;
    follow_chain(store);
    read_journal(store);
    read_entries(store);
}

/* ---- settling what is in doubt ---- */

/* Holds what is in use if so many records of a sector count. */
static void hold_as(yt_store *store, unsigned newest, unsigned records) {
    read_as(store, newest, records);
    for (unsigned i = 0; i < store->sector_count; i++)
        if (!yt_is_usable(store, i))
            store->sectors[i].state = YT_SECTOR_HELD;
}

/* The next time it may be taken otherwise, if the power goes before it is settled: nothing is
 * erased for that which is in use in any case that there is. */
static YT_NEVER_INLINE void hold_all(yt_store *store) {
    yt_sector_head head;
    for (unsigned sector = store->newest; sector != YT_NO_SECTOR;) {
        tally all = walk(store, sector, UINT16_MAX);
        hold_as(store, sector, all.records);
        if (yt_has_mark(store, &all.last))
            return; /* it, and all before it, is settled */
        if (all.records > 1) {
            hold_as(store, sector, all.records - 1);
            return;
        }
        if (!yt_head_read(store, sector, &head) || head.previous < head.oldest)
            return;
        sector = sector_of(store, head.previous);
    }
}

/* Whether it is all the same if the last record counts, as long as nothing is erased that is in use
 * in either case: it is of space, or retires sectors. */
static YT_NEVER_INLINE bool needs_no_settling(const yt_store *store) {
    tally all = walk(store, store->newest, UINT16_MAX);
    return all.records > 1 &&
           (all.last.record.kind == YT_RECORD_RETIRE || all.last.record.kind == YT_RECORD_SPACE);
}

static YT_NEVER_INLINE yt_status settle(yt_store *store, unsigned given_up) {
    unsigned newest = store->newest, records = store->newest_records;
    hold_all(store);
    read_as(store, newest, records);
    if (given_up != YT_NO_SECTOR) {
        store->sectors[given_up].state = YT_SECTOR_HELD;
        if (yt_free_sectors(store) == 0)
            store->sectors[given_up].state = YT_SECTOR_FREE;
    } else if (needs_no_settling(store)) {
        return YT_OK;
    }
    yt_status status = yt_journal_go_on(store);
    /* Nothing was answered yet, so that which was just written may be given up, as long as it is
     * the only sector that could be: one must be free before something is. */
    while (status == YT_OK && yt_is_tight(store))
        status = yt_collect(store);
    return status == YT_END ? YT_OK : status;
}

/* The power went while the journal was collected, and sectors are short: the newest one is left out
 * where it says nothing new: copies, and how many records of the one before count. */
static YT_NEVER_INLINE bool leave_out_newest(yt_store *store) {
    yt_sector_head head;
    if (!yt_is_short(store) || !walk(store, store->newest, store->newest_records).are_copies ||
        !yt_head_read(store, store->newest, &head) || head.previous < head.oldest)
        return false;
    unsigned before = sector_of(store, head.previous);
    if (before == YT_NO_SECTOR)
        return false;
    read_as(store, before, head.records);
    return true;
}

yt_status yt_store_open(yt_store *store, const yt_port *port, unsigned slots,
                        yt_store_sector *sectors, size_t count) {
    yt_status status = begin(store, port, slots, sectors, count);
    if (status != YT_OK)
        return status;
    read_heads(store);
    if (!find_newest(store)) {
        if (is_newer(store))
            return YT_STORE_NEWER;
        store->next_number = 1;
        if (is_unused(store))
            return make_ready(store);
        return can_be_read(store) ? YT_STORE_FOREIGN : YT_UNREADABLE;
    }
    bool is_in_doubt = read_newest(store);
    unsigned newest = store->newest;
    read_as(store, newest, store->newest_records);
    bool is_left_out = leave_out_newest(store);
    if (is_in_doubt)
        return settle(store, is_left_out ? newest : YT_NO_SECTOR);
    if (!is_left_out)
        return YT_OK;
    store->sectors[newest].state = YT_SECTOR_HELD;
    return yt_free_sectors(store) > 0 ? YT_OK : settle(store, newest);
}
