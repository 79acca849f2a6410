/* Levels and axes: where they rest, and how far out they go. */
#include "calibration/gather.h"

#define WINDOW_US 200000u
#define MOVES     819  /* 5% of half the range: it does not stand still */
#define HARDLY    1638 /* a twentieth of the range */

/* The middle of what was seen so far, or of the rests. */
static int rest_of(const yt_calibrating *gathering) {
    bool is_free = gathering->part.flags & YT_CALIBRATION_FREE;
    if (is_free)
        return (gathering->as.line.lowest + gathering->as.line.highest) / 2;
    return yt_median(gathering->as.line.rest, gathering->rests, 1);
}

static int middle_of_three(int a, int b, int c) {
    int low = a < b ? a : b, high = a < b ? b : a;
    return c < low ? low : c > high ? high : c;
}

/* It was far out, and is back: how far that was. Of many the last three count. */
static void note_end(yt_calibrating *gathering) {
    unsigned side = gathering->as.line.is_out - 1u;
    uint8_t *count = &gathering->as.line.ends[side];
    int16_t *ends = gathering->as.line.end[side];
    if (*count == 3) {
        ends[0] = ends[1];
        ends[1] = ends[2];
        *count = 2;
    }
    ends[(*count)++] = gathering->as.line.farthest;
}

/* Out beyond a quarter of the way that is known, until it is back within an eighth of it. One
 * number alone, which a crackling part gives, is none. */
static void follow(yt_calibrating *gathering, int at) {
    int steady = middle_of_three(at, gathering->as.line.past[0], gathering->as.line.past[1]);
    gathering->as.line.past[1] = gathering->as.line.past[0];
    gathering->as.line.past[0] = (int16_t)at;
    if (gathering->as.line.seen < 3) {
        gathering->as.line.seen++;
        gathering->as.line.lowest = gathering->as.line.highest = (int16_t)at;
        return;
    }
    if (steady < gathering->as.line.lowest)
        gathering->as.line.lowest = (int16_t)steady;
    if (steady > gathering->as.line.highest)
        gathering->as.line.highest = (int16_t)steady;
    int whole = gathering->as.line.highest - gathering->as.line.lowest;
    int off = steady - rest_of(gathering), size = off < 0 ? -off : off;
    unsigned side = off < 0 ? 1 : 2;
    if (gathering->rests == 0 && !(gathering->part.flags & YT_CALIBRATION_FREE))
        return;
    if (gathering->as.line.is_out && (side != gathering->as.line.is_out || size < whole / 8)) {
        note_end(gathering);
        gathering->as.line.is_out = 0;
    }
    if (size < whole / 4 || size < HARDLY)
        return;
    bool is_farther =
        side == 1 ? steady < gathering->as.line.farthest : steady > gathering->as.line.farthest;
    if (gathering->as.line.is_out != side || is_farther)
        gathering->as.line.farthest = (int16_t)steady;
    gathering->as.line.is_out = (uint8_t)side;
}

/* The first place where it stands still is its rest, and what is near that, at each time that it
 * comes back at most three. */
static void note_rest(yt_calibrating *gathering, int at, unsigned spread) {
    int off = at - yt_median(gathering->as.line.rest, gathering->rests, 1);
    if (gathering->rests > 0 && (off > YT_WHOLE_RANGE / 8 || off < -YT_WHOLE_RANGE / 8))
        return;
    if (gathering->in_one >= 3 && gathering->rests >= 3)
        return;
    gathering->in_one++;
    gathering->as.line.rest[gathering->next] = (int16_t)at;
    gathering->next = gathering->next + 1 < YT_CALIBRATING_RESTS ? gathering->next + 1u : 0;
    if (gathering->rests < YT_CALIBRATING_RESTS)
        gathering->rests++;
    if (gathering->noise == 0 || spread < gathering->noise)
        gathering->noise = (uint16_t)spread;
}

static void take(yt_calibrating *gathering, const int16_t *at, uint32_t now_us) {
    int16_t mean;
    uint16_t spread;
    bool moved;
    if (yt_still_give(&gathering->still, 1, at, now_us, WINDOW_US, MOVES, &mean, &spread, &moved))
        note_rest(gathering, mean, spread);
    if (moved)
        gathering->in_one = 0;
    follow(gathering, at[0]);
}

/* Of three the middle one; of two the nearer, which both reach. */
static int end_of(const yt_calibrating *gathering, unsigned side) {
    const int16_t *ends = gathering->as.line.end[side];
    if (gathering->as.line.ends[side] == 3)
        return middle_of_three(ends[0], ends[1], ends[2]);
    return side == 0 ? (ends[0] > ends[1] ? ends[0] : ends[1])
                     : (ends[0] < ends[1] ? ends[0] : ends[1]);
}

/* Of a level: to which side it is pressed; that to which it went more often. */
static unsigned full_side(const yt_calibrating *gathering) {
    return gathering->as.line.ends[0] > gathering->as.line.ends[1] ? 0 : 1;
}

static void tell(const yt_calibrating *gathering, yt_calibration_news *news) {
    bool is_level = gathering->part.kind == YT_CALIBRATION_LEVEL;
    bool is_free = gathering->part.flags & YT_CALIBRATION_FREE;
    unsigned rests = is_free ? 3 : gathering->rests < 3 ? gathering->rests : 3;
    unsigned low = gathering->as.line.ends[0], high = gathering->as.line.ends[1];
    unsigned side = full_side(gathering), full = gathering->as.line.ends[side];
    news->rest[0] = (int16_t)rest_of(gathering);
    if (is_level) {
        news->covered = full >= 2 ? 2 : 0;
        news->percent = (uint8_t)(rests * 10 + (full < 2 ? full : 2) * 35);
        news->advice = rests < 3 ? YT_ADVICE_LET_GO : full < 2 ? YT_ADVICE_PRESS : YT_ADVICE_DONE;
    } else {
        news->covered = (low >= 2 ? 1u : 0) | (high >= 2 ? 2u : 0);
        news->percent =
            (uint8_t)(rests * 10 + (low < 2 ? low : 2) * 17 + (high < 2 ? high : 2) * 18);
        news->advice = rests < 3             ? YT_ADVICE_LET_GO
                       : low < 2 || high < 2 ? YT_ADVICE_GO_TO_ENDS
                                             : YT_ADVICE_DONE;
    }
    if (news->advice != YT_ADVICE_DONE)
        return;
    int rest = news->rest[0];
    int below = rest - end_of(gathering, 0), above = end_of(gathering, 1) - rest;
    if (is_level ? (side ? above : below) < HARDLY : below < HARDLY || above < HARDLY)
        news->advice = YT_ADVICE_HARDLY_MOVES;
    else if (!is_level && (below > 4 * above || above > 4 * below))
        news->advice = YT_ADVICE_FAR_CENTRE;
}

static int32_t raw_of(const yt_calibration_place *place, int position) {
    int64_t span = (int64_t)place->maximum - place->minimum;
    return (int32_t)(place->minimum +
                     ((span * (position + YT_WHOLE_RANGE) + YT_WHOLE_RANGE) >> 15));
}

static bool end(const yt_calibrating *gathering, yt_calibration *record) {
    const yt_calibration_place *place = &gathering->part.places[0];
    record->rest[0] = raw_of(place, rest_of(gathering));
    if (gathering->part.kind == YT_CALIBRATION_LEVEL) {
        record->high[0] = raw_of(place, end_of(gathering, full_side(gathering)));
        return true;
    }
    record->low[0] = raw_of(place, end_of(gathering, 0));
    record->high[0] = raw_of(place, end_of(gathering, 1));
    return true;
}

yt_status yt_calibrating_line(yt_calibrating *gathering, const yt_calibration_part *part) {
    static const yt_gathering_calls calls = {YT_CALIBRATION_AXIS, YT_CALIBRATION_LEVEL, take, tell,
                                             end};
    return yt_gather_begin(gathering, part, &calls);
}
