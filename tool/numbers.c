/* Which number a host shows for each button and axis. Linux makes a device of each kind of
 * top-level collection, gives each of its buttons and axes a code (hid-input.c) and numbers them in
 * the order of the codes (joydev.c); programs on other hosts mostly keep to the same order. */
#include <stdlib.h>
#include <string.h>

#include "tool/fields.h"
#include "tool/source.h"

#define CODES 768 /* of buttons (KEY_MAX + 1); those of axes are below 64 */

enum { CODE_RZ = 5, CODE_GAS = 9, CODE_BRAKE = 10, CODE_HAT = 16 };
enum { MISCELLANEOUS = 0x100, OF_MOUSE = 0x110, OF_JOYSTICK = 0x120, OF_GAMEPAD = 0x130 };
enum { MORE_BUTTONS = 0x2c0 };   /* those of a joystick or a gamepad behind its 16th */
enum { UP = 0x90, LEFT = 0x93 }; /* usages of buttons of a direction */

/* The code that Linux begins to look at for an axis; -1: it is none. */
static int axis_code(const yt_hid_field *field, uint16_t usage) {
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

static int button_code(const yt_hid_field *field, uint16_t usage) {
    bool is_desktop = field->application_page == PAGE_DESKTOP;
    int button = usage - 1;
    if (is_desktop && (field->application_usage == 0x01 || field->application_usage == 0x02))
        return OF_MOUSE + button;
    if (is_desktop && (field->application_usage == 0x04 || field->application_usage == 0x05))
        return button > 15                        ? MORE_BUTTONS + button - 16
               : field->application_usage == 0x04 ? OF_JOYSTICK + button
                                                  : OF_GAMEPAD + button;
    return MISCELLANEOUS + button;
}

/* A control that has a number; several that share one have the same code. */
typedef struct numbered {
    char name[USAGE_NAME_BYTES];
    char more[USAGE_NAME_BYTES]; /* of a hat's axis: its directions */
    bool is_axis;
    int code; /* from CODES on: none */
    size_t order;
} numbered;

/* What a host makes one device of: the top-level collections of one usage. */
typedef struct numbering {
    numbered list[1024];
    size_t count;
    bool is_taken[2][CODES]; /* codes of buttons, of axes */
    bool has_keys;
} numbering;

/* Of two controls that want a code Linux takes the first; but the second of x to rz is one with the
 * first (map_abs_clear in hid-input.c). */
static void add(numbering *numbering, bool is_axis, int code, const char *name, const char *more) {
    bool is_shared = is_axis && code <= CODE_RZ;
    if (numbering->count == sizeof numbering->list / sizeof numbering->list[0])
        return;
    numbered *at = &numbering->list[numbering->count++];
    snprintf(at->name, sizeof at->name, "%.*s", USAGE_NAME_BYTES - 1, name);
    snprintf(at->more, sizeof at->more, "%.*s", USAGE_NAME_BYTES - 1, more);
    at->is_axis = is_axis;
    at->code = code;
    at->order = numbering->count;
    if (code < CODES && numbering->is_taken[is_axis][code] && !is_shared)
        at->code = CODES;
    if (code < CODES)
        numbering->is_taken[is_axis][code] = true;
}

static void add_field(numbering *numbering, const field_list *list, unsigned at) {
    const yt_hid_field *field = &list->device.fields[at];
    bool is_variable = field->flags & YT_HID_VARIABLE, is_relative = field->flags & YT_HID_RELATIVE;
    numbering->has_keys |= field->usage_page == PAGE_KEYBOARD || field->usage_page == PAGE_CONSUMER;
    for (unsigned k = 0; k < field_elements(field); k++) {
        uint16_t usage = yt_hid_usage(field, k);
        int code = is_variable && !is_relative ? axis_code(field, usage) : -1;
        char name[USAGE_NAME_BYTES];
        field_element_name(list, at, k, NULL, name);
        if (field->usage_page == PAGE_BUTTON && usage > 0)
            add(numbering, false, button_code(field, usage), name, "");
        if (field->usage_page == PAGE_DESKTOP && usage >= UP && usage <= LEFT) {
            add(numbering, false, CODES, name, ""); /* Linux makes a hat of it that stands still */
            numbering->is_taken[true][CODE_HAT] = numbering->is_taken[true][CODE_HAT + 1] = true;
        }
        if (code >= 0)
            add(numbering, true, code, name, code == CODE_HAT ? "left and right" : "");
        if (code == CODE_HAT)
            add(numbering, true, code + 1, name, "up and down");
    }
}

/* Of buttons those that are nothing in particular, or a mouse's, come last (joydev.c). */
static unsigned place_of(const numbered *at) {
    unsigned place = at->is_axis ? 2 * CODES : 0;
    if (at->code >= CODES)
        return place + CODES;
    return place + (unsigned)(at->is_axis || at->code >= OF_JOYSTICK
                                  ? at->code
                                  : CODES - OF_JOYSTICK + at->code);
}

static int compare_places(const void *one, const void *other) {
    const numbered *a = one, *b = other;
    if (place_of(a) != place_of(b))
        return place_of(a) > place_of(b) ? 1 : -1;
    return a->order > b->order ? 1 : -1;
}

static unsigned number_of(const numbering *numbering, size_t index) {
    unsigned number = 0;
    for (size_t i = 1; i <= index; i++)
        if (numbering->list[i].is_axis != numbering->list[i - 1].is_axis)
            number = 0;
        else if (numbering->list[i].code != numbering->list[i - 1].code)
            number++;
    return number;
}

static void print_numbering(FILE *file, numbering *numbering) {
    bool has_none = false;
    qsort(numbering->list, numbering->count, sizeof numbering->list[0], compare_places);
    if (numbering->count)
        fprintf(file, "  %-28s  %-6s  %8s  %8s\n", "control", "is", "from 0", "from 1");
    for (size_t i = 0; i < numbering->count; i++) {
        const numbered *at = &numbering->list[i];
        unsigned number = number_of(numbering, i);
        int width = fprintf(file, "  %s%s%s", at->name, *at->more ? ", " : "", at->more);
        fprintf(file, "%*s  %-6s  ", width < 30 ? 30 - width : 0, "",
                at->is_axis ? "axis" : "button");
        if (at->code < CODES)
            fprintf(file, "%8u  %8u\n", number, number + 1);
        else
            fprintf(file, "%8s  %8s\n", "none", "none");
        has_none |= at->code >= CODES;
    }
    if (has_none)
        fprintf(file,
                "  none: of a device Linux takes one hat, one slider and so on, a button of a "
                "number once,\n  at most 80 buttons of a joystick or gamepad, and no "
                "buttons that are directions\n");
    if (numbering->has_keys)
        fprintf(file, "  keys have no numbers: a host tells them by what they are\n");
    else if (!numbering->count)
        fprintf(file, "  nothing here has a number\n");
}

static uint32_t application_of(const yt_hid_field *field) {
    return (uint32_t)field->application_page << 16 | field->application_usage;
}

/* The devices that a host makes of one, in the order of their first collections. */
static unsigned find_applications(const field_list *list, uint32_t *applications) {
    unsigned count = 0;
    for (unsigned i = 0; i < list->device.count; i++) {
        unsigned k = 0;
        while (k < count && applications[k] != application_of(&list->device.fields[i]))
            k++;
        if (k == count)
            applications[count++] = application_of(&list->device.fields[i]);
    }
    return count;
}

void print_host_numbers(FILE *file, const recorded_device *device) {
    static field_list list;
    static numbering numbering;
    static uint32_t applications[DEVICE_FIELDS];
    field_list_read(&list, device->descriptor, device->descriptor_size, NULL);
    unsigned count = find_applications(&list, applications);
    for (unsigned i = 0; i < count; i++) {
        char name[USAGE_NAME_BYTES];
        memset(&numbering, 0, sizeof numbering);
        for (unsigned k = 0; k < list.device.count; k++)
            if (application_of(&list.device.fields[k]) == applications[i] &&
                list.device.fields[k].direction == YT_HID_INPUT)
                add_field(&numbering, &list, k);
        usage_name((uint16_t)(applications[i] >> 16), (uint16_t)applications[i], name);
        fprintf(file, count > 1 ? "%s, its %s\n" : "%s\n", device->name, name);
        print_numbering(file, &numbering);
    }
}
