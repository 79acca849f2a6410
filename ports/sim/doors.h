/* The doors of a simulated adapter: sockets and a pseudo-terminal by which other programs talk to
 * it, each as a real adapter's host would.
 *
 *   tty      a pseudo-terminal's name, as a link: a stream of bytes, like a serial port
 *   stream   a socket of a stream of bytes
 *   report   a socket of packets: one of 64 bytes is a SET_REPORT of the link's feature report, its
 * ID in front; one of that ID alone a GET_REPORT, which is answered with one of 64 service  a
 * socket of packets: each is the value that a host writes by Bluetooth LE, or that it is told by a
 * notification */
#ifndef YONDER_SIM_DOORS_H
#define YONDER_SIM_DOORS_H

#include <poll.h>

#include "ports/sim/linked.h"
#include "yonder/link_ways.h"

#define DOORS         4 /* kinds of them */
#define DOOR_VISITORS 8 /* at each, at a time */
#define DOORS_POLLED  (DOORS * (DOOR_VISITORS + 1))
#define DOOR_WAITING  4096
#define DOORS_PATH    100

typedef struct door_visitor {
    int file;                      /* -1: there is none */
    yt_link_stream stream;         /* of bytes */
    uint8_t waiting[DOOR_WAITING]; /* that came, and were not looked at */
    size_t waiting_bytes;
} door_visitor;

typedef struct door {
    int listening; /* -1: a terminal */
    int other_end; /* of the terminal, so that it stays when nobody has it open */
    char path[DOORS_PATH + 16];
    yt_link_way way;
    bool is_packets;
    door_visitor visitors[DOOR_VISITORS];
    int last; /* who said something last; -1: nobody did */
} door;

typedef struct doors {
    door door[DOORS];
    char error[200];
} doors;

/* Opens them in a folder, which is made where it is not there. False: `error` says why. */
bool doors_open(doors *doors, const char *folder);
void doors_close(doors *doors);

/* What is to be waited for, up to DOORS_POLLED; gives how many. */
unsigned doors_wait_for(const doors *doors, struct pollfd *polled);

/* Takes what came, and gives what is to be said. True: there is more to do at once. */
bool doors_serve(doors *doors, sim_link *linked);

#endif
