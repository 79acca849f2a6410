/* Report descriptors of made-up devices: of several collections, with usages that come again and
 * again, in lists and by bits, absolute and relative. */
#ifndef YONDER_TESTS_MADE_DEVICE_H
#define YONDER_TESTS_MADE_DEVICE_H

#include "tests/harness.h"

/* A report descriptor as it grows. */
typedef struct growing {
    uint8_t bytes[3000];
    size_t size;
} growing;

/* Another one. */
void make_device(growing *growing, dice *dice);

#endif
