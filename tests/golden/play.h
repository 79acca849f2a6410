/* A session that is the same on every machine and for every engine: what devices send, what hosts
 * ask for, what comes and goes, all from one seed. What hosts and devices get of it is one
 * checksum.
 *
 * Freestanding, so that an image plays it too. It updates at times of its own and asks at fixed
 * polls, so nothing hangs on when an engine says that it is due. */
#ifndef YONDER_TESTS_PLAY_H
#define YONDER_TESTS_PLAY_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/engine.h"

typedef struct played {
    uint32_t checksum; /* of each report that was given, with its time and its interface */
    uint32_t reports;  /* so many were given */
    uint32_t status;   /* yt_status: where it is not 0 the session was not played to its end */
} played;

/* Told of each report that is given; NULL: nobody asks. `to_host`: of an interface, else of a
 * device. */
typedef void play_sink(void *context, uint64_t time_us, bool to_host, unsigned number,
                       const uint8_t *bytes, size_t size);

/* Plays a program in `size` bytes of memory. */
played play(const void *image, size_t image_size, void *memory, size_t size, uint32_t seed,
            play_sink *sink, void *context);

#endif
