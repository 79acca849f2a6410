/* The power is cut at every operation of a change, and at every one of what comes then, for each
 * way in which a torn unit can read: what is answered once stays, whatever it reads as later. */
#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define SECTORS 14
#define SLOTS   3

typedef struct adapter {
    nor_flash flash;
    yt_port port;
    yt_store store;
    yt_store_sector sectors[SECTORS];
} adapter;

static uint8_t content[4][400];
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

static void begin(adapter *adapter, unsigned kind, unsigned unit) {
    const nor_facts facts = {.sectors = SECTORS,
                             .sector_bytes = 1024,
                             .unit_bytes = unit,
                             .erased_value = kind % 2 ? 0x00 : 0xff,
                             .programs = 1,
                             .torn = 1u << kind};
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
    begin(&start, kind, unit);
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
    return report_checks();
}
