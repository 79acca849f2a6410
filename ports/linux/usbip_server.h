/* A server of USB/IP with one device, for one visitor at a time, on this machine's own network. */
#ifndef YONDER_LINUX_USBIP_SERVER_H
#define YONDER_LINUX_USBIP_SERVER_H

#include <poll.h>

#include "ports/linux/usbip.h"

#define USBIP_POLLED 2

typedef struct usbip_server {
    usbip device;
    int listening; /* -1: it is not there */
    int visitor;   /* -1: there is none */
    uint8_t coming[4096];
    size_t came, taken;
    uint8_t going[4096];
    size_t going_bytes, gone;
    uint32_t layout; /* of what the visitor was told */
} usbip_server;

/* Listens at 127.0.0.1. `identity` must stay. Returns 0 or an errno. */
int usbip_server_begin(usbip_server *server, unsigned port, yt_engine *engine,
                       const yt_usb_identity *identity, unsigned connector);
void usbip_server_end(usbip_server *server);

/* What to wait for; gives how many, up to USBIP_POLLED. */
unsigned usbip_server_wait_for(const usbip_server *server, struct pollfd *polled);

/* Takes what came and says what is to be said; where another program runs, whose interfaces are
 * others, the device is unplugged. Returns when it is to be called next. */
uint64_t usbip_server_serve(usbip_server *server, uint64_t now_us);

#endif
