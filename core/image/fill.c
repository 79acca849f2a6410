/* Some devices take a report only with a number that counts up, or a checksum over its bytes; and
 * some hosts know a device by what it says of itself. What such a field is follows from its record
 * in the program, bit by bit, so that a new kind of checksum needs no new firmware. */
#include "image/fill.h"

#include "image/layout.h"
#include "yonder/hid.h"

#ifndef YT_WITHOUT_LIGHTS

static uint32_t mask_of(unsigned bits) {
    return UINT32_MAX >> (32 - bits);
}

/* One more byte in the register of a CRC. */
static uint32_t crc_byte(const yt_program_fill *fill, uint32_t crc, uint8_t byte) {
    unsigned bits = fill->at.bits;
    if (fill->flags & YT_FILL_REFLECTED) {
        crc ^= byte;
        for (unsigned i = 0; i < 8; i++)
            crc = crc & 1 ? crc >> 1 ^ fill->polynomial : crc >> 1;
        return crc;
    }
    crc ^= (uint32_t)byte << (bits - 8);
    for (unsigned i = 0; i < 8; i++)
        crc = crc >> (bits - 1) & 1 ? crc << 1 ^ fill->polynomial : crc << 1;
    return crc & mask_of(bits);
}

static uint32_t take_in(const yt_program_fill *fill, uint32_t sum, uint8_t byte) {
    return fill->kind == YT_FILL_CRC   ? crc_byte(fill, sum, byte)
           : fill->kind == YT_FILL_XOR ? sum ^ byte
                                       : sum + byte;
}

static uint32_t checksum_of(const yt_program_fill *fill, const uint8_t *bytes, size_t size) {
    uint32_t sum = fill->number;
    for (unsigned i = 0; i < fill->before_count; i++)
        sum = take_in(fill, sum, fill->before[i]);
    for (unsigned i = fill->first; i < fill->end && i < size; i++)
        sum = take_in(fill, sum, bytes[i]);
    if (fill->flags & YT_FILL_NEGATED)
        sum = 0 - sum;
    return sum ^ fill->final;
}

static uint32_t turned(uint32_t number, unsigned bits) {
    uint32_t other = 0;
    for (unsigned i = 0; i < bits; i += 8)
        other = other << 8 | (number >> i & 0xff);
    return other;
}

void yt_fill_report(const yt_program *program, const yt_program_filled *filled, uint32_t built,
                    uint8_t *bytes, size_t size) {
    for (unsigned i = 0; i < filled->fill_count; i++) {
        const yt_program_fill *fill = yt_fill_at(program, filled->first_fill + i);
        uint32_t number = fill->number;
        if (fill->at.bit + (unsigned)fill->at.bits > 8 * size)
            continue;
        if (fill->kind == YT_FILL_COUNTER)
            number += built;
        else if (fill->kind >= YT_FILL_SUM)
            number = checksum_of(fill, bytes, size);
        if (fill->flags & YT_FILL_BIG_ENDIAN)
            number = turned(number, fill->at.bits);
        yt_hid_set(bytes, size, fill->at.bit, fill->at.bits, number & mask_of(fill->at.bits));
    }
}

unsigned yt_filled_bytes(const yt_program *program, const yt_program_filled *filled) {
    unsigned bytes = 0;
    for (unsigned i = 0; i < filled->fill_count; i++) {
        const yt_program_fill *fill = yt_fill_at(program, filled->first_fill + i);
        unsigned end = (fill->at.bit + (unsigned)fill->at.bits + 7) / 8;
        bytes = end > bytes ? end : bytes;
    }
    return bytes;
}

uint8_t yt_filled_report(const yt_program *program, unsigned report) {
    for (unsigned i = 0; i < program->header->filled_count && i < UINT8_MAX; i++)
        if (yt_filled_at(program, i)->report == report)
            return (uint8_t)(i + 1);
    return 0;
}

#endif
