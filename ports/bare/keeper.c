/* Keeps slots on a microcontroller, in a flash that is a file: plays a part of a history of changes
 * (tests/store/history.h), and stops where the power goes.
 *
 * usage: keeper IN FLASH     IN: four words: seed, changes, units and erases until the power goes,
 * and whether the last of these is done (1) or not (0). */
#include "ports/bare/bare.h"
#include "tests/store/history.h"

#define UNIT HISTORY_UNIT_BYTES

typedef struct cutting {
    uint32_t seed, changes, until_cut, is_done;
} cutting;

static uint32_t most; /* of the stack, from where the store was called to where it calls */

static int file;
static cutting plan;
static yt_store store;
static yt_store_sector sectors[HISTORY_SECTORS];

static void print_word(const char *what, uint32_t word) {
    static const char digits[] = "0123456789abcdef";
    char text[10];
    for (unsigned i = 0; i < 8; i++)
        text[i] = digits[word >> (28 - 4 * i) & 15];
    text[8] = '\n';
    text[9] = 0;
    semihosting_print(what);
    semihosting_print(text);
}

/* False: the power goes now; what is under way may still be done. */
static int has_power(void) {
    return plan.until_cut > 0 ? (plan.until_cut--, 1) : 0;
}

static _Noreturn void power_goes(void) {
    semihosting_close(file);
    semihosting_print("the power goes\n");
    semihosting_exit(0);
}

static void note_depth(void) {
    uint8_t here;
    uint32_t taken = (uint32_t)(history_called - (uintptr_t)&here);
    most = taken > most ? taken : most;
}

static int read_flash(void *context, uint32_t offset, void *bytes, size_t size) {
    (void)context;
    note_depth();
    return semihosting_seek(file, offset) != 0 || semihosting_read(file, bytes, size) != size;
}

static int write_at(uint32_t offset, const void *bytes, size_t size) {
    return semihosting_seek(file, offset) != 0 || semihosting_write(file, bytes, size) != 0;
}

static int program_flash(void *context, uint32_t offset, const void *bytes, size_t size) {
    (void)context;
    note_depth();
    for (size_t at = 0; at < size; at += UNIT) {
        int on = has_power();
        if ((on || plan.is_done) &&
            write_at(offset + (uint32_t)at, (const uint8_t *)bytes + at, UNIT) != 0)
            return 1;
        if (!on)
            power_goes();
    }
    return 0;
}

static int erase_flash(void *context, uint32_t sector) {
    static uint8_t erased[64];
    (void)context;
    int on = has_power();
    for (unsigned i = 0; i < sizeof erased; i++)
        erased[i] = 0xff;
    for (uint32_t at = 0; (on || plan.is_done) && at < HISTORY_SECTOR_BYTES; at += sizeof erased)
        if (write_at(sector * HISTORY_SECTOR_BYTES + at, erased, sizeof erased) != 0)
            return 1;
    if (!on)
        power_goes();
    return 0;
}

int main(void) {
    static const yt_port port = {.version = YT_PORT_VERSION,
                                 .flash = {.read = read_flash,
                                           .program = program_flash,
                                           .erase = erase_flash,
                                           .sector_bytes = HISTORY_SECTOR_BYTES,
                                           .sectors = HISTORY_SECTORS,
                                           .unit_bytes = UNIT,
                                           .erased_value = 0xff}};
    static char buffer[256];
    const char *words[3];
    if (semihosting_arguments(buffer, sizeof buffer, words, 3) != 3)
        fail("usage: keeper IN FLASH\n");
    int in = semihosting_open(words[1], SEMIHOSTING_READ);
    file = semihosting_open(words[2], SEMIHOSTING_CHANGE);
    if (in < 0 || file < 0 || semihosting_read(in, &plan, sizeof plan) != sizeof plan)
        fail("a file cannot be opened\n");
    yt_status status = history_play(&store, sectors, &port, plan.seed, plan.changes);
    if (status != YT_OK)
        fail("the store cannot be used\n");
    print_word("holds ", history_digest(&store));
    print_word("stack ", most);
    semihosting_close(file);
    return 0;
}
