/* The names that a profile may use: of the controls of inputs and outputs, and of their kinds. */
#ifndef YONDER_COMPILER_NAMES_H
#define YONDER_COMPILER_NAMES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/output.h"
#include "yonder/program.h"

typedef struct input_control {
    const char *name;
    uint16_t page;
    uint16_t usage;
    yt_kind kind;
} input_control;

/* A kind of input, as named in a profile, and what a device must have to be one. */
typedef struct input_kind {
    const char *name;
    const char *meaning;
    const char *example; /* one of its controls */
    uint16_t application_page;
    uint16_t application_usage;
    uint16_t needs_page;
    uint16_t needs_usage;
    uint8_t needs;
    bool (*has)(const input_control *control);
} input_kind;

extern const input_kind input_kinds[];
extern const size_t input_kind_count;

const input_kind *input_kind_named(const char *name);

/* The control of that name that a kind of input has; NULL if it has none. */
const input_control *input_control_named(const input_kind *kind, const char *name, size_t length);

/* The name of a usage, as a kind of control; NULL where the list has none. */
const char *input_control_name(uint16_t page, uint16_t usage, bool is_relative);

/* Fills `names` with the names of all controls of a kind, up to `most`; returns how many. */
size_t input_control_names(const input_kind *kind, const char **names, size_t most);

/* The kind of output of that name ("gamepad", "mouse"); 0 if there is none. */
unsigned output_kind_named(const char *name);
const char *output_kind_name(unsigned kind);

/* The number of an output's control; -1 if it has none of that name. */
int output_control_named(unsigned kind, const char *name, size_t length);
const char *output_control_name(unsigned kind, unsigned control);

#endif
