/* Any bytes as the content of the flash: nothing is read or written outside, work is bounded, and
 * what is written then is there. */
#include "core/store/parts.h"
#include "fuzz/fuzz.h"
#include "fuzz/store_fuzz.h"
#include "yonder/image/program.h"

#define SLOTS  4
#define SECTOR 1024u

/* A program that runs where it stands is not touched, whatever becomes of its slot. */
static void check_pinned(yt_store *store) {
    static uint8_t kept[SECTOR * STORE_SECTORS];
    const void *place;
    yt_pin pin;
    size_t size;
    if (yt_store_find(store, 1, &pin, &place, &size) != YT_OK)
        return;
    memcpy(kept, place, size);
    for (unsigned i = 0; i < 6; i++)
        (void)!yt_store_write(store, 1, NULL, kept, 100 * i, kept, 50);
    for (unsigned i = 0; i < 50; i++)
        (void)!yt_store_work(store, 8, true);
    INVARIANT(7, memcmp(kept, place, size) == 0);
    yt_store_unpin(store, &pin);
}

static void put_right(yt_sector_head *head) {
    head->checksum = yt_checksum(SECTOR | 0xffu << 24, head, sizeof *head - sizeof head->checksum);
}

/* Makes the checksums of a sector's head and of its records fit, as far as they can be followed. */
static void put_sector_right(uint8_t *sector) {
    yt_sector_head head;
    yt_record record;
    memcpy(&head, sector, sizeof head);
    put_right(&head);
    memcpy(sector, &head, sizeof head);
    for (size_t at = sizeof head; at + sizeof record <= SECTOR;) {
        memcpy(&record, sector + at, sizeof record);
        size_t body = (sizeof record + record.bytes + 3u) & ~(size_t)3;
        if (record.bytes > sizeof(yt_entry) || at + body + sizeof record + 4 > SECTOR)
            return;
        if (record.kind == YT_RECORD_BEGIN)
            memcpy(sector + at + sizeof record, &head, sizeof head);
        if (record.bytes > 0)
            record.value = yt_checksum(0, sector + at + sizeof record, record.bytes);
        record.checksum = yt_checksum(head.number, &record, 8);
        memcpy(sector + at, &record, sizeof record);
        at += body + sizeof record + 4;
    }
}

static void check_slots(const yt_store *store) {
    static uint8_t bytes[SECTOR * STORE_SECTORS];
    for (unsigned slot = 0; slot < SLOTS; slot++) {
        yt_slot info;
        yt_status status = yt_store_slot(store, slot, &info);
        INVARIANT(7, status == YT_OK || status == YT_SLOT_EMPTY || status == YT_SLOT_DAMAGED);
        if (status != YT_OK)
            continue;
        INVARIANT(7, info.name_bytes <= YT_STORE_NAME && info.kept_bytes <= YT_STORE_KEPT);
        for (unsigned part = 0; part < YT_SLOT_PARTS; part++) {
            INVARIANT(7, info.bytes[part] <= sizeof bytes);
            INVARIANT(7, yt_store_read(store, slot, part, 0, bytes, info.bytes[part]) == YT_OK);
            INVARIANT(7,
                      yt_store_read(store, slot, part, info.bytes[part], bytes, 1) == YT_ARGUMENT);
        }
        (void)!yt_store_verify(store, slot);
    }
    INVARIANT(7, yt_store_active(store) < SLOTS);
}

static bool holds(const yt_store *store, const uint8_t *content, size_t size) {
    uint8_t bytes[64];
    yt_slot info;
    return yt_store_slot(store, 2, &info) == YT_OK && info.bytes[0] == size &&
           yt_store_read(store, 2, YT_SLOT_PROGRAM, 0, bytes, size) == YT_OK &&
           memcmp(bytes, content, size) == 0 && strcmp(info.name, "written") == 0;
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static const uint8_t content[] = "whole or not at all";
    static yt_store_sector sectors[STORE_SECTORS];
    const nor_facts facts = STORE_FACTS;
    nor_flash flash;
    yt_port port = {0};
    yt_store store;
    if (!nor_begin(&flash, &facts, 1))
        abort();
    memcpy(flash.now, data, size < flash.size ? size : flash.size);
    if (size > 0 && data[size - 1] & 1)
        for (unsigned i = 0; i < STORE_SECTORS; i++)
            if (memcmp(flash.now + i * SECTOR, "Yjor", 4) == 0)
                put_sector_right(flash.now + i * SECTOR);
    nor_port(&flash, &port);
    yt_status status = yt_store_open(&store, &port, SLOTS, sectors, STORE_SECTORS);
    INVARIANT(7, status == YT_OK || status == YT_STORE_FOREIGN || status == YT_STORE_NEWER ||
                     status == YT_STORE_FULL);
    if (status == YT_OK) {
        check_slots(&store);
        check_pinned(&store);
        for (unsigned i = 0; i < 100; i++)
            (void)!yt_store_work(&store, 8, i % 2);
        status = yt_store_write(&store, 2, "written", content, sizeof content, NULL, 0);
        INVARIANT(7, status == YT_OK || status == YT_STORE_FULL);
        if (status == YT_OK) {
            INVARIANT(7, holds(&store, content, sizeof content));
            nor_power_on(&flash);
            INVARIANT(7, yt_store_open(&store, &port, SLOTS, sectors, STORE_SECTORS) == YT_OK);
            INVARIANT(7, holds(&store, content, sizeof content));
        }
    }
    INVARIANT(7, yt_store_format(&store, &port, SLOTS, sectors, STORE_SECTORS) == YT_OK);
    INVARIANT(7, yt_store_write(&store, 2, "written", content, sizeof content, NULL, 0) == YT_OK);
    INVARIANT(7, holds(&store, content, sizeof content));
    nor_end(&flash);
    return 0;
}
