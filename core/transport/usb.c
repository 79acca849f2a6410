#include "yonder/usb.h"

#include <string.h>

#include "yonder/engine.h"

enum {
    DEVICE = 1,
    CONFIGURATION = 2,
    STRING = 3,
    INTERFACE = 4,
    ENDPOINT = 5,
    HID = 0x21,
    REPORT = 0x22
};
enum { GET_DESCRIPTOR = 6 };
enum {
    GET_REPORT = 1,
    GET_IDLE = 2,
    GET_PROTOCOL = 3,
    SET_REPORT = 9,
    SET_IDLE = 10,
    SET_PROTOCOL = 11
};
enum { TO_HOST = 0x80, OF_CLASS = 0x20, FOR_INTERFACE = 0x01 };

#define IDLE_STEP_US 4000u /* SET_IDLE counts in these (7.2.4) */

static void put16(uint8_t *bytes, unsigned value) {
    bytes[0] = (uint8_t)value;
    bytes[1] = (uint8_t)(value >> 8);
}

/* Four decimal digits, as a binary-coded version number. */
static unsigned version_of(uint32_t layout) {
    unsigned version = 0;
    for (unsigned i = 0; i < 4; i++, layout /= 10)
        version |= (layout % 10) << (4 * i);
    return version;
}

size_t yt_usb_device_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                uint8_t *bytes, size_t size) {
    if (size < 18 || !yt_engine_program(engine))
        return 0;
    memset(bytes, 0, 18);
    bytes[0] = 18;
    bytes[1] = DEVICE;
    put16(bytes + 2, 0x0200);
    bytes[7] = (uint8_t)identity->packet_bytes;
    put16(bytes + 8, identity->vendor);
    put16(bytes + 10, identity->product);
    put16(bytes + 12, version_of(yt_engine_layout(engine)));
    bytes[14] = identity->manufacturer ? 1 : 0;
    bytes[15] = identity->product_name ? 2 : 0;
    bytes[16] = identity->serial ? 3 : 0;
    bytes[17] = 1;
    return 18;
}

/* HID 1.11, 6.2.1. */
static void put_hid(uint8_t *bytes, const yt_program_interface *interface) {
    bytes[0] = 9;
    bytes[1] = HID;
    put16(bytes + 2, 0x0111);
    bytes[4] = 0; /* no country */
    bytes[5] = 1;
    bytes[6] = REPORT;
    put16(bytes + 7, interface->descriptor_bytes);
}

/* The longest report to the host, with its ID. */
static unsigned packet_of(const yt_program *program, const yt_program_interface *interface) {
    unsigned most = 0;
    for (unsigned i = 0; i < interface->report_count; i++) {
        const yt_program_report *report = &program->reports[interface->first_report + i];
        unsigned bytes = report->bytes + (report->id ? 1u : 0u);
        if (report->direction == YT_HID_INPUT && bytes > most)
            most = bytes;
    }
    return most < 8 ? 8 : most;
}

static size_t put_interface(const yt_engine *engine, unsigned number, unsigned index,
                            uint8_t interval_ms, uint8_t *bytes) {
    const yt_program *program = yt_engine_program(engine);
    const yt_program_interface *interface = &program->interfaces[number];
    yt_boot boot = yt_interface_boot(engine, number);
    memset(bytes, 0, 25);
    bytes[0] = 9;
    bytes[1] = INTERFACE;
    bytes[2] = (uint8_t)index;
    bytes[4] = 1;
    bytes[5] = 3; /* HID; with a boot protocol subclass 1, protocol 1 or 2 (4.2, 4.3) */
    bytes[6] = boot != YT_NO_BOOT;
    bytes[7] = (uint8_t)boot;
    put_hid(bytes + 9, interface);
    bytes[18] = 7;
    bytes[19] = ENDPOINT;
    bytes[20] = (uint8_t)(TO_HOST | (index + 1));
    bytes[21] = 3; /* interrupt */
    unsigned packet = packet_of(program, interface);
    put16(bytes + 22, packet > 64 ? 64 : packet);
    bytes[24] = interval_ms;
    return 25;
}

size_t yt_usb_configuration(const yt_engine *engine, const yt_usb_identity *identity,
                            unsigned connector, uint8_t *bytes, size_t size) {
    const yt_program *program = yt_engine_program(engine);
    size_t length = 9;
    unsigned count = 0, number;
    if (!program || size < YT_USB_CONFIGURATION_BYTES)
        return 0;
    for (; (number = yt_connector_interface(engine, connector, count)) < YT_INTERFACES; count++)
        length += put_interface(engine, number, count, identity->interval_ms, bytes + length);
    memset(bytes, 0, 9);
    bytes[0] = 9;
    bytes[1] = CONFIGURATION;
    put16(bytes + 2, (unsigned)length);
    bytes[4] = (uint8_t)count;
    bytes[5] = 1;
    bytes[7] = 0xa0; /* powered by the bus; can wake the host */
    bytes[8] = (uint8_t)(identity->milliamperes / 2);
    return count > 0 ? length : 0;
}

static size_t put_text(uint8_t *bytes, size_t size, size_t length, const char *text) {
    for (; *text && length + 2 <= size && length < 254; text++, length += 2)
        put16(bytes + length, (uint8_t)*text);
    return length;
}

static size_t put_serial(const yt_engine *engine, uint8_t *bytes, size_t size, size_t length) {
    static const char digits[] = "0123456789abcdef";
    char suffix[10] = "-";
    uint32_t layout = yt_engine_layout(engine);
    for (unsigned i = 0; i < 8; i++)
        suffix[1 + i] = digits[layout >> (28 - 4 * i) & 15];
    suffix[9] = 0;
    return put_text(bytes, size, length, suffix);
}

size_t yt_usb_string(const yt_engine *engine, const yt_usb_identity *identity, unsigned index,
                     uint8_t *bytes, size_t size) {
    const char *const texts[] = {NULL, identity->manufacturer, identity->product_name,
                                 identity->serial};
    size_t length = 2;
    if (size < 4 || index > 3)
        return 0;
    if (index == 0) {
        put16(bytes + 2, 0x0409);
        length = 4;
    } else if (!texts[index]) {
        return 0;
    } else {
        length = put_text(bytes, size, length, texts[index]);
        if (index == 3)
            length = put_serial(engine, bytes, size, length);
    }
    bytes[0] = (uint8_t)length;
    bytes[1] = STRING;
    return length;
}

const uint8_t *yt_usb_report_descriptor(const yt_engine *engine, unsigned connector, unsigned index,
                                        size_t *size) {
    unsigned number = yt_connector_interface(engine, connector, index);
    if (number == YT_INTERFACES)
        return NULL;
    const yt_program *program = yt_engine_program(engine);
    const yt_program_interface *interface = &program->interfaces[number];
    *size = interface->descriptor_bytes;
    return &program->blob[interface->descriptor_offset];
}

/* A setup packet (USB 2.0, 9.3). */
typedef struct setup_packet {
    uint8_t type, request;
    uint16_t value, index, length;
} setup_packet;

static size_t shorter(size_t a, size_t b) {
    return a < b ? a : b;
}

static yt_status get_report_descriptor(const yt_engine *engine, unsigned connector,
                                       const setup_packet *setup, uint8_t *data, size_t room,
                                       size_t *length) {
    size_t size = 0;
    const uint8_t *bytes = yt_usb_report_descriptor(engine, connector, setup->index, &size);
    if (!bytes)
        return YT_ARGUMENT;
    *length = shorter(size, room);
    memcpy(data, bytes, *length);
    return YT_OK;
}

static yt_status get_hid_descriptor(const yt_engine *engine, unsigned connector,
                                    const setup_packet *setup, uint8_t *data, size_t room,
                                    size_t *length) {
    unsigned number = yt_connector_interface(engine, connector, setup->index);
    uint8_t bytes[9];
    if (number == YT_INTERFACES)
        return YT_ARGUMENT;
    put_hid(bytes, &yt_engine_program(engine)->interfaces[number]);
    *length = shorter(sizeof bytes, room);
    memcpy(data, bytes, *length);
    return YT_OK;
}

static yt_status get_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                unsigned connector, const setup_packet *setup, uint8_t *data,
                                size_t room, size_t *length) {
    uint8_t bytes[255] = {0};
    size_t size = 0;
    unsigned type = setup->value >> 8, index = setup->value & 0xff;
    if (type == REPORT)
        return get_report_descriptor(engine, connector, setup, data, room, length);
    if (type == HID)
        return get_hid_descriptor(engine, connector, setup, data, room, length);
    if (type == DEVICE)
        size = yt_usb_device_descriptor(engine, identity, bytes, sizeof bytes);
    else if (type == CONFIGURATION && index == 0)
        size = yt_usb_configuration(engine, identity, connector, bytes, sizeof bytes);
    else if (type == STRING)
        size = yt_usb_string(engine, identity, index, bytes, sizeof bytes);
    *length = shorter(size, room);
    memcpy(data, bytes, *length);
    return size > 0 ? YT_OK : YT_ARGUMENT;
}

static yt_status get_report(const yt_engine *engine, unsigned interface, const setup_packet *setup,
                            uint8_t *data, size_t room, size_t *length) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    unsigned type = setup->value >> 8;
    if (type < 1 || type > 3)
        return YT_ARGUMENT;
    size_t size = yt_interface_state(engine, interface, (yt_hid_direction)(type - 1),
                                     (uint8_t)setup->value, bytes, sizeof bytes);
    *length = shorter(size, room);
    memcpy(data, bytes, *length);
    return size > 0 ? YT_OK : YT_ARGUMENT;
}

static yt_status set_report(yt_engine *engine, unsigned interface, const setup_packet *setup,
                            const uint8_t *data, size_t size, uint64_t now_us) {
    unsigned type = setup->value >> 8;
    if (type < 2 || type > 3)
        return YT_ARGUMENT;
    return yt_interface_receive(engine, interface, (yt_hid_direction)(type - 1), data, size,
                                now_us);
}

/* Whether another device answers a report; `status` is then what to say. */
static bool is_relayed(const yt_engine *engine, unsigned interface, const setup_packet *setup,
                       yt_status *status) {
    unsigned number, type = setup->value >> 8;
    uint8_t device_id;
    if ((setup->request != GET_REPORT && setup->request != SET_REPORT) || type < 2 || type > 3)
        return false;
    yt_status found = yt_interface_relay(engine, interface, (yt_hid_direction)(type - 1),
                                         (uint8_t)setup->value, &number, &device_id);
    *status = found == YT_OK ? YT_RELAYED : found;
    return found != YT_NO_MATCH;
}

static yt_status class_request(yt_engine *engine, unsigned interface, const setup_packet *setup,
                               uint8_t *data, size_t size, size_t room, size_t *length,
                               uint64_t now_us) {
    yt_status status;
    if (is_relayed(engine, interface, setup, &status))
        return status;
    switch (setup->request) {
    case GET_REPORT:
        return get_report(engine, interface, setup, data, room, length);
    case SET_REPORT:
        return set_report(engine, interface, setup, data, size, now_us);
    case GET_IDLE:
    case GET_PROTOCOL:
        if (room < 1)
            return YT_ARGUMENT;
        data[0] = setup->request == GET_IDLE
                      ? (uint8_t)(yt_interface_idle(engine, interface) / IDLE_STEP_US)
                      : !yt_interface_is_boot(engine, interface);
        *length = 1;
        return YT_OK;
    case SET_IDLE:
        yt_interface_set_idle(engine, interface, (setup->value >> 8) * IDLE_STEP_US);
        return YT_OK;
    case SET_PROTOCOL:
        return setup->value > 1 ? YT_ARGUMENT
                                : yt_interface_set_boot(engine, interface, setup->value == 0);
    default:
        return YT_ARGUMENT;
    }
}

yt_status yt_usb_request(yt_engine *engine, const yt_usb_identity *identity, unsigned connector,
                         const uint8_t bytes[8], uint8_t *data, size_t size, size_t room,
                         size_t *length, uint64_t now_us) {
    setup_packet setup = {.type = bytes[0],
                          .request = bytes[1],
                          .value = (uint16_t)(bytes[2] | bytes[3] << 8),
                          .index = (uint16_t)(bytes[4] | bytes[5] << 8),
                          .length = (uint16_t)(bytes[6] | bytes[7] << 8)};
    *length = 0;
    if (!yt_engine_program(engine))
        return YT_ARGUMENT;
    room = shorter(room, setup.length);
    if ((setup.type & 0x7e) == 0 && (setup.type & TO_HOST) && setup.request == GET_DESCRIPTOR)
        return get_descriptor(engine, identity, connector, &setup, data, room, length);
    unsigned interface = yt_connector_interface(engine, connector, setup.index & 0xff);
    bool reads = setup.request < SET_REPORT;
    if ((setup.type & 0x7f) != (OF_CLASS | FOR_INTERFACE) || interface == YT_INTERFACES ||
        reads != ((setup.type & TO_HOST) != 0))
        return YT_ARGUMENT;
    return class_request(engine, interface, &setup, data, size, room, length, now_us);
}
