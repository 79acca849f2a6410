/* Looks through a device's report descriptor: which inputs it is, and where a control stands. */
#include "engine/search.h"

#include <string.h>

/* What is looked for in a report descriptor. */
typedef struct hid_wanted {
    const yt_program_input *input;
    uint16_t page;
    uint16_t usage;
    uint8_t occurrence;
    uint8_t kind;
    bool is_hat;
    bool is_target; /* a light or a motor, in a report to the device */
} hid_wanted;

/* Keys, buttons, and what is on a maker's own page: some tell how deep they are. */
static bool is_key(const yt_hid_field *field) {
    return field->usage_page == PAGE_KEYBOARD || field->usage_page == PAGE_BUTTON ||
           field->usage_page >= PAGE_VENDOR;
}

/* A key that tells how deep it is serves as a switch too. */
static bool switch_suits(const yt_hid_field *field) {
    return !(field->flags & YT_HID_VARIABLE) || is_key(field) || field->bits == 1 ||
           (field->minimum == 0 && field->maximum == 1);
}

/* A hat has four or eight positions; fewer or more mean something else. */
bool yt_hat_suits(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return (field->flags & YT_HID_VARIABLE) && (positions == 4 || positions == 8) &&
           field->minimum >= 0 && field->minimum <= 8;
}

static bool kind_suits(const yt_hid_field *field, const hid_wanted *wanted) {
    bool variable = field->flags & YT_HID_VARIABLE;
    if (field->bits > 32)
        return false;
    if (wanted->is_target)
        return variable;
    if (wanted->kind == YT_MOTION)
        return variable && (field->flags & YT_HID_RELATIVE);
    if (field->flags & YT_HID_RELATIVE)
        return false;
    if (wanted->is_hat)
        return yt_hat_suits(field);
    return wanted->kind == YT_SWITCH  ? switch_suits(field)
           : wanted->kind == YT_LEVEL ? variable || is_key(field)
                                      : variable;
}

static bool is_in_application(uint16_t page, uint16_t usage, const yt_program_input *input) {
    return input->application_page == 0 ||
           (page == input->application_page &&
            (usage == input->application_usage ||
             (input->application_other && usage == input->application_other)));
}

/* How many elements of a field have the usage, and the first of them. A usage that stands for all
 * the rest of a field occurs many times. */
static unsigned occurrences(const yt_hid_field *field, unsigned usage, unsigned *first) {
    unsigned at = usage - field->usage_first;
    *first = at;
    if (usage < field->usage_first || usage > field->usage_last)
        return 0;
    if (!(field->flags & YT_HID_VARIABLE))
        return 1;
    if (at >= field->count)
        return 0;
    return usage == field->usage_last ? field->count - at : 1;
}

static void begin_search(search *search) {
    yt_hid_open(&search->reader, search->device->descriptor, search->device->descriptor_size);
}

/* Finds where a control stands. YT_END: nowhere; YT_HID_…: the descriptor is broken. */
static yt_status find_usage(search *search, const hid_wanted *wanted) {
    const yt_hid_field *field = &search->field;
    unsigned left = wanted->occurrence;
    begin_search(search);
    for (;;) {
        yt_status status = yt_hid_next(&search->reader, &search->field);
        if (status != YT_OK)
            return status;
        if ((field->direction != YT_HID_INPUT) != wanted->is_target ||
            (field->flags & YT_HID_CONSTANT) || field->usage_page != wanted->page ||
            !kind_suits(field, wanted) ||
            !(wanted->is_target ||
              is_in_application(field->application_page, field->application_usage, wanted->input)))
            continue;
        unsigned count = occurrences(field, wanted->usage, &search->element);
        if (left < count) {
            search->element += left;
            return YT_OK;
        }
        left -= count;
    }
}

/* Reads the descriptor to its end; the reader then knows how long the reports are. */
yt_status yt_search_whole(search *search) {
    yt_status status;
    begin_search(search);
    do
        status = yt_hid_next(&search->reader, &search->field);
    while (status == YT_OK);
    return status == YT_END ? YT_OK : status;
}

static bool is_text(const yt_program *program, unsigned offset, unsigned bytes, const char *text) {
    return text && strlen(text) == bytes && memcmp(program->text + offset, text, bytes) == 0;
}

/* What an input asks of the device as a whole: points for each thing that is so, or -1. */
static int device_fitness(const yt_program *program, const yt_program_input *input,
                          const yt_device *device) {
    int score = 0;
    const struct {
        bool asked, is_so;
        uint8_t points;
    } terms[] = {
        {input->serial_bytes,
         is_text(program, input->serial_offset, input->serial_bytes, device->serial), 64},
        {input->connector, input->connector == device->connector, 32},
        {input->needs & YT_NEEDS_DESCRIPTOR,
         input->descriptor == yt_checksum(0, device->descriptor, device->descriptor_size), 16},
        {input->device_name_bytes,
         is_text(program, input->device_name_offset, input->device_name_bytes, device->name), 16},
        {input->product, input->product == device->product, 8},
        {input->vendor, input->vendor == device->vendor, 8},
        {input->bus, input->bus == device->bus, 4}};
    for (size_t i = 0; i < sizeof terms / sizeof terms[0]; i++) {
        if (terms[i].asked && !terms[i].is_so)
            return -1;
        score += terms[i].asked ? terms[i].points : 0;
    }
    return score;
}

/* How well one top-level collection of a device fits an input: 0 not at all; more for each thing
 * that the input asks for. */
static unsigned fitness(const yt_program *program, search *search, unsigned number) {
    const yt_program_input *input = &program->inputs[number];
    int score = device_fitness(program, input, search->device);
    if (score < 0 || !is_in_application(search->application_page, search->application_usage, input))
        return 0;
    if (input->application_page)
        score += search->application_usage == input->application_usage ? 2 : 1;
    if (input->needs & YT_NEEDS_USAGE) {
        bool relative = input->needs & YT_NEEDS_RELATIVE;
        hid_wanted wanted = {.input = input,
                             .page = input->needs_page,
                             .usage = input->needs_usage,
                             .kind = relative ? YT_MOTION : YT_AXIS};
        if (find_usage(search, &wanted) != YT_OK)
            return 0;
        score++;
    }
    return (unsigned)score + 1;
}

/* The input that fits the collection at hand best, of several the earliest; YT_ANY_INPUT: none. */
static unsigned best_input(const yt_program *program, search *search) {
    unsigned best = YT_ANY_INPUT, best_score = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        if (search->device->input != YT_ANY_INPUT && search->device->input != i)
            continue;
        unsigned score = fitness(program, search, i);
        if (score > best_score) {
            best = i;
            best_score = score;
        }
    }
    return best;
}

/* Goes to the top-level collection `number`, or to the next one behind it that has a field. */
static bool find_collection(search *search, unsigned *number) {
    begin_search(search);
    while (yt_hid_next(&search->reader, &search->field) == YT_OK) {
        if (search->field.application < *number)
            continue;
        *number = search->field.application;
        search->application_page = search->field.application_page;
        search->application_usage = search->field.application_usage;
        return true;
    }
    return false;
}

static uint32_t input_bit(unsigned input) {
    return input == YT_ANY_INPUT ? 0 : (uint32_t)1 << input;
}

/* The inputs that a device is taken for, a bit each. A keyboard and a mouse in one device are two
 * top-level collections, and each finds its own input. A device without any finds one too: its
 * description may say where its controls are. */
uint32_t yt_search_inputs(search *search, const yt_program *program) {
    uint32_t inputs = 0;
    unsigned number = 0;
    if (!find_collection(search, &number))
        return input_bit(best_input(program, search));
    for (; find_collection(search, &number); number++)
        inputs |= input_bit(best_input(program, search));
    return inputs;
}

/* A field as a description gives it. */
static void place_field(yt_hid_field *field, const yt_program_place *place) {
    memset(field, 0, sizeof *field);
    field->report_id = place->report_id;
    field->bit = place->bit;
    field->bits = place->bits;
    field->count = 1;
    field->flags = YT_HID_VARIABLE;
    field->minimum = place->flags & YT_PLACE_SIGNED ? -1 : 0;
    field->maximum = 1;
}

/* Finds a control of the program: at its place, by its usage, or by the other one. A range that is
 * given stands for the field's own. */
yt_status yt_search_control(search *search, const yt_program *program,
                            const yt_program_control *control, bool is_target) {
    const yt_program_place *place =
        control->place == YT_NO_PLACE ? NULL : &program->places[control->place];
    hid_wanted wanted = {.input = &program->inputs[control->input],
                         .page = control->page,
                         .usage = control->usage,
                         .occurrence = control->occurrence,
                         .kind = control->kind,
                         .is_hat = control->part,
                         .is_target = is_target};
    yt_status status = YT_OK;
    search->element = 0;
    if (place && (place->flags & YT_PLACE_HERE))
        place_field(&search->field, place);
    else
        status = find_usage(search, &wanted);
    if (status == YT_END && control->other_page) {
        wanted.page = control->other_page;
        wanted.usage = control->other_if;
        status = control->other_if ? find_usage(search, &wanted) : YT_OK;
        wanted.usage = control->other_usage;
        wanted.is_hat = false;
        status = status == YT_OK ? find_usage(search, &wanted) : status;
    }
    if (status == YT_OK && place && (place->flags & YT_PLACE_RANGE)) {
        search->field.minimum = program->ranges[place->range].minimum;
        search->field.maximum = program->ranges[place->range].maximum;
    }
    return status;
}
