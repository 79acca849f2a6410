/* Bits that rot: one is mended, more are said; what was there before never comes back. */
#include "ports/sim/nor.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define SECTORS 16
#define SLOTS   4
#define KINDS   3

static const nor_facts kinds[KINDS] = {
    {.sectors = SECTORS,
     .sector_bytes = 1024,
     .unit_bytes = 4,
     .erased_value = 0xff,
     .is_mapped = true},
    {.sectors = SECTORS,
     .sector_bytes = 2048,
     .unit_bytes = 32,
     .erased_value = 0x00,
     .is_mapped = true},
    {.sectors = SECTORS,
     .sector_bytes = 1024,
     .unit_bytes = 1,
     .erased_value = 0xff,
     .is_mapped = true},
};
static nor_flash flash;
static yt_port port;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static uint8_t content[8][700];
static uint8_t image[SECTORS * 2048]; /* the flash before anything rotted */

static yt_status open_store(void) {
    return yt_store_open(&store, &port, SLOTS, sectors, SECTORS);
}

/* Slots 0 and 1 were written twice, in sectors of the journal of other ages; slot 2 was emptied,
 * slot 3 changed places with it. */
static void begin(const nor_facts *facts) {
    memset(&port, 0, sizeof port);
    CHECK(nor_begin(&flash, facts, 3));
    nor_port(&flash, &port);
    CHECK_EQUAL(open_store(), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 0, "old", content[4], 600, content[4], 50), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 1, "old", content[5], 300, NULL, 0), YT_OK);
    CHECK_EQUAL(yt_store_set(&store, content[6], 90), YT_OK);
    CHECK_EQUAL(open_store(), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 2, "gone", content[2], 200, NULL, 0), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 0, "new", content[0], 650, content[0], 30), YT_OK);
    CHECK_EQUAL(yt_store_erase(&store, 2), YT_OK);
    CHECK_EQUAL(yt_store_activate(&store, 1), YT_OK);
    CHECK_EQUAL(open_store(), YT_OK);
    CHECK_EQUAL(yt_store_swap(&store, 2, 3), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 1, "new", content[1], 400, content[1], 10), YT_OK);
    CHECK_EQUAL(yt_store_set(&store, content[7], 100), YT_OK);
    CHECK_EQUAL(yt_store_activate(&store, 3), YT_OK);
    CHECK_EQUAL(yt_store_activate(&store, 1), YT_OK);
    memcpy(image, flash.now, flash.size);
}

/* What a slot that holds a content says of it: -1: something else, 0: it is damaged, 1: all is
 * well. */
static int tells(unsigned slot, size_t program, size_t text) {
    uint8_t got[700];
    yt_slot info;
    yt_status status = yt_store_slot(&store, slot, &info);
    if (status == YT_OK)
        status = yt_store_verify(&store, slot);
    if (status != YT_OK)
        return status == YT_SLOT_DAMAGED ? 0 : -1;
    if (strcmp(info.name, "new") != 0 || info.bytes[0] != program || info.bytes[1] != text ||
        yt_store_read(&store, slot, YT_SLOT_PROGRAM, 0, got, program) != YT_OK ||
        memcmp(got, content[slot], program) != 0 ||
        yt_store_read(&store, slot, YT_SLOT_TEXT, 0, got, text) != YT_OK ||
        memcmp(got, content[slot], text) != 0)
        return -1;
    return 1;
}

static int tells_nothing(unsigned slot) {
    yt_slot info;
    yt_status status = yt_store_slot(&store, slot, &info);
    return status == YT_SLOT_EMPTY ? 1 : status == YT_SLOT_DAMAGED ? 0 : -1;
}

static int tells_settings(void) {
    uint8_t got[200];
    size_t size;
    yt_status status = yt_store_settings(&store, got, sizeof got, &size);
    if (status == YT_SLOT_DAMAGED)
        return 0;
    return status == YT_OK && size == 100 && memcmp(got, content[7], 100) == 0 ? 1 : -1;
}

/* Counts what is not as it was written, and sees to it that nothing else comes back. */
static unsigned look(void) {
    const int told[] = {tells(0, 650, 30), tells(1, 400, 10), tells_nothing(2), tells_nothing(3),
                        tells_settings()};
    unsigned damaged = 0;
    for (size_t i = 0; i < sizeof told / sizeof *told; i++) {
        CHECK(told[i] >= 0);
        damaged += told[i] == 0;
    }
    CHECK(yt_store_active(&store) == 1);
    return damaged;
}

/* Each bit of the flash, one at a time: what the journal says is always mended, a content is
 * damaged until it is. */
static void check_every_bit(const nor_facts *facts) {
    unsigned damaged = 0, mended = 0;
    begin(facts);
    for (size_t bit = 0; bit < flash.size * 8; bit += 5 * SOME_ROUNDS) {
        about("units of %u, bit %zu of byte %zu", facts->unit_bytes, bit % 8, bit / 8);
        memcpy(flash.now, image, flash.size);
        nor_rot(&flash, bit / 8, bit % 8);
        CHECK_EQUAL(open_store(), YT_OK);
        unsigned now = look();
        CHECK(now <= 1);
        damaged += now;
        if (now == 0 || bit % 64)
            continue;
        for (unsigned i = 0; i < 600; i++)
            CHECK(yt_store_work(&store, 16, true) <= YT_END);
        mended += look() == 0;
        CHECK(look() == 0);
    }
    about("units of %u", facts->unit_bytes);
    CHECK(damaged > some(1000) && mended > some(10));
    nor_end(&flash);
}

/* Several bits within one unit: what it was is told, or that it is damaged. */
static void check_several(const nor_facts *facts) {
    dice dice = {9};
    unsigned damaged = 0;
    begin(facts);
    for (unsigned round = 0; round < some(6000); round++) {
        size_t at = roll_below(&dice, (uint32_t)flash.size), reach = facts->unit_bytes;
        unsigned bits = 2 + roll_below(&dice, 12);
        about("units of %u, round %u: %u bits in %zu bytes from byte %zu", facts->unit_bytes, round,
              bits, reach, at);
        memcpy(flash.now, image, flash.size);
        for (unsigned i = 0; i < bits; i++)
            nor_rot(&flash, at / reach * reach + roll_below(&dice, (uint32_t)reach),
                    roll_below(&dice, 8));
        CHECK_EQUAL(open_store(), YT_OK);
        damaged += look();
        CHECK_EQUAL(yt_store_write(&store, 2, NULL, content[3], 100, NULL, 0), YT_OK);
        CHECK_EQUAL(yt_store_verify(&store, 2), YT_OK);
    }
    CHECK(damaged > some(100));
    nor_end(&flash);
}

/* A program with one bit that rotted is mended when it is asked for; with more it is not run. */
static void check_find(void) {
    const void *program;
    yt_pin pin;
    size_t size;
    about("a program that is asked for");
    begin(&kinds[0]);
    size_t at = 0;
    while (memcmp(flash.now + at, content[0], 600) != 0)
        at++;
    nor_rot(&flash, at + 333, 5);
    CHECK_EQUAL(yt_store_find(&store, 0, &pin, &program, &size), YT_OK);
    CHECK_EQUAL(size, 650);
    CHECK_EQUAL(memcmp(program, content[0], 650), 0);
    CHECK_EQUAL(store.counts.mended, 1);
    yt_store_unpin(&store, &pin);
    at = (size_t)((const uint8_t *)program - flash.now);
    nor_rot(&flash, at + 333, 5);
    nor_rot(&flash, at + 18, 1);
    CHECK_EQUAL(yt_store_find(&store, 0, &pin, &program, &size), YT_SLOT_DAMAGED);
    CHECK_EQUAL(yt_store_copy(&store, 0, 3), YT_SLOT_DAMAGED);
    CHECK_EQUAL(yt_store_write(&store, 0, NULL, content[1], 10, NULL, 0), YT_OK);
    CHECK_EQUAL(yt_store_find(&store, 0, &pin, &program, &size), YT_OK);
    nor_end(&flash);
}

/* Reading itself turns bits: a store that is read round and round mends them before there are two
 * in one content. */
static void check_disturb(void) {
    nor_facts facts = kinds[0];
    about("a flash that reading disturbs");
    facts.disturb = 150000;
    begin(&facts);
    for (unsigned i = 0; i < 60000; i++)
        CHECK(yt_store_work(&store, 16, true) <= YT_END);
    CHECK_EQUAL(open_store(), YT_OK);
    CHECK_EQUAL(look(), 0);
    nor_end(&flash);
}

/* Bits that no longer change: the sector is left alone, and all goes on elsewhere. */
static void check_stuck(void) {
    dice dice = {31};
    for (unsigned round = 0; round < 40; round++) {
        about("round %u of bits that are stuck", round);
        begin(&kinds[round % KINDS]);
        for (unsigned i = 0; i < 2; i++)
            nor_stick(&flash, roll_below(&dice, (uint32_t)flash.size), roll_below(&dice, 8));
        for (unsigned i = 0; i < 60; i++) {
            unsigned which = 2 + roll_below(&dice, 5);
            CHECK_EQUAL(yt_store_write(&store, 2, "x", content[which], 500, NULL, 0), YT_OK);
            CHECK_EQUAL(yt_store_verify(&store, 2), YT_OK);
            CHECK_EQUAL(yt_store_set(&store, content[7], 100), YT_OK);
        }
        CHECK_EQUAL(open_store(), YT_OK);
        CHECK_EQUAL(yt_store_verify(&store, 2), YT_OK);
        CHECK_EQUAL(yt_store_erase(&store, 2), YT_OK);
        CHECK_EQUAL(look(), 0);
        nor_end(&flash);
    }
}

int main(void) {
    dice dice = {5};
    for (size_t i = 0; i < 8; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    check_find();
    check_stuck();
    check_disturb();
    for (unsigned kind = 0; kind < KINDS; kind++) {
        check_every_bit(&kinds[kind]);
        check_several(&kinds[kind]);
    }
    return report_checks();
}
