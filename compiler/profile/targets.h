/* What a cell's name stands for. */
#ifndef YONDER_COMPILER_PROFILE_TARGETS_H
#define YONDER_COMPILER_PROFILE_TARGETS_H

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"
#include "compiler/formulas/parameters.h"

/* What a cell drives: one or two controls of an output, a light or motor of a device, something of
 * the adapter's, or a parameter. */
typedef struct yt_cell_target {
    yt_formula_type type; /* VALUE_QUANTITY: of a parameter */
    unsigned count;
    yt_output_control controls[2];
    bool is_device;
    unsigned input;
    yt_control_meaning device; /* of the light or motor */
    bool is_action;            /* it asks the adapter, or sets a parameter */
    yt_program_control action;
    const yt_parameter *parameter;
} yt_cell_target;

/* Whether a control of an input can be driven: a light or a motor. */
bool is_drivable(const yt_profile_input *input, const char *name, yt_control_meaning *meaning);

/* The type of its values, YT_TYPE_... */
unsigned target_type(const yt_cell_target *target);

/* Finds what a cell of that name drives. False: there is no such thing, which is said. */
bool target_find(yt_scope *scope, const yt_part *key, yt_cell_target *target);

#endif
