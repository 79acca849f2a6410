/* Switches that last, wait, count and latch: random presses, millisecond by millisecond, against
 * what their manual says of the list of all presses. */
#include "tests/engine/rig.h"
#include "tests/harness.h"

#define LENGTH  1500 /* ms of a session */
#define PRESSES 200
#define NEVER   100000

/* Presses of a key: from `down` on, until `up`. */
typedef struct press {
    int down, up;
} press;

typedef struct presses {
    press list[PRESSES];
    int count;
} presses;

typedef struct times {
    int on, after, least, most, by, count, within, from, to, numbers;
} times;

static rig r;

static bool is_on(const presses *of, int t) {
    for (int i = 0; i < of->count; i++)
        if (of->list[i].down <= t && t < of->list[i].up)
            return true;
    return false;
}

static int next_down(const presses *of, int i) {
    return i + 1 < of->count ? of->list[i + 1].down : NEVER;
}

static int at_most(int a, int b) {
    return a < b ? a : b;
}

static int at_least(int a, int b) {
    return a > b ? a : b;
}

static bool within(int from, int t, int to) {
    return from <= t && t < to;
}

static bool meant_pulse(const presses *a, const times *times, int t) {
    for (int i = 0; i < a->count; i++)
        if (within(a->list[i].down, t, a->list[i].down + times->on))
            return true;
    return false;
}

/* What the last stretch was, in which nothing changed for long enough. */
static bool meant_steady(const presses *a, const times *times, int t) {
    bool on = false;
    for (int i = 0; i < a->count; i++) {
        const press *press = &a->list[i];
        if (press->up - press->down >= times->after && press->down + times->after <= t)
            on = true;
        if (next_down(a, i) - press->up >= times->after && press->up + times->after <= t)
            on = false;
    }
    return on;
}

static bool meant_at_least(const presses *a, const times *times, int t) {
    for (int i = 0; i < a->count; i++)
        if (within(a->list[i].down, t, at_least(a->list[i].up, a->list[i].down + times->least)))
            return true;
    return false;
}

static bool meant_at_most(const presses *a, const times *times, int t) {
    for (int i = 0; i < a->count; i++)
        if (within(a->list[i].down, t, at_most(a->list[i].up, a->list[i].down + times->most)))
            return true;
    return false;
}

static bool meant_spaced(const presses *a, const times *times, int t) {
    int last = -NEVER;
    for (int i = 0; i < a->count; i++) {
        if (a->list[i].down - last < times->by)
            continue;
        last = a->list[i].up;
        if (within(a->list[i].down, t, a->list[i].up))
            return true;
    }
    return false;
}

static bool meant_multi_press(const presses *a, const times *times, int t) {
    int count = 0, last = -NEVER;
    for (int i = 0; i < a->count; i++) {
        count = a->list[i].down - last < times->within ? count + 1 : 1;
        last = a->list[i].down;
        if (count < times->count)
            continue;
        if (within(a->list[i].down, t, a->list[i].up))
            return true;
        last = -NEVER;
    }
    return false;
}

static bool meant_exactly(const presses *a, const times *times, int t) {
    int count = 0;
    for (int i = 0; i < a->count; i++) {
        count++;
        if (next_down(a, i) < a->list[i].down + times->within)
            continue;
        int known = at_least(a->list[i].up, a->list[i].down + times->within);
        if (count == times->count && within(known, t, at_most(known + times->on, next_down(a, i))))
            return true;
        count = 0;
    }
    return false;
}

static bool meant_lasted(const presses *a, const times *times, int t) {
    for (int i = 0; i < a->count; i++) {
        const press *press = &a->list[i];
        if (within(times->from, press->up - press->down, times->to) &&
            within(press->up, t, at_most(press->up + times->on, next_down(a, i))))
            return true;
    }
    return false;
}

/* The last millisecond up to `t` in which a key was down. */
static int last_on(const presses *of, int t) {
    while (t >= 0 && !is_on(of, t))
        t--;
    return t;
}

static int presses_between(const presses *of, int from, int to) {
    int count = 0;
    for (int i = 0; i < of->count; i++)
        count += from <= of->list[i].down && of->list[i].down <= to;
    return count;
}

static bool meant_latch(const presses *a, const presses *b, int t) {
    return presses_between(a, last_on(b, t) + 1, t) > 0;
}

static int meant_cycle(const presses *a, const presses *b, const times *times, int t) {
    return presses_between(a, last_on(b, t) + 1, t) % times->numbers;
}

/* The changes that are kept: of more than four that are on their way at once a new one takes the
 * one before it away. */
static bool meant_delayed(const presses *a, const times *times, int t) {
    int kept[2 * PRESSES], count = 0, passed = 0;
    for (int i = 0; i < 2 * a->count; i++) {
        int at = i % 2 ? a->list[i / 2].up : a->list[i / 2].down, waiting = 0;
        for (int k = 0; k < count; k++)
            waiting += kept[k] + times->by > at;
        if (at > t)
            break;
        if (waiting == 4)
            count--;
        else
            kept[count++] = at;
    }
    for (int k = 0; k < count; k++)
        passed += kept[k] + times->by <= t;
    return passed % 2;
}

/* When the press began that lasts at `t`; -1: there is none. */
static int began(const presses *of, int t) {
    for (int i = 0; i < of->count; i++)
        if (within(of->list[i].down, t, of->list[i].up))
            return of->list[i].down;
    return -1;
}

/* -1 the way back, 1 the way forth. */
static int meant_wins(const presses *back, const presses *forth, int t, bool last) {
    int since_back = began(back, t), since_forth = began(forth, t);
    if (since_back < 0 || since_forth < 0)
        return (since_forth >= 0) - (since_back >= 0);
    if (since_back == since_forth)
        return 0;
    return (since_forth > since_back) == last ? 1 : -1;
}

static uint32_t meant(const presses *a, const presses *b, const times *times, int t) {
    const bool buttons[] = {meant_pulse(a, times, t),
                            meant_steady(a, times, t),
                            meant_at_least(a, times, t),
                            meant_at_most(a, times, t),
                            meant_spaced(a, times, t),
                            meant_multi_press(a, times, t),
                            meant_exactly(a, times, t),
                            meant_lasted(a, times, t),
                            meant_latch(a, b, t),
                            meant_cycle(a, b, times, t) == 1,
                            meant_cycle(a, b, times, t) == times->numbers - 1,
                            meant_delayed(a, times, t),
                            meant_wins(a, b, t, true) < 0,
                            meant_wins(a, b, t, true) > 0,
                            meant_wins(a, b, t, false) < 0,
                            meant_wins(a, b, t, false) > 0};
    uint32_t all = 0;
    for (unsigned i = 0; i < sizeof buttons; i++)
        all |= (uint32_t)buttons[i] << i;
    return all;
}

static void make_presses(presses *presses, dice *dice, unsigned most) {
    int t = 1 + (int)roll_below(dice, most);
    presses->count = 0;
    while (presses->count < PRESSES && t < LENGTH) {
        press *press = &presses->list[presses->count++];
        press->down = t;
        press->up = t + 1 + (int)roll_below(dice, most);
        t = press->up + 1 + (int)roll_below(dice, most);
    }
}

static times make_times(dice *dice) {
    int from = 1 + (int)roll_below(dice, 60);
    return (times){.on = 1 + (int)roll_below(dice, 60),
                   .after = 1 + (int)roll_below(dice, 40),
                   .least = 1 + (int)roll_below(dice, 60),
                   .most = 1 + (int)roll_below(dice, 60),
                   .by = 1 + (int)roll_below(dice, 60),
                   .count = 2 + (int)roll_below(dice, 3),
                   .within = 1 + (int)roll_below(dice, 120),
                   .from = from,
                   .to = from + 1 + (int)roll_below(dice, 60),
                   .numbers = 2 + (int)roll_below(dice, 5)};
}

static void begin(const times *times) {
    char text[2000];
    snprintf(text, sizeof text,
             "inputs: {keys: keyboard}\noutputs: {told: joystick}\nnamed:\n"
             "  mode: cycle(keys.a, count=%d, reset=keys.b)\nsheet:\n"
             "  told.button1: pulse(keys.a, on=%d ms)\n"
             "  told.button2: steady(keys.a, after=%d ms)\n"
             "  told.button3: at_least(keys.a, on=%d ms)\n"
             "  told.button4: at_most(keys.a, on=%d ms)\n"
             "  told.button5: spaced(keys.a, by=%d ms)\n"
             "  told.button6: multi_press(keys.a, count=%d, within=%d ms)\n"
             "  told.button7: exactly(keys.a, count=%d, within=%d ms, on=%d ms)\n"
             "  told.button8: lasted(keys.a, from=%d ms, to=%d ms, on=%d ms)\n"
             "  told.button9: latch(keys.a, keys.b)\n"
             "  told.button10: mode == 1\n"
             "  told.button11: mode == %d\n"
             "  told.button12: delayed(keys.a, by=%d ms)\n"
             "  told.button13: last_wins(keys.a, keys.b) < 0\n"
             "  told.button14: last_wins(keys.a, keys.b) > 0\n"
             "  told.button15: first_wins(keys.a, keys.b) < 0\n"
             "  told.button16: first_wins(keys.a, keys.b) > 0\n",
             times->numbers, times->on, times->after, times->least, times->most, times->by,
             times->count, times->within, times->count, times->within, times->on, times->from,
             times->to, times->on, times->numbers - 1, times->by);
    rig_begin(&r, text);
}

/* What the host was told last of its buttons. */
static uint32_t told(uint32_t before, uint64_t now_us) {
    unsigned bytes[4];
    const char *text;
    while (*(text = rig_take(&r, 0, now_us)))
        if (sscanf(text, "%x %x %x %x", &bytes[0], &bytes[1], &bytes[2], &bytes[3]) == 4)
            before = bytes[0] | bytes[1] << 8 | bytes[2] << 16 | bytes[3] << 24;
    return before;
}

static void check_session(dice *dice, unsigned number) {
    static presses a, b;
    times times = make_times(dice);
    unsigned most = 2 + roll_below(dice, 120);
    uint32_t shown = 0;
    bool a_was = false, b_was = false;
    make_presses(&a, dice, most);
    make_presses(&b, dice, number % 2 ? 4 * most : most);
    if (number % 3 == 0) /* both are pressed at once, and let go apart or not */
        b = a;
    for (int i = 0; number % 3 == 0 && i < b.count; i++)
        b.list[i].up = b.list[i].down + 1 +
                       (int)roll_below(dice, (uint32_t)(next_down(&b, i) - b.list[i].down - 1));
    begin(&times);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (int t = 0; t < LENGTH; t++) {
        bool a_is = is_on(&a, t), b_is = is_on(&b, t);
        uint64_t now_us = (uint64_t)t * 1000;
        yt_engine_update(&r.engine, now_us);
        if (a_is != a_was || b_is != b_was)
            RIG_REPORT(&r, keys, now_us, 0, a_is ? 4 : 0, b_is ? 5 : 0, 0, 0, 0);
        a_was = a_is;
        b_was = b_is;
        shown = told(shown, now_us);
        uint32_t wanted = meant(&a, &b, &times, t);
        about("session %u at %d ms, buttons %x, meant %x", number, t, shown, wanted);
        CHECK_EQUAL(shown, wanted);
        if (shown != wanted)
            break;
    }
    rig_end(&r);
}

/* A wheel that is turned both ways, at random: each tap is as long as it says, there are as many as
 * were turned and not taken back, whatever the interval at which the wheel tells. */
static void check_taps(dice *dice) {
    static const uint8_t wheel[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                                    0x09, 0x31, 0x09, 0x38, 0x15, 0x81, 0x25, 0x7f,
                                    0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0};
    static const int intervals[] = {1, 2, 8};
    for (unsigned n = 0; n < 100; n++) {
        int each = 1 + (int)roll_below(dice, 5), on = 1 + (int)roll_below(dice, 20);
        int off = 1 + (int)roll_below(dice, 20), owed = 0, until = 0, phase = 0;
        int interval = intervals[n % 3];
        char text[300];
        uint32_t shown = 0;
        snprintf(text, sizeof text,
                 "inputs: {ball: mouse}\noutputs: {told: joystick}\nsheet:\n"
                 "  told.button1: taps(ball.wheel, each=%d, on=%d ms, off=%d ms)\n",
                 each, on, off);
        rig_begin(&r, text);
        unsigned ball = RIG_ATTACH(&r, wheel);
        for (int t = 1; t < 1000; t++) {
            uint64_t now_us = (uint64_t)t * 1000;
            int turn =
                t % interval == 0 && roll_below(dice, 10) == 0 ? (int)roll_below(dice, 12) - 4 : 0;
            yt_engine_update(&r.engine, now_us);
            if (turn)
                RIG_REPORT(&r, ball, now_us, 0, 0, (uint8_t)turn);
            if (phase && t == until) { /* the pause behind a tap, or its end */
                phase = phase == 1 ? 2 : 0;
                until = t + off;
                if (phase == 0 && owed >= each) {
                    owed -= each;
                    phase = 1;
                    until = t + on;
                }
            }
            owed = owed + turn < 0 ? 0 : owed + turn;
            if (phase == 0 && owed >= each) {
                owed -= each;
                phase = 1;
                until = t + on;
            }
            shown = told(shown, now_us);
            about("taps %u at %d ms: each %d, on %d, off %d", n, t, each, on, off);
            CHECK_EQUAL(shown, phase == 1);
        }
        rig_end(&r);
    }
}

/* A level goes on at one share and off below another; where that is above the first it is the
 * first. */
static void check_pressed(dice *dice) {
    static const uint8_t deep[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x05, 0x01,
                                   0x09, 0x36, 0x15, 0x00, 0x26, 0xff, 0x7f, 0x75,
                                   0x10, 0x95, 0x01, 0x81, 0x02, 0xc0};
    for (unsigned n = 0; n < 100; n++) {
        char text[300];
        int at = (int)roll_below(dice, 101), back = (int)roll_below(dice, 101);
        bool on = false;
        uint32_t shown = 0;
        snprintf(text, sizeof text,
                 "inputs: {lever: joystick}\noutputs: {told: joystick}\nsheet:\n"
                 "  told.button1: pressed(lever.slider, at=%d%%, back=%d%%)\n",
                 at, back);
        rig_begin(&r, text);
        unsigned lever = RIG_ATTACH(&r, deep);
        for (unsigned t = 1; t < 100; t++) {
            int raw = (int)roll_below(dice, 32768);
            double value = raw >= 16384 ? (raw - 16384) / 16383.0 : (raw - 16384) / 16384.0;
            bool is_close = value * 100 - at < 0.02 && at - value * 100 < 0.02;
            is_close |= value * 100 - back < 0.02 && back - value * 100 < 0.02;
            if (is_close)
                continue;
            on = value * 100 >= at || (on && value * 100 >= back && back <= at);
            RIG_REPORT(&r, lever, t * 1000, (uint8_t)raw, (uint8_t)(raw >> 8));
            shown = told(shown, t * 1000);
            about("%d of 32767, on at %d %%, off at %d %%", raw, at, back);
            CHECK_EQUAL(shown, on);
        }
        rig_end(&r);
    }
}

int main(void) {
    dice dice = {1234};
    for (unsigned i = 0; i < some(250); i++)
        check_session(&dice, i);
    check_pressed(&dice);
    check_taps(&dice);
    return report_checks();
}
