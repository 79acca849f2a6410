/* One device onto two connectors: each host gets its own reports at its own pace, and one that
 * sleeps is woken, and misses nothing that was pressed. */
#include "board.h"
#include "split_program.h"
#include "yonder/yonder.h"

#define CONNECTORS 2

static yt_engine engine;
static uint64_t memory[512];
static unsigned number;

static void wake(void *context, unsigned connector) {
    (void)context;
    board_say_number("wakes host", connector);
}

static const yt_port port = {.version = YT_PORT_VERSION, .wake = wake};

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

/* A connector counts its interfaces from 0; the engine counts those of all connectors. */
static void host_took(unsigned connector, unsigned interface) {
    yt_interface_taken(&engine, yt_connector_interface(&engine, connector, interface), board_us());
}

static void host_sleeps(unsigned connector, bool sleeps) {
    yt_connector_suspend(&engine, connector, sleeps);
}

static const board_calls calls = {
    .plugged = plugged, .sent = sent, .host_took = host_took, .host_sleeps = host_sleeps};

static void tell_hosts(void) {
    static uint8_t answers[YT_INTERFACES][YT_REPORT_BYTES + 1];
    size_t length;
    for (unsigned connector = 1; connector <= CONNECTORS; connector++)
        for (unsigned i = 0;; i++) {
            unsigned interface = yt_connector_interface(&engine, connector, i);
            if (interface == YT_INTERFACES)
                break;
            if (yt_interface_report(&engine, interface, answers[interface],
                                    sizeof answers[interface], &length) == YT_OK &&
                length > 0)
                board_arm(connector, i, answers[interface], length);
        }
}

int main(int count, char **arguments) {
    uint64_t due_us;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, split_program, split_program_size) != YT_OK)
        return 1;
    board_begin(count, arguments, &calls);
    do {
        due_us = yt_engine_update(&engine, board_us());
        tell_hosts();
    } while (board_sleep(due_us));
    return 0;
}
