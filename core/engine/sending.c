#include <string.h>

#include "engine/parts.h"
#include "signal/fixed.h"

size_t yt_sending_bytes(const yt_output_layout *layout) {
    return sizeof(yt_sending) + layout->field_count * sizeof(int64_t);
}

/* A hat's number by its directions: clockwise from up; 8, outside of its range, where it is
 * centred. Two opposite directions cancel each other. */
static uint32_t hat_number(unsigned directions) {
    static const uint8_t numbers[16] = {8, 0, 2, 1, 4, 8, 3, 2, 6, 7, 8, 0, 5, 6, 4, 8};
    return numbers[directions & 15];
}

static void set_field(uint8_t *bytes, const yt_output_field *field, uint32_t number) {
    yt_hid_set(bytes, YT_OUTPUT_REPORT_BYTES, field->bit, field->bits, number);
}

void yt_sending_begin(yt_sending *sending, const yt_output_layout *layout) {
    memset(sending, 0, yt_sending_bytes(layout));
    sending->layout = layout;
    sending->waiting_since_us = YT_NEVER;
    for (unsigned i = 0; i < layout->field_count; i++)
        if (layout->fields[i].kind == YT_FIELD_HAT)
            set_field(sending->shown, &layout->fields[i], hat_number(0));
}

static void remove_change(yt_sending *sending, unsigned at) {
    sending->change_count--;
    if (at < sending->view_begin)
        sending->view_begin--;
    memmove(&sending->changes[at], &sending->changes[at + 1],
            (sending->change_count - at) * sizeof(yt_change));
}

/* What a field was before the change at `at`: an earlier change, or what the host saw last. */
static uint32_t number_before(const yt_sending *sending, unsigned at, unsigned field) {
    const yt_output_field *place = &sending->layout->fields[field];
    while (at-- > 0)
        if (sending->changes[at].field == field)
            return sending->changes[at].number;
    return yt_hid_get(sending->shown, sizeof sending->shown, place->bit, place->bits);
}

static int next_of_field(const yt_sending *sending, unsigned at) {
    for (unsigned i = at + 1; i < sending->change_count; i++)
        if (sending->changes[i].field == sending->changes[at].field)
            return (int)i;
    return -1;
}

/* The list is full: the oldest change that a later one of its field follows goes, and with it the
 * later one if nothing is left of it. There is such a pair, as the list is longer than any output
 * has switch fields. What is left ends as it would have. */
static void drop_pair(yt_sending *sending) {
    for (unsigned i = 0; i < sending->change_count; i++) {
        int later = next_of_field(sending, i);
        if (later < 0)
            continue;
        if (sending->changes[later].number == number_before(sending, i, sending->changes[i].field))
            remove_change(sending, (unsigned)later);
        remove_change(sending, i);
        sending->pairs_dropped++;
        return;
    }
}

/* Two parts of a hat that change in one view are one change. */
static void add_change(yt_sending *sending, unsigned field, uint32_t number) {
    for (unsigned i = sending->view_begin; i < sending->change_count; i++)
        if (sending->changes[i].field == field)
            remove_change(sending, i);
    if (number_before(sending, sending->change_count, field) == number)
        return;
    if (sending->change_count == YT_CHANGES)
        drop_pair(sending);
    sending->changes[sending->change_count++] = (yt_change){(uint8_t)field, (uint8_t)number};
}

static void tell_switch(yt_sending *sending, const yt_output_control *control, bool on,
                        uint32_t view) {
    if (sending->view != view) {
        sending->view = view;
        sending->view_begin = sending->change_count;
    }
    int64_t *present = &sending->fields[control->field];
    unsigned part = control->part ? control->part : 1;
    unsigned value = on ? (unsigned)*present | part : (unsigned)*present & ~part;
    *present = value;
    add_change(sending, control->field, control->part ? hat_number(value) : value);
}

/* Axes and motion have a bit each in `touched`. */
static uint32_t touched_bit(const yt_sending *sending, unsigned field) {
    return (uint32_t)1 << (field - sending->layout->switch_fields);
}

static uint64_t counts_of(int64_t owed) {
    return (uint64_t)(owed < 0 ? -owed : owed) >> 16;
}

static void drop_motion(yt_sending *sending, int64_t *owed) {
    sending->motion_dropped += counts_of(*owed);
    *owed = 0;
}

/* Whether the host has left its report for so long that it does not poll. */
static bool was_left(const yt_sending *sending, uint64_t now_us, uint32_t wait_us) {
    return sending->armed && now_us > sending->armed_us && now_us - sending->armed_us > wait_us;
}

static void tell_motion(yt_sending *sending, unsigned field, yt_q16 value, uint64_t now_us,
                        uint32_t wait_us) {
    int64_t *owed = &sending->fields[field];
    *owed += value;
    sending->touched |= touched_bit(sending, field);
    if (was_left(sending, now_us, wait_us))
        drop_motion(sending, owed);
}

void yt_sending_tell(yt_sending *sending, unsigned number, yt_q16 value, uint32_t view,
                     uint64_t now_us, uint32_t wait_us) {
    const yt_output_control *control = &sending->layout->controls[number];
    if (control->kind == YT_SWITCH) {
        tell_switch(sending, control, value != 0, view);
    } else if (control->kind == YT_MOTION) {
        if (value != 0)
            tell_motion(sending, control->field, value, now_us, wait_us);
    } else {
        yt_q16 low = control->kind == YT_LEVEL ? 0 : -YT_ONE;
        sending->fields[control->field] = yt_q16_clamp(value, low, YT_ONE);
        sending->touched |= touched_bit(sending, control->field);
    }
}

void yt_sending_taken(yt_sending *sending, uint64_t now_us, uint32_t wait_us) {
    const yt_output_layout *layout = sending->layout;
    bool left = was_left(sending, now_us, wait_us);
    sending->armed = false;
    sending->taken_us = now_us;
    for (unsigned i = layout->switch_fields; left && i < layout->field_count; i++)
        if (layout->fields[i].kind == YT_FIELD_MOTION)
            drop_motion(sending, &sending->fields[i]);
}

/* How many changes go into one report: the longest run in which no field changes twice. */
static unsigned run_length(const yt_sending *sending) {
    for (unsigned count = 1; count < sending->change_count; count++)
        for (unsigned i = 0; i < count; i++)
            if (sending->changes[i].field == sending->changes[count].field)
                return count;
    return sending->change_count;
}

static bool put_changes(yt_sending *sending) {
    unsigned count = run_length(sending);
    for (unsigned i = 0; i < count; i++) {
        yt_change change = sending->changes[i];
        set_field(sending->shown, &sending->layout->fields[change.field], change.number);
    }
    sending->change_count = (uint8_t)(sending->change_count - count);
    memmove(sending->changes, sending->changes + count, sending->change_count * sizeof(yt_change));
    sending->view_begin = 0;
    return count > 0;
}

/* Takes from what is owed as many whole counts as the field holds. */
static int32_t take_counts(const yt_output_field *field, int64_t *owed) {
    uint64_t counts = counts_of(*owed);
    int32_t most = *owed < 0 ? -field->minimum : field->maximum;
    int32_t taken = counts < (uint64_t)most ? (int32_t)counts : most;
    if (*owed < 0)
        taken = -taken;
    *owed -= (int64_t)taken * 65536;
    return taken;
}

/* Motion that does not fit waits; what has waited for longer than `wait_us` goes. */
static bool put_motion(yt_sending *sending, uint8_t *bytes, unsigned number, uint64_t now_us,
                       uint32_t wait_us) {
    const yt_output_field *field = &sending->layout->fields[number];
    int64_t *owed = &sending->fields[number];
    int32_t taken = take_counts(field, owed);
    set_field(bytes, field, (uint32_t)taken);
    if (counts_of(*owed) == 0)
        return taken != 0;
    if (sending->waiting_since_us == YT_NEVER)
        sending->waiting_since_us = now_us;
    if (now_us - sending->waiting_since_us > wait_us)
        drop_motion(sending, owed);
    else
        sending->touched |= touched_bit(sending, number);
    return true;
}

static bool put_axis(yt_sending *sending, unsigned number) {
    const yt_output_field *field = &sending->layout->fields[number];
    uint32_t mask = ((uint32_t)1 << field->bits) - 1;
    uint32_t raw =
        (uint32_t)yt_scale_number((yt_q16)sending->fields[number], (uint16_t)field->maximum) & mask;
    if (yt_hid_get(sending->shown, sizeof sending->shown, field->bit, field->bits) == raw)
        return false;
    set_field(sending->shown, field, raw);
    return true;
}

/* Axes go into `shown`, where the next report finds them; motion only into this report, since it
 * counts once. */
static bool put_touched(yt_sending *sending, uint8_t *motion, uint64_t now_us, uint32_t wait_us) {
    uint32_t touched = sending->touched;
    bool news = false;
    sending->touched = 0;
    for (unsigned number = sending->layout->switch_fields; touched; number++, touched >>= 1) {
        if (!(touched & 1))
            continue;
        if (sending->layout->fields[number].kind == YT_FIELD_MOTION)
            news |= put_motion(sending, motion, number, now_us, wait_us);
        else
            news |= put_axis(sending, number);
    }
    if (!sending->touched)
        sending->waiting_since_us = YT_NEVER;
    return news;
}

size_t yt_sending_report(yt_sending *sending, uint8_t *bytes, size_t size, uint64_t now_us,
                         uint32_t wait_us) {
    size_t length = sending->layout->report_bytes;
    if (now_us < sending->taken_us) /* the engine was last updated before that */
        now_us = sending->taken_us;
    if (size < length || !yt_sending_is_ready(sending))
        return 0;
    uint8_t motion[YT_OUTPUT_REPORT_BYTES] = {0};
    bool changed = put_changes(sending);
    bool moved = put_touched(sending, motion, now_us, wait_us);
    if (!changed && !moved)
        return 0;
    for (size_t i = 0; i < length; i++)
        bytes[i] = sending->shown[i] | motion[i];
    sending->armed = true;
    sending->armed_us = now_us;
    return length;
}
