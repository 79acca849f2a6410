/* Any bytes as what a Bluetooth LE host asks and writes, in messages: each begins with its length
 * and with what happens before it. A key changes, the link becomes encrypted, the battery is told,
 * another device answers or does not, notifications go. Invariant 32: no answer is longer than the
 * host can take, and nothing of what needs a bond is told or done without one. */
#include "fuzz/adapter.h"
#include "ports/linux/att.h"

static const char profile[] =
    "yonder: 1\ninputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth},\n"
    "  view: {kind: mouse, over: bluetooth}, media: {kind: consumer, over: bluetooth}}\n"
    "relays: [{output: view, report: 2, type: feature, to: keys, as: 5}]\n"
    "sheet:\n  typed.b: keys.b or typed.light.num_lock\n  view.button1: keys.d\n";

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 8,
                                         .manufacturer = "Quay",
                                         .product_name = "Crane desk of the long north quay",
                                         .serial = "1"};

static fuzz_adapter adapter;
static att a;
static bool takes;

static bool relay(void *context, unsigned connector, unsigned to, yt_hid_direction direction,
                  uint8_t id, const uint8_t *bytes, size_t size) {
    (void)context, (void)bytes;
    INVARIANT(32, connector == 1 && to == adapter.number && direction == YT_HID_FEATURE && id == 5);
    INVARIANT(32, size <= ATT_MTU && a.is_encrypted);
    return takes;
}

/* What happens between two messages. */
static void happen(unsigned what, uint64_t now_us) {
    static const uint8_t told[24] = {1, 2, 3};
    uint8_t *bytes = malloc(ATT_MTU);
    const uint8_t report = (uint8_t)(what * 37);
    yt_engine_give(&adapter.engine, adapter.number, &report, 1, now_us);
    if (what & 1)
        a.is_encrypted = !a.is_encrypted;
    if (what & 2)
        att_tell_battery(&a, (int)(what % 101));
    takes = what & 4;
    if (what & 8) {
        size_t size = att_notification(&a, bytes, now_us);
        INVARIANT(32, size <= a.mtu);
        INVARIANT(32, a.is_encrypted || size == 0 || a.is_battery_sent);
        if (size > 0)
            att_sent(&a, now_us);
    }
    if (what & 16) {
        size_t size = att_relayed(&a, what & 32 ? told : NULL, sizeof told, bytes);
        INVARIANT(32, size <= a.mtu);
    }
    free(bytes);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size) {
    uint64_t now_us = 1000;
    fuzz_adapter_begin(&adapter, profile);
    memset(&a, 0, sizeof a);
    a.relay = relay;
    att_begin(&a, &adapter.engine, &identity, 1, size > 0 && data[0] & 1 ? 50 : -1);
    for (size_t at = 0; at + 1 < size;) {
        unsigned what = data[at];
        size_t length = data[at + 1];
        at += 2;
        length = length < size - at ? length : size - at;
        happen(what, now_us);
        uint8_t *message = malloc(length + 1), *answer = malloc(ATT_MTU);
        uint32_t listened = a.gatt.listened;
        memcpy(message, data + at, length);
        size_t told = att_request(&a, message, length, answer, now_us);
        INVARIANT(32, told <= a.mtu && a.mtu >= 23 && a.mtu <= ATT_MTU);
        INVARIANT(32, told == 0 || length > 0);
        INVARIANT(32, told == 0 || answer[0] == 1 || answer[0] == message[0] + 1);
        INVARIANT(32, a.is_encrypted || a.gatt.listened == listened);
        free(message);
        free(answer);
        att_choices kept = att_kept(&a);
        att_give_back(&a, kept);
        INVARIANT(32, a.gatt.listened == kept.listened);
        at += length;
        now_us += 700;
    }
    return 0;
}
