/* Looks through a device's report descriptor: which inputs it is, and where a control stands. */
#include "in/search.h"
#include "image/layout.h"

#include <string.h>

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

/* Beside the kinds of controls, what a field can be: a hat, or a light or a motor of the device. */
enum { SUITS_HAT = YT_KIND_COUNT, SUITS_TARGET };

/* What a field can be, a bit each. */
static uint8_t suits_of(const yt_hid_field *field) {
    bool variable = field->flags & YT_HID_VARIABLE;
    unsigned suits = 0;
    if (field->bits > 32 || (field->flags & YT_HID_CONSTANT))
        return 0;
    if (field->direction != YT_HID_INPUT)
        return variable ? 1u << SUITS_TARGET : 0;
    if (field->flags & YT_HID_RELATIVE)
        return variable ? 1u << YT_MOTION : 0;
    if (switch_suits(field))
        suits |= 1u << YT_SWITCH;
    if (variable || is_key(field))
        suits |= 1u << YT_LEVEL;
    if (variable)
        suits |= 1u << YT_AXIS | 1u << YT_RATE;
    if (yt_hat_suits(field))
        suits |= 1u << SUITS_HAT;
    return (uint8_t)suits;
}

static bool is_in_application(uint16_t page, uint16_t usage, const yt_program_input *input) {
    return input->application_page == 0 ||
           (page == input->application_page &&
            (usage == input->application_usage ||
             (input->application_other && usage == input->application_other)));
}

/* How many elements of a field have a usage of its range, and the first of them. A usage that
 * stands for all the rest of a field occurs many times. */
static unsigned occurrences(const yt_hid_field *field, unsigned usage, unsigned *first) {
    unsigned at = usage - field->usage_first;
    *first = at;
    if (!(field->flags & YT_HID_VARIABLE))
        return 1;
    if (at >= field->count)
        return 0;
    return usage == field->usage_last ? field->count - at : 1;
}

/* Works out once for a field what is asked of it for each control. */
static void look_over(search *search) {
    unsigned owner = search->owners[search->field.application];
    search->suits = suits_of(&search->field);
    search->inputs = owner < YT_PROGRAM_INPUTS ? (uint32_t)1 << owner : 0;
}

/* How often a usage of an input stands in the field at hand as what it is to be, and the first
 * element that it stands in. What is driven may stand in any collection. */
static unsigned find_in_field(const search *search, unsigned usage, unsigned suits, unsigned input,
                              unsigned *first) {
    const yt_hid_field *field = &search->field;
    if (usage < field->usage_first || usage > field->usage_last || !(search->suits & suits) ||
        (suits != 1u << SUITS_TARGET && !(search->inputs >> input & 1)))
        return 0;
    return occurrences(field, usage, first);
}

void yt_search_begin(search *search) {
    yt_hid_open(&search->reader, search->device->descriptor, search->device->descriptor_size);
    search->field_number = UINT16_MAX;
}

yt_status yt_search_next(search *search) {
    search->field_number++;
    yt_status status = yt_hid_next(&search->reader, &search->field);
    bool is_long =
        search->field_number >= YT_HID_FIELDS || search->field.application >= YT_HID_COLLECTIONS;
    return status == YT_OK && is_long ? YT_HID_LONG : status;
}

static bool is_text(const yt_program *program, unsigned offset, unsigned bytes, const char *text) {
    for (unsigned i = 0; text && i < bytes; i++)
        if (text[i] == 0 || text[i] != *yt_letter_at(program, offset + i))
            return false;
    return text && text[bytes] == 0;
}

/* Adds points for something that an input asks for; false: it is not so. */
static bool score(bool asked, bool is_so, unsigned more, unsigned *points) {
    if (asked)
        *points += more;
    return !asked || is_so;
}

/* What an input asks of the device as a whole: 1 and points for each thing that is so, or 0. */
static unsigned device_points(const yt_program *program, const yt_program_input *input,
                              const yt_device *device, uint32_t checksum) {
    unsigned points = 1;
    bool fits =
        score(input->bus, input->bus == device->bus, 4, &points) &&
        score(input->vendor, input->vendor == device->vendor, 8, &points) &&
        score(input->product, input->product == device->product, 8, &points) &&
        score(input->connector, input->connector == device->connector, 32, &points) &&
        score(input->needs & YT_NEEDS_DESCRIPTOR, input->descriptor == checksum, 16, &points) &&
        score(input->device_name_bytes,
              is_text(program, input->device_name_offset, input->device_name_bytes, device->name),
              16, &points) &&
        score(input->serial_bytes,
              is_text(program, input->serial_offset, input->serial_bytes, device->serial), 64,
              &points);
    return fits ? points : 0;
}

/* The descriptor's checksum is only worked out where an input asks for it. */
static void note_points(search *search, const yt_program *program) {
    uint32_t checksum = 0;
    bool asked = false;
    for (unsigned i = 0; i < program->header->input_count; i++)
        asked |= (yt_input_at(program, i)->needs & YT_NEEDS_DESCRIPTOR) != 0;
    if (asked)
        checksum = yt_checksum(0, search->device->descriptor, search->device->descriptor_size);
    for (unsigned i = 0; i < program->header->input_count; i++)
        search->points[i] = search->device->input != YT_ANY_INPUT && search->device->input != i
                                ? 0
                                : (uint8_t)device_points(program, yt_input_at(program, i),
                                                         search->device, checksum);
}

/* What a field is for the usages that inputs need, a bit for each input: those whose usage it is,
 * and those for which it is of the other type. */
typedef struct needs {
    uint32_t met, other;
} needs;

static void note_needs(const search *search, const yt_program *program, needs *needs) {
    const yt_hid_field *field = &search->field;
    unsigned suits = suits_of(field);
    for (unsigned i = 0; i < program->header->input_count; i++) {
        const yt_program_input *input = yt_input_at(program, i);
        unsigned needed = input->needs & YT_NEEDS_RELATIVE ? 1u << YT_MOTION : 1u << YT_AXIS, first;
        if (!(input->needs & YT_NEEDS_USAGE) || field->usage_page != input->needs_page ||
            input->needs_usage < field->usage_first || input->needs_usage > field->usage_last ||
            !is_in_application(field->application_page, field->application_usage, input) ||
            occurrences(field, input->needs_usage, &first) == 0)
            continue;
        if (suits & needed)
            needs->met |= (uint32_t)1 << i;
        else if (suits & (1u << YT_MOTION | 1u << YT_AXIS))
            needs->other |= (uint32_t)1 << i;
    }
}

/* Reads the whole descriptor: a device without the usage that an input needs does not fit it; one
 * that has it fits better by a point. */
static yt_status note_needs_of_all(search *search, const yt_program *program) {
    needs needs = {0, 0};
    yt_status status;
    yt_search_begin(search);
    while ((status = yt_search_next(search)) == YT_OK)
        note_needs(search, program, &needs);
    for (unsigned i = 0; i < program->header->input_count; i++)
        if ((yt_input_at(program, i)->needs & YT_NEEDS_USAGE) && search->points[i] > 0)
            search->points[i] = needs.met >> i & 1 ? (uint8_t)(search->points[i] + 1) : 0;
    return status == YT_END ? YT_OK : status;
}

/* The input that a collection fits best, of several the earliest; YT_PROGRAM_INPUTS: none. What
 * tells where its pointer is, is not for an input that needs to know how far it moved, and the
 * other way round. */
static unsigned best_input(const search *search, const yt_program *program, uint16_t page,
                           uint16_t usage, const needs *needs) {
    unsigned best = YT_PROGRAM_INPUTS, most = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        const yt_program_input *input = yt_input_at(program, i);
        unsigned points = search->points[i];
        if (points == 0 || !is_in_application(page, usage, input) ||
            (needs->other & ~needs->met) >> i & 1)
            continue;
        if (input->application_page)
            points += usage == input->application_usage ? 2 : 1;
        if (points > most) {
            most = points;
            best = i;
        }
    }
    return best;
}

typedef struct collection {
    uint16_t page, usage;
    unsigned number;
    needs asks;
} collection;

/* Gives a collection to the input that it fits best. */
static void give_collection(search *search, const yt_program *program, const collection *of,
                            uint32_t *inputs) {
    unsigned input = best_input(search, program, of->page, of->usage, &of->asks);
    search->owners[of->number] = (uint8_t)input;
    if (input < YT_PROGRAM_INPUTS)
        *inputs |= (uint32_t)1 << input;
}

/* A keyboard and a mouse in one device are two top-level collections, and each finds its own input.
 * A device without any finds one too: its description may say where its controls are. */
yt_status yt_search_inputs(search *search, const yt_program *program, uint8_t *points,
                           uint32_t *inputs) {
    const yt_hid_field *field = &search->field;
    collection collection = {0};
    *inputs = 0;
    search->points = points;
    note_points(search, program);
    yt_status status = note_needs_of_all(search, program);
    if (status != YT_OK)
        return status;
    yt_search_begin(search);
    while (yt_search_next(search) == YT_OK) {
        if (search->field_number > 0 && field->application != collection.number)
            give_collection(search, program, &collection, inputs);
        if (search->field_number == 0 || field->application != collection.number) {
            collection.page = field->application_page;
            collection.usage = field->application_usage;
            collection.number = field->application;
            collection.asks.met = collection.asks.other = 0;
        }
        note_needs(search, program, &collection.asks);
    }
    give_collection(search, program, &collection, inputs);
    return YT_OK;
}

const yt_program_control *yt_sought_control(const yt_program *program, unsigned index) {
    unsigned controls = program->header->control_count;
    return index < controls ? &program->controls[index] : &program->targets[index - controls];
}

/* What is looked for in a walk: a control's usage, the usage that the other one depends on, or the
 * other one. */
typedef enum walk { WALK_USAGE, WALK_CONDITION, WALK_OTHER } walk;

/* Whether a walk can find something for a control. */
static bool is_open(const yt_program_control *control, const yt_sought *sought, walk walk) {
    if (sought->field != YT_SOUGHT_STILL)
        return false;
    if (walk == WALK_USAGE)
        return true;
    return control->other_page && (walk == WALK_OTHER) == (sought->met || !control->other_if);
}

static unsigned usage_by(const yt_program_control *control, walk walk) {
    return walk == WALK_USAGE       ? control->usage
           : walk == WALK_CONDITION ? control->other_if
                                    : control->other_usage;
}

/* What a field must be for a control or a target, a bit each. A description may say of a knob that
 * tells where it is how it moves. */
static unsigned suits_for(const yt_program *program, unsigned index, walk walk) {
    const yt_program_control *control = yt_sought_control(program, index);
    if (index >= program->header->control_count)
        return 1u << SUITS_TARGET;
    if (control->part && walk != WALK_OTHER)
        return 1u << SUITS_HAT;
    if (control->kind == YT_MOTION && control->place != YT_NO_PLACE &&
        (yt_place_at(program, control->place)->flags & (YT_PLACE_MIDDLE | YT_PLACE_WRAPS)))
        return 1u << YT_MOTION | 1u << YT_AXIS;
    return 1u << control->kind;
}

/* Looks at the field at hand for one control or target. Most of them are of another page. */
static void look_at(const search *search, const yt_program *program, yt_sought *list,
                    unsigned index, walk walk) {
    const yt_program_control *control = yt_sought_control(program, index);
    yt_sought *sought = &list[index];
    unsigned page = walk == WALK_USAGE ? control->page : control->other_page, first;
    if (page != search->field.usage_page || !is_open(control, sought, walk))
        return;
    unsigned count = find_in_field(search, usage_by(control, walk), suits_for(program, index, walk),
                                   control->input, &first);
    if (sought->at >= count) {
        sought->at = (uint16_t)(sought->at - count);
        return;
    }
    if (walk == WALK_CONDITION) {
        sought->met = 1;
        return;
    }
    sought->field = search->field_number & 0x1fffu;
    sought->at = (uint16_t)(first + sought->at);
    sought->other = walk == WALK_OTHER;
}

void yt_search_fields(search *search, const yt_program *program, yt_sought *list, unsigned count) {
    for (unsigned number = WALK_USAGE; number <= WALK_OTHER; number++) {
        walk walk = (enum walk)number;
        for (unsigned i = 0; i < count; i++)
            if (list[i].field == YT_SOUGHT_STILL)
                list[i].at = yt_sought_control(program, i)->occurrence;
        yt_search_begin(search);
        while (yt_search_next(search) == YT_OK) {
            look_over(search);
            for (unsigned i = 0; search->suits && i < count; i++)
                look_at(search, program, list, i, walk);
        }
    }
}

/* A field as a description gives it. */
static void place_field(yt_hid_field *field, const yt_program_place *place) {
    memset(field, 0, sizeof *field);
    field->report_id = place->at.report_id;
    field->bit = place->at.bit;
    field->bits = place->at.bits;
    field->count = 1;
    field->flags = YT_HID_VARIABLE;
    field->minimum = place->flags & YT_PLACE_SIGNED ? -1 : 0;
    field->maximum = 1;
}

bool yt_search_can_have_keys(search *search) {
#ifndef YT_WITHOUT_SHARED_INPUTS
    unsigned page = search->field.usage_page;
    if (search->field_number == YT_SOUGHT_PLACE || (page != PAGE_KEYBOARD && page != PAGE_CONSUMER))
        return false;
    look_over(search);
    return search->suits != 0;
#else
    (void)search;
    return false;
#endif
}

bool yt_search_is_key_again(const search *search, const yt_program *program, unsigned index,
                            yt_sought *here) {
    const yt_program_control *control = yt_sought_control(program, index);
    unsigned first;
    if (search->field.usage_page != control->page || index >= program->header->control_count ||
        control->kind == YT_MOTION || control->occurrence > 0 ||
        find_in_field(search, control->usage, 1u << control->kind, control->input, &first) == 0)
        return false;
    *here = (yt_sought){.at = (uint16_t)first};
    here->field = search->field_number & 0x1fffu;
    return true;
}

void yt_search_give_range(search *search, const yt_program *program, unsigned index) {
    const yt_program_control *control = yt_sought_control(program, index);
    if (search->field_number == YT_SOUGHT_PLACE)
        place_field(&search->field, yt_place_at(program, control->place));
    if (control->place == YT_NO_PLACE)
        return;
    const yt_program_place *place = yt_place_at(program, control->place);
    if (place->flags & YT_PLACE_RANGE) {
        search->field.minimum = yt_range_at(program, place->range)->minimum;
        search->field.maximum = yt_range_at(program, place->range)->maximum;
    }
}
