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
    uint8_t output;
    uint8_t control;
    unsigned node;
} build_root;

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

/* The node of an input control; its record is added where it is new. */
unsigned build_control(build *build, unsigned input, uint16_t page, uint16_t usage, yt_kind kind);

void build_add_root(build *build, unsigned output, unsigned control, unsigned node);

/* The image, in `size` bytes from the pool; NULL if the program would be too large. */
uint8_t *build_image(build *build, size_t *size);

#endif
