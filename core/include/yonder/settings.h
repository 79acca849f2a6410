/* Settings: what belongs to the box, whichever profile runs.
 *
 * They are a record of bytes that the store keeps as a whole (yt_store_settings, yt_store_set), up
 * to YT_SETTINGS_BYTES of them; here it is read and changed in the caller's memory. What was not
 * set counts as usual. What a newer firmware has set that is not known here is kept.
 *
 *     static yt_store store; // opened
 *     uint8_t settings[YT_SETTINGS_BYTES];
 *     yt_settings_clear(settings, &size);                                        // all as usual
 *     status = yt_settings_set(settings, &size, sizeof settings, YT_SETTING_POLL, 0, 4);
 *     status = yt_store_set(&store, settings, size); // keep them
 *
 * yonder/adapter.h obeys them: most firmwares need nothing else of this.
 *
 * Layout (docs/flash-format.md): a head of four bytes, then each setting that was set, in any
 * order. */
#ifndef YONDER_SETTINGS_H
#define YONDER_SETTINGS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_SETTINGS_VERSION 1
#define YT_SETTINGS_BYTES   1280u /* room for all of them */
#define YT_SETTINGS_TEXT    32u   /* bytes of a text at most */

/* See yonder/settings.def. */
typedef enum yt_setting {
#define YT_SETTING(NAME, name, many, least, most, usual, meaning) YT_SETTING_##NAME,
#include "yonder/settings.def"
    YT_SETTING_COUNT
} yt_setting;

/* Of YT_SETTING_LOCK. */
typedef enum yt_lock { YT_LOCK_OPEN, YT_LOCK_PRESS, YT_LOCK_NOBODY } yt_lock;

/* What is known of a setting. */
typedef struct yt_setting_facts {
    const char *name;
    uint32_t least, most, usual;
    uint8_t many;
} yt_setting_facts;

/* NULL: there is no such setting. */
const yt_setting_facts *yt_setting_of(unsigned setting);

/* All is as usual: factory reset. `settings` has four bytes at least. */
void yt_settings_clear(uint8_t *settings, size_t *size);

/* Whether a record can be read: it may come from anywhere. YT_SETTINGS_FOREIGN: it is none, or it
 * is broken. YT_SETTINGS_NEWER: of a version that is not known here; it is to be kept as it is. */
YT_MUST_USE yt_status yt_settings_check(const uint8_t *settings, size_t size);

/* The number of a setting; what is usual where it was not set, is out of range or cannot be read, 0
 * where there is none of that index. */
uint32_t yt_settings_number(const uint8_t *settings, size_t size, yt_setting setting,
                            unsigned index);

/* The text of a setting, with a 0 behind it; "" where it was not set. */
void yt_settings_text(const uint8_t *settings, size_t size, yt_setting setting,
                      char text[YT_SETTINGS_TEXT + 1]);

/* Sets a number; what is usual takes no room. YT_ARGUMENT: there is no such setting or index, or it
 * is out of range. YT_ROOM: the record would be longer than `capacity`. Any status but YT_OK leaves
 * all as it was. */
YT_MUST_USE yt_status yt_settings_set(uint8_t *settings, size_t *size, size_t capacity,
                                      yt_setting setting, unsigned index, uint32_t number);

/* The same for a text. */
YT_MUST_USE yt_status yt_settings_set_text(uint8_t *settings, size_t *size, size_t capacity,
                                           yt_setting setting, const char *text);

/* What is seen of the adapter when it is plugged in. */
typedef struct yt_plugged_in {
    const uint32_t *held; /* controls that are held: usage page times 65,536, and usage */
    unsigned held_count;
    int position; /* of the slot switch, from 0 on; below 0: there is none */
} yt_plugged_in;

/* The slot to start with, from 0 on: that of a control that is held, else that of the switch's
 * position, else the one that is set, else the one that was active last. */
unsigned yt_settings_start(const uint8_t *settings, size_t size, const yt_plugged_in *plugged_in,
                           unsigned active);

#ifdef __cplusplus
}
#endif

#endif
