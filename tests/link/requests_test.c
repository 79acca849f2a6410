/* The conversation: what a host asks is done once, in order, as far as it may, whatever gets lost
 * on the way. */
#include "tests/link/host.h"

static linked_box to;
static yt_compiled play[3];
static const char *const texts[3] = {BOX_PLAY(1), BOX_PLAY(2), BOX_PLAY(3)};

static int put(host *host, unsigned slot, const char *name, unsigned which) {
    return host_write(host, slot, name, play[which].image, play[which].size, texts[which],
                      strlen(texts[which]));
}

static void check_slot(host *host, unsigned slot, const char *name, unsigned which) {
    char got[YT_MESSAGE_NAME + 1];
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_SLOT, .slot = slot}),
                YT_RESULT_DONE);
    snprintf(got, sizeof got, "%.*s", host->answer.name_bytes, host->answer.name);
    CHECK_TEXT(got, name);
    CHECK_EQUAL(host->answer.size, play[which].size);
    CHECK_EQUAL(host->answer.checksum, yt_checksum(0, play[which].image, play[which].size));
}

static void unlock(host *host) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    CHECK(to.wants_press);
    yt_link_press(&to.link, to.now_us);
    CHECK(!to.wants_press);
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_DONE);
}

static uint32_t fact(host *host, yt_link_fact fact) {
    CHECK_EQUAL(host_ask(host, (yt_message){.what = YT_REQUEST_FACT, .index = fact}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.index, fact);
    return (uint32_t)host->answer.value;
}

/* What is asked of what there is not is answered in a few bytes, whatever else stood in the
 * request. */
static void check_unknown(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    unlock(&host);
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
    host_begin(&one, &to, YT_LINK_CABLE, 5);
    about("facts");
    CHECK_EQUAL(fact(&one, YT_LINK_PROTOCOL), 1);
    CHECK_EQUAL(fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(fact(&one, YT_LINK_RUNS), 1);
    CHECK_EQUAL(fact(&one, YT_LINK_BUILD), 3);
    CHECK_EQUAL(one.answer.name_bytes, 6);
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_FACT, .index = YT_LINK_FACT_COUNT}),
                YT_RESULT_UNKNOWN);
    about("a hello that comes twice is one session; another host has another");
    host_begin(&same, &to, YT_LINK_CABLE, 5);
    CHECK_EQUAL(same.token, one.token);
    one.number = same.number;
    host_begin(&two, &to, YT_LINK_CABLE, 6);
    CHECK(two.token != one.token);
    about("no third one, unless one was silent for long");
    three = (host){.to = &to, .way = YT_LINK_STREAM, .number = 7};
    CHECK_EQUAL(host_ask(&three, (yt_message){.what = YT_REQUEST_HELLO, .checksum = 8}),
                YT_RESULT_BUSY);
    CHECK_EQUAL(three.answer.wait_ms, 10000);
    to.now_us += 9000000;
    CHECK_EQUAL(fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    to.now_us += 1000000;
    host_begin(&three, &to, YT_LINK_STREAM, 8);
    CHECK_EQUAL(fact(&three, YT_LINK_CHUNK), YT_MESSAGE_CHUNK);
    CHECK_EQUAL(fact(&one, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    about("a token by another way is none");
    two.token = three.token;
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    about("the cable is pulled");
    yt_link_end(&to.link, YT_LINK_CABLE);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_FACT}), YT_RESULT_SESSION);
    CHECK_EQUAL(fact(&three, YT_LINK_SLOTS), BOX_SLOTS);
    CHECK_EQUAL(host_ask(&three, (yt_message){.what = YT_REQUEST_COUNT}), YT_RESULT_UNKNOWN);
    linked_end(&to);
}

static void check_slots(yt_link_way way) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, way, 1);
    about("locked at first, by way %d", way);
    CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_PRESS);
    unlock(&host);
    about("written, and read again");
    CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_DONE);
    check_slot(&host, 2, "yard", 1);
    uint32_t generation = host_generation(&host, 2);
    char got[400];
    size_t length = strlen(texts[1]), done = 0;
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
    CHECK(done == length && memcmp(got, texts[1], length) == 0);
    about("changes name what they saw");
    yt_message rename = {.what = YT_REQUEST_RENAME,
                         .slot = 2,
                         .generation = generation + 7,
                         .name_bytes = 5,
                         .name = "barge"};
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.generation, generation);
    check_slot(&host, 2, "yard", 1);
    rename.generation = generation;
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_DONE);
    generation = host.answer.generation;
    check_slot(&host, 2, "barge", 1);
    rename.generation = generation;
    rename.name[2] = 7;
    CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
    about("copied, swapped, erased");
    CHECK_EQUAL(
        host_ask(
            &host,
            (yt_message){.what = YT_REQUEST_COPY, .slot = 2, .index = 4, .generation = generation}),
        YT_RESULT_DONE);
    check_slot(&host, 4, "barge", 1);
    CHECK_EQUAL(
        host_ask(
            &host,
            (yt_message){.what = YT_REQUEST_SWAP, .slot = 2, .index = 1, .generation = generation}),
        YT_RESULT_DONE);
    check_slot(&host, 1, "barge", 1);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_ERASE,
                                             .slot = 4,
                                             .generation = host_generation(&host, 4)}),
                YT_RESULT_DONE);
    CHECK_EQUAL(host.answer.generation, 0);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_SLOT, .slot = 4}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SLOT_EMPTY);
    about("goes to another slot");
    CHECK_EQUAL(put(&host, 3, "third", 2), YT_RESULT_DONE);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_ACTIVATE, .slot = 3}),
                YT_RESULT_DONE);
    CHECK_EQUAL(fact(&host, YT_LINK_RUNS), 3);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_ACTIVATE, .slot = 5}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(fact(&host, YT_LINK_RUNS), 3);
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

/* ---- who may ---- */

typedef enum column {
    LOCKED,
    RADIO,
    UNLOCKED,
    RADIO_UNLOCKED,
    OPEN,
    EVENT,
    RADIO_EVENT,
    COLUMNS
} column;

static unsigned request_of(const char *name, size_t length) {
    static const char *const names[] = {
        "",
#define YT_REQUEST(NAME, name, access, meaning) #name,
#include "yonder/requests.def"
    };
    unsigned request = 1;
    while (request < YT_REQUEST_COUNT &&
           (strlen(names[request]) != length || memcmp(names[request], name, length) != 0))
        request++;
    return request;
}

/* What a session may in a state of the box: yes, press, event, or nothing comes at all. */
static const char *asked(unsigned request, column column, yt_link_way cable) {
    bool is_radio = column == RADIO || column == RADIO_UNLOCKED || column == RADIO_EVENT;
    host host;
    linked_begin(&to);
    if (column == OPEN)
        box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    yt_adapter_read_settings(&to.box.adapter);
    host_begin(&host, &to, is_radio ? YT_LINK_RADIO : cable, 1);
    if (column == UNLOCKED || column == RADIO_UNLOCKED)
        unlock(&host);
    if (column == EVENT || column == RADIO_EVENT)
        box_set(&to.box, YT_SETTING_EVENT, 0, 1);
    yt_adapter_read_settings(&to.box.adapter);
    int result = host_ask(&host, (yt_message){.what = request, .slot = 2, .index = 3, .kind = 1});
    bool waits = to.wants_press;
    linked_end(&to);
    return result < 0                              ? "-"
           : request == YT_REQUEST_UNLOCK && waits ? "yes"
           : result == YT_RESULT_PRESS             ? "press"
           : result == YT_RESULT_EVENT             ? "event"
                                                   : "yes";
}

/* Each cell of the table in docs/link.md, by each way. */
static void check_table(void) {
    size_t size;
    unsigned rows = 0;
    char *page = read_test_file("docs/link.md", &size), *line = strstr(page, "| request |");
    CHECK(line != NULL);
    while (line && (line = strchr(line, '\n')) && line[1] == '|') {
        char cells[COLUMNS][20], name[20];
        line++;
        if (sscanf(line,
                   "| %19[a-z_] | %19[^ |] | %19[^ |] | %19[^ |] | %19[^ |] | %19[^ |] | %19[^ |] "
                   "| %19[^ |] |",
                   name, cells[0], cells[1], cells[2], cells[3], cells[4], cells[5], cells[6]) != 8)
            continue;
        unsigned request = request_of(name, strlen(name));
        about("the row of %s", name);
        CHECK(request < YT_REQUEST_COUNT);
        if (request == YT_REQUEST_COUNT)
            continue;
        rows++;
        for (column column = 0; column < COLUMNS; column++)
            for (yt_link_way way = YT_LINK_CABLE; way <= YT_LINK_STREAM; way++) {
                about("%s, column %d, way %d", name, column + 1, way);
                CHECK_TEXT(asked(request, column, way), cells[column]);
            }
    }
    CHECK_EQUAL(rows, YT_REQUEST_COUNT - 1);
    free(page);
}

/* Open to anybody is a matter of the cable. */
static void check_open_by_radio(void) {
    host host;
    linked_begin(&to);
    box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    yt_adapter_read_settings(&to.box.adapter);
    about("open, by radio");
    host_begin(&host, &to, YT_LINK_RADIO, 1);
    CHECK_EQUAL(fact(&host, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_PRESS);
    linked_end(&to);
}

/* A press is for the session that asked, for a while. */
static void check_press(void) {
    host one, two;
    linked_begin(&to);
    host_begin(&one, &to, YT_LINK_CABLE, 1);
    host_begin(&two, &to, YT_LINK_STREAM, 2);
    about("a press that nobody waits for does nothing");
    yt_link_press(&to.link, to.now_us);
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("one waits, and another one may not");
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_BUSY);
    yt_link_press(&to.link, to.now_us);
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_UNLOCKED);
    CHECK_EQUAL(fact(&two, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(put(&two, 2, "yard", 1), YT_RESULT_PRESS);
    CHECK_EQUAL(put(&one, 2, "yard", 1), YT_RESULT_DONE);
    about("five minutes in which nothing is said");
    to.now_us += 299000000;
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_UNLOCKED);
    to.now_us += 300000000;
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("a press that comes too late");
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    to.now_us += 60000000;
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK(!to.wants_press);
    yt_link_press(&to.link, to.now_us);
    CHECK_EQUAL(fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("locked by the host itself");
    unlock(&one);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_LOCK}), YT_RESULT_DONE);
    CHECK_EQUAL(put(&one, 2, "yard", 1), YT_RESULT_PRESS);
    about("a session that is another's, by the same host anew, is locked");
    unlock(&one);
    host_begin(&two, &to, YT_LINK_CABLE, 77);
    CHECK_EQUAL(fact(&two, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("nobody may, by a setting");
    box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_NOBODY);
    yt_adapter_read_settings(&to.box.adapter);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_NOT_HERE);
    linked_end(&to);
}

/* It stays over power-offs, and only a control that was held ends it. */
static void check_event(void) {
    host host;
    linked_begin(&to);
    box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    box_set(&to.box, YT_SETTING_EVENT, 0, 1);
    about("an event's lock");
    for (unsigned i = 0; i < 3; i++) {
        CHECK_EQUAL(box_plug_in(&to.box, &box_alone, to.now_us), YT_OK);
        yt_link_init(&to.link, &to.parts);
        host_begin(&host, &to, YT_LINK_CABLE, i + 1);
        CHECK_EQUAL(fact(&host, YT_LINK_ACCESS), YT_LINK_EVENT);
        CHECK(yt_adapter_is_locked(&to.box.adapter));
        CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_EVENT);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_EVENT);
        yt_link_press(&to.link, to.now_us);
        CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_EVENT);
    }
    CHECK_EQUAL(yt_adapter_end_event(&to.box.adapter), YT_OK);
    CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_DONE);
    CHECK_EQUAL(box_plug_in(&to.box, &box_alone, to.now_us), YT_OK);
    yt_link_init(&to.link, &to.parts);
    host_begin(&host, &to, YT_LINK_CABLE, 9);
    CHECK_EQUAL(fact(&host, YT_LINK_ACCESS), YT_LINK_OPEN);
    CHECK_EQUAL(yt_adapter_end_event(&to.box.adapter), YT_OK);
    linked_end(&to);
}

/* 32 changes within an hour, and no more, until a press or the hour is over. */
static void check_rate(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    unlock(&host);
    about("changes within an hour");
    CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_DONE);
    yt_message rename = {.what = YT_REQUEST_RENAME, .slot = 2, .name_bytes = 1, .name = "x"};
    for (unsigned round = 0; round < 3; round++) {
        for (unsigned i = round == 0 ? 1 : 0; i < YT_LINK_CHANGES; i++) {
            rename.generation = host_generation(&host, 2);
            CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_DONE);
        }
        rename.generation = host_generation(&host, 2);
        CHECK_EQUAL(host_ask(&host, rename), YT_RESULT_SLOW);
        CHECK(host.answer.wait_ms > 3500000 && host.answer.wait_ms <= 3600000);
        if (round == 0)
            to.now_us += 3600000000u;
        else
            yt_link_press(&to.link, to.now_us);
        if (round == 0)
            unlock(&host);
    }
    linked_end(&to);
}

/* ---- a bad line ---- */

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

static void work(unsigned milliseconds) {
    for (unsigned i = 0; i < milliseconds; i++) {
        to.now_us += 1000;
        CHECK(yt_link_work(&to.link, to.now_us, 8, true) <= YT_END);
    }
}

static void work_without(unsigned milliseconds) {
    for (unsigned i = 0; i < milliseconds; i++) {
        to.now_us += 1000;
        CHECK(yt_link_work(&to.link, to.now_us, 8, false) <= YT_END);
    }
}

/* Asks over a line that loses, doubles, cuts and turns round: again and again, until the answer
 * comes. */
static uint8_t old[8][YT_MESSAGE_BYTES];
static size_t old_size[8];

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
        work(roll(dice) % 4);
        if (event == 4)
            say_bytes(host, bytes, size);
        work(1);
        size_t length = yt_link_answer(&to.link, host->way, answer, sizeof answer);
        if (length == 0 || roll(dice) % 4 == 0)
            continue; /* lost */
        if (!yt_message_read(&host->answer, answer, length) || !host_knows(host, &host->answer))
            continue;
        memcpy(old[past], bytes, size);
        old_size[past] = size;
        return (int)host->answer.result;
    }
    return -1;
}

static uint32_t generation_badly(host *host, unsigned slot, dice *dice) {
    int result = ask_badly(host, (yt_message){.what = YT_REQUEST_SLOT, .slot = slot}, dice);
    return result == YT_RESULT_DONE ? host->answer.generation : 0;
}

static int put_badly(host *host, unsigned slot, unsigned which, const char *name, dice *dice) {
    const uint8_t *program = play[which].image;
    uint32_t size = (uint32_t)play[which].size, generation = generation_badly(host, slot, dice);
    int result = ask_badly(host,
                           (yt_message){.what = YT_REQUEST_STAGE,
                                        .slot = slot,
                                        .size = size,
                                        .checksum = yt_checksum(0, program, size),
                                        .generation = generation},
                           dice);
    while (result == YT_RESULT_DONE && host->answer.offset < size) {
        yt_message message = {.what = YT_REQUEST_WRITE, .offset = host->answer.offset};
        uint32_t left = size - message.offset, most = host->way == YT_LINK_CABLE ? 40 : 128;
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
    for (unsigned i = 0; i < 2; i++) {
        hosts[i].number += 3; /* what was said before is old */
        CHECK_EQUAL(host_ask(&hosts[i], (yt_message){.what = YT_REQUEST_HELLO, .checksum = i + 1}),
                    YT_RESULT_DONE);
        unlock(&hosts[i]);
    }
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
                check_slot(host, slot, slots[slot - 1].name, slots[slot - 1].which);
            else
                CHECK_EQUAL(host_generation(host, slot), 0);
    }
    CHECK(done > 20);
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
        work(1);
        CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_RADIO, bytes, sizeof bytes), 0);
        CHECK_EQUAL(yt_link_send(&to.link, YT_LINK_STREAM, bytes, 1), 0); /* no room: it waits */
        size_t size = yt_link_send(&to.link, YT_LINK_STREAM, bytes, sizeof bytes);
        CHECK(size > 0 && yt_message_read(&answer, bytes, size));
        CHECK_EQUAL(answer.number, 102);
        CHECK_EQUAL(answer.value, BOX_SLOTS);
    }
    asked.token++;
    host_say(&host, &asked);
    work(1);
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
    unlock(&one);
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
    work_without(1000);
    work_without(1100);
    CHECK(host_hear(&one));
    CHECK_EQUAL(one.answer.result, YT_RESULT_BUSY);
    CHECK_EQUAL(one.answer.wait_ms, 2000);
    CHECK_EQUAL(to.box.store.counts.erases, erases);
    CHECK_EQUAL(fact(&two, YT_LINK_SLOTS), BOX_SLOTS);
    yt_message stage = {.what = YT_REQUEST_STAGE, .slot = 2, .size = 3000};
    stage.number = ++one.number;
    stage.token = one.token;
    host_say(&one, &stage);
    work_without(2100);
    CHECK(host_hear(&one));
    CHECK_EQUAL(one.answer.result, YT_RESULT_BUSY);
    CHECK_EQUAL(to.box.store.keep_ready, 100);
    about("it may again");
    to.may_erase = true;
    CHECK_EQUAL(put(&one, 2, "yard", 1), YT_RESULT_DONE);
    CHECK_EQUAL(to.box.store.keep_ready, 100);
    linked_end(&to);
}

/* Two write at once: the first one goes on, and the other waits until it was silent for long. */
static void check_two_writers(void) {
    host one, two;
    linked_begin(&to);
    host_begin(&one, &to, YT_LINK_CABLE, 1);
    host_begin(&two, &to, YT_LINK_STREAM, 2);
    unlock(&one);
    unlock(&two);
    about("two write at once");
    yt_message stage = {.what = YT_REQUEST_STAGE,
                        .slot = 2,
                        .size = (uint32_t)play[1].size,
                        .checksum = yt_checksum(0, play[1].image, play[1].size)};
    CHECK_EQUAL(host_ask(&one, stage), YT_RESULT_DONE);
    yt_message write = {.what = YT_REQUEST_WRITE, .chunk_bytes = 40};
    memcpy(write.chunk, play[1].image, 40);
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
    for (uint32_t done = 0; done < play[1].size; done = two.answer.offset) {
        uint32_t left = (uint32_t)play[1].size - done;
        write = (yt_message){.what = YT_REQUEST_WRITE, .offset = done};
        write.chunk_bytes = (uint8_t)(left < 128 ? left : 128);
        memcpy(write.chunk, play[1].image + done, write.chunk_bytes);
        CHECK_EQUAL(host_ask(&two, write), YT_RESULT_DONE);
    }
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_COMMIT, .slot = 2}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(two.answer.value, YT_PROGRAM_CHECKSUM);
    CHECK_EQUAL(host_generation(&two, 2), 0);
    about("a program that could not run is not committed, and the slot stays");
    uint8_t broken[4000];
    memcpy(broken, play[1].image, play[1].size);
    broken[play[1].size / 2] ^= 1;
    CHECK_EQUAL(host_write(&two, 1, "x", broken, play[1].size, "", 0), YT_RESULT_FAILED);
    CHECK_EQUAL(two.answer.value, YT_PROGRAM_CHECKSUM);
    check_slot(&two, 1, "made up", 0);
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
        unlock(&host);
        about("the power goes at operation %" PRIu64 " of a commit", cut);
        const uint8_t *program = play[1].image;
        uint32_t size = (uint32_t)play[1].size;
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
        CHECK_EQUAL(box_plug_in(&to.box, &box_alone, to.now_us), YT_OK);
        yt_link_init(&to.link, &to.parts);
        CHECK_EQUAL(host_ask(&host, commit), YT_RESULT_SESSION);
        host_begin(&host, &to, YT_LINK_CABLE, 2);
        if (host_generation(&host, 2) == 0) {
            old++;
            unlock(&host);
            CHECK_EQUAL(put(&host, 2, "yard", 1), YT_RESULT_DONE);
        } else {
            new ++;
        }
        check_slot(&host, 2, "yard", 1);
        CHECK_EQUAL(yt_store_verify(&to.box.store, 1), YT_OK);
        linked_end(&to);
    }
    CHECK(old > 3 && new > 0);
}

int main(void) {
    for (unsigned i = 0; i < 3; i++)
        rig_compile(&play[i], texts[i]);
    check_hello();
    check_unknown();
    for (yt_link_way way = 0; way < YT_LINK_WAYS; way++)
        check_slots(way);
    check_table();
    check_open_by_radio();
    check_press();
    check_event();
    check_rate();
    check_two_writers();
    check_one_session();
    check_sent();
    check_waiting();
    for (unsigned seed = 1; seed <= some(60); seed++)
        check_bad_line(seed);
    check_cuts();
    return report_checks();
}
