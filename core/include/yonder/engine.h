/* The engine: reports of devices in, a program that decides, reports for the host out.
 *
 * Everything is called from one place, but for yt_engine_report, which one interrupt (or one other
 * thread) may call at any time.
 *
 * Times are microseconds of one clock of the port's. A wrong one does no lasting harm: a time that
 * is up to YT_BACK_US before the last one counts as the last one; one farther back says that the
 * clock was set, and all that is under way keeps the time that it has left; one more than
 * YT_AHEAD_US ahead counts as YT_AHEAD_US ahead.
 *
 *     yt_engine_init(&engine, memory, sizeof memory, &port);
 *     yt_engine_load(&engine, program, program_size);
 *     yt_engine_attach(&engine, &device, &number);                   // a device arrived
 *     yt_engine_report(&engine, number, bytes, size, now_us);        // it sent a report
 *     due_us = yt_engine_update(&engine, now_us);                    // sleep until then
 *     yt_interface_report(&engine, 0, bytes, sizeof bytes, &length); // then arm the endpoint
 *     yt_interface_taken(&engine, 0, now_us);                        // the host has it */
#ifndef YONDER_ENGINE_H
#define YONDER_ENGINE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "yonder/hid.h"
#include "yonder/port.h"
#include "yonder/image/program.h"
#include "yonder/status.h"

/* C++ has no _Atomic; only the library, in C, uses what is declared so. */
#ifdef __cplusplus
#define YT_ATOMIC(type) type
#else
#include <stdatomic.h>
#define YT_ATOMIC(type) _Atomic type
#endif

#ifdef __cplusplus
extern "C" {
#endif

/* Limits that a firmware may set, the same for the library and for itself: define them in its build
 * (-DYT_DEVICES=2). yt_engine_init says YT_ARGUMENT where the two are not of one size. */
#ifndef YT_DEVICES
#define YT_DEVICES 8 /* devices at a time */
#endif
#ifndef YT_CHANGES
#define YT_CHANGES 32 /* switch changes that a report keeps until the host has taken them */
#endif
#ifndef YT_DEADLINES
#define YT_DEADLINES 64 /* deadlines that one update runs one by one; further ones are merged */
#endif
#ifndef YT_INTERFACES
#define YT_INTERFACES 8 /* interfaces of a program */
#endif
#ifndef YT_REPORTS
#define YT_REPORTS 16 /* reports of a program's interfaces */
#endif

#if YT_DEVICES < 1 || YT_DEVICES > 32
#error "YT_DEVICES: how many devices can be there at a time. Choose 1 to 32."
#endif
#if YT_CHANGES < 8 || YT_CHANGES > 255
#error "YT_CHANGES: how many switch changes wait for a host. Choose 8 to 255; each takes 2 bytes."
#endif
#if YT_DEADLINES < 1 || YT_DEADLINES > 65535
#error "YT_DEADLINES: how many deadlines one update runs one by one. Choose 1 to 65535."
#endif
#if YT_INTERFACES < 1 || YT_INTERFACES > 64
#error "YT_INTERFACES: how many interfaces a program may have. Choose 1 to 64."
#endif
#if YT_REPORTS < 1 || YT_REPORTS > 24
#error "YT_REPORTS: how many reports all interfaces may have. Choose 1 to 24."
#endif

#define YT_BACK_US  1000000u    /* a time that is farther back says that the clock was set */
#define YT_AHEAD_US 1800000000u /* no more goes by at once: no time of a profile is longer */

#define YT_ANY_INPUT 255
#define YT_MOTORS    4 /* of a device, whose strength can be set; further ones are as the last */

/* What a port says of a device that arrived. Only read during the call. */
typedef struct yt_device {
    const uint8_t *descriptor; /* its report descriptor */
    size_t descriptor_size;
    uint16_t vendor;
    uint16_t product;
    const char *name;   /* as it calls itself; NULL: it does not */
    const char *serial; /* its serial number; NULL: it has none */
    uint8_t bus;        /* yt_bus */
    uint8_t connector;  /* what it is plugged into, from 1; 0: not known */
    uint8_t input;      /* the input that it is to be, or YT_ANY_INPUT: the one that it fits best */
    bool stays; /* it was there before the program: what is held is up until it is pressed anew. A
                   port that knows its last report gives it again; what the first report says is
                   held counts as held before */
} yt_device;

/* What was lost or put together, since the program was loaded. All are 0 in a healthy adapter. */
typedef struct yt_counts {
    uint32_t pairs_dropped;    /* press-and-release pairs that no report had room for */
    uint64_t motion_dropped;   /* counts of motion that waited too long */
    uint32_t deadlines_merged; /* deadlines that an update came too late for */
    uint32_t reports_short;    /* reports shorter than their descriptor says */
    uint32_t reports_unknown;  /* reports with an ID that no bound control is in: not an error */
    uint32_t reports_refused;  /* reports that the queue had no room for */
    uint32_t numbers_cut;      /* numbers of formulas, and motion, beyond 32,767 */
    uint32_t actions_dropped;  /* what was asked of the adapter while YT_ACTIONS waited */
} yt_counts;

/* The reports that came and were not yet looked at: one producer, one consumer. */
typedef struct yt_queue {
    uint8_t *bytes;
    uint32_t size;
    YT_ATOMIC(uint32_t) begin;
    YT_ATOMIC(uint32_t) end;
    YT_ATOMIC(uint32_t) refused;
} yt_queue;

#define YT_ACTIONS 8 /* that wait until the firmware takes them */

/* What a program asked of the adapter (yonder/actions.h). */
typedef struct yt_action {
    uint8_t kind;    /* yt_action_kind */
    uint16_t number; /* of a slot or a light, from 1; else 0 */
    yt_q16 value;    /* of a light: how bright, 0 to 1; else 1 */
} yt_action;

/* The caller's memory; holds pointers into the memory given to yt_engine_init, none into itself.
 * What each report needs stands first, where small processors reach it with one instruction. */
typedef struct yt_engine {
    const yt_port *port;
    struct yt_evaluator *evaluator;
    struct yt_endpoint *endpoints; /* one for each interface of the program */
    uint8_t *memory;
    size_t size;
    size_t used;
    uint8_t interface_count;
    uint8_t report_count;
    bool pulses;        /* a test pulse may be on, or a device is sent a report again and again */
    bool idles;         /* a host may have asked for reports with nothing new */
    uint32_t view;      /* counts what reports are to see as one change */
    uint32_t epoch;     /* of the time: what is older than one is aged (engine/time.c) */
    uint32_t layout;    /* of the program that is loaded; 0: none was yet */
    uint64_t now_us;    /* the engine's own time, which never goes back */
    uint64_t port_us;   /* the port's time when it was told last, and what that is in the */
    uint64_t synced_us; /* engine's time */
    yt_queue queue;
    struct yt_calibrated *calibrated;        /* those in use (yonder/calibration.h) */
    uint32_t device_at[YT_DEVICES];          /* offset of its block in the memory; 0: none */
    struct yt_sending *sendings[YT_REPORTS]; /* NULL for those that the host sends */
    yt_counts counts;
    yt_action actions[YT_ACTIONS];
    uint8_t action_count;
    uint8_t motor_percent[YT_MOTORS];
} yt_engine;

/* How much memory to give an engine for a program that was checked (yt_program_check): these three
 * together, the second once for each device. The first is exact, for a processor whose pointers
 * have `pointer_bytes` (4 or 8; sizeof(void *) for this one); the queue is the port's. The second
 * is enough for a device that is taken for `inputs`, a bit each, if it is of the usual make: its
 * switches of one page are bits in the order of their usages or stand in an array of up to 32
 * bytes, and its controls are in up to four reports. The third is taken only while a device is
 * attached. Where it is not enough after all, yt_engine_attach says YT_MEMORY. */
size_t yt_engine_bytes(const yt_program *program, const yt_port *port, unsigned pointer_bytes);
size_t yt_engine_device_bytes(const yt_program *program, uint32_t inputs);
size_t yt_engine_spare_bytes(const yt_program *program);

/* Begins with no program. `memory` is the engine's from now on, at least aligned for uint64_t.
 * `port` must stay. YT_ARGUMENT: the memory is not aligned, the port has another version, or the
 * library was built with other limits (above) than its caller. */
static inline YT_MUST_USE yt_status yt_engine_init(yt_engine *engine, void *memory, size_t size,
                                                   const yt_port *port);

/* The same; `engine_bytes` is the size of the caller's yt_engine. */
YT_MUST_USE yt_status yt_engine_init_sized(yt_engine *engine, size_t engine_bytes, void *memory,
                                           size_t size, const yt_port *port);

static inline yt_status yt_engine_init(yt_engine *engine, void *memory, size_t size,
                                       const yt_port *port) {
    return yt_engine_init_sized(engine, sizeof *engine, memory, size, port);
}

/* Checks a program and begins to run it, all inputs at rest and no device attached: attach them
 * anew, those that were there before with `stays`. The program must stay where it is. Where its
 * interfaces are those of the program before, what their hosts have asked for stays (protocol, idle
 * time, features, sleep) and they are told what is on now; else the port is asked to restart. An
 * error (YT_PROGRAM_…, YT_MEMORY) leaves the engine as it was, with the program before and its
 * devices, where there was one: that program must stay too until another one was loaded. */
YT_MUST_USE yt_status yt_engine_load(yt_engine *engine, const void *program, size_t size);

/* A device arrived. Gives its number (0 to YT_DEVICES - 1), which serves until it is detached.
 * YT_NO_MATCH: it fits no input. YT_HID_…: its report descriptor is broken, or longer than
 * YT_HID_BYTES. YT_TOO_MANY_DEVICES, YT_MEMORY: no room. Nothing is attached then. */
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

/* The same for a report that comes where the other calls are made, from a main loop that polls its
 * device, say: what waits in the queue and all deadlines up to `now_us` are looked at, then the
 * report, which is not copied. Returns as yt_engine_update does. */
uint64_t yt_engine_give(yt_engine *engine, unsigned number, const uint8_t *bytes, size_t size,
                        uint64_t now_us);

/* Looks at all that came before the call and all deadlines up to `now_us`, each in its time and
 * order. Returns when the next deadline is due, so that a firmware can sleep until then or until a
 * report comes; YT_NEVER if none is. What comes during the call, or is due once more, is left to
 * the next one, which is then due at `now_us`. */
uint64_t yt_engine_update(yt_engine *engine, uint64_t now_us);

/* Builds the report that an interface's host is to get next, with its ID in front where the
 * interface uses IDs, and gives its length; 0 where there is nothing new, where the last one has
 * not been taken yet, or while the host is suspended. YT_ROOM: there is less room than
 * yt_interface_bytes says, which `length` is then; nothing was built. YT_ARGUMENT: there is no such
 * interface. */
YT_MUST_USE yt_status yt_interface_report(yt_engine *engine, unsigned interface, uint8_t *bytes,
                                          size_t room, size_t *length);

/* The longest report that an interface's host gets, with its ID; 0: there is no such interface.
 * YT_REPORT_BYTES + 1 are always enough. */
size_t yt_interface_bytes(const yt_engine *engine, unsigned interface);

/* The host has taken the report that yt_interface_report gave last. If it left it for longer than
 * the port's motion_wait_us, what moved in between is dropped and counted. */
void yt_interface_taken(yt_engine *engine, unsigned interface, uint64_t now_us);

/* The port has taken back the report that was built last, before any host had it: the next one has
 * what that one had to tell, and what came since. `bytes` are those that yt_interface_report gave.
 * YT_ARGUMENT: none was built, or it has more bytes. YT_FULL: so much came since that it is not
 * known any more what it told; give it to the host as it is. */
YT_MUST_USE yt_status yt_interface_take_back(yt_engine *engine, unsigned interface,
                                             const uint8_t *bytes, size_t size);

/* Whether the interface's reports to the host have an ID in front now: the boot protocol has none,
 * but over Bluetooth. */
bool yt_interface_uses_ids(const yt_engine *engine, unsigned interface);

/* A report's state for GET_REPORT (HID 1.11, 7.2.1), with its ID in front where the interface uses
 * IDs: of a report to the host what was told last, motion 0; of a feature report what the host set.
 * Uses nothing up. YT_ARGUMENT: there is no such report, or it is one that only the host sends.
 * YT_ROOM: `length` says how much is needed. */
YT_MUST_USE yt_status yt_interface_state(const yt_engine *engine, unsigned interface,
                                         yt_hid_direction direction, uint8_t id, uint8_t *bytes,
                                         size_t room, size_t *length);

/* The state of a report to the host, motion 0, without an ID, whichever protocol is on: as in the
 * report descriptor, or (`boot`) as in the boot protocol. `report` is the program's number of it.
 * YT_ARGUMENT: there is no such report. YT_ROOM: `length` says how much is needed. */
YT_MUST_USE yt_status yt_report_state(const yt_engine *engine, unsigned report, bool boot,
                                      uint8_t *bytes, size_t room, size_t *length);

/* The host sent a report, output or feature, with its ID in front where the interface uses IDs. All
 * that it changed is one view. YT_ARGUMENT: there is no such report. YT_REPORT_SHORT: it is shorter
 * than its descriptor says; nothing is taken from it. */
YT_MUST_USE yt_status yt_interface_receive(yt_engine *engine, unsigned interface,
                                           yt_hid_direction direction, const uint8_t *bytes,
                                           size_t size, uint64_t now_us);

/* Whether a report of the host's would be taken that begins with an ID (0: with none) and has so
 * many bytes, that ID among them: the same statuses, and nothing is done. */
YT_MUST_USE yt_status yt_interface_expects(const yt_engine *engine, unsigned interface,
                                           yt_hid_direction direction, uint8_t id, size_t size);

/* SET_PROTOCOL (7.2.6): reports are as in the boot protocol, or as in the report descriptor. The
 * next one is built from what is on now. YT_ARGUMENT: the interface has no boot protocol. */
YT_MUST_USE yt_status yt_interface_set_boot(yt_engine *engine, unsigned interface, bool boot);
/* Which boot protocol an interface has (yt_boot); YT_NO_BOOT where the firmware leaves that out. */
yt_boot yt_interface_boot(const yt_engine *engine, unsigned interface);

/* Whether the boot protocol is on. */
bool yt_interface_is_boot(const yt_engine *engine, unsigned interface);

/* SET_IDLE (7.2.4): how long the host waits for a report with nothing new; 0: for ever. When that
 * is over yt_interface_report gives one; yt_engine_update tells of it once, before. */
void yt_interface_set_idle(yt_engine *engine, unsigned interface, uint32_t idle_us);
uint32_t yt_interface_idle(const yt_engine *engine, unsigned interface);

/* The program's number of interface `index` of a connector; YT_INTERFACES where there is none. */
unsigned yt_connector_interface(const yt_engine *engine, unsigned connector, unsigned index);

/* The host at a connector has reset it: report protocol, no idle time, nothing on its way. What is
 * on now is told again. */
void yt_connector_reset(yt_engine *engine, unsigned connector);

/* The host at a connector sleeps or is awake again. While it sleeps switch changes wait, motion is
 * dropped, and the first change asks the port to wake it. */
void yt_connector_suspend(yt_engine *engine, unsigned connector, bool suspended);

/* Ends what is going on: all switches read as up until they are pressed anew. For a port that hands
 * the devices to somebody else for a while; a suspended host and a new program do it too. */
void yt_engine_cancel(yt_engine *engine);

/* A report for a device. */
typedef struct yt_device_output {
    size_t length;              /* with its ID; 0: nothing is new */
    yt_hid_direction direction; /* output or feature */
    bool has_id; /* its first byte is its ID; else it has none, and all of it is the report */
} yt_device_output;

/* The report that a device is to get next, for its lights and motors, or because it must be sent it
 * when it arrives or now and then, with its ID in front where it
 * uses IDs. Over USB it goes as it is into SET_REPORT; a stack that wants the ID apart takes it off
 * where `has_id` says so. YT_ROOM: `length` says how much is needed; it comes again then.
 * YT_ARGUMENT: there is no such device. */
YT_MUST_USE yt_status yt_device_report(yt_engine *engine, unsigned number, uint8_t *bytes,
                                       size_t room, yt_device_output *output);

/* Drives all motors of a device to the full for a while, so that a person can feel them. 0 us ends
 * it. */
void yt_device_pulse(yt_engine *engine, unsigned number, uint64_t now_us, uint32_t for_us);

/* How strong motor `motor` of each device is from now on, in the order of the program's controls,
 * in percent of what it is driven with: 100 at first. Each level that a device takes counts as a
 * motor. Without effect where there is none of that number, or above 100. */
void yt_engine_motor(yt_engine *engine, unsigned motor, uint32_t percent);

/* Whether another device answers an output or feature report of the host: its number and the ID
 * that the report has there. The port hands the report on, and the answer back. YT_NO_MATCH: nobody
 * is to answer it but we; YT_UNREADABLE: the device that should is not attached. */
YT_MUST_USE yt_status yt_interface_relay(const yt_engine *engine, unsigned interface,
                                         yt_hid_direction direction, uint8_t id, unsigned *number,
                                         uint8_t *device_id);

/* A number that is another one for each set of interfaces: a host may remember report descriptors,
 * so a device that has others must call itself another device. */
uint32_t yt_engine_layout(const yt_engine *engine);

/* The program that runs, with its interfaces and reports; NULL: none does. */
const yt_program *yt_engine_program(const yt_engine *engine);

/* Bytes of the memory in use: by the program, its reports and the devices that are attached. */
size_t yt_engine_used(const yt_engine *engine);

/* The inputs that a device was taken for, a bit each; 0 where there is no such device. */
uint32_t yt_engine_inputs_of(const yt_engine *engine, unsigned number);

/* What was lost since the program was loaded; for a firmware's own reports of its health. */
yt_counts yt_engine_counts(const yt_engine *engine);

/* Sets a parameter, by its index: what comes from now on counts with it; a time that is under way
 * ends by its old value. A time is in microseconds, all else in 1/65536 of its unit. YT_ARGUMENT:
 * there is no such parameter, or the value is not between its minimum and its maximum; it stays as
 * it is then. */
YT_MUST_USE yt_status yt_engine_set_parameter(yt_engine *engine, unsigned parameter, yt_q16 value);

/* The value now of a parameter, by its index; 0 where there is none. */
yt_q16 yt_engine_parameter(const yt_engine *engine, unsigned parameter);

/* The value now of an input control of the program, by its index; 0 where there is none. */
yt_q16 yt_engine_control(const yt_engine *engine, unsigned control);

#ifdef __cplusplus
}
#endif

#endif
