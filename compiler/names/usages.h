/* The HID Usage Tables by name and by number: compiler/names/usages/usages.txt, made into a table.
 */
#ifndef YONDER_COMPILER_NAMES_USAGES_H
#define YONDER_COMPILER_NAMES_USAGES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* Whether the `length` bytes at `text` are a name. */
static inline bool is_name(const char *name, const char *text, size_t length) {
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

enum {
    PAGE_DESKTOP = 0x01,
    PAGE_SIMULATION = 0x02,
    PAGE_KEYBOARD = 0x07,
    PAGE_LIGHT = 0x08,
    PAGE_BUTTON = 0x09,
    PAGE_CONSUMER = 0x0c
};

#define USAGE_NAME_BYTES 80

/* "keyboard", "button"…; NULL for a page without a name. */
const char *usage_page_name(uint16_t page);

/* The number of a page by its name; false where there is none of that name. */
bool usage_page_named(const char *name, size_t length, uint16_t *page);

/* Writes a usage's name into `text`, of USAGE_NAME_BYTES. A usage that the tables have no name for
 * is named by its numbers, as in "consumer_0x012f" or "page_0xff00_0x0001". False if so. */
bool usage_name(uint16_t page, uint16_t usage, char *text);

/* What the usage tables call it, in their own words; "" where they do not know it. */
const char *usage_text(uint16_t page, uint16_t usage);

/* Finds a usage of a page by name. */
bool usage_named(uint16_t page, const char *name, size_t length, uint16_t *usage);

/* Finds a usage that is named by its numbers, as usage_name writes it. */
bool usage_numbered(const char *name, size_t length, uint16_t *page, uint16_t *usage);

/* The names of a page, for suggestions: the name of entry `index`, NULL behind the last. Buttons
 * have none. */
const char *usage_entry_name(uint16_t page, size_t index);

#endif
