/* Calibrates a stick, a trigger or a gyro of a device that is plugged into an adapter: the adapter
 * gathers, a person moves it, and is told here what is to be done. */
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "compiler/messages/status_text.h"
#include "tool/adapter_names.h"
#include "tool/adapter_talk.h"
#include "tool/slots.h"
#include "tool/tool.h"
#include "tool/way.h"
#include "yonder/calibration.h"

#define LOOK_MS 50

static const char *const advices[] = {
#define TEXT(name, text) text,
    YT_CALIBRATION_ADVICE(TEXT)
#undef TEXT
};

/* What is to be calibrated, as the program has it. */
typedef struct part {
    yt_calibration_kind kind;
    uint16_t controls[YT_CALIBRATION_CONTROLS];
    unsigned count;
} part;

/* The program's number of an input's control; below 0: it reads none such. */
static int control_of(const profile *profile, unsigned input, const char *name, unsigned *kind) {
    const yt_program *program = &profile->compiled.program;
    yt_control_meaning meaning;
    if (!input_control_find(&profile->compiled.inputs[input], name, strlen(name), false, &meaning))
        return -1;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *at = &program->controls[i];
        if (at->from_host || at->input != input || !is_control_meant(program, &meaning, at))
            continue;
        *kind = at->kind;
        return (int)i;
    }
    return -1;
}

static bool take_controls(const profile *profile, unsigned input, const char *name,
                          const char *const *ends, unsigned count, part *part) {
    unsigned kind;
    for (unsigned i = 0; i < count; i++) {
        char whole[100];
        snprintf(whole, sizeof whole, "%s%s", name, ends[i]);
        int control = control_of(profile, input, whole, &kind);
        if (control < 0)
            return false;
        part->controls[i] = (uint16_t)control;
        part->kind = kind == YT_LEVEL ? YT_CALIBRATION_LEVEL : YT_CALIBRATION_AXIS;
    }
    part->count = count;
    return true;
}

/* "INPUT.PART": a stick's x and y, a gyro's three, or one control. */
static bool find_part(const profile *profile, const char *word, part *part) {
    static const char *const ends[] = {".x", ".y", ".z"}, *const one[] = {""};
    const char *dot = strchr(word, '.');
    unsigned input = 0;
    if (!dot)
        return refuse(word, "write INPUT.PART, as in grip.left_stick");
    while (input < profile->compiled.input_count &&
           !is_name(profile->compiled.inputs[input].name, word, (size_t)(dot - word)))
        input++;
    if (input == profile->compiled.input_count)
        return refuse(word, "the profile that runs has no such input");
    const char *name = dot + 1;
    if (strcmp(name, "gyro") == 0 || strcmp(name, "accelerometer") == 0) {
        bool found = take_controls(profile, input, name, ends, 3, part);
        part->kind = *name == 'g' ? YT_CALIBRATION_GYRO : YT_CALIBRATION_ACCELEROMETER;
        return found || refuse(word, "the profile that runs does not read all three of it");
    }
    if (take_controls(profile, input, name, ends, 2, part)) {
        part->kind = YT_CALIBRATION_STICK;
        return true;
    }
    return take_controls(profile, input, name, one, 1, part) ||
           refuse(word, "the profile that runs does not read it");
}

/* Begins with the first device that has it. */
static bool begin(holder *holder, const part *part, const talk_options *options) {
    uint32_t devices = linked_fact(&holder->linked, yonder_link_Fact_FACT_DEVICES);
    yt_status status = YT_NO_MATCH;
    for (unsigned i = 0; i < 32 && status != YT_OK; i++) {
        link_message ask = {.what = yonder_link_What_WHAT_CALIBRATE,
                            .index = i + 1,
                            .value = (int32_t)part->kind,
                            .size = options->notches};
        if (!(devices >> i & 1))
            continue;
        for (unsigned k = 0; k < part->count; k++) {
            ask.chunk.bytes[ask.chunk.size++] = (uint8_t)part->controls[k];
            ask.chunk.bytes[ask.chunk.size++] = (uint8_t)(part->controls[k] >> 8);
        }
        status = linked_ask(&holder->linked, ask);
        if (holder->linked.has_failed)
            return false;
    }
    return status == YT_OK || holder_fail(holder, options->words[1], status);
}

static volatile sig_atomic_t is_enough;

static void end_it(int signal) {
    (void)signal;
    is_enough = 1;
}

/* Says what is to be done until enough was seen, or a person says so (Ctrl-C). */
static bool watch(holder *holder) {
    unsigned told = YT_ADVICE_COUNT, percent = 101;
    signal(SIGINT, end_it);
    while (!is_enough) {
        yt_status status =
            linked_ask(&holder->linked, (link_message){.what = yonder_link_What_WHAT_PROGRESS});
        const link_message *answer = &holder->linked.answer;
        if (status != YT_OK)
            return holder_fail(holder, "calibrating", status);
        unsigned now = (unsigned)answer->value;
        if (answer->index != told || now / 10 != percent / 10)
            printf("%3u %%  %s\n", now,
                   answer->index < YT_ADVICE_COUNT ? advices[answer->index] : "go on");
        fflush(stdout);
        told = answer->index;
        percent = now;
        if (answer->size == YT_CALIBRATING_FAILED)
            return refuse(holder->path, "begin again");
        if (answer->size == YT_CALIBRATING_ENOUGH && answer->index == YT_ADVICE_DONE)
            return true;
        poll(NULL, 0, LOOK_MS);
    }
    return true;
}

/* Where it takes the place of another one, that one's generation is told. */
static bool end(holder *holder) {
    link_message ask = {.what = yonder_link_What_WHAT_CALIBRATED};
    yt_status status = linked_ask(&holder->linked, ask);
    if (linked_result(&holder->linked) == yonder_link_Result_RESULT_CHANGED) {
        ask.generation = holder->linked.answer.generation;
        status = linked_ask(&holder->linked, ask);
    }
    if (status != YT_OK) {
        linked_ask(&holder->linked, (link_message){.what = yonder_link_What_WHAT_GIVE_UP});
        return holder_fail(holder, "calibrating", status);
    }
    printf("calibration %u is kept, and counts from now on\n", holder->linked.answer.slot);
    return true;
}

bool talk_calibrate(holder *holder, const talk_options *options) {
    slot_content content;
    profile profile;
    part part = {.count = 0};
    unsigned slot = linked_fact(&holder->linked, yonder_link_Fact_FACT_RUNS);
    if (holder->linked.has_failed)
        return false;
    if (slot == 0)
        return refuse(holder->path, "no slot runs: activate one that reads what you calibrate");
    if (!slot_content_fetch(&content, holder, slot - 1))
        return false;
    bool good = slot_profile_open(&profile, &content);
    slot_content_free(&content);
    if (!good)
        return false;
    good = find_part(&profile, options->words[1], &part);
    profile_close(&profile);
    return good && begin(holder, &part, options) && watch(holder) && end(holder);
}
