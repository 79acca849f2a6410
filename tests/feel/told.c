#include "tests/feel/told.h"

#include <math.h>

#include "tests/engine/rig.h"

static const uint8_t stick[] = {0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x01, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x02, 0xc0};
static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30,
                                0x09, 0x31, 0x16, 0x00, 0x80, 0x26, 0xff, 0x7f,
                                0x75, 0x10, 0x95, 0x02, 0x81, 0x06, 0xc0};
static rig r;
static unsigned device;
double told[2];

static void begin(const char *input, const char *formula) {
    char profile[600];
    snprintf(profile, sizeof profile,
             "inputs: {%s}\noutputs: {told: joystick}\nnamed:\n  s: %s\nsheet:\n  told.x: s.x\n  "
             "told.y: s.y\n",
             input, formula);
    rig_begin(&r, profile);
    told[0] = told[1] = 0;
}

void told_stick_begins(const char *formula) {
    begin("hand: joystick", formula);
    device = RIG_ATTACH(&r, stick);
}

void told_mouse_begins(const char *formula) {
    begin("ball: mouse", formula);
    device = RIG_ATTACH(&r, mouse);
}

void told_end(void) {
    rig_end(&r);
}

static uint64_t microseconds(double at) {
    return (uint64_t)(at * 1e6 + 0.5);
}

static void take(uint64_t now_us) {
    const char *text;
    while (*(text = rig_take(&r, 0, now_us))) {
        unsigned bytes[9];
        if (sscanf(text, "%x %x %x %x %x %x %x %x %x", &bytes[0], &bytes[1], &bytes[2], &bytes[3],
                   &bytes[4], &bytes[5], &bytes[6], &bytes[7], &bytes[8]) == 9)
            for (unsigned i = 0; i < 2; i++)
                told[i] = (int16_t)(bytes[5 + 2 * i] | bytes[6 + 2 * i] << 8) / 32767.0;
    }
}

void told_report(double at, int x, int y) {
    RIG_REPORT(&r, device, microseconds(at), (uint8_t)x, (uint8_t)(x >> 8), (uint8_t)y,
               (uint8_t)(y >> 8));
    take(microseconds(at));
}

void told_wait(double at) {
    yt_engine_update(&r.engine, microseconds(at));
    take(microseconds(at));
}

void told_feed(double at, double x, double y) {
    told_report(at, (int)lround(x * 32767), (int)lround(y * 32767));
}
