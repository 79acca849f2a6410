/* Gyros and accelerometers: what they say while they lie still, and what a turn or gravity makes of
 * it. Whether one lies still is judged by its numbers alone: by how far they go in a quarter of a
 * second, against the steadiest quarter that was seen, and by whether their means stay. */
#include "calibration/gather.h"
#include "signal/fixed.h"

#define WINDOW_US  250000u
#define WINDOWS    16 /* four seconds */
#define SHAKEN_US  3000000u
#define MOST_COUNT 30000u  /* samples, which a sum of 32 bits holds */
#define LOST_US    100000u /* between two reports: a turn cannot be told any more */
#define STILL_RATE 6       /* degrees a second that a still gyro's numbers are apart at most */
#define MOST_RATE  25      /* degrees a second that a still gyro may tell */
#define KNOWN_REST 1u

static bool is_gyro(const yt_calibrating *gathering) {
    return gathering->part.kind == YT_CALIBRATION_GYRO;
}

static int size_of(int number) {
    return number < 0 ? -number : number;
}

/* So many degrees a second, in counts; without a unit, as those of a usual part. */
static int counts_of(const yt_calibrating *gathering, int rate) {
    int32_t unit = gathering->part.unit_q24;
    return unit > 0 ? yt_quotient((int64_t)rate << 24, (uint32_t)unit) : rate * 16;
}

/* How far the numbers of a window may go. */
static int most_of(const yt_calibrating *gathering) {
    if (is_gyro(gathering))
        return counts_of(gathering, STILL_RATE);
    int largest = 0;
    for (unsigned i = 0; i < 3; i++)
        if (size_of(gathering->still.last[i]) > largest)
            largest = size_of(gathering->still.last[i]);
    return largest / 16 + 16;
}

static void begin_anew(yt_calibrating *gathering) {
    gathering->as.motion.windows = 0;
    if (gathering->as.motion.known & KNOWN_REST)
        return;
    gathering->as.motion.samples = 0;
    for (unsigned i = 0; i < 3; i++)
        gathering->as.motion.sum[i] = 0;
}

/* In 1 / 256 of a count. */
static int32_t bias_of(const yt_calibrating *gathering, unsigned axis) {
    uint32_t samples = gathering->as.motion.samples;
    return samples ? yt_quotient((int64_t)gathering->as.motion.sum[axis] * 256, samples) : 0;
}

static void forget_turn(yt_calibrating *gathering) {
    gathering->as.motion.turned_us = 0;
    for (unsigned i = 0; i < 3; i++)
        gathering->as.motion.turned[i] = 0;
}

/* Halves of counts times microseconds: the mean of two reports over the time between them, without
 * a rest that is lost. */
static void turn(yt_calibrating *gathering, const int16_t *at, uint32_t now_us) {
    uint32_t since_us = now_us - gathering->as.motion.last_us;
    if (since_us > LOST_US || gathering->as.motion.turned_us > UINT32_MAX - since_us)
        forget_turn(gathering);
    else
        gathering->as.motion.turned_us += since_us;
    for (unsigned i = 0; i < 3; i++) {
        if (gathering->as.motion.turned_us)
            gathering->as.motion.turned[i] +=
                (int64_t)(gathering->as.motion.last[i] + at[i]) * since_us;
        gathering->as.motion.last[i] = at[i];
    }
    gathering->as.motion.last_us = now_us;
}

/* How far it turned about an axis, in 1 / 65536 of a degree. */
static int64_t angle_of(const yt_calibrating *gathering, unsigned axis) {
    int64_t own = (int64_t)bias_of(gathering, axis) * gathering->as.motion.turned_us / 128;
    int64_t halves = gathering->as.motion.turned[axis] - own;
    int32_t milli = yt_quotient(halves, 2000); /* counts times milliseconds */
    return yt_quotient((int64_t)milli * gathering->part.unit_q24 >> 8, 1000);
}

/* It lies still again: whether it went round whole turns about one axis. */
static void judge_turn(yt_calibrating *gathering) {
    int64_t angle[3], sum = 0;
    unsigned axis = 0;
    for (unsigned i = 0; i < 3; i++) {
        angle[i] = angle_of(gathering, i);
        int64_t size = angle[i] < 0 ? -angle[i] : angle[i];
        sum += size;
        if (size > (angle[axis] < 0 ? -angle[axis] : angle[axis]))
            axis = i;
    }
    int64_t most = angle[axis] < 0 ? -angle[axis] : angle[axis], whole = (int64_t)360 << 16;
    if (most > 30 * 65536)
        forget_turn(gathering);
    int32_t turns = yt_quotient(most, (uint32_t)whole);
    if (turns == 0 || sum - most > most / 4)
        return;
    int64_t off = most - turns * whole;
    if (off > turns * whole / 8 || off < -turns * whole / 8)
        return;
    gathering->as.motion.factor[axis] = yt_quotient((turns * whole) << 16, (uint32_t)most);
    gathering->as.motion.known |= (uint8_t)(2u << axis);
}

/* Which way is down, by the axis that tells most of it. */
static void note_side(yt_calibrating *gathering, const int16_t *mean) {
    unsigned axis = 0;
    for (unsigned i = 1; i < 3; i++)
        if (size_of(mean[i]) > size_of(mean[axis]))
            axis = i;
    for (unsigned i = 0; i < 3; i++)
        if (i != axis && size_of(mean[i]) * 2 > size_of(mean[axis]))
            return; /* it lies on an edge */
    if (mean[axis] > 0)
        gathering->as.motion.up[axis] = mean[axis];
    else
        gathering->as.motion.down[axis] = mean[axis];
    gathering->as.motion.known |= (uint8_t)((mean[axis] > 0 ? 1u : 8u) << axis);
}

/* A window of time in which it lay still. */
typedef struct window {
    int16_t mean[3];
    int32_t sum[3];
    uint16_t count, spread;
} window;

/* Whether a window's means are those of the run that it may go on with. */
static bool goes_on(const yt_calibrating *gathering, const window *window) {
    int within = window->spread / 4 + 2;
    for (unsigned i = 0; i < 3; i++)
        if (size_of(window->mean[i] - gathering->as.motion.mean[i]) > within)
            return false;
    return gathering->as.motion.windows > 0;
}

/* What is known gets better while it lies as it lay; up to as many samples as a sum holds. */
static void add_window(yt_calibrating *gathering, const window *window) {
    if (gathering->as.motion.samples + window->count >= MOST_COUNT)
        return;
    gathering->as.motion.samples += window->count;
    for (unsigned i = 0; i < 3; i++)
        gathering->as.motion.sum[i] += window->sum[i];
}

/* It has lain still for `windows` in a row. */
static void judge_run(yt_calibrating *gathering, const window *window) {
    unsigned windows = gathering->as.motion.windows;
    bool is_known = gathering->as.motion.known & KNOWN_REST;
    if (!is_gyro(gathering)) {
        if (windows == 2)
            note_side(gathering, window->mean);
    } else if (windows == WINDOWS && !is_known) {
        gathering->as.motion.known |= KNOWN_REST;
        gathering->noise = (uint16_t)gathering->as.motion.spread;
        forget_turn(gathering);
    } else if (windows == 2 && is_known) {
        judge_turn(gathering);
    }
}

/* A window goes on with those before, or is the first of others; unless it is much less steady than
 * the steadiest: a hand holds it. */
static void note_still(yt_calibrating *gathering, const window *window) {
    int steadiest = gathering->as.motion.spread;
    bool is_known = gathering->as.motion.known & KNOWN_REST, on = goes_on(gathering, window);
    if (steadiest == 0 || window->spread < steadiest)
        gathering->as.motion.spread = (int16_t)(window->spread ? window->spread : 1);
    bool is_held = steadiest > 0 && window->spread > 3 * steadiest + 3;
    if (is_held || !on)
        begin_anew(gathering);
    if (is_held)
        return;
    if (on || !is_known)
        add_window(gathering, window);
    for (unsigned i = 0; i < 3 && !on; i++)
        gathering->as.motion.mean[i] = window->mean[i];
    if (gathering->as.motion.windows < WINDOWS)
        gathering->as.motion.windows++;
    judge_run(gathering, window);
}

static void take(yt_calibrating *gathering, const int16_t *at, uint32_t now_us) {
    window window = {.count = (uint16_t)(gathering->still.count + 1)};
    bool moved;
    for (unsigned i = 0; i < 3; i++)
        window.sum[i] = gathering->still.sum[i] + at[i];
    if (gathering->as.motion.last_us == 0 && gathering->as.motion.turned_us == 0) {
        gathering->as.motion.last_us = now_us;
        gathering->as.motion.still_us = now_us;
    }
    if (gathering->as.motion.known & KNOWN_REST)
        turn(gathering, at, now_us);
    if (yt_still_give(&gathering->still, 3, at, now_us, WINDOW_US, most_of(gathering), window.mean,
                      &window.spread, &moved)) {
        note_still(gathering, &window);
        if (gathering->as.motion.windows > 0)
            gathering->as.motion.still_us = now_us;
    }
    if (moved)
        begin_anew(gathering);
}

static void tell(const yt_calibrating *gathering, yt_calibration_news *news) {
    unsigned known = gathering->as.motion.known, windows = gathering->as.motion.windows;
    bool is_shaken = gathering->still.last_us - gathering->as.motion.still_us > SHAKEN_US;
    news->covered = known;
    for (unsigned i = 0; i < 3; i++)
        news->rest[i] = (int16_t)(bias_of(gathering, i) >> 8);
    if (!is_gyro(gathering)) {
        for (unsigned i = 0; i < 6; i++)
            news->percent = (uint8_t)(news->percent + (known >> i & 1) * 16);
        news->percent = known == 63 ? 100 : news->percent;
        news->advice = known & known >> 3 & 7 ? YT_ADVICE_DONE
                       : is_shaken            ? YT_ADVICE_SHAKEN
                                              : YT_ADVICE_SIX_SIDES;
        return;
    }
    news->percent = (uint8_t)(known & KNOWN_REST ? 100 : windows * 6);
    news->advice = known & KNOWN_REST ? YT_ADVICE_DONE
                   : is_shaken        ? YT_ADVICE_SHAKEN
                                      : YT_ADVICE_LAY_DOWN;
    for (unsigned i = 0; i < 3 && news->advice == YT_ADVICE_DONE; i++)
        if (size_of(news->rest[i]) > counts_of(gathering, MOST_RATE))
            news->advice = YT_ADVICE_ABSURD;
}

static bool end(const yt_calibrating *gathering, yt_calibration *record) {
    for (unsigned i = 0; i < 3; i++) {
        int32_t factor = gathering->as.motion.factor[i], up = gathering->as.motion.up[i],
                down = gathering->as.motion.down[i];
        if (is_gyro(gathering)) {
            record->rest[i] = bias_of(gathering, i);
            record->high[i] = factor ? factor : YT_ONE;
        } else if (gathering->as.motion.known >> i & gathering->as.motion.known >> (i + 3) & 1) {
            record->rest[i] = (up + down) * 128;
            record->high[i] = (up - down) * 128;
        }
    }
    return true;
}

yt_status yt_calibrating_motion(yt_calibrating *gathering, const yt_calibration_part *part) {
    static const yt_gathering_calls calls = {YT_CALIBRATION_GYRO, YT_CALIBRATION_ACCELEROMETER,
                                             take, tell, end};
    return yt_gather_begin(gathering, part, &calls);
}
