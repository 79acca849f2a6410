/* What the files of the checker share. */
#ifndef YONDER_PROGRAM_CHECK_H
#define YONDER_PROGRAM_CHECK_H

#include <stdbool.h>

#include "yonder/hid.h"
#include "yonder/image/program.h"

/* Whether a value of type `have` may stand where the letter `want` is; `own` is the node's type. */
bool yt_type_fits(char want, uint8_t own, uint8_t have);

/* The type of the node of a control of a kind (yt_kind). */
uint8_t yt_type_of_kind(unsigned kind);

static inline bool yt_text_holds(const yt_program *program, unsigned offset, unsigned bytes) {
    return offset + bytes <= program->header->text_bytes;
}

/* Interfaces, their reports, the outputs' names. */
yt_status yt_check_interfaces(const yt_program *program);

/* Roots; the nodes are checked before. */
yt_status yt_check_roots(const yt_program *program);

#endif
