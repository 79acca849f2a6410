/* A Bluetooth LE device as its host asks of it: the server's side of the Attribute Protocol (Core
 * Specification 5.0, vol 3, part F), bytes in and bytes out. Its services: HID, whose reads and
 * writes yonder/gatt.h answers, what every device has (GAP, GATT), device information, and battery
 * where the port tells how full it is (HID over GATT Profile 1.0, section 3).
 *
 *     att_begin(&att, &engine, &identity, 1);
 *     size = att_request(&att, bytes, size, answer, sizeof answer, now_us); // 0: no answer
 *     size = att_notification(&att, bytes, sizeof bytes, now_us);           // 0: nothing is new
 *     send(bytes, size); // then att_sent
 *
 * What needs a bond is refused until the caller says that the link is encrypted. Values are written
 * whole: there are no prepared writes, as no report is longer than the MTU may be. */
#ifndef YONDER_LINUX_ATT_H
#define YONDER_LINUX_ATT_H

#include "yonder/gatt.h"
#include "yonder/usb.h"

#define ATT_MTU     247 /* bytes of a message, at most; 23 until the host asks for more */
#define ATT_ENTRIES (24 + 4 * YT_GATT_ATTRIBUTES)

/* An attribute; its handle is its place in the list, counted from 1. */
typedef struct att_entry {
    uint16_t type;  /* a UUID */
    uint16_t value; /* of a declaration: the service's or the characteristic's UUID */
    uint8_t properties;
    uint8_t index; /* of the HID service's attributes, for yonder/gatt.h */
    bool is_hid;   /* all of it needs an encrypted link */
} att_entry;

/* What the host is to be told of again when it comes back with its bond. */
typedef struct att_choices {
    uint32_t listened; /* yt_gatt */
    bool to_battery;
} att_choices;

typedef struct att {
    yt_gatt gatt;
    const yt_usb_identity *identity;
    att_entry entries[ATT_ENTRIES];
    unsigned count;
    uint16_t mtu;
    bool is_encrypted; /* the caller's to say */
    int battery;       /* in percent; -1: nobody tells */
    bool listens_to_battery, has_new_battery, is_battery_sent;
    uint16_t asked;  /* the handle of a read that another device answers; 0: there is none */
    size_t asked_at; /* from which byte on */
    bool asked_blob;
    void *context;
    /* Hands a report on to the device that answers it, as gadget.h says. NULL: nobody does. */
    bool (*relay)(void *context, unsigned connector, unsigned number, yt_hid_direction direction,
                  uint8_t id, const uint8_t *bytes, size_t size);
} att;

/* A host without a bond comes. `identity` must stay; `battery` is in percent, -1: there is none to
 * tell of. `context` and `relay` are kept. */
void att_begin(att *att, yt_engine *engine, const yt_usb_identity *identity, unsigned connector,
               int battery);

/* What the host listens to, to be kept with its bond and given back with it. */
att_choices att_kept(const att *att);
void att_give_back(att *att, att_choices choices);

/* What came from the host: the answer, and how long it is; 0: there is none. `answer` has room for
 * ATT_MTU bytes. */
size_t att_request(att *att, const uint8_t *bytes, size_t size, uint8_t *answer, uint64_t now_us);

/* The answer of the device that a read was handed on to, without an ID; NULL: it gave none. */
size_t att_relayed(att *att, const uint8_t *bytes, size_t size, uint8_t *answer);

/* The battery is otherwise full. */
void att_tell_battery(att *att, int percent);

/* The next notification: up to ATT_MTU bytes. 0: nothing is new that the host listens to, or the
 * last one was not sent yet (att_sent). */
size_t att_notification(att *att, uint8_t *bytes, uint64_t now_us);
void att_sent(att *att, uint64_t now_us);

/* The appearance that a host shows (Assigned Numbers, 2.6): keyboard, mouse, gamepad or another HID
 * device. */
uint16_t att_appearance(const yt_gatt *gatt);

#endif
