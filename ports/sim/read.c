/* Reads a recording of either kind from a file. */
#include <stdlib.h>
#include <string.h>

#include "compiler/reading/file_read.h"
#include "ports/sim/recording.h"
#include "yonder/hid.h"

static bool is_pcap(const uint8_t *bytes, size_t size) {
    static const uint32_t magics[] = {0xa1b2c3d4, 0xd4c3b2a1, 0xa1b23c4d, 0x4d3cb2a1, 0x0a0d0d0a};
    uint32_t magic;
    if (size < sizeof magic)
        return false;
    memcpy(&magic, bytes, sizeof magic);
    for (size_t i = 0; i < sizeof magics / sizeof magics[0]; i++)
        if (magic == magics[i])
            return true;
    return false;
}

/* The value of a hexadecimal digit; -1: it is none. */
static int digit_of(uint8_t c) {
    const char *digits = "0123456789abcdef";
    const char *at = c ? strchr(digits, c | 0x20) : NULL;
    return at ? (int)(at - digits) : -1;
}

/* A report descriptor written as hexadecimal bytes, with spaces, commas or 0x between them. False:
 * it is something else. */
static bool read_hexadecimal(const uint8_t *bytes, size_t size, uint8_t *descriptor,
                             size_t *length) {
    size_t digits = 0;
    *length = 0;
    for (size_t i = 0; i < size; i++) {
        if (bytes[i] && strchr(" \t\r\n,{};", bytes[i])) {
            if (digits % 2)
                return false;
            continue;
        }
        if (bytes[i] == '0' && i + 1 < size && (bytes[i + 1] | 0x20) == 'x' && digits % 2 == 0) {
            i++;
            continue;
        }
        int digit = digit_of(bytes[i]);
        if (digit < 0 || *length == RECORDING_DESCRIPTOR)
            return false;
        descriptor[*length] = (uint8_t)(digits % 2 ? descriptor[*length] << 4 | digit : digit);
        *length += digits++ % 2;
    }
    return digits > 0 && digits % 2 == 0;
}

/* A report descriptor as it is: its items lead to its end, and it has a field. */
static bool is_descriptor(const uint8_t *bytes, size_t size) {
    yt_hid_reader reader;
    yt_hid_field field;
    yt_status status;
    bool any = false;
    if (size > RECORDING_DESCRIPTOR)
        return false;
    yt_hid_open(&reader, bytes, size);
    while ((status = yt_hid_next(&reader, &field)) == YT_OK)
        any = true;
    return any && status == YT_END;
}

static bool parse_descriptor(recording *recording, const char *name, const uint8_t *bytes,
                             size_t size) {
    uint8_t descriptor[RECORDING_DESCRIPTOR];
    size_t length = 0;
    if (read_hexadecimal(bytes, size, descriptor, &length))
        bytes = descriptor;
    else if (is_descriptor(bytes, size))
        length = size;
    else
        return false;
    recorded_device *device = recording_add_device(recording);
    const char *file = strrchr(name, '/');
    snprintf(device->name, sizeof device->name, "%s", file ? file + 1 : name);
    device->descriptor_size = length;
    memcpy(device->descriptor, bytes, length);
    return true;
}

static bool parse_any(recording *recording, const char *name, const uint8_t *bytes, size_t size) {
    if (is_pcap(bytes, size))
        return recording_parse_pcap(recording, name, bytes, size);
    return parse_descriptor(recording, name, bytes, size) ||
           recording_parse_text(recording, name, (const char *)bytes, size);
}

bool recording_parse(recording *recording, const char *name, const uint8_t *bytes, size_t size) {
    memset(recording, 0, sizeof *recording);
    bool good = parse_any(recording, name, bytes, size);
    if (good && recording->device_count == 0)
        good = recording_fail(recording, "%s: no HID device is in this recording", name);
    if (!good)
        recording_free(recording);
    return good;
}

uint8_t *recording_read_file(recording *recording, const char *path, size_t *size) {
    const char *why = "is too long";
    char *bytes = file_read(path, RECORDING_BYTES, size, &why);
    if (bytes && *size <= RECORDING_BYTES)
        return (uint8_t *)bytes;
    recording_fail(recording, "%s: %s", path, why);
    free(bytes);
    return NULL;
}

bool recording_read(recording *recording, const char *path) {
    size_t size;
    memset(recording, 0, sizeof *recording);
    uint8_t *bytes = recording_read_file(recording, path, &size);
    if (!bytes)
        return false;
    bool good = recording_parse(recording, path, bytes, size);
    free(bytes);
    return good;
}
