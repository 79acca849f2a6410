/* A compiled profile: a little-endian image that is checked once, then run where it stands.
 *
 * docs/program-format.md describes it byte by byte. The structures below lie over the image. */
#ifndef YONDER_PROGRAM_H
#define YONDER_PROGRAM_H

#include <stddef.h>
#include <stdint.h>

#include "yonder/status.h"
#include "yonder/value.h"

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

#define YT_PROGRAM_MAGIC   0x31505459u /* "YTP1" */
#define YT_PROGRAM_VERSION 1u
#define YT_PROGRAM_BYTES   65536u /* the longest program */

typedef struct YT_OVERLAY yt_program_header {
    uint32_t magic;
    uint16_t version;
    uint16_t header_bytes;
    uint32_t total_bytes;
    uint32_t checksum; /* CRC-32 (IEEE 802.3) of all that follows this word */
    uint16_t input_count;
    uint16_t control_count;
    uint16_t constant_count;
    uint16_t node_count;
    uint16_t argument_count;
    uint16_t user_count;
    uint16_t output_count;
    uint16_t root_count;
    uint16_t state_words;
    uint16_t timer_count;
    uint16_t text_bytes;
    uint16_t name_bytes; /* the profile's name: the first bytes of the text */
    uint32_t reserved[2];
} yt_program_header;

/* Bits of yt_program_input.needs */
#define YT_NEEDS_USAGE    1u
#define YT_NEEDS_RELATIVE 2u

/* What a device must be to be this input; 0 means that any will do. */
typedef struct YT_OVERLAY yt_program_input {
    uint16_t application_page;
    uint16_t application_usage;
    uint16_t vendor;
    uint16_t product;
    uint16_t needs_page; /* a usage that it must have, relative or absolute as `needs` says */
    uint16_t needs_usage;
    uint16_t name_offset; /* in the text */
    uint8_t name_bytes;
    uint8_t needs; /* YT_NEEDS_… */
} yt_program_input;

typedef struct YT_OVERLAY yt_program_control {
    uint16_t page;
    uint16_t usage;
    uint16_t node;      /* the node that reads it */
    uint8_t input;      /* index into the inputs */
    uint8_t kind;       /* yt_kind */
    uint8_t occurrence; /* 0: the first of that usage */
    uint8_t reserved[3];
} yt_program_control;

typedef enum yt_node_type {
    YT_TYPE_SWITCH,
    YT_TYPE_NUMBER,
    YT_TYPE_PULSE,
    YT_TYPE_COUNT
} yt_node_type;

typedef struct YT_OVERLAY yt_program_node {
    uint8_t operation;
    uint8_t type; /* yt_node_type */
    uint8_t argument_count;
    uint8_t reserved;
    uint16_t first_argument; /* index into the arguments: node numbers below this node's own */
    uint16_t data;           /* of a constant, control: its index; of a function: its state */
    uint16_t first_user;     /* index into the users: nodes, then node_count + root; ascending */
    uint16_t user_count;
} yt_program_node;

typedef struct YT_OVERLAY yt_program_output {
    uint8_t kind; /* yt_output_kind */
    uint8_t name_bytes;
    uint16_t name_offset;
    uint16_t first_root;
    uint16_t root_count;
} yt_program_output;

/* What drives one output control. */
typedef struct YT_OVERLAY yt_program_root {
    uint8_t output;
    uint8_t control;
    uint16_t node;
} yt_program_root;

/* Looks into a checked image. Pointers are into the image, which must stay where it is. */
typedef struct yt_program {
    const yt_program_header *header;
    const yt_program_input *inputs;
    const yt_program_control *controls;
    const yt_q16 *constants;
    const yt_program_node *nodes;
    const uint16_t *arguments;
    const uint16_t *users;
    const yt_program_output *outputs;
    const yt_program_root *roots;
    const char *text;
} yt_program;

/* Checks the whole image: every length, index, order, type and list; then fills `program`.
 * A program may come from anywhere: what passes can be run without further checks, whatever its
 * bytes. `image` must begin at an address that four divides. `size` may be larger than the program.
 * Errors: YT_PROGRAM_…; `program` is then not to be used. */
YT_MUST_USE yt_status yt_program_check(yt_program *program, const void *image, size_t size);

/* CRC-32 as in IEEE 802.3; begin with 0, then give the last result for the bytes that follow. */
uint32_t yt_checksum(uint32_t checksum, const void *bytes, size_t size);

#endif
