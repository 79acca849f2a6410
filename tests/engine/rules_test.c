/* Rules that want more than a table's row: what is full, what waits too long, what is late, what
 * the port may ask for, and that nothing that comes from outside does harm. */
#include "image/code.h"
#include "in/queue.h"
#include "tests/engine/world.h"
#include "tests/harness.h"
#include "yonder/inspect.h"
#include "tests/engine/lengths.h"

static world w;

static unsigned count_of(const char *text, const char *what) {
    unsigned count = 0;
    for (const char *at = text; (at = strstr(at, what)) != NULL; at++)
        count++;
    return count;
}

/* Far more taps than the list holds: what is dropped is whole pairs, and the end is right. */
static void check_full_list(void) {
    about("200 taps while the host does not poll");
    world_begin(&w, "pad.south: keys.a\npad.east: keys.b\npad.dpad.up: keys.c", 0);
    for (int i = 0; i < 200; i++) {
        world_press(&w, i % 3 ? "a" : "c", true);
        world_press(&w, i % 3 ? "a" : "c", false);
    }
    world_press(&w, "b", true);
    uint32_t dropped = yt_engine_counts(&w.engine).pairs_dropped;
    CHECK(dropped > 150);
    w.poll_us = 1000;
    world_run_until(&w, 1000000);
    unsigned south_down = count_of(w.log, "south down"), south_up = count_of(w.log, "south up");
    unsigned hat_up = count_of(w.log, "dpad up"), hat_back = count_of(w.log, "dpad centre");
    CHECK_EQUAL(south_down, south_up);
    CHECK_EQUAL(hat_up, hat_back);
    CHECK_EQUAL(south_down + hat_up + dropped, 200);
    CHECK_EQUAL(count_of(w.log, "east down"), 1);
    CHECK_EQUAL(count_of(w.log, "east up"), 0);
    world_end(&w);
}

static void check_motion_waits(void) {
    about("motion that does not fit is dropped once it has waited 250 ms");
    world_begin(&w, "view.wheel: ball.motion.x", 100000);
    for (int i = 0; i < 10; i++)
        world_move(&w, 32767, 0, 0);
    world_run_until(&w, 2000000);
    CHECK_TEXT(w.log, "0 wheel 32767; 100 wheel 32767; 200 wheel 32767; 300 wheel 32767; "
                      "400 wheel 32767");
    CHECK_EQUAL(yt_engine_counts(&w.engine).motion_dropped, 5 * 32767);
    world_end(&w);

    about("while no host polls, motion is dropped");
    world_begin(&w, "view.motion: ball.motion", 0);
    for (int i = 0; i < 100; i++) {
        world_move(&w, 10, 0, 0);
        world_run_until(&w, w.now_us + 10000);
    }
    w.poll_us = 1000;
    world_run_until(&w, w.now_us + 100000);
    CHECK_EQUAL(w.hosts[1].controls[8].sum + (int64_t)yt_engine_counts(&w.engine).motion_dropped,
                1000);
    CHECK_EQUAL(w.hosts[1].controls[8].sum, 10); /* what stood in the report that was left */
    world_end(&w);

    about("what moved just before the host went away does not come out when it is back");
    world_begin(&w, "view.motion: ball.motion\npad.south: keys.a", 0);
    world_move(&w, 3, 0, 0);
    world_move(&w, 4, 0, 0);
    world_press(&w, "a", true);
    w.now_us = 10000000;
    w.poll_us = 1000;
    world_run_until(&w, 10100000);
    CHECK_EQUAL(w.hosts[1].controls[8].sum, 3);
    CHECK_EQUAL(yt_engine_counts(&w.engine).motion_dropped, 4);
    CHECK_EQUAL(w.hosts[0].controls[0].value, 1); /* switches wait for ever */
    world_end(&w);
}

static void check_sums(void) {
    about("sums of motion are kept in 64 bits");
    world_begin(&w, "view.motion: ball.motion", 0);
    w.port.motion_wait_us = 60000000;
    for (int i = 0; i < 100000; i++)
        world_move(&w, 32767, -32768, 0);
    w.poll_us = 100;
    world_run_until(&w, w.now_us + 30000000);
    CHECK_EQUAL(w.hosts[1].controls[8].sum, INT64_C(3276700000));
    CHECK_EQUAL(w.hosts[1].controls[9].sum, INT64_C(-3276800000));
    world_end(&w);
}

/* The stick's value at a moment, after updates at the times given. */
static yt_q16 stick_after(const uint64_t *updates, unsigned count) {
    world_begin(&w, "pad.right_stick: stick_from_motion(ball.motion, full_at=1500 /s)", 0);
    world_move(&w, 6, 0, 0);
    w.now_us = 3000;
    world_hold(&w, "a", true);
    uint8_t report[6] = {0, 9, 0, 0, 0, 0};
    CHECK_EQUAL(yt_engine_report(&w.engine, w.numbers[WORLD_BALL], report, 6, 3000), YT_OK);
    for (unsigned i = 0; i < count; i++)
        yt_engine_update(&w.engine, updates[i]);
    const yt_program *program = yt_engine_program(&w.engine);
    yt_q16 value = 0;
    for (unsigned i = 0; i < program->header->step_count; i++)
        if (program->code[program->steps[i].code].code == YT_CODE_CALL)
            value = yt_inspect_value(&w.engine, program->steps[i].value);
    world_end(&w);
    return value;
}

static void check_one_late_update(void) {
    about("one late update and many punctual ones come to the same value");
    const uint64_t punctual[] = {3000, 4000, 8000, 12000, 16000, 20000, 24000, 28000, 30000};
    const uint64_t odd[] = {3500, 11111, 11111, 29000, 30000};
    const uint64_t late[] = {30000};
    yt_q16 value = stick_after(punctual, 9);
    CHECK(value > YT_ONE / 50);
    CHECK_EQUAL(stick_after(odd, 5), value);
    CHECK_EQUAL(stick_after(late, 1), value);
}

static void check_merged_deadlines(void) {
    about("a very late update runs 64 deadlines and merges the rest");
    world_begin(&w, "pad.right_stick: stick_from_motion(ball.motion, full_at=1 /s)", 0);
    uint8_t report[6] = {0, 0xff, 0x7f, 0, 0, 0};
    for (int i = 0; i < 60; i++) { /* motion each 10 ms keeps the steps of 4 ms going */
        uint64_t at_us = (uint64_t)i * 10000;
        if (yt_engine_report(&w.engine, w.numbers[WORLD_BALL], report, 6, at_us) != YT_OK)
            break;
    }
    yt_engine_update(&w.engine, 10000000);
    CHECK(yt_engine_counts(&w.engine).deadlines_merged > 0);
    CHECK(yt_engine_update(&w.engine, 20000000) == YT_NEVER);
    world_end(&w);
}

/* What is beyond 32,767 is cut and counted, in each of the ways in which a number can come to that;
 * what is not is not. */
static void check_cut_numbers(void) {
    static const struct {
        const char *sheet;
        int x, y;
        unsigned cut;
    } cases[] = {{"view.motion: ball.motion", 32767, -32767, 0},
                 {"view.motion: ball.motion * 2", 16383, -16383, 0},
                 {"view.motion: ball.motion * 2", 16384, 0, 1},
                 {"view.motion: ball.motion * 40", 1000, -1000, 2},
                 {"view.motion: ball.motion * 40 * 1%", 1000, 0, 1},
                 {"view.motion: (ball.motion + ball.motion) * 0.1", 20000, 0, 1},
                 {"view.motion: (ball.motion - (-ball.motion)) * 0.1", 0, 20000, 1},
                 {"pad.south: ball.motion.x / 0.01 > 5", 300, 0, 0},
                 {"pad.south: ball.motion.x / 0.01 > 5", 400, 0, 1}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        about("%s, moved by %d and %d", cases[i].sheet, cases[i].x, cases[i].y);
        world_begin(&w, cases[i].sheet, 1000);
        world_move(&w, cases[i].x, cases[i].y, 0);
        world_run_until(&w, 100000);
        CHECK_EQUAL(yt_engine_counts(&w.engine).numbers_cut, cases[i].cut);
        world_end(&w);
    }
}

static void check_port_calls(void) {
    uint8_t bytes[YT_REPORT_BYTES + 1], state[YT_REPORT_BYTES + 1];
    about("what the port asks for");
    world_begin(&w, "view.motion: ball.motion\nview.button1: ball.button1", 0);
    w.buttons[0] = 1;
    world_move(&w, 5, 0, 0);
    CHECK_EQUAL(w.report_size[1], 9);
    CHECK_EQUAL(state_of(&w.engine, 1, YT_HID_INPUT, 0, state, sizeof state), 9);
    CHECK_EQUAL(state[0], 1);
    CHECK_EQUAL(state[1], 0); /* motion is 0 in an answer to GET_REPORT */
    CHECK_EQUAL(w.report[1][1], 5);
    CHECK_EQUAL(next_report(&w.engine, 1, bytes, sizeof bytes), 0); /* not taken yet */
    yt_interface_taken(&w.engine, 1, 10);
    CHECK_EQUAL(next_report(&w.engine, 1, bytes, sizeof bytes), 0); /* nothing new */
    CHECK_EQUAL(next_report(&w.engine, 7, bytes, sizeof bytes), 0);
    CHECK_EQUAL(state_of(&w.engine, 1, YT_HID_INPUT, 0, state, 6), 0);
    yt_interface_taken(&w.engine, 9, 10);
    CHECK_EQUAL(yt_engine_inputs_of(&w.engine, 5), 0);
    CHECK_EQUAL(yt_engine_control(&w.engine, 4000), 0);
    world_end(&w);
}

static void check_queue(void) {
    uint8_t report[15] = {0};
    unsigned taken = 0;
    about("a full queue refuses, and takes again after an update");
    world_begin(&w, "pad.south: keys.a", 0);
    while (yt_engine_report(&w.engine, 0, report, sizeof report, 0) == YT_OK)
        taken++;
    CHECK(taken >= 16 && taken <= 18);
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, sizeof report, 0), YT_FULL);
    CHECK_EQUAL(yt_engine_counts(&w.engine).reports_refused, 2);
    yt_engine_update(&w.engine, 0);
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, sizeof report, 0), YT_OK);
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, 400, 0), YT_ARGUMENT);
    CHECK_EQUAL(yt_engine_report(&w.engine, 99, report, 4, 0), YT_ARGUMENT);
    world_end(&w);
}

/* Whatever is put in comes out whole and in order, at every size. */
static void check_queue_order(void) {
    dice dice = {6};
    uint64_t memory[64];
    yt_queue queue;
    uint32_t put = 0, got = 0;
    about("what goes into a queue comes out of it");
    yt_queue_begin(&queue, (uint8_t *)memory, sizeof memory);
    for (int i = 0; i < 200000; i++) {
        if (roll_below(&dice, 2)) {
            uint8_t bytes[256];
            size_t size = 4 + roll_below(&dice, (uint32_t)yt_queue_longest(&queue) - 3);
            memset(bytes, (int)(put & 0xff), size);
            memcpy(bytes, &put, 4);
            put += yt_queue_put(&queue, put % 7, bytes, size, put);
        } else {
            const yt_queued *entry = yt_queue_look(&queue, yt_queue_end(&queue));
            CHECK_EQUAL(entry != NULL, got != put);
            if (!entry)
                continue;
            const uint8_t *bytes = (const uint8_t *)(entry + 1);
            CHECK_EQUAL(memcmp(bytes, &got, 4), 0);
            CHECK_EQUAL(entry->device, got % 7);
            CHECK_EQUAL(entry->happened_low, got);
            for (size_t k = 4; k < entry->size; k++)
                CHECK_EQUAL(bytes[k], got & 0xff);
            got++;
            yt_queue_drop(&queue);
        }
    }
    CHECK(got > 50000);
}

static void check_several_devices(void) {
    unsigned second;
    about("two keyboards at one input are or-ed; a ninth device has no room");
    world_begin(&w, "pad.south: keys.a", 8000);
    yt_device keyboard = {.input = YT_ANY_INPUT};
    keyboard.descriptor =
        (const uint8_t[]){0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x04, 0x29, 0x0b,
                          0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};
    keyboard.descriptor_size = 23;
    size_t before = yt_engine_used(&w.engine);
    CHECK_EQUAL(yt_engine_attach(&w.engine, &keyboard, &second), YT_OK);
    CHECK_EQUAL(yt_engine_inputs_of(&w.engine, second), 1u << WORLD_KEYS);
    world_press(&w, "a", true);
    CHECK_EQUAL(yt_engine_report(&w.engine, second, (const uint8_t[]){1}, 1, 0), YT_OK);
    yt_engine_update(&w.engine, 0);
    world_press(&w, "a", false);
    CHECK_EQUAL(yt_engine_control(&w.engine, 0), YT_ONE);
    yt_engine_detach(&w.engine, second, 0);
    CHECK_EQUAL(yt_engine_control(&w.engine, 0), 0);
    CHECK_EQUAL(yt_engine_used(&w.engine), before);
    for (int i = 0; i < YT_DEVICES - WORLD_DEVICES; i++)
        CHECK_EQUAL(yt_engine_attach(&w.engine, &keyboard, &second), YT_OK);
    CHECK_EQUAL(yt_engine_attach(&w.engine, &keyboard, &second), YT_TOO_MANY_DEVICES);
    world_end(&w);
}

static void check_refusals(void) {
    unsigned number;
    static const uint8_t vendor_only[] = {0x06, 0x00, 0xff, 0x09, 0x01, 0xa1, 0x01, 0xc0};
    yt_device device = {
        .descriptor = vendor_only, .descriptor_size = sizeof vendor_only, .input = YT_ANY_INPUT};
    about("devices that do not fit, or are broken");
    world_begin(&w, "pad.south: keys.a", 0);
    size_t used = yt_engine_used(&w.engine);
    CHECK_EQUAL(yt_engine_attach(&w.engine, &device, &number), YT_NO_MATCH);
    device.descriptor_size = 7;
    CHECK_EQUAL(yt_engine_attach(&w.engine, &device, &number), YT_HID_UNCLOSED);
    CHECK_EQUAL(yt_engine_used(&w.engine), used);
    about("reports too short, too long, of no device");
    world_hold(&w, "a", true);
    uint8_t report[64] = {0, 1};
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, 14, 0), YT_OK);
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, 0, 0), YT_OK);
    CHECK_EQUAL(yt_engine_report(&w.engine, 7, report, 15, 0), YT_OK);
    yt_engine_update(&w.engine, 0);
    CHECK_EQUAL(yt_engine_control(&w.engine, 0), 0);
    CHECK_EQUAL(yt_engine_counts(&w.engine).reports_short, 2);
    CHECK_EQUAL(yt_engine_report(&w.engine, 0, report, 64, 0), YT_OK);
    yt_engine_update(&w.engine, 0);
    CHECK_EQUAL(yt_engine_control(&w.engine, 0), YT_ONE);
    about("memory that is too small, or not aligned, and no program");
    yt_engine engine;
    static uint64_t little[40];
    CHECK_EQUAL(yt_engine_init(&engine, (uint8_t *)little + 4, 100, &w.port), YT_ARGUMENT);
    for (size_t size = 0; size < sizeof little; size += 8) {
        CHECK_EQUAL(yt_engine_init(&engine, little, size, &w.port), YT_OK);
        CHECK_EQUAL(yt_engine_load(&engine, w.compiled.image, w.compiled.size), YT_MEMORY);
        CHECK_EQUAL(yt_engine_attach(&engine, &device, &number), YT_NO_MATCH);
        CHECK(yt_engine_update(&engine, 5) == YT_NEVER);
    }
    world_end(&w);
}

/* A six-key keyboard whose report tells of too many keys keeps what it said last. */
static void check_too_many_keys(void) {
    static const uint8_t six_keys[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                       0x19, 0x00, 0x29, 0x91, 0x15, 0x00, 0x26, 0x91,
                                       0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};
    static const uint8_t pressed[] = {0, 4, 5, 0, 0, 0}, too_many[] = {1, 1, 1, 1, 1, 1};
    static const uint8_t other[] = {5, 0, 6, 0, 0, 0};
    unsigned number;
    yt_device device = {
        .descriptor = six_keys, .descriptor_size = sizeof six_keys, .input = YT_ANY_INPUT};
    about("the roll-over report");
    world_begin(&w, "pad.south: keys.a\npad.east: keys.b\npad.west: keys.c", 0);
    world_unplug(&w, WORLD_KEYS);
    CHECK_EQUAL(yt_engine_attach(&w.engine, &device, &number), YT_OK);
    const struct {
        const uint8_t *report;
        int a, b, c;
    } steps[] = {{pressed, 1, 1, 0}, {too_many, 1, 1, 0}, {other, 0, 1, 1}, {too_many, 0, 1, 1}};
    for (size_t i = 0; i < 4; i++) {
        CHECK_EQUAL(yt_engine_report(&w.engine, number, steps[i].report, 6, 0), YT_OK);
        yt_engine_update(&w.engine, 0);
        CHECK_EQUAL(yt_engine_control(&w.engine, 0), steps[i].a * YT_ONE);
        CHECK_EQUAL(yt_engine_control(&w.engine, 1), steps[i].b * YT_ONE);
        CHECK_EQUAL(yt_engine_control(&w.engine, 2), steps[i].c * YT_ONE);
    }
    world_end(&w);
}

/* A small engine of its own for a profile that the world does not have. */
static void load(yt_engine *engine, yt_compiled *compiled, const char *profile) {
    static uint64_t memory[1024];
    yt_messages messages;
    messages_begin(&messages, "profile", profile, strlen(profile));
    bool good = compile_profile(compiled, &messages);
    CHECK(good);
    messages_free(&messages);
    w.port.version = YT_PORT_VERSION;
    if (!good || yt_engine_init(engine, memory, sizeof memory, &w.port) != YT_OK ||
        yt_engine_load(engine, compiled->image, compiled->size) != YT_OK)
        exit(1);
}

/* Where two inputs fit one device, the more specific one wins, then the earlier. */
static void check_matching(void) {
    static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x15, 0x81,
                                    0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x06, 0xc0};
    yt_engine engine;
    yt_compiled compiled;
    unsigned number;
    load(&engine, &compiled,
         "yonder: 1\noutputs: {view: mouse}\ninputs:\n  one: mouse\n  two: mouse\n"
         "  maker: {kind: mouse, vendor: 0x1209}\n"
         "  exact: {kind: mouse, vendor: 0x1209, product: 0x0004}\n"
         "sheet: {view.wheel: one.wheel}\n");
    const struct {
        uint16_t vendor, product;
        uint8_t asked;
        unsigned input;
    } cases[] = {{0, 0, YT_ANY_INPUT, 0},
                 {0x1209, 7, YT_ANY_INPUT, 2},
                 {0x1209, 4, YT_ANY_INPUT, 3},
                 {0x1209, 4, 1, 1}};
    for (size_t i = 0; i < 4; i++) {
        yt_device device = {.descriptor = mouse,
                            .descriptor_size = sizeof mouse,
                            .vendor = cases[i].vendor,
                            .product = cases[i].product,
                            .input = cases[i].asked};
        about("which input a mouse %04x:%04x is", cases[i].vendor, cases[i].product);
        CHECK_EQUAL(yt_engine_attach(&engine, &device, &number), YT_OK);
        CHECK_EQUAL(yt_engine_inputs_of(&engine, number), 1u << cases[i].input);
    }
    yt_device wrong = {.descriptor = mouse,
                       .descriptor_size = sizeof mouse,
                       .vendor = 0x1209,
                       .product = 5,
                       .input = 3};
    CHECK_EQUAL(yt_engine_attach(&engine, &wrong, &number), YT_NO_MATCH);
    pool_free(&compiled.pool);
}

/* A field with a null state keeps its last value while it has none; without one, numbers beyond the
 * range count as its end. A tablet whose x may be null and whose y may not. */
static void check_null_state(void) {
    static const uint8_t tablet[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x15, 0x01,
                                     0x25, 0x65, 0x75, 0x08, 0x95, 0x01, 0x09, 0x30,
                                     0x81, 0x42, 0x09, 0x31, 0x81, 0x02, 0xc0};
    static const struct {
        uint8_t report[2];
        yt_q16 x, y;
    } steps[] = {{{101, 101}, YT_ONE, YT_ONE},
                 {{0, 0}, YT_ONE, -YT_ONE},
                 {{255, 255}, YT_ONE, YT_ONE},
                 {{1, 1}, -YT_ONE, -YT_ONE},
                 {{51, 51}, 0, 0}};
    yt_device device = {
        .descriptor = tablet, .descriptor_size = sizeof tablet, .input = YT_ANY_INPUT};
    yt_engine engine;
    yt_compiled compiled;
    unsigned number;
    load(&engine, &compiled,
         "yonder: 1\ninputs: {slate: tablet}\noutputs: {pad: gamepad}\n"
         "sheet:\n  pad.left_stick: stick(x=slate.x, y=slate.y)\n");
    CHECK_EQUAL(yt_engine_attach(&engine, &device, &number), YT_OK);
    for (size_t i = 0; i < 5; i++) {
        about("null states, report %d %d", steps[i].report[0], steps[i].report[1]);
        CHECK_EQUAL(yt_engine_report(&engine, number, steps[i].report, 2, i), YT_OK);
        yt_engine_update(&engine, i);
        CHECK_EQUAL(yt_engine_control(&engine, 0), steps[i].x);
        CHECK_EQUAL(yt_engine_control(&engine, 1), steps[i].y);
    }
    pool_free(&compiled.pool);
}

/* The standard outputs' reports are as long as their descriptors say, and within the limits. */
static void check_outputs(void) {
    yt_engine engine;
    yt_compiled compiled;
    load(&engine, &compiled,
         "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad, stick: joystick, "
         "board: keyboard, ball: mouse, media: consumer}\nsheet: {pad.south: keys.a}\n");
    const yt_program *program = &compiled.program;
    CHECK_EQUAL(program->header->interface_count, 3);
    for (unsigned i = 0; i < program->header->report_count; i++) {
        const yt_program_report *report = &program->reports[i];
        const yt_program_interface *interface = &program->interfaces[report->interface];
        yt_hid_reader reader;
        yt_hid_field field;
        about("report %u of the standard outputs", i);
        yt_hid_open(&reader, program->blob + interface->descriptor_offset,
                    interface->descriptor_bytes);
        while (yt_hid_next(&reader, &field) == YT_OK)
            CHECK(field.bits <= 32);
        unsigned bits = yt_hid_report_bits(&reader, report->direction, report->id);
        CHECK_EQUAL(bits, report->bytes * 8u);
        CHECK(report->bytes <= YT_REPORT_BYTES);
        CHECK_EQUAL(yt_hid_uses_ids(&reader), report->id != 0);
    }
    pool_free(&compiled.pool);
}

/* A parameter counts from now on, within its range; a half that is under way ends by the old rate.
 */
static void check_parameters(void) {
    about("a parameter that is set while it runs");
    world_begin_with(&w, "pad.south: turbo(keys.a, rate=often)\npad.left_trigger: some",
                     "parameters:\n  often: {value: 50 Hz, min: 5 Hz, max: 100 Hz}\n"
                     "  some: {value: 30%, min: 10%, max: 60%}\n",
                     1000);
    world_run_until(&w, 500);
    world_press(&w, "a", true);
    world_run_until(&w, 15500); /* on, off since 10.5 ms */
    CHECK_EQUAL(yt_engine_set_parameter(&w.engine, 0, 100 * YT_ONE), YT_OK);
    CHECK_EQUAL(yt_engine_set_parameter(&w.engine, 0, 100 * YT_ONE + 1), YT_ARGUMENT);
    CHECK_EQUAL(yt_engine_set_parameter(&w.engine, 0, 5 * YT_ONE - 1), YT_ARGUMENT);
    CHECK_EQUAL(yt_engine_set_parameter(&w.engine, 1, YT_ONE / 2), YT_OK);
    CHECK_EQUAL(yt_engine_set_parameter(&w.engine, 2, 0), YT_ARGUMENT);
    world_run_until(&w, 27000);
    world_end(&w);
    CHECK_TEXT(w.log, "0 left_trigger 30%; 1 south down; 11 south up; 17 left_trigger 50%; "
                      "21 south down; 26 south up");
}

int main(void) {
    check_parameters();
    check_full_list();
    check_motion_waits();
    check_sums();
    check_one_late_update();
    check_merged_deadlines();
    check_cut_numbers();
    check_port_calls();
    check_queue();
    check_queue_order();
    check_several_devices();
    check_refusals();
    check_too_many_keys();
    check_outputs();
    check_matching();
    check_null_state();
    return report_checks();
}
