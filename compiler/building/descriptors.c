/* HID 1.11, 6.2.2: items of a prefix byte and up to four bytes of data. */
#include "compiler/building/descriptors.h"

enum { /* prefixes without their size */
       INPUT = 0x80,
       OUTPUT = 0x90,
       COLLECTION = 0xa0,
       FEATURE = 0xb0,
       END_COLLECTION = 0xc0,
       USAGE_PAGE = 0x04,
       LOGICAL_MINIMUM = 0x14,
       LOGICAL_MAXIMUM = 0x24,
       PHYSICAL_MINIMUM = 0x34,
       PHYSICAL_MAXIMUM = 0x44,
       UNIT = 0x64,
       REPORT_SIZE = 0x74,
       REPORT_ID = 0x84,
       REPORT_COUNT = 0x94,
       USAGE = 0x08,
       USAGE_MINIMUM = 0x18,
       USAGE_MAXIMUM = 0x28
};

enum { ARRAY = 0, CONSTANT = 1, ABSOLUTE = 2, RELATIVE = 6, ABSOLUTE_OR_NONE = 0x42 };
enum { PHYSICAL = 0, APPLICATION = 1, LOGICAL = 2 };
enum { AXIS_MOST = 32767 };

static void put(yt_descriptor *descriptor, unsigned byte) {
    if (descriptor->size == sizeof descriptor->bytes)
        descriptor->is_too_long = true;
    else
        descriptor->bytes[descriptor->size++] = (uint8_t)byte;
}

/* Minima and maxima are signed, all others are not; each takes as few bytes as it can. */
static void item(yt_descriptor *descriptor, unsigned prefix, int32_t data) {
    bool is_signed = prefix == LOGICAL_MINIMUM || prefix == LOGICAL_MAXIMUM ||
                     prefix == PHYSICAL_MINIMUM || prefix == PHYSICAL_MAXIMUM;
    int32_t low1 = is_signed ? INT8_MIN : 0, high1 = is_signed ? INT8_MAX : UINT8_MAX;
    int32_t low2 = is_signed ? INT16_MIN : 0, high2 = is_signed ? INT16_MAX : UINT16_MAX;
    unsigned bytes = data >= low1 && data <= high1 ? 1 : data >= low2 && data <= high2 ? 2 : 4;
    put(descriptor, prefix | (bytes == 4 ? 3 : bytes));
    for (unsigned i = 0; i < bytes; i++)
        put(descriptor, (uint32_t)data >> (8 * i) & 0xff);
}

static void range(yt_descriptor *descriptor, int32_t minimum, int32_t maximum) {
    item(descriptor, LOGICAL_MINIMUM, minimum);
    item(descriptor, LOGICAL_MAXIMUM, maximum);
}

static void size_and_count(yt_descriptor *descriptor, unsigned bits, unsigned count) {
    item(descriptor, REPORT_SIZE, (int32_t)bits);
    item(descriptor, REPORT_COUNT, (int32_t)count);
}

/* Nothing, up to the next whole byte behind `bits` bits. */
static void pad(yt_descriptor *descriptor, unsigned main, unsigned bits) {
    if (bits % 8 == 0)
        return;
    size_and_count(descriptor, 8 - bits % 8, 1);
    item(descriptor, main, CONSTANT);
}

static void begin(yt_descriptor *descriptor, unsigned page, unsigned usage, unsigned id) {
    item(descriptor, USAGE_PAGE, (int32_t)page);
    item(descriptor, USAGE, (int32_t)usage);
    item(descriptor, COLLECTION, APPLICATION);
    if (id)
        item(descriptor, REPORT_ID, (int32_t)id);
}

static void end(yt_descriptor *descriptor) {
    put(descriptor, END_COLLECTION);
}

static void switches(yt_descriptor *descriptor, unsigned page, unsigned first, unsigned count) {
    item(descriptor, USAGE_PAGE, (int32_t)page);
    item(descriptor, USAGE_MINIMUM, (int32_t)first);
    item(descriptor, USAGE_MAXIMUM, (int32_t)(first + count - 1));
    range(descriptor, 0, 1);
    size_and_count(descriptor, 1, count);
    item(descriptor, INPUT, ABSOLUTE);
}

/* Eight positions in degrees; any other number is none. */
static void hats(yt_descriptor *descriptor, unsigned count) {
    item(descriptor, USAGE_PAGE, PAGE_DESKTOP);
    for (unsigned i = 0; i < count; i++)
        item(descriptor, USAGE, 0x39);
    range(descriptor, 0, 7);
    item(descriptor, PHYSICAL_MINIMUM, 0);
    item(descriptor, PHYSICAL_MAXIMUM, 315);
    item(descriptor, UNIT, 0x14);
    size_and_count(descriptor, 4, count);
    item(descriptor, INPUT, ABSOLUTE_OR_NONE);
    item(descriptor, UNIT, 0);
    item(descriptor, PHYSICAL_MAXIMUM, 0); /* physical is logical from here on */
}

static void axes(yt_descriptor *descriptor, const uint8_t *usages, unsigned count) {
    item(descriptor, USAGE_PAGE, PAGE_DESKTOP);
    for (unsigned i = 0; i < count; i++)
        item(descriptor, USAGE, usages[i]);
    range(descriptor, -AXIS_MOST, AXIS_MOST);
    size_and_count(descriptor, 16, count);
    item(descriptor, INPUT, ABSOLUTE);
}

/* The brake, then the accelerator. */
static void triggers(yt_descriptor *descriptor, unsigned count) {
    item(descriptor, USAGE_PAGE, PAGE_SIMULATION);
    for (unsigned i = 0; i < count; i++)
        item(descriptor, USAGE, (int32_t)(0xc5 - i));
    range(descriptor, 0, AXIS_MOST);
    size_and_count(descriptor, 16, count);
    item(descriptor, INPUT, ABSOLUTE);
}

/* Four motors of 0 to 255, on a page that a vendor may use as it likes, and the lights that tell
 * players from one another. */
static void motors_and_lights(yt_descriptor *descriptor) {
    item(descriptor, USAGE_PAGE, 0xff00);
    item(descriptor, USAGE_MINIMUM, 1);
    item(descriptor, USAGE_MAXIMUM, 4);
    item(descriptor, LOGICAL_MINIMUM, 0);
    item(descriptor, LOGICAL_MAXIMUM, 255);
    size_and_count(descriptor, 8, 4);
    item(descriptor, OUTPUT, ABSOLUTE);
    item(descriptor, USAGE_PAGE, PAGE_LIGHT);
    item(descriptor, USAGE, 0x4b);
    range(descriptor, 0, 1);
    size_and_count(descriptor, 1, 4);
    item(descriptor, OUTPUT, ABSOLUTE);
    pad(descriptor, OUTPUT, 4);
}

static void write_counts(yt_descriptor *descriptor, const yt_profile_output *output) {
    static const uint8_t of_sticks[] = {0x30, 0x31, 0x32, 0x35, 0x33, 0x34};
    static const uint8_t of_joystick[] = {0x30, 0x31, 0x32, 0x33, 0x34, 0x35, 0x36, 0x37};
    if (output->buttons)
        switches(descriptor, PAGE_BUTTON, 1, output->buttons);
    if (output->hats)
        hats(descriptor, output->hats);
    pad(descriptor, INPUT, output->buttons + 4 * output->hats);
    if (output->sticks)
        axes(descriptor, of_sticks, 2 * output->sticks);
    if (output->axes)
        axes(descriptor, of_joystick, output->axes);
    if (output->triggers)
        triggers(descriptor, output->triggers);
    if (output->what == OUTPUT_GAMEPAD)
        motors_and_lights(descriptor);
}

/* A bit for every key, so that any number of them can be down; five lights. */
static void write_keyboard(yt_descriptor *descriptor) {
    enum { FIRST_KEY = 0x04, LAST_KEY = 0xa4, KEYS = LAST_KEY - FIRST_KEY + 1 };
    switches(descriptor, PAGE_KEYBOARD, 0xe0, 8);
    switches(descriptor, PAGE_KEYBOARD, FIRST_KEY, KEYS);
    pad(descriptor, INPUT, KEYS);
    item(descriptor, USAGE_PAGE, PAGE_LIGHT);
    item(descriptor, USAGE_MINIMUM, 1);
    item(descriptor, USAGE_MAXIMUM, 5);
    size_and_count(descriptor, 1, 5);
    item(descriptor, OUTPUT, ABSOLUTE);
    pad(descriptor, OUTPUT, 5);
}

/* A wheel of 16 bits whose host may ask for 120 steps a notch (HID Usage Tables, 4.3.1). */
static void wheel(yt_descriptor *descriptor, unsigned page, unsigned usage) {
    item(descriptor, COLLECTION, LOGICAL);
    item(descriptor, USAGE_PAGE, PAGE_DESKTOP);
    item(descriptor, USAGE, 0x48);
    range(descriptor, 0, 1);
    item(descriptor, PHYSICAL_MINIMUM, 1);
    item(descriptor, PHYSICAL_MAXIMUM, 120);
    size_and_count(descriptor, 2, 1);
    item(descriptor, FEATURE, ABSOLUTE);
    item(descriptor, USAGE_PAGE, (int32_t)page);
    item(descriptor, USAGE, (int32_t)usage);
    range(descriptor, -AXIS_MOST, AXIS_MOST);
    item(descriptor, PHYSICAL_MINIMUM, 0);
    item(descriptor, PHYSICAL_MAXIMUM, 0);
    size_and_count(descriptor, 16, 1);
    item(descriptor, INPUT, RELATIVE);
    end(descriptor);
}

static void write_mouse(yt_descriptor *descriptor) {
    item(descriptor, USAGE, 0x01);
    item(descriptor, COLLECTION, PHYSICAL);
    switches(descriptor, PAGE_BUTTON, 1, 8);
    item(descriptor, USAGE_PAGE, PAGE_DESKTOP);
    item(descriptor, USAGE, 0x30);
    item(descriptor, USAGE, 0x31);
    range(descriptor, -AXIS_MOST, AXIS_MOST);
    size_and_count(descriptor, 16, 2);
    item(descriptor, INPUT, RELATIVE);
    wheel(descriptor, PAGE_DESKTOP, 0x38);
    wheel(descriptor, PAGE_CONSUMER, 0x238);
    pad(descriptor, FEATURE, 4);
    end(descriptor);
}

/* Three media keys at a time, each told by its usage. */
static void write_consumer(yt_descriptor *descriptor) {
    item(descriptor, USAGE_MINIMUM, 0);
    item(descriptor, USAGE_MAXIMUM, 0x3ff);
    range(descriptor, 0, 0x3ff);
    size_and_count(descriptor, 16, 3);
    item(descriptor, INPUT, ARRAY);
}

static void write_shape(yt_descriptor *descriptor, const yt_output_shape *shape) {
    unsigned main = shape->from_host ? OUTPUT : INPUT;
    if (!shape->page) {
        size_and_count(descriptor, 1, shape->bits);
        item(descriptor, main, CONSTANT);
        return;
    }
    item(descriptor, USAGE_PAGE, shape->page);
    if (shape->count > 1) {
        item(descriptor, USAGE_MINIMUM, shape->usage);
        item(descriptor, USAGE_MAXIMUM, (int32_t)(shape->usage + shape->count - 1));
    } else {
        item(descriptor, USAGE, shape->usage);
    }
    range(descriptor, shape->minimum, shape->maximum);
    size_and_count(descriptor, shape->bits, shape->count);
    item(descriptor, main,
         shape->is_hat              ? ABSOLUTE_OR_NONE
         : shape->kind == YT_MOTION ? RELATIVE
                                    : ABSOLUTE);
}

void descriptor_write_shapes(yt_descriptor *descriptor, const yt_device_kind *kind,
                             const yt_output_shape *shapes, unsigned count) {
    unsigned id = 0;
    bool is_any = kind->application_page == 0;
    begin(descriptor, is_any ? PAGE_DESKTOP : kind->application_page,
          is_any ? 0x05 : kind->application_usage, 0);
    for (unsigned i = 0; i < count; i++) {
        if (shapes[i].report_id != id)
            item(descriptor, REPORT_ID, (int32_t)shapes[i].report_id);
        id = shapes[i].report_id;
        write_shape(descriptor, &shapes[i]);
    }
    end(descriptor);
}

uint32_t descriptor_application(const yt_profile_output *output) {
    bool is_joystick = output->kind->application_usage == 0x04;
    if (output->what == OUTPUT_COUNTS)
        return (uint32_t)PAGE_DESKTOP << 16 | (is_joystick ? 0x04 : 0x05);
    return (uint32_t)output->kind->application_page << 16 | output->kind->application_usage;
}

void descriptor_write(yt_descriptor *descriptor, const yt_profile_output *output, unsigned id) {
    uint32_t application = descriptor_application(output);
    begin(descriptor, application >> 16, application & 0xffff, id);
    if (output->what == OUTPUT_KEYBOARD)
        write_keyboard(descriptor);
    else if (output->what == OUTPUT_MOUSE)
        write_mouse(descriptor);
    else if (output->what == OUTPUT_CONSUMER)
        write_consumer(descriptor);
    else
        write_counts(descriptor, output);
    end(descriptor);
}
