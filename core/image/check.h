/* What the files of the checker share. */
#ifndef YONDER_IMAGE_CHECK_H
#define YONDER_IMAGE_CHECK_H

#include <stdbool.h>

#include "image/layout.h"
#include "yonder/abilities.h"
#include "yonder/hid.h"
#include "yonder/image/check.h"

/* Checks one entry of a table; those before it are checked. */
typedef yt_status yt_check_entry(yt_checking *checking, unsigned i);

yt_check_entry yt_check_interface, yt_check_output, yt_check_report_roots, yt_check_target_root;
yt_check_entry yt_check_value, yt_check_users, yt_check_step, yt_check_wires;

/* The header and the lengths only: for a program that was checked before. */
yt_status yt_program_open(yt_program *program, const void *image, size_t size);

/* What a program is able to do; all of it was looked at. */
uint16_t yt_checking_abilities(const yt_checking *checking);

/* Whether a value of a type may stand where the letter `want` (code.def) is: s, n, p or e. */
bool yt_type_fits(char want, uint8_t have);

/* The type of a control of a kind (yt_kind). */
uint8_t yt_type_of_kind(unsigned kind);

static inline bool yt_text_holds(const yt_program *program, unsigned offset, unsigned bytes) {
    return offset + bytes <= program->header->text_bytes;
}

#endif
