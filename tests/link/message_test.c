/* Messages and their frames: what is written is read, whatever comes is read as the format says or
 * refused, and a stream finds its way again. */
#include "tests/harness.h"
#include "tests/link/messages.h"
#include "yonder/message.h"

static bool read_text(yt_message *message, const char *hex) {
    uint8_t bytes[400];
    size_t size = 0;
    for (unsigned byte; sscanf(hex + 3 * size, "%2x", &byte) == 1;) {
        bytes[size++] = (uint8_t)byte;
        if (!hex[3 * size - 1])
            break;
    }
    return yt_message_read(message, bytes, size);
}

/* What the format says of each; the bytes were made by hand, from its description. */
static void check_by_hand(void) {
    static const struct {
        const char *hex, *about;
        bool is_good;
        uint32_t number, what, token;
        int32_t value;
        const char *name;
    } cases[] = {
        {"08 01", "a number", true, 1, 0, 0, 0, ""},
        {"08 ac 02 10 05", "two bytes of one", true, 300, 5, 0, 0, ""},
        {"1d 78 56 34 12", "four bytes", true, 0, 0, 0x12345678, 0, ""},
        {"60 01", "zigzag", true, 0, 0, 0, -1, ""},
        {"60 fe ff ff ff 0f", "the highest", true, 0, 0, 0, 2147483647, ""},
        {"60 ff ff ff ff 0f", "the lowest", true, 0, 0, 0, -2147483647 - 1, ""},
        {"72 04 71 75 61 79", "a name", true, 0, 0, 0, 0, "quay"},
        {"10 05 08 07", "in any order", true, 7, 5, 0, 0, ""},
        {"08 01 08 02", "the last counts", true, 2, 0, 0, 0, ""},
        {"08 80 00", "longer than it must be", true, 0, 0, 0, 0, ""},
        {"08 80 80 80 80 80 80 80 80 80 01", "only what is above 32 bits", true, 0, 0, 0, 0, ""},
        {"08 83 80 80 80 f0 ff ff ff ff 01", "and it is cut off", true, 3, 0, 0, 0, ""},
        {"f8 01 05 08 03", "a field that is not known", true, 3, 0, 0, 0, ""},
        {"fa 01 02 aa bb 08 03", "bytes that are not known", true, 3, 0, 0, 0, ""},
        {"f9 01 01 02 03 04 05 06 07 08 08 03", "eight bytes", true, 3, 0, 0, 0, ""},
        {"fd 01 01 02 03 04 08 03", "four bytes that are not known", true, 3, 0, 0, 0, ""},
        {"0d 01 02 03 04 10 06", "a known field of another form", true, 0, 6, 0, 0, ""},
        {"0a 01 41 10 06", "one that should be a number", true, 0, 6, 0, 0, ""},
        {"1a 01 41 10 06", "one that should be four bytes", true, 0, 6, 0, 0, ""},
        {"70 05 10 06", "one that should be a name", true, 0, 6, 0, 0, ""},
        {"88 80 80 80 10 07", "a key of more than 32 bits", true, 7, 0, 0, 0, ""},
        {"fd ff ff ff 0f 01 02 03 04 08 03", "the highest field", true, 3, 0, 0, 0, ""},
        {"08", "no number behind the key", false, 0, 0, 0, 0, ""},
        {"08 80", "a number that is cut short", false, 0, 0, 0, 0, ""},
        {"08 85 80 80 80 80 80 80 80 80 02", "more than 64 bits", true, 5, 0, 0, 0, ""},
        {"08 80 80 80 80 80 80 80 80 80 80 00", "eleven bytes", false, 0, 0, 0, 0, ""},
        {"1d 01 02 03", "three of four bytes", false, 0, 0, 0, 0, ""},
        {"72 05 71 75 61 79", "a name that is cut short", false, 0, 0, 0, 0, ""},
        {"72 ff ff ff ff 0f 71", "a name longer than all there is", false, 0, 0, 0, 0, ""},
        {"72 81 80 80 80 10 71", "a length of more than 32 bits", false, 0, 0, 0, 0, ""},
        {"00 01", "field 0", false, 0, 0, 0, 0, ""},
        {"0b 0c", "a group", false, 0, 0, 0, 0, ""},
        {"0e", "a form that there is not", false, 0, 0, 0, 0, ""},
        {"88 80 80 80 80 00 01", "a key of six bytes", false, 0, 0, 0, 0, ""},
        {"72 01 ff", "a name that is no text", false, 0, 0, 0, 0, ""},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        yt_message message;
        char name[YT_MESSAGE_NAME + 1];
        about("%s: %s", cases[i].about, cases[i].hex);
        bool is_good = read_text(&message, cases[i].hex);
        CHECK_EQUAL(is_good, cases[i].is_good);
        if (!is_good)
            continue;
        snprintf(name, sizeof name, "%.*s", message.name_bytes, message.name);
        CHECK_EQUAL(message.number, cases[i].number);
        CHECK_EQUAL(message.what, cases[i].what);
        CHECK_EQUAL(message.token, cases[i].token);
        CHECK_EQUAL(message.value, cases[i].value);
        CHECK_TEXT(name, cases[i].name);
    }
}

static void check_text_of_names(void) {
    static const struct {
        const char *bytes;
        bool is_good;
    } cases[] = {
        {"quay", true},
        {"\xc3\xbc", true},
        {"\xe2\x96\x88", true},
        {"\xf0\x9f\x9a\xa2", true},
        {"\xf4\x8f\xbf\xbf", true},
        {"\xed\x9f\xbf", true},
        {"\xee\x80\x80", true},
        {"\x80", false},
        {"\xc3", false},
        {"\xc0\xaf", false},
        {"\xc1\xbf", false},
        {"\xe0\x9f\xbf", false},
        {"\xe0\xa0\x80", true},
        {"\xed\xa0\x80", false},
        {"\xed\xbf\xbf", false},
        {"\xf0\x8f\xbf\xbf", false},
        {"\xf0\x90\x80\x80", true},
        {"\xf4\x90\x80\x80", false},
        {"\xf5\x80\x80\x80", false},
        {"\xf8\x88\x80\x80\x80", false},
        {"a\xe2\x82", false},
        {"\xe2\x82"
         "a",
         false},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        uint8_t bytes[20] = {14 << 3 | 2, (uint8_t)strlen(cases[i].bytes)};
        yt_message message;
        memcpy(bytes + 2, cases[i].bytes, strlen(cases[i].bytes));
        about("text %zu", i);
        CHECK_EQUAL(yt_message_read(&message, bytes, 2 + strlen(cases[i].bytes)), cases[i].is_good);
    }
}

static bool are_same(const yt_message *a, const yt_message *b) {
    return memcmp(a, b, offsetof(yt_message, name)) == 0 &&
           memcmp(a->name, b->name, a->name_bytes) == 0 &&
           memcmp(a->chunk, b->chunk, a->chunk_bytes) == 0;
}

/* Written, read, and cut short at each byte: what is left is another message or none, never half a
 * field. */
static void check_round_trip(void) {
    dice dice = {1};
    for (unsigned i = 0; i < some(20000); i++) {
        yt_message message, read;
        uint8_t bytes[256];
        made_message(&message, &dice);
        size_t size = yt_message_write(&message, bytes, sizeof bytes);
        about("message %u", i);
        CHECK_EQUAL(size, yt_message_size(&message));
        CHECK(yt_message_read(&read, bytes, size));
        CHECK(are_same(&message, &read));
        CHECK(size == 0 || yt_message_write(&message, bytes, size - 1) == 0);
        for (size_t cut = 0; cut < size && i < 200; cut++)
            if (yt_message_read(&read, bytes, cut)) {
                uint8_t again[256];
                size_t less = yt_message_write(&read, again, sizeof again);
                CHECK_EQUAL(less, cut);
                CHECK(memcmp(again, bytes, less) == 0);
            }
    }
}

/* A name that is no text, from a flash that somebody wrote by other means, is left out: what is
 * written can always be read. */
static void check_name_that_is_none(void) {
    const yt_message message = {.number = 7,
                                .name_bytes = 3,
                                .name = "a\xff"
                                        "b"};
    yt_message read;
    uint8_t bytes[64];
    about("a name that is no text");
    size_t size = yt_message_write(&message, bytes, sizeof bytes);
    CHECK_EQUAL(size, yt_message_size(&message));
    CHECK(yt_message_read(&read, bytes, size));
    CHECK_EQUAL(read.number, 7);
    CHECK_EQUAL(read.name_bytes, 0);
}

/* The longest of each: one byte more is refused, and nothing is kept of it. */
static void check_lengths(void) {
    for (unsigned size = 0; size <= 130; size++) {
        uint8_t bytes[140] = {14 << 3 | 2, (uint8_t)size};
        unsigned head = size > 127 ? 3 : 2;
        yt_message message;
        if (size > 127) {
            bytes[1] = (uint8_t)(size | 0x80);
            bytes[2] = 1;
        }
        memset(bytes + head, 'q', size);
        about("%u bytes", size);
        CHECK_EQUAL(yt_message_read(&message, bytes, head + size), size <= 32);
        bytes[0] = 15 << 3 | 2;
        CHECK_EQUAL(yt_message_read(&message, bytes, head + size), size <= 96);
    }
}

/* ---- frames ---- */

static void check_reports(void) {
    dice dice = {2};
    for (unsigned size = 0; size <= 70; size++) {
        uint8_t bytes[70], report[YT_REPORT_FRAME];
        for (unsigned i = 0; i < size; i++)
            bytes[i] = (uint8_t)roll(&dice);
        memset(report, 0xaa, sizeof report);
        about("%u bytes", size);
        CHECK_EQUAL(yt_report_pack(bytes, size, report), size <= 62);
        if (size > 62)
            continue;
        CHECK_EQUAL(yt_report_unpack(report, sizeof report), size);
        CHECK(memcmp(report + 1, bytes, size) == 0);
        for (unsigned i = size + 1; i < sizeof report; i++)
            CHECK_EQUAL(report[i], 0);
        CHECK_EQUAL(yt_report_unpack(report, size + 1), size);
        CHECK_EQUAL(yt_report_unpack(report, size), 0);
    }
    uint8_t wrong[64] = {63};
    CHECK_EQUAL(yt_report_unpack(wrong, 63), 0);
    CHECK_EQUAL(yt_report_unpack(wrong, 64), 0);
    CHECK_EQUAL(yt_report_unpack(wrong, 0), 0);
}

static size_t take_all(yt_frame *frame, const uint8_t *bytes, size_t size, unsigned *whole) {
    size_t last = 0;
    for (size_t i = 0; i < size; i++) {
        size_t length = yt_frame_take(frame, bytes[i]);
        *whole += length > 0;
        last = length > 0 ? length : last;
    }
    return last;
}

static void check_frames(void) {
    dice dice = {3};
    for (unsigned size = 1; size <= YT_MESSAGE_BYTES; size++)
        for (unsigned round = 0; round < some(40); round++) {
            uint8_t bytes[YT_MESSAGE_BYTES], packed[YT_FRAME_BYTES];
            yt_frame frame = {0};
            unsigned whole = 0;
            unsigned zeros = roll(&dice) % 4; /* none, some, most, all */
            for (unsigned i = 0; i < size; i++)
                bytes[i] =
                    (uint8_t)(zeros == 3 || (zeros && roll(&dice) % 4 < zeros) ? 0 : roll(&dice));
            size_t length = yt_frame_pack(bytes, size, packed);
            about("%u bytes, round %u", size, round);
            CHECK(length == size + 6);
            CHECK(memchr(packed, 0, length) == packed + length - 1);
            CHECK_EQUAL(take_all(&frame, packed, length, &whole), size);
            CHECK(whole == 1 && memcmp(frame.bytes, bytes, size) == 0);
            /* a byte that is another one, or missing: none of it is taken, and the next one is */
            size_t at = roll(&dice) % (length - 1);
            uint8_t as = (uint8_t)(packed[at] ^ (1 + roll(&dice) % 255));
            uint8_t broken[2 * YT_FRAME_BYTES];
            bool is_missing = round % 2;
            memcpy(broken, packed, length);
            broken[at] = as;
            if (is_missing)
                memmove(broken + at, broken + at + 1, length - at - 1);
            size_t end = length - is_missing;
            broken[end++] = 0;
            whole = 0;
            frame = (yt_frame){0};
            CHECK_EQUAL(take_all(&frame, broken, end, &whole), 0);
            CHECK_EQUAL(take_all(&frame, packed, length, &whole), size);
            CHECK_EQUAL(whole, 1);
        }
    uint8_t longer[YT_MESSAGE_BYTES + 1] = {1}, packed[YT_FRAME_BYTES];
    CHECK_EQUAL(yt_frame_pack(longer, sizeof longer, packed), 0);
    CHECK_EQUAL(yt_frame_pack(longer, 0, packed), 0);
}

/* Each stream of up to four bytes, and what comes then. */
static void check_short_streams(void) {
    static const uint8_t some_bytes[] = {0, 1, 2, 3, 4, 5, 6, 0x7f, 0x80, 0xfe, 0xff};
    const unsigned kinds = sizeof some_bytes;
    uint8_t packed[YT_FRAME_BYTES];
    size_t length = yt_frame_pack((const uint8_t *)"quay", 4, packed);
    for (unsigned i = 0; i < kinds * kinds * kinds * kinds; i++) {
        uint8_t bytes[5] = {some_bytes[i % kinds], some_bytes[i / kinds % kinds],
                            some_bytes[i / kinds / kinds % kinds],
                            some_bytes[i / kinds / kinds / kinds], 0};
        yt_frame frame = {0};
        unsigned whole = 0;
        about("%02x %02x %02x %02x", bytes[0], bytes[1], bytes[2], bytes[3]);
        CHECK_EQUAL(take_all(&frame, bytes, 5, &whole), 0);
        CHECK_EQUAL(take_all(&frame, packed, length, &whole), 4);
        CHECK_EQUAL(whole, 1);
    }
}

/* The longest code that there is, in a frame that is too long: it is dropped, and the next is
 * taken. */
static void check_long_streams(void) {
    uint8_t packed[YT_FRAME_BYTES];
    size_t length = yt_frame_pack((const uint8_t *)"quay", 4, packed);
    for (unsigned size = 1; size < 600; size++) {
        yt_frame frame = {0};
        unsigned whole = 0;
        about("%u bytes", size);
        for (unsigned i = 0; i < size; i++)
            CHECK_EQUAL(yt_frame_take(&frame, size % 2 ? 0xff : 0x01), 0);
        CHECK_EQUAL(yt_frame_take(&frame, 0), 0);
        CHECK_EQUAL(take_all(&frame, packed, length, &whole), 4);
    }
}

/* The frame that docs/link.md shows is that of its message. */
static void check_page(void) {
    yt_message message = {.number = 1, .what = 1};
    uint8_t bytes[20], packed[YT_FRAME_BYTES];
    char text[80] = "    ";
    size_t size, length = yt_message_write(&message, bytes, sizeof bytes);
    char *page = read_test_file("docs/link.md", &size);
    length = yt_frame_pack(bytes, length, packed);
    for (size_t i = 0; i < length; i++)
        sprintf(text + strlen(text), "%02x%s", packed[i], i + 1 < length ? " " : "\n");
    CHECK(strstr(page, text) != NULL);
    CHECK(strstr(page, "`08 01 10 01`") != NULL);
    free(page);
}

int main(void) {
    check_page();
    check_by_hand();
    check_text_of_names();
    check_name_that_is_none();
    check_round_trip();
    check_lengths();
    check_reports();
    check_frames();
    check_short_streams();
    check_long_streams();
    return report_checks();
}
