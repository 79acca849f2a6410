/* What is wired to a board: pins, encoders, channels and sensors. */
#include <string.h>

#include "compiler/reading/describing.h"
#include "compiler/reading/formula.h"

#define DEBOUNCE_US 5000 /* of a pin, where nothing is said */

static bool take_pin(yt_description_reading *reading, const yt_part *key, const yt_part *value,
                     uint8_t *pin) {
    int64_t number;
    if (!read_whole(reading->messages, value, 0, 255, &number))
        return false;
    const char *reserved = reading->reserved[number];
    const yt_part *other = reading->pin_keys[number];
    if (reserved || other)
        messages_add(reading->messages, value->place,
                     reserved ? "pin %d is kept for %s"
                              : "pin %d is used by \"%s\" too, in line %d",
                     (int)number, reserved ? reserved : other->text, other ? other->place.line : 0);
    if (!other)
        reading->pin_keys[number] = key;
    *pin = (uint8_t)number;
    return !reserved && !other;
}

/* The next free bits of the board's report. */
static uint16_t take_bits(unsigned *used, unsigned bits) {
    unsigned at = bits > 1 ? (*used + 7) / 8 * 8 : *used;
    *used = at + bits;
    return (uint16_t)at;
}

static bool read_switch_pin(yt_description_reading *reading, const yt_part *key,
                            const yt_entry *entry, yt_described_control *control,
                            yt_program_pin *pin) {
    static const char *const actives[] = {"low", "high"};
    int64_t debounce_us = DEBOUNCE_US;
    unsigned active = 0;
    pin->kind = control->is_target ? YT_PIN_OUT : YT_PIN_SWITCH;
    if (!take_pin(reading, key, entry->values[KEY_PIN], &pin->pin) ||
        (entry->values[KEY_ACTIVE] &&
         !read_word(reading->messages, entry->values[KEY_ACTIVE], actives, 2, &active)) ||
        (entry->values[KEY_DEBOUNCE] &&
         !read_amount(reading->pool, reading->messages, entry->values[KEY_DEBOUNCE], YT_UNIT_TIME,
                      &debounce_us)))
        return false;
    if (debounce_us < 0 || debounce_us > UINT16_MAX) {
        messages_add(reading->messages, entry->values[KEY_DEBOUNCE]->place,
                     "a debounce of up to 65 ms is possible");
        return false;
    }
    pin->flags = active || control->is_target ? YT_PIN_ACTIVE_HIGH : 0;
    pin->debounce_us = (uint16_t)debounce_us;
    control->meaning.name.kind = control->is_target ? YT_LEVEL : YT_SWITCH;
    control->meaning.range.maximum = control->is_target ? 255 : 1;
    return true;
}

static bool read_encoder(yt_description_reading *reading, const yt_part *key, const yt_entry *entry,
                         yt_described_control *control, yt_program_pin *pin) {
    const yt_part *list = entry->values[KEY_ENCODER];
    const yt_part *first = list->kind == PART_LIST ? list->first : NULL;
    int64_t steps = 4;
    if (!first || !first->next || first->next->next) {
        messages_add(reading->messages, list->place, "an encoder has two pins, as in [5, 6]");
        return false;
    }
    if (!take_pin(reading, key, first, &pin->pin) ||
        !take_pin(reading, key, first->next, &pin->other) ||
        !describe_whole(reading, entry, KEY_STEPS, 1, 4, &steps))
        return false;
    if (steps == 3) {
        messages_add(reading->messages, entry->values[KEY_STEPS]->place,
                     "an encoder has 1, 2 or 4 steps a detent");
        return false;
    }
    pin->kind = YT_PIN_ENCODER;
    pin->steps = (uint8_t)steps;
    control->meaning.name.kind = YT_MOTION;
    control->meaning.place.flags |= YT_PLACE_SIGNED | YT_PLACE_MOTION;
    range_of_bits(&control->meaning, 8, true);
    return true;
}

static bool read_channel(yt_description_reading *reading, const yt_part *key, const yt_entry *entry,
                         yt_described_control *control, yt_program_pin *pin) {
    int64_t channel = 0, samples = 1;
    yt_control_meaning *meaning = &control->meaning;
    if (!read_whole(reading->messages, entry->values[KEY_ADC], 0, 255, &channel) ||
        !describe_whole(reading, entry, KEY_OVERSAMPLING, 1, 255, &samples))
        return false;
    if (reading->channel_keys[channel]) {
        messages_add(reading->messages, entry->values[KEY_ADC]->place,
                     "channel %d is used by \"%s\" too, in line %d", (int)channel,
                     reading->channel_keys[channel]->text,
                     reading->channel_keys[channel]->place.line);
        return false;
    }
    reading->channel_keys[channel] = key;
    meaning->name.kind = YT_AXIS;
    if (!describe_type(reading, entry, control))
        return false;
    if (!entry->values[KEY_RANGE]) {
        messages_add(reading->messages, key->place,
                     "an ADC channel needs the range of its raw numbers, as in range: [120, 3980]");
        return false;
    }
    if (!describe_range(reading, entry->values[KEY_RANGE], &meaning->range))
        return false;
    if (meaning->range.minimum < 0 || meaning->range.maximum > UINT16_MAX) {
        messages_add(reading->messages, entry->values[KEY_RANGE]->place,
                     "an ADC gives numbers from 0 to 65535");
        return false;
    }
    if (!describe_rest(reading, entry, meaning))
        return false;
    meaning->range.minimum *= (int32_t)samples; /* the report holds the sum of the samples */
    meaning->range.rest *= (int32_t)samples;
    meaning->range.maximum *= (int32_t)samples;
    pin->kind = YT_PIN_ANALOG;
    pin->pin = (uint8_t)channel;
    pin->steps = (uint8_t)samples;
    return true;
}

static bool read_sensor(yt_description_reading *reading, const yt_entry *entry,
                        yt_described_control *control, yt_program_pin *pin) {
    int64_t number = 0;
    if (!read_whole(reading->messages, entry->values[KEY_SENSOR], 0, 15, &number))
        return false;
    control->meaning.name.kind = YT_RATE;
    range_of_bits(&control->meaning, 16, true);
    control->meaning.place.flags |= YT_PLACE_SIGNED;
    if (!describe_type(reading, entry, control) ||
        !describe_rest(reading, entry, &control->meaning))
        return false;
    pin->kind = YT_PIN_SENSOR;
    pin->pin = (uint8_t)number;
    return true;
}

/* The keys that say something of a part, by what it is wired to. */
static const struct {
    unsigned wired; /* the key that says where */
    const char *what;
    unsigned keys[8]; /* further ones; ended by KEY_COUNT */
} wirings[] = {
    {KEY_PIN, "a switch", {KEY_ACTIVE, KEY_DEBOUNCE, KEY_TURNED, KEY_COUNT}},
    {KEY_ENCODER, "an encoder", {KEY_STEPS, KEY_TURNED, KEY_COUNT}},
    {KEY_ADC,
     "a channel",
     {KEY_RANGE, KEY_REST, KEY_TURNED, KEY_TYPE, KEY_TRAVEL, KEY_OVERSAMPLING, KEY_COUNT}},
    {KEY_SENSOR, "a sensor", {KEY_UNIT, KEY_REST, KEY_TURNED, KEY_TYPE, KEY_COUNT}},
    {KEY_PIN, "a light or motor", {KEY_COUNT}}};
enum { WIRED_SWITCH, WIRED_ENCODER, WIRED_CHANNEL, WIRED_SENSOR, WIRED_TARGET, WIRED_NOWHERE };

static unsigned wiring_of(const yt_entry *entry, bool is_target) {
    if (is_target)
        return entry->values[KEY_PIN] ? WIRED_TARGET : WIRED_NOWHERE;
    for (unsigned i = 0; i < WIRED_TARGET; i++)
        if (entry->values[wirings[i].wired])
            return i;
    return WIRED_NOWHERE;
}

/* Keys that say nothing of what a part is wired to are refused. */
static bool check_wiring(yt_description_reading *reading, const yt_entry *entry, unsigned wiring) {
    for (const yt_part *key = entry->map->first; key; key = key->next->next) {
        bool is_known = entry->values[wirings[wiring].wired] == key->next;
        for (const unsigned *other = wirings[wiring].keys; *other != KEY_COUNT; other++)
            is_known |= entry->values[*other] == key->next;
        if (is_known)
            continue;
        messages_add(reading->messages, key->place, "\"%s\" says nothing of %s on a board",
                     key->text, wirings[wiring].what);
        return false;
    }
    return true;
}

/* A board's part: what is wired where, and its place in the board's report. */
bool describe_pin(yt_description_reading *reading, const yt_part *key, const yt_entry *entry,
                  yt_described_control *control) {
    static const uint8_t sizes[YT_PIN_KIND_COUNT] = {1, 8, 32, 16, 8};
    yt_program_pin pin = {0};
    yt_description *description = reading->description;
    yt_control_meaning *meaning = &control->meaning;
    bool good;
    unsigned wiring = wiring_of(entry, control->is_target);
    if (wiring == WIRED_NOWHERE) {
        messages_add(reading->messages, key->place,
                     control->is_target ? "say on which pin this is, as in {pin: 9}"
                                        : "say where this is wired: {pin: 4}, {encoder: [5, 6]}, "
                                          "{adc: 0, range: [0, 4095]} or {sensor: 0, unit: …}");
        return false;
    }
    if (!check_wiring(reading, entry, wiring) || !describe_flags(reading, entry, meaning))
        return false;
    if (wiring == WIRED_ENCODER)
        good = read_encoder(reading, key, entry, control, &pin);
    else if (wiring == WIRED_CHANNEL)
        good = read_channel(reading, key, entry, control, &pin);
    else if (wiring == WIRED_SENSOR)
        good = read_sensor(reading, entry, control, &pin);
    else
        good = read_switch_pin(reading, key, entry, control, &pin);
    if (!good)
        return false;
    if (description->pin_count == YT_BOARD_PINS) {
        messages_add(reading->messages, key->place, "a board has at most %d parts", YT_BOARD_PINS);
        return false;
    }
    unsigned *used = control->is_target ? &description->output_bits : &description->report_bits;
    pin.bit = take_bits(used, sizes[pin.kind]);
    if (*used > 8 * YT_BOARD_BYTES) {
        messages_add(reading->messages, key->place, "the board's parts fill more than %d bytes",
                     YT_BOARD_BYTES);
        return false;
    }
    meaning->place.at.bit = pin.bit;
    meaning->place.at.bits = sizes[pin.kind];
    meaning->place.flags |= YT_PLACE_HERE | YT_PLACE_RANGE;
    meaning->has_place = meaning->has_range = true;
    description->pin_names[description->pin_count] = control->name;
    description->pins[description->pin_count++] = pin;
    return true;
}
