/* Where the tables of a program stand, and its checksum. */
#include "image/layout.h"

/* The structures lie over the image, so their layout is the format (docs/program-format.md). */
_Static_assert(sizeof(yt_program_header) == 64, "header");
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

/* Four bits at a time: a table of 64 bytes in place of one of 1 KiB. */
uint32_t yt_checksum(uint32_t checksum, const void *bytes, size_t size) {
    static const uint32_t table[16] = {0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac,
                                       0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
                                       0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c,
                                       0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c};
    const uint8_t *at = bytes;
    uint32_t crc = ~checksum;
    while (size--) {
        crc ^= *at++;
        crc = crc >> 4 ^ table[crc & 15];
        crc = crc >> 4 ^ table[crc & 15];
    }
    return ~crc;
}

/* The table at `*at`; the next one begins behind its `bytes`, at a multiple of four. Of a table
 * that does not lie within the image no pointer is formed: the lengths will not match. */
static const void *next_table(const yt_program_header *header, size_t *at, size_t bytes) {
    size_t begin = *at;
    *at += (bytes + 3) & ~(size_t)3;
    return *at <= header->total_bytes ? (const uint8_t *)header + begin : NULL;
}

size_t yt_program_lay_out(yt_program *program, const yt_program_header *header) {
    size_t at = sizeof *header;
#define TABLE(field, count)                                                                        \
    program->field = next_table(header, &at, (count) * sizeof *program->field)
    program->header = header;
    TABLE(inputs, header->input_count);
    TABLE(controls, header->control_count);
    TABLE(targets, header->target_count);
    TABLE(places, header->place_count);
    TABLE(ranges, header->range_count);
    TABLE(constants, header->constant_count);
    TABLE(parameters, header->parameter_count);
    TABLE(steps, header->step_count);
    TABLE(code, header->instruction_count);
    TABLE(types, header->value_count);
    size_t changing = header->value_count >= header->constant_count
                          ? (size_t)header->value_count - header->constant_count
                          : 0;
    TABLE(users, changing);
    TABLE(marks, header->mark_count);
    TABLE(wires, header->wire_count);
    TABLE(timers, header->timer_count);
    TABLE(interfaces, header->interface_count);
    TABLE(reports, header->report_count);
    TABLE(outputs, header->output_count);
    TABLE(roots, header->root_count);
    TABLE(pins, header->pin_count);
    TABLE(relays, header->relay_count);
    TABLE(text, header->text_bytes);
    TABLE(blob, header->blob_bytes);
#undef TABLE
    return at;
}
