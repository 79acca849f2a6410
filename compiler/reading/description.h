/* Descriptions of devices and of boards: what a device's controls are called and where they stand,
 * where the standard usages do not say enough; and what is wired to a board's pins.
 * docs/descriptions.md has the form. */
#ifndef YONDER_COMPILER_READING_DESCRIPTION_H
#define YONDER_COMPILER_READING_DESCRIPTION_H

#include "compiler/names/names.h"
#include "compiler/reading/fills.h"
#include "compiler/reading/keys.h"

#define DESCRIPTION_CONTROLS 256

/* What a control's name stands for: a usage, and what its description says beyond that. */
typedef struct yt_control_meaning {
    yt_control_name name;
    bool has_place;
    bool has_range;
    yt_program_place place; /* all but its range's index */
    yt_program_range range;
    const char *unit;   /* "deg/s", "g", "mm"; NULL: none */
    double unit_amount; /* of a rate: how much one count is; of "mm": the whole travel */
} yt_control_meaning;

typedef struct yt_described_control {
    const char *name;
    const yt_part *key; /* where it is described */
    yt_control_meaning meaning;
    bool is_hat;    /* its directions are NAME.up and so on */
    bool is_target; /* a light or motor: driven, not read */
} yt_described_control;

typedef struct yt_description {
    const char *file; /* the name that a profile gives it */
    const char *name; /* of the device or the board */
    bool is_board;
    const yt_device_kind *kind; /* whose names it knows beside its own */
    yt_program_input match;     /* all but the offsets into the text */
    const char *match_name;     /* NULL: any */
    const char *match_serial;
    yt_described_control *controls;
    unsigned control_count;
    yt_program_pin *pins;
    unsigned pin_count;
    const char *pin_names[YT_BOARD_PINS];
    yt_read_send *sends; /* reports that the device must be sent */
    unsigned send_count;
    unsigned report_bits; /* of a board: what is read */
    unsigned output_bits; /* and what is driven */
} yt_description;

/* Reads a description from the file NAME.yaml beside the profile, or in the folder `devices` there.
 * NULL: `messages` says why, or, where there is no such file, says nothing. */
const yt_description *description_read(yt_pool *pool, yt_messages *messages, yt_text_place place,
                                       const char *name);

/* From a source of the messages. */
const yt_description *description_parse(yt_pool *pool, yt_messages *messages, unsigned source,
                                        const char *name);

/* Finds a control or a target; false: there is none of that name. */
bool described_find(const yt_description *description, const char *name, size_t length,
                    bool is_target, yt_control_meaning *meaning);

/* Fills what a profile or a description asks of a device: one key of `match:`. False: no such key.
 */
bool match_read_key(yt_messages *messages, const yt_part *key, yt_program_input *match,
                    const char **device_name, const char **serial);

#endif
