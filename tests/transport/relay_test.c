/* Reports that another plugged-in device must answer, over each transport. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/bluetooth.h"
#include "yonder/gatt.h"
#include "yonder/usb.h"

static rig r;

static const uint8_t keys_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                          0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                          0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

/* Report 2 goes to the keyboard, report 3 is our own. */
static void begin(const char *over) {
    char profile[600];
    snprintf(
        profile, sizeof profile,
        "inputs: {keys: keyboard}\noutputs: {pad: {kind: gamepad%s, fields: "
        "[{usage: button1, count: 8, report: 1}, "
        "{usage: rumble.strong, bits: 8, feedback: true, report: 2}, "
        "{usage: rumble.weak, bits: 8, feedback: true, report: 3}]}}\n"
        "relays: [{output: pad, report: 2, type: output, to: keys, as: 5}]\n"
        "sheet: {pad.button1: pad.rumble.strong > 10%%, pad.button2: pad.rumble.weak > 10%%}\n",
        over);
    rig_begin(&r, profile);
}

/* What the host sent for another device is not taken; what it sent for us is. */
static void check_taken(void) {
    const yt_program *program = &r.compiled.program;
    unsigned on = 0;
    for (unsigned i = 0; i < program->header->control_count; i++)
        on += rig_value(&r, i) != 0;
    CHECK_EQUAL(on, 1);
}

static yt_status request(const yt_usb_identity *identity, const uint8_t setup[8],
                         const uint8_t *data, size_t size) {
    uint8_t answer[64];
    yt_usb_control control = {.data = data, .size = size, .answer = answer, .room = sizeof answer};
    memcpy(control.setup, setup, 8);
    yt_status status = yt_usb_request(&r.engine, identity, 1, &control, 0);
    CHECK_EQUAL(control.length, 0);
    return status;
}

static void check_usb(void) {
    static const yt_usb_identity identity = {.packet_bytes = 64};
    static const uint8_t set[8] = {0x21, 9, 2, 2, 0, 0, 2, 0}, own[8] = {0x21, 9, 3, 2, 0, 0, 2, 0},
                         get[8] = {0xa1, 1, 2, 2, 0, 0, 2, 0};
    static const uint8_t data[2] = {2, 255}, for_us[2] = {3, 255};
    about("USB: nobody there to answer");
    begin("");
    CHECK_EQUAL(request(&identity, set, data, 2), YT_UNREADABLE);
    RIG_ATTACH(&r, keys_descriptor);
    about("USB: SET_REPORT and GET_REPORT of another device's report");
    CHECK_EQUAL(yt_usb_expects(&r.engine, &identity, 1, set), YT_RELAYED);
    CHECK_EQUAL(request(&identity, set, data, 2), YT_RELAYED);
    CHECK_EQUAL(request(&identity, get, NULL, 0), YT_RELAYED);
    CHECK_EQUAL(yt_usb_expects(&r.engine, &identity, 1, own), YT_OK);
    CHECK_EQUAL(request(&identity, own, for_us, 2), YT_OK);
    check_taken();
    rig_end(&r);
}

static yt_bluetooth_answer answer;

static size_t control(const uint8_t *bytes, size_t size) {
    CHECK_EQUAL(yt_bluetooth_control(&r.engine, 1, bytes, size, &answer, 0), YT_OK);
    return answer.length;
}

static void check_bluetooth(void) {
    static const uint8_t set[] = {0x52, 2, 255}, get[] = {0x42, 2}, data[] = {0xa2, 2, 255},
                         own[] = {0xa2, 3, 255};
    about("Bluetooth: nobody there to answer");
    begin(", over: bluetooth");
    CHECK_EQUAL(control(set, 3), 1);
    CHECK_EQUAL(answer.bytes[0], 0x01); /* not ready */
    CHECK_EQUAL(answer.event, YT_BLUETOOTH_NOTHING);
    CHECK_EQUAL(yt_bluetooth_interrupt(&r.engine, 1, data, 3, 0), YT_BLUETOOTH_NOTHING);
    RIG_ATTACH(&r, keys_descriptor);
    about("Bluetooth: another device's report, on both channels");
    CHECK_EQUAL(control(set, 3), 0);
    CHECK_EQUAL(answer.event, YT_BLUETOOTH_RELAYED);
    CHECK_EQUAL(control(get, 2), 0);
    CHECK_EQUAL(answer.event, YT_BLUETOOTH_RELAYED);
    CHECK_EQUAL(yt_bluetooth_interrupt(&r.engine, 1, data, 3, 0), YT_BLUETOOTH_RELAYED);
    CHECK_EQUAL(yt_bluetooth_interrupt(&r.engine, 1, own, 3, 0), YT_BLUETOOTH_NOTHING);
    check_taken();
    rig_end(&r);
}

static yt_gatt g;

static unsigned attribute_of(unsigned id) {
    yt_gatt_attribute attribute;
    unsigned index = 0;
    while (yt_gatt_attribute_at(&g, index, &attribute) &&
           !(attribute.report_type == 2 && attribute.report_id == id))
        index++;
    return index;
}

static void check_gatt(void) {
    uint8_t full = 255, bytes[8];
    size_t length;
    about("GATT: nobody there to answer");
    begin(", over: bluetooth");
    yt_gatt_begin(&g, &r.engine, 1);
    CHECK_EQUAL(yt_gatt_write(&g, attribute_of(2), &full, 1, 0), YT_UNREADABLE);
    RIG_ATTACH(&r, keys_descriptor);
    about("GATT: another device's report");
    CHECK_EQUAL(yt_gatt_write(&g, attribute_of(2), &full, 1, 0), YT_RELAYED);
    CHECK_EQUAL(yt_gatt_read(&g, attribute_of(2), 0, bytes, 8, &length), YT_RELAYED);
    CHECK_EQUAL(yt_gatt_write(&g, attribute_of(3), &full, 1, 0), YT_OK);
    check_taken();
    rig_end(&r);
}

int main(void) {
    check_usb();
    check_bluetooth();
    check_gatt();
    return report_checks();
}
