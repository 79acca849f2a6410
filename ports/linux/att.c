#include "ports/linux/att.h"

#include <string.h>

#include "ports/linux/number.h"

/* Opcodes (part F, 3.4.8), and why something is refused (3.4.1.1). */
enum {
    ERROR = 0x01,
    ASK_MTU = 0x02,
    TELL_MTU = 0x03,
    FIND_INFORMATION = 0x04,
    FIND_BY_VALUE = 0x06,
    READ_BY_TYPE = 0x08,
    READ = 0x0a,
    READ_BLOB = 0x0c,
    READ_BY_GROUP = 0x10,
    WRITE = 0x12,
    NOTIFY = 0x1b,
    CONFIRM = 0x1e,
    COMMAND = 0x40, /* a bit: there is no answer */
    WRITE_COMMAND = 0x52
};
enum {
    NONE = 0,
    INVALID_HANDLE = 0x01,
    READ_NOT_PERMITTED = 0x02,
    WRITE_NOT_PERMITTED = 0x03,
    INVALID_PDU = 0x04,
    NOT_SUPPORTED = 0x06,
    INVALID_OFFSET = 0x07,
    NOT_FOUND = 0x0a,
    INVALID_LENGTH = 0x0d,
    UNLIKELY = 0x0e,
    NOT_ENCRYPTED = 0x0f,
    UNSUPPORTED_GROUP = 0x10,
    WAITS = 0xff /* ours: another device answers */
};
/* UUIDs (Assigned Numbers). */
enum {
    GAP = 0x1800,
    GATT = 0x1801,
    DEVICE_INFORMATION = 0x180a,
    BATTERY = 0x180f,
    HID = 0x1812,
    PRIMARY_SERVICE = 0x2800,
    CHARACTERISTIC = 0x2803,
    CONFIGURATION = 0x2902,
    REPORT_REFERENCE = 0x2908,
    DEVICE_NAME = 0x2a00,
    APPEARANCE = 0x2a01,
    PREFERRED_PARAMETERS = 0x2a04,
    BATTERY_LEVEL = 0x2a19,
    MANUFACTURER_NAME = 0x2a29,
    PNP_ID = 0x2a50
};

#define LEAST_MTU 23

/* ---- the list of attributes ---- */

static void add(att *att, att_entry entry) {
    if (att->count < ATT_ENTRIES)
        att->entries[att->count++] = entry;
}

static void add_service(att *att, uint16_t uuid) {
    add(att, (att_entry){.type = PRIMARY_SERVICE, .value = uuid, .properties = YT_GATT_READ});
}

/* A characteristic: its declaration, its value, and whether its host wants to be told. */
static void add_characteristic(att *att, uint16_t uuid, uint8_t properties, int hid_index) {
    att_entry entry = {.is_hid = hid_index >= 0,
                       .index = (uint8_t)(hid_index >= 0 ? hid_index : 0)};
    entry.type = CHARACTERISTIC;
    entry.value = uuid;
    entry.properties = properties;
    add(att, entry);
    entry.type = uuid;
    entry.value = 0;
    add(att, entry);
    if (!(properties & YT_GATT_NOTIFY))
        return;
    entry.type = CONFIGURATION;
    entry.properties = YT_GATT_READ | YT_GATT_WRITE;
    add(att, entry);
}

static void add_hid(att *att) {
    yt_gatt_attribute attribute;
    add_service(att, HID);
    for (unsigned i = 0; yt_gatt_attribute_at(&att->gatt, i, &attribute); i++) {
        add_characteristic(att, attribute.uuid, attribute.properties, (int)i);
        if (attribute.uuid == YT_GATT_REPORT)
            add(att, (att_entry){.type = REPORT_REFERENCE,
                                 .properties = YT_GATT_READ,
                                 .index = (uint8_t)i,
                                 .is_hid = true});
    }
}

void att_begin(att *att, yt_engine *engine, const yt_usb_identity *identity, unsigned connector,
               int battery) {
    yt_gatt_begin(&att->gatt, engine, connector);
    att->identity = identity;
    att->count = 0;
    att->mtu = LEAST_MTU;
    att->is_encrypted = false;
    att->battery = battery;
    att->listens_to_battery = att->has_new_battery = att->is_battery_sent = false;
    att->asked = 0;
    add_service(att, GAP);
    add_characteristic(att, DEVICE_NAME, YT_GATT_READ, -1);
    add_characteristic(att, APPEARANCE, YT_GATT_READ, -1);
    add_characteristic(att, PREFERRED_PARAMETERS, YT_GATT_READ, -1);
    add_service(att, GATT);
    add_service(att, DEVICE_INFORMATION);
    add_characteristic(att, MANUFACTURER_NAME, YT_GATT_READ, -1);
    add_characteristic(att, PNP_ID, YT_GATT_READ, -1);
    if (battery >= 0) {
        add_service(att, BATTERY);
        add_characteristic(att, BATTERY_LEVEL, YT_GATT_READ | YT_GATT_NOTIFY, -1);
    }
    add_hid(att);
}

att_choices att_kept(const att *att) {
    return (att_choices){.listened = att->gatt.listened, .to_battery = att->listens_to_battery};
}

void att_give_back(att *att, att_choices choices) {
    for (unsigned i = 0; i < YT_GATT_ATTRIBUTES; i++)
        if (choices.listened >> i & 1)
            (void)!yt_gatt_listen(&att->gatt, i, true);
    att->listens_to_battery = choices.to_battery && att->battery >= 0;
}

/* The entry of a handle; NULL: there is none. */
static const att_entry *entry_at(const att *att, unsigned handle) {
    return handle >= 1 && handle <= att->count ? &att->entries[handle - 1] : NULL;
}

/* The last handle of the service that begins at one. */
static unsigned service_end(const att *att, unsigned handle) {
    while (handle < att->count && att->entries[handle].type != PRIMARY_SERVICE)
        handle++;
    return handle;
}

/* ---- values ---- */

uint16_t att_appearance(const yt_gatt *gatt) {
    static const uint16_t of_usage[] = {[2] = 0x03c2, [4] = 0x03c3, [5] = 0x03c4, [6] = 0x03c1};
    uint8_t map[4] = {0};
    size_t length = 0;
    yt_gatt_attribute attribute;
    unsigned i = 0;
    while (yt_gatt_attribute_at(gatt, i, &attribute) && attribute.uuid != YT_GATT_REPORT_MAP)
        i++;
    bool is_desktop = yt_gatt_read(gatt, i, 0, map, sizeof map, &length) == YT_OK && length == 4 &&
                      map[0] == 0x05 && map[1] == 0x01 && map[2] == 0x09;
    uint16_t known =
        is_desktop && map[3] < sizeof of_usage / sizeof of_usage[0] ? of_usage[map[3]] : 0;
    return known ? known : 0x03c0;
}

static unsigned give(const void *value, size_t whole, size_t offset, uint8_t *bytes, size_t room,
                     size_t *length) {
    if (offset > whole)
        return INVALID_OFFSET;
    *length = whole - offset < room ? whole - offset : room;
    memcpy(bytes, (const uint8_t *)value + offset, *length);
    return NONE;
}

static unsigned give_text(const char *text, size_t offset, uint8_t *bytes, size_t room,
                          size_t *length) {
    return give(text ? text : "", text ? strlen(text) : 0, offset, bytes, room, length);
}

static unsigned read_declaration(unsigned handle, const att_entry *entry, size_t offset,
                                 uint8_t *bytes, size_t room, size_t *length) {
    uint8_t value[5];
    if (entry->type == PRIMARY_SERVICE) {
        put_number(value, entry->value);
        return give(value, 2, offset, bytes, room, length);
    }
    value[0] = entry->properties;
    put_number(value + 1, handle + 1);
    put_number(value + 3, entry->value);
    return give(value, 5, offset, bytes, room, length);
}

/* The same as over USB: it follows from the program's interfaces. */
static uint16_t version(const att *att) {
    uint8_t descriptor[18];
    size_t length;
    yt_status status = yt_usb_device_descriptor(att->gatt.engine, att->identity, descriptor,
                                                sizeof descriptor, &length);
    return status == YT_OK ? number_at(descriptor + 12) : 0;
}

/* What is no report: of the device as a whole, and of its battery. */
static unsigned read_plain(const att *att, const att_entry *entry, size_t offset, uint8_t *bytes,
                           size_t room, size_t *length) {
    const yt_usb_identity *identity = att->identity;
    uint8_t value[8];
    switch (entry->type) {
    case DEVICE_NAME:
        return give_text(identity->product_name, offset, bytes, room, length);
    case MANUFACTURER_NAME:
        return give_text(identity->manufacturer, offset, bytes, room, length);
    case APPEARANCE:
        put_number(value, att_appearance(&att->gatt));
        return give(value, 2, offset, bytes, room, length);
    case PREFERRED_PARAMETERS: /* 7.5 to 15 ms, no interval is left out, gone after 4 s */
        put_number(value, 6);
        put_number(value + 2, 12);
        put_number(value + 4, 0);
        put_number(value + 6, 400);
        return give(value, 8, offset, bytes, room, length);
    case PNP_ID: /* the vendor's number is the USB Implementers Forum's */
        value[0] = 2;
        put_number(value + 1, identity->vendor);
        put_number(value + 3, identity->product);
        put_number(value + 5, version(att));
        return give(value, 7, offset, bytes, room, length);
    case BATTERY_LEVEL:
        value[0] = (uint8_t)att->battery;
        return give(value, 1, offset, bytes, room, length);
    default: /* its configuration */
        put_number(value, att->listens_to_battery);
        return give(value, 2, offset, bytes, room, length);
    }
}

static bool hand_on(const att *att, const yt_gatt_attribute *attribute, const uint8_t *bytes,
                    size_t size) {
    unsigned number;
    uint8_t id;
    yt_hid_direction direction = (yt_hid_direction)(attribute->report_type - 1);
    unsigned interface = yt_connector_interface(att->gatt.engine, att->gatt.connector, 0);
    return att->relay &&
           yt_interface_relay(att->gatt.engine, interface, direction, attribute->report_id, &number,
                              &id) == YT_OK &&
           att->relay(att->context, att->gatt.connector, number, direction, id, bytes, size);
}

static unsigned read_hid(const att *att, const att_entry *entry, size_t offset, uint8_t *bytes,
                         size_t room, size_t *length) {
    yt_gatt_attribute attribute;
    uint8_t value[2];
    if (!yt_gatt_attribute_at(&att->gatt, entry->index, &attribute))
        return UNLIKELY;
    if (entry->type == REPORT_REFERENCE) {
        value[0] = attribute.report_id;
        value[1] = attribute.report_type;
        return give(value, 2, offset, bytes, room, length);
    }
    if (entry->type == CONFIGURATION) {
        put_number(value, att->gatt.listened >> entry->index & 1);
        return give(value, 2, offset, bytes, room, length);
    }
    switch (yt_gatt_read(&att->gatt, entry->index, offset, bytes, room, length)) {
    case YT_OK:
        return NONE;
    case YT_RELAYED:
        return hand_on(att, &attribute, NULL, YT_REPORT_BYTES) ? WAITS : UNLIKELY;
    default:
        return INVALID_OFFSET;
    }
}

/* Part of a value; gives why not, or NONE. */
static unsigned read_value(const att *att, unsigned handle, size_t offset, uint8_t *bytes,
                           size_t room, size_t *length) {
    const att_entry *entry = entry_at(att, handle);
    *length = 0;
    if (!entry)
        return INVALID_HANDLE;
    if (entry->type == PRIMARY_SERVICE || entry->type == CHARACTERISTIC)
        return read_declaration(handle, entry, offset, bytes, room, length);
    if (!(entry->properties & YT_GATT_READ))
        return READ_NOT_PERMITTED;
    if (!entry->is_hid)
        return read_plain(att, entry, offset, bytes, room, length);
    return att->is_encrypted ? read_hid(att, entry, offset, bytes, room, length) : NOT_ENCRYPTED;
}

static unsigned write_configuration(att *att, const att_entry *entry, const uint8_t *bytes,
                                    size_t size) {
    if (size != 2)
        return INVALID_LENGTH;
    bool wanted = bytes[0] & 1;
    if (!entry->is_hid)
        att->listens_to_battery = wanted;
    else if (yt_gatt_listen(&att->gatt, entry->index, wanted) != YT_OK)
        return UNLIKELY;
    return NONE;
}

static unsigned write_value(att *att, unsigned handle, bool is_command, const uint8_t *bytes,
                            size_t size, uint64_t now_us) {
    const att_entry *entry = entry_at(att, handle);
    yt_gatt_attribute attribute;
    uint8_t needed = is_command ? YT_GATT_WRITE_WITHOUT_RESPONSE : YT_GATT_WRITE;
    if (!entry)
        return INVALID_HANDLE;
    if (entry->type == PRIMARY_SERVICE || entry->type == CHARACTERISTIC ||
        !(entry->properties & needed))
        return WRITE_NOT_PERMITTED;
    if (entry->is_hid && !att->is_encrypted)
        return NOT_ENCRYPTED;
    if (entry->type == CONFIGURATION)
        return write_configuration(att, entry, bytes, size);
    switch (yt_gatt_write(&att->gatt, entry->index, bytes, size, now_us)) {
    case YT_OK:
        return NONE;
    case YT_RELAYED:
        return yt_gatt_attribute_at(&att->gatt, entry->index, &attribute) &&
                       hand_on(att, &attribute, bytes, size)
                   ? NONE
                   : UNLIKELY;
    default:
        return INVALID_LENGTH;
    }
}

/* ---- requests ---- */

static size_t refuse(uint8_t asked, unsigned handle, unsigned why, uint8_t *answer) {
    answer[0] = ERROR;
    answer[1] = asked;
    put_number(answer + 2, handle);
    answer[4] = (uint8_t)why;
    return 5;
}

/* A UUID of 16 bits, or one of 128 bits that is made of one (part B, 2.5.1); 0: another one. */
static uint16_t uuid_at(const uint8_t *bytes, size_t size) {
    static const uint8_t base[12] = {0xfb, 0x34, 0x9b, 0x5f, 0x80, 0, 0, 0x80, 0, 0x10, 0, 0};
    if (size == 2)
        return number_at(bytes);
    bool is_based = memcmp(bytes, base, sizeof base) == 0 && bytes[14] == 0 && bytes[15] == 0;
    return is_based ? number_at(bytes + 12) : 0;
}

static size_t answer_mtu(att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    if (size != 3)
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    unsigned asked = number_at(bytes + 1);
    att->mtu = (uint16_t)(asked < LEAST_MTU ? LEAST_MTU : asked > ATT_MTU ? ATT_MTU : asked);
    answer[0] = TELL_MTU;
    put_number(answer + 1, ATT_MTU);
    return 3;
}

/* The range that a request is about; false: it is none, and `answer` says so. */
static bool take_range(const uint8_t *bytes, unsigned *from, unsigned *to, uint8_t *answer,
                       size_t *length) {
    *from = number_at(bytes + 1);
    *to = number_at(bytes + 3);
    if (*from != 0 && *from <= *to)
        return true;
    *length = refuse(bytes[0], *from, INVALID_HANDLE, answer);
    return false;
}

static size_t find_information(const att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    unsigned from, to;
    size_t length = 2;
    if (size != 5)
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    if (!take_range(bytes, &from, &to, answer, &length))
        return length;
    answer[0] = FIND_INFORMATION + 1;
    answer[1] = 1; /* UUIDs of 16 bits */
    for (unsigned at = from; at <= to && at <= att->count && length + 4 <= att->mtu; at++) {
        put_number(answer + length, at);
        put_number(answer + length + 2, att->entries[at - 1].type);
        length += 4;
    }
    return length > 2 ? length : refuse(bytes[0], from, NOT_FOUND, answer);
}

static size_t find_by_value(const att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    unsigned from, to;
    size_t length = 1;
    if (size < 7)
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    if (!take_range(bytes, &from, &to, answer, &length))
        return length;
    uint16_t wanted = size == 9 || size == 23 ? uuid_at(bytes + 7, size - 7) : 0;
    answer[0] = FIND_BY_VALUE + 1;
    for (unsigned at = from; at <= to && at <= att->count && length + 4 <= att->mtu; at++) {
        const att_entry *entry = &att->entries[at - 1];
        if (number_at(bytes + 5) != PRIMARY_SERVICE || entry->type != PRIMARY_SERVICE ||
            entry->value != wanted)
            continue;
        put_number(answer + length, at);
        put_number(answer + length + 2, service_end(att, at));
        length += 4;
    }
    return length > 1 ? length : refuse(bytes[0], from, NOT_FOUND, answer);
}

/* Values of a type, as many as there is room for, all as long as the first. */
static size_t read_by_type(att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    unsigned from, to, why = NOT_FOUND, each = 0;
    size_t length = 2, room = att->mtu;
    if (size != 7 && size != 21)
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    if (!take_range(bytes, &from, &to, answer, &length))
        return length;
    unsigned wanted = uuid_at(bytes + 5, size - 5), at = from;
    for (; at <= to && at <= att->count; at++) {
        uint8_t value[ATT_MTU];
        size_t got;
        if (att->entries[at - 1].type != wanted)
            continue;
        why = read_value(att, at, 0, value, room - 4 < 253 ? room - 4 : 253, &got);
        if (why != NONE || (each > 0 && got + 2 != each) || length + got + 2 > room)
            break;
        each = (unsigned)got + 2;
        put_number(answer + length, at);
        memcpy(answer + length + 2, value, got);
        length += each;
    }
    if (each == 0)
        return refuse(bytes[0], why == NOT_FOUND ? from : at, why == WAITS ? UNLIKELY : why,
                      answer);
    answer[0] = READ_BY_TYPE + 1;
    answer[1] = (uint8_t)each;
    return length;
}

static size_t read_by_group(const att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    unsigned from, to;
    size_t length = 2;
    if (size != 7 && size != 21)
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    if (!take_range(bytes, &from, &to, answer, &length))
        return length;
    if (uuid_at(bytes + 5, size - 5) != PRIMARY_SERVICE)
        return refuse(bytes[0], from, UNSUPPORTED_GROUP, answer);
    answer[0] = READ_BY_GROUP + 1;
    answer[1] = 6;
    for (unsigned at = from; at <= to && at <= att->count && length + 6 <= att->mtu; at++) {
        if (att->entries[at - 1].type != PRIMARY_SERVICE)
            continue;
        put_number(answer + length, at);
        put_number(answer + length + 2, service_end(att, at));
        put_number(answer + length + 4, att->entries[at - 1].value);
        length += 6;
    }
    return length > 2 ? length : refuse(bytes[0], from, NOT_FOUND, answer);
}

static size_t read_one(att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    bool is_blob = bytes[0] == READ_BLOB;
    if (size != (is_blob ? 5 : 3))
        return refuse(bytes[0], 0, INVALID_PDU, answer);
    unsigned handle = number_at(bytes + 1);
    size_t offset = is_blob ? number_at(bytes + 3) : 0, length;
    if (att->asked) /* one after another; a host that asks in between keeps to no protocol */
        return refuse(bytes[0], handle, UNLIKELY, answer);
    unsigned why = read_value(att, handle, offset, answer + 1, att->mtu - 1u, &length);
    if (why == WAITS) {
        att->asked = (uint16_t)handle;
        att->asked_at = offset;
        att->asked_blob = is_blob;
        return 0;
    }
    if (why != NONE)
        return refuse(bytes[0], handle, why, answer);
    answer[0] = bytes[0] + 1;
    return length + 1;
}

size_t att_relayed(att *att, const uint8_t *bytes, size_t size, uint8_t *answer) {
    uint8_t asked = att->asked_blob ? READ_BLOB : READ;
    unsigned handle = att->asked;
    size_t length = 0;
    if (!handle)
        return 0;
    att->asked = 0;
    unsigned why =
        bytes ? give(bytes, size, att->asked_at, answer + 1, att->mtu - 1u, &length) : UNLIKELY;
    if (why != NONE)
        return refuse(asked, handle, why, answer);
    answer[0] = asked + 1;
    return length + 1;
}

static size_t write_one(att *att, const uint8_t *bytes, size_t size, uint8_t *answer,
                        uint64_t now_us) {
    bool is_command = bytes[0] == WRITE_COMMAND;
    if (size < 3)
        return is_command ? 0 : refuse(bytes[0], 0, INVALID_PDU, answer);
    unsigned handle = number_at(bytes + 1);
    unsigned why = write_value(att, handle, is_command, bytes + 3, size - 3, now_us);
    if (is_command)
        return 0;
    if (why != NONE)
        return refuse(bytes[0], handle, why, answer);
    answer[0] = WRITE + 1;
    return 1;
}

size_t att_request(att *att, const uint8_t *bytes, size_t size, uint8_t *answer, uint64_t now_us) {
    if (size == 0 || size > ATT_MTU)
        return 0;
    switch (bytes[0]) {
    case ASK_MTU:
        return answer_mtu(att, bytes, size, answer);
    case FIND_INFORMATION:
        return find_information(att, bytes, size, answer);
    case FIND_BY_VALUE:
        return find_by_value(att, bytes, size, answer);
    case READ_BY_TYPE:
        return read_by_type(att, bytes, size, answer);
    case READ_BY_GROUP:
        return read_by_group(att, bytes, size, answer);
    case READ:
    case READ_BLOB:
        return read_one(att, bytes, size, answer);
    case WRITE:
    case WRITE_COMMAND:
        return write_one(att, bytes, size, answer, now_us);
    default: /* commands and answers that nobody asked for are left alone (3.3) */
        return bytes[0] & COMMAND || bytes[0] == CONFIRM || bytes[0] & 1
                   ? 0
                   : refuse(bytes[0], 0, NOT_SUPPORTED, answer);
    }
}

/* ---- notifications ---- */

void att_tell_battery(att *att, int percent) {
    if (att->battery < 0 || percent < 0 || percent == att->battery)
        return; /* the service is not there: hosts keep the list of them */
    att->battery = percent;
    att->has_new_battery = true;
}

/* The handle of the value of one of the HID service's attributes, or of the battery (-1). */
static unsigned handle_of(const att *att, int index) {
    for (unsigned at = 1; at < att->count; at++)
        if (att->entries[at - 1].type == CHARACTERISTIC &&
            (index < 0 ? att->entries[at - 1].value == BATTERY_LEVEL
                       : att->entries[at - 1].is_hid && att->entries[at - 1].index == index))
            return at + 1;
    return 0;
}

size_t att_notification(att *att, uint8_t *bytes, uint64_t now_us) {
    uint8_t value[YT_REPORT_BYTES + 1];
    unsigned index;
    size_t length;
    bytes[0] = NOTIFY;
    att->is_battery_sent = false;
    if (att->is_encrypted &&
        yt_gatt_notification(&att->gatt, att->mtu, &index, value, sizeof value, &length, now_us) ==
            YT_OK &&
        length > 0) {
        put_number(bytes + 1, handle_of(att, (int)index));
        memcpy(bytes + 3, value, length);
        return length + 3;
    }
    if (!att->has_new_battery || !att->listens_to_battery)
        return 0;
    att->is_battery_sent = true;
    put_number(bytes + 1, handle_of(att, -1));
    bytes[3] = (uint8_t)att->battery;
    return 4;
}

void att_sent(att *att, uint64_t now_us) {
    if (att->is_battery_sent)
        att->has_new_battery = false;
    else
        yt_gatt_sent(&att->gatt, now_us);
}
