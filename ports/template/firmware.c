/* A firmware to begin with: an adapter between one device and a host, over USB on both sides. Copy
 * it, and fill in the functions that are declared under "Your hardware"; docs/port.md says what
 * each call needs. It is compiled with the rest, so it is never out of date.
 *
 * Everything runs in the main loop but device_sent, which is an interrupt's. */
#include <string.h>

#include "yonder/yonder.h"

#define CONNECTOR 1

/* ---- Your hardware: fill these in. */

/* Microseconds since the start; any clock that does not stop. */
uint64_t clock_us(void);

/* Sleeps until an interrupt comes, or until that time. */
void sleep_until(uint64_t time_us);

/* Whether a device is plugged in, and its report descriptor, read by the host stack. */
bool device_is_there(const uint8_t **descriptor, size_t *size, uint16_t *vendor, uint16_t *product);

/* Sends a report to it: SET_REPORT, or its interrupt OUT endpoint. */
void device_send(yt_hid_direction direction, const uint8_t *bytes, size_t size);

/* Arms interrupt IN endpoint `endpoint` with a report. */
void endpoint_send(unsigned endpoint, const uint8_t *bytes, size_t size);

/* Answers a control transfer; stalls it. */
void control_send(const uint8_t *bytes, size_t size);
void control_stall(void);

/* Drives the bus so that the host wakes up. */
void bus_wake(void);

/* Unplugs and plugs in again, as another device. */
void bus_reconnect(void);

/* The program that runs, as `yonder compile PROFILE --c-array adapter_program` writes it. */
extern const unsigned char adapter_program[];
extern const unsigned long adapter_program_size;

/* ---- What the library needs. */

#define MEMORY_BYTES 2560 /* yonder check says how much */

static yt_engine engine;
static uint64_t memory[MEMORY_BYTES / 8];

static void wake(void *context, unsigned connector) {
    (void)context, (void)connector;
    bus_wake();
}

static void restart(void *context, uint32_t layout) {
    (void)context, (void)layout;
    bus_reconnect();
}

static const yt_port port = {.version = YT_PORT_VERSION, .wake = wake, .restart = restart};

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 0x0001,
                                         .manufacturer = "Your name",
                                         .product_name = "Your adapter",
                                         .serial = "1",
                                         .packet_bytes = 64,
                                         .milliamperes = 100,
                                         .interval_ms = 1};

/* ---- The device's side. */

static unsigned device;
static bool is_attached;

/* From the host stack's interrupt: the device has sent a report. What the queue has no room for is
 * counted (yt_engine_counts); the next report has what is on then. */
void device_sent(const uint8_t *bytes, size_t size);
void device_sent(const uint8_t *bytes, size_t size) {
    yt_status status = yt_engine_report(&engine, device, bytes, size, clock_us());
    (void)status;
}

static void watch_device(void) {
    yt_device arrived = {.bus = YT_BUS_USB, .input = YT_ANY_INPUT};
    bool is_there = device_is_there(&arrived.descriptor, &arrived.descriptor_size, &arrived.vendor,
                                    &arrived.product);
    if (is_there && !is_attached)
        is_attached = yt_engine_attach(&engine, &arrived, &device) == YT_OK;
    if (!is_there && is_attached) {
        yt_engine_detach(&engine, device, clock_us());
        is_attached = false;
    }
}

/* Its lights and motors. */
static void drive_device(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_device_output output;
    while (is_attached &&
           yt_device_report(&engine, device, bytes, sizeof bytes, &output) == YT_OK &&
           output.length > 0)
        device_send(output.direction, bytes, output.length);
}

/* ---- The host's side: these are called by the device stack, in the main loop. */

void host_reset(void);
void host_reset(void) {
    yt_connector_reset(&engine, CONNECTOR);
}

void host_suspended(bool on);
void host_suspended(bool on) {
    yt_connector_suspend(&engine, CONNECTOR, on);
}

/* A setup packet came, with its data where the host sends some. */
void host_asked(const uint8_t setup[8], const uint8_t *data, size_t size);
void host_asked(const uint8_t setup[8], const uint8_t *data, size_t size) {
    static uint8_t answer[512];
    yt_usb_control control = {.data = data, .size = size, .answer = answer, .room = sizeof answer};
    memcpy(control.setup, setup, sizeof control.setup);
    if (yt_usb_request(&engine, &identity, CONNECTOR, &control, clock_us()) == YT_OK)
        control_send(answer, control.length);
    else
        control_stall();
}

/* The host has taken what was armed at an endpoint. */
void host_took(unsigned endpoint);
void host_took(unsigned endpoint) {
    unsigned interface = yt_connector_interface(&engine, CONNECTOR, endpoint - 1);
    yt_interface_taken(&engine, interface, clock_us());
}

static void arm_endpoints(void) {
    static uint8_t bytes[YT_INTERFACES][YT_REPORT_BYTES + 1];
    unsigned interface;
    for (unsigned i = 0;
         (interface = yt_connector_interface(&engine, CONNECTOR, i)) < YT_INTERFACES; i++) {
        size_t length;
        if (yt_interface_report(&engine, interface, bytes[i], sizeof bytes[i], &length) == YT_OK &&
            length > 0)
            endpoint_send(i + 1, bytes[i], length);
    }
}

/* ---- The main loop. */

int firmware(void);
int firmware(void) {
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, adapter_program, adapter_program_size) != YT_OK)
        return 1;
    for (;;) {
        watch_device();
        uint64_t due_us = yt_engine_update(&engine, clock_us());
        drive_device();
        arm_endpoints();
        sleep_until(due_us);
    }
}
