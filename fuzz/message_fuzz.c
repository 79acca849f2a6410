/* Any bytes as what comes over the link: a message, a HID report, and a stream of frames. */
#include "fuzz/fuzz.h"
#include "yonder/message.h"

static bool are_same(const yt_message *a, const yt_message *b) {
    return memcmp(a, b, offsetof(yt_message, name)) == 0 &&
           memcmp(a->name, b->name, a->name_bytes) == 0 &&
           memcmp(a->chunk, b->chunk, a->chunk_bytes) == 0;
}

/* What was read is written in no more bytes than it came in, and read again. */
static void try_message(const uint8_t *data, size_t size) {
    uint8_t bytes[512];
    yt_message message, again;
    if (!yt_message_read(&message, data, size))
        return;
    INVARIANT(24, message.name_bytes <= YT_MESSAGE_NAME && message.chunk_bytes <= YT_MESSAGE_CHUNK);
    size_t written = yt_message_write(&message, bytes, sizeof bytes);
    INVARIANT(24, written <= size && written == yt_message_size(&message));
    INVARIANT(24, yt_message_read(&again, bytes, written) && are_same(&message, &again));
}

/* A message that came whole is packed into the frame that it came in. */
static void try_stream(const uint8_t *data, size_t size) {
    yt_frame frame = {0};
    size_t begin = 0;
    for (size_t i = 0; i < size; i++) {
        size_t length = yt_frame_take(&frame, data[i]);
        uint8_t packed[YT_FRAME_BYTES];
        INVARIANT(25, length <= YT_MESSAGE_BYTES && (length == 0 || data[i] == 0));
        if (length > 0) {
            INVARIANT(25, yt_frame_pack(frame.bytes, length, packed) == i + 1 - begin);
            INVARIANT(25, memcmp(packed, data + begin, i + 1 - begin) == 0);
            try_message(frame.bytes, length);
        }
        if (data[i] == 0)
            begin = i + 1;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    uint8_t *copy =
        malloc(size > 0 ? size : 1); /* of just that size, so that each step outside is seen */
    if (!copy)
        abort();
    memcpy(copy, data, size);
    try_message(copy, size);
    try_stream(copy, size);
    size_t length = yt_report_unpack(copy, size);
    INVARIANT(25, length <= YT_MESSAGE_REPORT && length < size + (size == 0));
    if (length > 0)
        try_message(copy + 1, length);
    free(copy);
    return 0;
}
