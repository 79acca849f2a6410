/* From the points of a rim and its notches to the knots of a record.
 *
 * A point of a sector is the mean of a pass, so it lies on the rim where that is straight. Where a
 * rim has a corner it lies inside; if it is straight on both sides, the corner is where these lines
 * meet. Angles stay as they are, unless the gate has notches: then each notch gets its own, and
 * what lies between follows by cubic Hermite curves whose slopes at the notches are the means of
 * those on both sides (F. Fritsch and R. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM
 * Journal on Numerical Analysis 17(2), 1980: monotone, as no slope is above three times another).
 */
#include <string.h>

#include "calibration/gather.h"
#include "signal/angle.h"
#include "signal/fixed.h"

#define SECTORS  YT_CALIBRATION_SECTORS
#define TOO_NEAR (2 * YT_ONE) /* degrees: knots so near are one */
#define BESIDE   (4 * YT_ONE) /* of a notch: the rim there is left out */

/* A point, from the rest, in 1 / 8192. */
typedef struct point {
    int16_t x, y;
} point;

/* How far out the rim is to the right, below, to the left and above. What a stick's axes make of a
 * way need not be the same, so angles are told after each was put right. */
typedef struct reach {
    int16_t right, down, left, up;
} reach;

/* The notches of a gate, in their order, and what their angles are to be. */
typedef struct notches {
    reach rim;
    unsigned count;
    yt_q16 spacing;
    yt_q16 angle[YT_CALIBRATION_NOTCHES];
    yt_q16 target[YT_CALIBRATION_NOTCHES];
    point at[YT_CALIBRATION_NOTCHES];
} notches;

static point from_rest(const int16_t at[2], const int16_t rest[2]) {
    return (point){(int16_t)((at[0] - rest[0]) / 2), (int16_t)((at[1] - rest[1]) / 2)};
}

static yt_q16 direction(point point, yt_q16 *length) {
    return yt_direction_of(point.x * 2, point.y * 2, length);
}

static int16_t of_reach(int16_t way, int16_t above, int16_t below) {
    int16_t reach = way < 0 ? below : above;
    return reach > 0 ? (int16_t)yt_quotient((int64_t)way * 4096, (uint16_t)reach) : way;
}

/* From straight up, as a hand sees it. */
static yt_q16 true_angle(const reach *reach, point at) {
    yt_q16 length;
    point right = {of_reach(at.x, reach->right, reach->left),
                   of_reach(at.y, reach->down, reach->up)};
    return direction(right, &length);
}

static reach read_reach(const yt_calibrating *gathering, const int16_t rest[2]) {
    reach reach = {0, 0, 0, 0};
    int16_t at[2];
    if (yt_rim_point(gathering, SECTORS / 4, rest, at))
        reach.right = from_rest(at, rest).x;
    if (yt_rim_point(gathering, SECTORS / 2, rest, at))
        reach.down = from_rest(at, rest).y;
    if (yt_rim_point(gathering, SECTORS * 3 / 4, rest, at))
        reach.left = (int16_t)-from_rest(at, rest).x;
    if (yt_rim_point(gathering, 0, rest, at))
        reach.up = (int16_t)-from_rest(at, rest).y;
    return reach;
}

static void read_notches(const yt_calibrating *gathering, const int16_t rest[2], notches *notches) {
    notches->count = 0;
    notches->rim = read_reach(gathering, rest);
    notches->spacing = (yt_q16)yt_quotient(YT_TURN, gathering->notches_wanted);
    for (unsigned i = 0; i < gathering->as.stick.notches; i++) {
        int16_t at[2];
        yt_unpacked(gathering->as.stick.notch[i], at);
        point point = from_rest(at, rest);
        yt_q16 angle = true_angle(&notches->rim, point);
        unsigned k = notches->count++;
        for (; k > 0 && notches->angle[k - 1] > angle; k--) {
            notches->angle[k] = notches->angle[k - 1];
            notches->at[k] = notches->at[k - 1];
        }
        notches->angle[k] = angle;
        notches->at[k] = point;
    }
}

static unsigned after(unsigned i, unsigned count) {
    return i + 1 < count ? i + 1 : 0;
}

/* From a notch to the next one. */
static yt_q16 gap_after(const notches *notches, unsigned i) {
    yt_q16 gap = notches->angle[after(i, notches->count)] - notches->angle[i];
    return gap > 0 ? gap : gap + YT_TURN;
}

/* One of the gate's notches points straight up; which of those that were seen is the one, follows
 * from where all are. */
static void aim(notches *notches) {
    int64_t off = 0;
    for (unsigned i = 0; i < notches->count; i++)
        off += notches->angle[i] - (yt_q16)i * notches->spacing;
    off = yt_quotient(off, notches->count);
    yt_q16 first = 0;
    for (; off > notches->spacing / 2; off -= notches->spacing)
        first += notches->spacing;
    for (; off < -notches->spacing / 2; off += notches->spacing)
        first -= notches->spacing;
    for (unsigned i = 0; i < notches->count; i++)
        notches->target[i] = first + (yt_q16)i * notches->spacing;
}

static int16_t degrees(yt_q16 angle) {
    yt_q16 whole = yt_angle_whole(angle);
    return (int16_t)((whole + YT_ONE / 2) >> 16);
}

/* Whether a notch is as far out as the rim beside it. */
static bool is_on_rim(const yt_calibrating *gathering, const int16_t rest[2], point at) {
    unsigned sector = 0;
    int16_t beside[2];
    yt_q16 length, rim, angle = direction(at, &length);
    for (angle += YT_TURN / SECTORS / 2; angle >= YT_TURN / SECTORS; angle -= YT_TURN / SECTORS)
        sector++;
    if (!yt_rim_point(gathering, sector % SECTORS, rest, beside))
        return true;
    direction(from_rest(beside, rest), &rim);
    return length > rim - rim / 8 - rim / 32;
}

uint8_t yt_judged_notches(const yt_calibrating *gathering, const int16_t rest[2], int16_t *where) {
    notches notches;
    unsigned widest = 0, nearest = 0;
    read_notches(gathering, rest, &notches);
    for (unsigned i = 0; i < notches.count; i++) {
        if (gap_after(&notches, i) > gap_after(&notches, widest))
            widest = i;
        if (gap_after(&notches, i) < gap_after(&notches, nearest))
            nearest = i;
    }
    for (unsigned i = 0; i < notches.count; i++)
        if (!is_on_rim(gathering, rest, notches.at[i])) {
            *where = degrees(notches.angle[i]);
            return YT_ADVICE_NOTCH_PLACE;
        }
    yt_q16 gap = gap_after(&notches, widest);
    if (gap > notches.spacing + notches.spacing / 2) {
        *where = degrees(notches.angle[widest] + gap / 2);
        return YT_ADVICE_NOTCH_MISSING;
    }
    if (gap_after(&notches, nearest) < notches.spacing / 2) {
        *where = degrees(notches.angle[nearest] + gap_after(&notches, nearest) / 2);
        return YT_ADVICE_NOTCH_TWICE;
    }
    if (notches.count < gathering->notches_wanted)
        return YT_ADVICE_REST_IN_NOTCHES;
    aim(&notches);
    for (unsigned i = 0; i < notches.count; i++) {
        yt_q16 off = notches.angle[i] - notches.target[i];
        if (off > notches.spacing / 8 * 3 || off < -notches.spacing / 8 * 3) {
            *where = degrees(notches.angle[i]);
            return YT_ADVICE_NOTCH_PLACE;
        }
    }
    return YT_ADVICE_DONE;
}

static int32_t cross(point a, point b) {
    return a.x * b.y - a.y * b.x;
}

static point between(point from, point to) {
    return (point){(int16_t)(to.x - from.x), (int16_t)(to.y - from.y)};
}

static bool is_straight(point a, point b, point c) {
    point first = between(a, b), second = between(b, c);
    int32_t along = first.x * second.x + first.y * second.y, turn = cross(first, second);
    return along > 0 && (turn < 0 ? -turn : turn) < along / 64 * 6; /* 5.4 degrees */
}

/* Where the line from a to b meets the one from c to d, beyond b; false: nowhere near. */
static bool meets(point a, point b, point c, point d, point *at) {
    point first = between(a, b), second = between(c, d);
    int32_t inside = cross(first, second), part = cross(between(a, c), second);
    if (inside == 0)
        return false;
    if (inside < 0) {
        inside = -inside;
        part = -part;
    }
    int64_t share = yt_quotient((int64_t)part * 4096, (uint32_t)inside);
    if (share < 4096 || share > 5 * 4096)
        return false;
    at->x = (int16_t)(a.x + first.x * share / 4096);
    at->y = (int16_t)(a.y + first.y * share / 4096);
    return true;
}

/* Of a sector: the corner of the rim that is in it; false: there is none. */
static bool find_corner(const point rim[SECTORS], unsigned sector, point *corner) {
    point near[7];
    yt_q16 length, reach, own;
    for (unsigned i = 0; i < 7; i++)
        near[i] = rim[(sector + SECTORS + i - 3) % SECTORS];
    if (!is_straight(near[0], near[1], near[2]) || !is_straight(near[4], near[5], near[6]) ||
        is_straight(near[2], near[3], near[4]) ||
        !meets(near[1], near[2], near[5], near[4], corner))
        return false;
    own = (yt_q16)sector * (YT_TURN / SECTORS);
    yt_q16 off = yt_angle_whole(direction(*corner, &reach) - own + YT_TURN / 2) - YT_TURN / 2;
    direction(near[3], &length);
    return off > -YT_TURN / SECTORS * 7 / 10 && off < YT_TURN / SECTORS * 7 / 10 &&
           reach > length && reach < length + length / 4 + length / 16;
}

/* What an angle of the rim is to be. */
static yt_q16 mapped(const notches *notches, yt_q16 angle) {
    unsigned i = 0, count = notches->count;
    if (count == 0)
        return angle;
    while (i + 1 < count && notches->angle[i + 1] <= angle)
        i++;
    if (angle < notches->angle[0])
        i = count - 1;
    yt_q16 gap = gap_after(notches, i), off = angle - notches->angle[i];
    off = off < 0 ? off + YT_TURN : off;
    yt_q16 t = yt_quotient((int64_t)off << 16, (uint32_t)gap), u = YT_ONE - t;
    unsigned of[3] = {(i > 0 ? i : count) - 1, i, after(i, count)};
    yt_q16 slope[3];
    for (unsigned k = 0; k < 3; k++)
        slope[k] =
            yt_quotient((int64_t)notches->spacing << 16, (uint32_t)gap_after(notches, of[k]));
    yt_q16 begins = yt_q16_multiply((slope[0] + slope[1]) / 2, gap);
    yt_q16 ends = yt_q16_multiply((slope[1] + slope[2]) / 2, gap);
    yt_q16 t2 = yt_q16_multiply(t, t), u2 = yt_q16_multiply(u, u);
    return notches->target[i] + yt_q16_multiply(begins, yt_q16_multiply(t, u2)) -
           yt_q16_multiply(ends, yt_q16_multiply(t2, u)) +
           yt_q16_multiply(notches->spacing, yt_q16_multiply(t2, 3 * YT_ONE - 2 * t));
}

/* The knots while they are put in order. */
typedef struct rim {
    unsigned count;
    yt_q16 angle[YT_CALIBRATION_KNOTS];
    yt_calibration_knot *knot;
} rim;

static void add_knot(rim *rim, point at) {
    yt_q16 length, angle = direction(at, &length);
    unsigned k = rim->count;
    if (k == YT_CALIBRATION_KNOTS)
        return;
    for (; k > 0 && rim->angle[k - 1] > angle; k--) {
        rim->angle[k] = rim->angle[k - 1];
        rim->knot[k] = rim->knot[k - 1];
    }
    rim->angle[k] = angle;
    rim->knot[k].x = at.x;
    rim->knot[k].y = at.y;
    rim->count++;
}

static yt_q16 turn_between(yt_q16 a, yt_q16 b) {
    yt_q16 apart = yt_angle_whole(a - b);
    return apart > YT_TURN / 2 ? YT_TURN - apart : apart;
}

/* Whether there is a knot so near to an angle. */
static bool has_near(const rim *rim, yt_q16 angle, yt_q16 near) {
    for (unsigned i = 0; i < rim->count; i++)
        if (turn_between(rim->angle[i], angle) < near)
            return true;
    return false;
}

static bool read_rim(const yt_calibrating *gathering, const int16_t rest[2],
                     point points[SECTORS]) {
    for (unsigned i = 0; i < SECTORS; i++) {
        int16_t at[2];
        if (!yt_rim_point(gathering, i, rest, at))
            return false;
        points[i] = from_rest(at, rest);
    }
    return true;
}

/* Notches first, then corners, then what the rim is elsewhere. */
static void add_knots(rim *rim, const notches *notches, const point points[SECTORS]) {
    point corner;
    yt_q16 length;
    uint32_t is_corner = 0;
    for (unsigned i = 0; i < notches->count; i++)
        add_knot(rim, notches->at[i]);
    for (unsigned i = 0; i < SECTORS; i++) {
        if (!find_corner(points, i, &corner))
            continue;
        is_corner |= UINT32_C(1) << i;
        if (!has_near(rim, direction(corner, &length), BESIDE))
            add_knot(rim, corner);
    }
    for (unsigned i = 0; i < SECTORS; i++) {
        yt_q16 angle = direction(points[i], &length);
        if (!(is_corner >> i & 1) && !has_near(rim, angle, notches->count ? BESIDE : TOO_NEAR))
            add_knot(rim, points[i]);
    }
}

bool yt_stick_knots(const yt_calibrating *gathering, yt_calibration *record) {
    int16_t rest[2];
    point points[SECTORS];
    notches notches = {.count = 0};
    rim rim = {.knot = record->knot};
    yt_stick_rest(gathering, rest);
    if (!read_rim(gathering, rest, points))
        return false;
    notches.rim = read_reach(gathering, rest);
    if (gathering->notches_wanted) {
        read_notches(gathering, rest, &notches);
        aim(&notches);
    }
    memset(record->knot, 0, sizeof record->knot);
    add_knots(&rim, &notches, points);
    for (unsigned i = 0; i < rim.count; i++) {
        yt_q16 x = 0, y = -YT_ONE;
        point at = {rim.knot[i].x, rim.knot[i].y};
        yt_angle_turn(&x, &y, mapped(&notches, true_angle(&notches.rim, at)));
        rim.knot[i].out_x = (int16_t)((x + 2) >> 2);
        rim.knot[i].out_y = (int16_t)((y + 2) >> 2);
    }
    for (unsigned i = 0; i < rim.count; i++)
        rim.knot[i].inverse = yt_knot_inverse(&rim.knot[i], &rim.knot[after(i, rim.count)]);
    record->knots = (uint8_t)rim.count;
    record->notches = gathering->notches_wanted;
    record->rest[0] = rest[0] * 4;
    record->rest[1] = rest[1] * 4;
    record->frequency = record->damping = 0;
    if (gathering->springs)
        gathering->springs->calls->found(gathering->springs, &record->frequency, &record->damping);
    return true;
}
