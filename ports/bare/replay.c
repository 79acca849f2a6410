/* Runs a recorded session on a microcontroller: reports from a file in, the host's reports into
 * another, through the same loop as the simulated port. */
#include "ports/bare/bare.h"
#include "ports/bare/script.h"
#include "ports/loop.h"
#include "yonder/calibration.h"

#define ENGINE_BYTES  6144
#define PROGRAM_BYTES 24576    /* of flash behind the image */
#define TAIL_US       10000000 /* how long after the last report timers may still run */

extern const unsigned char demo_program[];
extern const unsigned long demo_program_size;

typedef struct replay {
    yt_engine engine;
    yt_port port;
    loop loop;
    int in;
    int out;
    uint8_t next_type; /* the record that comes next; 0: the end */
    uint8_t report[SCRIPT_BYTES];
} replay;

static uint64_t memory[ENGINE_BYTES / 8];
static replay state;

static void read_whole(void *bytes, size_t size) {
    if (size > 0 && semihosting_read(state.in, bytes, size) != size)
        fail("the input is cut short\n");
}

static uint64_t read_number(unsigned size) {
    uint8_t bytes[8];
    uint64_t number = 0;
    read_whole(bytes, size);
    for (unsigned i = size; i > 0; i--)
        number = number << 8 | bytes[i - 1];
    return number;
}

static void read_type(void) {
    if (semihosting_read(state.in, &state.next_type, 1) != 1)
        state.next_type = 0;
}

static bool next_report(void *context, loop_report *report) {
    (void)context;
    if (state.next_type != SCRIPT_REPORT)
        return false;
    report->time_us = read_number(8);
    report->device = (unsigned)read_number(1);
    report->size = (size_t)read_number(2);
    if (report->size > sizeof state.report)
        fail("a report is too long\n");
    read_whole(state.report, report->size);
    report->bytes = state.report;
    read_type();
    return true;
}

static void report_taken(void *context, unsigned output, uint64_t time_us, const uint8_t *bytes,
                         size_t size) {
    uint32_t high = (uint32_t)(time_us >> 32), low = (uint32_t)time_us;
    uint8_t
        head[12]; /* made without the compiler's functions, which would be counted as the core's */
    (void)context;
    head[0] = SCRIPT_OUT;
    for (unsigned i = 0; i < 4; i++, low >>= 8, high >>= 8) {
        head[1 + i] = (uint8_t)low;
        head[5 + i] = (uint8_t)high;
    }
    head[9] = (uint8_t)output;
    head[10] = (uint8_t)size;
    head[11] = (uint8_t)(size >> 8);
    if (semihosting_write(state.out, head, sizeof head) != 0 ||
        semihosting_write(state.out, bytes, size) != 0)
        fail("the output cannot be written\n");
}

static void step_done(void *context, unsigned reports) {
    (void)context;
    if (reports == 1)
        mark_one_report();
    else
        mark_other();
}

extern uint32_t free_flash[]; /* of the linker script */

/* A program comes into flash, as on a device, since RAM has no room for it. */
static void read_program(size_t size) {
    volatile uint32_t *to = free_flash;
    flash_begin(size);
    for (size_t at = 0; at < size; at += 4) {
        uint32_t word = 0;
        read_whole(&word, size - at < 4 ? size - at : 4);
        *to++ = word;
    }
    flash_end();
}

static void print_number(const char *what, size_t number) {
    char digits[12];
    unsigned at = sizeof digits;
    digits[--at] = 0;
    digits[--at] = '\n';
    do
        digits[--at] = (char)('0' + number % 10);
    while (number /= 10);
    semihosting_print(what);
    semihosting_print(digits + at);
}

static void load(void) {
    const void *image = demo_program;
    size_t size = demo_program_size;
    if (state.next_type == SCRIPT_PROGRAM) {
        size = (size_t)read_number(4);
        if (size > PROGRAM_BYTES)
            fail("the program is too long\n");
        read_program(size);
        image = free_flash;
        read_type();
    }
    if (yt_engine_load(&state.engine, image, size) != YT_OK)
        fail("the program is refused\n");
    print_number("program ", yt_engine_used(&state.engine));
}

static void ask_for_boot(void) {
    unsigned asked = 0; /* other interfaces than a boot keyboard's or a boot mouse's refuse */
    for (unsigned i = 0; i < YT_INTERFACES; i++)
        asked += yt_interface_set_boot(&state.engine, i, true) == YT_OK;
    if (asked == 0)
        fail("no output has the boot protocol\n");
    read_type();
}

/* A descriptor is only read during the call. */
static void attach(void) {
    static uint8_t descriptor[SCRIPT_DESCRIPTOR / 2];
    unsigned number;
    yt_device device = {.descriptor = descriptor, .bus = YT_BUS_USB};
    device.input = (uint8_t)read_number(1);
    device.vendor = (uint16_t)read_number(2);
    device.product = (uint16_t)read_number(2);
    device.descriptor_size = (size_t)read_number(2);
    if (device.descriptor_size > sizeof descriptor)
        fail("a report descriptor is too long\n");
    read_whole(descriptor, device.descriptor_size);
    if (yt_engine_attach(&state.engine, &device, &number) != YT_OK)
        fail("a device does not fit\n");
    read_type();
}

#ifdef REPLAY_CALIBRATES

/* One at most: a record takes the memory of its whole. */
static void calibrate(void) {
    static yt_calibration record;
    static yt_calibrated calibrated;
    unsigned number = (unsigned)read_number(1);
    size_t size = (size_t)read_number(2);
    if (size > sizeof record)
        fail("a calibration is too long\n");
    read_whole(&record, size);
    if (yt_engine_calibrate(&state.engine, number, &calibrated, &record, size) != YT_OK)
        fail("a calibration is refused\n");
    print_number("calibrated ", sizeof calibrated);
    read_type();
}

#else

static void calibrate(void) {
    fail("this image calibrates nothing\n");
}

#endif

static void run_to_the_end(void) {
    uint64_t last_us = 0;
    while (state.loop.has_waiting) {
        last_us = state.loop.waiting.time_us;
        loop_run(&state.loop, last_us);
    }
    loop_run(&state.loop, last_us + TAIL_US);
}

int main(void) {
    static char words_buffer[256];
    const char *words[3];
    if (semihosting_arguments(words_buffer, sizeof words_buffer, words, 3) != 3)
        fail("usage: replay IN OUT\n");
    state.in = semihosting_open(words[1], SEMIHOSTING_READ);
    state.out = semihosting_open(words[2], SEMIHOSTING_WRITE);
    if (state.in < 0 || state.out < 0)
        fail("a file cannot be opened\n");
    state.port.version = YT_PORT_VERSION;
    state.loop = (loop){.engine = &state.engine,
                        .next = next_report,
                        .taken = report_taken,
                        .step = step_done,
                        .poll_us = 8000};
    read_type();
    if (state.next_type == SCRIPT_POLL) {
        state.loop.poll_us = read_number(4);
        read_type();
    }
    if (state.loop.poll_us == 0 ||
        yt_engine_init(&state.engine, memory, sizeof memory, &state.port) != YT_OK)
        fail("the engine cannot begin\n");
    load();
    if (state.next_type == SCRIPT_DIRECT) {
        state.loop.direct = true;
        read_type();
    }
    if (state.next_type == SCRIPT_BOOT)
        ask_for_boot();
    while (state.next_type == SCRIPT_DEVICE)
        attach();
    if (state.next_type == SCRIPT_CALIBRATION)
        calibrate();
    mark_other();
    loop_begin(&state.loop);
    run_to_the_end();
    print_number("memory ", yt_engine_used(&state.engine));
    print_number("engine ", sizeof state.engine);
    print_number("stack ", stack_used());
    return 0;
}
