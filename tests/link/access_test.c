/* Who may: each cell of the table, a press for the session that asked, an event's lock, and so much
 * within an hour. */
#include "tests/link/host.h"

static linked_box to;

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
static const char *asked(unsigned request, column column, unsigned which) {
    bool is_radio = column == RADIO || column == RADIO_UNLOCKED || column == RADIO_EVENT;
    static const yt_link_way cables[] = {YT_LINK_CABLE, YT_LINK_STREAM},
                             radios[] = {YT_LINK_RADIO, YT_LINK_RADIO_REPORT};
    host host;
    linked_begin(&to);
    if (column == OPEN)
        box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_OPEN);
    yt_adapter_read_settings(&to.box.adapter);
    host_begin(&host, &to, is_radio ? radios[which] : cables[which], 1);
    if (column == UNLOCKED || column == RADIO_UNLOCKED)
        host_unlock(&host);
    if (column == EVENT || column == RADIO_EVENT)
        box_set(&to.box, YT_SETTING_EVENT, 0, 1);
    yt_adapter_read_settings(&to.box.adapter);
    to.is_pressed = true;
    int result = host_ask(&host, (yt_message){.what = request, .slot = 2, .index = 3, .kind = 1});
    bool waits = to.wants_press;
    linked_end(&to);
    return result < 0                              ? "-"
           : request == YT_REQUEST_UNLOCK && waits ? "yes"
           : result == YT_RESULT_PRESS             ? "press"
           : result == YT_RESULT_EVENT             ? "event"
           : result == YT_RESULT_NOT_HERE          ? "never"
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
            for (unsigned way = 0; way < 2; way++) {
                about("%s, column %d, way %u", name, column + 1, way);
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
    CHECK_EQUAL(host_fact(&host, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_PRESS);
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
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("one waits, and another one may not");
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_BUSY);
    yt_link_press(&to.link, to.now_us);
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_UNLOCKED);
    CHECK_EQUAL(host_fact(&two, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_put(&two, 2, "yard", 1), YT_RESULT_PRESS);
    CHECK_EQUAL(host_put(&one, 2, "yard", 1), YT_RESULT_DONE);
    about("five minutes in which nothing is said");
    to.now_us += 299000000;
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_UNLOCKED);
    to.now_us += 300000000;
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("a press that comes too late");
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
    to.now_us += 60000000;
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK(!to.wants_press);
    yt_link_press(&to.link, to.now_us);
    CHECK_EQUAL(host_fact(&one, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("locked by the host itself");
    host_unlock(&one);
    CHECK_EQUAL(host_ask(&one, (yt_message){.what = YT_REQUEST_LOCK}), YT_RESULT_DONE);
    CHECK_EQUAL(host_put(&one, 2, "yard", 1), YT_RESULT_PRESS);
    about("a session that is another's, by the same host anew, is locked");
    host_unlock(&one);
    host_begin(&two, &to, YT_LINK_CABLE, 77);
    CHECK_EQUAL(host_fact(&two, YT_LINK_ACCESS), YT_LINK_LOCKED);
    about("nobody may, by a setting, not even who was unlocked before");
    host_unlock(&two);
    box_set(&to.box, YT_SETTING_LOCK, 0, YT_LOCK_NOBODY);
    yt_adapter_read_settings(&to.box.adapter);
    CHECK_EQUAL(host_ask(&two, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_NOT_HERE);
    CHECK_EQUAL(host_fact(&two, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_put(&two, 2, "yard", 1), YT_RESULT_PRESS);
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
        linked_plug_in(&to);
        host_begin(&host, &to, YT_LINK_CABLE, i + 1);
        CHECK_EQUAL(host_fact(&host, YT_LINK_ACCESS), YT_LINK_EVENT);
        CHECK(yt_adapter_is_locked(&to.box.adapter));
        CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_EVENT);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_EVENT);
        yt_link_press(&to.link, to.now_us);
        CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_EVENT);
    }
    CHECK_EQUAL(yt_adapter_end_event(&to.box.adapter), YT_OK);
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_DONE);
    linked_plug_in(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 9);
    CHECK_EQUAL(host_fact(&host, YT_LINK_ACCESS), YT_LINK_OPEN);
    CHECK_EQUAL(yt_adapter_end_event(&to.box.adapter), YT_OK);
    linked_end(&to);
}

/* 32 changes within an hour, and no more, until a press or the hour is over. */
static void check_rate(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    about("changes within an hour");
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_DONE);
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
            host_unlock(&host);
    }
    linked_end(&to);
}

/* What is begun again and again and never committed wears the flash, too. */
static void check_rate_of_stages(void) {
    host host;
    linked_begin(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    about("announced, and given up");
    for (unsigned i = 0; i < YT_LINK_CHANGES; i++) {
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE, .slot = 2, .size = 500}),
                    YT_RESULT_DONE);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE, .slot = 2, .size = 500}),
                    YT_RESULT_DONE);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_GIVE_UP}), YT_RESULT_DONE);
    }
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE, .slot = 2, .size = 500}),
                YT_RESULT_SLOW);
    CHECK_EQUAL(host_activate(&host, 1), YT_RESULT_SLOW);
    linked_end(&to);
}

/* By a setting anybody at the cable goes to another slot, and no more than that. */
static void check_activate(void) {
    host cable, radio;
    linked_begin(&to);
    box_write(&to.box, 2, linked_texts[2]);
    box_set(&to.box, YT_SETTING_ACTIVATE, 0, 1);
    yt_adapter_read_settings(&to.box.adapter);
    about("anybody goes to a slot");
    host_begin(&cable, &to, YT_LINK_STREAM, 1);
    host_begin(&radio, &to, YT_LINK_RADIO, 2);
    CHECK_EQUAL(host_activate(&radio, 3), YT_RESULT_PRESS);
    CHECK_EQUAL(host_activate(&cable, 3), YT_RESULT_DONE);
    CHECK_EQUAL(host_fact(&cable, YT_LINK_RUNS), 3);
    CHECK_EQUAL(host_fact(&cable, YT_LINK_ACCESS), YT_LINK_LOCKED);
    CHECK_EQUAL(host_put(&cable, 2, "yard", 1), YT_RESULT_PRESS);
    about("but not during an event");
    box_set(&to.box, YT_SETTING_EVENT, 0, 1);
    yt_adapter_read_settings(&to.box.adapter);
    CHECK_EQUAL(host_activate(&cable, 1), YT_RESULT_EVENT);
    linked_end(&to);
}

/* The number that is shown is the one that the host was told. */
static void check_shown_number(void) {
    host host;
    unsigned first = 0;
    linked_begin(&to);
    about("the number of a session that waits");
    for (unsigned i = 0; i < 5; i++) {
        host_begin(&host, &to, YT_LINK_CABLE, i + 1);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
        CHECK_EQUAL(host.answer.value, to.press_number);
        unsigned number = to.press_number;
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
        CHECK_EQUAL(host.answer.value, number);
        CHECK(number != first);
        first = number;
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_LOCK}), YT_RESULT_DONE);
        CHECK_EQUAL(to.press_number, 0);
        to.now_us += YT_LINK_SILENT_US;
    }
    linked_end(&to);
}

/* Who asks again and again waits for a minute all the same; then for another one, with another
 * number. */
static void check_minute(void) {
    host host;
    unsigned changes = 0, number = 0;
    linked_begin(&to);
    about("a minute, however often it is asked");
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    for (unsigned second = 0; second < 150; second++) {
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_UNLOCK}), YT_RESULT_PRESS);
        CHECK_EQUAL(host.answer.value, to.press_number);
        changes += to.press_number != number;
        number = to.press_number;
        to.now_us += 999000;
    }
    CHECK_EQUAL(changes, 3);
    linked_end(&to);
}

/* A restart is asked for once in ten seconds, and its answer comes before. */
static void check_restart(void) {
    host host;
    for (unsigned bootloader = 0; bootloader < 2; bootloader++) {
        const yt_message ask = {.what = bootloader ? YT_REQUEST_BOOTLOADER : YT_REQUEST_RESTART};
        linked_begin(&to);
        host_begin(&host, &to, YT_LINK_CABLE, 1);
        host_unlock(&host);
        about("%s", bootloader ? "the bootloader" : "a restart");
        to.is_pressed = true;
        CHECK_EQUAL(host_ask(&host, ask), YT_RESULT_SLOW);
        CHECK(host.answer.wait_ms > 9000 && host.answer.wait_ms <= 10000);
        to.now_us += YT_LINK_RESTART_US;
        to.is_pressed = false;
        if (bootloader)
            CHECK_EQUAL(host_ask(&host, ask), YT_RESULT_PRESS);
        to.is_pressed = bootloader;
        CHECK_EQUAL(host_ask(&host, ask), YT_RESULT_DONE);
        CHECK(!to.was_restarted);
        linked_work(&to, 200, true);
        CHECK(to.was_restarted);
        CHECK_EQUAL(to.to_bootloader, bootloader);
        linked_end(&to);
    }
    about("a firmware that cannot");
    linked_begin(&to);
    to.parts.restart = NULL;
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_RESTART}), YT_RESULT_UNKNOWN);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_BOOTLOADER}), YT_RESULT_UNKNOWN);
    linked_end(&to);
}

int main(void) {
    check_activate();
    check_shown_number();
    check_minute();
    check_restart();
    check_table();
    check_open_by_radio();
    check_press();
    check_event();
    check_rate();
    check_rate_of_stages();
    return report_checks();
}
