#include "tests/store/judge.h"

#define FLASH(count, bytes, unit, erased)                                                          \
    .sectors = (count), .sector_bytes = (bytes), .unit_bytes = (unit), .erased_value = (erased),   \
    .programs = 1, .torn = NOR_ALL_KINDS

const judge_kind judge_kinds[] = {
    {"units of 1, sectors of 1 KiB", {FLASH(24, 1024, 1, 0xff)}, 500},
    {"units of 2, sectors of 2 KiB", {FLASH(16, 2048, 2, 0xff)}, 900},
    {"units of 4, sectors of 4 KiB", {FLASH(12, 4096, 4, 0xff)}, 1500},
    {"units of 8, sectors of 2 KiB, programs of several sectors", {FLASH(32, 2048, 8, 0xff)}, 5000},
    {"units of 8, sectors of 1 KiB, hardly enough of them", {FLASH(13, 1024, 8, 0xff)}, 500},
    {"units of 16, sectors of 8 KiB", {FLASH(8, 8192, 16, 0xff)}, 2000},
    {"units of 32, sectors of 4 KiB, erased to 0", {FLASH(14, 4096, 32, 0x00)}, 2000},
    {"units of 32, sectors of 128 KiB, four of them", {FLASH(4, 131072, 32, 0xff)}, 4000},
    {"units of 32, sectors of 128 KiB, five of them", {FLASH(5, 131072, 32, 0xff)}, 4000},
    {"units of 8, sectors of 1 KiB, the first two reserved, failing now and then",
     {FLASH(28, 1024, 8, 0xff), .reserved = 2, .loud = 300, .silent = 300},
     500},
};
const unsigned judge_kind_count = sizeof judge_kinds / sizeof *judge_kinds;

static uint8_t byte_of(uint32_t seed, uint32_t at) {
    uint32_t hash = (seed + at * 0x9e3779b9u) * 0x85ebca6bu;
    return (uint8_t)(hash ^ hash >> 16 ^ hash >> 24);
}

static void fill(const held *held, uint8_t *bytes) {
    for (uint32_t i = 0; i < held->bytes[0] + held->bytes[1]; i++)
        bytes[i] = byte_of(held->seed, i);
}

/* ---- what the store says ---- */

static bool is_same(const judge *judge, unsigned slot, const held *held) {
    yt_slot info;
    static uint8_t wanted[65536], got[65536];
    yt_status status = yt_store_slot(&judge->store, slot, &info);
    if (held->seed == 0)
        return status == YT_SLOT_EMPTY;
    if (status != YT_OK || info.bytes[0] != held->bytes[0] || info.bytes[1] != held->bytes[1] ||
        strcmp(info.name, held->name) != 0)
        return false;
    fill(held, wanted);
    return yt_store_verify(&judge->store, slot) == YT_OK &&
           yt_store_read(&judge->store, slot, YT_SLOT_PROGRAM, 0, got, info.bytes[0]) == YT_OK &&
           yt_store_read(&judge->store, slot, YT_SLOT_TEXT, 0, got + info.bytes[0],
                         info.bytes[1]) == YT_OK &&
           memcmp(wanted, got, info.bytes[0] + info.bytes[1]) == 0;
}

static bool are_settings(const judge *judge, const held *held) {
    static uint8_t wanted[65536], got[65536];
    size_t size;
    yt_status status = yt_store_settings(&judge->store, got, sizeof got, &size);
    if (held->seed == 0)
        return status == YT_SLOT_EMPTY;
    fill(held, wanted);
    return status == YT_OK && size == held->bytes[0] && memcmp(wanted, got, size) == 0;
}

static bool is_plain(const judge *judge, const plain *plain) {
    for (unsigned i = 0; i < JUDGE_SLOTS; i++)
        if (!is_same(judge, i, &plain->slots[i]))
            return false;
    return are_settings(judge, &plain->settings) && yt_store_active(&judge->store) == plain->active;
}

static void blame(judge *judge, const char *when) {
    if (judge->bad++ < 5) {
        printf("%s, after %" PRIu64 " cuts and %" PRIu64 " changes, %s:", judge->kind, judge->cuts,
               judge->changes, when);
        for (unsigned i = 0; i < JUDGE_SLOTS; i++)
            if (!is_same(judge, i, &judge->now.slots[i])) {
                yt_slot info;
                printf(" slot %u (status %d)", i, yt_store_slot(&judge->store, i, &info));
            }
        printf("%s%s\n", are_settings(judge, &judge->now.settings) ? "" : " settings",
               yt_store_active(&judge->store) == judge->now.active ? "" : " active");
    }
}

void judge_compare(judge *judge, const char *when) {
    if (!is_plain(judge, &judge->now))
        blame(judge, when);
    if (judge->flash.breaches > 0) {
        blame(judge, "a unit was programmed twice");
        judge->flash.breaches = 0;
    }
}

/* ---- changing ---- */

typedef struct change {
    deed deed;
    unsigned slot, other;
    held held;
} change;

static void draw_content(judge *judge, held *held) {
    dice *dice = &judge->dice;
    *held = (struct held){.seed = 1 + roll_below(dice, 1000000)};
    held->bytes[0] = roll_below(dice, judge->largest);
    held->bytes[1] = roll_below(dice, 2) ? roll_below(dice, judge->largest / 2) : 0;
    unsigned length = roll_below(dice, YT_STORE_NAME + 1);
    for (unsigned i = 0; i < length; i++)
        held->name[i] = (char)('a' + roll_below(dice, 26));
}

static change draw(judge *judge) {
    dice *dice = &judge->dice;
    change change = {.deed = roll_below(dice, DEEDS),
                     .slot = roll_below(dice, JUDGE_SLOTS),
                     .other = roll_below(dice, JUDGE_SLOTS)};
    if (judge->is_hot && roll_below(dice, 8))
        change = (struct change){.deed = DEED_WRITE};
    draw_content(judge, &change.held);
    return change;
}

/* What becomes of it all. */
static plain changed(const plain *now, const change *change) {
    plain then = *now;
    held *slot = &then.slots[change->slot], *other = &then.slots[change->other];
    switch (change->deed) {
    case DEED_WRITE:
        *slot = change->held;
        break;
    case DEED_COPY:
        if (slot->seed)
            *other = *slot;
        break;
    case DEED_RENAME:
        if (slot->seed)
            memcpy(slot->name, change->held.name, sizeof slot->name);
        break;
    case DEED_SWAP:
        *slot = now->slots[change->other];
        *other = now->slots[change->slot];
        break;
    case DEED_ERASE:
        *slot = (held){0};
        break;
    case DEED_ACTIVATE:
        then.active = change->slot;
        break;
    case DEED_SET:
        then.settings = change->held;
        break;
    default:
        break;
    }
    return then;
}

static yt_status carry_out(yt_store *store, const change *change) {
    static uint8_t bytes[65536];
    const held *held = &change->held;
    yt_status status = YT_OK;
    fill(held, bytes);
    switch (change->deed) {
    case DEED_WRITE:
        return yt_store_write(store, change->slot, held->name, bytes, held->bytes[0],
                              bytes + held->bytes[0], held->bytes[1]);
    case DEED_COPY:
        return yt_store_copy(store, change->slot, change->other);
    case DEED_RENAME:
        return yt_store_rename(store, change->slot, held->name);
    case DEED_SWAP:
        return yt_store_swap(store, change->slot, change->other);
    case DEED_ERASE:
        return yt_store_erase(store, change->slot);
    case DEED_ACTIVATE:
        return yt_store_activate(store, change->slot);
    case DEED_SET:
        return yt_store_set(store, bytes, held->bytes[0]);
    default:
        yt_store_keep_ready(store, held->bytes[0]);
        for (unsigned i = 0; i < 30 && (status == YT_OK || status == YT_END); i++)
            status = yt_store_work(store, 8, i % 3 == 0);
        return YT_OK;
    }
}

void judge_change(judge *judge) {
    change change = draw(judge);
    yt_status status = carry_out(&judge->store, &change);
    judge->changes++;
    if (status == YT_OK)
        judge->now = changed(&judge->now, &change);
    else if (status == YT_STORE_FULL || status == YT_FLASH)
        judge->refused++;
    else if (status != YT_SLOT_EMPTY)
        blame(judge, "a change gave a status that it may not");
    judge_compare(judge, "after a change");
}

/* ---- cutting ---- */

static yt_status reopen(judge *judge) {
    return yt_store_open(&judge->store, &judge->port, JUDGE_SLOTS, judge->sectors, JUDGE_SECTORS);
}

/* How many operations a change takes, tried on a copy. */
static uint64_t operations_of(const judge *judge, const change *change) {
    static struct judge copy;
    copy = *judge;
    if (!nor_copy(&copy.flash, &judge->flash))
        exit(1);
    copy.port.context = &copy.flash;
    copy.store.port = &copy.port;
    copy.store.sectors = copy.sectors;
    (void)carry_out(&copy.store, change);
    uint64_t operations = copy.flash.operations - judge->flash.operations;
    nor_end(&copy.flash);
    return operations;
}

/* Any of them, often one of the last, where it is decided. */
static uint64_t draw_cut(judge *judge, uint64_t operations) {
    uint64_t last = roll_below(&judge->dice, 5);
    if (operations > last && roll_below(&judge->dice, 3) == 0)
        return operations - 1 - last;
    return operations ? roll_below(&judge->dice, (uint32_t)operations) : 0;
}

/* Power comes and goes until it stays. */
static void recover(judge *judge, unsigned depth) {
    for (unsigned i = 0;; i++) {
        nor_power_on(&judge->flash);
        if (i < depth && roll_below(&judge->dice, 2))
            judge->flash.until_cut = roll_below(&judge->dice, roll_below(&judge->dice, 2) ? 4 : 60);
        yt_status status = reopen(judge);
        if (status == YT_OK && !judge->flash.off) {
            judge->flash.until_cut = NOR_NO_CUT;
            return;
        }
        if (judge->flash.off) {
            judge->cuts++;
            continue;
        }
        printf("%s: it does not open: status %d\n", judge->kind, status);
        judge->bad++;
        if (yt_store_format(&judge->store, &judge->port, JUDGE_SLOTS, judge->sectors,
                            JUDGE_SECTORS) != YT_OK)
            exit(1);
        judge->now = (plain){0};
        return;
    }
}

void judge_cut(judge *judge, unsigned depth) {
    change change = draw(judge);
    plain then = changed(&judge->now, &change);
    judge->changes++;
    judge->flash.until_cut = draw_cut(judge, operations_of(judge, &change));
    yt_status status = carry_out(&judge->store, &change);
    bool was_cut = judge->flash.off;
    judge->cuts += was_cut;
    if (!was_cut && status == YT_OK)
        judge->now = then;
    recover(judge, depth);
    if (was_cut && change.deed != DEED_WORK && is_plain(judge, &then))
        judge->now = then;
    judge_compare(judge, "after a cut");
}

void judge_restart(judge *judge) {
    nor_power_on(&judge->flash);
    yt_status status = reopen(judge);
    if (status != YT_OK)
        blame(judge, "it does not open");
    judge_compare(judge, "after a power-on");
}

void judge_begin(judge *judge, const judge_kind *kind, uint32_t seed) {
    memset(judge, 0, sizeof *judge);
    judge->kind = kind->name;
    judge->dice.state = seed;
    judge->largest = kind->largest;
    if (!nor_begin(&judge->flash, &kind->facts, seed))
        exit(1);
    nor_port(&judge->flash, &judge->port);
    nor_power_on(&judge->flash);
    yt_status status = reopen(judge);
    if (status != YT_OK) {
        printf("%s: %d\n", judge->kind, status);
        exit(1);
    }
}

void judge_end(judge *judge) {
    nor_end(&judge->flash);
}
