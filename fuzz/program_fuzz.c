/* Any bytes as a program, with its checksum made right: what passes the check runs without harm. */
#include "fuzz/fuzz.h"
#include "yonder/engine.h"

static uint64_t image[YT_PROGRAM_BYTES / 8];
static uint64_t memory[16384];

static void run(size_t size) {
    static const uint8_t mouse[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x09, 0x31,
                                    0x09, 0x38, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x03,
                                    0x81, 0x06, 0x05, 0x07, 0x19, 0x04, 0x29, 0x1d, 0x15, 0x00,
                                    0x25, 0x01, 0x75, 0x01, 0x95, 0x18, 0x81, 0x02, 0xc0};
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK)
        abort();
    if (yt_engine_load(&engine, image, size) != YT_OK)
        return; /* more memory or outputs than there is */
    for (unsigned i = 0; i < 255; i++) {
        yt_device device = {.descriptor = mouse,
                            .descriptor_size = sizeof mouse,
                            .vendor = 0x1209,
                            .product = 1,
                            .input = (uint8_t)i};
        unsigned number;
        if (yt_engine_attach(&engine, &device, &number) != YT_OK && i > 8)
            break;
    }
    for (unsigned i = 0; i < 60; i++) {
        uint8_t report[6] = {(uint8_t)(i * 37), (uint8_t)(i * 11), (uint8_t)i, (uint8_t)(i * 7)};
        uint8_t bytes[YT_REPORT_BYTES + 1];
        if (yt_engine_report(&engine, i % YT_DEVICES, report, 6, i * 1500) != YT_OK)
            abort();
        yt_engine_update(&engine, i * 1500);
        for (unsigned k = 0; k < YT_INTERFACES; k++)
            if (yt_interface_report(&engine, k, bytes, sizeof bytes) > 0 && i % 3)
                yt_interface_taken(&engine, k, i * 1500);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_program program;
    if (size > sizeof image)
        return 0;
    memcpy(image, data, size);
    if (size >= 48) {
        uint32_t total = (uint32_t)size;
        memcpy((uint8_t *)image + 8, &total, 4);
        uint32_t checksum = yt_checksum(0, (uint8_t *)image + 16, size - 16);
        memcpy((uint8_t *)image + 12, &checksum, 4);
    }
    if (yt_program_check(&program, image, size) == YT_OK)
        run(size);
    return 0;
}
