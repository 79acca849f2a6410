/* USB: the descriptors (USB 2.0, chapter 9; HID 1.11, 6.2 and appendix E) and what a host asks by
 * control transfers (HID 1.11, 7). All of it is made when it is asked for: nothing is stored. */
#include "yonder/usb.h"

#include <string.h>

#include "yonder/engine.h"

enum {
    DEVICE = 1,
    CONFIGURATION = 2,
    STRING = 3,
    INTERFACE = 4,
    ENDPOINT = 5,
    DEVICE_QUALIFIER = 6,
    OTHER_SPEED = 7,
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

/* How many interfaces of the program a connector has. */
static unsigned count_of(const yt_engine *engine, unsigned connector) {
    unsigned count = 0;
    while (yt_connector_interface(engine, connector, count) < YT_INTERFACES)
        count++;
    return count;
}

static const yt_usb_feature *feature_at(const yt_usb_identity *identity, unsigned connector) {
    return connector == 1 ? identity->feature : NULL;
}

/* The interface that the program does not have, if it is that one; else NULL. */
static const yt_usb_feature *feature_of(const yt_engine *engine, const yt_usb_identity *identity,
                                        unsigned connector, unsigned index) {
    const yt_usb_feature *feature = feature_at(identity, connector);
    return feature && index == count_of(engine, connector) ? feature : NULL;
}

/* There is something to describe. */
static bool is_ready(const yt_engine *engine, const yt_usb_identity *identity) {
    return yt_engine_program(engine) != NULL || identity->feature != NULL;
}

/* What hosts may remember: another number for each set of interfaces. */
static uint32_t layout_of(const yt_engine *engine, const yt_usb_identity *identity) {
    uint32_t layout = yt_engine_layout(engine);
    return identity->feature ? yt_checksum(layout, identity->feature->descriptor,
                                           identity->feature->descriptor_size)
                             : layout;
}

/* Four decimal digits, as a binary-coded version number. */
static unsigned version_of(uint32_t layout) {
    unsigned version = 0;
    for (unsigned i = 0; i < 4; i++, layout /= 10)
        version |= (layout % 10) << (4 * i);
    return version;
}

/* Copies a descriptor out, whole or not at all. */
static yt_status give(const uint8_t *from, size_t size, uint8_t *bytes, size_t room,
                      size_t *length) {
    *length = size;
    if (size == 0)
        return YT_ARGUMENT;
    if (room < size)
        return YT_ROOM;
    memcpy(bytes, from, size);
    return YT_OK;
}

static size_t put_device(const yt_engine *engine, const yt_usb_identity *identity, uint8_t *bytes) {
    if (!is_ready(engine, identity))
        return 0;
    memset(bytes, 0, 18);
    bytes[0] = 18;
    bytes[1] = DEVICE;
    put16(bytes + 2, 0x0200);
    bytes[7] = (uint8_t)identity->packet_bytes;
    put16(bytes + 8, identity->vendor);
    put16(bytes + 10, identity->product);
    put16(bytes + 12, version_of(layout_of(engine, identity)));
    bytes[14] = identity->manufacturer ? 1 : 0;
    bytes[15] = identity->product_name ? 2 : 0;
    bytes[16] = identity->serial ? 3 : 0;
    bytes[17] = 1;
    return 18;
}

yt_status yt_usb_device_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                   uint8_t *bytes, size_t room, size_t *length) {
    uint8_t whole[18];
    return give(whole, put_device(engine, identity, whole), bytes, room, length);
}

/* What the device would be at the other speed (USB 2.0, 9.6.2); the control endpoint is as long. */
static size_t put_qualifier(uint8_t *bytes) {
    memset(bytes, 0, 10);
    bytes[0] = 10;
    bytes[1] = DEVICE_QUALIFIER;
    put16(bytes + 2, 0x0200);
    bytes[7] = 64;
    bytes[8] = 1;
    return 10;
}

/* HID 1.11, 6.2.1. */
static void put_hid(uint8_t *bytes, unsigned descriptor_bytes) {
    bytes[0] = 9;
    bytes[1] = HID;
    put16(bytes + 2, 0x0111);
    bytes[4] = 0; /* no country */
    bytes[5] = 1;
    bytes[6] = REPORT;
    put16(bytes + 7, descriptor_bytes);
}

/* How often the host is to ask (USB 2.0, 9.6.6): milliseconds, or at high speed the power of two
 * of microframes of 125 us that is no longer. */
static uint8_t interval_of(const yt_usb_identity *identity, unsigned speed) {
    unsigned interval_ms = identity->interval_ms, exponent = 4;
    if (speed == YT_USB_LOW && interval_ms < 10)
        interval_ms = 10;
    if (interval_ms == 0)
        interval_ms = 1;
    if (speed != YT_USB_HIGH)
        return (uint8_t)interval_ms;
    while (interval_ms >>= 1)
        exponent++;
    return (uint8_t)exponent;
}

/* A packet of the endpoint; longer reports take several. */
static unsigned packet_of(const yt_engine *engine, unsigned number, unsigned speed) {
    unsigned bytes = (unsigned)yt_interface_bytes(engine, number);
    unsigned most = speed == YT_USB_LOW ? 8 : speed == YT_USB_FULL ? 64 : 1024;
    return bytes < 8 ? 8 : bytes < most ? bytes : most;
}

/* An interface with its HID and endpoint descriptors. */
typedef struct usb_interface {
    yt_boot boot;
    unsigned descriptor_bytes, packet_bytes;
} usb_interface;

static size_t put_interface(const usb_interface *interface, const yt_usb_identity *identity,
                            unsigned speed, unsigned index, uint8_t *bytes) {
    memset(bytes, 0, 25);
    bytes[0] = 9;
    bytes[1] = INTERFACE;
    bytes[2] = (uint8_t)index;
    bytes[4] = 1;
    bytes[5] = 3; /* HID; with a boot protocol subclass 1, protocol 1 or 2 (4.2, 4.3) */
    bytes[6] = interface->boot != YT_NO_BOOT;
    bytes[7] = (uint8_t)interface->boot;
    put_hid(bytes + 9, interface->descriptor_bytes);
    bytes[18] = 7;
    bytes[19] = ENDPOINT;
    bytes[20] = (uint8_t)(TO_HOST | (index + 1));
    bytes[21] = 3; /* interrupt */
    put16(bytes + 22, interface->packet_bytes);
    bytes[24] = interval_of(identity, speed);
    return 25;
}

static usb_interface interface_at(const yt_engine *engine, unsigned number, unsigned speed) {
    return (usb_interface){.boot = yt_interface_boot(engine, number),
                           .descriptor_bytes =
                               yt_engine_program(engine)->interfaces[number].descriptor_bytes,
                           .packet_bytes = packet_of(engine, number, speed)};
}

/* It tells nothing by itself, but a HID interface must have an endpoint (HID 1.11, 4.4). */
static usb_interface interface_of_feature(const yt_usb_feature *feature) {
    return (usb_interface){
        .boot = YT_NO_BOOT, .descriptor_bytes = feature->descriptor_size, .packet_bytes = 8};
}

enum { ALWAYS_SET = 0x80, SELF_POWERED = 0x40, WAKES = 0x20 };

static size_t put_configuration(const yt_engine *engine, const yt_usb_identity *identity,
                                unsigned speed, unsigned connector, uint8_t *bytes) {
    size_t length = 9;
    unsigned count = 0, number;
    const yt_usb_feature *feature = feature_at(identity, connector);
    for (; (number = yt_connector_interface(engine, connector, count)) < YT_INTERFACES; count++) {
        const usb_interface interface = interface_at(engine, number, speed);
        length += put_interface(&interface, identity, speed, count, bytes + length);
    }
    if (feature) {
        const usb_interface interface = interface_of_feature(feature);
        length += put_interface(&interface, identity, speed, count++, bytes + length);
    }
    memset(bytes, 0, 9);
    bytes[0] = 9;
    bytes[1] = speed == identity->speed ? CONFIGURATION : OTHER_SPEED;
    put16(bytes + 2, (unsigned)length);
    bytes[4] = (uint8_t)count;
    bytes[5] = 1;
    bytes[7] = (uint8_t)(ALWAYS_SET | (identity->is_self_powered ? SELF_POWERED : 0) |
                         (engine->port->wake ? WAKES : 0));
    bytes[8] = (uint8_t)(identity->milliamperes / 2);
    return count > 0 ? length : 0;
}

yt_status yt_usb_configuration(const yt_engine *engine, const yt_usb_identity *identity,
                               unsigned connector, uint8_t *bytes, size_t room, size_t *length) {
    uint8_t whole[YT_USB_CONFIGURATION_BYTES];
    size_t size = put_configuration(engine, identity, identity->speed, connector, whole);
    return give(whole, size, bytes, room, length);
}

#define STRING_BYTES (2 + 2 * YT_USB_SERIAL_BYTES)

static size_t put_text(uint8_t *bytes, const char *text) {
    size_t length = 2;
    for (; *text && length < STRING_BYTES; text++, length += 2)
        put16(bytes + length, (uint8_t)*text);
    return length;
}

yt_status yt_usb_serial(const yt_engine *engine, const yt_usb_identity *identity, char *text,
                        size_t room) {
    static const char digits[] = "0123456789abcdef";
    uint32_t layout = layout_of(engine, identity);
    size_t length = 0;
    if (!identity->serial)
        return YT_ARGUMENT;
    if (room < YT_USB_SERIAL_BYTES)
        return YT_ROOM;
    for (; length < YT_USB_SERIAL_BYTES - 10 && identity->serial[length]; length++)
        text[length] = identity->serial[length];
    text[length++] = '-';
    for (unsigned i = 0; i < 8; i++)
        text[length++] = digits[layout >> (28 - 4 * i) & 15];
    text[length] = 0;
    return YT_OK;
}

static size_t put_string(const yt_engine *engine, const yt_usb_identity *identity, unsigned index,
                         uint8_t *bytes) {
    char serial[YT_USB_SERIAL_BYTES];
    const char *const texts[] = {NULL, identity->manufacturer, identity->product_name, serial};
    size_t length = 4;
    if (index > 3 ||
        (index == 3 && yt_usb_serial(engine, identity, serial, sizeof serial) != YT_OK))
        return 0;
    if (index == 0)
        put16(bytes + 2, 0x0409);
    else if (!texts[index])
        return 0;
    else
        length = put_text(bytes, texts[index]);
    bytes[0] = (uint8_t)length;
    bytes[1] = STRING;
    return length;
}

yt_status yt_usb_string(const yt_engine *engine, const yt_usb_identity *identity, unsigned index,
                        uint8_t *bytes, size_t room, size_t *length) {
    uint8_t whole[STRING_BYTES];
    return give(whole, put_string(engine, identity, index, whole), bytes, room, length);
}

const uint8_t *yt_usb_report_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                        unsigned connector, unsigned index, size_t *size) {
    unsigned number = yt_connector_interface(engine, connector, index);
    const yt_usb_feature *feature = feature_of(engine, identity, connector, index);
    if (feature) {
        *size = feature->descriptor_size;
        return feature->descriptor;
    }
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

/* As much of an answer as the host wants. */
static yt_status answer(yt_usb_control *control, const uint8_t *from, size_t size) {
    if (size == 0)
        return YT_ARGUMENT;
    control->length = shorter(size, control->room);
    memcpy(control->answer, from, control->length);
    return YT_OK;
}

static yt_status get_hid(const yt_engine *engine, const yt_usb_identity *identity,
                         unsigned connector, const setup_packet *setup, yt_usb_control *control) {
    uint8_t bytes[9];
    size_t size;
    if (!yt_usb_report_descriptor(engine, identity, connector, setup->index, &size))
        return YT_ARGUMENT;
    put_hid(bytes, (unsigned)size);
    return answer(control, bytes, sizeof bytes);
}

/* What only a device of two speeds has. */
static yt_status get_other_speed(const yt_engine *engine, const yt_usb_identity *identity,
                                 unsigned connector, unsigned type, yt_usb_control *control) {
    uint8_t bytes[YT_USB_CONFIGURATION_BYTES];
    unsigned other = identity->speed == YT_USB_HIGH ? YT_USB_FULL : YT_USB_HIGH;
    if (!identity->can_high_speed)
        return YT_ARGUMENT;
    return answer(control, bytes,
                  type == DEVICE_QUALIFIER
                      ? put_qualifier(bytes)
                      : put_configuration(engine, identity, other, connector, bytes));
}

static yt_status get_descriptor(const yt_engine *engine, const yt_usb_identity *identity,
                                unsigned connector, const setup_packet *setup,
                                yt_usb_control *control) {
    uint8_t bytes[YT_USB_CONFIGURATION_BYTES > STRING_BYTES ? YT_USB_CONFIGURATION_BYTES
                                                            : STRING_BYTES];
    unsigned type = setup->value >> 8, index = setup->value & 0xff;
    size_t size = 0;
    const uint8_t *report;
    switch (type) {
    case REPORT:
        report = yt_usb_report_descriptor(engine, identity, connector, setup->index, &size);
        return report ? answer(control, report, size) : YT_ARGUMENT;
    case HID:
        return get_hid(engine, identity, connector, setup, control);
    case DEVICE:
        return answer(control, bytes, put_device(engine, identity, bytes));
    case CONFIGURATION:
        if (index == 0)
            size = put_configuration(engine, identity, identity->speed, connector, bytes);
        return answer(control, bytes, size);
    case STRING:
        return answer(control, bytes, put_string(engine, identity, index, bytes));
    case DEVICE_QUALIFIER:
    case OTHER_SPEED:
        return get_other_speed(engine, identity, connector, type, control);
    default:
        return YT_ARGUMENT;
    }
}

static yt_status get_report(const yt_engine *engine, unsigned interface, const setup_packet *setup,
                            yt_usb_control *control) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t length;
    unsigned type = setup->value >> 8;
    if (type < 1 || type > 3)
        return YT_ARGUMENT;
    yt_status status = yt_interface_state(engine, interface, (yt_hid_direction)(type - 1),
                                          (uint8_t)setup->value, bytes, sizeof bytes, &length);
    return status == YT_OK ? answer(control, bytes, length) : status;
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

/* An answer of one byte. */
static yt_status answer_byte(yt_usb_control *control, unsigned byte) {
    const uint8_t bytes[1] = {(uint8_t)byte};
    return control->room < 1 ? YT_ARGUMENT : answer(control, bytes, 1);
}

/* 7.2; SET_REPORT is judged before. */
static yt_status class_request(yt_engine *engine, unsigned interface, const setup_packet *setup,
                               yt_usb_control *control, uint64_t now_us) {
    switch (setup->request) {
    case GET_REPORT:
        return get_report(engine, interface, setup, control);
    case SET_REPORT:
        return yt_interface_receive(engine, interface, (yt_hid_direction)((setup->value >> 8) - 1),
                                    control->data, control->size, now_us);
    case GET_IDLE:
        return answer_byte(control, yt_interface_idle(engine, interface) / IDLE_STEP_US);
    case GET_PROTOCOL:
        return answer_byte(control, !yt_interface_is_boot(engine, interface));
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

static setup_packet read_setup(const uint8_t bytes[8]) {
    return (setup_packet){.type = bytes[0],
                          .request = bytes[1],
                          .value = (uint16_t)(bytes[2] | bytes[3] << 8),
                          .index = (uint16_t)(bytes[4] | bytes[5] << 8),
                          .length = (uint16_t)(bytes[6] | bytes[7] << 8)};
}

static bool is_get_descriptor(const setup_packet *setup) {
    return (setup->type & 0x7e) == 0 && (setup->type & TO_HOST) && setup->request == GET_DESCRIPTOR;
}

/* A request of the class for an interface, that goes the right way. */
static bool is_for_interface(const setup_packet *setup) {
    bool reads = setup->request < SET_REPORT;
    return (setup->type & 0x7f) == (OF_CLASS | FOR_INTERFACE) &&
           reads == ((setup->type & TO_HOST) != 0) && setup->request <= SET_PROTOCOL;
}

/* A report of the host's; its type must be output or feature. */
static yt_status judge_report(const yt_engine *engine, unsigned interface,
                              const setup_packet *setup) {
    unsigned type = setup->value >> 8;
    if (type < 2 || type > 3)
        return YT_ARGUMENT;
    return yt_interface_expects(engine, interface, (yt_hid_direction)(type - 1),
                                (uint8_t)setup->value, setup->length);
}

/* ---- the interface that the program does not have ---- */

static bool is_its_report(const yt_usb_feature *feature, const setup_packet *setup) {
    return setup->value == ((YT_HID_FEATURE + 1u) << 8 | feature->report_id);
}

static yt_status feature_expects(const yt_usb_feature *feature, const setup_packet *setup) {
    bool fits = setup->length > 0 && setup->length <= feature->report_bytes;
    switch (setup->request) {
    case SET_REPORT:
        return is_its_report(feature, setup) && fits ? YT_OK : YT_ARGUMENT;
    case GET_REPORT:
        return is_its_report(feature, setup) ? YT_OK : YT_ARGUMENT;
    case GET_IDLE:
    case SET_IDLE:
        return YT_OK;
    default:
        return YT_ARGUMENT; /* it has no boot protocol */
    }
}

static yt_status feature_request(const yt_usb_feature *feature, const setup_packet *setup,
                                 yt_usb_control *control) {
    uint8_t bytes[64];
    yt_status status = feature_expects(feature, setup);
    if (status != YT_OK)
        return status;
    switch (setup->request) {
    case SET_REPORT:
        return control->size > 0 && control->size <= feature->report_bytes &&
                       control->data[0] == feature->report_id
                   ? feature->set(feature->context, control->data, control->size)
                   : YT_ARGUMENT;
    case GET_REPORT:
        status = feature->get(feature->context, bytes);
        return status == YT_OK ? answer(control, bytes, feature->report_bytes) : status;
    case GET_IDLE:
        return answer_byte(control, 0);
    default:
        return YT_OK;
    }
}

/* ---- requests ---- */

yt_status yt_usb_expects(const yt_engine *engine, const yt_usb_identity *identity,
                         unsigned connector, const uint8_t bytes[8]) {
    setup_packet setup = read_setup(bytes);
    yt_status status;
    if (!is_ready(engine, identity))
        return YT_ARGUMENT;
    if (is_get_descriptor(&setup))
        return YT_OK;
    if (!is_for_interface(&setup))
        return YT_ARGUMENT;
    unsigned index = setup.index & 0xff;
    const yt_usb_feature *feature = feature_of(engine, identity, connector, index);
    if (feature)
        return feature_expects(feature, &setup);
    unsigned interface = yt_connector_interface(engine, connector, index);
    if (interface >= YT_INTERFACES)
        return YT_ARGUMENT;
    if (is_relayed(engine, interface, &setup, &status))
        return status;
    return setup.request == SET_REPORT ? judge_report(engine, interface, &setup) : YT_OK;
}

yt_status yt_usb_request(yt_engine *engine, const yt_usb_identity *identity, unsigned connector,
                         yt_usb_control *control, uint64_t now_us) {
    setup_packet setup = read_setup(control->setup);
    yt_status status;
    control->length = 0;
    if (!is_ready(engine, identity))
        return YT_ARGUMENT;
    control->room = shorter(control->room, setup.length);
    if (is_get_descriptor(&setup))
        return get_descriptor(engine, identity, connector, &setup, control);
    if (!is_for_interface(&setup))
        return YT_ARGUMENT;
    unsigned index = setup.index & 0xff;
    const yt_usb_feature *feature = feature_of(engine, identity, connector, index);
    if (feature)
        return feature_request(feature, &setup, control);
    unsigned interface = yt_connector_interface(engine, connector, index);
    if (interface >= YT_INTERFACES)
        return YT_ARGUMENT;
    if (is_relayed(engine, interface, &setup, &status))
        return status;
    if (setup.request == SET_REPORT && (setup.value >> 8 < 2 || setup.value >> 8 > 3))
        return YT_ARGUMENT;
    return class_request(engine, interface, &setup, control, now_us);
}
