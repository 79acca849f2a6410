/* Calibrations that were written before, used for the devices of a run. */
#ifndef YONDER_TOOL_CALIBRATIONS_H
#define YONDER_TOOL_CALIBRATIONS_H

#include "ports/sim/recording.h"
#include "yonder/calibration.h"

#define CALIBRATIONS 16

/* Files that --calibration names. */
typedef struct calibration_files {
    const char *paths[CALIBRATIONS];
    unsigned count;
} calibration_files;

typedef struct calibrations {
    const calibration_files *files;
    yt_calibration records[CALIBRATIONS];
    yt_calibrated used[CALIBRATIONS];
    bool is_used[CALIBRATIONS];
} calibrations;

/* Reads files, whose names must stay. False: said on standard error. */
bool calibrations_read(calibrations *calibrations, const calibration_files *files);

/* Uses those that are of a device that was attached. */
void calibrations_use(calibrations *calibrations, yt_engine *engine, unsigned number,
                      const recorded_device *device);

/* False: one of them is of no device that is there, which is said. */
bool calibrations_all_used(const calibrations *calibrations);

#endif
