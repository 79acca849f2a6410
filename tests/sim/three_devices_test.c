/* The three captures at once, with polls of 1, 8 and 30 ms: every tap shows as a press and a
 * release in order, motion out is motion in times the stored scale, and two runs give the same
 * bytes. */
#include "ports/sim/simulation.h"
#include "tests/harness.h"
#include "tests/sim/taps.h"
#include "tool/tool.h"

static const struct {
    const char *input;
    const char *path;
} plugs_wanted[] = {{"keys", "crane/captures/keyboard.pcap"},
                    {"ball", "crane/captures/mouse.pcap"},
                    {"slate", "crane/captures/tablet.pcap"}};

static profile profile_read;
static recording recordings[3];
static sim_plug plugs[3];

/* Buttons that one input control drives alone: what goes in is what comes out. */
static const struct {
    const char *in;
    const char *out;
} pairs[] = {{"keys.y", "pad.east"},           {"keys.t", "pad.west"},
             {"keys.n", "pad.north"},          {"keys.q", "pad.left_shoulder"},
             {"keys.c", "pad.right_shoulder"}, {"keys.left_shift", "pad.select"},
             {"keys.enter", "pad.start"},      {"ball.button1", "view.button1"},
             {"ball.button2", "view.button2"}, {"ball.button3", "view.button3"},
             {"ball.button4", "view.button4"}, {"ball.button5", "view.button5"}};

typedef struct result {
    change_list changes;
    char *bytes; /* the outputs' reports, as text */
    size_t size;
    FILE *file;
} result;

static void keep_change(void *context, const sim_change *change) {
    change_list_add(&((result *)context)->changes, change);
}

static void keep_report(void *context, unsigned output, uint64_t time_us, const uint8_t *bytes,
                        size_t size) {
    result *result = context;
    fprintf(result->file, "%u ", output);
    recording_write_report(result->file, time_us, bytes, size);
}

static void run(uint64_t poll_us, result *result, yt_counts *counts) {
    static simulation simulation;
    sim_observer observer = {.context = result, .change = keep_change, .taken = keep_report};
    memset(result, 0, sizeof *result);
    result->file = open_memstream(&result->bytes, &result->size);
    bool good =
        simulation_begin(&simulation, profile_read.compiled.image, profile_read.compiled.size,
                         plugs, 3, (sim_timing){.poll_us = poll_us}, observer);
    CHECK_TEXT(simulation.error, "");
    if (good)
        simulation_run(&simulation);
    *counts = yt_engine_counts(&simulation.engine);
    simulation_end(&simulation);
    fclose(result->file);
    change_list_sort(&result->changes);
}

static void free_result(result *result) {
    change_list_free(&result->changes);
    free(result->bytes);
}

/* How often a control went down; it must go up and down in turns. */
static unsigned presses_of(const result *result, const char *name) {
    unsigned presses = 0;
    int64_t last = 0;
    for (size_t i = 0; i < result->changes.count; i++) {
        char at[160];
        change_name(&profile_read, plugs, &result->changes.list[i], at, sizeof at, NULL);
        if (strcmp(at, name) != 0)
            continue;
        CHECK(result->changes.list[i].control.value != last);
        last = result->changes.list[i].control.value;
        presses += last == 1;
    }
    CHECK_EQUAL(last, 0);
    return presses;
}

static int64_t sum_of(const result *result, const char *name) {
    int64_t sum = 0;
    for (size_t i = 0; i < result->changes.count; i++) {
        char at[160];
        change_name(&profile_read, plugs, &result->changes.list[i], at, sizeof at, NULL);
        if (strcmp(at, name) == 0)
            sum += result->changes.list[i].control.value;
    }
    return sum;
}

static void check_poll(uint64_t poll_us) {
    result one, again;
    yt_counts counts;
    run(poll_us, &one, &counts);
    about("a poll of %" PRIu64 " us", poll_us);
    CHECK_EQUAL(counts.pairs_dropped, 0);
    CHECK_EQUAL(counts.motion_dropped, 0);
    CHECK_EQUAL(counts.deadlines_merged, 0);
    unsigned all = 0;
    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++) {
        about("%s and %s, a poll of %" PRIu64 " us", pairs[i].in, pairs[i].out, poll_us);
        unsigned presses = presses_of(&one, pairs[i].in);
        CHECK_EQUAL(presses_of(&one, pairs[i].out), presses);
        all += presses;
    }
    CHECK(all > 60);
    about("motion, a poll of %" PRIu64 " us", poll_us);
    CHECK(llabs(sum_of(&one, "view.motion.x") * 65536 - sum_of(&one, "ball.motion.x") * 39322) <
          65536);
    CHECK(llabs(sum_of(&one, "view.motion.y") * 65536 - sum_of(&one, "ball.motion.y") * 39322) <
          65536);
    CHECK_EQUAL(sum_of(&one, "view.wheel"),
                sum_of(&one, "ball.wheel") + sum_of(&one, "slate.wheel"));
    run(poll_us, &again, &counts);
    CHECK_EQUAL(one.size, again.size);
    CHECK(one.size > 10000 && memcmp(one.bytes, again.bytes, one.size) == 0);
    free_result(&one);
    free_result(&again);
}

int main(void) {
    static const uint64_t polls_us[] = {1000, 8000, 30000};
    if (!profile_open(&profile_read, "crane/three-devices.yaml"))
        return 1;
    for (unsigned i = 0; i < 3; i++) {
        if (!recording_read(&recordings[i], plugs_wanted[i].path)) {
            fprintf(stderr, "%s\n", recordings[i].error);
            return 1;
        }
        for (unsigned k = 0; k < profile_read.compiled.input_count; k++)
            if (strcmp(profile_read.compiled.inputs[k].name, plugs_wanted[i].input) == 0)
                plugs[i] = (sim_plug){k, &recordings[i]};
    }
    for (int i = 0; i < 3; i++)
        check_poll(polls_us[i]);
    shorten_taps(&recordings[0]);
    for (int i = 0; i < 3; i++)
        check_poll(polls_us[i]);
    for (unsigned i = 0; i < 3; i++)
        recording_free(&recordings[i]);
    profile_close(&profile_read);
    return report_checks();
}
