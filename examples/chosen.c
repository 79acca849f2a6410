/* A program in flash that is chosen at plug-in, by the button that is held then. The programs are
 * constants here; slots that are changed while it runs are in keep.c. */
#include "board.h"
#include "chosen_program.h"
#include "smallest_program.h"
#include "yonder/yonder.h"

#define BUTTON 2 /* its pin, which is low while it is pressed */

static yt_engine engine;
static uint64_t memory[512];
static const yt_port port = {.version = YT_PORT_VERSION};
static unsigned number;

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

static void sent(unsigned address, const uint8_t *bytes, size_t size) {
    (void)address;
    if (yt_engine_report(&engine, number, bytes, size, board_us()) != YT_OK)
        board_say("the queue is full");
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static const board_calls calls = {.plugged = plugged, .sent = sent, .host_took = host_took};

/* Where the one that was asked for cannot run, the other one does: a box that does nothing helps
 * nobody. */
static bool load(void) {
    bool is_held = !board_pin(BUTTON);
    board_say(is_held ? "the button is held: the second program" : "the first program");
    if (is_held && yt_engine_load(&engine, smallest_program, smallest_program_size) == YT_OK)
        return true;
    return yt_engine_load(&engine, chosen_program, chosen_program_size) == YT_OK;
}

int main(int count, char **arguments) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    uint64_t due_us = 0;
    size_t length;
    board_begin(count, arguments, &calls);
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK || !load())
        return 1;
    while (board_sleep(due_us)) {
        due_us = yt_engine_update(&engine, board_us());
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
    }
    return 0;
}
