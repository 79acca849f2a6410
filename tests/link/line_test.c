/* Over a line that loses, doubles, cuts and turns round, and where the power goes: what is asked is
 * done once or not at all, and the host finds out. */
#include "tests/link/host.h"

static linked_box to;

/* What a slot must hold, by a plain model. */
typedef struct known {
    bool is_there;
    unsigned which;
    char name[YT_MESSAGE_NAME + 1];
} known;

/* In the frame of its way, of which only so many bytes come. */
static void say_framed(host *host, const uint8_t *bytes, size_t size, size_t come) {
    static yt_frame line;
    uint8_t frame[YT_FRAME_BYTES] = {0};
    if (host->way != YT_LINK_STREAM) {
        if (size > 0 && yt_report_pack(bytes, size, frame) && yt_report_unpack(frame, come) > 0)
            yt_link_take(&to.link, host->way, frame + 1, yt_report_unpack(frame, come));
        return;
    }
    size_t length = yt_frame_pack(bytes, size, frame);
    for (size_t i = 0; i < length && i < come; i++) {
        size_t whole = yt_frame_take(&line, frame[i]);
        if (whole > 0)
            yt_link_take(&to.link, host->way, line.bytes, whole);
    }
}

static void say_bytes(host *host, const uint8_t *bytes, size_t size) {
    say_framed(host, bytes, size, host->way == YT_LINK_STREAM ? YT_FRAME_BYTES : YT_REPORT_FRAME);
}

static uint8_t old[8][YT_MESSAGE_BYTES];
static size_t old_size[8];

/* Asks over a line that loses, doubles, cuts and turns round: again and again, until the answer
 * comes. */
static int ask_badly(host *host, yt_message message, dice *dice) {
    uint8_t bytes[YT_MESSAGE_BYTES], answer[YT_MESSAGE_BYTES];
    message.number = ++host->number;
    message.token = host->token;
    size_t size = yt_message_write(&message, bytes, sizeof bytes);
    for (unsigned round = 0; round < 200; round++) {
        unsigned event = roll(dice) % 8, past = roll(dice) % 8;
        if (event == 0)
            say_bytes(host, old[past], old_size[past]);
        if (event == 1)
            say_framed(host, bytes, size, roll(dice) % size);
        if (event > 2)
            say_bytes(host, bytes, size);
        linked_work(&to, roll(dice) % 4, true);
        if (event == 4)
            say_bytes(host, bytes, size);
        linked_work(&to, 1, true);
        size_t length = yt_link_answer(&to.link, host->way, answer, sizeof answer);
        if (length == 0 || roll(dice) % 4 == 0)
            continue; /* lost */
        if (!yt_message_read(&host->answer, answer, length) || !host_knows(host, &host->answer))
            continue;
        memcpy(old[1 + past % 7], bytes, size);
        old_size[1 + past % 7] = size;
        return (int)host->answer.result;
    }
    return -1;
}

static uint32_t generation_badly(host *host, unsigned slot, dice *dice) {
    int result = ask_badly(host, (yt_message){.what = YT_REQUEST_SLOT, .slot = slot}, dice);
    return result == YT_RESULT_DONE ? host->answer.generation : 0;
}

static int put_badly(host *host, unsigned slot, unsigned which, const char *name, dice *dice) {
    const uint8_t *program = linked_programs[which].image;
    uint32_t size = (uint32_t)linked_programs[which].size,
             generation = generation_badly(host, slot, dice);
    int result = ask_badly(host,
                           (yt_message){.what = YT_REQUEST_STAGE,
                                        .slot = slot,
                                        .size = size,
                                        .checksum = yt_checksum(0, program, size),
                                        .generation = generation},
                           dice);
    while (result == YT_RESULT_DONE && host->answer.offset < size) {
        yt_message message = {.what = YT_REQUEST_WRITE, .offset = host->answer.offset};
        uint32_t left = size - message.offset, most = host->way == YT_LINK_CABLE ? 40 : 96;
        message.chunk_bytes = (uint8_t)(left < most ? left : most);
        memcpy(message.chunk, program + message.offset, message.chunk_bytes);
        result = ask_badly(host, message, dice);
    }
    if (result != YT_RESULT_DONE)
        return result;
    yt_message commit = {.what = YT_REQUEST_COMMIT, .slot = slot, .generation = generation};
    commit.name_bytes = (uint8_t)strlen(name);
    memcpy(commit.name, name, commit.name_bytes);
    return ask_badly(host, commit, dice);
}

static int change_badly(host *host, known *slots, dice *dice) {
    unsigned slot = 1 + roll(dice) % BOX_SLOTS, other = 1 + roll(dice) % BOX_SLOTS,
             which = roll(dice) % 3;
    known *known = &slots[slot - 1];
    uint32_t generation = generation_badly(host, slot, dice);
    char name[20];
    snprintf(name, sizeof name, "name %u", roll(dice) % 100);
    yt_message message = {.slot = slot, .index = other, .generation = generation};
    int result;
    switch (roll(dice) % 4) {
    case 0:
        result = put_badly(host, slot, which, name, dice);
        if (result == YT_RESULT_DONE)
            *known = (struct known){true, which, ""};
        break;
    case 1:
        message.what = YT_REQUEST_RENAME;
        message.name_bytes = (uint8_t)strlen(name);
        memcpy(message.name, name, message.name_bytes);
        result = ask_badly(host, message, dice);
        CHECK(known->is_there ? result != YT_RESULT_FAILED : result == YT_RESULT_FAILED);
        break;
    case 2:
        message.what = YT_REQUEST_SWAP;
        message.value = (int32_t)generation_badly(host, other, dice);
        result = ask_badly(host, message, dice);
        if (result == YT_RESULT_DONE) {
            struct known before = *known;
            *known = slots[other - 1];
            slots[other - 1] = before;
        }
        return result;
    default:
        message.what = YT_REQUEST_ERASE;
        result = ask_badly(host, message, dice);
        if (result == YT_RESULT_DONE)
            known->is_there = false;
        return result;
    }
    if (result == YT_RESULT_DONE)
        strcpy(known->name, name);
    return result;
}

static void check_bad_line(unsigned seed) {
    dice dice = {seed};
    host hosts[2];
    known slots[BOX_SLOTS] = {{true, 0, "made up"}};
    unsigned done = 0;
    memset(old_size, 0, sizeof old_size);
    linked_begin(&to);
    host_begin(&hosts[0], &to, YT_LINK_CABLE, 1);
    host_begin(&hosts[1], &to, YT_LINK_STREAM, 2);
    for (unsigned i = 0; i < 2; i++)
        host_unlock(&hosts[i]);
    yt_message hello = {.what = YT_REQUEST_HELLO, .checksum = 1, .number = 101};
    old_size[0] = yt_message_write(&hello, old[0], sizeof old[0]); /* it comes late */
    for (unsigned i = 0; i < 60; i++) {
        host *host = &hosts[roll(&dice) % 2];
        about("seed %u, change %u", seed, i);
        yt_link_press(&to.link, to.now_us);
        to.link.changes = 0;
        int result = change_badly(host, slots, &dice);
        CHECK(result >= 0);
        done += result == YT_RESULT_DONE;
        for (unsigned slot = 1; slot <= BOX_SLOTS; slot++)
            if (slots[slot - 1].is_there)
                host_check_slot(host, slot, slots[slot - 1].name, slots[slot - 1].which);
            else
                CHECK_EQUAL(host_generation(host, slot), 0);
    }
    CHECK(done > 20);
    linked_end(&to);
}

/* The power goes at each operation of a commit, whose answer is lost: the host finds it done or
 * not, and says it again. */
static void check_cuts(void) {
    bool is_whole = false;
    unsigned old = 0, new = 0;
    for (uint64_t cut = 0; !is_whole; cut++) {
        host host;
        linked_begin(&to);
        host_begin(&host, &to, YT_LINK_CABLE, 1);
        host_unlock(&host);
        about("the power goes at operation %" PRIu64 " of a commit", cut);
        const uint8_t *program = linked_programs[1].image;
        uint32_t size = (uint32_t)linked_programs[1].size;
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE,
                                                 .slot = 2,
                                                 .size = size,
                                                 .checksum = yt_checksum(0, program, size)}),
                    YT_RESULT_DONE);
        for (uint32_t done = 0; done < size; done = host.answer.offset) {
            yt_message write = {.what = YT_REQUEST_WRITE, .offset = done};
            write.chunk_bytes = (uint8_t)(size - done < 40 ? size - done : 40);
            memcpy(write.chunk, program + done, write.chunk_bytes);
            CHECK_EQUAL(host_ask(&host, write), YT_RESULT_DONE);
        }
        to.box.flash.until_cut = cut;
        yt_message commit = {.what = YT_REQUEST_COMMIT, .slot = 2, .name_bytes = 4, .name = "yard"};
        host_ask(&host, commit);
        is_whole = !to.box.flash.off;
        to.box.flash.until_cut = NOR_NO_CUT;
        linked_plug_in(&to);
        CHECK_EQUAL(host_ask(&host, commit), YT_RESULT_SESSION);
        host_begin(&host, &to, YT_LINK_CABLE, 2);
        if (host_generation(&host, 2) == 0) {
            old++;
            host_unlock(&host);
            CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_DONE);
        } else {
            new ++;
        }
        host_check_slot(&host, 2, "yard", 1);
        CHECK_EQUAL(yt_store_verify(&to.box.store, 1), YT_OK);
        linked_end(&to);
    }
    CHECK(old > 3 && new > 0);
}

int main(void) {
    for (unsigned seed = 1; seed <= some(60); seed++)
        check_bad_line(seed);
    check_cuts();
    return report_checks();
}
