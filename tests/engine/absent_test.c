/* Calls for what is not there: an engine without a program, numbers beyond the last, too little
 * memory. Each is refused or does nothing, and what works goes on. */
#include <string.h>

#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/bluetooth.h"
#include "yonder/gatt.h"
#include "yonder/hid.h"
#include "yonder/inspect.h"
#include "yonder/usb.h"

static const char profile[] = "inputs: {keys: keyboard, pads: gamepad}\n"
                              "outputs: {pad: gamepad, typed: keyboard}\nsheet:\n"
                              "  pad.south: keys.a\n  pad.left_stick.x: pads.left_stick.x\n"
                              "  typed.x: keys.b\n  keys.light.caps_lock: typed.light.caps_lock\n";

static const yt_usb_identity identity = {.vendor = 1, .manufacturer = "a", .product_name = "b"};

static const yt_port port = {.version = YT_PORT_VERSION, .queue_bytes = 128};

/* All calls that name an interface, a report, a device, a step or a control by a number. */
static void check_numbers(yt_engine *engine, unsigned number) {
    uint8_t bytes[80] = {0}, device_id;
    size_t length;
    unsigned device;
    yt_device_output output;
    CHECK(yt_interface_report(engine, number, bytes, sizeof bytes, &length) != YT_OK);
    CHECK_EQUAL(yt_interface_bytes(engine, number), 0);
    yt_interface_taken(engine, number, 1);
    CHECK(yt_interface_take_back(engine, number, bytes, 1) != YT_OK);
    CHECK(!yt_interface_uses_ids(engine, number));
    CHECK(yt_interface_state(engine, number, YT_HID_INPUT, 0, bytes, sizeof bytes, &length) !=
          YT_OK);
    CHECK(yt_report_state(engine, number, false, bytes, sizeof bytes, &length) != YT_OK);
    CHECK(yt_interface_receive(engine, number, YT_HID_OUTPUT, bytes, 1, 1) != YT_OK);
    CHECK(yt_interface_expects(engine, number, YT_HID_OUTPUT, 0, 1) != YT_OK);
    CHECK(yt_interface_set_boot(engine, number, true) != YT_OK);
    CHECK_EQUAL(yt_interface_boot(engine, number), YT_NO_BOOT);
    CHECK(!yt_interface_is_boot(engine, number));
    yt_interface_set_idle(engine, number, 4000);
    CHECK_EQUAL(yt_interface_idle(engine, number), 0);
    CHECK(yt_interface_relay(engine, number, YT_HID_OUTPUT, 0, &device, &device_id) != YT_OK);
    CHECK(yt_connector_interface(engine, number, 0) >= YT_INTERFACES);
    yt_connector_reset(engine, number);
    yt_connector_suspend(engine, number, true);
    yt_connector_suspend(engine, number, false);
    CHECK(yt_device_report(engine, number, bytes, sizeof bytes, &output) != YT_OK);
    yt_device_pulse(engine, number, 1, 1000);
    yt_engine_detach(engine, number, 1);
    CHECK_EQUAL(yt_engine_inputs_of(engine, number), 0);
    CHECK(yt_engine_set_parameter(engine, number, YT_ONE) != YT_OK);
    CHECK_EQUAL(yt_engine_control(engine, number), 0);
    CHECK_EQUAL(yt_inspect_value(engine, number), 0);
    CHECK_EQUAL(yt_inspect_turn(engine, number), 0);
    CHECK_EQUAL(yt_inspect_target(engine, number), 0);
    yt_inspect_set(engine, number, YT_ONE);
    yt_inspect_let_go(engine, number, 2);
}

/* An engine that no program was loaded into, or whose last one was refused. */
static void check_unloaded(yt_engine *engine) {
    uint8_t bytes[400] = {0};
    char serial[YT_USB_SERIAL_BYTES];
    size_t length;
    unsigned index;
    yt_usb_control control = {
        .setup = {0x80, 6, 0, 1, 0, 0, 18, 0}, .answer = bytes, .room = sizeof bytes};
    yt_bluetooth_answer answer = {.bytes = {0}};
    yt_gatt gatt;
    yt_gatt_attribute attribute;
    yt_device device = {
        .descriptor = six_keys, .descriptor_size = sizeof six_keys, .input = YT_ANY_INPUT};
    CHECK(yt_engine_program(engine) == NULL);
    CHECK_EQUAL(yt_engine_attach(engine, &device, &index), YT_NO_MATCH);
    CHECK(yt_engine_give(engine, 0, bytes, 6, 1) == YT_NEVER);
    CHECK(yt_engine_update(engine, 2) == YT_NEVER);
    yt_engine_cancel(engine);
    yt_inspect_settle(engine, 3);
    check_numbers(engine, 0);
    CHECK(yt_usb_device_descriptor(engine, &identity, bytes, sizeof bytes, &length) != YT_OK);
    CHECK(yt_usb_configuration(engine, &identity, 1, bytes, sizeof bytes, &length) != YT_OK);
    CHECK(yt_usb_string(engine, &identity, 3, bytes, sizeof bytes, &length) != YT_OK);
    CHECK(yt_usb_serial(engine, &identity, serial, sizeof serial) != YT_OK);
    CHECK(yt_usb_request(engine, &identity, 1, &control, 4) != YT_OK);
    CHECK(yt_usb_expects(engine, &identity, 1, control.setup) != YT_OK);
    CHECK(yt_bluetooth_message(engine, 1, bytes, sizeof bytes, &length) != YT_OK);
    CHECK(yt_bluetooth_control(engine, 1, (const uint8_t[]){0x41}, 1, &answer, 5) != YT_OK);
    yt_gatt_begin(&gatt, engine, 1);
    CHECK(yt_gatt_notification(&gatt, 23, &index, bytes, sizeof bytes, &length, 6) != YT_OK);
    CHECK(!yt_gatt_attribute_at(&gatt, 50, &attribute));
}

static void check_no_program(void) {
    static rig r;
    static uint64_t memory[2048];
    yt_engine engine;
    about("no program");
    CHECK_EQUAL(yt_engine_init(&engine, memory, sizeof memory, &port), YT_OK);
    check_unloaded(&engine);
    about("a program that was refused");
    CHECK(yt_engine_load(&engine, memory, 12) != YT_OK);
    check_unloaded(&engine);
    rig_begin(&r, profile);
    for (unsigned number = 5; number < 100000; number += 1 + number / 3) {
        about("number %u", number);
        check_numbers(&r.engine, number);
    }
    check_numbers(&r.engine, UINT32_MAX);
    unsigned keys = RIG_ATTACH(&r, rig_six_keys);
    RIG_REPORT(&r, keys, 10, 4, 0, 0, 0, 0, 0);
    CHECK_EQUAL(rig_value(&r, 0), YT_ONE);
    rig_end(&r);
}

/* Memory grows by a few bytes until both devices fit: where there is too little a device is
 * refused, and the other one works. */
static void check_memory(void) {
    static uint64_t memory[1024];
    static rig r;
    unsigned refused = 0, both = 0;
    rig_begin(&r, profile);
    for (size_t size = 64; size < sizeof memory; size++) {
        yt_engine engine;
        unsigned keys, pads;
        about("%zu bytes", size);
        if (yt_engine_init(&engine, memory, size, &port) != YT_OK)
            continue;
        yt_status status = yt_engine_load(&engine, r.compiled.image, r.compiled.size);
        if (status != YT_OK) {
            CHECK_EQUAL(status, YT_MEMORY);
            continue;
        }
        yt_device device = {
            .descriptor = gamepad, .descriptor_size = sizeof gamepad, .input = YT_ANY_INPUT};
        status = yt_engine_attach(&engine, &device, &pads);
        CHECK(status == YT_OK || status == YT_MEMORY);
        bool has_pads = status == YT_OK;
        device.descriptor = six_keys;
        device.descriptor_size = sizeof six_keys;
        status = yt_engine_attach(&engine, &device, &keys);
        CHECK(status == YT_OK || status == YT_MEMORY);
        refused += status != YT_OK || !has_pads;
        both += status == YT_OK && has_pads;
        if (status != YT_OK)
            continue;
        yt_engine_give(&engine, keys, (const uint8_t[]){0, 0, 4, 0, 0, 0, 0, 0}, 8, 1);
        CHECK_EQUAL(yt_engine_control(&engine, 0), YT_ONE);
    }
    CHECK(refused > 20 && both > 20);
    rig_end(&r);
}

/* A field outside of a report's bits, more bits than a number has, no value (HID 1.11, 6.2.2.5). */
static void check_fields(void) {
    uint8_t bytes[4] = {1, 2, 3, 4}, same[4] = {1, 2, 3, 4};
    yt_hid_field field = {.minimum = 1, .maximum = 8, .flags = YT_HID_VARIABLE};
    about("fields");
    yt_hid_set(bytes, sizeof bytes, 0, 33, UINT32_MAX);
    CHECK(memcmp(bytes, same, sizeof same) == 0);
    CHECK(!yt_hid_is_null(&field, 0));
    field.flags |= YT_HID_NULL_STATE;
    CHECK(yt_hid_is_null(&field, 0) && yt_hid_is_null(&field, 9));
    CHECK(!yt_hid_is_null(&field, 1) && !yt_hid_is_null(&field, 8));
    field.flags = 0; /* an array */
    CHECK(yt_hid_is_null(&field, 0) && !yt_hid_is_null(&field, 3));
}

int main(void) {
    check_no_program();
    check_memory();
    check_fields();
    return report_checks();
}
