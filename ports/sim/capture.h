/* Writes what goes over a simulated USB cable as a capture, as Linux' usbmon would have it (pcap,
 * link type USB_LINUX_MMAPPED): each connector is a device with an address of its own, which is
 * enumerated first; then come the reports. ports/sim/pcap.c reads it back. */
#ifndef YONDER_SIM_CAPTURE_H
#define YONDER_SIM_CAPTURE_H

#include <stdio.h>

#include "yonder/usb.h"

typedef struct capture capture;

/* Of a program, which must stay. NULL: there is no memory. */
capture *capture_begin(const yt_program *program);

/* A device is enumerated: its descriptors as the transport gives them, its strings, its reports'
 * descriptors. False: the transport refuses one of them, or it is a device over Bluetooth. */
bool capture_device(capture *capture, yt_engine *engine, const yt_usb_identity *identity,
                    unsigned connector);

/* The host takes a report of an interface, or sends one to it (SET_REPORT). Reports of what was not
 * enumerated are left out. */
void capture_taken(capture *capture, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                   size_t size);
void capture_sent(capture *capture, unsigned interface, uint64_t time_us,
                  yt_hid_direction direction, const uint8_t *bytes, size_t size);

/* All that was captured goes to a file; frees it. False: it could not be written. */
bool capture_end(capture *capture, FILE *file);

#endif
