/* The inputs and outputs of a profile, and their controls by name. */
#ifndef YONDER_COMPILER_FORMULAS_CONTROLS_H
#define YONDER_COMPILER_FORMULAS_CONTROLS_H

#include "compiler/building/outputs.h"
#include "compiler/formulas/scope.h"
#include "compiler/names/names.h"
#include "compiler/reading/description.h"

#define PROFILE_INPUTS YT_PROGRAM_INPUTS

typedef struct yt_profile_input {
    const char *name;
    const yt_device_kind *kind;
    const yt_description *description; /* NULL: only the names of its kind are known */
    bool is_broken;                    /* an error was told of it: nothing more is to be said */
} yt_profile_input;

#define PROFILE_STICKS 64

typedef struct yt_stick_name {
    unsigned input;
    const char *name; /* without .x or .y */
} yt_stick_name;

/* Filled by profile/devices.c; the sticks by controls.c, as formulas name them. */
struct yt_profile_devices {
    yt_profile_input inputs[PROFILE_INPUTS];
    yt_profile_output outputs[PROFILE_OUTPUTS];
    unsigned input_count;
    unsigned output_count;
    yt_stick_name sticks[PROFILE_STICKS]; /* what an x and a y together are */
    unsigned stick_count;
};

/* Finds a control of an input by its name; false: it has none such. */
bool input_control_find(const yt_profile_input *input, const char *name, size_t length,
                        bool is_target, yt_control_meaning *meaning);

/* Whether a switch may tell how deep it is, and so serve as a level too. */
bool may_tell_depth(const yt_control_meaning *meaning);

/* Whether two records are of one control, however it is read. */
bool is_same_control(const yt_program_control *a, const yt_program_control *b);

/* The record of a control or a target that is found; all but its node. */
yt_program_control input_control_record(yt_build *build, unsigned input,
                                        const yt_control_meaning *meaning);

/* Says that an input has no such control, and which one was meant. */
void unknown_control(yt_scope *scope, yt_text_place place, const yt_profile_input *input,
                     const char *control, size_t length, bool is_target);

#endif
