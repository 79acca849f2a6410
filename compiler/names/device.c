#include "compiler/names/device.h"

#include <string.h>

enum { USAGE_X = 0x30, USAGE_HAT = 0x39 };

void device_fields_read(yt_device_fields *device, const uint8_t *descriptor, size_t size) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    device->count = 0;
    yt_hid_open(&reader, descriptor, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        if (!(field.flags & YT_HID_CONSTANT) && device->count < DEVICE_FIELDS)
            device->fields[device->count++] = field;
    device->status = status == YT_END ? YT_OK : status;
    device->offset = yt_hid_error_offset(&reader);
}

const yt_device_kind *device_field_kind(const yt_device_fields *device, unsigned field) {
    const yt_hid_field *at = &device->fields[field];
    const yt_device_kind *kind = device_kind_of(at->application_page, at->application_usage);
    if (strcmp(kind->name, "mouse") != 0)
        return kind;
    for (unsigned i = 0; i < device->count; i++) {
        const yt_hid_field *other = &device->fields[i];
        if (other->application == at->application && other->usage_page == PAGE_DESKTOP &&
            other->usage_first == USAGE_X)
            return other->flags & YT_HID_RELATIVE ? kind : device_kind_named("tablet");
    }
    return device_kind_named("device");
}

uint16_t element_usage(const yt_hid_field *field, unsigned index) {
    return field->flags & YT_HID_VARIABLE ? yt_hid_usage(field, index)
                                          : (uint16_t)(field->usage_first + index);
}

unsigned element_bit(const yt_hid_field *field, unsigned index) {
    return field->bit + (field->flags & YT_HID_VARIABLE ? index * field->bits : 0);
}

unsigned field_elements(const yt_hid_field *field) {
    return field->flags & YT_HID_VARIABLE ? field->count
                                          : (unsigned)(field->usage_last - field->usage_first) + 1;
}

bool device_element_at(const yt_device_fields *device, yt_hid_direction direction,
                       unsigned report_id, unsigned bit, uint16_t usage, yt_element *element) {
    for (unsigned i = 0; i < device->count; i++) {
        const yt_hid_field *field = &device->fields[i];
        if (field->direction != direction || field->report_id != report_id || bit < field->bit ||
            field->bits == 0)
            continue;
        unsigned index = field->flags & YT_HID_VARIABLE ? (bit - field->bit) / field->bits
                                                        : (unsigned)(usage - field->usage_first);
        if (index < field_elements(field) && element_bit(field, index) == bit &&
            element_usage(field, index) == usage) {
            *element = (yt_element){i, index};
            return true;
        }
    }
    return false;
}

static bool is_hat(const yt_hid_field *field) {
    int64_t positions = field->maximum - field->minimum + 1;
    return (field->flags & YT_HID_VARIABLE) && (positions == 4 || positions == 8) &&
           field->minimum >= 0 && field->minimum <= 8;
}

static bool tells_depth(const yt_hid_field *field) {
    return field->usage_page == PAGE_KEYBOARD || field->usage_page == PAGE_BUTTON ||
           field->usage_page >= 0xff00;
}

#define TURNING                                                                                    \
    (YT_KIND_COUNT + 1u) /* motion, or an axis of which a description says how it moves */

/* Whether a field can be of a type. */
static bool suits(const yt_hid_field *field, unsigned type, bool is_hats, bool is_target) {
    bool variable = field->flags & YT_HID_VARIABLE;
    if (type == TURNING)
        return variable && field->bits <= 32 && !is_target && field->direction == YT_HID_INPUT;
    if (field->bits > 32 || is_target != (field->direction != YT_HID_INPUT))
        return false;
    if (is_target)
        return variable;
    if (field->flags & YT_HID_RELATIVE)
        return variable && type == YT_MOTION;
    if (is_hats)
        return is_hat(field);
    if (type == YT_SWITCH)
        return !variable || tells_depth(field) || field->bits == 1 ||
               (field->minimum == 0 && field->maximum == 1);
    if (type == YT_LEVEL)
        return variable || tells_depth(field);
    return variable && (type == YT_AXIS || type == YT_RATE);
}

bool device_field_suits(const yt_device_fields *device, unsigned number,
                        const yt_device_kind *kind) {
    const yt_hid_field *field = &device->fields[number];
    const yt_device_kind *of = kind->needs_usage ? device_field_kind(device, number) : kind;
    return kind->application_page == 0 ||
           (field->application_page == kind->application_page && (of == kind || !of->needs_usage) &&
            (field->application_usage == kind->application_usage ||
             (kind->application_other && field->application_usage == kind->application_other)));
}

unsigned field_occurrences(const yt_hid_field *field, unsigned usage, unsigned *first) {
    if (usage < field->usage_first || usage > field->usage_last)
        return 0;
    *first = usage - field->usage_first;
    if (!(field->flags & YT_HID_VARIABLE))
        return 1;
    if (*first >= field->count)
        return 0;
    return usage == field->usage_last ? field->count - *first : 1;
}

/* What a usage is looked for as. */
typedef struct wanted {
    uint16_t page, usage;
    unsigned type;
    bool is_hat, is_target;
} wanted;

/* How many elements of a field are what is wanted. */
static unsigned count_in(const yt_device_fields *device, unsigned number,
                         const yt_device_kind *kind, const wanted *wanted, unsigned *first) {
    const yt_hid_field *field = &device->fields[number];
    if (field->usage_page != wanted->page ||
        !suits(field, wanted->type, wanted->is_hat, wanted->is_target) ||
        (!wanted->is_target && !device_field_suits(device, number, kind)))
        return 0;
    return field_occurrences(field, wanted->usage, first);
}

static bool find_nth(const yt_device_fields *device, const yt_device_kind *kind,
                     const wanted *wanted, unsigned occurrence, yt_element *element) {
    for (unsigned i = 0; i < device->count; i++) {
        unsigned first = 0;
        unsigned count = count_in(device, i, kind, wanted, &first);
        if (occurrence < count) {
            *element = (yt_element){i, first + occurrence};
            return true;
        }
        occurrence -= count;
    }
    return false;
}

bool device_control(const yt_device_fields *device, const yt_device_kind *kind,
                    const yt_control_name *meaning, bool is_target, yt_element *element) {
    unsigned type = meaning->is_turning ? TURNING : meaning->kind;
    wanted wanted = {meaning->page, meaning->usage, type, meaning->part != 0, is_target};
    if (find_nth(device, kind, &wanted, meaning->occurrence, element))
        return true;
    if (!meaning->other_page)
        return false;
    wanted.page = meaning->other_page;
    wanted.usage = meaning->other_if;
    if (meaning->other_if && !find_nth(device, kind, &wanted, meaning->occurrence, element))
        return false;
    wanted.usage = meaning->other_usage;
    wanted.is_hat = false;
    return find_nth(device, kind, &wanted, meaning->occurrence, element);
}

/* Which of its usage an element is, as what a name means; -1: it is none such. */
static int occurrence_of(const yt_device_fields *device, const yt_device_kind *kind,
                         const yt_control_name *meaning, bool is_target, yt_element element) {
    const yt_hid_field *field = &device->fields[element.field];
    bool is_usage =
        meaning->page == field->usage_page && meaning->usage == element_usage(field, element.index);
    const wanted wanted = {field->usage_page, element_usage(field, element.index), meaning->kind,
                           is_usage && meaning->part, is_target};
    unsigned before = 0;
    for (unsigned i = 0; i <= element.field; i++) {
        unsigned first = 0, count = count_in(device, i, kind, &wanted, &first);
        if (i < element.field)
            before += count;
        else if (element.index < first || element.index >= first + count)
            return -1;
        else
            before += element.index - first;
    }
    return (int)before;
}

/* Whether a name that may stand for an element does, with which number. */
static bool leads_to(const yt_device_fields *device, const yt_device_kind *kind,
                     yt_control_name *meaning, bool is_nth, bool is_target, yt_element element) {
    yt_element found;
    if (meaning->kind == YT_KIND_COUNT)
        return false;
    int occurrence = occurrence_of(device, kind, meaning, is_target, element);
    if (occurrence < 0 || occurrence > 255)
        return false;
    if (!is_target && control_is_key(meaning)) { /* all of its places are one */
        const yt_hid_field *field = &device->fields[element.field];
        unsigned first = 0;
        field_occurrences(field, meaning->usage, &first);
        return element.index == first;
    }
    if (is_nth && meaning->occurrence != occurrence)
        return false;
    meaning->occurrence = (uint8_t)occurrence;
    return device_control(device, kind, meaning, is_target, &found) &&
           found.field == element.field && found.index == element.index;
}

/* Candidate `index` as the name of an element; false: it is none. */
static bool try_candidate(const yt_device_fields *device, const yt_device_kind *kind,
                          yt_element element, unsigned index, char *text) {
    const yt_hid_field *field = &device->fields[element.field];
    bool is_target = field->direction != YT_HID_INPUT;
    char name[USAGE_NAME_BYTES];
    yt_control_name meaning;
    bool is_nth;
    if (!control_candidate(kind, index, field->usage_page, element_usage(field, element.index),
                           &meaning, &is_nth, name))
        return false;
    uint16_t usage = element_usage(field, element.index);
    unsigned usual = control_own_candidates(kind, field->usage_page, usage);
    bool is_whole_hat = field->usage_page == PAGE_DESKTOP && usage == USAGE_HAT && is_hat(field);
    if (index > usual && meaning.kind != kind_of_field(field, usage))
        return false; /* a type in front of a name is the one that the field tells of */
    if (index >= usual && is_whole_hat)
        return false; /* its directions have names, it has no number */
    bool is_of_target = strncmp(name, "rumble.", strlen("rumble.")) == 0;
    if ((is_of_target && !is_target) ||
        !leads_to(device, kind, &meaning, is_nth, is_target, element))
        return false;
    control_name_number(kind, name, is_nth ? 0 : meaning.occurrence, text);
    return true;
}

bool device_element_name(const yt_device_fields *device, const yt_device_kind *kind,
                         yt_element element, bool own, char *text) {
    const yt_hid_field *field = &device->fields[element.field];
    uint16_t usage = element_usage(field, element.index);
    unsigned owned = control_own_candidates(kind, field->usage_page, usage);
    unsigned all = owned + 1 + YT_KIND_COUNT;
    for (unsigned i = 0; i < all && field->usage_page != 0; i++) { /* page 0 says nothing */
        unsigned index = own ? i : (i + owned) % all;
        if (try_candidate(device, kind, element, index, text))
            return true;
    }
    usage_name(field->usage_page, usage, text);
    return false;
}
