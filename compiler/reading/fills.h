/* What fills a field of a report by itself, as profiles and descriptions say it: constants,
 * counters, checksums. docs/descriptions.md has the form. */
#ifndef YONDER_COMPILER_READING_FILLS_H
#define YONDER_COMPILER_READING_FILLS_H

#include "compiler/reading/keys.h"
#include "yonder/engine.h"

#define FILLS_MOST 32 /* of a report, or of an output */

/* A fill, and the report that it is in, where its map says so. */
typedef struct yt_read_fill {
    yt_program_fill fill;
    const yt_part *map;
    unsigned report_id; /* 0: not said */
} yt_read_fill;

/* A report that a device is sent. */
typedef struct yt_read_send {
    const yt_part *map;
    yt_program_filled filled; /* all but its input and its fills */
    yt_read_fill *fills;
    unsigned fill_count;
} yt_read_send;

/* Whether a map says that a field fills itself. */
bool is_fill(const yt_part *map);

/* Where the map of a fill may say what else. */
#define FILL_HAS_BIT    1u /* it must say where it stands */
#define FILL_HAS_REPORT 2u

/* Reads one. `bit` is where it stands, unless its map is to say so. False: said. */
bool read_fill(yt_messages *messages, const yt_part *map, unsigned has, unsigned bit,
               yt_read_fill *fill);

/* Reads a list of them, in reports that are one another's or not; two may not share a bit. False:
 * said. */
bool read_fills(yt_pool *pool, yt_messages *messages, const yt_part *list, unsigned has,
                yt_read_fill **fills, unsigned *count);

/* Reads `sends:`, a list of what a device is sent. False: said. */
bool read_sends(yt_pool *pool, yt_messages *messages, const yt_part *list, yt_read_send **sends,
                unsigned *count);

#endif
