/* A simulated host: reads a device's report descriptor, then its reports by it, and knows what
 * every control is. It knows nothing of the program or of how the reports were made. */
#ifndef YONDER_SIM_HOST_H
#define YONDER_SIM_HOST_H

#include "yonder/hid.h"

#define HOST_FIELDS   256
#define HOST_CONTROLS 2048

/* Motion that a description corrects: told around a middle, or by where a knob is that goes round.
 * Numbers outside of the range say nothing. */
typedef struct sim_turning {
    bool is_so;
    bool wraps;     /* behind the maximum comes the minimum */
    bool turned;    /* the other way round */
    bool is_placed; /* of what wraps: `rest` is where it was last */
    int64_t minimum, rest, maximum;
} sim_turning;

/* One control that the host sees: an element of a variable field, or a usage of an array. */
typedef struct host_control {
    uint16_t page;
    uint16_t usage;
    uint16_t bit; /* where it stands in its report */
    uint8_t report_id;
    bool is_relative;
    uint16_t application_page; /* of its top-level collection */
    uint16_t application_usage;
    int64_t minimum; /* logical, of its field */
    int64_t maximum;
    int64_t value;       /* as the report has it; before the first one 0, or null where it may be; a
                            switch is 0 or 1; of motion, the last counts */
    int64_t sum;         /* of motion: all counts so far */
    sim_turning turning; /* of motion that a description corrects */
} host_control;

/* Told of each control that changed, and of each motion that is not 0. */
typedef void host_change(void *context, const host_control *control);

typedef struct sim_host {
    uint8_t direction;                /* yt_hid_direction: which reports it reads */
    yt_hid_field fields[HOST_FIELDS]; /* of that direction only */
    unsigned first_control[HOST_FIELDS];
    unsigned field_count;
    host_control controls[HOST_CONTROLS];
    unsigned control_count;
    uint16_t report_bits[256]; /* by report ID */
    bool uses_ids;
} sim_host;

/* Takes in a report descriptor, for reports of one direction: a host reads those to it, a device
 * those from it. An error is a yt_status; `offset` says where it is. Fields beyond
 * the limits above are left out. */
yt_status sim_host_enumerate_for(sim_host *host, yt_hid_direction direction,
                                 const uint8_t *descriptor, size_t size, size_t *offset);
yt_status sim_host_enumerate(sim_host *host, const uint8_t *descriptor, size_t size,
                             size_t *offset);

/* Takes in a field that no report descriptor tells of. Its bits are numbered as in yt_hid_field. */
void sim_host_add_field(sim_host *host, const yt_hid_field *field);

/* From now on a control is motion that is corrected. */
void sim_host_turns(host_control *control, sim_turning turning);

/* Takes in a report; false where it is too short, or of an unknown ID: nothing changes then. */
bool sim_host_report(sim_host *host, const uint8_t *bytes, size_t size, host_change *change,
                     void *context);

/* The control of a usage, the first of that page and usage; NULL if there is none. */
const host_control *sim_host_control(const sim_host *host, uint16_t page, uint16_t usage);

/* Whether a control is a switch: a button, a key. */
bool host_control_is_switch(const host_control *control);

#endif
