/* Classic Bluetooth: messages in, messages out, against HIDP 1.1.1. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/bluetooth.h"
#include "yonder/gatt.h"

static rig r;
static yt_bluetooth_event event;

static const uint8_t keys_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                          0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                          0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};
static const uint8_t ball_descriptor[] = {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09,
                                          0x30, 0x09, 0x31, 0x15, 0x81, 0x25, 0x7f,
                                          0x75, 0x08, 0x95, 0x02, 0x81, 0x06, 0xc0};

static const char *as_text(const uint8_t *bytes, size_t size) {
    static char text[3 * YT_BLUETOOTH_BYTES + 4];
    text[0] = 0;
    for (size_t i = 0; i < size; i++)
        sprintf(text + strlen(text), "%s%02x", i ? " " : "", bytes[i]);
    return text;
}

/* What is answered on the control channel to these bytes. */
static const char *control(const uint8_t *bytes, size_t size) {
    yt_bluetooth_answer answer;
    CHECK_EQUAL(yt_bluetooth_control(&r.engine, 1, bytes, size, &answer, 0),
                size > 0 ? YT_OK : YT_ARGUMENT);
    event = answer.event;
    return as_text(answer.bytes, answer.length);
}

#define CONTROL(...) control((const uint8_t[]){__VA_ARGS__}, sizeof((const uint8_t[]){__VA_ARGS__}))

static const char *sent_message(void) {
    uint8_t bytes[YT_BLUETOOTH_BYTES];
    size_t size;
    CHECK_EQUAL(yt_bluetooth_message(&r.engine, 1, bytes, sizeof bytes, &size), YT_OK);
    if (size > 0)
        yt_bluetooth_sent(&r.engine, 1, 0);
    return as_text(bytes, size);
}

static void check_reports(unsigned keys, unsigned ball) {
    about("data messages with report IDs");
    RIG_REPORT(&r, keys, 1, 0x01);
    CHECK(strncmp(sent_message(), "a1 01 00 01 00", 14) == 0); /* keyboard, report 1, a */
    RIG_REPORT(&r, ball, 2, 5, 0xfe);
    CHECK_TEXT(sent_message(), "a1 02 00 05 00 fe ff 00 00 00 00");
    CHECK_TEXT(sent_message(), "");
    about("lights over the interrupt channel");
    yt_bluetooth_interrupt(&r.engine, 1, (const uint8_t[]){0xa2, 0x01, 0x02}, 3, 3);
    RIG_REPORT(&r, keys, 4, 0x01);
    CHECK(rig_value(&r, 3) == YT_ONE);
    yt_bluetooth_interrupt(&r.engine, 1, (const uint8_t[]){0xa2, 0x01}, 2, 4);    /* too short */
    yt_bluetooth_interrupt(&r.engine, 1, (const uint8_t[]){0xa1, 0x01, 0}, 3, 4); /* no output */
    yt_bluetooth_interrupt(&r.engine, 1, NULL, 0, 4);
    CHECK(rig_value(&r, 3) == YT_ONE);
}

static void check_transactions(void) {
    about("GET_REPORT");
    CHECK(strncmp(CONTROL(0x41, 0x01), "a1 01 00 01", 11) == 0);
    CHECK_TEXT(CONTROL(0x49, 0x01, 0x03, 0x00), "a1 01 00 01"); /* the host has room for three */
    CHECK_TEXT(CONTROL(0x49, 0x01, 0x03), "04");                /* its room is cut short */
    CHECK_TEXT(CONTROL(0x41), "02");                            /* an ID is missing */
    CHECK_TEXT(CONTROL(0x41, 0x09), "02");
    CHECK_TEXT(CONTROL(0x40, 0x01), "04"); /* no type */
    about("SET_REPORT");
    CHECK_TEXT(CONTROL(0x52, 0x01, 0x00), "00");
    CHECK_TEXT(CONTROL(0x52, 0x01), "04");
    CHECK_TEXT(CONTROL(0x52, 0x07, 0x00), "02");
    CHECK_TEXT(CONTROL(0x51, 0x01, 0x00), "04"); /* an input report */
    about("protocols: boot reports have the IDs 1 and 2");
    CHECK_TEXT(CONTROL(0x60), "a0 01");
    CHECK_TEXT(CONTROL(0x70), "00");
    CHECK_TEXT(CONTROL(0x60), "a0 00");
    CHECK_TEXT(sent_message(), "a1 01 00 00 04 00 00 00 00 00");
    CHECK_TEXT(sent_message(), "a1 02 02 00 00"); /* the light is on, so is the button */
    CHECK_TEXT(CONTROL(0x41, 0x01), "a1 01 00 00 04 00 00 00 00 00");
    CHECK_TEXT(CONTROL(0x41, 0x02), "a1 02 02 00 00");
    yt_bluetooth_interrupt(&r.engine, 1, (const uint8_t[]){0xa2, 0x01, 0x02}, 3, 5);
    CHECK(rig_value(&r, 3) == YT_ONE);
    CHECK_TEXT(CONTROL(0x71), "00");
    about("idle");
    CHECK_TEXT(CONTROL(0x90, 0x05), "00");
    CHECK_TEXT(CONTROL(0x80), "a0 05");
    CHECK_TEXT(CONTROL(0x90), "04");
    about("what is not known");
    CHECK_TEXT(CONTROL(0xb0), "03");
    CHECK_TEXT(CONTROL(0x00), "");
    CHECK_TEXT(control(NULL, 0), "");
    about("HID_CONTROL is not answered");
    CHECK_TEXT(CONTROL(0x13), "");
    CHECK_EQUAL(event, YT_BLUETOOTH_SUSPEND);
    CHECK_TEXT(sent_message(), "");
    CHECK_TEXT(CONTROL(0x14), "");
    CHECK_EQUAL(event, YT_BLUETOOTH_RESUME);
    CHECK_TEXT(CONTROL(0x15), "");
    CHECK_EQUAL(event, YT_BLUETOOTH_UNPLUG);
}

/* Two outputs that no one marked as Bluetooth have an interface each: half of them is not served.
 */
static void check_unmarked(void) {
    yt_bluetooth_answer answer;
    yt_gatt gatt;
    yt_gatt_attribute attribute;
    size_t length;
    about("a connector with two interfaces");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard, view: mouse}\nsheet:\n"
                  "  typed.a: keys.a\n  view.button1: keys.b\n");
    CHECK_EQUAL(yt_bluetooth_control(&r.engine, 1, (const uint8_t[]){0x60}, 1, &answer, 0),
                YT_ARGUMENT);
    CHECK_EQUAL(yt_bluetooth_message(&r.engine, 1, answer.bytes, sizeof answer.bytes, &length),
                YT_ARGUMENT);
    yt_gatt_begin(&gatt, &r.engine, 1);
    CHECK(!yt_gatt_attribute_at(&gatt, 0, &attribute));
    rig_end(&r);
}

/* A gamepad alone has an ID too: what a host sends always begins with one. */
static void check_alone(void) {
    about("a gamepad over Bluetooth");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {pad: {kind: gamepad, over: bluetooth}}\n"
                  "sheet: {pad.south: keys.a and pad.rumble.strong > 10%}\n");
    for (unsigned i = 0; i < r.compiled.program.header->report_count; i++)
        CHECK_EQUAL(r.compiled.program.reports[i].id, 1);
    CHECK(yt_interface_uses_ids(&r.engine, 0));
    yt_bluetooth_interrupt(&r.engine, 1, (const uint8_t[]){0xa2, 0x01, 0xff, 0, 0, 0, 0}, 7, 1);
    unsigned on = 0;
    for (unsigned i = 0; i < r.compiled.program.header->control_count; i++)
        on += rig_value(&r, i) == YT_ONE;
    CHECK_EQUAL(on, 1);
    rig_end(&r);
}

int main(void) {
    rig_begin(&r, "inputs: {keys: keyboard, ball: mouse}\n"
                  "outputs: {typed: {kind: keyboard, over: bluetooth}, view: {kind: mouse, over: "
                  "bluetooth}}\nsheet:\n  typed.a: keys.a\n  view.motion: ball.motion\n"
                  "  view.button2: typed.light.caps_lock\n");
    unsigned keys = RIG_ATTACH(&r, keys_descriptor), ball = RIG_ATTACH(&r, ball_descriptor);
    /* The controls in the order of the sheet: a, then motion, then the light. */
    unsigned light = 0;
    while (light < r.compiled.program.header->control_count &&
           !r.compiled.program.controls[light].from_host)
        light++;
    CHECK_EQUAL(light, 3);
    about("without a program, or at another connector, nothing is answered");
    yt_bluetooth_answer answer;
    size_t length;
    CHECK_EQUAL(yt_bluetooth_control(&r.engine, 2, (const uint8_t[]){0x60}, 1, &answer, 0),
                YT_ARGUMENT);
    CHECK_EQUAL(answer.length, 0);
    CHECK_EQUAL(yt_bluetooth_message(&r.engine, 2, answer.bytes, sizeof answer.bytes, &length),
                YT_ARGUMENT);
    CHECK_EQUAL(yt_bluetooth_message(&r.engine, 1, answer.bytes, 3, &length), YT_ROOM);
    CHECK_EQUAL(length, yt_interface_bytes(&r.engine, 0) + 1);
    check_reports(keys, ball);
    check_transactions();
    rig_end(&r);
    check_unmarked();
    check_alone();
    return report_checks();
}
