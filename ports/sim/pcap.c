/* USB captures (usbmon, through libpcap): finds the HID devices by what they answered when they
 * were enumerated (USB 2.0, chapter 9; HID 1.11, chapter 7), and their reports in the interrupt
 * transfers. */
#include <pcap/pcap.h>
#include <pcap/usb.h>
#include <stdlib.h>
#include <string.h>

#include "ports/sim/recording.h"

enum { TRANSFER_INTERRUPT = 1, TRANSFER_CONTROL = 2 };
enum { REQUEST_GET_DESCRIPTOR = 6, REQUEST_SET_CONFIGURATION = 9, REQUEST_SET_PROTOCOL = 11 };
enum {
    DESCRIPTOR_DEVICE = 1,
    DESCRIPTOR_CONFIGURATION = 2,
    DESCRIPTOR_STRING = 3,
    DESCRIPTOR_INTERFACE = 4,
    DESCRIPTOR_ENDPOINT = 5,
    DESCRIPTOR_REPORT = 0x22
};
enum { CLASS_HID = 3, MOST_UNITS = 32, MOST_INTERFACES = 8, MOST_STRINGS = 8 };

typedef struct string_descriptor {
    uint8_t index; /* 0: none */
    char text[64];
} string_descriptor;

typedef struct hid_interface {
    uint8_t number;
    uint8_t endpoint; /* interrupt IN */
    bool in_boot_protocol;
    int device; /* of the recording; -1 until its report descriptor is known */
    unsigned boot_reports;
    unsigned early_reports; /* before the report descriptor is known */
} hid_interface;

/* One USB device: an address on a bus. */
typedef struct usb_unit {
    uint16_t bus;
    uint8_t address;
    uint16_t vendor;
    uint16_t product;
    uint8_t manufacturer_string;
    uint8_t product_string;
    string_descriptor strings[MOST_STRINGS];
    hid_interface interfaces[MOST_INTERFACES];
    unsigned interface_count;
    bool setup_seen;
    pcap_usb_setup setup; /* of the control transfer under way */
} usb_unit;

typedef struct pcap_reader {
    recording *recording;
    const char *name;
    pcap_t *pcap;
    bool is_mmapped; /* headers of 64 bytes, not of 48 */
    unsigned packet;
    uint64_t last_us;
    usb_unit units[MOST_UNITS];
    unsigned unit_count;
} pcap_reader;

static bool fail(pcap_reader *reader, const char *what) {
    return recording_fail(reader->recording, "%s: packet %u: %s", reader->name, reader->packet,
                          what);
}

static usb_unit *unit_at(pcap_reader *reader, uint16_t bus, uint8_t address) {
    for (unsigned i = 0; i < reader->unit_count; i++)
        if (reader->units[i].bus == bus && reader->units[i].address == address)
            return &reader->units[i];
    if (reader->unit_count == MOST_UNITS)
        return NULL;
    usb_unit *unit = &reader->units[reader->unit_count++];
    *unit = (usb_unit){.bus = bus, .address = address};
    return unit;
}

static void read_device_descriptor(usb_unit *unit, const uint8_t *bytes, size_t size) {
    if (size < 18)
        return;
    unit->vendor = (uint16_t)(bytes[8] | bytes[9] << 8);
    unit->product = (uint16_t)(bytes[10] | bytes[11] << 8);
    unit->manufacturer_string = bytes[14];
    unit->product_string = bytes[15];
}

static hid_interface *interface_at(usb_unit *unit, uint8_t number) {
    for (unsigned i = 0; i < unit->interface_count; i++)
        if (unit->interfaces[i].number == number)
            return &unit->interfaces[i];
    if (unit->interface_count == MOST_INTERFACES)
        return NULL;
    hid_interface *interface = &unit->interfaces[unit->interface_count++];
    *interface = (hid_interface){.number = number, .device = -1};
    return interface;
}

/* Walks the descriptors within a configuration: an interface, then its endpoints. */
static void read_configuration(usb_unit *unit, const uint8_t *bytes, size_t size) {
    hid_interface *interface = NULL;
    for (size_t at = 0; size - at >= 2 && bytes[at] >= 2 && bytes[at] <= size - at;
         at += bytes[at]) {
        const uint8_t *part = bytes + at;
        if (part[1] == DESCRIPTOR_INTERFACE && part[0] >= 9)
            interface = part[5] == CLASS_HID ? interface_at(unit, part[2]) : NULL;
        else if (part[1] == DESCRIPTOR_ENDPOINT && part[0] >= 7 && interface && (part[2] & 0x80) &&
                 (part[3] & 3) == 3)
            interface->endpoint = part[2];
    }
}

/* UTF-16, of which ASCII is kept. */
static void read_string(usb_unit *unit, uint8_t index, const uint8_t *bytes, size_t size) {
    if (index == 0 || size < 2)
        return;
    string_descriptor *string = unit->strings;
    while (string < unit->strings + MOST_STRINGS - 1 && string->index && string->index != index)
        string++;
    string->index = index;
    size_t length = 0;
    for (size_t at = 2; at + 1 < size && length + 1 < sizeof string->text; at += 2)
        string->text[length++] =
            bytes[at + 1] == 0 && bytes[at] >= ' ' && bytes[at] < 127 ? (char)bytes[at] : '?';
    string->text[length] = 0;
}

static const char *string_of(const usb_unit *unit, uint8_t index) {
    for (unsigned i = 0; index && i < MOST_STRINGS; i++)
        if (unit->strings[i].index == index)
            return unit->strings[i].text;
    return "";
}

static bool read_report_descriptor(pcap_reader *reader, usb_unit *unit, const uint8_t *bytes,
                                   size_t size) {
    hid_interface *interface = interface_at(unit, (uint8_t)unit->setup.wIndex);
    if (!interface || size == 0)
        return true;
    if (size < unit->setup.wLength && size >= 64 && size % 64 == 0)
        return fail(reader, "the capture cut a report descriptor short; capture whole packets");
    if (size > RECORDING_DESCRIPTOR)
        return fail(reader, "a report descriptor is longer than 4096 bytes");
    if (interface->device < 0) {
        if (!recording_add_device(reader->recording))
            return fail(reader, "there are more than 16 HID devices");
        interface->device = (int)reader->recording->device_count - 1;
    }
    recorded_device *device = &reader->recording->devices[interface->device];
    memcpy(device->descriptor, bytes, size);
    device->descriptor_size = size;
    return true;
}

/* A control transfer ended; `unit->setup` tells what was asked. */
static bool end_control(pcap_reader *reader, usb_unit *unit, const uint8_t *bytes, size_t size) {
    const pcap_usb_setup *setup = &unit->setup;
    uint8_t type = (uint8_t)(setup->wValue >> 8), index = (uint8_t)setup->wValue;
    if (setup->bmRequestType == 0x80 && setup->bRequest == REQUEST_GET_DESCRIPTOR) {
        if (type == DESCRIPTOR_DEVICE)
            read_device_descriptor(unit, bytes, size);
        else if (type == DESCRIPTOR_CONFIGURATION)
            read_configuration(unit, bytes, size);
        else if (type == DESCRIPTOR_STRING)
            read_string(unit, index, bytes, size);
    } else if (setup->bmRequestType == 0x81 && setup->bRequest == REQUEST_GET_DESCRIPTOR &&
               type == DESCRIPTOR_REPORT) {
        return read_report_descriptor(reader, unit, bytes, size);
    } else if (setup->bmRequestType == 0x21 && setup->bRequest == REQUEST_SET_PROTOCOL) {
        hid_interface *interface = interface_at(unit, (uint8_t)setup->wIndex);
        if (interface)
            interface->in_boot_protocol = setup->wValue == 0;
    } else if (setup->bmRequestType == 0x00 && setup->bRequest == REQUEST_SET_CONFIGURATION) {
        for (unsigned i = 0; i < unit->interface_count; i++)
            unit->interfaces[i].in_boot_protocol = false; /* 7.2.6: the default */
    }
    return true;
}

static bool add_report(pcap_reader *reader, usb_unit *unit, uint8_t endpoint, uint64_t time_us,
                       const uint8_t *bytes, size_t size) {
    for (unsigned i = 0; i < unit->interface_count; i++) {
        hid_interface *interface = &unit->interfaces[i];
        if (interface->endpoint != endpoint)
            continue;
        if (interface->in_boot_protocol)
            interface->boot_reports++;
        else if (interface->device < 0)
            interface->early_reports++;
        else if (time_us < reader->last_us)
            return fail(reader, "it is earlier than the packet before it");
        else if (!recording_add_report(reader->recording, time_us, (unsigned)interface->device,
                                       bytes, size))
            return fail(reader, "a report is longer than 4097 bytes");
        else
            reader->last_us = time_us;
    }
    return true;
}

/* A submission of a control transfer carries the request, a completion the answer. Marks differ
 * between machines: what counts as setup is told by the flag 0 of a submission. */
static bool read_packet(pcap_reader *reader, const struct pcap_pkthdr *packet,
                        const uint8_t *bytes) {
    pcap_usb_header_mmapped header;
    size_t head = reader->is_mmapped ? 64 : 48;
    if (packet->caplen < packet->len)
        return fail(reader, "the capture cut it short; capture whole packets");
    if (packet->caplen < head)
        return fail(reader, "it is shorter than a usbmon header");
    memset(&header, 0, sizeof header);
    memcpy(&header, bytes, head);
    size_t size = packet->caplen - head;
    usb_unit *unit = unit_at(reader, header.bus_id, header.device_address);
    if (!unit)
        return fail(reader, "there are more than 32 USB devices");
    bool submission = header.event_type == 'S';
    if (header.transfer_type == TRANSFER_CONTROL) {
        if (submission && header.setup_flag == 0) {
            unit->setup = header.s.setup;
            unit->setup_seen = true;
        } else if (header.event_type == 'C' && unit->setup_seen) {
            unit->setup_seen = false;
            if (header.status == 0)
                return end_control(reader, unit, bytes + head, size);
        }
        return true;
    }
    if (header.transfer_type != TRANSFER_INTERRUPT || header.event_type != 'C' ||
        header.status != 0 || !(header.endpoint_number & 0x80) || size == 0)
        return true;
    uint64_t time_us = (uint64_t)header.ts_sec * 1000000 + (uint64_t)header.ts_usec;
    return add_report(reader, unit, header.endpoint_number, time_us, bytes + head, size);
}

static bool name_devices(pcap_reader *reader) {
    for (unsigned i = 0; i < reader->unit_count; i++) {
        usb_unit *unit = &reader->units[i];
        for (unsigned k = 0; k < unit->interface_count; k++) {
            hid_interface *interface = &unit->interfaces[k];
            if (interface->device < 0 && interface->early_reports > 0)
                return recording_fail(reader->recording,
                                      "%s: there are reports of a device whose report descriptor "
                                      "was not captured; plug it in after the capture has begun",
                                      reader->name);
            if (interface->device < 0)
                continue;
            recorded_device *device = &reader->recording->devices[interface->device];
            device->bus = 3;
            device->vendor = unit->vendor;
            device->product = unit->product;
            device->boot_reports = interface->boot_reports;
            const char *maker = string_of(unit, unit->manufacturer_string);
            const char *product = string_of(unit, unit->product_string);
            snprintf(device->name, sizeof device->name, "%s%s%s", maker,
                     *maker && *product ? " " : "", product);
        }
    }
    return true;
}

/* A capture's clock is the machine's; times count from the first report. */
static void begin_at_zero(recording *recording) {
    uint64_t first_us = recording->report_count ? recording->reports[0].time_us : 0;
    for (size_t i = 0; i < recording->report_count; i++)
        recording->reports[i].time_us -= first_us;
}

static bool read_packets(pcap_reader *reader) {
    struct pcap_pkthdr *packet;
    const uint8_t *bytes;
    int link = pcap_datalink(reader->pcap), got;
    if (link != DLT_USB_LINUX && link != DLT_USB_LINUX_MMAPPED) {
        const char *name = pcap_datalink_val_to_name(link);
        return recording_fail(reader->recording,
                              "%s: this capture is of %s, not of USB as Linux records it (usbmon)",
                              reader->name, name ? name : "something unknown");
    }
    reader->is_mmapped = link == DLT_USB_LINUX_MMAPPED;
    while ((got = pcap_next_ex(reader->pcap, &packet, &bytes)) == 1) {
        reader->packet++;
        if (!read_packet(reader, packet, bytes))
            return false;
    }
    if (got == PCAP_ERROR)
        return recording_fail(reader->recording, "%s: after packet %u: %s", reader->name,
                              reader->packet, pcap_geterr(reader->pcap));
    return name_devices(reader);
}

bool recording_parse_pcap(recording *recording, const char *name, const uint8_t *bytes,
                          size_t size) {
    char error[PCAP_ERRBUF_SIZE] = "";
    FILE *file = fmemopen((void *)bytes, size, "rb");
    pcap_reader *reader = calloc(1, sizeof *reader);
    if (!file || !reader) {
        perror("yonder");
        exit(1);
    }
    reader->recording = recording;
    reader->name = name;
    reader->pcap = pcap_fopen_offline(file, error);
    bool good;
    if (!reader->pcap) {
        good = recording_fail(recording, "%s: %s", name, error);
        fclose(file);
    } else {
        good = read_packets(reader);
        if (good)
            begin_at_zero(recording);
        pcap_close(reader->pcap); /* closes the file too */
    }
    free(reader);
    return good;
}
