#include "tests/store/history.h"

#include <string.h>

#include "yonder/calibration.h"

#define CONTENT 600u

static uint8_t content[CONTENT];

uintptr_t history_called;

#define NOTE_CALL()                                                                                \
    do {                                                                                           \
        uint8_t here;                                                                              \
        history_called = (uintptr_t)&here;                                                         \
    } while (0)

static uint32_t roll(uint32_t *dice) {
    *dice ^= *dice << 13;
    *dice ^= *dice >> 17;
    *dice ^= *dice << 5;
    return *dice;
}

/* What is written tells of its seed in each byte. */
static const uint8_t *content_of(uint32_t seed) {
    for (unsigned i = 0; i < CONTENT; i++)
        content[i] = (uint8_t)(i * 7 + seed * 31);
    return content;
}

/* In pieces, as a save in play. */
static yt_status write_in_pieces(yt_store *store, unsigned slot, uint32_t *dice) {
    uint32_t program = roll(dice) % 400, text = roll(dice) % 200;
    const uint8_t *bytes = content_of(roll(dice));
    NOTE_CALL();
    yt_status status = yt_store_begin(store, slot, program, text);
    for (uint32_t at = 0; status == YT_OK && at < program + text; at += 40) {
        uint32_t left = program + text - at;
        status = yt_store_piece(store, bytes + at, left < 40 ? left : 40);
    }
    return status == YT_OK ? yt_store_commit(store, "in pieces") : status;
}

static yt_status write_whole(yt_store *store, unsigned slot, uint32_t *dice) {
    uint32_t program = roll(dice) % 400, text = roll(dice) % 200;
    const uint8_t *bytes = content_of(roll(dice));
    NOTE_CALL();
    return yt_store_write(store, slot, "whole", bytes, program, bytes, text);
}

static yt_status set(yt_store *store, uint32_t *dice) {
    uint32_t size = roll(dice) % 60;
    NOTE_CALL();
    return yt_store_set(store, content_of(roll(dice)), size);
}

static yt_status change(yt_store *store, uint32_t *dice) {
    unsigned slot = roll(dice) % HISTORY_SLOTS, other = roll(dice) % HISTORY_SLOTS;
    NOTE_CALL();
    switch (roll(dice) % 9) {
    case 0:
        return write_whole(store, slot, dice);
    case 1:
        return write_in_pieces(store, slot, dice);
    case 2:
        return yt_store_copy(store, slot, other);
    case 3:
        return yt_store_rename(store, slot, "another name");
    case 4:
        return yt_store_swap(store, slot, other);
    case 5:
        return yt_store_erase(store, slot);
    case 6:
        return yt_store_activate(store, slot);
    case 7:
        return set(store, dice);
    default:
        return yt_store_work(store, 8, true);
    }
}

yt_status history_play(yt_store *store, yt_store_sector *sectors, const yt_port *port,
                       uint32_t seed, unsigned changes) {
    uint32_t dice = seed * 2654435761u + 1;
    NOTE_CALL();
    yt_status status = yt_store_open(store, port, HISTORY_SLOTS, sectors, HISTORY_SECTORS);
    for (unsigned i = 0; status == YT_OK && i < changes; i++) {
        yt_status changed = change(store, &dice);
        if (changed == YT_FLASH)
            status = changed; /* others say that a slot is empty, or that there is no room */
    }
    return status;
}

uint32_t history_digest(const yt_store *store) {
    uint32_t digest = yt_store_active(store);
    yt_slot info;
    for (unsigned slot = 0; slot < HISTORY_SLOTS; slot++) {
        yt_status status = yt_store_slot(store, slot, &info);
        digest = digest * 31 + (uint32_t)status;
        if (status != YT_OK)
            continue;
        for (unsigned part = 0; part < YT_SLOT_PARTS; part++)
            digest = digest * 31 + info.checksum[part];
        digest = digest * 31 + info.generation + info.name_bytes;
        digest = digest * 31 + (uint32_t)yt_store_verify(store, slot);
    }
    size_t size;
    yt_status status = yt_store_settings(store, content, CONTENT, &size);
    digest = digest * 31 + (uint32_t)status;
    for (size_t i = 0; status == YT_OK && i < size; i++)
        digest = digest * 31 + content[i];
    return digest;
}
