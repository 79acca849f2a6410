/* Any bytes as an archive, and any files as a backup. The first byte says which: 0, a zip archive
 * as it stands; else files: for each a byte that says its name, two that say its size, and its
 * bytes. */
#include "fuzz/fuzz.h"
#include "tool/backup.h"
#include "yonder/calibration.h"
#include "yonder/settings.h"

static const char *const names[] = {
    "backup.json",     "slot-01.program", "slot-01.text", "slot-01.kept",
    "slot-02.program", "slot-02.text",    "slot-02.kept", "settings",
    "calibration-01",  "calibration-16",  "other"};
#define NAMES (sizeof names / sizeof names[0])

static void check_names(const archive *archive) {
    for (size_t i = 0; i < archive->count; i++) {
        INVARIANT(29, archive->files[i].bytes[archive->files[i].size] == 0);
        INVARIANT(29, archive_find(archive, archive->files[i].name) == &archive->files[i]);
    }
}

static void check_backup(const archive *archive) {
    static backup backup;
    uint8_t digest[DIGEST_BYTES];
    const char *why = backup_from(&backup, archive);
    for (unsigned i = 0; !why && i < YT_STORE_SLOTS; i++) {
        const backup_slot *slot = &backup.slot[i];
        INVARIANT(29, !slot->is_there || (i < backup.slots && slot->program && slot->text));
        INVARIANT(29, backup_digest_slot(slot, digest) == slot->is_there);
        INVARIANT(29, slot->kept_bytes <= YT_STORE_KEPT && strlen(slot->name) <= YT_STORE_NAME);
    }
    for (unsigned i = 0; !why && i <= YT_STORE_SETTINGS; i++) {
        const backup_record *record = &backup.record[i];
        if (record->bytes)
            INVARIANT(29, (i == YT_STORE_SETTINGS
                               ? yt_settings_check(record->bytes, record->size)
                               : yt_calibration_check(record->bytes, record->size)) == YT_OK);
    }
    backup_free(&backup);
}

static void take_files(archive *archive, const uint8_t *at, const uint8_t *end) {
    while (end - at >= 3) {
        const char *name = names[at[0] % NAMES];
        size_t size = (size_t)(at[1] | at[2] << 8), left = (size_t)(end - at) - 3;
        size = size < left ? size : left;
        if (!archive_find(archive, name))
            archive_add(archive, name, at + 3, size);
        at += 3 + size;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    archive archive = {NULL, 0};
    const char *why;
    if (size == 0)
        return 0;
    bool good = data[0] != 0;
    if (good)
        take_files(&archive, data + 1, data + size);
    else
        good = archive_parse(&archive, data + 1, size - 1, &why);
    INVARIANT(29, good || archive.count == 0);
    check_names(&archive);
    if (good)
        check_backup(&archive);
    archive_free(&archive);
    return 0;
}
