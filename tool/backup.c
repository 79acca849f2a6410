#include "tool/backup.h"

#include <jansson.h>
#include <nettle/sha2.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/tool.h"
#include "yonder/calibration.h"
#include "yonder/settings.h"

#define FORMAT  "yonder backup"
#define VERSION 1

/* ---- digests ---- */

bool backup_digest_slot(const backup_slot *slot, uint8_t digest[DIGEST_BYTES]) {
    struct sha256_ctx sum;
    uint8_t head[10];
    const size_t sizes[] = {slot->program_bytes, slot->text_bytes};
    if (!slot->is_there)
        return false;
    for (unsigned i = 0; i < 8; i++)
        head[i] = (uint8_t)(sizes[i / 4] >> 8 * (i % 4));
    head[8] = (uint8_t)strlen(slot->name);
    head[9] = (uint8_t)slot->kept_bytes;
    sha256_init(&sum);
    sha256_update(&sum, sizeof head, head);
    sha256_update(&sum, head[8], (const uint8_t *)slot->name);
    sha256_update(&sum, slot->kept_bytes, slot->kept);
    sha256_update(&sum, slot->program_bytes, slot->program);
    sha256_update(&sum, slot->text_bytes, slot->text);
    sha256_digest(&sum, DIGEST_BYTES, digest);
    return true;
}

bool backup_digest_record(const backup_record *record, uint8_t digest[DIGEST_BYTES]) {
    struct sha256_ctx sum;
    if (!record->bytes)
        return false;
    sha256_init(&sum);
    sha256_update(&sum, record->size, record->bytes);
    sha256_digest(&sum, DIGEST_BYTES, digest);
    return true;
}

void backup_free(backup *backup) {
    for (unsigned i = 0; i < YT_STORE_SLOTS; i++) {
        free(backup->slot[i].program);
        free(backup->slot[i].text);
    }
    for (unsigned i = 0; i <= YT_STORE_SETTINGS; i++)
        free(backup->record[i].bytes);
    memset(backup, 0, sizeof *backup);
}

/* ---- from an adapter ---- */

static yt_status take_slot(backup_slot *to, holder *holder, unsigned slot) {
    yt_slot info;
    yt_status status = holder_slot(holder, slot, &info);
    if (status != YT_OK)
        return status;
    status = holder_read(holder, slot, YT_SLOT_PROGRAM, &to->program, &to->program_bytes);
    if (status == YT_OK)
        status = holder_read(holder, slot, YT_SLOT_TEXT, &to->text, &to->text_bytes);
    if (status == YT_OK)
        status = holder_kept(holder, slot, to->kept, &to->kept_bytes);
    memcpy(to->name, info.name, sizeof to->name);
    to->is_there = status == YT_OK;
    return status;
}

static yt_status take_record(backup_record *to, holder *holder, unsigned place) {
    static uint8_t bytes[sizeof(yt_calibration) + YT_SETTINGS_BYTES];
    size_t size;
    yt_status status = holder_record(holder, place, bytes, sizeof bytes, &size);
    if (status != YT_OK)
        return status;
    to->bytes = malloc(size + 1);
    if (!to->bytes)
        abort();
    memcpy(to->bytes, bytes, size);
    to->size = size;
    return YT_OK;
}

bool backup_take(backup *backup, holder *holder) {
    memset(backup, 0, sizeof *backup);
    backup->slots = holder->slots;
    backup->active = holder_active(holder);
    for (unsigned i = 0; i < holder->slots; i++) {
        char what[32];
        yt_status status = take_slot(&backup->slot[i], holder, i);
        snprintf(what, sizeof what, "slot %u", i + 1);
        if (status != YT_OK && status != YT_SLOT_EMPTY)
            return holder_fail(holder, what, status);
    }
    for (unsigned i = 0; i <= YT_STORE_SETTINGS; i++) {
        yt_status status = take_record(&backup->record[i], holder, i);
        if (status != YT_OK && status != YT_SLOT_EMPTY)
            return holder_fail(holder, i == YT_STORE_SETTINGS ? "settings" : "a calibration",
                               status);
    }
    return true;
}

/* ---- as a file ---- */

static void name_part(char *text, size_t size, const char *kind, unsigned number,
                      const char *part) {
    snprintf(text, size, "%s-%02u%s%s", kind, number, *part ? "." : "", part);
}

static void put_digest(json_t *to, const uint8_t digest[DIGEST_BYTES]) {
    char text[2 * DIGEST_BYTES + 1];
    for (unsigned i = 0; i < DIGEST_BYTES; i++)
        snprintf(text + 2 * i, 3, "%02x", digest[i]);
    json_object_set_new(to, "sha256", json_string(text));
}

static void write_slot(const backup_slot *slot, unsigned number, archive *archive, json_t *slots) {
    static const char *const parts[] = {"program", "text", "kept"};
    const void *const bytes[] = {slot->program, slot->text, slot->kept};
    const size_t sizes[] = {slot->program_bytes, slot->text_bytes, slot->kept_bytes};
    uint8_t digest[DIGEST_BYTES];
    char name[40];
    if (!backup_digest_slot(slot, digest))
        return;
    json_t *about = json_object();
    json_object_set_new(about, "slot", json_integer(number));
    json_object_set_new(about, "name", json_string(slot->name));
    put_digest(about, digest);
    json_array_append_new(slots, about);
    for (unsigned i = 0; i < 3; i++) {
        name_part(name, sizeof name, "slot", number, parts[i]);
        archive_add(archive, name, bytes[i], sizes[i]);
    }
}

bool backup_write(const backup *backup, const char *path, bool replaces) {
    archive archive = {NULL, 0};
    json_t *contents = json_object(), *slots = json_array();
    json_object_set_new(contents, "format", json_string(FORMAT));
    json_object_set_new(contents, "version", json_integer(VERSION));
    json_object_set_new(contents, "slots", json_integer(backup->slots));
    json_object_set_new(contents, "active", json_integer(backup->active + 1));
    json_object_set_new(contents, "contents", slots);
    for (unsigned i = 0; i < backup->slots; i++)
        write_slot(&backup->slot[i], i + 1, &archive, slots);
    for (unsigned i = 0; i <= YT_STORE_SETTINGS; i++) {
        char name[40] = "settings";
        if (i < YT_STORE_CALIBRATIONS)
            name_part(name, sizeof name, "calibration", i + 1, "");
        if (backup->record[i].bytes)
            archive_add(&archive, name, backup->record[i].bytes, backup->record[i].size);
    }
    char *text = json_dumps(contents, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
    if (!text)
        abort();
    archive_add(&archive, BACKUP_CONTENTS, text, strlen(text));
    bool good = archive_write(&archive, path, replaces);
    free(text);
    json_decref(contents);
    archive_free(&archive);
    return good;
}

static uint8_t *copy_of(const archive_file *file) {
    uint8_t *bytes = malloc(file->size + 1);
    if (!bytes)
        abort();
    memcpy(bytes, file->bytes, file->size + 1);
    return bytes;
}

/* A part of a slot must be there. */
static const archive_file *part_of(const archive *archive, unsigned number, const char *part) {
    char name[40];
    name_part(name, sizeof name, "slot", number, part);
    return archive_find(archive, name);
}

static const char *read_slot(backup *backup, const archive *archive, const json_t *about) {
    uint8_t digest[DIGEST_BYTES];
    char text[2 * DIGEST_BYTES + 1];
    json_int_t number = json_integer_value(json_object_get(about, "slot"));
    const char *name = json_string_value(json_object_get(about, "name"));
    const char *said = json_string_value(json_object_get(about, "sha256"));
    if (number < 1 || number > backup->slots || !name || !may_be_named(name) || !said ||
        backup->slot[number - 1].is_there)
        return "what it says of a slot makes no sense";
    backup_slot *slot = &backup->slot[number - 1];
    const archive_file *program = part_of(archive, (unsigned)number, "program"),
                       *words = part_of(archive, (unsigned)number, "text"),
                       *kept = part_of(archive, (unsigned)number, "kept");
    if (!program || !words || !kept || kept->size > YT_STORE_KEPT)
        return "a part of a slot is not in it";
    slot->is_there = true;
    snprintf(slot->name, sizeof slot->name, "%s", name);
    slot->program = copy_of(program);
    slot->program_bytes = program->size;
    slot->text = copy_of(words);
    slot->text_bytes = words->size;
    memcpy(slot->kept, kept->bytes, kept->size);
    slot->kept_bytes = kept->size;
    backup_digest_slot(slot, digest);
    for (unsigned i = 0; i < DIGEST_BYTES; i++)
        snprintf(text + 2 * i, 3, "%02x", digest[i]);
    return strcmp(text, said) == 0 ? NULL : "a slot in it is not what it was: its SHA-256 differs";
}

static const char *read_records(backup *backup, const archive *archive) {
    for (unsigned i = 0; i <= YT_STORE_SETTINGS; i++) {
        char name[40] = "settings";
        if (i < YT_STORE_CALIBRATIONS)
            name_part(name, sizeof name, "calibration", i + 1, "");
        const archive_file *file = archive_find(archive, name);
        if (!file)
            continue;
        uint8_t *bytes = copy_of(file); /* aligned, as the check wants it */
        backup->record[i] = (backup_record){bytes, file->size};
        yt_status status = i == YT_STORE_SETTINGS ? yt_settings_check(bytes, file->size)
                                                  : yt_calibration_check(bytes, file->size);
        if (status != YT_OK)
            return status_text(status);
    }
    return NULL;
}

static const char *read_contents(backup *backup, const archive *archive, const json_t *contents) {
    const char *format = json_string_value(json_object_get(contents, "format"));
    json_int_t version = json_integer_value(json_object_get(contents, "version"));
    json_int_t slots = json_integer_value(json_object_get(contents, "slots"));
    json_int_t active = json_integer_value(json_object_get(contents, "active"));
    const json_t *list = json_object_get(contents, "contents");
    if (!format || strcmp(format, FORMAT) != 0)
        return "this is no backup of an adapter";
    if (version != VERSION)
        return "it is of a newer version of yonder";
    if (slots < 1 || slots > YT_STORE_SLOTS || active < 1 || active > slots || !json_is_array(list))
        return "what it says of the adapter makes no sense";
    backup->slots = (unsigned)slots;
    backup->active = (unsigned)active - 1;
    size_t i;
    const json_t *about;
    json_array_foreach(list, i, about) {
        const char *why = read_slot(backup, archive, about);
        if (why)
            return why;
    }
    return read_records(backup, archive);
}

const char *backup_from(backup *backup, const archive *archive) {
    json_error_t error;
    const archive_file *file = archive_find(archive, BACKUP_CONTENTS);
    json_t *contents =
        file ? json_loadb((const char *)file->bytes, file->size, JSON_REJECT_DUPLICATES, &error)
             : NULL;
    memset(backup, 0, sizeof *backup);
    const char *why =
        contents ? read_contents(backup, archive, contents) : "this is no backup of an adapter";
    json_decref(contents);
    return why;
}

bool backup_read(backup *backup, const char *path) {
    archive archive;
    memset(backup, 0, sizeof *backup);
    if (!archive_read(&archive, path))
        return false;
    const char *why = backup_from(backup, &archive);
    archive_free(&archive);
    return !why || refuse(path, why);
}

/* ---- into an adapter ---- */

static bool is_same_slot(const backup_slot *a, const backup_slot *b) {
    return a->is_there == b->is_there && strcmp(a->name, b->name) == 0 &&
           a->program_bytes == b->program_bytes && a->text_bytes == b->text_bytes &&
           a->kept_bytes == b->kept_bytes && memcmp(a->kept, b->kept, a->kept_bytes) == 0 &&
           (!a->is_there || (memcmp(a->program, b->program, a->program_bytes) == 0 &&
                             memcmp(a->text, b->text, a->text_bytes) == 0));
}

static bool give_slot(const backup_slot *slot, holder *holder, unsigned number) {
    char what[32];
    const holder_content content = {.name = slot->name,
                                    .program = slot->program,
                                    .program_bytes = slot->program_bytes,
                                    .text = slot->text,
                                    .text_bytes = slot->text_bytes,
                                    .kept = slot->kept,
                                    .kept_bytes = slot->kept_bytes};
    snprintf(what, sizeof what, "slot %u", number + 1);
    yt_status status =
        slot->is_there ? holder_write(holder, number, &content) : holder_erase(holder, number);
    if (status != YT_OK)
        return holder_fail(holder, what, status);
    if (slot->is_there)
        printf("%s: \"%s\"\n", what, slot->name);
    else
        printf("%s: empty\n", what);
    fflush(stdout);
    return true;
}

#define USUAL_BYTES 4 /* of settings that are all as usual */

static bool is_usual(const backup_record *record) {
    return !record->bytes || record->size <= USUAL_BYTES;
}

static bool is_same_record(const backup_record *a, const backup_record *b) {
    return a->size == b->size && !a->bytes == !b->bytes &&
           (!a->bytes || memcmp(a->bytes, b->bytes, a->size) == 0);
}

/* A calibration has no place of its own: it is there if any place has it. */
static bool has_calibration(const backup *backup, const backup_record *record) {
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++)
        if (is_same_record(&backup->record[i], record))
            return true;
    return false;
}

static bool is_of_part(const backup_record *a, const backup_record *b) {
    return a->bytes && b->bytes &&
           yt_calibration_is_of(&((const yt_calibration *)a->bytes)->part,
                                &((const yt_calibration *)b->bytes)->part);
}

static bool has_part(const backup *backup, const backup_record *record) {
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++)
        if (is_of_part(&backup->record[i], record))
            return true;
    return false;
}

static bool give_calibrations(const backup *backup, const struct backup *now, holder *holder) {
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++) {
        const backup_record *had = &now->record[i];
        if (!had->bytes || has_part(backup, had))
            continue;
        yt_status status = holder_forget(holder, i);
        if (status != YT_OK)
            return holder_fail(holder, "a calibration", status);
        printf("calibration %u: forgotten\n", i + 1);
    }
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++) {
        const backup_record *record = &backup->record[i];
        if (!record->bytes || has_calibration(now, record))
            continue;
        yt_status status = holder_keep(holder, i, record->bytes, record->size);
        if (status != YT_OK)
            return holder_fail(holder, "a calibration", status);
        printf("calibration %u\n", i + 1);
    }
    return true;
}

static bool give_settings(const backup *backup, const struct backup *now, holder *holder) {
    const backup_record *record = &backup->record[YT_STORE_SETTINGS];
    const backup_record *had = &now->record[YT_STORE_SETTINGS];
    if (is_same_record(record, had) || (is_usual(record) && is_usual(had)))
        return true;
    yt_status status = record->bytes
                           ? holder_keep(holder, YT_STORE_SETTINGS, record->bytes, record->size)
                           : holder_forget(holder, YT_STORE_SETTINGS);
    if (status != YT_OK)
        return holder_fail(holder, "settings", status);
    printf("settings\n");
    return true;
}

/* One that cannot run here is told, and the rest goes on. */
static bool give_active(const backup *backup, const struct backup *now, holder *holder) {
    char what[40];
    if (backup->active == now->active || !backup->slot[backup->active].is_there)
        return true;
    yt_status status = holder_activate(holder, backup->active);
    snprintf(what, sizeof what, "slot %u cannot run", backup->active + 1);
    if (status != YT_OK)
        holder_fail(holder, what, status);
    return !holder->is_linked || !holder->linked.has_failed;
}

/* More slots than the adapter has would be lost. */
static bool fits(const backup *backup, const holder *holder) {
    for (unsigned i = holder->slots; i < backup->slots; i++)
        if (backup->slot[i].is_there) {
            fprintf(stderr, "%s: it has %u slots, and slot %u is to hold something\n", holder->path,
                    holder->slots, i + 1);
            return false;
        }
    return true;
}

bool backup_give(const backup *backup, holder *holder) {
    static struct backup now;
    if (!fits(backup, holder))
        return false;
    bool good = backup_take(&now, holder);
    for (unsigned i = 0; i < holder->slots && good; i++)
        if (!is_same_slot(&backup->slot[i], &now.slot[i]))
            good = give_slot(&backup->slot[i], holder, i);
    good = good && give_calibrations(backup, &now, holder) && give_active(backup, &now, holder) &&
           give_settings(backup, &now, holder); /* last: they may lock it */
    backup_free(&now);
    return good;
}
