/* The crane's remap twice: by the engine, and in straight C written by hand, so that the
 * instructions of both can be compared (valgrind counts them, see bench/budgets).
 *
 *     by_hand engine|hand    plays the demo's recordings, checks nothing, prints the reports made
 *     by_hand compare        both, side by side: the same controls in the end, the same motion
 *
 * The version by hand knows both devices' reports by heart. Like the engine it makes a report when
 * something changed and the host has taken the last one; unlike it, it keeps no list of changes, so
 * that taps shorter than a poll are lost. */
#include <stdlib.h>
#include <string.h>

#include "tool/tool.h"

#define STEP_US 4000

typedef struct hand {
    uint8_t keys[15];
    uint8_t ball_buttons;
    int32_t moved[2];
    int32_t stick[2];
    uint64_t step_us; /* 0: the stick rests */
    int64_t owed[2];
    int32_t wheel;
    uint8_t pad[15];
    uint8_t view;
    bool waits[2]; /* reports that the host has not taken */
} hand;

static unsigned reports_made;
static int64_t sums[2][2]; /* motion sent: by whom, in which direction */
static uint8_t last_pad[2][15];

static bool key(const hand *hand, unsigned usage) {
    unsigned bit = usage - 4;
    return hand->keys[1 + bit / 8] >> (bit % 8) & 1;
}

static void put16(uint8_t *bytes, int32_t value) {
    bytes[0] = (uint8_t)value;
    bytes[1] = (uint8_t)(value >> 8);
}

static int32_t to_axis(int32_t value) {
    int32_t size = value < 0 ? -value : value;
    int32_t number = (int32_t)(((int64_t)size * 32767 + 32768) >> 16);
    return value < 0 ? -number : number;
}

static void fill_pad(const hand *hand, uint8_t *pad) {
    static const uint8_t hats[16] = {8, 0, 2, 1, 4, 8, 3, 2, 6, 7, 8, 0, 5, 6, 4, 8};
    bool shift = hand->keys[0] >> 1 & 1;
    unsigned buttons = (unsigned)(key(hand, 0x2c) || (hand->ball_buttons & 1)) |
                       (unsigned)((hand->ball_buttons >> 1 & 1) && !shift) << 1 |
                       (unsigned)key(hand, 0x08) << 3 | (unsigned)key(hand, 0x14) << 4 |
                       (unsigned)key(hand, 0x28) << 11;
    unsigned hat = (unsigned)key(hand, 0x52) | (unsigned)key(hand, 0x4f) << 1 |
                   (unsigned)key(hand, 0x51) << 2 | (unsigned)key(hand, 0x50) << 3;
    pad[0] = (uint8_t)buttons;
    pad[1] = (uint8_t)(buttons >> 8);
    pad[2] = (uint8_t)(hats[hat] << 4);
    put16(pad + 3, (key(hand, 0x07) - key(hand, 0x04)) * 32767);
    put16(pad + 5, (key(hand, 0x16) - key(hand, 0x1a)) * 32767);
    put16(pad + 7, shift ? 0 : to_axis(hand->stick[0]));
    put16(pad + 9, shift ? 0 : to_axis(hand->stick[1]));
    put16(pad + 11, 0);
    put16(pad + 13, key(hand, 0x09) ? 32767 : key(hand, 0x15) ? to_axis(22938) : 0);
}

static void step_stick(hand *hand) {
    bool moved = hand->moved[0] || hand->moved[1];
    for (int i = 0; i < 2; i++) {
        int64_t aim = ((int64_t)hand->moved[i] * 10923);
        aim = aim > 8 * 65536 ? 8 * 65536 : aim < -8 * 65536 ? -8 * 65536 : aim;
        int32_t out = hand->stick[i] + ((int32_t)aim - hand->stick[i]) / 8;
        hand->stick[i] = out > 65536 ? 65536 : out < -65536 ? -65536 : out;
        hand->moved[i] = 0;
    }
    if (moved || abs(hand->stick[0]) >= 1024 || abs(hand->stick[1]) >= 1024) {
        hand->step_us += STEP_US;
        return;
    }
    hand->stick[0] = hand->stick[1] = 0;
    hand->step_us = 0;
}

static void take_ball(hand *hand, const uint8_t *report, uint64_t now_us) {
    int32_t x = (int32_t)((uint32_t)(report[2] | report[3] << 8) << 20) >> 20;
    int32_t y = (int32_t)((uint32_t)(report[3] >> 4 | report[4] << 4) << 20) >> 20;
    hand->ball_buttons = report[1];
    hand->wheel += (int8_t)report[5];
    hand->moved[0] += x;
    hand->moved[1] += y;
    if (hand->keys[0] >> 1 & 1) {
        hand->owed[0] += (int64_t)x * 39322;
        hand->owed[1] += (int64_t)y * 39322;
    }
    if ((x || y) && hand->step_us == 0)
        hand->step_us = now_us + STEP_US;
}

static void send_hand(hand *hand) {
    uint8_t pad[15];
    fill_pad(hand, pad);
    if (!hand->waits[0] && memcmp(pad, hand->pad, sizeof pad) != 0) {
        memcpy(hand->pad, pad, sizeof pad);
        hand->waits[0] = true;
        reports_made++;
    }
    uint8_t view = (hand->keys[0] >> 1 & 1) & hand->ball_buttons;
    int32_t x = (int32_t)(hand->owed[0] / 65536), y = (int32_t)(hand->owed[1] / 65536);
    if (!hand->waits[1] && (x || y || hand->wheel || view != hand->view)) {
        hand->owed[0] -= (int64_t)x * 65536;
        hand->owed[1] -= (int64_t)y * 65536;
        sums[1][0] += x;
        sums[1][1] += y;
        hand->wheel = 0;
        hand->view = view;
        hand->waits[1] = true;
        reports_made++;
    }
}

/* One report, from its arrival to what the host gets. The counter is switched on by these names. */
void remap_by_hand(hand *hand, unsigned device, const uint8_t *report, uint64_t now_us);
void remap_by_engine(yt_engine *engine, unsigned device, const uint8_t *report, size_t size,
                     uint64_t now_us);

__attribute__((noinline)) void remap_by_hand(hand *hand, unsigned device, const uint8_t *report,
                                             uint64_t now_us) {
    while (hand->step_us && hand->step_us <= now_us)
        step_stick(hand);
    if (device == 0)
        memcpy(hand->keys, report, sizeof hand->keys);
    else
        take_ball(hand, report, now_us);
    send_hand(hand);
}

static uint8_t engine_reports[YT_INTERFACES][YT_REPORT_BYTES + 1];

__attribute__((noinline)) void remap_by_engine(yt_engine *engine, unsigned device,
                                               const uint8_t *report, size_t size,
                                               uint64_t now_us) {
    if (yt_engine_report(engine, device, report, size, now_us) != YT_OK)
        abort();
    yt_engine_update(engine, now_us);
    for (unsigned i = 0; i < engine->interface_count; i++)
        reports_made +=
            yt_interface_report(engine, i, engine_reports[i], sizeof engine_reports[i]) > 0;
}

static void start_engine(yt_engine *engine, const profile *profile, const recording *recordings) {
    static uint64_t memory[65536];
    static yt_port port = {.version = YT_PORT_VERSION};
    unsigned number;
    if (yt_engine_init(engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(engine, profile->compiled.image, profile->compiled.size) != YT_OK)
        abort();
    for (unsigned i = 0; i < 2; i++) {
        const recorded_device *at = recordings[i].devices;
        yt_device device = {.descriptor = at->descriptor,
                            .descriptor_size = at->descriptor_size,
                            .vendor = at->vendor,
                            .product = at->product,
                            .input = (uint8_t)i};
        if (yt_engine_attach(engine, &device, &number) != YT_OK || number != i)
            abort();
    }
}

/* Plays both recordings in the order of time; the hosts take what is ready after every report. */
static void play(const recording *recordings, yt_engine *engine, hand *hand) {
    size_t at[2] = {0, 0};
    for (;;) {
        const recorded_report *next = NULL;
        unsigned device = 0;
        for (unsigned i = 0; i < 2; i++)
            if (at[i] < recordings[i].report_count &&
                (!next || recordings[i].reports[at[i]].time_us < next->time_us)) {
                next = &recordings[i].reports[at[i]];
                device = i;
            }
        if (!next)
            return;
        at[device]++;
        const uint8_t *bytes = recordings[device].bytes + next->offset;
        if (hand) {
            remap_by_hand(hand, device, bytes, next->time_us);
            hand->waits[0] = hand->waits[1] = false;
        }
        if (engine) {
            remap_by_engine(engine, device, bytes, next->size, next->time_us);
            for (int i = 0; i < 2; i++)
                sums[0][i] +=
                    (int16_t)(engine_reports[1][1 + 2 * i] | engine_reports[1][2 + 2 * i] << 8);
            memset(engine_reports[1], 0, sizeof engine_reports[1]);
            for (unsigned i = 0; i < engine->interface_count; i++)
                yt_interface_taken(engine, i, next->time_us);
        }
    }
}

int main(int count, char **arguments) {
    static const char *const files[] = {"crane/recordings/otter-keyboard.hid",
                                        "crane/recordings/dory-trackball.hid"};
    recording recordings[2];
    profile profile;
    yt_engine engine;
    hand hand = {.pad = {0, 0, 0x80}};
    if (count < 2 || !profile_open(&profile, count > 2 ? arguments[2] : "crane/crane.yaml"))
        return 2;
    for (int i = 0; i < 2; i++)
        if (!recording_read(&recordings[i], files[i])) {
            fprintf(stderr, "%s\n", recordings[i].error);
            return 1;
        }
    bool by_engine = strcmp(arguments[1], "hand") != 0,
         by_hand = strcmp(arguments[1], "engine") != 0;
    start_engine(&engine, &profile, recordings);
    play(recordings, by_engine ? &engine : NULL, by_hand ? &hand : NULL);
    printf("%zu reports in, %u out\n", recordings[0].report_count + recordings[1].report_count,
           reports_made);
    if (by_engine && by_hand) {
        uint8_t state[YT_REPORT_BYTES + 1];
        if (yt_interface_state(&engine, 0, YT_HID_INPUT, 0, state, sizeof state) !=
            sizeof last_pad[0])
            return 1;
        memcpy(last_pad[0], state, sizeof last_pad[0]);
        fill_pad(&hand, last_pad[1]);
        bool same = memcmp(last_pad[0], last_pad[1], sizeof last_pad[0]) == 0 &&
                    sums[0][0] == sums[1][0] && sums[0][1] == sums[1][1];
        printf("engine and hand %s: motion %lld, %lld and %lld, %lld\n", same ? "agree" : "differ",
               (long long)sums[0][0], (long long)sums[0][1], (long long)sums[1][0],
               (long long)sums[1][1]);
        return same ? 0 : 1;
    }
    return 0;
}
