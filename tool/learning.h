/* What a person is asked when a device is learnt, and what the answers come to: reports and keys go
 * in, the next question and what was found come out. It reads and writes nothing itself. */
#ifndef YONDER_TOOL_LEARNING_H
#define YONDER_TOOL_LEARNING_H

#include "ports/sim/host.h"
#include "tool/source.h"

#define LEARN_QUESTIONS 22

typedef enum learn_answer {
    LEARN_UNASKED, /* or it was gone back to */
    LEARN_FOUND,
    LEARN_NONE, /* the person said that there is none */
    LEARN_TWICE /* a control that has a name already */
} learn_answer;

typedef enum learn_state {
    LEARN_ASKS,      /* the question `at` waits for an answer */
    LEARN_RETURNS,   /* it was found; it is on its way back to where it was */
    LEARN_MEASURES,  /* all questions are done: axes are moved to their ends */
    LEARN_IS_THROUGH /* that is done too */
} learn_state;

/* How far a control has been seen to go. */
typedef struct learn_range {
    bool is_seen;
    int64_t low, rest, high; /* raw numbers; `rest` is the first of them */
} learn_range;

typedef struct learning {
    sim_host view;
    learn_state state;
    unsigned at;
    unsigned found; /* the control of the last answer, in `view` */
    bool again;     /* the question is asked again when that is back */
    learn_answer answers[LEARN_QUESTIONS];
    unsigned controls[LEARN_QUESTIONS]; /* of those that were found */
    bool went_down[LEARN_QUESTIONS];    /* the raw number went down for what was asked */
    int64_t before[HOST_CONTROLS];      /* raw numbers, when the question was asked */
    learn_range ranges[HOST_CONTROLS];
} learning;

/* Begins with the first question. False: the report descriptor is wrong. */
bool learn_begin(learning *learning, const recorded_device *device);

/* What a question asks for, as the name of a control and in words. */
const char *learn_name(unsigned question);
const char *learn_words(unsigned question);

/* A report came. True: the state, or the question, is another one now. */
bool learn_report(learning *learning, const uint8_t *bytes, size_t size);

/* The person says that there is no such control; that the question before is to be asked again (at
 * the first one nothing happens); that the rest is not to be asked, or measured. */
void learn_none(learning *learning);
void learn_back(learning *learning);
void learn_stop(learning *learning);

/* Whether a control tells where it is, by more than two numbers, and has no null. */
bool learn_is_wide(const host_control *control);

/* Whether a control was seen so far out on all its sides that what was seen is its range. */
bool learn_is_whole(const learning *learning, unsigned control);

/* What was found, for write_description; how many. */
size_t learn_result(const learning *learning, learnt_control *learnt, size_t most);

/* What could not be told, a line each: what was not asked, controls that nobody moved, ranges that
 * were seen in part. */
void learn_print_unknown(const learning *learning, const recorded_device *device, FILE *file);

#endif
