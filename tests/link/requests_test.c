/* The conversation: what a host asks is done once, in order, as far as it may, whatever gets lost
 * on the way. */
#include "tests/link/host.h"

static linked_box to;

/* What is asked of what there is not is answered in a few bytes, whatever else stood in the
 * request. */
static void check_unknown(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    for (unsigned request = YT_REQUEST_FACT; request <= YT_REQUEST_COUNT + 1; request++) {
        yt_message message = {
            .what = request, .slot = 1, .kind = 9, .index = 200, .offset = 9, .chunk_bytes = 40};
        about("request %u", request);
        CHECK(host_ask(&host, message) >= 0);
        CHECK(host.answer.chunk_bytes == 0 && yt_message_size(&host.answer) < 20);
    }
    linked_end(&to);
}

static void check_hello(void) {
    host one, same, two, three;
    linked_begin(&to);
    about("a hello that comes twice is one session, until something else was asked in it");
    host_begin(&one, &to, YT_LINK_CABLE, 5);
    host_begin(&same, &to, YT_LINK_CABLE, 5);
    CHECK_EQUAL(same.token, one.token);
    CHECK_EQUAL(host_fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    same.number = 100;
    yt_message hello = {.what = YT_REQUEST_HELLO, .checksum = 5, .number = 101};
    host_say(&same, &hello);
    linked_work(&to, 3, true);
    CHECK_EQUAL(host_fact(&one, YT_LINK_SLOTS), BOX_SLOTS); /* its numbers go on */
    about("facts");
    CHECK_EQUAL(host_fact(&one, YT_LINK_PROTOCOL), 1);
    CHECK_EQUAL(host_fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(host_fact(&one, YT_LINK_RUNS), 1);
    CHECK_EQUAL(host_fact(&one, YT_LINK_BUILD), 3);
    CHECK_EQUAL(one.answer.name_bytes, 6);
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_FACT, .index = YT_LINK_FACT_COUNT}),
                YT_RESULT_UNKNOWN);
    about("another host has another session");
    host_begin(&two, &to, YT_LINK_CABLE, 6);
    CHECK(two.token != one.token);
    about("no third one, unless one was silent for long");
    three = (host){.to = &to, .way = YT_LINK_STREAM, .number = 7};
    CHECK_EQUAL(host_ask(&three, (yt_message){.what = YT_REQUEST_HELLO, .checksum = 8}),
                YT_RESULT_BUSY);
    CHECK_EQUAL(three.answer.wait_ms, 10000);
    to.now_us += 9000000;
    CHECK_EQUAL(host_fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    to.now_us += 1000000;
    host_begin(&three, &to, YT_LINK_STREAM, 8);
    CHECK_EQUAL(host_fact(&three, YT_LINK_CHUNK), YT_MESSAGE_CHUNK);
    CHECK_EQUAL(host_fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    about("a token by another way is none");
    two.token = three.token;
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    about("the cable is pulled");
    yt_link_end(&to.link, YT_LINK_CABLE);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    CHECK_EQUAL(host_fact(&three, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(host_ask(&three, (yt_message){.what = YT_REQUEST_COUNT}), YT_RESULT_UNKNOWN);
    linked_end(&to);
}

static void check_slots(yt_link_way way) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, way, 1);
    about("locked at first, by way %d", way);
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_PRESS);
    host_unlock(&host);
    about("written, and read again");
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_DONE);
    host_check_slot(&host, 2, "yard", 1);
    uint32_t generation = host_generation(&host, 2);
    char got[400];
    size_t length = strlen(linked_texts[1]), done = 0;
    while (done < length) {
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_READ,
                                                 .slot = 2,
                                                 .kind = YT_LINK_OF_TEXT,
                                                 .offset = (uint32_t)done,
                                                 .size = 1000,
                                                 .generation = generation}),
                    YT_RESULT_DONE);
        if (host.answer.chunk_bytes == 0)
            break;
        memcpy(got + done, host.answer.chunk, host.answer.chunk_bytes);
        done += host.answer.chunk_bytes;
    }
    CHECK(done == length && memcmp(got, linked_texts[1], length) == 0);
    about("changes name what they saw");
    yt_message rename = {.what = YT_REQUEST_RENAME,
                         .slot = 2,
                         .generation = generation + 7,
                         .name_bytes = 5,
                         .name = "barge"};
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.generation, generation);
    host_check_slot(&host, 2, "yard", 1);
    rename.generation = generation;
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_DONE);
    generation = host.answer.generation;
    host_check_slot(&host, 2, "barge", 1);
    rename.generation = generation;
    rename.name[2] = 7;
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
    about("copied, swapped, erased; the other slot is as it was seen, too");
    uint32_t first = host_generation(&host, 1);
    CHECK_EQUAL(
        host_ask(
            &host,
            (yt_message){.what = YT_REQUEST_COPY, .slot = 2, .index = 1, .generation = generation}),
        YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.value, first);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_SWAP,
                                             .slot = 2,
                                             .index = 1,
                                             .value = (int32_t)first + 1,
                                             .generation = generation}),
                YT_RESULT_CHANGED);
    host_check_slot(&host, 1, "made up", 0);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_COPY,
                                             .slot = 2,
                                             .index = 4,
                                             .value = 0,
                                             .generation = generation}),
                YT_RESULT_DONE);
    host_check_slot(&host, 4, "barge", 1);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_SWAP,
                                             .slot = 2,
                                             .index = 1,
                                             .value = (int32_t)first,
                                             .generation = generation}),
                YT_RESULT_DONE);
    host_check_slot(&host, 1, "barge", 1);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_ERASE,
                                             .slot = 4,
                                             .generation = host_generation(&host, 4)}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host.answer.generation, 0);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_SLOT, .slot = 4}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SLOT_EMPTY);
    about("a copy of nothing leaves what is being written as it is");
    yt_message stage = {
        .what = YT_REQUEST_STAGE, .slot = 3, .size = 40, .generation = host_generation(&host, 3)};
    yt_message write = {.what = YT_REQUEST_WRITE, .chunk_bytes = 8};
    CHECK_EQUAL(host_ask(&host, stage), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, write), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_COPY,
                                             .slot = 4,
                                             .index = 1,
                                             .value = (int32_t)host_generation(&host, 1)}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SLOT_EMPTY);
    write.offset = 8;
    CHECK_EQUAL(host_ask(&host, write), YT_RESULT_DONE);
    CHECK_EQUAL(host.answer.offset, 16);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_GIVE_UP}), YT_RESULT_DONE);
    about("goes to another slot");
    CHECK_EQUAL(host_put(&host, 3, "third", 2), YT_RESULT_DONE);
    CHECK_EQUAL(host_activate(&host, 3), YT_RESULT_DONE);
    CHECK_EQUAL(host_fact(&host, YT_LINK_RUNS), 3);
    CHECK_EQUAL(host_activate(&host, 5), YT_RESULT_FAILED);
    CHECK_EQUAL(host_fact(&host, YT_LINK_RUNS), 3);
    about("slots that there are not");
    for (unsigned request = YT_REQUEST_SLOT; request <= YT_REQUEST_ACTIVATE; request++)
        if (request != YT_REQUEST_WRITE && request != YT_REQUEST_COMMIT &&
            request != YT_REQUEST_GIVE_UP)
            for (unsigned slot = 0; slot <= BOX_SLOTS + 1; slot += BOX_SLOTS + 1) {
                CHECK_EQUAL(host_ask(&host, (yt_message){.what = request,
                                                         .slot = slot,
                                                         .index = 1,
                                                         .kind = YT_LINK_OF_PROGRAM}),
                            YT_RESULT_FAILED);
                CHECK_EQUAL(host.answer.value, YT_SLOT);
            }
    linked_end(&to);
}

/* Names of every length, and with letters of several bytes at the end. */
static void check_names(void) {
    static const struct {
        const char *name;
        bool is_good;
    } cases[] = {{"12345678901234567890123456789012", true},
                 {"123456789012345678901234567890\xc3\xbc", true},
                 {"\xc2\xa0", true},
                 {"\xc2\x9f", false},
                 {"123456789012345678901234567890\xc2\x80", false},
                 {"1234567890123456789012345678901\x7f", false},
                 {"\x1b[2J", false}};
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        yt_message rename = {
            .what = YT_REQUEST_RENAME, .slot = 1, .generation = host_generation(&host, 1)};
        about("name %zu", i);
        rename.name_bytes = (uint8_t)strlen(cases[i].name);
        memcpy(rename.name, cases[i].name, rename.name_bytes);
        CHECK_EQUAL(host_ask(&host, rename), cases[i].is_good ? YT_RESULT_DONE : YT_RESULT_FAILED);
        CHECK_EQUAL(host_put(&host, 2, cases[i].name, 1),
                    cases[i].is_good ? YT_RESULT_DONE : YT_RESULT_FAILED);
        if (cases[i].is_good)
            host_check_slot(&host, 1, cases[i].name, 0);
    }
    linked_end(&to);
}

/* What was begun is given up, by the host or since something else took its place: it begins anew
 * then. */
static void check_given_up(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    yt_message stage = {.what = YT_REQUEST_STAGE, .slot = 2, .size = 80};
    yt_message write = {.what = YT_REQUEST_WRITE, .chunk_bytes = 40};
    for (unsigned round = 0; round < 2; round++) {
        about(round ? "something else took its place" : "given up");
        CHECK_EQUAL(host_ask(&host, stage), YT_RESULT_DONE);
        CHECK_EQUAL(host_ask(&host, write), YT_RESULT_DONE);
        if (round == 0)
            CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_GIVE_UP}), YT_RESULT_DONE);
        else
            CHECK_EQUAL(yt_store_write(&to.box.store, 3, "x", "0123", 4, NULL, 0), YT_OK);
        write.offset = 40;
        CHECK_EQUAL(host_ask(&host, write), YT_RESULT_FAILED);
        write.offset = 0;
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_COMMIT, .slot = 2}),
                    YT_RESULT_FAILED);
        CHECK_EQUAL(host_ask(&host, stage), YT_RESULT_DONE);
        CHECK_EQUAL(host.answer.offset, 0);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_GIVE_UP}), YT_RESULT_DONE);
    }
    linked_end(&to);
}

/* An adapter without random numbers has one session. */
static void check_one_session(void) {
    host one, two;
    linked_begin(&to);
    to.parts.random = NULL;
    about("no random numbers");
    host_begin(&one, &to, YT_LINK_CABLE, 1);
    two = (host){.to = &to, .way = YT_LINK_STREAM, .number = 7};
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_HELLO, .checksum = 8}),
                YT_RESULT_BUSY);
    to.now_us += 10000000;
    host_begin(&two, &to, YT_LINK_STREAM, 8);
    CHECK(two.token != one.token);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    linked_end(&to);
}

/* By a way on which answers are sent, each is sent once, and again where it was asked for again. */
static void check_sent(void) {
    host host;
    uint8_t bytes[YT_MESSAGE_BYTES];
    yt_message answer, asked = {.what = YT_REQUEST_FACT, .index = YT_LINK_SLOTS, .number = 101};
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_STREAM, 1);
    about("sent");
    CHECK(yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes) > 0); /* to the hello */
    for (unsigned round = 0; round < 3; round++) {
        CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes), 0);
        asked.token = host.token;
        asked.number = 102;
        host_say(&host, &asked);
        linked_work(&to, 1, true);
        CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_RADIO, bytes, sizeof bytes), 0);
        CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_STREAM, bytes, 1), 0); /* no room: it waits */
        size_t size = yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes);
        CHECK(size > 0 && yt_message_read(&answer, bytes, size));
        CHECK_EQUAL(answer.number, 102);
        CHECK_EQUAL(answer.value, BOX_SLOTS);
    }
    asked.token++;
    host_say(&host, &asked);
    linked_work(&to, 1, true);
    size_t size = yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes);
    CHECK(size > 0 && yt_message_read(&answer, bytes, size));
    CHECK_EQUAL(answer.result, YT_RESULT_SESSION);
    CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes), 0);
    linked_end(&to);
}

/* Where nothing may be erased a request waits, and does not keep others away for ever; where it may
 * be, room is made for what was announced, and no more is kept ready afterwards than before. */
static void check_waiting(void) {
    host one, two;
    linked_begin(&to);
    host_begin(&one, &to, YT_LINK_CABLE, 1);
    host_begin(&two, &to, YT_LINK_STREAM, 2);
    host_unlock(&one);
    yt_store_keep_ready(&to.box.store, 100);
    to.may_erase = false;
    about("nothing may be erased");
    CHECK_EQUAL(box_plug_in(&to.box, &box_alone, to.now_us), YT_OK);
    yt_store_keep_ready(&to.box.store, 100);
    yt_message erase = {
        .what = YT_REQUEST_ERASE, .slot = 1, .generation = host_generation(&one, 1)};
    erase.number = ++one.number;
    erase.token = one.token;
    host_say(&one, &erase);
    uint32_t erases = to.box.store.counts.erases;
    linked_work(&to, 1000, false);
    linked_work(&to, 1100, false);
    CHECK(host_hear(&one));
    CHECK_EQUAL(one.answer.result, YT_RESULT_BUSY);
    CHECK_EQUAL(one.answer.wait_ms, 2000);
    CHECK_EQUAL(to.box.store.counts.erases, erases);
    CHECK_EQUAL(host_fact(&two, YT_LINK_SLOTS), BOX_SLOTS);
    yt_message activate = {.what = YT_REQUEST_ACTIVATE,
                           .slot = 1,
                           .generation = host_generation(&one, 1),
                           .token = one.token};
    activate.number = ++one.number;
    host_say(&one, &activate);
    linked_work(&to, 2100, false);
    CHECK(host_hear(&one));
    CHECK_EQUAL(one.answer.result, YT_RESULT_BUSY);
    CHECK_EQUAL(to.box.store.counts.erases, erases);
    yt_message stage = {.what = YT_REQUEST_STAGE, .slot = 2, .size = 3000};
    stage.number = ++one.number;
    stage.token = one.token;
    host_say(&one, &stage);
    linked_work(&to, 2100, false);
    CHECK(host_hear(&one));
    CHECK_EQUAL(one.answer.result, YT_RESULT_BUSY);
    CHECK_EQUAL(to.box.store.keep_ready, 100);
    about("it may again");
    to.may_erase = true;
    CHECK_EQUAL(host_put(&one, 2, "yard", 1), YT_RESULT_DONE);
    CHECK_EQUAL(to.box.store.keep_ready, 100);
    linked_end(&to);
}

/* Two write at once: the first one goes on, and the other waits until it was silent for long. */
static void check_two_writers(void) {
    host one, two;
    linked_begin(&to);
    host_begin(&one, &to, YT_LINK_CABLE, 1);
    host_begin(&two, &to, YT_LINK_STREAM, 2);
    host_unlock(&one);
    host_unlock(&two);
    about("two write at once");
    yt_message stage = {.what = YT_REQUEST_STAGE,
                        .slot = 2,
                        .size = (uint32_t)linked_programs[1].size,
                        .checksum =
                            yt_checksum(0, linked_programs[1].image, linked_programs[1].size)};
    CHECK_EQUAL(host_ask(&one, stage), YT_RESULT_DONE);
    yt_message write = {.what = YT_REQUEST_WRITE, .chunk_bytes = 40};
    memcpy(write.chunk, linked_programs[1].image, 40);
    CHECK_EQUAL(host_ask(&one, write), YT_RESULT_DONE);
    CHECK_EQUAL(one.answer.offset, 40);
    CHECK_EQUAL(host_ask(&two, stage), YT_RESULT_BUSY);
    CHECK(two.answer.wait_ms > 0 && two.answer.wait_ms <= 10000);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_GIVE_UP}), YT_RESULT_BUSY);
    about("out of order, and twice");
    write.offset = 80;
    CHECK_EQUAL(host_ask(&one, write), YT_RESULT_ORDER);
    CHECK_EQUAL(one.answer.offset, 40);
    write.offset = 0;
    CHECK_EQUAL(host_ask(&one, write), YT_RESULT_DONE);
    CHECK_EQUAL(one.answer.offset, 40);
    write.chunk_bytes = 20;
    CHECK_EQUAL(host_ask(&one, write), YT_RESULT_DONE);
    CHECK_EQUAL(one.answer.offset, 40);
    about("too early");
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_COMMIT, .slot = 2}),
                YT_RESULT_ORDER);
    about("it goes on where it stopped, by another session too");
    to.now_us += 10000000;
    CHECK_EQUAL(host_ask(&two, stage), YT_RESULT_DONE);
    CHECK_EQUAL(two.answer.offset, 40);
    CHECK_EQUAL(host_ask(&one, write), YT_RESULT_BUSY);
    about("other content begins anew");
    stage.checksum ^= 1;
    CHECK_EQUAL(host_ask(&two, stage), YT_RESULT_DONE);
    CHECK_EQUAL(two.answer.offset, 0);
    about("what does not fit its checksum is not committed");
    for (uint32_t done = 0; done < linked_programs[1].size; done = two.answer.offset) {
        uint32_t left = (uint32_t)linked_programs[1].size - done;
        write = (yt_message){.what = YT_REQUEST_WRITE, .offset = done};
        write.chunk_bytes = (uint8_t)(left < 96 ? left : 96);
        memcpy(write.chunk, linked_programs[1].image + done, write.chunk_bytes);
        CHECK_EQUAL(host_ask(&two, write), YT_RESULT_DONE);
    }
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_COMMIT, .slot = 2}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(two.answer.value, YT_PROGRAM_CHECKSUM);
    CHECK_EQUAL(host_generation(&two, 2), 0);
    about("a program that could not run is not committed, and the slot stays");
    uint8_t broken[4000];
    memcpy(broken, linked_programs[1].image, linked_programs[1].size);
    broken[linked_programs[1].size / 2] ^= 1;
    CHECK_EQUAL(host_write(&two, 1, "x", broken, linked_programs[1].size, "", 0), YT_RESULT_FAILED);
    CHECK_EQUAL(two.answer.value, YT_PROGRAM_CHECKSUM);
    host_check_slot(&two, 1, "made up", 0);
    linked_end(&to);
}

int main(void) {
    check_hello();
    check_unknown();
    for (yt_link_way way = 0; way < YT_LINK_WAYS; way++)
        check_slots(way);
    check_two_writers();
    check_names();
    check_given_up();
    check_one_session();
    check_sent();
    check_waiting();
    return report_checks();
}
