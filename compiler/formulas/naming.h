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

/* What the raw numbers at a place mean to formulas. */
typedef struct yt_raw_meaning {
    uint8_t kind; /* yt_kind; of a hat YT_SWITCH */
    bool is_hat;
    bool is_turned; /* the other way round */
    int64_t minimum, rest, maximum;
    const char *unit;   /* of a rate, "deg/s"; else NULL */
    double unit_amount; /* how much one count is */
} yt_raw_meaning;

/* Writes the name of a control of a device that is taken for a kind, without the device's in front,
 * into `text`, of USAGE_NAME_BYTES: what its description calls it (NULL: it has none), else what
 * device_element_name does. A hat's is that of the whole. `meaning` may be NULL. */
void name_place(const yt_device_fields *device, const yt_device_kind *kind,
                const yt_description *description, const yt_field_place *place, char *text,
                yt_raw_meaning *meaning);

/* The same of an output's control: in a layout of one's own, buttons and hats go by numbers. */
void name_output_place(const yt_profile_output *output, const yt_field_place *place, char *text,
                       yt_raw_meaning *meaning);

/* Where an axis of that range rests, if nobody says otherwise. */
int64_t axis_rest(int64_t minimum, int64_t maximum);

/* A raw number as formulas see it: a share from -1 to 1, or in the meaning's unit. */
double raw_value(const yt_raw_meaning *meaning, int64_t raw);

/* The direction of a hat, clockwise from up, 0 to 7; -1: it is centred. */
int raw_direction(const yt_raw_meaning *meaning, int64_t raw);

/* Calls `each` with the name of every control of an output, what the host sends among them. Names
 * are in the pool. */
typedef void yt_each_name(void *context, const char *name);
void each_output_name(yt_pool *pool, const yt_profile_output *output, yt_each_name *each,
                      void *context);

#endif
