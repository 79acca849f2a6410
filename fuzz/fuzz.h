/* What the fuzz targets share. */
#ifndef YONDER_FUZZ_FUZZ_H
#define YONDER_FUZZ_FUZZ_H

#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* An invariant of docs/security.md, by its number. */
#define INVARIANT(number, condition)                                                               \
    do {                                                                                           \
        if (!(condition)) {                                                                        \
            fprintf(stderr, "invariant %d broken: %s\n", (number), #condition);                    \
            abort();                                                                               \
        }                                                                                          \
    } while (0)

#endif
