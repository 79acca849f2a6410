/* The journal: records are appended to its newest sector, and what still counts in its oldest one
 * is copied forward, so that the oldest can go. */
#include <string.h>

#include "image/layout.h"
#include "store/parts.h"

#define TRIES           4u
#define COLLECT_AT_ONCE 32u /* records that are looked at in a step */

/* ---- appending ---- */

/* How far a record got. */
typedef enum written { NOT_WRITTEN, FIRM, MARKED } written;

/* A record and what stands behind it, piece by piece. */
static bool program_body(yt_store *store, uint32_t at, const yt_record *record,
                         const uint8_t *payload) {
    uint32_t left = record->bytes, first = YT_PIECE - (uint32_t)sizeof *record;
    if (left < first)
        first = left;
    bool good = yt_flash_program_both(store, at, record, sizeof *record, payload, first);
    while (good && (left -= first) > 0) {
        at += YT_PIECE;
        payload += first;
        first = left < YT_PIECE ? left : YT_PIECE;
        good = yt_flash_program(store, at, payload, first);
    }
    return good;
}

static YT_NEVER_INLINE bool program_mark(yt_store *store, uint32_t at) {
    uint8_t mark[YT_PIECE];
    memset(mark, (uint8_t)~store->port->flash.erased_value, sizeof mark);
    return yt_flash_program(store, at, mark, yt_flash_unit(store));
}

static YT_NEVER_INLINE written program_record(yt_store *store, uint32_t number,
                                              yt_found_record *found, const void *payload) {
    yt_record *record = &found->record;
    uint32_t body = yt_flash_whole(store, (uint32_t)sizeof *record + record->bytes);
    if (record->bytes > 0)
        record->value = yt_checksum(0, payload, record->bytes);
    record->checksum = yt_record_checksum(record, number, false);
    if (!program_body(store, found->at, record, (const uint8_t *)payload))
        return NOT_WRITTEN;
    record->checksum = yt_record_checksum(record, number, true);
    if (!yt_flash_program(store, found->at + body, record, sizeof *record))
        return NOT_WRITTEN;
    return program_mark(store, found->at + found->size - yt_flash_unit(store)) ? MARKED : FIRM;
}

static uint32_t room_left(const yt_store *store) {
    return store->is_open ? yt_sector_offset(store, store->newest + 1u) - store->at : 0;
}

bool yt_journal_has_room(const yt_store *store, unsigned records) {
    return room_left(store) >= records * yt_record_bytes(store, sizeof(yt_entry));
}

/* What retires a sector gives one back. */
static YT_NEVER_INLINE bool may_append(const yt_store *store, const yt_record *record) {
    return record->kind == YT_RECORD_RETIRE ||
           yt_leaves_enough(store, room_left(store) < yt_record_bytes(store, record->bytes));
}

/* In the sector that is open. YT_FULL: it has no room, or failed; another one is to be begun. */
static YT_NEVER_INLINE yt_status append_here(yt_store *store, const yt_record *record,
                                             const void *payload) {
    yt_found_record found = {
        .at = store->at, .size = yt_record_bytes(store, record->bytes), .record = *record};
    if (room_left(store) < found.size)
        return YT_FULL;
    written how = program_record(store, store->sectors[store->newest].number, &found, payload);
    store->at += found.size;
    store->is_open = how == MARKED;
    if (how == NOT_WRITTEN)
        return YT_FULL;
    store->newest_records++;
    store->generation++;
    yt_record_apply(store, &found);
    return YT_OK;
}

static yt_status append(yt_store *store, const yt_record *record, const void *payload) {
    const uint32_t failures = store->counts.failures;
    for (unsigned i = 0; i <= TRIES; i++) {
        if (!may_append(store, record))
            return yt_full_or_failed(store, YT_STORE_FULL, failures);
        if (append_here(store, record, payload) == YT_OK)
            return YT_OK;
        yt_status status = i < TRIES ? yt_journal_go_on(store) : YT_FLASH;
        if (status != YT_OK)
            return yt_full_or_failed(store, status, failures);
    }
    return YT_FLASH;
}

yt_status yt_full_or_failed(const yt_store *store, yt_status status, uint32_t failures) {
    return status == YT_STORE_FULL && store->counts.failures != failures ? YT_FLASH : status;
}

yt_status yt_append(yt_store *store, unsigned kind, unsigned key, const void *payload,
                    uint32_t bytes) {
    const yt_record record = {(uint8_t)kind, (uint8_t)key, (uint16_t)bytes, 0, 0};
    return append(store, &record, payload);
}

yt_status yt_append_value(yt_store *store, unsigned kind, unsigned key, uint32_t value) {
    const yt_record record = {(uint8_t)kind, (uint8_t)key, 0, value, 0};
    return append(store, &record, NULL);
}

/* ---- what records do ---- */

static void retire(yt_store *store, uint32_t number) {
    if (number <= store->oldest || number > store->sectors[store->newest].number)
        return;
    store->oldest = number;
    store->collected = store->collected_records = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].state == YT_SECTOR_JOURNAL && store->sectors[i].number < number)
            store->sectors[i].state = YT_SECTOR_FREE;
}

static void swap(yt_store *store, unsigned one, uint32_t other) {
    if (one >= YT_STORE_SLOTS || other >= YT_STORE_SLOTS)
        return;
    uint32_t swapped = store->records[other];
    store->records[other] = store->records[one];
    store->records[one] = swapped;
}

void yt_record_apply(yt_store *store, const yt_found_record *found) {
    uint32_t *record = &store->records[found->record.key];
    switch ((yt_record_kind)(found->record.kind & YT_RECORD_KIND)) {
    case YT_RECORD_ENTRY:
    case YT_RECORD_NUMBER:
    case YT_RECORD_SPACE:
        *record = found->at;
        return;
    case YT_RECORD_EMPTY:
        *record = 0;
        return;
    case YT_RECORD_LOST:
        *record = found->at | YT_IS_LOST;
        return;
    case YT_RECORD_SWAP:
        swap(store, found->record.key, found->record.value);
        return;
    case YT_RECORD_RETIRE:
        retire(store, found->record.value);
        return;
    case YT_RECORD_BEGIN:
        return;
    }
}

/* ---- sectors ---- */

unsigned yt_sector_after(const yt_store *store, uint32_t number) {
    unsigned after = YT_NO_SECTOR;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].state == YT_SECTOR_JOURNAL && store->sectors[i].number > number &&
            (after == YT_NO_SECTOR || store->sectors[i].number < store->sectors[after].number))
            after = i;
    return after;
}

unsigned yt_journal_sectors(const yt_store *store) {
    unsigned count = 0;
    for (unsigned i = 0; i < store->sector_count; i++)
        count += store->sectors[i].state == YT_SECTOR_JOURNAL;
    return count;
}

uint32_t yt_begin_bytes(const yt_store *store) {
    uint32_t counts = store->sector_count < YT_WEAR_COUNTS ? store->sector_count : YT_WEAR_COUNTS;
    return (uint32_t)YT_BEGIN_HEAD_BYTES + counts;
}

static void tell_wear(const yt_store *store, yt_begin *begin) {
    unsigned each = (store->sector_count + YT_WEAR_COUNTS - 1) / YT_WEAR_COUNTS;
    begin->lowest = UINT32_MAX;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].erases < begin->lowest)
            begin->lowest = store->sectors[i].erases;
    memset(begin->more, 0, sizeof begin->more);
    for (unsigned i = 0; i < store->sector_count; i++) {
        uint32_t more = store->sectors[i].erases - begin->lowest;
        uint8_t *told = &begin->more[i / each];
        more = more < UINT8_MAX ? more : UINT8_MAX;
        *told = *told < more ? (uint8_t)more : *told;
    }
}

/* The better one of two sectors to write the journal to: one that is blank; one whose number is not
 * above all that count, as it could come back with what it held while another one is given that
 * number; the one less worn; the higher one. */
static bool is_better(const yt_store *store, unsigned one, unsigned other) {
    const yt_store_sector *a = &store->sectors[one], *b = &store->sectors[other];
    if (a->state != b->state)
        return a->state == YT_SECTOR_BLANK;
    uint32_t newest = store->newest == YT_NO_SECTOR ? 0 : store->sectors[store->newest].number;
    if ((a->number > newest || b->number > newest) && a->number != b->number)
        return a->number < b->number;
    if (a->erases / YT_WEAR_STEP != b->erases / YT_WEAR_STEP)
        return a->erases < b->erases;
    return one > other;
}

unsigned yt_journal_choice(const yt_store *store) {
    unsigned choice = YT_NO_SECTOR;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (yt_is_usable(store, i) && (i < store->avoid || i >= store->avoid_end) &&
            (choice == YT_NO_SECTOR || is_better(store, i, choice)))
            choice = i;
    return choice;
}

/* Which sector a new one comes behind, and how many of its records count. A newest sector that
 * holds no more than its first record is left out: it is free then. */
static void name_previous(const yt_store *store, yt_sector_head *head) {
    const yt_store_sector *newest = &store->sectors[store->newest];
    yt_sector_head before;
    head->oldest = store->oldest;
    head->previous = newest->number;
    head->records = store->newest_records;
    if (store->newest_records == 1 && newest->number > store->oldest &&
        yt_head_read(store, store->newest, &before) && before.previous >= store->oldest) {
        head->previous = before.previous;
        head->records = before.records;
    }
}

static void leave_out(yt_store *store, uint32_t previous) {
    yt_store_sector *newest = &store->sectors[store->newest];
    if (newest->number != previous && newest->state == YT_SECTOR_JOURNAL)
        newest->state = YT_SECTOR_FREE;
}

/* Its first record makes it count, and what it says of the sector before. */
static YT_NEVER_INLINE bool begin_sector(yt_store *store, unsigned sector) {
    yt_store_sector *of = &store->sectors[sector];
    yt_found_record found = {
        .at = yt_sector_offset(store, sector) + YT_PIECE,
        .size = yt_record_bytes(store, yt_begin_bytes(store)),
        .record = {.kind = YT_RECORD_BEGIN, .bytes = (uint16_t)yt_begin_bytes(store)}};
    bool is_first = store->newest == YT_NO_SECTOR;
    yt_begin begin;
    memset(&begin, 0, YT_BEGIN_HEAD_BYTES);
    begin.head.magic[0] = YT_SECTOR_MAGIC_0;
    begin.head.magic[1] = YT_SECTOR_MAGIC_1;
    begin.head.number = begin.head.oldest = store->next_number++;
    begin.head.erases = of->erases;
    begin.head.version = YT_SECTOR_VERSION;
    begin.head.unit_bytes = (uint8_t)yt_flash_unit(store);
    begin.generation = store->generation;
    if (!is_first)
        name_previous(store, &begin.head);
    begin.head.checksum = yt_head_checksum(store, &begin.head);
    tell_wear(store, &begin);
    of->number = begin.head.number;
    of->state = YT_SECTOR_BAD;
    if (!yt_flash_program(store, found.at - YT_PIECE, &begin.head, sizeof begin.head))
        return false;
    written how = program_record(store, of->number, &found, &begin);
    if (how == NOT_WRITTEN)
        return false;
    if (!is_first)
        leave_out(store, begin.head.previous);
    of->state = YT_SECTOR_JOURNAL;
    store->oldest = begin.head.oldest;
    store->newest = (uint16_t)sector;
    store->newest_records = 1;
    store->at = found.at + found.size;
    store->is_open = how == MARKED;
    return true;
}

/* What was in doubt is settled now. */
static void let_go_of_held(yt_store *store) {
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].state == YT_SECTOR_HELD)
            store->sectors[i].state = YT_SECTOR_FREE;
}

yt_status yt_journal_go_on(yt_store *store) {
    yt_status status = YT_STORE_FULL;
    for (unsigned i = 0; i < TRIES; i++) {
        unsigned sector = yt_journal_choice(store);
        if (sector == YT_NO_SECTOR)
            return status;
        status = YT_FLASH;
        if (store->sectors[sector].state != YT_SECTOR_BLANK && !yt_flash_erase(store, sector))
            continue;
        if (begin_sector(store, sector)) {
            let_go_of_held(store);
            return YT_OK;
        }
    }
    return status;
}

/* ---- collecting ---- */

/* The key that a record holds; YT_STORE_ENTRIES: none, it is past. */
static unsigned key_of(const yt_store *store, uint32_t at) {
    unsigned key = 0;
    while (key < YT_STORE_ENTRIES && (store->records[key] & ~YT_IS_LOST) != at)
        key++;
    return key;
}

/* Into the sector that is open; YT_FULL: as append_here. */
static YT_NEVER_INLINE yt_status copy_here(yt_store *store, const yt_found_record *found,
                                           unsigned key) {
    yt_entry payload;
    bool has_rotted;
    yt_record copy = {.kind = (uint8_t)(found->record.kind | YT_RECORD_COPY),
                      .key = (uint8_t)key,
                      .bytes = found->record.bytes,
                      .value = found->record.value};
    if ((store->records[key] & YT_IS_LOST) ||
        !yt_payload_read(store, found, &payload, sizeof payload, &has_rotted))
        copy = (yt_record){.kind = YT_RECORD_LOST | YT_RECORD_COPY, .key = (uint8_t)key};
    return append_here(store, &copy, &payload);
}

static yt_status copy_forward(yt_store *store, const yt_found_record *found, unsigned key) {
    const uint32_t failures = store->counts.failures;
    for (unsigned i = 0; i <= TRIES; i++) {
        if (copy_here(store, found, key) == YT_OK)
            return YT_OK;
        yt_status status = i < TRIES ? yt_journal_go_on(store) : YT_FLASH;
        if (status != YT_OK)
            return yt_full_or_failed(store, status, failures);
    }
    return YT_FLASH;
}

/* How many records count of a sector that another one names as the one before it. */
static YT_NEVER_INLINE unsigned records_of(const yt_store *store, uint32_t number, unsigned after) {
    yt_sector_head head;
    return yt_head_read(store, after, &head) && head.previous == number ? head.records : UINT16_MAX;
}

yt_status yt_collect(yt_store *store) {
    unsigned oldest = yt_sector_after(store, 0);
    if (oldest == YT_NO_SECTOR || oldest == store->newest)
        return YT_END;
    uint32_t number = store->sectors[oldest].number;
    unsigned after = yt_sector_after(store, number);
    if (after == YT_NO_SECTOR)
        return YT_END;
    uint32_t end = yt_sector_offset(store, oldest + 1), unit = yt_flash_unit(store);
    unsigned records = records_of(store, number, after);
    if (store->collected == 0)
        store->collected = yt_sector_offset(store, oldest) + YT_PIECE;
    for (unsigned i = 0; i < COLLECT_AT_ONCE; i++) {
        yt_found_record found;
        if (store->collected_records == records || store->collected >= end) {
            return yt_append_value(store, YT_RECORD_RETIRE, 0, store->sectors[after].number);
        }
        if (!yt_record_read(store, number, end, store->collected, &found)) {
            store->collected += unit; /* it has rotted: the next one is somewhere behind */
            continue;
        }
        unsigned key = key_of(store, found.at);
        if (key < YT_STORE_ENTRIES) {
            yt_status status = copy_forward(store, &found, key);
            if (status != YT_OK)
                return status;
        }
        store->collected += found.size;
        store->collected_records++;
        if (key < YT_STORE_ENTRIES)
            return YT_OK;
    }
    return YT_OK;
}
