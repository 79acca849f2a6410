#include "ports/sim/host.h"

#include <string.h>

enum { PAGE_KEYBOARD = 0x07 };

bool host_control_is_switch(const host_control *control) {
    return !control->is_relative && control->minimum == 0 && control->maximum == 1;
}

/* Usage 0 of an array stands for nothing pressed, and the first usages of the keyboard page for
 * errors. */
static bool is_no_key(const host_control *control, bool in_array) {
    return (control->usage == 0 && in_array) ||
           (control->page == PAGE_KEYBOARD && control->usage <= 3);
}

static unsigned controls_of(const yt_hid_field *field) {
    return field->flags & YT_HID_VARIABLE ? field->count
                                          : (unsigned)(field->usage_last - field->usage_first) + 1;
}

static void add_field(sim_host *host, const yt_hid_field *field) {
    bool variable = field->flags & YT_HID_VARIABLE;
    unsigned count = controls_of(field);
    if (field->direction != host->direction || (field->flags & YT_HID_CONSTANT) ||
        field->bits > 32 || host->field_count == HOST_FIELDS ||
        count > HOST_CONTROLS - host->control_count)
        return;
    host->first_control[host->field_count] = host->control_count;
    host->fields[host->field_count++] = *field;
    for (unsigned i = 0; i < count; i++)
        host->controls[host->control_count++] = (host_control){
            .page = field->usage_page,
            .usage = variable ? yt_hid_usage(field, i) : (uint16_t)(field->usage_first + i),
            .bit = (uint16_t)(field->bit + (variable ? i * field->bits : 0)),
            .report_id = field->report_id,
            .application_page = field->application_page,
            .application_usage = field->application_usage,
            .is_relative = (field->flags & YT_HID_RELATIVE) && variable,
            .minimum = variable ? field->minimum : 0,
            .maximum = variable ? field->maximum : 1,
            .value = variable && (field->flags & YT_HID_NULL_STATE) ? field->maximum + 1 : 0};
}

void sim_host_add_field(sim_host *host, const yt_hid_field *field) {
    unsigned end = field->bit + (unsigned)field->bits * field->count;
    add_field(host, field);
    if (host->report_bits[field->report_id] < end)
        host->report_bits[field->report_id] = (uint16_t)end;
    host->uses_ids |= field->report_id != 0;
}

yt_status sim_host_enumerate(sim_host *host, const uint8_t *descriptor, size_t size,
                             size_t *offset) {
    return sim_host_enumerate_for(host, YT_HID_INPUT, descriptor, size, offset);
}

yt_status sim_host_enumerate_for(sim_host *host, yt_hid_direction direction,
                                 const uint8_t *descriptor, size_t size, size_t *offset) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    memset(host, 0, sizeof *host);
    host->direction = (uint8_t)direction;
    yt_hid_open(&reader, descriptor, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        add_field(host, &field);
    *offset = yt_hid_error_offset(&reader);
    host->uses_ids = yt_hid_uses_ids(&reader);
    for (unsigned id = 0; id < 256; id++)
        host->report_bits[id] = yt_hid_report_bits(&reader, direction, (uint8_t)id);
    return status == YT_END ? YT_OK : status;
}

void sim_host_turns(host_control *control, sim_turning turning) {
    control->is_relative = true;
    control->turning = turning;
    control->turning.is_so = true;
}

/* How far it moved: of a knob that tells where it is the shorter way, and nothing the first time.
 */
static int64_t turned(sim_turning *turning, int64_t number) {
    int64_t span = turning->maximum - turning->minimum + 1, moved = number - turning->rest;
    if (number < turning->minimum || number > turning->maximum)
        return 0;
    if (turning->wraps) {
        moved = !turning->is_placed  ? 0
                : 2 * moved > span   ? moved - span
                : 2 * moved <= -span ? moved + span
                                     : moved;
        turning->rest = number;
        turning->is_placed = true;
    }
    return turning->turned ? -moved : moved;
}

static void set_control(host_control *control, int64_t value, host_change *change, void *context) {
    if (control->turning.is_so)
        value = turned(&control->turning, value);
    bool tells = control->is_relative ? value != 0 : value != control->value;
    control->value = value;
    if (control->is_relative)
        control->sum += value;
    if (tells && change)
        change(context, control);
}

static bool array_tells_error(const yt_hid_field *field, const uint8_t *bytes, size_t size) {
    for (unsigned i = 0; field->usage_page == PAGE_KEYBOARD && i < field->count; i++) {
        int64_t number = yt_hid_element(field, bytes, size, i);
        if (number >= 1 && number <= 3)
            return true;
    }
    return false;
}

static bool array_holds(const yt_hid_field *field, const uint8_t *bytes, size_t size,
                        int64_t number) {
    for (unsigned i = 0; i < field->count; i++)
        if (yt_hid_element(field, bytes, size, i) == number)
            return true;
    return false;
}

static void read_field(sim_host *host, unsigned index, const uint8_t *bytes, size_t size,
                       host_change *change, void *context) {
    const yt_hid_field *field = &host->fields[index];
    host_control *controls = &host->controls[host->first_control[index]];
    bool variable = field->flags & YT_HID_VARIABLE;
    if (!variable && array_tells_error(field, bytes, size))
        return;
    for (unsigned i = 0; i < controls_of(field); i++) {
        int64_t value;
        if (variable)
            value = yt_hid_element(field, bytes, size, i);
        else
            value = array_holds(field, bytes, size, field->number_first + i);
        if (!is_no_key(&controls[i], !variable))
            set_control(&controls[i], value, change, context);
    }
}

bool sim_host_report(sim_host *host, const uint8_t *bytes, size_t size, host_change *change,
                     void *context) {
    uint8_t id = 0;
    if (host->uses_ids) {
        if (size == 0)
            return false;
        id = *bytes++;
        size--;
    }
    if (host->report_bits[id] == 0 || size < (host->report_bits[id] + 7u) / 8)
        return false;
    for (unsigned i = 0; i < host->field_count; i++)
        if (host->fields[i].report_id == id)
            read_field(host, i, bytes, size, change, context);
    return true;
}

const host_control *sim_host_control(const sim_host *host, uint16_t page, uint16_t usage) {
    for (unsigned i = 0; i < host->control_count; i++)
        if (host->controls[i].page == page && host->controls[i].usage == usage)
            return &host->controls[i];
    return NULL;
}
