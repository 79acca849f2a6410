/* What the files that read descriptions share. */
#ifndef YONDER_COMPILER_READING_DESCRIBING_H
#define YONDER_COMPILER_READING_DESCRIBING_H

#include "compiler/reading/description.h"

/* The keys of a control, in the order of their names in description.c. */
enum {
    KEY_USAGE,
    KEY_REPORT,
    KEY_BIT,
    KEY_BITS,
    KEY_SIGNED,
    KEY_RANGE,
    KEY_REST,
    KEY_TURNED,
    KEY_TYPE,
    KEY_UNIT,
    KEY_TRAVEL,
    KEY_WRAPS,
    KEY_PIN,
    KEY_ACTIVE,
    KEY_DEBOUNCE,
    KEY_ADC,
    KEY_OVERSAMPLING,
    KEY_ENCODER,
    KEY_STEPS,
    KEY_SENSOR,
    KEY_COUNT
};

/* One control's map as it is read. */
typedef struct yt_entry {
    const yt_part *map;
    const yt_part *values[KEY_COUNT];
} yt_entry;

typedef struct yt_description_reading {
    yt_pool *pool;
    yt_messages *messages;
    yt_description *description;
    const yt_part *pin_keys[256]; /* who uses a pin */
    const char *reserved[256];    /* what the board keeps a pin for; NULL: it does not */
    const yt_part *channel_keys[256];
} yt_description_reading;

/* Each of these reads a part of a control's map. False: said. */
bool describe_whole(yt_description_reading *reading, const yt_entry *entry, unsigned key,
                    int64_t low, int64_t high, int64_t *number);
bool describe_range(yt_description_reading *reading, const yt_part *list, yt_program_range *range);
bool describe_type(yt_description_reading *reading, const yt_entry *entry,
                   yt_described_control *control);
bool describe_rest(yt_description_reading *reading, const yt_entry *entry,
                   yt_control_meaning *meaning);
bool describe_flags(yt_description_reading *reading, const yt_entry *entry,
                    yt_control_meaning *meaning);

/* The whole range of so many bits. */
void range_of_bits(yt_control_meaning *meaning, unsigned bits, bool is_signed);

/* A board's part: what is wired where, and its place in the board's report. */
bool describe_pin(yt_description_reading *reading, const yt_part *key, const yt_entry *entry,
                  yt_described_control *control);

#endif
