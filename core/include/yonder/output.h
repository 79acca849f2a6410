/* The layouts of the standard outputs: what the host is told, and where each control stands.
 *
 * Reports carry no report ID. Bits are numbered as in yonder/hid.h. */
#ifndef YONDER_OUTPUT_H
#define YONDER_OUTPUT_H

#include <stdint.h>

#include "yonder/value.h"

#define YT_OUTPUT_REPORT_BYTES 16 /* the longest report of a standard output */

/* The numbers are stored in programs; append only. */
typedef enum yt_output_kind { YT_GAMEPAD = 1, YT_MOUSE = 2, YT_OUTPUT_KIND_COUNT } yt_output_kind;

typedef enum yt_field_kind {
    YT_FIELD_BUTTON,
    YT_FIELD_HAT,
    YT_FIELD_AXIS,
    YT_FIELD_MOTION
} yt_field_kind;

typedef struct yt_output_field {
    uint8_t kind;    /* yt_field_kind; levels are fields of YT_FIELD_AXIS too */
    uint8_t bit;     /* place in the report */
    uint8_t bits;    /* width: at most 16 */
    int16_t minimum; /* of the raw number; values below 0 exist only where this is below 0 */
    int16_t maximum;
} yt_output_field;

typedef struct yt_output_control {
    uint8_t kind;  /* yt_kind */
    uint8_t field; /* index into fields */
    uint8_t part;  /* of a hat: 1 up, 2 right, 4 down, 8 left */
} yt_output_control;

typedef struct yt_output_layout {
    const uint8_t *descriptor; /* the report descriptor to hand out */
    const yt_output_field *fields;
    const yt_output_control *controls;
    uint16_t descriptor_size;
    uint8_t report_bytes;
    uint8_t field_count;
    uint8_t switch_fields; /* so many come first; then axes and motion, at most 32 */
    uint8_t control_count;
} yt_output_layout;

/* The layout of a kind of output; NULL where there is no such kind. */
const yt_output_layout *yt_output_layout_of(unsigned kind);

#endif
