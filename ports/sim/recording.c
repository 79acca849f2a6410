#include "ports/sim/recording.h"

#include <stdarg.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"

bool recording_fail(recording *recording, const char *format, ...) {
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(recording->error, sizeof recording->error, format, arguments);
    va_end(arguments);
    plain_line(recording->error);
    return false;
}

void *recording_grow(void *array, size_t needed, size_t *room, size_t size) {
    if (needed <= *room)
        return array;
    *room = needed > 2 * *room ? needed + 64 : 2 * *room;
    array = realloc(array, *room * size);
    if (!array) {
        perror("yonder");
        exit(1);
    }
    return array;
}

recorded_device *recording_add_device(recording *recording) {
    if (recording->device_count == RECORDING_DEVICES)
        return NULL;
    if (!recording->devices) {
        recording->devices = calloc(RECORDING_DEVICES, sizeof *recording->devices);
        if (!recording->devices) {
            perror("yonder");
            exit(1);
        }
    }
    return &recording->devices[recording->device_count++];
}

bool recording_add_report(recording *recording, uint64_t time_us, unsigned device,
                          const uint8_t *bytes, size_t size) {
    if (size > RECORDING_REPORT)
        return false;
    recording->reports = recording_grow(recording->reports, recording->report_count + 1,
                                        &recording->report_room, sizeof *recording->reports);
    recording->bytes =
        recording_grow(recording->bytes, recording->byte_count + size, &recording->byte_room, 1);
    recording->reports[recording->report_count++] =
        (recorded_report){time_us, device, recording->byte_count, size};
    if (size > 0)
        memcpy(recording->bytes + recording->byte_count, bytes, size);
    recording->byte_count += size;
    return true;
}

void recording_free(recording *recording) {
    free(recording->devices);
    free(recording->reports);
    free(recording->bytes);
    char error[sizeof recording->error];
    memcpy(error, recording->error, sizeof error);
    memset(recording, 0, sizeof *recording);
    memcpy(recording->error, error, sizeof error);
}
