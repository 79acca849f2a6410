/* A program as it is built: nodes in order, equal ones once; then its image. */
#ifndef YONDER_COMPILER_BUILD_H
#define YONDER_COMPILER_BUILD_H

#include "compiler/pool.h"
#include "yonder/program.h"

#define BUILD_ARGUMENTS 4
#define BUILD_MOST      65535 /* of anything that a program counts */

typedef struct build_node {
    uint8_t operation;
    uint8_t type;
    uint8_t argument_count;
    int32_t data; /* a constant's value, a control's number; else 0 */
    unsigned arguments[BUILD_ARGUMENTS];
} build_node;

typedef struct build_root {
    yt_program_root record; /* all but its node and its lead */
    unsigned node;
} build_root;

/* A part of the blob: a report descriptor, a report at rest. */
typedef struct build_blob {
    uint8_t *bytes;
    unsigned count, room;
} build_blob;

typedef struct build {
    pool *pool;
    build_node *nodes;
    unsigned node_count, node_room;
    unsigned *index; /* of equal nodes: hash table of node numbers + 1 */
    unsigned index_size;
    build_root *roots;
    unsigned root_count, root_room;
    yt_program_control *controls;
    unsigned control_count, control_room;
    yt_program_control *targets;
    unsigned target_count, target_room;
    yt_program_place *places;
    unsigned place_count, place_room;
    yt_program_range *ranges;
    unsigned range_count, range_room;
    yt_program_interface *interfaces;
    unsigned interface_count, interface_room;
    yt_program_report *reports;
    unsigned report_count, report_room;
    yt_program_pin *pins;
    unsigned pin_count, pin_room;
    yt_program_relay *relays;
    unsigned relay_count, relay_room;
    build_blob blob;
    yt_program_input *inputs;
    unsigned input_count;
    yt_program_output *outputs;
    unsigned output_count;
    const char *text; /* the profile's name, then the names that inputs and outputs point to */
    unsigned text_bytes;
    unsigned name_bytes;
} build;

/* The number of such a node: one that is there already, or a new one. A function that has a second
 * result is followed by the node for it. */
unsigned build_add(build *build, build_node node);

/* The node of a constant: a Q16.16 number. */
unsigned build_constant(build *build, yt_q16 value);

/* The node of a control that is read; its record is added where it is new. `record` is all of it
 * but the node. */
unsigned build_control(build *build, yt_program_control record);

/* The index of such a place or range: one that is there already, or a new one. */
unsigned build_place(build *build, yt_program_place place);
unsigned build_range(build *build, yt_program_range range);

/* Appends to the blob; returns where the bytes begin. */
unsigned build_bytes(build *build, const void *bytes, size_t size);

unsigned build_interface(build *build, yt_program_interface interface);
unsigned build_report(build *build, yt_program_report report);

void build_add_pin(build *build, yt_program_pin pin);
void build_add_relay(build *build, yt_program_relay relay);

void build_add_root(build *build, yt_program_root record, unsigned node);

/* Drives a device's light or motor. */
void build_add_target(build *build, yt_program_control target, unsigned node);

/* The image, in `size` bytes from the pool; NULL if the program would be too large. */
uint8_t *build_image(build *build, size_t *size);

#endif
