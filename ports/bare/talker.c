/* A host that floods the link while a slot runs: a message for each millisecond's turn, of
 * everything that may be asked. For whoever counts what a turn costs, and how deep the stack goes.
 *
 * usage: talker IN OUT     both are not used; prints what was asked in each turn, and the stack */
#include "ports/bare/bare.h"
#include "ports/bare/own_flash.h"
#include "yonder/link.h"

#define ENGINE_BYTES 4096
#define SECTORS      16u
#define PAINTED      1536u
#define PAINT        0xa5u

extern const unsigned char demo_program[];
extern const unsigned long demo_program_size;

static uint64_t memory[ENGINE_BYTES / 8];
static yt_engine engine;
static yt_store store;
static yt_store_sector sectors[SECTORS];
static yt_adapter adapter;
static yt_link linked;
static yt_port port;
static uint8_t settings[64];
static uint32_t record[32];
static uint64_t now_us;
static uint32_t token, number;
static uint32_t deepest;

static uint32_t random_bits(void *context) {
    (void)context;
    return 0x1234567u;
}

static void digest_begin(void *context) {
    (void)context;
}

static void digest_take(void *context, const void *bytes, size_t size) {
    (void)context, (void)bytes, (void)size;
}

static void digest_end(void *context, uint8_t digest[32]) {
    (void)context;
    digest[0] = 1;
}

static const yt_adapter_parts adapter_parts = {
    .engine = &engine, .store = &store, .settings = settings, .settings_room = sizeof settings};
static const yt_link_parts link_parts = {.adapter = &adapter,
                                         .build = "talker",
                                         .random = random_bits,
                                         .record = record,
                                         .record_room = sizeof record,
                                         .digest_begin = digest_begin,
                                         .digest_take = digest_take,
                                         .digest_end = digest_end};

/* ---- how deep the stack goes ---- */

/* Bytes below the stack's end, which nothing uses while these run. */
static volatile uint8_t *below_stack(void) {
    return (volatile uint8_t *)__builtin_frame_address(0) - PAINTED - 64;
}

static __attribute__((noinline)) void paint(void) {
    volatile uint8_t *below = below_stack();
    for (unsigned i = 0; i < PAINTED; i++)
        below[i] = PAINT;
}

static __attribute__((noinline)) unsigned used(void) {
    const volatile uint8_t *below = below_stack();
    unsigned untouched = 0;
    while (untouched < PAINTED && below[untouched] == PAINT)
        untouched++;
    return PAINTED - untouched + 64;
}

static __attribute__((noinline)) yt_status work(void) {
    return yt_link_work(&linked, now_us, 8, true);
}

static void print_number(const char *what, unsigned value) {
    char text[12];
    unsigned at = sizeof text - 1;
    text[at] = 0;
    text[--at] = '\n';
    do {
        text[--at] = (char)('0' + value % 10);
    } while ((value /= 10) > 0);
    semihosting_print(what);
    semihosting_print(text + at);
}

/* One turn: a message comes, and the link works at it. Counted, and looked at how deep. */
static void turn(unsigned what, const uint8_t *bytes, size_t size) {
    now_us += 1000;
    paint();
    mark_other();
    yt_link_take(&linked, YT_LINK_CABLE, bytes, size);
    yt_status status = work();
    mark_one_report();
    unsigned depth = used();
    deepest = depth > deepest ? depth : deepest;
    print_number("asked ", what);
    print_number("deep ", depth);
    if (status != YT_OK && status != YT_END)
        fail("the store fails\n");
    yt_engine_update(&engine, now_us);
}

/* Asks, and floods with the same until its answer is there. */
static yt_message ask(yt_message message) {
    uint8_t bytes[YT_MESSAGE_BYTES];
    yt_message answer = {0};
    message.number = number++;
    message.token = token;
    size_t size = yt_message_write(&message, bytes, sizeof bytes);
    for (unsigned i = 0; i < 3000; i++) {
        uint8_t got[YT_MESSAGE_REPORT];
        turn(message.what, bytes, size);
        size_t length = yt_link_answer(&linked, YT_LINK_CABLE, got, sizeof got);
        if (length > 0 && yt_message_read(&answer, got, length) && answer.number == message.number)
            return answer;
    }
    fail("no answer\n");
}

static uint32_t generation(uint32_t kind, uint32_t slot) {
    return ask((yt_message){.what = YT_REQUEST_SLOT, .kind = kind, .slot = slot}).generation;
}

static void write_slot(void) {
    uint32_t size = (uint32_t)demo_program_size, at = 0, before = generation(1, 3);
    ask((yt_message){.what = YT_REQUEST_STAGE,
                     .slot = 3,
                     .size = size,
                     .checksum = yt_checksum(0, demo_program, size),
                     .generation = before});
    while (at < size) {
        yt_message write = {.what = YT_REQUEST_WRITE, .offset = at};
        while (write.chunk_bytes < 40 && at + write.chunk_bytes < size) {
            write.chunk[write.chunk_bytes] = demo_program[at + write.chunk_bytes];
            write.chunk_bytes++;
        }
        at = ask(write).offset;
    }
    ask((yt_message){.what = YT_REQUEST_COMMIT,
                     .slot = 3,
                     .generation = before,
                     .name_bytes = 5,
                     .name = "crane"});
}

int main(void) {
    const yt_plugged_in alone = {.position = -1};
    now_us = 1000;
    number = 1;
    own_flash_port(&port, SECTORS);
    if (yt_store_format(&store, &port, 4, sectors, SECTORS) != YT_OK ||
        yt_store_write(&store, 0, "crane", demo_program, demo_program_size, NULL, 0) != YT_OK ||
        yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_adapter_start(&adapter, &adapter_parts, &alone, 0) != YT_OK)
        fail("the slot does not run\n");
    yt_link_init(&linked, &link_parts);
    token = ask((yt_message){.what = YT_REQUEST_HELLO, .checksum = 5}).token;
    ask((yt_message){.what = YT_REQUEST_UNLOCK});
    yt_link_press(&linked, now_us);
    for (uint32_t fact = 0; fact < YT_LINK_FACT_COUNT; fact++)
        ask((yt_message){.what = YT_REQUEST_FACT, .index = fact});
    write_slot();
    ask((yt_message){
        .what = YT_REQUEST_READ, .kind = 1, .slot = 1, .size = 40, .generation = generation(1, 1)});
    ask((yt_message){.what = YT_REQUEST_DIGEST, .slot = 1, .generation = generation(1, 1)});
    ask((yt_message){.what = YT_REQUEST_SETTING, .index = YT_SETTING_NAME});
    ask((yt_message){.what = YT_REQUEST_SET, .index = YT_SETTING_POLL, .value = 4});
    ask((yt_message){.what = YT_REQUEST_PARAMETER});
    ask((yt_message){.what = YT_REQUEST_VALUES});
    ask((yt_message){.what = YT_REQUEST_COPY,
                     .slot = 1,
                     .index = 2,
                     .generation = generation(1, 1),
                     .value = (int32_t)generation(1, 2)});
    ask((yt_message){.what = YT_REQUEST_RENAME,
                     .slot = 2,
                     .generation = generation(1, 2),
                     .name_bytes = 4,
                     .name = "yard"});
    ask((yt_message){.what = YT_REQUEST_SWAP,
                     .slot = 1,
                     .index = 2,
                     .generation = generation(1, 1),
                     .value = (int32_t)generation(1, 2)});
    ask((yt_message){.what = YT_REQUEST_ERASE, .slot = 2, .generation = generation(1, 2)});
    ask((yt_message){.what = YT_REQUEST_LOCK});
    print_number("stack ", deepest);
    return 0;
}
