/* Makes taps of a recording shorter than any poll: every third report comes 300 us after the one
 * before it, where it came later. The order stays. */
#ifndef YONDER_TESTS_TAPS_H
#define YONDER_TESTS_TAPS_H

#include "ports/sim/recording.h"

static inline void shorten_taps(recording *recording) {
    for (size_t i = 1; i + 1 < recording->report_count; i += 3) {
        recorded_report *report = &recording->reports[i];
        uint64_t earlier = recording->reports[i - 1].time_us + 300;
        if (earlier < report->time_us)
            report->time_us = earlier;
    }
}

#endif
