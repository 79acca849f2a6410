/* One engine beside another to which the same happens by another way: reports that are given at
 * once in place of queued, and all of it at other times of the clock. */
#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig one, other;
static dice any_of;

static uint32_t any(uint32_t below) {
    return roll_below(&any_of, below);
}

#define PROFILE                                                                                    \
    "inputs: {keys: keyboard, ball: mouse}\noutputs: {pad: gamepad, view: mouse}\n"                \
    "sheet:\n  pad.south: keys.a or ball.button1\n  pad.east: turbo(keys.b, rate=10 Hz)\n"         \
    "  pad.west: hold(keys.c, after=200 ms)\n  pad.north: ball.wheel > 0\n"                        \
    "  pad.left_stick: stick_from_motion(ball.motion, full_at=900 /s)\n"                           \
    "  view.motion: ball.motion * 60%\n  view.button1: toggle(keys.d)\n"                           \
    "  view.wheel: keys.f * 30 /s + step(keys.d, 2)\n"                                             \
    "layers: [{while: keys.e, sheet: {pad.south: \"tap(keys.f, within=300 ms)\", view.motion: "    \
    "below * 25%}}]\n"

enum { KEYS, BALL };
enum { VIEW = 1 };

/* Any report of a keyboard or a mouse, which may be too short. */
static size_t any_report(unsigned device, uint8_t *bytes) {
    size_t size = device == KEYS ? 6 : 4;
    for (size_t i = 0; i < size; i++)
        bytes[i] = (uint8_t)(device == KEYS ? any(3) * (3 + any(7)) : any(2) * any(256));
    return any(20) ? size : any(4);
}

static void compare(uint64_t at_one, uint64_t at_other) {
    for (unsigned i = 0; i < 2; i++) {
        char given[3 * (YT_REPORT_BYTES + 2)];
        strcpy(given, rig_take(&one, i, at_one));
        CHECK_TEXT(rig_take(&other, i, at_other), given);
    }
}

/* Both hosts get a report that they leave until the next call. */
static void compare_left(uint64_t at_one, uint64_t at_other) {
    uint8_t bytes[2][YT_REPORT_BYTES + 1];
    yt_interface_taken(&one.engine, VIEW, at_one);
    yt_interface_taken(&other.engine, VIEW, at_other);
    size_t size = next_report(&one.engine, VIEW, bytes[0], sizeof bytes[0]);
    CHECK_EQUAL(next_report(&other.engine, VIEW, bytes[1], sizeof bytes[1]), size);
    CHECK(memcmp(bytes[0], bytes[1], size) == 0);
}

static void begin(unsigned *devices) {
    rig_begin(&one, PROFILE);
    rig_begin(&other, PROFILE);
    for (unsigned i = 0; i < 2; i++) {
        rig *rig = i ? &other : &one;
        devices[KEYS] = RIG_ATTACH(rig, rig_six_keys);
        devices[BALL] = RIG_ATTACH(rig, mouse);
    }
}

static void end(void) {
    rig_end(&one);
    rig_end(&other);
}

/* What is given at once is as what is queued and looked at at once, what waits in the queue comes
 * first, and a device that is not there says nothing. */
static void check_given(void) {
    unsigned devices[2];
    uint64_t now_us = 0;
    begin(devices);
    for (unsigned i = 0; i < 20000; i++) {
        uint8_t bytes[8];
        about("report %u", i);
        now_us += any(3) ? any(9000) : any(400000);
        for (unsigned waiting = any(4) ? 0 : 2; waiting > 0; waiting--) {
            unsigned device = any(2);
            size_t size = any_report(device, bytes);
            CHECK_EQUAL(yt_engine_report(&one.engine, devices[device], bytes, size, now_us), YT_OK);
            CHECK_EQUAL(yt_engine_report(&other.engine, devices[device], bytes, size, now_us),
                        YT_OK);
        }
        unsigned device = any(2);
        size_t size = any_report(device, bytes);
        CHECK_EQUAL(yt_engine_report(&one.engine, devices[device], bytes, size, now_us), YT_OK);
        uint64_t due_us = yt_engine_update(&one.engine, now_us);
        CHECK_EQUAL(yt_engine_give(&other.engine, devices[device], bytes, size, now_us), due_us);
        if (any(5))
            compare(now_us, now_us);
    }
    CHECK_EQUAL(yt_engine_counts(&one.engine).reports_short,
                yt_engine_counts(&other.engine).reports_short);
    CHECK(yt_engine_counts(&one.engine).reports_short > 0);
    about("a device that is not there");
    uint64_t due_us = yt_engine_update(&one.engine, now_us);
    CHECK_EQUAL(yt_engine_give(&other.engine, 31, (const uint8_t[4]){1}, 4, now_us), due_us);
    compare(now_us, now_us);
    end();
}

/* Whatever time it is, and however long nothing happened, the same comes out: times that the engine
 * keeps in 32 bits go over unnoticed. */
static void check_begun_later(uint64_t later_us) {
    unsigned devices[2];
    uint64_t now_us = 1000;
    begin(devices);
    while (yt_engine_update(&other.engine, later_us) <= later_us)
        continue;
    for (uint64_t at_us = 0; at_us < later_us; at_us += UINT64_C(1700000000))
        yt_engine_update(&other.engine, later_us); /* half an hour at most goes by at once */
    for (unsigned i = 0; i < 3000; i++) {
        uint8_t bytes[8];
        about("report %u, %llu us later", i, (unsigned long long)later_us);
        now_us += any(8)    ? any(9000)
                  : any(8)  ? any(2000000)
                  : any(20) ? UINT64_C(1000000) * any(1790)
                            : UINT64_C(3600000000) * (1 + any(3));
        unsigned device = any(2);
        size_t size = any_report(device, bytes);
        rig_report(&one, devices[device], bytes, size, now_us);
        rig_report(&other, devices[device], bytes, size, later_us + now_us);
        uint64_t due_us = yt_engine_update(&one.engine, now_us);
        CHECK_EQUAL(yt_engine_update(&other.engine, later_us + now_us),
                    due_us == YT_NEVER ? YT_NEVER : later_us + due_us);
        if (any(3) == 0)
            compare_left(now_us, later_us + now_us);
        else if (any(3))
            compare(now_us, later_us + now_us);
    }
    CHECK_EQUAL(yt_engine_counts(&one.engine).motion_dropped,
                yt_engine_counts(&other.engine).motion_dropped);
    CHECK(yt_engine_counts(&one.engine).motion_dropped > 0);
    end();
}

/* A host that leaves a report misses what moves in between, for however long it leaves it. */
static void check_left_for_long(void) {
    for (unsigned halves = 0; halves < 8; halves++) {
        unsigned devices[2];
        uint64_t now_us = 1000000;
        begin(devices);
        while (*rig_take(&one, VIEW, now_us))
            continue;
        uint8_t bytes[YT_REPORT_BYTES + 1];
        RIG_REPORT(&one, devices[BALL], now_us, 0, 100, 0, 0);
        CHECK(next_report(&one.engine, VIEW, bytes, sizeof bytes) > 0);
        RIG_REPORT(&one, devices[BALL], now_us, 0, 100, 0, 0);
        for (unsigned i = 0; i < halves; i++) {
            now_us += UINT64_C(1750000000);
            yt_engine_update(&one.engine, now_us);
        }
        about("left for %u times 1,750 s", halves);
        yt_interface_taken(&one.engine, VIEW, now_us);
        CHECK_EQUAL(yt_engine_counts(&one.engine).motion_dropped, halves ? 60 : 0);
        CHECK_EQUAL(*rig_take(&one, VIEW, now_us) != 0, halves == 0);
        end();
    }
}

int main(void) {
    static const uint64_t near[] = {UINT64_C(1) << 30, UINT64_C(1) << 31, UINT64_C(1) << 32,
                                    UINT64_C(3) << 30, UINT64_C(1) << 33, UINT64_C(1) << 40};
    any_of.state = 1;
    for (unsigned i = 0; i < 3; i++)
        check_given();
    for (size_t i = 0; i < sizeof near / sizeof near[0]; i++)
        check_begun_later(near[i] - any(30000000));
    check_left_for_long();
    return report_checks();
}
