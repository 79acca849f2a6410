/* A bank is a head, a seal and the content. The head makes it whole; the seal says once more, four
 * times over, which write it was: so a bank that is not whole because it rotted is told from one
 * that was never finished, and an older content does not come back without a word. docs/slots.md
 * has the layout and what happens at a cut. */
#include <stdbool.h>
#include <string.h>

#include "yonder/image/program.h"
#include "yonder/store.h"

#define HEAD_MAGIC   0x53505459u /* "YTPS" */
#define HEAD_VERSION 2u
#define SEAL_MAGIC   0x4c535459u /* "YTSL" */
#define SEALS        4u          /* of which two that say the same are enough */
#define HEAD_BYTES   32u
#define PIECE        32u /* bytes moved at a time; every unit divides it */

/* The head of a bank, programmed behind the content. */
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

/* Programmed last. */
typedef struct bank_seal {
    uint32_t magic;
    uint32_t sequence;
} bank_seal;

_Static_assert(sizeof(bank_head) == HEAD_BYTES, "the head of a bank");
_Static_assert(HEAD_BYTES + SEALS * sizeof(bank_seal) == YT_STORE_HEAD_BYTES, "head and seal");

/* What is known of a bank. */
typedef struct bank_state {
    bool whole;
    bool sealed;
    uint32_t sequence; /* of the head, or where that is not whole, of the seal */
    uint32_t size;
} bank_state;

#define NONE_RUNS UINT32_MAX

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
    store->running_bank = NONE_RUNS;
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
    return store->port->flash.read(store->port->context, offset, bytes, size) == 0;
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

/* The number of the write that a bank was sealed for; false: it is not sealed. */
static bool read_seal(const yt_store *store, uint32_t offset, uint32_t *sequence) {
    bank_seal seals[SEALS];
    if (!read_flash(store, offset + HEAD_BYTES, seals, sizeof seals))
        return false;
    for (unsigned i = 0; i < SEALS; i++)
        for (unsigned k = i + 1; k < SEALS; k++)
            if (seals[i].magic == SEAL_MAGIC && seals[k].magic == SEAL_MAGIC &&
                seals[i].sequence == seals[k].sequence) {
                *sequence = seals[i].sequence;
                return true;
            }
    return false;
}

static bank_state state_of(const yt_store *store, uint32_t slot, unsigned bank) {
    bank_state state = {0};
    bank_head head;
    state.sealed = read_seal(store, bank_offset(store, slot, bank), &state.sequence);
    state.whole = read_bank(store, slot, bank, &head);
    if (state.whole) {
        state.sequence = head.sequence;
        state.size = head.size;
    }
    return state;
}

static bool is_later(const bank_state *one, const bank_state *other) {
    return (int32_t)(one->sequence - other->sequence) > 0;
}

/* The bank that counts: the later one of those that are whole. Where a later one was finished and
 * is no longer whole, none does. */
static yt_status present_bank(const bank_state banks[2], unsigned *bank) {
    if (banks[0].whole || banks[1].whole) {
        *bank = !banks[0].whole || (banks[1].whole && is_later(&banks[1], &banks[0]));
        const bank_state *other = &banks[1 - *bank];
        return other->sealed && is_later(other, &banks[*bank]) ? YT_SLOT_DAMAGED : YT_OK;
    }
    return banks[0].sealed || banks[1].sealed ? YT_SLOT_DAMAGED : YT_SLOT_EMPTY;
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
        if (flash->program(store->port->context, offset + (uint32_t)done, piece, units) != 0)
            return false;
    }
    return true;
}

static bool erase_bank(const yt_store *store, uint32_t offset) {
    const yt_flash *flash = &store->port->flash;
    uint32_t first = offset / flash->sector_bytes;
    for (uint32_t i = 0; i < store->bank_bytes / flash->sector_bytes; i++)
        if (flash->erase(store->port->context, first + i) != 0)
            return false;
    return true;
}

void yt_store_runs(yt_store *store, const void *program) {
    const uint8_t *mapped = store->port->flash.mapped;
    store->running_bank = NONE_RUNS;
    if (!mapped || !program)
        return;
    uintptr_t offset = (uintptr_t)program - (uintptr_t)mapped;
    if (offset / store->bank_bytes < 2 * store->slots)
        store->running_bank = (uint32_t)(offset / store->bank_bytes);
}

/* The bank that a write goes to: not the one that counts; of a slot that is damaged not the one
 * that is whole, but where the other one runs. */
static unsigned bank_to_write(const yt_store *store, uint32_t slot, const bank_state banks[2],
                              bool *is_free) {
    unsigned present = 0;
    yt_status status = present_bank(banks, &present);
    bool runs[2] = {store->running_bank == 2 * slot, store->running_bank == 2 * slot + 1};
    unsigned other = status == YT_OK ? 1 - present : banks[0].whole || runs[0];
    if (status != YT_OK && runs[other])
        other = 1 - other;
    *is_free = !runs[other];
    return other;
}

static bool program_seal(const yt_store *store, uint32_t offset, uint32_t sequence) {
    bank_seal seals[SEALS];
    uint32_t sealed;
    for (unsigned i = 0; i < SEALS; i++)
        seals[i] = (bank_seal){SEAL_MAGIC, sequence};
    return program_bytes(store, offset + HEAD_BYTES, (const uint8_t *)seals, sizeof seals) &&
           read_seal(store, offset, &sealed);
}

/* One more than the later of what both banks say. */
static uint32_t next_sequence(const bank_state banks[2]) {
    const bool known[2] = {banks[0].whole || banks[0].sealed, banks[1].whole || banks[1].sealed};
    if (!known[0] && !known[1])
        return 1;
    unsigned later = !known[0] || (known[1] && is_later(&banks[1], &banks[0]));
    return banks[later].sequence + 1;
}

yt_status yt_store_write(yt_store *store, uint32_t slot, const void *bytes, size_t size) {
    bank_head next = {.magic = HEAD_MAGIC, .version = HEAD_VERSION, .slot = slot};
    bool is_free;
    if (slot >= store->slots)
        return YT_SLOT;
    if (size > yt_store_slot_bytes(store))
        return YT_SLOT_SIZE;
    const bank_state banks[2] = {state_of(store, slot, 0), state_of(store, slot, 1)};
    unsigned bank = bank_to_write(store, slot, banks, &is_free);
    if (!is_free)
        return YT_SLOT_RUNS;
    next.sequence = next_sequence(banks);
    next.size = (uint32_t)size;
    next.content_checksum = yt_checksum(0, bytes, size);
    next.head_checksum = yt_checksum(0, &next, sizeof next - sizeof(uint32_t));
    uint32_t offset = bank_offset(store, slot, bank);
    if (!erase_bank(store, offset) ||
        !program_bytes(store, offset + YT_STORE_HEAD_BYTES, bytes, size) ||
        !content_is_whole(store, offset, &next) ||
        !program_bytes(store, offset, (const uint8_t *)&next, sizeof next))
        return YT_FLASH;
    if (!read_bank(store, slot, bank, &next))
        return YT_UNREADABLE;
    return program_seal(store, offset, next.sequence) ? YT_OK : YT_FLASH;
}

static yt_status locate(const yt_store *store, uint32_t slot, uint32_t *offset, size_t *size) {
    unsigned bank;
    if (slot >= store->slots)
        return YT_SLOT;
    const bank_state banks[2] = {state_of(store, slot, 0), state_of(store, slot, 1)};
    yt_status status = present_bank(banks, &bank);
    if (status != YT_OK)
        return status;
    *offset = bank_offset(store, slot, bank) + YT_STORE_HEAD_BYTES;
    *size = banks[bank].size;
    return *size > 0 ? YT_OK : YT_SLOT_EMPTY;
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
