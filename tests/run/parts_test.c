/* A firmware that leaves out a part: what it has left it does as a whole one does, and what needs
 * the part is refused. usage: parts_test PLAIN-PROGRAM LIT-PROGRAM RELAYED-PROGRAM DIGEST
 * DIGEST gets what hosts saw of the plain program; it is the same for all firmwares. */
#include "tests/engine/descriptors.h"
#include "tests/harness.h"
#include "yonder/yonder.h"
#include "tests/engine/lengths.h"

static const uint8_t keyboard[] = {
    0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25,
    0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0x05, 0x08, 0x19, 0x01, 0x29, 0x05, 0x75, 0x01,
    0x95, 0x05, 0x91, 0x02, 0x95, 0x01, 0x75, 0x03, 0x91, 0x01, 0x05, 0x07, 0x19, 0x00, 0x29,
    0x65, 0x15, 0x00, 0x25, 0x65, 0x75, 0x08, 0x95, 0x06, 0x81, 0x00, 0xc0};

static uint64_t memory[2048];
static const yt_port port = {.version = YT_PORT_VERSION};
static yt_engine engine;

static yt_status attach(const uint8_t *descriptor, size_t size, unsigned *number) {
    yt_device device = {.descriptor = descriptor, .descriptor_size = size, .input = YT_ANY_INPUT};
    return yt_engine_attach(&engine, &device, number);
}

static void *load(const char *path, yt_status expected) {
    size_t size;
    void *program = read_test_file(path, &size);
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &port), YT_OK);
    CHECK_EQUAL(yt_engine_load(&engine, program, size), expected);
    return program;
}

/* All that hosts get while anything is typed and moved. */
static uint32_t digest_of(const char *path) {
    dice dice = {7};
    uint32_t digest = 0;
    uint64_t now_us = 0;
    unsigned keys, ball;
    about("a program that needs no part");
    void *program = load(path, YT_OK);
    CHECK_EQUAL(attach(keyboard, sizeof keyboard, &keys), YT_OK);
    CHECK_EQUAL(attach(mouse, sizeof mouse, &ball), YT_OK);
    for (unsigned i = 0; i < 20000; i++) {
        uint8_t bytes[YT_REPORT_BYTES + 1] = {0};
        bool is_key = roll_below(&dice, 2);
        for (unsigned k = is_key ? 1 : 0; k < (is_key ? 4u : 3u); k++)
            bytes[k] = (uint8_t)(is_key ? roll_below(&dice, 14) : roll_below(&dice, 256));
        now_us += roll_below(&dice, 9000);
        yt_engine_give(&engine, is_key ? keys : ball, bytes, is_key ? 7 : 4, now_us);
        for (unsigned k = 0; k < 3; k++) {
            size_t size = next_report(&engine, k, bytes, sizeof bytes);
            digest = yt_checksum(digest, bytes, size);
            if (size > 0)
                yt_interface_taken(&engine, k, now_us);
        }
    }
    free(program);
    return digest;
}

static void check_shared(const char *path) {
    unsigned number, before = 99;
    about("a second keyboard");
    void *program = load(path, YT_OK);
    CHECK_EQUAL(attach(keyboard, sizeof keyboard, &number), YT_OK);
#ifdef YT_WITHOUT_SHARED_INPUTS
    size_t used = yt_engine_used(&engine);
    CHECK_EQUAL(attach(keyboard, sizeof keyboard, &before), YT_TOO_MANY_DEVICES);
    CHECK_EQUAL(before, 99);
    CHECK_EQUAL(yt_engine_used(&engine), used);
    yt_engine_detach(&engine, number, 0);
#endif
    CHECK_EQUAL(attach(keyboard, sizeof keyboard, &before), YT_OK);
    free(program);
}

static void check_boot(const char *path, const char *radio) {
    about("the boot protocol");
    void *program = load(path, YT_OK);
#ifdef YT_WITHOUT_BOOT
    CHECK_EQUAL(yt_interface_set_boot(&engine, 0, true), YT_ARGUMENT);
    CHECK_EQUAL(yt_interface_boot(&engine, 0), YT_NO_BOOT);
    CHECK_EQUAL(yt_interface_is_boot(&engine, 0), false);
    const unsigned subclass = 0, protocol = 0, attributes = 0;
#else
    CHECK_EQUAL(yt_interface_set_boot(&engine, 0, true), YT_OK);
    CHECK_EQUAL(yt_interface_boot(&engine, 0), YT_BOOT_KEYBOARD);
    CHECK_EQUAL(yt_interface_is_boot(&engine, 0), true);
    const unsigned subclass = 1, protocol = YT_BOOT_KEYBOARD, attributes = 2;
#endif
    const yt_usb_identity identity = {.vendor = 0x1209, .product = 1, .interval_ms = 1};
    uint8_t bytes[YT_USB_CONFIGURATION_BYTES];
    size_t length;
    CHECK_EQUAL(yt_usb_configuration(&engine, &identity, 1, bytes, sizeof bytes, &length), YT_OK);
    CHECK_EQUAL(bytes[9 + 6], subclass);
    CHECK_EQUAL(bytes[9 + 7], protocol);
    free(program);
    about("its attributes");
    program = load(radio, YT_OK);
    yt_gatt gatt;
    yt_gatt_begin(&gatt, &engine, 1);
    unsigned found = 0;
    yt_gatt_attribute attribute;
    for (unsigned i = 0; yt_gatt_attribute_at(&gatt, i, &attribute); i++)
        found += attribute.uuid == YT_GATT_BOOT_KEYBOARD_INPUT ||
                 attribute.uuid == YT_GATT_BOOT_KEYBOARD_OUTPUT;
    CHECK_EQUAL(found, attributes);
    free(program);
}

static void check_lights(const char *path) {
    unsigned number;
    uint8_t bytes[8];
    yt_hid_direction direction;
    about("a program that drives a light");
#ifdef YT_WITHOUT_LIGHTS
    free(load(path, YT_PROGRAM_PART));
    (void)number, (void)bytes, (void)direction;
#else
    void *program = load(path, YT_OK);
    CHECK_EQUAL(attach(keyboard, sizeof keyboard, &number), YT_OK);
    yt_engine_update(&engine, 0);
    const uint8_t caps_lock = 2;
    CHECK_EQUAL(yt_interface_receive(&engine, 0, YT_HID_OUTPUT, &caps_lock, 1, 1), YT_OK);
    yt_engine_update(&engine, 1);
    CHECK_EQUAL(device_output(&engine, number, bytes, sizeof bytes, &direction), 1);
    CHECK_EQUAL(bytes[0], 2);
    free(program);
#endif
}

static void check_relay(const char *path) {
    unsigned number;
    uint8_t id;
    about("a program whose host's report another device answers");
#ifdef YT_WITHOUT_LIGHTS
    free(load(path, YT_PROGRAM_PART));
    (void)number, (void)id;
#else
    void *program = load(path, YT_OK);
    CHECK_EQUAL(yt_interface_relay(&engine, 0, YT_HID_OUTPUT, 2, &number, &id), YT_UNREADABLE);
    CHECK_EQUAL(id, 5); /* of the device, which is not there */
    free(program);
#endif
}

/* A program that nobody checks must still be whole in its header. */
static void check_unchecked(const char *path) {
    size_t size;
    yt_program program;
    uint8_t *bytes = (uint8_t *)read_test_file(path, &size);
    bytes[size - 1] ^= 1;
    about("a program with a bit that is wrong");
#ifdef YT_WITHOUT_CHECK
    CHECK_EQUAL(yt_engine_load(&engine, bytes, size), YT_OK);
#else
    CHECK_EQUAL(yt_engine_load(&engine, bytes, size), YT_PROGRAM_CHECKSUM);
#endif
    CHECK_EQUAL(yt_program_check(&program, bytes, size), YT_PROGRAM_CHECKSUM);
    CHECK(yt_engine_load(&engine, bytes, size - 1) != YT_OK);
    bytes[0] ^= 1;
    CHECK_EQUAL(yt_engine_load(&engine, bytes, size), YT_PROGRAM_FOREIGN);
    free(bytes);
}

int main(int count, char **arguments) {
    if (count != 6)
        return 2;
    uint32_t digest = digest_of(arguments[1]);
    FILE *file = fopen(arguments[5], "w");
    if (!file || fprintf(file, "%08x\n", digest) < 0 || fclose(file) != 0)
        return 2;
    check_shared(arguments[1]);
    check_boot(arguments[1], arguments[4]);
    check_lights(arguments[2]);
    check_relay(arguments[3]);
    check_unchecked(arguments[1]);
    return report_checks();
}
