/* HID over GATT (HID over GATT Profile 1.0, HID Service 1.0). The attributes of a connector's
 * service are counted from 0: first those that are always there, with a boot protocol those of it,
 * then one for each report. The stack below knows handles; it asks for the attribute of each. */
#include "yonder/gatt.h"

#include <string.h>

#include "transport/attribute.h"
#include "yonder/engine.h"

void yt_gatt_begin(yt_gatt *gatt, yt_engine *engine, unsigned connector) {
    *gatt = (yt_gatt){.engine = engine, .connector = connector};
}

/* A connector of this transport has one interface; one that a profile does not mark as Bluetooth
 * may have several, of which the others would never be served. */
static unsigned interface_at(const yt_gatt *gatt) {
    bool is_one = yt_connector_interface(gatt->engine, gatt->connector, 1) == YT_INTERFACES;
    return is_one ? yt_connector_interface(gatt->engine, gatt->connector, 0) : YT_INTERFACES;
}

/* Those that every service has, then those of the boot protocol, then the reports. */
static bool fixed_attribute(unsigned boot, unsigned *index, yt_gatt_attribute *attribute) {
    static const struct {
        uint16_t uuid;
        uint8_t properties;
        uint8_t boot; /* only where the interface has it */
    } fixed[] = {
        {YT_GATT_HID_INFORMATION, YT_GATT_READ, 0},
        {YT_GATT_REPORT_MAP, YT_GATT_READ, 0},
        {YT_GATT_CONTROL_POINT, YT_GATT_WRITE_WITHOUT_RESPONSE, 0},
        {YT_GATT_PROTOCOL_MODE, YT_GATT_READ | YT_GATT_WRITE_WITHOUT_RESPONSE, YT_BOOT_BOTH},
        {YT_GATT_BOOT_KEYBOARD_INPUT, YT_GATT_READ | YT_GATT_NOTIFY, YT_BOOT_KEYBOARD},
        {YT_GATT_BOOT_KEYBOARD_OUTPUT,
         YT_GATT_READ | YT_GATT_WRITE | YT_GATT_WRITE_WITHOUT_RESPONSE, YT_BOOT_KEYBOARD},
        {YT_GATT_BOOT_MOUSE_INPUT, YT_GATT_READ | YT_GATT_NOTIFY, YT_BOOT_MOUSE}};
    for (size_t i = 0; i < sizeof fixed / sizeof fixed[0]; i++) {
        if (fixed[i].boot && !(fixed[i].boot & boot))
            continue;
        if ((*index)-- > 0)
            continue;
        *attribute = (yt_gatt_attribute){.uuid = fixed[i].uuid, .properties = fixed[i].properties};
        return true;
    }
    return false;
}

bool yt_gatt_attribute_at(const yt_gatt *gatt, unsigned index, yt_gatt_attribute *attribute) {
    static const uint8_t properties[] = {YT_GATT_READ | YT_GATT_NOTIFY,
                                         YT_GATT_READ | YT_GATT_WRITE |
                                             YT_GATT_WRITE_WITHOUT_RESPONSE,
                                         YT_GATT_READ | YT_GATT_WRITE};
    unsigned number = interface_at(gatt);
    if (number >= YT_INTERFACES)
        return false;
    const yt_program *program = yt_engine_program(gatt->engine);
    const yt_program_interface *interface = &program->interfaces[number];
    if (fixed_attribute(yt_interface_boot(gatt->engine, number), &index, attribute))
        return true;
    if (index >= interface->report_count)
        return false;
    unsigned at = interface->first_report + index;
    const yt_program_report *report = &program->reports[at];
    *attribute = (yt_gatt_attribute){.uuid = YT_GATT_REPORT,
                                     .properties = properties[report->direction],
                                     .report_id = report->id,
                                     .report_type = (uint8_t)(report->direction + 1),
                                     .report = (uint8_t)at};
    return true;
}

_Static_assert(YT_GATT_ATTRIBUTES <= 32, "a bit for each says whether its host listens");

yt_status yt_gatt_listen(yt_gatt *gatt, unsigned index, bool on) {
    yt_gatt_attribute attribute;
    if (!yt_gatt_attribute_at(gatt, index, &attribute) || !(attribute.properties & YT_GATT_NOTIFY))
        return YT_ARGUMENT;
    uint32_t bit = (uint32_t)1 << index;
    gatt->listened = on ? gatt->listened | bit : gatt->listened & ~bit;
    return YT_OK;
}

/* Which report to the host is the boot protocol's. */
static int boot_report(const yt_engine *engine, unsigned interface, unsigned boot) {
    const yt_program_interface *of = &yt_engine_program(engine)->interfaces[interface];
    for (unsigned i = of->first_report; i < of->first_report + (unsigned)of->report_count; i++)
        if (yt_engine_program(engine)->reports[i].direction == YT_HID_INPUT &&
            yt_engine_program(engine)->reports[i].boot == boot)
            return (int)i;
    return -1;
}

static yt_status is_relayed(const yt_engine *engine, unsigned interface,
                            const yt_gatt_attribute *attribute) {
    unsigned number;
    uint8_t device_id;
    if (attribute->report_type < 2)
        return YT_NO_MATCH;
    return yt_interface_relay(engine, interface, (yt_hid_direction)(attribute->report_type - 1),
                              attribute->report_id, &number, &device_id);
}

/* The state of a report, without its ID; as in the report protocol even while the other is on. */
static yt_status read_report(const yt_engine *engine, unsigned interface,
                             const yt_gatt_attribute *attribute, size_t offset, uint8_t *bytes,
                             size_t room, size_t *length) {
    uint8_t value[YT_REPORT_BYTES + 1] = {0};
    const yt_program_report *report = &yt_engine_program(engine)->reports[attribute->report];
    yt_hid_direction direction = (yt_hid_direction)report->direction;
    size_t whole = report->bytes, head = 0;
    yt_status status = is_relayed(engine, interface, attribute);
    if (status != YT_NO_MATCH)
        return status == YT_OK ? YT_RELAYED : status;
    if (direction == YT_HID_INPUT) {
        status = yt_report_state(engine, attribute->report, false, value, sizeof value, &whole);
    } else if (direction == YT_HID_FEATURE) {
        status = yt_interface_state(engine, interface, direction, report->id, value, sizeof value,
                                    &whole);
        head = report->id ? 1 : 0;
    } else {
        status = YT_OK; /* what was written last is not kept: all off */
    }
    return status == YT_OK
               ? yt_attribute_give(value + head, whole - head, offset, bytes, room, length)
               : status;
}

static yt_status read_boot(const yt_engine *engine, unsigned interface, unsigned boot,
                           size_t offset, uint8_t *bytes, size_t room, size_t *length) {
    uint8_t value[YT_REPORT_BYTES];
    size_t whole;
    int report = boot_report(engine, interface, boot);
    if (report < 0)
        return YT_ARGUMENT;
    yt_status status = yt_report_state(engine, (unsigned)report, true, value, sizeof value, &whole);
    return status == YT_OK ? yt_attribute_give(value, whole, offset, bytes, room, length) : status;
}

enum { WAKES = 1, NORMALLY_CONNECTABLE = 2 }; /* flags of the HID information */

yt_status yt_gatt_read(const yt_gatt *gatt, unsigned index, size_t offset, uint8_t *bytes,
                       size_t room, size_t *length) {
    static const uint8_t lights_off = 0;
    const yt_engine *engine = gatt->engine;
    const uint8_t information[4] = {
        0x11, 0x01, 0, /* HID 1.11; whether it wakes its host */
        (uint8_t)(NORMALLY_CONNECTABLE | (engine->port->wake ? WAKES : 0))};
    yt_gatt_attribute attribute;
    unsigned interface = interface_at(gatt);
    *length = 0;
    if (!yt_gatt_attribute_at(gatt, index, &attribute) || !(attribute.properties & YT_GATT_READ))
        return YT_ARGUMENT;
    const yt_program *program = yt_engine_program(engine);
    const yt_program_interface *of = &program->interfaces[interface];
    uint8_t mode = !yt_interface_is_boot(engine, interface);
    switch (attribute.uuid) {
    case YT_GATT_HID_INFORMATION:
        return yt_attribute_give(information, sizeof information, offset, bytes, room, length);
    case YT_GATT_REPORT_MAP:
        return yt_attribute_give(&program->blob[of->descriptor_offset], of->descriptor_bytes,
                                 offset, bytes, room, length);
    case YT_GATT_PROTOCOL_MODE:
        return yt_attribute_give(&mode, 1, offset, bytes, room, length);
    case YT_GATT_BOOT_KEYBOARD_INPUT:
        return read_boot(engine, interface, YT_BOOT_KEYBOARD, offset, bytes, room, length);
    case YT_GATT_BOOT_MOUSE_INPUT:
        return read_boot(engine, interface, YT_BOOT_MOUSE, offset, bytes, room, length);
    case YT_GATT_BOOT_KEYBOARD_OUTPUT:
        return yt_attribute_give(&lights_off, 1, offset, bytes, room, length);
    default:
        return read_report(engine, interface, &attribute, offset, bytes, room, length);
    }
}

/* A report of the host, with the ID in front that the engine expects. */
static yt_status write_report(yt_engine *engine, unsigned interface, uint8_t id,
                              yt_hid_direction direction, const uint8_t *bytes, size_t size,
                              uint64_t now_us) {
    uint8_t report[YT_REPORT_BYTES + 1];
    size_t head = id ? 1 : 0;
    if (size > YT_REPORT_BYTES)
        return YT_ARGUMENT;
    report[0] = id;
    memcpy(report + head, bytes, size);
    return yt_interface_receive(engine, interface, direction, report, size + head, now_us);
}

/* The lights of a boot keyboard are its output report, whichever protocol is on. */
static yt_status write_lights(yt_engine *engine, unsigned interface, const uint8_t *bytes,
                              size_t size, uint64_t now_us) {
    int keyboard = boot_report(engine, interface, YT_BOOT_KEYBOARD);
    if (keyboard < 0)
        return YT_ARGUMENT;
    uint8_t id = yt_engine_program(engine)->reports[keyboard].id;
    if (yt_interface_is_boot(engine, interface))
        id = YT_BOOT_KEYBOARD;
    return write_report(engine, interface, id, YT_HID_OUTPUT, bytes, size, now_us);
}

yt_status yt_gatt_write(yt_gatt *gatt, unsigned index, const uint8_t *bytes, size_t size,
                        uint64_t now_us) {
    yt_engine *engine = gatt->engine;
    yt_gatt_attribute attribute;
    unsigned interface = interface_at(gatt);
    if (!yt_gatt_attribute_at(gatt, index, &attribute) || size == 0 ||
        !(attribute.properties & (YT_GATT_WRITE | YT_GATT_WRITE_WITHOUT_RESPONSE)))
        return YT_ARGUMENT;
    if (attribute.uuid == YT_GATT_BOOT_KEYBOARD_OUTPUT)
        return write_lights(engine, interface, bytes, size, now_us);
    if (attribute.uuid == YT_GATT_REPORT) {
        yt_status relayed = is_relayed(engine, interface, &attribute);
        if (relayed != YT_NO_MATCH)
            return relayed == YT_OK ? YT_RELAYED : relayed;
        return write_report(engine, interface, attribute.report_id,
                            (yt_hid_direction)(attribute.report_type - 1), bytes, size, now_us);
    }
    if (bytes[0] > 1 || size != 1)
        return YT_ARGUMENT;
    if (attribute.uuid == YT_GATT_PROTOCOL_MODE)
        return yt_interface_set_boot(engine, interface, bytes[0] == 0);
    yt_connector_suspend(engine, gatt->connector, bytes[0] == 0); /* the control point */
    return YT_OK;
}

/* The attribute that a report to the host is told by. */
static unsigned attribute_of(const yt_gatt *gatt, bool boot, uint8_t id) {
    yt_gatt_attribute attribute;
    uint16_t uuid = !boot                    ? YT_GATT_REPORT
                    : id == YT_BOOT_KEYBOARD ? YT_GATT_BOOT_KEYBOARD_INPUT
                                             : YT_GATT_BOOT_MOUSE_INPUT;
    unsigned index = 0;
    for (; yt_gatt_attribute_at(gatt, index, &attribute); index++)
        if (attribute.uuid == uuid &&
            (boot || (attribute.report_type == 1 && attribute.report_id == id)))
            break;
    return index;
}

yt_status yt_gatt_notification(yt_gatt *gatt, size_t mtu, unsigned *index, uint8_t *bytes,
                               size_t room, size_t *length, uint64_t now_us) {
    unsigned interface = interface_at(gatt);
    *length = 0;
    if (interface >= YT_INTERFACES || mtu < 4)
        return YT_ARGUMENT;
    bool has_id = yt_interface_uses_ids(gatt->engine, interface), wanted = false;
    for (unsigned passed = 0; !wanted; passed++) {
        if (passed == YT_CHANGES) { /* the rest is passed over by the next call */
            *length = 0;
            return YT_OK;
        }
        yt_status status = yt_interface_report(gatt->engine, interface, bytes, room, length);
        if (status != YT_OK || *length == 0)
            return status;
        *index = attribute_of(gatt, yt_interface_is_boot(gatt->engine, interface),
                              has_id ? bytes[0] : 0);
        wanted = gatt->listened >> *index & 1;
        if (!wanted)
            yt_interface_taken(gatt->engine, interface, now_us);
    }
    if (has_id)
        memmove(bytes, bytes + 1, --*length);
    *length = *length < mtu - 3 ? *length : mtu - 3;
    return YT_OK;
}

void yt_gatt_sent(yt_gatt *gatt, uint64_t now_us) {
    yt_interface_taken(gatt->engine, interface_at(gatt), now_us);
}
