/* The names of what a program on an adapter reads and gives, by the profile that it was made of. */
#ifndef YONDER_TOOL_ADAPTER_NAMES_H
#define YONDER_TOOL_ADAPTER_NAMES_H

#include "compiler/formulas/controls.h"
#include "tool/tool.h"

#define VALUE_NAME 96

/* Something that has a value while a program runs. */
typedef struct named_value {
    char name[VALUE_NAME];
    unsigned number; /* of the value */
    uint8_t kind;    /* yt_kind */
    bool is_output;
} named_value;

/* Whether a control of a program is the one that a name means. */
bool is_control_meant(const yt_program *program, const yt_control_meaning *meaning,
                      const yt_program_control *control);

/* Inputs' controls and outputs' controls, motion left out, up to `most`; how many. */
size_t named_values(const profile *profile, named_value *values, size_t most);

#endif
