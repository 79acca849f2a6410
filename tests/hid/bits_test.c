/* Bits of fields, against the slow and obvious way: bit by bit. */
#include "tests/harness.h"
#include "yonder/hid.h"

static uint32_t get_slowly(const uint8_t *bytes, size_t size, uint32_t bit, unsigned bits) {
    uint32_t value = 0;
    if (bits > 32)
        return 0;
    for (unsigned i = 0; i < bits; i++)
        if ((bit + i) / 8 < size && (bytes[(bit + i) / 8] >> ((bit + i) % 8) & 1))
            value |= (uint32_t)1 << i;
    return value;
}

static void check_get(void) {
    dice dice = {1};
    uint8_t *bytes = malloc(9); /* its own block, so that a read past its end is caught */
    for (int round = 0; round < 50; round++) {
        for (int i = 0; i < 9; i++)
            bytes[i] = round == 0 ? 0xff : (uint8_t)roll(&dice);
        for (uint32_t bit = 0; bit < 90; bit++)
            for (unsigned bits = 0; bits <= 34; bits++) {
                about("%u bits from bit %u", bits, bit);
                CHECK_EQUAL(yt_hid_get(bytes, 9, bit, bits), get_slowly(bytes, 9, bit, bits));
            }
    }
    free(bytes);
}

/* What is set is read back, and nothing beside it changes. */
static void check_set(void) {
    dice dice = {2};
    uint8_t *bytes = malloc(9), before[9];
    for (int round = 0; round < 2000; round++) {
        uint32_t bit = roll_below(&dice, 80), value = roll(&dice) << 1 ^ roll(&dice);
        unsigned bits = roll_below(&dice, 33);
        for (int i = 0; i < 9; i++)
            before[i] = bytes[i] = (uint8_t)roll(&dice);
        about("setting %u bits from bit %u to %08x", bits, bit, value);
        yt_hid_set(bytes, 9, bit, bits, value);
        for (uint32_t i = 0; i < 72; i++) {
            bool inside = i >= bit && i < bit + bits;
            uint32_t want = inside ? value >> (i - bit) & 1 : get_slowly(before, 9, i, 1);
            CHECK_EQUAL(get_slowly(bytes, 9, i, 1), want);
        }
    }
    free(bytes);
}

static void check_numbers(void) {
    about("signs at the edges of each width");
    for (unsigned bits = 1; bits <= 32; bits++) {
        uint32_t top = (uint32_t)1 << (bits - 1);
        int64_t low = -((int64_t)1 << (bits - 1));
        CHECK_EQUAL(yt_hid_number(top, bits, true), low);
        CHECK_EQUAL(yt_hid_number(top - 1, bits, true), (int64_t)top - 1);
        CHECK_EQUAL(yt_hid_number(top, bits, false), top);
        CHECK_EQUAL(yt_hid_number(top | (top - 1), bits, true), -1);
    }
    CHECK_EQUAL(yt_hid_number(0, 0, true), 0);
}

int main(void) {
    check_get();
    check_set();
    check_numbers();
    return report_checks();
}
