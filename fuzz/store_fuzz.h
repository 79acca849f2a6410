/* The flash of the fuzz target of the store, which its seeds are images of: a byte behind the image
 * says whether checksums are put right, so that what the records say is tried and not only that
 * they are refused. */
#ifndef YONDER_FUZZ_STORE_FUZZ_H
#define YONDER_FUZZ_STORE_FUZZ_H

#include "ports/sim/nor.h"
#include "yonder/store.h"

#define STORE_SECTORS 18
#define STORE_FACTS                                                                                \
    {                                                                                              \
        .sectors = STORE_SECTORS, .sector_bytes = 1024, .unit_bytes = 4, .erased_value = 0xff,     \
        .is_mapped = true                                                                          \
    }

#endif
