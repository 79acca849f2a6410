#include "tests/link/host.h"

#define PATIENCE 2500 /* milliseconds */

yt_compiled linked_programs[3];
const char *const linked_texts[3] = {BOX_PLAY(1), BOX_PLAY(2), BOX_PLAY(3)};

static uint32_t random_bits(void *context) {
    linked_box *to = context;
    return roll(&to->dice) << 1 | roll(&to->dice) % 2;
}

static void wants_press(void *context, unsigned number) {
    linked_box *to = context;
    to->wants_press = number > 0;
    to->press_number = number;
    CHECK(number == 0 || (number >= 1000 && number <= 9999));
}

static const yt_device *device(void *context, unsigned number) {
    linked_box *to = context;
    return to->box.has_keyboard && number == to->box.keyboard ? &to->box.device : NULL;
}

static void digest_begin(void *context) {
    sha256_init(&((linked_box *)context)->digest);
}

static void digest_take(void *context, const void *bytes, size_t size) {
    sha256_update(&((linked_box *)context)->digest, size, bytes);
}

static void digest_end(void *context, uint8_t digest[32]) {
    sha256_digest(&((linked_box *)context)->digest, 32, digest);
}

static void restart(void *context, bool bootloader) {
    linked_box *to = context;
    CHECK(!to->was_restarted);
    to->was_restarted = true;
    to->to_bootloader = bootloader;
}

static bool is_pressed(void *context) {
    return ((linked_box *)context)->is_pressed;
}

/* What the firmware counts: made up, so that each is another number. */
static uint32_t fact(void *context, yt_link_fact fact) {
    (void)context;
    return 7000 + fact;
}

void linked_begin(linked_box *to) {
    for (unsigned i = 0; i < 3 && linked_programs[i].size == 0; i++)
        rig_compile(&linked_programs[i], linked_texts[i]);
    memset(to, 0, sizeof *to);
    to->dice.state = 11;
    to->may_erase = true;
    box_begin(&to->box, true);
    box_write(&to->box, 0, linked_texts[0]);
    to->parts = (yt_link_parts){.adapter = &to->box.adapter,
                                .build = "quay 3",
                                .build_number = 3,
                                .context = to,
                                .random = random_bits,
                                .wants_press = wants_press,
                                .record = to->record,
                                .record_room = sizeof to->record,
                                .device = device,
                                .digest_begin = digest_begin,
                                .digest_take = digest_take,
                                .digest_end = digest_end,
                                .restart = restart,
                                .is_pressed = is_pressed,
                                .fact = fact};
    linked_plug_in(to);
}

void linked_plug_in(linked_box *to) {
    CHECK_EQUAL(box_plug_in(&to->box, &box_alone, to->now_us), YT_OK);
    yt_link_init(&to->link, &to->parts);
    bool has_room = to->parts.device && to->parts.record_room >= sizeof(yt_calibration);
    CHECK_EQUAL(yt_link_calibrates(&to->link, &to->calibrating), has_room ? YT_OK : YT_ARGUMENT);
}

void linked_work(linked_box *to, unsigned milliseconds, bool may_erase) {
    for (unsigned i = 0; i < milliseconds; i++) {
        to->now_us += 1000;
        CHECK(yt_link_work(&to->link, to->now_us, 8, may_erase) <= YT_END);
    }
}

void linked_end(linked_box *to) {
    box_end(&to->box);
}

void host_say(host *host, const yt_message *message) {
    uint8_t bytes[YT_MESSAGE_BYTES];
    size_t size = yt_message_write(message, bytes, sizeof bytes);
    CHECK(size > 0 && size <= host->to->link.room[host->way]);
    yt_link_take(&host->to->link, host->way, bytes, size);
}

bool host_knows(const host *host, const yt_message *answer) {
    bool is_stray = answer->result == YT_RESULT_SESSION;
    return answer->number == host->number && (!is_stray || answer->token == host->token);
}

bool host_hear(host *host) {
    linked_box *to = host->to;
    for (unsigned i = 0; i < PATIENCE; i++) {
        uint8_t bytes[YT_MESSAGE_BYTES];
        to->now_us += 1000;
        if (to->play)
            to->play(to);
        yt_status status = yt_link_work(&to->link, to->now_us, 8, to->may_erase);
        CHECK(status == YT_OK || status == YT_END || status == YT_FLASH);
        size_t room = to->link.room[host->way];
        size_t size = yt_link_answer(&to->link, host->way, bytes, room);
        if (size > 0 && yt_message_read(&host->answer, bytes, size) &&
            host_knows(host, &host->answer))
            return true;
    }
    return false;
}

int host_ask(host *host, yt_message message) {
    message.number = ++host->number;
    message.token = host->token;
    host_say(host, &message);
    return host_hear(host) ? (int)host->answer.result : -1;
}

void host_begin(host *host, linked_box *to, yt_link_way way, uint32_t nonce) {
    *host = (struct host){.to = to, .way = way, .nonce = nonce, .number = 100};
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_HELLO, .checksum = nonce}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.checksum, nonce);
    host->token = host->answer.token;
}

uint32_t host_generation_of(host *host, yt_link_kind kind, unsigned slot) {
    int result = host_ask(host, (yt_message){.what = YT_REQUEST_SLOT, .slot = slot, .kind = kind});
    return result == YT_RESULT_DONE ? host->answer.generation : 0;
}

uint32_t host_generation(host *host, unsigned slot) {
    return host_generation_of(host, YT_LINK_OF_PROGRAM, slot);
}

size_t host_read(host *host, yt_link_kind kind, unsigned slot, uint8_t *bytes, size_t room) {
    yt_message ask = {.what = YT_REQUEST_READ, .slot = slot, .kind = kind, .size = 1000};
    ask.generation = host_generation_of(host, kind, slot);
    size_t all = host->answer.size;
    CHECK(all <= room);
    while (ask.offset < all) {
        CHECK_EQUAL(host_ask(host, ask), YT_RESULT_DONE);
        CHECK(host->answer.chunk_bytes > 0 && host->answer.offset == ask.offset);
        if (host->answer.chunk_bytes == 0)
            return 0;
        memcpy(bytes + ask.offset, host->answer.chunk, host->answer.chunk_bytes);
        ask.offset += host->answer.chunk_bytes;
    }
    return all;
}

const char *host_digest(host *host, yt_link_kind kind, unsigned slot) {
    static char text[65];
    yt_message ask = {.what = YT_REQUEST_DIGEST, .slot = slot, .kind = kind};
    ask.generation = host_generation_of(host, kind, slot);
    CHECK_EQUAL(host_ask(host, ask), YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.chunk_bytes, 32);
    for (unsigned i = 0; i < 32; i++)
        snprintf(text + 2 * i, 3, "%02x", host->answer.chunk[i]);
    return text;
}

int host_write_all(host *host, const uint8_t *bytes, size_t size) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_FACT, .index = YT_LINK_CHUNK}),
                YT_RESULT_DONE);
    uint32_t most = (uint32_t)host->answer.value;
    for (size_t done = 0; done < size;) {
        yt_message message = {.what = YT_REQUEST_WRITE, .offset = (uint32_t)done};
        size_t left = size - done;
        message.chunk_bytes = (uint8_t)(left < most ? left : most);
        memcpy(message.chunk, bytes + done, message.chunk_bytes);
        int result = host_ask(host, message);
        if (result != YT_RESULT_DONE)
            return result;
        done = host->answer.offset;
    }
    return YT_RESULT_DONE;
}

int host_write(host *host, unsigned slot, const char *name, const void *program, size_t size,
               const void *text, size_t text_size) {
    uint8_t *both = malloc(size + text_size + 1);
    uint32_t generation = host_generation(host, slot);
    if (!both)
        abort();
    memcpy(both, program, size);
    memcpy(both + size, text, text_size);
    int result = host_ask(host, (yt_message){.what = YT_REQUEST_STAGE,
                                             .slot = slot,
                                             .size = (uint32_t)size,
                                             .value = (int32_t)text_size,
                                             .checksum = yt_checksum(0, both, size + text_size),
                                             .generation = generation});
    if (result == YT_RESULT_DONE)
        result = host_write_all(host, both, size + text_size);
    free(both);
    if (result != YT_RESULT_DONE)
        return result;
    yt_message message = {.what = YT_REQUEST_COMMIT, .slot = slot, .generation = generation};
    message.name_bytes = (uint8_t)strlen(name);
    memcpy(message.name, name, message.name_bytes);
    return host_ask(host, message);
}

int host_write_record(host *host, yt_link_kind kind, const void *record, size_t size,
                      uint32_t generation) {
    int result = host_ask(host, (yt_message){.what = YT_REQUEST_STAGE,
                                             .kind = kind,
                                             .size = (uint32_t)size,
                                             .checksum = yt_checksum(0, record, size)});
    if (result == YT_RESULT_DONE)
        result = host_write_all(host, record, size);
    return result == YT_RESULT_DONE ? host_ask(host, (yt_message){.what = YT_REQUEST_COMMIT,
                                                                  .kind = kind,
                                                                  .generation = generation})
                                    : result;
}

int host_put(host *host, unsigned slot, const char *name, unsigned which) {
    return host_write(host, slot, name, linked_programs[which].image, linked_programs[which].size,
                      linked_texts[which], strlen(linked_texts[which]));
}

int host_activate(host *host, unsigned slot) {
    uint32_t generation = host_generation(host, slot);
    return host_ask(
        host, (yt_message){.what = YT_REQUEST_ACTIVATE, .slot = slot, .generation = generation});
}

void host_check_slot(host *host, unsigned slot, const char *name, unsigned which) {
    char got[YT_MESSAGE_NAME + 1];
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_SLOT, .slot = slot}),
                YT_RESULT_DONE);
    snprintf(got, sizeof got, "%.*s", host->answer.name_bytes, host->answer.name);
    CHECK_TEXT(got, name);
    CHECK_EQUAL(host->answer.size, linked_programs[which].size);
    CHECK_EQUAL(host->answer.checksum,
                yt_checksum(0, linked_programs[which].image, linked_programs[which].size));
}

void host_unlock(host *host) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    CHECK(host->to->wants_press);
    yt_link_press(&host->to->link, host->to->now_us);
    CHECK(!host->to->wants_press);
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_DONE);
}

uint32_t host_fact(host *host, yt_link_fact fact) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_FACT, .index = fact}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.index, fact);
    return (uint32_t)host->answer.value;
}
