#include "compiler/reading/describing.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/reading/formula.h"
#include "compiler/reading/include.h"
#include "signal/scale.h"

static const char *const control_keys[] = {
    "usage",    "report", "bit",          "bits",    "signed", "range", "rest",
    "turned",   "type",   "unit",         "travel",  "wraps",  "pin",   "active",
    "debounce", "adc",    "oversampling", "encoder", "steps",  "sensor"};
_Static_assert(sizeof control_keys / sizeof control_keys[0] == KEY_COUNT, "a name for each key");
enum { BOARD_KEYS_FROM = KEY_PIN };

static const char *const type_words[] = {"switch", "level", "axis", "motion", "rate", "hat"};
enum { TYPE_HAT = YT_KIND_COUNT };

static bool read_entry(yt_description_reading *reading, const yt_part *map, yt_entry *entry) {
    size_t count = sizeof control_keys / sizeof control_keys[0];
    size_t known = reading->description->is_board ? count : BOARD_KEYS_FROM;
    memset(entry, 0, sizeof *entry);
    entry->map = map;
    for (const yt_part *key = map->first; key; key = key->next->next) {
        size_t i = 0;
        while (i < known && strcmp(control_keys[i], key->text) != 0)
            i++;
        if (i == known && is_among(key->text, control_keys, count)) {
            messages_add(reading->messages, key->place,
                         "\"%s\" is for what is wired to a board; a board's description begins "
                         "with board: in place of device:",
                         key->text);
            return false;
        }
        if (i == known) {
            unknown_key(reading->messages, key, control_keys, known);
            return false;
        }
        entry->values[i] = key->next;
    }
    return true;
}

bool describe_whole(yt_description_reading *reading, const yt_entry *entry, unsigned key,
                    int64_t low, int64_t high, int64_t *number) {
    return !entry->values[key] ||
           read_whole(reading->messages, entry->values[key], low, high, number);
}

/* A name of the usage tables, or of the kind's own. A hat is named as a whole. */
static bool read_usage(yt_description_reading *reading, const yt_part *part,
                       yt_described_control *control) {
    const yt_device_kind *kind = reading->description->kind;
    yt_control_name *name = &control->meaning.name;
    const char *up = part->kind == PART_TEXT ? pool_print(reading->pool, "%s.up", part->text) : "";
    if (control_named(kind, up, strlen(up), name) && name->part) {
        control->is_hat = true;
        return true;
    }
    if (part->kind == PART_TEXT && control_named(kind, part->text, part->bytes, name))
        return true;
    if (messages_only_count(reading->messages))
        return false;
    const char *names[1024] = {NULL};
    size_t count = control_names(kind, names, 1024);
    const char *near =
        part->kind == PART_TEXT ? nearest_name(part->text, part->bytes, names, count) : NULL;
    messages_add(reading->messages, part->place,
                 near ? "a %s has no usage \"%.40s\"; did you mean \"%s\"?"
                      : "a %s has no usage \"%.40s\"; write PAGE.USAGE, as in consumer.mute",
                 kind->name, part->kind == PART_TEXT ? part->text : "", near);
    return false;
}

bool describe_range(yt_description_reading *reading, const yt_part *list, yt_program_range *range) {
    const yt_part *low = list->kind == PART_LIST ? list->first : NULL;
    const yt_part *high = low ? low->next : NULL;
    int64_t minimum, maximum;
    if (!high || high->next) {
        messages_add(reading->messages, list->place,
                     "a range is two raw numbers, as in [0, 1023]; turned: true turns it round");
        return false;
    }
    if (!read_whole(reading->messages, low, INT32_MIN, INT32_MAX, &minimum) ||
        !read_whole(reading->messages, high, INT32_MIN, INT32_MAX, &maximum))
        return false;
    if (minimum >= maximum) {
        messages_add(reading->messages, list->place,
                     "a range goes from the lower number to the higher one; turned: true turns it "
                     "round");
        return false;
    }
    range->minimum = (int32_t)minimum;
    range->maximum = (int32_t)maximum;
    return true;
}

/* "0.061 deg/s" a count, "0.000122 g" a count. */
static bool read_unit(yt_description_reading *reading, const yt_part *part,
                      yt_control_meaning *meaning) {
    char *end = NULL;
    double amount = part->kind == PART_TEXT ? strtod(part->text, &end) : 0;
    while (end && *end == ' ')
        end++;
    bool is_turn = end && strcmp(end, "deg/s") == 0, is_pull = end && strcmp(end, "g") == 0;
    double q24 = amount * 16777216.0;
    if (!(is_turn || is_pull) || !(q24 >= 1 && q24 <= 2147483647.0)) {
        messages_add(reading->messages, part->place,
                     "a unit says how much one count is, as in 0.061 deg/s or 0.000122 g, less "
                     "than 128 of it");
        return false;
    }
    meaning->unit = is_turn ? "deg/s" : "g";
    meaning->unit_amount = amount;
    meaning->range.unit_q24 = (int32_t)(q24 + 0.5);
    return true;
}

/* "4 mm": how far a key or a pedal goes from one end of its range to the other. */
static bool read_travel(yt_description_reading *reading, const yt_part *part,
                        yt_control_meaning *meaning) {
    char *end = NULL;
    double amount = part->kind == PART_TEXT ? strtod(part->text, &end) : 0;
    while (end && *end == ' ')
        end++;
    if (!end || strcmp(end, "mm") != 0 || !(amount > 0 && amount <= 1000)) {
        messages_add(reading->messages, part->place,
                     "the travel is a length of up to 1000 mm, as in 4 mm");
        return false;
    }
    meaning->unit = "mm";
    meaning->unit_amount = amount;
    return true;
}

bool describe_type(yt_description_reading *reading, const yt_entry *entry,
                   yt_described_control *control) {
    unsigned type = control->meaning.name.kind;
    if (entry->values[KEY_UNIT])
        type = YT_RATE;
    else if (entry->values[KEY_TRAVEL])
        type = YT_LEVEL;
    else if (entry->values[KEY_WRAPS])
        type = YT_MOTION;
    if (entry->values[KEY_TYPE] &&
        !read_word(reading->messages, entry->values[KEY_TYPE], type_words, TYPE_HAT + 1, &type))
        return false;
    control->is_hat |= type == TYPE_HAT;
    control->meaning.name.kind = type == TYPE_HAT ? YT_SWITCH : (uint8_t)type;
    if (entry->values[KEY_WRAPS] && type != YT_MOTION) {
        messages_add(reading->messages, entry->map->place,
                     "only motion wraps: a knob that tells where it is, and goes round");
        return false;
    }
    if ((type == YT_RATE) != (entry->values[KEY_UNIT] != NULL)) {
        messages_add(reading->messages, entry->map->place,
                     "a rate needs its unit, and only a rate has one, as in unit: 0.061 deg/s");
        return false;
    }
    if (entry->values[KEY_UNIT] && !read_unit(reading, entry->values[KEY_UNIT], &control->meaning))
        return false;
    return !entry->values[KEY_TRAVEL] ||
           read_travel(reading, entry->values[KEY_TRAVEL], &control->meaning);
}

/* The whole range of so many bits. */
void range_of_bits(yt_control_meaning *meaning, unsigned bits, bool is_signed) {
    int64_t top = ((int64_t)1 << (is_signed ? bits - 1 : bits)) - 1;
    meaning->range.maximum = (int32_t)(top > INT32_MAX ? INT32_MAX : top);
    meaning->range.minimum = is_signed ? -meaning->range.maximum - 1 : 0;
}

/* The rest that is stated, or that follows from the range. */
bool describe_rest(yt_description_reading *reading, const yt_entry *entry,
                   yt_control_meaning *meaning) {
    yt_program_range *range = &meaning->range;
    int64_t rest = range->minimum;
    if (meaning->name.kind == YT_AXIS)
        rest = yt_scale_rest(range->minimum, range->maximum);
    if (meaning->name.kind == YT_MOTION && range->minimum < 0 && range->maximum > 0)
        rest = 0;
    if (meaning->name.kind == YT_RATE)
        rest = range->minimum < 0 ? 0 : yt_scale_rest(range->minimum, range->maximum);
    if (!describe_whole(reading, entry, KEY_REST, range->minimum, range->maximum, &rest))
        return false;
    range->rest = (int32_t)rest;
    return true;
}

bool describe_flags(yt_description_reading *reading, const yt_entry *entry,
                    yt_control_meaning *meaning) {
    bool is_signed = false, turned = false;
    if ((entry->values[KEY_SIGNED] &&
         !read_flag(reading->messages, entry->values[KEY_SIGNED], &is_signed)) ||
        (entry->values[KEY_TURNED] &&
         !read_flag(reading->messages, entry->values[KEY_TURNED], &turned)))
        return false;
    meaning->place.flags =
        (uint8_t)((is_signed ? YT_PLACE_SIGNED : 0) | (turned ? YT_PLACE_TURNED : 0));
    return true;
}

static bool read_bits(yt_description_reading *reading, const yt_entry *entry,
                      yt_described_control *control) {
    int64_t report = 0, bit = 0, bits = 1;
    yt_program_place *place = &control->meaning.place;
    if (!describe_whole(reading, entry, KEY_REPORT, 0, 255, &report) ||
        !describe_whole(reading, entry, KEY_BIT, 0, YT_HID_REPORT_BITS - 1, &bit) ||
        !describe_whole(reading, entry, KEY_BITS, 1, 32, &bits))
        return false;
    if (entry->values[KEY_BIT]) {
        place->at =
            (yt_place){.bit = (uint16_t)bit, .bits = (uint8_t)bits, .report_id = (uint8_t)report};
        place->flags |= YT_PLACE_HERE | YT_PLACE_RANGE;
    } else if (entry->values[KEY_BITS] || entry->values[KEY_REPORT]) {
        messages_add(reading->messages, entry->map->place,
                     "a place in a report needs the bit where it begins, as in {report: 3, bit: 8, "
                     "bits: 16}");
        return false;
    }
    return true;
}

/* Motion that is told around a middle, or by where a knob is that goes round. */
static bool describe_turning(yt_description_reading *reading, const yt_entry *entry,
                             yt_control_meaning *meaning) {
    const yt_program_range *range = &meaning->range;
    bool wraps = false;
    if (entry->values[KEY_WRAPS] && !read_flag(reading->messages, entry->values[KEY_WRAPS], &wraps))
        return false;
    if (wraps && (entry->values[KEY_REST] || !meaning->has_range)) {
        messages_add(reading->messages, entry->map->place,
                     entry->values[KEY_REST]
                         ? "what wraps has no rest: it tells where it is, not how far it turned"
                         : "what wraps needs the range of its raw numbers, as in range: [0, 127]");
        return false;
    }
    if (meaning->has_range && !wraps && !entry->values[KEY_REST] && range->minimum > 0) {
        messages_add(reading->messages, entry->map->place,
                     "say which raw number means that nothing moves, as in rest: %d; or, where the "
                     "numbers go round, wraps: true",
                     (int)(((int64_t)range->minimum + range->maximum + 1) / 2));
        return false;
    }
    if (wraps)
        meaning->place.flags |= YT_PLACE_WRAPS;
    else if (meaning->has_range && range->rest != 0)
        meaning->place.flags |= YT_PLACE_MIDDLE;
    meaning->name.is_turning = (meaning->place.flags & (YT_PLACE_WRAPS | YT_PLACE_MIDDLE)) != 0;
    return true;
}

/* Place, range and type, of a control that is read or driven by a report. */
static bool read_field(yt_description_reading *reading, const yt_entry *entry,
                       yt_described_control *control) {
    yt_control_meaning *meaning = &control->meaning;
    if (!describe_flags(reading, entry, meaning) || !read_bits(reading, entry, control))
        return false;
    bool here = meaning->place.flags & YT_PLACE_HERE;
    if (here && !entry->values[KEY_USAGE])
        meaning->name.kind = meaning->place.at.bits == 1 ? YT_SWITCH
                             : control->is_target        ? YT_LEVEL
                                                         : YT_AXIS;
    if (!describe_type(reading, entry, control))
        return false;
    if (meaning->name.kind == YT_MOTION)
        meaning->place.flags |= YT_PLACE_MOTION;
    if (here)
        range_of_bits(meaning, meaning->place.at.bits, meaning->place.flags & YT_PLACE_SIGNED);
    if (control->is_hat && here)
        meaning->range.maximum = 7;
    if (entry->values[KEY_RANGE]) {
        meaning->place.flags |= YT_PLACE_RANGE;
        if (!describe_range(reading, entry->values[KEY_RANGE], &meaning->range))
            return false;
    } else if (!here && (entry->values[KEY_REST] || meaning->range.unit_q24)) {
        messages_add(reading->messages, entry->map->place,
                     "this needs the range of raw numbers too, as in range: [-32768, 32767]");
        return false;
    }
    meaning->has_range = meaning->place.flags & YT_PLACE_RANGE;
    if (meaning->has_range && !describe_rest(reading, entry, meaning))
        return false;
    if (meaning->name.kind == YT_MOTION && !describe_turning(reading, entry, meaning))
        return false;
    meaning->has_place = meaning->place.flags != 0;
    return true;
}

static bool read_described(yt_description_reading *reading, const yt_part *key,
                           yt_described_control *control) {
    yt_entry entry = {0};
    const yt_description *description = reading->description;
    const yt_part *value = key->next;
    if (value->kind == PART_TEXT && !description->is_board)
        return read_usage(reading, value, control);
    if (!check_kind(reading->messages, value, PART_MAP,
                    description->is_board
                        ? "a part of a board is described by a map, as in {pin: 4}"
                        : "a control is another name, or a map such as {usage: slider, rest: 0}") ||
        !read_entry(reading, value, &entry))
        return false;
    if (description->is_board)
        return describe_pin(reading, key, &entry, control);
    control->meaning.name.kind = control->is_target ? YT_LEVEL : YT_SWITCH;
    if (entry.values[KEY_USAGE]) {
        if (!read_usage(reading, entry.values[KEY_USAGE], control))
            return false;
    } else if (!entry.values[KEY_BIT] && !entry.values[KEY_REPORT] && !entry.values[KEY_BITS] &&
               !control_named(description->kind, key->text, key->bytes, &control->meaning.name)) {
        messages_add(reading->messages, key->place,
                     "a %s has no control \"%s\" of itself; say which usage it is, or where it "
                     "stands: {report: 1, bit: 8, bits: 16}",
                     description->kind->name, key->text);
        return false;
    }
    return read_field(reading, &entry, control);
}

static void read_controls(yt_description_reading *reading, const yt_part *map, bool are_targets) {
    yt_description *description = reading->description;
    if (!check_kind(reading->messages, map, PART_MAP, "a line for each belongs here"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next) {
        if (description->control_count == DESCRIPTION_CONTROLS) {
            messages_add(reading->messages, key->place, "a description has at most %d controls",
                         DESCRIPTION_CONTROLS);
            return;
        }
        yt_described_control *control = &description->controls[description->control_count];
        *control = (yt_described_control){.name = key->text, .key = key, .is_target = are_targets};
        if (!is_good_name(key->text, key->bytes, true))
            messages_add(reading->messages, key->place,
                         "\"%.40s\" cannot be a control's name; names are a to z, 0 to 9 and _, "
                         "begin with a letter, and may have dots between",
                         key->text);
        else if (read_described(reading, key, control))
            description->control_count++;
    }
}

static void read_reserved(yt_description_reading *reading, const yt_part *map) {
    if (!check_kind(reading->messages, map, PART_MAP,
                    "reserved: holds a line for each pin, as in 13: the status light"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next) {
        int64_t number;
        if (read_whole(reading->messages, key, 0, 255, &number) &&
            check_kind(reading->messages, key->next, PART_TEXT, "say what the pin is kept for"))
            reading->reserved[number] = key->next->text;
    }
}

static bool read_text_value(yt_messages *messages, const yt_part *part, const char **text) {
    if (part->kind == PART_TEXT && part->bytes <= 126) {
        *text = part->text;
        return true;
    }
    messages_add(messages, part->place, "a text of up to 126 bytes belongs here");
    return false;
}

/* A vendor or a product. Lists show them in hexadecimal, so what stands here without 0x is probably
 * a slip. */
static void read_id(yt_messages *messages, const yt_part *value, uint16_t *id) {
    int64_t number = 0;
    if (!read_whole(messages, value, 1, UINT16_MAX, &number))
        return;
    if (strncmp(value->text, "0x", 2) != 0)
        messages_warn(messages, value->place,
                      "%.10s is read as a decimal number, which is 0x%04x; lists show 0x%.10s, if "
                      "that is meant",
                      value->text, (unsigned)number, value->text);
    *id = (uint16_t)number;
}

bool match_read_key(yt_messages *messages, const yt_part *key, yt_program_input *match,
                    const char **device_name, const char **serial) {
    static const char *const buses[] = {"board", "usb", "bluetooth"};
    static const uint8_t bus_numbers[] = {YT_BUS_BOARD, YT_BUS_USB, YT_BUS_BLUETOOTH};
    const yt_part *value = key->next;
    int64_t number = 0;
    unsigned bus;
    if (strcmp(key->text, "bus") == 0) {
        if (read_word(messages, value, buses, 3, &bus))
            match->bus = bus_numbers[bus];
    } else if (strcmp(key->text, "vendor") == 0) {
        read_id(messages, value, &match->vendor);
    } else if (strcmp(key->text, "product") == 0) {
        read_id(messages, value, &match->product);
    } else if (strcmp(key->text, "connector") == 0) {
        if (read_whole(messages, value, 1, 255, &number))
            match->connector = (uint8_t)number;
    } else if (strcmp(key->text, "descriptor") == 0) {
        if (read_whole(messages, value, 0, UINT32_MAX, &number)) {
            match->descriptor = (uint32_t)number;
            match->needs |= YT_NEEDS_DESCRIPTOR;
        }
    } else if (strcmp(key->text, "name") == 0) {
        read_text_value(messages, value, device_name);
    } else if (strcmp(key->text, "serial") == 0) {
        read_text_value(messages, value, serial);
    } else {
        return false;
    }
    return true;
}

static void read_match(yt_description_reading *reading, const yt_part *map) {
    static const char *const keys[] = {"bus",       "vendor", "product",   "name",
                                       "connector", "serial", "descriptor"};
    yt_description *description = reading->description;
    if (!check_kind(reading->messages, map, PART_MAP,
                    "match: says which devices this describes, as in {vendor: 0x1209}"))
        return;
    for (const yt_part *key = map->first; key; key = key->next->next)
        if (!match_read_key(reading->messages, key, &description->match, &description->match_name,
                            &description->match_serial))
            unknown_key(reading->messages, key, keys, sizeof keys / sizeof keys[0]);
}

static void read_kind(yt_description_reading *reading, const yt_part *part) {
    const char *names[16];
    unsigned index = 0;
    for (size_t i = 0; i < device_kind_count; i++)
        names[i] = device_kinds[i].name;
    if (part && read_word(reading->messages, part, names, device_kind_count, &index))
        reading->description->kind = &device_kinds[index];
}

static void read_head(yt_description_reading *reading, const yt_part *top) {
    static const char *const device_keys[] = {"yonder",   "device",   "kind", "match",
                                              "controls", "feedback", "sends"};
    static const char *const board_keys[] = {"yonder", "board", "reserved", "controls", "feedback"};
    yt_description *description = reading->description;
    const yt_part *version = find_value(top, "yonder");
    const yt_part *device = find_value(top, "device"), *board = find_value(top, "board");
    description->is_board = board && !device;
    for (const yt_part *key = top->first; key; key = key->next->next) {
        if (description->is_board && !is_among(key->text, board_keys, 5))
            unknown_key(reading->messages, key, board_keys, 5);
        if (!description->is_board && !is_among(key->text, device_keys, 7))
            unknown_key(reading->messages, key, device_keys, 7);
    }
    if (!version || version->kind != PART_TEXT || strcmp(version->text, "1") != 0)
        messages_add(reading->messages, version ? version->place : top->place,
                     "a description begins with the line: yonder: 1");
    if (!device && !board)
        messages_add(reading->messages, top->place,
                     "say what is described: device: NAME, or board: NAME");
    else
        read_text_value(reading->messages, device ? device : board, &description->name);
}

/* A light or a motor that is described has a place of its own. */
static void check_sends(yt_description_reading *reading) {
    const yt_description *description = reading->description;
    for (unsigned i = 0; i < description->send_count; i++)
        for (unsigned k = 0; k < description->sends[i].fill_count; k++)
            for (unsigned n = 0; n < description->control_count; n++) {
                const yt_described_control *control = &description->controls[n];
                const yt_place *place = &control->meaning.place.at;
                const yt_place *fill = &description->sends[i].fills[k].fill.at;
                if (control->is_target && (control->meaning.place.flags & YT_PLACE_HERE) &&
                    description->sends[i].filled.direction == YT_HID_OUTPUT &&
                    place->report_id == description->sends[i].filled.report_id &&
                    place->bit < fill->bit + (unsigned)fill->bits &&
                    fill->bit < place->bit + (unsigned)place->bits)
                    messages_add(reading->messages, description->sends[i].fills[k].map->place,
                                 "this stands where %s does", control->name);
            }
}

static void read_all(yt_description_reading *reading, const yt_part *top) {
    yt_description *description = reading->description;
    static const char *const board_match = "board";
    read_head(reading, top);
    read_kind(reading, description->is_board ? NULL : find_value(top, "kind"));
    const yt_part *part = find_value(top, "match");
    if (part && !description->is_board)
        read_match(reading, part);
    if (description->is_board) {
        description->match.bus = YT_BUS_BOARD;
        description->match_name = description->name ? description->name : board_match;
    }
    part = find_value(top, "reserved");
    if (part && description->is_board)
        read_reserved(reading, part);
    part = find_value(top, "controls");
    if (part)
        read_controls(reading, part, false);
    part = find_value(top, "feedback");
    if (part)
        read_controls(reading, part, true);
    part = find_value(top, "sends");
    if (part && !description->is_board &&
        read_sends(reading->pool, reading->messages, part, &description->sends,
                   &description->send_count))
        check_sends(reading);
}

const yt_description *description_parse(yt_pool *pool, yt_messages *messages, unsigned source,
                                        const char *name) {
    int before = messages->count;
    yt_description *description = pool_take(pool, sizeof *description);
    yt_description_reading *reading = pool_take(pool, sizeof *reading);
    *reading = (struct yt_description_reading){
        .pool = pool, .messages = messages, .description = description};
    description->file = name;
    description->kind = device_kind_named("device");
    description->controls = pool_take(pool, DESCRIPTION_CONTROLS * sizeof *description->controls);
    description->pins = pool_take(pool, YT_BOARD_PINS * sizeof *description->pins);
    const yt_part *top = document_read(pool, messages, source);
    if (messages->count == before && (!top || top->kind != PART_MAP))
        messages_add(messages, top ? top->place : (yt_text_place){0, 0, 1, source},
                     "a description is a list of keys, the first of them: yonder: 1");
    if (messages->count == before)
        read_all(reading, top);
    return messages->count == before ? description : NULL;
}

/* A file that may be a description: `text` is NULL where there is none. */
typedef struct yt_candidate {
    const char *path;
    char *text;
    size_t size;
} yt_candidate;

/* False: it is there and cannot be read, which was said. */
static bool read_candidate(yt_pool *pool, yt_messages *messages, yt_text_place place,
                           const char *folder, const char *name, yt_candidate *candidate) {
    const char *profile = messages->sources[0].file, *slash = strrchr(profile, '/');
    const char *inside = pool_print(pool, "%.*s", slash ? (int)(slash - profile) + 1 : 0, profile);
    const char *why;
    *candidate = (yt_candidate){.path = pool_print(pool, "%s%s%s.yaml", inside, folder, name)};
    if (strcmp(candidate->path, profile) == 0)
        return true; /* a profile does not describe what it reads */
    candidate->text = read_named_file(messages, inside, candidate->path, &candidate->size, &why);
    if (!candidate->text && why)
        messages_add(messages, place, "%.120s cannot be read: %s", candidate->path, why);
    return candidate->text || !why;
}

/* Whether a text has the line by which a description says what it describes. */
static bool is_description(const char *text) {
    for (const char *line = text; line; line = strchr(line, '\n')) {
        line += *line == '\n';
        if (strncmp(line, "device:", 7) == 0 || strncmp(line, "board:", 6) == 0)
            return true;
    }
    return false;
}

const yt_description *description_read(yt_pool *pool, yt_messages *messages, yt_text_place place,
                                       const char *name) {
    yt_candidate beside, within;
    if (!is_file_name(name, strlen(name)) ||
        !read_candidate(pool, messages, place, "", name, &beside) ||
        !read_candidate(pool, messages, place, "devices/", name, &within))
        return NULL;
    bool is_within = within.text && !(beside.text && is_description(beside.text));
    const yt_candidate *chosen = is_within ? &within : &beside;
    if (!chosen->text)
        return NULL;
    unsigned source = messages_add_source(
        messages, pool_text(&messages->pool, chosen->path, strlen(chosen->path)), chosen->text,
        chosen->size);
    if (source > 0)
        return description_parse(pool, messages, source, name);
    messages_add(messages, place, "a profile names at most %d descriptions and other files",
                 MESSAGES_SOURCES - 1);
    return NULL;
}

static unsigned direction_named(const char *name, size_t length) {
    static const char *const names[] = {"up", "right", "down", "left"};
    for (unsigned i = 0; i < 4; i++)
        if (is_name(names[i], name, length))
            return 1u << i;
    return 0;
}

bool described_find(const yt_description *description, const char *name, size_t length,
                    bool is_target, yt_control_meaning *meaning) {
    for (unsigned i = 0; i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        size_t own = strlen(control->name);
        if (control->is_target != is_target || length < own ||
            memcmp(control->name, name, own) != 0)
            continue;
        *meaning = control->meaning;
        if (length == own && !control->is_hat)
            return true;
        if (control->is_hat && length > own + 1 && name[own] == '.') {
            meaning->name.part = (uint8_t)direction_named(name + own + 1, length - own - 1);
            if (meaning->name.part)
                return true;
        }
    }
    return false;
}
