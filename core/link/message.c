/* Messages, as Protocol Buffers encode them: each field is a key (its number times 8, and how it is
 * encoded) and what follows. One table says which fields there are. */
#include "yonder/message.h"

#include <string.h>

#include "link/text.h"

/* How a field is encoded: the wire types of the format. */
enum { VARINT = 0, EIGHT_BYTES = 1, LENGTH = 2, FOUR_BYTES = 5 };

#define VARINT_BYTES 10u /* at most */

/* How a number stands in a message. */
typedef enum form { PLAIN, ZIGZAG, FIXED, TEXT, BYTES } form;

typedef struct field {
    uint8_t at; /* of a number: where it stands in yt_message */
    uint8_t form;
} field;

#define AT(name) (uint8_t) offsetof(yt_message, name)

/* Field 1 first. */
static const field fields[] = {
    {AT(number), PLAIN},
    {AT(what), PLAIN},
    {AT(token), FIXED},
    {AT(result), PLAIN},
    {AT(slot), PLAIN},
    {AT(kind), PLAIN},
    {AT(index), PLAIN},
    {AT(offset), PLAIN},
    {AT(size), PLAIN},
    {AT(checksum), FIXED},
    {AT(generation), PLAIN},
    {AT(value), ZIGZAG},
    {AT(wait_ms), PLAIN},
    {0, TEXT},
    {0, BYTES},
};

#define FIELDS (sizeof fields / sizeof fields[0])

static void set(yt_message *message, const field *field, uint32_t number) {
    memcpy((uint8_t *)message + field->at, &number, sizeof number);
}

static uint32_t get(const yt_message *message, const field *field) {
    uint32_t number;
    memcpy(&number, (const uint8_t *)message + field->at, sizeof number);
    return number;
}

static unsigned wire_type(const field *field) {
    return field->form == FIXED ? FOUR_BYTES : field->form >= TEXT ? LENGTH : VARINT;
}

/* ---- reading ---- */

typedef struct cursor {
    const uint8_t *at, *end;
} cursor;

/* The low 32 bits of a number, and whether it has others. False: it is cut short or too long. */
static bool take_varint(cursor *cursor, uint32_t *number, bool *is_wide) {
    *number = 0;
    *is_wide = false;
    for (unsigned i = 0; i < VARINT_BYTES && cursor->at < cursor->end; i++) {
        uint8_t byte = *cursor->at++, bits = byte & 0x7f;
        if (i < 5)
            *number |= (uint32_t)bits << 7 * i;
        *is_wide |= i == 4 ? bits > 0xf : i > 4 && bits > 0;
        if (!(byte & 0x80))
            return true;
    }
    return false;
}

/* Of a key bits above 32 count for nothing either, but it has five bytes at most. */
static bool take_key(cursor *cursor, uint32_t *key) {
    const uint8_t *from = cursor->at;
    bool is_wide;
    return take_varint(cursor, key, &is_wide) && cursor->at - from <= 5 && *key >> 3 > 0;
}

static bool take_length(cursor *cursor, uint32_t *length) {
    bool is_wide;
    return take_varint(cursor, length, &is_wide) && !is_wide;
}

/* The bytes of a field that is not a varint. */
static bool take_bytes(cursor *cursor, unsigned type, const uint8_t **bytes, uint32_t *size) {
    *size = type == FOUR_BYTES ? 4 : 8;
    if (type == LENGTH && !take_length(cursor, size))
        return false;
    if (*size > (size_t)(cursor->end - cursor->at))
        return false;
    *bytes = cursor->at;
    cursor->at += *size;
    return true;
}

static bool keep_bytes(yt_message *message, const field *field, const uint8_t *bytes,
                       uint32_t size) {
    bool is_name = field->form == TEXT;
    if (size > (is_name ? YT_MESSAGE_NAME : YT_MESSAGE_CHUNK) ||
        (is_name && !yt_is_utf8(bytes, size)))
        return false;
    memcpy(is_name ? (uint8_t *)message->name : message->chunk, bytes, size);
    *(is_name ? &message->name_bytes : &message->chunk_bytes) = (uint8_t)size;
    return true;
}

static bool take_field(yt_message *message, const field *field, unsigned type, cursor *cursor) {
    const uint8_t *bytes;
    uint32_t number;
    bool is_wide;
    if (type == VARINT) {
        if (!take_varint(cursor, &number, &is_wide))
            return false;
        if (field && field->form == ZIGZAG)
            number = number >> 1 ^ (uint32_t) - (number & 1);
        if (field)
            set(message, field, number);
        return true;
    }
    if (!take_bytes(cursor, type, &bytes, &number))
        return false;
    if (field && type == FOUR_BYTES)
        set(message, field,
            (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 |
                (uint32_t)bytes[3] << 24);
    return !field || type == FOUR_BYTES || keep_bytes(message, field, bytes, number);
}

bool yt_message_read(yt_message *message, const uint8_t *bytes, size_t size) {
    cursor cursor = {bytes, bytes + size};
    memset(message, 0, offsetof(yt_message, name));
    while (cursor.at < cursor.end) {
        uint32_t key;
        if (!take_key(&cursor, &key))
            return false;
        unsigned type = key & 7;
        uint32_t number = key >> 3;
        const field *field = number <= FIELDS ? &fields[number - 1] : NULL;
        if (type != VARINT && type != EIGHT_BYTES && type != LENGTH && type != FOUR_BYTES)
            return false;
        if (field && wire_type(field) != type)
            field = NULL; /* the format says to skip it */
        if (!take_field(message, field, type, &cursor))
            return false;
    }
    return true;
}

/* ---- writing ---- */

static size_t varint_size(uint32_t number) {
    size_t size = 1;
    while (number >>= 7)
        size++;
    return size;
}

static uint8_t *put_varint(uint8_t *at, uint32_t number) {
    for (; number > 0x7f; number >>= 7)
        *at++ = (uint8_t)(number | 0x80);
    *at++ = (uint8_t)number;
    return at;
}

/* The number that stands behind the key: of bytes how many there are. 0: the field is left out. */
static uint32_t number_of(const yt_message *message, const field *field) {
    if (field->form == TEXT) /* the format allows no other text */
        return yt_is_utf8((const uint8_t *)message->name, message->name_bytes) ? message->name_bytes
                                                                               : 0;
    if (field->form == BYTES)
        return message->chunk_bytes;
    uint32_t number = get(message, field);
    return field->form == ZIGZAG ? number << 1 ^ (uint32_t) - (number >> 31) : number;
}

static size_t field_size(const field *field, uint32_t number) {
    if (number == 0)
        return 0;
    if (field->form == FIXED)
        return 1 + 4;
    return 1 + varint_size(number) + (field->form >= TEXT ? number : 0);
}

size_t yt_message_size(const yt_message *message) {
    size_t size = 0;
    for (unsigned i = 0; i < FIELDS; i++)
        size += field_size(&fields[i], number_of(message, &fields[i]));
    return size;
}

size_t yt_message_write(const yt_message *message, uint8_t *bytes, size_t room) {
    size_t size = yt_message_size(message);
    uint8_t *at = bytes;
    if (size > room)
        return 0;
    for (unsigned i = 0; i < FIELDS; i++) {
        const field *field = &fields[i];
        uint32_t number = number_of(message, field);
        if (number == 0)
            continue;
        *at++ = (uint8_t)((i + 1) << 3 | wire_type(field));
        if (field->form == FIXED) {
            for (unsigned k = 0; k < 4; k++)
                *at++ = (uint8_t)(number >> 8 * k);
            continue;
        }
        at = put_varint(at, number);
        if (field->form >= TEXT) {
            memcpy(at, field->form == TEXT ? (const uint8_t *)message->name : message->chunk,
                   number);
            at += number;
        }
    }
    return size;
}
