/* Reports that another device is to answer (yt_interface_relay): asked of it in a thread of its
 * own, since a device may take its time, and the engine's loop does not wait. One at a time. */
#ifndef YONDER_LINUX_RELAY_H
#define YONDER_LINUX_RELAY_H

#include <pthread.h>
#include <stdbool.h>
#include <stdint.h>

#include "ports/linux/hidraw.h"

typedef struct relay_asked {
    int file; /* of hidraw: a descriptor of the relay's own (dup), which it closes */
    yt_hid_direction direction;
    bool to_host;   /* GET_REPORT, else SET_REPORT */
    bool has_id;    /* of the device's report */
    unsigned asker; /* whatever the caller knows it by */
    uint8_t bytes[RECORDING_REPORT + 1];
    size_t size; /* of what is to be sent, or that is wanted; then of the answer */
    int error;   /* an errno, then */
} relay_asked;

typedef struct relay {
    pthread_t thread;
    bool has_thread, leaves;
    int wanted, answered; /* eventfds */
    relay_asked asked;
    bool is_busy;
} relay;

/* Returns 0 or an errno. */
int relay_begin(relay *relay);
void relay_end(relay *relay);

/* Asks. False: it is busy; nothing is taken. */
bool relay_ask(relay *relay, const relay_asked *asked);

/* The answer, once it is there; `relay->answered` can be waited for. NULL: not yet. */
const relay_asked *relay_answer(relay *relay);

#endif
