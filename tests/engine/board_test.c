/* A board's pins, encoders, channels and sensors, as samples in and reports out. */
#include "ports/sim/board_log.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/engine/lengths.h"

static rig r;
static yt_board board;
static yt_board_part parts[YT_BOARD_PINS];
static uint8_t pins[4];
static uint16_t channels[4];
static int16_t sensors[2];
static const yt_samples samples = {.pins = pins,
                                   .channels = channels,
                                   .sensors = sensors,
                                   .pin_count = 32,
                                   .channel_count = 4,
                                   .sensor_count = 2};

static void begin(void) {
    memset(pins, 0xff, sizeof pins);
    memset(channels, 0, sizeof channels);
    rig_begin(&r, "inputs: {desk: otter-desk}\noutputs: {pad: gamepad}\n"
                  "sheet: {pad.south: desk.red}\n");
    CHECK_EQUAL(yt_board_begin(&board, &r.compiled.program, 0, parts, YT_BOARD_PINS), YT_OK);
}

static void set_pin(unsigned pin, bool high) {
    uint8_t mask = (uint8_t)(1u << (pin % 8));
    pins[pin / 8] = (uint8_t)(high ? pins[pin / 8] | mask : pins[pin / 8] & ~mask);
}

/* The slow and obvious way: a switch is what its pin was in every sample of the last 5 ms and the
 * one before. */
static bool settled(const uint8_t *history, unsigned at, bool before) {
    if (at < 5)
        return before;
    for (unsigned i = 1; i <= 5; i++)
        if (history[at - i] != history[at])
            return before;
    return history[at];
}

static void check_debounce(void) {
    static uint8_t history[40000];
    dice dice = {3};
    bool expected = false;
    uint64_t edge_us = 0;
    about("debounce of 5 ms, a sample each millisecond");
    begin();
    unsigned level = 0, left = 0, shown = 0, glitches = 0;
    for (unsigned i = 0; i < sizeof history; i++) {
        if (left == 0) { /* bounces and glitches up to 4 ms, and true presses */
            level = !level;
            bool is_short = roll_below(&dice, 3) > 0;
            left = is_short ? 1 + roll_below(&dice, 4) : 6 + roll_below(&dice, 30);
            glitches += is_short;
            edge_us = i * 1000u;
        }
        left--;
        history[i] = (uint8_t)level;
        set_pin(2, !level);
        bool changed = yt_board_sample(&board, &samples, i * 1000u);
        uint8_t report[YT_BOARD_BYTES];
        CHECK_EQUAL(board_report(&board, report, sizeof report), board.bytes);
        bool now = settled(history, i, expected);
        CHECK_EQUAL(report[0] & 1, now);
        CHECK_EQUAL(changed, now != expected);
        if (now != expected) {
            CHECK(i * 1000u - edge_us <= 5000); /* never later than the debounce time */
            shown++;
        }
        expected = now;
    }
    CHECK(shown > 100 && glitches > 1000);
    rig_end(&r);
}

/* Turns an encoder by quarter steps; bounces where told. Returns the detents that were reported. */
static int turn(int quarters, bool bounces, unsigned missed, dice *dice, uint64_t *now_us,
                int *state) {
    static const uint8_t gray[4] = {0, 2, 3, 1}; /* both pins off, A on, both on, B on */
    int detents = 0, step = quarters < 0 ? -1 : 1;
    bool has_missed = false; /* two in a row look like a step back */
    for (int i = 0; i != quarters; i += step) {
        int before = *state;
        *state = (*state + step) & 3;
        for (int k = bounces ? (int)roll_below(dice, 3) * 2 : 0; k >= 0; k--) {
            uint8_t pins_now = gray[k % 2 ? before : *state];
            has_missed = missed && !has_missed && *state != 0 && roll_below(dice, 100) < missed;
            if (has_missed)
                continue; /* the sample came too late for this state */
            set_pin(5, !(pins_now & 2));
            set_pin(6, !(pins_now & 1));
            *now_us += 250;
            if (yt_board_sample(&board, &samples, *now_us)) {
                uint8_t report[YT_BOARD_BYTES];
                board_report(&board, report, sizeof report);
                detents += (int8_t)report[1];
            }
        }
    }
    return detents;
}

static void check_encoder(void) {
    dice dice = {4};
    uint64_t now_us = 0;
    int state = 0;
    about("an encoder that turns cleanly");
    begin();
    yt_board_sample(&board, &samples, now_us);
    CHECK_EQUAL(turn(40, false, 0, &dice, &now_us, &state), 10);
    CHECK_EQUAL(turn(-20, false, 0, &dice, &now_us, &state), -5);
    about("one that bounces at every edge");
    CHECK_EQUAL(turn(400, true, 0, &dice, &now_us, &state), 100);
    CHECK_EQUAL(turn(-400, true, 0, &dice, &now_us, &state), -100);
    about("half a detent and back is none");
    CHECK_EQUAL(turn(1, true, 0, &dice, &now_us, &state), 0);
    CHECK_EQUAL(turn(-1, true, 0, &dice, &now_us, &state), 0);
    about("one state in ten missed while it turns on");
    CHECK_EQUAL(turn(4000, false, 10, &dice, &now_us, &state), 1000);
    CHECK_EQUAL(turn(-4000, false, 10, &dice, &now_us, &state), -1000);
    rig_end(&r);
}

static void check_channels(void) {
    uint8_t report[YT_BOARD_BYTES];
    about("eight samples of a channel make a value");
    begin();
    channels[0] = 2048;
    for (int i = 0; i < 7; i++)
        CHECK(!yt_board_sample(&board, &samples, (uint64_t)i));
    channels[0] = 2049;
    CHECK(yt_board_sample(&board, &samples, 7));
    board_report(&board, report, sizeof report);
    CHECK_EQUAL(yt_hid_get(report, sizeof report, 16, 32), 7 * 2048 + 2049);
    about("what a port has not is off, or not told");
    const yt_samples none = {.pins = pins};
    memset(pins, 0, sizeof pins);
    CHECK(!yt_board_sample(&board, &none, 100000));
    CHECK(!yt_board_sample(&board, &none, 200000));
    about("limits");
    CHECK_EQUAL(board_report(&board, report, board.bytes - 1u), 0);
    CHECK_EQUAL(yt_board_begin(&board, &r.compiled.program, 0, parts, 3), YT_MEMORY);
    CHECK_EQUAL(yt_board_begin(&board, &r.compiled.program, 1, parts, 64), YT_ARGUMENT);
    rig_end(&r);
}

static void check_lamp(void) {
    about("a lamp of the board, driven by the host");
    rig_begin(&r, "inputs: {desk: otter-desk}\noutputs: {pad: gamepad}\n"
                  "sheet: {desk.lamp: pad.rumble.strong}\n");
    CHECK_EQUAL(yt_board_begin(&board, &r.compiled.program, 0, parts, YT_BOARD_PINS), YT_OK);
    yt_device device = {.bus = YT_BUS_BOARD, .name = "Otter desk", .input = YT_ANY_INPUT};
    unsigned number;
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_hid_direction direction;
    CHECK_EQUAL(yt_engine_attach(&r.engine, &device, &number), YT_OK);
    const uint8_t rumble[] = {99, 0, 0, 0, 0};
    CHECK_EQUAL(yt_interface_receive(&r.engine, 0, YT_HID_OUTPUT, rumble, 5, 0), YT_OK);
    size_t size = device_output(&r.engine, number, bytes, sizeof bytes, &direction);
    CHECK_EQUAL(size, 1);
    CHECK_EQUAL(yt_board_drive(&board, bytes, size, 9), 99);
    CHECK_EQUAL(yt_board_drive(&board, bytes, size, 8), -1);
    rig_end(&r);
}

/* Logs that are wrong, and what is said of them. */
static void check_logs(void) {
    static const struct {
        const char *log, *error;
    } cases[] = {
        {"", "desk.csv:0: the log is empty"},
        {"pin2,time\n", "desk.csv:1: a log of a board begins with the columns' names, the first of "
                        "them time"},
        {"time\n", "desk.csv:1: there is no column beside the time"},
        {"time,pin999\n", "desk.csv:1: a column is one of: pin0 to pin255, adc0 to adc254, sensor0 "
                          "to sensor15"},
        {"time,pin2\n0.1,2\n", "desk.csv:2: a pin is 0 or 1"},
        {"time,adc0\n0.1,-5\n", "desk.csv:2: an ADC gives whole numbers from 0 to 65535"},
        {"time,pin2\n0.1\n", "desk.csv:2: there are fewer numbers than columns"},
        {"time,pin2\n0.1,1,1\n", "desk.csv:2: there are more numbers than columns"},
        {"time,pin2\n0.2,1\n\n0.1,0\n", "desk.csv:4: this line is earlier than the one before it"},
        {"time,pin2\nnow,1\n", "desk.csv:2: a line begins with its time in seconds, up to a day"}};
    begin();
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        recording recording;
        about("a log: %s", cases[i].log);
        CHECK(!board_log_parse(&recording, "desk.csv", cases[i].log, strlen(cases[i].log),
                               &r.compiled.program, 0, "Otter desk"));
        CHECK_TEXT(recording.error, cases[i].error);
    }
    recording recording;
    about("the demo's log");
    CHECK(board_log_read(&recording, "crane/logs/otter-desk.csv", &r.compiled.program, 0,
                         "Otter desk"));
    unsigned presses = 0, detents = 0, before = 0;
    for (size_t i = 0; i < recording.report_count; i++) {
        const uint8_t *report = recording.bytes + recording.reports[i].offset;
        presses += (report[0] & 1) && !(before & 1);
        before = report[0];
        detents += report[1] != 0;
    }
    CHECK_EQUAL(presses, 2); /* red, twice; the glitches do not show */
    CHECK_EQUAL(detents, 9);
    recording_free(&recording);
    rig_end(&r);
}

/* The two pins of an encoder as a state; each pin is on while it is low. */
static void set_encoder(unsigned state) {
    set_pin(5, !(state >> 1));
    set_pin(6, !(state & 1));
}

/* The detents that one sample of the encoder gives. */
static int detents_of(unsigned state, uint64_t now_us) {
    static int8_t report[YT_BOARD_BYTES];
    unsigned knob = 0;
    while (board.pins[knob].kind != YT_PIN_ENCODER)
        knob++;
    set_encoder(state);
    yt_board_sample(&board, &samples, now_us);
    board_report(&board, (uint8_t *)report, sizeof report);
    return report[board.pins[knob].bit / 8];
}

/* A knob that turns so fast that the pins are never seen at a detent: two states of four, so each
 * sample is two quarter steps on in the direction in which it began. It never turns back, and what
 * it turned is counted. */
static void check_fast_knob(void) {
    for (int direction = -1; direction <= 1; direction += 2) {
        int sum = 0, before = 0;
        about("an encoder that is never seen at a detent, direction %d", direction);
        begin();
        detents_of(0, 0);
        detents_of(direction > 0 ? 2 : 1, 1); /* one quarter step says which way */
        unsigned state = direction > 0 ? 2 : 1;
        for (unsigned i = 0; i < 5000; i++) {
            state ^= 3; /* 1 and 2: two quarter steps apart */
            sum += detents_of(state, 2 + i);
            CHECK(direction > 0 ? sum >= before : sum <= before);
            before = sum;
        }
        CHECK(direction * sum >= 2498 && direction * sum <= 2501); /* four quarters a detent */
        rig_end(&r);
    }
}

/* More detents than a report and a counter hold are told one report after the other. */
static void check_unread_knob(void) {
    static uint8_t report[YT_BOARD_BYTES];
    static const uint8_t turning[] = {2, 3, 1, 0};
    unsigned knob = 0;
    about("an encoder that nobody reads");
    begin();
    while (board.pins[knob].kind != YT_PIN_ENCODER)
        knob++;
    for (unsigned i = 0; i < 4u * 40000; i++) {
        set_encoder(turning[i % 4]);
        yt_board_sample(&board, &samples, i);
    }
    int sum = 0;
    for (unsigned i = 0; i < 1000; i++) {
        board_report(&board, report, sizeof report);
        int detents = (int8_t)report[board.pins[knob].bit / 8];
        CHECK(detents >= 0 || sum == 0);
        sum += detents;
    }
    CHECK_EQUAL(sum < 0 ? -sum : sum, INT16_MAX);
    rig_end(&r);
}

/* A port that has fewer pins, channels and sensors than the board: what is not there is off, or 0.
 * The arrays are of their exact size, so that a sanitizer sees an access behind them. */
static void check_few_samples(void) {
    static const struct {
        yt_program_header header;
        yt_program_pin wired[6];
    } image = {.header = {.total_bytes = sizeof image, .pin_count = 6},
               .wired = {{.bit = 0, .kind = YT_PIN_SWITCH, .pin = 9},
                         {.bit = 1, .kind = YT_PIN_SWITCH, .pin = 31},
                         {.bit = 8, .kind = YT_PIN_ENCODER, .pin = 7, .other = 8, .steps = 4},
                         {.bit = 16, .kind = YT_PIN_ANALOG, .pin = 2, .steps = 1},
                         {.bit = 48, .kind = YT_PIN_SENSOR, .pin = 2},
                         {.bit = 64, .kind = YT_PIN_SENSOR, .pin = 0}}};
    const yt_program program = {.header = &image.header, .pins = image.wired};
    CHECK_EQUAL(yt_board_begin(&board, &program, 0, parts, YT_BOARD_PINS), YT_OK);
    for (unsigned count = 0; count < 33; count++) {
        uint8_t *few_pins = malloc((count + 7) / 8 + !count), report[YT_BOARD_BYTES];
        uint16_t *few_channels = malloc(2 * (count % 5) + !(count % 5));
        int16_t *few_sensors = malloc(2 * (count % 4) + !(count % 4));
        memset(few_pins, 0, (count + 7) / 8);
        memset(few_channels, 0xff, 2 * (count % 5));
        memset(few_sensors, 0x7f, 2 * (count % 4));
        const yt_samples few = {.pins = few_pins,
                                .channels = few_channels,
                                .sensors = few_sensors,
                                .pin_count = (uint16_t)count,
                                .channel_count = (uint8_t)(count % 5),
                                .sensor_count = (uint8_t)(count % 4)};
        about("%u pins, %u channels, %u sensors", count, count % 5, count % 4);
        for (unsigned i = 0; i < 300; i++)
            yt_board_sample(&board, &few, i * 1000u);
        CHECK_EQUAL(board_report(&board, report, sizeof report), board.bytes);
        for (unsigned i = 0; i < board.count; i++) {
            const yt_program_pin *pin = &board.pins[i];
            if (pin->kind == YT_PIN_SWITCH && pin->pin >= count)
                CHECK_EQUAL(report[pin->bit / 8] >> pin->bit % 8 & 1, 0);
            if (pin->kind == YT_PIN_SENSOR)
                CHECK_EQUAL(report[pin->bit / 8], pin->pin < count % 4 ? 0x7f : 0);
        }
        free(few_sensors);
        free(few_channels);
        free(few_pins);
    }
}

int main(void) {
    check_fast_knob();
    check_unread_knob();
    check_few_samples();
    check_debounce();
    check_encoder();
    check_channels();
    check_lamp();
    check_logs();
    return report_checks();
}
