/* An inline adapter: devices come and go behind a USB host stack that calls back; the host's lights
 * go back to them. */
#include "board.h"
#include "inline_program.h"
#include "yonder/yonder.h"

#define ADDRESSES 16
#define NOBODY    UINT8_MAX

static yt_engine engine;
static uint64_t memory[512];
static const yt_port port = {.version = YT_PORT_VERSION};
static uint8_t numbers[ADDRESSES]; /* of the device at each address of the stack */

/* ---- What the host stack calls. */

static void plugged(unsigned address, const board_device *of) {
    const yt_device device = {.descriptor = of->descriptor,
                              .descriptor_size = of->descriptor_size,
                              .vendor = of->vendor,
                              .product = of->product,
                              .bus = YT_BUS_USB,
                              .input = YT_ANY_INPUT};
    unsigned number;
    yt_status status = yt_engine_attach(&engine, &device, &number);
    if (status == YT_OK && address < ADDRESSES)
        numbers[address] = (uint8_t)number;
    else
        board_say_number("the program has no use for the device at", address);
}

static void unplugged(unsigned address) {
    if (address >= ADDRESSES || numbers[address] == NOBODY)
        return;
    yt_engine_detach(&engine, numbers[address], board_us());
    numbers[address] = NOBODY;
}

static void sent(unsigned address, const uint8_t *bytes, size_t size) {
    if (address >= ADDRESSES || numbers[address] == NOBODY)
        return;
    if (yt_engine_report(&engine, numbers[address], bytes, size, board_us()) == YT_FULL)
        board_say("the queue is full"); /* it is counted; the next report has what is on then */
}

/* ---- What the device stack calls. */

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static void host_sent(unsigned connector, unsigned interface, const uint8_t *bytes, size_t size) {
    (void)connector;
    if (yt_interface_receive(&engine, interface, YT_HID_OUTPUT, bytes, size, board_us()) != YT_OK)
        board_say("the host sent what is no report of ours"); /* a stall, to the host */
}

static const board_calls calls = {.plugged = plugged,
                                  .unplugged = unplugged,
                                  .sent = sent,
                                  .host_took = host_took,
                                  .host_sent = host_sent};

/* ---- After each update. */

static void tell_devices(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_device_output output;
    for (unsigned i = 0; i < ADDRESSES; i++)
        while (numbers[i] != NOBODY &&
               yt_device_report(&engine, numbers[i], bytes, sizeof bytes, &output) == YT_OK &&
               output.length > 0)
            board_to_device(i, bytes, output.length);
}

static void tell_host(void) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    size_t length;
    if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
        board_arm(1, 0, answer, length);
}

int main(int count, char **arguments) {
    uint64_t due_us;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, inline_program, inline_program_size) != YT_OK)
        return 1;
    for (unsigned i = 0; i < ADDRESSES; i++)
        numbers[i] = NOBODY;
    board_begin(count, arguments, &calls);
    do {
        due_us = yt_engine_update(&engine, board_us());
        tell_devices();
        tell_host();
    } while (board_sleep(due_us));
    return 0;
}
