/* Frames: what carries a message over a HID report, and over a stream of bytes. */
#include <string.h>

#include "yonder/image/program.h"
#include "yonder/message.h"

bool yt_report_pack(const uint8_t *bytes, size_t size, uint8_t report[YT_REPORT_FRAME]) {
    if (size > YT_MESSAGE_REPORT)
        return false;
    memset(report, 0, YT_REPORT_FRAME);
    report[0] = (uint8_t)size;
    memcpy(report + 1, bytes, size);
    return true;
}

size_t yt_report_unpack(const uint8_t *report, size_t size) {
    return size > 0 && size <= YT_REPORT_FRAME && report[0] < size ? report[0] : 0;
}

/* ---- a stream ----
 * Each code says how many bytes follow it that are not 0, and itself; behind them stands a 0 that
 * is left out, unless the code is 255. So no 0 stands in a frame but the one that ends it. */

#define CRC_BYTES 4u
#define LONGEST   0xffu

_Static_assert(YT_MESSAGE_BYTES + CRC_BYTES < LONGEST - 1,
               "a code more than one for each 0 is never needed");

/* Puts a byte, and begins another code behind a 0. */
static void put(uint8_t *frame, size_t *end, size_t *code, uint8_t byte) {
    if (byte != 0) {
        frame[(*end)++] = byte;
        frame[*code]++;
        return;
    }
    *code = (*end)++;
    frame[*code] = 1;
}

size_t yt_frame_pack(const uint8_t *bytes, size_t size, uint8_t frame[YT_FRAME_BYTES]) {
    size_t code = 0, end = 1;
    if (size == 0 || size > YT_MESSAGE_BYTES)
        return 0;
    uint32_t checksum = yt_checksum(0, bytes, size);
    frame[0] = 1;
    for (size_t i = 0; i < size; i++)
        put(frame, &end, &code, bytes[i]);
    for (unsigned i = 0; i < CRC_BYTES; i++)
        put(frame, &end, &code, (uint8_t)(checksum >> 8 * i));
    frame[end++] = 0;
    return end;
}

/* The frame ended: how many bytes of message stand in it. */
static size_t end_frame(const yt_frame *frame) {
    if (frame->is_broken || frame->left > 0 || frame->size <= CRC_BYTES)
        return 0;
    size_t size = frame->size - CRC_BYTES;
    const uint8_t *crc = frame->bytes + size;
    uint32_t checksum =
        (uint32_t)crc[0] | (uint32_t)crc[1] << 8 | (uint32_t)crc[2] << 16 | (uint32_t)crc[3] << 24;
    return yt_checksum(0, frame->bytes, size) == checksum ? size : 0;
}

static void keep(yt_frame *frame, uint8_t byte) {
    if (frame->size == sizeof frame->bytes)
        frame->is_broken = true;
    else
        frame->bytes[frame->size++] = byte;
}

size_t yt_frame_take(yt_frame *frame, uint8_t byte) {
    if (byte == 0) {
        size_t size = end_frame(frame);
        frame->size = frame->left = 0;
        frame->ends_with_zero = frame->is_broken = false;
        return size;
    }
    if (frame->left > 0) {
        keep(frame, byte);
        frame->left--;
        return 0;
    }
    if (frame->ends_with_zero)
        keep(frame, 0);
    frame->left = (uint8_t)(byte - 1);
    frame->ends_with_zero = byte < LONGEST;
    return 0;
}
