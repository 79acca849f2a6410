/* Reads a recording of either kind from a file. */
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "ports/sim/recording.h"

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

bool recording_parse(recording *recording, const char *name, const uint8_t *bytes, size_t size) {
    memset(recording, 0, sizeof *recording);
    bool good = is_pcap(bytes, size)
                    ? recording_parse_pcap(recording, name, bytes, size)
                    : recording_parse_text(recording, name, (const char *)bytes, size);
    if (good && recording->device_count == 0)
        good = recording_fail(recording, "%s: no HID device is in this recording", name);
    if (!good)
        recording_free(recording);
    return good;
}

uint8_t *recording_read_file(recording *recording, const char *path, size_t *size) {
    FILE *file = fopen(path, "rb");
    uint8_t *bytes = NULL;
    size_t room = 0;
    *size = 0;
    if (!file) {
        recording_fail(recording, "%s: %s", path, strerror(errno));
        return NULL;
    }
    while (!feof(file) && !ferror(file) && *size <= RECORDING_BYTES) {
        bytes = recording_grow(bytes, *size + 65536, &room, 1);
        *size += fread(bytes + *size, 1, 65536, file);
    }
    bool failed = ferror(file);
    fclose(file);
    if (!failed && *size <= RECORDING_BYTES)
        return bytes;
    recording_fail(recording, "%s: %s", path, failed ? "cannot be read" : "is too long");
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
