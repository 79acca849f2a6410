/* The real devices of this machine as an adapter's: those that fit an input of what runs are
 * attached as they come, and let go as they leave (hidraw; Documentation/hid/hidraw.rst). */
#ifndef YONDER_LINUX_DEVICES_H
#define YONDER_LINUX_DEVICES_H

#include <poll.h>

#include "ports/linux/grab.h"
#include "ports/linux/hidraw.h"
#include "ports/linux/relay.h"
#include "yonder/adapter.h"

#define DEVICES_SEEN   32 /* hidraw nodes that are known, whether they fit or not */
#define DEVICES_POLLED (DEVICES_SEEN + 1)
#define HIDRAW_KEPT    63 /* reports that the kernel keeps for a reader that sleeps */

typedef struct linux_device {
    char path[64];
    int file;     /* -1: it is not open */
    bool is_left; /* it fits no input of what runs: it is left as it is, and closed */
    recorded_device device;
    char serial[64];
    yt_device attached; /* as the engine was told */
    yt_status status;   /* of attaching it */
    unsigned number;    /* of the engine, where it is attached */
    bool is_attached;
    grab grab;
    uint64_t grab_at_us;   /* when it is tried again; YT_NEVER: it has all, or none is wanted */
    uint64_t grab_wait_us; /* so long after the last time */
    uint8_t last[RECORDING_REPORT];
    size_t last_size;   /* 0: it has sent none */
    unsigned suspected; /* how often some of its reports may have been lost */
    uint64_t seen_us;   /* when it was seen first */
    int error;          /* an errno: why it cannot be opened; told once */
} linux_device;

/* What happens to a device, for those who log it. */
typedef enum linux_event {
    LINUX_ARRIVED,    /* it is attached */
    LINUX_FITS_NOT,   /* it could not be attached: `status` says why */
    LINUX_UNREADABLE, /* `error` says why */
    LINUX_LEFT,
    LINUX_GRABBED,
    LINUX_LOSES /* so many reports waited that some may be lost: told the first time */
} linux_event;

typedef struct linux_devices {
    yt_adapter *adapter;
    yt_engine *engine;
    linux_device list[DEVICES_SEEN];
    int watch;           /* inotify: nodes that come, change their rights, and go */
    bool looks;          /* there may be others than before */
    uint64_t look_at_us; /* when it looks anyway; YT_NEVER: it need not */
    bool may_grab;
    const char *own_serial; /* begins that of what this adapter is itself; it is no input */
    uint16_t own_vendor;
    char
        own_address[20]; /* or what it is over Bluetooth, in hexadecimal with colons; "": nothing */
    uint64_t reports;    /* that came */
    void *context;
    void (*tell)(void *context, const linux_device *device, linux_event event); /* may be NULL */
    void (*reported)(void *context, const linux_device *device, const uint8_t *bytes, size_t size,
                     uint64_t now_us); /* may be NULL */
} linux_devices;

/* Begins to watch; fill `adapter` and what stands below `looks` before. False: errno says why. */
bool devices_begin(linux_devices *devices);

/* Lets go of all, and closes them. */
void devices_end(linux_devices *devices, uint64_t now_us);

/* What to wait for; gives how many, up to DEVICES_POLLED. */
unsigned devices_wait_for(const linux_devices *devices, struct pollfd *polled);

/* Takes those that came, lets go of those that left, and gives the engine what they sent. Returns
 * when it is to be called next, YT_NEVER: when something comes. */
uint64_t devices_serve(linux_devices *devices, uint64_t now_us);

/* Another program runs: all that are there are attached anew, as far as they fit. */
void devices_attach_all(linux_devices *devices);

/* Asks devices to take what the sheet drives of their lights and motors; `asker` is 0. */
void devices_drive(linux_devices *devices, relay *relay);

/* The node of a device that is attached, to ask it for a report; -1: there is none of that number.
 */
int devices_file(const linux_devices *devices, unsigned number);

/* As it was told to the engine; NULL: there is none of that number. */
const yt_device *devices_attached(const linux_devices *devices, unsigned number);

#endif
