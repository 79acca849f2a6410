/* What a host makes of keys: its keyboard layout, which the adapter cannot know. */
#ifndef YONDER_COMPILER_NAMES_LAYOUTS_H
#define YONDER_COMPILER_NAMES_LAYOUTS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

/* A key that gives a character, and the key that is held with it; NULL: none. */
typedef struct yt_layout_key {
    const char *key;
    const char *with;
} yt_layout_key;

/* Finds the key of a character (its number in Unicode) in a layout by its name. False: no key gives
 * it by itself. */
bool layout_find(const char *layout, uint32_t character, yt_layout_key *key);

bool layout_is_known(const char *layout);

/* "us, uk, de". */
const char *layout_list(void);

/* The next character of a text in UTF-8, and how many bytes it has; 0: the text has ended, or is no
 * UTF-8. */
size_t next_character(const char *text, uint32_t *character);

#endif
