/* Text made plain: every character, every piece. */
#include "compiler/messages/plain.h"
#include "tests/harness.h"

/* A character as UTF-8. */
static size_t encode(uint32_t character, char *to) {
    if (character < 0x80) {
        to[0] = (char)character;
        return 1;
    }
    size_t length = character < 0x800 ? 2 : character < 0x10000 ? 3 : 4;
    for (size_t i = length - 1; i > 0; i--, character >>= 6)
        to[i] = (char)(0x80 | (character & 0x3f));
    to[0] = (char)((0xf00u >> length) | character);
    return length;
}

/* The list of the header, written once more. */
static bool is_shown(uint32_t character) {
    if (character < ' ')
        return character == '\t' || character == '\n';
    if (character >= 0xd800 && character <= 0xdfff)
        return false;
    return !(character >= 0x7f && character <= 0x9f) && character != 0x61c &&
           !(character >= 0x200b && character <= 0x200f) &&
           !(character >= 0x2028 && character <= 0x202e) &&
           !(character >= 0x2060 && character <= 0x206f) &&
           !(character >= 0xfff9 && character <= 0xfffb) &&
           !(character >= 0xe0000 && character <= 0xe0fff);
}

static void check_characters(void) {
    for (uint32_t character = 1; character <= 0x10ffff; character++) {
        char text[4], made[16];
        yt_plain plain = {.count = 0};
        size_t size = encode(character, text);
        size_t length = plain_piece(&plain, text, size, made);
        length += plain_end(&plain, made + length);
        bool same = length == size && memcmp(text, made, size) == 0;
        if (same == is_shown(character))
            checks_done++;
        else {
            about("character U+%04X", character);
            CHECK_EQUAL(same, is_shown(character));
        }
    }
}

static const char *made(const char *text, size_t size, size_t piece) {
    static char to[400];
    yt_plain plain = {.count = 0};
    size_t length = 0;
    for (size_t at = 0; at < size; at += piece)
        length +=
            plain_piece(&plain, text + at, size - at < piece ? size - at : piece, to + length);
    length += plain_end(&plain, to + length);
    to[length] = 0;
    return to;
}

static void check_texts(void) {
    static const struct {
        const char *text, *plain;
    } texts[] = {{"crane", "crane"},
                 {"", ""},
                 {"two\nlines\tand\r\nmore", "two\nlines\tand\r\nmore"},
                 {"over\rwritten", "over?written"},
                 {"\r", "?"},
                 {"\r\r\n", "?\r\n"},
                 {"\x1b[31m", "?[31m"},
                 {"\xc2\x9b"
                  "31m",
                  "?31m"},
                 {"Kran \xc3\xbc \xe2\x86\x92 \xf0\x9f\x8f\x97",
                  "Kran \xc3\xbc \xe2\x86\x92 \xf0\x9f\x8f\x97"},
                 {"\xe2\x80\xae"
                  "x",
                  "?x"},
                 {"\xe2\x82", "?"},
                 {"\xe2\x82x", "?x"},
                 {"\xe2\xe2\x86\x92", "?\xe2\x86\x92"},
                 {"\x80\xff\xc0\x9b\xf8", "?????"},
                 {"\xc1\xbf", "??"},
                 {"\xe0\x80\x9b", "?"},
                 {"\xed\xa0\x80", "?"},
                 {"\xf4\x90\x80\x80", "?"},
                 {"\xef\xbb\xbfhead", "\xef\xbb\xbfhead"}};
    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++)
        for (size_t piece = 1; piece < 9; piece++) {
            about("text %zu in pieces of %zu", i, piece);
            CHECK_TEXT(made(texts[i].text, strlen(texts[i].text), piece), texts[i].plain);
        }
}

static void check_lines(void) {
    char text[] = "a\tb\r\nc\xc2\x9b"
                  "d\xe2\x80";
    about("a line has no ends and no tabs");
    plain_line(text);
    CHECK_TEXT(text, "a b  c?d?");
    char *printed = NULL, longer[300];
    size_t size;
    for (size_t length = 0; length < sizeof longer; length++) {
        memset(longer, 'x', length);
        if (length > 0)
            longer[length - 1] = '\x1b';
        FILE *file = open_memstream(&printed, &size);
        plain_print(file, longer, length);
        fclose(file);
        about("a line of %zu bytes", length);
        CHECK_EQUAL(size, length);
        CHECK(length == 0 || (printed[length - 1] == '?' && (length == 1 || printed[0] == 'x')));
        free(printed);
    }
}

int main(void) {
    check_characters();
    check_texts();
    check_lines();
    return report_checks();
}
