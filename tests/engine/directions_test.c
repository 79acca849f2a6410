/* Sticks by direction, levels that go slowly, knobs, turbos and presses in order: random sessions,
 * millisecond by millisecond, against what their manual says, in double precision. */
#include <math.h>

#include "tests/engine/rig.h"
#include "tests/harness.h"

#define LENGTH 1200 /* ms of a session */
#define AXES   8
#define DEGREE (3.14159265358979323846 / 180)
#define NEAR   0.0003 /* of the whole way: a report's step, and a value's */

static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30, 0x09,
                                0x31, 0x09, 0x33, 0x09, 0x34, 0x16, 0x01, 0x80, 0x26,
                                0xff, 0x7f, 0x75, 0x10, 0x95, 0x04, 0x81, 0x02, 0xc0};
static const uint8_t knob[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                               0x09, 0x31, 0x09, 0x38, 0x15, 0x81, 0x25, 0x7f,
                               0x75, 0x08, 0x95, 0x03, 0x81, 0x06, 0xc0};

static rig r;
static dice any;

/* What the host was told last. */
typedef struct told {
    uint32_t buttons;
    double axes[AXES];
} told;

static void take(told *told, uint64_t now_us) {
    const char *text;
    while (*(text = rig_take(&r, 0, now_us))) {
        unsigned bytes[32] = {0};
        int used;
        for (unsigned i = 0; i < 32 && sscanf(text, "%x%n", &bytes[i], &used) == 1; i++)
            text += used;
        told->buttons = bytes[0] | bytes[1] << 8 | bytes[2] << 16 | bytes[3] << 24;
        for (unsigned i = 0; i < AXES; i++)
            told->axes[i] = (int16_t)(bytes[5 + 2 * i] | bytes[6 + 2 * i] << 8) / 32767.0;
    }
}

static bool is_near(double a, double b) {
    return fabs(a - b) < NEAR;
}

static double clamp(double value, double low, double high) {
    return fmin(fmax(value, low), high);
}

/* Two sticks that stay, go on a little, or jump. */
static void move_sticks(int16_t *raw, unsigned kind) {
    for (unsigned i = 0; i < 4; i++) {
        int by = kind == 0 ? (int)roll_below(&any, 65535) - 32767 - raw[i]
                           : (int)roll_below(&any, 3000) - 1500;
        if (roll_below(&any, 6) == 0)
            by = -raw[i];
        raw[i] = (int16_t)clamp(raw[i] + by, -32767, 32767);
    }
}

static double angle_of(double x, double y) {
    double angle = atan2(x, -y) / DEGREE;
    return angle < 0 ? angle + 360 : angle;
}

/* How far an angle is from the middle of a sector. */
static double from_sector(double angle, int sector, int count) {
    double apart = fabs(angle - (sector - 1) * 360.0 / count);
    return apart > 180 ? 360 - apart : apart;
}

/* The sector that is shown next; one that is so near to an edge that it may be either is taken from
 * what is shown. */
static int meant_sector(int before, int shown, double x, double y, int count, double at,
                        double back, double wide) {
    double out = hypot(x, y), equal = 360.0 / count;
    double halves[2] = {equal - wide / 2, wide / 2}; /* of the even ones, of the odd ones */
    double edge = fmin(5, halves[before % 2] / 2);
    double least = before ? back : at, angle = angle_of(x, y);
    if (is_near(out, least))
        return shown;
    if (out < least || out == 0)
        return 0;
    if (before && fabs(from_sector(angle, before, count) - halves[before % 2] - edge) < 0.02)
        return shown;
    if (before && from_sector(angle, before, count) < halves[before % 2] + edge)
        return before;
    for (int sector = 1; sector <= count; sector++) {
        if (fabs(from_sector(angle, sector, count) - halves[sector % 2]) < 0.02)
            return shown;
        if (from_sector(angle, sector, count) < halves[sector % 2])
            return sector;
    }
    return 0;
}

static void check_sticks(unsigned number) {
    char text[3000];
    int by = (int)roll_below(&any, 721) - 360, of = (int)roll_below(&any, 91);
    int count = 2 + (int)roll_below(&any, 15), at = 20 + (int)roll_below(&any, 60);
    int back = at - (int)roll_below(&any, 20), stray = 1 + (int)roll_below(&any, 10);
    int after = 5 + (int)roll_below(&any, 40), sector = 0, leads = 0, since = -1;
    int wide =
        count % 2 || roll_below(&any, 2) ? 0 : 1 + (int)roll_below(&any, 720 / (unsigned)count - 1);
    int16_t raw[4] = {0};
    double kept[2] = {0};
    told told = {0};
    snprintf(text, sizeof text,
             "inputs: {hand: joystick}\noutputs: {told: joystick}\nnamed:\n"
             "  s: stick(x=hand.x, y=hand.y)\n  t: stick(x=hand.rx, y=hand.ry)\n"
             "  turned: rotate(s, by=%d deg)\n  cornered: diagonal(s, angle=%d deg)\n"
             "  used: first_used(s, t)\nsheet:\n"
             "  told.x: length(s) / 2\n  told.y: angle(s) / 360 deg\n"
             "  told.z: turned.x / 2\n  told.rx: turned.y / 2\n"
             "  told.ry: cornered.x\n  told.rz: cornered.y\n"
             "  told.slider: used.x\n  told.dial: used.y\n"
             "  told.button1: dwell(s, within=%d%%, after=%d ms)\n",
             by, of, stray, after);
    for (int i = 1; i <= count; i++)
        snprintf(text + strlen(text), sizeof text - strlen(text),
                 "  told.button%d: sector(s, count=%d, at=%d%%, back=%d%%%s%.0d%s) == %d\n", i + 1,
                 count, at, back, wide ? ", wide=" : "", wide, wide ? " deg" : "", i);
    rig_begin(&r, text);
    unsigned hand = RIG_ATTACH(&r, stick);
    for (int t = 0; t < LENGTH; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        yt_engine_update(&r.engine, now_us);
        if (t % 8 == 0 && roll_below(&any, 4)) {
            move_sticks(raw, number % 2);
            rig_report(&r, hand, (const uint8_t *)raw, sizeof raw, now_us);
        }
        take(&told, now_us);
        double x = raw[0] / 32767.0, y = raw[1] / 32767.0, out = fmax(fabs(x), fabs(y));
        about("sticks %u at %d ms: %d %d %d %d", number, t, raw[0], raw[1], raw[2], raw[3]);
        CHECK(is_near(told.axes[0], hypot(x, y) / 2));
        if (hypot(x, y) > 0.1 && angle_of(x, y) > 0.1 && angle_of(x, y) < 359.9)
            CHECK(is_near(told.axes[1], angle_of(x, y) / 360));
        CHECK(is_near(told.axes[2], (x * cos(by * DEGREE) - y * sin(by * DEGREE)) / 2));
        CHECK(is_near(told.axes[3], (x * sin(by * DEGREE) + y * cos(by * DEGREE)) / 2));
        bool cornered = raw[0] && raw[1];
        CHECK(is_near(told.axes[4], cornered ? copysign(out * cos(of * DEGREE), x) : x));
        CHECK(is_near(told.axes[5], cornered ? copysign(out * sin(of * DEGREE), y) : y));
        double other = fmax(abs(raw[2]), abs(raw[3])) / 32767.0;
        if (fabs(out - 0.0625) > NEAR && fabs(other - 0.0625) > NEAR) {
            bool stays = (leads == 1 && out > 0.0625) || (leads == 2 && other > 0.0625);
            leads = stays ? leads : out > 0.0625 ? 1 : other > 0.0625 ? 2 : 0;
            CHECK(is_near(told.axes[6], raw[leads == 2 ? 2 : 0] / 32767.0));
            CHECK(is_near(told.axes[7], raw[leads == 2 ? 3 : 1] / 32767.0));
        } else {
            leads = is_near(told.axes[6], x) && is_near(told.axes[7], y) ? 1 : 2;
        }
        double moved = fmax(fabs(x - kept[0]), fabs(y - kept[1])), strays = stray / 100.0;
        bool unsure = is_near(moved, strays);
        if (moved > strays) {
            since = t;
            kept[0] = x;
            kept[1] = y;
        }
        if (unsure)
            break;
        CHECK_EQUAL(told.buttons & 1, since >= 0 && t - since >= after);
        int shown = 0;
        for (int i = 1; i <= count; i++)
            if (told.buttons >> i & 1)
                shown = i;
        sector = meant_sector(sector, shown, x, y, count, at / 100.0, back / 100.0,
                              wide ? wide : 360.0 / count);
        CHECK_EQUAL(shown, sector);
        CHECK_EQUAL(told.buttons >> 1, sector ? 1u << (sector - 1) : 0);
    }
    rig_end(&r);
}

/* Goes towards a number by so much. */
static double towards(double from, double to, double step) {
    return fabs(to - from) <= step ? to : from + copysign(step, to - from);
}

static void check_levels(unsigned number) {
    char text[2000];
    int out = 5 + (int)roll_below(&any, 400), in = 5 + (int)roll_below(&any, 400);
    int each = 1 + (int)roll_below(&any, 30), home = 5 + (int)roll_below(&any, 600);
    int from = (int)roll_below(&any, 30), down = 1 + (int)roll_below(&any, 20);
    int up = 1 + (int)roll_below(&any, 20), lead = (int)roll_below(&any, 40), low, high;
    int16_t raw[4] = {0};
    double ramp = 0, spring = 0, dial = 0, end = from / 100.0;
    int ramp_due = -1, spring_due = -1, way = 0, resets = 0;
    bool is_down = false, is_reset = false, unsure = false, is_behind = false;
    told told = {0};
    low = -(int)roll_below(&any, 101);
    high = (int)roll_below(&any, 101);
    snprintf(text, sizeof text,
             "inputs: {hand: joystick, ball: mouse}\noutputs: {told: joystick}\nsheet:\n"
             "  told.x: ramp(hand.x, out=%d ms, back=%d ms)\n"
             "  told.y: spring(ball.wheel, each=%d%%, back=%d ms)\n"
             "  told.z: dial(ball.wheel, each=%d%%, from=%d%%, to=%d%%, reset=hand.y > 90%%)\n"
             "  told.rx: deeper_wins(abs(hand.rx), abs(hand.ry), lead=%d%%)\n"
             "  told.button1: going_down(hand.y, from=%d%%, down=%d%%, up=%d%%)\n",
             out, in, each, home, each, low, high, lead, from, down, up);
    rig_begin(&r, text);
    unsigned hand = RIG_ATTACH(&r, stick), ball = RIG_ATTACH(&r, knob);
    for (int t = 0; t < LENGTH && !unsure; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        int turn = roll_below(&any, 12) == 0 ? (int)roll_below(&any, 9) - 4 : 0;
        yt_engine_update(&r.engine, now_us);
        about("levels %u at %d ms: %d %d %d %d", number, t, raw[0], raw[1], raw[2], raw[3]);
        if (t == ramp_due) {
            double to = raw[0] / 32767.0, aim = ramp * to < 0 ? 0 : to;
            bool goes_out = ramp >= 0 ? aim > ramp : aim < ramp;
            ramp = towards(ramp, aim, 4.0 / (goes_out ? out : in));
            ramp_due = fabs(ramp - to) < 25e-6 ? -1 : t + 4;
        }
        if (t == spring_due) {
            spring = towards(spring, 0, 4.0 / home);
            spring_due = spring != 0 ? t + 4 : -1;
        }
        if (turn)
            RIG_REPORT(&r, ball, now_us, 0, 0, (uint8_t)turn);
        if (t % 8 == 0 && roll_below(&any, 4)) {
            move_sticks(raw, number % 2);
            rig_report(&r, hand, (const uint8_t *)raw, sizeof raw, now_us);
        }
        spring = clamp(spring + turn * each / 100.0, -1, 1);
        dial = is_reset ? 0 : clamp(dial + turn * each / 100.0, low / 100.0, high / 100.0);
        is_reset = raw[1] / 32767.0 > 0.9;
        dial = is_reset ? 0 : dial;
        ramp_due = ramp_due < 0 && fabs(ramp - raw[0] / 32767.0) > 25e-6 ? t + 4 : ramp_due;
        spring_due = spring_due < 0 && fabs(spring) > 1e-9 ? t + 4 : spring_due;
        take(&told, now_us);
        /* A hair's breadth may cost a step more on the way: then it is a step behind. */
        if (fabs(told.axes[0] - ramp) >= 3 * NEAR && !is_behind) {
            is_behind = true;
            CHECK(fabs(told.axes[0] - ramp) < 4.0 / fmin(out, in) + 3 * NEAR);
            ramp = told.axes[0];
        }
        CHECK(fabs(told.axes[0] - ramp) < 3 * NEAR);
        /* So may what is left of it when it is all but home: its steps then begin at another time.
         */
        if (fabs(told.axes[1] - spring) >= 3 * NEAR && resets++ < 4) {
            CHECK(fabs(told.axes[1] - spring) < 4.0 / home + 3 * NEAR);
            spring = told.axes[1];
            spring_due = t + 4;
        }
        CHECK(fabs(told.axes[1] - spring) < 3 * NEAR);
        CHECK(fabs(told.axes[2] - dial) < 3 * NEAR);
        double level = raw[1] / 32767.0, start = from / 100.0;
        double change = is_down ? fmax(end, level) - level : level - fmin(end, level);
        double wanted = (is_down ? up : down) / 100.0;
        unsure = is_near(level, start) || is_near(change, wanted);
        if (level < start || change >= wanted) {
            is_down = level < start ? false : !is_down;
            end = level < start ? start : level;
        } else {
            end = is_down ? fmax(end, level) : fmin(end, level);
        }
        double back = abs(raw[2]) / 32767.0, forth = abs(raw[3]) / 32767.0;
        unsure |= is_near(fabs(forth - back), lead / 100.0) || is_near(forth, back);
        if (way < 0 ? back == 0 || forth - back >= lead / 100.0
                    : forth == 0 || back - forth >= lead / 100.0)
            way = 0;
        way = way ? way : (forth > back) - (forth < back);
        if (unsure)
            break;
        CHECK_EQUAL(told.buttons & 1, is_down);
        CHECK(is_near(told.axes[3], way > 0 ? forth : way < 0 ? -back : 0));
    }
    rig_end(&r);
}

/* Three keys at random: which presses came in order the list of all presses says; how a turbo is on
 * follows from the time since its press. */
static void check_key_functions(unsigned number) {
    char text[1000];
    int within = 5 + (int)roll_below(&any, 60), share = 20 + (int)roll_below(&any, 61);
    int wait = (int)roll_below(&any, 60), rate = 1 + (int)roll_below(&any, 90), fits = 0;
    int since = -1, last = -1000, down[3] = {0};
    bool is_whole = false;
    told told = {0};
    snprintf(text, sizeof text,
             "inputs: {keys: keyboard}\noutputs: {told: joystick}\nsheet:\n"
             "  told.button1: in_order(keys.a, keys.b, keys.c, within=%d ms)\n"
             "  told.button2: turbo(keys.a, rate=%d Hz, on=%d%%, wait=%d ms)\n",
             within, rate, share, wait);
    rig_begin(&r, text);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    for (int t = 0; t < LENGTH; t++) {
        uint64_t now_us = (uint64_t)t * 1000;
        int key = roll_below(&any, number % 2 ? 8 : 40) == 0 ? (int)roll_below(&any, 3) : -1;
        yt_engine_update(&r.engine, now_us);
        if (key >= 0) {
            down[key] = !down[key];
            RIG_REPORT(&r, keys, now_us, 0, down[0] ? 4 : 0, down[1] ? 5 : 0, down[2] ? 6 : 0, 0,
                       0);
        }
        if (key >= 0 && down[key]) {
            fits = t - last >= within ? 0 : fits;
            fits = key == fits ? fits + 1 : key == 0 ? 1 : 0;
            is_whole = fits == 3;
            fits = is_whole ? 0 : fits;
            last = t;
        }
        since = !down[0] ? -1 : since < 0 ? t : since;
        take(&told, now_us);
        about("keys %u at %d ms", number, t);
        CHECK_EQUAL(told.buttons & 1, is_whole && down[2]);
        double phase = (t - since - wait) * rate / 1000.0;
        bool begun = since >= 0 && t - since >= wait;
        bool unsure = is_near(phase, round(phase)) || is_near(phase - floor(phase), share / 100.0);
        if (!begun || !unsure)
            CHECK_EQUAL(told.buttons >> 1 & 1, begun && phase - floor(phase) < share / 100.0);
    }
    rig_end(&r);
}

/* Counts that come each millisecond, each second one or each eighth: however often a device tells
 * the same turn, what accelerated gives is that of the steps' speeds. */
static void check_accelerated(void) {
    for (unsigned n = 0; n < 60; n++) {
        char text[400];
        int from = 10 + (int)roll_below(&any, 500), most = 1 + (int)roll_below(&any, 8);
        double speed = 0, moved = 0, sum = 0, owed = 0;
        int step_due = -1;
        snprintf(text, sizeof text,
                 "inputs: {ball: mouse}\noutputs: {view: mouse}\nsheet:\n"
                 "  view.wheel: accelerated(ball.wheel, from=%d /s, most=%d)\n",
                 from, most);
        rig_begin(&r, text);
        unsigned ball = RIG_ATTACH(&r, knob);
        for (int t = 0; t < LENGTH; t++) {
            uint64_t now_us = (uint64_t)t * 1000;
            int turn = t % 8 == 0 && t / 200 % 2 ? (int)roll_below(&any, 20) - 4 : 0;
            const char *told;
            unsigned bytes[16] = {0};
            yt_engine_update(&r.engine, now_us);
            if (t == step_due) {
                speed += (fmin(fabs(moved) * 250 / from, 1024) - speed) / 8;
                step_due = moved == 0 && speed < 1.0 / 16 ? -1 : t + 4;
                speed = step_due < 0 ? 0 : speed;
                moved = 0;
            }
            if (turn)
                RIG_REPORT(&r, ball, now_us, 0, 0, (uint8_t)turn);
            moved += turn;
            step_due = step_due < 0 && turn ? t + 4 : step_due;
            owed += turn * clamp(speed, 1, most);
            while (*(told = rig_take(&r, 0, now_us))) {
                int used;
                unsigned count = 0;
                while (count < 16 && sscanf(told, "%x%n", &bytes[count], &used) == 1) {
                    told += used;
                    count++;
                }
                sum += (int16_t)(bytes[5] | bytes[6] << 8);
            }
        }
        about("accelerated %u: from %d /s, %d times, %.3f owed", n, from, most, owed);
        CHECK(fabs(sum - owed) < 2);
        rig_end(&r);
    }
}

int main(void) {
    any = (dice){4321};
    for (unsigned i = 0; i < 120; i++) {
        check_sticks(i);
        check_levels(i);
        check_key_functions(i);
    }
    check_accelerated();
    return report_checks();
}
