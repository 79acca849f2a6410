/* Records of calibrations: whether one can be used, and which part it is of. */
#include <stddef.h>
#include <string.h>

#include "calibration/gather.h"
#include "signal/fixed.h"
#include "signal/scale.h"

/* A turn less than this is nothing: what would be twice as long as a rim is no rim. */
#define MOST_KNOT    10922 /* of a rim, in 1 / 8192 */
#define LEAST_INSIDE 32769 /* 2^47 by that still fits into 32 bits */

unsigned yt_calibration_count(unsigned kind) {
    static const uint8_t counts[] = {0, 2, 1, 1, 3, 3};
    return kind < sizeof counts ? counts[kind] : 0;
}

static bool is_good_place(const yt_calibration_place *place) {
    return place->bits >= 2 && place->bits <= 32 && place->minimum < place->maximum &&
           place->bit <= UINT16_MAX - 32;
}

bool yt_calibration_part_is_good(const yt_calibration_part *part) {
    unsigned count = yt_calibration_count(part->kind);
    for (unsigned i = 0; i < count; i++)
        if (!is_good_place(&part->places[i]) ||
            part->places[i].report_id != part->places[0].report_id)
            return false;
    bool is_free = part->flags & YT_CALIBRATION_FREE;
    return count > 0 && (!is_free || part->kind == YT_CALIBRATION_AXIS);
}

size_t yt_calibration_part_bytes(const yt_calibration_part *part) {
    size_t bytes = 0;
    for (unsigned i = 0; i < yt_calibration_count(part->kind); i++) {
        size_t end = (part->places[i].bit + 7u + part->places[i].bits) / 8;
        bytes = end > bytes ? end : bytes;
    }
    return bytes;
}

bool yt_calibration_within(const yt_calibration_part *part, unsigned control, int64_t number,
                           int32_t *raw) {
    const yt_calibration_place *place = &part->places[control];
    bool is_outside = number < place->minimum || number > place->maximum;
    *raw = number < place->minimum   ? place->minimum
           : number > place->maximum ? place->maximum
                                     : (int32_t)number;
    return !is_outside || !(part->flags & YT_CALIBRATION_NULL);
}

bool yt_calibration_raw(const yt_calibration_part *part, unsigned control, const uint8_t *bytes,
                        size_t size, int32_t *raw) {
    const yt_calibration_place *place = &part->places[control];
    int64_t number = yt_hid_number(yt_hid_get(bytes, size, place->bit, place->bits), place->bits,
                                   part->flags >> control & 1);
    return yt_calibration_within(part, control, number, raw);
}

yt_scale_side yt_calibration_side(const yt_calibration_place *place) {
    return yt_scale_side_of((int64_t)place->maximum - place->minimum);
}

int32_t yt_quotient(int64_t number, uint32_t by) {
    uint64_t size = number < 0 ? 0u - (uint64_t)number : (uint64_t)number, rest = 0, quotient = 0;
    size += by / 2;
    for (unsigned bit = 64; bit-- > 0;) {
        rest = rest << 1 | (size >> bit & 1);
        quotient <<= 1;
        if (rest >= by) {
            rest -= by;
            quotient |= 1;
        }
    }
    quotient = quotient < INT32_MAX ? quotient : INT32_MAX;
    return number < 0 ? -(int32_t)quotient : (int32_t)quotient;
}

bool yt_calibration_is_of(const yt_calibration_part *a, const yt_calibration_part *b) {
    if (a->kind != b->kind || a->vendor != b->vendor || a->product != b->product ||
        a->serial != b->serial || a->bus != b->bus)
        return false;
    if (a->serial == 0 && a->connector != b->connector)
        return false;
    for (unsigned i = 0; i < yt_calibration_count(a->kind); i++)
        if (a->places[i].bit != b->places[i].bit || a->places[i].bits != b->places[i].bits ||
            a->places[i].report_id != b->places[i].report_id)
            return false;
    return true;
}

void yt_calibration_widen(yt_calibration_part *part, unsigned control) {
    yt_calibration_place *place = &part->places[control];
    bool is_signed = part->flags >> control & 1;
    int64_t more = ((int64_t)place->maximum - place->minimum) >> 2;
    int64_t most = ((int64_t)1 << (place->bits - is_signed)) - 1, least = is_signed ? -most - 1 : 0;
    most = most < INT32_MAX ? most : INT32_MAX;
    least = place->minimum - more > least ? place->minimum - more : least;
    most = place->maximum + more < most ? place->maximum + more : most;
    place->minimum = (int32_t)least;
    place->maximum = (int32_t)most;
}

static uint32_t sum_of(const char *text) {
    size_t length = 0;
    while (text && text[length])
        length++;
    return length ? yt_checksum(0, text, length) : 0;
}

void yt_calibration_part_of(yt_calibration_part *part, const yt_device *device) {
    bool is_board = device->bus == YT_BUS_BOARD;
    part->vendor = device->vendor;
    part->product = device->product;
    part->bus = device->bus;
    part->connector = device->connector;
    part->serial = sum_of(is_board ? device->name : device->serial);
}

bool yt_calibration_is_on(const yt_calibration_part *part, const yt_device *device) {
    yt_calibration_part there = *part;
    yt_calibration_part_of(&there, device);
    return yt_calibration_is_of(part, &there);
}

static int32_t cross(const yt_calibration_knot *a, const yt_calibration_knot *b) {
    return a->x * b->y - a->y * b->x;
}

uint32_t yt_knot_inverse(const yt_calibration_knot *knot, const yt_calibration_knot *next) {
    int32_t inside = cross(knot, next);
    return inside < LEAST_INSIDE ? 0 : yt_power_by(47, (uint32_t)inside);
}

static bool is_left(int x, int y) {
    return x < 0 || (x == 0 && y > 0);
}

/* What the knots come to is a way once around, in their order, that goes on to the right, and so is
 * what they are to be. */
static bool are_good_knots(const yt_calibration *record) {
    unsigned count = record->knots, halves = 0, out_halves = 0;
    if (count < 3 || count > YT_CALIBRATION_KNOTS || is_left(record->knot[0].x, record->knot[0].y))
        return false;
    for (unsigned i = 0; i < count; i++) {
        const yt_calibration_knot *knot = &record->knot[i],
                                  *next = &record->knot[i + 1 < count ? i + 1 : 0];
        int32_t reach = knot->out_x * knot->out_x + knot->out_y * knot->out_y;
        if (knot->x < -MOST_KNOT || knot->x > MOST_KNOT || knot->y < -MOST_KNOT ||
            knot->y > MOST_KNOT)
            return false;
        if (knot->inverse == 0 || knot->inverse != yt_knot_inverse(knot, next))
            return false;
        if (reach < YT_WHOLE_RANGE * (YT_WHOLE_RANGE / 100 * 96) ||
            reach > YT_WHOLE_RANGE * (YT_WHOLE_RANGE / 100 * 105))
            return false;
        if (knot->out_x * next->out_y - knot->out_y * next->out_x <= 0)
            return false;
        halves += is_left(knot->x, knot->y) != is_left(next->x, next->y);
        out_halves += is_left(knot->out_x, knot->out_y) != is_left(next->out_x, next->out_y);
    }
    return halves == 2 && out_halves == 2;
}

static bool is_within(const yt_calibration_place *place, int32_t number) {
    return number >= place->minimum && number <= place->maximum;
}

static int64_t apart(int32_t a, int32_t b) {
    int64_t apart = (int64_t)a - b;
    return apart < 0 ? -apart : apart;
}

/* A twentieth of the range at least. */
static bool is_wide(const yt_calibration_place *place, int32_t from, int32_t to) {
    return 20 * apart(from, to) >= (int64_t)place->maximum - place->minimum;
}

static bool are_good_numbers(const yt_calibration *record) {
    const yt_calibration_place *place = record->part.places;
    const int32_t *rest = record->rest, *low = record->low, *high = record->high;
    switch (record->part.kind) {
    case YT_CALIBRATION_STICK:
        return apart(rest[0], 0) <= YT_ONE / 2 && apart(rest[1], 0) <= YT_ONE / 2 &&
               are_good_knots(record);
    case YT_CALIBRATION_AXIS:
        return is_within(place, low[0]) && is_within(place, high[0]) && low[0] < rest[0] &&
               rest[0] < high[0] && is_wide(place, low[0], rest[0]) &&
               is_wide(place, rest[0], high[0]);
    case YT_CALIBRATION_LEVEL:
        return is_within(place, rest[0]) && is_within(place, high[0]) &&
               is_wide(place, rest[0], high[0]);
    default:
        if (record->part.unit_q24 <= 0 || record->part.unit_q24 > 1 << 30)
            return false;
        for (unsigned i = 0; i < 3; i++) {
            bool is_gyro = record->part.kind == YT_CALIBRATION_GYRO;
            if (!is_within(&place[i], rest[i] / 256) || apart(rest[i], 0) > 1 << 30)
                return false;
            if (is_gyro && (high[i] < YT_ONE / 2 || high[i] > 2 * YT_ONE))
                return false;
            if (!is_gyro && high[i] != 0 && high[i] < 256)
                return false;
        }
        return true;
    }
}

yt_status yt_calibration_check(const void *bytes, size_t size) {
    const yt_calibration *record = (const yt_calibration *)bytes;
    if ((uintptr_t)bytes % 4 != 0)
        return YT_ARGUMENT;
    if (size < YT_CALIBRATION_HEAD_BYTES || record->magic != YT_CALIBRATION_MAGIC)
        return YT_CALIBRATION_FOREIGN;
    if (record->version != YT_CALIBRATION_VERSION)
        return YT_CALIBRATION_NEWER;
    if (record->bytes > size || record->bytes < YT_CALIBRATION_HEAD_BYTES)
        return YT_CALIBRATION_FOREIGN;
    if (record->checksum != yt_checksum(0, &record->bytes, record->bytes - 8u))
        return YT_CALIBRATION_CHECKSUM;
    bool is_stick = record->part.kind == YT_CALIBRATION_STICK;
    size_t whole = YT_CALIBRATION_HEAD_BYTES + (size_t)record->knots * sizeof(yt_calibration_knot);
    if (record->bytes != whole || (!is_stick && record->knots != 0) ||
        !yt_calibration_part_is_good(&record->part) || !are_good_numbers(record))
        return YT_CALIBRATION_VALUES;
    return YT_OK;
}
