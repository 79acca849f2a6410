/* The engine: reports of devices in, a program that decides, reports for the host out.
 *
 * Everything is called from one place, but for yt_engine_report, which one interrupt (or one other
 * thread) may call at any time. Times are microseconds of one clock that never goes back. */
#ifndef YONDER_ENGINE_H
#define YONDER_ENGINE_H

#include <stdatomic.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/output.h"
#include "yonder/port.h"
#include "yonder/program.h"
#include "yonder/status.h"

#define YT_DEVICES   8  /* devices at a time */
#define YT_CHANGES   32 /* switch changes that an output keeps until the host has taken them */
#define YT_DEADLINES 64 /* deadlines that one update runs one by one; further ones are merged */

#define YT_OUTPUTS 4 /* outputs of a program */

#define YT_ANY_INPUT 255

/* What a port says of a device that arrived. Only read during the call. */
typedef struct yt_device {
    const uint8_t *descriptor; /* its report descriptor */
    size_t descriptor_size;
    uint16_t vendor;
    uint16_t product;
    uint8_t input; /* the input that it is to be, or YT_ANY_INPUT: the one that it fits best */
} yt_device;

/* What was lost or put together, since the program was loaded. All are 0 in a healthy adapter. */
typedef struct yt_counts {
    uint32_t pairs_dropped;    /* press-and-release pairs that no report had room for */
    uint64_t motion_dropped;   /* counts of motion that waited too long */
    uint32_t deadlines_merged; /* deadlines that an update came too late for */
    uint32_t reports_short;    /* reports shorter than their descriptor says */
    uint32_t reports_unknown;  /* reports with an ID that no bound control is in: not an error */
    uint32_t reports_refused;  /* reports that the queue had no room for */
} yt_counts;

/* The reports that came and were not yet looked at: one producer, one consumer. */
typedef struct yt_queue {
    uint8_t *bytes;
    uint32_t size;
    _Atomic uint32_t begin;
    _Atomic uint32_t end;
    _Atomic uint32_t refused;
} yt_queue;

/* The caller's memory; holds pointers into the memory given to yt_engine_init, none into itself. */
typedef struct yt_engine {
    const yt_port *port;
    uint8_t *memory;
    size_t size;
    size_t used;
    struct yt_evaluator *evaluator;
    struct yt_sending *outputs[YT_OUTPUTS];
    yt_queue queue;
    yt_counts counts;
    uint64_t now_us;
    uint32_t device_at[YT_DEVICES]; /* offset of its block in the memory; 0: none */
    uint32_t view;                  /* counts what outputs are to see as one change */
    uint8_t output_count;
} yt_engine;

/* Begins with no program. `memory` is the engine's from now on, at least aligned for uint64_t; how
 * much a program needs, yt_engine_used says after a load. `port` must stay. YT_ARGUMENT: the memory
 * is not aligned, or the port has another version. */
YT_MUST_USE yt_status yt_engine_init(yt_engine *engine, void *memory, size_t size,
                                     const yt_port *port);

/* Checks a program and begins to run it, all inputs at rest and no device attached: attach them
 * anew. The program must stay where it is. An error (YT_PROGRAM_…, YT_MEMORY) leaves the engine
 * with no program. */
YT_MUST_USE yt_status yt_engine_load(yt_engine *engine, const void *program, size_t size);

/* A device arrived. Gives its number (0 to YT_DEVICES - 1), which serves until it is detached.
 * YT_NO_MATCH: it fits no input. YT_HID_…: its report descriptor is broken. YT_TOO_MANY_DEVICES,
 * YT_MEMORY:
 * no room. Nothing is attached then. */
YT_MUST_USE yt_status yt_engine_attach(yt_engine *engine, const yt_device *device,
                                       unsigned *number);

/* A device left: what came from it is looked at, then all that it held is let go. Its reports must
 * have stopped coming. */
void yt_engine_detach(yt_engine *engine, unsigned number, uint64_t now_us);

/* A report came, with its report ID in front where the device uses them; `happened_us` is when.
 * Only queued here. YT_FULL: there was no room; update, then give it again. An interrupt may call
 * this, even during the other calls, but for load, attach and detach. */
YT_MUST_USE yt_status yt_engine_report(yt_engine *engine, unsigned number, const uint8_t *bytes,
                                       size_t size, uint64_t happened_us);

/* Looks at all that came and all deadlines up to `now_us`, each in its time and order. Returns when
 * the next deadline is due, so that a firmware can sleep until then or until a report comes;
 * YT_NEVER if none is. */
uint64_t yt_engine_update(yt_engine *engine, uint64_t now_us);

/* Builds the report that the host is to get next from output `output`. Returns its length, or 0
 * where there is nothing new, or where the last one has not been taken yet. */
size_t yt_output_report(yt_engine *engine, unsigned output, uint8_t *bytes, size_t size);

/* The host has taken the report that yt_output_report gave last. If it left it for longer than the
 * port's motion_wait_us, what moved in between is dropped and counted. */
void yt_output_taken(yt_engine *engine, unsigned output, uint64_t now_us);

/* The last report's state with all motion 0, for GET_REPORT; uses nothing up. Returns its length,
 * or 0 where there is no such output or no room. */
size_t yt_output_state(const yt_engine *engine, unsigned output, uint8_t *bytes, size_t size);

/* Bytes of the memory in use: by the program, its outputs and the devices that are attached. */
size_t yt_engine_used(const yt_engine *engine);

/* The input that a device was taken for; YT_ANY_INPUT where there is no such device. */
unsigned yt_engine_input_of(const yt_engine *engine, unsigned number);

yt_counts yt_engine_counts(const yt_engine *engine);

/* The value now of an input control of the program, by its index; 0 where there is none. */
yt_q16 yt_engine_control(const yt_engine *engine, unsigned control);

#endif
