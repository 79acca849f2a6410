/* A USB device that this machine is to a host: one connector of an engine, by the kernel's
 * FunctionFS (Documentation/usb/functionfs.rst) in a gadget of configfs
 * (Documentation/usb/gadget_configfs.rst).
 *
 * The gadget and the mounted FunctionFS are there already (ports/linux/gadget-setup makes them),
 * and may belong to a user without rights. Every request of the host is answered by yonder/usb.h.
 * Reports are handed to the kernel's asynchronous I/O, so nothing here waits. */
#ifndef YONDER_LINUX_GADGET_H
#define YONDER_LINUX_GADGET_H

#include <linux/aio_abi.h>
#include <linux/usb/ch9.h>
#include <poll.h>
#include <stdbool.h>

#include "yonder/usb.h"

#define GADGET_NAME 40
#define GADGET_PATH 160

/* A report on its way to the host. */
typedef struct gadget_sending {
    struct iocb request;
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t size;
    bool is_on_its_way;
} gadget_sending;

typedef struct gadget {
    yt_engine *engine;
    yt_usb_identity identity; /* with the speed of the bus, once a host is there */
    unsigned connector;
    char name[GADGET_NAME];       /* of the gadget in configfs */
    char configured[GADGET_PATH]; /* its folder, */
    char mounted[GADGET_PATH];    /* and FunctionFS' */
    char controller[64];          /* the USB device controller that it is bound to */
    int control;                  /* endpoint 0; -1: the host sees nothing */
    int endpoints[YT_INTERFACES];
    unsigned endpoint_count;
    uint32_t times; /* that it was plugged in, so that what is done late is not taken for new */
    gadget_sending sendings[YT_INTERFACES];
    aio_context_t requests;
    int done; /* an eventfd: a report has gone, or has not */
    bool is_bound, is_enabled, is_asleep;
    struct usb_ctrlrequest relayed; /* that another device is to answer, */
    bool is_relayed;                /* and the host waits for that */
    void *context;                  /* fill these two after gadget_open */
    /* Hands a report on to the device that answers it, by its ID there, which does not stand in
     * `bytes`; of GET_REPORT they are NULL, and gadget_answer is called later. False: it cannot be.
     * NULL: nobody does. */
    bool (*relay)(void *context, unsigned connector, unsigned number, yt_hid_direction direction,
                  uint8_t id, const uint8_t *bytes, size_t size);
    char error[300];
} gadget;

/* A USB device controller that no gadget has, but perhaps the one of that name; false: there is
 * none.
 */
bool gadget_find_controller(const char *gadget, char *controller, size_t size);

/* Looks for the gadget `name` and its FunctionFS in `folder`/name; `identity` must stay. False:
 * `error` says why, and what mends it. */
bool gadget_open(gadget *gadget, yt_engine *engine, const yt_usb_identity *identity,
                 unsigned connector, const char *name, const char *folder);

/* Becomes the device that the engine's program is: descriptors are written, and the gadget is bound
 * to a controller. False: `error` says why. */
bool gadget_plug_in(gadget *gadget);

/* The host sees it leave. */
void gadget_pull_out(gadget *gadget);

void gadget_close(gadget *gadget);

/* What to wait for: two files at most; gives how many. */
unsigned gadget_wait_for(const gadget *gadget, struct pollfd *polled);

/* Answers the host, and takes note of what it has taken. False: endpoint 0 is gone; `error` says
 * why. */
bool gadget_serve(gadget *gadget, uint64_t now_us);

/* The answer of the device that a request was relayed to, without an ID; NULL: it gave none. */
void gadget_answer(gadget *gadget, const uint8_t *bytes, size_t size);

/* Hands over what is new. */
void gadget_send(gadget *gadget);

/* Wakes the host. False: it does not allow that, or this controller cannot. */
bool gadget_wake(gadget *gadget);

#endif
