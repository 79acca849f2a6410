/* An adapter as a USB device that a real host takes over a network: the server's side of USB/IP
 * (Documentation/usb/usbip_protocol.rst), bytes in and bytes out. Each control request is answered
 * by yonder/usb.h; interrupt transfers wait until there is a report.
 *
 *     usbip_begin(&device, &engine, &identity, 1);
 *     used = usbip_take(&device, bytes, size, now_us);    // bytes of the visitor
 *     usbip_work(&device, now_us);                        // reports that transfers wait for
 *     size = usbip_give(&device, bytes, sizeof bytes);    // bytes for the visitor
 *
 * Whatever comes, nothing is read or written outside, what is kept has a bound, and a visitor that
 * does not keep to the protocol is told nothing more (`is_wrong`). */
#ifndef YONDER_LINUX_USBIP_H
#define YONDER_LINUX_USBIP_H

#include <stdbool.h>

#include "yonder/usb.h"

#define USBIP_PORT       3240
#define USBIP_BUS_ID     "1-1"
#define USBIP_HEAD       48   /* bytes of each message once the device is imported */
#define USBIP_DATA       1024 /* of a request to the device; reports are shorter */
#define USBIP_ROOM       8192 /* of what is to be said */
#define USBIP_WAITING    16   /* transfers that wait for a report */
#define USBIP_DESCRIPTOR 4096 /* the longest answer */

/* A transfer that waits. */
typedef struct usbip_waiting {
    uint32_t number; /* as the visitor numbered it */
    uint32_t length; /* that it has room for */
    uint8_t interface;
} usbip_waiting;

typedef struct usbip {
    yt_engine *engine;
    const yt_usb_identity *identity;
    unsigned connector;
    bool is_imported;   /* the visitor has the device */
    bool is_configured; /* and has chosen its configuration */
    bool is_wrong;      /* it does not keep to the protocol */
    uint8_t coming[USBIP_HEAD + USBIP_DATA];
    size_t came;
    uint8_t going[USBIP_ROOM];
    size_t going_bytes;
    usbip_waiting waiting[USBIP_WAITING]; /* in the order in which they came */
    unsigned waiting_count;
    uint64_t next_us[YT_INTERFACES]; /* of each interface: when its next report may go */
} usbip;

/* Begins with a visitor. The engine's program must have something for the connector. */
void usbip_begin(usbip *device, yt_engine *engine, const yt_usb_identity *identity,
                 unsigned connector);

/* The visitor has gone: the device is unplugged from its host. */
void usbip_end(usbip *device);

/* Takes bytes that came; gives how many, fewer where there is no room for answers. */
size_t usbip_take(usbip *device, const uint8_t *bytes, size_t size, uint64_t now_us);

/* Ends transfers that wait for a report, where there is one. Returns when it is to be called next
 * at the latest, YT_NEVER: when something changes. */
uint64_t usbip_work(usbip *device, uint64_t now_us);

/* Bytes that are to be said; gives how many. */
size_t usbip_give(usbip *device, uint8_t *bytes, size_t room);

#endif
