/* Calibrating a part of a device: which parts it has, what is gathered from its reports, and what
 * came of it. */
#ifndef YONDER_TOOL_CALIBRATING_H
#define YONDER_TOOL_CALIBRATING_H

#include "tool/source.h"
#include "yonder/calibration.h"

#define DEVICE_PARTS 64

/* Something of a device that can be calibrated. */
typedef struct device_part {
    char name[USAGE_NAME_BYTES]; /* "left_stick" for left_stick.x and left_stick.y */
    yt_calibration_part part;
    yt_raw_meaning meaning[YT_CALIBRATION_CONTROLS]; /* of its raw numbers */
    double unit_amount; /* of rates: how much a count is; of a level: its travel in mm, or 0 */
} device_part;

/* The parts of a device, by the names that a profile uses; `description` may be NULL. How many. */
size_t device_parts(const recorded_device *device, const yt_description *description,
                    device_part parts[DEVICE_PARTS]);

/* "stick", "axis" and so on. */
const char *calibration_kind_name(unsigned kind);

/* Raw numbers of a part, when they came. */
typedef struct sample {
    uint64_t time_us;
    int32_t raw[YT_CALIBRATION_CONTROLS];
} sample;

typedef struct calibrating {
    const recorded_device *device;
    const device_part *part;
    yt_calibrating gathering;
    yt_spring_finder springs;
    yt_calibration_news news;
    sample *samples; /* all of them */
    size_t count, room;
} calibrating;

/* Begins. False: the part has no such notches, or is no axis and can not be without a spring
 * (`is_free`); which is said. */
bool calibrating_begin(calibrating *calibrating, const recorded_device *device,
                       const device_part *part, unsigned notches, bool is_free);
void calibrating_free(calibrating *calibrating);

/* A report of the device. */
void calibrating_report(calibrating *calibrating, uint64_t time_us, const uint8_t *bytes,
                        size_t size);

/* What a person is to do, in words; of a stick with the directions that are missing. */
void calibrating_advice(const calibrating *calibrating, char *text, size_t size);

/* What a record says of its part, and what it makes of the samples (there may be none). */
/* How far out the rim of a stick is in a direction (degrees, clockwise from up), of half the range,
 * before anything. */
double calibration_rim(const yt_calibration *record, double angle);

void print_calibration(FILE *file, const char *name, double unit_amount,
                       const yt_calibration *record, const sample *samples, size_t count);

/* Writes a record to a file, whole or not at all; false: said on standard error. */
bool calibration_write(const yt_calibration *record, const char *path);

/* Reads a record from a file; false: said on standard error. */
bool calibration_read(yt_calibration *record, const char *path);

/* Draws the samples before and after. False: said on standard error. */
bool draw_calibration(const char *path, const char *title, const yt_calibration *record,
                      const sample *samples, size_t count);

/* In the terminal, while it is gathered: `lines` by `columns` of the screen. */
void draw_calibrating(const calibrating *calibrating, int lines, int columns);

/* The position of a raw number in its range, -1 to 1. */
double sample_position(const yt_calibration_part *part, const sample *sample, unsigned control);

#endif
