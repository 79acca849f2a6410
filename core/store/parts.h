/* What stands in the flash, and the calls that the files of the store make of each other. The byte
 * layout is described in docs/flash-format.md; why it holds, in docs/slots.md.
 *
 * The journal is a chain of sectors, each of which names the one before and how many of its records
 * count. Records are appended; each is followed by its tail, which is its head once more, and by a
 * mark. The tail is programmed when the record has been read back, the mark when the tail has been.
 * So a tail or a mark that is not blank proves that what stands before it was finished, whatever a
 * torn unit may read as.
 *
 * Content (programs, texts, calibrations, settings) stands anywhere else, in one piece, and is
 * nothing until a record names it. */
#ifndef YONDER_STORE_PARTS_H
#define YONDER_STORE_PARTS_H

#include "inlining.h"
#include "yonder/store.h"

#define YT_WEAR_STEP 8u  /* sectors that differ by fewer erases are as worn as each other */
#define YT_PIECE     32u /* bytes programmed at a time; every unit divides it */

/* ---- sectors of the journal ---- */

#define YT_SECTOR_MAGIC_0 0x726f6a59u
#define YT_SECTOR_MAGIC_1 0x0a1a0d9du
#define YT_SECTOR_VERSION 3u
#define YT_MAGIC_BITS     4u /* content that is as near to it is refused */

typedef struct yt_sector_head {
    uint32_t magic[2];
    uint32_t number;   /* rises by one from sector to sector */
    uint32_t previous; /* the number of the one before; 0: it is the first */
    uint32_t oldest;   /* those with lower numbers are past */
    uint32_t erases;   /* of this sector */
    uint16_t records;  /* that count of the one before */
    uint8_t version;
    uint8_t unit_bytes;
    uint32_t checksum; /* CRC-32 of all before, begun with the port's facts */
} yt_sector_head;

_Static_assert(sizeof(yt_sector_head) == YT_PIECE, "one piece");

/* What a sector is. */
typedef enum yt_sector_state {
    YT_SECTOR_FREE,    /* to be erased before it is used, whatever it reads as */
    YT_SECTOR_BLANK,   /* erased in this power cycle */
    YT_SECTOR_JOURNAL, /* a part of the journal that counts */
    YT_SECTOR_HELD,    /* free, or not, as the last change is taken: until that is settled */
    YT_SECTOR_BAD      /* it did not erase or program: left alone until the next power-on */
} yt_sector_state;

/* ---- records ---- */

/* Append only: they are stored. */
typedef enum yt_record_kind {
    YT_RECORD_BEGIN = 1, /* the first of each sector: it counts, and the one before as it says */
    YT_RECORD_ENTRY,     /* a yt_entry: what its key holds from now on */
    YT_RECORD_EMPTY,     /* its key holds nothing */
    YT_RECORD_LOST,      /* what its key held has rotted */
    YT_RECORD_SWAP,      /* its key and that which its value names change places */
    YT_RECORD_NUMBER,    /* its value is what its key holds from now on */
    YT_RECORD_SPACE,     /* a yt_space */
    YT_RECORD_RETIRE     /* sectors with lower numbers than its value are past */
} yt_record_kind;

/* A bit of the kind: it says again what an older record says that is not past. */
#define YT_RECORD_COPY 0x40u
#define YT_RECORD_KIND 0x3fu

typedef struct yt_record {
    uint8_t kind, key;
    uint16_t bytes;    /* of the payload behind it */
    uint32_t value;    /* the payload's CRC-32; where there is none, what the record says */
    uint32_t checksum; /* of the eight bytes before, begun with the sector's number, of the tail
                          with its opposite */
} yt_record;

/* Keys. Append only. */
#define YT_KEY_CALIBRATION YT_STORE_SLOTS
#define YT_KEY_SETTINGS    (YT_STORE_SLOTS + YT_STORE_CALIBRATIONS)
#define YT_KEY_ACTIVE      (YT_KEY_SETTINGS + 1u)
#define YT_KEY_SPACE       (YT_KEY_SETTINGS + 2u)

_Static_assert(YT_KEY_SPACE + 1 == YT_STORE_ENTRIES, "the last key");

/* Where content stands, and what it is. */
typedef struct yt_content {
    uint32_t offset;
    uint32_t bytes[YT_SLOT_PARTS];
    uint32_t checksum[YT_SLOT_PARTS];
    uint32_t generation;
    uint16_t sum[YT_SLOT_PARTS]; /* of its bytes: a second look before a bit is mended */
} yt_content;

/* What stands behind a YT_RECORD_ENTRY, as much of `tail` as is used. */
typedef struct yt_entry {
    yt_content content;
    uint8_t name_bytes, kept_bytes, reserved[2];
    uint8_t tail[YT_STORE_NAME + YT_STORE_KEPT];
} yt_entry;

#define YT_ENTRY_HEAD_BYTES (sizeof(yt_entry) - YT_STORE_NAME - YT_STORE_KEPT)

/* Behind YT_RECORD_BEGIN: the sector's head once more, and how often sectors were erased; where
 * there are more sectors than counts, one stands for several and tells of the most worn. */
#define YT_WEAR_COUNTS 64u

typedef struct yt_begin {
    yt_sector_head head;
    uint32_t generation;
    uint32_t lowest;
    uint8_t more[YT_WEAR_COUNTS];
} yt_begin;

#define YT_BEGIN_HEAD_BYTES (sizeof(yt_begin) - YT_WEAR_COUNTS)

/* Behind a YT_RECORD_SPACE: from and to where erased space for content is untouched. */
typedef struct yt_space {
    uint32_t from, end;
} yt_space;

/* The longest record, with its head. */
#define YT_RECORD_MOST (sizeof(yt_record) + sizeof(yt_entry))

_Static_assert(sizeof(yt_begin) <= sizeof(yt_entry), "the longest payload");

/* A bit of `records`: what the record says can no longer be told. */
#define YT_IS_LOST 0x80000000u

/* ---- flash.c: the port's calls, looked over ---- */

bool yt_flash_read(const yt_store *store, uint32_t offset, void *bytes, size_t size);
/* Programs up to YT_PIECE bytes, the last unit filled up, and reads them back. */
bool yt_flash_program(yt_store *store, uint32_t offset, const void *bytes, uint32_t size);
/* The same with further ones behind them. */
bool yt_flash_program_both(yt_store *store, uint32_t offset, const void *bytes, uint32_t size,
                           const void *more, uint32_t more_size);
/* Erases and looks whether it is blank. */
bool yt_flash_erase(yt_store *store, unsigned sector);
bool yt_flash_is_blank(const yt_store *store, uint32_t offset, uint32_t size);
uint32_t yt_flash_unit(const yt_store *store);
uint32_t yt_flash_whole(const yt_store *store, uint32_t bytes); /* rounded up to units */
uint32_t yt_sector_bytes(const yt_store *store);
uint32_t yt_sector_offset(const yt_store *store, unsigned sector);
unsigned yt_sector_of(const yt_store *store, uint32_t offset);

/* ---- mend.c ---- */

/* One step of a search for the bit that rotted; `syndrome` is what two checksums differ in. */
typedef struct yt_bit_finder {
    uint32_t syndrome, shifted;
    uint32_t passed, bits;
} yt_bit_finder;

void yt_bit_finder_begin(yt_bit_finder *search, uint32_t syndrome, uint32_t bytes);
/* 1: the bit `bits - 1 - passed` from the start is it; -1: it is no single bit; 0: not yet. */
int yt_bit_finder_go(yt_bit_finder *search, uint32_t steps);
/* Turns the one bit back that makes bytes not fit their checksum. False: there is none. */
bool yt_mend(void *bytes, uint32_t size, uint32_t checksum_now, uint32_t checksum);

/* ---- records.c ---- */

/* A record that was found: where it stands, and what it is. */
typedef struct yt_found_record {
    uint32_t at, size; /* with its tail and its mark */
    yt_record record;
} yt_found_record;

bool yt_head_read(const yt_store *store, unsigned sector, yt_sector_head *head);
uint32_t yt_head_checksum(const yt_store *store, const yt_sector_head *head);
/* In how many bits two words are not the magic of a sector's head. */
unsigned yt_magic_distance(uint32_t first, uint32_t second);
uint32_t yt_record_bytes(const yt_store *store, uint32_t payload);
uint32_t yt_record_checksum(const yt_record *record, uint32_t number, bool is_tail);
/* The record at an offset, by its head or by its tail; false: there is none. */
bool yt_record_read(const yt_store *store, uint32_t number, uint32_t end, uint32_t at,
                    yt_found_record *found);
/* Whether its tail, or its mark, was begun. */
bool yt_has_tail(const yt_store *store, const yt_found_record *found);
bool yt_has_mark(const yt_store *store, const yt_found_record *found);
/* Reads a payload, with one bit mended; false: it has rotted, or is longer. */
bool yt_payload_read(const yt_store *store, const yt_found_record *found, void *payload,
                     size_t capacity, bool *has_rotted);
/* What a key holds. YT_SLOT_EMPTY, YT_SLOT_DAMAGED. */
yt_status yt_entry_find(const yt_store *store, unsigned key, yt_found_record *found);
yt_status yt_entry_read(const yt_store *store, unsigned key, yt_entry *entry);
/* The same, of which less is kept. */
yt_status yt_content_read(const yt_store *store, unsigned key, yt_content *content);

/* ---- journal.c ---- */

#define YT_NO_SECTOR UINT16_MAX

/* Appends a record; it is firm then. YT_FLASH, YT_STORE_FULL. */
yt_status yt_append(yt_store *store, unsigned kind, unsigned key, const void *payload,
                    uint32_t bytes);
/* The same of one that has no payload. */
yt_status yt_append_value(yt_store *store, unsigned kind, unsigned key, uint32_t value);
/* What a record does to what is known. */
void yt_record_apply(yt_store *store, const yt_found_record *found);
/* There is no room because the flash failed since there were so many failures: then that is said.
 */
yt_status yt_full_or_failed(const yt_store *store, yt_status status, uint32_t failures);
/* Begins a new sector of the journal. */
yt_status yt_journal_go_on(yt_store *store);
/* Whether so many records more need no erase. */
bool yt_journal_has_room(const yt_store *store, unsigned records);
/* Copies a record of the oldest sector, or retires it. YT_END: there is none but the newest. */
yt_status yt_collect(yt_store *store);
unsigned yt_journal_sectors(const yt_store *store);
/* The sector of the journal with the next higher number; YT_NO_SECTOR: there is none. */
unsigned yt_sector_after(const yt_store *store, uint32_t number);
uint32_t yt_begin_bytes(const yt_store *store);
/* The sector that it goes on in; YT_NO_SECTOR: there is none. */
unsigned yt_journal_choice(const yt_store *store);

/* ---- room.c ---- */

bool yt_is_usable(const yt_store *store, unsigned sector); /* nothing that counts stands there */
unsigned yt_free_sectors(const yt_store *store);
/* Free sectors that stay free, whatever is written. */
unsigned yt_reserve(const yt_store *store);
void yt_count_content(yt_store *store, const yt_content *content, bool is_there);
/* Sees to it that the journal does not eat up the reserve, which yt_is_short tells, before a change
 * with so many bytes of content. */
yt_status yt_make_ready(yt_store *store, uint32_t bytes);
bool yt_is_short(const yt_store *store);
bool yt_is_tight(const yt_store *store); /* so short that it is mended before all else */
/* Whether so many sectors are free that a record that says something new may be begun, if the
 * journal goes on in another one for it or not. */
bool yt_leaves_enough(const yt_store *store, bool goes_on);
bool yt_is_safe(const yt_store *store); /* for all records of a change */
/* Whether the records of a change need no erase. */
bool yt_needs_no_erase(const yt_store *store);
/* One step towards room for content; YT_END: it is there. YT_OK: go on. YT_FULL: only an erase
 * helps, which is not allowed. YT_STORE_FULL, YT_FLASH. */
yt_status yt_room_step(yt_store *store, uint32_t bytes, unsigned units, bool may_erase);
yt_status yt_make_room(yt_store *store, uint32_t bytes);
/* The same for content that wears unevenly; YT_END: it does not. */
yt_status yt_level_step(yt_store *store, unsigned units, bool may_erase);
/* Whether so many bytes fit without an erase. */
bool yt_has_space(const yt_store *store, uint32_t bytes);

/* ---- staging.c ---- */

/* Clears away what must be, and takes space. */
yt_status yt_stage_begin(yt_store *store, unsigned key, const uint32_t *bytes);
/* The same with what is to stand there; elsewhere where the flash fails. */
yt_status yt_stage_whole(yt_store *store, unsigned key, const void *const *parts,
                         const uint32_t *bytes);

uint32_t yt_content_bytes(const yt_content *content);
/* Takes space, which is there. */
yt_status yt_stage(yt_store *store, unsigned key, const uint32_t *bytes);
yt_status yt_stage_bytes(yt_store *store, const uint8_t *bytes, uint32_t size);
/* Ends it: what was staged is in `entry`, and it becomes what the key holds. */
yt_status yt_stage_end(yt_store *store, yt_entry *entry);
/* Puts an entry in place of what the key holds. */
yt_status yt_put_entry(yt_store *store, unsigned key, const yt_entry *entry);
/* Begins to copy a key's content elsewhere; space is there. `rotten`: a bit that is turned. */
yt_status yt_move_begin(yt_store *store, unsigned key, const yt_content *content, uint32_t rotten);
yt_status yt_move_step(yt_store *store, unsigned units);
/* Looks through a part of a key's content. YT_SLOT_DAMAGED. */
yt_status yt_part_check(const yt_store *store, const yt_content *content, unsigned part);
uint32_t yt_part_offset(const yt_content *content, unsigned part);

/* ---- kept.c: content without a name ---- */

yt_status yt_forget_key(yt_store *store, unsigned key);
yt_status yt_kept_read(const yt_store *store, unsigned key, void *bytes, size_t capacity,
                       size_t *size);
yt_status yt_kept_write(yt_store *store, unsigned key, const void *bytes, size_t size);

/* ---- scrub.c ---- */

/* Looks for the one bit that rotted and copies what is there without it. YT_SLOT_DAMAGED: it is
 * more than one. */
yt_status yt_part_mend(yt_store *store, unsigned key, unsigned part);
/* Reads on, about so many bytes. */
yt_status yt_scrub_step(yt_store *store, uint32_t bytes, bool may_erase);

#endif
