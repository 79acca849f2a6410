/* Classic Bluetooth: the HID profile's messages, as bytes in and bytes out.
 *
 * Follows "Bluetooth Human Interface Device Profile" 1.1.1, section 3.1. The firmware's stack opens
 * the two L2CAP channels (control and interrupt) and hands what comes to these calls. A connector
 * is one device; the program has one interface for it: one with several, which a profile did not
 * mark with `over: bluetooth`, is answered with YT_ARGUMENT.
 *
 * A host keeps the report descriptor of the service record with the bond: after a program with
 * other interfaces (yt_engine_layout) the firmware comes back with another address.
 *
 *     yt_bluetooth_answer answered;
 *     if (yt_bluetooth_control(&engine, 1, bytes, size, &answered, now_us) == YT_OK)
 *         send(answered.bytes, answered.length); // on the control channel
 *     uint8_t message[YT_BLUETOOTH_BYTES];
 *     status = yt_bluetooth_message(&engine, 1, message, sizeof message, &length);
 *     if (status == YT_OK && length > 0)
 *         send(message, length); // on the interrupt channel; then yt_bluetooth_sent
 *
 * Called from where the engine's calls are made, not from an interrupt. */
#ifndef YONDER_BLUETOOTH_H
#define YONDER_BLUETOOTH_H

#include "yonder/engine.h"

#ifdef __cplusplus
extern "C" {
#endif

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

/* What came of a message: how many bytes are to be sent back on the control channel (0: none), and
 * what else is to be done. */
typedef struct yt_bluetooth_answer {
    uint8_t bytes[YT_BLUETOOTH_BYTES];
    size_t length;
    yt_bluetooth_event event;
} yt_bluetooth_answer;

/* A message came on the control channel. Wrong messages are answered by a handshake that says why.
 * YT_ARGUMENT: it is empty, or the program has no interface for that connector; nothing is to be
 * answered. */
YT_MUST_USE yt_status yt_bluetooth_control(yt_engine *engine, unsigned connector,
                                           const uint8_t *bytes, size_t size,
                                           yt_bluetooth_answer *answer, uint64_t now_us);

/* A message came on the interrupt channel: a report of the host. Wrong ones are passed over.
 * YT_BLUETOOTH_RELAYED: it is for another device. */
yt_bluetooth_event yt_bluetooth_interrupt(yt_engine *engine, unsigned connector,
                                          const uint8_t *bytes, size_t size, uint64_t now_us);

/* The message that is to be sent on the interrupt channel next, and its length; 0: nothing is new.
 * When it was sent, call yt_bluetooth_sent. YT_ROOM: there is less room than `length` says; nothing
 * was built; YT_BLUETOOTH_BYTES are always enough. YT_ARGUMENT: no such connector. */
YT_MUST_USE yt_status yt_bluetooth_message(yt_engine *engine, unsigned connector, uint8_t *bytes,
                                           size_t room, size_t *length);
void yt_bluetooth_sent(yt_engine *engine, unsigned connector, uint64_t now_us);

#ifdef __cplusplus
}
#endif

#endif
