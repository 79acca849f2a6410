/* The Linux HID recording text, read and written. */
#include <ctype.h>
#include <inttypes.h>
#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"
#include "ports/sim/recording.h"

typedef struct text_reader {
    recording *recording;
    const char *name;
    int line;
    size_t device;
    uint64_t last_us;
} text_reader;

static bool fail(text_reader *reader, const char *what) {
    return recording_fail(reader->recording, "%s:%d: %s", reader->name, reader->line, what);
}

static recorded_device *device_at(text_reader *reader, size_t number) {
    while (reader->recording->device_count <= number)
        if (!recording_add_device(reader->recording))
            return NULL;
    return &reader->recording->devices[number];
}

static const char *skip_space(const char *at) {
    while (*at == ' ' || *at == '\t')
        at++;
    return at;
}

/* A number of at most `most`, in base 10 or 16; NULL where there is none. */
static const char *read_number(const char *at, int base, uint64_t most, uint64_t *number) {
    uint64_t value = 0;
    at = skip_space(at);
    const char *begin = at;
    for (; isxdigit((unsigned char)*at); at++) {
        int c = tolower((unsigned char)*at);
        unsigned digit = (unsigned)(isdigit(c) ? c - '0' : c - 'a' + 10);
        if (digit >= (unsigned)base)
            return NULL;
        value = value * (unsigned)base + digit;
        if (value > most)
            return NULL;
    }
    if (at == begin || (*at != 0 && *at != ' ' && *at != '\t' && *at != '.'))
        return NULL;
    *number = value;
    return at;
}

/* "LENGTH BYTE BYTE …", all of them there and nothing behind. */
static bool read_bytes(const char *at, uint8_t *bytes, size_t most, size_t *size) {
    uint64_t length, byte;
    at = read_number(at, 10, most, &length);
    for (size_t i = 0; at && i < length; i++) {
        at = read_number(at, 16, 255, &byte);
        bytes[i] = (uint8_t)byte;
    }
    if (!at || *skip_space(at) != 0)
        return false;
    *size = (size_t)length;
    return true;
}

static bool read_device(text_reader *reader, const char *at) {
    uint64_t number;
    at = read_number(at, 10, RECORDING_DEVICES - 1, &number);
    if (!at || *skip_space(at) != 0)
        return fail(reader, "a device line is \"D: \" and a number from 0 to 15");
    reader->device = (size_t)number;
    device_at(reader, reader->device);
    return true;
}

static bool read_ids(text_reader *reader, recorded_device *device, const char *at) {
    uint64_t bus, vendor, product;
    at = read_number(at, 16, UINT16_MAX, &bus);
    at = at ? read_number(at, 16, UINT16_MAX, &vendor) : NULL;
    at = at ? read_number(at, 16, UINT16_MAX, &product) : NULL;
    if (!at || *skip_space(at) != 0)
        return fail(reader, "an ID line is \"I: \" with bus, vendor and product in hexadecimal, "
                            "as in: I: 3 1209 0001");
    device->bus = (uint16_t)bus;
    device->vendor = (uint16_t)vendor;
    device->product = (uint16_t)product;
    return true;
}

/* The digits behind the point of a time in seconds, as microseconds: "5" is half a second. */
static const char *read_fraction(const char *at, uint64_t *micros) {
    unsigned digits = 0;
    *micros = 0;
    for (; isdigit((unsigned char)*at); at++, digits++)
        if (digits < 6)
            *micros = *micros * 10 + (uint64_t)(*at - '0');
    for (unsigned i = digits; i < 6; i++)
        *micros *= 10;
    return digits > 0 && (*at == ' ' || *at == '\t') ? at : NULL;
}

static bool read_report(text_reader *reader, const char *at) {
    uint8_t bytes[RECORDING_REPORT];
    uint64_t seconds, micros = 0;
    size_t size;
    at = read_number(at, 10, UINT32_MAX, &seconds);
    if (!at || *at != '.' || !(at = read_fraction(at + 1, &micros)) ||
        !read_bytes(at, bytes, sizeof bytes, &size))
        return fail(reader, "a report line is \"E: \" with seconds.microseconds, the length, and "
                            "so many bytes in hexadecimal");
    if (device_at(reader, reader->device)->descriptor_size == 0)
        return fail(reader, "a report before its device's report descriptor (a line with R:)");
    uint64_t time_us = seconds * 1000000 + micros;
    if (time_us < reader->last_us)
        return fail(reader, "this report is earlier than the one before it");
    reader->last_us = time_us;
    return recording_add_report(reader->recording, time_us, (unsigned)reader->device, bytes, size);
}

static bool read_line(text_reader *reader, const char *line) {
    if (line[0] == 0 || line[0] == '#')
        return true;
    recorded_device *device = NULL;
    if (strchr("DNPIRE", line[0]) && line[1] == ':' && line[0] != 'D')
        device = device_at(reader, reader->device);
    const char *rest = skip_space(line + (line[1] ? 2 : 1));
    if (line[1] != ':')
        return fail(reader, "this is neither a pcap nor a HID recording: a line begins with one of "
                            "D: N: P: I: R: E: or #");
    switch (line[0]) {
    case 'D':
        return read_device(reader, rest);
    case 'N':
        snprintf(device->name, sizeof device->name, "%.127s", rest);
        return true;
    case 'P':
        return true;
    case 'I':
        return read_ids(reader, device, rest);
    case 'R':
        if (!read_bytes(rest, device->descriptor, sizeof device->descriptor,
                        &device->descriptor_size) ||
            device->descriptor_size == 0)
            return fail(reader, "a descriptor line is \"R: \" with the length and so many bytes in "
                                "hexadecimal");
        return true;
    case 'E':
        return read_report(reader, rest);
    default:
        return fail(reader, "a line begins with one of D: N: P: I: R: E: or #");
    }
}

bool recording_parse_text(recording *recording, const char *name, const char *text, size_t size) {
    text_reader reader = {.recording = recording, .name = name};
    char *line = malloc(size + 1);
    bool good = line != NULL;
    for (size_t at = 0; good && at < size;) {
        const char *end = memchr(text + at, '\n', size - at);
        size_t length = end ? (size_t)(end - text) - at : size - at;
        memcpy(line, text + at, length);
        at += length + 1;
        if (length > 0 && line[length - 1] == '\r')
            length--;
        line[length] = 0;
        reader.line++;
        good = memchr(line, 0, length) ? fail(&reader, "this is neither a pcap nor a HID recording")
                                       : read_line(&reader, line);
    }
    free(line);
    for (size_t i = 0; good && i < recording->device_count; i++)
        if (recording->devices[i].descriptor_size == 0)
            good =
                recording_fail(recording, "%s: device %zu has no report descriptor (R:)", name, i);
    return good;
}

static void write_bytes(FILE *file, const uint8_t *bytes, size_t size) {
    fprintf(file, " %zu", size);
    for (size_t i = 0; i < size; i++)
        fprintf(file, " %02x", bytes[i]);
    fputc('\n', file);
}

void recording_write_device(FILE *file, unsigned number, const char *name, uint16_t bus,
                            uint16_t vendor, uint16_t product, const uint8_t *descriptor,
                            size_t size) {
    fprintf(file, "D: %u\nN: ", number);
    plain_print(file, name, strlen(name));
    fprintf(file, "\nI: %x %04x %04x\nR:", bus, vendor, product);
    write_bytes(file, descriptor, size);
}

void recording_write_report(FILE *file, uint64_t time_us, const uint8_t *bytes, size_t size) {
    fprintf(file, "E: %06" PRIu64 ".%06" PRIu64, time_us / 1000000, time_us % 1000000);
    write_bytes(file, bytes, size);
}
