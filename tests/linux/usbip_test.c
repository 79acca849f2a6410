/* USB/IP byte for byte, as its page in the kernel's documentation says: what is told of the device,
 * control requests as the library answers them, transfers that wait and that are given up; the same
 * however the bytes are cut, and silence after what keeps to no protocol. */
#include <errno.h>

#include "ports/linux/usbip.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"

#define DEVICE 0x00010001u

static rig r;
static usbip device;
static uint64_t now_us;

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 0x0042,
                                         .product_name = "Crane desk",
                                         .serial = "7",
                                         .packet_bytes = 64,
                                         .milliamperes = 100,
                                         .interval_ms = 4};

static const char profile[] = "inputs: {keys: keyboard}\noutputs: {typed: keyboard, view: mouse}\n"
                              "sheet:\n  typed.b: keys.a\n  view.button1: keys.b\n";

/* Eight keys a to h, a bit each. */
static const uint8_t keys[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                               0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                               0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

/* ---- what a visitor says ---- */

static uint8_t said[4096], told[8192];
static size_t said_bytes, told_bytes;

static void put(uint32_t number, unsigned bytes) {
    for (unsigned i = bytes; i-- > 0;)
        said[said_bytes++] = (uint8_t)(number >> 8 * i);
}

static void put_name(const char *name) {
    memset(said + said_bytes, 0, 32);
    memcpy(said + said_bytes, name, strlen(name));
    said_bytes += 32;
}

static void put_head(uint32_t what, uint32_t number, uint32_t to_host, uint32_t end) {
    put(what, 4);
    put(number, 4);
    put(DEVICE, 4);
    put(to_host, 4);
    put(end, 4);
}

static void put_submit(uint32_t number, uint32_t to_host, uint32_t end, uint32_t length,
                       const uint8_t setup[8]) {
    static const uint8_t none[8];
    put_head(1, number, to_host, end);
    put(0, 4);
    put(length, 4);
    put(0, 4);
    put(0, 4);
    put(0, 4);
    memcpy(said + said_bytes, setup ? setup : none, 8);
    said_bytes += 8;
}

static void put_unlink(uint32_t number, uint32_t which) {
    put_head(2, number, 0, 0);
    put(which, 4);
    memset(said + said_bytes, 0, 24);
    said_bytes += 24;
}

/* ---- and what it is told ---- */

static uint32_t at(size_t offset) {
    return (uint32_t)told[offset] << 24 | (uint32_t)told[offset + 1] << 16 |
           (uint32_t)told[offset + 2] << 8 | told[offset + 3];
}

static void fetch(void) {
    usbip_work(&device, now_us);
    told_bytes += usbip_give(&device, told + told_bytes, sizeof told - told_bytes);
}

/* Says it in pieces of so many bytes, and fetches what is told. */
static void say(size_t piece) {
    told_bytes = 0;
    for (size_t i = 0; i < said_bytes;) {
        size_t size = said_bytes - i < piece ? said_bytes - i : piece;
        size_t taken = usbip_take(&device, said + i, size, now_us);
        if (taken == 0)
            break;
        i += taken;
    }
    fetch();
    said_bytes = 0;
}

static void begin(void) {
    const yt_device arriving = {.descriptor = keys,
                                .descriptor_size = sizeof keys,
                                .bus = YT_BUS_USB,
                                .input = YT_ANY_INPUT};
    unsigned number;
    static bool is_begun;
    now_us = 1000;
    if (is_begun)
        rig_end(&r);
    is_begun = true;
    rig_begin(&r, profile);
    CHECK_EQUAL(yt_engine_attach(&r.engine, &arriving, &number), YT_OK);
    usbip_begin(&device, &r.engine, &identity, 1);
    said_bytes = told_bytes = 0;
}

static void import(void) {
    begin();
    put(0x01118003, 4);
    put(0, 4);
    put_name("1-1");
    say(sizeof said);
}

static void configure(void) {
    const uint8_t setup[8] = {0, 9, 1};
    import();
    put_submit(1, 0, 0, 0, setup);
    put_submit(2, 1, 1, 64, NULL); /* a new host is told what is on now, once */
    put_submit(3, 1, 2, 64, NULL);
    say(sizeof said);
    CHECK_EQUAL(at(20), 0);
    CHECK_EQUAL(device.waiting_count, 0);
    now_us += 10000;
}

static void press(uint8_t which) {
    yt_engine_give(&r.engine, 0, &which, 1, now_us);
}

/* ---- what is expected ---- */

static void check_about(size_t offset) {
    CHECK_TEXT((const char *)told + offset + 256, "1-1");
    CHECK_EQUAL(at(offset + 288), 1);
    CHECK_EQUAL(at(offset + 292), 1);
    CHECK_EQUAL(at(offset + 296), 2); /* full speed */
    CHECK_EQUAL(at(offset + 300), 0x12090042);
    CHECK_EQUAL(told[offset + 311], 2); /* interfaces */
}

static void check_greetings(void) {
    begin();
    about("which devices there are");
    put(0x01118005, 4);
    put(0, 4);
    say(sizeof said);
    CHECK_EQUAL(told_bytes, 12 + 312 + 2 * 4);
    CHECK_EQUAL(at(0), 0x01110005);
    CHECK_EQUAL(at(4), 0);
    CHECK_EQUAL(at(8), 1);
    check_about(12);
    CHECK_EQUAL(at(12 + 312), 0x03010100); /* HID, boot, keyboard */
    CHECK_EQUAL(at(12 + 316), 0x03010200);
    about("another one than is there");
    put(0x01118003, 4);
    put(0, 4);
    put_name("3-7");
    say(sizeof said);
    CHECK_EQUAL(told_bytes, 8);
    CHECK_EQUAL(at(0), 0x01110003);
    CHECK_EQUAL(at(4), 1);
    CHECK(!device.is_imported && !device.is_wrong);
    about("the one that is there");
    import();
    CHECK_EQUAL(told_bytes, 8 + 312);
    CHECK_EQUAL(at(4), 0);
    check_about(8);
}

/* Control requests are answered as yt_usb_request does. */
static void check_control(void) {
    static const uint8_t asked[][8] = {
        {0x80, 6, 0, 1, 0, 0, 18, 0},     {0x80, 6, 0, 2, 0, 0, 9, 0},
        {0x80, 6, 0, 2, 0, 0, 255, 0},    {0x80, 6, 3, 3, 9, 4, 255, 0},
        {0x81, 6, 0, 0x22, 1, 0, 255, 0}, {0x80, 6, 0, 6, 0, 0, 10, 0},
        {0xa1, 1, 0, 1, 0, 0, 8, 0},      {0xa1, 3, 0, 0, 0, 0, 1, 0},
        {0xa1, 2, 0, 0, 1, 0, 1, 0},      {0x80, 6, 0, 9, 0, 0, 8, 0}};
    configure();
    for (size_t i = 0; i < sizeof asked / sizeof asked[0]; i++) {
        uint8_t answer[512];
        yt_usb_control control = {.answer = answer, .room = sizeof answer};
        about("control request %zu", i);
        memcpy(control.setup, asked[i], 8);
        yt_status status = yt_usb_request(&r.engine, &identity, 1, &control, now_us);
        size_t wanted = control.length < asked[i][6] ? control.length : asked[i][6];
        put_submit(10 + (uint32_t)i, 1, 0, asked[i][6], asked[i]);
        say(sizeof said);
        CHECK_EQUAL(at(0), 3);
        CHECK_EQUAL(at(4), 10 + i);
        CHECK_EQUAL((int32_t)at(20), status == YT_OK ? 0 : -EPIPE);
        CHECK_EQUAL(at(24), status == YT_OK ? wanted : 0);
        CHECK_EQUAL(told_bytes, 48 + at(24));
        CHECK(memcmp(told + 48, answer, at(24)) == 0);
    }
    about("lights come with their data");
    const uint8_t set[8] = {0x21, 9, 0, 2, 0, 0, 1, 0};
    put_submit(30, 0, 0, 1, set);
    said[said_bytes++] = 0x02;
    say(sizeof said);
    CHECK_EQUAL((int32_t)at(20), 0);
    CHECK_EQUAL(at(24), 1);
    about("what comes against its own direction is stalled");
    put_submit(31, 1, 0, 1, set);
    say(sizeof said);
    CHECK_EQUAL((int32_t)at(20), -EPIPE);
}

static void check_transfers(void) {
    configure();
    about("a transfer waits until there is a report");
    put_submit(7, 1, 1, 64, NULL);
    say(sizeof said);
    CHECK_EQUAL(told_bytes, 0);
    press(1);
    fetch();
    CHECK_EQUAL(told_bytes, 48 + at(24));
    CHECK_EQUAL(at(0), 3);
    CHECK_EQUAL(at(4), 7);
    CHECK(at(24) >= 8);
    about("the next one comes in the host's interval at the earliest");
    put_submit(8, 1, 1, 64, NULL);
    say(sizeof said);
    press(0);
    told_bytes = 0;
    CHECK_EQUAL(usbip_work(&device, now_us), now_us + 4000);
    fetch();
    CHECK_EQUAL(told_bytes, 0);
    now_us += 4000;
    fetch();
    CHECK_EQUAL(at(4), 8);
    about("one that is given up is told of no more");
    now_us += 10000;
    put_submit(9, 1, 1, 64, NULL);
    put_unlink(10, 9);
    say(sizeof said);
    CHECK_EQUAL(told_bytes, 48);
    CHECK_EQUAL(at(0), 4);
    CHECK_EQUAL(at(4), 10);
    CHECK_EQUAL((int32_t)at(20), -ECONNRESET);
    press(1);
    told_bytes = 0;
    fetch();
    CHECK_EQUAL(told_bytes, 0);
    about("one that is over already");
    put_unlink(11, 7);
    say(sizeof said);
    CHECK_EQUAL((int32_t)at(20), 0);
    about("an endpoint that is not there");
    put_submit(12, 1, 3, 64, NULL);
    say(sizeof said);
    CHECK_EQUAL((int32_t)at(20), -EPIPE);
    about("no more wait than there is room for");
    for (uint32_t i = 0; i <= USBIP_WAITING; i++)
        put_submit(100 + i, 1, 2, 64, NULL);
    say(sizeof said);
    CHECK_EQUAL(told_bytes, 48);
    CHECK_EQUAL(at(4), 100 + USBIP_WAITING);
    CHECK_EQUAL((int32_t)at(20), -ENOMEM);
    about("a visitor that goes leaves nothing");
    usbip_end(&device);
    CHECK_EQUAL(device.waiting_count, 0);
}

/* The same is told, however the bytes come. */
static void check_pieces(void) {
    static const uint8_t get[8] = {0x80, 6, 0, 2, 0, 0, 255, 0}, set[8] = {0, 9, 1};
    static uint8_t whole[sizeof told];
    size_t whole_bytes = 0;
    for (size_t piece = 400; piece > 0; piece--) {
        about("in pieces of %zu bytes", piece);
        begin();
        put(0x01118003, 4);
        put(0, 4);
        put_name("1-1");
        put_submit(1, 1, 0, 255, get);
        put_submit(2, 0, 0, 0, set);
        put_submit(3, 1, 1, 64, NULL);
        put_unlink(4, 3);
        say(piece);
        if (piece == 400) {
            memcpy(whole, told, told_bytes);
            whole_bytes = told_bytes;
        }
        CHECK_EQUAL(told_bytes, whole_bytes);
        CHECK(memcmp(whole, told, whole_bytes) == 0);
    }
    CHECK(whole_bytes > 320 + 3 * 48);
}

static void check_wrong(void) {
    static const uint8_t setup[8] = {0x21, 9, 0, 2, 0, 0, 0x88, 0x13};
    for (unsigned kind = 0; kind < 5; kind++) {
        about("wrong message %u", kind);
        if (kind < 2)
            begin();
        else
            configure();
        if (kind == 0) {
            put(0x01068005, 4); /* of another version */
            put(0, 4);
        } else if (kind == 1) {
            put(0x01118001, 4);
            put(0, 4);
        } else {
            put_submit(9, 1, 1, 64, NULL); /* it waits, and is told no more either */
            say(sizeof said);
            put_submit(1, kind == 2 ? 0 : 1, 0, 5000, setup); /* longer than any report */
            if (kind == 3)
                said[3] = 7;
            if (kind == 4)
                said[11] = 9; /* of another device */
        }
        say(sizeof said);
        CHECK(device.is_wrong);
        CHECK_EQUAL(told_bytes, 0);
        press(1);
        now_us += 10000;
        put(0x01118005, 4);
        put(0, 4);
        CHECK_EQUAL(usbip_take(&device, said, said_bytes, now_us), 0);
        fetch();
        CHECK_EQUAL(told_bytes, 0);
    }
}

int main(void) {
    check_greetings();
    check_control();
    check_transfers();
    check_pieces();
    check_wrong();
    rig_end(&r);
    return report_checks();
}
