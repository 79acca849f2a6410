/* What a calibration says, in words and numbers; and what it makes of what was gathered. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "tool/calibrating.h"

#define PI 3.14159265358979323846

static const char *const directions[] = {"up",   "up right",  "right", "down right",
                                         "down", "down left", "left",  "up left"};

static void print_row(FILE *file, const char *what) {
    fprintf(file, "  %-11s ", what);
}

/* How far out the rim is in a direction of 45 degrees, of half the range, before anything. */
double calibration_rim(const yt_calibration *record, double angle) {
    double best = 1e9, reach = 0;
    for (unsigned i = 0; i < record->knots; i++) {
        double x = record->knot[i].x / 8192.0, y = record->knot[i].y / 8192.0;
        double off = fabs(remainder(atan2(x, -y) * 180 / PI - angle, 360));
        if (off < best) {
            best = off;
            reach = hypot(x, y);
        }
    }
    return reach;
}

static void print_off(FILE *file, double value, const char *less, const char *more) {
    fprintf(file, "%.1f%% %s", 100 * fabs(value), value < 0 ? less : more);
}

static void print_spring(FILE *file, const char *name, const yt_calibration *record) {
    if (record->frequency == 0) {
        print_row(file, "spring");
        fprintf(file, "not known: let it go a dozen times from far out, and leave it alone then\n");
        return;
    }
    print_row(file, "spring");
    fprintf(file,
            "%.1f Hz, damping %.0f%%: after it is let go it swings %.0f%% to the other side\n",
            record->frequency / 100.0, record->damping / 100.0,
            100 * exp(-PI * record->damping / 1e4 /
                      sqrt(1 - record->damping / 1e4 * record->damping / 1e4)));
    print_row(file, "");
    fprintf(file, "in a formula: let_go(%s, frequency=%.1f Hz, damping=%.0f%%)\n", name,
            record->frequency / 100.0, record->damping / 100.0);
}

static void print_stick(FILE *file, const char *name, const yt_calibration *record) {
    print_row(file, "rest");
    print_off(file, record->rest[0] / 65536.0, "to the left", "to the right");
    fputs(", ", file);
    print_off(file, record->rest[1] / 65536.0, "up", "down");
    fprintf(file, " of its range's middle; its numbers are %.2f%% apart there\n",
            record->noise / 163.84);
    print_row(file, "reach");
    for (unsigned i = 0; i < 8; i++)
        fprintf(file, "%s%s %.0f%%", i ? ", " : "", directions[i],
                100 * calibration_rim(record, 45.0 * i));
    fputs("; after it 100%\n", file);
    if (record->notches) {
        print_row(file, "notches");
        fprintf(file, "%u, each at its own angle after it\n", record->notches);
    }
    print_spring(file, name, record);
}

static int by_size(const void *a, const void *b) {
    double x = *(const double *)a, y = *(const double *)b;
    return (x > y) - (x < y);
}

#define STILL 12 /* samples on both sides in which nothing moves */

/* How far a sample is from the rest, of half the range. */
static double off_rest(const yt_calibration *record, const sample *sample) {
    return hypot(sample_position(&record->part, sample, 0) - record->rest[0] / 65536.0,
                 sample_position(&record->part, sample, 1) - record->rest[1] / 65536.0);
}

/* Of all samples in which it rests: how far from 0 they are before and after, 99 of 100. */
static void print_rest_after(FILE *file, const yt_calibration *record, const sample *samples,
                             size_t count) {
    double *before = calloc(2 * count + 1, sizeof *before), *after = before + count;
    yt_calibrated calibrated;
    size_t rests = 0, since = 0; /* so many samples in a row are near the rest */
    if (!before || yt_calibrated_begin(&calibrated, record, record->bytes) != YT_OK)
        abort();
    for (size_t i = 0; i < count; i++) {
        since = off_rest(record, &samples[i]) < 0.03 ? since + 1 : 0;
        if (since < 2 * STILL + 1)
            continue;
        const sample *sample = &samples[i - STILL];
        yt_calibrated_take(&calibrated, sample->raw, sample->time_us);
        before[rests] = hypot(sample_position(&record->part, sample, 0),
                              sample_position(&record->part, sample, 1));
        after[rests++] = hypot(calibrated.value[0], calibrated.value[1]) / 65536.0;
    }
    if (rests > 0) {
        qsort(before, rests, sizeof *before, by_size);
        qsort(after, rests, sizeof *after, by_size);
        print_row(file, "at rest");
        fprintf(file,
                "99 of 100 reports were within %.1f%% of 0 before, and are within %.1f%% now\n",
                100 * before[rests * 99 / 100], 100 * after[rests * 99 / 100]);
    }
    free(before);
}

static void print_line(FILE *file, double travel, const yt_calibration *record) {
    bool is_level = record->part.kind == YT_CALIBRATION_LEVEL;
    const yt_calibration_place *place = &record->part.places[0];
    print_row(file, "rest");
    fprintf(file, "%d of %d to %d; its numbers are %.2f%% apart there\n", (int)record->rest[0],
            (int)place->minimum, (int)place->maximum, record->noise / 327.68);
    if (!is_level) {
        print_row(file, "ends");
        fprintf(file, "%d and %d\n", (int)record->low[0], (int)record->high[0]);
        return;
    }
    double counts = fabs((double)record->high[0] - record->rest[0]);
    print_row(file, "full");
    fprintf(file, "%d%s\n", (int)record->high[0],
            record->high[0] < record->rest[0] ? ": it goes down where it is pressed" : "");
    if (travel > 0) {
        print_row(file, "travel");
        fprintf(file, "%.2f mm: a raw number is %.3f mm\n", travel, travel / counts);
    }
}

static void print_motion(FILE *file, double unit, const yt_calibration *record) {
    bool is_gyro = record->part.kind == YT_CALIBRATION_GYRO;
    const char *name = is_gyro ? "deg/s" : "g";
    for (unsigned i = 0; i < 3; i++) {
        char axis[2] = {(char)('x' + i), 0};
        print_row(file, axis);
        fprintf(file, "at rest it tells %+.4f %s", record->rest[i] / 256.0 * unit, name);
        if (is_gyro && record->high[i] == YT_ONE)
            fprintf(file, "; not turned, so taken as right");
        else if (is_gyro)
            fprintf(file, "; of a turn it tells %.2f%%", 100 * 65536.0 / record->high[i]);
        else if (record->high[i] == 0)
            fprintf(file, "; not laid on both its sides, so taken as right");
        else
            fprintf(file, "; of 1 g it tells %.2f%%", 100 * record->high[i] / 256.0 * unit);
        fputc('\n', file);
    }
    if (is_gyro) {
        print_row(file, "noise");
        fprintf(file, "its numbers are %.2f deg/s apart at rest\n", record->noise * unit);
    }
}

void print_calibration(FILE *file, const char *name, double unit_amount,
                       const yt_calibration *record, const sample *samples, size_t count) {
    const yt_calibration_part *part = &record->part;
    fprintf(file, "%s, a %s of %04x:%04x", name, calibration_kind_name(part->kind), part->vendor,
            part->product);
    if (part->serial)
        fprintf(file, ", serial number or name %08x", (unsigned)part->serial);
    fprintf(file, ": %u bytes\n", record->bytes);
    if (part->kind == YT_CALIBRATION_STICK) {
        print_stick(file, name, record);
        if (count > 0)
            print_rest_after(file, record, samples, count);
    } else if (part->kind >= YT_CALIBRATION_GYRO) {
        print_motion(file, unit_amount, record);
    } else {
        print_line(file, unit_amount, record);
    }
}
