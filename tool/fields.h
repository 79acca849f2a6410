/* The fields of a report descriptor, with the names that a profile uses for them. */
#ifndef YONDER_TOOL_FIELDS_H
#define YONDER_TOOL_FIELDS_H

#include "compiler/formulas/naming.h"
#include "ports/sim/simulation.h"

typedef struct named_field {
    const yt_device_kind *kind;   /* that its top-level collection is of */
    const char *type;             /* "switch", "level"… of all its elements */
    char first[USAGE_NAME_BYTES]; /* the name of its first element, or of the whole of a hat */
    char last[USAGE_NAME_BYTES];
} named_field;

typedef struct field_list {
    yt_device_fields device;
    named_field named[DEVICE_FIELDS];
} field_list;

/* Reads a report descriptor; padding is left out. `description` may be NULL. */
void field_list_read(field_list *list, const uint8_t *descriptor, size_t size,
                     const yt_description *description);

/* The name of element `index` of a variable field, or of the number `index` of an array, into
 * `text`, of USAGE_NAME_BYTES. */
void field_element_name(const field_list *list, unsigned field, unsigned index,
                        const yt_description *description, char *text);

bool field_is_hat(const yt_hid_field *field);

/* Adds to what the reports of a device tell what a description (NULL: there is none) says of them
 * and the report descriptor does not. */
void view_add_described(sim_host *view, const yt_description *description);

/* The unit that a descriptor gives (HID 1.11, 6.2.2.7), "deg" and so on; "" without one. */
const char *field_unit(const yt_hid_field *field);

#endif
