/* Any bytes as a program, with its checksum made right: what passes the check runs without harm. */
#include "compiler/kept_text.h"
#include "fuzz/fuzz.h"
#include "yonder/board.h"
#include "yonder/engine.h"

static uint64_t image[YT_PROGRAM_BYTES / 8];
static uint64_t memory[16384];

/* What hosts send, and what devices get of it. */
static void talk_back(yt_engine *engine, unsigned step) {
    uint8_t bytes[YT_REPORT_BYTES + 1] = {(uint8_t)step, (uint8_t)(step * 29), 0xff};
    yt_hid_direction direction = step & 1 ? YT_HID_OUTPUT : YT_HID_FEATURE;
    yt_status status = yt_interface_set_boot(engine, step % 3, step & 8);
    status = yt_interface_receive(engine, step % 3, direction, bytes, sizeof bytes, step * 1500);
    (void)status;
    if (yt_device_report(engine, step % YT_DEVICES, bytes, sizeof bytes, &direction) > sizeof bytes)
        abort();
}

static void scan(yt_board *board) {
    static const uint8_t pins[8] = {0x5a, 0xa5, 1, 2, 3, 4, 5, 6};
    static const uint16_t channels[4] = {1, 2, 3, 4};
    const yt_samples samples = {
        .pins = pins, .channels = channels, .pin_count = 64, .channel_count = 4};
    uint8_t report[YT_BOARD_BYTES];
    for (unsigned i = 0; i < 20; i++) {
        yt_board_sample(board, &samples, i * 1000);
        if (yt_board_report(board, report, sizeof report) > sizeof report)
            abort();
    }
}

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
        talk_back(&engine, i);
    }
    yt_board_part parts[YT_BOARD_PINS];
    yt_board board;
    yt_program program;
    if (yt_program_check(&program, image, size) == YT_OK &&
        yt_board_begin(&board, &program, 0, parts, YT_BOARD_PINS) == YT_OK)
        scan(&board);
}

/* The text behind a program: what is found lies within the bytes. */
static void read_text(const uint8_t *data, size_t size) {
    kept_file files[KEPT_FILES];
    int count = kept_text_read(data, size, files);
    for (int i = 0; i < count; i++) {
        const uint8_t *name = (const uint8_t *)files[i].name;
        const uint8_t *text = (const uint8_t *)files[i].text;
        INVARIANT(15, name >= data && name + files[i].name_bytes == text &&
                          files[i].bytes <= (size_t)(data + size - text));
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    yt_program program;
    if (size > sizeof image)
        return 0;
    memcpy(image, data, size);
    if (size >= sizeof(yt_program_header)) {
        uint32_t total = (uint32_t)size;
        memcpy((uint8_t *)image + 8, &total, 4);
        uint32_t checksum = yt_checksum(0, (uint8_t *)image + 16, size - 16);
        memcpy((uint8_t *)image + 12, &checksum, 4);
    }
    if (yt_program_check(&program, image, size) == YT_OK)
        run(size);
    read_text(data, size);
    return 0;
}
