/* The checker: whatever is done to a program, it is refused or harmless. */
#include "image/check.h"
#include "tests/engine/world.h"
#include "tests/harness.h"
#include "tests/image/changed.h"
#include "tests/engine/lengths.h"

static world w;

static const char sheet[] =
    "pad.south: keys.a and not keys.b or slate.x > 40%\n"
    "pad.right_stick: stick_from_motion(ball.motion, full_at=1500 /s) * if(keys.a, 100%, 50%)\n"
    "pad.north: ball.wheel > 0\n"
    "view.motion: if(keys.b, ball.motion * 25%, -ball.motion)\n";

/* The right answers of the checksum, from its definition. */
static void check_checksum(void) {
    about("CRC-32 as in IEEE 802.3");
    CHECK_EQUAL(yt_checksum(0, "123456789", 9), 0xcbf43926);
    CHECK_EQUAL(yt_checksum(yt_checksum(0, "1234", 4), "56789", 5), 0xcbf43926);
    CHECK_EQUAL(yt_checksum(0, "", 0), 0);
}

static void check_bits(const uint8_t *image, size_t size) {
    yt_program program;
    memcpy(changed_copy, image, size);
    for (size_t bit = 0; bit < 8 * size; bit++) {
        uint8_t *byte = (uint8_t *)changed_copy + bit / 8;
        about("bit %zu of byte %zu turned", bit % 8, bit / 8);
        *byte ^= (uint8_t)(1 << bit % 8);
        CHECK(yt_program_check(&program, changed_copy, size) != YT_OK);
        *byte ^= (uint8_t)(1 << bit % 8);
    }
    CHECK_EQUAL(yt_program_check(&program, changed_copy, size), YT_OK);
}

/* Every length but the right one is refused, also where the header says the same. */
static void check_lengths(const uint8_t *image, size_t size) {
    yt_program program;
    for (size_t length = 0; length < size; length++) {
        uint64_t *cut = malloc(length + 8); /* aligned, and just so long that a read past shows */
        uint32_t total = (uint32_t)length;
        memcpy(cut, image, length);
        about("cut to %zu of %zu bytes", length, size);
        CHECK(yt_program_check(&program, cut, length) != YT_OK);
        if (length >= sizeof(yt_program_header)) {
            memcpy((uint8_t *)cut + 8, &total, 4);
            changed_sum((uint8_t *)cut, length);
            CHECK(yt_program_check(&program, cut, length) != YT_OK);
        }
        free(cut);
    }
    memset(changed_copy, 0xff, sizeof changed_copy);
    memcpy(changed_copy, image, size);
    about("more bytes behind it");
    CHECK_EQUAL(yt_program_check(&program, changed_copy, size + 100), YT_OK);
    uint32_t longer = (uint32_t)size + 4;
    memcpy((uint8_t *)changed_copy + 8, &longer, 4);
    changed_sum((uint8_t *)changed_copy, size + 4);
    CHECK_EQUAL(yt_program_check(&program, changed_copy, size + 4), YT_PROGRAM_SIZE);
    about("not aligned");
    memcpy((uint8_t *)changed_copy + 2, image, size);
    CHECK_EQUAL(yt_program_check(&program, (uint8_t *)changed_copy + 2, size),
                YT_PROGRAM_ALIGNMENT);
}

/* A part at a time comes to the same, whatever the parts are, and each part's work is bounded. */
static void check_in_parts(const uint8_t *image, size_t size) {
    yt_program whole;
    CHECK_EQUAL(yt_program_check(&whole, image, size), YT_OK);
    for (unsigned part = 1; part < 200; part += part < 20 ? 1 : 37) {
        yt_checking checking;
        bool done = false;
        unsigned calls = 0;
        about("a check in parts of %u", part);
        yt_status status = yt_checking_begin(&checking, image, size);
        for (; status == YT_OK && !done; calls++)
            status = yt_checking_go_on(&checking, part, &done);
        CHECK_EQUAL(status, YT_OK);
        CHECK_EQUAL(memcmp(&checking.program, &whole, sizeof whole), 0);
        CHECK(part > 1 || calls > size / 64);
    }
    for (size_t at = 16; at < size; at++) { /* a wrong byte is found in parts too */
        yt_checking checking;
        bool done = false;
        memcpy(changed_copy, image, size);
        ((uint8_t *)changed_copy)[at] ^= 1;
        yt_status status = yt_checking_begin(&checking, changed_copy, size);
        while (status == YT_OK && !done)
            status = yt_checking_go_on(&checking, 3, &done);
        CHECK_EQUAL(status, YT_PROGRAM_CHECKSUM);
    }
}

/* Runs a program with a mouse that moves and presses at random. */
static void run_harmlessly(const void *image, size_t size, dice *dice) {
    static uint64_t memory[4096];
    static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                                    0x09, 0x31, 0x09, 0x38, 0x15, 0x81, 0x25, 0x7f,
                                    0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0};
    yt_device device = {
        .descriptor = mouse, .descriptor_size = sizeof mouse, .input = YT_ANY_INPUT};
    yt_engine engine;
    uint8_t bytes[YT_REPORT_BYTES + 1];
    unsigned number;
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &w.port), YT_OK);
    if (yt_engine_load(&engine, image, size) != YT_OK)
        return; /* more outputs or memory than there is */
    bool attached = yt_engine_attach(&engine, &device, &number) == YT_OK;
    for (unsigned i = 0; i < 40; i++) {
        uint8_t report[3] = {(uint8_t)roll(dice), (uint8_t)roll(dice), (uint8_t)roll(dice)};
        if (attached)
            CHECK_EQUAL(yt_engine_report(&engine, number, report, 3, i * 3000), YT_OK);
        yt_engine_update(&engine, i * 3000);
        for (unsigned k = 0; k < YT_INTERFACES; k++)
            if (next_report(&engine, k, bytes, sizeof bytes) > 0)
                yt_interface_taken(&engine, k, i * 3000);
    }
}

/* Random bytes changed and the checksum made right: what passes runs without harm. */
static void check_random(const uint8_t *image, size_t size) {
    dice dice = {13};
    unsigned passed = 0;
    for (int i = 0; i < 100000; i++) {
        memcpy(changed_copy, image, size);
        for (unsigned changes = 1 + roll_below(&dice, 3); changes > 0; changes--)
            ((uint8_t *)changed_copy)[roll_below(&dice, (uint32_t)size)] ^=
                (uint8_t)(1u << roll_below(&dice, 8));
        changed_sum((uint8_t *)changed_copy, size);
        yt_program program;
        about("random change %d", i);
        if (yt_program_check(&program, changed_copy, size) != YT_OK)
            continue;
        passed++;
        run_harmlessly(changed_copy, size, &dice);
    }
    printf("%u of 100000 changed programs passed the check and ran\n", passed);
    CHECK(passed > 100);
}

int main(void) {
    check_checksum();
    world_begin(&w, sheet, 0);
    check_bits(w.compiled.image, w.compiled.size);
    check_lengths(w.compiled.image, w.compiled.size);
    check_in_parts(w.compiled.image, w.compiled.size);
    check_random(w.compiled.image, w.compiled.size);
    world_end(&w);
    return report_checks();
}
