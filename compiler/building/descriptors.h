/* Report descriptors of outputs, written. */
#ifndef YONDER_COMPILER_BUILDING_DESCRIPTORS_H
#define YONDER_COMPILER_BUILDING_DESCRIPTORS_H

#include "compiler/building/outputs.h"

typedef struct yt_descriptor {
    uint8_t bytes[OUTPUT_DESCRIPTOR];
    size_t size;
    bool is_too_long;
} yt_descriptor;

/* The usage of an output's top-level collection, its page in the upper 16 bits; not of an
 * OUTPUT_DESCRIPTION, which may have several. */
uint32_t descriptor_application(const yt_profile_output *output);

/* Appends the top-level collection of an output that is no OUTPUT_DESCRIPTION. `id` 0: its reports
 * have no ID. */
void descriptor_write(yt_descriptor *descriptor, const yt_profile_output *output, unsigned id);

/* The same of one that is given by its fields. */
void descriptor_write_shapes(yt_descriptor *descriptor, const yt_device_kind *kind,
                             const yt_output_shape *shapes, unsigned count);

#endif
