/* Calibrations, made up, to be kept. */
#ifndef YONDER_TESTS_AXIS_H
#define YONDER_TESTS_AXIS_H

#include "yonder/calibration.h"
#include "yonder/image/program.h"

/* A calibration of an axis of a device with this product number. */
static inline yt_calibration axis_of(unsigned product, int rest) {
    yt_calibration record = {.magic = YT_CALIBRATION_MAGIC,
                             .bytes = YT_CALIBRATION_HEAD_BYTES,
                             .version = YT_CALIBRATION_VERSION,
                             .part = {.vendor = 0x1209,
                                      .product = (uint16_t)product,
                                      .serial = 5,
                                      .kind = YT_CALIBRATION_AXIS,
                                      .places = {{.maximum = 1000, .bits = 10}}},
                             .rest = {rest},
                             .low = {10},
                             .high = {990}};
    record.checksum = yt_checksum(0, &record.bytes, record.bytes - 8u);
    return record;
}

#endif
