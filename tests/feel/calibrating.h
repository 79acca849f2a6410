/* Calibrations through the public interface: a part of a device that is attached to an engine, its
 * reports, and what comes out of the engine with and without a calibration. */
#ifndef YONDER_TESTS_CALIBRATING_H
#define YONDER_TESTS_CALIBRATING_H

#include "tests/engine/rig.h"
#include "tests/feel/hands.h"
#include "yonder/calibration.h"

typedef struct calibrating {
    rig rig;
    unsigned device;
    unsigned bits; /* of an axis */
    yt_calibration_part part;
    yt_calibrating gathering;
    yt_spring_finder springs;
    yt_calibration record;
    yt_calibrated calibrated;
} calibrating;

/* A stick of two axes of so many bits, 0 and up, and a profile that copies it. */
void calibrating_stick(calibrating *at, unsigned bits, unsigned notches);

/* One axis or one level of so many bits. */
void calibrating_line(calibrating *at, unsigned kind, unsigned bits);

void calibrating_end(calibrating *at);

/* A reading of the stick, as a hand gives it, to what is gathered. */
void calibrating_told(void *at, double seconds, const int32_t raw[2]);

/* Ends gathering and uses the record; false: there is none, which is a failed check. */
bool calibrating_use(calibrating *at);

/* What the engine makes of raw numbers, at a time. */
void calibrating_out(calibrating *at, double seconds, const int32_t raw[2], double out[2]);

#endif
