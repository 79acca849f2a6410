/* Settings: what was set is there, what was not is as usual, and what is not known is kept. */
#include "tests/harness.h"
#include "yonder/settings.h"

static uint8_t settings[YT_SETTINGS_BYTES + 8];
static size_t size;

static uint32_t number(yt_setting setting, unsigned index) {
    return yt_settings_number(settings, size, setting, index);
}

static yt_status set(yt_setting setting, unsigned index, uint32_t value) {
    return yt_settings_set(settings, &size, YT_SETTINGS_BYTES, setting, index, value);
}

/* Every setting, every index, at both ends of its range and in between, all at once. */
static void check_all(void) {
    yt_settings_clear(settings, &size);
    CHECK_EQUAL(yt_settings_check(settings, size), YT_OK);
    for (unsigned round = 0; round < 4; round++)
        for (yt_setting setting = 0; setting < YT_SETTING_COUNT; setting++) {
            const yt_setting_facts *facts = yt_setting_of(setting);
            for (unsigned i = 0; i < facts->many && facts->most > 0; i++) {
                const uint32_t values[] = {facts->least, facts->most, facts->least + i % 2,
                                           facts->usual};
                about("%s %u, round %u", facts->name, i, round);
                CHECK_EQUAL(set(setting, i, values[round]), YT_OK);
                CHECK_EQUAL(number(setting, i), values[round]);
            }
            if (round == 1)
                CHECK_EQUAL(yt_settings_set_text(settings, &size, YT_SETTINGS_BYTES,
                                                 YT_SETTING_NAME,
                                                 "the longest name that there is!!"),
                            YT_OK);
            if (round == 3)
                CHECK_EQUAL(
                    yt_settings_set_text(settings, &size, YT_SETTINGS_BYTES, YT_SETTING_NAME, ""),
                    YT_OK);
            CHECK_EQUAL(yt_settings_check(settings, size), YT_OK);
        }
    about("all as usual takes no room");
    CHECK_EQUAL(size, 4);
}

static void check_limits(void) {
    char text[YT_SETTINGS_TEXT + 1];
    uint8_t before[sizeof settings];
    yt_settings_clear(settings, &size);
    CHECK_EQUAL(set(YT_SETTING_POLL, 0, 8), YT_OK);
    memcpy(before, settings, size);
    about("what is out of range");
    CHECK_EQUAL(set(YT_SETTING_POLL, 0, 0), YT_ARGUMENT);
    CHECK_EQUAL(set(YT_SETTING_POLL, 0, 256), YT_ARGUMENT);
    CHECK_EQUAL(set(YT_SETTING_POLL, 1, 1), YT_ARGUMENT);
    CHECK_EQUAL(set(YT_SETTING_LIGHT, 64, 1), YT_ARGUMENT);
    CHECK_EQUAL(set(YT_SETTING_COUNT, 0, 1), YT_ARGUMENT);
    CHECK_EQUAL(set(YT_SETTING_NAME, 0, 1), YT_ARGUMENT);
    CHECK_EQUAL(yt_settings_set_text(settings, &size, YT_SETTINGS_BYTES, YT_SETTING_POLL, "8"),
                YT_ARGUMENT);
    CHECK_EQUAL(yt_settings_set_text(settings, &size, YT_SETTINGS_BYTES, YT_SETTING_NAME,
                                     "a name that is one byte too long!"),
                YT_ARGUMENT);
    CHECK_EQUAL(yt_settings_set(settings, &size, size, YT_SETTING_START, 0, 1), YT_ROOM);
    CHECK_EQUAL(memcmp(before, settings, size), 0);
    CHECK_EQUAL(number(YT_SETTING_POLL, 0), 8);
    CHECK_EQUAL(number(YT_SETTING_LIGHT, 64), 0);
    CHECK_EQUAL(number(YT_SETTING_COUNT, 0), 0);
    about("a text");
    yt_settings_text(settings, size, YT_SETTING_NAME, text);
    CHECK_TEXT(text, "");
    CHECK_EQUAL(yt_settings_set_text(settings, &size, YT_SETTINGS_BYTES, YT_SETTING_NAME, "quay 3"),
                YT_OK);
    yt_settings_text(settings, size, YT_SETTING_NAME, text);
    CHECK_TEXT(text, "quay 3");
    CHECK_EQUAL(number(YT_SETTING_POLL, 0), 8);
    about("there is no such setting");
    CHECK(yt_setting_of(YT_SETTING_COUNT) == NULL);
}

/* Settings that a newer firmware added are kept, whatever is changed; those of a newer version are
 * left alone; a number out of today's range is as usual. */
static void check_versions(void) {
    yt_settings_clear(settings, &size);
    const uint8_t unknown[] = {200, 3, 5, 'a', 'b', 'c', 'd', 'e'};
    const uint8_t absurd[] = {YT_SETTING_POLL, 0, 2, 0x01, 0x01},
                  long_one[] = {YT_SETTING_MOTOR, 0, 5, 1, 2, 3, 4, 5};
    memcpy(settings + size, unknown, sizeof unknown);
    size += sizeof unknown;
    memcpy(settings + size, absurd, sizeof absurd);
    size += sizeof absurd;
    memcpy(settings + size, long_one, sizeof long_one);
    size += sizeof long_one;
    about("a setting that is not known");
    CHECK_EQUAL(yt_settings_check(settings, size), YT_OK);
    CHECK_EQUAL(number(YT_SETTING_POLL, 0), 1);
    CHECK_EQUAL(number(YT_SETTING_MOTOR, 0), 100);
    CHECK_EQUAL(set(YT_SETTING_POLL, 0, 4), YT_OK);
    CHECK_EQUAL(set(YT_SETTING_MOTOR, 0, 40), YT_OK);
    CHECK_EQUAL(number(YT_SETTING_POLL, 0), 4);
    CHECK_EQUAL(number(YT_SETTING_MOTOR, 0), 40);
    CHECK_EQUAL(memcmp(settings + 4, unknown, sizeof unknown), 0);
    about("a newer version");
    settings[2] = YT_SETTINGS_VERSION + 1;
    CHECK_EQUAL(yt_settings_check(settings, size), YT_SETTINGS_NEWER);
    CHECK_EQUAL(number(YT_SETTING_POLL, 0), 1);
    CHECK_EQUAL(set(YT_SETTING_POLL, 0, 5), YT_SETTINGS_NEWER);
    settings[2] = YT_SETTINGS_VERSION;
    about("cut short anywhere");
    for (size_t cut = 0; cut < size; cut++) {
        yt_status status = yt_settings_check(settings, cut);
        CHECK(status == YT_SETTINGS_FOREIGN || cut == 4 || cut == 12 || cut == 16);
    }
}

static void check_start(void) {
    const uint32_t key_f1 = 0x7003a, button_2 = 0x90002;
    uint32_t held[2] = {button_2, 0x70004};
    yt_plugged_in plugged_in = {held, 0, -1};
    yt_settings_clear(settings, &size);
    about("as usual: the one that was active last");
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 5);
    plugged_in.position = 2;
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 5);
    about("one that is set");
    CHECK_EQUAL(set(YT_SETTING_START, 0, 3), YT_OK);
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 2);
    about("that of the switch's position goes before");
    CHECK_EQUAL(set(YT_SETTING_SWITCH_SLOT, 2, 8), YT_OK);
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 7);
    plugged_in.position = 1;
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 2);
    plugged_in.position = 200;
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 2);
    plugged_in.position = 2;
    about("that of a control that is held goes before both");
    CHECK_EQUAL(set(YT_SETTING_HELD_CONTROL, 4, key_f1), YT_OK);
    CHECK_EQUAL(set(YT_SETTING_HELD_SLOT, 4, 1), YT_OK);
    CHECK_EQUAL(set(YT_SETTING_HELD_CONTROL, 7, button_2), YT_OK);
    CHECK_EQUAL(set(YT_SETTING_HELD_SLOT, 7, 2), YT_OK);
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 7);
    plugged_in.held_count = 2;
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 1);
    held[1] = key_f1;
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 0);
    about("settings that cannot be read");
    settings[0] = 'x';
    CHECK_EQUAL(yt_settings_start(settings, size, &plugged_in, 5), 5);
}

/* The format's page names every setting by its number. */
static void check_page(void) {
    size_t length;
    char *page = read_test_file("docs/flash-format.md", &length);
    const char *const meanings[] = {
#define YT_SETTING(NAME, name, many, least, most, usual, meaning) meaning,
#include "yonder/settings.def"
    };
    for (unsigned i = 0; i < YT_SETTING_COUNT; i++) {
        char row[400];
        const yt_setting_facts *facts = yt_setting_of(i);
        snprintf(row, sizeof row, "| %u | %s | `%s` | %u |", i, meanings[i], facts->name,
                 facts->many);
        about("docs/flash-format.md: %s", row);
        CHECK(strstr(page, row) != NULL);
    }
    free(page);
}

int main(void) {
    check_page();
    check_all();
    check_limits();
    check_versions();
    check_start();
    return report_checks();
}
