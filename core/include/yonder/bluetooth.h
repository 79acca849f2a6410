/* Classic Bluetooth: the HID profile's messages, as bytes in and bytes out.
 *
 * Follows "Bluetooth Human Interface Device Profile" 1.1.1, section 3.1. The firmware's stack opens
 * the two L2CAP channels (control and interrupt) and hands what comes to these calls. A connector
 * is one device; the program has one interface for it.
 *
 * A host keeps the report descriptor of the service record with the bond: after a program with
 * other interfaces (yt_engine_layout) the firmware comes back with another address. */
#ifndef YONDER_BLUETOOTH_H
#define YONDER_BLUETOOTH_H

#include "yonder/engine.h"

/* A report, its ID and the head of its message. */
#define YT_BLUETOOTH_BYTES (YT_REPORT_BYTES + 2)

/* What a message asks of the firmware, beside an answer. */
typedef enum yt_bluetooth_event {
    YT_BLUETOOTH_NOTHING,
    YT_BLUETOOTH_SUSPEND, /* the host sleeps; the engine was told */
    YT_BLUETOOTH_RESUME,  /* it is awake again; the engine was told */
    YT_BLUETOOTH_UNPLUG,  /* the host forgets this device: drop the bond, close both channels */
    YT_BLUETOOTH_RELAYED  /* another device answers (yt_interface_relay); nothing was answered */
} yt_bluetooth_event;

/* A message came on the control channel. What to answer there is written into `answer`, of
 * YT_BLUETOOTH_BYTES; returns its length, 0: nothing. Wrong messages are answered by a handshake
 * that says why. */
size_t yt_bluetooth_control(yt_engine *engine, unsigned connector, const uint8_t *bytes,
                            size_t size, uint8_t *answer, yt_bluetooth_event *event,
                            uint64_t now_us);

/* A message came on the interrupt channel: a report of the host. Wrong ones are passed over.
 * YT_BLUETOOTH_RELAYED: it is for another device. */
yt_bluetooth_event yt_bluetooth_interrupt(yt_engine *engine, unsigned connector,
                                          const uint8_t *bytes, size_t size, uint64_t now_us);

/* The message that is to be sent on the interrupt channel next, in `bytes` of YT_BLUETOOTH_BYTES.
 * Returns its length, or 0; when it was sent, call yt_bluetooth_sent. */
size_t yt_bluetooth_message(yt_engine *engine, unsigned connector, uint8_t *bytes);
void yt_bluetooth_sent(yt_engine *engine, unsigned connector, uint64_t now_us);

#endif
