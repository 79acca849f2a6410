/* From a place in a report to the name that a profile uses: the other way round than formulas. */
#ifndef YONDER_COMPILER_FORMULAS_NAMING_H
#define YONDER_COMPILER_FORMULAS_NAMING_H

#include "compiler/building/outputs.h"
#include "compiler/names/device.h"
#include "compiler/reading/description.h"

/* One control as a report descriptor has it. */
typedef struct yt_field_place {
    yt_hid_direction direction;
    uint16_t page;
    uint16_t usage;
    uint16_t bit;
    uint8_t report_id;
} yt_field_place;

/* Writes the name of a control of a device that is taken for a kind, without the device's in front,
 * into `text`, of USAGE_NAME_BYTES: what its description calls it (NULL: it has none), else what
 * device_element_name does. A hat's is that of the whole. */
void name_place(const yt_device_fields *device, const yt_device_kind *kind,
                const yt_description *description, const yt_field_place *place, char *text);

/* The same of an output's control: in a layout of one's own, buttons and hats go by numbers. */
void name_output_place(const yt_profile_output *output, const yt_field_place *place, char *text);

/* Calls `each` with the name of every control of an output, what the host sends among them. Names
 * are in the pool. */
typedef void yt_each_name(void *context, const char *name);
void each_output_name(yt_pool *pool, const yt_profile_output *output, yt_each_name *each,
                      void *context);

#endif
