/* Any messages to an adapter. Each step begins with a byte: its two lowest bits say which kind it
 * is. 0: a message as it stands: its length, and the bytes 1: one of a session, with the token and
 * the number that are awaited: what, slot, index, two bytes each of offset and size, and as many
 * bytes of content as its next byte says 2: a press, or the cable is pulled 3: time passes The
 * third bit is the way; the fourth, whether the flash may be erased. */
#include "fuzz/fuzz.h"
#include "ports/sim/nor.h"
#include "yonder/link.h"

#define SLOTS   4
#define SECTORS 18

static nor_flash flash;
static yt_port port = {.version = YT_PORT_VERSION};
static yt_store_sector sectors[SECTORS];
static yt_store store;
static yt_engine engine;
static uint64_t memory[1024];
static uint8_t settings[YT_SETTINGS_BYTES];
static const uint8_t content[300] = {1, 2, 3};
static yt_adapter_parts adapter_parts = {
    .engine = &engine, .store = &store, .settings = settings, .settings_room = sizeof settings};
static yt_adapter adapter;
static uint32_t tokens;

static uint32_t next_token(void *context) {
    (void)context;
    return ++tokens;
}

/* What stands for a digest: that its calls come in order, and within bytes that are there. */
static uint32_t digested;
static bool is_digesting;

static void digest_begin(void *context) {
    (void)context;
    is_digesting = true;
    digested = 0;
}

static void digest_take(void *context, const void *bytes, size_t size) {
    (void)context;
    INVARIANT(26, is_digesting);
    digested = yt_checksum(digested, bytes, size);
}

static void digest_end(void *context, uint8_t digest[32]) {
    (void)context;
    INVARIANT(26, is_digesting);
    is_digesting = false;
    memset(digest, (int)(digested & 0xff), 32);
}

static void restart(void *context, bool bootloader) {
    (void)context;
    (void)bootloader;
}

static bool is_pressed(void *context) {
    (void)context;
    return tokens % 2;
}

static const yt_device *device(void *context, unsigned number) {
    (void)context;
    (void)number;
    return NULL;
}

static uint32_t record[(sizeof(yt_calibration) + 3) / 4];
static yt_link_calibration calibrating;

static const yt_link_parts link_parts = {.adapter = &adapter,
                                         .build = "made up",
                                         .random = next_token,
                                         .record = record,
                                         .record_room = sizeof record,
                                         .device = device,
                                         .digest_begin = digest_begin,
                                         .digest_take = digest_take,
                                         .digest_end = digest_end,
                                         .restart = restart,
                                         .is_pressed = is_pressed};
static yt_link conversation;
static uint64_t now_us;

static void begin(void) {
    const nor_facts facts = {.sectors = SECTORS,
                             .sector_bytes = 1024,
                             .unit_bytes = 4,
                             .erased_value = 0xff,
                             .programs = 1,
                             .is_mapped = true};
    const yt_plugged_in alone = {.position = -1};
    tokens = 0;
    now_us = 1;
    if (!nor_begin(&flash, &facts, 1))
        abort();
    nor_port(&flash, &port);
    if (yt_store_open(&store, &port, SLOTS, sectors, SECTORS) != YT_OK ||
        yt_store_write(&store, 0, "made up", content, 200, content, 100) != YT_OK ||
        yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK)
        abort();
    (void)!yt_adapter_start(&adapter, &adapter_parts, &alone,
                            now_us); /* there is no program to run */
    yt_link_init(&conversation, &link_parts);
    if (yt_link_calibrates(&conversation, &calibrating) != YT_OK)
        abort();
}

/* What is kept, as one number. */
static uint32_t told(void) {
    uint32_t sum = 0;
    for (unsigned slot = 0; slot < SLOTS; slot++) {
        yt_slot info;
        if (yt_store_slot(&store, slot, &info) == YT_OK)
            sum = yt_checksum(sum ^ slot, &info, offsetof(yt_slot, kept));
    }
    for (unsigned place = 0; place <= YT_STORE_SETTINGS; place++) {
        yt_kept kept;
        if (yt_store_kept(&store, place, &kept) == YT_OK)
            sum = yt_checksum(sum ^ place, &kept, sizeof kept);
    }
    return sum;
}

static bool anybody_is_unlocked(void) {
    return conversation.sessions[0].is_unlocked || conversation.sessions[1].is_unlocked;
}

static void say(yt_link_way way, const yt_message *message) {
    uint8_t bytes[YT_MESSAGE_BYTES];
    size_t size = yt_message_write(message, bytes, sizeof bytes);
    yt_link_take(&conversation, way, bytes, size);
}

/* The answer fits, and is a message; what was answered stays until something else is. */
static void look_at_answers(void) {
    for (yt_link_way way = 0; way < YT_LINK_WAYS; way++) {
        uint8_t bytes[YT_MESSAGE_BYTES], again[YT_MESSAGE_BYTES];
        yt_message answer;
        size_t size = yt_link_answer(&conversation, way, bytes, sizeof bytes);
        INVARIANT(26, size == 0 || yt_message_read(&answer, bytes, size));
        INVARIANT(26, yt_link_answer(&conversation, way, again, sizeof again) == size);
        INVARIANT(26, memcmp(bytes, again, size) == 0);
        INVARIANT(26, size == 0 || answer.result < YT_RESULT_COUNT);
        INVARIANT(26, size <= YT_MESSAGE_REPORT || way != YT_LINK_CABLE);
    }
}

static const uint8_t *of_session(yt_link_way way, const uint8_t *at, const uint8_t *end) {
    yt_message message = {0};
    if (end - at < 8)
        return end;
    message.what = at[0] % (YT_REQUEST_COUNT + 1);
    message.slot = at[1] % (SLOTS + 2);
    message.index = at[2] % (SLOTS + 2);
    message.kind = at[2] / 64;
    if (at[4] & 4)
        message.kind += 3; /* settings, calibrations, and one that there is not */
    message.value = at[6] >> 2;
    message.offset = (uint32_t)(at[3] | (at[4] & 3) << 8);
    message.size = (uint32_t)(at[5] | (at[6] & 3) << 8);
    size_t size = at[7];
    at += 8;
    size = size < (size_t)(end - at) ? size : (size_t)(end - at);
    if (message.what == YT_REQUEST_STAGE) /* content that is all here */
        message.checksum = yt_checksum(0, at, size);
    else if (message.what != YT_REQUEST_RENAME)
        message.chunk_bytes = (uint8_t)(size % (YT_MESSAGE_CHUNK + 1));
    memcpy(message.chunk, at, message.chunk_bytes);
    at += size;
    if (message.what == YT_REQUEST_SET)
        message.index = message.offset % (YT_SETTING_COUNT + 1);
    yt_slot info;
    yt_kept kept;
    if (message.kind > YT_LINK_OF_KEPT || message.what == YT_REQUEST_SET) {
        unsigned place =
            message.kind == YT_LINK_OF_CALIBRATION ? message.slot - 1 : YT_STORE_SETTINGS;
        if (yt_store_kept(&store, place, &kept) == YT_OK)
            message.generation = kept.generation;
    } else if (message.slot > 0 && yt_store_slot(&store, message.slot - 1, &info) == YT_OK)
        message.generation = info.generation;
    for (unsigned i = 0; i < YT_LINK_SESSIONS; i++)
        if (conversation.sessions[i].way == way && conversation.sessions[i].token != 0) {
            message.token = conversation.sessions[i].token;
            message.number = conversation.sessions[i].number + 1;
        }
    say(way, &message);
    return at;
}

static const uint8_t *step(uint8_t kind, const uint8_t *at, const uint8_t *end) {
    yt_link_way way = kind & 4 ? YT_LINK_STREAM : YT_LINK_CABLE;
    size_t size = at < end ? *at : 0;
    switch (kind & 3) {
    case 0:
        at += at < end;
        if (size > (size_t)(end - at))
            size = (size_t)(end - at);
        yt_link_take(&conversation, way, at, size);
        return at + size;
    case 1:
        return of_session(way, at, end);
    case 2:
        if (kind & 16)
            yt_link_end(&conversation, way);
        else
            yt_link_press(&conversation, now_us);
        return at;
    default:
        now_us += (uint64_t)size << 16;
        return at + (at < end);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    const uint8_t *at = data, *end = data + size;
    begin();
    while (at < end) {
        uint8_t kind = *at++;
        bool was_unlocked = anybody_is_unlocked();
        uint32_t before = told();
        at = step(kind, at, end);
        for (unsigned i = 0; i < 3; i++) {
            uint64_t operations = flash.operations;
            now_us += 1000;
            yt_status status = yt_link_work(&conversation, now_us, 8, kind & 8);
            INVARIANT(27, status == YT_OK || status == YT_END);
            INVARIANT(27, kind & 8 || flash.operations - operations < 100);
        }
        INVARIANT(28, was_unlocked || anybody_is_unlocked() || told() == before);
        look_at_answers();
    }
    for (unsigned slot = 0; slot < SLOTS; slot++) {
        yt_status status = yt_store_verify(&store, slot);
        INVARIANT(28, status == YT_OK || status == YT_SLOT_EMPTY);
    }
    INVARIANT(28, flash.breaches == 0);
    nor_end(&flash);
    return 0;
}
