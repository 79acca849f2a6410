/* HID over GATT: the attributes that a service has, reads, writes and notifications. */
#include "tests/engine/rig.h"
#include "tests/harness.h"
#include "tests/image/changed.h"
#include "yonder/gatt.h"

static rig r;
static yt_gatt g;

static const uint8_t keys_descriptor[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07,
                                          0x19, 0x04, 0x29, 0x0b, 0x15, 0x00, 0x25, 0x01,
                                          0x75, 0x01, 0x95, 0x08, 0x81, 0x02, 0xc0};

/* The attribute with that UUID and, of a report, ID and type. */
static unsigned find(unsigned uuid, unsigned id, unsigned type) {
    yt_gatt_attribute attribute;
    for (unsigned i = 0; yt_gatt_attribute_at(&g, i, &attribute); i++)
        if (attribute.uuid == uuid && attribute.report_id == id && attribute.report_type == type)
            return i;
    check_text(__FILE__, __LINE__, "the attribute", "not there", "there");
    return 99;
}

static const char *read_at(unsigned index, size_t offset) {
    static char text[3 * 64 + 4];
    uint8_t bytes[64];
    size_t length = 0;
    text[0] = 0;
    if (yt_gatt_read(&g, index, offset, bytes, sizeof bytes, &length) != YT_OK)
        return "refused";
    for (size_t i = 0; i < length; i++)
        sprintf(text + strlen(text), "%s%02x", i ? " " : "", bytes[i]);
    return text;
}

static yt_status write_at(unsigned index, const uint8_t *bytes, size_t size) {
    return yt_gatt_write(&g, index, bytes, size, 0);
}

#define WRITE(index, ...)                                                                          \
    write_at(index, (const uint8_t[]){__VA_ARGS__}, sizeof((const uint8_t[]){__VA_ARGS__}))

static void check_attributes(void) {
    yt_gatt_attribute attribute;
    unsigned count = 0;
    about("the attributes");
    while (yt_gatt_attribute_at(&g, count, &attribute)) {
        CHECK(attribute.properties != 0);
        CHECK_EQUAL(attribute.report_type != 0, attribute.uuid == YT_GATT_REPORT);
        count++;
    }
    CHECK_EQUAL(count, 7 + 4); /* keyboard in and out, mouse in and feature */
    CHECK(count <= YT_GATT_ATTRIBUTES);
    yt_gatt other;
    yt_gatt_begin(&other, &r.engine, 2);
    CHECK(!yt_gatt_attribute_at(&other, 0, &attribute));
    CHECK_TEXT(read_at(find(YT_GATT_HID_INFORMATION, 0, 0), 0), "11 01 00 03");
    about("a port that cannot wake its host does not promise it");
    void (*wake)(void *, unsigned) = r.port.wake;
    r.port.wake = NULL;
    CHECK_TEXT(read_at(find(YT_GATT_HID_INFORMATION, 0, 0), 0), "11 01 00 02");
    r.port.wake = wake;
    about("the report map, in pieces as a small MTU gives it");
    const yt_program_interface *interface = &r.compiled.program.interfaces[0];
    const uint8_t *map = r.compiled.program.blob + interface->descriptor_offset;
    unsigned index = find(YT_GATT_REPORT_MAP, 0, 0);
    for (size_t offset = 0; offset <= interface->descriptor_bytes; offset += 22) {
        uint8_t bytes[22];
        size_t length, left = interface->descriptor_bytes - offset;
        CHECK_EQUAL(yt_gatt_read(&g, index, offset, bytes, 22, &length), YT_OK);
        CHECK_EQUAL(length, left < 22 ? left : 22);
        CHECK_EQUAL(memcmp(bytes, map + offset, length), 0);
    }
    CHECK_TEXT(read_at(index, interface->descriptor_bytes), "");
    CHECK_TEXT(read_at(index, interface->descriptor_bytes + 1u), "refused");
    CHECK_EQUAL(WRITE(index, 0), YT_ARGUMENT);
}

/* A notification as "ID type: bytes". */
static const char *notify(size_t mtu) {
    static char text[300];
    uint8_t bytes[YT_REPORT_BYTES + 1];
    unsigned index = 99;
    yt_gatt_attribute attribute = {0};
    size_t length;
    yt_status status = yt_gatt_notification(&g, mtu, &index, bytes, sizeof bytes, &length, 0);
    text[0] = 0;
    if (status != YT_OK || length == 0)
        return text;
    CHECK(length <= mtu - 3);
    CHECK(yt_gatt_attribute_at(&g, index, &attribute));
    CHECK(attribute.properties & YT_GATT_NOTIFY);
    sprintf(text, "%04x %u:", attribute.uuid, attribute.report_id);
    for (size_t i = 0; i < length; i++)
        sprintf(text + strlen(text), " %02x", bytes[i]);
    yt_gatt_sent(&g, 0);
    return text;
}

static void check_notifications(unsigned keys) {
    about("notifications have no ID, and are no longer than the MTU allows");
    RIG_REPORT(&r, keys, 1, 0x03);
    const char *whole = notify(64);
    CHECK(strncmp(whole, "2a4d 1: 00 03 00", 16) == 0);
    CHECK_EQUAL(strlen(whole), 7 + 22 * 3);
    CHECK_TEXT(notify(64), "2a4d 2: 01 00 00 00 00 00 00 00 00"); /* the mouse's button */
    RIG_REPORT(&r, keys, 2, 0x02);
    CHECK_EQUAL(strlen(notify(23)), 7 + 20 * 3);
    CHECK_TEXT(read_at(find(YT_GATT_REPORT, 1, 1), 20), "00 00"); /* the rest is read */
    CHECK_EQUAL(strlen(notify(23)), 7 + 9 * 3);
    CHECK_TEXT(notify(23), "");
    about("lights");
    CHECK_EQUAL(WRITE(find(YT_GATT_REPORT, 1, 2), 0x02), YT_OK);
    CHECK_EQUAL(rig_value(&r, 2), YT_ONE);
    CHECK_EQUAL(WRITE(find(YT_GATT_REPORT, 1, 1), 0x02), YT_ARGUMENT);
    about("the boot protocol");
    unsigned mode = find(YT_GATT_PROTOCOL_MODE, 0, 0);
    CHECK_TEXT(read_at(mode, 0), "01");
    CHECK_EQUAL(WRITE(mode, 7), YT_ARGUMENT);
    CHECK_EQUAL(WRITE(mode, 0), YT_OK);
    CHECK_TEXT(read_at(mode, 0), "00");
    CHECK_TEXT(notify(23), "2a22 0: 00 00 05 00 00 00 00 00");
    CHECK_TEXT(notify(23), "2a33 0: 00 00 00");
    CHECK_TEXT(read_at(find(YT_GATT_BOOT_KEYBOARD_INPUT, 0, 0), 0), "00 00 05 00 00 00 00 00");
    CHECK_TEXT(read_at(find(YT_GATT_BOOT_MOUSE_INPUT, 0, 0), 0), "00 00 00");
    CHECK_EQUAL(WRITE(find(YT_GATT_BOOT_KEYBOARD_OUTPUT, 0, 0), 0x00), YT_OK);
    CHECK_EQUAL(rig_value(&r, 2), 0);
    CHECK_EQUAL(WRITE(mode, 1), YT_OK);
    CHECK_EQUAL(WRITE(find(YT_GATT_BOOT_KEYBOARD_OUTPUT, 0, 0), 0x02), YT_OK);
    CHECK_EQUAL(rig_value(&r, 2), YT_ONE);
    about("the control point: sleep, and awake again");
    unsigned point = find(YT_GATT_CONTROL_POINT, 0, 0);
    CHECK_TEXT(read_at(point, 0), "refused");
    CHECK_EQUAL(WRITE(point, 0), YT_OK);
    CHECK_TEXT(notify(64), "");
    RIG_REPORT(&r, keys, 3, 0x00);
    RIG_REPORT(&r, keys, 4, 0x02);
    CHECK_EQUAL(r.wakes, 1);
    CHECK_EQUAL(WRITE(point, 1), YT_OK);
    CHECK(*notify(64));
    about("features");
    CHECK_EQUAL(WRITE(find(YT_GATT_REPORT, 2, 3), 0x05), YT_OK);
    CHECK_TEXT(read_at(find(YT_GATT_REPORT, 2, 3), 0), "05");
}

/* Notifications of all reports, or of none. */
static void listen(bool on) {
    yt_gatt_attribute attribute;
    for (unsigned i = 0; yt_gatt_attribute_at(&g, i, &attribute); i++) {
        bool notifies = attribute.properties & YT_GATT_NOTIFY;
        CHECK_EQUAL(yt_gatt_listen(&g, i, on), notifies ? YT_OK : YT_ARGUMENT);
    }
    CHECK_EQUAL(yt_gatt_listen(&g, YT_GATT_ATTRIBUTES, on), YT_ARGUMENT);
}

/* What a host does not listen to is not sent, and is no news once it does. */
static void check_listening(unsigned keys) {
    about("a host that listens to nothing");
    listen(false);
    RIG_REPORT(&r, keys, 10, 0x03);
    RIG_REPORT(&r, keys, 11, 0x00);
    CHECK_TEXT(notify(64), "");
    about("a host that listens to the mouse only");
    CHECK_EQUAL(yt_gatt_listen(&g, find(YT_GATT_REPORT, 2, 1), true), YT_OK);
    CHECK_TEXT(notify(64), ""); /* what was before is over */
    RIG_REPORT(&r, keys, 12, 0x03);
    CHECK_TEXT(notify(64), "2a4d 2: 01 00 00 00 00 00 00 00 00");
    CHECK_TEXT(notify(64), "");
    about("it listens to the keyboard too: what is on is in the next report");
    CHECK_EQUAL(yt_gatt_listen(&g, find(YT_GATT_REPORT, 1, 1), true), YT_OK);
    RIG_REPORT(&r, keys, 13, 0x01);
    CHECK(strncmp(notify(64), "2a4d 1: 00 01 00", 16) == 0);
    listen(true);
    RIG_REPORT(&r, keys, 14, 0x00);
    while (*notify(64))
        continue;
}

static void check_room(unsigned keys) {
    uint8_t bytes[YT_REPORT_BYTES + 1];
    unsigned index;
    size_t length;
    static const uint8_t long_report[YT_REPORT_BYTES + 8];
    about("a report that is longer than any");
    CHECK_EQUAL(write_at(find(YT_GATT_REPORT, 1, 2), long_report, sizeof long_report), YT_ARGUMENT);
    about("too little room is an error, and nothing is lost by it");
    RIG_REPORT(&r, keys, 20, 0x01);
    CHECK_EQUAL(yt_gatt_notification(&g, 64, &index, bytes, 3, &length, 0), YT_ROOM);
    CHECK_EQUAL(length, yt_interface_bytes(&r.engine, 0));
    CHECK(*notify(64) && *notify(64) && !*notify(64)); /* of keyboard and mouse */
    CHECK_EQUAL(yt_gatt_notification(&g, 3, &index, bytes, sizeof bytes, &length, 0), YT_ARGUMENT);
}

/* An interface says that it has a boot protocol, and none of its reports is of it. */
static void check_no_boot_report(void) {
    static uint64_t image[YT_PROGRAM_BYTES / 8];
    const yt_program *program = &r.compiled.program;
    about("a boot protocol without its report");
    memcpy(image, r.compiled.image, r.compiled.size);
    for (unsigned i = 0; i < program->header->report_count; i++)
        ((uint8_t *)image)[changed_offset(program, &program->reports[i].boot)] = YT_NO_BOOT;
    changed_sum((uint8_t *)image, r.compiled.size);
    CHECK_EQUAL(yt_engine_load(&r.engine, image, r.compiled.size), YT_OK);
    CHECK_TEXT(read_at(find(YT_GATT_BOOT_KEYBOARD_INPUT, 0, 0), 0), "refused");
    CHECK_EQUAL(WRITE(find(YT_GATT_BOOT_KEYBOARD_OUTPUT, 0, 0), 1), YT_ARGUMENT);
}

int main(void) {
    rig_begin(&r, "inputs: {keys: keyboard}\n"
                  "outputs: {typed: {kind: keyboard, over: bluetooth}, view: {kind: mouse, over: "
                  "bluetooth}}\nsheet:\n  typed.a: keys.a\n  typed.b: keys.b\n"
                  "  view.button1: keys.a\n  view.button2: typed.light.caps_lock and keys.c\n");
    unsigned keys = RIG_ATTACH(&r, keys_descriptor);
    yt_gatt_begin(&g, &r.engine, 1);
    check_attributes();
    listen(true);
    check_notifications(keys);
    check_listening(keys);
    check_room(keys);
    check_no_boot_report();
    rig_end(&r);
    return report_checks();
}
