/* Everything that an adapter keeps, in memory and in a file: to go back to, to compare with, and to
 * make a second adapter the same. */
#ifndef YONDER_TOOL_BACKUP_H
#define YONDER_TOOL_BACKUP_H

#include "tool/archive.h"
#include "tool/holder.h"

#define DIGEST_BYTES    32
#define BACKUP_CONTENTS "backup.json" /* in the archive: what is in it */

typedef struct backup_slot {
    bool is_there;
    char name[YT_STORE_NAME + 1];
    uint8_t *program, *text;
    size_t program_bytes, text_bytes;
    uint8_t kept[YT_STORE_KEPT];
    size_t kept_bytes;
} backup_slot;

typedef struct backup_record {
    uint8_t *bytes; /* NULL: there is none */
    size_t size;
} backup_record;

typedef struct backup {
    unsigned slots, active; /* how many; the slot to start with, from 0 */
    backup_slot slot[YT_STORE_SLOTS];
    backup_record record[YT_STORE_CALIBRATIONS + 1]; /* the last one: the settings */
} backup;

/* Reads all of an adapter. False: said. To be freed in any case. */
bool backup_take(backup *backup, holder *holder);

bool backup_write(const backup *backup, const char *path, bool replaces);
bool backup_read(backup *backup, const char *path);
void backup_free(backup *backup);

/* The same of an archive in memory; NULL: it is read, else why not. To be freed in any case. */
const char *backup_from(backup *backup, const archive *archive);

/* Makes an adapter hold just that, and says what it did. What is the same is left. False: said, and
 * what is new so far too. */
bool backup_give(const backup *backup, holder *holder);

/* What `digest` tells of a slot, or of a record; false: there is none. */
bool backup_digest_slot(const backup_slot *slot, uint8_t digest[DIGEST_BYTES]);
bool backup_digest_record(const backup_record *record, uint8_t digest[DIGEST_BYTES]);

#endif
