/* USB as a host sees it: enumeration step by step, then every request of the HID class, a bus
 * reset, suspend and wake-up. */
#include "tests/engine/descriptors.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "yonder/usb.h"

static rig r;

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 0x0008,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane desk",
                                         .serial = "0042",
                                         .packet_bytes = 64,
                                         .milliamperes = 100,
                                         .interval_ms = 1};

static const char profile[] =
    "inputs: {keys: keyboard, ball: mouse}\n"
    "outputs: {pad: gamepad, typed: keyboard, view: mouse, media: consumer, "
    "far: {kind: keyboard, connector: 2}}\nsheet:\n"
    "  pad.south: keys.a\n  typed.b: keys.b\n  typed.left_shift: keys.c\n  view.motion: "
    "ball.motion\n"
    "  view.wheel: ball.wheel\n  view.button1: ball.button1\n  media.mute: keys.d\n  far.x: "
    "keys.a\n";

/* Eight keys a to h, a bit each. */
static const uint8_t keys_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                          0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                          0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

static uint8_t data[512];
static size_t length;

/* One control transfer of connector 1; what comes back stands in `data`. */
static yt_status request(uint8_t type, uint8_t number, uint16_t value, uint16_t index,
                         uint16_t room, size_t sent) {
    const uint8_t setup[8] = {type,           number,
                              (uint8_t)value, (uint8_t)(value >> 8),
                              (uint8_t)index, (uint8_t)(index >> 8),
                              (uint8_t)room,  (uint8_t)(room >> 8)};
    static uint8_t answer[sizeof data];
    yt_usb_control control = {.data = data, .size = sent, .answer = answer, .room = sizeof data};
    memcpy(control.setup, setup, sizeof setup);
    yt_status expected = yt_usb_expects(&r.engine, &identity, 1, setup);
    yt_status status = yt_usb_request(&r.engine, &identity, 1, &control, 0);
    if (sent > 0 && sent == room && (type & 0x80) == 0) /* judged without its data as with it */
        CHECK_EQUAL(expected, status);
    length = control.length;
    memcpy(data, answer, length);
    return status;
}

static void check_device(void) {
    about("the device descriptor");
    CHECK_EQUAL(request(0x80, 6, 0x0100, 0, 64, 0), YT_OK);
    CHECK_EQUAL(length, 18);
    CHECK_EQUAL(data[0], 18);
    CHECK_EQUAL(data[1], 1);
    CHECK_EQUAL(data[8] | data[9] << 8, 0x1209);
    for (int i = 12; i < 14; i++) /* the version is decimal digits */
        CHECK((data[i] & 15) < 10 && data[i] >> 4 < 10);
    CHECK_EQUAL(data[17], 1);
    CHECK_EQUAL(request(0x80, 6, 0x0100, 0, 8, 0), YT_OK); /* as hosts ask first */
    CHECK_EQUAL(length, 8);
    about("strings");
    CHECK_EQUAL(request(0x80, 6, 0x0300, 0, 255, 0), YT_OK);
    CHECK_EQUAL(length, 4);
    CHECK_EQUAL(data[2] | data[3] << 8, 0x0409);
    CHECK_EQUAL(request(0x80, 6, 0x0302, 0x0409, 255, 0), YT_OK);
    CHECK_EQUAL(length, 2 + 2 * strlen("Crane desk"));
    CHECK_EQUAL(data[2], 'C');
    CHECK_EQUAL(request(0x80, 6, 0x0303, 0x0409, 255, 0), YT_OK);
    CHECK_EQUAL(length, 2 + 2 * (4 + 9)); /* the serial number and its suffix */
    CHECK_EQUAL(request(0x80, 6, 0x0304, 0x0409, 255, 0), YT_ARGUMENT);
    CHECK_EQUAL(request(0x80, 6, 0x0600, 0, 255, 0), YT_ARGUMENT); /* no qualifier: full speed */
}

/* What a bus of each speed is told: the interval, the packets, and the other speed. */
static void check_speeds(void) {
    static const struct {
        uint8_t speed, interval_ms, told;
        unsigned packet; /* of the longest report, 22 bytes */
    } cases[] = {{YT_USB_FULL, 1, 1, 22}, {YT_USB_FULL, 8, 8, 22},   {YT_USB_FULL, 255, 255, 22},
                 {YT_USB_FULL, 0, 1, 22}, {YT_USB_LOW, 8, 10, 8},    {YT_USB_LOW, 20, 20, 8},
                 {YT_USB_HIGH, 1, 4, 22}, {YT_USB_HIGH, 2, 5, 22},   {YT_USB_HIGH, 3, 5, 22},
                 {YT_USB_HIGH, 8, 7, 22}, {YT_USB_HIGH, 255, 11, 22}};
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        yt_usb_identity asked = identity;
        uint8_t bytes[YT_USB_CONFIGURATION_BYTES];
        asked.speed = cases[i].speed;
        asked.interval_ms = cases[i].interval_ms;
        about("speed %u, %u ms", cases[i].speed, cases[i].interval_ms);
        CHECK_EQUAL(yt_usb_configuration(&r.engine, &asked, 1, bytes, sizeof bytes, &length),
                    YT_OK);
        CHECK_EQUAL(bytes[9 + 25 + 24], cases[i].told); /* of the keyboard's endpoint */
        CHECK_EQUAL(bytes[9 + 25 + 22] | bytes[9 + 25 + 23] << 8, cases[i].packet);
        if (cases[i].speed == YT_USB_HIGH && cases[i].interval_ms) /* no longer than was asked */
            CHECK((125u << (cases[i].told - 1)) <= cases[i].interval_ms * 1000u);
    }
}

static yt_status descriptor(const yt_usb_identity *asked, unsigned type, uint8_t *bytes) {
    yt_usb_control control = {
        .setup = {0x80, 6, 0, (uint8_t)type, 0, 0, 255, 0}, .answer = bytes, .room = 512};
    yt_status status = yt_usb_request(&r.engine, asked, 1, &control, 0);
    length = control.length;
    return status;
}

static void check_two_speeds(void) {
    yt_usb_identity asked = identity;
    uint8_t bytes[512];
    about("a device of two speeds");
    asked.can_high_speed = true;
    asked.interval_ms = 8;
    CHECK_EQUAL(descriptor(&asked, 6, bytes), YT_OK);
    CHECK_EQUAL(length, 10);
    CHECK_EQUAL(bytes[1], 6);
    CHECK_EQUAL(bytes[7], 64);
    CHECK_EQUAL(descriptor(&asked, 7, bytes), YT_OK); /* what it would be at high speed */
    CHECK_EQUAL(bytes[1], 7);
    CHECK_EQUAL(bytes[9 + 25 + 24], 7);
    asked.speed = YT_USB_HIGH;
    CHECK_EQUAL(descriptor(&asked, 7, bytes), YT_OK); /* at full speed */
    CHECK_EQUAL(bytes[9 + 25 + 24], 8);
    CHECK_EQUAL(descriptor(&asked, 2, bytes), YT_OK);
    CHECK_EQUAL(bytes[1], 2);
    CHECK_EQUAL(bytes[9 + 25 + 24], 7);
    asked.can_high_speed = false;
    CHECK_EQUAL(descriptor(&asked, 7, bytes), YT_ARGUMENT);
}

/* The device says what its port can do, and what powers it. */
static void check_attributes(void) {
    yt_usb_identity asked = identity;
    uint8_t bytes[512];
    void (*wake)(void *, unsigned) = r.port.wake;
    about("a port that cannot wake its host");
    r.port.wake = NULL;
    CHECK_EQUAL(descriptor(&asked, 2, bytes), YT_OK);
    CHECK_EQUAL(bytes[7], 0x80);
    r.port.wake = wake;
    about("one that can, in a device with power of its own");
    asked.is_self_powered = true;
    CHECK_EQUAL(descriptor(&asked, 2, bytes), YT_OK);
    CHECK_EQUAL(bytes[7], 0xe0);
}

/* Too little room is an error that says how much is needed; nothing is written. */
static void check_room(void) {
    uint8_t bytes[YT_USB_CONFIGURATION_BYTES] = {0x77};
    char serial[YT_USB_SERIAL_BYTES];
    size_t needed;
    about("too little room");
    CHECK_EQUAL(yt_usb_device_descriptor(&r.engine, &identity, bytes, 17, &needed), YT_ROOM);
    CHECK_EQUAL(needed, 18);
    CHECK_EQUAL(yt_usb_configuration(&r.engine, &identity, 1, bytes, 20, &needed), YT_ROOM);
    CHECK_EQUAL(needed, 9 + 3 * 25);
    CHECK_EQUAL(yt_usb_string(&r.engine, &identity, 2, bytes, 3, &needed), YT_ROOM);
    CHECK_EQUAL(needed, 2 + 2 * strlen("Crane desk"));
    CHECK_EQUAL(bytes[0], 0x77);
    CHECK_EQUAL(yt_usb_string(&r.engine, &identity, 9, bytes, sizeof bytes, &needed), YT_ARGUMENT);
    const yt_usb_identity unnamed = {.vendor = 1, .product = 2, .product_name = "Crane desk"};
    CHECK_EQUAL(yt_usb_string(&r.engine, &unnamed, 1, bytes, sizeof bytes, &needed), YT_ARGUMENT);
    CHECK_EQUAL(yt_usb_string(&r.engine, &unnamed, 2, bytes, sizeof bytes, &needed), YT_OK);
    CHECK_EQUAL(yt_usb_configuration(&r.engine, &identity, 3, bytes, sizeof bytes, &needed),
                YT_ARGUMENT);
    CHECK_EQUAL(yt_usb_serial(&r.engine, &identity, serial, 5), YT_ROOM);
    CHECK_EQUAL(yt_usb_serial(&r.engine, &identity, serial, sizeof serial), YT_OK);
    CHECK_EQUAL(strlen(serial), strlen(identity.serial) + 9);
    CHECK_EQUAL(strncmp(serial, identity.serial, strlen(identity.serial)), 0);
    for (size_t i = 0; i < strlen(serial); i++) { /* the string descriptor says the same */
        CHECK_EQUAL(request(0x80, 6, 0x0303, 0x0409, 255, 0), YT_OK);
        CHECK_EQUAL(data[2 + 2 * i], serial[i]);
    }
    yt_usb_identity nameless = identity;
    nameless.serial = NULL;
    CHECK_EQUAL(yt_usb_serial(&r.engine, &nameless, serial, sizeof serial), YT_ARGUMENT);
}

/* Walks the configuration as a host does: every descriptor by its length and type. */
static void check_configuration(void) {
    static const uint8_t subclasses[] = {0, 1, 1}, protocols[] = {0, 1, 2};
    unsigned interfaces = 0, endpoints = 0, hids = 0;
    about("the configuration");
    CHECK_EQUAL(request(0x80, 6, 0x0200, 0, 255, 0), YT_OK);
    CHECK_EQUAL(data[2] | data[3] << 8, length);
    CHECK_EQUAL(data[4], 3); /* pad and media share one; keyboard and mouse have their own */
    CHECK(data[7] & 0x20);   /* can wake the host */
    CHECK_EQUAL(data[8], 50);
    for (size_t at = data[0]; at < length; at += data[at]) {
        CHECK(data[at] > 2);
        if (data[at + 1] == 4) {
            CHECK_EQUAL(data[at + 2], interfaces);
            CHECK_EQUAL(data[at + 5], 3);
            CHECK_EQUAL(data[at + 6], subclasses[interfaces]);
            CHECK_EQUAL(data[at + 7], protocols[interfaces]);
            interfaces++;
        } else if (data[at + 1] == 0x21) {
            size_t size = 0;
            CHECK_EQUAL(data[at + 2] | data[at + 3] << 8, 0x0111);
            CHECK(yt_usb_report_descriptor(&r.engine, &identity, 1, hids++, &size) != NULL);
            CHECK_EQUAL(data[at + 7] | data[at + 8] << 8, size);
        } else {
            CHECK_EQUAL(data[at + 1], 5);
            CHECK_EQUAL(data[at + 2], 0x81 + endpoints++);
            CHECK_EQUAL(data[at + 3], 3);
            CHECK((data[at + 4] | data[at + 5] << 8) <= 64);
        }
    }
    CHECK_EQUAL(interfaces, 3);
    CHECK_EQUAL(endpoints, 3);
    about("report descriptors");
    for (uint16_t i = 0; i < 3; i++) {
        size_t size = 0;
        const uint8_t *bytes = yt_usb_report_descriptor(&r.engine, &identity, 1, i, &size);
        CHECK_EQUAL(request(0x81, 6, 0x2200, i, 500, 0), YT_OK);
        CHECK_EQUAL(length, size);
        CHECK_EQUAL(memcmp(data, bytes, size), 0);
        CHECK_EQUAL(request(0x81, 6, 0x2100, i, 9, 0), YT_OK);
        CHECK_EQUAL(length, 9);
    }
    CHECK_EQUAL(request(0x81, 6, 0x2200, 3, 500, 0), YT_ARGUMENT);
    about("the other connector is a device of its own");
    CHECK_EQUAL(yt_connector_interface(&r.engine, 2, 0), 3);
    CHECK_EQUAL(yt_connector_interface(&r.engine, 2, 1), YT_INTERFACES);
    CHECK_EQUAL(yt_connector_interface(&r.engine, 3, 0), YT_INTERFACES);
}

static void check_class_requests(unsigned keys) {
    about("GET_REPORT gives the last state, and uses nothing up");
    RIG_REPORT(&r, keys, 1, 0x01); /* a */
    CHECK_EQUAL(request(0xa1, 1, 0x0101, 0, 64, 0), YT_OK);
    CHECK_EQUAL(length, 16);
    CHECK_EQUAL(data[0], 1);
    CHECK_EQUAL(data[1], 0); /* not told yet: no report went out */
    CHECK(strncmp(rig_take(&r, 0, 2), "01 01", 5) == 0);
    CHECK_EQUAL(request(0xa1, 1, 0x0101, 0, 64, 0), YT_OK);
    CHECK_EQUAL(data[1], 1);
    CHECK_EQUAL(request(0xa1, 1, 0x0109, 0, 64, 0), YT_ARGUMENT); /* no such ID */
    CHECK_EQUAL(request(0xa1, 1, 0x0101, 0, 4, 0), YT_OK);
    CHECK_EQUAL(length, 4);
    about("SET_REPORT of lights");
    data[0] = 0x02;
    CHECK_EQUAL(request(0x21, 9, 0x0200, 1, 1, 1), YT_OK);
    CHECK_EQUAL(request(0x21, 9, 0x0200, 1, 0, 0), YT_REPORT_SHORT);
    CHECK_EQUAL(request(0x21, 9, 0x0100, 1, 1, 1), YT_ARGUMENT); /* an input report */
    about("protocols");
    CHECK_EQUAL(request(0xa1, 3, 0, 1, 1, 0), YT_OK);
    CHECK_EQUAL(data[0], 1);
    CHECK_EQUAL(request(0x21, 11, 0, 0, 0, 0), YT_ARGUMENT); /* a gamepad has no boot protocol */
    CHECK_EQUAL(request(0x21, 11, 2, 1, 0, 0), YT_ARGUMENT);
    RIG_REPORT(&r, keys, 3, 0x07); /* a, b and c */
    CHECK(strlen(rig_take(&r, 1, 3)) == 22 * 3 - 1);
    CHECK_EQUAL(request(0x21, 11, 0, 1, 0, 0), YT_OK);
    CHECK_TEXT(rig_take(&r, 1, 4), "02 00 05 00 00 00 00 00"); /* built anew, from what is on */
    CHECK_EQUAL(request(0xa1, 3, 0, 1, 1, 0), YT_OK);
    CHECK_EQUAL(data[0], 0);
    CHECK_EQUAL(request(0xa1, 1, 0x0100, 1, 64, 0), YT_OK);
    CHECK_EQUAL(length, 8);
    about("requests that are none of ours");
    CHECK_EQUAL(request(0x00, 5, 3, 0, 0, 0), YT_ARGUMENT);       /* SET_ADDRESS */
    CHECK_EQUAL(request(0x21, 1, 0x0100, 0, 64, 0), YT_ARGUMENT); /* GET_REPORT, the wrong way */
    CHECK_EQUAL(request(0xa1, 1, 0x0100, 9, 64, 0), YT_ARGUMENT);
    CHECK_EQUAL(request(0xa1, 7, 0, 0, 64, 0), YT_ARGUMENT);
}

static void check_idle(unsigned keys) {
    about("SET_IDLE: the last report again, with nothing new");
    CHECK_EQUAL(request(0x21, 10, 0x0500, 1, 0, 0), YT_OK); /* 20 ms */
    CHECK_EQUAL(request(0xa1, 2, 0, 1, 1, 0), YT_OK);
    CHECK_EQUAL(data[0], 5);
    CHECK_EQUAL(yt_engine_update(&r.engine, 10000), 4 + 20000);
    CHECK_TEXT(rig_take(&r, 1, 10000), "");
    yt_engine_update(&r.engine, 20004);
    CHECK_TEXT(rig_take(&r, 1, 20004), "02 00 05 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 1, 20005), "");
    about("a bus reset: report protocol, no idle time, what is on is told again");
    yt_connector_reset(&r.engine, 1);
    CHECK(!yt_interface_is_boot(&r.engine, 1));
    CHECK_EQUAL(yt_interface_idle(&r.engine, 1), 0);
    CHECK(strncmp(rig_take(&r, 1, 20006), "02 02", 5) == 0);
    CHECK(yt_engine_update(&r.engine, 30000) == YT_NEVER);
    RIG_REPORT(&r, keys, 30001, 0x00);
}

static void check_suspend(unsigned keys, unsigned ball) {
    about("suspend: changes wait and ask once for a wake-up, motion is dropped");
    while (*rig_take(&r, 0, 30002) || *rig_take(&r, 1, 30002) || *rig_take(&r, 2, 30002))
        continue;
    RIG_REPORT(&r, keys, 30003, 0x02);
    CHECK(*rig_take(&r, 1, 30003));
    yt_connector_suspend(&r.engine, 1, true);
    CHECK_EQUAL(r.wakes, 0);
    CHECK_TEXT(rig_take(&r, 1, 30004), "");
    RIG_REPORT(&r, ball, 30005, 0, 5, 5, 0);
    RIG_REPORT(&r, keys, 30006, 0x03);
    RIG_REPORT(&r, keys, 30007, 0x02);
    unsigned wakes = 1; /* once, though two interfaces have changed */
    CHECK_EQUAL(r.wakes, wakes);
    RIG_REPORT(&r, keys, 30008, 0x03);
    CHECK_EQUAL(r.wakes, wakes);
    yt_connector_suspend(&r.engine, 1, false);
    CHECK(strncmp(rig_take(&r, 0, 30009), "01 01", 5) == 0);
    CHECK_TEXT(rig_take(&r, 2, 30009), "");
    about("all hosts asleep: what is held is let go, and that wakes nobody");
    RIG_REPORT(&r, keys, 30010, 0x02);
    while (*rig_take(&r, 0, 30011) || *rig_take(&r, 1, 30011) || *rig_take(&r, 3, 30011))
        continue;
    wakes = r.wakes;
    yt_connector_suspend(&r.engine, 1, true);
    yt_connector_suspend(&r.engine, 2, true);
    CHECK_EQUAL(r.wakes, wakes);
    yt_connector_suspend(&r.engine, 1, false);
    CHECK(strncmp(rig_take(&r, 1, 30012), "00 00", 5) == 0); /* b is up, though still held */
    RIG_REPORT(&r, keys, 30013, 0x02);
    CHECK_TEXT(rig_take(&r, 1, 30014), "");
}

static void check_wheel(unsigned ball) {
    about("a wheel's high resolution, asked for by the feature report");
    yt_connector_suspend(&r.engine, 2, false);
    RIG_REPORT(&r, ball, 40000, 0, 0, 0, 1);
    CHECK_TEXT(rig_take(&r, 2, 40000), "00 00 00 00 00 01 00 00 00");
    data[0] = 0x01;
    CHECK_EQUAL(request(0x21, 9, 0x0300, 2, 1, 1), YT_OK);
    CHECK_EQUAL(request(0xa1, 1, 0x0300, 2, 1, 0), YT_OK);
    CHECK_EQUAL(data[0], 0x01);
    RIG_REPORT(&r, ball, 40001, 0, 0, 0, 0xff);
    CHECK_TEXT(rig_take(&r, 2, 40001), "00 00 00 00 00 88 ff 00 00"); /* -120 */
    about("a boot mouse has no wheel; what it owes goes");
    CHECK_EQUAL(request(0x21, 11, 0, 2, 0, 0), YT_OK);
    RIG_REPORT(&r, ball, 40002, 1, 100, 100, 3);
    RIG_REPORT(&r, ball, 40003, 1, 100, 100, 3);
    CHECK_TEXT(rig_take(&r, 2, 40003), "01 7f 7f"); /* 200 each: what does not fit waits */
    CHECK_TEXT(rig_take(&r, 2, 40004), "01 49 49");
    CHECK_TEXT(rig_take(&r, 2, 40005), "");
}

/* More keys than the boot protocol has room for are told by the error number in all six places. */
static void check_roll_over(void) {
    about("seven keys in the boot protocol");
    rig_begin(&r, "inputs: {keys: keyboard}\noutputs: {typed: keyboard}\nsheet:\n"
                  "  typed.a: keys.a\n  typed.b: keys.b\n  typed.c: keys.c\n  typed.d: keys.d\n"
                  "  typed.e: keys.e\n  typed.f: keys.f\n  typed.g: keys.g\n"
                  "  typed.left_control: keys.h\n");
    unsigned keys = RIG_ATTACH(&r, keys_descriptor);
    CHECK_EQUAL(yt_interface_set_boot(&r.engine, 0, true), YT_OK);
    CHECK_TEXT(rig_take(&r, 0, 0), "00 00 00 00 00 00 00 00");
    RIG_REPORT(&r, keys, 1, 0x3f);
    CHECK_TEXT(rig_take(&r, 0, 1), "00 00 04 05 06 07 08 09");
    RIG_REPORT(&r, keys, 2, 0x7f);
    CHECK_TEXT(rig_take(&r, 0, 2), "00 00 01 01 01 01 01 01");
    RIG_REPORT(&r, keys, 3, 0x7e);
    CHECK_TEXT(rig_take(&r, 0, 3), "00 00 05 06 07 08 09 0a");
    about("a modifier that follows a key has a report of its own");
    RIG_REPORT(&r, keys, 4, 0x00);
    RIG_REPORT(&r, keys, 5, 0x01);
    RIG_REPORT(&r, keys, 6, 0x81);
    CHECK_TEXT(rig_take(&r, 0, 6), "00 00 04 00 00 00 00 00"); /* the six are up, a is down */
    CHECK_TEXT(rig_take(&r, 0, 7), "01 00 04 00 00 00 00 00");
    CHECK_TEXT(rig_take(&r, 0, 8), "");
    rig_end(&r);
}

int main(void) {
    rig_begin(&r, profile);
    unsigned keys = RIG_ATTACH(&r, keys_descriptor), ball = RIG_ATTACH(&r, mouse);
    check_device();
    check_configuration();
    check_speeds();
    check_two_speeds();
    check_attributes();
    check_room();
    check_class_requests(keys);
    check_idle(keys);
    check_suspend(keys, ball);
    check_wheel(ball);
    rig_end(&r);
    check_roll_over();
    return report_checks();
}
