/* The way to an adapter: a serial port, a hidraw node, or a door of a simulated one. Frames of the
 * link, there and back. */
#ifndef YONDER_TOOL_WAY_H
#define YONDER_TOOL_WAY_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/message.h"

typedef enum way_kind { WAY_STREAM, WAY_HIDRAW, WAY_REPORT, WAY_SERVICE } way_kind;

typedef struct way {
    way_kind kind;
    int file; /* -1: closed */
    yt_frame coming;
    uint8_t came[256]; /* of a stream, and not looked at */
    unsigned came_bytes, came_at;
    char path[128];
} way;

/* Opens a path: a character device, a socket, or a folder of doors, whose `stream` is taken. False:
 * `why` says why. */
bool way_open(way *way, const char *path, const char **why);
void way_close(way *way);

/* Whether a path is a hidraw node of an adapter that speaks the link. */
bool way_is_adapter(const char *path);

/* Sends a message. False: nobody is there any more. */
bool way_say(way *way, const uint8_t *bytes, size_t size);

/* Waits up to `wait_ms` for a message of the other side, of up to YT_MESSAGE_BYTES; gives its size,
 * 0 where none came, below 0 where nobody is there any more. */
int way_hear(way *way, uint8_t *bytes, unsigned wait_ms);

/* Milliseconds of a clock that only goes forward. */
uint64_t way_clock_ms(void);

#endif
