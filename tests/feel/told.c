#include "tests/feel/told.h"

#include <math.h>

#include "tests/engine/rig.h"

static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x01, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};
static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x06, 0xc0};
/* Eight buttons, a stick of 12 bits in 16, two triggers, and 12 bytes of which it tells nothing. */
static const uint8_t grip[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x26, 0xff, 0x0f, 0x75,
    0x10, 0x95, 0x02, 0x81, 0x02, 0x05, 0x02, 0x09, 0xc5, 0x09, 0xc4, 0x26, 0xff, 0x00, 0x75, 0x08,
    0x95, 0x02, 0x81, 0x02, 0x06, 0x00, 0xff, 0x09, 0x20, 0x95, 0x0c, 0x81, 0x02, 0xc0};
static rig r;
static unsigned device, keyboard;
static bool is_told_motion;
double told[2], told_moved[2];
const char *told_head = "";
double told_poll;
static double next_poll;

static void begin(const char *input, const char *formula, bool is_motion) {
    static const char *const sheets[] = {"told.x: s.x\n  told.y: s.y", "told.motion: s"};
    char profile[1000];
    snprintf(profile, sizeof profile,
             "%sinputs: {%s}\noutputs: {told: %s}\nnamed:\n  s: %s\nsheet:\n  %s\n", told_head,
             input, is_motion ? "mouse" : "joystick", formula, sheets[is_motion]);
    rig_begin(&r, profile);
    next_poll = 0.9;
    told[0] = told[1] = told_moved[0] = told_moved[1] = 0;
    is_told_motion = is_motion;
}

void told_stick_begins(const char *formula) {
    begin("hand: joystick", formula, false);
    device = RIG_ATTACH(&r, stick);
}

void told_mouse_begins(const char *formula) {
    begin("ball: mouse", formula, false);
    device = RIG_ATTACH(&r, mouse);
}

void told_grip_begins(const char *formula, bool is_motion) {
    yt_device of = {.descriptor = grip,
                    .descriptor_size = sizeof grip,
                    .vendor = 0x1209,
                    .product = 0x0031,
                    .bus = YT_BUS_USB,
                    .input = YT_ANY_INPUT};
    begin("hand: lapwing-grip, keys: keyboard", formula, is_motion);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &of, &device), YT_OK);
    keyboard = RIG_ATTACH(&r, rig_six_keys);
}

void told_end(void) {
    rig_end(&r);
}

static uint64_t microseconds(double at) {
    return (uint64_t)(at * 1e6 + 0.5);
}

/* A joystick's axes stand behind four bytes of switches and a hat, a mouse's motion behind one. */
static void take(uint64_t now_us) {
    const char *text;
    while (*(text = rig_take(&r, 0, now_us))) {
        uint8_t bytes[20] = {0};
        unsigned first = is_told_motion ? 1 : 5;
        for (unsigned i = 0; i < sizeof bytes && *text; i++, text += text[2] ? 3 : 2)
            bytes[i] = (uint8_t)strtoul(text, NULL, 16);
        for (unsigned i = 0; i < 2; i++) {
            int16_t number = (int16_t)(bytes[first + 2 * i] | bytes[first + 1 + 2 * i] << 8);
            told[i] = number / 32767.0;
            told_moved[i] += number;
        }
    }
}

/* The host asks at its times, up to one; between them the engine goes on. */
static void poll_until(double at) {
    while (told_poll > 0 && next_poll < at) {
        yt_engine_update(&r.engine, microseconds(next_poll));
        take(microseconds(next_poll));
        next_poll += told_poll;
    }
}

static void take_now(double at) {
    if (told_poll == 0)
        take(microseconds(at));
}

void told_report(double at, int x, int y) {
    poll_until(at);
    RIG_REPORT(&r, device, microseconds(at), (uint8_t)x, (uint8_t)(x >> 8), (uint8_t)y,
               (uint8_t)(y >> 8));
    take_now(at);
}

void told_wait(double at) {
    poll_until(at);
    yt_engine_update(&r.engine, microseconds(at));
    take_now(at);
}

bool told_goes_on(double at) {
    return yt_engine_update(&r.engine, microseconds(at)) != YT_NEVER;
}

void told_feed(double at, double x, double y) {
    told_report(at, (int)lround(x * 32767), (int)lround(y * 32767));
}

static void put(uint8_t *bytes, double number) {
    long raw = lround(fmax(-32768, fmin(32767, number)));
    bytes[0] = (uint8_t)raw;
    bytes[1] = (uint8_t)(raw >> 8);
}

void told_grip(double at, const double stick_at[2], const double gyro[3], const double pull[3]) {
    uint8_t bytes[19] = {0};
    for (unsigned i = 0; i < 2; i++)
        put(bytes + 1 + 2 * i, 2048 + (stick_at ? stick_at[i] : 0) * 2047);
    for (unsigned i = 0; i < 3; i++) {
        put(bytes + 7 + 2 * i, gyro[i] / 0.061);
        put(bytes + 13 + 2 * i, pull[i] / 0.000244);
    }
    rig_report(&r, device, bytes, sizeof bytes, microseconds(at));
    take(microseconds(at));
}

void told_key(double at, bool is_held) {
    RIG_REPORT(&r, keyboard, microseconds(at), 0, 0, is_held ? 0x04 : 0, 0, 0, 0, 0, 0);
    take(microseconds(at));
}
