/* Which number a host shows for each button and axis. A button's is its place among the buttons; an
 * axis's its place among the axes in the order of Linux's codes for them (hid-input.c, joydev.c),
 * which programs on other hosts mostly keep to as well. */
#include <string.h>

#include "tool/fields.h"
#include "tool/source.h"

#define AXES 64 /* codes of axes */

enum { CODE_GAS = 9, CODE_BRAKE = 10, CODE_HAT = 16 };

/* The code that Linux begins to look at for an axis; -1: it is none. */
static int code_of(const yt_hid_field *field, uint16_t usage) {
    if (field->usage_page == PAGE_DESKTOP && usage >= 0x30 && usage <= 0x38)
        return usage & 15;
    if (field->usage_page == PAGE_DESKTOP && usage == 0x39)
        return CODE_HAT;
    if (field->usage_page == PAGE_SIMULATION)
        return usage == 0xba   ? 7
               : usage == 0xbb ? 6
               : usage == 0xc4 ? CODE_GAS
               : usage == 0xc5 ? CODE_BRAKE
               : usage == 0xc8 ? 8
                               : -1;
    return -1;
}

typedef struct numbering {
    char axes[AXES][USAGE_NAME_BYTES + 16]; /* by code; "" : none */
    unsigned buttons;
} numbering;

static void add_axis(numbering *numbering, int code, const char *name, const char *direction) {
    while (code < AXES && numbering->axes[code][0])
        code++; /* the next one that is free */
    if (code < AXES)
        snprintf(numbering->axes[code], sizeof numbering->axes[code], "%s%s", name, direction);
}

static void print_line(FILE *file, const char *name, const char *what, unsigned number) {
    fprintf(file, "  %-28s  %-6s  %8u  %8u\n", name, what, number, number + 1);
}

static bool is_button(const yt_hid_field *field) {
    return field->usage_page == PAGE_BUTTON && (field->flags & YT_HID_VARIABLE);
}

void print_host_numbers(FILE *file, const recorded_device *device) {
    static field_list list;
    static numbering numbering;
    char name[USAGE_NAME_BYTES];
    memset(&numbering, 0, sizeof numbering);
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    fprintf(file, "%s\n  %-28s  %-6s  %8s  %8s\n", device->name, "control", "is", "from 0",
            "from 1");
    for (unsigned i = 0; i < list.device.count; i++) {
        const yt_hid_field *field = &list.device.fields[i];
        for (unsigned k = 0; field->direction == YT_HID_INPUT && k < field_elements(field); k++) {
            uint16_t usage = yt_hid_usage(field, k);
            int code = (field->flags & (YT_HID_VARIABLE | YT_HID_RELATIVE)) == YT_HID_VARIABLE
                           ? code_of(field, usage)
                           : -1;
            field_element_name(&list, i, k, NULL, name);
            if (is_button(field))
                print_line(file, name, "button", numbering.buttons++);
            if (code < 0)
                continue;
            add_axis(&numbering, code, name, code == CODE_HAT ? " (left, right)" : "");
            if (code == CODE_HAT)
                add_axis(&numbering, code, name, " (up, down)");
        }
    }
    unsigned number = 0;
    for (unsigned i = 0; i < AXES; i++)
        if (numbering.axes[i][0])
            print_line(file, numbering.axes[i], "axis", number++);
}
