/* A report that was built and that no host has seen may be taken back: one engine's port does so
 * now and then, another's never does. Both hosts see the same in the end: every press and release,
 * every turn of the hat, all motion. */
#include "tests/engine/descriptors.h"
#include "tests/engine/lengths.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig plain, other;

static const char profile[] =
    "inputs: {keys: keyboard, ball: mouse}\n"
    "outputs: {pad: gamepad, typed: keyboard, view: mouse, player: consumer}\nsheet:\n"
    "  pad.south: keys.a\n  pad.east: keys.b\n  pad.west: keys.a and keys.b\n"
    "  pad.dpad.up: keys.c\n  pad.dpad.right: keys.d\n  pad.dpad.down: keys.e\n"
    "  pad.left_stick.x: keys.f - keys.g\n  typed.left_shift: keys.h\n  typed.x: keys.a\n"
    "  typed.y: keys.b\n  view.motion: ball.motion\n  view.wheel: ball.wheel\n"
    "  view.button1: keys.c\n  player.mute: keys.a\n  player.stop: keys.b\n";

#define INTERFACES 4
#define BITS       (8 * YT_REPORT_BYTES)

/* What a host has seen. */
typedef struct seen {
    uint8_t last[INTERFACES][3][YT_REPORT_BYTES + 1]; /* by report ID */
    unsigned turned[INTERFACES][3][BITS];             /* how often each bit did */
    int64_t moved[3];
    unsigned reports;
} seen;

static int16_t number_at(const uint8_t *bytes) {
    return (int16_t)(bytes[0] | bytes[1] << 8);
}

/* The mouse is the interface of nine bytes: its motion counts, and is no state. */
static void see(seen *seen, unsigned interface, const uint8_t *bytes, size_t size) {
    uint8_t body[YT_REPORT_BYTES + 1] = {0};
    unsigned id = interface == 0 ? bytes[0] : 0; /* pad and player share one */
    memcpy(body, bytes, size);
    seen->reports++;
    if (size == 9) {
        for (int i = 0; i < 3; i++)
            seen->moved[i] += number_at(bytes + 1 + 2 * i);
        memset(body + 1, 0, 8);
    }
    for (unsigned bit = 0; bit < BITS; bit++)
        seen->turned[interface][id][bit] +=
            (body[bit / 8] ^ seen->last[interface][id][bit / 8]) >> (bit % 8) & 1;
    memcpy(seen->last[interface][id], body, sizeof body);
}

static void poll(rig *rig, seen *seen, uint8_t armed[][YT_REPORT_BYTES + 1], size_t *sizes,
                 uint64_t now_us) {
    for (unsigned i = 0; i < INTERFACES; i++) {
        if (sizes[i] > 0) {
            see(seen, i, armed[i], sizes[i]);
            yt_interface_taken(&rig->engine, i, now_us);
        }
        sizes[i] = next_report(&rig->engine, i, armed[i], YT_REPORT_BYTES + 1);
    }
}

/* Takes back what is armed, and arms what there is now. */
static unsigned take_back(rig *rig, uint8_t armed[][YT_REPORT_BYTES + 1], size_t *sizes) {
    unsigned done = 0;
    for (unsigned i = 0; i < INTERFACES; i++) {
        if (sizes[i] == 0)
            continue;
        yt_status status = yt_interface_take_back(&rig->engine, i, armed[i], sizes[i]);
        CHECK(status == YT_OK || status == YT_FULL);
        if (status == YT_FULL)
            continue; /* it goes as it is */
        done++;
        sizes[i] = next_report(&rig->engine, i, armed[i], YT_REPORT_BYTES + 1);
        CHECK(sizes[i] > 0);
    }
    return done;
}

/* In a rush there is more than the lists hold: what is lost may differ, what is on in the end not.
 */
static unsigned play(uint32_t number, unsigned polls, bool boot, bool rush) {
    const unsigned moments = 400;
    static seen a, b;
    static uint8_t armed[2][INTERFACES][YT_REPORT_BYTES + 1];
    size_t sizes[2][INTERFACES] = {{0}};
    dice dice = {number};
    uint8_t keys[15] = {0};
    unsigned done = 0, keyboards[2], mice[2];
    memset(&a, 0, sizeof a);
    memset(&b, 0, sizeof b);
    rig_begin(&plain, profile);
    rig_begin(&other, profile);
    keyboards[0] = RIG_ATTACH(&plain, all_keys), mice[0] = RIG_ATTACH(&plain, mouse);
    keyboards[1] = RIG_ATTACH(&other, all_keys), mice[1] = RIG_ATTACH(&other, mouse);
    for (unsigned i = 0; boot && i < INTERFACES; i++) {
        bool has = yt_interface_set_boot(&plain.engine, i, true) == YT_OK;
        CHECK_EQUAL(yt_interface_set_boot(&other.engine, i, true) == YT_OK, has);
    }
    for (unsigned i = 0; i < 10; i++) { /* how all rests, to begin with */
        poll(&plain, &a, armed[0], sizes[0], i * 100);
        poll(&other, &b, armed[1], sizes[1], i * 100);
    }
    for (unsigned i = 0; i < moments; i++) {
        uint64_t now_us = 1000 + i * 100;
        uint8_t ball[4] = {0, (uint8_t)roll(&dice), (uint8_t)roll(&dice), (uint8_t)roll(&dice)};
        bool moves = roll_below(&dice, 3) == 0;
        if (roll_below(&dice, rush ? 1 : 9) == 0)
            keys[0] ^= (uint8_t)(16u << roll_below(&dice, 4)); /* a to d */
        if (roll_below(&dice, 20) == 0)
            keys[1] ^= (uint8_t)(1u << roll_below(&dice, 4)); /* e to h */
        for (unsigned k = 0; k < 2; k++) {
            rig *rig = k ? &other : &plain;
            rig_report(rig, keyboards[k], keys, sizeof keys, now_us);
            if (moves && !boot)
                rig_report(rig, mice[k], ball, sizeof ball, now_us);
        }
        if (roll_below(&dice, 2) == 0)
            done += take_back(&other, armed[1], sizes[1]);
        if (roll_below(&dice, polls) != 0)
            continue;
        poll(&plain, &a, armed[0], sizes[0], now_us);
        poll(&other, &b, armed[1], sizes[1], now_us);
    }
    for (unsigned i = 0; i < 200; i++) { /* until both hosts have all */
        poll(&plain, &a, armed[0], sizes[0], 1000 + (moments + i) * 100);
        poll(&other, &b, armed[1], sizes[1], 1000 + (moments + i) * 100);
    }
    yt_counts lost[2] = {yt_engine_counts(&plain.engine), yt_engine_counts(&other.engine)};
    for (unsigned k = 0; k < 2 && !rush; k++) /* polls are often enough */
        CHECK_EQUAL(lost[k].pairs_dropped + lost[k].motion_dropped, 0);
    CHECK_EQUAL(memcmp(a.last, b.last, sizeof a.last), 0);
    CHECK_EQUAL(memcmp(a.moved, b.moved, sizeof a.moved), 0);
    for (unsigned bit = 8; bit < 32 && !rush; bit++) { /* buttons and hat, behind the ID */
        about("session %u, bit %u", number, bit);
        CHECK_EQUAL(a.turned[0][1][bit], b.turned[0][1][bit]);
    }
    for (unsigned bit = 0; bit < BITS && !boot && !rush;
         bit++) { /* a boot report has numbers, no bits */
        CHECK_EQUAL(a.turned[1][0][bit], b.turned[1][0][bit]);
        CHECK_EQUAL(a.turned[2][0][bit], b.turned[2][0][bit]);
    }
    CHECK(a.reports > 10 && b.reports > 10);
    rig_end(&plain);
    rig_end(&other);
    return done;
}

static void check_errors(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    about("nothing was built, or it was taken");
    rig_begin(&plain, profile);
    unsigned keys = RIG_ATTACH(&plain, all_keys);
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, sizeof bytes), YT_ARGUMENT);
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 9, bytes, sizeof bytes), YT_ARGUMENT);
    RIG_REPORT(&plain, keys, 1, 16, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0);
    size_t size = next_report(&plain.engine, 0, bytes, sizeof bytes);
    CHECK(size > 0);
    about("too few bytes of it");
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, 3), YT_ARGUMENT);
    about("twice");
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, size), YT_OK);
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, size), YT_ARGUMENT);
    about("its press and the release that followed are in two reports");
    RIG_REPORT(&plain, keys, 2, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0);
    CHECK(strncmp(rig_take(&plain, 0, 3), "01 01", 5) == 0);
    while (strncmp(rig_take(&plain, 0, 4), "01", 2) != 0)
        continue;
    about("it was taken");
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, size), YT_ARGUMENT);
    rig_end(&plain);
}

/* Counts that only go up, as a layout of one's own may have them: 240 of them are not -16. */
static void check_unsigned_motion(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    about("a motion from 0 to 255");
    rig_begin(&plain,
              "inputs: {ball: mouse}\noutputs: {view: {kind: mouse, descriptor: 05 01 09 02 "
              "a1 01 09 38 15 00 26 ff 00 75 08 95 01 81 06 c0}}\n"
              "sheet: {view.wheel: ball.wheel}\n");
    unsigned ball = RIG_ATTACH(&plain, mouse);
    RIG_REPORT(&plain, ball, 2, 0, 0, 0, 120);
    RIG_REPORT(&plain, ball, 3, 0, 0, 0, 120);
    size_t size = next_report(&plain.engine, 0, bytes, sizeof bytes);
    CHECK_EQUAL(bytes[size - 1], 240);
    CHECK_EQUAL(yt_interface_take_back(&plain.engine, 0, bytes, size), YT_OK);
    size = next_report(&plain.engine, 0, bytes, sizeof bytes);
    CHECK(size > 0);
    CHECK_EQUAL(bytes[size - 1], 240);
    rig_end(&plain);
}

int main(void) {
    unsigned done = 0;
    check_errors();
    check_unsigned_motion();
    for (uint32_t number = 1; number <= 60; number++) {
        about("session %u", number);
        done += play(number, 2 + number % 3, number % 5 == 0, false);
        done += play(number, 2 + number % 60, number % 5 == 0, true);
    }
    CHECK(done > 1000);
    return report_checks();
}
