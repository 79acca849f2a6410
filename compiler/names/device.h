/* The fields of a device, and what a profile calls the controls in them: the other way round than a
 * profile, which goes from a name to a field. Both go by the rules by which the core binds controls
 * when a device arrives (core/in/search.c), so that a name that is shown is one that can be used.
 */
#ifndef YONDER_COMPILER_NAMES_DEVICE_H
#define YONDER_COMPILER_NAMES_DEVICE_H

#include "compiler/names/names.h"

#define DEVICE_FIELDS 512

typedef struct yt_device_fields {
    yt_hid_field fields[DEVICE_FIELDS]; /* padding is left out */
    unsigned count;
    yt_status status; /* YT_OK, or what is wrong with the report descriptor, */
    size_t offset;    /* and where */
} yt_device_fields;

/* An element of a variable field; of an array, the usage of that index. */
typedef struct yt_element {
    unsigned field;
    unsigned index;
} yt_element;

void device_fields_read(yt_device_fields *device, const uint8_t *descriptor, size_t size);

/* The kind of device that a field's collection is of: a mouse that tells where it is, not how far
 * it moved, is a tablet, and one without an x is only a device. */
const yt_device_kind *device_field_kind(const yt_device_fields *device, unsigned field);

/* Whether a field's collection can go to an input of a kind. One that tells where its pointer is,
 * is no mouse; one that tells how far it moved, no tablet. */
bool device_field_suits(const yt_device_fields *device, unsigned field, const yt_device_kind *kind);

/* The usage of an element, and where it stands; an array's elements all stand where it does. */
uint16_t element_usage(const yt_hid_field *field, unsigned index);
unsigned element_bit(const yt_hid_field *field, unsigned index);

/* How many elements a field has; an array has one for each usage. */
unsigned field_elements(const yt_hid_field *field);

/* How many elements of a field have the usage, and the first of them; 0: none has, and the first is
 * not told. An array has one. */
unsigned field_occurrences(const yt_hid_field *field, unsigned usage, unsigned *first);

/* Finds what stands at a place; false: nothing does. `usage` tells the elements of arrays apart. */
bool device_element_at(const yt_device_fields *device, yt_hid_direction direction,
                       unsigned report_id, unsigned bit, uint16_t usage, yt_element *element);

/* Where the control of a name stands on a device that is taken for a kind; false: it has none such.
 * `is_target`: it is a light or a motor. Of a key it is the first place. */
bool device_control(const yt_device_fields *device, const yt_device_kind *kind,
                    const yt_control_name *meaning, bool is_target, yt_element *element);

/* Writes what a profile calls an element, on a device that is taken for a kind, into `text`, of
 * USAGE_NAME_BYTES; a hat's is that of the whole. `own`: the kind's own names come first, such as
 * the positions of a gamepad's buttons; else those of usages do. False: no name leads there; then
 * it is named by its numbers. */
bool device_element_name(const yt_device_fields *device, const yt_device_kind *kind,
                         yt_element element, bool own, char *text);

#endif
