/* Gathering a calibration of any kind, for a firmware or a tool that does them all. */
#include "calibration/gather.h"

yt_status yt_calibrating_begin(yt_calibrating *gathering, const yt_calibration_part *part,
                               unsigned notches) {
    if (part->kind == YT_CALIBRATION_STICK)
        return yt_calibrating_stick(gathering, part, notches);
    if (notches != 0)
        return YT_ARGUMENT;
    return part->kind >= YT_CALIBRATION_GYRO ? yt_calibrating_motion(gathering, part)
                                             : yt_calibrating_line(gathering, part);
}
