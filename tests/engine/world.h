/* A small world around an engine for tests: a keyboard, a mouse and a tablet that press and move as
 * told, and a host for each interface that polls. Its loop is written apart from the port's. */
#ifndef YONDER_TESTS_WORLD_H
#define YONDER_TESTS_WORLD_H

#include "compiler/profile/compile.h"
#include "ports/sim/host.h"
#include "yonder/engine.h"

enum { WORLD_KEYS, WORLD_BALL, WORLD_SLATE, WORLD_DEVICES };

#define WORLD_LOG 65536

typedef struct world {
    yt_engine engine;
    yt_port port;
    uint64_t memory[8192];
    yt_compiled compiled;
    uint64_t poll_us; /* 0: the host does not poll */
    uint64_t now_us;
    bool plugged[WORLD_DEVICES];
    unsigned numbers[WORLD_DEVICES];
    uint8_t keys[14]; /* a bit a key, usages 4 to 111 */
    uint8_t modifiers;
    uint8_t buttons[2]; /* of ball and slate */
    uint16_t slate[2];
    bool pending[YT_INTERFACES];
    uint8_t report[YT_INTERFACES][YT_REPORT_BYTES + 1];
    size_t report_size[YT_INTERFACES];
    sim_host hosts[YT_INTERFACES];
    uint64_t due_us;
    uint64_t next_poll_us;
    bool lazy; /* updates only when the host polls, and not when something is due */
    unsigned reporting;
    char log[WORLD_LOG]; /* what the hosts saw: "8 south down; 16 x 5; " */
    size_t logged;
    uint64_t reports;
} world;

/* Compiles a sheet ("pad.south: keys.a" and so on, a cell a line) with inputs keys, ball and slate
 * and outputs pad and view; plugs all devices in. Ends the test where the sheet is wrong. */
void world_begin(world *world, const char *sheet, uint64_t poll_us);

/* The same with more of the profile behind the sheet: layers and so on, as YAML. */
void world_begin_with(world *world, const char *sheet, const char *more, uint64_t poll_us);
void world_end(world *world);

/* The same program once more, as when a slot changes: devices stay, what is held is up. */
void world_load(world *world);

/* Lets time go by: updates when something is due, polls, logs what the hosts see. */
void world_run_until(world *world, uint64_t time_us);

/* Each of these is one report, sent at the present moment. Keys and buttons by their names. */
void world_press(world *world, const char *control, bool down);
void world_move(world *world, int x, int y, int wheel);
void world_slate(world *world, uint16_t x, uint16_t y);
void world_send(world *world, unsigned device);

/* Changes what is pressed without sending a report. */
void world_hold(world *world, const char *control, bool down);

void world_plug(world *world, unsigned device);
void world_unplug(world *world, unsigned device);

#endif
