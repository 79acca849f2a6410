/* The demo of an adapter with slots, as a maker works: put profiles in, unplug, plug in with a key
 * held, play, change the slot in the middle, calibrate, and cut the power again and again. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "tool/demos.h"
#include "tool/slots.h"

#define CUTS 10
#define SLOT 1 /* that is written while the power goes */

/* A second yard.yaml, which has another comment at its end. */
static bool write_other(const char *path, const char *from) {
    size_t size;
    whole_file file;
    char *text = read_text(from, &size);
    if (!text || !whole_file_open(&file, path, CONTENT_TEXT)) {
        free(text);
        return false;
    }
    fwrite(text, 1, size, file.file);
    fputs("# The yard is wet today.\n", file.file);
    free(text);
    return whole_file_close(&file);
}

static bool is_same(const slot_content *a, const slot_content *b) {
    return a->program_bytes == b->program_bytes && a->text_bytes == b->text_bytes &&
           memcmp(a->bytes, b->bytes, a->program_bytes + a->text_bytes) == 0;
}

/* What must be there whatever happens to the slot that is written: the others, a calibration, and
 * the settings. */
static bool has_all_else(const flash_file *file) {
    static yt_calibration record;
    uint8_t settings[YT_SETTINGS_BYTES];
    size_t size;
    return yt_store_verify(&file->store, 0) == YT_OK && yt_store_verify(&file->store, 2) == YT_OK &&
           yt_store_calibration(&file->store, 0, &record, sizeof record, &size) == YT_OK &&
           yt_store_settings(&file->store, settings, sizeof settings, &size) == YT_OK;
}

static bool fetch(slot_content *content, flash_file *file) {
    holder holder;
    holder_of_file(&holder, file);
    return slot_content_fetch(content, &holder, SLOT);
}

/* A save that the power goes in, and what is there when it is back. */
static bool cut_once(flash_file *file, const slot_content *before, const slot_content *after,
                     unsigned units) {
    slot_content now;
    file->flash.facts.torn = NOR_ALL_KINDS;
    file->flash.until_cut = units;
    yt_status status =
        yt_store_write(&file->store, SLOT, after->name, after->bytes, after->program_bytes,
                       after->bytes + after->program_bytes, after->text_bytes);
    bool went = file->flash.off;
    nor_power_on(&file->flash);
    status = yt_store_open(&file->store, &file->port, file->slots, file->sectors,
                           file->flash.facts.sectors);
    if (status != YT_OK || !fetch(&now, file)) {
        fprintf(stderr, "the store: %s\n", status_text(status));
        return false;
    }
    bool is_old = is_same(&now, before), is_new = is_same(&now, after);
    bool good = went && (is_old || is_new) && has_all_else(file);
    printf("   after %3u units: slot 2 is %s, the rest is %s\n", units,
           is_new   ? "as it was to be"
           : is_old ? "as it was before"
                    : "something else: this is a bug",
           has_all_else(file) ? "as it was" : "not as it was: this is a bug");
    slot_content_free(&now);
    return good;
}

/* How many units and erases a save takes, tried on a copy. */
static unsigned units_of(const flash_file *file, const slot_content *content) {
    yt_store_sector sectors[64];
    yt_store store = file->store;
    yt_port port = file->port;
    nor_flash copy;
    if (file->flash.facts.sectors > 64 || !nor_copy(&copy, &file->flash))
        return 0;
    memcpy(sectors, file->sectors, file->flash.facts.sectors * sizeof *sectors);
    nor_port(&copy, &port);
    store.port = &port;
    store.sectors = sectors;
    uint64_t before = copy.operations;
    yt_status status =
        yt_store_write(&store, SLOT, content->name, content->bytes, content->program_bytes,
                       content->bytes + content->program_bytes, content->text_bytes);
    unsigned units = status == YT_OK ? (unsigned)(copy.operations - before) : 0;
    nor_end(&copy);
    return units;
}

static bool cut_power(const flash_options *options, const char *yard, const char *other) {
    flash_file file;
    slot_content contents[2] = {0};
    if (!slot_content_read(&contents[0], yard, true) ||
        !slot_content_read(&contents[1], other, true) || !flash_file_open(&file, options, false))
        return false;
    bool good = true;
    for (unsigned i = 0; i < CUTS && good; i++) {
        slot_content now;
        good = fetch(&now, &file);
        bool is_first = good && is_same(&now, &contents[0]);
        if (good)
            slot_content_free(&now);
        const slot_content *next = &contents[is_first];
        unsigned units = units_of(&file, next); /* the last cuts are in its last units */
        unsigned cut = i < CUTS - 3 ? units * (i + 1) / CUTS : units - CUTS + i;
        good = good && units > CUTS && cut_once(&file, &contents[!is_first], next, cut);
    }
    good = good && flash_file_save(&file);
    flash_file_close(&file);
    slot_content_free(&contents[0]);
    slot_content_free(&contents[1]);
    return good;
}

bool demo_slots(const char *data, const char *out) {
    char flash[600], put[3][600], keys[600], grip[600], description[600], yard[600], other[600];
    static const char *const names[] = {"quay", "yard", "barge"};
    const flash_options options = {.path = flash};
    char name[] = "--flash", in[] = "--in", hold[] = "--hold", held[] = "f2";
    snprintf(flash, sizeof flash, "%s/slots-flash.bin", out);
    for (unsigned i = 0; i < 3; i++)
        snprintf(put[i], sizeof put[i], "%u=%s/slots/%s.yaml", i + 1, data, names[i]);
    snprintf(keys, sizeof keys, "%s/recordings/otter-slots.hid", data);
    snprintf(grip, sizeof grip, "%s/recordings/lapwing-grip.hid", data);
    snprintf(description, sizeof description, "%s/devices/lapwing-grip.yaml", data);
    snprintf(yard, sizeof yard, "%s/slots/yard.yaml", data);
    snprintf(other, sizeof other, "%s/slots-yard.yaml", out);
    unlink(flash); /* each demo begins with an empty adapter */
    puts("\n1. Three profiles go into three slots of an adapter, each with its own text.");
    bool good = demo_call(command_slots, "slots", "put", put[0], put[1], put[2], name, flash, NULL);
    puts("\n2. Who holds F2 while it is plugged in wants slot 2; slot 3 has a red light.");
    good = good && demo_call(command_settings, "settings", "held.f2=2", "light.3=#ff0000", name,
                             flash, NULL);
    puts(
        "\n3. It is unplugged, and plugged in with F2 held. Somebody works on it, and goes through "
        "the\n   slots by Tab and Enter; the light tells which one is on. Slot 3 is another device "
        "for the\n   host, which takes a moment to find it; the others are the same one.");
    good = good && demo_call(command_adapter, "adapter", in, keys, hold, held, name, flash, NULL);
    puts("\n4. A worn grip is calibrated; that is kept beside the slots.");
    good = good && demo_call(command_calibrate, "calibrate", grip, "left_stick", "--with",
                             description, "--notches", "8", "--plain", name, flash, NULL);
    puts("\n5. Slot 2 is saved ten times, and each time the power goes in the middle.\n");
    good = good && write_other(other, yard) && cut_power(&options, yard, other);
    puts("\n6. All of it is there.");
    good = good && demo_call(command_slots, "slots", "list", name, flash, NULL);
    return good && demo_call(command_adapter, "adapter", in, keys, name, flash, NULL);
}
