/* Sticks: where they rest, how far out each direction goes, and the notches of their gates.
 *
 * A rim is gathered in 32 sectors. What counts is a pass: the stick comes into a sector on one side
 * and leaves it on the other, far out. So neither a push straight out nor a stick that is let go is
 * taken for a rim. Of each sector three passes are kept, those that are most alike, and two of them
 * must be; a hand that is off the rim now and then, or a number that is wrong, does no harm. */
#include "calibration/gather.h"
#include "signal/angle.h"

#define WINDOW_US  200000u
#define MOVES      1311 /* 8% of half the range: it does not stand still */
#define NEAR       4096 /* a quarter: a rest may be so far from the middle */
#define FAR_OUT    9830 /* 15% from its rest, in 1 / 65536: a direction is known */
#define AWAY       4915 /* 7.5%: it is away from its rest */
#define NOTCH_OUT  19661
#define SAME_NOTCH 131 /* 0.8%: two windows in one notch */
#define STEP       (YT_TURN / YT_CALIBRATION_SECTORS)
#define NO_SECTOR  UINT8_MAX

void yt_packed(uint8_t packed[3], const int32_t point[2]) {
    uint32_t x = (uint32_t)((point[0] + 4) >> 3), y = (uint32_t)((point[1] + 4) >> 3);
    packed[0] = (uint8_t)x;
    packed[1] = (uint8_t)y;
    packed[2] = (uint8_t)((x >> 8 & 15) | (y >> 8 & 15) << 4);
}

/* 12 bits, signed. */
static int16_t unpacked(uint32_t bits) {
    return (int16_t)((int32_t)(bits << 20) >> 17);
}

bool yt_unpacked(const uint8_t packed[3], int16_t point[2]) {
    point[0] = unpacked(packed[0] | (uint32_t)packed[2] << 8);
    point[1] = unpacked(packed[1] | (uint32_t)(packed[2] >> 4) << 8);
    return packed[0] || packed[1] || packed[2];
}

void yt_stick_rest(const yt_calibrating *gathering, int16_t rest[2]) {
    for (unsigned i = 0; i < 2; i++)
        rest[i] = yt_median(&gathering->as.stick.rest[0][i], gathering->rests, 2);
}

static int size_of(int number) {
    return number < 0 ? -number : number;
}

static uint32_t square_of(const int16_t point[2], const int16_t rest[2]) {
    int x = point[0] - rest[0], y = point[1] - rest[1];
    return (uint32_t)(x * x) + (uint32_t)(y * y);
}

/* Of two squares of distances: whether the distances are within 6%. */
static bool are_alike(uint32_t nearer, uint32_t farther) {
    return farther - nearer <= nearer / 8;
}

/* The three passes of a sector, nearest first; how many there are. */
static unsigned sorted_passes(const yt_calibrating *gathering, unsigned sector,
                              const int16_t rest[2], uint8_t order[3], uint32_t square[3]) {
    unsigned count = 0;
    for (unsigned i = 0; i < 3; i++) {
        int16_t point[2];
        if (!yt_unpacked(gathering->as.stick.rim[sector][i], point))
            continue;
        uint32_t size = square_of(point, rest);
        unsigned k = count++;
        for (; k > 0 && square[k - 1] > size; k--) {
            square[k] = square[k - 1];
            order[k] = order[k - 1];
        }
        square[k] = size;
        order[k] = (uint8_t)i;
    }
    return count;
}

/* The middle pass of a sector, or the only one; false: it was never passed. */
static bool middle_pass(const yt_calibrating *gathering, unsigned sector, const int16_t rest[2],
                        int16_t point[2]) {
    uint8_t order[3];
    uint32_t square[3];
    unsigned count = sorted_passes(gathering, sector, rest, order, square);
    return count > 0 && yt_unpacked(gathering->as.stick.rim[sector][order[count / 2]], point);
}

/* No gate goes inwards: a point that is nearer than the line between its neighbours, by 2% of its
 * distance, was not on the rim. */
static bool is_dent(const yt_calibrating *gathering, unsigned sector, const int16_t rest[2],
                    const int16_t point[2]) {
    int16_t before[2], after[2];
    yt_q16 chord, length;
    if (!middle_pass(gathering, (sector + YT_CALIBRATION_SECTORS - 1) % YT_CALIBRATION_SECTORS,
                     rest, before) ||
        !middle_pass(gathering, (sector + 1) % YT_CALIBRATION_SECTORS, rest, after))
        return false;
    int along[2] = {after[0] - before[0], after[1] - before[1]};
    int here[2] = {point[0] - before[0], point[1] - before[1]};
    yt_direction_of(along[0], along[1], &chord);
    yt_direction_of(point[0] - rest[0], point[1] - rest[1], &length);
    return along[0] * here[1] - along[1] * here[0] > chord / 4 * (length / 256 + length / 1024);
}

bool yt_rim_point(const yt_calibrating *gathering, unsigned sector, const int16_t rest[2],
                  int16_t point[2]) {
    uint8_t order[3];
    uint32_t square[3];
    if (sorted_passes(gathering, sector, rest, order, square) < 3)
        return false;
    yt_unpacked(gathering->as.stick.rim[sector][order[1]], point);
    return are_alike(square[1], square[2]) && !is_dent(gathering, sector, rest, point);
}

static void copy_pass(uint8_t to[3], const uint8_t from[3]) {
    to[0] = from[0];
    to[1] = from[1];
    to[2] = from[2];
}

#define NEW_PASS 3 /* behind those that are kept */

/* Which of four passes goes, by their order, the nearest first: one that is nearer than the others,
 * as the hand was off the rim, or any of a dent; else one that is farther than all the others, as a
 * number was wrong; else the new one if it is 1.5% nearer, as on a way from notch to notch; else
 * the oldest, whose place is 0. */
static unsigned worst_of(const uint32_t square[4], const uint8_t order[4], bool dents) {
    if (dents || !are_alike(square[0], square[1]) || !are_alike(square[1], square[2]))
        return order[0];
    if (order[0] == NEW_PASS && square[1] - square[0] > square[0] / 32)
        return NEW_PASS;
    return are_alike(square[2], square[3]) ? 0 : order[3];
}

/* A pass came to its end. Three are kept, the oldest first. */
static void note_pass(yt_calibrating *gathering, unsigned sector, const int16_t rest[2]) {
    uint8_t(*passes)[3] = gathering->as.stick.rim[sector], order[4];
    uint32_t square[4];
    int32_t point[2];
    int16_t mean[2];
    for (unsigned i = 0; i < 2; i++) {
        point[i] = yt_quotient(gathering->as.stick.sum[i], gathering->as.stick.passing);
        mean[i] = (int16_t)point[i];
    }
    unsigned count = sorted_passes(gathering, sector, rest, order, square);
    if (count < 3) {
        yt_packed(passes[count], point);
        return;
    }
    uint32_t size = square_of(mean, rest);
    for (; count > 0 && square[count - 1] > size; count--) {
        square[count] = square[count - 1];
        order[count] = order[count - 1];
    }
    square[count] = size;
    order[count] = NEW_PASS;
    int16_t middle[2];
    bool dents =
        middle_pass(gathering, sector, rest, middle) && is_dent(gathering, sector, rest, middle);
    unsigned out = worst_of(square, order, dents);
    if (out == NEW_PASS)
        return;
    for (; out < 2; out++)
        copy_pass(passes[out], passes[out + 1]);
    yt_packed(passes[2], point);
}

static unsigned sector_of(yt_q16 angle) {
    unsigned sector = 0;
    for (angle += STEP / 2; angle >= STEP; angle -= STEP)
        sector++;
    return sector % YT_CALIBRATION_SECTORS;
}

/* The shorter way from one sector to another, clockwise above 0. */
static int steps_between(unsigned from, unsigned to) {
    int steps = (int)((to - from) % YT_CALIBRATION_SECTORS);
    return steps > YT_CALIBRATION_SECTORS / 2 ? steps - YT_CALIBRATION_SECTORS : steps;
}

/* Which way a pass came in, or left. */
#define CLOCKWISE 1
#define BACKWARDS 2

static void add_to_pass(yt_calibrating *gathering, const int16_t *at) {
    if (gathering->as.stick.passing == UINT16_MAX)
        return;
    gathering->as.stick.passing++;
    gathering->as.stick.sum[0] += at[0];
    gathering->as.stick.sum[1] += at[1];
}

static void follow_rim(yt_calibrating *gathering, const int16_t *at, const int16_t rest[2]) {
    yt_q16 length, angle = yt_direction_of(at[0] - rest[0], at[1] - rest[1], &length);
    unsigned before = gathering->as.stick.sector, sector = sector_of(angle);
    if (length < FAR_OUT) {
        gathering->as.stick.sector = NO_SECTOR;
        return;
    }
    if (sector != before) {
        int steps = before == NO_SECTOR ? 0 : steps_between(before, sector);
        uint8_t way = steps > 0 && steps <= 3    ? CLOCKWISE
                      : steps < 0 && steps >= -3 ? BACKWARDS
                                                 : 0;
        if (way != 0 && way == gathering->as.stick.came && gathering->as.stick.passing > 0)
            note_pass(gathering, before, rest);
        gathering->as.stick.came = way;
        gathering->as.stick.sector = (uint8_t)sector;
        gathering->as.stick.passing = 0;
        gathering->as.stick.sum[0] = gathering->as.stick.sum[1] = 0;
    }
    add_to_pass(gathering, at);
}

/* What a raw number is, in 1 / 16384. */
static unsigned step_of(const yt_calibration_place *place) {
    int64_t span = (int64_t)place->maximum - place->minimum;
    return span > 2 * YT_WHOLE_RANGE ? 1
                                     : (unsigned)yt_quotient(2 * YT_WHOLE_RANGE, (uint32_t)span);
}

/* A rest in which the numbers are much less steady than in the steadiest has a hand on it. Each
 * time that it comes back is one rest, however long it stays. */
static void note_rest(yt_calibrating *gathering, const int16_t mean[2], unsigned spread) {
    unsigned noise = gathering->noise, step = step_of(&gathering->part.places[0]);
    if (gathering->rests > 0 && spread > 2 * noise + 64 + 2 * step)
        return;
    if (gathering->rests > 0 && noise > 2 * spread + 64 + 2 * step)
        gathering->rests = gathering->next = gathering->in_one = gathering->windows = 0;
    if (gathering->rests == 0 || spread < noise)
        gathering->noise = (uint16_t)spread;
    int16_t *at = gathering->as.stick.rest[gathering->next];
    unsigned in_one = gathering->in_one;
    for (unsigned i = 0; i < 2; i++)
        at[i] = (int16_t)(in_one == 0   ? mean[i]
                          : in_one == 1 ? (at[i] + mean[i]) / 2
                                        : at[i] + (mean[i] - at[i]) / 4);
    if (in_one == 0 && gathering->rests < YT_CALIBRATING_RESTS)
        gathering->rests++;
    gathering->in_one = (uint8_t)(in_one < 3 ? in_one + 1 : 3);
    gathering->windows = (uint8_t)(gathering->windows < 3 ? gathering->windows + 1 : 3);
}

/* It has moved away: where it rests next is another rest. */
static void leave_rest(yt_calibrating *gathering) {
    if (gathering->in_one > 0)
        gathering->next = gathering->next + 1 < YT_CALIBRATING_RESTS ? gathering->next + 1u : 0;
    gathering->in_one = 0;
}

/* How far an angle is from another, the shorter way. */
static yt_q16 between(yt_q16 a, yt_q16 b) {
    yt_q16 apart = a < b ? b - a : a - b;
    return apart > YT_TURN / 2 ? YT_TURN - apart : apart;
}

/* It stood still far out for two windows: that is a notch, the same as one that is near. */
static void note_notch(yt_calibrating *gathering, const int16_t mean[2], const int16_t rest[2]) {
    int32_t point[2] = {mean[0], mean[1]};
    int16_t other[2];
    yt_q16 length, angle = yt_direction_of(mean[0] - rest[0], mean[1] - rest[1], &length);
    yt_q16 near = 2 * (yt_q16)yt_quotient(YT_TURN, 5u * gathering->notches_wanted);
    for (unsigned i = 0; i < gathering->as.stick.notches; i++) {
        yt_unpacked(gathering->as.stick.notch[i], other);
        if (between(yt_direction_of(other[0] - rest[0], other[1] - rest[1], &length), angle) > near)
            continue;
        for (unsigned k = 0; k < 2; k++)
            point[k] = (point[k] + other[k]) / 2;
        yt_packed(gathering->as.stick.notch[i], point);
        return;
    }
    if (gathering->as.stick.notches == gathering->notches_wanted) {
        gathering->failed = YT_ADVICE_NOTCH_TOO_MANY;
        return;
    }
    yt_packed(gathering->as.stick.notch[gathering->as.stick.notches++], point);
}

static void note_still(yt_calibrating *gathering, const int16_t mean[2], unsigned spread) {
    int16_t rest[2];
    int16_t *before = gathering->as.stick.before;
    yt_q16 length;
    if (size_of(mean[0]) < NEAR && size_of(mean[1]) < NEAR) {
        note_rest(gathering, mean, spread);
        gathering->as.stick.has_before = false;
        return;
    }
    if (gathering->notches_wanted == 0)
        return;
    yt_stick_rest(gathering, rest);
    yt_direction_of(mean[0] - rest[0], mean[1] - rest[1], &length);
    if (length < NOTCH_OUT)
        return;
    if (gathering->as.stick.has_before && size_of(mean[0] - before[0]) <= SAME_NOTCH &&
        size_of(mean[1] - before[1]) <= SAME_NOTCH)
        note_notch(gathering, mean, rest);
    before[0] = mean[0];
    before[1] = mean[1];
    gathering->as.stick.has_before = true;
}

static void take(yt_calibrating *gathering, const int16_t *at, uint32_t now_us) {
    int16_t mean[YT_CALIBRATION_CONTROLS] = {0}, rest[2];
    uint16_t spread;
    bool moved;
    if (yt_still_give(&gathering->still, 2, at, now_us, WINDOW_US, MOVES, mean, &spread, &moved))
        note_still(gathering, mean, spread);
    yt_stick_rest(gathering, rest);
    if (moved)
        gathering->as.stick.has_before = false;
    if (size_of(at[0] - rest[0]) > AWAY / 2 || size_of(at[1] - rest[1]) > AWAY / 2)
        leave_rest(gathering);
    follow_rim(gathering, at, rest);
    if (gathering->springs)
        gathering->springs->calls->give(gathering->springs, at[0] - rest[0], at[1] - rest[1],
                                        now_us);
}

static uint8_t percent_of(const yt_calibrating *gathering, const yt_calibration_news *news) {
    unsigned rests = gathering->windows, rim = 0, notches = 0;
    unsigned wanted = gathering->notches_wanted, part = wanted ? 60 : 90;
    for (unsigned i = 0; i < YT_CALIBRATION_SECTORS; i++)
        rim += (news->covered >> i & 1) * 2 + (news->begun >> i & 1);
    if (wanted)
        notches = (unsigned)yt_quotient((int64_t)30 * news->notches, wanted);
    return (uint8_t)(rests * 3 + (rests == 3) + (rim * part >> 6) + notches);
}

/* The rim by what is seen of it: whether it is far enough out, and about its rest. */
static uint8_t judged_rim(const yt_calibrating *gathering, const int16_t rest[2]) {
    yt_q16 longest = 0, shortest = YT_TURN, length;
    for (unsigned i = 0; i < YT_CALIBRATION_SECTORS; i++) {
        int16_t point[2];
        if (!yt_rim_point(gathering, i, rest, point))
            return YT_ADVICE_TURN;
        yt_direction_of(point[0] - rest[0], point[1] - rest[1], &length);
        longest = length > longest ? length : longest;
        shortest = length < shortest ? length : shortest;
    }
    return shortest < FAR_OUT       ? YT_ADVICE_HARDLY_MOVES
           : longest > 3 * shortest ? YT_ADVICE_FAR_CENTRE
                                    : YT_ADVICE_DONE;
}

static void tell(const yt_calibrating *gathering, yt_calibration_news *news) {
    yt_stick_rest(gathering, news->rest);
    news->notches = gathering->as.stick.notches;
    for (unsigned i = 0; i < YT_CALIBRATION_SECTORS; i++) {
        int16_t point[2];
        uint8_t order[3];
        uint32_t square[3];
        if (yt_rim_point(gathering, i, news->rest, point))
            news->covered |= UINT32_C(1) << i;
        else if (sorted_passes(gathering, i, news->rest, order, square) > 0)
            news->begun |= UINT32_C(1) << i;
    }
    if (gathering->springs)
        news->let_gos = gathering->springs->found;
    news->percent = percent_of(gathering, news);
    news->advice = gathering->failed                           ? gathering->failed
                   : gathering->windows < 3                    ? YT_ADVICE_LET_GO
                   : ~news->covered                            ? YT_ADVICE_TURN
                   : news->notches < gathering->notches_wanted ? YT_ADVICE_REST_IN_NOTCHES
                                                               : YT_ADVICE_DONE;
    if (news->advice == YT_ADVICE_DONE)
        news->advice = judged_rim(gathering, news->rest);
    if (news->advice == YT_ADVICE_DONE && gathering->notches_wanted)
        news->advice = yt_judged_notches(gathering, news->rest, &news->notch_missing);
    else if (news->notches > 1 && news->advice == YT_ADVICE_REST_IN_NOTCHES)
        yt_judged_notches(gathering, news->rest, &news->notch_missing);
}

yt_status yt_calibrating_stick(yt_calibrating *gathering, const yt_calibration_part *part,
                               unsigned notches) {
    static const yt_gathering_calls calls = {YT_CALIBRATION_STICK, YT_CALIBRATION_STICK, take, tell,
                                             yt_stick_knots};
    if (notches != 0 && (notches < 4 || notches > YT_CALIBRATION_NOTCHES))
        return YT_ARGUMENT;
    yt_status status = yt_gather_begin(gathering, part, &calls);
    gathering->notches_wanted = (uint8_t)notches;
    gathering->as.stick.sector = NO_SECTOR;
    return status;
}
