/* Profiles that are made by the rules of the language, the bytes being the choices: most of them
 * compile, and what compiles runs a thousand updates (invariant 14). */
#include "tests/engine/descriptors.h"
#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "tests/engine/lengths.h"
#include "tests/engine/made.h"
#include "yonder/engine.h"

#define UPDATES 1000

/* Every key a bit; eight buttons, motion and a wheel; ten buttons, two sticks and two triggers. */
static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                   0x19, 0x00, 0x29, 0x3f, 0x15, 0x00, 0x25, 0x01,
                                   0x75, 0x01, 0x95, 0x40, 0x81, 0x02, 0xc0};
static const uint8_t plain_gamepad[] = {
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15, 0x00, 0x25, 0x01,
    0x75, 0x01, 0x95, 0x10, 0x81, 0x02, 0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34,
    0x09, 0x32, 0x09, 0x35, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x06, 0x81, 0x02, 0xc0};

static const yt_device devices[3] = {
    {.descriptor = keyboard, .descriptor_size = sizeof keyboard, .input = 0},
    {.descriptor = mouse, .descriptor_size = sizeof mouse, .input = 1},
    {.descriptor = plain_gamepad, .descriptor_size = sizeof plain_gamepad, .input = 2}};
static const size_t report_sizes[3] = {8, 4, 8};

static void run(making *making, const yt_compiled *compiled) {
    static uint64_t memory[131072];
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    unsigned numbers[3];
    bool plugged[3] = {true, true, true};
    uint64_t now_us = 0;
    yt_status status = yt_engine_init(&engine, memory, sizeof memory, &port);
    INVARIANT(14, status == YT_OK);
    INVARIANT(14, yt_engine_load(&engine, compiled->image, compiled->size) == YT_OK);
    for (unsigned i = 0; i < 3; i++)
        INVARIANT(14, yt_engine_attach(&engine, &devices[i], &numbers[i]) == YT_OK);
    uint32_t dice = 1 + made_choice(making, 255);
    for (unsigned i = 0; i < UPDATES; i++) {
        uint8_t report[8], bytes[YT_REPORT_BYTES + 1];
        dice = dice * 1664525u + 1013904223u;
        unsigned device = (dice >> 24) % 3;
        for (size_t k = 0; k < sizeof report; k++)
            report[k] = (uint8_t)(dice >> (k * 3)) & (uint8_t)(dice >> 9);
        if (plugged[device])
            status =
                yt_engine_report(&engine, numbers[device], report, report_sizes[device], now_us);
        uint64_t due_us = yt_engine_update(&engine, now_us);
        INVARIANT(14, due_us > now_us);
        for (unsigned k = 0; k < 2; k++)
            if (next_report(&engine, k, bytes, sizeof bytes) > 0 && (dice >> 20 & 1))
                yt_interface_taken(&engine, k, now_us);
        if ((dice >> 12) % 64 == 0 && plugged[device]) {
            yt_engine_detach(&engine, numbers[device], now_us);
            plugged[device] = false;
        } else if (!plugged[device]) {
            plugged[device] =
                yt_engine_attach(&engine, &devices[device], &numbers[device]) == YT_OK;
        }
        if ((dice >> 12) % 100 == 0)
            yt_engine_cancel(&engine);
        status = yt_engine_set_parameter(&engine, (dice >> 16) % 5, (yt_q16)(dice >> 12));
        now_us += (dice >> 10) % 9000;
    }
    (void)status; /* a parameter may be refused, a report too: that is counted */
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static making making;
    yt_compiled compiled;
    yt_messages messages;
    made_profile(&making, data, size);
    messages_begin(&messages, "profile", making.text, making.length);
    if (compile_profile(&compiled, &messages)) {
        run(&making, &compiled);
        pool_free(&compiled.pool);
    } else {
        INVARIANT(8, messages.count > 0);
    }
    messages_free(&messages);
    return 0;
}
