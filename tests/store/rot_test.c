/* Bits that rot, and programs that run where they stand: a slot gives what was written last or says
 * that it cannot, and what runs is not erased. */
#include "ports/sim/flash.h"
#include "tests/harness.h"
#include "yonder/store.h"

#define SECTOR 256
#define SLOT   1
#define BANK   (2 * SECTOR)

static uint8_t content[3][300];
static sim_flash flash;
static yt_port port;
static yt_store store;

static void begin(void) {
    memset(&port, 0, sizeof port);
    if (!sim_flash_open(&flash, NULL, 8, SECTOR, 4))
        exit(1);
    sim_flash_port(&flash, &port);
    CHECK_EQUAL(yt_store_init(&store, &port, 2), YT_OK);
}

/* Writes so many bytes of a content; 0 bytes empty the slot. */
static yt_status write(unsigned which, size_t size) {
    return yt_store_write(&store, SLOT, content[which], size);
}

/* Which content the slot holds; -1: none, -2: it is damaged, -3: something else. */
static int held(void) {
    uint8_t bytes[BANK];
    size_t size;
    yt_status status = yt_store_read(&store, SLOT, bytes, sizeof bytes, &size);
    if (status == YT_SLOT_EMPTY || status == YT_SLOT_DAMAGED)
        return status == YT_SLOT_EMPTY ? -1 : -2;
    for (int i = 0; i < 3 && status == YT_OK; i++)
        if (memcmp(bytes, content[i], size) == 0)
            return i;
    return -3;
}

/* Turns each bit of the slot's two banks in turn. What counts is `newest`, the last thing written.
 */
static void turn_every_bit(const char *what, int newest) {
    unsigned seen = 0, damaged = 0;
    for (size_t bit = 0; bit < 2 * BANK * 8; bit++) {
        uint8_t *byte = flash.bytes + 2 * SLOT * BANK + bit / 8;
        *byte ^= (uint8_t)(1 << bit % 8);
        int now = held();
        about("%s, bit %zu of byte %zu turned", what, bit % 8, bit / 8);
        CHECK(now == newest || now == -2);
        seen += now == newest;
        damaged += now == -2;
        *byte ^= (uint8_t)(1 << bit % 8);
    }
    about("%s", what);
    CHECK(damaged >= 8 * 24); /* what is not read may rot unseen, the head may not */
    CHECK(seen > damaged || newest >= 0);
    CHECK_EQUAL(held(), newest);
}

static void check_rot(void) {
    begin();
    CHECK_EQUAL(write(0, 200), YT_OK);
    turn_every_bit("the first content", 0);
    CHECK_EQUAL(write(1, 300), YT_OK);
    turn_every_bit("a content after another", 1);
    CHECK_EQUAL(write(0, 0), YT_OK);
    turn_every_bit("a slot that was emptied", -1);
    CHECK_EQUAL(write(2, 100), YT_OK);
    turn_every_bit("a slot that was emptied and written", 2);
    sim_flash_close(&flash);
}

/* A slot that is damaged can be written, whatever of it rots, and holds that then. */
static void check_mending(void) {
    for (size_t byte = 0; byte < BANK; byte++)
        for (unsigned newest = 0; newest < 2; newest++) {
            about("byte %zu of the later bank rots, then the slot is written", byte);
            begin();
            CHECK_EQUAL(write(0, 200), YT_OK);
            CHECK_EQUAL(newest ? write(1, 300) : write(1, 0), YT_OK);
            flash.bytes[(2 * SLOT + 1) * BANK + byte] ^= 0x10;
            CHECK_EQUAL(write(2, 250), YT_OK);
            CHECK_EQUAL(held(), 2);
            CHECK_EQUAL(write(0, 250), YT_OK);
            CHECK_EQUAL(held(), 0);
            sim_flash_close(&flash);
        }
}

static const uint8_t *found(size_t *size) {
    const void *bytes = NULL;
    CHECK_EQUAL(yt_store_find(&store, SLOT, &bytes, size), YT_OK);
    return bytes;
}

/* Whether the program that runs still stands where it stood. */
static void check_runs(const uint8_t *running, unsigned which, size_t size) {
    CHECK_EQUAL(memcmp(running, content[which], size), 0);
}

static void check_running(void) {
    size_t size;
    begin();
    about("a slot whose program runs can be written once, and again when the new one was loaded");
    CHECK_EQUAL(write(0, 200), YT_OK);
    const uint8_t *running = found(&size);
    yt_store_runs(&store, running);
    CHECK_EQUAL(write(1, 300), YT_OK);
    check_runs(running, 0, size);
    CHECK_EQUAL(held(), 1);
    CHECK_EQUAL(write(2, 100), YT_SLOT_RUNS);
    CHECK_EQUAL(write(2, 0), YT_SLOT_RUNS);
    check_runs(running, 0, size);
    CHECK_EQUAL(held(), 1);
    about("another slot is not held up by it");
    CHECK_EQUAL(yt_store_write(&store, 0, content[0], 100), YT_OK);
    CHECK_EQUAL(yt_store_write(&store, 0, content[1], 100), YT_OK);
    running = found(&size);
    yt_store_runs(&store, running);
    CHECK_EQUAL(write(2, 100), YT_OK);
    check_runs(running, 1, size);
    yt_store_runs(&store, NULL);
    CHECK_EQUAL(write(0, 100), YT_OK);
    CHECK_EQUAL(write(1, 100), YT_OK);
    about("a program that stands elsewhere holds up nothing");
    yt_store_runs(&store, content);
    CHECK_EQUAL(write(0, 100), YT_OK);
    CHECK_EQUAL(write(1, 100), YT_OK);
    sim_flash_close(&flash);
}

/* Whatever byte of the running program's bank rots: the next writes do not erase it. */
static void check_rotten_running(void) {
    for (size_t byte = 0; byte < BANK; byte++)
        for (unsigned writes = 1; writes < 3; writes++) {
            size_t size;
            about("byte %zu of the running bank rots after %u writes", byte, writes);
            begin();
            CHECK_EQUAL(write(0, 200), YT_OK);
            if (writes > 1)
                CHECK_EQUAL(write(1, 200), YT_OK);
            const uint8_t *running = found(&size);
            uint8_t kept[BANK];
            yt_store_runs(&store, running);
            flash.bytes[(2 * SLOT + writes - 1) * BANK + byte] ^= 0x04;
            memcpy(kept, &flash.bytes[(2 * SLOT + writes - 1) * BANK], BANK);
            CHECK_EQUAL(write(2, 250), YT_OK);
            CHECK_EQUAL(held(), 2);
            CHECK_EQUAL(write(0, 250), YT_SLOT_RUNS);
            CHECK_EQUAL(memcmp(kept, &flash.bytes[(2 * SLOT + writes - 1) * BANK], BANK), 0);
            sim_flash_close(&flash);
        }
}

/* The part's own read, of which so many more calls succeed. */
static int (*good_read)(void *context, uint32_t offset, void *bytes, size_t size);
static unsigned reads_left;

static int failing_read(void *context, uint32_t offset, void *bytes, size_t size) {
    if (reads_left == 0)
        return -1;
    reads_left--;
    return good_read(context, offset, bytes, size);
}

static int (*good_erase)(void *context, uint32_t sector);
static bool was_seen; /* what the slot holds was read before anything was erased */

static int noting_erase(void *context, uint32_t sector) {
    was_seen = reads_left > 0;
    return good_erase(context, sector);
}

/* Flash that cannot be read from some call on. What could be read before the write began to erase
 * is there when the flash can be read again, or what was written is; in any case the slot can be
 * written then. */
static void check_unreadable(void) {
    bool failed = true;
    unsigned seen = 0;
    for (unsigned reads = 0; failed; reads++) {
        about("after %u reads no more", reads);
        begin();
        CHECK_EQUAL(write(0, 300), YT_OK);
        good_read = port.flash.read;
        good_erase = port.flash.erase;
        port.flash.erase = noting_erase;
        port.flash.read = failing_read;
        reads_left = reads;
        yt_status status = write(1, 300);
        failed = status != YT_OK;
        port.flash.read = good_read;
        port.flash.erase = good_erase;
        int now = held();
        CHECK(now == 1 || (failed && (now == 0 || !was_seen)));
        seen += was_seen;
        CHECK_EQUAL(write(2, 200), YT_OK);
        CHECK_EQUAL(held(), 2);
        sim_flash_close(&flash);
        if (reads > 1000)
            break;
    }
    CHECK(!failed && seen > 5);
}

int main(void) {
    dice dice = {5};
    for (size_t i = 0; i < 3; i++)
        for (size_t k = 0; k < sizeof content[i]; k++)
            content[i][k] = (uint8_t)roll(&dice);
    check_rot();
    check_mending();
    check_running();
    check_rotten_running();
    check_unreadable();
    return report_checks();
}
