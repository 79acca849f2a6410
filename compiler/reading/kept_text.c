#include "compiler/reading/kept_text.h"

#include <string.h>

#include "yonder/image/program.h"
#include "yonder/rebind.h"

static const char magic[4] = {'Y', 'T', 'T', '1'};

#define HEAD 16 /* magic, bytes of all, CRC-32 of what follows, how many files */

static uint32_t get32(const uint8_t *at) {
    return at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 | (uint32_t)at[3] << 24;
}

static uint8_t *put32(uint8_t *at, uint32_t number) {
    for (int i = 0; i < 4; i++)
        at[i] = (uint8_t)(number >> (8 * i));
    return at + 4;
}

/* The name of a source without the profile's folder. */
static const char *own_name(const yt_messages *messages, unsigned source) {
    const char *profile = messages->sources[0].file, *slash = strrchr(profile, '/');
    const char *name = messages->sources[source].file;
    size_t folder = slash ? (size_t)(slash - profile) + 1 : 0;
    return strncmp(name, profile, folder) == 0 ? name + folder : name;
}

uint8_t *kept_text_make(yt_pool *pool, const yt_messages *messages, size_t *size) {
    *size = HEAD;
    for (unsigned i = 0; i < messages->source_count; i++)
        *size += 8 + strlen(own_name(messages, i)) + messages->sources[i].bytes;
    uint8_t *bytes = pool_take(pool, *size), *at = bytes + HEAD;
    for (unsigned i = 0; i < messages->source_count; i++) {
        const char *name = own_name(messages, i);
        const yt_source *source = &messages->sources[i];
        at = put32(at, (uint32_t)strlen(name));
        at = put32(at, (uint32_t)source->bytes);
        memcpy(at, name, strlen(name));
        memcpy(at + strlen(name), source->text, source->bytes);
        at += strlen(name) + source->bytes;
    }
    memcpy(bytes, magic, sizeof magic);
    put32(bytes + 4, (uint32_t)*size);
    put32(bytes + 12, messages->source_count);
    put32(bytes + 8, yt_checksum(0, bytes + 12, *size - 12));
    return bytes;
}

size_t program_whole_bytes(const uint8_t *program, size_t size) {
    size_t bytes = size >= 12 ? get32(program + 8) : 0, begin = (bytes + 3) & ~(size_t)3;
    if (bytes == 0 || begin > size || size - begin < sizeof(yt_bindings_header) ||
        get32(program + begin) != YT_BINDINGS_MAGIC || get32(program + begin + 4) > size - begin)
        return bytes;
    return begin + get32(program + begin + 4);
}

int kept_text_read(const uint8_t *program, size_t size, yt_kept_file files[KEPT_FILES]) {
    size_t program_bytes = program_whole_bytes(program, size);
    if (program_bytes == 0 || program_bytes > size || size - program_bytes < HEAD ||
        memcmp(program + program_bytes, magic, sizeof magic) != 0)
        return 0;
    const uint8_t *bytes = program + program_bytes, *at = bytes + HEAD;
    uint32_t all = get32(bytes + 4), count = get32(bytes + 12);
    if (all < HEAD || all > size - program_bytes || count == 0 || count > KEPT_FILES ||
        yt_checksum(0, bytes + 12, all - 12) != get32(bytes + 8))
        return -1;
    for (uint32_t i = 0; i < count; i++) {
        size_t left = (size_t)(bytes + all - at);
        if (left < 8)
            return -1;
        uint32_t name = get32(at), text = get32(at + 4);
        if (name > left - 8 || text > left - 8 - name)
            return -1;
        files[i] = (yt_kept_file){(const char *)at + 8, name, (const char *)at + 8 + name, text};
        at += 8 + (size_t)name + text;
    }
    return at == bytes + all ? (int)count : -1;
}
