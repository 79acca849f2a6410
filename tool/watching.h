/* A device that is watched and, with a profile, the engine behind it and what its host gets. */
#ifndef YONDER_TOOL_WATCHING_H
#define YONDER_TOOL_WATCHING_H

#include "tool/panel.h"
#include "tool/source.h"

typedef struct watch_options {
    uint64_t limit; /* changes of a recording that are printed at most */
    const char *source;
    const char *description;
    const char *profile;
    unsigned device; /* of a recording: which of its devices, from 1; 0: not said */
    double speed;    /* 0: as fast as the machine allows */
    bool plain;
    bool pulse; /* drive the motors at the start */
} watch_options;

typedef struct watching {
    const watch_options *options;
    device_source source;
    unsigned recorded; /* the device's number in its recording */
    description_file description;
    profile profile;
    bool has_profile;
    sim_host view;
    sim_host lights; /* reports to the device */
    const yt_device_kind *kind;
    panel panels[2]; /* the device, and what the host gets */
    size_t next_report;
    uint64_t now_us; /* in the recording's time, or since the start */
    yt_engine engine;
    yt_port port;
    uint64_t *memory;
    unsigned device; /* the engine's number of it */
    sim_host hosts[YT_INTERFACES];
    uint64_t next_poll_us;
    unsigned interface;      /* whose report is being read */
    int write_error;         /* an errno: the device did not take what it was sent */
    uint64_t changes, polls; /* printed, and gone through, of a recording */
    bool is_full;            /* there were more of them than the limit */
    bool ended;
    bool paused;
} watching;

/* Opens all that the options name. False: said on standard error. */
bool watching_begin(watching *watching);
void watching_end(watching *watching);

/* All that happens up to a time. */
void watching_advance(watching *watching, uint64_t time_us);

/* Whether the profile drives a motor of the device, so that a test pulse has something to do. */
bool watching_has_motor(const watching *watching);

/* Drives the device's motors for a moment; lets them rest again at once. */
void watching_pulse(watching *watching);
void watching_still(watching *watching);

#endif
