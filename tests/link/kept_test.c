/* Settings, calibrations and what is kept with slots: told, changed one by one and as a whole,
 * saved from one box and put into another. */
#include "tests/link/host.h"
#include "tests/store/axis.h"

static linked_box to, other;

static void begin(linked_box *box, host *host, yt_link_way way) {
    linked_begin(box);
    host_begin(host, box, way, 1);
    host_unlock(host);
}

static int set(host *host, yt_setting setting, unsigned which, int64_t number) {
    return host_ask(host,
                    (yt_message){.what = YT_REQUEST_SET,
                                 .index = setting,
                                 .slot = which,
                                 .value = (int32_t)number,
                                 .generation = host_generation_of(host, YT_LINK_OF_SETTINGS, 0)});
}

static uint32_t get(host *host, yt_setting setting, unsigned which) {
    CHECK_EQUAL(
        host_ask(host, (yt_message){.what = YT_REQUEST_SETTING, .index = setting, .slot = which}),
        YT_RESULT_DONE);
    CHECK_EQUAL(host->answer.index, setting);
    CHECK_EQUAL(host->answer.slot, which);
    return (uint32_t)host->answer.value;
}

/* Each setting, each of several, at its ends and beyond them. */
static void check_each_setting(void) {
    host host;
    begin(&to, &host, YT_LINK_CABLE);
    for (unsigned setting = 0; setting < YT_SETTING_COUNT; setting++) {
        const yt_setting_facts *facts = yt_setting_of(setting);
        if (facts->most == 0 || setting == YT_SETTING_EVENT || setting == YT_SETTING_LOCK)
            continue; /* a text; what would lock us out */
        const uint32_t numbers[] = {facts->least, facts->most, facts->usual};
        const unsigned which[] = {1, facts->many};
        for (unsigned i = 0; i < 3; i++)
            for (unsigned j = 0; j < 2; j++) {
                about("%s %u is %u", facts->name, which[j], numbers[i]);
                CHECK_EQUAL(set(&host, setting, which[j], numbers[i]), YT_RESULT_DONE);
                CHECK_EQUAL(get(&host, setting, which[j]), numbers[i]);
                CHECK_EQUAL(yt_adapter_setting(&to.box.adapter, setting, which[j] - 1), numbers[i]);
                yt_link_press(&to.link, to.now_us); /* so many changes within an hour */
            }
        about("%s beyond its ends", facts->name);
        CHECK_EQUAL(get(&host, setting, 1), facts->usual);
        if (facts->most != UINT32_MAX) {
            CHECK_EQUAL(set(&host, setting, 1, (int64_t)facts->most + 1), YT_RESULT_FAILED);
            CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
        }
        CHECK_EQUAL(set(&host, setting, facts->many + 1u, facts->least), YT_RESULT_UNKNOWN);
        CHECK_EQUAL(get(&host, setting, 1), facts->usual);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_SETTING,
                                                 .index = setting,
                                                 .slot = facts->many + 1u}),
                    YT_RESULT_UNKNOWN);
    }
    CHECK_EQUAL(set(&host, YT_SETTING_COUNT, 1, 0), YT_RESULT_UNKNOWN);
    linked_end(&to);
}

static void check_settings(void) {
    host host;
    yt_message name = {.what = YT_REQUEST_SET, .index = YT_SETTING_NAME, .name = "quay north"};
    begin(&to, &host, YT_LINK_STREAM);
    about("the name");
    name.name_bytes = 10;
    CHECK_EQUAL(host_ask(&host, name), YT_RESULT_DONE);
    CHECK_EQUAL(get(&host, YT_SETTING_NAME, 0), 0);
    CHECK_EQUAL(host.answer.name_bytes, 10);
    CHECK(memcmp(host.answer.name, "quay north", 10) == 0);
    about("one that a terminal would obey");
    name.generation = host_generation_of(&host, YT_LINK_OF_SETTINGS, 0);
    name.name[3] = '\033';
    CHECK_EQUAL(host_ask(&host, name), YT_RESULT_FAILED);
    about("by a host that did not see the last change");
    name.name[3] = 'e';
    name.generation--;
    CHECK_EQUAL(host_ask(&host, name), YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.generation, name.generation + 1);
    about("it is there after a power-off, and gone with all others");
    linked_plug_in(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 2);
    host_unlock(&host);
    CHECK_EQUAL(set(&host, YT_SETTING_POLL, 0, 8), YT_RESULT_DONE);
    CHECK_EQUAL(get(&host, YT_SETTING_NAME, 0) + host.answer.name_bytes, 10);
    yt_message erase = {.what = YT_REQUEST_ERASE, .kind = YT_LINK_OF_SETTINGS};
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_CHANGED);
    erase.generation = host.answer.generation;
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_DONE);
    CHECK_EQUAL(get(&host, YT_SETTING_NAME, 0) + host.answer.name_bytes, 0);
    CHECK_EQUAL(get(&host, YT_SETTING_POLL, 1), 1);
    about("records that are none leave all as it is");
    static const uint8_t none[20] = {'Y', 'S', 1, 0, 200, 0, 99};
    uint32_t generation = host_generation_of(&host, YT_LINK_OF_SETTINGS, 0);
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_SETTINGS, none, 20, generation),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SETTINGS_FOREIGN);
    CHECK_EQUAL(host_generation_of(&host, YT_LINK_OF_SETTINGS, 0), generation);
    about("nor do those whose name is none");
    static const uint8_t names[][10] = {
        {'Y', 'S', 1, 0, YT_SETTING_NAME, 0, 3, 'a', '\033', 'b'},
        {'Y', 'S', 1, 0, YT_SETTING_NAME, 0, 3, 'a', 0xc2, 0x9b},
        {'Y', 'S', 1, 0, YT_SETTING_NAME, 0, 3, 'a', 'b', 0xff},
    };
    for (unsigned i = 0; i < sizeof names / sizeof names[0]; i++) {
        CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_SETTINGS, names[i], 10, generation),
                    YT_RESULT_FAILED);
        CHECK_EQUAL(host.answer.value, YT_ARGUMENT);
    }
    CHECK_EQUAL(host_generation_of(&host, YT_LINK_OF_SETTINGS, 0), generation);
    about("an event begins by the link, and does not end by it");
    CHECK_EQUAL(set(&host, YT_SETTING_EVENT, 0, 1), YT_RESULT_DONE);
    CHECK_EQUAL(set(&host, YT_SETTING_EVENT, 0, 0), YT_RESULT_EVENT);
    CHECK_EQUAL(get(&host, YT_SETTING_EVENT, 0), 1);
    linked_end(&to);
}

/* A firmware that keeps no settings, or has no room for records, says so. */
static void check_without_room(void) {
    host host;
    const uint8_t record[4] = {'Y', 'S', 1, 0};
    linked_begin(&to);
    to.parts.record = NULL;
    to.parts.record_room = 0;
    to.box.parts.settings = NULL;
    to.box.parts.settings_room = 0;
    linked_plug_in(&to);
    host_begin(&host, &to, YT_LINK_CABLE, 1);
    host_unlock(&host);
    about("no room");
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_SETTINGS, record, 4, 0), YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_ROOM);
    CHECK_EQUAL(set(&host, YT_SETTING_POLL, 0, 4), YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_CALIBRATE, .index = 1}),
                YT_RESULT_UNKNOWN);
    CHECK_EQUAL(host_fact(&host, YT_LINK_CALIBRATES), 0);
    CHECK_EQUAL(host_fact(&host, YT_LINK_KEEPS_RECORDS), 0);
    linked_end(&to);
}

static void check_calibrations(void) {
    host host;
    yt_calibration got, record = axis_of(7, 500);
    uint32_t generation;
    begin(&to, &host, YT_LINK_CABLE);
    about("written, read, taken the place of, and forgotten");
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_CALIBRATION, &record, record.bytes, 0),
                YT_RESULT_DONE);
    unsigned place = host.answer.slot;
    generation = host.answer.generation;
    CHECK(place >= 1 && place <= YT_STORE_CALIBRATIONS && generation > 0);
    CHECK_EQUAL(host_read(&host, YT_LINK_OF_CALIBRATION, place, (uint8_t *)&got, sizeof got),
                record.bytes);
    CHECK(memcmp(&got, &record, record.bytes) == 0);
    record = axis_of(7, 510);
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_CALIBRATION, &record, record.bytes, 0),
                YT_RESULT_CHANGED);
    CHECK_EQUAL(host.answer.slot, place);
    CHECK_EQUAL(host.answer.generation, generation);
    yt_message commit = {.what = YT_REQUEST_COMMIT, .kind = YT_LINK_OF_CALIBRATION};
    commit.generation = generation;
    CHECK_EQUAL(host_ask(&host, commit), YT_RESULT_DONE);
    CHECK_EQUAL(host.answer.slot, place);
    CHECK(host.answer.generation != generation);
    CHECK_EQUAL(host_read(&host, YT_LINK_OF_CALIBRATION, place, (uint8_t *)&got, sizeof got),
                record.bytes);
    CHECK_EQUAL(got.rest[0], 510);
    about("one that was turned in one bit");
    record.rest[0] ^= 1;
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_CALIBRATION, &record, record.bytes,
                                  host_generation_of(&host, YT_LINK_OF_CALIBRATION, place)),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_CALIBRATION_CHECKSUM);
    about("longer than any");
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE,
                                             .kind = YT_LINK_OF_CALIBRATION,
                                             .size = sizeof(yt_calibration) + 1}),
                YT_RESULT_FAILED);
    about("bytes that came otherwise than was announced");
    record = axis_of(8, 500);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_STAGE,
                                             .kind = YT_LINK_OF_CALIBRATION,
                                             .size = 8,
                                             .checksum = 1}),
                YT_RESULT_DONE);
    yt_message bytes = {.what = YT_REQUEST_WRITE, .chunk_bytes = 9};
    CHECK_EQUAL(host_ask(&host, bytes), YT_RESULT_FAILED);
    bytes.chunk_bytes = 8;
    CHECK_EQUAL(host_ask(&host, bytes), YT_RESULT_DONE);
    CHECK_EQUAL(
        host_ask(&host, (yt_message){.what = YT_REQUEST_COMMIT, .kind = YT_LINK_OF_CALIBRATION}),
        YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_PROGRAM_CHECKSUM);
    about("forgotten");
    yt_message erase = {.what = YT_REQUEST_ERASE, .kind = YT_LINK_OF_CALIBRATION, .slot = place};
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_CHANGED);
    erase.generation = host.answer.generation;
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_DONE);
    CHECK_EQUAL(host_generation_of(&host, YT_LINK_OF_CALIBRATION, place), 0);
    erase.slot = YT_STORE_CALIBRATIONS + 1;
    CHECK_EQUAL(host_ask(&host, erase), YT_RESULT_FAILED);
    about("16 of them, and no more");
    for (unsigned product = 20; product < 20 + YT_STORE_CALIBRATIONS; product++) {
        record = axis_of(product, 500);
        CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_CALIBRATION, &record, record.bytes, 0),
                    YT_RESULT_DONE);
    }
    record = axis_of(90, 500);
    CHECK_EQUAL(host_write_record(&host, YT_LINK_OF_CALIBRATION, &record, record.bytes, 0),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_STORE_FULL);
    linked_end(&to);
}

/* ---- everything, from one box into another ---- */

static void add(struct sha256_ctx *sum, const void *bytes, size_t size) {
    sha256_update(sum, size, bytes);
}

/* The digest of a slot, as docs/link.md says it. */
static const char *digest_of(const char *name, unsigned which, const uint8_t *kept, uint8_t size) {
    static char text[65];
    struct sha256_ctx sum;
    uint8_t head[10], digest[32];
    uint32_t sizes[2] = {(uint32_t)linked_programs[which].size,
                         (uint32_t)strlen(linked_texts[which])};
    for (unsigned i = 0; i < 8; i++)
        head[i] = (uint8_t)(sizes[i / 4] >> 8 * (i % 4));
    head[8] = (uint8_t)strlen(name);
    head[9] = size;
    sha256_init(&sum);
    add(&sum, head, sizeof head);
    add(&sum, name, strlen(name));
    add(&sum, kept, size);
    add(&sum, linked_programs[which].image, sizes[0]);
    add(&sum, linked_texts[which], sizes[1]);
    sha256_digest(&sum, sizeof digest, digest);
    for (unsigned i = 0; i < 32; i++)
        snprintf(text + 2 * i, 3, "%02x", digest[i]);
    return text;
}

static void check_digest(void) {
    host host;
    begin(&to, &host, YT_LINK_CABLE);
    about("a slot");
    CHECK_EQUAL(host_put(&host, 2, "yard", 1), YT_RESULT_DONE);
    CHECK_TEXT(host_digest(&host, YT_LINK_NO_KIND, 2), digest_of("yard", 1, NULL, 0));
    CHECK_EQUAL(host_put(&host, 6, "", 2), YT_RESULT_DONE);
    CHECK_TEXT(host_digest(&host, YT_LINK_NO_KIND, 6), digest_of("", 2, NULL, 0));
    about("settings: SHA-256 of \"YS\" and two bytes more");
    CHECK_EQUAL(set(&host, YT_SETTING_POLL, 0, 1), YT_RESULT_DONE);
    CHECK_TEXT(host_digest(&host, YT_LINK_OF_SETTINGS, 0),
               "be166770946e2be717652eed2f06620333b1953eb793cf2d10222aecab92987d");
    about("of what is not there");
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_DIGEST, .slot = 3}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host.answer.value, YT_SLOT_EMPTY);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_DIGEST, .slot = 7}),
                YT_RESULT_FAILED);
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_DIGEST, .slot = 2, .kind = 1}),
                YT_RESULT_UNKNOWN);
    about("during an event, which tells it and nothing else");
    CHECK_EQUAL(set(&host, YT_SETTING_EVENT, 0, 1), YT_RESULT_DONE);
    CHECK_TEXT(host_digest(&host, YT_LINK_NO_KIND, 2), digest_of("yard", 1, NULL, 0));
    CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_READ, .slot = 2, .kind = 1}),
                YT_RESULT_EVENT);
    linked_end(&to);
}

/* Copies all that is kept by what the link tells, and nothing else. */
static void copy_all(host *from, host *into) {
    static uint8_t program[20000], text[20000], kept[YT_STORE_KEPT], record[2000];
    static uint8_t both[50000];
    for (unsigned slot = 1; slot <= BOX_SLOTS; slot++) {
        if (host_generation(from, slot) == 0)
            continue;
        char name[YT_MESSAGE_NAME];
        uint8_t name_bytes = from->answer.name_bytes;
        memcpy(name, from->answer.name, sizeof name);
        size_t size = host_read(from, YT_LINK_OF_PROGRAM, slot, program, sizeof program);
        size_t text_size = host_read(from, YT_LINK_OF_TEXT, slot, text, sizeof text);
        size_t kept_size = host_read(from, YT_LINK_OF_KEPT, slot, kept, sizeof kept);
        memcpy(both, program, size);
        memcpy(both + size, text, text_size);
        memcpy(both + size + text_size, kept, kept_size);
        size_t all = size + text_size + kept_size;
        uint32_t generation = host_generation(into, slot);
        CHECK_EQUAL(host_ask(into, (yt_message){.what = YT_REQUEST_STAGE,
                                                .slot = slot,
                                                .size = (uint32_t)size,
                                                .value = (int32_t)text_size,
                                                .index = (uint32_t)kept_size,
                                                .checksum = yt_checksum(0, both, all),
                                                .generation = generation}),
                    YT_RESULT_DONE);
        CHECK_EQUAL(host_write_all(into, both, all), YT_RESULT_DONE);
        yt_message commit = {.what = YT_REQUEST_COMMIT, .slot = slot, .generation = generation};
        memcpy(commit.name, name, sizeof name);
        commit.name_bytes = name_bytes;
        CHECK_EQUAL(host_ask(into, commit), YT_RESULT_DONE);
    }
    for (unsigned place = 1; place <= YT_STORE_CALIBRATIONS; place++) {
        if (host_generation_of(from, YT_LINK_OF_CALIBRATION, place) == 0)
            continue;
        size_t size = host_read(from, YT_LINK_OF_CALIBRATION, place, record, sizeof record);
        CHECK_EQUAL(host_write_record(into, YT_LINK_OF_CALIBRATION, record, size, 0),
                    YT_RESULT_DONE);
    }
    size_t size = host_read(from, YT_LINK_OF_SETTINGS, 0, record, sizeof record);
    CHECK_EQUAL(host_write_record(into, YT_LINK_OF_SETTINGS, record, size,
                                  host_generation_of(into, YT_LINK_OF_SETTINGS, 0)),
                YT_RESULT_DONE);
}

static void check_everything(void) {
    host from, into;
    const uint8_t kept[10] = {0, 1, 2, 3, 4, 1, 9, 8, 7, 6};
    for (yt_link_way way = YT_LINK_CABLE; way < YT_LINK_WAYS; way++) {
        char before[65];
        about("everything, by way %d", way);
        begin(&to, &from, YT_LINK_CABLE);
        CHECK_EQUAL(host_put(&from, 2, "yard", 1), YT_RESULT_DONE);
        CHECK_EQUAL(host_put(&from, 6, "\xc3\xa6st", 2), YT_RESULT_DONE);
        CHECK_EQUAL(yt_store_keep(&to.box.store, 5, kept, sizeof kept), YT_OK);
        CHECK_EQUAL(set(&from, YT_SETTING_POLL, 0, 8), YT_RESULT_DONE);
        CHECK_EQUAL(set(&from, YT_SETTING_LIGHT, 3, 0xff00ff), YT_RESULT_DONE);
        for (unsigned i = 0; i < 5; i++) {
            const yt_calibration record = axis_of(20 + i, 500 + (int)i);
            CHECK_EQUAL(yt_store_calibrate(&to.box.store, &record, record.bytes), YT_OK);
        }
        begin(&other, &into, way);
        copy_all(&from, &into);
        CHECK_TEXT(host_digest(&into, YT_LINK_NO_KIND, 6),
                   digest_of("\xc3\xa6st", 2, kept, sizeof kept));
        for (unsigned slot = 1; slot <= BOX_SLOTS; slot++) {
            bool is_there = host_generation(&from, slot) > 0;
            CHECK_EQUAL(host_generation(&into, slot) > 0, is_there);
            if (!is_there)
                continue;
            snprintf(before, sizeof before, "%s", host_digest(&from, YT_LINK_NO_KIND, slot));
            CHECK_TEXT(host_digest(&into, YT_LINK_NO_KIND, slot), before);
        }
        snprintf(before, sizeof before, "%s", host_digest(&from, YT_LINK_OF_SETTINGS, 0));
        CHECK_TEXT(host_digest(&into, YT_LINK_OF_SETTINGS, 0), before);
        CHECK_EQUAL(get(&into, YT_SETTING_LIGHT, 3), 0xff00ff);
        linked_end(&to);
        linked_end(&other);
    }
}

int main(void) {
    check_each_setting();
    check_settings();
    check_without_room();
    check_calibrations();
    check_digest();
    check_everything();
    return report_checks();
}
