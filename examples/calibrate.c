/* Calibration by a button: pressed once, it gathers; pressed again, it ends. A lamp glows while
 * more is needed and shines when enough was seen. keep.c keeps what comes of it. */
#include "board.h"
#include "calibrate_program.h"
#include "yonder/yonder.h"

#define BUTTON 2
#define LAMP   9

static yt_engine engine;
static uint64_t memory[256];
static const yt_port port = {.version = YT_PORT_VERSION};
static unsigned number;
static yt_calibrating gathering;
static yt_calibration record;
static yt_calibrated calibrated;
static yt_device pedal;
static bool is_gathering, was_pressed;

static void plugged(unsigned address, const board_device *of) {
    (void)address;
    pedal = (yt_device){.descriptor = of->descriptor,
                        .descriptor_size = of->descriptor_size,
                        .vendor = of->vendor,
                        .product = of->product,
                        .bus = YT_BUS_USB,
                        .input = YT_ANY_INPUT};
    if (yt_engine_attach(&engine, &pedal, &number) != YT_OK)
        board_say("it fits no input");
}

static void sent(unsigned address, const uint8_t *bytes, size_t size) {
    (void)address;
    if (is_gathering)
        yt_calibrating_report(&gathering, bytes, size, board_us());
    if (yt_engine_report(&engine, number, bytes, size, board_us()) != YT_OK)
        board_say("the queue is full");
}

static void begin_gathering(void) {
    const uint16_t control = 0; /* the program's first: yonder check lists them */
    yt_calibration_part part = {.kind = YT_CALIBRATION_LEVEL};
    yt_calibration_part_of(&part, &pedal);
    is_gathering = yt_calibration_find(&part, &engine, number, &control) == YT_OK &&
                   yt_calibrating_line(&gathering, &part) == YT_OK;
    board_say(is_gathering ? "press the pedal all the way three times" : "there is no pedal");
}

static void end_gathering(void) {
    is_gathering = false;
    board_drive(LAMP, 0);
    if (yt_calibrating_end(&gathering, &record) != YT_OK) {
        board_say("too little was seen: all stays as it was");
        return;
    }
    board_say_number("it rests at", record.rest[0]);
    board_say_number("it reaches", record.high[0]);
    if (yt_engine_calibrate(&engine, number, &calibrated, &record, record.bytes) == YT_OK)
        board_say("that counts from now on");
}

/* Every millisecond: the button and the lamp. */
static void look_at_button(void) {
    static unsigned shown;
    bool is_pressed = !board_pin(BUTTON);
    if (is_pressed && !was_pressed) {
        if (is_gathering)
            end_gathering();
        else
            begin_gathering();
        shown = 0;
    }
    was_pressed = is_pressed;
    if (is_gathering) {
        yt_calibration_news news;
        yt_calibrating_tell(&gathering, &news);
        unsigned level = news.state == YT_CALIBRATING_ENOUGH ? 255 : 32;
        if (level != shown)
            board_drive(LAMP, shown = level);
    }
}

static void host_took(unsigned connector, unsigned interface) {
    (void)connector;
    yt_interface_taken(&engine, interface, board_us());
}

static const board_calls calls = {
    .plugged = plugged, .sent = sent, .host_took = host_took, .sampled = look_at_button};

int main(int count, char **arguments) {
    static uint8_t answer[YT_REPORT_BYTES + 1];
    uint64_t due_us;
    size_t length;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, calibrate_program, calibrate_program_size) != YT_OK)
        return 1;
    board_begin(count, arguments, &calls);
    do {
        due_us = yt_engine_update(&engine, board_us());
        if (yt_interface_report(&engine, 0, answer, sizeof answer, &length) == YT_OK && length > 0)
            board_arm(1, 0, answer, length);
    } while (board_sleep(due_us));
    return 0;
}
