/* The port: what a firmware gives to the core. Functions take the port's `context` pointer first.
 *
 *     static const yt_port crane_port = {.version = YT_PORT_VERSION, .queue_bytes = 256};
 *     yt_engine_init(&engine, memory, sizeof memory, &crane_port); */
#ifndef YONDER_PORT_H
#define YONDER_PORT_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_PORT_VERSION 4u

/* Flash as the store sees it: `sectors` sectors from offset 0 on, none of them used by others.
 * All three functions block, are called from where the store's calls are made, never from an
 * interrupt, and return 0 or, where it failed, anything else. */
typedef struct yt_flash {
    /* Copies bytes out. Must. May fail where the flash cannot be read (an error that ECC found). */
    int (*read)(void *context, uint32_t offset, void *bytes, size_t size);
    /* Programs whole units at a multiple of the unit. Must. Each was erased before. */
    int (*program)(void *context, uint32_t offset, const void *bytes, size_t size);
    /* Sets a sector to the erased value. Must. */
    int (*erase)(void *context, uint32_t sector);
    /* Where the flash stands in memory, so that programs run in place; NULL: it does not. */
    const void *mapped;
    uint32_t sector_bytes;
    uint32_t sectors;
    uint32_t unit_bytes;  /* the smallest piece that can be programmed: 1 to 32, a power of two */
    uint8_t erased_value; /* of each byte: 0xff or 0x00 */
} yt_flash;

/* What the core asks of a firmware: facts, and calls that it makes. The firmware's memory, which
 * must stay. All but the version may be 0. */
typedef struct yt_port {
    void *context;
    uint32_t version; /* YT_PORT_VERSION */
    yt_flash flash;   /* all 0 where there is no store */
    /* Room for reports that came and were not yet looked at; 0 means 512 bytes. A report takes its
     * length and 12 to 15 bytes. */
    uint32_t queue_bytes;
    /* How long motion waits that does not fit into a report, and how long the host may leave a
     * report before motion is dropped; 0 means 250,000 microseconds, and what is above 2^30 (18
     * minutes) counts as that. */
    uint32_t motion_wait_us;
    /* What programs may not be able to do here, YT_CAN_… (yonder/abilities.h); yt_engine_load says
     * YT_REFUSED of one that is. */
    uint32_t refuses;
    /* Something changed while the host at a connector sleeps: wake it if it allows that. Called
     * once for each sleep. Must not block or call the engine. NULL: the port cannot. */
    void (*wake)(void *context, unsigned connector);
    /* The program that was just loaded has other interfaces than the one before it: leave the host
     * and come back as another device (yt_engine_layout tells them apart). Called from
     * yt_engine_load; must not call the engine. NULL: the firmware looks at yt_engine_layout. */
    void (*restart)(void *context, uint32_t layout);
} yt_port;

#ifdef __cplusplus
}
#endif

#endif
