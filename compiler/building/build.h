/* A program as it is built: nodes in order, equal ones once; then its image. */
#ifndef YONDER_COMPILER_BUILDING_BUILD_H
#define YONDER_COMPILER_BUILDING_BUILD_H

#include <stdbool.h>

#include "compiler/messages/pool.h"
#include "yonder/image/program.h"

#define BUILD_MOST      65535 /* of anything that a program counts */
#define BUILD_ARGUMENTS 255   /* of one node */

/* Operations that only stand in while a profile is read; what layers there are, and what they name,
 * is known at its end. */
#define BUILD_VIEW    1000 /* a control as the cells of layer `data` see it */
#define BUILD_ALIVE   1001 /* whether layer `data` is on or owns a press */
#define BUILD_PRESSES 1002 /* a pulse for each press that layer `data` names */
#define BUILD_ALIAS   1003 /* its argument, in its place */

typedef struct yt_build_node {
    uint16_t operation;
    uint8_t type;
    uint8_t argument_count;
    int32_t data;   /* a constant's value, a control's, a parameter's, a layer's, a socket's number;
                       else 0 */
    uint16_t value; /* after build_image: the number of its value in the program; YT_NO_VALUE: it is
                       a part of the code of others */
    const unsigned *arguments;
} yt_build_node;

typedef struct yt_build_root {
    yt_program_root record; /* all but its step and its lead */
    unsigned report;        /* YT_NO_REPORT: it drives a target */
    unsigned node;
    unsigned order; /* in which they were added */
} yt_build_root;

typedef struct yt_build_reading {
    yt_program_control record;
    unsigned node;
} yt_build_reading;

/* A part of the blob: a report descriptor, a report at rest. */
typedef struct yt_build_blob {
    uint8_t *bytes;
    unsigned count, room;
} yt_build_blob;

typedef struct yt_build {
    yt_pool *pool;
    yt_build_node *nodes;
    unsigned node_count, node_room;
    unsigned *index; /* of equal nodes: hash table of node numbers + 1 */
    unsigned index_size;
    yt_build_root *roots;
    unsigned root_count, root_room;
    yt_build_reading *readings;
    unsigned control_count, reading_room;
    unsigned *reading_index; /* of equal ones, as `index` */
    unsigned reading_index_size;
    yt_program_control *controls; /* after build_image: those that something needs */
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
    yt_program_filled *filled;
    unsigned filled_count, filled_room;
    yt_program_fill *fills;
    unsigned fill_count, fill_room;
    yt_program_parameter *parameters;
    unsigned *parameter_nodes;
    unsigned parameter_count, parameter_room, parameter_node_room;
    unsigned *numbers; /* after build_image: the number of each node among those that are needed;
                          BUILD_NOWHERE: nothing needed it */
    yt_build_blob blob;
    yt_program_input *inputs;
    unsigned input_count;
    yt_program_output *outputs;
    unsigned output_count;
    unsigned *socket_steps; /* after build_image: of each SOCKET, by its data */
    unsigned socket_count;
    const char *text; /* the profile's name, then the names that inputs and outputs point to */
    unsigned text_bytes;
    unsigned name_bytes;
} yt_build;

#define BUILD_NOWHERE UINT32_MAX

/* The number of such a node: one that is there already, or a new one. A function that has a second
 * result is followed by the node for it. Its arguments are copied. */
unsigned build_add(yt_build *build, yt_build_node node);

/* The same of up to three arguments. */
unsigned build_node_of(yt_build *build, unsigned operation, unsigned type, unsigned count,
                       unsigned a, unsigned b, unsigned c);

/* From now on a node stands for another. */
void build_alias(yt_build *build, unsigned node, unsigned other);

/* The node that it stands for in the end. */
unsigned build_find(const yt_build *build, unsigned node);

/* The node of a constant: a Q16.16 number; a switch that is always on or off. */
unsigned build_constant(yt_build *build, yt_q16 value);

/* The node of a number that stands in the code of the function that takes it; it has 24 bits. */
unsigned build_here(yt_build *build, int32_t number);
#define BUILD_HERE_MOST 0x7fffff
unsigned build_switch(yt_build *build, bool on);

/* The node of a value that can be rebound: `arguments` are what it is as it was written, then what
 * it may be instead. Each is another one. */
unsigned build_socket(yt_build *build, unsigned type, const unsigned *arguments, unsigned count);

/* A new parameter; gives its node. */
unsigned build_parameter(yt_build *build, yt_program_parameter parameter);

/* The node of a control that is read; its record is added where it is new. */
unsigned build_control(yt_build *build, yt_program_control record);

/* The index of such a place or range: one that is there already, or a new one. */
unsigned build_place(yt_build *build, yt_program_place place);
unsigned build_range(yt_build *build, yt_program_range range);

/* Appends to the blob; returns where the bytes begin. */
unsigned build_bytes(yt_build *build, const void *bytes, size_t size);

unsigned build_interface(yt_build *build, yt_program_interface interface);
unsigned build_report(yt_build *build, yt_program_report report);

void build_add_pin(yt_build *build, yt_program_pin pin);
void build_add_relay(yt_build *build, yt_program_relay relay);

/* Adds a report that fills itself, with its fields; where they begin is told by the build. */
void build_add_filled(yt_build *build, yt_program_filled filled, const yt_program_fill *fills,
                      unsigned count);

void build_add_root(yt_build *build, yt_program_root record, unsigned report, unsigned node);

/* Drives a device's light or motor. */
void build_add_target(yt_build *build, yt_program_control target, unsigned node);

/* The image, in `size` bytes from the pool; NULL if the program would be too large. */
uint8_t *build_image(yt_build *build, size_t *size);

#endif
