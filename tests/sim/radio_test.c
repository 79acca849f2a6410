/* A radio with a connection interval, latency and loss in place of a cable: every tap still shows
 * as a press and a release in order, all motion arrives, and what the host sends back does too. */
#include "ports/sim/simulation.h"
#include "tests/harness.h"
#include "tool/tool.h"

static profile crane;
static recording recordings[2];
static sim_plug plugs[2];
static unsigned presses[2]; /* of q, and of what it drives */
static int64_t sums[2];     /* of the ball's motion, and of the camera's */
static bool order_is_right;
static int64_t last[2];
static int64_t late_us; /* how much later than the presses of q what it drives is, in all */

static void count(void *context, const sim_change *change) {
    char name[160];
    (void)context;
    change_name(&crane, plugs, change, name, sizeof name, NULL);
    unsigned out = change->is_output;
    if (strcmp(name, "keys.q") == 0 || strcmp(name, "pad.west") == 0) {
        order_is_right &= change->control.value != last[out];
        last[out] = change->control.value;
        presses[out] += change->control.value == 1;
        late_us += out ? (int64_t)change->time_us : -(int64_t)change->time_us;
    }
    if (strcmp(name, "ball.wheel") == 0 || strcmp(name, "view.wheel") == 0)
        sums[out] += change->control.value;
}

static int64_t check(uint64_t interval_us, uint32_t loss) {
    static simulation simulation;
    sim_observer observer = {.change = count};
    memset(presses, 0, sizeof presses);
    memset(sums, 0, sizeof sums);
    memset(last, 0, sizeof last);
    order_is_right = true;
    late_us = 0;
    about("a connection interval of %" PRIu64 " us, %u of 1000 lost", interval_us, loss);
    CHECK(simulation_begin(&simulation, crane.compiled.image, crane.compiled.size, plugs, 2,
                           (sim_timing){.poll_us = interval_us, .loss = loss}, observer));
    simulation_run(&simulation);
    yt_counts counts = yt_engine_counts(&simulation.engine);
    CHECK_EQUAL(counts.pairs_dropped, 0);
    CHECK_EQUAL(counts.motion_dropped, 0);
    CHECK(presses[0] >= 2);
    CHECK_EQUAL(presses[1], presses[0]);
    CHECK_EQUAL(last[1], 0);
    CHECK_EQUAL(sums[1], sums[0]);
    CHECK(sums[0] != 0 && order_is_right);
    simulation_end(&simulation);
    return late_us;
}

static uint64_t shaken_us[2];
static unsigned shakes;

static void note_shake(void *context, const sim_change *change) {
    (void)context;
    if (change->is_feedback && !change->is_output && shakes < 2)
        shaken_us[shakes++] = change->time_us;
}

/* A device that sleeps through connection events hears the host later, but hears it. */
static void check_latency(void) {
    static simulation simulation;
    static profile radio;
    sim_observer observer = {.change = note_shake};
    sim_sent sent[2] = {
        {.time_us = 101000,
         .interface = 1,
         .direction = YT_HID_OUTPUT,
         .bytes = {1, 255},
         .size = 6},
        {.time_us = 200001, .interface = 1, .direction = YT_HID_OUTPUT, .bytes = {1}, .size = 6}};
    recording set;
    about("latency");
    CHECK(profile_open(&radio, "crane/radio.yaml"));
    CHECK(recording_read(&set, "crane/recordings/heron-radio-set.hid"));
    sim_plug plug = {YT_ANY_INPUT, &set};
    CHECK(simulation_begin(&simulation, radio.compiled.image, radio.compiled.size, &plug, 1,
                           (sim_timing){.poll_us = 10000, .latency = 3}, observer));
    simulation_send(&simulation, sent, 2);
    simulation_run(&simulation);
    CHECK_EQUAL(shakes, 2);
    CHECK_EQUAL(shaken_us[0], 120000); /* it listens at each fourth event */
    CHECK_EQUAL(shaken_us[1], 240000);
    simulation_end(&simulation);
    recording_free(&set);
    profile_close(&radio);
}

int main(void) {
    static const uint64_t intervals_us[] = {7500, 15000, 30000};
    static const char *const paths[] = {"crane/recordings/otter-keyboard.hid",
                                        "crane/recordings/dory-trackball.hid"};
    if (!profile_open(&crane, "crane/crane.yaml"))
        return 1;
    for (unsigned i = 0; i < 2; i++) {
        CHECK(recording_read(&recordings[i], paths[i]));
        plugs[i] = (sim_plug){i, &recordings[i]};
    }
    int64_t later_us = 0;
    for (size_t i = 0; i < 3; i++) {
        int64_t without_us = check(intervals_us[i], 0);
        for (uint32_t loss = 100; loss <= 500; loss += 100)
            later_us += check(intervals_us[i], loss) - without_us;
    }
    about("what is lost comes later");
    CHECK(later_us > 0);
    for (unsigned i = 0; i < 2; i++)
        recording_free(&recordings[i]);
    profile_close(&crane);
    check_latency();
    return report_checks();
}
