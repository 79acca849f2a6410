/* Gathering a calibration: from reports to positions, and to the part's own kind. */
#include "calibration/gather.h"

#include <string.h>

#include "signal/angle.h"
#include "signal/scale.h"

_Static_assert(sizeof(yt_calibrating) <= 512 + 2 * sizeof(void *),
               "what is gathered takes half a kilobyte, and where to find the rest");
_Static_assert(sizeof(yt_calibration_knot) == 12 && YT_CALIBRATION_HEAD_BYTES == 108,
               "a record is the same bytes everywhere");

static bool is_motion(const yt_calibrating *gathering) {
    return gathering->part.kind >= YT_CALIBRATION_GYRO;
}

yt_status yt_gather_begin(yt_calibrating *gathering, const yt_calibration_part *part,
                          const yt_gathering_calls *calls) {
    if (!yt_calibration_part_is_good(part) || part->kind < calls->first || part->kind > calls->last)
        return YT_ARGUMENT;
    memset(gathering, 0, sizeof *gathering);
    gathering->part = *part;
    gathering->calls = calls;
    return YT_OK;
}

/* In 1 / 16384 about the middle of the range; of motion in counts, of 16 bits at most. */
static int16_t position(const yt_calibrating *gathering, unsigned control, int32_t raw) {
    const yt_calibration_place *place = &gathering->part.places[control];
    if (is_motion(gathering))
        return (int16_t)(raw < INT16_MIN ? INT16_MIN : raw > INT16_MAX ? INT16_MAX : raw);
    yt_q16 share =
        yt_scale_share(yt_calibration_side(place), (uint32_t)raw - (uint32_t)place->minimum);
    return (int16_t)((share + 1) / 2 - YT_WHOLE_RANGE);
}

/* Many devices say nothing while nothing changes: what was told last holds until the next report,
 * up to a pause after which nobody knows. */
static void take_held(yt_calibrating *gathering, uint32_t now_us) {
    uint32_t last_us = gathering->still.last_us, since_us = now_us - last_us;
    int16_t held[YT_CALIBRATION_CONTROLS];
    memcpy(held, gathering->still.last, sizeof held);
    if (since_us <= YT_HOLD_US)
        return;
    uint32_t end_us = since_us < YT_PAUSE_US ? since_us : YT_PAUSE_US;
    for (uint32_t after_us = YT_HOLD_US / 2; after_us < end_us; after_us += YT_HOLD_US / 2)
        gathering->calls->take(gathering, held, last_us + after_us);
}

static uint16_t one_more(uint16_t count) {
    return count < UINT16_MAX ? (uint16_t)(count + 1) : count;
}

void yt_calibrating_report(yt_calibrating *gathering, const uint8_t *bytes, size_t size,
                           uint64_t now_us) {
    const yt_calibration_part *part = &gathering->part;
    int16_t at[YT_CALIBRATION_CONTROLS] = {0};
    uint32_t now = (uint32_t)now_us;
    if (part->places[0].report_id != 0) {
        if (size == 0 || bytes[0] != part->places[0].report_id)
            return;
        bytes++;
        size--;
    }
    if (size < yt_calibration_part_bytes(part))
        return;
    for (unsigned i = 0; i < yt_calibration_count(part->kind); i++) {
        int32_t raw;
        if (!yt_calibration_raw(part, i, bytes, size, &raw))
            return;
        at[i] = position(gathering, i, raw);
    }
    if (!gathering->has_begun) {
        gathering->has_begun = true;
        yt_still_begin(&gathering->still, at, now);
        gathering->still.last_us = now;
    } else if ((int32_t)(now - gathering->still.last_us) < 0) {
        gathering->backwards = one_more(gathering->backwards);
        yt_still_begin(&gathering->still, at, now);
        gathering->still.last_us = now;
    } else if (now - gathering->still.last_us > YT_PAUSE_US) {
        gathering->gaps = one_more(gathering->gaps);
        take_held(gathering, now);
        yt_still_begin(&gathering->still, at, now);
    } else {
        take_held(gathering, now);
    }
    gathering->calls->take(gathering, at, now);
}

void yt_calibrating_tell(const yt_calibrating *gathering, yt_calibration_news *news) {
    memset(news, 0, sizeof *news);
    news->gaps = gathering->gaps;
    news->backwards = gathering->backwards;
    news->notch_missing = -1;
    memcpy(news->at, gathering->still.last, sizeof news->at);
    if (!gathering->has_begun) {
        news->state = YT_CALIBRATING_WAITS;
        news->advice = YT_ADVICE_SILENT;
        return;
    }
    news->state = YT_CALIBRATING_GATHERS;
    gathering->calls->tell(gathering, news);
    if (news->advice == YT_ADVICE_DONE)
        news->state = YT_CALIBRATING_ENOUGH;
    else if (news->advice >= YT_ADVICE_SHAKEN)
        news->state = YT_CALIBRATING_FAILED;
}

yt_status yt_calibrating_end(const yt_calibrating *gathering, yt_calibration *record) {
    yt_calibration_news news;
    yt_calibrating_tell(gathering, &news);
    if (news.state != YT_CALIBRATING_ENOUGH)
        return YT_CALIBRATION_UNFINISHED;
    memset(record, 0, YT_CALIBRATION_HEAD_BYTES);
    record->magic = YT_CALIBRATION_MAGIC;
    record->version = YT_CALIBRATION_VERSION;
    record->part = gathering->part;
    record->noise = gathering->noise;
    bool is_good = gathering->calls->end(gathering, record);
    record->bytes =
        (uint16_t)(YT_CALIBRATION_HEAD_BYTES + record->knots * sizeof(yt_calibration_knot));
    record->checksum = yt_checksum(0, &record->bytes, record->bytes - 8u);
    if (!is_good || yt_calibration_check(record, record->bytes) != YT_OK) {
        record->magic = 0;
        return YT_CALIBRATION_UNFINISHED;
    }
    return YT_OK;
}

yt_q16 yt_direction_of(int x, int y, yt_q16 *length) {
    return yt_angle_of(x * 4, y * 4, length);
}
