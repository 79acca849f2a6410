/* The adapter: a slot runs, chosen at plug-in and changed in play.
 *
 * Puts an engine, a store and the settings together, for a firmware with slots that wants what its
 * users expect: what was stored runs at the next plug-in, a control held meanwhile chooses another
 * slot, a chord goes to the next one, and a light tells which is on.
 *
 *     static yt_adapter adapter;
 *     yt_plugged_in plugged_in = {.held = held, .held_count = held_count, .position = -1};
 *     status = yt_adapter_start(&adapter, &parts, &plugged_in, now_us); // parts: yt_adapter_parts
 *     for (;;) {
 *         due_us = yt_engine_update(&engine, now_us);
 *         while (yt_adapter_action(&adapter, now_us, &action))
 *             carry_out(&action);                 // what only the firmware can do
 *         tell_us = yt_adapter_update(&adapter, now_us);
 *         // reports, as without slots
 *         status = yt_adapter_work(&adapter, now_us, 8, false);
 *     }
 *
 * A change of the slot lets go of all that was held: hosts are told in the report that follows, and
 * what is still held reads as up until it is pressed anew. The port is asked to restart only where
 * the interfaces are others. All calls come from one place, the engine's. */
#ifndef YONDER_ADAPTER_H
#define YONDER_ADAPTER_H

#include "yonder/actions.h"
#include "yonder/calibration.h"
#include "yonder/settings.h"
#include "yonder/store.h"

#ifdef __cplusplus
extern "C" {
#endif

#define YT_NO_SLOT         255u     /* the firmware's own program, or none */
#define YT_ADAPTER_KEPT    12u      /* parameters of a slot, at most */
#define YT_ADAPTER_KEEP_US 1000000u /* so long after the last change what is to be kept is kept */

/* A calibration in use, with its record. The caller's memory. */
typedef struct yt_adapter_calibration {
    yt_calibrated used;
    yt_calibration record;
    bool is_used;
} yt_adapter_calibration;

/* What a firmware gives. Its memory, which must stay; all but the first two may be 0. */
typedef struct yt_adapter_parts {
    yt_engine *engine; /* begun (yt_engine_init); nothing needs to be loaded */
    yt_store *store;   /* opened */
    /* Room for the settings: YT_SETTINGS_BYTES are always enough, 256 for eight slots. Where they
     * do not fit, all count as usual. */
    uint8_t *settings;
    size_t settings_room;
    /* Room for calibrations: each device that arrives takes those that are kept of it. */
    yt_adapter_calibration *calibrations;
    unsigned calibration_count;
    /* Runs where a slot cannot; must stay in memory. */
    const void *own_program;
    size_t own_bytes;
    /* Where the flash is not mapped: programs are copied here, aligned for uint32_t. */
    void *copy;
    size_t copy_room;
    void *context;
    /* Another program was loaded: attach all devices that are there (yt_adapter_attach). */
    void (*attach)(void *context);
    /* The light that tells which slot runs: a colour (red times 65,536, green times 256, and blue)
     * and how bright it is, in percent; 0 percent: dark, in the middle of pulses. NULL: there is
     * none, and the motors of all devices tell the slot's number by as many short pulses. */
    void (*light)(void *context, unsigned slot, uint32_t colour, unsigned percent);
} yt_adapter_parts;

/* The caller's memory; not to be touched. */
typedef struct yt_adapter {
    const yt_adapter_parts *parts;
    yt_pin pins[2]; /* of what runs, and of what is about to */
    size_t settings_bytes;
    uint64_t now_us;      /* when it was loaded */
    uint64_t keep_at_us;  /* YT_NEVER: nothing is to be kept */
    uint64_t pulse_at_us; /* of the next half of a pulse */
    uint32_t checksum;    /* of the program that runs in a slot */
    uint8_t slot;         /* or YT_NO_SLOT */
    uint8_t pin;          /* of what runs */
    uint8_t pulses;       /* halves that are left, */
    uint8_t pulse_ways;   /* and by what they are told: YT_PULSE_… */
    uint32_t pulse_us;    /* how long a half is */
    bool keeps;           /* parameters were changed, and are not kept yet */
    bool is_unlocked;
    uint8_t lock;                /* of the settings, as they were read: yt_lock, */
    bool is_event, may_activate; /* and two more that are asked for often */
    uint8_t kept_bytes;
    uint8_t kept[YT_STORE_KEPT]; /* parameters that were changed on the adapter */
} yt_adapter;

/* Reads the settings, chooses the slot (yt_settings_start), and loads it. YT_OK: it runs. Else the
 * firmware's own program does, where there is one, and the status says why: those of
 * yt_store_find and yt_engine_load. YT_MEMORY: there is no room to copy it to. YT_REFUSED: it is
 * able to do what the settings refuse. Once for each yt_store_open: what runs is pinned there. */
YT_MUST_USE yt_status yt_adapter_start(yt_adapter *adapter, const yt_adapter_parts *parts,
                                       const yt_plugged_in *plugged_in, uint64_t now_us);

/* A device arrived, or is attached anew after a load: as yt_engine_attach, with the calibrations
 * that are kept of it. `last` is the last report that it sent, with its ID in front where it uses
 * them; NULL: it has sent none yet. What that says is held is up until it is pressed anew. */
YT_MUST_USE yt_status yt_adapter_attach(yt_adapter *adapter, const yt_device *device,
                                        const uint8_t *last, size_t size, unsigned *number);

/* Other calibrations are kept: a device that is attached takes those of it. */
void yt_adapter_calibrate(yt_adapter *adapter, const yt_device *device, unsigned number);

/* A device left: as yt_engine_detach. */
void yt_adapter_detach(yt_adapter *adapter, unsigned number, uint64_t now_us);

/* The slot that runs, from 0 on, or YT_NO_SLOT. */
unsigned yt_adapter_slot(const yt_adapter *adapter);

/* Goes to a slot; nothing happens where it runs already. Any status but YT_OK, those of
 * yt_adapter_start, leaves what runs; where programs are copied it may be loaded anew. What is to
 * be kept of the slot before is kept first, which may take an erase. */
YT_MUST_USE yt_status yt_adapter_go(yt_adapter *adapter, unsigned slot, uint64_t now_us);

/* Goes to the next slot that can run, or to the one before; behind the last comes the first.
 * YT_SLOT_EMPTY: there is no other. Else the status of the last one that was tried, as of
 * yt_adapter_go. */
YT_MUST_USE yt_status yt_adapter_go_on(yt_adapter *adapter, bool forward, uint64_t now_us);

/* The slot switch was turned: goes to the slot that the settings give to the position, if they give
 * one. */
YT_MUST_USE yt_status yt_adapter_turn(yt_adapter *adapter, unsigned position, uint64_t now_us);

/* Carries out what the program asked, of slots, of letting go and of locking; the first of the rest
 * is given to the firmware, which carries it out and may answer with yt_adapter_pulse. False:
 * nothing is left. */
bool yt_adapter_action(yt_adapter *adapter, uint64_t now_us, yt_action *action);

/* Tells a person something by so many short pulses of the light or, where there is none, of all
 * motors (yt_action_pulses). */
void yt_adapter_pulse(yt_adapter *adapter, unsigned pulses, uint64_t now_us);

/* Tells a number in the same way, by pulses that are slow enough to be counted, up to 16: by the
 * light, or by all motors, or both. */
#define YT_PULSE_LIGHT    1u
#define YT_PULSE_MOTORS   2u
#define YT_PULSE_COUNT_US 250000u
void yt_adapter_count(yt_adapter *adapter, unsigned number, unsigned ways, uint64_t now_us);

/* Goes on with pulses. Returns when it is to be called next, YT_NEVER: whenever. */
uint64_t yt_adapter_update(yt_adapter *adapter, uint64_t now_us);

/* Sets a parameter of the program that runs, as yt_engine_set_parameter. Where the settings say so
 * it is kept with its slot, and is set again each time that the slot is loaded, until another
 * program is written into it. YT_ROOM: it is set, but 12 others are kept already. */
YT_MUST_USE yt_status yt_adapter_set_parameter(yt_adapter *adapter, unsigned parameter,
                                               yt_q16 value, uint64_t now_us);

/* The parameters that the slot keeps from now on are these and no others, with the values that they
 * have now, each by its number; kept at once. YT_ROOM: there are more than 12. YT_ARGUMENT: the
 * program has no such parameter. YT_SLOT: no slot runs, or another program was written into it.
 * YT_REFUSED: the settings say that it keeps none. The others as yt_store_keep. */
YT_MUST_USE yt_status yt_adapter_keep(yt_adapter *adapter, const uint8_t *parameters,
                                      unsigned count);

/* The parameter that the slot keeps at place `at` from 0 on, by its number, and the value that it
 * has when the slot is loaded; false after the last. */
bool yt_adapter_kept(const yt_adapter *adapter, unsigned at, uint8_t *parameter, yt_q16 *value);

/* Keeps what is to be kept, where that needs no erase or `may_erase`; else as yt_store_work. */
YT_MUST_USE yt_status yt_adapter_work(yt_adapter *adapter, uint64_t now_us, unsigned units,
                                      bool may_erase);

/* The settings in the store are others: they count from now on, and the light shows it. A program
 * that runs and is refused now goes on until another one is loaded. */
void yt_adapter_read_settings(yt_adapter *adapter);

/* A setting, as yt_settings_number. How often hosts are to ask (YT_SETTING_POLL) the firmware asks
 * for, for its descriptors; slots, lights, motors, locks, refusals and what is kept are obeyed
 * here. */
uint32_t yt_adapter_setting(const yt_adapter *adapter, yt_setting setting, unsigned index);

/* The adapter's name, as yt_settings_text: what hosts are to call it (yt_usb_identity). */
void yt_adapter_name(const yt_adapter *adapter, char text[YT_SETTINGS_TEXT + 1]);

/* Sets and keeps a setting, which counts from now on: a number, as yt_settings_set, or a text, as
 * yt_settings_set_text. The statuses of those and of yt_store_set; then all is as it was. */
YT_MUST_USE yt_status yt_adapter_set(yt_adapter *adapter, yt_setting setting, unsigned index,
                                     uint32_t number);
YT_MUST_USE yt_status yt_adapter_set_text(yt_adapter *adapter, yt_setting setting,
                                          const char *text);

/* The same of a number, but it is not kept: it counts until the settings are read again
 * (yt_adapter_read_settings) or one is set, or is kept with all others that were tried. */
YT_MUST_USE yt_status yt_adapter_try(yt_adapter *adapter, yt_setting setting, unsigned index,
                                     uint32_t number);
YT_MUST_USE yt_status yt_adapter_keep_settings(yt_adapter *adapter);

/* Factory reset: all settings are as usual. Slots and calibrations stay; yt_store_format takes
 * those too. The statuses of yt_store_set. */
YT_MUST_USE yt_status yt_adapter_reset_settings(yt_adapter *adapter);

/* An event's lock ends: somebody held the control that the firmware has for it for 5 seconds while
 * it was plugged in. The statuses of yt_store_set. */
YT_MUST_USE yt_status yt_adapter_end_event(yt_adapter *adapter);

/* Hosts may change what is kept, or may not, as if somebody had pressed what is there for it; where
 * the settings have it so (YT_LOCK_PRESS). */
void yt_adapter_unlock(yt_adapter *adapter, bool is_unlocked);

/* Whether hosts may change nothing that is kept: ask before doing what one wants. */
bool yt_adapter_is_locked(const yt_adapter *adapter);

/* The controls that a report says are held, as yt_plugged_in wants them: those of the fields that
 * are switches. Gives how many there are, up to `room`; `report` has its ID in front where the
 * device uses them. 0 where the report descriptor is broken. */
unsigned yt_held_controls(const uint8_t *descriptor, size_t descriptor_size, const uint8_t *report,
                          size_t size, uint32_t *held, unsigned room);

#ifdef __cplusplus
}
#endif

#endif
