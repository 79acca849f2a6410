/* Any bytes as what a visitor says to an adapter by USB/IP, in pieces: each begins with its length.
 * Between two pieces a key changes, time passes, and what is to be said is fetched: all of it, or
 * little. Invariant 31: what is kept has a bound, and after
 * a wrong message nothing more is said. */
#include "fuzz/adapter.h"
#include "ports/linux/usbip.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad, typed: keyboard, view: mouse}\n"
    "sheet:\n  pad.south: keys.a or pad.rumble.strong > 50%\n"
    "  typed.b: keys.b or typed.light.num_lock\n  view.button1: keys.d\n";

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 8,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane",
                                         .serial = "1",
                                         .packet_bytes = 64,
                                         .milliamperes = 100,
                                         .interval_ms = 1};

static fuzz_adapter adapter;
static usbip device;

static void fetch(size_t room) {
    uint8_t *bytes = malloc(room + 1);
    size_t size;
    while ((size = usbip_give(&device, bytes, room)) > 0 && room > 40)
        INVARIANT(31, size <= room);
    free(bytes);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    uint64_t now_us = 1000;
    fuzz_adapter_begin(&adapter, profile);
    usbip_begin(&device, &adapter.engine, &identity, 1);
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
        yt_engine_give(&adapter.engine, adapter.number, &report, 1, now_us);
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
