/* Calls that give bytes, for tests that only look at how many there are: 0 where there are none. */
#ifndef YONDER_TESTS_LENGTHS_H
#define YONDER_TESTS_LENGTHS_H

#include <stdio.h>

#include "yonder/board.h"
#include "yonder/engine.h"

static inline size_t next_report(yt_engine *engine, unsigned interface, uint8_t *bytes,
                                 size_t room) {
    size_t length;
    return yt_interface_report(engine, interface, bytes, room, &length) == YT_OK ? length : 0;
}

/* The next report as text, "01 ff"; the host takes it. */
static inline const char *taken_report(yt_engine *engine, unsigned interface, uint64_t now_us) {
    static char text[3 * (YT_REPORT_BYTES + 2)];
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t size = next_report(engine, interface, bytes, sizeof bytes);
    text[0] = 0;
    for (size_t i = 0; i < size; i++)
        sprintf(text + 3 * i, "%02x ", bytes[i]);
    if (size > 0) {
        text[3 * size - 1] = 0;
        yt_interface_taken(engine, interface, now_us);
    }
    return text;
}

static inline size_t state_of(const yt_engine *engine, unsigned interface,
                              yt_hid_direction direction, uint8_t id, uint8_t *bytes, size_t room) {
    size_t length;
    return yt_interface_state(engine, interface, direction, id, bytes, room, &length) == YT_OK
               ? length
               : 0;
}

static inline size_t device_output(yt_engine *engine, unsigned number, uint8_t *bytes, size_t room,
                                   yt_hid_direction *direction) {
    yt_device_output output;
    if (yt_device_report(engine, number, bytes, room, &output) != YT_OK || output.length == 0)
        return 0;
    *direction = output.direction;
    return output.length;
}

static inline size_t board_report(yt_board *board, uint8_t *bytes, size_t room) {
    size_t length;
    return yt_board_report(board, bytes, room, &length) == YT_OK ? length : 0;
}

#endif
