/* The store: slots, calibrations and settings in flash.
 *
 * A slot holds a program and, where wanted, the profile's own text, a name and a few bytes that the
 * program keeps. Each change is old or new as a whole, whenever the power goes; what was answered
 * once stays. What can no longer be read says so, and never gives what was there before.
 * docs/slots.md says what is guaranteed and what a flash must do for it; docs/flash-format.md has
 * every byte.
 *
 *     static yt_store_sector sectors[64];
 *     static yt_store store;
 *     static yt_pin pin;
 *     if (yt_store_open(&store, &port, 8, sectors, 64) == YT_OK &&
 *         yt_store_find(&store, yt_store_active(&store), &pin, &program, &size) == YT_OK)
 *         status = yt_engine_load(&engine, program, size);
 *
 * Calls that change something block until it is done, with all that must be cleared away for it.
 * A firmware that may not wait calls yt_store_work in its loop, and changes things when
 * yt_store_ready says that they are only programmed then. All calls come from one place. */
#ifndef YONDER_STORE_H
#define YONDER_STORE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/port.h"
#include "yonder/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_STORE_SLOTS        64u
#define YT_STORE_CALIBRATIONS 16u
#define YT_STORE_NAME         32u /* bytes of a slot's name, UTF-8, at most */
#define YT_STORE_KEPT         64u /* bytes that a slot's program may keep beside it */
#define YT_STORE_ALIGNMENT    32u /* content begins at a multiple of it, from the flash's start */
#define YT_STORE_ENTRIES      (YT_STORE_SLOTS + YT_STORE_CALIBRATIONS + 3u)
#define YT_STORE_SECTORS      4096u /* of a flash, at most, */
#define YT_STORE_FLASH_BYTES  (1u << 30)

/* What is known of a sector. The caller's memory, one for each. */
typedef struct yt_store_sector {
    uint32_t erases;
    uint32_t number; /* of a part of the journal, one that counts or not; else 0 */
    uint16_t live;   /* pieces of it that hold content which counts, of 32 bytes */
    uint8_t state;
} yt_store_sector;

/* Content that must stay where it is: what runs in place. The caller's memory, and its own as long
 * as it is in use. */
typedef struct yt_pin {
    struct yt_pin *next;
    uint32_t offset, bytes;
} yt_pin;

/* What a part of a slot is. */
typedef enum yt_slot_part { YT_SLOT_PROGRAM, YT_SLOT_TEXT, YT_SLOT_PARTS } yt_slot_part;

/* What a slot says of itself. */
typedef struct yt_slot {
    uint32_t bytes[YT_SLOT_PARTS];
    uint32_t checksum[YT_SLOT_PARTS]; /* CRC-32 (IEEE 802.3) */
    uint32_t generation;              /* another one after each change of the slot */
    uint8_t kept_bytes;
    uint8_t name_bytes;
    char name[YT_STORE_NAME + 1];
    uint8_t kept[YT_STORE_KEPT];
} yt_slot;

/* Content on its way into the flash. */
typedef struct yt_staging {
    uint32_t offset;
    uint32_t bytes[YT_SLOT_PARTS];
    uint32_t checksum[YT_SLOT_PARTS];
    uint16_t sum[YT_SLOT_PARTS];
    uint32_t done;
    uint32_t word;   /* the last four bytes, to see what could be taken for the store's own */
    uint32_t source; /* where it is copied from */
    uint32_t rotten; /* a bit of it that is turned on the way; UINT32_MAX: none */
    uint8_t key;
    bool is_on, is_move;
    uint8_t piece[YT_STORE_ALIGNMENT];
} yt_staging;

/* Reading round and round, for what rots. */
typedef struct yt_scrubbing {
    uint32_t record; /* of the entry that is read: another one since, and it begins anew */
    uint32_t done, checksum;
    uint32_t shifted, passed; /* while a bit is looked for */
    uint16_t sum;
    uint8_t key, part;
    bool searches;
} yt_scrubbing;

/* What happened to the flash since the store was opened, for whoever asks. */
typedef struct yt_store_counts {
    uint32_t erases, units;
    uint32_t failures; /* programs and erases that failed or did not read back */
    uint32_t mended;   /* bits that had rotted */
    uint32_t damaged;  /* contents and records with more than one */
    uint32_t moved;    /* contents that went elsewhere, to make room or to spread wear */
} yt_store_counts;

/* The caller's memory. Keeps no content. */
typedef struct yt_store {
    const yt_port *port;
    yt_store_sector *sectors;
    yt_pin *pins;
    uint32_t records[YT_STORE_ENTRIES]; /* where the record of each stands; 0: there is none */
    uint32_t next_number, oldest;       /* of the journal's parts */
    uint32_t at;                        /* where its next record goes */
    uint32_t collected;                 /* so far its oldest part was looked through */
    uint32_t space, space_end;          /* erased, for content */
    uint32_t generation;
    uint32_t keep_ready, full_at;
    uint32_t avoid_cost;       /* of what is cleared, or could not be */
    uint16_t avoid, avoid_end; /* sectors that are being cleared: nothing new goes there */
    uint16_t tried;            /* up to here they could not be, at this cost; 0: none were tried */
    uint8_t avoid_key;         /* content up to this key does not stand there */
    uint16_t newest, newest_records;
    uint16_t collected_records;
    uint16_t sector_count, need; /* sectors that the journal takes when it is full */
    uint16_t slots;
    bool is_open;     /* the newest part was erased in this power cycle, and nothing failed there */
    bool is_attended; /* yt_store_work is called */
    yt_staging staging;
    yt_scrubbing scrubbing;
    yt_store_counts counts;
} yt_store;

/* ---- opening ---- */

/* Finds what the flash holds. `slots` is 1 to 64; what stands in slots above is kept. Nothing is
 * written but for two things: after a power cut in the middle of a change that is settled, in a
 * sector or, where few are free, some; and a flash that was never used, whose every byte is erased,
 * is made ready, which takes an erase of each sector. Statuses that leave it unusable: YT_PORT: the
 * facts make no sense, or there are too few sectors. YT_MEMORY: fewer sectors than the flash has.
 * YT_STORE_FOREIGN: it holds something else, or that of a port with other facts. YT_STORE_NEWER:
 * that of a newer version. YT_UNREADABLE: nothing is found, and some of it cannot be read. Nothing
 * was written then; yt_store_format erases it. YT_FLASH: it failed. */
YT_MUST_USE yt_status yt_store_open(yt_store *store, const yt_port *port, unsigned slots,
                                    yt_store_sector *sectors, size_t count);

/* Erases every sector and begins anew: all is lost. Blocks for an erase of each. As yt_store_open
 * else; where the power goes meanwhile, the flash is foreign until it is called again. */
YT_MUST_USE yt_status yt_store_format(yt_store *store, const yt_port *port, unsigned slots,
                                      yt_store_sector *sectors, size_t count);

/* ---- reading ---- */

/* What a slot holds. YT_SLOT: there is no such slot. YT_SLOT_EMPTY. YT_SLOT_DAMAGED: what it says
 * of itself has rotted. */
YT_MUST_USE yt_status yt_store_slot(const yt_store *store, unsigned slot, yt_slot *info);

/* Copies bytes of a part out, whose checksum the caller compares where it matters. YT_ARGUMENT:
 * there are not as many. YT_UNREADABLE; the others as yt_store_slot. */
YT_MUST_USE yt_status yt_store_read(const yt_store *store, unsigned slot, yt_slot_part part,
                                    uint32_t offset, void *bytes, size_t size);

/* Whether a slot's parts are as they were written; reads all of them. YT_SLOT_DAMAGED: they are
 * not, yt_store_work mends one bit of each. */
YT_MUST_USE yt_status yt_store_verify(const yt_store *store, unsigned slot);

/* Where a slot's program stands in memory, to run it in place. It is looked through before, and
 * where one bit has rotted, it is mended; then it is pinned: it is not moved nor erased, whatever
 * happens to the slot, until yt_store_unpin or until the pin is given again. YT_PORT: the flash is
 * not mapped. YT_SLOT_EMPTY: it has no program. YT_SLOT_DAMAGED. */
YT_MUST_USE yt_status yt_store_find(yt_store *store, unsigned slot, yt_pin *pin,
                                    const void **program, size_t *size);
void yt_store_unpin(yt_store *store, yt_pin *pin);

/* The slot to start with, or 0. */
unsigned yt_store_active(const yt_store *store);

/* ---- changing ----
 * All of these: YT_FLASH: the flash failed; all is as it was. YT_STORE_FULL: there is no room; all
 * is as it was. */

/* Writes a slot in place of what was there. `name` NULL keeps the name that there is. */
YT_MUST_USE yt_status yt_store_write(yt_store *store, unsigned slot, const char *name,
                                     const void *program, size_t program_bytes, const void *text,
                                     size_t text_bytes);

/* The same in pieces, program before text; nothing changes before yt_store_commit. Another
 * yt_store_begin gives up what was begun. YT_STORE_CONTENT, of a piece: it holds bytes that could
 * be taken for the store's own, which no program and no text does. YT_ARGUMENT: more or, of
 * yt_store_commit, fewer bytes than were announced, or nothing was begun. */
YT_MUST_USE yt_status yt_store_begin(yt_store *store, unsigned slot, size_t program_bytes,
                                     size_t text_bytes);
YT_MUST_USE yt_status yt_store_piece(yt_store *store, const void *bytes, size_t size);
YT_MUST_USE yt_status yt_store_commit(yt_store *store, const char *name);

/* The same with bytes that are kept beside the program from then on (yt_store_keep). */
YT_MUST_USE yt_status yt_store_commit_kept(yt_store *store, const char *name, const void *kept,
                                           size_t size);

/* How many bytes of a slot came since yt_store_begin; UINT32_MAX: nothing is begun there, or it was
 * given up for something else. */
uint32_t yt_store_staged(const yt_store *store, unsigned slot);

/* The program that came, to look at before it is committed; NULL: not all of it came, or the flash
 * is not mapped. */
const void *yt_store_staged_program(const yt_store *store);

/* What was begun is not to be: all is as it was. */
void yt_store_give_up(yt_store *store);

/* Makes a slot hold what another one does, name and all. YT_SLOT_EMPTY, YT_SLOT_DAMAGED: the other
 * one is, and nothing was done. YT_UNREADABLE: it cannot be read, and nothing was done. */
YT_MUST_USE yt_status yt_store_copy(yt_store *store, unsigned from, unsigned to);

/* The same in steps: begun, then gone on with, about so many bytes at a time, until YT_END says
 * that it is done; nothing changes before. YT_ARGUMENT: it was given up for something else. After
 * any other status it is given up. */
YT_MUST_USE yt_status yt_store_copy_begin(yt_store *store, unsigned from, unsigned to);
YT_MUST_USE yt_status yt_store_copy_go_on(yt_store *store, unsigned from, uint32_t bytes);

/* Gives a slot another name. YT_ARGUMENT: it is longer than 32 bytes. YT_SLOT_EMPTY. */
YT_MUST_USE yt_status yt_store_rename(yt_store *store, unsigned slot, const char *name);

/* Keeps bytes beside a slot's program, up to 64, in place of those that it kept. Another program in
 * the slot begins without any. YT_ARGUMENT: there are more. YT_SLOT_EMPTY. */
YT_MUST_USE yt_status yt_store_keep(yt_store *store, unsigned slot, const void *kept, size_t size);

/* Two slots change places; one of them or both may be empty. */
YT_MUST_USE yt_status yt_store_swap(yt_store *store, unsigned one, unsigned other);

/* Empties a slot. It may be empty, or damaged. */
YT_MUST_USE yt_status yt_store_erase(yt_store *store, unsigned slot);

/* Says which slot is to start with; it may be empty. */
YT_MUST_USE yt_status yt_store_activate(yt_store *store, unsigned slot);

/* ---- calibrations and settings ---- */

#define YT_STORE_SETTINGS YT_STORE_CALIBRATIONS /* the place of the settings, behind those */

/* What is kept in a place. */
typedef struct yt_kept {
    uint32_t bytes;
    uint32_t checksum;   /* CRC-32 (IEEE 802.3) */
    uint32_t generation; /* another one after each change of it */
} yt_kept;

/* What a place says of itself: 0 to 15 of calibrations, or YT_STORE_SETTINGS. As yt_store_slot. */
YT_MUST_USE yt_status yt_store_kept(const yt_store *store, unsigned place, yt_kept *kept);

/* Copies bytes of it out, as yt_store_read. */
YT_MUST_USE yt_status yt_store_kept_read(const yt_store *store, unsigned place, uint32_t offset,
                                         void *bytes, size_t size);

/* The place that yt_store_calibrate puts a record in, which was looked through;
 * YT_STORE_CALIBRATIONS: there is none. */
unsigned yt_store_place_for(const yt_store *store, const void *record);

/* Keeps a calibration in place of one of the same part. The statuses of yt_calibration_check: it is
 * none that this firmware knows. YT_STORE_FULL, too: 16 others are kept. */
YT_MUST_USE yt_status yt_store_calibrate(yt_store *store, const void *record, size_t size);

/* The calibration of a place, 0 to 15; YT_SLOT_EMPTY: none. `size` is told in any case. YT_ROOM:
 * `capacity` is too little. YT_SLOT_DAMAGED, YT_UNREADABLE. */
YT_MUST_USE yt_status yt_store_calibration(const yt_store *store, unsigned place, void *record,
                                           size_t capacity, size_t *size);

/* Forgets the calibration of a place. */
YT_MUST_USE yt_status yt_store_forget(yt_store *store, unsigned place);

/* All settings, as one record of bytes, which the store does not look into. As
 * yt_store_calibration. */
YT_MUST_USE yt_status yt_store_settings(const yt_store *store, void *bytes, size_t capacity,
                                        size_t *size);

/* Keeps other settings in place of all that there were. */
YT_MUST_USE yt_status yt_store_set(yt_store *store, const void *bytes, size_t size);

/* ---- beside the engine ---- */

/* How many bytes of content are to find room at any time without an erase; 0 at first. */
void yt_store_keep_ready(yt_store *store, uint32_t bytes);

/* Whether a change with so many bytes of content is only programmed: no erase, nothing moved. */
bool yt_store_ready(const yt_store *store, size_t bytes);

/* Does a part of what is to be done: clears away, erases ahead, moves what wears unevenly, reads
 * for what rots. Programs up to about `units` units, at least 8, or a record, and reads up to 2,500
 * bytes; where `may_erase`, and only then, it may erase one sector instead, which it reads. YT_END:
 * there is nothing to do but reading round; YT_OK: there is more. YT_FLASH. */
YT_MUST_USE yt_status yt_store_work(yt_store *store, unsigned units, bool may_erase);

#ifdef __cplusplus
}
#endif

#endif
