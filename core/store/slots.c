#include <stdbool.h>
#include <string.h>

#include "yonder/program.h"
#include "yonder/store.h"

#define HEAD_MAGIC   0x53505459u /* "YTPS" */
#define HEAD_VERSION 1u
#define PIECE        32u /* bytes moved at a time; every unit divides it */

/* The head of a bank, programmed last. */
typedef struct bank_head {
    uint32_t magic;
    uint32_t version;
    uint32_t slot;
    uint32_t sequence; /* of two whole banks the one with the later number counts */
    uint32_t size;
    uint32_t content_checksum;
    uint32_t reserved;
    uint32_t head_checksum; /* of the words before */
} bank_head;

_Static_assert(sizeof(bank_head) == YT_STORE_HEAD_BYTES, "the head of a bank");

static bool is_power_of_two(uint32_t number) {
    return number != 0 && (number & (number - 1)) == 0;
}

yt_status yt_store_init(yt_store *store, const yt_port *port, uint32_t slots) {
    const yt_flash *flash = &port->flash;
    if (!flash->read || !flash->program || !flash->erase || slots == 0 ||
        slots > flash->sectors / 2 || !is_power_of_two(flash->unit_bytes) ||
        flash->unit_bytes > PIECE || flash->sector_bytes < 2 * PIECE ||
        flash->sector_bytes % PIECE != 0 || flash->sectors > UINT32_MAX / flash->sector_bytes)
        return YT_PORT;
    store->port = port;
    store->slots = slots;
    store->bank_bytes = flash->sectors / (2 * slots) * flash->sector_bytes;
    return YT_OK;
}

size_t yt_store_slot_bytes(const yt_store *store) {
    return store->bank_bytes - YT_STORE_HEAD_BYTES;
}

static uint32_t bank_offset(const yt_store *store, uint32_t slot, unsigned bank) {
    return (2 * slot + bank) * store->bank_bytes;
}

static bool read_flash(const yt_store *store, uint32_t offset, void *bytes, size_t size) {
    return store->port->flash.read(store->port->user, offset, bytes, size) == 0;
}

static bool content_is_whole(const yt_store *store, uint32_t offset, const bank_head *head) {
    uint8_t piece[PIECE];
    uint32_t checksum = 0;
    for (uint32_t done = 0; done < head->size; done += PIECE) {
        uint32_t size = head->size - done < PIECE ? head->size - done : PIECE;
        if (!read_flash(store, offset + YT_STORE_HEAD_BYTES + done, piece, size))
            return false;
        checksum = yt_checksum(checksum, piece, size);
    }
    return checksum == head->content_checksum;
}

/* Whether a bank holds something whole. A torn bank fails a checksum; it is as if empty. */
static bool read_bank(const yt_store *store, uint32_t slot, unsigned bank, bank_head *head) {
    uint32_t offset = bank_offset(store, slot, bank);
    if (!read_flash(store, offset, head, sizeof *head))
        return false;
    return head->magic == HEAD_MAGIC && head->version == HEAD_VERSION && head->slot == slot &&
           head->size <= yt_store_slot_bytes(store) &&
           head->head_checksum == yt_checksum(0, head, sizeof *head - sizeof(uint32_t)) &&
           content_is_whole(store, offset, head);
}

/* The bank in use and its head; -1 where neither is whole. */
static int present_bank(const yt_store *store, uint32_t slot, bank_head *present) {
    bank_head heads[2];
    bool whole[2];
    for (unsigned bank = 0; bank < 2; bank++)
        whole[bank] = read_bank(store, slot, bank, &heads[bank]);
    if (!whole[0] && !whole[1])
        return -1;
    int bank =
        whole[0] && whole[1] ? (int32_t)(heads[1].sequence - heads[0].sequence) > 0 : whole[1];
    *present = heads[bank];
    return bank;
}

static bool program_bytes(const yt_store *store, uint32_t offset, const uint8_t *bytes,
                          size_t size) {
    const yt_flash *flash = &store->port->flash;
    uint8_t piece[PIECE];
    for (size_t done = 0; done < size; done += PIECE) {
        size_t part = size - done < PIECE ? size - done : PIECE;
        size_t units = (part + flash->unit_bytes - 1) / flash->unit_bytes * flash->unit_bytes;
        memset(piece, flash->erased_value, sizeof piece);
        memcpy(piece, bytes + done, part);
        if (flash->program(store->port->user, offset + (uint32_t)done, piece, units) != 0)
            return false;
    }
    return true;
}

static bool erase_bank(const yt_store *store, uint32_t offset) {
    const yt_flash *flash = &store->port->flash;
    uint32_t first = offset / flash->sector_bytes;
    for (uint32_t i = 0; i < store->bank_bytes / flash->sector_bytes; i++)
        if (flash->erase(store->port->user, first + i) != 0)
            return false;
    return true;
}

yt_status yt_store_write(yt_store *store, uint32_t slot, const void *bytes, size_t size) {
    bank_head present, next = {.magic = HEAD_MAGIC, .version = HEAD_VERSION, .slot = slot};
    if (slot >= store->slots)
        return YT_SLOT;
    if (size > yt_store_slot_bytes(store))
        return YT_SLOT_SIZE;
    int bank = present_bank(store, slot, &present);
    unsigned other = bank == 0 ? 1 : 0;
    next.sequence = bank < 0 ? 1 : present.sequence + 1;
    next.size = (uint32_t)size;
    next.content_checksum = yt_checksum(0, bytes, size);
    next.head_checksum = yt_checksum(0, &next, sizeof next - sizeof(uint32_t));
    uint32_t offset = bank_offset(store, slot, other);
    if (!erase_bank(store, offset) ||
        !program_bytes(store, offset + YT_STORE_HEAD_BYTES, bytes, size) ||
        !content_is_whole(store, offset, &next) ||
        !program_bytes(store, offset, (const uint8_t *)&next, sizeof next))
        return YT_FLASH;
    return read_bank(store, slot, other, &next) ? YT_OK : YT_UNREADABLE;
}

static yt_status locate(const yt_store *store, uint32_t slot, uint32_t *offset, size_t *size) {
    bank_head present;
    if (slot >= store->slots)
        return YT_SLOT;
    int bank = present_bank(store, slot, &present);
    if (bank < 0 || present.size == 0)
        return YT_SLOT_EMPTY;
    *offset = bank_offset(store, slot, (unsigned)bank) + YT_STORE_HEAD_BYTES;
    *size = present.size;
    return YT_OK;
}

yt_status yt_store_read(const yt_store *store, uint32_t slot, void *bytes, size_t capacity,
                        size_t *size) {
    uint32_t offset;
    yt_status status = locate(store, slot, &offset, size);
    if (status != YT_OK)
        return status;
    if (*size > capacity)
        return YT_ARGUMENT;
    return read_flash(store, offset, bytes, *size) ? YT_OK : YT_UNREADABLE;
}

yt_status yt_store_find(const yt_store *store, uint32_t slot, const void **bytes, size_t *size) {
    uint32_t offset;
    if (!store->port->flash.mapped)
        return YT_PORT;
    yt_status status = locate(store, slot, &offset, size);
    if (status == YT_OK)
        *bytes = (const uint8_t *)store->port->flash.mapped + offset;
    return status;
}
