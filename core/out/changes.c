/* The list of what switches did, and how it gets into reports.
 *
 * The list is short. When it is full, a press with its release goes that nobody would have felt
 * (the oldest change that a later one of its switch follows); if there is none, only the state is
 * kept (`is_over`), and what then differs from what was told is added when there is room again. So
 * a host may miss a tap, but never ends up with a key that nobody holds. */
#include <string.h>

#include "out/sending.h"

static void set_bit(uint8_t *bits, unsigned mask, bool on) {
    *bits = (uint8_t)(on ? *bits | mask : *bits & ~mask);
}

static bool is_hat(const yt_sending *sending, unsigned lead) {
    return sending->roots[lead].kind == YT_ROOT_HAT;
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
        return (sending->known[lead] & mask) != 0;
    for (unsigned k = lead; k < sending->report->switch_count && roots[k].lead == lead; k++)
        if (sending->known[k] & mask)
            state |= roots[k].part;
    return without_opposites(state);
}

/* Notes whether a lead has a change in the list, what the last of them is, and which of its changes
 * is not the first: so nothing is searched for in the list that is not there. */
static void note_lead(yt_sending *sending, unsigned lead) {
    uint8_t *known = &sending->known[lead];
    set_bit(known, YT_WAITING | YT_LISTED, false);
    for (unsigned i = 0; i < sending->change_count; i++) {
        yt_change *change = &sending->changes[i];
        if (change->lead != lead)
            continue;
        change->again = (*known & YT_WAITING) != 0;
        *known |= YT_WAITING;
        set_bit(known, YT_LISTED, change->now && !is_hat(sending, lead));
    }
}

static void cut_out(yt_sending *sending, unsigned at, unsigned count) {
    sending->change_count = (uint8_t)(sending->change_count - count);
    if (at < sending->view_begin)
        sending->view_begin = (uint8_t)(sending->view_begin - count);
    for (; at < sending->change_count; at++)
        sending->changes[at] = sending->changes[at + count];
}

static void remove_change(yt_sending *sending, unsigned at) {
    unsigned lead = sending->changes[at].lead;
    cut_out(sending, at, 1);
    note_lead(sending, lead);
}

/* The change of a lead before the change at `at`; -1 if there is none. */
static int last_of(const yt_sending *sending, unsigned at, unsigned lead) {
    if (!(sending->known[lead] & YT_WAITING))
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
            cut_out(sending, (unsigned)later, 1);
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
        sending->is_over = true;
        return false;
    }
    remove_change(sending, (unsigned)last);
    sending->pairs_dropped++;
    return true;
}

static void append(yt_sending *sending, unsigned lead, unsigned now) {
    if (sending->change_count + sending->sent_count == YT_CHANGES && sending->sent_count) {
        sending->sent_count = 0; /* its place is needed */
        sending->sent_lost = true;
    }
    yt_change *change = &sending->changes[sending->change_count++];
    uint8_t *known = &sending->known[lead];
    change->lead = (uint8_t)lead;
    change->now = now & 15;
    change->again = (*known & YT_WAITING) != 0;
    *known |= YT_WAITING;
    set_bit(known, YT_LISTED, now && !is_hat(sending, lead));
}

/* The list is full. */
static void append_rarely(yt_sending *sending, unsigned lead, unsigned now) {
    if (make_room(sending, lead) && state_before(sending, sending->change_count, lead) != now)
        append(sending, lead, now);
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
    if (sending->change_count == YT_CHANGES)
        append_rarely(sending, lead, now);
    else
        append(sending, lead, now);
}

static void begin_telling(yt_engine *engine, yt_sending *sending) {
    yt_endpoint *endpoint = sending->endpoint;
    if (sending->view != engine->view) {
        sending->view = engine->view;
        sending->view_begin = sending->change_count;
    }
    endpoint->ready = true;
    if (endpoint->rare & YT_ENDPOINT_SUSPENDED)
        yt_endpoint_wake(engine, endpoint);
}

/* Told once in a view, so what it is after its last change is known without a search. */
void yt_tell_switch(yt_engine *engine, yt_sending *sending, unsigned index, bool on) {
    uint8_t *known = &sending->known[index];
    bool last = *known & (*known & YT_WAITING ? YT_LISTED : YT_TOLD);
    begin_telling(engine, sending);
    set_bit(known, YT_HELD, on);
    if (last == on)
        return;
    if (sending->change_count == YT_CHANGES)
        append_rarely(sending, index, on);
    else
        append(sending, index, on);
}

void yt_tell_hat(yt_engine *engine, yt_sending *sending, unsigned index, bool on) {
    unsigned lead = sending->roots[index].lead;
    begin_telling(engine, sending);
    set_bit(&sending->known[index], YT_HELD, on);
    add_change(sending, lead, state_of(sending, YT_HELD, lead));
}

static bool is_key(unsigned kind) {
    return kind == YT_ROOT_KEY || kind == YT_ROOT_KEY_IN_ARRAY;
}

static void set_field(const yt_sending *sending, yt_place place, uint32_t number) {
    yt_hid_set(sending->shown, sending->report->bytes, place.bit, place.bits, number);
}

/* As it stands at rest. */
static uint32_t rest_of(const yt_sending *sending, yt_place place) {
    return yt_hid_get(sending->rest, sending->report->bytes, place.bit, place.bits);
}

/* In each element of an array of keys, where there are more keys than elements. */
#define ROLL_OVER 1

static bool is_in(const yt_program_root *root, const yt_program_root *array) {
    return root->kind == array->kind && root->at.bit == array->at.bit;
}

/* The elements of an array hold the numbers of all that is on, in the order of the roots. */
static void put_array(yt_sending *sending, const yt_program_root *array) {
    yt_place element = array->at;
    unsigned left = array->elements, k = 0;
    bool too_many = false;
    for (; k < sending->report->switch_count; k++) {
        if (!is_in(&sending->roots[k], array) || !(sending->known[k] & YT_TOLD))
            continue;
        too_many = left == 0;
        if (too_many)
            break;
        set_field(sending, element, sending->roots[k].number);
        element.bit = (uint16_t)(element.bit + element.bits);
        left--;
    }
    for (; left > 0; left--, element.bit = (uint16_t)(element.bit + element.bits))
        set_field(sending, element, rest_of(sending, element));
    element = array->at;
    for (left = array->elements; too_many && is_key(array->kind) && left > 0; left--) {
        set_field(sending, element, ROLL_OVER);
        element.bit = (uint16_t)(element.bit + element.bits);
    }
}

/* A hat of four positions has none between two: of two directions the one that was held before
 * counts, else up or down. */
static unsigned one_direction(const yt_sending *sending, unsigned lead, unsigned directions) {
    unsigned kept = directions & state_of(sending, YT_TOLD, lead);
    if ((directions & (directions - 1)) == 0)
        return directions;
    return kept && (kept & (kept - 1)) == 0 ? kept : directions & 5;
}

/* Clockwise from up, 0 to 7; or 0 to 3. */
static void put_hat(yt_sending *sending, unsigned lead, unsigned directions) {
    static const uint8_t numbers[16] = {8, 0, 2, 1, 4, 8, 3, 8, 6, 7, 8, 8, 5, 8, 8, 8};
    const yt_program_root *root = &sending->roots[lead];
    bool has_four = root->elements != 0;
    uint32_t number =
        numbers[(has_four ? one_direction(sending, lead, directions) : directions) & 15];
    for (unsigned k = lead; k < sending->report->switch_count && sending->roots[k].lead == lead;
         k++)
        set_bit(&sending->known[k], YT_TOLD, directions & sending->roots[k].part);
    set_field(sending, root->at,
              number < 8 ? (has_four ? number / 2 : number) + root->number
                         : rest_of(sending, root->at));
}

static void put_change(yt_sending *sending, yt_change change) {
    const yt_program_root *root = &sending->roots[change.lead];
    if (root->kind == YT_ROOT_HAT) {
        put_hat(sending, change.lead, change.now);
        return;
    }
    set_bit(&sending->known[change.lead], YT_TOLD, change.now);
    if (root->kind == YT_ROOT_IN_ARRAY || root->kind == YT_ROOT_KEY_IN_ARRAY)
        put_array(sending, root);
    else if (root->at.bits == 1) /* its number is 1, or it is one of a key */
        set_bit(&sending->shown[root->at.bit >> 3], 1u << (root->at.bit & 7), change.now);
    else
        set_field(sending, root->at,
                  !change.now                    ? 0
                  : root->kind == YT_ROOT_BUTTON ? root->number
                                                 : 1);
}

/* The list has room again: what it had none for is added as it stands now. */
static void catch_up(yt_sending *sending) {
    sending->is_over = false;
    for (unsigned k = 0; k < sending->report->switch_count && !sending->is_over; k++)
        if (sending->roots[k].lead == k)
            add_change(sending, k, state_of(sending, YT_HELD, k));
}

/* What was told is in the list no more: changes that followed it come first now. */
static void note_first(yt_sending *sending) {
    for (unsigned i = 0; i < sending->change_count; i++) {
        yt_change *change = &sending->changes[i];
        if (sending->known[change->lead] & YT_WAITING)
            continue;
        change->again = 0;
        sending->known[change->lead] |= YT_WAITING;
    }
}

/* What is put stands behind the list until the next report is built, with what was told before:
 * there it is out of the way, and there is room for it, since it was in the list. */
static void keep_sent(yt_sending *sending, const yt_change *sent, unsigned count) {
    sending->sent_count = (uint8_t)count;
    sending->sent_lost = false;
    memcpy(&sending->changes[YT_CHANGES - count], sent, count * sizeof *sent);
}

/* The longest run in which nothing changes twice, and no modifier follows a key, since a host looks
 * at the modifiers of a report first; nor does a key go down in the report of its own modifier. */
bool yt_changes_put(yt_sending *sending) {
    yt_change sent[YT_CHANGES];
    bool any_key = false, any_modifier = false;
    unsigned count = 0;
    for (; count < sending->change_count; count++) {
        yt_change change = sending->changes[count];
        const yt_program_root *root = &sending->roots[change.lead];
        unsigned kind = root->kind;
        if (change.again || (kind == YT_ROOT_MODIFIER && any_key) ||
            (any_modifier && is_key(kind) && root->part && change.now))
            break;
        any_key = any_key || is_key(kind);
        any_modifier = any_modifier || kind == YT_ROOT_MODIFIER;
        sent[count] = (yt_change){change.lead,
                                  (uint8_t)(state_of(sending, YT_TOLD, change.lead) & 15), false};
        put_change(sending, change);
    }
    for (unsigned i = 0; i < count; i++)
        sending->known[sending->changes[i].lead] &= (uint8_t)~YT_WAITING;
    if (count == sending->change_count) {
        sending->change_count = 0;
    } else {
        cut_out(sending, 0, count);
        note_first(sending);
    }
    keep_sent(sending, sent, count);
    sending->view_begin = sending->change_count;
    if (sending->is_over)
        catch_up(sending);
    return count > 0;
}

bool yt_changes_take_back(yt_sending *sending) {
    unsigned count = sending->sent_count;
    yt_change sent[YT_CHANGES];
    if (sending->sent_lost)
        return false;
    memcpy(sent, &sending->changes[YT_CHANGES - count], count * sizeof *sent);
    memmove(&sending->changes[count], sending->changes,
            sending->change_count * sizeof *sending->changes);
    for (unsigned i = 0; i < count; i++) { /* each lead is in a report once: what was put is told */
        yt_change change = sent[i];
        change.now = state_of(sending, YT_TOLD, change.lead) & 15;
        put_change(sending, sent[i]);
        sending->changes[i] = change;
    }
    sending->change_count = (uint8_t)(sending->change_count + count);
    sending->view_begin = (uint8_t)(sending->view_begin + count);
    sending->sent_count = 0;
    for (unsigned i = 0; i < count; i++)
        note_lead(sending, sending->changes[i].lead);
    return true;
}
