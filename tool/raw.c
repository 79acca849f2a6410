/* A report descriptor item by item (HID 1.11, 6.2.2). */
#include <inttypes.h>
#include <string.h>

#include "compiler/messages/status_text.h"
#include "tool/source.h"

enum { MAIN, GLOBAL, LOCAL };
enum { COLLECTION = 10, END_COLLECTION = 12 };

static const char *item_name(unsigned type, unsigned tag) {
    static const char *const names[3][16] = {
        {[8] = "Input",
         [9] = "Output",
         [10] = "Collection",
         [11] = "Feature",
         [12] = "End Collection"},
        {"Usage Page", "Logical Minimum", "Logical Maximum", "Physical Minimum", "Physical Maximum",
         "Unit Exponent", "Unit", "Report Size", "Report ID", "Report Count", "Push", "Pop"},
        {"Usage", "Usage Minimum", "Usage Maximum", "Designator Index", "Designator Minimum",
         "Designator Maximum", NULL, "String Index", "String Minimum", "String Maximum",
         "Delimiter"}};
    return type < 3 && names[type][tag] ? names[type][tag] : "reserved";
}

static void print_main_flags(FILE *file, uint32_t data) {
    static const char *const flags[9][2] = {
        {"data", "constant"}, {"array", "variable"}, {"absolute", "relative"},
        {NULL, "wraps"},      {NULL, "not linear"},  {NULL, "no preferred state"},
        {NULL, "null state"}, {NULL, "volatile"},    {NULL, "buffered bytes"}};
    const char *between = " (";
    for (unsigned i = 0; i < 9; i++) {
        const char *flag = flags[i][data >> i & 1];
        if (!flag)
            continue;
        fprintf(file, "%s%s", between, flag);
        between = ", ";
    }
    fputc(')', file);
}

static void print_collection(FILE *file, uint32_t data) {
    static const char *const kinds[] = {"physical",    "application",  "logical",       "report",
                                        "named array", "usage switch", "usage modifier"};
    if (data < 7)
        fprintf(file, " (%s)", kinds[data]);
    else
        fprintf(file, " (0x%02" PRIx32 ")", data);
}

/* What a global or local item says; minima and maxima are signed. */
static void print_value(FILE *file, unsigned type, unsigned tag, uint32_t data, unsigned bytes,
                        uint16_t page) {
    char name[USAGE_NAME_BYTES];
    if (type == GLOBAL && tag == 0) {
        fprintf(file, " (%s)",
                usage_page_name((uint16_t)data) ? usage_page_name((uint16_t)data)
                                                : "a maker's own, or unknown");
    } else if (type == LOCAL && tag <= 2) {
        usage_name(bytes == 4 ? (uint16_t)(data >> 16) : page, (uint16_t)data, name);
        fprintf(file, " (%s)", name);
    } else if (type == GLOBAL && tag >= 1 && tag <= 5) {
        fprintf(file, " (%" PRId64 ")", yt_hid_number(data, 8 * bytes, true));
    } else {
        fprintf(file, " (%" PRIu32 ")", data);
    }
}

typedef struct cursor {
    const uint8_t *bytes;
    size_t size;
    size_t at;
    int depth;
    uint16_t page;
} cursor;

/* Prints one item; false where it runs past the end. */
static bool print_item(FILE *file, cursor *cursor) {
    static const uint8_t sizes[4] = {0, 1, 2, 4};
    size_t at = cursor->at;
    uint8_t prefix = cursor->bytes[at];
    unsigned type = prefix >> 2 & 3, tag = prefix >> 4, bytes = sizes[prefix & 3];
    bool is_long = prefix == 0xfe && at + 2 < cursor->size;
    size_t length = is_long ? 3u + cursor->bytes[at + 1] : 1u + bytes;
    uint32_t data = 0;
    char shown[20] = "";
    if (length > cursor->size - at)
        return false;
    for (size_t i = 0; i < length && i < 5; i++)
        sprintf(shown + 3 * i, "%02x ", cursor->bytes[at + i]);
    for (unsigned i = 0; i < bytes && !is_long; i++)
        data |= (uint32_t)cursor->bytes[at + 1 + i] << (8 * i);
    if (type == MAIN && tag == END_COLLECTION && cursor->depth > 0)
        cursor->depth--;
    fprintf(file, "  %5zu  %-15s  %*s%s", at, shown, 2 * cursor->depth, "",
            is_long ? "long item" : item_name(type, tag));
    if (type == MAIN && (tag == 8 || tag == 9 || tag == 11))
        print_main_flags(file, data);
    else if (type == MAIN && tag == COLLECTION)
        print_collection(file, data);
    else if (bytes > 0 && !is_long)
        print_value(file, type, tag, data, bytes, cursor->page);
    fputc('\n', file);
    if (type == MAIN && tag == COLLECTION)
        cursor->depth += cursor->depth < 40;
    if (type == GLOBAL && tag == 0)
        cursor->page = (uint16_t)data;
    cursor->at += length;
    return true;
}

void print_raw(FILE *file, const recorded_device *device) {
    cursor cursor = {.bytes = device->descriptor, .size = device->descriptor_size};
    fprintf(file, "%s: a report descriptor of %zu bytes\n", device->name, cursor.size);
    while (cursor.at < cursor.size)
        if (!print_item(file, &cursor)) {
            fprintf(file, "  %5zu  an item runs past the end\n", cursor.at);
            return;
        }
}
