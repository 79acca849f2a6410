/* Names of usages: those of the standard that the demo and the outputs need, each name back to its
 * usage, and the names of every kind of device. */
#include <ctype.h>

#include "compiler/names/names.h"
#include "compiler/names/spellings.h"
#include "tests/harness.h"

/* From the HID Usage Tables 1.5, sections 4, 5, 10, 11, 12 and 15. */
static const struct {
    uint16_t page, usage;
    const char *name;
} known[] = {{0x01, 0x30, "x"},
             {0x01, 0x35, "rz"},
             {0x01, 0x36, "slider"},
             {0x01, 0x38, "wheel"},
             {0x01, 0x39, "hat"},
             {0x01, 0x48, "resolution_multiplier"},
             {0x01, 0x85, "system_main_menu"},
             {0x02, 0xba, "rudder"},
             {0x02, 0xbb, "throttle"},
             {0x02, 0xc4, "accelerator"},
             {0x02, 0xc5, "brake"},
             {0x02, 0xc8, "steering"},
             {0x07, 0x04, "a"},
             {0x07, 0x1d, "z"},
             {0x07, 0x1e, "digit_1"},
             {0x07, 0x27, "digit_0"},
             {0x07, 0x28, "enter"},
             {0x07, 0x29, "escape"},
             {0x07, 0x2a, "backspace"},
             {0x07, 0x2b, "tab"},
             {0x07, 0x2c, "space"},
             {0x07, 0x2d, "minus"},
             {0x07, 0x39, "caps_lock"},
             {0x07, 0x3a, "f1"},
             {0x07, 0x45, "f12"},
             {0x07, 0x4f, "right_arrow"},
             {0x07, 0x52, "up_arrow"},
             {0x07, 0x53, "num_lock"},
             {0x07, 0x58, "keypad_enter"},
             {0x07, 0x59, "keypad_1"},
             {0x07, 0x5e, "keypad_6"},
             {0x07, 0x5f, "keypad_7"},
             {0x07, 0x61, "keypad_9"},
             {0x07, 0x62, "keypad_0"},
             {0x07, 0x68, "f13"},
             {0x07, 0x73, "f24"},
             {0x07, 0xe0, "left_control"},
             {0x07, 0xe1, "left_shift"},
             {0x07, 0xe7, "right_gui"},
             {0x08, 0x01, "num_lock"},
             {0x08, 0x02, "caps_lock"},
             {0x08, 0x03, "scroll_lock"},
             {0x08, 0x05, "kana"},
             {0x08, 0x4b, "generic_indicator"},
             {0x0c, 0xb5, "next_track"},
             {0x0c, 0xcd, "play_pause"},
             {0x0c, 0xe2, "mute"},
             {0x0c, 0xe9, "volume_up"},
             {0x0c, 0xea, "volume_down"}};

static void check_known(void) {
    for (size_t i = 0; i < sizeof known / sizeof known[0]; i++) {
        char name[USAGE_NAME_BYTES];
        uint16_t usage = 0;
        about("usage 0x%02x:0x%02x", known[i].page, known[i].usage);
        CHECK(usage_name(known[i].page, known[i].usage, name));
        CHECK_TEXT(name, known[i].name);
        CHECK(usage_named(known[i].page, known[i].name, strlen(known[i].name), &usage));
        CHECK_EQUAL(usage, known[i].usage);
    }
}

/* Every usage of every page, those without a name too: the name leads back to it. */
static void check_there_and_back(void) {
    unsigned named = 0;
    const yt_device_kind *any = device_kind_named("device");
    for (unsigned page = 1; page < 0x100; page++)
        for (unsigned usage = 1; usage < 0x400; usage++) {
            char name[USAGE_NAME_BYTES], full[2 * USAGE_NAME_BYTES];
            uint16_t back_page = 0, back = 0;
            yt_control_name meaning = {0};
            about("usage 0x%02x:0x%02x, there and back", page, usage);
            if (usage_name((uint16_t)page, (uint16_t)usage, name)) {
                named++;
                CHECK(usage_named((uint16_t)page, name, strlen(name), &back));
                CHECK_EQUAL(back, usage);
                snprintf(full, sizeof full, "%s.%s", usage_page_name((uint16_t)page), name);
            } else {
                CHECK(usage_numbered(name, strlen(name), &back_page, &back));
                CHECK_EQUAL(back_page, page);
                CHECK_EQUAL(back, usage);
                snprintf(full, sizeof full, "%s", name);
            }
            CHECK(control_named(any, full, strlen(full), &meaning));
            CHECK_EQUAL(meaning.page, page);
            CHECK_EQUAL(meaning.usage, usage);
        }
    CHECK(named > 1500);
}

/* What each kind suggests, it knows. */
static void check_kinds(void) {
    for (size_t i = 0; i < device_kind_count; i++) {
        const char *names[2048];
        yt_control_name meaning;
        size_t count = control_names(&device_kinds[i], names, 2048);
        CHECK(count > 4);
        for (size_t k = 0; k < count; k++) {
            about("%s.%s", device_kinds[i].name, names[k]);
            CHECK(control_named(&device_kinds[i], names[k], strlen(names[k]), &meaning));
        }
        about("the example of a %s", device_kinds[i].name);
        char pair[64];
        snprintf(pair, sizeof pair, "%s.x", device_kinds[i].example);
        CHECK(control_named(&device_kinds[i], device_kinds[i].example,
                            strlen(device_kinds[i].example), &meaning) ||
              control_named(&device_kinds[i], pair, strlen(pair), &meaning));
    }
    yt_control_name second;
    about("a direction of the second hat");
    CHECK(control_named(device_kind_named("gamepad"), "hat.2.left", 10, &second));
    CHECK(second.page == 1 && second.usage == 0x39 && second.occurrence == 1 && second.part == 8);
    static const char *const wrong[] = {
        "",        "slider1",         "slider0",         "slider257",
        "button",  "button0",         "button65536",     "consumer.",
        ".mute",   "page_0xff00_0x1", "consumer_0x012F", "hat",
        "x.y",     "hat.up.2",        "hat.1.up",        "hat.2",
        "hat2.up", "slider2",         "button1.02",      "left_stick.x.2",
        "south.1"};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        yt_control_name meaning;
        about("\"%s\" is no name of a gamepad's", wrong[i]);
        CHECK(!control_named(device_kind_named("gamepad"), wrong[i], strlen(wrong[i]), &meaning));
    }
}

/* Spellings that people bring along stand for controls that there are, of one type, and are no
 * names themselves. */
static void check_spellings(void) {
    static const struct {
        const char *kind, *spelling, *one, *other;
    } spellings[] = {
#define YT_SPELLING(kind, spelling, one, other) {kind, spelling, one, other},
#include "compiler/names/spellings.def"
#undef YT_SPELLING
    };
    for (size_t i = 0; i < sizeof spellings / sizeof spellings[0]; i++) {
        const yt_device_kind *kind = device_kind_named(spellings[i].kind);
        const char *one = NULL, *other = NULL, *spelling = spellings[i].spelling;
        yt_control_name meaning, second;
        char large[40];
        about("%s on a %s", spelling, spellings[i].kind);
        CHECK(kind != NULL);
        CHECK(!control_named(kind, spelling, strlen(spelling), &meaning));
        CHECK(spelling_meant(kind, spelling, strlen(spelling), &one, &other));
        CHECK_TEXT(one, spellings[i].one);
        CHECK(control_named(kind, one, strlen(one), &meaning));
        if (other) {
            CHECK(control_named(kind, other, strlen(other), &second));
            CHECK_EQUAL(second.kind, meaning.kind);
        }
        snprintf(large, sizeof large, "%s", spelling);
        large[0] = (char)toupper((unsigned char)large[0]);
        CHECK(spelling_meant(kind, large, strlen(large), &one, &other));
        CHECK(!spelling_meant(kind, spelling, strlen(spelling) - 1, &one, &other) ||
              strcmp(one, spellings[i].one) == 0 || strlen(spelling) < 6);
        for (size_t k = 0; k < i; k++)
            CHECK(strcmp(spellings[k].kind, spellings[i].kind) != 0 ||
                  strcmp(spellings[k].spelling, spelling) != 0);
    }
    const char *one, *other;
    CHECK(!spelling_meant(device_kind_named("mouse"), "esc", 3, &one, &other));
    CHECK(!spelling_meant(device_kind_named("keyboard"), "", 0, &one, &other));
}

int main(void) {
    check_known();
    check_there_and_back();
    check_kinds();
    check_spellings();
    return report_checks();
}
