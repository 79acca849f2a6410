#include "compiler/build.h"

#include <stdlib.h>
#include <string.h>

#include "image/operations.h"
#include "yonder/hid.h"

static unsigned hash_of(const build_node *node) {
    uint32_t hash = node->operation * 31u + node->type;
    hash = hash * 0x01000193u ^ (uint32_t)node->data;
    for (unsigned k = 0; k < node->argument_count; k++)
        hash = (hash ^ node->arguments[k]) * 0x01000193u;
    return hash ^ hash >> 13;
}

static bool is_equal(const build_node *a, const build_node *b) {
    return a->operation == b->operation && a->type == b->type && a->data == b->data &&
           a->argument_count == b->argument_count &&
           (a->argument_count == 0 ||
            memcmp(a->arguments, b->arguments, a->argument_count * sizeof a->arguments[0]) == 0);
}

/* Where a node is in the index, or where it would go. */
static unsigned *index_slot(const build *build, const build_node *node) {
    unsigned at = hash_of(node) & (build->index_size - 1);
    while (build->index[at] && !is_equal(&build->nodes[build->index[at] - 1], node))
        at = (at + 1) & (build->index_size - 1);
    return &build->index[at];
}

static void grow_index(build *build) {
    build->index_size = build->index_size ? 2 * build->index_size : 128;
    build->index = pool_take(build->pool, build->index_size * sizeof *build->index);
    for (unsigned i = 0; i < build->node_count; i++)
        *index_slot(build, &build->nodes[i]) = i + 1;
}

static unsigned append(build *build, build_node node) {
    build->nodes = pool_grow(build->pool, build->nodes, build->node_count, &build->node_room,
                             sizeof *build->nodes);
    build->nodes[build->node_count] = node;
    return build->node_count++;
}

unsigned build_add(build *build, build_node node) {
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
    if (yt_operation_has_second(node.operation))
        build_node_of(build, YT_OP_SECOND, YT_TYPE_NUMBER, 1, number, 0, 0);
    return number;
}

unsigned build_node_of(build *build, unsigned operation, unsigned type, unsigned count, unsigned a,
                       unsigned b, unsigned c) {
    const unsigned arguments[] = {a, b, c};
    build_node node = {.operation = (uint8_t)operation,
                       .type = (uint8_t)type,
                       .argument_count = (uint8_t)count,
                       .arguments = arguments};
    return build_add(build, node);
}

/* Nothing finds it by its looks any more, since its number stays in the index. */
void build_alias(build *build, unsigned node, unsigned other) {
    unsigned *arguments = pool_take(build->pool, sizeof *arguments);
    *arguments = other;
    build_node *alias = &build->nodes[node];
    *alias = (build_node){
        .operation = BUILD_ALIAS, .type = alias->type, .argument_count = 1, .arguments = arguments};
}

unsigned build_find(const build *build, unsigned node) {
    while (build->nodes[node].operation == BUILD_ALIAS)
        node = build->nodes[node].arguments[0];
    return node;
}

unsigned build_constant(build *build, yt_q16 value) {
    build_node node = {.operation = YT_OP_CONSTANT, .type = YT_TYPE_NUMBER, .data = value};
    return build_add(build, node);
}

unsigned build_switch(build *build, bool on) {
    build_node node = {
        .operation = YT_OP_CONSTANT, .type = YT_TYPE_SWITCH, .data = on ? YT_ONE : 0};
    return build_add(build, node);
}

unsigned build_parameter(build *build, yt_program_parameter parameter) {
    build->parameters = pool_grow(build->pool, build->parameters, build->parameter_count,
                                  &build->parameter_room, sizeof parameter);
    build_node node = {.operation = YT_OP_PARAMETER,
                       .type = YT_TYPE_NUMBER,
                       .data = (int32_t)build->parameter_count};
    unsigned number = build_add(build, node);
    build->parameters[build->parameter_count] = parameter;
    build->parameter_nodes = pool_grow(build->pool, build->parameter_nodes, build->parameter_count,
                                       &build->parameter_node_room, sizeof number);
    build->parameter_nodes[build->parameter_count++] = number;
    return number;
}

static unsigned node_type(unsigned kind) {
    return kind == YT_SWITCH ? YT_TYPE_SWITCH : kind == YT_MOTION ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
}

static unsigned *reading_slot(const build *build, const yt_program_control *record) {
    uint32_t hash = 0x811c9dc5u;
    for (size_t i = 0; i < sizeof *record; i++)
        hash = (hash ^ ((const uint8_t *)record)[i]) * 0x01000193u;
    unsigned at = (hash ^ hash >> 15) & (build->reading_index_size - 1);
    while (build->reading_index[at] &&
           memcmp(&build->readings[build->reading_index[at] - 1].record, record, sizeof *record))
        at = (at + 1) & (build->reading_index_size - 1);
    return &build->reading_index[at];
}

static void grow_reading_index(build *build) {
    build->reading_index_size = build->reading_index_size ? 2 * build->reading_index_size : 64;
    build->reading_index =
        pool_take(build->pool, build->reading_index_size * sizeof *build->reading_index);
    for (unsigned i = 0; i < build->control_count; i++)
        *reading_slot(build, &build->readings[i].record) = i + 1;
}

unsigned build_control(build *build, yt_program_control record) {
    if (2 * (build->control_count + 1) >= build->reading_index_size)
        grow_reading_index(build);
    unsigned *slot = reading_slot(build, &record);
    if (*slot)
        return build->readings[*slot - 1].node;
    build_node node = {.operation = YT_OP_CONTROL,
                       .type = (uint8_t)node_type(record.kind),
                       .data = (int32_t)build->control_count};
    build->readings = pool_grow(build->pool, build->readings, build->control_count,
                                &build->reading_room, sizeof *build->readings);
    build->readings[build->control_count] = (build_reading){record, build_add(build, node)};
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

unsigned build_place(build *build, yt_program_place place) {
    FIND_OR_ADD(place, place);
}

unsigned build_range(build *build, yt_program_range range) {
    FIND_OR_ADD(range, range);
}

unsigned build_interface(build *build, yt_program_interface interface) {
    build->interfaces = pool_grow(build->pool, build->interfaces, build->interface_count,
                                  &build->interface_room, sizeof interface);
    build->interfaces[build->interface_count] = interface;
    return build->interface_count++;
}

unsigned build_report(build *build, yt_program_report report) {
    build->reports = pool_grow(build->pool, build->reports, build->report_count,
                               &build->report_room, sizeof report);
    build->reports[build->report_count] = report;
    return build->report_count++;
}

void build_add_pin(build *build, yt_program_pin pin) {
    build->pins =
        pool_grow(build->pool, build->pins, build->pin_count, &build->pin_room, sizeof pin);
    build->pins[build->pin_count++] = pin;
}

void build_add_relay(build *build, yt_program_relay relay) {
    build->relays =
        pool_grow(build->pool, build->relays, build->relay_count, &build->relay_room, sizeof relay);
    build->relays[build->relay_count++] = relay;
}

unsigned build_bytes(build *build, const void *bytes, size_t size) {
    build_blob *blob = &build->blob;
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

void build_add_root(build *build, yt_program_root record, unsigned node) {
    build->roots = pool_grow(build->pool, build->roots, build->root_count, &build->root_room,
                             sizeof *build->roots);
    build->roots[build->root_count++] = (build_root){record, node};
}

void build_add_target(build *build, yt_program_control target, unsigned node) {
    build->targets = pool_grow(build->pool, build->targets, build->target_count,
                               &build->target_room, sizeof target);
    build->targets[build->target_count] = target;
    yt_program_root root = {.report = YT_NO_REPORT, .number = (uint16_t)build->target_count++};
    build_add_root(build, root, node);
}

/* By report, those of devices last; switches before the rest; by place, then by direction. */
static int compare_roots(const void *a, const void *b) {
    const yt_program_root *one = &((const build_root *)a)->record;
    const yt_program_root *other = &((const build_root *)b)->record;
    int orders[] = {one->report - other->report,
                    (one->kind >= YT_ROOT_AXIS) - (other->kind >= YT_ROOT_AXIS),
                    one->bit - other->bit, one->kind == YT_ROOT_HAT ? one->part - other->part : 0,
                    one->number - other->number};
    for (size_t i = 0; i < sizeof orders / sizeof orders[0]; i++)
        if (orders[i])
            return orders[i];
    return 0;
}

/* What the image is made of, before it is put together. */
typedef struct tables {
    yt_program_header header;
    yt_q16 *constants;
    yt_program_node *nodes;
    uint16_t *arguments;
    uint16_t *users;
    yt_program_root *roots;
} tables;

static uint16_t constant_index(tables *tables, yt_q16 value) {
    for (uint16_t i = 0; i < tables->header.constant_count; i++)
        if (tables->constants[i] == value)
            return i;
    tables->constants[tables->header.constant_count] = value;
    return tables->header.constant_count++;
}

static void make_nodes(const build *build, tables *tables) {
    for (unsigned i = 0; i < build->node_count; i++) {
        const build_node *from = &build->nodes[i];
        const yt_operation *operation = yt_operation_of(from->operation);
        yt_program_node *node = &tables->nodes[i];
        node->operation = from->operation;
        node->type = from->type;
        node->argument_count = from->argument_count;
        if (from->operation >= YT_OP_FUNCTIONS)
            tables->header.groups |= (uint16_t)(1u << yt_operation_group(from->operation));
        node->first_argument = tables->header.argument_count;
        for (unsigned k = 0; k < from->argument_count; k++)
            tables->arguments[tables->header.argument_count++] = (uint16_t)from->arguments[k];
        if (from->operation == YT_OP_CONSTANT)
            node->data = constant_index(tables, from->data);
        else if (from->operation == YT_OP_CONTROL)
            node->data = (uint16_t)from->data;
        else if (from->operation == YT_OP_SECOND)
            node->data = tables->nodes[i - 1].data;
        else if (from->operation == YT_OP_PARAMETER)
            node->data = (uint16_t)from->data;
        if (operation->state_words > 0) {
            node->data = tables->header.state_words;
            tables->header.state_words =
                (uint16_t)(node->data + yt_operation_words(operation, node->argument_count));
            tables->header.timer_count = (uint16_t)(tables->header.timer_count + operation->timers);
        }
    }
}

/* Whether a root is another direction of the hat that the root before it is of. */
static bool continues_hat(const yt_program_root *roots, unsigned i) {
    return i > 0 && roots[i].kind == YT_ROOT_HAT && roots[i - 1].kind == YT_ROOT_HAT &&
           roots[i].report == roots[i - 1].report && roots[i].bit == roots[i - 1].bit;
}

/* False where a report would have more roots than it can count. */
static bool make_roots(build *build, tables *tables) {
    if (build->root_count > 0)
        qsort(build->roots, build->root_count, sizeof *build->roots, compare_roots);
    for (unsigned i = 0; i < build->root_count; i++) {
        yt_program_root *root = &tables->roots[i];
        *root = build->roots[i].record;
        root->node = (uint16_t)build->roots[i].node;
        if (root->report == YT_NO_REPORT)
            continue;
        yt_program_report *report = &build->reports[root->report];
        if (report->root_count == UINT8_MAX)
            return false;
        root->lead =
            continues_hat(tables->roots, i) ? tables->roots[i - 1].lead : report->root_count;
        report->root_count++;
        report->switch_count = (uint8_t)(report->switch_count + (root->kind < YT_ROOT_AXIS));
    }
    unsigned next = 0;
    for (unsigned i = 0; i < build->report_count; i++) {
        build->reports[i].first_root =
            build->reports[i].direction == YT_HID_INPUT ? (uint16_t)next : 0;
        next += build->reports[i].root_count;
    }
    return true;
}

/* Whether an argument stands further left in the same node too: a node is listed once. */
static bool is_repeated(const build_node *node, unsigned k) {
    for (unsigned j = 0; j < k; j++)
        if (node->arguments[j] == node->arguments[k])
            return true;
    return false;
}

/* The users of each node: counted, laid one behind the other, then filled in ascending order. */
static void make_users(const build *build, tables *tables) {
    for (int fill = 0; fill < 2; fill++) {
        for (unsigned i = 0; i < build->node_count; i++) {
            const build_node *node = &build->nodes[i];
            for (unsigned k = 0; k < node->argument_count; k++) {
                yt_program_node *used = &tables->nodes[node->arguments[k]];
                if (is_repeated(node, k))
                    continue;
                if (fill)
                    tables->users[used->first_user + used->user_count] = (uint16_t)i;
                used->user_count++;
            }
        }
        for (unsigned i = 0; i < build->root_count; i++) {
            yt_program_node *used = &tables->nodes[tables->roots[i].node];
            if (fill)
                tables->users[used->first_user + used->user_count] =
                    (uint16_t)(build->node_count + i);
            used->user_count++;
        }
        if (fill)
            return;
        for (unsigned i = 0; i < build->node_count; i++) {
            tables->nodes[i].first_user = tables->header.user_count;
            tables->header.user_count =
                (uint16_t)(tables->header.user_count + tables->nodes[i].user_count);
            tables->nodes[i].user_count = 0;
        }
    }
}

static size_t put(uint8_t *image, size_t at, const void *table, size_t bytes) {
    if (bytes > 0 && image)
        memcpy(image + at, table, bytes);
    return (at + bytes + 3) & ~(size_t)3;
}

/* Lays the tables one behind the other; with `image` NULL only measures. */
static size_t put_all(const build *build, const tables *tables, uint8_t *image) {
    const yt_program_header *header = &tables->header;
    size_t at = 0;
#define PUT(table, count) at = put(image, at, table, (count) * sizeof *(table))
    PUT(header, 1);
    PUT(build->inputs, header->input_count);
    PUT(build->controls, header->control_count);
    PUT(build->targets, header->target_count);
    PUT(build->places, header->place_count);
    PUT(build->ranges, header->range_count);
    PUT(tables->constants, header->constant_count);
    PUT(tables->nodes, header->node_count);
    PUT(tables->arguments, header->argument_count);
    PUT(tables->users, header->user_count);
    PUT(build->interfaces, header->interface_count);
    PUT(build->reports, header->report_count);
    PUT(build->outputs, header->output_count);
    PUT(tables->roots, header->root_count);
    PUT(build->pins, header->pin_count);
    PUT(build->relays, header->relay_count);
    PUT(build->parameters, header->parameter_count);
    PUT(build->text, header->text_bytes);
    PUT(build->blob.bytes, header->blob_bytes);
#undef PUT
    return at;
}

static size_t count_arguments(const build *build) {
    size_t arguments = 0;
    for (unsigned i = 0; i < build->node_count; i++)
        arguments += build->nodes[i].argument_count;
    return arguments;
}

static bool is_too_large(const build *build) {
    unsigned words = 0;
    for (unsigned i = 0; i < build->node_count; i++)
        words += yt_operation_words(yt_operation_of(build->nodes[i].operation),
                                    build->nodes[i].argument_count);
    return build->node_count + build->root_count > BUILD_MOST ||
           count_arguments(build) + build->root_count > BUILD_MOST || words > BUILD_MOST ||
           build->control_count + build->target_count > YT_PROGRAM_CONTROLS ||
           build->text_bytes > BUILD_MOST || build->blob.count > BUILD_MOST ||
           build->range_count > BUILD_MOST || build->place_count >= YT_NO_PLACE ||
           build->parameter_count > BUILD_MOST || build->node_count * 12u > YT_PROGRAM_BYTES;
}

/* The nodes that roots and parameters depend on, each behind its arguments. */
typedef struct order {
    build *build;
    unsigned *numbers; /* of each node in the new order; BUILD_NOWHERE: it is not in it */
    build_node *nodes;
    unsigned count;
    unsigned *path; /* nodes that wait for their arguments, the innermost last */
    unsigned depth;
} order;

static void place_node(order *order, unsigned node) {
    order->nodes[order->count] = order->build->nodes[node];
    order->numbers[node] = order->count++;
}

/* The first argument of a node that has no number yet; itself where all have. */
static unsigned missing_argument(const order *order, unsigned node) {
    const build_node *at = &order->build->nodes[node];
    for (unsigned k = 0; k < at->argument_count; k++) {
        unsigned argument = build_find(order->build, at->arguments[k]);
        if (order->numbers[argument] == BUILD_NOWHERE)
            return argument;
    }
    return node;
}

/* A function and its second result stay together. */
static void place_with_arguments(order *order, unsigned node) {
    node = build_find(order->build, node);
    order->path[order->depth++] = node;
    while (order->depth > 0) {
        unsigned at = order->path[order->depth - 1];
        unsigned missing = missing_argument(order, at);
        if (missing != at) {
            order->path[order->depth++] = missing;
            continue;
        }
        order->depth--;
        if (order->numbers[at] != BUILD_NOWHERE)
            continue;
        place_node(order, at);
        if (yt_operation_has_second(order->build->nodes[at].operation))
            place_node(order, at + 1);
    }
}

static int compare_numbers(const void *a, const void *b) {
    unsigned one = *(const unsigned *)a, other = *(const unsigned *)b;
    return one < other ? -1 : one > other;
}

/* Takes out what nothing depends on, a key that turned out to be read as a level only, say, and
 * puts the rest into an order in which arguments come first. */
static void sort_nodes(build *build) {
    unsigned count = build->node_count, wanted = build->root_count + build->parameter_count;
    pool *pool = build->pool;
    order order = {.build = build,
                   .numbers = pool_take(pool, (count + 1) * sizeof(unsigned)),
                   .nodes = pool_take(pool, (count + 1) * sizeof(build_node)),
                   .path = pool_take(pool, (count + 1) * sizeof(unsigned))};
    unsigned *first = pool_take(pool, (wanted + 1) * sizeof *first);
    for (unsigned i = 0; i < count; i++)
        order.numbers[i] = BUILD_NOWHERE;
    for (unsigned i = 0; i < build->root_count; i++)
        first[i] = build_find(build, build->roots[i].node);
    for (unsigned i = 0; i < build->parameter_count; i++)
        first[build->root_count + i] = build->parameter_nodes[i];
    qsort(first, wanted, sizeof *first, compare_numbers);
    for (unsigned i = 0; i < wanted; i++)
        place_with_arguments(&order, first[i]);
    for (unsigned i = 0; i < order.count; i++) {
        build_node *node = &order.nodes[i];
        unsigned *arguments =
            pool_take(pool, (node->argument_count + 1u) * sizeof *node->arguments);
        for (unsigned k = 0; k < node->argument_count; k++)
            arguments[k] = order.numbers[build_find(build, node->arguments[k])];
        node->arguments = arguments;
    }
    build->numbers = order.numbers;
    for (unsigned i = 0; i < count; i++)
        order.numbers[i] = order.numbers[build_find(build, i)];
    build->nodes = order.nodes;
    build->node_count = order.count;
}

/* Roots and controls point to nodes by their new numbers; controls that nothing reads go. */
static void renumber(build *build) {
    unsigned count = 0;
    build->controls = pool_take(build->pool, (build->control_count + 1) * sizeof *build->controls);
    for (unsigned i = 0; i < build->control_count; i++) {
        unsigned node = build->numbers[build->readings[i].node];
        if (node == BUILD_NOWHERE)
            continue;
        build->controls[count] = build->readings[i].record;
        build->controls[count].node = (uint16_t)node;
        build->nodes[node].data = (int32_t)count++;
    }
    build->control_count = count;
    for (unsigned i = 0; i < build->root_count; i++)
        build->roots[i].node = build->numbers[build->roots[i].node];
    for (unsigned i = 0; i < build->parameter_count; i++)
        build->parameters[i].node = (uint16_t)build->numbers[build->parameter_nodes[i]];
}

uint8_t *build_image(build *build, size_t *size) {
    sort_nodes(build);
    renumber(build);
    if (is_too_large(build))
        return NULL;
    pool *pool = build->pool;
    tables tables = {.constants = pool_take(pool, (build->node_count + 1) * sizeof(yt_q16)),
                     .nodes = pool_take(pool, (build->node_count + 1) * sizeof(yt_program_node)),
                     .arguments = pool_take(pool, (count_arguments(build) + 1) * 2),
                     .users = pool_take(pool, (count_arguments(build) + build->root_count + 1) * 2),
                     .roots = pool_take(pool, (build->root_count + 1) * sizeof(yt_program_root))};
    tables.header = (yt_program_header){.magic = YT_PROGRAM_MAGIC,
                                        .version = YT_PROGRAM_VERSION,
                                        .header_bytes = sizeof(yt_program_header),
                                        .input_count = (uint16_t)build->input_count,
                                        .control_count = (uint16_t)build->control_count,
                                        .node_count = (uint16_t)build->node_count,
                                        .target_count = (uint16_t)build->target_count,
                                        .place_count = (uint16_t)build->place_count,
                                        .range_count = (uint16_t)build->range_count,
                                        .interface_count = (uint16_t)build->interface_count,
                                        .report_count = (uint16_t)build->report_count,
                                        .pin_count = (uint16_t)build->pin_count,
                                        .relay_count = (uint16_t)build->relay_count,
                                        .blob_bytes = (uint16_t)build->blob.count,
                                        .output_count = (uint16_t)build->output_count,
                                        .parameter_count = (uint16_t)build->parameter_count,
                                        .root_count = (uint16_t)build->root_count,
                                        .text_bytes = (uint16_t)build->text_bytes,
                                        .name_bytes = (uint16_t)build->name_bytes};
    make_nodes(build, &tables);
    if (!make_roots(build, &tables))
        return NULL;
    make_users(build, &tables);
    *size = put_all(build, &tables, NULL);
    if (*size > YT_PROGRAM_BYTES)
        return NULL;
    tables.header.total_bytes = (uint32_t)*size;
    uint8_t *image = pool_take(pool, *size);
    put_all(build, &tables, image);
    uint32_t checksum = yt_checksum(0, image + 16, *size - 16);
    memcpy(image + 12, &checksum, sizeof checksum);
    return image;
}
