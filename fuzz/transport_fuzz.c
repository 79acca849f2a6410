/* Any bytes as what hosts say: USB control requests, Bluetooth messages, GATT reads and writes, by
 * turns, while a keyboard types. Nothing is read or written outside (invariant 13). */
#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "tests/engine/lengths.h"
#include "yonder/bluetooth.h"
#include "yonder/gatt.h"
#include "yonder/usb.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard}\n"
    "outputs: {pad: gamepad, typed: keyboard, view: mouse, media: consumer,\n"
    "  far: {kind: keyboard, connector: 2, over: bluetooth},\n"
    "  away: {kind: mouse, connector: 2, over: bluetooth}}\n"
    "relays: [{output: view, report: 0, type: feature, to: keys},\n"
    "  {output: away, report: 2, type: feature, to: keys, as: 1}]\nsheet:\n"
    "  pad.south: keys.a or pad.rumble.strong > 50%\n  typed.b: keys.b or typed.light.num_lock\n"
    "  typed.left_shift: keys.c\n  view.button1: keys.d\n  media.mute: keys.e\n  far.a: keys.a\n"
    "  far.b: far.light.caps_lock\n  away.button1: keys.b\n  keys.light.num_lock: keys.a\n";

static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x04, 0x29,
                                   0x0b, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02,
                                   0x05, 0x08, 0x19, 0x01, 0x29, 0x08, 0x91, 0x02, 0xc0};

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 8,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane",
                                         .serial = "1",
                                         .packet_bytes = 8,
                                         .milliamperes = 100,
                                         .interval_ms = 8};

/* A report of the link's kind, whose interface stands behind those of the program. */
static yt_status set_report(void *context, const uint8_t *bytes, size_t size) {
    (void)context;
    INVARIANT(13, size >= 1 && size <= 6 && bytes[0] == 9);
    return YT_OK;
}

static yt_status get_report(void *context, uint8_t *bytes) {
    (void)context;
    memset(bytes, 9, 6);
    return YT_OK;
}

static const yt_usb_feature feature = {.descriptor = keyboard,
                                       .descriptor_size = sizeof keyboard,
                                       .report_id = 9,
                                       .report_bytes = 6,
                                       .set = set_report,
                                       .get = get_report};

static yt_compiled program;

static void compile(void) {
    yt_messages messages;
    messages_begin(&messages, "profile", profile, strlen(profile));
    if (!compile_profile(&program, &messages))
        abort();
    messages_free(&messages);
}

/* What a stack asks for itself: each descriptor, with little room or much. */
static void ask_descriptors(const yt_engine *engine, const yt_usb_identity *asked, size_t room) {
    uint8_t *bytes = malloc(room + 1);
    char *text = malloc(room + 1);
    size_t length = 0;
    yt_status status = yt_usb_device_descriptor(engine, asked, bytes, room, &length);
    INVARIANT(13, status != YT_OK || length <= room);
    for (unsigned connector = 1; connector <= 3; connector++) {
        status = yt_usb_configuration(engine, asked, connector, bytes, room, &length);
        INVARIANT(13, status != YT_OK || length <= room);
    }
    for (unsigned index = 0; index < 5; index++) {
        status = yt_usb_string(engine, asked, index, bytes, room, &length);
        INVARIANT(13, status == YT_OK ? length <= room : status != YT_ROOM || length > room);
    }
    status = yt_usb_serial(engine, asked, text, room);
    INVARIANT(13, status != YT_OK || strlen(text) < room);
    free(text);
    free(bytes);
}

static void ask_usb(yt_engine *engine, const uint8_t *bytes, size_t size, uint64_t now_us) {
    uint8_t *data = malloc(size + 1); /* just so long that an access outside shows */
    unsigned connector = 1 + (bytes[0] & 1);
    yt_usb_control control = {
        .data = data, .size = size - 8, .answer = data, .room = size, .length = 0};
    memcpy(control.setup, bytes, 8);
    memcpy(data, bytes + 8, size - 8);
    yt_usb_identity asked = identity;
    asked.feature = now_us / 500 & 1 ? &feature : NULL;
    yt_status expected = yt_usb_expects(engine, &asked, connector, control.setup);
    asked.speed = (uint8_t)(now_us / 500 % 3);
    asked.can_high_speed = now_us / 1500 & 1;
    asked.interval_ms = bytes[6];
    ask_descriptors(engine, &asked, bytes[7]);
    yt_status status = yt_usb_request(engine, &asked, connector, &control, now_us);
    INVARIANT(13, control.length <= size);
    INVARIANT(13, status == YT_OK || control.length == 0);
    INVARIANT(13, status != YT_RELAYED || expected == YT_RELAYED);
    free(data);
}

static void ask_bluetooth(yt_engine *engine, const uint8_t *bytes, size_t size, uint64_t now_us) {
    yt_bluetooth_answer answer;
    uint8_t message[YT_BLUETOOTH_BYTES];
    size_t length;
    yt_status status = yt_bluetooth_control(engine, 2, bytes, size, &answer, now_us);
    INVARIANT(13, answer.length <= sizeof answer.bytes && (status == YT_OK || !answer.length));
    for (size_t cut = 0; cut < 5; cut++) { /* cut short at each place */
        status = yt_bluetooth_control(engine, 2, bytes, cut < size ? cut : size, &answer, now_us);
        INVARIANT(13, answer.length <= sizeof answer.bytes);
    }
    yt_bluetooth_interrupt(engine, 2, bytes, size, now_us);
    status = yt_bluetooth_message(engine, 2, message, bytes[1] % 3 ? sizeof message : bytes[2] % 40,
                                  &length);
    if (status == YT_OK && length > 0)
        yt_bluetooth_sent(engine, 2, now_us);
}

static void ask_gatt(yt_engine *engine, const uint8_t *bytes, size_t size, uint64_t now_us) {
    uint8_t value[YT_REPORT_BYTES + 1];
    size_t length = 0;
    unsigned index = bytes[0] % 20;
    yt_gatt gatt;
    yt_gatt_begin(&gatt, engine, 2);
    for (unsigned i = 0; i < YT_GATT_ATTRIBUTES; i++)
        if (bytes[0] >> (i % 8) & 1 && yt_gatt_listen(&gatt, i, true) != YT_OK)
            INVARIANT(13, gatt.listened >> i == 0);
    yt_status status =
        yt_gatt_read(&gatt, index, bytes[1], value, bytes[2] % sizeof value, &length);
    INVARIANT(13, length <= bytes[2] % sizeof value);
    status = yt_gatt_write(&gatt, index, bytes + 3, size - 3, now_us);
    status = yt_gatt_notification(&gatt, bytes[1], &index, value, sizeof value, &length, now_us);
    INVARIANT(13, length == 0 || (length + 3 <= bytes[1] && gatt.listened >> index & 1));
    if (status == YT_OK && length > 0)
        yt_gatt_sent(&gatt, now_us);
}

static void take_reports(yt_engine *engine, unsigned device, uint64_t now_us) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    yt_hid_direction direction;
    unsigned i; /* those of the second connector are for its transports to take */
    for (unsigned k = 0; (i = yt_connector_interface(engine, 1, k)) < YT_INTERFACES; k++)
        if (next_report(engine, i, bytes, sizeof bytes) > 0)
            yt_interface_taken(engine, i, now_us);
    INVARIANT(13, device_output(engine, device, bytes, sizeof bytes, &direction) <= sizeof bytes);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    static uint64_t memory[2048];
    yt_port port = {.version = YT_PORT_VERSION};
    yt_engine engine;
    yt_device device = {
        .descriptor = keyboard, .descriptor_size = sizeof keyboard, .input = YT_ANY_INPUT};
    unsigned number;
    uint64_t now_us = 0;
    if (!program.image)
        compile();
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, program.image, program.size) != YT_OK ||
        yt_engine_attach(&engine, &device, &number) != YT_OK)
        abort();
    for (size_t at = 0; at < size;) {
        size_t length = data[at++] % 24;
        length = length < size - at ? length : size - at;
        const uint8_t *bytes = data + at;
        now_us += 500u * (unsigned)length;
        if (length == 1 && yt_engine_report(&engine, number, bytes, 1, now_us) != YT_OK)
            abort();
        if (length == 2)
            yt_connector_suspend(&engine, bytes[0] & 3, bytes[1] & 1);
        if (length == 3)
            yt_connector_reset(&engine, bytes[0] & 3);
        if (length >= 8 && length % 3 == 0)
            ask_usb(&engine, bytes, length, now_us);
        if (length >= 4 && length % 3 == 1)
            ask_gatt(&engine, bytes, length, now_us);
        if (length >= 4 && length % 3 == 2)
            ask_bluetooth(&engine, bytes, length, now_us);
        yt_engine_update(&engine, now_us);
        take_reports(&engine, number, now_us);
        at += length;
    }
    return 0;
}
