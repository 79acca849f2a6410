/* A compiled profile: a little-endian image that is checked once, then run where it stands.
 *
 * docs/program-format.md describes it byte by byte. The structures below lie over the image. */
#ifndef YONDER_PROGRAM_H
#define YONDER_PROGRAM_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/status.h"
#include "yonder/value.h"

#ifdef __cplusplus
extern "C" {
#endif

#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ != __ORDER_LITTLE_ENDIAN__
#error                                                                                             \
    "Programs are little-endian and run where they stand: this core needs a little-endian machine."
#endif

/* The image's bytes may be declared as anything; the compiler must expect them under these types.
 */
#if defined(__GNUC__)
#define YT_OVERLAY __attribute__((may_alias))
#else
#define YT_OVERLAY
#endif

#define YT_PROGRAM_MAGIC    0x31505459u /* "YTP1" */
#define YT_PROGRAM_VERSION  9u
#define YT_PROGRAM_BYTES    65536u /* the longest program */
#define YT_PROGRAM_INPUTS   32     /* inputs of a program */
#define YT_PROGRAM_CONTROLS 1024   /* controls and targets of a program */
#define YT_BOARD_PINS       64     /* pins, encoders and channels of a program's boards */
#define YT_BOARD_BYTES      64     /* of a board's report */

/* The first bytes of a program: how long each table is. */
typedef struct YT_OVERLAY yt_program_header {
    uint32_t magic;
    uint16_t version;
    uint16_t header_bytes;
    uint32_t total_bytes;
    uint32_t checksum; /* CRC-32 (IEEE 802.3) of all that follows this word */
    uint16_t groups;   /* of functions that the program needs, a bit each (functions.def) */
    uint16_t input_count;
    uint16_t control_count;
    uint16_t target_count;
    uint16_t place_count;
    uint16_t range_count;
    uint16_t constant_count;
    uint16_t parameter_count;
    uint16_t step_count;
    uint16_t instruction_count;
    uint16_t value_count; /* all: constants, parameters, controls, values of steps */
    uint16_t mark_count;
    uint16_t state_words;
    uint16_t timer_count;
    uint16_t interface_count;
    uint16_t report_count;
    uint16_t output_count;
    uint16_t root_count;
    uint16_t pin_count;
    uint16_t relay_count;
    uint16_t text_bytes;
    uint16_t name_bytes; /* the profile's name: the first bytes of the text */
    uint16_t blob_bytes; /* report descriptors, and reports at rest */
    uint16_t wire_count;
    uint16_t filled_count;
    uint16_t fill_count;
    uint16_t abilities; /* YT_CAN_… (yonder/abilities.h), worked out anew by the check */
    uint16_t reserved;
} yt_program_header;

/* Bits of yt_program_input.needs */
#define YT_NEEDS_USAGE      1u
#define YT_NEEDS_RELATIVE   2u
#define YT_NEEDS_DESCRIPTOR 4u /* its report descriptor has the checksum `descriptor` */

/* What a device must be to be this input; 0 means that any will do. */
typedef struct YT_OVERLAY yt_program_input {
    uint16_t application_page;
    uint16_t application_usage;
    uint16_t application_other; /* a usage that will do as well, if less well; 0: none */
    uint16_t vendor;
    uint16_t product;
    uint16_t needs_page; /* a usage that it must have, relative or absolute as `needs` says */
    uint16_t needs_usage;
    uint16_t name_offset; /* in the text: the input's name in the profile */
    uint16_t device_name_offset;
    uint16_t serial_offset;
    uint32_t descriptor;
    uint8_t name_bytes;
    uint8_t device_name_bytes; /* what the device must call itself; 0: anything */
    uint8_t serial_bytes;      /* its serial number; 0: any */
    uint8_t needs;             /* YT_NEEDS_… */
    uint8_t bus;               /* yt_bus */
    uint8_t connector;         /* the connector that it is plugged into, from 1 */
    uint16_t reserved;
} yt_program_input;

#define YT_NO_PLACE  0xffffu
#define YT_NO_REPORT 0xffu

/* Where a field stands in a report, be it read, driven, or sent by a host. */
typedef struct YT_OVERLAY yt_place {
    uint16_t bit;      /* behind the report ID */
    uint8_t bits;      /* 1 to 32; of an array: of each element */
    uint8_t report_id; /* 0: the report has none */
} yt_place;

/* A control that is read: found by usage when a device arrives, or at the place that is given.
 * Targets, the lights and motors of a device, are records of the same kind. */
typedef struct YT_OVERLAY yt_program_control {
    uint16_t page;
    uint16_t usage;
    uint16_t other_page; /* where the device has no such usage: this one; 0: none */
    uint16_t other_usage;
    uint16_t other_if;  /* but only where it has this usage of that page too; 0: always */
    uint16_t place;     /* index into the places, or YT_NO_PLACE */
    uint8_t input;      /* index into the inputs; of what the host sends: into the reports */
    uint8_t kind;       /* yt_kind */
    uint8_t occurrence; /* 0: the first of that usage */
    uint8_t part;       /* of a hat: 1 up, 2 right, 4 down, 8 left; else 0 */
    uint8_t from_host;  /* 1: the host sends it, in an output or feature report; of a target
                           YT_FOR_ADAPTER: `page` is its yt_action_kind, `usage` its number, or a
                           parameter's, `other_page` and `other_usage` the lower and the upper half
                           of what YT_ACTION_PUT puts there */
    uint8_t stick;      /* of a stick's x and y: the same number, from 1; else 0 */
} yt_program_control;

/* What a target asks of the adapter, in place of a device; behind those of the list what it does to
 * a parameter. The numbers are stored in programs. */
typedef enum yt_action_kind {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) YT_ACTION_##NAME,
#include "yonder/actions.def"
    YT_ACTION_KINDS,
    YT_ACTION_UP = 128, /* a parameter goes up by its step, */
    YT_ACTION_DOWN,     /* or down, */
    YT_ACTION_PUT,      /* becomes a number, */
    YT_ACTION_FOLLOW    /* or whatever the step gives, when that changes */
} yt_action_kind;

#define YT_FOR_ADAPTER 2 /* yt_program_control.from_host of such a target */

/* Bits of yt_program_place.flags */
#define YT_PLACE_HERE   1u /* where it stands is given; else it is found by usage */
#define YT_PLACE_SIGNED 2u
#define YT_PLACE_RANGE  4u  /* the range is given; else it is the field's own */
#define YT_PLACE_MOTION 8u  /* each report tells how far it moved, not where it is */
#define YT_PLACE_TURNED 16u /* the other way round: minimum is maximum, 0 is pressed */
#define YT_PLACE_MIDDLE 32u /* motion: the range's rest means that nothing moved */
#define YT_PLACE_WRAPS                                                                             \
    64u /* motion: a report tells where it is, and behind the maximum comes the                    \
           minimum */

/* Where a control stands, and how its raw numbers are read. */
typedef struct YT_OVERLAY yt_program_place {
    yt_place at;
    uint16_t range; /* index into the ranges */
    uint8_t flags;
    uint8_t reserved;
} yt_program_place;

/* Raw numbers: minimum <= rest <= maximum, all within -2^31 to 2^31 - 1. */
typedef struct YT_OVERLAY yt_program_range {
    int32_t minimum;
    int32_t rest;
    int32_t maximum;
    int32_t unit_q24; /* of a rate: how much one count is, in 1 / 2^24 of its unit; else 0 */
} yt_program_range;

/* What a part of a board is. */
typedef enum yt_pin_kind {
    YT_PIN_SWITCH,  /* a pin: one bit */
    YT_PIN_ENCODER, /* two pins: a signed byte of detents */
    YT_PIN_ANALOG,  /* a channel: the sum of so many samples, 32 bits */
    YT_PIN_SENSOR,  /* a signed number of 16 bits that the port reads, of an IMU */
    YT_PIN_OUT,     /* a light or a motor: what the engine drives, not what it reads */
    YT_PIN_KIND_COUNT
} yt_pin_kind;

#define YT_PIN_ACTIVE_HIGH 1u /* else a pin is on while it is low, with a pull-up */

/* One part of a board: where it is, and where its value stands in the board's report. */
typedef struct YT_OVERLAY yt_program_pin {
    uint16_t bit; /* of YT_PIN_OUT in the report to the board */
    uint16_t debounce_us;
    uint8_t kind;  /* yt_pin_kind */
    uint8_t pin;   /* or channel, or the sensor's number */
    uint8_t other; /* of an encoder: the second pin */
    uint8_t steps; /* of an encoder: steps a detent, 1, 2 or 4; of a channel: samples a value */
    uint8_t flags; /* YT_PIN_… */
    uint8_t input; /* the board */
    uint8_t reserved[2];
} yt_program_pin;

/* An output or feature report that another device answers. */
typedef struct YT_OVERLAY yt_program_relay {
    uint8_t interface;
    uint8_t direction; /* yt_hid_direction: output or feature */
    uint8_t id;        /* of the host's report */
    uint8_t input;     /* whose device answers */
    uint8_t device_id; /* of the device's report */
    uint8_t reserved[3];
} yt_program_relay;

#define YT_FILLED_MOST_US 1000000000u /* from one time that a device gets a report to the next */
#define YT_FILL_BEFORE    4 /* bytes that a checksum takes in before those of the report */

/* What fills a field of a report by itself. */
typedef enum yt_fill_kind {
    YT_FILL_CONSTANT,
    YT_FILL_COUNTER, /* how often the report was built before, from `number` on */
    YT_FILL_SUM,     /* of bytes, from `number` on */
    YT_FILL_XOR,     /* likewise */
    YT_FILL_CRC,     /* with `number` in the register at the beginning */
    YT_FILL_KIND_COUNT
} yt_fill_kind;

/* Bits of yt_program_fill.flags */
#define YT_FILL_REFLECTED  1u /* of a CRC: the lowest bit of a byte first; so is `polynomial` */
#define YT_FILL_BIG_ENDIAN 2u /* its first byte is the highest one */
#define YT_FILL_NEGATED    4u /* of a sum: its two's complement */

/* A field of a report that fills itself. A checksum has 8, 16 or 32 bits and is over the bytes from
 * `first` on, up to but not `end`, as the fills in front of it have left them. */
typedef struct YT_OVERLAY yt_program_fill {
    yt_place at;
    uint32_t number;
    uint32_t polynomial; /* of a CRC */
    uint32_t final;      /* xored onto a checksum at the end */
    uint8_t first;       /* bytes behind the report ID */
    uint8_t end;
    uint8_t before_count;
    uint8_t kind;  /* yt_fill_kind */
    uint8_t flags; /* YT_FILL_… */
    uint8_t reserved[3];
    uint8_t before[YT_FILL_BEFORE];
} yt_program_fill;

/* A report with such fields: one to the host, or one to a device, which can be sent it when it
 * arrives and now and then. */
typedef struct YT_OVERLAY yt_program_filled {
    uint32_t every_us; /* to a device: again after so long; 0: only when something in it changes */
    uint16_t first_fill;
    uint8_t fill_count;
    uint8_t report;     /* to the host: index into the reports; else YT_NO_REPORT */
    uint8_t input;      /* to a device: which */
    uint8_t direction;  /* output or feature; input: to the host */
    uint8_t report_id;  /* to a device; 0: without one */
    uint8_t on_arrival; /* 1: the device gets it when it arrives */
} yt_program_filled;

/* A number that can be set while the program runs: minimum <= value <= maximum. A time is in
 * microseconds, all else in 1/65536 of its unit. */
typedef struct YT_OVERLAY yt_program_parameter {
    uint16_t name_offset;
    uint8_t name_bytes;
    uint8_t unit;  /* yt_unit */
    int32_t value; /* until it is set */
    int32_t minimum;
    int32_t maximum;
    int32_t step; /* how far one step of it goes; 0: not said */
} yt_program_parameter;

/* Values have numbers: first the constants, then the parameters, the controls, and what steps give,
 * in the order of the steps. The first YT_TEMPORARIES numbers behind the last value are
 * temporaries: within one step, what was stored there. */
typedef enum yt_value_type {
    YT_TYPE_SWITCH,
    YT_TYPE_NUMBER,
    YT_TYPE_PULSE,
    YT_TYPE_EVENT, /* a pulse that nothing compares: it cannot cause a further pass */
    YT_TYPE_COUNT
} yt_value_type;

#define YT_TEMPORARIES       8
#define YT_NO_VALUE          0xffffu
#define YT_STEP_INSTRUCTIONS 320 /* of one step, with its further operands */

/* What a step tells when its value changes. The numbers of outputs are those of yt_root_kind. */
typedef enum yt_telling {
    YT_TELLS_NOTHING,
    YT_TELLS_SWITCH, /* a button or a key of a report */
    YT_TELLS_HAT,    /* one direction of a hat */
    YT_TELLS_AXIS,
    YT_TELLS_LEVEL,
    YT_TELLS_MOTION,
    YT_TELLS_TARGET, /* a light or a motor of a device */
    YT_TELLING_COUNT
} yt_telling;

/* A step: a short run of code that gives one value. Steps stand in an order in which what one takes
 * comes before it. */
typedef struct YT_OVERLAY yt_program_step {
    uint16_t code;  /* index of its first instruction */
    uint16_t value; /* the number of its value, or of the first of its results; YT_NO_VALUE: it is a
                       pulse that is only told */
    uint16_t state; /* of a function, a DRIVE: its first word */
    uint16_t timer; /* of a function with a timer: its number */
    uint8_t type;   /* yt_value_type */
    uint8_t tells;  /* yt_telling */
    uint8_t report; /* that it tells of; of a target YT_NO_REPORT */
    uint8_t number; /* of the root within its report; of a target: its index */
} yt_program_step;

/* One instruction. There is one number at hand, to begin with 0; `operand` is the number of a
 * value, of a temporary, or of a function. Of an instruction of several operands the further ones
 * stand in `count` instructions YT_CODE_MORE behind it. */
typedef struct YT_OVERLAY yt_instruction {
    uint8_t code; /* image/code.def */
    uint8_t count;
    uint16_t operand;
} yt_instruction;

/* Who is looked at when a value changes: `count` marks from `first` on; of a pulse, `seers` further
 * ones are those that are looked at once more when it is over, and `wires` of the wires, from
 * `first_wire` on, take it where it goes without a step. One for each value but constants. */
typedef struct YT_OVERLAY yt_program_users {
    uint16_t first;
    uint16_t first_wire;
    uint8_t count;
    uint8_t seers;
    uint8_t wires;
    uint8_t reserved;
} yt_program_users;

/* What a wire does with a pulse. */
typedef enum yt_wire_kind {
    YT_WIRE_PLAIN,   /* it is told as it is */
    YT_WIRE_SCALED,  /* times a value */
    YT_WIRE_GATED,   /* where a switch is on */
    YT_WIRE_STICK_X, /* it is what a stick has moved to the right… */
    YT_WIRE_STICK_Y, /* …and down */
    YT_WIRE_KIND_COUNT
} yt_wire_kind;

/* The way of a pulse to what an output owes, or to what a stick has moved: its step says the same,
 * and is not looked at for it. */
typedef struct YT_OVERLAY yt_program_wire {
    uint16_t step;
    uint16_t factor; /* number of the value or the switch; else 0 */
    uint8_t kind;    /* yt_wire_kind */
    uint8_t reserved[3];
} yt_program_wire;

/* Steps 32 * word to 32 * word + 31, a bit each. */
typedef struct YT_OVERLAY yt_program_mark {
    uint32_t bits;
    uint16_t word;
    uint16_t reserved;
} yt_program_mark;

/* What an interface is to a host that knows no report descriptors (HID 1.11, appendix B). */
typedef enum yt_boot { YT_NO_BOOT, YT_BOOT_KEYBOARD, YT_BOOT_MOUSE, YT_BOOT_BOTH } yt_boot;

#define YT_BOOT_KEYBOARD_BYTES 8
#define YT_BOOT_MOUSE_BYTES    3

/* One report descriptor, and the reports that go by it: a USB interface, or one part of a report
 * map over Bluetooth. */
typedef struct YT_OVERLAY yt_program_interface {
    uint16_t descriptor_offset; /* in the blob */
    uint16_t descriptor_bytes;
    uint16_t first_report;
    uint8_t report_count;
    uint8_t connector; /* where it goes, from 1 */
    uint8_t boot;      /* yt_boot */
    uint8_t radio;     /* 1: Bluetooth, where boot reports have IDs: 1 keyboard, 2 mouse */
    uint8_t reserved[2];
} yt_program_interface;

/* A report of an interface. Those to the host have roots, first all that are switches. */
typedef struct YT_OVERLAY yt_program_report {
    uint16_t rest_offset; /* in the blob: the report while nothing is driven; `bytes` bytes */
    uint16_t bytes;       /* without its ID; 1 to YT_REPORT_BYTES */
    uint16_t first_root;
    uint8_t root_count;
    uint8_t switch_count;
    uint8_t id;        /* 0: without one */
    uint8_t direction; /* yt_hid_direction: from the device to the host is input */
    uint8_t interface;
    uint8_t boot; /* yt_boot: which report of the boot protocol it becomes */
} yt_program_report;

/* What the profile calls an output: for people only. */
typedef struct YT_OVERLAY yt_program_output {
    uint16_t name_offset;
    uint8_t name_bytes;
    uint8_t interface;
} yt_program_output;

#define YT_REPORT_BYTES  64 /* of a report to the host, without its ID */
#define YT_REPORT_ANALOG 32 /* axes, levels and motion in one report */

/* How a root stands in its report. The switches are those below YT_ROOT_AXIS. */
typedef enum yt_root_kind {
    YT_ROOT_BUTTON,
    YT_ROOT_MODIFIER, /* a key of 0xe0 to 0xe7: a report ends before one that follows a key */
    YT_ROOT_KEY,      /* a bit of its own */
    YT_ROOT_IN_ARRAY, /* while it is on, its number stands in one of an array's elements */
    YT_ROOT_KEY_IN_ARRAY,
    YT_ROOT_HAT, /* one direction; those of one hat share their bits, and stand together */
    YT_ROOT_AXIS,
    YT_ROOT_LEVEL,
    YT_ROOT_MOTION,
    YT_ROOT_KIND_COUNT
} yt_root_kind;

/* A control of a report to the host; the step `step` tells it. Roots of a report stand together. */
typedef struct YT_OVERLAY yt_program_root {
    yt_place at;
    uint16_t step;
    uint16_t number; /* button: its number while on; key, in an array: what stands for it; hat: the
                        number of up */
    uint16_t range;  /* axis, level, motion: index of its range */
    uint8_t kind;    /* yt_root_kind */
    uint8_t lead;    /* of a hat: the first of its directions, counted within the report; else
                        itself */
    uint8_t part; /* of a hat: 1 up, 2 right, 4 down, 8 left; of a key: 1 where it never goes down
                     in the report of a modifier, but in one behind it */
    uint8_t elements;   /* of an array: how many it has; of a hat of four positions 4 */
    uint8_t boot_byte;  /* of motion: 1 x and 2 y in the report of a boot mouse; 0: not there */
    uint8_t multiplier; /* motion: 1 + the bit of the interface's feature report that, while it is
                           on, makes it tell of 120ths (HID Usage Tables, 4.3.1); 0: none */
} yt_program_root;

/* Looks into a checked image. Pointers are into the image, which must stay where it is. */
typedef struct yt_program {
    const yt_program_header *header;
    const yt_program_step *steps;
    const yt_instruction *code;
    const yt_program_users *users;
    const yt_program_mark *marks;
    const yt_program_wire *wires;
    const uint16_t *timers; /* the step of each */
    const uint8_t *types;   /* yt_value_type, of each value */
    const yt_q16 *constants;
    const yt_program_parameter *parameters;
    const yt_program_input *inputs;
    const yt_program_control *controls;
    const yt_program_control *targets;
    const yt_program_place *places;
    const yt_program_range *ranges;
    const yt_program_interface *interfaces;
    const yt_program_report *reports;
    const yt_program_output *outputs;
    const yt_program_root *roots;
    const yt_program_pin *pins;
    const yt_program_relay *relays;
    const yt_program_filled *filled;
    const yt_program_fill *fills;
    const char *text;
    const uint8_t *blob;
} yt_program;

/* The numbers of the first parameter, the first control, and the first value of a step. */
static inline unsigned yt_first_parameter(const yt_program *program) {
    return program->header->constant_count;
}
static inline unsigned yt_first_control(const yt_program *program) {
    return yt_first_parameter(program) + program->header->parameter_count;
}
static inline unsigned yt_first_step_value(const yt_program *program) {
    return yt_first_control(program) + program->header->control_count;
}

/* Checks the whole image: every length, index, order, type and list; then fills `program`.
 * A program may come from anywhere: what passes can be run without further checks, whatever its
 * bytes. `image` must begin at an address that four divides. `size` may be larger than the program.
 * Errors: YT_PROGRAM_…; `program` is then not to be used. */
YT_MUST_USE yt_status yt_program_check(yt_program *program, const void *image, size_t size);

/* CRC-32 as in IEEE 802.3; begin with 0, then give the last result for the bytes that follow. */
uint32_t yt_checksum(uint32_t checksum, const void *bytes, size_t size);

#ifdef __cplusplus
}
#endif

#endif
