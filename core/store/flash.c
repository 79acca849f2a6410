/* The port's calls, looked over: what was programmed is read back, what was erased is blank. */
#include <string.h>

#include "store/parts.h"

#define LOOKED_AT 8u /* bytes that are read back at a time */

uint32_t yt_flash_unit(const yt_store *store) {
    return store->port->flash.unit_bytes;
}

uint32_t yt_flash_whole(const yt_store *store, uint32_t bytes) {
    uint32_t unit = yt_flash_unit(store);
    return (bytes + unit - 1) & ~(unit - 1);
}

uint32_t yt_sector_bytes(const yt_store *store) {
    return store->port->flash.sector_bytes;
}

uint32_t yt_sector_offset(const yt_store *store, unsigned sector) {
    return sector * yt_sector_bytes(store);
}

unsigned yt_sector_of(const yt_store *store, uint32_t offset) {
    return offset / yt_sector_bytes(store);
}

bool yt_flash_read(const yt_store *store, uint32_t offset, void *bytes, size_t size) {
    return store->port->flash.read(store->port->context, offset, bytes, size) == 0;
}

static bool is_blank(const yt_store *store, const uint8_t *bytes, uint32_t size) {
    for (uint32_t i = 0; i < size; i++)
        if (bytes[i] != store->port->flash.erased_value)
            return false;
    return true;
}

bool yt_flash_is_blank(const yt_store *store, uint32_t offset, uint32_t size) {
    uint8_t piece[YT_PIECE];
    for (uint32_t done = 0; done < size; done += YT_PIECE) {
        uint32_t part = size - done < YT_PIECE ? size - done : YT_PIECE;
        if (!yt_flash_read(store, offset + done, piece, part) || !is_blank(store, piece, part))
            return false;
    }
    return true;
}

static bool reads_back(const yt_store *store, uint32_t offset, const uint8_t *bytes,
                       uint32_t size) {
    uint8_t back[LOOKED_AT];
    for (uint32_t done = 0; done < size; done += sizeof back) {
        uint32_t part = size - done < sizeof back ? size - done : (uint32_t)sizeof back;
        if (!yt_flash_read(store, offset + done, back, part) ||
            memcmp(bytes + done, back, part) != 0)
            return false;
    }
    return true;
}

bool yt_flash_program_both(yt_store *store, uint32_t offset, const void *bytes, uint32_t size,
                           const void *more, uint32_t more_size) {
    uint8_t piece[YT_PIECE];
    const yt_flash *flash = &store->port->flash;
    uint32_t whole = yt_flash_whole(store, size + more_size);
    memset(piece, flash->erased_value, sizeof piece);
    memcpy(piece, bytes, size);
    if (more_size > 0)
        memcpy(piece + size, more, more_size);
    store->counts.units += whole / flash->unit_bytes;
    if (flash->program(store->port->context, offset, piece, whole) == 0 &&
        reads_back(store, offset, piece, whole))
        return true;
    store->counts.failures++;
    return false;
}

bool yt_flash_program(yt_store *store, uint32_t offset, const void *bytes, uint32_t size) {
    return yt_flash_program_both(store, offset, bytes, size, NULL, 0);
}

bool yt_flash_erase(yt_store *store, unsigned sector) {
    yt_store_sector *of = &store->sectors[sector];
    store->counts.erases++;
    of->erases++;
    if (store->port->flash.erase(store->port->context, sector) == 0 &&
        yt_flash_is_blank(store, yt_sector_offset(store, sector), yt_sector_bytes(store))) {
        of->state = YT_SECTOR_BLANK;
        of->number = 0;
        return true;
    }
    store->counts.failures++;
    of->state = YT_SECTOR_BAD;
    return false;
}
