/* The number format between nodes: signed 32-bit Q16.16, 1.0 = 65536; and the kinds of controls. */
#ifndef YONDER_VALUE_H
#define YONDER_VALUE_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define YT_NEVER UINT64_MAX /* a time that does not come */

/* A number of 16 bits before the point and 16 behind it. */
typedef int32_t yt_q16;

#define YT_ONE ((yt_q16)65536)

/* The kinds of a control. A switch is 0 or 1, a level 0 to 1, an axis -1 to 1; motion is counts; a
 * rate is in its unit (degrees a second, g), at most 32,767 of it. */
typedef enum yt_kind { YT_SWITCH, YT_LEVEL, YT_AXIS, YT_MOTION, YT_RATE, YT_KIND_COUNT } yt_kind;

/* The units of parameters. The numbers are stored in programs. */
typedef enum yt_unit {
    YT_UNIT_NONE,
    YT_UNIT_TIME,      /* in microseconds; all others in 1/65536 of their unit */
    YT_UNIT_FREQUENCY, /* Hz */
    YT_UNIT_ANGLE,     /* degrees */
    YT_UNIT_SPEED,     /* counts a second */
    YT_UNIT_TURN,      /* degrees a second */
    YT_UNIT_PULL,      /* g */
    YT_UNIT_LENGTH,    /* mm: of a key, how deep it is */
    YT_UNIT_COUNT
} yt_unit;

/* How a device is attached. The numbers are stored in programs; 3 and 5 are those of Linux. */
typedef enum yt_bus {
    YT_ANY_BUS = 0,
    YT_BUS_BOARD = 1, /* the adapter's own pins */
    YT_BUS_USB = 3,
    YT_BUS_BLUETOOTH = 5
} yt_bus;

/* One side of a range: distance * factor / 2^shift is the distance as a share of the span. */
typedef struct yt_scale_side {
    uint32_t factor;
    uint8_t shift;
} yt_scale_side;

#ifdef __cplusplus
}
#endif

#endif
