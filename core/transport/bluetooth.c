#include "yonder/bluetooth.h"

#include <string.h>

#include "yonder/engine.h"

/* The upper four bits of a message's first byte say what it is (3.1.1). */
enum {
    HANDSHAKE = 0x0,
    HID_CONTROL = 0x1,
    GET_REPORT = 0x4,
    SET_REPORT = 0x5,
    GET_PROTOCOL = 0x6,
    SET_PROTOCOL = 0x7,
    GET_IDLE = 0x8,
    SET_IDLE = 0x9,
    DATA = 0xa
};
/* Results of a handshake (3.1.2.1). */
enum { SUCCESSFUL = 0, NOT_READY = 1, WRONG_ID = 2, UNSUPPORTED = 3, WRONG_PARAMETER = 4 };
enum { CONTROL_SUSPEND = 3, CONTROL_EXIT_SUSPEND = 4, CONTROL_UNPLUG = 5 };

#define IDLE_STEP_US 4000u

/* A connector of this transport has one interface. */
static unsigned interface_at(const yt_engine *engine, unsigned connector) {
    return yt_connector_interface(engine, connector, 0);
}

static size_t shake_hands(uint8_t *answer, unsigned result) {
    answer[0] = (uint8_t)(HANDSHAKE << 4 | result);
    return 1;
}

static size_t say(uint8_t *answer, unsigned parameter, uint8_t byte) {
    answer[0] = (uint8_t)(DATA << 4 | parameter);
    answer[1] = byte;
    return 2;
}

static unsigned result_of(yt_status status) {
    return status == YT_OK ? SUCCESSFUL : status == YT_REPORT_SHORT ? WRONG_PARAMETER : WRONG_ID;
}

static bool is_relayed(const yt_engine *engine, unsigned interface, unsigned type, uint8_t id,
                       yt_status *status) {
    unsigned number;
    uint8_t device_id;
    if (type < 2)
        return false;
    *status = yt_interface_relay(engine, interface, (yt_hid_direction)(type - 1), id, &number,
                                 &device_id);
    return *status != YT_NO_MATCH;
}

/* What comes behind the first byte: the ID where there are IDs, then, where bit 3 says so, how much
 * room the host has (3.1.2.3). */
static size_t get_report(yt_engine *engine, unsigned interface, const uint8_t *bytes, size_t size,
                         uint8_t *answer, yt_bluetooth_event *event) {
    unsigned type = bytes[0] & 3;
    size_t at = 1, room = YT_REPORT_BYTES + 1;
    uint8_t id = 0, report[YT_REPORT_BYTES + 1];
    yt_status status;
    if (type == 0)
        return shake_hands(answer, WRONG_PARAMETER);
    if (yt_interface_uses_ids(engine, interface)) {
        if (size < 2)
            return shake_hands(answer, WRONG_ID);
        id = bytes[at++];
    }
    if (bytes[0] & 8) {
        if (size < at + 2)
            return shake_hands(answer, WRONG_PARAMETER);
        size_t most = (size_t)(bytes[at] | bytes[at + 1] << 8);
        room = most < room ? most : room;
    }
    if (is_relayed(engine, interface, type, id, &status)) {
        *event = status == YT_OK ? YT_BLUETOOTH_RELAYED : YT_BLUETOOTH_NOTHING;
        return status == YT_OK ? 0 : shake_hands(answer, NOT_READY);
    }
    size_t length = yt_interface_state(engine, interface, (yt_hid_direction)(type - 1), id, report,
                                       sizeof report);
    if (length == 0)
        return shake_hands(answer, WRONG_ID);
    length = length < room ? length : room;
    answer[0] = (uint8_t)(DATA << 4 | type);
    memcpy(answer + 1, report, length);
    return length + 1;
}

static size_t set_report(yt_engine *engine, unsigned interface, const uint8_t *bytes, size_t size,
                         uint8_t *answer, yt_bluetooth_event *event, uint64_t now_us) {
    unsigned type = bytes[0] & 3;
    yt_status status;
    if (type < 2)
        return shake_hands(answer, WRONG_PARAMETER);
    uint8_t id = yt_interface_uses_ids(engine, interface) && size > 1 ? bytes[1] : 0;
    if (is_relayed(engine, interface, type, id, &status)) {
        *event = status == YT_OK ? YT_BLUETOOTH_RELAYED : YT_BLUETOOTH_NOTHING;
        return status == YT_OK ? 0 : shake_hands(answer, NOT_READY);
    }
    status = yt_interface_receive(engine, interface, (yt_hid_direction)(type - 1), bytes + 1,
                                  size - 1, now_us);
    return shake_hands(answer, result_of(status));
}

/* 3.1.2.2: these are not answered. */
static size_t hid_control(yt_engine *engine, unsigned connector, unsigned operation,
                          yt_bluetooth_event *event) {
    if (operation == CONTROL_SUSPEND) {
        yt_connector_suspend(engine, connector, true);
        *event = YT_BLUETOOTH_SUSPEND;
    } else if (operation == CONTROL_EXIT_SUSPEND) {
        yt_connector_suspend(engine, connector, false);
        *event = YT_BLUETOOTH_RESUME;
    } else if (operation == CONTROL_UNPLUG) {
        *event = YT_BLUETOOTH_UNPLUG;
    }
    return 0;
}

static size_t set_protocol(yt_engine *engine, unsigned interface, unsigned parameter,
                           uint8_t *answer) {
    yt_status status = yt_interface_set_boot(engine, interface, (parameter & 1) == 0);
    return shake_hands(answer, status == YT_OK ? SUCCESSFUL : UNSUPPORTED);
}

size_t yt_bluetooth_control(yt_engine *engine, unsigned connector, const uint8_t *bytes,
                            size_t size, uint8_t *answer, yt_bluetooth_event *event,
                            uint64_t now_us) {
    unsigned interface = interface_at(engine, connector);
    *event = YT_BLUETOOTH_NOTHING;
    if (size == 0 || interface == YT_INTERFACES)
        return 0;
    switch (bytes[0] >> 4) {
    case HANDSHAKE:
        return 0;
    case HID_CONTROL:
        return hid_control(engine, connector, bytes[0] & 15, event);
    case GET_REPORT:
        return get_report(engine, interface, bytes, size, answer, event);
    case SET_REPORT:
        return set_report(engine, interface, bytes, size, answer, event, now_us);
    case GET_PROTOCOL:
        return say(answer, 0, !yt_interface_is_boot(engine, interface));
    case SET_PROTOCOL:
        return set_protocol(engine, interface, bytes[0], answer);
    case GET_IDLE:
        return say(answer, 0, (uint8_t)(yt_interface_idle(engine, interface) / IDLE_STEP_US));
    case SET_IDLE:
        if (size < 2)
            return shake_hands(answer, WRONG_PARAMETER);
        yt_interface_set_idle(engine, interface, bytes[1] * IDLE_STEP_US);
        return shake_hands(answer, SUCCESSFUL);
    default:
        return shake_hands(answer, UNSUPPORTED);
    }
}

yt_bluetooth_event yt_bluetooth_interrupt(yt_engine *engine, unsigned connector,
                                          const uint8_t *bytes, size_t size, uint64_t now_us) {
    unsigned interface = interface_at(engine, connector);
    yt_status status;
    if (size == 0 || interface == YT_INTERFACES || bytes[0] != (DATA << 4 | 2))
        return YT_BLUETOOTH_NOTHING;
    uint8_t id = yt_interface_uses_ids(engine, interface) && size > 1 ? bytes[1] : 0;
    if (is_relayed(engine, interface, 2, id, &status))
        return status == YT_OK ? YT_BLUETOOTH_RELAYED : YT_BLUETOOTH_NOTHING;
    status = yt_interface_receive(engine, interface, YT_HID_OUTPUT, bytes + 1, size - 1, now_us);
    (void)status; /* this channel has no answers */
    return YT_BLUETOOTH_NOTHING;
}

size_t yt_bluetooth_message(yt_engine *engine, unsigned connector, uint8_t *bytes) {
    unsigned interface = interface_at(engine, connector);
    size_t length = yt_interface_report(engine, interface, bytes + 1, YT_BLUETOOTH_BYTES - 1);
    bytes[0] = DATA << 4 | 1;
    return length > 0 ? length + 1 : 0;
}

void yt_bluetooth_sent(yt_engine *engine, unsigned connector, uint64_t now_us) {
    yt_interface_taken(engine, interface_at(engine, connector), now_us);
}
