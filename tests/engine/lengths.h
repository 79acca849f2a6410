/* Calls that give bytes, for tests that only look at how many there are: 0 where there are none. */
#ifndef YONDER_TESTS_LENGTHS_H
#define YONDER_TESTS_LENGTHS_H

#include "yonder/board.h"
#include "yonder/engine.h"

static inline size_t next_report(yt_engine *engine, unsigned interface, uint8_t *bytes,
                                 size_t room) {
    size_t length;
    return yt_interface_report(engine, interface, bytes, room, &length) == YT_OK ? length : 0;
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
