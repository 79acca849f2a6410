/* Backups of an adapter, and comparing it with one. */
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/adapter_talk.h"
#include "tool/json_text.h"
#include "tool/backup.h"
#include "tool/tool.h"
#include "yonder/settings.h"

static unsigned count_slots(const backup *backup) {
    unsigned count = 0;
    for (unsigned i = 0; i < backup->slots; i++)
        count += backup->slot[i].is_there;
    return count;
}

static unsigned count_calibrations(const backup *backup) {
    unsigned count = 0;
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++)
        count += backup->record[i].bytes != NULL;
    return count;
}

bool talk_backup(holder *holder, const talk_options *options) {
    static backup backup;
    bool good =
        backup_take(&backup, holder) && backup_write(&backup, options->words[1], options->force);
    if (good)
        printf("%s: %u slots, %u calibrations, and the settings\n", options->words[1],
               count_slots(&backup), count_calibrations(&backup));
    backup_free(&backup);
    return good;
}

bool talk_restore(holder *holder, const talk_options *options) {
    static backup backup;
    bool good = backup_read(&backup, options->words[1]) && backup_give(&backup, holder);
    if (good)
        printf("%s is as %s says\n", holder->path, options->words[1]);
    else
        fprintf(stderr, "%s: what is not named above is as it was; say it again to go on\n",
                holder->path);
    backup_free(&backup);
    return good;
}

/* ---- digests ---- */

/* What an adapter tells of a thing; false: it has none. */
static bool digest_of(holder *holder, const backup *now, unsigned slot, unsigned place,
                      uint8_t digest[DIGEST_BYTES], bool *failed) {
    if (!holder->is_linked)
        return slot < YT_STORE_SLOTS ? backup_digest_slot(&now->slot[slot], digest)
                                     : backup_digest_record(&now->record[place], digest);
    bool is_slot = slot < YT_STORE_SLOTS, is_settings = place == YT_STORE_SETTINGS;
    yonder_link_Kind kind = is_slot       ? yonder_link_Kind_KIND_NONE
                            : is_settings ? yonder_link_Kind_KIND_SETTINGS
                                          : yonder_link_Kind_KIND_CALIBRATION;
    yt_status status = linked_digest(&holder->linked, kind,
                                     is_slot       ? slot + 1
                                     : is_settings ? 0
                                                   : place + 1,
                                     digest);
    if (status != YT_OK && status != YT_SLOT_EMPTY)
        *failed = !holder_fail(holder, "digest", status);
    return status == YT_OK;
}

static void text_of(const uint8_t digest[DIGEST_BYTES], char text[2 * DIGEST_BYTES + 1]) {
    for (unsigned i = 0; i < DIGEST_BYTES; i++)
        snprintf(text + 2 * i, 3, "%02x", digest[i]);
}

/* Settings that were never set are the same as those that all are usual. */
static bool digest_of_usual(uint8_t digest[DIGEST_BYTES]) {
    uint8_t usual[4];
    backup_record record = {.bytes = usual};
    yt_settings_clear(usual, &record.size);
    return backup_digest_record(&record, digest);
}

/* The settings of a backup with an event's lock on, as they are while it lasts. */
static bool digest_in_event(const backup_record *record, uint8_t digest[DIGEST_BYTES]) {
    uint8_t bytes[YT_SETTINGS_BYTES];
    size_t size = record->bytes ? record->size : 0;
    if (size > sizeof bytes)
        return false;
    if (size)
        memcpy(bytes, record->bytes, size);
    else
        yt_settings_clear(bytes, &size);
    const backup_record in_event = {bytes, size};
    return yt_settings_set(bytes, &size, sizeof bytes, YT_SETTING_EVENT, 0, 1) == YT_OK &&
           backup_digest_record(&(const backup_record){in_event.bytes, size}, digest);
}

typedef struct comparing {
    holder *holder;
    const struct backup *now;  /* of a file */
    const struct backup *with; /* NULL: they are only told */
    json_t *list;              /* NULL: they are printed */
    bool failed, differs;
} comparing;

static void tell_one(comparing *comparing, const char *what, bool is_there, const char *text,
                     const char *verdict) {
    if (comparing->list) {
        json_t *one = json_object();
        json_object_set_new(one, "what", json_string(what));
        json_object_set_new(one, "sha256", is_there ? json_string(text) : json_null());
        if (comparing->with)
            json_object_set_new(one, "same", json_boolean(strncmp(verdict, "same", 4) == 0));
        json_array_append_new(comparing->list, one);
        return;
    }
    printf("%-15s %s%s%s\n", what, is_there ? text : "-", *verdict ? "  " : "", verdict);
}

static void compare(comparing *comparing, unsigned slot, unsigned place, const char *what) {
    uint8_t here[DIGEST_BYTES], there[DIGEST_BYTES], event[DIGEST_BYTES];
    char text[2 * DIGEST_BYTES + 1] = "";
    const char *verdict = "";
    bool is_settings = slot >= YT_STORE_SLOTS && place == YT_STORE_SETTINGS;
    bool is_here =
        digest_of(comparing->holder, comparing->now, slot, place, here, &comparing->failed);
    if (comparing->failed)
        return;
    if (is_here)
        text_of(here, text);
    if (comparing->with) {
        const backup_record *record = &comparing->with->record[place % (YT_STORE_SETTINGS + 1)];
        bool is_there = slot < YT_STORE_SLOTS
                            ? backup_digest_slot(&comparing->with->slot[slot], there)
                            : backup_digest_record(record, there);
        if (is_settings && !is_here)
            is_here = digest_of_usual(here);
        if (is_settings && !is_there)
            is_there = digest_of_usual(there);
        bool same = is_here == is_there && (!is_here || memcmp(here, there, sizeof here) == 0);
        bool in_event = !same && is_here && is_settings && digest_in_event(record, event) &&
                        memcmp(here, event, sizeof here) == 0;
        verdict = same ? "same" : in_event ? "same, but for the event's lock" : "DIFFERS";
        comparing->differs |= !same && !in_event;
        if (!is_here && !is_there)
            return;
    } else if (!is_here) {
        return;
    }
    tell_one(comparing, what, is_here, text, verdict);
}

static const char what_it_shows[] =
    "A digest shows that the adapter says it keeps just these bytes. It does not show that its "
    "firmware is the one you think, nor that the wiring is.";

bool talk_digest(holder *holder, const talk_options *options) {
    static backup with, now;
    comparing comparing = {.holder = holder, .now = &now};
    memset(&now, 0, sizeof now);
    if (options->word_count > 1 && !backup_read(&with, options->words[1])) {
        backup_free(&with);
        return false;
    }
    if (options->word_count > 1)
        comparing.with = &with;
    if (options->json)
        comparing.list = json_array();
    if (!holder->is_linked)
        comparing.failed = !backup_take(&now, holder);
    unsigned slots = comparing.with && with.slots > holder->slots ? with.slots : holder->slots;
    for (unsigned i = 0; i < slots && !comparing.failed; i++) {
        char what[32];
        snprintf(what, sizeof what, "slot %u", i + 1);
        compare(&comparing, i, 0, what);
    }
    for (unsigned i = 0; i <= YT_STORE_SETTINGS && !comparing.failed; i++) {
        char what[32] = "settings";
        if (i < YT_STORE_CALIBRATIONS)
            snprintf(what, sizeof what, "calibration %u", i + 1);
        compare(&comparing, YT_STORE_SLOTS, i, what);
    }
    if (comparing.list && !comparing.failed)
        json_print(json_incref(comparing.list));
    else if (!comparing.failed && comparing.with)
        printf("%s\n%s\n",
               comparing.differs ? "it is not what the file says" : "it is what the file says",
               what_it_shows);
    json_decref(comparing.list);
    backup_free(&with);
    backup_free(&now);
    return !comparing.failed && !comparing.differs;
}
