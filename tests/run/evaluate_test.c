/* Timers against a slow list. */
#include "run/evaluate.h"
#include "tests/harness.h"

#define TIMERS 40

static yt_timer timers[TIMERS];
static uint16_t heap[TIMERS];
static uint16_t steps[TIMERS];
static uint32_t words[4], filled[1];

/* Starts and ends timers at random; the earliest is always the one that a search finds, wherever
 * the 32 bits of a time begin again at 0. */
static void check_timers(uint32_t base) {
    dice dice = {14};
    yt_evaluator evaluator = {.timers = timers, .heap = heap};
    uint64_t due[TIMERS];
    evaluator.words = words;
    evaluator.filled = filled;
    evaluator.program.timers = steps;
    for (unsigned i = 0; i < TIMERS; i++) {
        timers[i] = (yt_timer){.place = YT_NOT_RUNNING};
        steps[i] = (uint16_t)i;
        due[i] = YT_NEVER;
    }
    for (int step = 0; step < 100000; step++) {
        uint64_t earliest = YT_NEVER;
        about("timers from %u on, step %d", base, step);
        if (roll_below(&dice, 3)) {
            unsigned timer = roll_below(&dice, TIMERS);
            due[timer] = 1 + roll_below(&dice, 1000);
            yt_timer_start(&evaluator, timer, base + (uint32_t)due[timer]);
        } else {
            uint64_t now = roll_below(&dice, 1000);
            memset(words, 0, sizeof words);
            yt_timers_expire(&evaluator, base + (uint32_t)now);
            for (unsigned i = 0; i < TIMERS; i++) {
                bool ended = due[i] <= now;
                CHECK_EQUAL(words[i / 32] >> (i % 32) & 1, ended);
                due[i] = ended ? YT_NEVER : due[i];
            }
        }
        for (unsigned i = 0; i < TIMERS; i++)
            earliest = due[i] < earliest ? due[i] : earliest;
        CHECK_EQUAL(evaluator.running > 0, earliest != YT_NEVER);
        if (evaluator.running > 0)
            CHECK_EQUAL(yt_timers_first(&evaluator) - base, earliest);
    }
}

int main(void) {
    check_timers(0);
    check_timers(UINT32_MAX - 500);
    check_timers(INT32_MAX - 500);
    return report_checks();
}
