#include "tests/link/messages.h"

static uint32_t number(dice *dice) {
    static const uint32_t ends[] = {1, 127, 128, 16383, 16384, 0x7fffffff, 0x80000000, 0xffffffff};
    unsigned kind = roll(dice) % 4;
    if (kind == 0)
        return 0;
    return kind == 1 ? ends[roll(dice) % 8] : (roll(dice) << 1 | roll(dice) % 2) >> roll(dice) % 32;
}

/* UTF-8 of one to four bytes a letter, as much as there is room for. */
static unsigned name(char *text, unsigned room, dice *dice) {
    static const char *const letters[] = {
        "a", "Z", "\x7f", "\x01", "\xc3\xbc", "\xe2\x96\x88", "\xf0\x9f\x9a\xa2"};
    unsigned size = 0;
    for (;;) {
        const char *letter = letters[roll(dice) % 7];
        if (size + strlen(letter) > room)
            return size;
        memcpy(text + size, letter, strlen(letter));
        size += (unsigned)strlen(letter);
    }
}

void made_message(yt_message *message, dice *dice) {
    memset(message, 0, sizeof *message);
    message->number = number(dice);
    message->what = number(dice) & 0x7fffffff;
    message->token = number(dice);
    message->result = number(dice) & 0x7fffffff;
    message->slot = number(dice);
    message->kind = number(dice) & 0x7fffffff;
    message->index = number(dice);
    message->offset = number(dice);
    message->size = number(dice);
    message->checksum = number(dice);
    message->generation = number(dice);
    message->value = (int32_t)number(dice);
    message->wait_ms = number(dice);
    if (roll(dice) % 2)
        message->name_bytes =
            (uint8_t)name(message->name, roll(dice) % (YT_MESSAGE_NAME + 1), dice);
    message->chunk_bytes = (uint8_t)(roll(dice) % 2 ? roll(dice) % (YT_MESSAGE_CHUNK + 1) : 0);
    for (unsigned i = 0; i < message->chunk_bytes; i++)
        message->chunk[i] = (uint8_t)roll(dice);
}
