#include "compiler/building/build.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "image/check.h"

static unsigned hash_of(const yt_build_node *node) {
    uint32_t hash = node->operation * 31u + node->type;
    hash = hash * 0x01000193u ^ (uint32_t)node->data;
    for (unsigned k = 0; k < node->argument_count; k++)
        hash = (hash ^ node->arguments[k]) * 0x01000193u;
    return hash ^ hash >> 13;
}

static bool is_equal(const yt_build_node *a, const yt_build_node *b) {
    return a->operation == b->operation && a->type == b->type && a->data == b->data &&
           a->argument_count == b->argument_count &&
           (a->argument_count == 0 ||
            memcmp(a->arguments, b->arguments, a->argument_count * sizeof a->arguments[0]) == 0);
}

/* Where a node is in the index, or where it would go. */
static unsigned *index_slot(const yt_build *build, const yt_build_node *node) {
    unsigned at = hash_of(node) & (build->index_size - 1);
    while (build->index[at] && !is_equal(&build->nodes[build->index[at] - 1], node))
        at = (at + 1) & (build->index_size - 1);
    return &build->index[at];
}

static void grow_index(yt_build *build) {
    build->index_size = build->index_size ? 2 * build->index_size : 128;
    build->index = pool_take(build->pool, build->index_size * sizeof *build->index);
    for (unsigned i = 0; i < build->node_count; i++)
        *index_slot(build, &build->nodes[i]) = i + 1;
}

static unsigned append(yt_build *build, yt_build_node node) {
    build->nodes = pool_grow(build->pool, build->nodes, build->node_count, &build->node_room,
                             sizeof *build->nodes);
    build->nodes[build->node_count] = node;
    return build->node_count++;
}

unsigned build_add(yt_build *build, yt_build_node node) {
    if (2 * (build->node_count + 2) >= build->index_size)
        grow_index(build);
    unsigned *slot = index_slot(build, &node);
    if (*slot)
        return *slot - 1;
    unsigned *arguments = pool_take(build->pool, (node.argument_count + 1u) * sizeof *arguments);
    if (node.argument_count > 0)
        memcpy(arguments, node.arguments, node.argument_count * sizeof *arguments);
    node.arguments = arguments;
    unsigned number = append(build, node);
    *slot = number + 1;
    if (operation_has_second(node.operation))
        build_node_of(build, YT_OP_SECOND, YT_TYPE_NUMBER, 1, number, 0, 0);
    return number;
}

unsigned build_node_of(yt_build *build, unsigned operation, unsigned type, unsigned count,
                       unsigned a, unsigned b, unsigned c) {
    const unsigned arguments[] = {a, b, c};
    yt_build_node node = {.operation = (uint16_t)operation,
                          .type = (uint8_t)type,
                          .argument_count = (uint8_t)count,
                          .arguments = arguments};
    return build_add(build, node);
}

/* Nothing finds it by its looks any more, since its number stays in the index. */
void build_alias(yt_build *build, unsigned node, unsigned other) {
    unsigned *arguments = pool_take(build->pool, sizeof *arguments);
    *arguments = other;
    yt_build_node *alias = &build->nodes[node];
    *alias = (yt_build_node){
        .operation = BUILD_ALIAS, .type = alias->type, .argument_count = 1, .arguments = arguments};
}

unsigned build_find(const yt_build *build, unsigned node) {
    while (build->nodes[node].operation == BUILD_ALIAS)
        node = build->nodes[node].arguments[0];
    return node;
}

unsigned build_constant(yt_build *build, yt_q16 value) {
    yt_build_node node = {.operation = YT_OP_CONSTANT, .type = YT_TYPE_NUMBER, .data = value};
    return build_add(build, node);
}

unsigned build_here(yt_build *build, int32_t number) {
    yt_build_node node = {.operation = YT_OP_HERE, .type = YT_TYPE_NUMBER, .data = number};
    return build_add(build, node);
}

unsigned build_switch(yt_build *build, bool on) {
    yt_build_node node = {
        .operation = YT_OP_CONSTANT, .type = YT_TYPE_SWITCH, .data = on ? YT_ONE : 0};
    return build_add(build, node);
}

unsigned build_socket(yt_build *build, unsigned type, const unsigned *arguments, unsigned count) {
    return build_add(build, (yt_build_node){.operation = YT_OP_SOCKET,
                                            .type = (uint8_t)type,
                                            .argument_count = (uint8_t)count,
                                            .data = (int32_t)build->socket_count++,
                                            .arguments = arguments});
}

unsigned build_parameter(yt_build *build, yt_program_parameter parameter) {
    build->parameters = pool_grow(build->pool, build->parameters, build->parameter_count,
                                  &build->parameter_room, sizeof parameter);
    yt_build_node node = {.operation = YT_OP_PARAMETER,
                          .type = YT_TYPE_NUMBER,
                          .data = (int32_t)build->parameter_count};
    unsigned number = build_add(build, node);
    build->parameters[build->parameter_count] = parameter;
    build->parameter_nodes = pool_grow(build->pool, build->parameter_nodes, build->parameter_count,
                                       &build->parameter_node_room, sizeof number);
    build->parameter_nodes[build->parameter_count++] = number;
    return number;
}

static unsigned *reading_slot(const yt_build *build, const yt_program_control *record) {
    uint32_t hash = 0x811c9dc5u;
    for (size_t i = 0; i < sizeof *record; i++)
        hash = (hash ^ ((const uint8_t *)record)[i]) * 0x01000193u;
    unsigned at = (hash ^ hash >> 15) & (build->reading_index_size - 1);
    while (build->reading_index[at] &&
           memcmp(&build->readings[build->reading_index[at] - 1].record, record, sizeof *record))
        at = (at + 1) & (build->reading_index_size - 1);
    return &build->reading_index[at];
}

static void grow_reading_index(yt_build *build) {
    build->reading_index_size = build->reading_index_size ? 2 * build->reading_index_size : 64;
    build->reading_index =
        pool_take(build->pool, build->reading_index_size * sizeof *build->reading_index);
    for (unsigned i = 0; i < build->control_count; i++)
        *reading_slot(build, &build->readings[i].record) = i + 1;
}

unsigned build_control(yt_build *build, yt_program_control record) {
    if (2 * (build->control_count + 1) >= build->reading_index_size)
        grow_reading_index(build);
    unsigned *slot = reading_slot(build, &record);
    if (*slot)
        return build->readings[*slot - 1].node;
    yt_build_node node = {.operation = YT_OP_CONTROL,
                          .type = (uint8_t)yt_type_of_kind(record.kind),
                          .data = (int32_t)build->control_count};
    build->readings = pool_grow(build->pool, build->readings, build->control_count,
                                &build->reading_room, sizeof *build->readings);
    build->readings[build->control_count] = (yt_build_reading){record, build_add(build, node)};
    *slot = build->control_count + 1;
    return build->readings[build->control_count++].node;
}

/* The index of an equal entry of a table, or of a new one. */
#define FIND_OR_ADD(table, entry)                                                                  \
    for (unsigned i = 0; i < build->table##_count; i++)                                            \
        if (memcmp(&build->table##s[i], &(entry), sizeof(entry)) == 0)                             \
            return i;                                                                              \
    build->table##s = pool_grow(build->pool, build->table##s, build->table##_count,                \
                                &build->table##_room, sizeof(entry));                              \
    build->table##s[build->table##_count] = (entry);                                               \
    return build->table##_count++

unsigned build_place(yt_build *build, yt_program_place place) {
    FIND_OR_ADD(place, place);
}

unsigned build_range(yt_build *build, yt_program_range range) {
    FIND_OR_ADD(range, range);
}

unsigned build_interface(yt_build *build, yt_program_interface interface) {
    build->interfaces = pool_grow(build->pool, build->interfaces, build->interface_count,
                                  &build->interface_room, sizeof interface);
    build->interfaces[build->interface_count] = interface;
    return build->interface_count++;
}

unsigned build_report(yt_build *build, yt_program_report report) {
    build->reports = pool_grow(build->pool, build->reports, build->report_count,
                               &build->report_room, sizeof report);
    build->reports[build->report_count] = report;
    return build->report_count++;
}

void build_add_pin(yt_build *build, yt_program_pin pin) {
    build->pins =
        pool_grow(build->pool, build->pins, build->pin_count, &build->pin_room, sizeof pin);
    build->pins[build->pin_count++] = pin;
}

void build_add_filled(yt_build *build, yt_program_filled filled, const yt_program_fill *fills,
                      unsigned count) {
    filled.first_fill = (uint16_t)build->fill_count;
    filled.fill_count = (uint8_t)count;
    build->filled = pool_grow(build->pool, build->filled, build->filled_count, &build->filled_room,
                              sizeof filled);
    build->filled[build->filled_count++] = filled;
    for (unsigned i = 0; i < count; i++) {
        build->fills = pool_grow(build->pool, build->fills, build->fill_count, &build->fill_room,
                                 sizeof *fills);
        build->fills[build->fill_count++] = fills[i];
    }
}

void build_add_relay(yt_build *build, yt_program_relay relay) {
    build->relays =
        pool_grow(build->pool, build->relays, build->relay_count, &build->relay_room, sizeof relay);
    build->relays[build->relay_count++] = relay;
}

unsigned build_bytes(yt_build *build, const void *bytes, size_t size) {
    yt_build_blob *blob = &build->blob;
    unsigned begin = blob->count;
    while (blob->room < begin + size) {
        unsigned room = blob->room ? 2 * blob->room : 256;
        uint8_t *larger = pool_take(build->pool, room);
        if (begin > 0)
            memcpy(larger, blob->bytes, begin);
        blob->bytes = larger;
        blob->room = room;
    }
    memcpy(blob->bytes + begin, bytes, size);
    blob->count += (unsigned)size;
    return begin;
}

void build_add_root(yt_build *build, yt_program_root record, unsigned report, unsigned node) {
    build->roots = pool_grow(build->pool, build->roots, build->root_count, &build->root_room,
                             sizeof *build->roots);
    build->roots[build->root_count] = (yt_build_root){record, report, node, build->root_count};
    build->root_count++;
}

void build_add_target(yt_build *build, yt_program_control target, unsigned node) {
    build->targets = pool_grow(build->pool, build->targets, build->target_count,
                               &build->target_room, sizeof target);
    build->targets[build->target_count] = target;
    build->target_count++;
    build_add_root(build, (yt_program_root){0}, YT_NO_REPORT, node);
}
