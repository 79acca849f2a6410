/* Our messages against another implementation's, and for one in another language to compare with.
 * usage: agree other SEED COUNT    against nanopb: made messages, and broken ones
 *        agree print SEED COUNT    prints them: their bytes, and what each field is, "refused" or
 * not */
#include <pb_decode.h>
#include <pb_encode.h>

#include "link.pb.h"
#include "tests/link/messages.h"

#define ROOM 256u

static yonder_link_Message to_other(const yt_message *message) {
    yonder_link_Message other = {.number = message->number,
                                 .what = (yonder_link_What)message->what,
                                 .token = message->token,
                                 .result = (yonder_link_Result)message->result,
                                 .slot = message->slot,
                                 .kind = (yonder_link_Kind)message->kind,
                                 .index = message->index,
                                 .offset = message->offset,
                                 .size = message->size,
                                 .checksum = message->checksum,
                                 .generation = message->generation,
                                 .value = message->value,
                                 .wait_ms = message->wait_ms};
    memcpy(other.name, message->name, message->name_bytes);
    other.chunk.size = message->chunk_bytes;
    memcpy(other.chunk.bytes, message->chunk, message->chunk_bytes);
    return other;
}

static void check_same(const yt_message *message, const yonder_link_Message *other) {
    yonder_link_Message mine = to_other(message);
    CHECK_EQUAL(message->number, other->number);
    CHECK_EQUAL(message->what, (uint32_t)other->what);
    CHECK_EQUAL(message->token, other->token);
    CHECK_EQUAL(message->result, (uint32_t)other->result);
    CHECK_EQUAL(message->slot, other->slot);
    CHECK_EQUAL(message->kind, (uint32_t)other->kind);
    CHECK_EQUAL(message->index, other->index);
    CHECK_EQUAL(message->offset, other->offset);
    CHECK_EQUAL(message->size, other->size);
    CHECK_EQUAL(message->checksum, other->checksum);
    CHECK_EQUAL(message->generation, other->generation);
    CHECK_EQUAL(message->value, other->value);
    CHECK_EQUAL(message->wait_ms, other->wait_ms);
    CHECK_TEXT(mine.name, other->name);
    CHECK_EQUAL(message->chunk_bytes, other->chunk.size);
    CHECK(memcmp(message->chunk, other->chunk.bytes, message->chunk_bytes) == 0);
}

/* A byte or two are others, one is gone, or some stand there twice. */
static size_t break_bytes(uint8_t *bytes, size_t size, dice *dice) {
    for (unsigned i = roll(dice) % 3; i > 0 && size > 0; i--)
        bytes[roll(dice) % size] = (uint8_t)(roll(dice) % 2 ? roll(dice) : 1u << roll(dice) % 8);
    if (size > 1 && roll(dice) % 3 == 0) {
        size_t at = roll(dice) % (size - 1);
        memmove(bytes + at, bytes + at + 1, size - at - 1);
        size--;
    }
    if (size > 0 && 2 * size < ROOM && roll(dice) % 4 == 0) {
        memcpy(bytes + size, bytes, size);
        size *= 2;
    }
    return size;
}

static void check_good(const yt_message *message) {
    uint8_t mine[ROOM], others[ROOM];
    yonder_link_Message other = to_other(message), read = yonder_link_Message_init_zero;
    size_t size = yt_message_write(message, mine, sizeof mine);
    pb_ostream_t out = pb_ostream_from_buffer(others, sizeof others);
    CHECK(pb_encode(&out, yonder_link_Message_fields, &other));
    CHECK_EQUAL(size, out.bytes_written);
    CHECK(memcmp(mine, others, size) == 0);
    pb_istream_t in = pb_istream_from_buffer(mine, size);
    CHECK(pb_decode(&in, yonder_link_Message_fields, &read));
    check_same(message, &read);
}

/* What both take is the same. Each refuses a few that the other does not: it, numbers of more than
 * 32 bits and fields of another form; we, names that are no text. */
static unsigned check_broken(const uint8_t *bytes, size_t size) {
    yonder_link_Message other = yonder_link_Message_init_zero;
    yt_message message;
    pb_istream_t in = pb_istream_from_buffer(bytes, size);
    if (!pb_decode(&in, yonder_link_Message_fields, &other) ||
        !yt_message_read(&message, bytes, size) || memchr(message.name, 0, message.name_bytes))
        return 0;
    check_same(&message, &other);
    return 1;
}

static int compare(dice *dice, unsigned count) {
    unsigned taken = 0;
    for (unsigned i = 0; i < count; i++) {
        yt_message message;
        uint8_t bytes[ROOM];
        made_message(&message, dice);
        about("message %u", i);
        check_good(&message);
        size_t size = yt_message_write(&message, bytes, sizeof bytes);
        taken += check_broken(bytes, break_bytes(bytes, size, dice));
    }
    CHECK(taken > count / 10);
    return report_checks();
}

static void print_hex(const void *bytes, size_t size) {
    putchar(' ');
    for (size_t i = 0; i < size; i++)
        printf("%02x", ((const uint8_t *)bytes)[i]);
    putchar(size ? ' ' : '-');
}

static int print(dice *dice, unsigned count) {
    for (unsigned i = 0; i < count; i++) {
        yt_message message;
        uint8_t bytes[ROOM];
        made_message(&message, dice);
        size_t size = yt_message_write(&message, bytes, sizeof bytes);
        if (i % 2)
            size = break_bytes(bytes, size, dice);
        print_hex(bytes, size);
        if (yt_message_read(&message, bytes, size)) {
            printf(" %u %u %u %u %u %u %u %u %u %u %u %d %u", message.number, message.what,
                   message.token, message.result, message.slot, message.kind, message.index,
                   message.offset, message.size, message.checksum, message.generation,
                   message.value, message.wait_ms);
            print_hex(message.name, message.name_bytes);
            print_hex(message.chunk, message.chunk_bytes);
        } else {
            printf(" refused");
        }
        putchar('\n');
    }
    return 0;
}

int main(int count, char **words) {
    if (count != 4 || (strcmp(words[1], "other") != 0 && strcmp(words[1], "print") != 0)) {
        fprintf(stderr, "usage: agree other|print SEED COUNT\n");
        return 2;
    }
    dice dice = {strtoull(words[2], NULL, 10)};
    unsigned messages = (unsigned)strtoul(words[3], NULL, 10);
    return *words[1] == 'o' ? compare(&dice, messages) : print(&dice, messages);
}
