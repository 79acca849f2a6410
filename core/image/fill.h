/* Fields of reports that fill themselves: constants, counters, checksums. */
#ifndef YONDER_IMAGE_FILL_H
#define YONDER_IMAGE_FILL_H

#include <stddef.h>

#include "yonder/image/program.h"

/* Fills the fields of a report that was built `built` times before. `bytes` are behind its ID; what
 * does not fit into them is left out. */
void yt_fill_report(const yt_program *program, const yt_program_filled *filled, uint32_t built,
                    uint8_t *bytes, size_t size);

/* How many bytes the fields need. */
unsigned yt_filled_bytes(const yt_program *program, const yt_program_filled *filled);

/* 1 + the index of what fills itself in a report to the host; 0: nothing does. */
uint8_t yt_filled_report(const yt_program *program, unsigned report);

#endif
