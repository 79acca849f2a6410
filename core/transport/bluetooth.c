/* HID over classic Bluetooth (HID Profile 1.1, 3.1): messages of the control and the interrupt
 * channel, which begin with a byte of type and parameter. */
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

/* A connector of this transport has one interface; one that a profile does not mark as Bluetooth
 * may have several, of which the others would never be served. */
static unsigned interface_at(const yt_engine *engine, unsigned connector) {
    bool is_one = yt_connector_interface(engine, connector, 1) == YT_INTERFACES;
    return is_one ? yt_connector_interface(engine, connector, 0) : YT_INTERFACES;
}

static void shake_hands(yt_bluetooth_answer *answer, unsigned result) {
    answer->bytes[0] = (uint8_t)(HANDSHAKE << 4 | result);
    answer->length = 1;
}

static void say(yt_bluetooth_answer *answer, uint8_t byte) {
    answer->bytes[0] = DATA << 4;
    answer->bytes[1] = byte;
    answer->length = 2;
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

/* The other device answers; or it cannot now. */
static void relay(yt_bluetooth_answer *answer, yt_status status) {
    if (status == YT_OK)
        answer->event = YT_BLUETOOTH_RELAYED;
    else
        shake_hands(answer, NOT_READY);
}

/* What stands behind the first byte of GET_REPORT: the ID where there are IDs, then, where bit 3
 * says so, how much room the host has (3.1.2.3). Returns the result of a handshake. */
static unsigned read_request(const yt_engine *engine, unsigned interface, const uint8_t *bytes,
                             size_t size, uint8_t *id, size_t *room) {
    size_t at = 1;
    *id = 0;
    *room = YT_REPORT_BYTES + 1;
    if ((bytes[0] & 3) == 0)
        return WRONG_PARAMETER;
    if (yt_interface_uses_ids(engine, interface)) {
        if (size < 2)
            return WRONG_ID;
        *id = bytes[at++];
    }
    if (!(bytes[0] & 8))
        return SUCCESSFUL;
    if (size < at + 2)
        return WRONG_PARAMETER;
    size_t most = (size_t)(bytes[at] | bytes[at + 1] << 8);
    *room = most < *room ? most : *room;
    return SUCCESSFUL;
}

static void get_report(yt_engine *engine, unsigned interface, const uint8_t *bytes, size_t size,
                       yt_bluetooth_answer *answer) {
    unsigned type = bytes[0] & 3;
    uint8_t id;
    size_t room, length;
    yt_status status;
    unsigned result = read_request(engine, interface, bytes, size, &id, &room);
    if (result != SUCCESSFUL) {
        shake_hands(answer, result);
        return;
    }
    if (is_relayed(engine, interface, type, id, &status)) {
        relay(answer, status);
        return;
    }
    status = yt_interface_state(engine, interface, (yt_hid_direction)(type - 1), id,
                                answer->bytes + 1, sizeof answer->bytes - 1, &length);
    if (status != YT_OK) {
        shake_hands(answer, WRONG_ID);
        return;
    }
    answer->bytes[0] = (uint8_t)(DATA << 4 | type);
    answer->length = 1 + (length < room ? length : room);
}

static void set_report(yt_engine *engine, unsigned interface, const uint8_t *bytes, size_t size,
                       yt_bluetooth_answer *answer, uint64_t now_us) {
    unsigned type = bytes[0] & 3;
    yt_status status;
    if (type < 2) {
        shake_hands(answer, WRONG_PARAMETER);
        return;
    }
    uint8_t id = yt_interface_uses_ids(engine, interface) && size > 1 ? bytes[1] : 0;
    if (is_relayed(engine, interface, type, id, &status)) {
        relay(answer, status);
        return;
    }
    status = yt_interface_receive(engine, interface, (yt_hid_direction)(type - 1), bytes + 1,
                                  size - 1, now_us);
    shake_hands(answer, result_of(status));
}

/* 3.1.2.2: these are not answered. */
static void hid_control(yt_engine *engine, unsigned connector, unsigned operation,
                        yt_bluetooth_answer *answer) {
    if (operation == CONTROL_SUSPEND) {
        yt_connector_suspend(engine, connector, true);
        answer->event = YT_BLUETOOTH_SUSPEND;
    } else if (operation == CONTROL_EXIT_SUSPEND) {
        yt_connector_suspend(engine, connector, false);
        answer->event = YT_BLUETOOTH_RESUME;
    } else if (operation == CONTROL_UNPLUG) {
        answer->event = YT_BLUETOOTH_UNPLUG;
    }
}

static void set_protocol(yt_engine *engine, unsigned interface, unsigned parameter,
                         yt_bluetooth_answer *answer) {
    yt_status status = yt_interface_set_boot(engine, interface, (parameter & 1) == 0);
    shake_hands(answer, status == YT_OK ? SUCCESSFUL : UNSUPPORTED);
}

static void set_idle(yt_engine *engine, unsigned interface, const uint8_t *bytes, size_t size,
                     yt_bluetooth_answer *answer) {
    if (size >= 2)
        yt_interface_set_idle(engine, interface, bytes[1] * IDLE_STEP_US);
    shake_hands(answer, size < 2 ? WRONG_PARAMETER : SUCCESSFUL);
}

yt_status yt_bluetooth_control(yt_engine *engine, unsigned connector, const uint8_t *bytes,
                               size_t size, yt_bluetooth_answer *answer, uint64_t now_us) {
    unsigned interface = interface_at(engine, connector);
    answer->event = YT_BLUETOOTH_NOTHING;
    answer->length = 0;
    if (size == 0 || interface >= YT_INTERFACES)
        return YT_ARGUMENT;
    switch (bytes[0] >> 4) {
    case HANDSHAKE:
        break;
    case HID_CONTROL:
        hid_control(engine, connector, bytes[0] & 15, answer);
        break;
    case GET_REPORT:
        get_report(engine, interface, bytes, size, answer);
        break;
    case SET_REPORT:
        set_report(engine, interface, bytes, size, answer, now_us);
        break;
    case GET_PROTOCOL:
        say(answer, !yt_interface_is_boot(engine, interface));
        break;
    case SET_PROTOCOL:
        set_protocol(engine, interface, bytes[0], answer);
        break;
    case GET_IDLE:
        say(answer, (uint8_t)(yt_interface_idle(engine, interface) / IDLE_STEP_US));
        break;
    case SET_IDLE:
        set_idle(engine, interface, bytes, size, answer);
        break;
    default:
        shake_hands(answer, UNSUPPORTED);
    }
    return YT_OK;
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

yt_status yt_bluetooth_message(yt_engine *engine, unsigned connector, uint8_t *bytes, size_t room,
                               size_t *length) {
    unsigned interface = interface_at(engine, connector);
    yt_status status =
        yt_interface_report(engine, interface, bytes + 1, room > 0 ? room - 1 : 0, length);
    if (status == YT_ARGUMENT || *length == 0)
        return status;
    ++*length;
    if (status == YT_OK)
        bytes[0] = DATA << 4 | 1;
    return status;
}

void yt_bluetooth_sent(yt_engine *engine, unsigned connector, uint64_t now_us) {
    yt_interface_taken(engine, interface_at(engine, connector), now_us);
}
