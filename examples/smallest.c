/* The smallest loop: a device's reports in, the host's reports out. */
#include <stdio.h>

#include "board.h"
#include "smallest_program.h"
#include "yonder/yonder.h"

static yt_engine engine;
static uint64_t memory[256]; /* 2 KiB; yonder check says how much a profile needs */
static const yt_port port = {.version = YT_PORT_VERSION};
static unsigned number; /* of the device */

static void plugged(unsigned address, const board_device *of) {
    const yt_device device = {.descriptor = of->descriptor,
                              .descriptor_size = of->descriptor_size,
                              .vendor = of->vendor,
                              .product = of->product,
                              .bus = YT_BUS_USB,
                              .input = YT_ANY_INPUT};
    (void)address;
    if (yt_engine_attach(&engine, &device, &number) != YT_OK)
        board_say("it fits no input");
}

static void unplugged(unsigned address) {
    (void)address;
    yt_engine_detach(&engine, number, board_us());
}

/* From the device's interrupt. */
static void sent(unsigned address, const uint8_t *bytes, size_t size) {
    (void)address;
    if (yt_engine_report(&engine, number, bytes, size, board_us()) != YT_OK)
        board_say("it comes too fast");
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static const board_calls calls = {
    .plugged = plugged, .unplugged = unplugged, .sent = sent, .host_took = host_took};

int main(int count, char **arguments) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    uint64_t due_us;
    size_t length;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, smallest_program, smallest_program_size) != YT_OK)
        return 1;
    board_begin(count, arguments, &calls);
    do {
        due_us = yt_engine_update(&engine, board_us());
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
    } while (board_sleep(due_us));
    return 0;
}
