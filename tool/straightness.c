#include "tool/straightness.h"

#include <math.h>
#include <stdlib.h>

#define PI 3.14159265358979323846

#define RIM_BINS  72
#define RIM_NEEDS 60 /* of them */
#define UNKNOWNS  7  /* three of each axis, and one of both */

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

/* Where a point is, from where the stick rests. */
typedef struct far_point {
    double out;
    unsigned bin; /* its direction */
} far_point;

/* The middle of those of a direction that are about as far out as most of the farthest. False:
 * there are too few. */
static bool find_edge(const rim_point *points, const far_point *far, size_t count, unsigned bin,
                      double *list, rim_point *edge) {
    double sum[2] = {0, 0}, number = 0;
    size_t found = 0;
    for (size_t i = 0; i < count; i++)
        if (far[i].bin == bin && far[i].out > 0.3)
            list[found++] = far[i].out;
    if (found < 8)
        return false;
    qsort(list, found, sizeof *list, by_size);
    for (size_t i = 0; i < count; i++)
        if (far[i].bin == bin && fabs(far[i].out - list[found * 9 / 10]) < 0.015) {
            sum[0] += points[i].at[0];
            sum[1] += points[i].at[1];
            number++;
        }
    *edge = (rim_point){{sum[0] / number, sum[1] / number}};
    return number > 3;
}

static unsigned find_rim(const rim_point *points, size_t count, const double rest[2],
                         rim_point rim[RIM_BINS]) {
    far_point *far = calloc(count + 1, sizeof *far);
    double *list = calloc(count + 1, sizeof *list);
    unsigned bins = 0;
    if (!far || !list)
        abort();
    for (size_t i = 0; i < count; i++) {
        double x = points[i].at[0] - rest[0], y = points[i].at[1] - rest[1];
        far[i].out = hypot(x, y);
        far[i].bin = (unsigned)((atan2(y, x) / (2 * PI) + 0.5) * RIM_BINS) % RIM_BINS;
    }
    for (unsigned bin = 0; bin < RIM_BINS; bin++)
        bins += find_edge(points, far, count, bin, list, &rim[bins]);
    free(far);
    free(list);
    return bins;
}

static double polynomial(const double of[4], double x) {
    return of[0] + x * (of[1] + x * (of[2] + x * of[3]));
}

/* Solves a system of equations by elimination. False: it has no one solution. */
static bool solve(double m[UNKNOWNS][UNKNOWNS + 1], unsigned size) {
    for (unsigned i = 0; i < size; i++) {
        unsigned best = i;
        for (unsigned k = i + 1; k < size; k++)
            best = fabs(m[k][i]) > fabs(m[best][i]) ? k : best;
        if (fabs(m[best][i]) < 1e-12)
            return false;
        for (unsigned j = 0; j <= size; j++) {
            double kept = m[i][j];
            m[i][j] = m[best][j];
            m[best][j] = kept;
        }
        for (unsigned k = 0; k < size; k++) {
            double by = k == i ? 0 : m[k][i] / m[i][i];
            for (unsigned j = i; j <= size; j++)
                m[k][j] -= by * m[i][j];
        }
    }
    for (unsigned i = 0; i < size; i++)
        m[i][size] /= m[i][i];
    return true;
}

/* Finds what each axis must go through so that the rim is a circle of 1 (Gauss and Newton). The
 * third order is that of both: what it does to the rim is the same whichever axis it is of. How far
 * from a circle it is then, on average. */
static double fit_circle(const rim_point *rim, unsigned count, double of[2][4]) {
    double off = 9;
    for (unsigned turn = 0; turn < 25; turn++) {
        double m[UNKNOWNS][UNKNOWNS + 1] = {{0}}, sum = 0;
        for (unsigned i = 0; i < count; i++) {
            double x = rim[i].at[0], y = rim[i].at[1];
            double across = polynomial(of[0], x), along = polynomial(of[1], y);
            double r = hypot(across, along);
            if (r < 1e-6)
                return 9;
            double u = across / r, v = along / r;
            const double row[UNKNOWNS] = {
                u, u * x, u * x * x, v, v * y, v * y * y, u * x * x * x + v * y * y * y};
            sum += (r - 1) * (r - 1);
            for (unsigned a = 0; a < UNKNOWNS; a++) {
                for (unsigned b = 0; b < UNKNOWNS; b++)
                    m[a][b] += row[a] * row[b];
                m[a][UNKNOWNS] += row[a] * (1 - r);
            }
        }
        off = sqrt(sum / count);
        if (!solve(m, UNKNOWNS))
            return 9;
        for (unsigned k = 0; k < 3; k++) {
            of[0][k] += m[k][UNKNOWNS];
            of[1][k] += m[3 + k][UNKNOWNS];
        }
        of[0][3] += m[6][UNKNOWNS];
        of[1][3] += m[6][UNKNOWNS];
    }
    return off;
}

/* How far an axis is from the straight line through its ends, of half of that. */
static double bent(const double of[4]) {
    double most = 0, low = -1, high = 1, from = polynomial(of, low), to = polynomial(of, high);
    for (unsigned i = 1; i < 50; i++) {
        double share = i / 50.0;
        double off = polynomial(of, low + (high - low) * share) - (from + (to - from) * share);
        most = fmax(most, fabs(off) / (fabs(to - from) / 2));
    }
    return most;
}

#define ROUND_WITHIN 0.012 /* on average; an octagon is 2 % off, a square 10 % */

bool straightness(const rim_point *points, size_t count, const double rest[2], double off[2]) {
    rim_point rim[RIM_BINS];
    double of[2][4] = {{0, 1, 0, 0}, {0, 1, 0, 0}}, low[2] = {9, 9}, high[2] = {-9, -9};
    unsigned found = find_rim(points, count, rest, rim);
    if (found < RIM_NEEDS)
        return false;
    for (unsigned i = 0; i < found; i++)
        for (unsigned a = 0; a < 2; a++) {
            low[a] = fmin(low[a], rim[i].at[a]);
            high[a] = fmax(high[a], rim[i].at[a]);
        }
    for (unsigned i = 0; i < found; i++)
        for (unsigned a = 0; a < 2; a++)
            rim[i].at[a] = (2 * rim[i].at[a] - low[a] - high[a]) / (high[a] - low[a]);
    if (fit_circle(rim, found, of) >= ROUND_WITHIN)
        return false;
    for (unsigned a = 0; a < 2; a++)
        off[a] = bent(of[a]);
    return true;
}
