/* A Bluetooth LE device as its host asks of it: what a host finds that goes the whole way
 * (services, characteristics, descriptors, values) at every length of message, what is refused and
 * why, what it is told, and that all of it is what yonder/gatt.h says. */
#include "ports/linux/att.h"
#include "tests/engine/rig.h"
#include "tests/harness.h"

static rig r;
static att a;
static uint8_t answer[ATT_MTU];
static size_t length;

static const yt_usb_identity identity = {.vendor = 0x1209,
                                         .product = 0x0042,
                                         .manufacturer = "Quay works",
                                         .product_name = "Crane desk of the long north quay",
                                         .serial = "7"};

static const char *const profiles[] = {
    "inputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth}}\n"
    "sheet: {typed.b: keys.a}\n",
    "inputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth}, view: {kind: "
    "mouse, over: bluetooth}, media: {kind: consumer, over: bluetooth}}\n"
    "sheet: {typed.b: keys.a, view.button1: keys.b}\n",
    "inputs: {keys: keyboard}\noutputs: {pad: {kind: gamepad, over: bluetooth}}\n"
    "sheet: {pad.south: keys.a}\n",
    "inputs: {keys: keyboard}\noutputs: {view: {kind: mouse, over: bluetooth}}\n"
    "sheet: {view.button1: keys.a}\n"};
static const uint16_t appearances[] = {0x03c1, 0x03c1, 0x03c4, 0x03c2};

/* Eight keys a to h, a bit each, and a feature report. */
static const uint8_t keys[] = {0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x04, 0x29,
                               0x0b, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02,
                               0x05, 0x08, 0x19, 0x01, 0x29, 0x08, 0x91, 0x02, 0xc0};

static void ask(const uint8_t *bytes, size_t size) {
    memset(answer, 0xee, sizeof answer);
    length = att_request(&a, bytes, size, answer, 0);
}

#define ASK(...)     ask((const uint8_t[]){__VA_ARGS__}, sizeof((const uint8_t[]){__VA_ARGS__}))
#define LOW(number)  (uint8_t)(number)
#define HIGH(number) (uint8_t)((number) >> 8)

static unsigned number_at(const uint8_t *bytes) {
    return bytes[0] | (unsigned)bytes[1] << 8;
}

static void begin(const char *profile, int battery) {
    static bool is_begun;
    if (is_begun)
        rig_end(&r);
    is_begun = true;
    rig_begin(&r, profile);
    RIG_ATTACH(&r, keys);
    memset(&a, 0, sizeof a);
    att_begin(&a, &r.engine, &identity, 1, battery);
}

/* ---- a host that goes the whole way ---- */

typedef struct characteristic {
    unsigned declared, value, uuid, properties, end;
} characteristic;

static characteristic found[64];
static unsigned found_count, services[8], service_count;

static void find_characteristics(unsigned from, unsigned end) {
    unsigned first = found_count;
    while (from <= end) {
        ASK(0x08, LOW(from), HIGH(from), LOW(end), HIGH(end), 0x03, 0x28);
        if (answer[0] == 0x01) {
            CHECK_EQUAL(answer[4], 0x0a);
            break;
        }
        CHECK_EQUAL(answer[0], 0x09);
        CHECK_EQUAL(answer[1], 7);
        CHECK(length <= a.mtu && (length - 2) % 7 == 0 && length > 2);
        for (size_t at = 2; at < length && found_count < 64; at += 7) {
            characteristic *one = &found[found_count++];
            one->declared = number_at(answer + at);
            one->properties = answer[at + 2];
            one->value = number_at(answer + at + 3);
            one->uuid = number_at(answer + at + 5);
            CHECK_EQUAL(one->value, one->declared + 1);
            CHECK(one->declared >= from && one->value <= end);
            from = one->value + 1;
        }
    }
    for (unsigned i = first; i < found_count; i++)
        found[i].end = i + 1 < found_count ? found[i + 1].declared - 1 : end;
}

static void find_all(void) {
    unsigned from = 1;
    found_count = service_count = 0;
    while (from) {
        ASK(0x10, LOW(from), HIGH(from), 0xff, 0xff, 0x00, 0x28);
        if (answer[0] == 0x01) {
            CHECK_EQUAL(answer[4], 0x0a);
            break;
        }
        CHECK_EQUAL(answer[0], 0x11);
        CHECK_EQUAL(answer[1], 6);
        uint8_t list[ATT_MTU];
        size_t size = length;
        CHECK(size <= a.mtu);
        memcpy(list, answer, size);
        for (size_t at = 2; at < size && service_count < 8; at += 6) {
            unsigned begins = number_at(list + at), ends = number_at(list + at + 2);
            CHECK(begins >= from && ends >= begins);
            services[service_count++] = number_at(list + at + 4);
            find_characteristics(begins + 1, ends);
            from = ends + 1;
            ASK(0x06, 1, 0, 0xff, 0xff, 0x00, 0x28, list[at + 4], list[at + 5]);
            CHECK_EQUAL(answer[0], 0x07);
            CHECK_EQUAL(length, 5);
            CHECK(memcmp(answer + 1, list + at, 4) == 0);
        }
    }
}

static const characteristic *of(unsigned uuid) {
    for (unsigned i = 0; i < found_count; i++)
        if (found[i].uuid == uuid)
            return &found[i];
    return NULL;
}

/* A value of any length, as hosts read it: the first part, then the rest. */
static size_t read_value(unsigned handle, uint8_t *value, size_t room) {
    size_t size = 0;
    ASK(0x0a, LOW(handle), HIGH(handle));
    if (answer[0] != 0x0b)
        return SIZE_MAX;
    for (;;) {
        size_t part = length - 1;
        CHECK(length <= a.mtu && size + part <= room);
        memcpy(value + size, answer + 1, part);
        size += part;
        if (part < a.mtu - 1u)
            return size;
        ASK(0x0c, LOW(handle), HIGH(handle), LOW(size), HIGH(size));
        CHECK_EQUAL(answer[0], 0x0d);
    }
}

/* The descriptor of that kind of a characteristic; 0: it has none. */
static unsigned descriptor_of(const characteristic *one, unsigned uuid) {
    for (unsigned from = one->value + 1; from <= one->end;) {
        ASK(0x04, LOW(from), HIGH(from), LOW(one->end), HIGH(one->end));
        if (answer[0] != 0x05)
            return 0;
        CHECK_EQUAL(answer[1], 1);
        for (size_t at = 2; at < length; at += 4) {
            if (number_at(answer + at + 2) == uuid)
                return number_at(answer + at);
            from = number_at(answer + at) + 1;
        }
    }
    return 0;
}

static void check_hid(void) {
    yt_gatt_attribute attribute;
    unsigned first = 0;
    while (first < found_count && found[first].uuid != 0x2a4a)
        first++;
    for (unsigned i = 0; yt_gatt_attribute_at(&a.gatt, i, &attribute); i++) {
        const characteristic *one = &found[first + i];
        uint8_t expected[512], value[512];
        size_t size = 0;
        about("characteristic %04x at a length of %u", attribute.uuid, a.mtu);
        CHECK(first + i < found_count);
        CHECK_EQUAL(one->uuid, attribute.uuid);
        CHECK_EQUAL(one->properties, attribute.properties);
        yt_status status = yt_gatt_read(&a.gatt, i, 0, expected, sizeof expected, &size);
        CHECK_EQUAL(read_value(one->value, value, sizeof value), status == YT_OK ? size : SIZE_MAX);
        CHECK(status != YT_OK || memcmp(value, expected, size) == 0);
        CHECK_EQUAL(descriptor_of(one, 0x2902) != 0, (attribute.properties & YT_GATT_NOTIFY) != 0);
        unsigned reference = descriptor_of(one, 0x2908);
        CHECK_EQUAL(reference != 0, attribute.uuid == YT_GATT_REPORT);
        if (!reference)
            continue;
        CHECK_EQUAL(read_value(reference, value, sizeof value), 2);
        CHECK_EQUAL(value[0], attribute.report_id);
        CHECK_EQUAL(value[1], attribute.report_type);
    }
}

static void check_text_of(unsigned uuid, const char *expected) {
    uint8_t value[100] = {0};
    CHECK_EQUAL(read_value(of(uuid)->value, value, sizeof value - 1), strlen(expected));
    CHECK_TEXT((const char *)value, expected);
}

static void check_way(unsigned which, unsigned mtu, int battery) {
    static const unsigned with[] = {0x1800, 0x1801, 0x180a, 0x180f, 0x1812};
    uint8_t value[100];
    about("profile %u at a length of %u, battery %d", which, mtu, battery);
    begin(profiles[which], battery);
    ASK(0x02, LOW(mtu), HIGH(mtu));
    CHECK_EQUAL(answer[0], 0x03);
    CHECK_EQUAL(number_at(answer + 1), ATT_MTU);
    CHECK_EQUAL(a.mtu, mtu < 23 ? 23 : mtu > ATT_MTU ? ATT_MTU : mtu);
    a.is_encrypted = true;
    find_all();
    CHECK_EQUAL(service_count, battery < 0 ? 4 : 5);
    for (unsigned i = 0, k = 0; i < 5; i++)
        if (with[i] != 0x180f || battery >= 0)
            CHECK_EQUAL(services[k++], with[i]);
    check_text_of(0x2a00, identity.product_name);
    check_text_of(0x2a29, identity.manufacturer);
    CHECK_EQUAL(read_value(of(0x2a01)->value, value, sizeof value), 2);
    CHECK_EQUAL(number_at(value), appearances[which]);
    CHECK_EQUAL(read_value(of(0x2a50)->value, value, sizeof value), 7);
    CHECK_EQUAL(value[0], 2);
    CHECK_EQUAL(number_at(value + 1), identity.vendor);
    CHECK_EQUAL(number_at(value + 3), identity.product);
    CHECK_EQUAL(of(0x2a19) != NULL, battery >= 0);
    if (battery >= 0)
        CHECK_EQUAL(read_value(of(0x2a19)->value, value, sizeof value), 1);
    if (battery >= 0)
        CHECK_EQUAL(value[0], battery);
    check_hid();
}

/* Values of one type come together as long as all are of one length; the others by further asking.
 */
static void check_together(void) {
    unsigned asked = 0, told = 0, reports = 0;
    begin(profiles[1], -1);
    ASK(0x02, 247, 0);
    a.is_encrypted = true;
    find_all();
    for (unsigned i = 0; i < found_count; i++)
        reports += found[i].uuid == 0x2a4d;
    about("reports of several lengths");
    for (unsigned from = 1; asked < 20; asked++) {
        uint8_t list[ATT_MTU], value[512];
        ASK(0x08, LOW(from), HIGH(from), 0xff, 0xff, 0x4d, 0x2a);
        if (answer[0] == 0x01)
            break;
        size_t size = length, each = answer[1];
        memcpy(list, answer, size);
        CHECK((size - 2) % each == 0);
        for (size_t at = 2; at < size; at += each, told++) {
            unsigned handle = number_at(list + at);
            CHECK_EQUAL(read_value(handle, value, sizeof value), each - 2);
            CHECK(memcmp(value, list + at + 2, each - 2) == 0);
            from = handle + 1;
        }
    }
    CHECK_EQUAL(told, reports);
    CHECK(asked > 1);
}

/* ---- what is refused ---- */

static void refused(uint8_t opcode, unsigned why) {
    CHECK_EQUAL(length, 5);
    CHECK_EQUAL(answer[0], 0x01);
    CHECK_EQUAL(answer[1], opcode);
    CHECK_EQUAL(answer[4], why);
}

static void check_unencrypted(void) {
    begin(profiles[1], 40);
    a.is_encrypted = true;
    find_all();
    a.is_encrypted = false;
    for (unsigned i = 0; i < found_count; i++) {
        bool is_hid = found[i].uuid >= 0x2a22 && found[i].uuid <= 0x2a4e && found[i].uuid != 0x2a29;
        about("characteristic %04x without encryption", found[i].uuid);
        ASK(0x0a, LOW(found[i].value), HIGH(found[i].value));
        if (found[i].properties & YT_GATT_READ)
            CHECK_EQUAL(answer[0] == 0x01 ? answer[4] : 0, is_hid ? 0x0f : 0);
        if (found[i].properties & YT_GATT_WRITE) {
            ASK(0x12, LOW(found[i].value), HIGH(found[i].value), 1);
            refused(0x12, 0x0f);
        }
        unsigned configuration = descriptor_of(&found[i], 0x2902);
        if (configuration) {
            ASK(0x12, LOW(configuration), HIGH(configuration), 1, 0);
            CHECK_EQUAL(answer[0], is_hid ? 0x01 : 0x13);
        }
    }
    CHECK_EQUAL(a.gatt.listened, 0);
    CHECK(a.listens_to_battery);
    about("nothing is told without encryption");
    a.listens_to_battery = false;
    a.gatt.listened = 0xffffffffu;
    RIG_REPORT(&r, 0, 1000, 0x01);
    CHECK_EQUAL(att_notification(&a, answer, 1000), 0);
    a.is_encrypted = true;
    CHECK(att_notification(&a, answer, 1000) > 3);
}

static void check_refusals(void) {
    begin(profiles[0], -1);
    a.is_encrypted = true;
    find_all();
    about("a handle that is not there");
    ASK(0x0a, 0, 0);
    refused(0x0a, 0x01);
    ASK(0x0a, 0xff, 0xff);
    refused(0x0a, 0x01);
    ASK(0x12, 0xff, 0x00, 1);
    refused(0x12, 0x01);
    about("a range that is none");
    ASK(0x08, 5, 0, 4, 0, 0x03, 0x28);
    refused(0x08, 0x01);
    ASK(0x04, 0, 0, 9, 0);
    refused(0x04, 0x01);
    about("messages of a wrong length");
    ASK(0x02, 23);
    refused(0x02, 0x04);
    ASK(0x04, 1, 0, 9);
    refused(0x04, 0x04);
    ASK(0x08, 1, 0, 9, 0, 3);
    refused(0x08, 0x04);
    ASK(0x10, 1, 0, 9, 0, 0, 0x28, 0);
    refused(0x10, 0x04);
    ASK(0x0a, 1);
    refused(0x0a, 0x04);
    ASK(0x0c, 1, 0, 0);
    refused(0x0c, 0x04);
    ASK(0x12, 1);
    refused(0x12, 0x04);
    about("groups that are no services");
    ASK(0x10, 1, 0, 0xff, 0xff, 0x03, 0x28);
    refused(0x10, 0x10);
    about("what is not supported");
    ASK(0x16, 1, 0, 0, 0, 1);
    refused(0x16, 0x06);
    ASK(0x0e, 1, 0, 2, 0);
    refused(0x0e, 0x06);
    about("commands and what nobody asked for are left alone");
    ASK(0xd2, 1, 0, 1);
    CHECK_EQUAL(length, 0);
    ASK(0x1e);
    CHECK_EQUAL(length, 0);
    ASK(0x0b, 1);
    CHECK_EQUAL(length, 0);
    ASK(0x52, 0xff, 0xff, 1);
    CHECK_EQUAL(length, 0);
    CHECK_EQUAL(att_request(&a, answer, 0, answer, 0), 0);
    about("behind a value's end");
    unsigned name = of(0x2a00)->value;
    ASK(0x0c, LOW(name), HIGH(name), 99, 0);
    refused(0x0c, 0x07);
    about("what cannot be read or written");
    ASK(0x0a, LOW(of(0x2a4c)->value), HIGH(of(0x2a4c)->value));
    refused(0x0a, 0x02);
    ASK(0x12, LOW(name), HIGH(name), 'x');
    refused(0x12, 0x03);
    ASK(0x12, 1, 0, 'x');
    refused(0x12, 0x03);
    about("a configuration of a wrong length");
    unsigned configuration = descriptor_of(of(0x2a22), 0x2902);
    ASK(0x12, LOW(configuration), HIGH(configuration), 1);
    refused(0x12, 0x0d);
    about("a protocol that there is not");
    unsigned mode = of(0x2a4e)->value;
    ASK(0x52, LOW(mode), HIGH(mode), 7);
    CHECK_EQUAL(length, 0);
    CHECK(!yt_interface_is_boot(&r.engine, 0));
    ASK(0x52, LOW(mode), HIGH(mode), 0);
    CHECK(yt_interface_is_boot(&r.engine, 0));
    about("a UUID of 128 bits");
    ASK(0x08, 1, 0, 0xff, 0xff, 0xfb, 0x34, 0x9b, 0x5f, 0x80, 0, 0, 0x80, 0, 0x10, 0, 0, 0x00, 0x2a,
        0, 0);
    CHECK_EQUAL(answer[0], 0x09);
    CHECK_EQUAL(number_at(answer + 2), name);
    ASK(0x08, 1, 0, 0xff, 0xff, 0xfa, 0x34, 0x9b, 0x5f, 0x80, 0, 0, 0x80, 0, 0x10, 0, 0, 0x00, 0x2a,
        0, 0);
    refused(0x08, 0x0a);
}

/* ---- what a host is told, and tells ---- */

static void listen_to_all(void) {
    for (unsigned i = 0; i < found_count; i++) {
        unsigned configuration = descriptor_of(&found[i], 0x2902);
        uint8_t value[4];
        if (!configuration)
            continue;
        CHECK_EQUAL(read_value(configuration, value, sizeof value), 2);
        CHECK_EQUAL(number_at(value), 0);
        ASK(0x12, LOW(configuration), HIGH(configuration), 1, 0);
        CHECK_EQUAL(answer[0], 0x13);
        CHECK_EQUAL(read_value(configuration, value, sizeof value), 2);
        CHECK_EQUAL(number_at(value), 1);
    }
}

static void check_notifications(void) {
    uint8_t bytes[ATT_MTU];
    begin(profiles[1], 80);
    a.is_encrypted = true;
    find_all();
    listen_to_all();
    while (att_notification(&a, bytes, 0) > 0)
        att_sent(&a, 0);
    about("a key, told by the handle of its report");
    RIG_REPORT(&r, 0, 1000, 0x01);
    size_t size = att_notification(&a, bytes, 1000);
    CHECK_EQUAL(bytes[0], 0x1b);
    CHECK(size > 3);
    const characteristic *told = NULL;
    for (unsigned i = 0; i < found_count; i++)
        if (found[i].value == number_at(bytes + 1))
            told = &found[i];
    CHECK(told && told->uuid == 0x2a4d);
    uint8_t value[100];
    size_t whole = read_value(told->value, value, sizeof value);
    CHECK_EQUAL(size - 3, whole < a.mtu - 3u ? whole : a.mtu - 3u); /* its rest is read */
    CHECK(memcmp(value, bytes + 3, size - 3) == 0);
    about("not twice, and nothing before it was sent");
    CHECK_EQUAL(att_notification(&a, bytes, 1100), 0);
    RIG_REPORT(&r, 0, 2000, 0x00);
    CHECK_EQUAL(att_notification(&a, bytes, 2000), 0);
    att_sent(&a, 2000);
    CHECK(att_notification(&a, bytes, 2000) > 0);
    att_sent(&a, 2000);
    about("the battery, once for each change");
    att_tell_battery(&a, 80);
    CHECK_EQUAL(att_notification(&a, bytes, 3000), 0);
    att_tell_battery(&a, 79);
    CHECK_EQUAL(att_notification(&a, bytes, 3000), 4);
    CHECK_EQUAL(number_at(bytes + 1), of(0x2a19)->value);
    CHECK_EQUAL(bytes[3], 79);
    CHECK_EQUAL(att_notification(&a, bytes, 3000), 4);
    att_sent(&a, 3000);
    CHECK_EQUAL(att_notification(&a, bytes, 3000), 0);
    about("a report that goes first does not take its place");
    att_tell_battery(&a, 60);
    RIG_REPORT(&r, 0, 4000, 0x02);
    CHECK(att_notification(&a, bytes, 4000) > 4);
    att_sent(&a, 4000);
    CHECK_EQUAL(att_notification(&a, bytes, 4000), 4);
    CHECK_EQUAL(bytes[3], 60);
    att_sent(&a, 4000);
    about("what a bonded host listens to comes back");
    att_choices kept = att_kept(&a);
    att_begin(&a, &r.engine, &identity, 1, 79);
    CHECK(!a.listens_to_battery && a.gatt.listened == 0 && !a.is_encrypted);
    att_give_back(&a, kept);
    CHECK(a.listens_to_battery);
    CHECK_EQUAL(a.gatt.listened, kept.listened);
    about("what it cannot listen to does not");
    kept.listened = 0xffffffffu;
    att_give_back(&a, kept);
    CHECK_EQUAL(a.gatt.listened, att_kept(&a).listened);
    att_begin(&a, &r.engine, &identity, 1, -1);
    att_give_back(&a, kept);
    CHECK(!a.listens_to_battery);
}

static void check_lights(void) {
    begin("inputs: {keys: keyboard}\noutputs: {typed: {kind: keyboard, over: bluetooth}}\n"
          "sheet: {typed.b: typed.light.caps_lock}\n",
          -1);
    a.is_encrypted = true;
    find_all();
    about("lights are written with and without an answer, and reach the sheet");
    for (unsigned i = 0; i < found_count; i++) {
        unsigned reference = descriptor_of(&found[i], 0x2908);
        uint8_t value[4];
        if (!reference || read_value(reference, value, 4) != 2 || value[1] != 2)
            continue;
        for (unsigned on = 0; on < 4; on++) {
            uint8_t opcode = on < 2 ? 0x12 : 0x52;
            ASK(opcode, LOW(found[i].value), HIGH(found[i].value), on % 2 ? 0 : 2);
            CHECK_EQUAL(length, on < 2 ? 1 : 0);
            yt_engine_update(&r.engine, 1000 * (on + 1));
            char told[9];
            snprintf(told, sizeof told, "%s", rig_take(&r, 0, 1000 * (on + 1)));
            CHECK_TEXT(told, on % 2 ? "01 00 00" : "01 00 02");
        }
    }
}

/* ---- what another device answers ---- */

static uint8_t handed[8];
static size_t handed_size;
static unsigned handed_count;
static bool takes;

static bool take(void *context, unsigned connector, unsigned number, yt_hid_direction direction,
                 uint8_t id, const uint8_t *bytes, size_t size) {
    CHECK(context == &a);
    CHECK_EQUAL(connector, 1);
    CHECK_EQUAL(number, 0);
    CHECK_EQUAL(direction, YT_HID_FEATURE);
    CHECK_EQUAL(id, 5);
    handed_size = bytes ? size : 0;
    if (bytes)
        memcpy(handed, bytes, size < 8 ? size : 8);
    handed_count++;
    return takes;
}

static void check_relayed(void) {
    static const uint8_t told[] = {0x5a, 0x5b};
    unsigned feature = 0;
    begin("inputs: {keys: keyboard}\noutputs: {view: {kind: mouse, over: bluetooth}}\n"
          "sheet: {view.button1: keys.a}\n"
          "relays: [{output: view, report: 1, type: feature, to: keys, as: 5}]\n",
          -1);
    a.is_encrypted = true;
    find_all();
    for (unsigned i = 0; i < found_count; i++) {
        unsigned reference = descriptor_of(&found[i], 0x2908);
        uint8_t value[4];
        if (reference && read_value(reference, value, 4) == 2 && value[1] == 3)
            feature = found[i].value;
    }
    about("a report of another device, where nobody hands it on");
    ASK(0x0a, LOW(feature), HIGH(feature));
    refused(0x0a, 0x0e);
    a.relay = take;
    a.context = &a;
    about("where it is not to be had");
    ASK(0x0a, LOW(feature), HIGH(feature));
    refused(0x0a, 0x0e);
    ASK(0x12, LOW(feature), HIGH(feature), 7);
    refused(0x12, 0x0e);
    takes = true;
    about("it is answered later, and nothing is asked meanwhile");
    ASK(0x0a, LOW(feature), HIGH(feature));
    CHECK_EQUAL(length, 0);
    ASK(0x0a, LOW(feature), HIGH(feature));
    refused(0x0a, 0x0e);
    CHECK_EQUAL(att_relayed(&a, told, 2, answer), 3);
    CHECK_EQUAL(answer[0], 0x0b);
    CHECK(memcmp(answer + 1, told, 2) == 0);
    CHECK_EQUAL(att_relayed(&a, told, 2, answer), 0);
    about("the rest of it");
    ASK(0x0c, LOW(feature), HIGH(feature), 1, 0);
    CHECK_EQUAL(att_relayed(&a, told, 2, answer), 2);
    CHECK_EQUAL(answer[0], 0x0d);
    CHECK_EQUAL(answer[1], 0x5b);
    about("it gave no answer");
    ASK(0x0a, LOW(feature), HIGH(feature));
    length = att_relayed(&a, NULL, 0, answer);
    refused(0x0a, 0x0e);
    about("a write of it");
    ASK(0x12, LOW(feature), HIGH(feature), 0x77);
    CHECK_EQUAL(answer[0], 0x13);
    CHECK_EQUAL(handed_size, 1);
    CHECK_EQUAL(handed[0], 0x77);
    CHECK_EQUAL(handed_count, 6);
}

int main(void) {
    static const unsigned lengths[] = {0, 22, 23, 24, 31, 64, 185, 246, 247, 248, 517, 65535};
    for (unsigned which = 0; which < sizeof profiles / sizeof profiles[0]; which++)
        for (size_t i = 0; i < sizeof lengths / sizeof lengths[0]; i++)
            check_way(which, lengths[i], i % 3 == 0 ? -1 : (int)(i * 9));
    check_together();
    check_unencrypted();
    check_refusals();
    check_notifications();
    check_lights();
    check_relayed();
    rig_end(&r);
    return report_checks();
}
