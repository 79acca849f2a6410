#include "ports/sim/capture.h"

#include <errno.h>
#include <pcap/pcap.h>
#include <pcap/usb.h>
#include <stdlib.h>
#include <string.h>

#include "yonder/image/program.h"

enum { TRANSFER_INTERRUPT = 1, TRANSFER_CONTROL = 2, MOST_DEVICES = 8, MOST_BYTES = 4096 };

struct capture {
    char *bytes;
    size_t size;
    FILE *memory;
    pcap_t *pcap;
    pcap_dumper_t *dumper;
    const yt_program *program;
    uint64_t urb; /* each transfer has a mark of its own */
    unsigned connectors[MOST_DEVICES];
    unsigned device_count;
};

capture *capture_begin(const yt_program *program) {
    capture *capture = calloc(1, sizeof *capture);
    if (!capture)
        return NULL;
    capture->program = program;
    capture->memory = open_memstream(&capture->bytes, &capture->size);
    capture->pcap = pcap_open_dead(DLT_USB_LINUX_MMAPPED, 65535);
    capture->dumper =
        capture->memory && capture->pcap ? pcap_dump_fopen(capture->pcap, capture->memory) : NULL;
    if (capture->dumper)
        return capture;
    free(capture);
    return NULL;
}

/* One packet: a header as usbmon gives it, and the data behind it. */
static void put(capture *capture, pcap_usb_header_mmapped header, uint64_t time_us,
                const uint8_t *data, size_t size) {
    uint8_t packet[sizeof header + MOST_BYTES];
    struct pcap_pkthdr head = {
        .ts = {.tv_sec = (time_t)(time_us / 1000000), .tv_usec = (long)(time_us % 1000000)},
        .caplen = (bpf_u_int32)(sizeof header + size),
        .len = (bpf_u_int32)(sizeof header + size)};
    header.id = capture->urb;
    header.bus_id = 1;
    header.ts_sec = (int64_t)(time_us / 1000000);
    header.ts_usec = (int32_t)(time_us % 1000000);
    header.data_len = (uint32_t)size;
    memcpy(packet, &header, sizeof header);
    if (size > 0)
        memcpy(packet + sizeof header, data, size);
    pcap_dump((uint8_t *)capture->dumper, &head, packet);
}

#define NO_SETUP '-'
#define DATA_IN  '<' /* no data stands here, as it comes from the device */
#define DATA_OUT '>' /* the same, as it went to the device */

/* A control transfer: its request, with what goes to the device, then its answer. */
static void put_control(capture *capture, unsigned address, uint64_t time_us,
                        const uint8_t setup[8], const uint8_t *data, size_t size) {
    bool is_in = setup[0] & 0x80;
    pcap_usb_header_mmapped header = {.event_type = 'S',
                                      .transfer_type = TRANSFER_CONTROL,
                                      .endpoint_number = is_in ? 0x80 : 0,
                                      .device_address = (uint8_t)address,
                                      .setup_flag = 0,
                                      .data_flag = (char)(is_in || size == 0 ? DATA_IN : 0),
                                      .status = -EINPROGRESS,
                                      .urb_len = (uint32_t)(setup[6] | setup[7] << 8)};
    capture->urb++;
    memcpy(&header.s.setup, setup, 8);
    put(capture, header, time_us, data, is_in ? 0 : size);
    header.event_type = 'C';
    header.setup_flag = NO_SETUP;
    header.data_flag = (char)(is_in ? 0 : DATA_OUT);
    header.status = 0;
    header.urb_len = (uint32_t)size;
    memset(&header.s, 0, sizeof header.s);
    put(capture, header, time_us, data, is_in ? size : 0);
}

/* A descriptor that the host asks for; false: the transport gives none. */
static bool put_descriptor(capture *capture, yt_engine *engine, const yt_usb_identity *identity,
                           unsigned connector, uint8_t recipient, uint8_t type, uint16_t index,
                           uint16_t at) {
    uint8_t answer[MOST_BYTES];
    uint16_t language = type == 3 && index > 0 ? 0x0409 : at;
    yt_usb_control asked = {.setup = {recipient, 6, (uint8_t)index, type, (uint8_t)language,
                                      (uint8_t)(language >> 8), MOST_BYTES & 0xff, MOST_BYTES >> 8},
                            .answer = answer,
                            .room = sizeof answer};
    if (yt_usb_request(engine, identity, connector, &asked, 0) != YT_OK)
        return false;
    put_control(capture, connector, 0, asked.setup, answer, asked.length);
    return true;
}

bool capture_device(capture *capture, yt_engine *engine, const yt_usb_identity *identity,
                    unsigned connector) {
    static const uint8_t configure[8] = {0x00, 9, 1, 0, 0, 0, 0, 0};
    size_t size;
    for (unsigned i = 0; i < capture->program->header->interface_count; i++)
        if (capture->program->interfaces[i].connector == connector &&
            capture->program->interfaces[i].radio)
            return false;
    bool good = capture->device_count < MOST_DEVICES &&
                put_descriptor(capture, engine, identity, connector, 0x80, 1, 0, 0) &&
                put_descriptor(capture, engine, identity, connector, 0x80, 2, 0, 0);
    for (uint16_t i = 1; good && i <= 3; i++) /* it may have no string of a number */
        (void)put_descriptor(capture, engine, identity, connector, 0x80, 3, i, 0);
    if (!good)
        return false;
    put_control(capture, connector, 0, configure, NULL, 0);
    for (uint16_t i = 0; yt_usb_report_descriptor(engine, identity, connector, i, &size); i++)
        good &= put_descriptor(capture, engine, identity, connector, 0x81, 0x22, 0, i);
    capture->connectors[capture->device_count++] = connector;
    return good;
}

/* The connector of an interface, and its number there; 0: it was not enumerated. */
static unsigned place_of(const capture *capture, unsigned interface, unsigned *number) {
    const yt_program *program = capture->program;
    unsigned connector = program->interfaces[interface].connector;
    *number = 0;
    for (unsigned i = 0; i < interface; i++)
        *number += program->interfaces[i].connector == connector;
    for (unsigned i = 0; i < capture->device_count; i++)
        if (capture->connectors[i] == connector)
            return connector;
    return 0;
}

void capture_taken(capture *capture, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                   size_t size) {
    unsigned number, address = place_of(capture, interface, &number);
    pcap_usb_header_mmapped header = {.event_type = 'S',
                                      .transfer_type = TRANSFER_INTERRUPT,
                                      .endpoint_number = (uint8_t)(0x81 + number),
                                      .device_address = (uint8_t)address,
                                      .setup_flag = NO_SETUP,
                                      .data_flag = DATA_IN,
                                      .status = -EINPROGRESS,
                                      .urb_len = 64};
    if (address == 0)
        return;
    capture->urb++;
    put(capture, header, time_us, NULL, 0);
    header.event_type = 'C';
    header.data_flag = 0;
    header.status = 0;
    header.urb_len = (uint32_t)size;
    put(capture, header, time_us, bytes, size);
}

/* HID 1.11, 7.2.2: the type is 2 for output reports and 3 for feature reports. */
void capture_sent(capture *capture, unsigned interface, uint64_t time_us,
                  yt_hid_direction direction, const uint8_t *bytes, size_t size) {
    const yt_program *program = capture->program;
    unsigned number, address = place_of(capture, interface, &number);
    bool has_ids = false;
    for (unsigned i = 0; i < program->interfaces[interface].report_count; i++)
        has_ids |= program->reports[program->interfaces[interface].first_report + i].id != 0;
    const uint8_t setup[8] = {0x21,
                              9,
                              has_ids && size > 0 ? bytes[0] : 0,
                              direction == YT_HID_FEATURE ? 3 : 2,
                              (uint8_t)number,
                              0,
                              (uint8_t)size,
                              (uint8_t)(size >> 8)};
    if (address != 0)
        put_control(capture, address, time_us, setup, bytes, size);
}

bool capture_end(capture *capture, FILE *file) {
    pcap_dump_close(capture->dumper); /* closes the memory's file too */
    pcap_close(capture->pcap);
    bool good = fwrite(capture->bytes, 1, capture->size, file) == capture->size;
    free(capture->bytes);
    free(capture);
    return good;
}
