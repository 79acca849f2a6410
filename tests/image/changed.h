/* Programs that are changed at a place and given to the checker: what the checker's tests share. */
#ifndef YONDER_TESTS_CHANGED_H
#define YONDER_TESTS_CHANGED_H

#include <stddef.h>

#include "compiler/profile/compile.h"
#include "yonder/image/program.h"

/* Where programs are changed. */
extern uint64_t changed_copy[YT_PROGRAM_BYTES / 8];

/* Makes a program's checksum right again. */
void changed_sum(uint8_t *image, size_t size);

/* Where a record of a program stands in it. */
size_t changed_offset(const yt_program *program, const void *place);

/* What the checker says when two bytes at an offset are others. */
void changed_word(const uint8_t *image, size_t size, size_t offset, uint16_t value,
                  yt_status status, const char *what);

/* A profile of one's own, compiled; ends the test where it is wrong. */
void changed_compile(yt_compiled *compiled, const char *name, const char *text);

/* What a record says, changed at several places at once. */
typedef struct change {
    size_t offset, bytes;
    uint32_t value;
} change;

void changed_fields(const yt_compiled *compiled, const void *record, const change *changes,
                    size_t count, yt_status status, const char *what);

#define AT(structure, field) offsetof(structure, field)
#define CHANGES(compiled, record, status, what, ...)                                               \
    changed_fields(compiled, record, (const change[]){__VA_ARGS__},                                \
                   sizeof((const change[]){__VA_ARGS__}) / sizeof(change), status, what)
#define SET(structure, member, value)                                                              \
    { offsetof(structure, member), sizeof(((structure *)0)->member), (uint32_t)(value) }

#endif
