/* How much memory is enough: what yt_engine_bytes and its neighbours say is compared with what an
 * engine takes, for made-up profiles and for devices of each make. */
#include "compiler/profile/compile.h"
#include "tests/engine/descriptors.h"
#include "tests/engine/made.h"
#include "tests/harness.h"
#include "yonder/engine.h"

#define PROFILES 400

static uint64_t wide[32768], narrow[32768];
static unsigned profiles, attached;

static const struct {
    const uint8_t *descriptor;
    size_t size;
} devices[] = {{six_keys, sizeof six_keys},
               {all_keys, sizeof all_keys},
               {mouse, sizeof mouse},
               {gamepad, sizeof gamepad},
               {with_ids, sizeof with_ids}};

#define DEVICES (sizeof devices / sizeof devices[0])

static yt_status attach(yt_engine *engine, unsigned device, unsigned *number) {
    yt_device at = {.descriptor = devices[device].descriptor,
                    .descriptor_size = devices[device].size,
                    .input = YT_ANY_INPUT};
    return yt_engine_attach(engine, &at, number);
}

/* An engine with so many bytes and the program. */
static yt_status begin(yt_engine *engine, const yt_port *port, void *memory, size_t size,
                       const yt_compiled *compiled) {
    if (yt_engine_init(engine, memory, size, port) != YT_OK)
        return YT_ARGUMENT;
    return yt_engine_load(engine, compiled->image, compiled->size);
}

/* One device of each make arrives where there is just as much room as was said. */
static void check_devices(const yt_compiled *compiled, const yt_port *port, size_t bytes) {
    yt_engine engine;
    size_t spare = yt_engine_spare_bytes(&compiled->program);
    unsigned number;
    for (unsigned i = 0; i < DEVICES; i++) {
        CHECK_EQUAL(begin(&engine, port, wide, sizeof wide, compiled), YT_OK);
        if (attach(&engine, i, &number) != YT_OK)
            continue; /* it fits no input */
        size_t most =
            yt_engine_device_bytes(&compiled->program, yt_engine_inputs_of(&engine, number));
        about("device %u: %zu bytes, at most %zu", i, yt_engine_used(&engine) - bytes, most);
        CHECK(yt_engine_used(&engine) - bytes <= most);
        CHECK_EQUAL(begin(&engine, port, narrow, bytes + most + spare, compiled), YT_OK);
        CHECK_EQUAL(attach(&engine, i, &number), YT_OK);
        attached++;
    }
}

/* All that fit arrive together; while the last one does, there is the spare room, and no more. */
static void check_together(const yt_compiled *compiled, const yt_port *port, size_t bytes) {
    yt_engine engine;
    size_t sum = bytes + yt_engine_spare_bytes(&compiled->program);
    unsigned number, fitting[DEVICES], count = 0;
    CHECK_EQUAL(begin(&engine, port, wide, sizeof wide, compiled), YT_OK);
    for (unsigned i = 0; i < DEVICES; i++) {
        if (attach(&engine, i, &number) != YT_OK)
            continue;
        sum += yt_engine_device_bytes(&compiled->program, yt_engine_inputs_of(&engine, number));
        fitting[count++] = i;
    }
    CHECK_EQUAL(begin(&engine, port, narrow, sum, compiled), YT_OK);
    for (unsigned i = 0; i < count; i++)
        CHECK_EQUAL(attach(&engine, fitting[i], &number), YT_OK);
}

static void check_profile(const yt_compiled *compiled, uint32_t queue_bytes) {
    yt_port port = {.version = YT_PORT_VERSION, .queue_bytes = queue_bytes};
    size_t bytes = yt_engine_bytes(&compiled->program, &port, sizeof(void *));
    yt_engine engine;
    about("a program of %zu bytes and a queue of %u", compiled->size, queue_bytes);
    CHECK_EQUAL(begin(&engine, &port, narrow, bytes, compiled), YT_OK);
    CHECK_EQUAL(yt_engine_used(&engine), bytes);
    CHECK_EQUAL(begin(&engine, &port, narrow, bytes - 1, compiled), YT_MEMORY);
    CHECK(yt_engine_bytes(&compiled->program, &port, 4) < bytes);
    check_devices(compiled, &port, bytes);
    check_together(compiled, &port, bytes);
    profiles++;
}

int main(void) {
    static making making;
    dice dice = {77};
    for (unsigned i = 0; i < PROFILES; i++) {
        uint8_t choices[600];
        yt_compiled compiled;
        yt_messages messages;
        for (size_t k = 0; k < sizeof choices; k++)
            choices[k] = (uint8_t)roll(&dice);
        made_profile(&making, choices, 50 + roll_below(&dice, sizeof choices - 50));
        messages_begin(&messages, "made", making.text, making.length);
        if (compile_profile(&compiled, &messages)) {
            check_profile(&compiled, i % 3 ? 0 : 64 + roll_below(&dice, 900));
            pool_free(&compiled.pool);
        }
        messages_free(&messages);
    }
    CHECK(profiles > PROFILES / 4);
    CHECK(attached > PROFILES / 2);
    return report_checks();
}
