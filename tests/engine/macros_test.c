/* Macros: for each way to repeat and each answer to a further press, random presses against the
 * list of the runs that they come to. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

#define LENGTH 3000 /* ms of a session */
#define STEPS  5
#define RUNS   4000

static const char *const answers[] = {"ignore", "restart", "stop", "queue"};
enum { IGNORE, RESTART, STOP, QUEUE };

/* Stretches in which the steps go on, one after the other. */
typedef struct run {
    int from, until;
} run;

static rig r;
static dice any;
static run runs[RUNS];
static unsigned run_count;

/* At one moment timers come before what a device sends. */
static bool was_down_at(const int *changes, unsigned count, int t) {
    unsigned before = 0;
    while (before < count && changes[before] < t)
        before++;
    return before % 2;
}

static void add_runs(int from, int length, int count) {
    for (int i = 0; i < count && run_count < RUNS; i++)
        runs[run_count++] = (run){from + i * length, from + (i + 1) * length};
}

static int end_of_runs(void) {
    return run_count ? runs[run_count - 1].until : -1;
}

/* Those that have not begun at a time never do, and the one that goes on ends. */
static void cut_runs(int t) {
    while (run_count > 0 && runs[run_count - 1].from >= t)
        run_count--;
    if (run_count > 0 && runs[run_count - 1].until > t)
        runs[run_count - 1].until = t;
}

/* What repeats for as long as a key is held, or until it is pressed again. */
static void add_open_runs(int from, int length, const int *changes, unsigned count, bool held) {
    do
        add_runs(from, length, 1);
    while ((from += length) < LENGTH && (!held || was_down_at(changes, count, from)));
}

/* Of a queue, how many presses wait when one comes. */
static int waiting_at(int t, int length, int repeat) {
    int ahead = end_of_runs() - t;
    return ahead <= 0 ? 0 : (ahead + repeat * length - 1) / (repeat * length) - 1;
}

static void add_press(int t, int length, int repeat, int answer, const int *changes,
                      unsigned count) {
    bool goes_on = end_of_runs() > t;
    if (goes_on && answer == IGNORE)
        return;
    if (goes_on && answer == STOP) {
        cut_runs(t);
        return;
    }
    if (goes_on && answer == RESTART)
        cut_runs(t);
    if (goes_on && answer == QUEUE && repeat > 0) {
        if (waiting_at(t, length, repeat) < 9)
            add_runs(end_of_runs(), length, repeat);
        return;
    }
    if (repeat > 0)
        add_runs(t, length, repeat);
    else
        add_open_runs(t, length, changes, count, repeat == 0);
}

/* Which step goes on, from 0; -1: none. */
static int meant_step(int t, const int *times, int steps) {
    for (unsigned i = 0; i < run_count; i++) {
        int at = t - runs[i].from;
        if (t < runs[i].from || t >= runs[i].until)
            continue;
        for (int step = 0; step < steps; step++) {
            if (at < times[step])
                return step;
            at -= times[step];
        }
    }
    return -1;
}

static unsigned make_changes(int *changes, unsigned room, unsigned most) {
    unsigned count = 0;
    for (int t = 1 + (int)roll_below(&any, most); t < LENGTH && count < room;
         t += 1 + (int)roll_below(&any, most))
        changes[count++] = t;
    return count;
}

static void check_session(int repeat, int answer, unsigned number) {
    char text[1000];
    int times[STEPS], steps = 1 + (int)roll_below(&any, STEPS), length = 0, changes[600];
    unsigned count = make_changes(changes, 600, number % 2 ? 40 : 400), next = 0, shown = 0;
    run_count = 0;
    snprintf(text, sizeof text,
             "inputs: {keys: keyboard}\noutputs: {told: joystick}\n"
             "sheet: {told.button9: macros.it}\nmacros:\n  it:\n    when: keys.a\n");
    if (repeat == 0)
        strcat(text, "    repeat: while held\n");
    else if (repeat < 0)
        strcat(text, "    repeat: until pressed\n");
    else
        snprintf(text + strlen(text), sizeof text - strlen(text), "    repeat: %d\n", repeat);
    snprintf(text + strlen(text), sizeof text - strlen(text), "    again: %s\n    steps:\n",
             answers[answer]);
    for (int i = 0; i < steps; i++) {
        times[i] = 1 + (int)roll_below(&any, 30);
        length += times[i];
        snprintf(text + strlen(text), sizeof text - strlen(text),
                 "      - {press: told.button%d, for: %d ms}\n", i + 1, times[i]);
    }
    for (unsigned i = 0; i < count; i += 2)
        add_press(changes[i], length, repeat, answer, changes, count);
    rig_begin(&r, text);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (int t = 0; t < LENGTH; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        const char *told;
        yt_engine_update(&r.engine, now_us);
        if (next < count && changes[next] == t)
            RIG_REPORT(&r, keys, now_us, 0, next++ % 2 ? 0 : 4, 0, 0, 0, 0);
        while (*(told = rig_take(&r, 0, now_us))) {
            unsigned low = 0, high = 0;
            sscanf(told, "%x %x", &low, &high);
            shown = low | high << 8;
        }
        int step = meant_step(t, times, steps);
        about("repeat %d, again %s, session %u at %d ms", repeat, answers[answer], number, t);
        CHECK_EQUAL(shown, step < 0 ? 0 : 1u << step | 1u << 8);
    }
    rig_end(&r);
}

/* A device that leaves ends what it began, and nothing is left on; what is held when a macro is
 * over does not begin it. */
static void check_cancel(void) {
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {told: joystick}\nsheet: {}\nmacros:\n"
                  "  it:\n    when: keys.a\n    repeat: until pressed\n    steps: [{press: "
                  "told.button1, for: 20 ms}, {wait: 20 ms}]\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 1000, 0, 4, 0, 0, 0, 0);
    CHECK(strncmp(rig_take(&r, 0, 1000), "01", 2) == 0);
    yt_engine_detach(&r.engine, keys, 5000);
    yt_engine_update(&r.engine, 5000);
    CHECK(strncmp(rig_take(&r, 0, 5000), "00", 2) == 0);
    CHECK(yt_engine_update(&r.engine, 6000) > 1000000000u);
    yt_engine_update(&r.engine, 500000);
    CHECK_TEXT(rig_take(&r, 0, 500000), "");
    rig_end(&r);
}

/* Nine presses wait, and no more. */
static void check_queue(void) {
    unsigned presses = 0, last = 0;
    rig_begin(
        &r, "inputs: {keys: keyboard}\noutputs: {told: joystick}\nsheet: {}\nmacros:\n  it:\n    "
            "when: keys.a\n    again: queue\n    steps: [{press: told.button1, for: 50 ms}, {wait: "
            "50 ms}]\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (unsigned t = 1; t < 3000; t++) {
        if (t <= 40)
            RIG_REPORT(&r, keys, t * 1000, 0, t % 2 ? 4 : 0, 0, 0, 0, 0);
        yt_engine_update(&r.engine, t * 1000);
        unsigned now = last;
        sscanf(rig_take(&r, 0, t * 1000), "%x", &now);
        presses += now == 1 && last == 0;
        last = now;
    }
    about("%u runs of 20 presses", presses);
    CHECK_EQUAL(presses, 1 + 9);
    rig_end(&r);
}

/* A host that asks more rarely than the steps last: what does not fit is dropped by whole pairs and
 * counted, and in the end nothing is pressed. */
static void check_slow_host(void) {
    unsigned pairs = 0, last = 99;
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {told: joystick}\nsheet: {}\nmacros:\n"
                  "  it:\n    when: keys.a\n    repeat: 50\n    steps: [{press: told.button1, for: "
                  "2 ms}, {wait: 2 ms}]\n");
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 1000, 0, 4, 0, 0, 0, 0);
    for (unsigned t = 8; t <= 1000; t += 8) {
        yt_engine_update(&r.engine, t * 1000);
        const char *told = rig_take(&r, 0, t * 1000);
        unsigned now = last;
        sscanf(told, "%x", &now);
        pairs += now == 1 && last != 1;
        last = now;
    }
    unsigned dropped = yt_engine_counts(&r.engine).pairs_dropped;
    about("%u pairs were told, %u dropped", pairs, dropped);
    CHECK(dropped > 0);
    CHECK_EQUAL(pairs + dropped, 50);
    CHECK_EQUAL(last, 0);
    rig_end(&r);
}

int main(void) {
    static const int repeats[] = {1, 3, 0, -1};
    any = (dice){99};
    for (unsigned i = 0; i < 4; i++)
        for (int answer = 0; answer < 4; answer++)
            for (unsigned number = 0; number < 8; number++)
                if (repeats[i] > 0 || (repeats[i] == 0 && answer != QUEUE) || answer == STOP)
                    check_session(repeats[i], answer, number);
    check_cancel();
    check_queue();
    check_slow_host();
    return report_checks();
}
