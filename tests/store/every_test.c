/* The power is cut at every operation of a change, and at every one of what comes then, for each
 * way in which a torn unit can read: what is answered once stays, whatever it reads as later. */
#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define SECTORS 20
#define SLOTS   3

typedef struct adapter {
    nor_flash flash;
    yt_port port;
    yt_store store;
    yt_store_sector sectors[SECTORS];
} adapter;

static uint8_t content[4][400], wide[1500];
static unsigned step = 9;

static yt_status open_store(adapter *adapter) {
    return yt_store_open(&adapter->store, &adapter->port, SLOTS, adapter->sectors, SECTORS);
}

static void copy_adapter(adapter *copy, const adapter *adapter) {
    *copy = *adapter;
    CHECK(nor_copy(&copy->flash, &adapter->flash));
    nor_port(&copy->flash, &copy->port);
    copy->store.port = &copy->port;
    copy->store.sectors = copy->sectors;
}

/* The changes that are tried, each from the same state. */
typedef enum deed { WRITE, RENAME, ERASE, SWAP, COPY, ACTIVATE, COLLECT, DEEDS } deed;

static const char *const names[DEEDS] = {"write", "rename",   "erase",  "swap",
                                         "copy",  "activate", "collect"};

static yt_status change(yt_store *store, deed deed) {
    switch (deed) {
    case WRITE:
        return yt_store_write(store, 0, "new", content[2], 300, content[2], 40);
    case RENAME:
        return yt_store_rename(store, 0, "renamed");
    case ERASE:
        return yt_store_erase(store, 0);
    case SWAP:
        return yt_store_swap(store, 0, 1);
    case COPY:
        return yt_store_copy(store, 1, 2);
    case ACTIVATE:
        return yt_store_activate(store, 2);
    default:
        for (unsigned i = 0; i < 12; i++)
            if (yt_store_work(store, 8, true) == YT_FLASH)
                return YT_FLASH;
        return YT_OK;
    }
}

/* All that the store says, as one number. */
static uint32_t told(adapter *adapter) {
    uint32_t sum = yt_store_active(&adapter->store);
    for (unsigned slot = 0; slot < SLOTS; slot++) {
        yt_slot info;
        yt_status status = yt_store_slot(&adapter->store, slot, &info);
        if (status == YT_OK)
            status = yt_store_verify(&adapter->store, slot);
        sum = sum * 31 + (uint32_t)status;
        sum = sum * 31 + info.checksum[0] + 7 * info.checksum[1] + 13 * info.bytes[0];
        for (const char *c = info.name; *c; c++)
            sum = sum * 31 + (uint8_t)*c;
    }
    return sum;
}

static nor_facts facts_of(unsigned kind, unsigned unit, unsigned sectors) {
    return (nor_facts){.sectors = sectors,
                       .sector_bytes = 1024,
                       .unit_bytes = unit,
                       .erased_value = kind % 2 ? 0x00 : 0xff,
                       .programs = 1,
                       .is_mapped = true,
                       .torn = 1u << kind};
}

/* The fewest sectors that are enough for the slots. */
static unsigned fewest(unsigned unit) {
    static adapter tried;
    yt_status status = YT_PORT;
    unsigned sectors = 3;
    while (status == YT_PORT) {
        const nor_facts facts = facts_of(0, unit, ++sectors);
        CHECK(nor_begin(&tried.flash, &facts, 1));
        nor_port(&tried.flash, &tried.port);
        status = open_store(&tried);
        nor_end(&tried.flash);
    }
    return sectors;
}

static void begin(adapter *adapter, unsigned kind, unsigned unit, unsigned sectors) {
    const nor_facts facts = facts_of(kind, unit, sectors);
    CHECK(nor_begin(&adapter->flash, &facts, kind + 1));
    nor_port(&adapter->flash, &adapter->port);
    CHECK_EQUAL(open_store(adapter), YT_OK);
    CHECK_EQUAL(yt_store_write(&adapter->store, 0, "old", content[0], 350, content[0], 20), YT_OK);
    CHECK_EQUAL(yt_store_write(&adapter->store, 1, "other", content[1], 100, NULL, 0), YT_OK);
    CHECK_EQUAL(open_store(adapter), YT_OK);
    CHECK_EQUAL(yt_store_rename(&adapter->store, 1, "another"), YT_OK);
    CHECK_EQUAL(yt_store_activate(&adapter->store, 1), YT_OK);
}

/* Power-ons in which nothing happens, and one small change at last. */
static void check_stays(adapter *adapter, uint32_t now) {
    for (unsigned i = 0; i < 3; i++) {
        nor_power_on(&adapter->flash);
        CHECK_EQUAL(open_store(adapter), YT_OK);
        CHECK_EQUAL(told(adapter), now);
    }
    CHECK_EQUAL(yt_store_write(&adapter->store, 2, "then", content[3], 200, NULL, 0), YT_OK);
    CHECK_EQUAL(yt_store_verify(&adapter->store, 2), YT_OK);
    CHECK_EQUAL(adapter->flash.breaches, 0);
}

/* A recovery that is cut, too, at each of its operations, and the one after that. */
static void check_recovery(const adapter *from, uint32_t old, uint32_t new, unsigned depth) {
    for (uint64_t cut = from->flash.operations % step;; cut += step) {
        static adapter levels[3];
        adapter *adapter = &levels[depth];
        copy_adapter(adapter, from);
        nor_power_on(&adapter->flash);
        adapter->flash.until_cut = cut;
        yt_status status = open_store(adapter);
        bool is_whole = !adapter->flash.off;
        adapter->flash.until_cut = NOR_NO_CUT;
        if (is_whole) {
            CHECK_EQUAL(status, YT_OK);
            uint32_t now = told(adapter);
            CHECK(now == old || now == new);
            check_stays(adapter, now);
        } else if (depth > 0) {
            check_recovery(adapter, old, new, depth - 1);
        } else {
            nor_power_on(&adapter->flash);
            CHECK_EQUAL(open_store(adapter), YT_OK);
            uint32_t now = told(adapter);
            CHECK(now == old || now == new);
            check_stays(adapter, now);
        }
        nor_end(&adapter->flash);
        if (is_whole)
            return;
    }
}

static void check_deed(unsigned kind, unsigned unit, deed deed) {
    static adapter start, cut_one, whole;
    begin(&start, kind, unit, 14);
    /* Once in the sector that is open, once after a power-on, in which another one is begun. */
    for (unsigned fresh = 0; fresh < 2; fresh++) {
        if (fresh)
            CHECK_EQUAL(open_store(&start), YT_OK);
        uint32_t old = told(&start);
        copy_adapter(&whole, &start);
        CHECK_EQUAL(change(&whole.store, deed), YT_OK);
        uint32_t new = told(&whole);
        uint64_t operations = whole.flash.operations - start.flash.operations;
        nor_end(&whole.flash);
        CHECK(deed == COLLECT ? old == new : old != new);
        for (uint64_t cut = 0; cut < operations; cut++) {
            about("torn kind %u, units of %u, %s%s, cut at %" PRIu64, kind, unit, names[deed],
                  fresh ? " after a power-on" : "", cut);
            copy_adapter(&cut_one, &start);
            cut_one.flash.until_cut = cut;
            yt_status status = change(&cut_one.store, deed);
            CHECK(cut_one.flash.off);
            CHECK(status == YT_OK || status == YT_FLASH ||
                  (deed == COPY && (status == YT_UNREADABLE || status == YT_SLOT_DAMAGED)));
            check_recovery(&cut_one, old, new, operations - cut <= 3 ? 2 : 0);
            nor_end(&cut_one.flash);
        }
    }
    nor_end(&start.flash);
}

/* Whether what the store takes for untouched space is, and no part of the journal. */
static bool is_space_good(const adapter *adapter) {
    const yt_store *store = &adapter->store;
    bool is_good = true;
    for (uint32_t at = store->space; at < store->space_end; at++)
        is_good = is_good && adapter->flash.now[at] == adapter->flash.facts.erased_value;
    for (unsigned i = 0; i < store->sector_count; i++)
        if (store->sectors[i].state == 2 /* of the journal */)
            is_good = is_good && (store->space >= (i + 1) * 1024 || store->space_end <= i * 1024);
    return is_good;
}

/* Writes of every size, some given up, and small changes: what a history does to space. */
static yt_status change_space(yt_store *store, dice *dice) {
    if (roll(dice) % 4 == 0) {
        yt_status done = YT_OK;
        for (unsigned i = roll(dice) % 40; i > 0 && done <= YT_END; i--)
            done = yt_store_work(store, 8, roll(dice) % 4);
        return done;
    }
    unsigned slot = roll(dice) % SLOTS, size = 1 + roll(dice) % (roll(dice) % 3 ? 400 : 1500);
    if (roll(dice) % 2)
        return yt_store_write(store, slot, "s", wide, size, NULL, 0);
    if (roll(dice) % 2)
        return yt_store_rename(store, slot, "t");
    yt_status status = yt_store_begin(store, slot, size, 0);
    yt_store_give_up(store);
    return status;
}

/* It goes on after the power came back, and stays so; at first it may go again and again. */
static void check_goes_on(adapter *adapter, dice *dice) {
    while (roll(dice) % 4) {
        nor_power_on(&adapter->flash);
        adapter->flash.until_cut = roll(dice) % (roll(dice) % 2 ? 16 : 120);
        if (open_store(adapter) == YT_OK && !adapter->flash.off)
            break;
    }
    nor_power_on(&adapter->flash);
    adapter->flash.until_cut = NOR_NO_CUT;
    for (unsigned round = 0; round < 2; round++) {
        CHECK_EQUAL(open_store(adapter), YT_OK);
        CHECK(is_space_good(adapter));
        unsigned other = (yt_store_active(&adapter->store) + 1) % SLOTS;
        CHECK_EQUAL(yt_store_activate(&adapter->store, other), YT_OK);
        CHECK_EQUAL(yt_store_active(&adapter->store), other);
    }
}

/* A history on a flash that is nearly full. Some of the operations of a change in which the journal
 * goes on elsewhere are cut, and all of the last ones. */
static void check_full(unsigned kind, unsigned unit, unsigned sectors, unsigned changes) {
    static adapter start, cut_one, whole;
    dice dice = {changes + 100 * sectors + kind};
    begin(&start, kind, unit, sectors);
    for (unsigned i = 0; i < changes; i++) {
        struct dice before = dice;
        copy_adapter(&whole, &start);
        change_space(&whole.store, &dice);
        uint64_t operations = whole.flash.operations - start.flash.operations;
        bool is_tried = whole.store.newest != start.store.newest;
        for (uint64_t cut = 0; is_tried && cut < operations; cut++) {
            struct dice again = before;
            if (cut + 20 < operations && roll(&dice) % (operations / 16 + 1) != 0)
                continue;
            about("%u sectors, torn kind %u, change %u, cut at %" PRIu64, sectors, kind, i, cut);
            copy_adapter(&cut_one, &start);
            cut_one.flash.until_cut = cut;
            change_space(&cut_one.store, &again);
            check_goes_on(&cut_one, &dice);
            nor_end(&cut_one.flash);
        }
        nor_end(&start.flash);
        copy_adapter(&start, &whole);
        nor_end(&whole.flash);
    }
    nor_end(&start.flash);
}

/* The sector in which space is left is the one that the journal would like best, if it could. */
static void check_space_is_given_up(void) {
    static adapter start, cut_one;
    dice dice = {9};
    begin(&start, 0, 8, 14);
    CHECK_EQUAL(yt_store_begin(&start.store, 2, 600, 0), YT_OK);
    yt_store_give_up(&start.store);
    for (unsigned i = 0; i < 14; i++)
        start.sectors[i].erases += i == start.store.space / 1024 ? 0 : 100;
    for (unsigned rename = 0; rename < 40; rename++) {
        bool is_whole = false;
        for (uint64_t cut = 0; !is_whole; cut++) {
            about("after %u changes, cut at %" PRIu64, rename, cut);
            copy_adapter(&cut_one, &start);
            cut_one.flash.until_cut = cut;
            is_whole = yt_store_begin(&cut_one.store, 2, 900, 0) == YT_OK;
            check_goes_on(&cut_one, &dice);
            nor_end(&cut_one.flash);
        }
        CHECK_EQUAL(yt_store_rename(&start.store, 1, &"quay and yard"[rename % 13]), YT_OK);
    }
    nor_end(&start.flash);
}

/* Content goes into a sector of its own, which the journal would like best for the record of it. */
static void check_staged_stays(bool is_moved) {
    static adapter start, one;
    const void *program;
    size_t size;
    unsigned liked = 0; /* else the journal went there before */
    begin(&start, 0, 8, 14);
    if (is_moved)
        CHECK_EQUAL(yt_store_write(&start.store, 2, "old", wide, 1000, NULL, 0), YT_OK);
    for (unsigned rename = 0; rename < 40; rename++) {
        yt_pin pin;
        yt_slot info;
        about("%s after %u changes", is_moved ? "moved" : "written", rename);
        copy_adapter(&one, &start);
        unsigned taken = 0;
        while (one.sectors[taken].number > 0 || one.sectors[taken].live > 0 ||
               taken == one.store.space / 1024)
            taken++;
        for (unsigned i = 0; i < 14; i++)
            one.sectors[i].erases += i == taken ? 0 : 100;
        if (is_moved) {
            for (uint32_t at = 0; at + 1000 <= one.flash.size; at += 32)
                if (memcmp(one.flash.now + at, wide, 1000) == 0)
                    one.flash.now[at + 7] ^= 4;
            CHECK_EQUAL(yt_store_find(&one.store, 2, &pin, &program, &size), YT_OK);
            CHECK_EQUAL(one.store.counts.mended, 1);
        } else {
            CHECK_EQUAL(yt_store_write(&one.store, 2, "new", wide, 1000, NULL, 0), YT_OK);
        }
        CHECK_EQUAL(yt_store_slot(&one.store, 2, &info), YT_OK);
        CHECK_EQUAL(yt_store_verify(&one.store, 2), YT_OK);
        liked += one.sectors[taken].live > 0;
        nor_end(&one.flash);
        CHECK_EQUAL(yt_store_rename(&start.store, 1, &"quay and yard"[rename % 13]), YT_OK);
    }
    CHECK(liked > 30);
    nor_end(&start.flash);
}

int main(int count, char **words) {
    static const unsigned units[] = {32, 8, 16, 4};
    dice dice = {5};
    for (size_t i = 0; i < 4; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    if (count > 1)
        step = (unsigned)strtoul(words[1], NULL, 10);
    if (step == 0)
        return 2;
    for (unsigned kind = 0; kind < NOR_TORN_KINDS; kind++)
        for (deed deed = 0; deed < DEEDS; deed++)
            check_deed(kind, units[(kind + deed) % 4], deed);
    for (size_t i = 0; i < sizeof wide; i++)
        wide[i] = (uint8_t)roll(&dice);
    check_staged_stays(false);
    check_staged_stays(true);
    check_space_is_given_up();
    for (unsigned kind = 0; kind < some(NOR_TORN_KINDS); kind++) {
        unsigned unit = units[(kind + 2) % 4];
        check_full(kind, unit, fewest(unit) + kind % 5, 61);
    }
    return report_checks();
}
