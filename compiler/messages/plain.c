#include "compiler/messages/plain.h"

#include <stdbool.h>
#include <stdint.h>
#include <string.h>

/* How many bytes a character has that begins so; 0: none does. */
static unsigned length_of(unsigned char first) {
    return first < 0x80                    ? 1
           : first >= 0xc2 && first < 0xe0 ? 2
           : first >= 0xe0 && first < 0xf0 ? 3
           : first >= 0xf0 && first < 0xf5 ? 4
                                           : 0;
}

static bool is_within(uint32_t character, uint32_t first, uint32_t last) {
    return character >= first && character <= last;
}

/* Whether a character only shows, or ends a line. */
static bool is_plain(uint32_t character) {
    static const struct {
        uint32_t first, last;
    } others[] = {{0x00, 0x08},     {0x0b, 0x1f},      {0x7f, 0x9f},     {0x61c, 0x61c},
                  {0x200b, 0x200f}, {0x2028, 0x202e},  {0x2060, 0x206f}, {0xd800, 0xdfff},
                  {0xfff9, 0xfffb}, {0xe0000, 0xe0fff}};
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++)
        if (is_within(character, others[i].first, others[i].last))
            return false;
    return character <= 0x10ffff;
}

/* The character that the bytes are; one above all characters where they are none. */
static uint32_t character_of(const unsigned char *bytes, unsigned count) {
    static const uint32_t least[5] = {0, 0, 0x80, 0x800, 0x10000};
    uint32_t character = count == 1 ? bytes[0] : bytes[0] & (0x7fu >> count);
    for (unsigned i = 1; i < count; i++)
        character = character << 6 | (bytes[i] & 0x3fu);
    return character < least[count] ? UINT32_MAX : character;
}

static size_t question_mark(yt_plain *plain, char *to) {
    plain->count = 0;
    plain->replaced++;
    *to = '?';
    return 1;
}

/* Passes on what is held, which is a character. A carriage return only passes in front of a line
 * end, so it is held until that is known. */
static size_t pass(yt_plain *plain, char *to) {
    unsigned count = plain->count;
    if (!is_plain(character_of(plain->held, count)))
        return question_mark(plain, to);
    memcpy(to, plain->held, count);
    plain->count = 0;
    return count;
}

static size_t take(yt_plain *plain, unsigned char byte, char *to) {
    size_t length = 0;
    if (plain->count > 0 && plain->held[0] == '\r') {
        plain->count = 0;
        if (byte == '\n') {
            memcpy(to, "\r\n", 2);
            return 2;
        }
        length = question_mark(plain, to);
    }
    if (plain->count > 0 && (byte & 0xc0) != 0x80)
        length += question_mark(plain, to + length);
    if (plain->count == 0 && length_of(byte) == 0)
        return length + question_mark(plain, to + length);
    plain->held[plain->count++] = byte;
    if (plain->held[0] == '\r' || plain->count < length_of(plain->held[0]))
        return length;
    return length + pass(plain, to + length);
}

size_t plain_piece(yt_plain *plain, const char *from, size_t bytes, char *to) {
    size_t length = 0;
    for (size_t i = 0; i < bytes; i++)
        length += take(plain, (unsigned char)from[i], to + length);
    return length;
}

size_t plain_end(yt_plain *plain, char *to) {
    return plain->count > 0 ? question_mark(plain, to) : 0;
}

/* In pieces, so that a text of any length has room. */
void plain_print(FILE *file, const char *text, size_t bytes) {
    yt_plain plain = {.count = 0};
    char piece[128 + 4];
    for (size_t done = 0; done <= bytes; done += 128) {
        size_t part = bytes - done < 128 ? bytes - done : 128;
        size_t length = plain_piece(&plain, text + done, part, piece);
        if (done + part == bytes)
            length += plain_end(&plain, piece + length);
        for (size_t i = 0; i < length; i++)
            fputc(piece[i] == '\n' || piece[i] == '\t' || piece[i] == '\r' ? ' ' : piece[i], file);
        if (part < 128)
            return;
    }
}

void plain_line(char *text) {
    yt_plain plain = {.count = 0};
    char *to = text, piece[8];
    for (const char *from = text; *from; from++) {
        size_t length = plain_piece(&plain, from, 1, piece);
        for (size_t i = 0; i < length; i++)
            *to++ = piece[i] == '\n' || piece[i] == '\t' || piece[i] == '\r' ? ' ' : piece[i];
    }
    if (plain_end(&plain, piece))
        *to++ = '?';
    *to = 0;
}
