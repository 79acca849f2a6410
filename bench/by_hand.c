/* The crane's remap twice: by the engine, and in straight C written by hand, so that the
 * instructions of both can be compared (valgrind counts them, see bench/budgets).
 *
 *     by_hand engine|hand    plays the demo's recordings, checks nothing, prints the reports made
 *     by_hand compare        both, side by side, the recordings and made-up reports at three
 * polling intervals: at each poll both hosts get the same bytes, or both nothing
 *
 * The version by hand knows both devices' reports and both hosts' by heart. It keeps the same
 * promises: a list of changes, so that a tap shorter than a poll is a press and a release; motion
 * that is owed; the stick's steps at their times, however late it is called. */
#include <stdlib.h>
#include <string.h>

#include "tool/tool.h"

#define STEP_US     4000
#define WAIT_US     250000 /* how long a host may leave a report before motion is dropped */
#define CHANGES     32
#define PAD_BYTES   15
#define VIEW_BYTES  9
#define MOST_COUNTS 32767

/* What leads a change of the pad: the bits of its buttons, then the hat. */
enum { SOUTH, EAST, NORTH = 3, WEST, START = 11, HAT };

/* A report's changes that its host has not been told, and what it was told last. */
typedef struct outgoing {
    uint8_t lead[CHANGES], now[CHANGES];
    uint8_t count;
    bool armed;
    uint32_t armed_us;
    uint8_t shown[PAD_BYTES];
} outgoing;

typedef struct hand {
    uint8_t keys[15];
    uint8_t ball_buttons;
    int32_t moved[2];
    int32_t stick[2];
    bool steps;   /* of the stick */
    uint8_t idle; /* the steps since anything has moved, up to 8 */
    uint32_t step_us;
    uint16_t held; /* buttons of the pad as they are now */
    uint8_t hat;
    bool view_held;
    int64_t owed[3]; /* x, y, wheel, in 1/65536 */
    outgoing pad, view;
} hand;

static unsigned reports_made;

static bool key(const hand *hand, unsigned usage) {
    unsigned bit = usage - 4;
    return hand->keys[1 + bit / 8] >> (bit % 8) & 1;
}

static bool shift(const hand *hand) {
    return hand->keys[0] >> 1 & 1;
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

static unsigned without_opposites(unsigned hat) {
    if ((hat & 5) == 5)
        hat &= ~5u;
    return (hat & 10) == 10 ? hat & ~10u : hat;
}

/* What a lead is after the last change of the list before `end`, or as the host was told. */
static unsigned state_of(const outgoing *out, unsigned lead, unsigned end, unsigned told) {
    while (end-- > 0)
        if (out->lead[end] == lead)
            return out->now[end];
    return told;
}

static void take_out(outgoing *out, unsigned at, unsigned count) {
    out->count = (uint8_t)(out->count - count);
    memmove(&out->lead[at], &out->lead[at + count], out->count - at);
    memmove(&out->now[at], &out->now[at + count], out->count - at);
}

/* A full list: the oldest change that another of its lead follows goes with that one. */
static void make_room(outgoing *out) {
    for (unsigned i = 0; i < out->count; i++)
        for (unsigned k = i + 1; k < out->count; k++)
            if (out->lead[k] == out->lead[i]) {
                take_out(out, k, 1);
                take_out(out, i, 1);
                return;
            }
}

static void change(outgoing *out, unsigned lead, unsigned now, unsigned told) {
    if (state_of(out, lead, out->count, told) == now)
        return;
    if (out->count == CHANGES)
        make_room(out);
    if (out->count == CHANGES)
        return;
    out->lead[out->count] = (uint8_t)lead;
    out->now[out->count++] = (uint8_t)now;
}

static unsigned hat_told(const hand *hand) {
    static const uint8_t parts[9] = {1, 3, 2, 6, 4, 12, 8, 9, 0};
    unsigned number = hand->pad.shown[2] >> 4;
    return parts[number < 8 ? number : 8];
}

static unsigned button_told(const hand *hand, unsigned lead) {
    return hand->pad.shown[lead / 8] >> (lead % 8) & 1;
}

/* All that a report changed, as one view. */
static void note_changes(hand *hand) {
    unsigned held = (unsigned)(key(hand, 0x2c) || (hand->ball_buttons & 1)) << SOUTH |
                    (unsigned)((hand->ball_buttons >> 1 & 1) && !shift(hand)) << EAST |
                    (unsigned)key(hand, 0x14) << WEST | (unsigned)key(hand, 0x08) << NORTH |
                    (unsigned)key(hand, 0x28) << START;
    unsigned hat =
        without_opposites((unsigned)key(hand, 0x52) | (unsigned)key(hand, 0x4f) << 1 |
                          (unsigned)key(hand, 0x51) << 2 | (unsigned)key(hand, 0x50) << 3);
    bool view = shift(hand) && (hand->ball_buttons & 1);
    unsigned differs = held ^ hand->held;
    for (unsigned lead = 0; differs; lead++, differs >>= 1)
        if (differs & 1)
            change(&hand->pad, lead, held >> lead & 1, button_told(hand, lead));
    if (hat != hand->hat)
        change(&hand->pad, HAT, hat, hat_told(hand));
    if (view != hand->view_held)
        change(&hand->view, 0, view, hand->view.shown[0] & 1);
    hand->held = (uint16_t)held;
    hand->hat = (uint8_t)hat;
    hand->view_held = view;
}

static void step_axis(hand *hand, int i) {
    int64_t aim = (int64_t)hand->moved[i] * 10923;
    aim = aim > 8 * 65536 ? 8 * 65536 : aim < -8 * 65536 ? -8 * 65536 : aim;
    int32_t out = hand->stick[i] + ((int32_t)aim - hand->stick[i]) / 8;
    hand->stick[i] = out > 65536 ? 65536 : out < -65536 ? -65536 : out;
    hand->moved[i] = 0;
}

static void step_stick(hand *hand) {
    bool moved = hand->moved[0] || hand->moved[1];
    step_axis(hand, 0);
    step_axis(hand, 1);
    hand->idle = moved ? 0 : hand->idle < 8 ? (uint8_t)(hand->idle + 1) : 8;
    if (hand->idle < 8 || abs(hand->stick[0]) >= 1024 || abs(hand->stick[1]) >= 1024) {
        hand->step_us += STEP_US;
        return;
    }
    hand->stick[0] = hand->stick[1] = 0;
    hand->steps = false;
}

static void owe(hand *hand, int which, int64_t value, uint32_t now_us) {
    hand->owed[which] += value;
    if (hand->view.armed && now_us - hand->view.armed_us > WAIT_US)
        hand->owed[which] = 0;
}

static void take_ball(hand *hand, const uint8_t *report, uint32_t now_us) {
    int32_t x = (int32_t)((uint32_t)(report[2] | report[3] << 8) << 20) >> 20;
    int32_t y = (int32_t)((uint32_t)(report[3] >> 4 | report[4] << 4) << 20) >> 20;
    hand->ball_buttons = report[1];
    hand->moved[0] += x;
    hand->moved[1] += y;
    if (shift(hand)) {
        owe(hand, 0, (int64_t)x * 39322, now_us);
        owe(hand, 1, (int64_t)y * 39322, now_us);
    }
    owe(hand, 2, (int64_t)(int8_t)report[5] * 65536, now_us);
    if ((x || y) && !hand->steps) {
        hand->steps = true;
        hand->step_us = now_us + STEP_US;
    }
}

/* The longest run of the list in which nothing changes twice. */
static unsigned run_of(const outgoing *out) {
    uint32_t seen = 0;
    unsigned count = 0;
    for (; count < out->count && !(seen >> out->lead[count] & 1); count++)
        seen |= (uint32_t)1 << out->lead[count];
    return count;
}

static bool put_changes(outgoing *out) {
    static const uint8_t hats[16] = {8, 0, 2, 1, 4, 8, 3, 2, 6, 7, 8, 0, 5, 6, 4, 8};
    unsigned count = run_of(out);
    for (unsigned i = 0; i < count; i++) {
        unsigned lead = out->lead[i], mask = 1u << (lead % 8);
        uint8_t *byte = &out->shown[lead / 8];
        if (lead == HAT)
            out->shown[2] = (uint8_t)(hats[out->now[i]] << 4);
        else
            *byte = (uint8_t)(out->now[i] ? *byte | mask : *byte & ~mask);
    }
    take_out(out, 0, count);
    return count > 0;
}

static bool put_axis(outgoing *out, unsigned at, int32_t value) {
    if (out->shown[at] == (uint8_t)value && out->shown[at + 1] == (uint8_t)(value >> 8))
        return false;
    put16(&out->shown[at], value);
    return true;
}

static bool put_axes(hand *hand) {
    outgoing *out = &hand->pad;
    bool held = shift(hand), news = false;
    news |= put_axis(out, 3, (key(hand, 0x07) - key(hand, 0x04)) * 32767);
    news |= put_axis(out, 5, (key(hand, 0x16) - key(hand, 0x1a)) * 32767);
    news |= put_axis(out, 7, held ? 0 : to_axis(hand->stick[0]));
    news |= put_axis(out, 9, held ? 0 : to_axis(hand->stick[1]));
    news |= put_axis(out, 13, key(hand, 0x09) ? 32767 : key(hand, 0x15) ? to_axis(22938) : 0);
    return news;
}

static bool put_motion(hand *hand, uint8_t *report) {
    bool news = false;
    for (int i = 0; i < 3; i++) {
        int64_t counts = hand->owed[i] / 65536;
        counts = counts > MOST_COUNTS ? MOST_COUNTS : counts < -MOST_COUNTS ? -MOST_COUNTS : counts;
        hand->owed[i] -= counts * 65536;
        put16(report + 1 + 2 * i, (int32_t)counts);
        news |= counts != 0;
    }
    return news;
}

/* What each host is to get next; 0 bytes: nothing is new, or the last one is not taken. */
static size_t pad_report(hand *hand, uint8_t *report, uint32_t now_us) {
    if (hand->pad.armed)
        return 0;
    bool news = put_changes(&hand->pad);
    news |= put_axes(hand);
    memcpy(report, hand->pad.shown, PAD_BYTES);
    hand->pad.armed = news;
    hand->pad.armed_us = now_us;
    return news ? PAD_BYTES : 0;
}

static size_t view_report(hand *hand, uint8_t *report, uint32_t now_us) {
    if (hand->view.armed)
        return 0;
    bool news = put_changes(&hand->view);
    memcpy(report, hand->view.shown, VIEW_BYTES);
    news |= put_motion(hand, report);
    hand->view.armed = news;
    hand->view.armed_us = now_us;
    return news ? VIEW_BYTES : 0;
}

/* What the hosts got: the reports that were built last, and how long they are; 0: none was. */
typedef struct got {
    uint8_t bytes[YT_INTERFACES][YT_REPORT_BYTES + 1];
    size_t size[YT_INTERFACES];
} got;

/* One report, from its arrival to what the hosts get; and one poll, at which they take what there
 * is and the next is built. The counter is switched on by these names. */
void report_by_hand(hand *hand, unsigned device, const uint8_t *report, uint64_t now_us, got *got);
void poll_by_hand(hand *hand, uint64_t now_us, got *got);
void report_by_engine(yt_engine *engine, unsigned device, const uint8_t *report, size_t size,
                      uint64_t now_us, got *got);
void poll_by_engine(yt_engine *engine, uint64_t now_us, got *got);

static void send_by_hand(hand *hand, uint32_t now_us, got *got) {
    size_t size = pad_report(hand, got->bytes[0], now_us);
    got->size[0] = size ? size : got->size[0];
    size = view_report(hand, got->bytes[1], now_us);
    got->size[1] = size ? size : got->size[1];
}

static void run_steps(hand *hand, uint32_t now_us) {
    while (hand->steps && (int32_t)(now_us - hand->step_us) >= 0)
        step_stick(hand);
}

__attribute__((noinline)) void report_by_hand(hand *hand, unsigned device, const uint8_t *report,
                                              uint64_t now_us, got *got) {
    run_steps(hand, (uint32_t)now_us);
    if (device == 0)
        memcpy(hand->keys, report, sizeof hand->keys);
    else
        take_ball(hand, report, (uint32_t)now_us);
    note_changes(hand);
    send_by_hand(hand, (uint32_t)now_us, got);
}

static void taken_by_hand(hand *hand, uint32_t now_us) {
    if (hand->view.armed && now_us - hand->view.armed_us > WAIT_US)
        memset(hand->owed, 0, sizeof hand->owed);
    hand->pad.armed = hand->view.armed = false;
}

__attribute__((noinline)) void poll_by_hand(hand *hand, uint64_t now_us, got *got) {
    run_steps(hand, (uint32_t)now_us);
    taken_by_hand(hand, (uint32_t)now_us);
    send_by_hand(hand, (uint32_t)now_us, got);
}

static void send_by_engine(yt_engine *engine, got *got) {
    for (unsigned i = 0; i < engine->interface_count; i++) {
        size_t size;
        if (yt_interface_report(engine, i, got->bytes[i], sizeof got->bytes[i], &size) != YT_OK)
            abort();
        got->size[i] = size ? size : got->size[i];
    }
}

__attribute__((noinline)) void report_by_engine(yt_engine *engine, unsigned device,
                                                const uint8_t *report, size_t size, uint64_t now_us,
                                                got *got) {
    if (yt_engine_report(engine, device, report, size, now_us) != YT_OK)
        abort();
    yt_engine_update(engine, now_us);
    send_by_engine(engine, got);
}

__attribute__((noinline)) void poll_by_engine(yt_engine *engine, uint64_t now_us, got *got) {
    yt_engine_update(engine, now_us);
    for (unsigned i = 0; i < engine->interface_count; i++)
        yt_interface_taken(engine, i, now_us);
    send_by_engine(engine, got);
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

/* The two at work; one that is NULL does not. */
typedef struct both {
    yt_engine *engine;
    hand *hand;
    got of_engine, of_hand;
    unsigned polls, differ;
} both;

static void report_to(both *both, unsigned device, const uint8_t *bytes, size_t size,
                      uint64_t now_us) {
    if (both->engine)
        report_by_engine(both->engine, device, bytes, size, now_us, &both->of_engine);
    if (both->hand)
        report_by_hand(both->hand, device, bytes, now_us, &both->of_hand);
}

/* The hosts take what there is. */
static void take_from(got *got) {
    for (unsigned i = 0; i < YT_INTERFACES; i++) {
        reports_made += got->size[i] > 0;
        got->size[i] = 0;
    }
}

static bool is_same(const got *a, const got *b) {
    for (unsigned i = 0; i < YT_INTERFACES; i++)
        if (a->size[i] != b->size[i] || memcmp(a->bytes[i], b->bytes[i], a->size[i]) != 0)
            return false;
    return true;
}

static void poll_both(both *both, uint64_t now_us) {
    both->polls++;
    if (both->engine && both->hand && !is_same(&both->of_engine, &both->of_hand))
        both->differ++;
    take_from(&both->of_engine);
    take_from(&both->of_hand);
    if (both->engine)
        poll_by_engine(both->engine, now_us, &both->of_engine);
    if (both->hand)
        poll_by_hand(both->hand, now_us, &both->of_hand);
}

/* Plays both recordings in the order of time; the hosts poll at an interval. */
static void play(const recording *recordings, uint32_t poll_us, both *both) {
    size_t at[2] = {0, 0};
    uint64_t poll_at_us = 0;
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
        for (; poll_at_us < next->time_us; poll_at_us += poll_us)
            poll_both(both, poll_at_us);
        report_to(both, device, recordings[device].bytes + next->offset, next->size, next->time_us);
    }
}

static uint32_t seed;

static uint32_t chance(uint32_t most) {
    seed = seed * 1664525u + 1013904223u;
    return (seed >> 8) % most;
}

/* Keys and buttons that come and go faster than the hosts poll, and a ball that is rolled. */
static void play_made_up(uint32_t poll_us, unsigned reports, both *both) {
    static const uint8_t usages[] = {0x04, 0x07, 0x08, 0x09, 0x14, 0x15, 0x16,
                                     0x1a, 0x28, 0x2c, 0x4f, 0x50, 0x51, 0x52};
    uint8_t keys[15] = {0}, ball[6] = {1};
    uint64_t now_us = 0, poll_at_us = 0;
    for (unsigned i = 0; i < reports; i++) {
        now_us += 100 + chance(chance(8) ? 3000 : 60000);
        for (; poll_at_us < now_us; poll_at_us += poll_us)
            poll_both(both, poll_at_us);
        unsigned bit = usages[chance(sizeof usages)] - 4u;
        switch (chance(4)) {
        case 0:
            keys[0] ^= chance(4) ? 0 : 2;
            keys[1 + bit / 8] = (uint8_t)(keys[1 + bit / 8] ^ 1u << bit % 8);
            report_to(both, 0, keys, sizeof keys, now_us);
            break;
        default:
            ball[1] ^= (uint8_t)(chance(4) ? 0 : 1 + chance(3));
            for (int k = 2; k < 6; k++)
                ball[k] = chance(3) ? (uint8_t)chance(256) : 0;
            report_to(both, 1, ball, sizeof ball, now_us);
        }
    }
}

static int compare(const profile *profile, const recording *recordings) {
    static const uint32_t polls_us[] = {1000, 8000, 30000};
    unsigned polls = 0, differ = 0;
    for (unsigned i = 0; i < 6; i++) {
        yt_engine engine;
        hand hand = {.pad.shown = {0, 0, 0x80}};
        both both = {.engine = &engine, .hand = &hand};
        start_engine(&engine, profile, recordings);
        seed = i;
        if (i < 3)
            play(recordings, polls_us[i], &both);
        else
            play_made_up(polls_us[i - 3], 20000, &both);
        polls += both.polls;
        differ += both.differ;
    }
    printf("engine and hand %s: the same at %u of %u polls\n", differ ? "differ" : "agree",
           polls - differ, polls);
    return differ ? 1 : 0;
}

int main(int count, char **arguments) {
    static const char *const files[] = {"crane/recordings/otter-keyboard.hid",
                                        "crane/recordings/dory-trackball.hid"};
    recording recordings[2];
    profile profile;
    yt_engine engine;
    hand hand = {.pad.shown = {0, 0, 0x80}};
    if (count < 2 || !profile_open(&profile, count > 2 ? arguments[2] : "crane/crane.yaml"))
        return 2;
    for (int i = 0; i < 2; i++)
        if (!recording_read(&recordings[i], files[i])) {
            fprintf(stderr, "%s\n", recordings[i].error);
            return 1;
        }
    if (strcmp(arguments[1], "compare") == 0)
        return compare(&profile, recordings);
    bool by_engine = strcmp(arguments[1], "engine") == 0;
    both both = {.engine = by_engine ? &engine : NULL, .hand = by_engine ? NULL : &hand};
    if (by_engine)
        start_engine(&engine, &profile, recordings);
    play(recordings, 8000, &both);
    printf("%u reports\n", reports_made);
    return 0;
}
