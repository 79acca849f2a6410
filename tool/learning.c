#include "tool/learning.h"

#include <inttypes.h>
#include <string.h>

static const struct {
    const char *name;
    const char *words;
} questions[LEARN_QUESTIONS] = {{"south", "press the south button (the lowest of the four)"},
                                {"east", "press the east button"},
                                {"west", "press the west button"},
                                {"north", "press the north button"},
                                {"left_shoulder", "press the left shoulder button"},
                                {"right_shoulder", "press the right shoulder button"},
                                {"left_trigger", "pull the left trigger all the way"},
                                {"right_trigger", "pull the right trigger all the way"},
                                {"select", "press select (left of the middle)"},
                                {"start", "press start (right of the middle)"},
                                {"home", "press home (in the middle)"},
                                {"left_click", "press the left stick down"},
                                {"right_click", "press the right stick down"},
                                {"left_stick.x", "push the left stick to the right"},
                                {"left_stick.y", "push the left stick down"},
                                {"right_stick.x", "push the right stick to the right"},
                                {"right_stick.y", "push the right stick down"},
                                {"dpad", "press up on the directional pad"},
                                {"paddle1", "press the first paddle"},
                                {"paddle2", "press the second paddle"},
                                {"paddle3", "press the third paddle"},
                                {"paddle4", "press the fourth paddle"}};

#define ANSWERS_AT 0.4 /* of its range: so far a control moves to be the answer, */
#define BACK_AT    0.2 /* and so near it comes to where it was */
#define WHOLE_AT   0.7 /* of what the descriptor says, on each side: the range was seen whole */

const char *learn_name(unsigned question) {
    return questions[question].name;
}

const char *learn_words(unsigned question) {
    return questions[question].words;
}

bool learn_is_wide(const host_control *control) {
    bool is_hat = control->page == PAGE_DESKTOP && control->usage == 0x39;
    return !control->is_relative && !is_hat && control->maximum - control->minimum > 1;
}

bool learn_begin(learning *learning, const recorded_device *device) {
    size_t offset;
    memset(learning, 0, sizeof *learning);
    bool good = sim_host_enumerate(&learning->view, device->descriptor, device->descriptor_size,
                                   &offset) == YT_OK;
    for (unsigned i = 0; i < learning->view.control_count; i++)
        learning->before[i] = learning->view.controls[i].value;
    return good;
}

/* How far a control is from where it was when the question was asked, as a share of its range. */
static double reach(const learning *learning, unsigned control) {
    const host_control *at = &learning->view.controls[control];
    double span = (double)(at->maximum - at->minimum);
    double moved = (double)(at->value - learning->before[control]);
    return span > 0 ? (moved < 0 ? -moved : moved) / span : 0;
}

static void ask(learning *learning, unsigned question) {
    learning->at = question;
    learning->again = false;
    learning->state = question < LEARN_QUESTIONS ? LEARN_ASKS : LEARN_MEASURES;
    for (unsigned i = 0; i < learning->view.control_count; i++)
        learning->before[i] = learning->view.controls[i].value;
}

static bool is_taken(const learning *learning, unsigned control) {
    const host_control *at = &learning->view.controls[control];
    for (unsigned i = 0; i < LEARN_QUESTIONS; i++) {
        const host_control *other = &learning->view.controls[learning->controls[i]];
        if (learning->answers[i] == LEARN_FOUND && other->bit == at->bit &&
            other->report_id == at->report_id)
            return true;
    }
    return false;
}

/* What moves so far first is the answer. */
static void answer(learning *learning, unsigned control) {
    unsigned at = learning->at;
    learning->found = control;
    learning->state = LEARN_RETURNS;
    if (is_taken(learning, control)) {
        learning->answers[at] = LEARN_TWICE;
        return;
    }
    learning->answers[at] = LEARN_FOUND;
    learning->controls[at] = control;
    learning->went_down[at] = learning->view.controls[control].value < learning->before[control];
}

static void widen(learn_range *range, int64_t value) {
    if (!range->is_seen)
        *range = (learn_range){true, value, value, value};
    range->low = value < range->low ? value : range->low;
    range->high = value > range->high ? value : range->high;
}

/* Where a control is before its first report is not known; nothing moved by that one. */
static void note(void *context, const host_control *control) {
    learning *learning = context;
    unsigned number = (unsigned)(control - learning->view.controls);
    if (control->is_relative)
        return;
    widen(&learning->ranges[number], control->value);
    if (learning->state == LEARN_ASKS && reach(learning, number) > ANSWERS_AT)
        answer(learning, number);
}

/* The first report of an ID says where everything is that it tells of. */
static bool is_first(const learning *learning, const uint8_t *bytes, size_t size) {
    uint8_t id = learning->view.uses_ids && size > 0 ? bytes[0] : 0;
    for (unsigned i = 0; i < learning->view.control_count; i++)
        if (learning->view.controls[i].report_id == id && learning->ranges[i].is_seen)
            return false;
    return true;
}

bool learn_report(learning *learning, const uint8_t *bytes, size_t size) {
    learn_state state = learning->state;
    bool first = is_first(learning, bytes, size);
    if (first)
        learning->state = LEARN_MEASURES;
    if (!sim_host_report(&learning->view, bytes, size, note, learning)) {
        learning->state = state;
        return false;
    }
    for (unsigned i = 0; first && i < learning->view.control_count; i++)
        if (learning->view.controls[i].report_id == (learning->view.uses_ids ? bytes[0] : 0)) {
            widen(&learning->ranges[i], learning->view.controls[i].value);
            learning->before[i] = learning->view.controls[i].value;
        }
    if (first) {
        learning->state = state;
        return false;
    }
    if (learning->state == LEARN_RETURNS && state == LEARN_RETURNS &&
        reach(learning, learning->found) < BACK_AT)
        ask(learning, learning->at + !learning->again);
    return learning->state != state;
}

void learn_none(learning *learning) {
    if (learning->state == LEARN_ASKS)
        learning->answers[learning->at] = LEARN_NONE;
    if (learning->state == LEARN_MEASURES)
        learning->state = LEARN_IS_THROUGH;
    else if (learning->state != LEARN_IS_THROUGH)
        ask(learning, learning->at + 1);
}

void learn_back(learning *learning) {
    if (learning->state == LEARN_IS_THROUGH)
        return;
    if (learning->state == LEARN_RETURNS) {
        learning->answers[learning->at] = LEARN_UNASKED;
        learning->again = true;
        return;
    }
    unsigned question = learning->at > 0 ? learning->at - 1 : 0;
    learning->answers[question] = LEARN_UNASKED;
    ask(learning, question);
}

void learn_stop(learning *learning) {
    learning->state = LEARN_IS_THROUGH;
}

bool learn_is_whole(const learning *learning, unsigned control) {
    const host_control *at = &learning->view.controls[control];
    const learn_range *range = &learning->ranges[control];
    double above = (double)(at->maximum - range->rest), below = (double)(range->rest - at->minimum);
    double span = (double)(at->maximum - at->minimum);
    bool has_below = below > span / 8, has_above = above > span / 8;
    return range->is_seen &&
           (!has_above || (double)(range->high - range->rest) >= WHOLE_AT * above) &&
           (!has_below || (double)(range->rest - range->low) >= WHOLE_AT * below);
}

size_t learn_result(const learning *learning, learnt_control *learnt, size_t most) {
    size_t count = 0;
    for (unsigned i = 0; i < LEARN_QUESTIONS && count < most; i++) {
        unsigned control = learning->controls[i];
        const host_control *at = &learning->view.controls[control];
        if (learning->answers[i] != LEARN_FOUND)
            continue;
        bool is_wide = learn_is_wide(at), is_switch = host_control_is_switch(at);
        learnt[count++] =
            (learnt_control){.name = questions[i].name,
                             .place = {YT_HID_INPUT, at->page, at->usage, at->bit, at->report_id},
                             .is_turned = learning->went_down[i] && (is_wide || is_switch),
                             .is_measured = is_wide && learn_is_whole(learning, control),
                             .low = learning->ranges[control].low,
                             .rest = learning->ranges[control].rest,
                             .high = learning->ranges[control].high};
    }
    return count;
}

static void print_questions(const learning *learning, learn_answer answer, const char *title,
                            FILE *file) {
    unsigned count = 0;
    for (unsigned i = 0; i < LEARN_QUESTIONS; i++)
        if (learning->answers[i] == answer)
            fprintf(file, "%s%s", count++ ? ", " : title, questions[i].name);
    if (count)
        fputc('\n', file);
}

static bool is_answer(const learning *learning, unsigned control) {
    for (unsigned i = 0; i < LEARN_QUESTIONS; i++)
        if (learning->answers[i] == LEARN_FOUND && learning->controls[i] == control)
            return true;
    return false;
}

/* The name by which a profile finds a control of the device. */
static void name_of(const recorded_device *device, const host_control *control, char *text) {
    const yt_field_place place = {YT_HID_INPUT, control->page, control->usage, control->bit,
                                  control->report_id};
    name_place(fields_of_device(device), device_kind_named("device"), NULL, &place, text, NULL);
}

static void print_unnamed(const learning *learning, const recorded_device *device, FILE *file) {
    unsigned count = 0;
    for (unsigned i = 0; i < learning->view.control_count; i++) {
        const host_control *control = &learning->view.controls[i];
        char name[USAGE_NAME_BYTES];
        if (control->is_relative || is_taken(learning, i) || is_answer(learning, i))
            continue;
        name_of(device, control, name);
        fprintf(file, "%s%s", count++ ? ", " : "No question was answered by: ", name);
    }
    if (count)
        fputc('\n', file);
}

static void print_ranges(const learning *learning, FILE *file) {
    for (unsigned i = 0; i < LEARN_QUESTIONS; i++) {
        unsigned control = learning->controls[i];
        const host_control *at = &learning->view.controls[control];
        const learn_range *range = &learning->ranges[control];
        if (learning->answers[i] != LEARN_FOUND || !learn_is_wide(at) ||
            learn_is_whole(learning, control))
            continue;
        fprintf(file,
                "%s was seen from %" PRId64 " to %" PRId64
                " only; its range is taken from the report descriptor\n",
                questions[i].name, range->low, range->high);
    }
}

void learn_print_unknown(const learning *learning, const recorded_device *device, FILE *file) {
    print_questions(learning, LEARN_UNASKED, "Not asked, or not answered: ", file);
    print_questions(learning, LEARN_NONE, "It has none, you said: ", file);
    print_questions(learning, LEARN_TWICE, "Answered by a control that had a name already: ", file);
    print_unnamed(learning, device, file);
    print_ranges(learning, file);
}
