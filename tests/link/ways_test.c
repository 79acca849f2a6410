/* The ways by which the link gets to a host, each by what its stack would say: a USB host's control
 * transfers, a Bluetooth host's reads and writes, a stream's bytes. */
#include "tests/link/host.h"
#include "yonder/link_ways.h"

static linked_box to;
static yt_usb_feature feature;
static yt_usb_identity identity;

static yt_status transfer(uint8_t type, uint8_t request, uint16_t value, uint16_t index,
                          uint8_t *bytes, size_t size, size_t *length) {
    yt_usb_control control = {.data = bytes, .size = type & 0x80 ? 0 : size};
    uint8_t answer[600];
    const uint8_t setup[8] = {type,           request,
                              (uint8_t)value, (uint8_t)(value >> 8),
                              (uint8_t)index, (uint8_t)(index >> 8),
                              (uint8_t)size,  (uint8_t)(size >> 8)};
    memcpy(control.setup, setup, sizeof setup);
    control.answer = answer;
    control.room = sizeof answer;
    yt_status expected = yt_usb_expects(&to.box.engine, &identity, 1, setup);
    yt_status status = yt_usb_request(&to.box.engine, &identity, 1, &control, to.now_us);
    if (!(type & 0x80))
        CHECK_EQUAL(status == YT_OK, expected == YT_OK);
    *length = control.length;
    if (type & 0x80)
        memcpy(bytes, answer, control.length);
    return status;
}

/* Says a message by SET_REPORT, and fetches the answer by GET_REPORT, as often as it takes. */
static bool ask_by_usb(uint16_t interface, const yt_message *message, yt_message *answer) {
    uint8_t bytes[YT_MESSAGE_BYTES], report[1 + YT_REPORT_FRAME] = {YT_LINK_REPORT_ID};
    size_t length, size = yt_message_write(message, bytes, sizeof bytes);
    CHECK(yt_report_pack(bytes, size, report + 1));
    CHECK_EQUAL(
        transfer(0x21, 9, 0x0300 | YT_LINK_REPORT_ID, interface, report, sizeof report, &length),
        YT_OK);
    for (unsigned i = 0; i < 50; i++) {
        linked_work(&to, 1, true);
        CHECK_EQUAL(transfer(0xa1, 1, 0x0300 | YT_LINK_REPORT_ID, interface, report, sizeof report,
                             &length),
                    YT_OK);
        CHECK_EQUAL(length, sizeof report);
        CHECK_EQUAL(report[0], YT_LINK_REPORT_ID);
        size = yt_report_unpack(report + 1, length - 1);
        if (size > 0 && yt_message_read(answer, report + 2, size) &&
            answer->number == message->number)
            return true;
    }
    return false;
}

/* The interface in a configuration that has the vendor's page, or 255. */
static uint16_t find_interface(void) {
    uint8_t bytes[600];
    size_t length, size;
    const uint8_t *wanted = yt_link_descriptor(&size);
    CHECK_EQUAL(transfer(0x80, 6, 0x0200, 0, bytes, sizeof bytes, &length), YT_OK);
    for (uint16_t i = 0; i < bytes[4]; i++) {
        uint8_t report[600];
        size_t got;
        CHECK_EQUAL(transfer(0x81, 6, 0x2200, i, report, sizeof report, &got), YT_OK);
        if (got == size && memcmp(report, wanted, size) == 0)
            return i;
    }
    return 255;
}

/* What hosts read of the descriptor is what the report is. */
static void check_descriptor(void) {
    size_t size;
    const uint8_t *bytes = yt_link_descriptor(&size);
    yt_hid_reader reader;
    yt_hid_field field;
    unsigned bits = 0;
    about("the descriptor");
    yt_hid_open(&reader, bytes, size);
    while (yt_hid_next(&reader, &field) == YT_OK) {
        bits += field.bits * field.count;
        CHECK_EQUAL(field.direction, YT_HID_FEATURE);
        CHECK_EQUAL(field.report_id, YT_LINK_REPORT_ID);
        CHECK_EQUAL(field.usage_page, YT_LINK_PAGE);
        CHECK_EQUAL(field.minimum, 0);
        CHECK_EQUAL(field.maximum, 255);
    }
    CHECK_EQUAL(bits, 8 * YT_REPORT_FRAME);
}

static void check_usb(bool has_program) {
    yt_message hello = {.what = YT_REQUEST_HELLO, .number = 1, .checksum = 9}, answer;
    uint8_t bytes[100], before[18];
    size_t length;
    linked_begin(&to);
    about("USB, %s", has_program ? "with a program" : "with no program to run");
    if (!has_program) {
        CHECK_EQUAL(yt_store_erase(&to.box.store, 0), YT_OK);
        CHECK(box_plug_in(&to.box, &box_alone, to.now_us) != YT_OK);
        yt_link_init(&to.link, &to.parts);
    }
    identity = (yt_usb_identity){
        .vendor = 0x1209, .product = 9, .serial = "7", .packet_bytes = 64, .interval_ms = 1};
    CHECK_EQUAL(transfer(0x80, 6, 0x0100, 0, before, 18, &length),
                has_program ? YT_OK : YT_ARGUMENT);
    feature = yt_link_on_usb(&to.link);
    identity.feature = &feature;
    CHECK_EQUAL(transfer(0x80, 6, 0x0100, 0, bytes, 18, &length), YT_OK);
    CHECK(!has_program || memcmp(bytes + 12, before + 12, 2) != 0); /* another version */
    uint16_t interface = find_interface();
    CHECK_EQUAL(interface, has_program ? 1 : 0);
    about("a conversation");
    CHECK(ask_by_usb(interface, &hello, &answer));
    CHECK_EQUAL(answer.checksum, 9);
    yt_message fact = {
        .what = YT_REQUEST_FACT, .number = 2, .token = answer.token, .index = YT_LINK_CHUNK};
    CHECK(ask_by_usb(interface, &fact, &answer));
    CHECK_EQUAL(answer.value, YT_MESSAGE_REPORT - 22);
    about("what the interface refuses");
    static const uint16_t wrong[] = {0x0100 | YT_LINK_REPORT_ID, 0x0200 | YT_LINK_REPORT_ID, 0x0300,
                                     0x0301, 0x0400 | YT_LINK_REPORT_ID};
    for (unsigned i = 0; i < 5; i++) {
        memset(bytes, 0, sizeof bytes);
        bytes[0] = (uint8_t)wrong[i];
        CHECK(transfer(0xa1, 1, wrong[i], interface, bytes, 64, &length) != YT_OK);
        CHECK(transfer(0x21, 9, wrong[i], interface, bytes, 64, &length) != YT_OK);
    }
    bytes[0] = YT_LINK_REPORT_ID;
    CHECK(transfer(0x21, 9, 0x0300 | YT_LINK_REPORT_ID, interface, bytes, 65, &length) != YT_OK);
    CHECK(transfer(0x21, 11, 0, interface, bytes, 0, &length) != YT_OK);
    CHECK_EQUAL(transfer(0x21, 10, 0, interface, bytes, 0, &length), YT_OK);
    CHECK_EQUAL(transfer(0xa1, 2, 0, interface, bytes, 1, &length), YT_OK);
    CHECK_EQUAL(bytes[0], 0);
    CHECK(transfer(0x81, 6, 0x2200, interface + 1u, bytes, 100, &length) != YT_OK);
    linked_end(&to);
}

/* ---- Bluetooth LE ---- */

static void check_service(void) {
    uint8_t bytes[YT_MESSAGE_BYTES], report[YT_REPORT_FRAME];
    yt_message hello = {.what = YT_REQUEST_HELLO, .number = 1, .checksum = 9}, answer;
    yt_gatt_attribute attribute;
    size_t length, size;
    unsigned at = 0;
    linked_begin(&to);
    about("HID over GATT: what every HID service has (HID Service 1.0, 2)");
    static const uint16_t uuids[] = {YT_GATT_HID_INFORMATION, YT_GATT_REPORT_MAP,
                                     YT_GATT_CONTROL_POINT, YT_GATT_REPORT};
    for (; yt_link_service_at(at, &attribute); at++)
        CHECK_EQUAL(attribute.uuid, at < 4 ? uuids[at] : 0);
    CHECK_EQUAL(at, 4);
    CHECK(yt_link_service_at(3, &attribute));
    CHECK_EQUAL(attribute.report_id, YT_LINK_REPORT_ID);
    CHECK_EQUAL(attribute.report_type, 3);
    const uint8_t *descriptor = yt_link_descriptor(&size);
    CHECK_EQUAL(yt_link_service_read(&to.link, 1, 0, bytes, sizeof bytes, &length), YT_OK);
    CHECK(length == size && memcmp(bytes, descriptor, size) == 0);
    CHECK_EQUAL(yt_link_service_read(&to.link, 1, 10, bytes, 5, &length), YT_OK);
    CHECK(length == 5 && memcmp(bytes, descriptor + 10, 5) == 0);
    CHECK(yt_link_service_read(&to.link, 1, size + 1, bytes, 5, &length) != YT_OK);
    CHECK(yt_link_service_read(&to.link, 4, 0, bytes, 5, &length) != YT_OK);
    CHECK(yt_link_service_read(&to.link, 2, 0, bytes, 5, &length) != YT_OK);
    CHECK(yt_link_service_write(&to.link, 1, bytes, 5) != YT_OK);
    CHECK(yt_link_service_write(&to.link, 9, bytes, 5) != YT_OK);
    CHECK_EQUAL(yt_link_service_write(&to.link, 2, bytes, 1), YT_OK);
    about("a conversation, without the ID");
    length = yt_message_write(&hello, bytes, sizeof bytes);
    CHECK(yt_report_pack(bytes, length, report));
    CHECK_EQUAL(yt_link_service_write(&to.link, 3, report, sizeof report), YT_OK);
    linked_work(&to, 2, true);
    CHECK_EQUAL(yt_link_service_read(&to.link, 3, 0, report, sizeof report, &length), YT_OK);
    CHECK_EQUAL(length, YT_REPORT_FRAME);
    CHECK(yt_message_read(&answer, report + 1, yt_report_unpack(report, length)));
    CHECK(answer.number == 1 && answer.checksum == 9);
    about("a report of no bytes");
    CHECK_EQUAL(yt_link_service_write(&to.link, 3, report, 0), YT_OK);
    CHECK(yt_link_service_write(&to.link, 3, bytes, YT_REPORT_FRAME + 1) != YT_OK);
    linked_end(&to);
}

static void check_own_service(void) {
    uint8_t bytes[YT_MESSAGE_BYTES], uuids[3][16];
    yt_message hello = {.what = YT_REQUEST_HELLO, .number = 1, .checksum = 9}, answer;
    linked_begin(&to);
    about("a service of its own");
    for (unsigned i = 0; i < 3; i++)
        yt_link_uuid_of((yt_link_uuid)i, uuids[i]);
    CHECK(memcmp(uuids[0], uuids[1], 16) != 0 && memcmp(uuids[1], uuids[2], 16) != 0);
    CHECK_EQUAL(yt_link_mtu(&to.link, 64), YT_ARGUMENT);
    CHECK_EQUAL(yt_link_mtu(&to.link, 0), YT_ARGUMENT);
    for (size_t mtu = 65; mtu < 300; mtu += 47) {
        size_t room = mtu - 3 < YT_MESSAGE_BYTES ? mtu - 3 : YT_MESSAGE_BYTES;
        CHECK_EQUAL(yt_link_mtu(&to.link, mtu), YT_OK);
        yt_link_end(&to.link, YT_LINK_RADIO);
        hello.number++;
        hello.checksum++;
        yt_link_written(&to.link, bytes, yt_message_write(&hello, bytes, sizeof bytes));
        linked_work(&to, 2, true);
        size_t size = yt_link_notification(&to.link, bytes, sizeof bytes);
        CHECK(yt_message_read(&answer, bytes, size));
        CHECK_EQUAL(answer.number, hello.number);
        CHECK_EQUAL(yt_link_notification(&to.link, bytes, sizeof bytes), 0); /* told once */
        host host = {
            .to = &to, .way = YT_LINK_RADIO, .token = answer.token, .number = hello.number};
        size_t chunk = room - 22 < YT_MESSAGE_CHUNK ? room - 22 : YT_MESSAGE_CHUNK;
        CHECK_EQUAL(host_fact(&host, YT_LINK_CHUNK), chunk);
        host_unlock(&host);
        CHECK_EQUAL(host_ask(&host, (yt_message){.what = YT_REQUEST_READ,
                                                 .slot = 1,
                                                 .kind = YT_LINK_OF_PROGRAM,
                                                 .size = 5000,
                                                 .generation = host_generation(&host, 1)}),
                    YT_RESULT_DONE);
        CHECK_EQUAL(host.answer.chunk_bytes, chunk);
        CHECK(yt_message_size(&host.answer) <= room);
    }
    linked_end(&to);
}

/* ---- a stream ---- */

/* Two messages in one piece, cut anywhere: the second waits for the first. */
static void check_stream(void) {
    uint8_t bytes[YT_MESSAGE_BYTES], both[2 * YT_FRAME_BYTES];
    yt_message hello = {.what = YT_REQUEST_HELLO, .number = 7, .checksum = 9}, answer;
    about("a stream");
    for (size_t cut = 1; cut < 60; cut++) {
        yt_link_stream stream = {.gone = 0}, theirs = {.gone = 0};
        linked_begin(&to);
        size_t size = yt_message_write(&hello, bytes, sizeof bytes);
        size_t all = yt_frame_pack(bytes, size, both);
        yt_message fact = {.what = YT_REQUEST_FACT, .number = 8, .token = 1};
        size = yt_message_write(&fact, bytes, sizeof bytes);
        all += yt_frame_pack(bytes, size, both + all);
        unsigned answers = 0;
        for (size_t at = 0, until = 0; answers < 2 && to.now_us < 200000;) {
            if (at == until)
                until = until + cut < all ? until + cut : all;
            at += yt_link_stream_take(&stream, &to.link, both + at, until - at);
            linked_work(&to, 1, true);
            uint8_t out[7];
            for (size_t got; (got = yt_link_stream_give(&stream, &to.link, out, sizeof out)) > 0;)
                for (size_t i = 0; i < got; i++) {
                    size = yt_frame_take(&theirs.coming, out[i]);
                    if (size == 0)
                        continue;
                    CHECK(yt_message_read(&answer, theirs.coming.bytes, size));
                    CHECK_EQUAL(answer.number, 7 + answers);
                    answers++;
                }
        }
        CHECK_EQUAL(answers, 2);
        CHECK_EQUAL(answer.result, YT_RESULT_SESSION); /* that was no token */
        linked_end(&to);
    }
}

int main(void) {
    check_descriptor();
    check_usb(true);
    check_usb(false);
    check_service();
    check_own_service();
    check_stream();
    return report_checks();
}
