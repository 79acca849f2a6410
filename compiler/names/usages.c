#include "compiler/names/usages.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct yt_usage_entry {
    uint16_t usage;
    const char *name;
    const char *text;
} yt_usage_entry;

typedef struct yt_usage_page {
    uint16_t number;
    const char *name;
    unsigned first;
    unsigned count;
} yt_usage_page;

#include "usages_table.h"

#define PAGES (sizeof pages / sizeof pages[0])

static const yt_usage_page *find_page(uint16_t number) {
    for (size_t i = 0; i < PAGES; i++)
        if (pages[i].number == number)
            return &pages[i];
    return NULL;
}

const char *usage_page_name(uint16_t page) {
    const yt_usage_page *found = find_page(page);
    return page == PAGE_BUTTON ? "button" : found ? found->name : NULL;
}

bool usage_page_named(const char *name, size_t length, uint16_t *page) {
    *page = PAGE_BUTTON;
    if (is_name("button", name, length))
        return true;
    for (size_t i = 0; i < PAGES; i++)
        if (is_name(pages[i].name, name, length)) {
            *page = pages[i].number;
            return true;
        }
    return false;
}

static const yt_usage_entry *find_entry(uint16_t page, uint16_t usage) {
    const yt_usage_page *found = find_page(page);
    for (unsigned i = 0; found && i < found->count; i++)
        if (usages[found->first + i].usage == usage)
            return &usages[found->first + i];
    return NULL;
}

const char *usage_text(uint16_t page, uint16_t usage) {
    const yt_usage_entry *entry = find_entry(page, usage);
    return entry ? entry->text : "";
}

bool usage_name(uint16_t page, uint16_t usage, char *text) {
    const yt_usage_entry *entry = find_entry(page, usage);
    const char *name = entry ? entry->name : NULL, *of = usage_page_name(page);
    bool is_button = page == PAGE_BUTTON && usage > 0;
    if (is_button)
        snprintf(text, USAGE_NAME_BYTES, "button%u", usage);
    else if (name)
        snprintf(text, USAGE_NAME_BYTES, "%s", name);
    else if (of)
        snprintf(text, USAGE_NAME_BYTES, "%s_0x%04x", of, usage);
    else
        snprintf(text, USAGE_NAME_BYTES, "page_0x%04x_0x%04x", page, usage);
    return is_button || name;
}

/* A whole number behind a prefix, without signs, spaces or leading zeros. */
static bool number_behind(const char *name, size_t length, const char *prefix, uint16_t *number) {
    size_t skip = strlen(prefix);
    unsigned long value = 0;
    if (length <= skip || length > skip + 5 || memcmp(name, prefix, skip) != 0 || name[skip] == '0')
        return false;
    for (size_t i = skip; i < length; i++) {
        if (name[i] < '0' || name[i] > '9')
            return false;
        value = 10 * value + (unsigned long)(name[i] - '0');
    }
    *number = (uint16_t)value;
    return value <= UINT16_MAX;
}

bool usage_named(uint16_t page, const char *name, size_t length, uint16_t *usage) {
    const yt_usage_page *found = find_page(page);
    if (page == PAGE_BUTTON)
        return number_behind(name, length, "button", usage);
    for (unsigned i = 0; found && i < found->count; i++)
        if (is_name(usages[found->first + i].name, name, length)) {
            *usage = usages[found->first + i].usage;
            return true;
        }
    return false;
}

/* Four hexadecimal digits behind "0x". */
static bool hexadecimal(const char *text, uint16_t *number) {
    char digits[5] = "";
    if (text[0] != '0' || text[1] != 'x' || strspn(text + 2, "0123456789abcdef") < 4)
        return false;
    memcpy(digits, text + 2, 4);
    *number = (uint16_t)strtoul(digits, NULL, 16);
    return true;
}

bool usage_numbered(const char *name, size_t length, uint16_t *page, uint16_t *usage) {
    char text[USAGE_NAME_BYTES];
    if (length < 8 || length >= sizeof text)
        return false;
    memcpy(text, name, length);
    text[length] = 0;
    char *number = text + length - 6, *of = text;
    if (number[-1] != '_' || !hexadecimal(number, usage))
        return false;
    if (length == 18 && memcmp(of, "page_", 5) == 0)
        return hexadecimal(of + 5, page);
    return usage_page_named(of, length - 7, page);
}

const char *usage_entry_name(uint16_t page, size_t index) {
    const yt_usage_page *found = find_page(page);
    return found && index < found->count ? usages[found->first + index].name : NULL;
}
