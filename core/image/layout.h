/* Where the tables of a program stand, and how their entries are read.
 *
 * Nothing reads a table by itself: an entry is asked for by its index, and one that does not lie
 * within the image is 64 bytes of 0 instead. The check (image/check.c) sees to it that no such
 * index is in a program; should it forget one, that stops here. */
#ifndef YONDER_IMAGE_LAYOUT_H
#define YONDER_IMAGE_LAYOUT_H

#include "yonder/image/program.h"

/* Each table in its order: the function that reads an entry, what it is, its name, its length. */
#define YT_TABLES(TABLE)                                                                           \
    TABLE(yt_input_at, yt_program_input, inputs, header->input_count)                              \
    TABLE(yt_control_at, yt_program_control, controls, header->control_count)                      \
    TABLE(yt_target_at, yt_program_control, targets, header->target_count)                         \
    TABLE(yt_place_at, yt_program_place, places, header->place_count)                              \
    TABLE(yt_range_at, yt_program_range, ranges, header->range_count)                              \
    TABLE(yt_constant_at, yt_q16, constants, header->constant_count)                               \
    TABLE(yt_parameter_at, yt_program_parameter, parameters, header->parameter_count)              \
    TABLE(yt_step_at, yt_program_step, steps, header->step_count)                                  \
    TABLE(yt_code_at, yt_instruction, code, header->instruction_count)                             \
    TABLE(yt_type_at, uint8_t, types, header->value_count)                                         \
    TABLE(yt_users_at, yt_program_users, users, yt_changing_values(header))                        \
    TABLE(yt_mark_at, yt_program_mark, marks, header->mark_count)                                  \
    TABLE(yt_wire_at, yt_program_wire, wires, header->wire_count)                                  \
    TABLE(yt_timer_at, uint16_t, timers, header->timer_count)                                      \
    TABLE(yt_interface_at, yt_program_interface, interfaces, header->interface_count)              \
    TABLE(yt_report_at, yt_program_report, reports, header->report_count)                          \
    TABLE(yt_output_at, yt_program_output, outputs, header->output_count)                          \
    TABLE(yt_root_at, yt_program_root, roots, header->root_count)                                  \
    TABLE(yt_pin_at, yt_program_pin, pins, header->pin_count)                                      \
    TABLE(yt_relay_at, yt_program_relay, relays, header->relay_count)                              \
    TABLE(yt_filled_at, yt_program_filled, filled, header->filled_count)                           \
    TABLE(yt_fill_at, yt_program_fill, fills, header->fill_count)                                  \
    TABLE(yt_letter_at, char, text, header->text_bytes)                                            \
    TABLE(yt_byte_at, uint8_t, blob, header->blob_bytes)

/* Values that are no constants: those have users. */
static inline size_t yt_changing_values(const yt_program_header *header) {
    return header->value_count >= header->constant_count
               ? (size_t)header->value_count - header->constant_count
               : 0;
}

/* Lays the tables over the image, one behind the other; returns where they end. */
size_t yt_program_lay_out(yt_program *program, const yt_program_header *header);

/* yt_checksum over the bytes from `from` up to `end`. */
uint32_t yt_checksum_between(uint32_t checksum, const uint8_t *bytes, size_t from, size_t end);

/* The entry of `bytes` bytes (1 to 64) at `index` of a table, or 64 bytes of 0. */
const void *yt_program_entry(const yt_program *program, const void *table, size_t index,
                             size_t bytes);

#define YT_READER(name, type, table, count)                                                        \
    static inline const type *name(const yt_program *program, size_t index) {                      \
        return (const type *)yt_program_entry(program, program->table, index, sizeof(type));       \
    }
YT_TABLES(YT_READER)
#undef YT_READER

#endif
