/* What a report tells: switches in the order in which they changed, then axes, levels and motion.
 */
#include <string.h>

#include "engine/parts.h"
#include "signal/fixed.h"

#define BOOT_COUNTS 127 /* the farthest that a boot mouse can tell of in one report */

static unsigned analog_count(const yt_program_report *report) {
    return (unsigned)(report->root_count - report->switch_count);
}

size_t yt_sending_bytes(const yt_program_report *report) {
    return sizeof(yt_sending) + analog_count(report) * sizeof(int64_t) + report->bytes +
           report->switch_count;
}

void yt_sending_begin(yt_sending *sending, const yt_program *program,
                      const yt_program_report *report) {
    memset(sending, 0, yt_sending_bytes(report));
    sending->report = report;
    sending->roots = &program->roots[report->first_root];
    sending->ranges = program->ranges;
    sending->rest = &program->blob[report->rest_offset];
    sending->shown = (uint8_t *)(sending->values + analog_count(report));
    sending->switches = sending->shown + report->bytes;
    sending->waiting_since_us = YT_NEVER;
    memcpy(sending->shown, sending->rest, report->bytes);
}

static void set_bit(uint8_t *bits, unsigned mask, bool on) {
    *bits = (uint8_t)(on ? *bits | mask : *bits & ~mask);
}

/* A hat's directions as directions that count: two opposite ones cancel each other. */
static unsigned without_opposites(unsigned directions) {
    if ((directions & 5) == 5)
        directions &= ~5u;
    return (directions & 10) == 10 ? directions & ~10u : directions;
}

/* What a switch, or the hat that `lead` leads, is by YT_HELD or YT_TOLD. */
static unsigned state_of(const yt_sending *sending, unsigned mask, unsigned lead) {
    const yt_program_root *roots = sending->roots;
    unsigned state = 0;
    if (roots[lead].kind != YT_ROOT_HAT)
        return (sending->switches[lead] & mask) != 0;
    for (unsigned k = lead; k < sending->report->switch_count && roots[k].lead == lead; k++)
        if (sending->switches[k] & mask)
            state |= roots[k].part;
    return without_opposites(state);
}

/* Notes whether a lead has a change in the list, and which of its changes is not the first: so
 * nothing is searched for in the list that is not there. */
static void note_lead(yt_sending *sending, unsigned lead) {
    uint8_t *known = &sending->switches[lead];
    set_bit(known, YT_WAITING, false);
    for (unsigned i = 0; i < sending->change_count; i++) {
        yt_change *change = &sending->changes[i];
        if (change->lead != lead)
            continue;
        change->again = (*known & YT_WAITING) != 0;
        *known |= YT_WAITING;
    }
}

static void take_out(yt_sending *sending, unsigned at, unsigned count) {
    sending->change_count = (uint8_t)(sending->change_count - count);
    if (at < sending->view_begin)
        sending->view_begin = (uint8_t)(sending->view_begin - count);
    memmove(&sending->changes[at], &sending->changes[at + count],
            (sending->change_count - at) * sizeof(yt_change));
}

static void remove_change(yt_sending *sending, unsigned at) {
    unsigned lead = sending->changes[at].lead;
    take_out(sending, at, 1);
    note_lead(sending, lead);
}

/* The change of a lead before the change at `at`; -1 if there is none. */
static int last_of(const yt_sending *sending, unsigned at, unsigned lead) {
    if (!(sending->switches[lead] & YT_WAITING))
        return -1;
    while (at-- > 0)
        if (sending->changes[at].lead == lead)
            return (int)at;
    return -1;
}

/* What a lead is after its change at `at`; below 0: as the host was told last. */
static unsigned state_at(const yt_sending *sending, int at, unsigned lead) {
    return at >= 0 ? sending->changes[at].now : state_of(sending, YT_TOLD, lead);
}

static unsigned state_before(const yt_sending *sending, unsigned at, unsigned lead) {
    return state_at(sending, last_of(sending, at, lead), lead);
}

static int next_of(const yt_sending *sending, unsigned at) {
    for (unsigned i = at + 1; i < sending->change_count; i++)
        if (sending->changes[i].lead == sending->changes[at].lead)
            return (int)i;
    return -1;
}

/* The list is full: the oldest change that a later one of its lead follows goes, and with it the
 * later one if nothing is left of it. What is left ends as it would have. */
static bool drop_pair(yt_sending *sending) {
    for (unsigned i = 0; i < sending->change_count; i++) {
        int later = next_of(sending, i);
        if (later < 0)
            continue;
        if (sending->changes[later].now == state_before(sending, i, sending->changes[i].lead))
            take_out(sending, (unsigned)later, 1);
        remove_change(sending, i);
        sending->pairs_dropped++;
        return true;
    }
    return false;
}

/* A full list without such a pair holds as many leads as it has room for. A change of one of them
 * takes the place of the one that it follows; of another lead only the state is kept, and told once
 * the list has room. */
static bool make_room(yt_sending *sending, unsigned lead) {
    int last;
    if (drop_pair(sending))
        return true;
    last = last_of(sending, sending->change_count, lead);
    if (last < 0) {
        sending->owes = true;
        return false;
    }
    remove_change(sending, (unsigned)last);
    sending->pairs_dropped++;
    return true;
}

/* Two parts of a hat that change in one view are one change. */
static void add_change(yt_sending *sending, unsigned lead, unsigned now) {
    int last = last_of(sending, sending->change_count, lead);
    if (last >= sending->view_begin) {
        remove_change(sending, (unsigned)last);
        last = last_of(sending, sending->change_count, lead);
    }
    if (state_at(sending, last, lead) == now)
        return;
    if (sending->change_count == YT_CHANGES &&
        (!make_room(sending, lead) || state_before(sending, sending->change_count, lead) == now))
        return;
    yt_change *change = &sending->changes[sending->change_count++];
    change->lead = (uint8_t)lead;
    change->now = now & 15;
    change->again = (sending->switches[lead] & YT_WAITING) != 0;
    set_bit(&sending->switches[lead], YT_WAITING, true);
}

static void tell_switch(yt_sending *sending, unsigned number, bool on, uint32_t view) {
    unsigned lead = sending->roots[number].lead;
    if (sending->view != view) {
        sending->view = view;
        sending->view_begin = sending->change_count;
    }
    set_bit(&sending->switches[number], YT_HELD, on);
    add_change(sending, lead, state_of(sending, YT_HELD, lead));
}

/* Whole counts without their sign. Shifted in halves: a Cortex-M0 has to call a function for the
 * whole. */
static uint64_t counts_of(int64_t owed) {
    uint64_t size = owed < 0 ? 0u - (uint64_t)owed : (uint64_t)owed;
    uint32_t high = (uint32_t)(size >> 32), low = (uint32_t)size;
    return (uint64_t)(high >> 16) << 32 | (high << 16 | low >> 16);
}

/* What is owed saturates here, at 2^40 counts, long before the sum could go over. */
#define OWED_MOST ((int64_t)1 << 56)

static void drop_motion(yt_sending *sending, int64_t *owed) {
    sending->motion_dropped += counts_of(*owed);
    *owed = 0;
}

static void saturate(yt_sending *sending, int64_t *owed) {
    int64_t most = *owed < 0 ? -OWED_MOST : OWED_MOST;
    int64_t over = *owed - most;
    *owed = most;
    drop_motion(sending, &over);
}

void yt_sending_drop_motion(yt_sending *sending) {
    unsigned first = sending->report->switch_count;
    for (unsigned k = first; k < sending->report->root_count; k++)
        if (sending->roots[k].kind == YT_ROOT_MOTION)
            drop_motion(sending, &sending->values[k - first]);
}

/* Whether the host has left its report for so long that it does not poll. */
static bool was_left(const yt_endpoint *endpoint, uint64_t now_us, uint32_t wait_us) {
    return endpoint->suspended || (endpoint->armed && now_us > endpoint->armed_us &&
                                   now_us - endpoint->armed_us > wait_us);
}

/* Whether the host has asked for a wheel's high resolution. */
static bool tells_120ths(const yt_endpoint *endpoint, const yt_program_root *root) {
    return root->multiplier && !endpoint->boot &&
           (endpoint->features >> (root->multiplier - 1) & 1);
}

void yt_sending_tell(yt_sending *sending, const yt_endpoint *endpoint, unsigned number,
                     yt_q16 value, uint32_t view, uint64_t now_us, uint32_t wait_us) {
    unsigned kind = sending->roots[number].kind;
    if (kind < YT_ROOT_AXIS) {
        tell_switch(sending, number, value != 0, view);
        return;
    }
    unsigned analog = number - sending->report->switch_count;
    int64_t *at = &sending->values[analog];
    sending->touched |= (uint32_t)1 << analog;
    if (kind == YT_ROOT_MOTION) {
        *at += tells_120ths(endpoint, &sending->roots[number]) ? (int64_t)value * 120 : value;
        if (was_left(endpoint, now_us, wait_us))
            drop_motion(sending, at);
        else if (*at > OWED_MOST || *at < -OWED_MOST)
            saturate(sending, at);
    } else {
        *at = yt_q16_clamp(value, kind == YT_ROOT_LEVEL ? 0 : -YT_ONE, YT_ONE);
    }
}

#define RAW ((int64_t)1 << 40) /* beside a raw number in place of a value */

void yt_sending_tell_raw(yt_sending *sending, unsigned number, int32_t raw) {
    unsigned analog = number - sending->report->switch_count;
    sending->touched |= (uint32_t)1 << analog;
    sending->values[analog] = RAW + raw;
}

static bool is_key(unsigned kind) {
    return kind == YT_ROOT_KEY || kind == YT_ROOT_KEY_IN_ARRAY;
}

/* How many changes go into one report: the longest run in which nothing changes twice, and no
 * modifier follows a key, since a host looks at the modifiers of a report first. */
static unsigned run_length(const yt_sending *sending) {
    bool any_key = false;
    for (unsigned count = 0; count < sending->change_count; count++) {
        unsigned kind = sending->roots[sending->changes[count].lead].kind;
        if (sending->changes[count].again || (kind == YT_ROOT_MODIFIER && any_key))
            return count;
        any_key = any_key || is_key(kind);
    }
    return sending->change_count;
}

static void set_field(const yt_sending *sending, uint8_t *bytes, unsigned bit, unsigned bits,
                      uint32_t number) {
    yt_hid_set(bytes, sending->report->bytes, bit, bits, number);
}

/* As it stands at rest. */
static uint32_t rest_of(const yt_sending *sending, unsigned bit, unsigned bits) {
    return yt_hid_get(sending->rest, sending->report->bytes, bit, bits);
}

/* In each element of an array of keys, where there are more keys than elements. */
#define ROLL_OVER 1

/* The elements of an array hold the numbers of all that is on, in the order of the roots. */
static void put_array(yt_sending *sending, const yt_program_root *array) {
    uint8_t *shown = sending->shown;
    unsigned filled = 0;
    for (unsigned i = 0; i < array->part; i++) {
        unsigned bit = array->bit + i * array->bits;
        set_field(sending, shown, bit, array->bits, rest_of(sending, bit, array->bits));
    }
    for (unsigned k = 0; k < sending->report->switch_count; k++) {
        const yt_program_root *root = &sending->roots[k];
        if (root->kind != array->kind || root->bit != array->bit ||
            !(sending->switches[k] & YT_TOLD))
            continue;
        if (filled < array->part)
            set_field(sending, shown, array->bit + filled * array->bits, array->bits, root->number);
        filled++;
    }
    for (unsigned i = 0; filled > array->part && is_key(array->kind) && i < array->part; i++)
        set_field(sending, shown, array->bit + i * array->bits, array->bits, ROLL_OVER);
}

/* Clockwise from up, 0 to 7. */
static void put_hat(yt_sending *sending, unsigned lead, unsigned directions) {
    static const uint8_t numbers[16] = {8, 0, 2, 1, 4, 8, 3, 8, 6, 7, 8, 8, 5, 8, 8, 8};
    const yt_program_root *root = &sending->roots[lead];
    uint32_t number = numbers[directions & 15];
    for (unsigned k = lead; k < sending->report->switch_count && sending->roots[k].lead == lead;
         k++)
        set_bit(&sending->switches[k], YT_TOLD, directions & sending->roots[k].part);
    number = number < 8 ? number + root->number : rest_of(sending, root->bit, root->bits);
    set_field(sending, sending->shown, root->bit, root->bits, number);
}

static void put_change(yt_sending *sending, yt_change change) {
    const yt_program_root *root = &sending->roots[change.lead];
    uint32_t on = root->kind == YT_ROOT_BUTTON ? root->number : 1;
    if (root->kind == YT_ROOT_HAT) {
        put_hat(sending, change.lead, change.now);
        return;
    }
    set_bit(&sending->switches[change.lead], YT_TOLD, change.now);
    if (root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY)
        put_array(sending, root);
    else
        set_field(sending, sending->shown, root->bit, root->bits, change.now ? on : 0);
}

/* The list has room again: what it had none for is added as it stands now. */
static void catch_up(yt_sending *sending) {
    sending->owes = false;
    for (unsigned k = 0; k < sending->report->switch_count && !sending->owes; k++)
        if (sending->roots[k].lead == k)
            add_change(sending, k, state_of(sending, YT_HELD, k));
}

/* What was told is in the list no more: changes that followed it come first now. */
static void note_first(yt_sending *sending) {
    for (unsigned i = 0; i < sending->change_count; i++) {
        yt_change *change = &sending->changes[i];
        if (sending->switches[change->lead] & YT_WAITING)
            continue;
        change->again = 0;
        set_bit(&sending->switches[change->lead], YT_WAITING, true);
    }
}

static bool put_changes(yt_sending *sending) {
    unsigned count = run_length(sending);
    for (unsigned i = 0; i < count; i++) {
        put_change(sending, sending->changes[i]);
        set_bit(&sending->switches[sending->changes[i].lead], YT_WAITING, false);
    }
    take_out(sending, 0, count);
    note_first(sending);
    sending->view_begin = sending->change_count;
    if (sending->owes)
        catch_up(sending);
    return count > 0;
}

/* Takes from what is owed as many whole counts as the report can hold. */
static int32_t take_counts(const yt_program_range *range, bool boot, int64_t *owed) {
    uint64_t counts = counts_of(*owed);
    uint32_t most = *owed < 0 ? 0u - (uint32_t)range->minimum : (uint32_t)range->maximum;
    if (boot && most > BOOT_COUNTS)
        most = BOOT_COUNTS;
    int32_t taken = (int32_t)(counts < most ? (uint32_t)counts : most);
    if (*owed < 0)
        taken = -taken;
    *owed -= (int64_t)taken * 65536;
    return taken;
}

/* Motion that does not fit waits; what has waited for longer than `wait_us` goes. A boot mouse has
 * no wheels: what those owe goes too. */
static bool put_motion(yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes,
                       unsigned number, uint64_t now_us, uint32_t wait_us) {
    const yt_program_root *root = &sending->roots[number];
    unsigned analog = number - sending->report->switch_count;
    int64_t *owed = &sending->values[analog];
    if (endpoint->boot && root->part == 0) {
        drop_motion(sending, owed);
        return false;
    }
    int32_t taken = take_counts(&sending->ranges[root->number], endpoint->boot, owed);
    if (endpoint->boot)
        bytes[root->part] = (uint8_t)taken;
    else
        set_field(sending, bytes, root->bit, root->bits, (uint32_t)taken);
    if (counts_of(*owed) == 0)
        return taken != 0;
    if (sending->waiting_since_us == YT_NEVER)
        sending->waiting_since_us = now_us;
    if (now_us - sending->waiting_since_us > wait_us)
        drop_motion(sending, owed);
    else
        sending->touched |= (uint32_t)1 << analog;
    return true;
}

static int32_t axis_number(const yt_program_range *range, int64_t value) {
    if (value >= RAW / 2)
        return (int32_t)(value - RAW);
    return yt_scale_number((yt_q16)value, range->minimum, range->rest, range->maximum);
}

static bool put_axis(yt_sending *sending, unsigned number) {
    const yt_program_root *root = &sending->roots[number];
    uint8_t *shown = sending->shown;
    int64_t value = sending->values[number - sending->report->switch_count];
    uint32_t raw = (uint32_t)axis_number(&sending->ranges[root->number], value) &
                   (UINT32_MAX >> (32 - root->bits));
    if (yt_hid_get(shown, sending->report->bytes, root->bit, root->bits) == raw)
        return false;
    set_field(sending, shown, root->bit, root->bits, raw);
    return true;
}

/* Axes go into what was told, where the next report finds them. */
static bool put_axes(yt_sending *sending) {
    unsigned number = sending->report->switch_count;
    bool news = false;
    for (uint32_t left = sending->touched; left; number++, left >>= 1)
        if ((left & 1) && sending->roots[number].kind != YT_ROOT_MOTION)
            news |= put_axis(sending, number);
    return news;
}

/* Motion only goes into this report, since it counts once. */
static bool put_motions(yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes,
                        uint64_t now_us, uint32_t wait_us) {
    unsigned number = sending->report->switch_count;
    uint32_t left = sending->touched;
    bool news = false;
    sending->touched = 0;
    for (; left; number++, left >>= 1)
        if ((left & 1) && sending->roots[number].kind == YT_ROOT_MOTION)
            news |= put_motion(sending, endpoint, bytes, number, now_us, wait_us);
    if (!sending->touched)
        sending->waiting_since_us = YT_NEVER;
    return news;
}

size_t yt_sending_state(const yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes) {
    if (endpoint->boot)
        return yt_boot_report(sending, bytes);
    memcpy(bytes, sending->shown, sending->report->bytes);
    return sending->report->bytes;
}

size_t yt_sending_report(yt_sending *sending, const yt_endpoint *endpoint, uint8_t *bytes,
                         uint64_t now_us, uint32_t wait_us) {
    bool news = put_changes(sending);
    news |= put_axes(sending);
    news |= sending->fresh;
    size_t length = yt_sending_state(sending, endpoint, bytes);
    news |= put_motions(sending, endpoint, bytes, now_us, wait_us);
    sending->fresh = false;
    return news ? length : 0;
}
