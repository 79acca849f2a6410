/* Report descriptors: good ones field by field, broken ones by status and byte offset. */
#include "compiler/profile/compile.h"
#include "tests/harness.h"
#include "yonder/hid.h"

/* "05 01 09…" to bytes; in a block of just that size, so that a read past its end is caught. */
static uint8_t *from_hex(const char *hex, size_t *size) {
    uint8_t *bytes = malloc(strlen(hex) / 2 + 1);
    unsigned byte;
    int used;
    *size = 0;
    for (; sscanf(hex, " %2x%n", &byte, &used) == 1; hex += used)
        bytes[(*size)++] = (uint8_t)byte;
    uint8_t *fitted = malloc(*size ? *size : 1);
    memcpy(fitted, bytes, *size);
    free(bytes);
    return fitted;
}

/* All that is found, as text: a line for each field. */
static void describe(const uint8_t *bytes, size_t size, char *text, size_t room) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    size_t used = 0;
    yt_hid_open(&reader, bytes, size);
    text[0] = 0;
    while ((status = yt_hid_next(&reader, &field)) == YT_OK && used + 200 < room)
        used += (size_t)snprintf(
            text + used, room - used, "%c%u @%u %ux%u %x:%x-%x %" PRId64 "..%" PRId64 "%s%s%s%s; ",
            "iof"[field.direction], field.report_id, field.bit, field.count, field.bits,
            field.usage_page, field.usage_first, field.usage_last, field.minimum, field.maximum,
            field.flags & YT_HID_CONSTANT ? " const" : "",
            field.flags & YT_HID_VARIABLE ? "" : " array",
            field.flags & YT_HID_RELATIVE ? " rel" : "",
            field.flags & YT_HID_NULL_STATE ? " null" : "");
    if (status != YT_END)
        snprintf(text + used, room - used, "status %d at %zu", status,
                 yt_hid_error_offset(&reader));
}

typedef struct descriptor_case {
    const char *about;
    const char *hex;
    const char *fields;
} descriptor_case;

static const descriptor_case good[] = {
    {"nothing", "", ""},
    {"usages as a list; the last one serves for the rest",
     "05 01 09 30 09 31 15 81 25 7f 75 08 95 04 81 06",
     "i0 @0 1x8 1:30-30 -127..127 rel; i0 @8 1x8 1:31-31 -127..127 rel; "
     "i0 @16 2x8 1:31-31 -127..127 rel; "},
    {"more usages than elements", "05 09 19 01 29 20 15 00 25 01 75 01 95 03 81 02",
     "i0 @0 3x1 9:1-20 0..1; "},
    {"maximum before minimum", "05 09 29 03 19 01 25 01 75 01 95 03 81 02",
     "i0 @0 3x1 9:1-3 0..1; "},
    {"an array with two ranges of usages",
     "05 07 19 04 29 06 05 07 09 e0 15 01 25 04 75 08 95 02 81 00",
     "i0 @0 2x8 7:4-6 1..4 array; i0 @0 2x8 7:e0-e0 1..4 array; "},
    {"an array's usages beyond its numbers are left out",
     "05 07 19 00 29 ff 15 00 25 65 75 08 95 06 81 00", "i0 @0 6x8 7:0-65 0..101 array; "},
    {"a usage with its page, and one whose page comes later",
     "0b 02 00 09 00 09 30 05 01 15 00 25 01 75 01 95 02 81 02",
     "i0 @0 1x1 9:2-2 0..1; i0 @1 1x1 1:30-30 0..1; "},
    {"push and pop", "05 01 15 00 25 01 75 01 95 01 a4 05 09 75 08 09 01 81 02 b4 09 30 81 02",
     "i0 @0 1x8 9:1-1 0..1; i0 @8 1x1 1:30-30 0..1; "},
    {"several reports, fields of one not in a row",
     "05 09 15 00 25 01 75 01 95 01 85 01 09 01 81 02 85 02 09 02 81 02 85 01 09 03 81 02",
     "i1 @0 1x1 9:1-1 0..1; i2 @0 1x1 9:2-2 0..1; i1 @1 1x1 9:3-3 0..1; "},
    {"input, output and feature reports count bits by themselves",
     "05 08 15 00 25 01 75 01 95 01 09 01 81 02 09 02 91 02 09 03 b1 02",
     "i0 @0 1x1 8:1-1 0..1; o0 @0 1x1 8:2-2 0..1; f0 @0 1x1 8:3-3 0..1; "},
    {"padding is given, so that it can be shown", "75 03 95 01 81 01",
     "i0 @0 1x3 0:0-0 0..0 const array; "},
    {"a maximum of 255 in one byte is not -1", "05 01 09 30 15 00 25 ff 75 08 95 01 81 02",
     "i0 @0 1x8 1:30-30 0..255; "},
    {"32 bits, signed and not",
     "05 01 09 30 17 00 00 00 80 27 ff ff ff 7f 75 20 95 01 81 02 09 31 15 00 27 ff ff ff ff 81 02",
     "i0 @0 1x32 1:30-30 -2147483648..2147483647; i0 @32 1x32 1:31-31 0..4294967295; "},
    {"a field of 48 bits is told", "06 00 ff 09 01 15 00 25 01 75 30 95 01 81 02",
     "i0 @0 1x48 ff00:1-1 0..1; "},
    {"a long item is passed over", "05 09 fe 03 f0 aa bb cc 09 01 25 01 75 01 95 01 81 02",
     "i0 @0 1x1 9:1-1 0..1; "},
    {"of a delimiter's usages the first counts",
     "05 09 a9 01 09 05 09 06 a9 00 09 07 25 01 75 01 95 02 81 02",
     "i0 @0 1x1 9:5-5 0..1; i0 @1 1x1 9:7-7 0..1; "},
    {"of a delimiter's usages the first counts, be the others ranges",
     "05 09 a9 01 09 05 19 06 29 07 a9 00 09 08 25 01 75 01 95 02 81 02",
     "i0 @0 1x1 9:5-5 0..1; i0 @1 1x1 9:8-8 0..1; "},
    {"a field of no elements is none", "05 09 09 01 75 08 95 00 81 02", ""},
    {"null state and a hat", "05 01 09 39 15 01 25 08 75 04 95 01 81 42",
     "i0 @0 1x4 1:39-39 1..8 null; "},
    {"a variable field without a usage", "05 01 15 00 25 01 75 08 95 02 81 02",
     "i0 @0 2x8 1:0-0 0..1; "}};

typedef struct broken_case {
    const char *about;
    const char *hex;
    yt_status status;
    size_t offset;
} broken_case;

static const broken_case broken[] = {
    {"cut in an item's data", "05 01 26 ff", YT_HID_CUT, 2},
    {"cut in a long item", "fe 05 f0 00", YT_HID_CUT, 0},
    {"a long item of which only the prefix is there", "fe", YT_HID_CUT, 0},
    {"a reserved type", "0c", YT_HID_RESERVED, 0},
    {"a reserved main item", "05 01 d1 00", YT_HID_RESERVED, 2},
    {"a reserved global item", "c5 00", YT_HID_RESERVED, 0},
    {"a reserved local item", "69 00", YT_HID_RESERVED, 0},
    {"an end without a collection", "05 01 c0", YT_HID_COLLECTION, 2},
    {"a collection not closed", "05 01 09 02 a1 01", YT_HID_UNCLOSED, 6},
    {"pop without push", "b4", YT_HID_POP, 0},
    {"five pushes", "a4 a4 a4 a4 a4", YT_HID_MANY_PUSHES, 4},
    {"report ID 0", "85 00", YT_HID_REPORT_ID, 0},
    {"report ID 256", "86 00 01", YT_HID_REPORT_ID, 0},
    {"a report ID after the first field", "75 08 95 01 81 01 85 01", YT_HID_REPORT_ID, 6},
    {"a pop that takes the report ID away", "a4 85 01 75 08 95 01 81 01 b4", YT_HID_REPORT_ID, 9},
    {"2^31 elements", "75 01 97 00 00 00 80 81 02", YT_HID_LONG_REPORT, 7},
    {"2^32 - 1 elements of 2^32 - 1 bits", "77 ff ff ff ff 97 ff ff ff ff 81 02",
     YT_HID_LONG_REPORT, 10},
    {"a report that grows too long bit by bit", "75 20 96 00 04 81 01 75 01 95 01 81 01",
     YT_HID_LONG_REPORT, 11},
    {"minimum above maximum", "15 05 25 04 75 08 95 01 81 02", YT_HID_RANGE, 8},
    {"usages turned round", "05 09 19 05 29 01 25 01 75 01 95 01 81 02", YT_HID_USAGE, 12},
    {"a collection's usages turned round", "05 01 19 05 29 01 a1 01 c0", YT_HID_USAGE, 6},
    {"usages on two pages", "1b 01 00 09 00 2b 02 00 0a 00 25 01 75 01 95 01 81 02", YT_HID_USAGE,
     16},
    {"a delimiter not closed", "a9 01 75 01 95 01 81 01", YT_HID_DELIMITER, 6},
    {"a delimiter within another", "a9 01 a9 01", YT_HID_DELIMITER, 2},
    {"a delimiter's end alone", "a9 00", YT_HID_DELIMITER, 0}};

static void check_good(void) {
    char text[4096];
    for (size_t i = 0; i < sizeof good / sizeof good[0]; i++) {
        size_t size;
        uint8_t *bytes = from_hex(good[i].hex, &size);
        about("%s: %s", good[i].about, good[i].hex);
        describe(bytes, size, text, sizeof text);
        CHECK_TEXT(text, good[i].fields);
        free(bytes);
    }
}

static void check_broken(void) {
    for (size_t i = 0; i < sizeof broken / sizeof broken[0]; i++) {
        size_t size;
        uint8_t *bytes = from_hex(broken[i].hex, &size);
        yt_hid_reader reader;
        yt_hid_field field;
        yt_status status;
        about("%s: %s", broken[i].about, broken[i].hex);
        yt_hid_open(&reader, bytes, size);
        while ((status = yt_hid_next(&reader, &field)) == YT_OK)
            ;
        CHECK_EQUAL(status, broken[i].status);
        CHECK_EQUAL(yt_hid_error_offset(&reader), broken[i].offset);
        CHECK_EQUAL(yt_hid_next(&reader, &field), status);
        free(bytes);
    }
}

/* Items that a table would make too long. */
static void check_limits(void) {
    uint8_t bytes[4096];
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    about("33 nested collections");
    for (size_t i = 0; i < 66; i += 2) {
        bytes[i] = 0xa1;
        bytes[i + 1] = 0;
    }
    yt_hid_open(&reader, bytes, 66);
    CHECK_EQUAL(yt_hid_next(&reader, &field), YT_HID_DEEP);
    CHECK_EQUAL(yt_hid_error_offset(&reader), 64);

    about("33 report IDs");
    size_t at = 0;
    memcpy(bytes, "\x75\x08\x95\x01", 4);
    for (at = 4; at < 4 + 33 * 4; at += 4) {
        bytes[at] = 0x85;
        bytes[at + 1] = (uint8_t)(at / 4);
        bytes[at + 2] = 0x81;
        bytes[at + 3] = 0x01;
    }
    yt_hid_open(&reader, bytes, at);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        ;
    CHECK_EQUAL(status, YT_HID_MANY_REPORTS);
}

/* Wherever a descriptor is cut, nothing is read outside, and it is an error or a shorter one. */
static void check_cuts(const uint8_t *bytes, size_t size) {
    for (size_t length = 0; length <= size; length++) {
        uint8_t *cut = malloc(length ? length : 1);
        yt_hid_reader reader;
        yt_hid_field field;
        yt_status status;
        unsigned fields = 0;
        memcpy(cut, bytes, length);
        about("a descriptor of %zu bytes, cut to %zu", size, length);
        yt_hid_open(&reader, cut, length);
        while ((status = yt_hid_next(&reader, &field)) == YT_OK && fields < 1000)
            fields++;
        bool whole = length == size || length == 0;
        if (whole)
            CHECK_EQUAL(status, YT_END);
        else
            CHECK(status == YT_HID_CUT || status == YT_HID_UNCLOSED || status == YT_END);
        CHECK(yt_hid_error_offset(&reader) <= length);
        free(cut);
    }
}

static void check_physical(void) {
    yt_hid_reader reader;
    yt_hid_field field;
    about("a hat's degrees");
    static const uint8_t hat[] = {0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x09, 0x39, 0x25, 0x07, 0x46,
                                  0x3b, 0x01, 0x65, 0x14, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, 0xc0};
    yt_hid_open(&reader, hat, sizeof hat);
    CHECK_EQUAL(yt_hid_next(&reader, &field), YT_OK);
    CHECK_EQUAL(field.physical_maximum, 315);
    CHECK_EQUAL(field.unit, 0x14);
    CHECK_EQUAL(field.application_usage, 5);
    about("exponents in four bits and in a byte");
    const uint8_t bytes[] = {0x05, 0x01, 0x09, 0x30, 0x75, 0x08, 0x95, 0x01, 0x25, 0x01,
                             0x55, 0x0d, 0x81, 0x02, 0x09, 0x31, 0x55, 0xfe, 0x81, 0x02};
    yt_hid_open(&reader, bytes, sizeof bytes);
    CHECK_EQUAL(yt_hid_next(&reader, &field), YT_OK);
    CHECK_EQUAL(field.unit_exponent, -3);
    CHECK_EQUAL(yt_hid_next(&reader, &field), YT_OK);
    CHECK_EQUAL(field.unit_exponent, -2);
}

/* A profile with every standard output, for their descriptors. */
static yt_compiled compile_outputs(void) {
    static const char profile[] =
        "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad, stick: joystick, "
        "board: keyboard, ball: mouse, media: consumer}\nsheet: {pad.south: keys.a}\n";
    yt_compiled compiled;
    yt_messages messages;
    messages_begin(&messages, "outputs", profile, sizeof profile - 1);
    if (!compile_profile(&compiled, &messages))
        exit(1);
    messages_free(&messages);
    return compiled;
}

int main(void) {
    check_good();
    check_broken();
    check_limits();
    check_physical();
    yt_compiled compiled = compile_outputs();
    for (unsigned i = 0; i < compiled.program.header->interface_count; i++)
        check_cuts(compiled.program.blob + compiled.program.interfaces[i].descriptor_offset,
                   compiled.program.interfaces[i].descriptor_bytes);
    pool_free(&compiled.pool);
    return report_checks();
}
