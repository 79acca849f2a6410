/* The adapter's main loop in virtual time: devices send, the engine updates, hosts poll.
 *
 * Freestanding, so that the bare-metal images run the very same loop. At one moment, timers come
 * first, then what devices send, then the hosts' polls. Time jumps from one event to the next. */
#ifndef YONDER_LOOP_H
#define YONDER_LOOP_H

#include "yonder/engine.h"

typedef struct loop_report {
    uint64_t time_us;
    unsigned device; /* as yt_engine_attach numbered it; of a host's report: the interface */
    bool from_host;  /* a report that a host sends: output or feature, as `direction` says */
    uint8_t direction;
    const uint8_t *bytes; /* until the next call for a report */
    size_t size;
} loop_report;

typedef struct loop {
    yt_engine *engine;
    void *context;
    /* Gives the report that is sent next; false: there are no more. */
    bool (*next)(void *context, loop_report *report);
    /* A host has taken a report of an interface. */
    void (*taken)(void *context, unsigned interface, uint64_t time_us, const uint8_t *bytes,
                  size_t size);
    /* Called after each step, with the number of reports that came in; NULL: nobody asks. */
    void (*step)(void *context, unsigned reports);
    uint64_t poll_us; /* hosts ask at each multiple of it; a radio's connection interval */
    uint32_t loss;    /* of a radio: of 1,000 times that it asks, so many get lost */
    uint32_t dice;    /* what is lost; any number but 0 */
    bool direct;      /* reports are given to the engine as they come, without its queue */
    bool elsewhere;   /* hosts are served by others: reports are left to them */
    bool stopped;     /* set by one of the calls above: nothing more happens */
    uint64_t wake_us; /* set by `step`: it goes on then at the latest; YT_NEVER: whenever */
    /* From here on the loop's own. */
    loop_report waiting;
    bool has_waiting;
    uint64_t now_us; /* of the step that it is at */
    uint64_t due_us;
    uint64_t far_us; /* pauses longer than this are not counted through poll by poll */
    uint64_t
        take_at_us[YT_INTERFACES]; /* when the report that is ready is taken; YT_NEVER: none is */
    uint64_t next_poll_us[YT_INTERFACES];
    uint8_t report[YT_INTERFACES][YT_REPORT_BYTES + 1];
    size_t report_size[YT_INTERFACES];
} loop;

/* Begins; the fields above that line are filled by the caller. */
void loop_begin(loop *loop);

/* Goes on until nothing is left to happen, or the next thing is after `until_us`. */
void loop_run(loop *loop, uint64_t until_us);

#endif
