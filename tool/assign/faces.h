/* How the screens are shown and worked. */
#ifndef YONDER_TOOL_ASSIGN_FACES_H
#define YONDER_TOOL_ASSIGN_FACES_H

#include "tool/assign/assign.h"

typedef struct face_options {
    const char *keys; /* "down=n choose=space"; NULL: the usual ones */
    uint64_t scan_us; /* it goes on to the next row by itself after so long; 0: it does not */
} face_options;

/* Line by line, on standard input and output, until somebody leaves or nothing comes any more. */
void assign_plainly(assign *assign);

/* A full screen. False: it cannot be drawn, said on standard error. */
bool assign_on_screen(assign *assign, const face_options *options);

/* Whether keys are written as they should be, and go to all rows; where it `scans`, that needs
 * none. Else `wrong` says what is not. */
bool face_keys_good(const char *keys, bool scans, char *wrong, size_t size);

#endif
