/* A Bluetooth LE device that this machine is to a host: one connector of an engine, by HID over
 * GATT (ports/linux/att.h) on one of the machine's Bluetooth controllers, which it takes for itself
 * by the kernel's management interface. It needs CAP_NET_ADMIN, and that no Bluetooth service
 * answers at the same controller.
 *
 * One host at a time; others find it again when that one has left. A host is bonded by "just works"
 * (Core Specification 5.0, vol 3, part H, 2.3.5.1), and only while somebody lets it: as long as
 * none is bonded, and for a while after radio_let_in. A bond belongs to a layout
 * (yt_engine_layout), each of which has an address of its own: hosts take it for another device. */
#ifndef YONDER_LINUX_RADIO_H
#define YONDER_LINUX_RADIO_H

#include <poll.h>

#include "ports/linux/bond.h"

#define RADIO_POLLED    3
#define RADIO_LET_IN_US 60000000 /* so long may a host be bonded after radio_let_in */

#define RADIO_ADDRESS 18 /* bytes of an address as text */

typedef struct radio {
    yt_engine *engine;
    const yt_usb_identity *identity;
    unsigned connector;
    unsigned index;           /* of the controller: hci0 is 0 */
    bool has_classic;         /* it can do classic Bluetooth, too, which is turned off */
    bool is_on;               /* it is powered */
    uint8_t address[6];       /* that it is on air with, the lowest byte first */
    int control, listening;   /* -1: not there */
    int host;                 /* its channel; -1: there is none */
    uint8_t host_address[7];  /* with its type */
    bool is_let_in;           /* it may use the adapter once the link is encrypted */
    uint8_t waiting[ATT_MTU]; /* a notification for which the channel had no room yet */
    size_t waiting_bytes;
    att att;
    radio_bond
        bonds[RADIO_BONDS]; /* the oldest first; the caller fills them before radio_plug_in */
    bool has_new_bonds;     /* to be kept: the caller's to look at, and to set to false */
    bool is_on_air;
    bool is_gone;           /* the controller was unplugged, */
    bool is_back;           /* and is there again */
    uint64_t find_at_us;    /* when hosts are invited again, which failed; YT_NEVER */
    uint64_t leave_at_us;   /* its host, where it is not bonded until then */
    uint64_t open_until_us; /* a host may be bonded */
    int battery;            /* percent; -1: nobody tells */
    void *context;          /* fill these three after radio_open */
    bool (*relay)(void *context, unsigned connector, unsigned number, yt_hid_direction direction,
                  uint8_t id, const uint8_t *bytes, size_t size); /* as gadget.h says */
    void (*say)(void *context, bool is_bad, const char *text);
    char error[200];
} radio;

/* An address as people write it. */
void radio_address(const uint8_t address[6], char text[RADIO_ADDRESS]);

/* Takes the controller hci`index`. `identity` must stay. False: `error` says why. */
bool radio_open(radio *radio, yt_engine *engine, const yt_usb_identity *identity,
                unsigned connector, unsigned index, int battery);

/* Is on air as the device that the engine's program is. False: `error` says why. */
bool radio_plug_in(radio *radio);

/* Its host sees it leave, and nobody finds it any more. */
void radio_pull_out(radio *radio);
void radio_close(radio *radio);

/* What to wait for, up to RADIO_POLLED; gives how many. */
unsigned radio_wait_for(const radio *radio, struct pollfd *polled);

/* Lets hosts in, and answers the one that is there. */
void radio_serve(radio *radio, uint64_t now_us);

/* Somebody who may has asked for it: one more host can be bonded for a while. */
void radio_let_in(radio *radio, uint64_t now_us);

/* The answer of the device that a read was handed on to, without an ID; NULL: it gave none. */
void radio_answer(radio *radio, const uint8_t *bytes, size_t size);

void radio_tell_battery(radio *radio, int percent);

/* Hands over what is new. */
void radio_send(radio *radio, uint64_t now_us);

#endif
