/* An output on this machine itself: an interface of an engine as a HID device of the kernel's, by
 * uhid (Documentation/hid/uhid.rst). The kernel takes each report at once. */
#ifndef YONDER_LINUX_UHID_H
#define YONDER_LINUX_UHID_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/usb.h"

typedef struct uhid_output {
    yt_engine *engine;
    unsigned interface; /* the program's number of it */
    int file;           /* -1: there is none */
    bool is_there;      /* the kernel has made the device */
} uhid_output;

/* Makes the device; its name and numbers are the identity's. Returns 0 or the negated errno. */
int uhid_open(uhid_output *output, yt_engine *engine, const yt_usb_identity *identity,
              unsigned connector, unsigned index);
void uhid_close(uhid_output *output);

/* Takes what the kernel says, and answers it. False: the device is gone. */
bool uhid_serve(uhid_output *output, uint64_t now_us);

/* Hands over what is new. */
void uhid_send(uhid_output *output, uint64_t now_us);

#endif
