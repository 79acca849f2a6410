/* A record is "YS", the version and a 0, and then items: which setting, its index, how many bytes,
 * and those: of a number the lowest first. */
#include "yonder/settings.h"

#include <string.h>

#define HEAD 4u
#define ITEM 3u /* bytes in front of those of an item */

static const yt_setting_facts all[YT_SETTING_COUNT] = {
#define YT_SETTING(NAME, name, many, least, most, usual, meaning) {#name, least, most, usual, many},
#include "yonder/settings.def"
};

const yt_setting_facts *yt_setting_of(unsigned setting) {
    return setting < YT_SETTING_COUNT ? &all[setting] : NULL;
}

void yt_settings_clear(uint8_t *settings, size_t *size) {
    static const uint8_t head[HEAD] = {'Y', 'S', YT_SETTINGS_VERSION, 0};
    memcpy(settings, head, HEAD);
    *size = HEAD;
}

/* Where an item ends; 0: it is cut short. */
static size_t end_of(const uint8_t *settings, size_t size, size_t at) {
    return size - at >= ITEM && size - at - ITEM >= settings[at + 2] ? at + ITEM + settings[at + 2]
                                                                     : 0;
}

yt_status yt_settings_check(const uint8_t *settings, size_t size) {
    if (size < HEAD || size > YT_SETTINGS_BYTES || settings[0] != 'Y' || settings[1] != 'S')
        return YT_SETTINGS_FOREIGN;
    if (settings[2] > YT_SETTINGS_VERSION)
        return YT_SETTINGS_NEWER;
    if (settings[2] == 0 || settings[3] != 0)
        return YT_SETTINGS_FOREIGN;
    for (size_t at = HEAD; at < size;) {
        at = end_of(settings, size, at);
        if (at == 0)
            return YT_SETTINGS_FOREIGN;
    }
    return YT_OK;
}

/* Where the item of a setting stands; 0: it was not set. */
static size_t find(const uint8_t *settings, size_t size, unsigned setting, unsigned index) {
    if (yt_settings_check(settings, size) != YT_OK)
        return 0;
    for (size_t at = HEAD; at < size; at = end_of(settings, size, at))
        if (settings[at] == setting && settings[at + 1] == index)
            return at;
    return 0;
}

uint32_t yt_settings_number(const uint8_t *settings, size_t size, yt_setting setting,
                            unsigned index) {
    const yt_setting_facts *facts = yt_setting_of(setting);
    uint32_t number = 0;
    if (!facts || index >= facts->many)
        return 0;
    size_t at = find(settings, size, setting, index);
    if (at == 0 || settings[at + 2] > sizeof number)
        return facts->usual;
    for (unsigned i = settings[at + 2]; i-- > 0;)
        number = number << 8 | settings[at + ITEM + i];
    return number >= facts->least && number <= facts->most ? number : facts->usual;
}

void yt_settings_text(const uint8_t *settings, size_t size, yt_setting setting,
                      char text[YT_SETTINGS_TEXT + 1]) {
    size_t at = find(settings, size, setting, 0);
    size_t length = at > 0 && settings[at + 2] <= YT_SETTINGS_TEXT ? settings[at + 2] : 0;
    memset(text, 0, YT_SETTINGS_TEXT + 1);
    if (length > 0)
        memcpy(text, settings + at + ITEM, length);
}

/* Bytes of all items of a setting: a record from elsewhere may have it several times. */
static size_t bytes_of(const uint8_t *settings, size_t size, unsigned setting, unsigned index) {
    size_t bytes = 0;
    for (size_t at = HEAD; at < size; at = end_of(settings, size, at))
        if (settings[at] == setting && settings[at + 1] == index)
            bytes += ITEM + settings[at + 2];
    return bytes;
}

/* Puts an item in place of what was set. One of no bytes is as usual, and takes no room. */
static yt_status put(uint8_t *settings, size_t *size, size_t capacity, const uint8_t *item) {
    yt_status status = yt_settings_check(settings, *size);
    if (status != YT_OK)
        return status;
    size_t count = item[2] > 0 ? ITEM + item[2] : 0;
    size_t most = capacity < YT_SETTINGS_BYTES ? capacity : YT_SETTINGS_BYTES;
    if (count > 0 && *size - bytes_of(settings, *size, item[0], item[1]) + count > most)
        return YT_ROOM;
    for (size_t at; (at = find(settings, *size, item[0], item[1])) > 0;) {
        size_t before = ITEM + settings[at + 2];
        memmove(settings + at, settings + at + before, *size - at - before);
        *size -= before;
    }
    memcpy(settings + *size, item, count);
    *size += count;
    return YT_OK;
}

static bool is_text(const yt_setting_facts *facts) {
    return facts->most == 0;
}

yt_status yt_settings_set(uint8_t *settings, size_t *size, size_t capacity, yt_setting setting,
                          unsigned index, uint32_t number) {
    const yt_setting_facts *facts = yt_setting_of(setting);
    uint8_t item[ITEM + 4] = {(uint8_t)setting, (uint8_t)index, 0};
    if (!facts || is_text(facts) || index >= facts->many || number < facts->least ||
        number > facts->most)
        return YT_ARGUMENT;
    if (number == facts->usual)
        return put(settings, size, capacity, item);
    do
        item[ITEM + item[2]++] = (uint8_t)number;
    while ((number >>= 8) > 0);
    return put(settings, size, capacity, item);
}

yt_status yt_settings_set_text(uint8_t *settings, size_t *size, size_t capacity, yt_setting setting,
                               const char *text) {
    const yt_setting_facts *facts = yt_setting_of(setting);
    uint8_t item[ITEM + YT_SETTINGS_TEXT] = {(uint8_t)setting, 0, 0};
    if (!facts || !is_text(facts))
        return YT_ARGUMENT;
    for (; text[item[2]]; item[2]++) {
        if (item[2] == YT_SETTINGS_TEXT)
            return YT_ARGUMENT;
        item[ITEM + item[2]] = (uint8_t)text[item[2]];
    }
    return put(settings, size, capacity, item);
}

/* ---- the slot to start with ---- */

static bool is_held(const yt_plugged_in *plugged_in, uint32_t control) {
    for (unsigned i = 0; i < plugged_in->held_count; i++)
        if (plugged_in->held[i] == control)
            return true;
    return false;
}

unsigned yt_settings_start(const uint8_t *settings, size_t size, const yt_plugged_in *plugged_in,
                           unsigned active) {
    uint32_t slot = 0;
    for (unsigned i = 0; i < all[YT_SETTING_HELD_SLOT].many && slot == 0; i++) {
        uint32_t control = yt_settings_number(settings, size, YT_SETTING_HELD_CONTROL, i);
        if (control > 0 && is_held(plugged_in, control))
            slot = yt_settings_number(settings, size, YT_SETTING_HELD_SLOT, i);
    }
    if (slot == 0 && plugged_in->position >= 0)
        slot = yt_settings_number(settings, size, YT_SETTING_SWITCH_SLOT,
                                  (unsigned)plugged_in->position);
    if (slot == 0)
        slot = yt_settings_number(settings, size, YT_SETTING_START, 0);
    return slot > 0 ? slot - 1 : active;
}
