/* Any bytes as a device: the first byte says how long its report descriptor is (in pairs of bytes),
 * what follows are its reports, each with a byte for its length in front. */
#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "tests/engine/lengths.h"
#include "yonder/adapter.h"
#include "yonder/engine.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard, ball: mouse, slate: tablet, hand: "
    "gamepad, any: box}\n"
    "outputs: {pad: gamepad, view: mouse}\nsheet:\n"
    "  pad.south: keys.a or ball.button1 or slate.button1\n"
    "  pad.east: keys.left_shift and not keys.b\n"
    "  pad.left_stick: stick(x=slate.x, y=slate.y)\n"
    "  pad.right_stick: stick_from_motion(ball.motion, full_at=1500 /s)\n"
    "  pad.north: ball.wheel > 0\n"
    "  pad.left_trigger: keys.c + hand.left_trigger\n"
    "  pad.dpad.up: hand.dpad.up or hand.left_stick.x > any.slider\n"
    "  hand.rumble.strong: pad.rumble.strong + hand.right_trigger\n"
    "  view.button2: any.button3 or any.consumer.mute\n"
    "  view.motion: ball.motion * 60%\n"
    "  view.wheel: ball.wheel + slate.wheel\n";

static yt_compiled program;

static void compile(void) {
    yt_messages messages;
    messages_begin(&messages, "fuzz/profiles/report", profile, strlen(profile));
    if (!compile_profile(&program, &messages))
        abort();
    messages_free(&messages);
}

static void take_reports(yt_engine *engine) {
    for (unsigned i = 0; i < 2; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1];
        size_t length = next_report(engine, i, bytes, sizeof bytes);
        INVARIANT(5, length == 0 || length == (i == 0 ? 15u : 9u));
        if (length > 0)
            yt_interface_taken(engine, i, engine->now_us);
    }
}

/* What a report says is held: no more than there is room for, and the same of a longer room. */
static void look_for_held(const uint8_t *descriptor, size_t descriptor_size, const uint8_t *report,
                          size_t size) {
    uint32_t held[40], few[4];
    unsigned count = yt_held_controls(descriptor, descriptor_size, report, size, held, 40);
    unsigned first = yt_held_controls(descriptor, descriptor_size, report, size, few, 4);
    INVARIANT(23, count <= 40 && first == (count < 4 ? count : 4));
    INVARIANT(23, memcmp(held, few, first * sizeof *few) == 0);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static uint64_t memory[1024];
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    unsigned number;
    if (size < 1)
        return 0;
    if (!program.image)
        compile();
    size_t descriptor = 2u * data[0] < size - 1 ? 2u * data[0] : size - 1;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, program.image, program.size) != YT_OK)
        abort();
    size_t before = yt_engine_used(&engine);
    yt_device device = {
        .descriptor = data + 1, .descriptor_size = descriptor, .input = YT_ANY_INPUT};
    if (yt_engine_attach(&engine, &device, &number) != YT_OK) {
        INVARIANT(4, yt_engine_used(&engine) == before);
        return 0;
    }
    look_for_held(data + 1, descriptor, data + 1 + descriptor, size - 1 - descriptor);
    uint64_t now_us = 0;
    for (size_t at = 1 + descriptor; at < size;) {
        size_t length = data[at++];
        length = length < size - at ? length : size - at;
        now_us += 700u * (unsigned)length;
        yt_status status = yt_engine_report(&engine, number, data + at, length, now_us);
        INVARIANT(4, status == YT_OK || status == YT_FULL || status == YT_ARGUMENT);
        if (status == YT_FULL || length % 3 == 0) {
            yt_engine_update(&engine, now_us);
            take_reports(&engine);
        }
        at += length;
    }
    yt_engine_detach(&engine, number, now_us);
    INVARIANT(4, yt_engine_used(&engine) == before);
    return 0;
}
