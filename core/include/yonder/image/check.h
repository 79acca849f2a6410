/* Checking a program: at once, or a part at a time while something else goes on.
 *
 *     yt_checking checking;
 *     bool done = false;
 *     status = yt_checking_begin(&checking, program, program_size);
 *     while (status == YT_OK && !done) // a few entries between two reports
 *         status = yt_checking_go_on(&checking, 8, &done); */
#ifndef YONDER_IMAGE_CHECK_PROGRAM_H
#define YONDER_IMAGE_CHECK_PROGRAM_H

#include <stdbool.h>

#include "yonder/image/program.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How far a check has come. The caller's memory. */
typedef struct yt_checking {
    yt_program program;   /* good for use once all is checked */
    uint32_t checksum;    /* of what was summed so far */
    uint32_t table_bytes; /* where the last table ends, by what the header says */
    uint16_t entry;       /* the next one of the table at hand */
    uint16_t code;        /* what the steps before took: instructions… */
    uint16_t value;       /* …values */
    uint16_t state;       /* …words of state */
    uint16_t timer;       /* …timers */
    uint16_t mark;        /* what the values before took of the marks… */
    uint16_t wire;        /* …and of the wires */
    uint16_t report;      /* what the interfaces before took of the reports */
    uint16_t root;        /* what the reports before took of the roots */
    uint8_t table;        /* the table at hand */
    bool has_keys;        /* an output has a key */
    bool reads_others;    /* something that is no key is read */
    uint16_t abilities;   /* of the functions and targets so far */
} yt_checking;

/* Looks at the header. `image` must begin at an address that four divides, and must stay as it is
 * until the check is done. `size` may be larger than the program. Errors: YT_PROGRAM_…. */
YT_MUST_USE yt_status yt_checking_begin(yt_checking *checking, const void *image, size_t size);

/* Checks up to `entries` further entries of its tables: most take some hundred instructions, 64
 * bytes of the checksum are one, a step takes up to some hundred for each of its own (320 at most).
 * `done`: all is checked. After an error it is not to go on.
 *
 *     status = yt_checking_begin(&checking, image, size);
 *     while (status == YT_OK && !done) {
 *         status = yt_checking_go_on(&checking, 8, &done);
 *         run_the_engine();
 *     } */
YT_MUST_USE yt_status yt_checking_go_on(yt_checking *checking, unsigned entries, bool *done);

#ifdef __cplusplus
}
#endif

#endif
