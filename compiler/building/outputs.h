/* The outputs of a profile: their report descriptors, and where their controls stand. */
#ifndef YONDER_COMPILER_BUILDING_OUTPUTS_H
#define YONDER_COMPILER_BUILDING_OUTPUTS_H

#include "compiler/building/build.h"
#include "compiler/names/names.h"
#include "compiler/reading/fills.h"

#define PROFILE_OUTPUTS     8
#define OUTPUT_DESCRIPTOR   2048 /* the longest report descriptor of an interface, in bytes */
#define OUTPUT_MOST_BUTTONS 128

typedef enum yt_output_kind {
    OUTPUT_GAMEPAD,
    OUTPUT_JOYSTICK,
    OUTPUT_KEYBOARD,
    OUTPUT_MOUSE,
    OUTPUT_CONSUMER,
    OUTPUT_COUNTS,     /* so many buttons, sticks, axes, triggers and hats */
    OUTPUT_DESCRIPTION /* a report descriptor of its own */
} yt_output_kind;

#define OUTPUT_SHAPES 128

/* A field as a profile gives it: what it is, how often and how large. Without a page it is padding
 * of `bits` bits. */
typedef struct yt_output_shape {
    uint16_t page;
    uint16_t usage;
    unsigned kind; /* yt_kind */
    bool is_hat;
    bool from_host;
    unsigned count;
    unsigned bits;
    unsigned report_id;
    int32_t minimum, maximum;
} yt_output_shape;

/* A field of an output's reports. */
typedef struct yt_output_field {
    yt_hid_field field;
    unsigned report; /* index into the program's reports */
} yt_output_field;

typedef struct yt_profile_output {
    const char *name;
    const yt_device_kind *kind; /* whose names it knows */
    yt_output_kind what;
    unsigned connector; /* from 1 */
    bool over_radio;    /* Bluetooth; else USB */
    unsigned buttons, sticks, axes, triggers, hats;
    const uint8_t *descriptor; /* of an OUTPUT_DESCRIPTION */
    size_t descriptor_size;
    yt_read_fill *fills; /* of its reports */
    unsigned fill_count;
    /* From here on filled by outputs_build. */
    unsigned interface;
    yt_output_field *fields;
    unsigned field_count;
} yt_profile_output;

/* A control of an output: where it stands, and its type. */
typedef struct yt_output_control {
    yt_kind kind;
    bool from_host; /* the host sends it: a light, a motor */
    unsigned report;
    yt_program_root
        root; /* of one that we send, all but its step, its lead and its range's index */
    yt_program_range range; /* of one that is no switch, and of one that the host sends */
    yt_program_place place; /* of one that the host sends, all but its range's index */
} yt_output_control;

/* "gamepad, joystick…": the kinds of outputs, for messages; and what an output of a kind is called,
 * if nobody says otherwise; NULL: there is no such kind. */
const char *output_kind_list(void);
const char *output_kind_usual(const char *name);

/* What the word for an output's kind stands for ("gamepad"…); false where there is no such kind.
 * Leaves its name and connector. */
bool output_kind_named(const char *name, yt_profile_output *output);

/* Writes the report descriptor of an output that is given by its fields; NULL: it is too long. */
const uint8_t *output_shapes_descriptor(yt_pool *pool, const yt_device_kind *kind,
                                        const yt_output_shape *shapes, unsigned count,
                                        size_t *size);

/* Whether a host takes two outputs for one device where they share a report descriptor: top-level
 * collections of one application usage are one to Linux (hid-input.c), so that the second player's
 * buttons would be more buttons of the first's. */
bool outputs_merge(const yt_profile_output *one, const yt_profile_output *other);

/* Puts outputs together into interfaces, with their descriptors and reports. False: a description's
 * descriptor cannot be used; `*at` is then the output, and `*why` says it. */
bool outputs_build(yt_build *build, yt_profile_output *outputs, unsigned count, unsigned *at,
                   const char **why);

/* Finds a control by what its name stands for; false where the output has none such. */
bool output_control_find(const yt_profile_output *output, const yt_control_name *name,
                         yt_output_control *control);

/* The number of a button, as in HID; 0: it is none. */
unsigned output_button(const yt_profile_output *output, const yt_output_control *control);

#endif
