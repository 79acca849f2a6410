/* The model of flash does what its facts say, for all units, sectors and erased values: and the
 * store that there is today lives through the torn units that read the same each time. */
#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

static nor_flash flash;
static yt_port port;
static dice d = {16};

static nor_facts made_facts(void) {
    nor_facts facts = {.sectors = 2 + roll_below(&d, 5),
                       .sector_bytes = 1024u << roll_below(&d, 8),
                       .unit_bytes = 1u << roll_below(&d, 6),
                       .erased_value = roll_below(&d, 2) ? 0xff : 0x00,
                       .programs = (uint8_t)roll_below(&d, 3),
                       .torn = NOR_ALL_KINDS,
                       .program_us = roll_below(&d, 200),
                       .erase_us = roll_below(&d, 2000000),
                       .stops_code = roll_below(&d, 2)};
    facts.reserved = roll_below(&d, facts.sectors);
    return facts;
}

static void begin(const nor_facts *facts) {
    CHECK(nor_begin(&flash, facts, roll(&d)));
    memset(&port, 0, sizeof port);
    nor_port(&flash, &port);
}

static void roll_bytes(uint8_t *bytes, size_t size) {
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)roll(&d);
}

static bool reads_as(uint32_t offset, const uint8_t *bytes, size_t size) {
    uint8_t got[256];
    return port.flash.read(port.context, offset, got, size) == 0 && memcmp(got, bytes, size) == 0;
}

/* While the power stays: what was programmed reads back, an erase makes it blank, and what the
 * facts forbid is refused and counted. */
static void check_firm(void) {
    for (unsigned turn = 0; turn < 300; turn++) {
        nor_facts facts = made_facts();
        uint8_t bytes[32], blank[32], other[32], both[32];
        begin(&facts);
        uint32_t unit = facts.unit_bytes, sectors = facts.sectors - facts.reserved;
        uint32_t units = sectors * facts.sector_bytes / unit, offset = roll_below(&d, units) * unit;
        about("units of %u, %u times, sectors of %u, erased %02x", unit, facts.programs,
              facts.sector_bytes, facts.erased_value);
        memset(blank, facts.erased_value, 32);
        CHECK(reads_as(offset, blank, unit));
        roll_bytes(bytes, 32);
        bytes[0] ^= facts.erased_value == bytes[0]; /* not blank */
        roll_bytes(other, 32);
        other[0] = 0x5a; /* not the full opposite either */
        for (unsigned i = 0; i < 32; i++)
            both[i] = facts.erased_value ? bytes[i] & other[i] : bytes[i] | other[i];
        CHECK_EQUAL(port.flash.program(port.context, offset, bytes, unit), 0);
        CHECK(reads_as(offset, bytes, unit));
        bool twice = port.flash.program(port.context, offset, other, unit) == 0;
        CHECK_EQUAL(twice, facts.programs != 1);
        CHECK(reads_as(offset, twice ? both : bytes, unit));
        bool thrice = port.flash.program(port.context, offset, other, unit) == 0;
        CHECK_EQUAL(thrice, facts.programs == 0);
        CHECK_EQUAL(flash.breaches, facts.programs == 0 ? 0 : 3u - facts.programs);
        CHECK_EQUAL(flash.time_us, flash.operations * facts.program_us);
        uint32_t sector = offset / facts.sector_bytes;
        CHECK_EQUAL(port.flash.erase(port.context, sector), 0);
        CHECK(reads_as(offset, blank, unit));
        CHECK_EQUAL(flash.sectors[sector + facts.reserved].erases, 1);
        CHECK_EQUAL(flash.stopped_us, facts.stops_code ? facts.erase_us : 0);
        CHECK_EQUAL(port.flash.program(port.context, offset, bytes, unit), 0);
        CHECK(port.flash.erase(port.context, sectors) != 0);
        CHECK(port.flash.read(port.context, units * unit, bytes, 1) != 0);
        CHECK(unit == 1 || port.flash.program(port.context, 0, bytes, unit + 1) != 0);
        nor_end(&flash);
    }
}

/* The full opposite at any time, where a part can do that. */
static void check_cleared(void) {
    for (unsigned may = 0; may < 2; may++) {
        nor_facts facts = {
            .sectors = 1, .sector_bytes = 1024, .unit_bytes = 8, .erased_value = 0xff};
        static const uint8_t some[8] = {1, 2, 3}, none[8] = {0};
        facts.programs = 1;
        facts.may_be_cleared = may;
        begin(&facts);
        CHECK_EQUAL(port.flash.program(port.context, 0, some, 8), 0);
        CHECK_EQUAL(port.flash.program(port.context, 0, none, 8) == 0, may);
        CHECK(reads_as(0, may ? none : some, 8));
        nor_end(&flash);
    }
}

#define POWER_ONS 8
#define READS     6

/* What a unit reads as over some power-ons, several times each. */
typedef struct seen {
    bool reads[POWER_ONS][READS];
    uint8_t bytes[POWER_ONS][READS][32];
} seen;

static void look(seen *seen, uint32_t offset, uint32_t unit) {
    for (unsigned p = 0; p < POWER_ONS; p++) {
        nor_power_on(&flash);
        for (unsigned r = 0; r < READS; r++)
            seen->reads[p][r] = port.flash.read(port.context, offset, seen->bytes[p][r], unit) == 0;
    }
}

static bool is_stable(const seen *seen, unsigned p, uint32_t unit) {
    for (unsigned r = 1; r < READS; r++)
        if (memcmp(seen->bytes[p][0], seen->bytes[p][r], unit) != 0)
            return false;
    return true;
}

/* Each bit is old or new. */
static bool is_of_both(const uint8_t *got, const uint8_t *old, const uint8_t *new, uint32_t unit) {
    for (uint32_t i = 0; i < unit; i++)
        if ((got[i] ^ old[i]) & (got[i] ^ new[i]))
            return false;
    return true;
}

static unsigned seen_kinds[NOR_TORN_KINDS]; /* that showed what they are */

/* What a kind of torn unit reads as, from power-on to power-on. */
static void check_kind(nor_torn kind, const seen *seen, const uint8_t *old, const uint8_t *new,
                       uint32_t unit) {
    bool all_same = true, all_stable = true;
    for (unsigned p = 0; p < POWER_ONS; p++) {
        const uint8_t *got = seen->bytes[p][0];
        bool is_old = memcmp(got, old, unit) == 0, is_new = memcmp(got, new, unit) == 0;
        if (kind == NOR_UNREADABLE) {
            CHECK(!seen->reads[p][0]);
            continue;
        }
        CHECK(seen->reads[p][0]);
        CHECK(is_of_both(got, old, new, unit));
        all_stable &= is_stable(seen, p, unit);
        all_same &= memcmp(got, seen->bytes[0][0], unit) == 0;
        CHECK(kind != NOR_OLD || is_old);
        CHECK(kind != NOR_NEW || is_new);
        CHECK((kind != NOR_COMES_BACK && kind != NOR_FADES) || is_old || is_new);
    }
    if (kind == NOR_UNREADABLE)
        return;
    CHECK(kind == NOR_UNSTABLE || all_stable);
    CHECK(all_same || kind == NOR_UNSTABLE || kind == NOR_BY_POWER_ON || kind == NOR_COMES_BACK ||
          kind == NOR_FADES);
    const uint8_t *last = seen->bytes[POWER_ONS - 1][0];
    CHECK(kind != NOR_COMES_BACK || memcmp(last, old, unit) == 0);
    CHECK(kind != NOR_FADES || memcmp(last, new, unit) == 0);
    bool shows = kind == NOR_UNSTABLE      ? !all_stable
                 : kind == NOR_BY_POWER_ON ? !all_same
                 : kind == NOR_MIXED       ? memcmp(last, old, unit) && memcmp(last, new, unit)
                                           : true;
    seen_kinds[kind] += shows;
}

/* A cut while a unit is programmed, and while its sector is erased. */
static void check_torn(void) {
    for (unsigned turn = 0; turn < 400; turn++) {
        nor_facts facts = made_facts();
        nor_torn kind = (nor_torn)(turn % NOR_TORN_KINDS);
        uint8_t old[32], new[32];
        static seen seen;
        facts.programs = 1;
        facts.torn = 1u << kind;
        begin(&facts);
        uint32_t unit = facts.unit_bytes, offset = roll_below(&d, 20) * unit;
        about("kind %u, units of %u", kind, unit);
        memset(old, facts.erased_value, 32);
        roll_bytes(new, 32);
        if (turn % 2) { /* the erase of what is there */
            CHECK_EQUAL(port.flash.program(port.context, offset, new, unit), 0);
            memcpy(old, new, 32);
            memset(new, facts.erased_value, 32);
        }
        flash.until_cut = 0;
        CHECK((turn % 2 ? port.flash.erase(port.context, 0)
                        : port.flash.program(port.context, offset, new, unit)) != 0);
        CHECK(flash.off);
        CHECK(port.flash.read(port.context, offset, seen.bytes[0][0], unit) != 0);
        CHECK(port.flash.program(port.context, offset, new, unit) != 0);
        CHECK(port.flash.erase(port.context, 0) != 0);
        look(&seen, offset, unit);
        check_kind(kind, &seen, old, new, unit);
        unsigned breaches = flash.breaches;
        CHECK(port.flash.program(port.context, offset, old, unit) != 0);
        CHECK_EQUAL(flash.breaches,
                    breaches + 1); /* it counts as programmed, whatever it reads as */
        CHECK_EQUAL(port.flash.erase(port.context, 0), 0); /* an erase makes it firm again */
        memset(old, facts.erased_value, 32);
        look(&seen, offset, unit);
        check_kind(NOR_OLD, &seen, old, old, unit);
        nor_end(&flash);
    }
    for (unsigned kind = 0; kind < NOR_TORN_KINDS; kind++) {
        about("kind %u shows what it is", kind);
        CHECK(kind == NOR_UNREADABLE || seen_kinds[kind] > 20);
    }
}

/* Wear, failures that are told and that are not, bits that rot by themselves and by reading. */
static void check_faults(void) {
    nor_facts facts = {
        .sectors = 4, .sector_bytes = 1024, .unit_bytes = 8, .erased_value = 0xff, .endurance = 50};
    uint8_t bytes[256], blank[256];
    unsigned bad = 0;
    memset(blank, 0xff, sizeof blank);
    begin(&facts);
    for (unsigned i = 0; i < 50; i++)
        CHECK_EQUAL(port.flash.erase(port.context, 2), 0);
    for (uint32_t at = 0; at < 1024; at += 256)
        CHECK(reads_as(2048 + at, blank, 256));
    for (unsigned i = 0; i < 50; i++)
        CHECK_EQUAL(port.flash.erase(port.context, 2), 0);
    for (uint32_t at = 0; at < 1024; at += 256)
        bad += !reads_as(2048 + at, blank, 256);
    about("a worn sector keeps bits, another does not");
    CHECK(bad > 0);
    CHECK(reads_as(0, blank, 256));
    nor_rot(&flash, 17, 3);
    CHECK_EQUAL(port.flash.read(port.context, 16, bytes, 8), 0);
    CHECK_EQUAL(bytes[1], 0xff ^ 8);
    nor_end(&flash);
    facts.endurance = 0;
    facts.loud = 100000;
    facts.silent = 100000;
    facts.sectors = 64;
    unsigned loud = 0, silent = 0;
    begin(&facts);
    memset(bytes, 0, sizeof bytes);
    for (uint32_t at = 0; at < 64 * 1024; at += 8) {
        bool fails = port.flash.program(port.context, at, bytes, 8) != 0;
        loud += fails;
        silent += !fails && !reads_as(at, bytes, 8);
    }
    about("of 8,192 units %u fail and say so, %u do not", loud, silent);
    CHECK(loud > 700 && loud < 940 && silent > 600 && silent < 860);
    nor_end(&flash);
    facts.loud = facts.silent = 0;
    facts.disturb = 100000;
    facts.sectors = 1;
    begin(&facts);
    for (unsigned i = 0; i < 400; i++)
        CHECK(reads_as(0, blank, 200) || i >= 400);
    CHECK_EQUAL(flash.bytes_read, 80000);
    for (unsigned i = 0; i < 1000; i++)
        CHECK_EQUAL(port.flash.read(port.context, 0, bytes, 200), 0);
    bad = 0;
    for (uint32_t at = 0; at < 1024; at += 256)
        bad += !reads_as(at, blank, 256);
    about("read often, a bit rots");
    CHECK(bad > 0);
    nor_end(&flash);
}

/* The same facts, seed and calls give the same, and a copy goes its own way. */
static void check_same(void) {
    nor_facts facts = made_facts();
    nor_flash one, other, copy;
    yt_port ports[3] = {{0}};
    uint8_t bytes[32], got[3][32];
    facts.torn = 1u << NOR_UNSTABLE;
    facts.programs = 1;
    CHECK(nor_begin(&one, &facts, 7) && nor_begin(&other, &facts, 7));
    nor_port(&one, &ports[0]);
    nor_port(&other, &ports[1]);
    roll_bytes(bytes, 32);
    for (unsigned i = 0; i < 2; i++) {
        nor_flash *of = i ? &other : &one;
        of->until_cut = 0;
        CHECK(ports[i].flash.program(ports[i].context, 0, bytes, facts.unit_bytes) != 0);
        nor_power_on(of);
    }
    CHECK(nor_copy(&copy, &one));
    nor_port(&copy, &ports[2]);
    for (unsigned k = 0; k < 20; k++) {
        for (unsigned i = 0; i < 3; i++)
            CHECK_EQUAL(ports[i].flash.read(ports[i].context, 0, got[i], facts.unit_bytes), 0);
        CHECK(memcmp(got[0], got[1], facts.unit_bytes) == 0);
        CHECK(memcmp(got[0], got[2], facts.unit_bytes) == 0);
    }
    CHECK_EQUAL(ports[2].flash.erase(ports[2].context, 0), 0);
    CHECK_EQUAL(one.operations + 1, copy.operations);
    nor_end(&one);
    nor_end(&other);
    nor_end(&copy);
    facts.unit_bytes = 3;
    CHECK(!nor_begin(&one, &facts, 1));
    facts.unit_bytes = 64;
    CHECK(!nor_begin(&one, &facts, 1));
}

int main(void) {
    check_firm();
    check_cleared();
    check_torn();
    check_faults();
    check_same();
    return report_checks();
}
