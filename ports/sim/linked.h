/* An adapter on this machine that hosts can talk to, be it a simulated one: what a firmware gives
 * to the link. */
#ifndef YONDER_SIM_LINKED_H
#define YONDER_SIM_LINKED_H

#include <nettle/sha2.h>

#include "ports/sim/simulation.h"
#include "yonder/link.h"

#define SIM_BUILD        "yonder sim"
#define SIM_BUILD_NUMBER 1

typedef struct sim_link {
    yt_link link;
    yt_link_parts parts;
    uint32_t record[(YT_SETTINGS_BYTES + 3) / 4];
    yt_link_calibration calibrating;
    struct sha256_ctx digest;
    void *owner; /* of the devices */
    const yt_device *(*device)(void *owner, unsigned number);
    const uint64_t *reports_in;
    unsigned press_number; /* of the session that waits for a press; 0: none does */
    bool is_held;          /* what is pressed on it */
    bool restarts, to_bootloader;
    yt_status last_error;
    uint32_t worst_us; /* of what was measured of updates */
} sim_link;

/* Begins for an adapter that was started, with what it calls itself; all must stay. */
void sim_link_begin_for(sim_link *linked, yt_adapter *adapter, const char *build, void *owner,
                        const yt_device *(*device)(void *owner, unsigned number),
                        const uint64_t *reports_in);

/* Begins with a simulation that has slots; both must stay. Its adapter serves the link from now
 * on, in simulation_go_on. */
void sim_link_begin(sim_link *linked, simulation *simulation);

/* Somebody presses what the adapter has for it, and lets go. */
void sim_link_press(sim_link *linked, uint64_t now_us);

#endif
