/* Report descriptors of outputs, written. */
#ifndef YONDER_COMPILER_DESCRIPTORS_H
#define YONDER_COMPILER_DESCRIPTORS_H

#include "compiler/outputs.h"

typedef struct descriptor {
    uint8_t bytes[OUTPUT_DESCRIPTOR];
    size_t size;
    bool is_too_long;
} descriptor;

/* Appends the top-level collection of an output that is no OUTPUT_DESCRIPTION. `id` 0: its reports
 * have no ID. */
void descriptor_write(descriptor *descriptor, const profile_output *output, unsigned id);

/* The same of one that is given by its fields. */
void descriptor_write_shapes(descriptor *descriptor, const device_kind *kind,
                             const output_shape *shapes, unsigned count);

#endif
