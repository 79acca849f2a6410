/* Timers against a slow list. */
#include "run/evaluate.h"
#include "tests/harness.h"

#define TIMERS 40

static yt_timer timers[TIMERS];
static uint16_t heap[TIMERS];
static uint32_t words[4], filled[1];

/* Starts and ends timers at random; the earliest is always the one that a search finds. */
static void check_timers(void) {
    dice dice = {14};
    yt_evaluator evaluator = {.timers = timers, .heap = heap};
    uint64_t due[TIMERS];
    evaluator.changed.words = words;
    evaluator.changed.filled = filled;
    for (unsigned i = 0; i < TIMERS; i++) {
        timers[i] = (yt_timer){0, (uint16_t)i, YT_NOT_RUNNING};
        due[i] = YT_NEVER;
    }
    for (int step = 0; step < 100000; step++) {
        uint64_t earliest = YT_NEVER;
        about("timers, step %d", step);
        if (roll_below(&dice, 3)) {
            unsigned timer = roll_below(&dice, TIMERS);
            due[timer] = 1 + roll_below(&dice, 1000);
            yt_timer_start(&evaluator, timer, due[timer]);
        } else {
            uint64_t now = roll_below(&dice, 1000);
            memset(words, 0, sizeof words);
            yt_evaluator_expire(&evaluator, now);
            for (unsigned i = 0; i < TIMERS; i++) {
                bool ended = due[i] <= now;
                CHECK_EQUAL(words[i / 32] >> (i % 32) & 1, ended);
                due[i] = ended ? YT_NEVER : due[i];
            }
        }
        for (unsigned i = 0; i < TIMERS; i++)
            earliest = due[i] < earliest ? due[i] : earliest;
        CHECK(yt_evaluator_due(&evaluator) == earliest);
    }
}

int main(void) {
    check_timers();
    return report_checks();
}
