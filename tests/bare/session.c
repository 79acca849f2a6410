/* Packs recordings for the bare-metal image and unpacks what it wrote.
 *
 *     session pack OUT POLL_US PROGRAM|- [direct] [boot] [calibration=FILE] INPUT=RECORDING...
 *                              (INPUT is the input's number; direct: the engine's queue is not
 * used; boot: the hosts ask for that protocol) session unpack FILE      a line for each report that
 * a host took: output, time, bytes session flatten FILE     the same lines, from the recording that
 * `yonder run` wrote session shorten FILE     the recording as text, with taps shorter than any
 * poll */
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "ports/bare/script.h"
#include "ports/sim/recording.h"
#include "tests/sim/taps.h"
#include "yonder/calibration.h"
#include "yonder/engine.h"

static int fail(const char *what) {
    fprintf(stderr, "session: %s\n", what);
    return 1;
}

static void put(FILE *file, uint64_t number, unsigned size) {
    for (unsigned i = 0; i < size; i++)
        fputc((int)(number >> (8 * i) & 0xff), file);
}

static int put_program(FILE *out, const char *path) {
    static uint8_t bytes[YT_PROGRAM_BYTES];
    FILE *file = fopen(path, "rb");
    if (!file)
        return fail("the program cannot be opened");
    size_t size = fread(bytes, 1, sizeof bytes, file);
    fclose(file);
    fputc(SCRIPT_PROGRAM, out);
    put(out, size, 4);
    fwrite(bytes, 1, size, out);
    return 0;
}

/* Of the first device. */
static int put_calibration(FILE *out, const char *path) {
    static uint8_t bytes[sizeof(yt_calibration)];
    FILE *file = fopen(path, "rb");
    if (!file)
        return fail("the calibration cannot be opened");
    size_t size = fread(bytes, 1, sizeof bytes, file);
    fclose(file);
    fputc(SCRIPT_CALIBRATION, out);
    put(out, 0, 1);
    put(out, size, 2);
    fwrite(bytes, 1, size, out);
    return 0;
}

static void put_device(FILE *out, unsigned input, const recorded_device *device) {
    fputc(SCRIPT_DEVICE, out);
    put(out, input, 1);
    put(out, device->vendor, 2);
    put(out, device->product, 2);
    put(out, device->descriptor_size, 2);
    fwrite(device->descriptor, 1, device->descriptor_size, out);
}

/* In the order of time; at one time the first recording's come first. */
static void put_reports(FILE *out, const recording *recordings, unsigned count) {
    size_t at[YT_DEVICES] = {0};
    for (;;) {
        const recorded_report *next = NULL;
        unsigned from = 0;
        for (unsigned i = 0; i < count; i++) {
            if (at[i] == recordings[i].report_count)
                continue;
            const recorded_report *report = &recordings[i].reports[at[i]];
            if (!next || report->time_us < next->time_us) {
                next = report;
                from = i;
            }
        }
        if (!next)
            return;
        at[from]++;
        fputc(SCRIPT_REPORT, out);
        put(out, next->time_us, 8);
        put(out, from, 1);
        put(out, next->size, 2);
        fwrite(recordings[from].bytes + next->offset, 1, next->size, out);
    }
}

static int pack(int count, char **arguments) {
    static recording recordings[YT_DEVICES];
    FILE *out = fopen(arguments[0], "wb");
    if (!out)
        return fail("the output cannot be opened");
    fputc(SCRIPT_POLL, out);
    put(out, strtoull(arguments[1], NULL, 10), 4);
    if (strcmp(arguments[2], "-") != 0 && put_program(out, arguments[2]) != 0)
        return 1;
    int at = 3;
    if (at < count && strcmp(arguments[at], "direct") == 0) {
        fputc(SCRIPT_DIRECT, out);
        at++;
    }
    if (at < count && strcmp(arguments[at], "boot") == 0) {
        fputc(SCRIPT_BOOT, out);
        at++;
    }
    const char *calibration = NULL;
    if (at < count && strncmp(arguments[at], "calibration=", 12) == 0)
        calibration = arguments[at++] + 12;
    arguments += at;
    unsigned plugs = (unsigned)(count - at);
    if (plugs > YT_DEVICES)
        return fail("too many recordings");
    for (unsigned i = 0; i < plugs; i++) {
        char *sign = strchr(arguments[i], '=');
        if (!sign || !recording_read(&recordings[i], sign + 1))
            return fail(sign ? recordings[i].error : "write INPUT=RECORDING");
        if (recordings[i].device_count != 1)
            return fail("a recording of one device is wanted");
        put_device(out, (unsigned)strtoul(arguments[i], NULL, 10), recordings[i].devices);
    }
    if (calibration && put_calibration(out, calibration) != 0)
        return 1;
    put_reports(out, recordings, plugs);
    return fclose(out) == 0 ? 0 : fail("the output cannot be written");
}

static void print_report(unsigned output, uint64_t time_us, const uint8_t *bytes, size_t size) {
    printf("%u %" PRIu64, output, time_us);
    for (size_t i = 0; i < size; i++)
        printf(" %02x", bytes[i]);
    putchar('\n');
}

static int unpack(const char *path) {
    FILE *file = fopen(path, "rb");
    uint8_t head[12], bytes[256];
    if (!file)
        return fail("the file cannot be opened");
    while (fread(head, sizeof head, 1, file) == 1) {
        uint64_t time_us = 0;
        for (unsigned i = 8; i > 0; i--)
            time_us = time_us << 8 | head[i];
        if (head[0] != SCRIPT_OUT || fread(bytes, 1, head[10], file) != head[10])
            return fail("the file is no output of the image");
        print_report(head[9], time_us, bytes, head[10]);
    }
    fclose(file);
    return 0;
}

static int flatten(const char *path) {
    recording recording;
    if (!recording_read(&recording, path))
        return fail(recording.error);
    for (size_t i = 0; i < recording.report_count; i++) {
        const recorded_report *report = &recording.reports[i];
        print_report(report->device, report->time_us, recording.bytes + report->offset,
                     report->size);
    }
    recording_free(&recording);
    return 0;
}

static int shorten(const char *path) {
    recording recording;
    if (!recording_read(&recording, path))
        return fail(recording.error);
    const recorded_device *device = recording.devices;
    shorten_taps(&recording);
    recording_write_device(stdout, 0, device->name, device->bus, device->vendor, device->product,
                           device->descriptor, device->descriptor_size);
    for (size_t i = 0; i < recording.report_count; i++)
        recording_write_report(stdout, recording.reports[i].time_us,
                               recording.bytes + recording.reports[i].offset,
                               recording.reports[i].size);
    recording_free(&recording);
    return 0;
}

int main(int count, char **arguments) {
    if (count > 5 && strcmp(arguments[1], "pack") == 0)
        return pack(count - 2, arguments + 2);
    if (count == 3 && strcmp(arguments[1], "unpack") == 0)
        return unpack(arguments[2]);
    if (count == 3 && strcmp(arguments[1], "flatten") == 0)
        return flatten(arguments[2]);
    if (count == 3 && strcmp(arguments[1], "shorten") == 0)
        return shorten(arguments[2]);
    return fail("usage: session pack OUT POLL_US PROGRAM|- INPUT=RECORDING... | unpack FILE | "
                "flatten FILE | shorten FILE");
}
