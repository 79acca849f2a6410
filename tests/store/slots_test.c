/* What a firmware asks of its slots, and what it is told. */
#include <sys/stat.h>
#include <unistd.h>

#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "tests/store/axis.h"
#include "yonder/calibration.h"
#include "yonder/image/program.h"
#include "yonder/store.h"

#define SECTORS 24

static const nor_facts usual = {.sectors = SECTORS,
                                .sector_bytes = 2048,
                                .unit_bytes = 8,
                                .erased_value = 0xff,
                                .programs = 1,
                                .is_mapped = true};
static nor_flash flash;
static yt_port port;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static uint8_t content[4][9000];

static yt_status open_store(unsigned slots) {
    return yt_store_open(&store, &port, slots, sectors, SECTORS);
}

static void begin(const nor_facts *facts) {
    memset(&port, 0, sizeof port);
    CHECK(nor_begin(&flash, facts, 3));
    nor_port(&flash, &port);
    CHECK_EQUAL(open_store(8), YT_OK);
}

static void restart(void) {
    nor_power_on(&flash);
    CHECK_EQUAL(open_store(8), YT_OK);
}

static yt_status put(unsigned slot, unsigned which, const char *name, size_t size, size_t text) {
    return yt_store_write(&store, slot, name, content[which], size, content[which] + size, text);
}

static void check_slot(unsigned slot, unsigned which, const char *name, size_t size, size_t text) {
    static uint8_t got[9000];
    yt_slot info;
    CHECK_EQUAL(yt_store_slot(&store, slot, &info), YT_OK);
    CHECK_TEXT(info.name, name);
    CHECK_EQUAL(info.bytes[YT_SLOT_PROGRAM], size);
    CHECK_EQUAL(info.bytes[YT_SLOT_TEXT], text);
    CHECK_EQUAL(yt_store_verify(&store, slot), YT_OK);
    CHECK_EQUAL(yt_store_read(&store, slot, YT_SLOT_PROGRAM, 0, got, info.bytes[0]), YT_OK);
    CHECK_EQUAL(memcmp(got, content[which], info.bytes[0]), 0);
    CHECK_EQUAL(yt_store_read(&store, slot, YT_SLOT_TEXT, 0, got, info.bytes[1]), YT_OK);
    CHECK_EQUAL(memcmp(got, content[which] + info.bytes[0], info.bytes[1]), 0);
}

static void check_changes(void) {
    yt_slot info, before;
    begin(&usual);
    about("an adapter that was never used");
    for (unsigned slot = 0; slot < 8; slot++)
        CHECK_EQUAL(yt_store_slot(&store, slot, &info), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_active(&store), 0);
    about("write, and write again with no name: it keeps its name, and nothing else");
    CHECK_EQUAL(put(2, 0, "quay", 700, 300), YT_OK);
    CHECK_EQUAL(yt_store_keep(&store, 2, "kept", 4), YT_OK);
    CHECK_EQUAL(yt_store_slot(&store, 2, &before), YT_OK);
    CHECK_EQUAL(before.kept_bytes, 4);
    CHECK_EQUAL(memcmp(before.kept, "kept", 4), 0);
    CHECK_EQUAL(put(2, 1, NULL, 800, 0), YT_OK);
    check_slot(2, 1, "quay", 800, 0);
    CHECK_EQUAL(yt_store_slot(&store, 2, &info), YT_OK);
    CHECK_EQUAL(info.kept_bytes, 0);
    CHECK(info.generation != before.generation);
    about("rename keeps content and what is kept");
    CHECK_EQUAL(yt_store_keep(&store, 2, "more", 4), YT_OK);
    CHECK_EQUAL(yt_store_rename(&store, 2, "the longest name that there is!!"), YT_OK);
    CHECK_EQUAL(yt_store_slot(&store, 2, &info), YT_OK);
    CHECK_EQUAL(memcmp(info.kept, "more", 4), 0);
    check_slot(2, 1, "the longest name that there is!!", 800, 0);
    CHECK_EQUAL(yt_store_rename(&store, 2, "a name that is one byte too long!"), YT_ARGUMENT);
    about("copy takes all of it");
    CHECK_EQUAL(yt_store_copy(&store, 2, 5), YT_OK);
    check_slot(5, 1, "the longest name that there is!!", 800, 0);
    CHECK_EQUAL(yt_store_copy(&store, 4, 5), YT_SLOT_EMPTY);
    check_slot(5, 1, "the longest name that there is!!", 800, 0);
    about("swap, with an empty one too");
    CHECK_EQUAL(put(3, 3, "three", 100, 20), YT_OK);
    CHECK_EQUAL(yt_store_swap(&store, 3, 5), YT_OK);
    CHECK_EQUAL(yt_store_swap(&store, 2, 6), YT_OK);
    CHECK_EQUAL(yt_store_erase(&store, 3), YT_OK);
    CHECK_EQUAL(yt_store_activate(&store, 6), YT_OK);
    for (unsigned round = 0; round < 3; round++) {
        check_slot(5, 3, "three", 100, 20);
        check_slot(6, 1, "the longest name that there is!!", 800, 0);
        CHECK_EQUAL(yt_store_slot(&store, 2, &info), YT_SLOT_EMPTY);
        CHECK_EQUAL(yt_store_slot(&store, 3, &info), YT_SLOT_EMPTY);
        CHECK_EQUAL(yt_store_active(&store), 6);
        restart();
    }
    CHECK_EQUAL(yt_store_rename(&store, 2, "x"), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_keep(&store, 2, "x", 1), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_keep(&store, 5, content[0], YT_STORE_KEPT + 1), YT_ARGUMENT);
    CHECK_EQUAL(flash.breaches, 0);
    nor_end(&flash);
}

/* What is written is announced, and nothing changes before it is committed. */
static void check_staging(void) {
    yt_slot info;
    begin(&usual);
    CHECK_EQUAL(put(1, 0, "old", 500, 0), YT_OK);
    about("what was begun is nothing yet, through other changes too");
    CHECK_EQUAL(yt_store_begin(&store, 1, 300, 100), YT_OK);
    CHECK_EQUAL(yt_store_piece(&store, content[1], 300), YT_OK);
    CHECK_EQUAL(yt_store_commit(&store, "new"), YT_ARGUMENT);
    CHECK_EQUAL(yt_store_piece(&store, content[1] + 300, 101), YT_ARGUMENT);
    CHECK_EQUAL(yt_store_rename(&store, 1, "older"), YT_OK);
    CHECK_EQUAL(yt_store_activate(&store, 1), YT_OK);
    check_slot(1, 0, "older", 500, 0);
    for (unsigned i = 0; i < 100; i++)
        CHECK_EQUAL(yt_store_piece(&store, content[1] + 300 + i, 1), YT_OK);
    check_slot(1, 0, "older", 500, 0);
    CHECK_EQUAL(yt_store_commit(&store, "new"), YT_OK);
    check_slot(1, 1, "new", 300, 100);
    CHECK_EQUAL(yt_store_commit(&store, "new"), YT_ARGUMENT);
    about("given up");
    CHECK_EQUAL(yt_store_begin(&store, 1, 300, 100), YT_OK);
    yt_store_give_up(&store);
    CHECK_EQUAL(yt_store_piece(&store, content[1], 3), YT_ARGUMENT);
    check_slot(1, 1, "new", 300, 100);
    about("slots that there are not");
    CHECK_EQUAL(yt_store_begin(&store, 8, 1, 1), YT_SLOT);
    CHECK_EQUAL(yt_store_slot(&store, 8, &info), YT_SLOT);
    CHECK_EQUAL(yt_store_read(&store, 8, YT_SLOT_TEXT, 0, &info, 1), YT_SLOT);
    CHECK_EQUAL(yt_store_copy(&store, 1, 8), YT_SLOT);
    CHECK_EQUAL(yt_store_copy(&store, 8, 1), YT_SLOT);
    CHECK_EQUAL(yt_store_swap(&store, 1, 8), YT_SLOT);
    CHECK_EQUAL(yt_store_erase(&store, 8), YT_SLOT);
    CHECK_EQUAL(yt_store_activate(&store, 8), YT_SLOT);
    CHECK_EQUAL(yt_store_rename(&store, 8, ""), YT_SLOT);
    about("reading no further than there is");
    CHECK_EQUAL(yt_store_read(&store, 1, YT_SLOT_TEXT, 100, &info, 0), YT_OK);
    CHECK_EQUAL(yt_store_read(&store, 1, YT_SLOT_TEXT, 100, &info, 1), YT_ARGUMENT);
    CHECK_EQUAL(yt_store_read(&store, 1, YT_SLOT_TEXT, 101, &info, 0), YT_ARGUMENT);
    CHECK_EQUAL(yt_store_read(&store, 1, YT_SLOT_PARTS, 0, &info, 0), YT_ARGUMENT);
    about("content of no bytes");
    CHECK_EQUAL(put(4, 0, "nothing", 0, 0), YT_OK);
    restart();
    check_slot(4, 0, "nothing", 0, 0);
    nor_end(&flash);
}

/* The flash is filled, and what does not fit leaves all as it was; what fits once fits always. */
static void check_full(void) {
    yt_slot info;
    unsigned filled = 0;
    begin(&usual);
    about("a flash that is filled");
    while (filled < 8 && put(filled, filled % 4, "full", 7000, 1000) == YT_OK)
        filled++;
    CHECK(filled >= 3 && filled < 8);
    CHECK_EQUAL(put(filled, 0, "full", 7000, 1000), YT_STORE_FULL);
    CHECK_EQUAL(yt_store_slot(&store, filled, &info), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_begin(&store, 7, 1 << 20, 0), YT_STORE_FULL);
    for (unsigned i = 0; i < filled; i++)
        check_slot(i, i % 4, "full", 7000, 1000);
    about("what was there goes, and as much fits again, over and over");
    for (unsigned round = 0; round < 60; round++) {
        unsigned slot = round % filled, which = (round + 1) % 4;
        CHECK_EQUAL(yt_store_erase(&store, slot), YT_OK);
        CHECK_EQUAL(put(slot, which, "full", 7000, 1000), YT_OK);
        check_slot(slot, which, "full", 7000, 1000);
    }
    restart();
    about("small changes can always be made");
    for (unsigned round = 0; round < 300; round++)
        CHECK_EQUAL(yt_store_rename(&store, round % filled, round % 2 ? "one" : "other"), YT_OK);
    nor_end(&flash);
}

/* Many small contents of other lengths, so that what is free lies here and there, and then large
 * ones. */
static void check_pieces(void) {
    dice dice = {77};
    begin(&usual);
    for (unsigned round = 0; round < 40; round++) {
        about("round %u of small and large contents", round);
        for (unsigned i = 0; i < 8; i++)
            CHECK_EQUAL(put(i, i % 4, "small", 1 + roll_below(&dice, 1800), 0), YT_OK);
        for (unsigned i = 0; i < 8; i++)
            if (i != round % 8)
                CHECK_EQUAL(yt_store_erase(&store, i), YT_OK);
        CHECK_EQUAL(put((round + 3) % 8, 2, "large", 8900, 0), YT_OK);
        check_slot((round + 3) % 8, 2, "large", 8900, 0);
    }
    CHECK_EQUAL(flash.breaches, 0);
    nor_end(&flash);
}

/* A program that runs where it stands stays there, whatever happens. */
static void check_pinned(void) {
    const void *place, *other;
    size_t size;
    yt_pin pin, second;
    dice dice = {5};
    begin(&usual);
    about("a program that runs");
    CHECK_EQUAL(put(1, 0, "runs", 5000, 100), YT_OK);
    CHECK_EQUAL(put(2, 1, "runs, too", 900, 0), YT_OK);
    CHECK_EQUAL(yt_store_find(&store, 1, &pin, &place, &size), YT_OK);
    CHECK_EQUAL((uintptr_t)place % 4, 0);
    CHECK_EQUAL(size, 5000);
    CHECK_EQUAL(yt_store_find(&store, 2, &second, &other, &size), YT_OK);
    for (unsigned round = 0; round < 200; round++) {
        yt_status status = put(roll_below(&dice, 8), 3, "x", roll_below(&dice, 4000), 0);
        CHECK(status == YT_OK || status == YT_STORE_FULL);
        if (round % 3 == 0)
            CHECK_EQUAL(yt_store_erase(&store, roll_below(&dice, 8)), YT_OK);
        for (unsigned i = 0; i < 4; i++) {
            status = yt_store_work(&store, 16, true);
            CHECK(status == YT_OK || status == YT_END);
        }
        CHECK_EQUAL(memcmp(place, content[0], 5000), 0);
        CHECK_EQUAL(memcmp(other, content[1], 900), 0);
    }
    about("unpinned, its room is had again");
    yt_store_unpin(&store, &pin);
    yt_store_unpin(&store, &second);
    yt_store_unpin(&store, &second);
    for (unsigned i = 0; i < 8; i++)
        CHECK_EQUAL(yt_store_erase(&store, i), YT_OK);
    for (unsigned i = 0; i < 4; i++)
        CHECK_EQUAL(put(i, 2, "x", 7000, 0), YT_OK);
    about("what cannot be run");
    CHECK_EQUAL(yt_store_find(&store, 7, &pin, &place, &size), YT_SLOT_EMPTY);
    CHECK_EQUAL(put(7, 2, "text only", 0, 10), YT_OK);
    CHECK_EQUAL(yt_store_find(&store, 7, &pin, &place, &size), YT_SLOT_EMPTY);
    port.flash.mapped = NULL;
    CHECK_EQUAL(yt_store_find(&store, 1, &pin, &place, &size), YT_PORT);
    nor_end(&flash);
}

/* Content that looks like the store's own is refused, wherever in it that stands. */
static void check_forged(void) {
    uint8_t forged[300], magic[8];
    begin(&usual);
    memcpy(magic, flash.now + flash.size - 2048, sizeof magic);
    CHECK_EQUAL(put(1, 0, "as it was", 200, 0), YT_OK);
    for (size_t at = 0; at + 8 <= sizeof forged; at += 4)
        for (int bit = -1; bit < 64; bit += 7) {
            about("the beginning of a sector's head at byte %zu, bit %d turned", at, bit);
            memcpy(forged, content[1], sizeof forged);
            memcpy(forged + at, magic, sizeof magic);
            if (bit >= 0)
                forged[at + (size_t)bit / 8] ^= (uint8_t)(1 << bit % 8);
            CHECK_EQUAL(yt_store_write(&store, 1, NULL, forged, sizeof forged, NULL, 0),
                        YT_STORE_CONTENT);
        }
    check_slot(1, 0, "as it was", 200, 0);
    nor_end(&flash);
}

static void check_foreign(void) {
    static uint8_t kept[SECTORS * 2048];
    static const uint8_t places[] = {1, 26, 27}, values[] = {'x', 4, 16};
    begin(&usual);
    CHECK_EQUAL(put(1, 0, "kept", 200, 100), YT_OK);
    about("more slots than this firmware has: they stay");
    CHECK_EQUAL(put(7, 1, "above", 300, 0), YT_OK);
    CHECK_EQUAL(open_store(4), YT_OK);
    CHECK_EQUAL(yt_store_slot(&store, 7, &(yt_slot){0}), YT_SLOT);
    for (unsigned i = 0; i < 200; i++)
        CHECK_EQUAL(put(i % 4, 2, "x", 1500, 0), YT_OK);
    CHECK_EQUAL(open_store(8), YT_OK);
    check_slot(7, 1, "above", 300, 0);
    about("a flash of another layout is refused, and left as it is");
    for (unsigned kind = 0; kind < 3; kind++) {
        for (size_t sector = 0; sector < SECTORS; sector++)
            for (size_t copy = 0; copy <= 44; copy += 44) {
                uint8_t *head = flash.now + sector * 2048 + copy;
                if (memcmp(head, "Yjor", 4) != 0)
                    continue;
                head[places[kind]] = values[kind];
                uint32_t checksum = yt_checksum(usual.sector_bytes | 0xffu << 24, head, 28);
                memcpy(head + 28, &checksum, sizeof checksum);
            }
        memcpy(kept, flash.now, flash.size);
        CHECK_EQUAL(open_store(8), kind == 1 ? YT_STORE_NEWER : YT_STORE_FOREIGN);
        CHECK_EQUAL(memcmp(kept, flash.now, flash.size), 0);
        CHECK_EQUAL(yt_store_format(&store, &port, 8, sectors, SECTORS), YT_OK);
        CHECK_EQUAL(put(1, 0, "kept", 200, 100), YT_OK);
        restart();
        check_slot(1, 0, "kept", 200, 100);
    }
    about("a flash that cannot be read is not taken for another one's");
    flash.off = true;
    CHECK_EQUAL(open_store(8), YT_UNREADABLE);
    flash.off = false;
    CHECK_EQUAL(open_store(8), YT_OK);
    about("a single byte anywhere in a flash that is blank else");
    for (size_t at = 0; at < flash.size; at += 611) {
        memset(flash.now, 0xff, flash.size);
        flash.now[at] = 0x5a;
        CHECK_EQUAL(open_store(8), YT_STORE_FOREIGN);
        CHECK_EQUAL(flash.now[at], 0x5a);
    }
    nor_end(&flash);
}

/* What a port with other facts wrote is foreign, for all pairs of them, and is left as it is. */
static void check_other_facts(void) {
    static const uint32_t bytes[] = {1024, 2048, 3072, 4096, 8192, 16384};
    static uint8_t kept[98304];
    static yt_store_sector all[96];
    for (unsigned of = 0; of < 36; of++) {
        nor_facts facts = usual;
        facts.sector_bytes = bytes[of % 6];
        facts.sectors = (uint32_t)sizeof kept / facts.sector_bytes;
        facts.unit_bytes = 1u << of / 6;
        CHECK(nor_begin(&flash, &facts, 1));
        nor_port(&flash, &port);
        CHECK_EQUAL(yt_store_open(&store, &port, 4, all, 96), YT_OK);
        CHECK_EQUAL(put(1, 0, "made up", 200, 100), YT_OK);
        memcpy(kept, flash.now, flash.size);
        for (unsigned as = 0; as < 36; as++) {
            about("of %u bytes and units of %u, as %u and %u", bytes[of % 6], 1u << of / 6,
                  bytes[as % 6], 1u << as / 6);
            port.flash.sector_bytes = bytes[as % 6];
            port.flash.sectors = (uint32_t)sizeof kept / bytes[as % 6];
            port.flash.unit_bytes = 1u << as / 6;
            CHECK_EQUAL(yt_store_open(&store, &port, 4, all, 96),
                        as == of ? YT_OK : YT_STORE_FOREIGN);
            CHECK(memcmp(kept, flash.now, flash.size) == 0);
        }
        about("of %u bytes and units of %u, erased to 0", bytes[of % 6], 1u << of / 6);
        nor_port(&flash, &port);
        port.flash.erased_value = 0;
        CHECK_EQUAL(yt_store_open(&store, &port, 4, all, 96), YT_STORE_FOREIGN);
        CHECK(memcmp(kept, flash.now, flash.size) == 0);
        nor_end(&flash);
    }
}

/* The power goes at each operation of the first start of all, whatever a torn unit reads as. */
static void check_first_start(void) {
    for (unsigned kind = 0; kind < NOR_TORN_KINDS; kind++)
        for (unsigned units = 1; units <= 32; units *= 4)
            for (uint64_t cut = 0;; cut++) {
                about("torn kind %u, units of %u, cut at %" PRIu64, kind, units, cut);
                nor_facts facts = usual;
                facts.torn = 1u << kind;
                facts.unit_bytes = units;
                facts.sectors = 12;
                CHECK(nor_begin(&flash, &facts, (uint32_t)cut + 1));
                nor_port(&flash, &port);
                flash.until_cut = cut;
                bool is_done = open_store(8) == YT_OK && !flash.off;
                for (unsigned i = 0; i < 4; i++)
                    restart();
                CHECK_EQUAL(put(3, 1, "first", 100, 10), YT_OK);
                restart();
                check_slot(3, 1, "first", 100, 10);
                CHECK_EQUAL(flash.breaches, 0);
                nor_end(&flash);
                if (is_done)
                    break;
            }
}

static void check_facts(void) {
    static const struct {
        const char *what;
        uint32_t sectors, sector_bytes, unit_bytes;
        uint8_t erased;
        unsigned slots;
        size_t memory;
        yt_status status;
    } cases[] = {
        {"as usual", 24, 2048, 8, 0xff, 8, 24, YT_OK},
        {"no slots", 24, 2048, 8, 0xff, 0, 24, YT_PORT},
        {"too many slots", 24, 2048, 8, 0xff, 65, 24, YT_PORT},
        {"as many as there can be", 24, 2048, 8, 0xff, 64, 24, YT_OK},
        {"too few sectors for them", 10, 2048, 8, 0xff, 64, 24, YT_PORT},
        {"units of 3", 24, 2048, 3, 0xff, 8, 24, YT_PORT},
        {"units of 64", 24, 2048, 64, 0xff, 8, 24, YT_PORT},
        {"sectors too small", 24, 512, 8, 0xff, 8, 24, YT_PORT},
        {"sectors too large", 24, 1 << 18, 8, 0xff, 8, 24, YT_PORT},
        {"a sector that is no whole number of pieces", 24, 2056, 8, 0xff, 8, 24, YT_PORT},
        {"erased to nothing that there is", 24, 2048, 8, 0x55, 8, 24, YT_PORT},
        {"memory for fewer sectors", 24, 2048, 8, 0xff, 8, 23, YT_MEMORY},
        {"no sectors", 0, 2048, 8, 0xff, 8, 24, YT_PORT},
    };
    begin(&usual);
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        about("%s", cases[i].what);
        port.flash.sectors = cases[i].sectors;
        port.flash.sector_bytes = cases[i].sector_bytes;
        port.flash.unit_bytes = cases[i].unit_bytes;
        port.flash.erased_value = cases[i].erased;
        CHECK_EQUAL(yt_store_open(&store, &port, cases[i].slots, sectors, cases[i].memory),
                    cases[i].status);
    }
    nor_end(&flash);
}

/* As many sectors as docs/slots.md says are enough, and one less is too few. */
static void check_fewest(void) {
    static const struct {
        const char *said;
        uint32_t sector_bytes, unit_bytes, fewest;
    } cases[] = {{"4 for 8 slots in sectors of 8 KiB or larger", 8192, 32, 4},
                 {"4 for 8 slots in sectors of 8 KiB or larger", 131072, 8, 4},
                 {"5 in sectors of 4 KiB with units of 4", 4096, 4, 5},
                 {"10 in sectors of 1 KiB with units of 4", 1024, 4, 10}};
    size_t size;
    char *page = read_test_file("docs/slots.md", &size);
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++)
        for (uint32_t fewer = 0; fewer < 2; fewer++) {
            nor_facts facts = usual;
            about("%s, %u fewer", cases[i].said, fewer);
            CHECK(strstr(page, cases[i].said) != NULL);
            facts.sectors = cases[i].fewest - fewer;
            facts.sector_bytes = cases[i].sector_bytes;
            facts.unit_bytes = cases[i].unit_bytes;
            CHECK(nor_begin(&flash, &facts, 3));
            nor_port(&flash, &port);
            CHECK_EQUAL(open_store(8), fewer ? YT_PORT : YT_OK);
            if (!fewer) {
                CHECK_EQUAL(put(1, 0, "fits", 300, 20), YT_OK);
                restart();
                check_slot(1, 0, "fits", 300, 20);
            }
            nor_end(&flash);
        }
    free(page);
}

/* A generation is never given twice, whatever happens between. */
static void check_generations(void) {
    uint32_t last = 0;
    dice dice = {44};
    begin(&usual);
    about("generations");
    for (unsigned i = 0; i < 1500; i++) {
        yt_slot info;
        unsigned slot = roll_below(&dice, 4);
        yt_status status =
            roll_below(&dice, 2) ? put(slot, 1, "x", 30, 0) : yt_store_rename(&store, slot, "y");
        if (status == YT_OK) {
            CHECK_EQUAL(yt_store_slot(&store, slot, &info), YT_OK);
            CHECK(info.generation > last);
            last = info.generation;
        }
        if (roll_below(&dice, 3) == 0)
            CHECK_EQUAL(yt_store_erase(&store, roll_below(&dice, 4)), YT_OK);
        if (roll_below(&dice, 9) == 0)
            restart();
    }
    nor_end(&flash);
}

static void check_file(void) {
    char path[] = "/tmp/yonder-flash-XXXXXX";
    int file = mkstemp(path);
    nor_facts other = usual;
    other.sectors = 8;
    about("flash in a file keeps its content");
    CHECK(file >= 0);
    close(file);
    CHECK(nor_open(&flash, &usual, 1, path));
    nor_port(&flash, &port);
    CHECK_EQUAL(open_store(8), YT_OK);
    CHECK_EQUAL(put(2, 1, "in a file", 1000, 10), YT_OK);
    nor_end(&flash);
    CHECK(nor_open(&flash, &usual, 1, path));
    nor_port(&flash, &port);
    CHECK_EQUAL(open_store(8), YT_OK);
    check_slot(2, 1, "in a file", 1000, 10);
    CHECK_EQUAL(put(2, 0, "again", 1000, 10), YT_OK);
    nor_end(&flash);
    CHECK(!nor_open(&flash, &other, 1, path));
    CHECK(!nor_open(&flash, &usual, 1, "/nowhere/at/all"));
    unlink(path);
}

static void check_settings(void) {
    uint8_t got[600];
    size_t size;
    begin(&usual);
    about("settings");
    CHECK_EQUAL(yt_store_settings(&store, got, sizeof got, &size), YT_SLOT_EMPTY);
    CHECK_EQUAL(size, 0);
    CHECK_EQUAL(yt_store_set(&store, content[1], 500), YT_OK);
    CHECK_EQUAL(yt_store_set(&store, content[2], 400), YT_OK);
    restart();
    CHECK_EQUAL(yt_store_settings(&store, got, 399, &size), YT_ROOM);
    CHECK_EQUAL(size, 400);
    CHECK_EQUAL(yt_store_settings(&store, got, sizeof got, &size), YT_OK);
    CHECK_EQUAL(size, 400);
    CHECK_EQUAL(memcmp(got, content[2], 400), 0);
    nor_end(&flash);
}

static void check_calibration(unsigned product, int rest) {
    yt_calibration got;
    size_t size;
    for (unsigned place = 0; place < YT_STORE_CALIBRATIONS; place++)
        if (yt_store_calibration(&store, place, &got, sizeof got, &size) == YT_OK &&
            got.part.product == product) {
            const yt_calibration wanted = axis_of(product, rest);
            CHECK_EQUAL(size, wanted.bytes);
            CHECK_EQUAL(memcmp(&got, &wanted, size), 0);
            return;
        }
    CHECK(false);
}

/* Each part has one, and one more takes its place. */
static void check_calibrations(void) {
    yt_calibration record, got;
    size_t size;
    begin(&usual);
    about("calibrations, each of another part");
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++) {
        record = axis_of(i, 500);
        CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_OK);
    }
    record = axis_of(7, 400);
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_OK);
    record = axis_of(99, 500);
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_STORE_FULL);
    restart();
    for (unsigned i = 0; i < YT_STORE_CALIBRATIONS; i++)
        check_calibration(i, i == 7 ? 400 : 500);
    about("one is forgotten, and another one has its place");
    CHECK_EQUAL(yt_store_forget(&store, 3), YT_OK);
    CHECK_EQUAL(yt_store_calibration(&store, 3, &got, sizeof got, &size), YT_SLOT_EMPTY);
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_OK);
    check_calibration(99, 500);
    about("what is no calibration is refused");
    record.rest[0] = 2;
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_CALIBRATION_CHECKSUM);
    record = axis_of(99, 5);
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_CALIBRATION_VALUES);
    record = axis_of(99, 500);
    record.version++;
    CHECK_EQUAL(yt_store_calibrate(&store, &record, record.bytes), YT_CALIBRATION_NEWER);
    check_calibration(99, 500);
    CHECK_EQUAL(yt_store_calibration(&store, 0, &got, 10, &size), YT_ROOM);
    CHECK_EQUAL(yt_store_calibration(&store, 16, &got, sizeof got, &size), YT_SLOT);
    CHECK_EQUAL(yt_store_forget(&store, 16), YT_SLOT);
    nor_end(&flash);
}

int main(void) {
    dice dice = {12};
    for (size_t i = 0; i < 4; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    check_facts();
    check_changes();
    check_staging();
    check_full();
    check_pieces();
    check_pinned();
    check_forged();
    check_foreign();
    check_other_facts();
    check_first_start();
    check_fewest();
    check_generations();
    check_file();
    check_settings();
    check_calibrations();
    return report_checks();
}
