/* Devices that are watched and, with a profile, the engine behind them and what its hosts get. */
#ifndef YONDER_TOOL_WATCHING_H
#define YONDER_TOOL_WATCHING_H

#include "tool/calibrations.h"
#include "tool/panel.h"
#include "tool/source.h"

#define WATCH_DEVICES YT_DEVICES

typedef struct watch_options {
    const char *at; /* an adapter */
    uint64_t limit; /* changes of a recording that are printed at most */
    const char *sources[WATCH_DEVICES];
    unsigned source_count;
    const char *description;
    const char *profile;
    calibration_files calibrations;
    unsigned device; /* of a recording: which of its devices, from 1; 0: all */
    double speed;    /* 0: as fast as the machine allows */
    bool has_speed;  /* it was given */
    bool plain;
    bool json;  /* and plain */
    bool pulse; /* drive the motors at the start */
} watch_options;

/* One device of one source. */
typedef struct watched {
    const recorded_device *device;
    unsigned source, recorded; /* where it comes from, and its number there */
    const yt_description *description;
    sim_host view;
    sim_host lights; /* reports to the device */
    panel panel;
    unsigned number; /* the engine's */
} watched;

typedef struct watching {
    const watch_options *options;
    device_source sources[WATCH_DEVICES];
    size_t next_report[WATCH_DEVICES];
    bool has_gone[WATCH_DEVICES]; /* of sources: nothing more will come */
    watched devices[WATCH_DEVICES];
    unsigned device_count;
    description_file description;
    calibrations calibrations;
    profile profile;
    bool owns_profile;
    const yt_compiled *compiled; /* of the profile, or what was there before it began */
    bool has_profile;
    panel hosts_panel; /* what the hosts get */
    uint64_t now_us;   /* in the recordings' time, or since the start */
    yt_engine engine;
    yt_port port;
    uint64_t *memory;
    sim_host hosts[YT_INTERFACES];
    uint64_t next_poll_us;
    unsigned looking_at;     /* the device, or the interface, whose report is being read */
    int write_error;         /* an errno: a device did not take what it was sent */
    uint64_t changes, polls; /* printed, and gone through, of recordings */
    bool is_full;            /* there were more of them than the limit */
    bool ended;
    bool paused;
} watching;

/* Opens all that the options name. False: said on standard error. */
bool watching_begin(watching *watching);
void watching_end(watching *watching);

/* Another program from now on; its devices are plugged in anew. False: said. */
bool watching_take(watching *watching, const yt_compiled *compiled);

/* All that happens up to a time. */
void watching_advance(watching *watching, uint64_t time_us);

/* Whether a device is there to be read from, not only recordings. */
bool watching_is_live(const watching *watching);

/* Whether the profile drives a motor of a device, so that a test pulse has something to do. */
bool watching_has_motor(const watching *watching);

/* Drives the devices' motors for a moment; lets them rest again at once. */
void watching_pulse(watching *watching);
void watching_still(watching *watching);

#endif
