/* Beside the engine: each call is bounded, nothing is erased that may not be, what is said to be
 * ready is, and wear is spread over all sectors. */
#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define SECTORS 40
#define SLOTS   10
#define UNITS   8u

/* The longest record, and what begins a sector of the journal, in units. */
#define RECORD_UNITS(unit) ((32u + 140u + 12u + 3 * (unit)) / (unit))

static const nor_facts kinds[] = {
    {.sectors = SECTORS,
     .sector_bytes = 2048,
     .unit_bytes = 8,
     .erased_value = 0xff,
     .programs = 1},
    {.sectors = SECTORS,
     .sector_bytes = 1024,
     .unit_bytes = 4,
     .erased_value = 0xff,
     .programs = 1},
    {.sectors = 12, .sector_bytes = 8192, .unit_bytes = 32, .erased_value = 0x00, .programs = 1},
};
#define KINDS (sizeof kinds / sizeof *kinds)

static nor_flash flash;
static yt_port port;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static uint8_t content[SLOTS][1500];

static yt_status open_store(void) {
    return yt_store_open(&store, &port, SLOTS, sectors, SECTORS);
}

static uint32_t erases(void) {
    uint32_t sum = 0;
    for (unsigned i = 0; i < flash.facts.sectors; i++)
        sum += flash.sectors[i].erases;
    return sum;
}

static void begin(const nor_facts *facts) {
    memset(&port, 0, sizeof port);
    CHECK(nor_begin(&flash, facts, 3));
    nor_port(&flash, &port);
    CHECK_EQUAL(open_store(), YT_OK);
    for (unsigned slot = 0; slot < SLOTS; slot++)
        CHECK_EQUAL(yt_store_write(&store, slot, "cold", content[slot], 900, content[slot], 100),
                    YT_OK);
}

/* Calls for work, until nothing is left to do but reading; each is bounded. */
static unsigned work(bool may_erase) {
    unsigned calls = 0, quiet = 0;
    for (; quiet < 50 && calls < 20000; calls++) {
        uint32_t erased = erases();
        uint64_t operations = flash.operations, read = flash.bytes_read;
        yt_status status = yt_store_work(&store, UNITS, may_erase);
        CHECK(status == YT_OK || status == YT_END);
        quiet = status == YT_END ? quiet + 1 : 0;
        erased = erases() - erased;
        CHECK(erased <= may_erase);
        CHECK(flash.operations - operations <=
              UNITS + RECORD_UNITS(flash.facts.unit_bytes) * 2 + erased);
        CHECK(flash.bytes_read - read <= (erased ? flash.facts.sector_bytes : 0) + 2500u);
    }
    CHECK(quiet == 50);
    return calls;
}

static void check_bounded(const nor_facts *facts) {
    dice dice = {4};
    unsigned early = 0;
    about("units of %u", facts->unit_bytes);
    begin(facts);
    yt_store_keep_ready(&store, 1400);
    for (unsigned round = 0; round < some(2500); round++) {
        /* It is ready when it says so, whatever was begun. */
        for (unsigned i = roll_below(&dice, 60); i > 0; i--)
            CHECK(yt_store_work(&store, UNITS, roll_below(&dice, 2)) <= YT_END);
        early += yt_store_ready(&store, 1400);
        if (!yt_store_ready(&store, 1400))
            CHECK(work(true) > 0);
        CHECK(yt_store_ready(&store, 1400));
        /* A save in play: it only programs, a piece at a time. */
        uint32_t erased = erases(), moved = store.counts.moved;
        unsigned slot = roll_below(&dice, 9) ? 3 : roll_below(&dice, SLOTS),
                 which = roll_below(&dice, SLOTS);
        size_t size = roll_below(&dice, 1300), text = roll_below(&dice, 100);
        CHECK_EQUAL(yt_store_begin(&store, slot, size, text), YT_OK);
        for (size_t done = 0; done < size + text; done++)
            CHECK_EQUAL(yt_store_piece(&store, content[which] + done, 1), YT_OK);
        CHECK_EQUAL(yt_store_commit(&store, NULL), YT_OK);
        CHECK_EQUAL(erases(), erased);
        CHECK_EQUAL(store.counts.moved, moved);
        CHECK_EQUAL(yt_store_verify(&store, slot), YT_OK);
        if (round % 10 == 0)
            CHECK_EQUAL(open_store(), YT_OK);
        if (round % 10 == 0)
            yt_store_keep_ready(&store, 1400);
    }
    CHECK(early > 20 && early < 2500);
    about("units of %u, where nothing may be erased", facts->unit_bytes);
    CHECK_EQUAL(open_store(), YT_OK);
    uint32_t erased = erases();
    CHECK(!yt_store_ready(&store, 0)); /* nothing is programmed behind what was there before */
    work(false);
    CHECK_EQUAL(erases(), erased);
    nor_end(&flash);
}

/* A store that is not ready says so, and one that is asked for more than there is. */
static void check_ready(void) {
    begin(&kinds[0]);
    about("what is ready");
    work(true);
    CHECK(yt_store_ready(&store, 0));
    CHECK(!yt_store_ready(&store, 100000));
    yt_store_keep_ready(&store, 100000);
    CHECK(work(true) > 0);
    CHECK(!yt_store_ready(&store, 100000));
    yt_store_keep_ready(&store, 3000);
    work(true);
    CHECK(yt_store_ready(&store, 3000));
    nor_end(&flash);
}

/* Turns a bit of what stands there. */
static void rot(const uint8_t *bytes, size_t size) {
    for (size_t at = 0; at + size <= flash.size; at += YT_STORE_ALIGNMENT)
        if (memcmp(flash.now + at, bytes, size) == 0)
            flash.now[at + size / 2] ^= 0x10;
}

/* A bit that rots is mended; nothing is erased for it where nothing may be. */
static void check_mending(const nor_facts *facts) {
    dice dice = {6};
    begin(facts);
    for (unsigned i = 0; i < 40; i++) {
        uint8_t bytes[700];
        about("units of %u, a bit that rots after %u changes", facts->unit_bytes, i);
        for (size_t k = 0; k < sizeof bytes; k++)
            bytes[k] = (uint8_t)roll(&dice);
        CHECK_EQUAL(
            yt_store_write(&store, 3, &"quay and yard"[i % 13], bytes, sizeof bytes, NULL, 0),
            YT_OK);
        rot(bytes, sizeof bytes);
        CHECK_EQUAL(yt_store_verify(&store, 3), YT_SLOT_DAMAGED);
        uint32_t erased = erases(), mended = store.counts.mended;
        for (unsigned k = 0; k < 600; k++)
            CHECK(yt_store_work(&store, UNITS, false) <= YT_END);
        CHECK_EQUAL(erases(), erased);
        for (unsigned k = 0; k < 5000 && store.counts.mended == mended; k++)
            CHECK(yt_store_work(&store, UNITS, true) <= YT_END);
        CHECK(store.counts.mended > mended);
        while (store.staging.is_on)
            CHECK(yt_store_work(&store, UNITS, true) <= YT_END);
        CHECK_EQUAL(yt_store_verify(&store, 3), YT_OK);
    }
    nor_end(&flash);
}

/* One slot in ten is written again and again, by a firmware that calls for work and by one that
 * does not. */
static void check_wear(const nor_facts *facts, bool works) {
    uint32_t lowest = UINT32_MAX, highest = 0;
    about("wear, units of %u%s", facts->unit_bytes, works ? ", with work" : "");
    begin(facts);
    for (unsigned i = 0; i < 8000; i++) {
        CHECK_EQUAL(yt_store_write(&store, 3, NULL, content[3], 700, content[3], 100), YT_OK);
        for (unsigned k = 0; k < (works ? 10u : 0u); k++)
            CHECK(yt_store_work(&store, 200, true) <= YT_END);
    }
    for (unsigned i = 0; i < facts->sectors; i++) {
        uint32_t one = flash.sectors[i].erases;
        lowest = one < lowest ? one : lowest;
        highest = one > highest ? one : highest;
    }
    CHECK(highest - lowest <= 128);
    CHECK(highest > 90 || facts->sector_bytes > 2048);
    for (unsigned slot = 0; slot < SLOTS; slot++)
        CHECK_EQUAL(yt_store_verify(&store, slot), YT_OK);
    about("wear is known after a power-on, units of %u", facts->unit_bytes);
    CHECK_EQUAL(open_store(), YT_OK);
    for (unsigned i = 0; i < facts->sectors; i++)
        CHECK(flash.sectors[i].erases - sectors[i].erases <= 8 ||
              sectors[i].erases - flash.sectors[i].erases <= 8);
    nor_end(&flash);
}

/* 64 slots with names, all written, some again: a start reads little. */
static void check_start(uint32_t count, uint32_t sector_bytes, uint32_t unit_bytes) {
    const nor_facts facts = {.sectors = count,
                             .sector_bytes = sector_bytes,
                             .unit_bytes = unit_bytes,
                             .erased_value = 0xff,
                             .programs = 1};
    static yt_store_sector many[128];
    dice dice = {8};
    uint64_t most = 0;
    about("a start with 64 slots, units of %u, %u sectors of %u", unit_bytes, count, sector_bytes);
    memset(&port, 0, sizeof port);
    CHECK(nor_begin(&flash, &facts, 3));
    nor_port(&flash, &port);
    CHECK_EQUAL(yt_store_open(&store, &port, 64, many, 128), YT_OK);
    for (unsigned i = 0; i < some(2000); i++) {
        unsigned slot = i < 64 ? i : roll_below(&dice, 64);
        CHECK_EQUAL(yt_store_write(&store, slot, "a name as long as a name can be!",
                                   content[i % 10], roll_below(&dice, 1400), NULL, 0),
                    YT_OK);
        if (i % 50 == 49) {
            uint64_t before = flash.bytes_read;
            CHECK_EQUAL(yt_store_open(&store, &port, 64, many, 128), YT_OK);
            most = flash.bytes_read - before > most ? flash.bytes_read - before : most;
        }
    }
    printf("a start with 64 slots, units of %u, %u sectors of %u, reads up to %" PRIu64 " bytes\n",
           unit_bytes, count, sector_bytes, most);
    CHECK(most < 20000);
    nor_end(&flash);
}

/* ---- an erase that says that it was done, and was not ---- */

static yt_flash real;
static unsigned over_what_is_there;

static int erase_most(void *context, uint32_t sector) {
    return sector % 4 == 3 ? 0 : real.erase(context, sector);
}

static int program_and_look(void *context, uint32_t offset, const void *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        over_what_is_there += flash.now[offset + i] != flash.facts.erased_value;
    return real.program(context, offset, bytes, size);
}

/* What was not erased is found before anything is programmed there. */
static void check_erases_are_looked_at(void) {
    dice dice = {8};
    begin(&kinds[0]);
    real = port.flash;
    for (unsigned i = 0; i < 400; i++) {
        about("write %u", i);
        CHECK_EQUAL(yt_store_write(&store, i % 3, "quay", content[i % 4], 100 + roll(&dice) % 1400,
                                   NULL, 0),
                    YT_OK);
        port.flash.erase = i > 100 ? erase_most : real.erase;
        port.flash.program = i > 100 ? program_and_look : real.program;
    }
    CHECK_EQUAL(over_what_is_there, 0);
    CHECK(store.counts.failures > 0);
    nor_end(&flash);
}

int main(void) {
    dice dice = {5};
    for (size_t i = 0; i < SLOTS; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    for (size_t kind = 0; kind < KINDS; kind++)
        check_bounded(&kinds[kind]);
    check_ready();
    check_erases_are_looked_at();
    for (size_t kind = 0; kind < KINDS; kind++)
        check_mending(&kinds[kind]);
    for (size_t kind = 0; kind < KINDS; kind++) {
        check_wear(&kinds[kind], false);
        check_wear(&kinds[kind], true);
    }
    check_start(64, 4096, 8);
    check_start(128, 2048, 4);
    check_start(64, 8192, 16);
    check_start(8, 131072, 32);
    return report_checks();
}
