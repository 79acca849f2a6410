/* A calibration as a picture: what a part told before, and what comes of it after. */
#include <math.h>
#include <stdlib.h>

#include "tool/calibrating.h"
#include "tool/plot.h"

#define BEFORE "#b4561e" /* two colours that all can tell apart, and by their place too */
#define AFTER  "#1f5f9f"

typedef struct drawing {
    const yt_calibration *record;
    const sample *samples;
    size_t count;
    double unit; /* what a value is, for motion; else 1 */
} drawing;

static void print_field(FILE *to, const char *title, double left) {
    fprintf(
        to,
        "set lmargin at screen %.3f\nset rmargin at screen %.3f\nset bmargin at screen 0.16\n"
        "set tmargin at screen 0.86\nset title '%s'\nset xrange [-1.1:1.1]\nset yrange [1.1:-1.1]\n"
        "set xlabel 'x: left to right, of half the range'\nset ylabel 'y: down to up'\n"
        "set xtics 0.5\nset ytics 0.5\nset grid lc rgb '#dddddd'\n",
        left, left + 0.4375, title);
}

static void print_points(FILE *to, const drawing *drawing, bool after) {
    yt_calibrated calibrated;
    size_t step = drawing->count / 8000 + 1;
    if (yt_calibrated_begin(&calibrated, drawing->record, drawing->record->bytes) != YT_OK)
        abort();
    for (size_t i = 0; i < drawing->count; i++) {
        const sample *sample = &drawing->samples[i];
        yt_calibrated_take(&calibrated, sample->raw, sample->time_us);
        if (i % step != 0)
            continue;
        if (after)
            fprintf(to, "%.4f %.4f\n", calibrated.value[0] / 65536.0,
                    calibrated.value[1] / 65536.0);
        else
            fprintf(to, "%.4f %.4f\n", sample_position(&drawing->record->part, sample, 0),
                    sample_position(&drawing->record->part, sample, 1));
    }
    fprintf(to, "9 9\ne\n");
}

static void print_rim(FILE *to, const yt_calibration *record) {
    for (unsigned i = 0; i <= record->knots; i++) {
        const yt_calibration_knot *knot = &record->knot[i < record->knots ? i : 0];
        fprintf(to, "%.4f %.4f\n", record->rest[0] / 65536.0 + knot->x / 8192.0,
                record->rest[1] / 65536.0 + knot->y / 8192.0);
    }
    fprintf(to, "e\n");
}

/* Its notches: the knots that lie where a gate of so many has them; before as they were read, after
 * as they come out. */
static void print_notches(FILE *to, const yt_calibration *record, bool after) {
    for (unsigned i = 0; i < record->knots; i++) {
        const yt_calibration_knot *knot = &record->knot[i];
        double turn = 360.0 / record->notches, x = knot->out_x / 16384.0, y = knot->out_y / 16384.0;
        if (fabs(remainder(atan2(x, -y) * 57.29578, turn)) > 0.3)
            continue;
        fprintf(to, "%.4f %.4f\n", after ? x : record->rest[0] / 65536.0 + knot->x / 8192.0,
                after ? y : record->rest[1] / 65536.0 + knot->y / 8192.0);
    }
    fprintf(to, "9 9\ne\n");
}

#define NOTCHES "'-' with points pt 6 ps 2.2 lw 2 lc rgb '#222222' title 'its notches', "

static void print_circle(FILE *to) {
    for (unsigned i = 0; i <= 120; i++)
        fprintf(to, "%.4f %.4f\n", sin(i * 0.0523599), cos(i * 0.0523599));
    fprintf(to, "e\n");
}

static void draw_stick(FILE *to, const drawing *drawing) {
    fprintf(to, "set multiplot\nset key below center horizontal maxrows 1\n");
    print_field(to, "before: as it tells its place", 0.05);
    bool has_notches = drawing->record->notches > 0;
    fprintf(to,
            "plot '-' with points pt 7 ps 0.25 lc rgb '" BEFORE "' title 'reports', "
            "'-' with linespoints pt 4 ps 0.8 lc rgb '#222222' title 'its rim', %s"
            "'-' with points pt 2 ps 2 lw 2 lc rgb '#222222' title 'its rest'\n",
            has_notches ? NOTCHES : "");
    print_points(to, drawing, false);
    print_rim(to, drawing->record);
    if (has_notches)
        print_notches(to, drawing->record, false);
    fprintf(to, "%.4f %.4f\ne\n", drawing->record->rest[0] / 65536.0,
            drawing->record->rest[1] / 65536.0);
    fprintf(to, "unset label 1\n");
    print_field(to, "after: as formulas see it", 0.55);
    fprintf(to,
            "plot '-' with points pt 7 ps 0.25 lc rgb '" AFTER "' title 'reports', "
            "'-' with lines lw 1 lc rgb '#222222' title 'full', %s"
            "'-' with points pt 2 ps 2 lw 2 lc rgb '#222222' title '0'\n",
            has_notches ? NOTCHES : "");
    print_points(to, drawing, true);
    print_circle(to);
    if (has_notches)
        print_notches(to, drawing->record, true);
    fprintf(to, "0 0\ne\nunset multiplot\n");
}

/* What a control is: of a level or an axis its value, of a gyro how far it has turned by then. */
static double value_of(const drawing *drawing, const sample *sample, unsigned control,
                       const yt_calibrated *after) {
    const yt_calibration_part *part = &drawing->record->part;
    if (after)
        return after->value[control] / 65536.0;
    if (part->kind >= YT_CALIBRATION_GYRO)
        return sample->raw[control] * drawing->unit;
    double position = sample_position(part, sample, control);
    return part->kind == YT_CALIBRATION_LEVEL ? (position + 1) / 2 : position;
}

/* One control over the time, before or after. */
static void print_course(FILE *to, const drawing *drawing, unsigned control, bool after) {
    bool turns = drawing->record->part.kind == YT_CALIBRATION_GYRO, has = false;
    yt_calibrated calibrated;
    double low = 0, high = 0, angle = 0;
    uint64_t slot = 0, whole = drawing->count ? drawing->samples[drawing->count - 1].time_us : 1;
    if (yt_calibrated_begin(&calibrated, drawing->record, drawing->record->bytes) != YT_OK)
        abort();
    for (size_t i = 0; i < drawing->count; i++) { /* per pixel the lowest and the highest */
        const sample *sample = &drawing->samples[i];
        yt_calibrated_take(&calibrated, sample->raw, sample->time_us);
        double value = value_of(drawing, sample, control, after ? &calibrated : NULL);
        if (turns && i > 0)
            angle += value * (double)(sample->time_us - sample[-1].time_us) / 1e6;
        value = turns ? angle : value;
        uint64_t now = sample->time_us * 1000 / (whole + 1);
        if (has && now != slot)
            fprintf(to, "%.4f %.5f\n%.4f %.5f\n", (double)slot * (double)whole / 1e9, low,
                    (double)slot * (double)whole / 1e9, high);
        low = has && now == slot ? fmin(low, value) : value;
        high = has && now == slot ? fmax(high, value) : value;
        slot = now;
        has = true;
    }
    fprintf(to, "%.4f %.5f\ne\n", (double)whole / 1e6, high);
}

static void draw_courses(FILE *to, const drawing *drawing) {
    unsigned kind = drawing->record->part.kind, controls = kind >= YT_CALIBRATION_GYRO ? 3 : 1;
    const char *unit = kind == YT_CALIBRATION_GYRO            ? "degrees turned"
                       : kind == YT_CALIBRATION_ACCELEROMETER ? "g"
                                                              : "of its range";
    fprintf(to, "set multiplot layout %u,1\nset key top right\nset grid lc rgb '#dddddd'\n",
            controls);
    for (unsigned i = 0; i < controls; i++) {
        fprintf(to, "set ylabel '%s%s'\nset xlabel 'seconds'\n",
                controls > 1                   ? i == 0   ? "x, "
                                                 : i == 1 ? "y, "
                                                          : "z, "
                : kind == YT_CALIBRATION_LEVEL ? "how far it is pressed, "
                                               : "",
                unit);
        if (kind == YT_CALIBRATION_LEVEL)
            fprintf(to, "set yrange [-0.05:1.1]\n");
        if (kind == YT_CALIBRATION_GYRO)
            fprintf(to, "set ytics 360\nset key top left\n");
        fprintf(to,
                "plot '-' with lines lw 1.5 lc rgb '" BEFORE "' title 'before', "
                "'-' with lines lw 1.5 dt 1 lc rgb '" AFTER "' title 'after', "
                "0 with lines lw 1 dt 2 lc rgb '#222222' notitle%s\n",
                kind == YT_CALIBRATION_LEVEL ? ", 1 with lines lw 1 dt 2 lc rgb '#222222' notitle"
                                             : "");
        print_course(to, drawing, i, false);
        print_course(to, drawing, i, true);
        fprintf(to, "unset label 1\n");
    }
    fprintf(to, "unset multiplot\n");
}

bool draw_calibration(const char *path, const char *title, const yt_calibration *record,
                      const sample *samples, size_t count) {
    drawing drawing = {record, samples, count, record->part.unit_q24 / 16777216.0};
    plot plot;
    plot_begin(&plot, path, 800);
    fprintf(plot.commands, "set label 1 ");
    plot_text(&plot, title);
    fprintf(plot.commands, " at screen 0.5,0.985 center font 'DejaVu Sans,12'\nset tmargin 4\n");
    if (record->part.kind == YT_CALIBRATION_STICK)
        draw_stick(plot.commands, &drawing);
    else
        draw_courses(plot.commands, &drawing);
    return plot_end(&plot, path);
}
