/* Bits of a report, which stand where its descriptor says and not at bytes. Reads and writes go
 * byte by byte, so that nothing outside of `size` is touched whatever a descriptor says. */
#include "yonder/hid.h"

uint32_t yt_hid_get(const uint8_t *bytes, size_t size, uint32_t bit, unsigned bits) {
    size_t at = bit / 8;
    unsigned from = bit % 8, end = from + bits;
    uint32_t value = 0;
    if (bits == 0 || bits > 32)
        return 0;
    for (unsigned done = 0; done < end && done < 32 && at < size; done += 8)
        value |= (uint32_t)bytes[at++] << done;
    value >>= from;
    if (end > 32 && at < size) /* the field spans five bytes, so `from` is not 0 */
        value |= (uint32_t)bytes[at] << (32 - from);
    return value & (UINT32_MAX >> (32 - bits));
}

void yt_hid_set(uint8_t *bytes, size_t size, uint32_t bit, unsigned bits, uint32_t value) {
    size_t at = bit / 8, next = at + 1;
    unsigned from = bit % 8;
    if (bits > 32)
        return;
    if (bits == 16 && from == 0 && next < size) { /* most axes */
        bytes[at] = (uint8_t)value;
        bytes[next] = (uint8_t)(value >> 8);
        return;
    }
    for (; bits > 0 && at < size; at++) {
        unsigned part = 8 - from < bits ? 8 - from : bits;
        unsigned mask = ((1u << part) - 1) << from;
        bytes[at] = (uint8_t)((bytes[at] & ~mask) | ((value << from) & mask));
        value >>= part;
        bits -= part;
        from = 0;
    }
}

int64_t yt_hid_number(uint32_t raw, unsigned bits, bool is_signed) {
    if (!is_signed || bits == 0 || bits > 32 || !(raw >> (bits - 1) & 1))
        return raw;
    return (int64_t)raw - ((int64_t)1 << bits);
}

int64_t yt_hid_element(const yt_hid_field *field, const uint8_t *bytes, size_t size,
                       unsigned index) {
    uint32_t raw = yt_hid_get(bytes, size, field->bit + (uint32_t)index * field->bits, field->bits);
    return yt_hid_number(raw, field->bits, field->minimum < 0);
}

bool yt_hid_is_null(const yt_hid_field *field, int64_t number) {
    if ((field->flags & YT_HID_VARIABLE) && !(field->flags & YT_HID_NULL_STATE))
        return false;
    return number < field->minimum || number > field->maximum;
}

uint16_t yt_hid_usage(const yt_hid_field *field, unsigned index) {
    unsigned span = (unsigned)(field->usage_last - field->usage_first);
    return (uint16_t)(field->usage_first + (index < span ? index : span));
}
