/* Whatever the interval at which a host asks, and whatever that at which devices tell: after the
 * same movements of the hand it has got the same presses, counts and positions. At 125, 500 and
 * 1000 Hz. */
#include <stdlib.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"

#define AXES    8
#define BUTTONS 32
#define LENGTH  4000 /* ms */

static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x01, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};
static const uint8_t knob[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                               0x09, 0x31, 0x09, 0x38, 0x15, 0x81, 0x25, 0x7f,
                               0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0};

static const char profile[] =
    "inputs: {keys: keyboard, hand: joystick, ball: mouse}\noutputs: {told: joystick, view: "
    "mouse}\n"
    "named: {s: \"stick(x=hand.x, y=hand.y)\"}\nsheet:\n"
    "  told.button1: turbo(keys.a, rate=9 Hz, on=40%)\n  told.button2: hold(keys.a, after=130 ms)\n"
    "  told.button3: tap(keys.b, within=120 ms, on=50 ms)\n  told.button4: pulse(keys.a, on=60 "
    "ms)\n"
    "  told.button5: steady(keys.b, after=50 ms)\n  told.button6: at_least(keys.a, on=90 ms)\n"
    "  told.button7: at_most(keys.b, on=70 ms)\n  told.button8: spaced(keys.a, by=200 ms)\n"
    "  told.button9: multi_press(keys.b, within=300 ms)\n"
    "  told.button10: exactly(keys.a, count=1, within=200 ms, on=60 ms)\n"
    "  told.button11: lasted(keys.b, from=60 ms, to=200 ms, on=60 ms)\n"
    "  told.button12: delayed(keys.a, by=90 ms)\n  told.button13: whole_chord(keys.a, keys.b, "
    "within=60 ms)\n"
    "  told.button14: in_order(keys.a, keys.b, within=300 ms)\n"
    "  told.button15: dwell(s, within=20%, after=150 ms)\n  told.button16: taps(ball.wheel, on=30 "
    "ms, off=30 ms)\n"
    "  told.button17: sector(s, count=4) == 2\n  told.button18: macros.it\n"
    "  told.x: ramp(hand.x, out=300 ms, back=200 ms)\n  told.y: dial(ball.wheel, each=1%)\n"
    "  told.z: spring(ball.wheel, each=20%)\n"
    "  view.motion: ball.motion * 60% + stick(x=keys.a, y=keys.b) * 300 /s\n"
    "  view.wheel: step(keys.a, 2) + keys.b * 12 /s\n"
    "macros: {it: {when: keys.a, steps: [{press: told.button19, for: 40 ms}, {wait: 30 ms}, "
    "{press: "
    "told.button20, for: 50 ms}]}}\n";

static rig r;

/* All that a host was told. */
typedef struct sums {
    unsigned presses[BUTTONS];
    int64_t motion[3];
    int axes[AXES];
    uint32_t buttons;
} sums;

static unsigned read_bytes(const char *text, unsigned *bytes, unsigned most) {
    unsigned count = 0;
    int used;
    while (count < most && sscanf(text, "%x%n", &bytes[count], &used) == 1) {
        text += used;
        count++;
    }
    return count;
}

/* A report of each: the joystick's, and the mouse's, which has an interface of its own. */
static void take(sums *sums, uint64_t now_us) {
    unsigned bytes[40] = {0};
    if (read_bytes(rig_take(&r, 0, now_us), bytes, 40) > 0) {
        uint32_t now = bytes[0] | bytes[1] << 8 | bytes[2] << 16 | bytes[3] << 24;
        for (unsigned i = 0; i < BUTTONS; i++)
            sums->presses[i] += (now >> i & 1) && !(sums->buttons >> i & 1);
        sums->buttons = now;
        for (unsigned i = 0; i < AXES; i++)
            sums->axes[i] = (int16_t)(bytes[5 + 2 * i] | bytes[6 + 2 * i] << 8);
    }
    if (read_bytes(rig_take(&r, 1, now_us), bytes, 40) > 0)
        for (unsigned i = 0; i < 3; i++)
            sums->motion[i] += (int16_t)(bytes[1 + 2 * i] | bytes[2 + 2 * i] << 8);
}

/* The hand moves each 8 ms or more rarely; the ball's counts of 8 ms come in as many reports as its
 * interval asks for. */
static sums play(unsigned seed, unsigned poll_ms, unsigned ball_ms) {
    dice dice = {seed};
    sums sums = {{0}, {0}, {0}, 0};
    int left[3] = {0};
    bool down[2] = {false};
    rig_begin(&r, profile);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys), hand = RIG_ATTACH(&r, stick),
             ball = RIG_ATTACH(&r, knob);
    for (unsigned t = 0; t < LENGTH + 2000; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        bool moves = t < LENGTH && t % 8 == 0;
        yt_engine_update(&r.engine, now_us);
        for (unsigned i = 0; i < 3 && moves; i++)
            left[i] = roll_below(&dice, 8) ? 0 : ((int)roll_below(&dice, 9) - 4) * 8;
        if (moves && roll_below(&dice, 12) == 0) {
            unsigned key = roll_below(&dice, 2);
            down[key] = !down[key];
            RIG_REPORT(&r, keys, now_us, 0, down[0] ? 4 : 0, down[1] ? 5 : 0, 0, 0, 0);
        }
        if (t == LENGTH)
            RIG_REPORT(&r, keys, now_us, 0, 0, 0, 0, 0, 0);
        if (moves && roll_below(&dice, 30) == 0) {
            int16_t raw[2] = {(int16_t)(roll_below(&dice, 60001) - 30000),
                              (int16_t)(roll_below(&dice, 60001) - 30000)};
            rig_report(&r, hand, (const uint8_t *)raw, sizeof raw, now_us);
        }
        if (t % ball_ms == 0 && (left[0] || left[1] || left[2])) {
            int now[3];
            for (unsigned i = 0; i < 3; i++) { /* the ball's in equal parts, the wheel's at once */
                now[i] = i == 2 ? left[i] : left[i] / (int)((8 - t % 8) / ball_ms);
                left[i] -= now[i];
            }
            RIG_REPORT(&r, ball, now_us, (uint8_t)now[0], (uint8_t)now[1], (uint8_t)now[2]);
        }
        if (t % poll_ms == 0)
            take(&sums, now_us);
    }
    for (unsigned i = 0; i < 100; i++)
        take(&sums, (LENGTH + 2000) * UINT64_C(1000) + i);
    CHECK_EQUAL(yt_engine_counts(&r.engine).pairs_dropped, 0);
    CHECK_EQUAL(yt_engine_counts(&r.engine).motion_dropped, 0);
    rig_end(&r);
    return sums;
}

/* Keys at random, by themselves: what is drawn first says when and which. */
static unsigned any_keys(dice *dice, bool *down, uint8_t *report) {
    unsigned key = roll_below(dice, 2);
    down[key] = !down[key];
    report[1] = down[0] ? 4 : 0;
    report[2] = down[1] ? 5 : 0;
    return key;
}

static void take_all(sums *sums, uint64_t now_us) {
    for (unsigned i = 0; i < 40; i++)
        take(sums, now_us);
}

/* Reports carry their times; the engine is updated each `update_ms`, and in the end. */
static sums play_late(unsigned seed, unsigned update_ms) {
    dice dice = {seed};
    sums sums = {{0}, {0}, {0}, 0};
    bool down[2] = {false};
    uint8_t report[6] = {0};
    rig_begin(&r, profile);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (unsigned t = 1; t < LENGTH; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        if (roll_below(&dice, 90) == 0) {
            any_keys(&dice, down, report);
            CHECK_EQUAL(yt_engine_report(&r.engine, keys, report, sizeof report, now_us), YT_OK);
        }
        if (t % update_ms == 0) {
            yt_engine_update(&r.engine, now_us);
            take_all(&sums, now_us);
        }
    }
    yt_engine_update(&r.engine, LENGTH * UINT64_C(1000));
    take_all(&sums, LENGTH * UINT64_C(1000));
    CHECK_EQUAL(yt_engine_counts(&r.engine).pairs_dropped, 0);
    CHECK_EQUAL(yt_engine_counts(&r.engine).deadlines_merged, 0);
    rig_end(&r);
    return sums;
}

/* A keyboard that leaves: what its keys turned on goes off, and nothing goes on because of it; it
 * comes back and all works. */
static void check_leaving(unsigned seed) {
    dice dice = {seed};
    sums sums = {{0}, {0}, {0}, 0}, then;
    bool down[2] = {false};
    uint8_t report[6] = {0};
    unsigned leaves = 200 + roll_below(&dice, 1500), t = 1;
    rig_begin(&r, profile);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (; t < leaves; t++) {
        if (roll_below(&dice, 60) == 0) {
            any_keys(&dice, down, report);
            rig_report(&r, keys, report, sizeof report, t * UINT64_C(1000));
        }
        yt_engine_update(&r.engine, t * UINT64_C(1000));
        take(&sums, t * UINT64_C(1000));
    }
    take_all(&sums, t * UINT64_C(1000));
    yt_engine_detach(&r.engine, keys, t * UINT64_C(1000));
    take_all(&sums, t * UINT64_C(1000));
    about("session %u, the keyboard leaves at %u ms", seed, leaves);
    CHECK_EQUAL(sums.buttons, 0);
    then = sums;
    for (unsigned end = t + 2000; t < end; t++) {
        yt_engine_update(&r.engine, t * UINT64_C(1000));
        take(&then, t * UINT64_C(1000));
    }
    for (unsigned i = 0; i < BUTTONS; i++)
        CHECK_EQUAL(then.presses[i], sums.presses[i]);
    for (unsigned i = 0; i < 3; i++)
        CHECK_EQUAL(then.motion[i], sums.motion[i]);
    keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, t * UINT64_C(1000), 0, 4, 0, 0, 0, 0);
    yt_engine_update(&r.engine, (t + 61) * UINT64_C(1000)); /* the chord holds it back */
    take_all(&then, (t + 61) * UINT64_C(1000));
    CHECK_EQUAL(then.presses[3], sums.presses[3] + 1); /* the pulse */
    rig_end(&r);
}

/* The same cells in a layer: when it has ended and no press of it lasts, all rest, and nothing
 * fires when it comes on again. */
static void check_layer(unsigned seed) {
    char text[4000], *cells = text;
    const char *sheet = strstr(profile, "sheet:\n") + 7, *macros = strstr(profile, "macros:");
    dice dice = {seed};
    sums sums = {{0}, {0}, {0}, 0}, then;
    bool down[2] = {false};
    uint8_t report[6] = {0};
    cells += snprintf(text, sizeof text,
                      "%.*ssheet: {told.button32: keys.q}\nlayers:\n  - while: keys.z\n    "
                      "sheet:\n",
                      (int)(sheet - 7 - profile), profile);
    for (const char *at = sheet; at < macros; at = strchr(at, '\n') + 1)
        if (!strstr(at, "button18") || strstr(at, "button18") > strchr(at, '\n')) /* the macro's */
            cells += snprintf(cells, sizeof text - (size_t)(cells - text), "    %.*s",
                              (int)(strchr(at, '\n') + 1 - at), at);
    strcpy(cells, macros);
    *strstr(strstr(cells, "when: "), "keys.a") = 'x'; /* the macro has nothing to do with it */
    memcpy(strstr(cells, "xeys.a"), "keys.m", 6);
    rig_begin(&r, text);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys), t = 1;
    report[3] = 0x1d; /* z */
    for (; t < 1500; t++) {
        if (roll_below(&dice, 60) == 0) {
            any_keys(&dice, down, report);
            rig_report(&r, keys, report, sizeof report, t * UINT64_C(1000));
        }
        yt_engine_update(&r.engine, t * UINT64_C(1000));
        take(&sums, t * UINT64_C(1000));
    }
    memset(report, 0, sizeof report);
    for (unsigned end = t + 1000; t < end; t++) {
        if (t == end - 1000 || t == end - 500 || t == end - 200) { /* off, on again, off */
            report[3] = t == end - 500 ? 0x1d : 0;
            rig_report(&r, keys, report, sizeof report, t * UINT64_C(1000));
        }
        yt_engine_update(&r.engine, t * UINT64_C(1000));
        take(&sums, t * UINT64_C(1000));
        if (t == end - 950)
            then = sums;
    }
    about("session %u, in a layer", seed);
    CHECK_EQUAL(sums.buttons, 0);
    for (unsigned i = 0; i < BUTTONS; i++)
        CHECK_EQUAL(sums.presses[i], then.presses[i]);
    rig_end(&r);
}

static void compare(const sums *one, const sums *other) {
    for (unsigned i = 0; i < BUTTONS; i++)
        CHECK_EQUAL(other->presses[i], one->presses[i]);
    for (unsigned i = 0; i < 3; i++) /* what is no whole count yet may have been one on the way */
        CHECK(llabs(other->motion[i] - one->motion[i]) <= 1);
    for (unsigned i = 0; i < AXES; i++)
        CHECK_EQUAL(other->axes[i], one->axes[i]);
    CHECK_EQUAL(other->buttons, one->buttons);
}

int main(void) {
    static const unsigned intervals[] = {8, 2, 1};
    unsigned pressed = 0;
    for (unsigned seed = 1; seed <= some(40); seed++) {
        sums usual = play(seed, 1, 1);
        for (unsigned i = 0; i < BUTTONS; i++)
            pressed |= (unsigned)(usual.presses[i] > 0) << i;
        for (unsigned host = 0; host < 3; host++)
            for (unsigned ball = 0; ball < 3; ball++) {
                about("session %u, the host asks each %u ms, the ball tells each %u ms", seed,
                      intervals[host], intervals[ball]);
                sums sums = play(seed, intervals[host], intervals[ball]);
                compare(&usual, &sums);
            }
    }
    for (unsigned seed = 1; seed <= some(60); seed++) {
        sums punctual = play_late(seed, 1);
        for (unsigned late = 7; late <= 41; late += 17) {
            about("session %u, updated each %u ms", seed, late);
            sums sums = play_late(seed, late);
            compare(&punctual, &sums);
        }
        check_leaving(seed);
        check_layer(seed);
    }
    about("all buttons were pressed");
    CHECK_EQUAL(pressed, (1u << 20) - 1);
    return report_checks();
}
