/* Programs whose numbers, in the code and among the constants, are any: a checker lets them pass,
 * as they are numbers, and whatever they say is worked out without harm, in a bounded time. What
 * the sanitizers say is the test. */
#include "compiler/formulas/functions.h"
#include "image/code.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/image/changed.h"

static const uint8_t hand[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09,
                               0x33, 0x09, 0x34, 0x09, 0x32, 0x09, 0x35, 0x16, 0x00, 0x80, 0x26,
                               0xff, 0x7f, 0x75, 0x10, 0x95, 0x06, 0x81, 0x02, 0xc0};
static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x06, 0xc0};
static rig r;

/* Some of the numbers become others; or all of them. */
static void change_numbers(uint8_t *image, size_t size, unsigned share, dice *dice) {
    yt_program program;
    CHECK_EQUAL(yt_program_check(&program, image, size), YT_OK);
    unsigned count = program.header->instruction_count;
    size_t at = changed_offset(&program, program.code);
    for (unsigned i = 0; i < count; i++, at += sizeof(yt_instruction)) {
        if (image[at] != YT_CODE_HERE || roll_below(dice, 100) >= share)
            continue;
        uint32_t number = roll(dice) >> roll_below(dice, 32);
        image[at + 1] = (uint8_t)number;
        image[at + 2] = (uint8_t)(number >> 8);
        image[at + 3] = (uint8_t)(number >> 16);
    }
    at = changed_offset(&program, program.constants);
    for (unsigned i = 0; i < program.header->constant_count; i++, at += sizeof(yt_q16)) {
        yt_q16 number = (yt_q16)(roll(dice) >> roll_below(dice, 32));
        if (roll_below(dice, 4) == 0)
            number = roll_below(dice, 2) ? INT32_MIN : INT32_MAX;
        if (program.types[i] == YT_TYPE_NUMBER && roll_below(dice, 100) < share)
            memcpy(image + at, &number, sizeof number);
    }
    changed_sum(image, size);
}

static void play(dice *dice) {
    unsigned numbers[2] = {RIG_ATTACH(&r, hand), RIG_ATTACH(&r, mouse)};
    uint64_t now_us = 0;
    for (unsigned i = 0; i < 120; i++) {
        uint8_t bytes[12];
        for (size_t k = 0; k < sizeof bytes; k++)
            bytes[k] = (uint8_t)(roll_below(dice, 3) ? roll(dice) : 0);
        now_us += 1 + roll_below(dice, roll_below(dice, 2) ? 9000 : 3000000);
        if (roll_below(dice, 2))
            rig_report(&r, numbers[0], bytes, 12, now_us);
        else
            rig_report(&r, numbers[1], bytes, 4, now_us);
        while (*rig_take(&r, 0, now_us) || *rig_take(&r, 1, now_us) || *rig_take(&r, 2, now_us))
            continue;
    }
}

int main(void) {
    dice dice = {41};
    size_t length;
    char *text = read_test_file("fuzz/profiles/feel.yaml", &length),
         *profile = strstr(text, "yonder: 1\n");
    unsigned refused = 0;
    for (unsigned turn = 0; turn < 150; turn++) {
        rig_begin(&r, profile + strlen("yonder: 1\n"));
        uint8_t *image = (uint8_t *)r.compiled.image;
        change_numbers(image, r.compiled.size, turn % 3 == 0 ? 100 : 10, &dice);
        yt_status status = yt_engine_load(&r.engine, image, r.compiled.size);
        refused += status != YT_OK;
        if (status == YT_OK)
            play(&dice);
        rig_end(&r);
    }
    CHECK_EQUAL(refused, 0);
    free(text);
    return report_checks();
}
