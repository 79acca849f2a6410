#include "tool/calibrations.h"

#include <stdio.h>

#include "tool/calibrating.h"

bool calibrations_read(calibrations *calibrations, const calibration_files *files) {
    calibrations->files = files;
    for (unsigned i = 0; i < files->count; i++)
        if (!calibration_read(&calibrations->records[i], files->paths[i]))
            return false;
    return true;
}

void calibrations_use(calibrations *calibrations, yt_engine *engine, unsigned number,
                      const recorded_device *device) {
    const yt_device arrived = {.vendor = device->vendor,
                               .product = device->product,
                               .name = device->name,
                               .bus = (uint8_t)device->bus};
    for (unsigned i = 0; i < calibrations->files->count; i++) {
        const yt_calibration *record = &calibrations->records[i];
        if (!calibrations->is_used[i] && yt_calibration_is_on(&record->part, &arrived))
            calibrations->is_used[i] = yt_engine_calibrate(engine, number, &calibrations->used[i],
                                                           record, record->bytes) == YT_OK;
    }
}

bool calibrations_all_used(const calibrations *calibrations) {
    for (unsigned i = 0; i < calibrations->files->count; i++) {
        const yt_calibration_part *part = &calibrations->records[i].part;
        if (calibrations->is_used[i])
            continue;
        fprintf(stderr,
                "%s: it is of a %s of %04x:%04x, and no device that is plugged in has that, or the "
                "profile does not read it\n",
                calibrations->files->paths[i], calibration_kind_name(part->kind), part->vendor,
                part->product);
        return false;
    }
    return true;
}
