#include "tool/measuring.h"

#include "tool/straightness.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#define PI 3.14159265358979323846

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

/* Of sorted numbers that of which a share is smaller or as large. */
static double quantile(const double *sorted, size_t count, double share) {
    double at = ceil(share * (double)count) - 1;
    return sorted[at < 0 ? 0 : at >= (double)count ? count - 1 : (size_t)at];
}

/* ---- how reports come ---- */

void measure_rate(const uint64_t *times_us, const bool *moves, size_t count,
                  rate_measure *measure) {
    double *apart = calloc(count + 1, sizeof *apart);
    size_t intervals = 0;
    memset(measure, 0, sizeof *measure);
    measure->reports = count;
    if (!apart)
        abort();
    for (size_t i = 1; i < count; i++) {
        if (times_us[i] < times_us[i - 1])
            measure->backwards++;
        else {
            apart[intervals++] = (double)(times_us[i] - times_us[i - 1]);
            measure->seconds += apart[intervals - 1] / 1e6;
        }
    }
    if (intervals > 0) {
        qsort(apart, intervals, sizeof *apart, by_size);
        measure->middle = quantile(apart, intervals, 0.5);
        measure->low = quantile(apart, intervals, 0.01);
        measure->high = quantile(apart, intervals, 0.99);
        measure->longest = apart[intervals - 1];
    }
    measure->is_regular = measure->middle > 0 && measure->low > 0.6 * measure->middle &&
                          quantile(apart, intervals, 0.9) < 1.4 * measure->middle;
    for (size_t i = 1; i + 1 < count && measure->is_regular; i++) {
        double since = (double)times_us[i] - (double)times_us[i - 1];
        if (moves[i - 1] && moves[i] && moves[i + 1] && since > 1.6 * measure->middle &&
            since < 10.5 * measure->middle)
            measure->lost += (unsigned)lround(since / measure->middle) - 1;
    }
    free(apart);
}

/* ---- one part ---- */

typedef struct point {
    double time;
    double at[2];
    bool is_wrong, rests;
} point;

static double value_of(const device_part *part, const sample *sample, unsigned control) {
    return raw_value(&part->meaning[control], sample->raw[control]);
}

/* Alone far off its neighbours, two on each side, which are near one another: no hand and no spring
 * is so fast and then so still. */
static void find_wrong(point *points, size_t count, part_measure *measure) {
    for (size_t i = 2; i + 2 < count; i++)
        for (unsigned k = 0; k < 2 && !points[i].is_wrong; k++) {
            double low = 9, high = -9, at = points[i].at[k];
            for (size_t j = i - 2; j <= i + 2; j++) {
                low = j == i || points[j].is_wrong ? low : fmin(low, points[j].at[k]);
                high = j == i || points[j].is_wrong ? high : fmax(high, points[j].at[k]);
            }
            points[i].is_wrong = high - low < 0.04 && fmax(low - at, at - high) > 0.08;
            measure->wrong += points[i].is_wrong;
        }
}

#define STILL_S   0.25 /* it stands still for so long, */
#define STILL_IN  0.06 /* within so much at first, */
#define STILL_OF  9    /* then within so many times its noise, */
#define NEAR_REST 0.30 /* and so near to 0: it rests */

/* Whether nothing goes far between two points; wrong ones are passed over. */
static bool is_still(const point *points, size_t first, size_t last, double most) {
    double low[2] = {9, 9}, high[2] = {-9, -9};
    for (size_t k = first; k <= last; k++)
        for (unsigned a = 0; a < 2 && !points[k].is_wrong; a++) {
            low[a] = fmin(low[a], points[k].at[a]);
            high[a] = fmax(high[a], points[k].at[a]);
        }
    return high[0] - low[0] < most && high[1] - low[1] < most;
}

/* The noise of an axis between two points: one standard deviation. */
static double noise_between(const point *points, size_t first, size_t last, unsigned axis) {
    double sum = 0, squares = 0, count = 0;
    for (size_t k = first; k <= last; k++)
        if (!points[k].is_wrong) {
            sum += points[k].at[axis];
            count++;
        }
    for (size_t k = first; k <= last; k++)
        if (!points[k].is_wrong)
            squares += pow(points[k].at[axis] - sum / count, 2);
    return count > 1 ? sqrt(squares / (count - 1)) : 0;
}

/* Marks what is at rest: windows of time in which nothing goes farther than `most`. Where a device
 * is silent, what it told last holds. The noise is that of half of all windows or less. */
static void find_rests(point *points, size_t count, double most, part_measure *measure) {
    double *noises = calloc(2 * count + 2, sizeof *noises);
    size_t windows = 0;
    if (!noises)
        abort();
    for (size_t i = 0; i < count; i++)
        points[i].rests = false;
    for (size_t first = 0, last = 0; first < count; first++) {
        while (last < count && points[last].time - points[first].time < STILL_S)
            last++;
        if (last == count)
            break;
        size_t end = points[last].time - points[last - 1].time >= STILL_S / 2 ? last - 1 : last;
        double far = hypot(points[first].at[0], points[first].at[1]);
        if (far >= NEAR_REST || end < first || !is_still(points, first, end, most))
            continue;
        for (size_t k = first; k <= end; k++)
            points[k].rests = !points[k].is_wrong;
        if (end >= first + 4) {
            noises[windows] = noise_between(points, first, end, 0);
            noises[count + windows++] = noise_between(points, first, end, 1);
        }
        first += (end - first) / 4; /* the next window has most of this one */
    }
    for (unsigned a = 0; a < 2 && windows > 0; a++) {
        qsort(noises + a * count, windows, sizeof *noises, by_size);
        measure->noise[a] = quantile(noises + a * count, windows, 0.5);
    }
    free(noises);
}

/* Of all rests: the middle, the noise, how far from 0 they are. */
static void measure_rests(const point *points, size_t count, part_measure *measure) {
    double *list = calloc(3 * count + 3, sizeof *list), *far = list + count, *own = far + count;
    double whole = count ? points[count - 1].time - points[0].time : 0, early[2] = {0},
           late[2] = {0};
    size_t rests = 0, early_count = 0, late_count = 0;
    if (!list)
        abort();
    for (unsigned a = 0; a < 2; a++) {
        rests = 0;
        for (size_t i = 0; i < count; i++)
            if (points[i].rests)
                list[rests++] = points[i].at[a];
        if (rests == 0)
            break;
        qsort(list, rests, sizeof *list, by_size);
        measure->rest[a] = quantile(list, rests, 0.5);
    }
    measure->rests = rests;
    for (size_t i = 0, k = 0; i < count && rests > 0; i++) {
        if (!points[i].rests)
            continue;
        far[k] = hypot(points[i].at[0], points[i].at[1]);
        own[k++] = hypot(points[i].at[0] - measure->rest[0], points[i].at[1] - measure->rest[1]);
        bool is_early = points[i].time - points[0].time < whole / 4;
        bool is_late = points[i].time - points[0].time > 3 * whole / 4;
        for (unsigned a = 0; a < 2; a++) {
            early[a] += is_early ? points[i].at[a] : 0;
            late[a] += is_late ? points[i].at[a] : 0;
        }
        early_count += is_early;
        late_count += is_late;
    }
    for (size_t i = 0; i < count; i++)
        measure->times += points[i].rests && (i == 0 || !points[i - 1].rests);
    if (rests > 0) {
        qsort(far, rests, sizeof *far, by_size);
        qsort(own, rests, sizeof *own, by_size);
        measure->share = rests >= 10000 ? 0.9999 : rests >= 1000 ? 0.999 : 1;
        measure->within = quantile(far, rests, measure->share);
        measure->own_within = quantile(own, rests, measure->share);
    }
    if (early_count >= 20 && late_count >= 20)
        measure->drift = hypot(late[0] / (double)late_count - early[0] / (double)early_count,
                               late[1] / (double)late_count - early[1] / (double)early_count);
    free(list);
}

/* How far out it goes in each direction: of all that is far out there, nearly the farthest. */
static void measure_reach(const point *points, size_t count, unsigned kind, part_measure *measure) {
    unsigned directions = kind == YT_CALIBRATION_STICK  ? MEASURE_DIRECTIONS
                          : kind == YT_CALIBRATION_AXIS ? 2
                                                        : 1;
    double *list = calloc(count + 1, sizeof *list);
    if (!list)
        abort();
    for (unsigned d = 0; d < directions; d++) {
        size_t found = 0;
        for (size_t i = 0; i < count; i++) {
            double x = points[i].at[0], y = points[i].at[1];
            double off = fabs(remainder(atan2(x, -y) * 180 / PI - 45.0 * d, 360));
            double far = kind == YT_CALIBRATION_STICK  ? (off < 11 ? hypot(x, y) : 0)
                         : kind == YT_CALIBRATION_AXIS ? (d == 0 ? -x : x)
                                                       : x;
            if (far > 0.4 && !points[i].is_wrong)
                list[found++] = far;
        }
        qsort(list, found, sizeof *list, by_size);
        measure->has_reach[d] = found >= 5;
        if (found >= 5)
            measure->reach[d] = quantile(list, found, 0.9);
    }
    free(list);
}

/* ---- steps and straightness ---- */

#define GAP_FROM 0.05 /* of the way: a smaller gap is none */

/* The steps of one axis, and the largest hole among the numbers that it told. A hole that it passes
 * in one report of a fast move is none, so the numbers of all the time count, not one move's. */
static void measure_steps(const point *points, size_t count, unsigned axis, part_measure *measure) {
    double *list = calloc(count + 1, sizeof *list), step = 9;
    size_t found = 0;
    if (!list)
        abort();
    for (size_t i = 1; i < count; i++)
        if (!points[i].is_wrong && !points[i - 1].is_wrong)
            list[found++] = points[i].at[axis];
    qsort(list, found, sizeof *list, by_size);
    for (size_t i = 1; i < found; i++)
        if (list[i] > list[i - 1])
            step = fmin(step, list[i] - list[i - 1]);
    if (step < 9)
        measure->step = fmax(measure->step, step);
    for (size_t i = found / 100 + 1; i + found / 100 < found && found > 500; i++)
        if (list[i] - list[i - 1] > fmax(GAP_FROM, 6 * step) &&
            list[i] - list[i - 1] > measure->gap) {
            measure->gap = list[i] - list[i - 1];
            measure->gap_at = (list[i] + list[i - 1]) / 2;
        }
    free(list);
}

#define TREMBLES_S 0.05

/* How often a level comes past half its way, and how often it does so again at once. */
static void measure_presses(const point *points, size_t count, part_measure *measure) {
    double last = -9;
    for (size_t i = 1; i < count; i++) {
        if (points[i].is_wrong || points[i - 1].is_wrong || points[i - 1].at[0] >= 0.5 ||
            points[i].at[0] < 0.5)
            continue;
        if (points[i].time - last < TREMBLES_S)
            measure->chatters++;
        else
            measure->presses++;
        last = points[i].time;
    }
}

static void measure_bent(const point *points, size_t count, part_measure *measure) {
    rim_point *all = calloc(count + 1, sizeof *all);
    size_t found = 0;
    if (!all)
        abort();
    for (size_t i = 0; i < count; i++)
        if (!points[i].is_wrong)
            all[found++] = (rim_point){{points[i].at[0], points[i].at[1]}};
    measure->has_bent = straightness(all, found, measure->rest, measure->bent);
    free(all);
}

double measure_steady_ms(uint64_t longest_us) {
    return ceil((double)longest_us / 1000 * 1.2) + 1;
}

void measure_part(const calibrating *calibrating, part_measure *measure) {
    const device_part *part = calibrating->part;
    bool is_stick = part->part.kind == YT_CALIBRATION_STICK;
    point *points = calloc(calibrating->count + 1, sizeof *points);
    uint16_t frequency, damping;
    if (!points)
        abort();
    memset(measure, 0, sizeof *measure);
    measure->samples = calibrating->count;
    for (size_t i = 0; i < calibrating->count; i++) {
        const sample *sample = &calibrating->samples[i];
        points[i].time = (double)sample->time_us / 1e6;
        points[i].at[0] = value_of(part, sample, 0);
        points[i].at[1] = is_stick ? value_of(part, sample, 1) : 0;
    }
    find_wrong(points, calibrating->count, measure);
    find_rests(points, calibrating->count, STILL_IN, measure);
    for (unsigned i = 0; i < 3; i++) { /* what is still is known better each time */
        double noise = fmax(measure->noise[0], measure->noise[1]);
        double step = 2.0 / ((double)part->meaning[0].maximum - (double)part->meaning[0].minimum);
        find_rests(points, calibrating->count, fmax(STILL_OF * noise, 3 * step), measure);
    }
    measure_rests(points, calibrating->count, measure);
    measure_reach(points, calibrating->count, part->part.kind, measure);
    for (unsigned a = 0; a < 1u + is_stick; a++)
        measure_steps(points, calibrating->count, a, measure);
    if (part->part.kind == YT_CALIBRATION_LEVEL)
        measure_presses(points, calibrating->count, measure);
    if (is_stick) {
        measure_bent(points, calibrating->count, measure);
        measure->let_gos = calibrating->springs.found;
        if (yt_spring_found(&calibrating->springs, &frequency, &damping)) {
            measure->frequency = frequency / 100.0;
            measure->damping = damping / 10000.0;
        }
    }
    free(points);
}
