#include "compiler/reading/fills.h"

#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static const char *const fill_keys[] = {"constant",   "counter", "checksum",  "bit",       "bits",
                                        "report",     "over",    "before",    "start",     "final",
                                        "polynomial", "negated", "reflected", "big_endian"};

/* The checksums that have names: the usual form of each, which its keys change. */
static const struct {
    const char *name;
    uint8_t kind, bits, flags;
    uint32_t polynomial, start, final;
} checksums[] = {{"sum", YT_FILL_SUM, 8, 0, 0, 0, 0},
                 {"xor", YT_FILL_XOR, 8, 0, 0, 0, 0},
                 {"crc8", YT_FILL_CRC, 8, 0, 0x07, 0, 0},
                 {"crc16", YT_FILL_CRC, 16, 0, 0x1021, 0xffff, 0},
                 {"crc32", YT_FILL_CRC, 32, YT_FILL_REFLECTED, 0x04c11db7, UINT32_MAX, UINT32_MAX}};

bool is_fill(const yt_part *map) {
    return map->kind == PART_MAP && (find_value(map, "constant") || find_value(map, "counter") ||
                                     find_value(map, "checksum"));
}

static uint32_t mask_of(unsigned bits) {
    return UINT32_MAX >> (32 - bits);
}

static uint32_t reflected(uint32_t number, unsigned bits) {
    uint32_t other = 0;
    for (unsigned i = 0; i < bits; i++)
        other |= (number >> i & 1) << (bits - 1 - i);
    return other;
}

/* A number of so many bits, where the key is there. */
static bool read_number(yt_messages *messages, const yt_part *map, const char *key, unsigned bits,
                        uint32_t *number) {
    const yt_part *value = find_value(map, key);
    int64_t whole = *number;
    if (value && !read_whole(messages, value, 0, mask_of(bits), &whole))
        return false;
    *number = (uint32_t)whole;
    return true;
}

static bool read_bit_flag(yt_messages *messages, const yt_part *map, const char *key, unsigned flag,
                          uint8_t *flags) {
    const yt_part *value = find_value(map, key);
    bool is_on = *flags & flag;
    if (value && !read_flag(messages, value, &is_on))
        return false;
    *flags = (uint8_t)(is_on ? *flags | flag : *flags & ~flag);
    return true;
}

/* over: [FIRST, LAST], bytes behind the report ID; else all in front of the checksum. */
static bool read_over(yt_messages *messages, const yt_part *map, yt_program_fill *fill) {
    const yt_part *list = find_value(map, "over");
    const yt_part *low = list && list->kind == PART_LIST ? list->first : NULL;
    int64_t first = 0, last = fill->at.bit / 8 - 1;
    if (list && (!low || !low->next || low->next->next)) {
        messages_add(messages, list->place,
                     "over: is the first and the last byte behind the report ID, as in [0, 5]");
        return false;
    }
    if (low && (!read_whole(messages, low, 0, YT_REPORT_BYTES - 1, &first) ||
                !read_whole(messages, low->next, first, YT_REPORT_BYTES - 1, &last)))
        return false;
    if (!list && last < 0) {
        messages_add(messages, map->place,
                     "nothing stands in front of this checksum; say which bytes it is over, as in "
                     "over: [1, 5]");
        return false;
    }
    fill->first = (uint8_t)first;
    fill->end = (uint8_t)(last + 1);
    return true;
}

/* before: [0xa2, 0x11]: bytes that a checksum takes in first, such as the report ID. */
static bool read_before(yt_messages *messages, const yt_part *map, yt_program_fill *fill) {
    const yt_part *list = find_value(map, "before");
    if (!list)
        return true;
    if (!check_kind(messages, list, PART_LIST,
                    "before: is a list of up to 4 bytes, as in [0xa2, 0x11]"))
        return false;
    for (const yt_part *part = list->first; part; part = part->next) {
        int64_t byte;
        if (fill->before_count == YT_FILL_BEFORE) {
            messages_add(messages, part->place, "before: is a list of up to %d bytes",
                         YT_FILL_BEFORE);
            return false;
        }
        if (!read_whole(messages, part, 0, 255, &byte))
            return false;
        fill->before[fill->before_count++] = (uint8_t)byte;
    }
    return true;
}

static bool read_checksum(yt_messages *messages, const yt_part *map, yt_program_fill *fill) {
    static const char *names[COUNT(checksums)];
    const yt_part *bits = find_value(map, "bits");
    unsigned which = 0;
    int64_t size;
    for (unsigned i = 0; i < COUNT(checksums); i++)
        names[i] = checksums[i].name;
    if (!read_word(messages, find_value(map, "checksum"), names, COUNT(checksums), &which))
        return false;
    size = checksums[which].bits;
    bool is_crc = checksums[which].kind == YT_FILL_CRC;
    if (bits && !read_whole(messages, bits, 1, 32, &size))
        return false;
    if (size != checksums[which].bits && (is_crc || (size != 16 && size != 32))) {
        messages_add(messages, bits->place,
                     is_crc ? "a %s has %u bits" : "a %s has 8, 16 or 32 bits", names[which],
                     checksums[which].bits);
        return false;
    }
    if (fill->at.bit % 8) {
        messages_add(messages, map->place, "a checksum begins with a whole byte");
        return false;
    }
    fill->kind = checksums[which].kind;
    fill->at.bits = (uint8_t)size;
    fill->flags = checksums[which].flags;
    fill->number = checksums[which].start;
    fill->final = checksums[which].final;
    uint32_t polynomial = checksums[which].polynomial;
    bool good = read_over(messages, map, fill) && read_before(messages, map, fill) &&
                read_number(messages, map, "start", fill->at.bits, &fill->number) &&
                read_number(messages, map, "final", fill->at.bits, &fill->final) &&
                read_number(messages, map, "polynomial", fill->at.bits, &polynomial) &&
                read_bit_flag(messages, map, "negated", YT_FILL_NEGATED, &fill->flags) &&
                read_bit_flag(messages, map, "reflected", YT_FILL_REFLECTED, &fill->flags) &&
                read_bit_flag(messages, map, "big_endian", YT_FILL_BIG_ENDIAN, &fill->flags);
    if (fill->flags & YT_FILL_REFLECTED) {
        polynomial = reflected(polynomial, fill->at.bits);
        fill->number = reflected(fill->number, fill->at.bits);
    }
    fill->polynomial = is_crc ? polynomial : 0;
    return good;
}

/* Keys that a kind of fill has no use for are refused. */
static bool check_fill_keys(yt_messages *messages, const yt_part *map, unsigned has,
                            const char *kind, bool is_crc) {
    static const char *const of_checksum[] = {"over", "before", "start", "final", "big_endian"};
    for (const yt_part *key = map->first; key; key = key->next->next) {
        const char *name = key->text;
        bool is_sum = strcmp(kind, "checksum") == 0;
        bool is_good =
            strcmp(name, kind) == 0 || strcmp(name, "bits") == 0 ||
            (strcmp(name, "bit") == 0 && (has & FILL_HAS_BIT)) ||
            (strcmp(name, "report") == 0 && (has & FILL_HAS_REPORT)) ||
            (is_sum && is_among(name, of_checksum, COUNT(of_checksum))) ||
            (is_sum && is_crc && (strcmp(name, "polynomial") == 0 || !strcmp(name, "reflected"))) ||
            (is_sum && !is_crc && strcmp(name, "negated") == 0);
        if (is_good)
            continue;
        if (is_among(name, fill_keys, COUNT(fill_keys)))
            messages_add(messages, key->place, "\"%s\" says nothing of a %s here", name, kind);
        else
            unknown_key(messages, key, fill_keys, COUNT(fill_keys));
        return false;
    }
    return true;
}

bool read_fill(yt_messages *messages, const yt_part *map, unsigned has, unsigned bit,
               yt_read_fill *fill) {
    const yt_part *constant, *counter, *checksum, *value;
    int64_t number = 0, bits = 8, at = bit, report = 0;
    *fill = (yt_read_fill){.map = map};
    if (!check_kind(messages, map, PART_MAP,
                    "what fills a field is a map, as in {bit: 0, bits: 8, constant: 0x5a}"))
        return false;
    constant = find_value(map, "constant");
    counter = find_value(map, "counter");
    checksum = find_value(map, "checksum");
    if (!constant && !counter && !checksum) {
        messages_add(messages, map->place,
                     "say what fills the field: constant: NUMBER, counter: FIRST NUMBER, or "
                     "checksum: crc32");
        return false;
    }
    const char *kind = checksum ? "checksum" : counter ? "counter" : "constant";
    bool is_crc = checksum && checksum->kind == PART_TEXT && strncmp(checksum->text, "crc", 3) == 0;
    if (!check_fill_keys(messages, map, has, kind, is_crc))
        return false;
    value = find_value(map, "bit");
    if ((has & FILL_HAS_BIT) && !value) {
        messages_add(messages, map->place,
                     "say where the field stands, counted in bits behind the report ID, as in "
                     "bit: 8");
        return false;
    }
    if (value && !read_whole(messages, value, 0, 8 * YT_REPORT_BYTES - 1, &at))
        return false;
    if ((value = find_value(map, "report")) && !read_whole(messages, value, 1, 255, &report))
        return false;
    fill->report_id = (unsigned)report;
    fill->fill.at.bit = (uint16_t)at;
    if (checksum) {
        if (!read_checksum(messages, map, &fill->fill))
            return false;
    } else {
        if ((value = find_value(map, "bits")) && !read_whole(messages, value, 1, 32, &bits))
            return false;
        if (!read_whole(messages, constant ? constant : counter, 0, mask_of((unsigned)bits),
                        &number))
            return false;
        fill->fill.kind = constant ? YT_FILL_CONSTANT : YT_FILL_COUNTER;
        fill->fill.at.bits = (uint8_t)bits;
        fill->fill.number = (uint32_t)number;
    }
    if (fill->fill.at.bit + fill->fill.at.bits > 8 * YT_REPORT_BYTES) {
        messages_add(messages, map->place, "a report has at most %d bytes", YT_REPORT_BYTES);
        return false;
    }
    return true;
}

static bool share_bits(const yt_read_fill *a, const yt_read_fill *b) {
    return a->report_id == b->report_id &&
           a->fill.at.bit < b->fill.at.bit + (unsigned)b->fill.at.bits &&
           b->fill.at.bit < a->fill.at.bit + (unsigned)a->fill.at.bits;
}

bool read_fills(yt_pool *pool, yt_messages *messages, const yt_part *list, unsigned has,
                yt_read_fill **fills, unsigned *count) {
    *fills = pool_take(pool, FILLS_MOST * sizeof **fills);
    *count = 0;
    if (!check_kind(messages, list, PART_LIST,
                    "fills: is a list, as in [{bit: 0, bits: 8, constant: 0x5a}]"))
        return false;
    for (const yt_part *map = list->first; map; map = map->next) {
        if (*count == FILLS_MOST) {
            messages_add(messages, map->place, "at most %d fields can fill themselves here",
                         FILLS_MOST);
            return false;
        }
        if (!read_fill(messages, map, has, 0, &(*fills)[*count]))
            return false;
        for (unsigned i = 0; i < *count; i++)
            if (share_bits(&(*fills)[i], &(*fills)[*count])) {
                messages_add(messages, map->place, "this stands where line %d fills the report",
                             (*fills)[i].map->place.line);
                return false;
            }
        ++*count;
    }
    return true;
}

static bool read_send(yt_pool *pool, yt_messages *messages, const yt_part *map,
                      yt_read_send *send) {
    static const char *const keys[] = {"report", "type", "on_arrival", "every", "fills"};
    static const char *const types[] = {"output", "feature"};
    const yt_part *value;
    int64_t report = 0, every_us = 0;
    unsigned type = 0;
    bool on_arrival = false;
    *send = (yt_read_send){.map = map};
    if (!check_kind(messages, map, PART_MAP,
                    "what is sent is a map, as in {report: 5, on_arrival: true, fills: […]}"))
        return false;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!is_among(key->text, keys, COUNT(keys))) {
            unknown_key(messages, key, keys, COUNT(keys));
            return false;
        }
    if (((value = find_value(map, "report")) && !read_whole(messages, value, 1, 255, &report)) ||
        ((value = find_value(map, "type")) && !read_word(messages, value, types, 2, &type)) ||
        ((value = find_value(map, "on_arrival")) && !read_flag(messages, value, &on_arrival)) ||
        ((value = find_value(map, "every")) &&
         !read_amount(pool, messages, value, YT_UNIT_TIME, &every_us)))
        return false;
    if (find_value(map, "every") && (every_us < 1000 || every_us > YT_FILLED_MOST_US)) {
        messages_add(messages, find_value(map, "every")->place,
                     "a device can be sent a report every 1 ms to 1000 s");
        return false;
    }
    if (!(value = find_value(map, "fills"))) {
        messages_add(messages, map->place,
                     "say what is in the report, as in fills: [{bit: 0, bits: 8, constant: 0x5a}]");
        return false;
    }
    send->filled = (yt_program_filled){.report = YT_NO_REPORT,
                                       .direction = type ? YT_HID_FEATURE : YT_HID_OUTPUT,
                                       .report_id = (uint8_t)report,
                                       .on_arrival = on_arrival,
                                       .every_us = (uint32_t)every_us};
    return read_fills(pool, messages, value, FILL_HAS_BIT, &send->fills, &send->fill_count);
}

bool read_sends(yt_pool *pool, yt_messages *messages, const yt_part *list, yt_read_send **sends,
                unsigned *count) {
    *sends = pool_take(pool, FILLS_MOST * sizeof **sends);
    *count = 0;
    if (!check_kind(messages, list, PART_LIST,
                    "sends: is a list, as in [{report: 5, on_arrival: true, fills: […]}]"))
        return false;
    for (const yt_part *map = list->first; map; map = map->next) {
        if (*count == FILLS_MOST) {
            messages_add(messages, map->place, "a device can be sent at most %d reports",
                         FILLS_MOST);
            return false;
        }
        if (!read_send(pool, messages, map, &(*sends)[*count]))
            return false;
        for (unsigned i = 0; i < *count; i++)
            if ((*sends)[i].filled.report_id == (*sends)[*count].filled.report_id &&
                (*sends)[i].filled.direction == (*sends)[*count].filled.direction) {
                messages_add(messages, map->place, "line %d says what is in this report",
                             (*sends)[i].map->place.line);
                return false;
            }
        ++*count;
    }
    return true;
}
