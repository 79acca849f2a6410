#include "tests/compiler/made_device.h"

static void item(growing *growing, unsigned prefix, long value) {
    bool is_usage = (prefix & 0x0c) == 0x08; /* one of four bytes would have a page in it */
    growing->bytes[growing->size++] = (uint8_t)(prefix | (is_usage ? 2 : 3));
    for (unsigned i = 0; i < (is_usage ? 2 : 4); i++)
        growing->bytes[growing->size++] = (uint8_t)((unsigned long)value >> (8 * i));
}

enum {
    INPUT = 0x80,
    COLLECTION = 0xa0,
    PAGE = 0x04,
    LOGICAL_MINIMUM = 0x14,
    LOGICAL_MAXIMUM = 0x24,
    SIZE = 0x74,
    REPORT_ID = 0x84,
    FIELDS_COUNT = 0x94,
    USAGE = 0x08,
    USAGE_MINIMUM = 0x18,
    USAGE_MAXIMUM = 0x28,
    ABSOLUTE = 2,
    RELATIVE = 6,
    ARRAY = 0,
    ABSOLUTE_OR_NONE = 0x42
};

static void field(growing *growing, long minimum, long maximum, unsigned bits, unsigned count,
                  unsigned flags) {
    item(growing, LOGICAL_MINIMUM, minimum);
    item(growing, LOGICAL_MAXIMUM, maximum);
    item(growing, SIZE, bits);
    item(growing, FIELDS_COUNT, count);
    item(growing, INPUT, flags);
}

/* Some usages of a page, one by one; a usage may come again. */
static void add_usages(growing *growing, dice *dice, unsigned page, const uint16_t *usages,
                       unsigned known, bool may_move) {
    unsigned count = 1 + roll_below(dice, 4);
    bool moves = may_move && roll_below(dice, 2);
    item(growing, PAGE, page);
    for (unsigned i = 0; i < count; i++)
        item(growing, USAGE, usages[roll_below(dice, known)]);
    unsigned bits = roll_below(dice, 2) ? 8 : 16;
    long most = (1L << (bits - 1)) - 1;
    bool is_signed = moves || roll_below(dice, 2);
    field(growing, is_signed ? -most : 0, most, bits, count, moves ? RELATIVE : ABSOLUTE);
}

static void add_range(growing *growing, unsigned page, unsigned first, unsigned last,
                      bool in_list) {
    item(growing, PAGE, page);
    item(growing, USAGE_MINIMUM, first);
    item(growing, USAGE_MAXIMUM, last);
    if (in_list)
        field(growing, first, last, 16, 2, ARRAY);
    else
        field(growing, 0, 1, 1, (last - first + 8) / 8 * 8, ABSOLUTE);
}

static void add_field(growing *growing, dice *dice) {
    static const uint16_t desktop[] = {0x30, 0x31, 0x32, 0x33, 0x34, 0x35,
                                       0x36, 0x37, 0x38, 0x40, 0x41};
    static const uint16_t simulation[] = {0xba, 0xbb, 0xc4, 0xc5, 0xc8};
    static const uint16_t odd[] = {0x20, 0x30, 0x31, 0x3d};
    static const uint16_t own[] = {1, 2, 3, 0x21, 0x300};
    unsigned first = 1 + roll_below(dice, 3);
    switch (roll_below(dice, 9)) {
    case 0:
        add_range(growing, 0x09, first, first + roll_below(dice, 12), roll_below(dice, 4) == 0);
        return;
    case 1:
        add_usages(growing, dice, 0x01, desktop, 11, true);
        return;
    case 2:
        item(growing, PAGE, 0x01);
        item(growing, USAGE, 0x39);
        field(growing, 0, 7, 8, 1, ABSOLUTE_OR_NONE);
        return;
    case 3:
        add_usages(growing, dice, 0x02, simulation, 5, false);
        return;
    case 4:
        add_usages(growing, dice, 0xff00 + roll_below(dice, 2), own, 5, true);
        return;
    case 5:
        add_range(growing, 0x07, 4, 4 + roll_below(dice, 20), roll_below(dice, 2));
        return;
    case 6:
        add_range(growing, 0x0c, 0xe2, 0xea, roll_below(dice, 2));
        return;
    case 7:
        add_usages(growing, dice, roll_below(dice, 2) ? 0x0d : 0x06, odd, 4, false);
        return;
    default:
        add_usages(growing, dice, 0x01, desktop, 2, true); /* x and y alone */
    }
}

void make_device(growing *growing, dice *dice) {
    static const uint16_t kinds[][2] = {{1, 2},    {1, 4},    {1, 5}, {1, 6},
                                        {0x0c, 1}, {1, 0x80}, {1, 5}, {0xff00, 1}};
    unsigned collections = 1 + roll_below(dice, 3), id = 0;
    growing->size = 0;
    for (unsigned i = 0; i < collections; i++) {
        const uint16_t *kind = kinds[roll_below(dice, 8)];
        item(growing, PAGE, kind[0]);
        item(growing, USAGE, kind[1]);
        item(growing, COLLECTION, 1);
        for (unsigned k = 1 + roll_below(dice, 3); k > 0; k--) {
            item(growing, REPORT_ID, ++id);
            for (unsigned n = 1 + roll_below(dice, 3); n > 0; n--)
                add_field(growing, dice);
        }
        growing->bytes[growing->size++] = 0xc0;
    }
}
