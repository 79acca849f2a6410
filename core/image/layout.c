/* Where the tables of a program stand, and its checksum. */
#include "image/layout.h"

/* The structures lie over the image, so their layout is the format (docs/program-format.md). */
_Static_assert(sizeof(yt_program_header) == 72, "header");
_Static_assert(sizeof(yt_program_input) == 32, "input");
_Static_assert(sizeof(yt_program_control) == 18, "control");
_Static_assert(sizeof(yt_program_place) == 8, "place");
_Static_assert(sizeof(yt_program_range) == 16, "range");
_Static_assert(sizeof(yt_program_parameter) == 20, "parameter");
_Static_assert(sizeof(yt_program_step) == 12, "step");
_Static_assert(sizeof(yt_instruction) == 4, "instruction");
_Static_assert(sizeof(yt_program_users) == 8, "users");
_Static_assert(sizeof(yt_program_mark) == 8, "mark");
_Static_assert(sizeof(yt_program_wire) == 8, "wire");
_Static_assert(sizeof(yt_program_interface) == 12, "interface");
_Static_assert(sizeof(yt_program_report) == 12, "report");
_Static_assert(sizeof(yt_program_output) == 4, "output");
_Static_assert(sizeof(yt_program_root) == 16, "root");
_Static_assert(sizeof(yt_program_pin) == 12, "pin");
_Static_assert(sizeof(yt_program_relay) == 8, "relay");
_Static_assert(sizeof(yt_program_filled) == 12, "filled");
_Static_assert(sizeof(yt_program_fill) == 28, "fill");

/* Each pointer of yt_program is a table of the list. */
#define ONE(name, type, table, count) +1
_Static_assert(sizeof(yt_program) == (1 YT_TABLES(ONE)) * sizeof(void *), "tables");
#undef ONE

/* Four bits at a time: a table of 64 bytes in place of one of 1 KiB. */
uint32_t yt_checksum_between(uint32_t checksum, const uint8_t *bytes, size_t from, size_t end) {
    static const uint32_t table[16] = {0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac,
                                       0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
                                       0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c,
                                       0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c};
    uint32_t crc = ~checksum;
    for (size_t i = from; i < end; i++) {
        crc ^= bytes[i];
        crc = crc >> 4 ^ table[crc & 15];
        crc = crc >> 4 ^ table[crc & 15];
    }
    return ~crc;
}

uint32_t yt_checksum(uint32_t checksum, const void *bytes, size_t size) {
    return yt_checksum_between(checksum, (const uint8_t *)bytes, 0, size);
}

/* The table at `*at`; the next one begins behind its `bytes`, at a multiple of four. One that does
 * not begin within the image begins where the image does: no pointer outside is formed, and the
 * lengths will not match. */
static const void *next_table(const yt_program_header *header, size_t *at, size_t bytes) {
    size_t begin = *at <= header->total_bytes ? *at : 0;
    *at += (bytes + 3) & ~(size_t)3;
    return (const uint8_t *)header + begin;
}

size_t yt_program_lay_out(yt_program *program, const yt_program_header *header) {
    size_t at = sizeof *header;
    program->header = header;
#define LAY(name, type, table, count)                                                              \
    program->table = (const type *)next_table(header, &at, (count) * sizeof(type));
    YT_TABLES(LAY)
#undef LAY
    return at;
}

const void *yt_program_entry(const yt_program *program, const void *table, size_t index,
                             size_t bytes) {
    static const uint32_t nothing[16] = {0};
    const uint8_t *image = (const uint8_t *)program->header;
    size_t at = (size_t)((const uint8_t *)table - image) + index * bytes;
    if (at <= program->header->total_bytes - bytes)
        return &image[at];
#ifdef YT_TRAP_MISSING_ENTRIES /* for tests: the check should have found it */
    __builtin_trap();
#endif
    return nothing;
}
