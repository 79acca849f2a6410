/* A controller of its own: buttons on pins, an encoder and the stick's two ADC channels, sampled
 * every millisecond. What is wired where stands in devices/pier-panel.yaml. */
#include "board.h"
#include "pins_program.h"
#include "yonder/yonder.h"

#define PARTS    8 /* pins, encoders and channels of the panel, or more */
#define PINS     10
#define CHANNELS 2

static yt_engine engine;
static uint64_t memory[256];
static const yt_port port = {.version = YT_PORT_VERSION};
static yt_board panel;
static yt_board_part parts[PARTS];
static unsigned number; /* of the panel, as a device */

/* From a timer: what stands at the pins becomes a report where something changed. */
static void sample(void) {
    uint8_t levels[(PINS + 7) / 8] = {0}, report[YT_REPORT_BYTES];
    uint16_t channels[CHANNELS];
    size_t length;
    for (unsigned i = 0; i < PINS; i++)
        levels[i / 8] = (uint8_t)(levels[i / 8] | board_pin(i) << i % 8);
    for (unsigned i = 0; i < CHANNELS; i++)
        channels[i] = board_channel(i);
    const yt_samples samples = {
        .pins = levels, .pin_count = PINS, .channels = channels, .channel_count = CHANNELS};
    if (yt_board_sample(&panel, &samples, board_us()) &&
        yt_board_report(&panel, report, sizeof report, &length) == YT_OK &&
        yt_engine_report(&engine, number, report, length, board_us()) != YT_OK)
        board_say("the queue is full");
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static const board_calls calls = {.sampled = sample, .host_took = host_took};

static bool begin(void) {
    const yt_device device = {.name = "Pier panel", .bus = YT_BUS_BOARD, .input = YT_ANY_INPUT};
    return yt_engine_init(&engine, memory, sizeof memory, &port) == YT_OK &&
           yt_engine_load(&engine, pins_program, pins_program_size) == YT_OK &&
           yt_board_begin(&panel, yt_engine_program(&engine), 0, parts, PARTS) == YT_OK &&
           yt_engine_attach(&engine, &device, &number) == YT_OK;
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
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
    } while (board_sleep(due_us));
    return 0;
}
