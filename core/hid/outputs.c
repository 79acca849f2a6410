#include <stddef.h>

#include "yonder/hid.h"
#include "yonder/output.h"

/* The gamepad. A host that numbers buttons by usage, as Linux does, calls button 1 the south one,
 * 2 east, 4 north, 5 west, 7 and 8 the shoulders, 11 select, 12 start, 13 home, 14 and 15 the
 * clicks of the sticks. The left stick is X and Y, the right one Z and Rz; the triggers are the
 * brake and the accelerator of the simulation page. */
static const uint8_t gamepad_descriptor[] = {
    0x05, 0x01,       /* Usage Page (Generic Desktop) */
    0x09, 0x05,       /* Usage (Gamepad) */
    0xa1, 0x01,       /* Collection (Application) */
    0x05, 0x09,       /*   Usage Page (Button) */
    0x19, 0x01,       /*   Usage Minimum (1) */
    0x29, 0x14,       /*   Usage Maximum (20) */
    0x15, 0x00,       /*   Logical Minimum (0) */
    0x25, 0x01,       /*   Logical Maximum (1) */
    0x75, 0x01,       /*   Report Size (1) */
    0x95, 0x14,       /*   Report Count (20) */
    0x81, 0x02,       /*   Input (Variable) */
    0x05, 0x01,       /*   Usage Page (Generic Desktop) */
    0x09, 0x39,       /*   Usage (Hat Switch) */
    0x25, 0x07,       /*   Logical Maximum (7) */
    0x35, 0x00,       /*   Physical Minimum (0) */
    0x46, 0x3b, 0x01, /*   Physical Maximum (315) */
    0x65, 0x14,       /*   Unit (degrees) */
    0x75, 0x04,       /*   Report Size (4) */
    0x95, 0x01,       /*   Report Count (1) */
    0x81, 0x42,       /*   Input (Variable, Null State) */
    0x65, 0x00,       /*   Unit (none) */
    0x45, 0x00,       /*   Physical Maximum (0): physical is logical from here on */
    0x09, 0x30,       /*   Usage (X) */
    0x09, 0x31,       /*   Usage (Y) */
    0x09, 0x32,       /*   Usage (Z) */
    0x09, 0x35,       /*   Usage (Rz) */
    0x16, 0x01, 0x80, /*   Logical Minimum (-32767) */
    0x26, 0xff, 0x7f, /*   Logical Maximum (32767) */
    0x75, 0x10,       /*   Report Size (16) */
    0x95, 0x04,       /*   Report Count (4) */
    0x81, 0x02,       /*   Input (Variable) */
    0x05, 0x02,       /*   Usage Page (Simulation) */
    0x09, 0xc5,       /*   Usage (Brake) */
    0x09, 0xc4,       /*   Usage (Accelerator) */
    0x15, 0x00,       /*   Logical Minimum (0) */
    0x95, 0x02,       /*   Report Count (2) */
    0x81, 0x02,       /*   Input (Variable) */
    0xc0              /* End Collection */
};

#define BUTTON(n)                                                                                  \
    { YT_FIELD_BUTTON, (n), 1, 0, 1 }

static const yt_output_field gamepad_fields[] = {BUTTON(0),
                                                 BUTTON(1),
                                                 BUTTON(2),
                                                 BUTTON(3),
                                                 BUTTON(4),
                                                 BUTTON(5),
                                                 BUTTON(6),
                                                 BUTTON(7),
                                                 BUTTON(8),
                                                 BUTTON(9),
                                                 BUTTON(10),
                                                 BUTTON(11),
                                                 BUTTON(12),
                                                 BUTTON(13),
                                                 BUTTON(14),
                                                 BUTTON(15),
                                                 BUTTON(16),
                                                 BUTTON(17),
                                                 BUTTON(18),
                                                 BUTTON(19),
                                                 {YT_FIELD_HAT, 20, 4, 0, 7},
                                                 {YT_FIELD_AXIS, 24, 16, -32767, 32767},
                                                 {YT_FIELD_AXIS, 40, 16, -32767, 32767},
                                                 {YT_FIELD_AXIS, 56, 16, -32767, 32767},
                                                 {YT_FIELD_AXIS, 72, 16, -32767, 32767},
                                                 {YT_FIELD_AXIS, 88, 16, 0, 32767},
                                                 {YT_FIELD_AXIS, 104, 16, 0, 32767}};

/* The mouse: eight buttons, 16-bit motion, wheel and pan (AC Pan of the consumer page). */
static const uint8_t mouse_descriptor[] = {
    0x05, 0x01,       /* Usage Page (Generic Desktop) */
    0x09, 0x02,       /* Usage (Mouse) */
    0xa1, 0x01,       /* Collection (Application) */
    0x09, 0x01,       /*   Usage (Pointer) */
    0xa1, 0x00,       /*   Collection (Physical) */
    0x05, 0x09,       /*     Usage Page (Button) */
    0x19, 0x01,       /*     Usage Minimum (1) */
    0x29, 0x08,       /*     Usage Maximum (8) */
    0x15, 0x00,       /*     Logical Minimum (0) */
    0x25, 0x01,       /*     Logical Maximum (1) */
    0x75, 0x01,       /*     Report Size (1) */
    0x95, 0x08,       /*     Report Count (8) */
    0x81, 0x02,       /*     Input (Variable) */
    0x05, 0x01,       /*     Usage Page (Generic Desktop) */
    0x09, 0x30,       /*     Usage (X) */
    0x09, 0x31,       /*     Usage (Y) */
    0x16, 0x01, 0x80, /*     Logical Minimum (-32767) */
    0x26, 0xff, 0x7f, /*     Logical Maximum (32767) */
    0x75, 0x10,       /*     Report Size (16) */
    0x95, 0x02,       /*     Report Count (2) */
    0x81, 0x06,       /*     Input (Variable, Relative) */
    0x09, 0x38,       /*     Usage (Wheel) */
    0x15, 0x81,       /*     Logical Minimum (-127) */
    0x25, 0x7f,       /*     Logical Maximum (127) */
    0x75, 0x08,       /*     Report Size (8) */
    0x95, 0x01,       /*     Report Count (1) */
    0x81, 0x06,       /*     Input (Variable, Relative) */
    0x05, 0x0c,       /*     Usage Page (Consumer) */
    0x0a, 0x38, 0x02, /*     Usage (AC Pan) */
    0x81, 0x06,       /*     Input (Variable, Relative) */
    0xc0,             /*   End Collection */
    0xc0              /* End Collection */
};

static const yt_output_field mouse_fields[] = {BUTTON(0),
                                               BUTTON(1),
                                               BUTTON(2),
                                               BUTTON(3),
                                               BUTTON(4),
                                               BUTTON(5),
                                               BUTTON(6),
                                               BUTTON(7),
                                               {YT_FIELD_MOTION, 8, 16, -32767, 32767},
                                               {YT_FIELD_MOTION, 24, 16, -32767, 32767},
                                               {YT_FIELD_MOTION, 40, 8, -127, 127},
                                               {YT_FIELD_MOTION, 48, 8, -127, 127}};

#define CONTROLS_GAMEPAD(...) {__VA_ARGS__},
#define CONTROLS_MOUSE(...)
static const yt_output_control gamepad_controls[] = {
#define YT_OUTPUT_CONTROL(output, name, kind, field, part) CONTROLS_##output(kind, field, part)
#include "yonder/outputs.def"
#undef YT_OUTPUT_CONTROL
};

#undef CONTROLS_GAMEPAD
#undef CONTROLS_MOUSE
#define CONTROLS_GAMEPAD(...)
#define CONTROLS_MOUSE(...) {__VA_ARGS__},
static const yt_output_control mouse_controls[] = {
#define YT_OUTPUT_CONTROL(output, name, kind, field, part) CONTROLS_##output(kind, field, part)
#include "yonder/outputs.def"
#undef YT_OUTPUT_CONTROL
};

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))
#define LAYOUT(name, bytes, switches)                                                              \
    {                                                                                              \
        .descriptor = name##_descriptor, .fields = name##_fields, .controls = name##_controls,     \
        .descriptor_size = sizeof name##_descriptor, .report_bytes = (bytes),                      \
        .switch_fields = (switches), .field_count = COUNT(name##_fields),                          \
        .control_count = COUNT(name##_controls)                                                    \
    }

static const yt_output_layout layouts[] = {
    [YT_GAMEPAD] = LAYOUT(gamepad, 15, 21), [YT_MOUSE] = LAYOUT(mouse, 7, 8)};

const yt_output_layout *yt_output_layout_of(unsigned kind) {
    return kind >= YT_GAMEPAD && kind < YT_OUTPUT_KIND_COUNT ? &layouts[kind] : NULL;
}
