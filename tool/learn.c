/* Asks a person to press one control after the other, and finds out which one that was. */
#include <stdlib.h>
#include <string.h>
#include <sys/select.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/source.h"

typedef struct question {
    const char *name;
    const char *what;
} question;

static const question questions[] = {{"south", "press the south button (the lowest of the four)"},
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

typedef struct learning {
    device_source *source;
    sim_host view;
    size_t next_report; /* of a recording */
    const host_control *found;
    bool went_down; /* the number of what was found */
    bool ended;
    int64_t rests[HOST_CONTROLS]; /* before the question */
} learning;

/* How far a control is from where it was, as a share of its range. */
static double reach(const learning *learning, const host_control *control) {
    int64_t rest = learning->rests[control - learning->view.controls];
    double span = (double)(control->maximum - control->minimum);
    double moved = (double)(control->value - rest);
    return span > 0 ? (moved < 0 ? -moved : moved) / span : 0;
}

static void look(void *context, const host_control *control) {
    learning *learning = context;
    if (control->is_relative || reach(learning, control) <= 0.4 || learning->found)
        return;
    learning->found = control;
    learning->went_down = control->value < learning->rests[control - learning->view.controls];
}

/* The next report, or none within a moment. */
static bool take_report(learning *learning) {
    uint8_t bytes[RECORDING_REPORT];
    const recording *recording = &learning->source->recording;
    if (learning->source->live < 0) {
        while (learning->next_report < recording->report_count) {
            const recorded_report *report = &recording->reports[learning->next_report++];
            if (report->device == 0)
                return sim_host_report(&learning->view, recording->bytes + report->offset,
                                       report->size, look, learning);
        }
        learning->ended = true;
        return false;
    }
    long size = hidraw_read(learning->source->live, bytes, sizeof bytes, 50);
    learning->ended = size < 0;
    return size > 0 && sim_host_report(&learning->view, bytes, (size_t)size, look, learning);
}

/* Enter skips a question. */
static bool is_skipped(const learning *learning) {
    fd_set files;
    struct timeval now = {0, 0};
    char byte;
    if (learning->source->live < 0)
        return false;
    FD_ZERO(&files);
    FD_SET(0, &files);
    return select(1, &files, NULL, NULL, &now) > 0 && read(0, &byte, 1) > 0;
}

static void keep_rests(learning *learning) {
    for (unsigned i = 0; i < learning->view.control_count; i++)
        learning->rests[i] = learning->view.controls[i].value;
    learning->found = NULL;
}

static bool is_back(const learning *learning, const host_control *control) {
    return reach(learning, control) < 0.2;
}

static const host_control *ask(learning *learning, const question *question) {
    fprintf(stderr, "%s (Enter: it has none)… ", question->what);
    fflush(stderr);
    keep_rests(learning);
    while (!learning->found && !learning->ended && !is_skipped(learning))
        take_report(learning);
    const host_control *found = learning->found;
    while (found && !is_back(learning, found) && !learning->ended)
        take_report(learning);
    fprintf(stderr, found ? "found\n" : learning->ended ? "no more reports\n" : "none\n");
    return found;
}

static bool is_known(const learnt_control *learnt, size_t count, const host_control *control) {
    for (size_t i = 0; i < count; i++)
        if (learnt[i].place.bit == control->bit && learnt[i].place.report_id == control->report_id)
            return true;
    return false;
}

size_t learn_controls(device_source *source, learnt_control *learnt, size_t most) {
    learning *learning = calloc(1, sizeof *learning);
    const recorded_device *device = source->recording.devices;
    size_t count = 0, offset;
    if (!learning)
        abort();
    learning->source = source;
    sim_host_enumerate(&learning->view, device->descriptor, device->descriptor_size, &offset);
    /* Axes that do not rest at 0 say so in their first report. */
    for (int i = 0; i < 10 && !learning->ended && !take_report(learning); i++)
        continue;
    for (size_t i = 0; i < sizeof questions / sizeof questions[0] && count < most; i++) {
        const host_control *found = learning->ended ? NULL : ask(learning, &questions[i]);
        if (!found)
            continue;
        if (is_known(learnt, count, found)) {
            fprintf(stderr, "    that one has a name already; it keeps it\n");
            continue;
        }
        bool is_hat = found->page == PAGE_DESKTOP && found->usage == 0x39;
        learnt[count++] = (learnt_control){
            questions[i].name,
            {YT_HID_INPUT, found->page, found->usage, found->bit, found->report_id},
            learning->went_down && !is_hat};
    }
    free(learning);
    return count;
}
