/* An inline adapter on this machine: real devices in, an engine, and outputs that real hosts see.
 * One loop, in which no report waits for a device, and nothing is allocated for one. */
#ifndef YONDER_LINUX_SERVING_H
#define YONDER_LINUX_SERVING_H

#include "ports/linux/devices.h"
#include "ports/linux/gadget.h"
#include "ports/linux/radio.h"
#include "ports/linux/relay.h"
#include "ports/linux/uhid.h"
#include "ports/sim/linked.h"

#define SERVING_CONNECTORS   4
#define SERVING_CALIBRATIONS 16
#define SERVING_MEMORY       262144 /* of the engine, in bytes */
#define SERVING_POLLED       (DEVICES_POLLED + 2 * SERVING_CONNECTORS + YT_INTERFACES + 1 + RADIO_POLLED)

typedef enum serving_outputs {
    SERVING_GADGETS, /* USB devices to other hosts */
    SERVING_HERE     /* devices of this machine itself */
} serving_outputs;

typedef struct serving_parts {
    yt_store *store; /* opened */
    yt_usb_identity identity;
    serving_outputs outputs;
    const char *gadget; /* connector n is the gadget of this name with n behind it, */
    const char *folder; /* whose FunctionFS is mounted in this folder below its name */
    int controller;     /* of Bluetooth, for a connector that goes over it: hci0 is 0; -1: none */
    const radio_bond *bonds; /* the hosts that it was bonded with: RADIO_BONDS of them */
    bool may_grab;
    bool is_linked; /* the host at connector 1 can configure it, by an interface of its own */
    void *context;
    /* They are others: to be kept. */
    void (*keep_bonds)(void *context, const radio_bond *bonds);
    /* Something to log, as a line; `is_bad`: somebody should look. */
    void (*say)(void *context, bool is_bad, const char *text);
} serving_parts;

typedef struct serving {
    serving_parts parts;
    yt_engine engine;
    yt_port port;
    uint64_t memory[SERVING_MEMORY / 8];
    yt_adapter adapter;
    yt_adapter_parts adapter_parts;
    yt_adapter_calibration calibrations[SERVING_CALIBRATIONS];
    uint8_t settings[YT_SETTINGS_BYTES];
    linux_devices devices;
    gadget gadgets[SERVING_CONNECTORS];
    unsigned gadget_count;
    radio radio;
    bool has_radio;
    uint64_t battery_us; /* when it is looked at next */
    uhid_output outputs[YT_INTERFACES];
    unsigned output_count;
    relay relay;
    int told_error; /* of it: an errno */
    bool is_begun;
    uint32_t layout; /* of the program whose outputs the hosts see */
    bool wakes[SERVING_CONNECTORS + 1];
    sim_link linked;
    yt_usb_feature feature; /* by which a host configures it */
    unsigned told_slot;
    uint32_t told_actions; /* kinds that were asked for and that nothing here does */
    bool told_awake[SERVING_CONNECTORS];
} serving;

/* Begins with the slot that the settings choose. False: it was said. */
bool serving_begin(serving *serving, const serving_parts *parts, uint64_t now_us);

/* Lets go of all that is held: hosts are told, devices are given back. */
void serving_end(serving *serving, uint64_t now_us);

/* Somebody has pressed a button, or what stands for it: a host that waits may change something, and
 * one more may be bonded. */
void serving_press(serving *serving, uint64_t now_us);

/* What to wait for, up to SERVING_POLLED; gives how many. */
unsigned serving_wait_for(const serving *serving, struct pollfd *polled);

/* All that there is to do now. Returns when it is to be called next at the latest. False in `good`:
 * it cannot go on, which was said. */
uint64_t serving_turn(serving *serving, uint64_t now_us, bool *good);

#endif
