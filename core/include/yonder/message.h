/* Messages of the link, and the frames that carry them.
 *
 * A message is one of Protocol Buffers (version 3 of the language): schema/link.proto is the
 * contract, and any implementation of the format reads and writes the same bytes. It crosses in one
 * of two frames: in a HID report of a fixed length, which says how long it is, or in a stream of
 * bytes, where its end is marked and a checksum tells whether it came whole. docs/link.md has both
 * byte by byte.
 *
 *     yt_message message = {.number = 1, .what = 1};
 *     uint8_t bytes[YT_MESSAGE_BYTES], report[YT_REPORT_FRAME], frame[YT_FRAME_BYTES];
 *     size = yt_message_write(&message, bytes, sizeof bytes);
 *     if (yt_report_pack(bytes, size, report))         // a HID feature report, or
 *         length = sizeof report;
 *     else
 *         length = yt_frame_pack(bytes, size, frame);  // a stream
 *
 * Whatever bytes come, nothing is read or written outside, and nothing of a message that is broken
 * is given. All calls may come from anywhere, for different memory. */
#ifndef YONDER_MESSAGE_H
#define YONDER_MESSAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define YT_MESSAGE_NAME   32u  /* bytes of a name, UTF-8, at most */
#define YT_MESSAGE_CHUNK  96u  /* bytes of content at most */
#define YT_MESSAGE_BYTES  128u /* of a message in a stream or over GATT, at most */
#define YT_MESSAGE_REPORT 62u  /* of one in a HID report, at most */
#define YT_REPORT_FRAME   63u  /* bytes of that report, its ID not counted */
#define YT_FRAME_BYTES    (YT_MESSAGE_BYTES + 6u) /* of a frame in a stream, at most */

/* The fields of link.proto, each in the order of its number there; 0 where it is absent. */
typedef struct yt_message {
    uint32_t number;
    uint32_t what;
    uint32_t token;
    uint32_t result;
    uint32_t slot;
    uint32_t kind;
    uint32_t index;
    uint32_t offset;
    uint32_t size;
    uint32_t checksum;
    uint32_t generation;
    int32_t value;
    uint32_t wait_ms;
    uint8_t name_bytes, chunk_bytes;
    char name[YT_MESSAGE_NAME + 1]; /* room for a 0 behind it, which it does not have */
    uint8_t chunk[YT_MESSAGE_CHUNK];
} yt_message;

/* Reads a message: fields may come in any order, of one that comes twice the last counts, and those
 * that are not known are skipped, as the format says. False: it is cut short or broken, a name or
 * content is longer than the limit, or a name is not UTF-8; `message` holds nothing of use then. */
bool yt_message_read(yt_message *message, const uint8_t *bytes, size_t size);

/* Writes a message, in the order of its fields' numbers; a name that is not UTF-8 is left out.
 * Returns how many bytes; 0: there is no room, or nothing is in it. */
size_t yt_message_write(const yt_message *message, uint8_t *bytes, size_t room);

/* How many bytes it would take. */
size_t yt_message_size(const yt_message *message);

/* ---- in a HID report ---- */

/* The report that carries a message of up to YT_MESSAGE_REPORT bytes: how many, those, and 0 up to
 * the end. False: it is longer. */
bool yt_report_pack(const uint8_t *bytes, size_t size, uint8_t report[YT_REPORT_FRAME]);

/* How many bytes of message stand in a report behind its first byte; 0: none, or it is broken.
 * `size` is that of the report, which may be shorter than YT_REPORT_FRAME: some hosts cut zeros
 * off. */
size_t yt_report_unpack(const uint8_t *report, size_t size);

/* ---- in a stream of bytes ---- */

/* The frame that carries a message of 1 to YT_MESSAGE_BYTES bytes: the message and its CRC-32 (IEEE
 * 802.3, the lowest byte first) by Consistent Overhead Byte Stuffing (Cheshire and Baker, 1999),
 * and a 0. Returns how many bytes; 0: it is too long, or empty. */
size_t yt_frame_pack(const uint8_t *bytes, size_t size, uint8_t frame[YT_FRAME_BYTES]);

/* What has come of a frame. The caller's memory; all 0 at first. */
typedef struct yt_frame {
    uint8_t bytes[YT_MESSAGE_BYTES + 4]; /* the message, when it is whole */
    uint8_t size;                        /* so far */
    uint8_t left;                        /* bytes until the next code; 0: it comes next */
    bool ends_with_zero; /* a 0 follows the bytes of this code, unless the frame ends there */
    bool is_broken;      /* what comes until the next 0 is dropped */
} yt_frame;

/* Takes the next byte of a stream. Returns how many bytes the message has when this was its last
 * one: they stand in `frame->bytes` until the next byte. 0: it goes on, or what came was no
 * message; what comes behind the next 0 is looked at anew. */
size_t yt_frame_take(yt_frame *frame, uint8_t byte);

#ifdef __cplusplus
}
#endif

#endif
