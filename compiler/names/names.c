#include "compiler/names/names.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

enum {
    KEYBOARD = 1,
    MOUSE = 2,
    TABLET = 4,
    GAMEPAD = 8,
    JOYSTICK = 16,
    CONSUMER = 32,
    DEVICE = 64,
    ANY = 127
};

typedef struct yt_special_name {
    uint8_t kinds;
    const char *name;
    yt_control_name meaning;
    bool is_nth; /* only of that number of its usage */
} yt_special_name;

static const yt_special_name special_names[] = {
#define YT_NAME(kinds, name, page, usage, kind, part, other_page, other_usage, other_if)           \
    {kinds, name, {page, usage, other_page, other_usage, other_if, 0, kind, part, false}, false},
#define YT_NTH(kinds, name, page, usage, kind, occurrence)                                         \
    {kinds, name, {page, usage, 0, 0, 0, occurrence, kind, 0, false}, true},
#include "compiler/names/names.def"
#undef YT_NAME
#undef YT_NTH
};

enum { USAGE_X = 0x30, USAGE_DIAL = 0x37, USAGE_WHEEL = 0x38, USAGE_HAT = 0x39 };

const yt_device_kind device_kinds[] = {
    {"keyboard",
     "a keyboard or keypad",
     "space",
     "keys",
     0x01,
     0x06,
     0x07,
     0,
     0,
     0,
     KEYBOARD,
     {0x07}},
    {"mouse",
     "a mouse, trackball or touchpad that tells how far it moved",
     "motion",
     "ball",
     0x01,
     0x02,
     0,
     PAGE_DESKTOP,
     USAGE_X,
     YT_NEEDS_USAGE | YT_NEEDS_RELATIVE,
     MOUSE,
     {0x09}},
    {"tablet",
     "a tablet or screen that tells where its pointer is",
     "x",
     "slate",
     0x01,
     0x02,
     0,
     PAGE_DESKTOP,
     USAGE_X,
     YT_NEEDS_USAGE,
     TABLET,
     {0x09, 0x0d}},
    {"gamepad", "a gamepad", "south", "hand", 0x01, 0x05, 0x04, 0, 0, 0, GAMEPAD, {0x09, 0x02}},
    {"joystick",
     "a joystick, wheel or throttle",
     "button1",
     "lever",
     0x01,
     0x04,
     0x05,
     0,
     0,
     0,
     JOYSTICK,
     {0x09, 0x02, 0x01}},
    {"consumer", "media keys", "volume_up", "media", 0x0c, 0x01, 0, 0, 0, 0, CONSUMER, {0x0c}},
    {"device",
     "any device",
     "button1",
     "desk",
     0,
     0,
     0,
     0,
     0,
     0,
     DEVICE,
     {0x09, 0x07, 0x0c, 0x02, 0x01, 0x0d}}};

const size_t device_kind_count = COUNT(device_kinds);

const char *device_kind_list(void) {
    static char list[100];
    size_t length = 0;
    for (size_t i = 0; i < COUNT(device_kinds); i++)
        length += (size_t)snprintf(list + length, sizeof list - length, "%s%s", i ? ", " : "",
                                   device_kinds[i].name);
    return list;
}

const yt_device_kind *device_kind_named(const char *name) {
    for (size_t i = 0; i < COUNT(device_kinds); i++)
        if (strcmp(device_kinds[i].name, name) == 0)
            return &device_kinds[i];
    return NULL;
}

const yt_device_kind *device_kind_of(uint16_t application_page, uint16_t application_usage) {
    for (size_t i = 0; i < COUNT(device_kinds); i++)
        if (device_kinds[i].application_page == application_page &&
            (device_kinds[i].application_usage == application_usage ||
             (application_usage == 0x07 && device_kinds[i].bit == KEYBOARD)))
            return &device_kinds[i];
    return &device_kinds[COUNT(device_kinds) - 1];
}

/* Controls of the simulation page that go both ways, and those that go one way. */
static bool is_among(uint16_t usage, const uint8_t *usages, size_t count) {
    for (size_t i = 0; i < count; i++)
        if (usages[i] == usage)
            return true;
    return false;
}

/* What a usage is on any device, before a field is known. */
static yt_kind kind_of_usage(uint16_t page, uint16_t usage) {
    static const uint8_t axes[] = {0xb0, 0xb8, 0xba, 0xc8, 0xc9, 0xca, 0xce};
    static const uint8_t levels[] = {0xb5, 0xbb, 0xbf, 0xc4, 0xc5, 0xc6, 0xcf, 0xd0};
    if (page == PAGE_DESKTOP && usage >= USAGE_X && usage <= USAGE_DIAL)
        return YT_AXIS;
    if (page == PAGE_DESKTOP && usage >= 0x40 && usage <= 0x46)
        return YT_AXIS;
    if (page == PAGE_DESKTOP && usage == USAGE_WHEEL)
        return YT_MOTION;
    if (page == PAGE_SIMULATION && is_among(usage, axes, sizeof axes))
        return YT_AXIS;
    if (page == PAGE_SIMULATION && is_among(usage, levels, sizeof levels))
        return YT_LEVEL;
    if (page == 0x0d && (usage == 0x30 || usage == 0x31))
        return YT_LEVEL;
    if (page == 0x0d && (usage == 0x3d || usage == 0x3e))
        return YT_AXIS;
    return YT_SWITCH;
}

yt_kind kind_of_field(const yt_hid_field *field, uint16_t usage) {
    if (!(field->flags & YT_HID_VARIABLE))
        return YT_SWITCH;
    if (field->flags & YT_HID_RELATIVE)
        return YT_MOTION;
    if (field->bits == 1 || (field->minimum == 0 && field->maximum == 1))
        return YT_SWITCH;
    for (size_t i = 0; i < COUNT(special_names); i++)
        if (special_names[i].meaning.page == field->usage_page && field->usage_page >= 0xff00 &&
            special_names[i].meaning.usage == usage)
            return special_names[i].meaning.kind;
    yt_kind kind = kind_of_usage(field->usage_page, usage);
    return kind == YT_SWITCH ? YT_LEVEL : kind == YT_MOTION ? YT_AXIS : kind;
}

static bool special_named(const yt_device_kind *kind, const char *name, size_t length,
                          yt_control_name *meaning) {
    for (size_t i = 0; i < COUNT(special_names); i++)
        if ((special_names[i].kinds & kind->bit) && is_name(special_names[i].name, name, length)) {
            *meaning = special_names[i].meaning;
            return true;
        }
    return false;
}

static bool set_usage(yt_control_name *meaning, uint16_t page, uint16_t usage) {
    *meaning = (yt_control_name){.page = page, .usage = usage};
    meaning->kind = (uint8_t)kind_of_usage(page, usage);
    return true;
}

/* A usage by its name alone, by its page's and its own, or by numbers. */
static bool usually_named(const yt_device_kind *kind, const char *name, size_t length,
                          yt_control_name *meaning) {
    uint16_t page, usage;
    for (size_t i = 0; i < COUNT(kind->pages) && kind->pages[i]; i++)
        if (usage_named(kind->pages[i], name, length, &usage))
            return set_usage(meaning, kind->pages[i], usage);
    const char *dot = memchr(name, '.', length);
    size_t front = dot ? (size_t)(dot - name) : 0;
    if (dot && usage_page_named(name, front, &page) &&
        usage_named(page, dot + 1, length - front - 1, &usage))
        return set_usage(meaning, page, usage);
    return usage_numbered(name, length, &page, &usage) && set_usage(meaning, page, usage);
}

/* What stands in front of a name whose control is of another type than usual. */
static const char *const type_names[YT_KIND_COUNT] = {
    [YT_LEVEL] = "level.", [YT_AXIS] = "axis.", [YT_MOTION] = "motion."};

static bool typed_named(const yt_device_kind *kind, const char *name, size_t length,
                        yt_control_name *meaning) {
    for (unsigned type = 0; type < YT_KIND_COUNT; type++) {
        size_t front = type_names[type] ? strlen(type_names[type]) : 0;
        if (front == 0 || length <= front || memcmp(name, type_names[type], front) != 0 ||
            !usually_named(kind, name + front, length - front, meaning) || meaning->kind == type)
            continue;
        meaning->kind = (uint8_t)type;
        return true;
    }
    return false;
}

/* Without a number. */
static bool plainly_named(const yt_device_kind *kind, const char *name, size_t length,
                          yt_control_name *meaning) {
    return special_named(kind, name, length, meaning) ||
           usually_named(kind, name, length, meaning) || typed_named(kind, name, length, meaning);
}

/* Whether the last part of a name is a direction of what stands in front of it. */
static bool ends_in_direction(const yt_device_kind *kind, const char *name) {
    static const char *const directions[] = {".x", ".y", ".up", ".right", ".down", ".left"};
    const char *dot = strrchr(name, '.');
    yt_control_name meaning;
    if (!dot || !special_named(kind, name, strlen(name), &meaning))
        return false;
    for (size_t i = 0; i < COUNT(directions); i++)
        if (strcmp(dot, directions[i]) == 0)
            return true;
    return false;
}

void control_name_number(const yt_device_kind *kind, const char *name, unsigned occurrence,
                         char *text) {
    int front = (int)strlen(name);
    if (ends_in_direction(kind, name))
        front = (int)(strrchr(name, '.') - name);
    if (occurrence == 0)
        snprintf(text, USAGE_NAME_BYTES, "%s", name);
    else
        snprintf(text, USAGE_NAME_BYTES, "%.*s.%u%s", front, name, occurrence + 1, name + front);
}

bool control_is_key(const yt_control_name *meaning) {
    return (meaning->page == PAGE_KEYBOARD || meaning->page == PAGE_CONSUMER) &&
           (meaning->kind == YT_SWITCH || meaning->kind == YT_LEVEL);
}

/* The number in a name, which is a part of its own, and the name without it. 0: there is none. */
static unsigned split_number(const char *name, size_t length, char *plain) {
    for (size_t at = 1; at < length; at++) {
        size_t digits = 0;
        while (at + digits < length && name[at + digits] >= '0' && name[at + digits] <= '9')
            digits++;
        bool is_part = name[at - 1] == '.' && digits > 0 && digits < 4 &&
                       (at + digits == length || name[at + digits] == '.');
        if (!is_part)
            continue;
        snprintf(plain, USAGE_NAME_BYTES, "%.*s%.*s", (int)(at - 1), name,
                 (int)(length - at - digits), name + at + digits);
        return (unsigned)atoi(name + at);
    }
    return 0;
}

/* The second of a usage and so on: written in one way only. */
static bool numbered(const yt_device_kind *kind, const char *name, size_t length,
                     yt_control_name *meaning) {
    char plain[USAGE_NAME_BYTES], again[USAGE_NAME_BYTES];
    unsigned number = length < sizeof plain ? split_number(name, length, plain) : 0;
    if (number < 2 || number > 256 || !plainly_named(kind, plain, strlen(plain), meaning) ||
        meaning->occurrence > 0 || control_is_key(meaning))
        return false;
    control_name_number(kind, plain, number - 1, again);
    meaning->occurrence = (uint8_t)(number - 1);
    return is_name(again, name, length);
}

bool control_named(const yt_device_kind *kind, const char *name, size_t length,
                   yt_control_name *meaning) {
    return plainly_named(kind, name, length, meaning) || numbered(kind, name, length, meaning);
}

static bool is_usage(const yt_control_name *meaning, uint16_t page, uint16_t usage) {
    return meaning->page == page && meaning->usage == usage;
}

/* A special name for a usage: of a hat, the part before the dot; of a button that is one of its
 * directions, all of it. */
static void write_special(const yt_special_name *special, uint16_t page, uint16_t usage,
                          char *text) {
    bool is_whole = special->meaning.part && is_usage(&special->meaning, page, usage);
    const char *dot = is_whole ? strchr(special->name, '.') : NULL;
    snprintf(text, USAGE_NAME_BYTES, "%.*s",
             dot ? (int)(dot - special->name) : (int)strlen(special->name), special->name);
}

static bool stands_for(const yt_control_name *meaning, uint16_t page, uint16_t usage) {
    return (is_usage(meaning, page, usage) && meaning->part <= 1) ||
           (meaning->other_page == page && meaning->other_usage == usage);
}

/* The name of a usage by the tables, with its page where the kind does not know it without. */
static void write_usual(const yt_device_kind *kind, uint16_t page, uint16_t usage, char *text) {
    char name[USAGE_NAME_BYTES];
    yt_control_name meaning;
    bool has_name = usage_name(page, usage, name);
    bool is_own = usually_named(kind, name, strlen(name), &meaning) && meaning.page == page &&
                  meaning.usage == usage && !special_named(kind, name, strlen(name), &meaning);
    if (has_name && !is_own)
        snprintf(text, USAGE_NAME_BYTES, "%.15s.%.47s", usage_page_name(page), name);
    else
        snprintf(text, USAGE_NAME_BYTES, "%s", name);
}

bool control_candidate(const yt_device_kind *kind, unsigned index, uint16_t page, uint16_t usage,
                       yt_control_name *meaning, bool *is_nth, char *text) {
    *is_nth = false;
    for (size_t i = 0; i < COUNT(special_names); i++)
        if ((special_names[i].kinds & kind->bit) &&
            stands_for(&special_names[i].meaning, page, usage) && index-- == 0) {
            write_special(&special_names[i], page, usage, text);
            *meaning = special_names[i].meaning;
            *is_nth = special_names[i].is_nth;
            return true;
        }
    if (index > YT_KIND_COUNT)
        return false;
    write_usual(kind, page, usage, text);
    set_usage(meaning, page, usage);
    unsigned type = index - 1;
    if (index == 0)
        return true;
    if (!type_names[type] || meaning->kind == type) { /* the caller asks for the next one */
        *meaning = (yt_control_name){.kind = YT_KIND_COUNT};
        return true;
    }
    char usual[USAGE_NAME_BYTES];
    snprintf(usual, sizeof usual, "%s", text);
    snprintf(text, USAGE_NAME_BYTES, "%s%.*s", type_names[type], USAGE_NAME_BYTES - 9, usual);
    meaning->kind = (uint8_t)type;
    return true;
}

unsigned control_own_candidates(const yt_device_kind *kind, uint16_t page, uint16_t usage) {
    unsigned count = 0;
    for (size_t i = 0; i < COUNT(special_names); i++)
        count += (special_names[i].kinds & kind->bit) &&
                 stands_for(&special_names[i].meaning, page, usage);
    return count;
}

bool usage_has_name(const yt_device_kind *kind, uint16_t page, uint16_t usage) {
    char name[USAGE_NAME_BYTES];
    return control_own_candidates(kind, page, usage) > 0 || usage_name(page, usage, name);
}

size_t control_names(const yt_device_kind *kind, const char **names, size_t most) {
    static const char *const buttons[] = {"button1", "button2", "button3", "button4",
                                          "button5", "button6", "button7", "button8"};
    size_t count = 0;
    for (size_t i = 0; i < COUNT(special_names) && count < most; i++)
        if (special_names[i].kinds & kind->bit)
            names[count++] = special_names[i].name;
    for (size_t i = 0; i < COUNT(kind->pages) && kind->pages[i]; i++) {
        const char *name;
        for (size_t k = 0; kind->pages[i] == PAGE_BUTTON && k < 8 && count < most; k++)
            names[count++] = buttons[k];
        for (size_t k = 0; count < most && (name = usage_entry_name(kind->pages[i], k)); k++)
            names[count++] = name;
    }
    return count;
}

#define FIRST_KEY 4 /* below are what a keyboard says where it cannot say which are pressed */

bool control_is_usual(const yt_device_kind *kind, const char *name) {
    static const char *const of_gamepads[] = {"dpad.", "left_stick.", "right_stick.",
                                              "left_trigger", "right_trigger"};
    yt_control_name meaning;
    if (!control_named(kind, name, strlen(name), &meaning))
        return false;
    if ((meaning.page == PAGE_KEYBOARD && meaning.usage >= FIRST_KEY) ||
        meaning.page == PAGE_BUTTON)
        return true;
    bool is_gamepad = kind == device_kind_named("gamepad");
    for (size_t i = 0; is_gamepad && i < sizeof of_gamepads / sizeof of_gamepads[0]; i++)
        if (strncmp(name, of_gamepads[i], strlen(of_gamepads[i])) == 0)
            return true;
    return !is_gamepad && kind != device_kind_named("keyboard") && meaning.page == PAGE_DESKTOP;
}
