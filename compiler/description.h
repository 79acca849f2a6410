/* Descriptions of devices and of boards: what a device's controls are called and where they stand,
 * where the standard usages do not say enough; and what is wired to a board's pins.
 * docs/descriptions.md has the form. */
#ifndef YONDER_COMPILER_DESCRIPTION_H
#define YONDER_COMPILER_DESCRIPTION_H

#include "compiler/keys.h"
#include "compiler/names.h"

#define DESCRIPTION_CONTROLS 256

/* What a control's name stands for: a usage, and what its description says beyond that. */
typedef struct control_meaning {
    control_name name;
    bool has_place;
    bool has_range;
    yt_program_place place; /* all but its range's index */
    yt_program_range range;
    const char *unit;   /* "deg/s", "g", "mm"; NULL: none */
    double unit_amount; /* of a rate: how much one count is; of "mm": the whole travel */
} control_meaning;

typedef struct described_control {
    const char *name;
    const part *key; /* where it is described */
    control_meaning meaning;
    bool is_hat;    /* its directions are NAME.up and so on */
    bool is_target; /* a light or motor: driven, not read */
} described_control;

typedef struct description {
    const char *file; /* the name that a profile gives it */
    const char *name; /* of the device or the board */
    bool is_board;
    const device_kind *kind; /* whose names it knows beside its own */
    yt_program_input match;  /* all but the offsets into the text */
    const char *match_name;  /* NULL: any */
    const char *match_serial;
    described_control *controls;
    unsigned control_count;
    yt_program_pin *pins;
    unsigned pin_count;
    const char *pin_names[YT_BOARD_PINS];
    unsigned report_bits; /* of a board: what is read */
    unsigned output_bits; /* and what is driven */
} description;

/* Reads a description from the file NAME.yaml beside the profile, or in the folder `devices` there.
 * NULL: `messages` says why, or, where there is no such file, says nothing. */
const description *description_read(pool *pool, messages *messages, place place, const char *name);

/* From a source of the messages. */
const description *description_parse(pool *pool, messages *messages, unsigned source,
                                     const char *name);

/* Finds a control or a target; false: there is none of that name. */
bool described_find(const description *description, const char *name, size_t length, bool is_target,
                    control_meaning *meaning);

/* Fills what a profile or a description asks of a device: one key of `match:`. False: no such key.
 */
bool match_read_key(messages *messages, const part *key, yt_program_input *match,
                    const char **device_name, const char **serial);

#endif
