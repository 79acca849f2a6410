/* A simulated adapter: recorded devices plugged in, a program, and hosts that poll its interfaces.
 */
#ifndef YONDER_SIM_SIMULATION_H
#define YONDER_SIM_SIMULATION_H

#include "ports/sim/host.h"
#include "ports/loop.h"
#include "ports/sim/recording.h"
#include "yonder/actions.h"
#include "yonder/adapter.h"
#include "yonder/link.h"

#define SIM_MEMORY 1048576 /* the engine's memory, in bytes; how much is used is told */

#define SIM_RESTART_US   200000 /* that a host takes to find a device that comes back, made up */
#define SIM_CALIBRATIONS 16

/* A recording that is plugged in as the input of that number, or, with YT_ANY_INPUT, as whatever
 * its devices fit. */
typedef struct sim_plug {
    unsigned input;
    const recording *recording;
} sim_plug;

/* A report that a host sends at some time: lights, rumble. */
typedef struct sim_sent {
    uint64_t time_us;
    unsigned interface;
    yt_hid_direction direction;
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t size;
} sim_sent;

/* Something that changed: of a device, as its reports say, or of an interface, as its host sees it.
 */
typedef struct sim_change {
    uint64_t time_us;
    bool is_output;
    bool is_feedback; /* the other way: a light or a motor, set by the host or by the sheet */
    unsigned number;  /* of the plug, or of the interface */
    const recorded_device *device; /* of a plug: which of its devices */
    host_control control;
} sim_change;

/* A report that a device gets. */
typedef struct sim_given {
    uint64_t time_us;
    unsigned plug;
    uint32_t inputs; /* that the device is taken for, a bit each */
    yt_hid_direction direction;
    bool has_id; /* its first byte is its ID */
    uint8_t bytes[YT_REPORT_BYTES + 1];
    size_t size;
} sim_given;

typedef struct sim_observer {
    void *context;
    void (*change)(void *context, const sim_change *change); /* may be NULL */
    /* A host has taken a report. May be NULL. */
    void (*taken)(void *context, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                  size_t size);
    /* A host sends a report. May be NULL. */
    void (*sent)(void *context, const sim_sent *sent);
    /* The engine has looked at all there was. May be NULL. */
    void (*settled)(void *context);
    /* A device gets a report. May be NULL. */
    void (*given)(void *context, const sim_given *given);
    /* The program asks something of the adapter. May be NULL. */
    void (*asked)(void *context, uint64_t time_us, const yt_action *action);
    /* The light that tells the slot (yt_adapter_parts.light). May be NULL. */
    void (*light)(void *context, uint64_t time_us, unsigned slot, uint32_t colour,
                  unsigned percent);
} sim_observer;

typedef struct sim_attached {
    unsigned plug;
    unsigned recorded; /* the device's number in its recording */
    unsigned engine_number;
    yt_device device; /* as it was attached */
    sim_host view;    /* what its own reports say, for those who look on */
    sim_host lights;  /* what the reports to it say */
} sim_attached;

/* How the hosts ask. */
typedef struct sim_timing {
    uint64_t poll_us;
    uint32_t loss;    /* of a radio: of 1,000 times, so many get lost */
    uint32_t latency; /* of a radio: connection events between two at which the device listens */
    uint64_t
        limit; /* so many reports out, and sixteen times as many updates, then it stops; 0: none */
} sim_timing;

/* An adapter with slots: what runs, the settings and the program say. */
typedef struct sim_slots {
    yt_store *store;         /* opened; must stay */
    const void *own_program; /* NULL: it has none */
    size_t own_bytes;
    yt_plugged_in plugged_in;
    bool again; /* the recordings are played over and over */
} sim_slots;

/* Of a device's reports the last one. */
typedef struct sim_last {
    const uint8_t *bytes; /* NULL: it has sent none */
    size_t size;
} sim_last;

typedef struct simulation {
    yt_engine engine;
    yt_port port;
    loop loop;
    sim_observer observer;
    uint64_t limit, updates;
    uint64_t last_us; /* of what is to happen in all */
    sim_plug plugs[YT_DEVICES];
    unsigned plug_count;
    size_t positions[YT_DEVICES]; /* in each recording: the next report */
    sim_attached devices[YT_DEVICES];
    unsigned device_count;
    sim_host hosts[YT_INTERFACES];
    sim_host senders[YT_INTERFACES]; /* what each host's own reports say */
    const sim_sent *sent;            /* in the order of time */
    size_t sent_count, next_sent;
    const yt_program *program;
    uint64_t listen_us; /* how often the adapter listens to what hosts send; 0: always */
    uint64_t *memory;
    uint64_t now_us;             /* of the report whose changes are told, */
    unsigned reporting;          /* and its plug or interface, */
    const recorded_device *from; /* and the device of the plug */
    bool has_slots;
    struct yt_menu *menu; /* of the adapter's own (ports/sim/sim_menu.h); NULL: it has none */
    yt_link *link;        /* hosts talk to it (ports/sim/linked.h); NULL: none do */
    bool may_erase;       /* the flash, in play */
    bool again, is_on;    /* of the loop: it was begun */
    uint64_t shift_us;    /* by how much what is recorded comes later, this time round */
    yt_adapter adapter;
    yt_adapter_parts parts;
    yt_adapter_calibration calibrations[SIM_CALIBRATIONS];
    uint8_t settings[YT_SETTINGS_BYTES];
    bool is_other_device; /* the hosts are to find it anew */
    sim_last last[YT_DEVICES][RECORDING_DEVICES];
    sim_last *given; /* where the report belongs that the loop has taken, and will give next; */
    sim_last giving; /* and that; of which plug and device: */
    unsigned waiting_plug, waiting_device;
    uint64_t reports_in;
    uint64_t reports_out;
    char error[800];
} simulation;

/* Loads a program, plugs the recordings in and lets a host enumerate each interface. `program` must
 * stay. False: `error` says why. */
bool simulation_begin(simulation *simulation, const void *program, size_t size,
                      const sim_plug *plugs, unsigned plug_count, sim_timing timing,
                      sim_observer observer);

/* The same of an adapter with slots. What no slot has a use for is plugged in all the same. The
 * status is that of yt_adapter_start: where it is not YT_OK, the firmware's own program runs, or
 * nothing. False: `error` says why. */
bool simulation_begin_slots(simulation *simulation, const sim_slots *slots, const sim_plug *plugs,
                            unsigned plug_count, sim_timing timing, sim_observer observer,
                            yt_status *status);

/* What the hosts send back while it runs, in the order of time; must stay. */
void simulation_send(simulation *simulation, const sim_sent *sent, size_t count);

/* Runs all recordings to their end, and on until nothing more is due; false: it stopped at its
 * limit, at `now_us` of `last_us`. */
bool simulation_run(simulation *simulation);

/* Runs up to a time, and no farther. */
bool simulation_run_until(simulation *simulation, uint64_t until_us);

/* Goes on up to a time, as often as it is called: what is under way stays so. */
bool simulation_go_on(simulation *simulation, uint64_t until_us);

void simulation_end(simulation *simulation);

#endif
