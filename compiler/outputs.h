/* The outputs of a profile: their report descriptors, and where their controls stand. */
#ifndef YONDER_COMPILER_OUTPUTS_H
#define YONDER_COMPILER_OUTPUTS_H

#include "compiler/build.h"
#include "compiler/names.h"

#define PROFILE_OUTPUTS     8
#define OUTPUT_DESCRIPTOR   2048 /* the longest report descriptor of an interface, in bytes */
#define OUTPUT_MOST_BUTTONS 128

typedef enum output_kind {
    OUTPUT_GAMEPAD,
    OUTPUT_JOYSTICK,
    OUTPUT_KEYBOARD,
    OUTPUT_MOUSE,
    OUTPUT_CONSUMER,
    OUTPUT_COUNTS,     /* so many buttons, sticks, axes, triggers and hats */
    OUTPUT_DESCRIPTION /* a report descriptor of its own */
} output_kind;

#define OUTPUT_SHAPES 128

/* A field as a profile gives it: what it is, how often and how large. Without a page it is padding
 * of `bits` bits. */
typedef struct output_shape {
    uint16_t page;
    uint16_t usage;
    unsigned kind; /* yt_kind */
    bool is_hat;
    bool from_host;
    unsigned count;
    unsigned bits;
    unsigned report_id;
    int32_t minimum, maximum;
} output_shape;

/* A field of an output's reports. */
typedef struct output_field {
    yt_hid_field field;
    unsigned report; /* index into the program's reports */
} output_field;

typedef struct profile_output {
    const char *name;
    const device_kind *kind; /* whose names it knows */
    output_kind what;
    unsigned connector; /* from 1 */
    bool over_radio;    /* Bluetooth; else USB */
    unsigned buttons, sticks, axes, triggers, hats;
    const uint8_t *descriptor; /* of an OUTPUT_DESCRIPTION */
    size_t descriptor_size;
    /* From here on filled by outputs_build. */
    unsigned interface;
    output_field *fields;
    unsigned field_count;
} profile_output;

/* A control of an output: where it stands, and its type. */
typedef struct output_control {
    yt_kind kind;
    bool from_host; /* the host sends it: a light, a motor */
    unsigned report;
    yt_program_root
        root; /* of one that we send, all but its step, its lead and its range's index */
    yt_program_range range; /* of one that is no switch, and of one that the host sends */
    yt_program_place place; /* of one that the host sends, all but its range's index */
} output_control;

/* What the word for an output's kind stands for ("gamepad"…); false where there is no such kind.
 * Leaves its name and connector. */
/* "gamepad, joystick…": the kinds of outputs, for messages; and what an output of a kind is called,
 * if nobody says otherwise; NULL: there is no such kind. */
const char *output_kind_list(void);
const char *output_kind_usual(const char *name);

bool output_kind_named(const char *name, profile_output *output);

/* Writes the report descriptor of an output that is given by its fields; NULL: it is too long. */
const uint8_t *output_shapes_descriptor(pool *pool, const device_kind *kind,
                                        const output_shape *shapes, unsigned count, size_t *size);

/* Puts outputs together into interfaces, with their descriptors and reports. False: a description's
 * descriptor cannot be used; `*at` is then the output, and `*why` says it. */
bool outputs_build(build *build, profile_output *outputs, unsigned count, unsigned *at,
                   const char **why);

/* Finds a control by what its name stands for; false where the output has none such. */
bool output_control_find(const profile_output *output, const control_name *name,
                         output_control *control);

#endif
