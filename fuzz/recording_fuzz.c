/* Any bytes as a recording: usbmon pcap or HID text. */
#include "fuzz/fuzz.h"
#include "ports/sim/recording.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    recording recording;
    if (!recording_parse(&recording, "recording", data, size)) {
        INVARIANT(10, recording.error[0] != 0 && !recording.devices && !recording.reports);
        return 0;
    }
    uint64_t last_us = 0;
    INVARIANT(10, recording.device_count > 0 && recording.device_count <= RECORDING_DEVICES);
    for (size_t i = 0; i < recording.report_count; i++) {
        const recorded_report *report = &recording.reports[i];
        INVARIANT(10, report->device < recording.device_count);
        INVARIANT(10, report->offset + report->size <= recording.byte_count);
        INVARIANT(10, report->time_us >= last_us);
        last_us = report->time_us;
    }
    recording_free(&recording);
    return 0;
}
