/* Motion that is made of speeds: after any time the host has got the speed times that time,
 * whatever its interval is and however late the engine is updated. */
#include "tests/engine/world.h"
#include "tests/harness.h"

#define SHEET                                                                                      \
    "view.motion: motion(x=keys.a * 600 /s + keys.b * 7 /s - keys.c * 32767 /s, y=keys.d * -333 "  \
    "/s)\nview.wheel: keys.e * 8 /s"

static const struct {
    const char *key;
    int speed;
    unsigned direction;
} speeds[] = {{"a", 600, 0}, {"b", 7, 0}, {"c", -32767, 0}, {"d", -333, 1}, {"e", 8, 2}};

#define SPEEDS     (sizeof speeds / sizeof speeds[0])
#define DIRECTIONS 3

static world here;

/* Adds up what the log holds of each direction, and empties it. */
static void add_log(int64_t *sums) {
    static const char *const names[DIRECTIONS] = {"motion.x", "motion.y", "wheel"};
    char name[40];
    int counts, used;
    unsigned at_ms;
    for (const char *at = here.log; sscanf(at, "%u %39s %d%n", &at_ms, name, &counts, &used) == 3;
         at += used + (at[used] == ';' ? 2 : 0))
        for (unsigned k = 0; k < DIRECTIONS; k++)
            sums[k] += strcmp(name, names[k]) == 0 ? counts : 0;
    here.logged = 0;
    here.log[0] = 0;
}

/* Rounded down, as the function keeps what is left. */
static int64_t steps_of(__int128 millionths) {
    __int128 steps = millionths * 65536 / 1000000;
    return (int64_t)(steps * 1000000 > millionths * 65536 ? steps - 1 : steps);
}

/* Keys at random, or one after the other so that nothing turns round; each direction's counts. */
static void play(uint64_t poll_us, bool lazy, bool turns, int64_t *sums) {
    dice dice = {11};
    bool down[SPEEDS] = {false};
    __int128 exact[DIRECTIONS] = {0}; /* millionths of counts */
    memset(sums, 0, DIRECTIONS * sizeof *sums);
    world_begin(&here, SHEET, poll_us);
    here.lazy = lazy;
    for (unsigned i = 0; i < 400; i++) {
        unsigned key = turns ? roll_below(&dice, SPEEDS) : (unsigned[]){0, 1, 3, 4}[i % 4];
        uint64_t wait_us =
            roll_below(&dice, 4) ? roll_below(&dice, 9000) : roll_below(&dice, 300000);
        down[key] = !down[key];
        world_press(&here, speeds[key].key, down[key]);
        for (unsigned k = 0; k < SPEEDS; k++)
            if (down[k])
                exact[speeds[k].direction] += (__int128)speeds[k].speed * (int64_t)wait_us;
        world_run_until(&here, here.now_us + wait_us);
        add_log(sums);
    }
    for (unsigned k = 0; k < SPEEDS; k++)
        if (down[k])
            world_press(&here, speeds[k].key, false);
    world_run_until(&here, here.now_us + 2000000);
    add_log(sums);
    for (unsigned k = 0; k < DIRECTIONS; k++) {
        int64_t steps = steps_of(exact[k]), owed = steps - sums[k] * 65536;
        about("every %u us, %s, %s: direction %u", (unsigned)poll_us, lazy ? "late" : "punctual",
              turns ? "turning round" : "one way", k);
        CHECK(owed > -65536 && owed < 65536);
        if (!turns)
            CHECK_EQUAL(sums[k], steps / 65536);
    }
    CHECK(turns || (sums[0] > 1000 && sums[1] < -1000 && sums[2] > 10));
    CHECK_EQUAL(yt_engine_counts(&here.engine).motion_dropped, 0);
    world_end(&here);
}

/* The same counts at each interval that hosts ask at. */
static void check_intervals(void) {
    static const uint64_t polls_us[] = {1000, 2000, 4000, 8000, 10000};
    int64_t first[DIRECTIONS], sums[DIRECTIONS];
    play(1000, false, false, first);
    for (unsigned i = 0; i < sizeof polls_us / sizeof polls_us[0]; i++)
        for (unsigned lazy = 0; lazy < 2; lazy++) {
            play(polls_us[i], lazy, true, sums);
            play(polls_us[i], lazy, false, sums);
            for (unsigned k = 0; k < DIRECTIONS; k++)
                CHECK_EQUAL(sums[k], first[k]);
        }
}

/* A speed that comes to less than a count makes no report until it has come to one. */
static void check_reports(void) {
    world_begin(&here, SHEET, 1000);
    world_press(&here, "e", true);
    uint64_t before = here.reports;
    world_run_until(&here, 1000000);
    CHECK_EQUAL(here.reports - before, 8);
    world_end(&here);
}

/* What moves goes on while another device that moved it too leaves, and stops with the last. */
static void check_leaving(void) {
    int64_t sums[DIRECTIONS] = {0};
    world_begin(&here, "view.motion.x: (keys.a or ball.button1) * 1000 /s", 1000);
    world_press(&here, "a", true);
    world_press(&here, "ball.button1", true);
    world_run_until(&here, 100000);
    world_unplug(&here, WORLD_KEYS);
    world_run_until(&here, 200000);
    add_log(sums);
    CHECK_EQUAL(sums[0], 200);
    world_unplug(&here, WORLD_BALL);
    world_run_until(&here, 300000);
    add_log(sums);
    CHECK_EQUAL(sums[0], 200);
    world_end(&here);
}

int main(void) {
    check_intervals();
    check_reports();
    check_leaving();
    return report_checks();
}
