/* Feedback: what the host sends drives a lamp on a pin, and the lights of a keyboard. */
#include "board.h"
#include "feedback_program.h"
#include "yonder/yonder.h"

#define PARTS 8
#define LAMP  9 /* its pin, as in devices/pier-panel.yaml */

static yt_engine engine;
static uint64_t memory[512];
static const yt_port port = {.version = YT_PORT_VERSION};
static yt_board panel;
static yt_board_part parts[PARTS];
static unsigned panel_number, keyboard_number, keyboard_address;
static bool has_keyboard;

static void plugged(unsigned address, const board_device *of) {
    const yt_device device = {.descriptor = of->descriptor,
                              .descriptor_size = of->descriptor_size,
                              .vendor = of->vendor,
                              .product = of->product,
                              .bus = YT_BUS_USB,
                              .input = YT_ANY_INPUT};
    keyboard_address = address;
    has_keyboard = yt_engine_attach(&engine, &device, &keyboard_number) == YT_OK;
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

/* An output report of the host's. */
static void host_sent(unsigned connector, unsigned interface, const uint8_t *bytes, size_t size) {
    (void)connector;
    if (yt_interface_receive(&engine, interface, YT_HID_OUTPUT, bytes, size, board_us()) != YT_OK)
        board_say("the host sent what is no report of ours");
}

static const board_calls calls = {
    .plugged = plugged, .host_took = host_took, .host_sent = host_sent};

/* Reports to devices: the panel's go to its pins, the keyboard's over the wire. */
static void tell_devices(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_device_output output;
    while (yt_device_report(&engine, panel_number, bytes, sizeof bytes, &output) == YT_OK &&
           output.length > 0)
        board_drive(LAMP, (unsigned)yt_board_drive(&panel, bytes, output.length, LAMP));
    while (has_keyboard &&
           yt_device_report(&engine, keyboard_number, bytes, sizeof bytes, &output) == YT_OK &&
           output.length > 0)
        board_to_device(keyboard_address, bytes, output.length);
}

static bool begin(void) {
    const yt_device device = {.name = "Pier panel", .bus = YT_BUS_BOARD, .input = YT_ANY_INPUT};
    return yt_engine_init(&engine, memory, sizeof memory, &port) == YT_OK &&
           yt_engine_load(&engine, feedback_program, feedback_program_size) == YT_OK &&
           yt_board_begin(&panel, yt_engine_program(&engine), 0, parts, PARTS) == YT_OK &&
           yt_engine_attach(&engine, &device, &panel_number) == YT_OK;
}

int main(int count, char **arguments) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    uint64_t due_us;
    size_t length;
    if (!begin())
        return 1;
    board_begin(count, arguments, &calls);
    do {
        due_us = yt_engine_update(&engine, board_us());
        tell_devices();
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
    } while (board_sleep(due_us));
    return 0;
}
