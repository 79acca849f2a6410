#include "compiler/names.h"

#include <string.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

static const input_control input_controls[] = {
#define YT_INPUT_CONTROL(name, page, usage, kind) {name, page, usage, kind},
#include "compiler/controls.def"
#undef YT_INPUT_CONTROL
};

enum { PAGE_DESKTOP = 0x01, PAGE_KEYBOARD = 0x07, PAGE_BUTTON = 0x09 };
enum { USAGE_X = 0x30, USAGE_WHEEL = 0x38 };

static bool is_key(const input_control *control) {
    return control->page == PAGE_KEYBOARD;
}

static bool is_of_mouse(const input_control *control) {
    return control->page == PAGE_BUTTON || control->kind == YT_MOTION;
}

static bool is_of_tablet(const input_control *control) {
    return control->page == PAGE_BUTTON || control->kind == YT_AXIS ||
           control->usage == USAGE_WHEEL;
}

const input_kind input_kinds[] = {
    {"keyboard", "a keyboard or keypad", "space", 0x01, 0x06, 0, 0, 0, is_key},
    {"mouse", "a mouse, trackball or touchpad that tells how far it moved", "motion", 0x01, 0x02,
     PAGE_DESKTOP, USAGE_X, YT_NEEDS_USAGE | YT_NEEDS_RELATIVE, is_of_mouse},
    {"tablet", "a tablet or screen that tells where its pointer is", "x", 0x01, 0x02, PAGE_DESKTOP,
     USAGE_X, YT_NEEDS_USAGE, is_of_tablet}};

const size_t input_kind_count = COUNT(input_kinds);

const input_kind *input_kind_named(const char *name) {
    for (size_t i = 0; i < COUNT(input_kinds); i++)
        if (strcmp(input_kinds[i].name, name) == 0)
            return &input_kinds[i];
    return NULL;
}

static bool is_text(const char *text, const char *name, size_t length) {
    return strlen(text) == length && memcmp(text, name, length) == 0;
}

const input_control *input_control_named(const input_kind *kind, const char *name, size_t length) {
    for (size_t i = 0; i < COUNT(input_controls); i++)
        if (is_text(input_controls[i].name, name, length) && kind->has(&input_controls[i]))
            return &input_controls[i];
    return NULL;
}

const char *input_control_name(uint16_t page, uint16_t usage, bool is_relative) {
    for (size_t i = 0; i < COUNT(input_controls); i++)
        if (input_controls[i].page == page && input_controls[i].usage == usage &&
            (input_controls[i].kind == YT_MOTION) == is_relative)
            return input_controls[i].name;
    return NULL;
}

size_t input_control_names(const input_kind *kind, const char **names, size_t most) {
    size_t count = 0;
    for (size_t i = 0; i < COUNT(input_controls) && count < most; i++)
        if (kind->has(&input_controls[i]))
            names[count++] = input_controls[i].name;
    return count;
}

static const char *const output_kind_names[] = {[YT_GAMEPAD] = "gamepad", [YT_MOUSE] = "mouse"};

unsigned output_kind_named(const char *name) {
    for (unsigned i = YT_GAMEPAD; i < YT_OUTPUT_KIND_COUNT; i++)
        if (strcmp(output_kind_names[i], name) == 0)
            return i;
    return 0;
}

const char *output_kind_name(unsigned kind) {
    return kind >= YT_GAMEPAD && kind < YT_OUTPUT_KIND_COUNT ? output_kind_names[kind] : NULL;
}

typedef struct output_name {
    uint8_t output;
    const char *name;
} output_name;

/* In the order of their numbers, output by output. */
static const output_name output_names[] = {
#define YT_OUTPUT_CONTROL(output, name, kind, field, part) {YT_##output, name},
#include "yonder/outputs.def"
#undef YT_OUTPUT_CONTROL
};

int output_control_named(unsigned kind, const char *name, size_t length) {
    int number = 0;
    for (size_t i = 0; i < COUNT(output_names); i++) {
        if (output_names[i].output != kind)
            continue;
        if (is_text(output_names[i].name, name, length))
            return number;
        number++;
    }
    return -1;
}

const char *output_control_name(unsigned kind, unsigned control) {
    unsigned number = 0;
    for (size_t i = 0; i < COUNT(output_names); i++)
        if (output_names[i].output == kind && number++ == control)
            return output_names[i].name;
    return NULL;
}
