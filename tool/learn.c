/* Asks a person to press one control after the other, and finds out which one that was. */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>
#include <sys/select.h>
#include <unistd.h>

#include "ports/linux/hidraw.h"
#include "tool/learning.h"

typedef struct asking {
    learning learning;
    device_source *source;
    size_t next_report; /* of a recording */
    bool ended;         /* nothing more comes of the device, */
    bool is_mute;       /* or of the person */
} asking;

/* The next report, or none within a moment. True: something is another than before. */
static bool take_report(asking *asking) {
    uint8_t bytes[RECORDING_REPORT];
    const recording *recording = &asking->source->recording;
    if (asking->source->live < 0) {
        while (asking->next_report < recording->report_count) {
            const recorded_report *report = &recording->reports[asking->next_report++];
            if (report->device == 0)
                return learn_report(&asking->learning, recording->bytes + report->offset,
                                    report->size);
        }
        asking->ended = true;
        return false;
    }
    long size = hidraw_read(asking->source->live, bytes, sizeof bytes, 50);
    asking->ended = size < 0;
    return size > 0 && learn_report(&asking->learning, bytes, (size_t)size);
}

/* A line that the person types: b goes back, q ends it, anything else says that there is none. */
static bool take_key(asking *asking) {
    fd_set files;
    struct timeval now = {0, 0};
    char line[100];
    if (asking->source->live < 0 || asking->is_mute)
        return false;
    FD_ZERO(&files);
    FD_SET(0, &files);
    if (select(1, &files, NULL, NULL, &now) <= 0)
        return false;
    long size = read(0, line, sizeof line);
    asking->is_mute = size <= 0;
    if (size <= 0)
        return false;
    if (*line == 'b')
        learn_back(&asking->learning);
    else if (*line == 'q')
        learn_stop(&asking->learning);
    else
        learn_none(&asking->learning);
    return true;
}

static void say_question(const asking *asking) {
    const learning *learning = &asking->learning;
    if (learning->state == LEARN_ASKS)
        fprintf(stderr, "%2u of %u: %s… ", learning->at + 1, LEARN_QUESTIONS,
                learn_words(learning->at));
    else if (learning->state == LEARN_MEASURES)
        fprintf(stderr, "Now move each stick around its edge, and pull each trigger all the way; "
                        "then Enter.\n");
    fflush(stderr);
}

static void say_range(const learning *learning, unsigned control) {
    const learn_range *range = &learning->ranges[control];
    fprintf(stderr, "%" PRId64 " to %" PRId64 ", at rest %" PRId64, range->low, range->high,
            range->rest);
}

/* What the last question came to. */
static void say_answer(const asking *asking, unsigned question) {
    const learning *learning = &asking->learning;
    switch (learning->answers[question]) {
    case LEARN_FOUND:
        fputs("found", stderr);
        if (learn_is_wide(&learning->view.controls[learning->controls[question]])) {
            fputs(": ", stderr);
            say_range(learning, learning->controls[question]);
        }
        fputc('\n', stderr);
        return;
    case LEARN_TWICE:
        fputs("that one has a name already; it keeps it\n", stderr);
        return;
    case LEARN_NONE:
        fputs("none\n", stderr);
        return;
    default:
        fputs(asking->ended ? "no more reports\n" : "\n", stderr);
    }
}

/* How far each axis has been seen to go, while they are moved about. */
static void say_measures(const asking *asking) {
    const learning *learning = &asking->learning;
    for (unsigned i = 0; i < LEARN_QUESTIONS; i++) {
        if (learning->answers[i] != LEARN_FOUND ||
            !learn_is_wide(&learning->view.controls[learning->controls[i]]))
            continue;
        fprintf(stderr, "    %-14s ", learn_name(i));
        say_range(learning, learning->controls[i]);
        fprintf(stderr, "%s\n",
                learn_is_whole(learning, learning->controls[i]) ? "" : "  (not to its ends yet)");
    }
}

static void ask_all(asking *asking) {
    learning *learning = &asking->learning;
    say_question(asking);
    while (learning->state != LEARN_IS_THROUGH && !asking->ended) {
        unsigned question = learning->at;
        learn_state before = learning->state;
        if (!take_key(asking) && !take_report(asking))
            continue;
        if (learning->state == LEARN_RETURNS)
            continue;
        if (before != LEARN_MEASURES)
            say_answer(asking, question);
        say_question(asking);
    }
    if (asking->ended && learning->state != LEARN_MEASURES)
        say_answer(asking, learning->at);
    say_measures(asking);
}

int learn_device(device_source *source) {
    learnt_control learnt[LEARN_QUESTIONS];
    asking *asking = calloc(1, sizeof *asking);
    const recorded_device *device = source->recording.devices;
    if (!asking)
        abort();
    asking->source = source;
    if (!learn_begin(&asking->learning, device)) {
        fprintf(stderr, "%s: its report descriptor is wrong\n", device->name);
        free(asking);
        return 1;
    }
    fputs("Enter: it has none.  b Enter: back to the question before.  q Enter: enough.\n", stderr);
    ask_all(asking);
    size_t count = learn_result(&asking->learning, learnt, LEARN_QUESTIONS);
    learn_print_unknown(&asking->learning, device, stderr);
    write_description(stdout, device, learnt, count);
    free(asking);
    return count > 0 ? 0 : 1;
}
