/* A firmware around a profile, to begin with: it plays the reports that stand in reports.c in place
 * of your devices, and prints what the host would get. It runs in QEMU at once:
 *
 *     cmake -B build -DYONDER_THUMB=PATH --toolchain PATH/ports/bare/cortex-m0.cmake
 *     cmake --build build --target run
 *
 * On a board of yours replace what stands under "Yours"; docs/port.md says what each call needs. */
#include "ports/bare/bare.h"
#include "program.h"
#include "reports.h"
#include "yonder/yonder.h"

static yt_engine engine;
static uint64_t memory[PLAYED_MEMORY / 8];
static const yt_port port = {.version = YT_PORT_VERSION};

/* ---- Yours: the time, your devices and the host. */

static uint64_t now_us;
static unsigned numbers[PLAYED_DEVICES + 1];

static void print_number(uint32_t number, unsigned least) {
    char digits[12];
    unsigned at = sizeof digits;
    digits[--at] = 0;
    do
        digits[--at] = (char)('0' + number % 10);
    while ((number /= 10) > 0 || sizeof digits - 1 - at < least);
    semihosting_print(digits + at);
}

/* The time in milliseconds, the interface, and the report's bytes. */
static void endpoint_send(unsigned interface, const uint8_t *bytes, size_t size) {
    print_number((uint32_t)(now_us / 1000), 1);
    semihosting_print(".");
    print_number((uint32_t)(now_us % 1000), 3);
    semihosting_print(" ms  interface ");
    print_number(interface, 1);
    semihosting_print(" gets");
    for (size_t i = 0; i < size; i++) {
        static const char digits[] = "0123456789abcdef";
        const char text[4] = {' ', digits[bytes[i] >> 4], digits[bytes[i] & 15], 0};
        semihosting_print(text);
    }
    semihosting_print("\n");
    yt_interface_taken(&engine, interface, now_us); /* your host calls that when it has it */
}

static void attach_devices(void) {
    for (unsigned i = 0; i < PLAYED_DEVICES; i++) {
        if (yt_engine_attach(&engine, &played_devices[i], &numbers[i]) != YT_OK)
            fail("a device fits no input\n");
    }
}

/* The reports that are due by now; the time of the next one. */
static uint64_t take_reports(void) {
    static unsigned next;
    for (; next < PLAYED_REPORTS && played_reports[next].time_us <= now_us; next++) {
        const played_report *report = &played_reports[next];
        if (yt_engine_report(&engine, numbers[report->device], &played_bytes[report->at],
                             report->size, now_us) != YT_OK)
            fail("the queue is full\n");
        yt_engine_update(&engine, now_us);
    }
    return next < PLAYED_REPORTS ? played_reports[next].time_us : YT_NEVER;
}

/* ---- The loop. */

static void tell_host(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t length;
    for (unsigned i = 0; yt_interface_bytes(&engine, i) > 0; i++)
        while (yt_interface_report(&engine, i, bytes, sizeof bytes, &length) == YT_OK && length > 0)
            endpoint_send(i, bytes, length);
}

int main(void) {
    uint64_t due_us = 0;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, program, program_size) != YT_OK)
        fail("the program does not run here\n");
    attach_devices();
    while (due_us != YT_NEVER && due_us < PLAYED_END_US) {
        now_us = due_us > now_us ? due_us : now_us;
        uint64_t next_us = take_reports();
        due_us = yt_engine_update(&engine, now_us);
        tell_host();
        due_us = next_us < due_us ? next_us : due_us;
    }
    return 0;
}
