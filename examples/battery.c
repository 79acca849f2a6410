/* A battery device: it sleeps until a pin changes or until the engine's next deadline, and takes
 * samples of its pins only for a few milliseconds after a change, while contacts bounce. */
#include "battery_program.h"
#include "board.h"
#include "yonder/yonder.h"

#define PARTS     8
#define PINS      10
#define SETTLE_US 10000 /* longer than any debounce time in the panel's description */
#define SAMPLE_US 1000

static yt_engine engine;
static uint64_t memory[256];
static const yt_port port = {.version = YT_PORT_VERSION};
static yt_board panel;
static yt_board_part parts[PARTS];
static unsigned number;
static uint8_t levels[(PINS + 7) / 8];
static uint64_t settled_us; /* until then it samples */

/* Whether a pin is another than before; on a real board its interrupt says so. */
static bool read_pins(void) {
    bool differs = false;
    for (unsigned i = 0; i < PINS; i++) {
        uint8_t bit = (uint8_t)(1u << i % 8);
        if (board_pin(i) == ((levels[i / 8] & bit) != 0))
            continue;
        levels[i / 8] ^= bit;
        differs = true;
    }
    return differs;
}

static void sample(void) {
    const yt_samples samples = {.pins = levels, .pin_count = PINS};
    uint8_t report[YT_REPORT_BYTES];
    size_t length;
    if (read_pins())
        settled_us = board_us() + SETTLE_US;
    if (yt_board_sample(&panel, &samples, board_us()) &&
        yt_board_report(&panel, report, sizeof report, &length) == YT_OK &&
        yt_engine_report(&engine, number, report, length, board_us()) != YT_OK)
        board_say("the queue is full");
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static const board_calls calls = {.host_took = host_took};

static bool begin(void) {
    const yt_device device = {.name = "Pier panel", .bus = YT_BUS_BOARD, .input = YT_ANY_INPUT};
    return yt_engine_init(&engine, memory, sizeof memory, &port) == YT_OK &&
           yt_engine_load(&engine, battery_program, battery_program_size) == YT_OK &&
           yt_board_begin(&panel, yt_engine_program(&engine), 0, parts, PARTS) == YT_OK &&
           yt_engine_attach(&engine, &device, &number) == YT_OK;
}

int main(int count, char **arguments) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    uint64_t due_us;
    size_t length;
    long wakes = 0;
    if (!begin())
        return 1;
    board_begin(count, arguments, &calls);
    do {
        wakes++;
        sample();
        due_us = yt_engine_update(&engine, board_us());
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
        if (board_us() < settled_us && board_us() + SAMPLE_US < due_us)
            due_us = board_us() + SAMPLE_US;
    } while (board_sleep(due_us));
    board_say_number("that was all: it woke so many times:", wakes);
    return 0;
}
