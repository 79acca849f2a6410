/* Any bytes as what a visitor says to an adapter by USB/IP, in pieces: each begins with its length.
 * Between two pieces a key changes, time passes, and what is to be said is fetched: all of it, or
 * little. Invariant 31: what is kept has a bound, and after
 * a wrong message nothing more is said. */
#include "compiler/profile/compile.h"
#include "fuzz/fuzz.h"
#include "ports/linux/usbip.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad, typed: keyboard, view: mouse}\n"
    "sheet:\n  pad.south: keys.a or pad.rumble.strong > 50%\n"
    "  typed.b: keys.b or typed.light.num_lock\n  view.button1: keys.d\n";

static const uint8_t keyboard[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                   0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                   0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 8,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane",
                                         .serial = "1",
                                         .packet_bytes = 64,
                                         .milliamperes = 100,
                                         .interval_ms = 1};

static yt_compiled program;
static yt_engine engine;
static uint64_t memory[2048];
static const yt_port port = {.version = YT_PORT_VERSION};
static usbip device;
static unsigned number;

static void begin(void) {
    static bool is_compiled;
    const yt_device arriving = {.descriptor = keyboard,
                                .descriptor_size = sizeof keyboard,
                                .bus = YT_BUS_USB,
                                .input = YT_ANY_INPUT};
    yt_messages messages;
    if (!is_compiled) {
        messages_begin(&messages, "profile", profile, strlen(profile));
        if (!compile_profile(&program, &messages))
            abort();
        messages_free(&messages);
    }
    is_compiled = true;
    if (yt_engine_init(&engine, memory, sizeof memory, &port) != YT_OK ||
        yt_engine_load(&engine, program.image, program.size) != YT_OK ||
        yt_engine_attach(&engine, &arriving, &number) != YT_OK)
        abort();
    usbip_begin(&device, &engine, &identity, 1);
}

static void fetch(size_t room) {
    uint8_t *bytes = malloc(room + 1);
    size_t size;
    while ((size = usbip_give(&device, bytes, room)) > 0 && room > 40)
        INVARIANT(31, size <= room);
    free(bytes);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    uint64_t now_us = 1000;
    begin();
    for (size_t at = 0; at < size;) {
        size_t length = data[at++], taken = 0;
        length = length < size - at ? length : size - at;
        uint8_t *piece = malloc(length + 1);
        memcpy(piece, data + at, length);
        while (taken < length && !device.is_wrong) {
            size_t used = usbip_take(&device, piece + taken, length - taken, now_us);
            INVARIANT(31, used <= length - taken);
            if (used == 0)
                fetch(4096); /* there was no room for answers */
            taken += used;
        }
        free(piece);
        bool was_wrong = device.is_wrong;
        size_t before = device.going_bytes;
        INVARIANT(31, device.going_bytes <= sizeof device.going);
        INVARIANT(31, device.waiting_count <= USBIP_WAITING && device.came <= sizeof device.coming);
        const uint8_t report = (uint8_t)(at * 37);
        yt_engine_give(&engine, number, &report, 1, now_us);
        usbip_work(&device, now_us);
        INVARIANT(31, !was_wrong || usbip_take(&device, data, size, now_us) == 0);
        INVARIANT(31, device.going_bytes <= sizeof device.going);
        INVARIANT(31, !was_wrong || device.going_bytes == before);
        fetch(length % 3 ? 4096 : 16);
        at += length;
        now_us += 700;
    }
    usbip_end(&device);
    INVARIANT(31, device.waiting_count == 0);
    return 0;
}
