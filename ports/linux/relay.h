/* Reports to devices, and reports that other devices are to answer (yt_interface_relay), asked of
 * them in a thread of its own: a device may take its time, and the engine's loop does not wait.
 * They are carried out in their order. */
#ifndef YONDER_LINUX_RELAY_H
#define YONDER_LINUX_RELAY_H

#include <pthread.h>
#include <stdatomic.h>
#include <stdbool.h>
#include <stdint.h>

#include "ports/linux/hidraw.h"

#define RELAY_WAITING 32 /* reports that wait, or whose answers do */

typedef struct relay_asked {
    int file; /* of hidraw: a descriptor of the relay's own, which it closes */
    yt_hid_direction direction;
    bool to_host;   /* GET_REPORT, else SET_REPORT */
    bool has_id;    /* of the device's report: it stands in front; of GET_REPORT, a 0 where not */
    unsigned asker; /* whatever the caller knows it by */
    uint8_t bytes[RECORDING_REPORT + 1];
    size_t size; /* of what is to be sent, or that is wanted; then of the answer */
    int error;   /* an errno, then */
} relay_asked;

typedef struct relay {
    pthread_t thread;
    bool has_thread;
    atomic_bool leaves;
    int wanted, answered; /* eventfds */
    relay_asked asked[RELAY_WAITING];
    unsigned begin;   /* what the loop has heard of, */
    atomic_uint done; /* what the thread has done, */
    atomic_uint end;  /* and what the loop has asked */
} relay;

/* Returns 0 or an errno. */
int relay_begin(relay *relay);

/* What was asked before is still carried out. */
void relay_end(relay *relay);

/* Whether one more can be asked. */
bool relay_has_room(const relay *relay);

/* Asks of the device behind a hidraw node, which may be closed afterwards. False: there is no room;
 * nothing is asked. */
bool relay_ask(relay *relay, int file, const relay_asked *asked);

/* The next that is done, until another is asked; `relay->answered` can be waited for. NULL: none
 * is.
 */
const relay_asked *relay_answer(relay *relay);

#endif
