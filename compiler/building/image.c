/* What was built becomes the bytes of a program (docs/program-format.md): nodes that are needed in
 * their order, steps of them, who uses which value, and all tables behind one another. */
#include <stdlib.h>
#include <string.h>

#include "compiler/building/build.h"
#include "compiler/building/operations.h"
#include "compiler/building/steps.h"
#include "image/check.h"
#include "image/code.h"
#include "image/functions.h"

/* By report, those of devices last; switches before the rest; by place, then by direction. */
static int compare_roots(const void *a, const void *b) {
    const yt_build_root *one = a, *other = b;
    const yt_program_root *record = &one->record, *other_record = &other->record;
    int orders[] = {(int)one->report - (int)other->report,
                    (record->kind >= YT_ROOT_AXIS) - (other_record->kind >= YT_ROOT_AXIS),
                    record->at.bit - other_record->at.bit,
                    record->part - other_record->part,
                    record->number - other_record->number,
                    (int)one->order - (int)other->order};
    for (size_t i = 0; i < sizeof orders / sizeof orders[0]; i++)
        if (orders[i])
            return orders[i];
    return 0;
}

/* Whether a root is another direction of the hat that the root before it is of. */
static bool continues_hat(const yt_build_root *roots, unsigned i) {
    return i > 0 && roots[i].record.kind == YT_ROOT_HAT &&
           roots[i - 1].record.kind == YT_ROOT_HAT && roots[i].report == roots[i - 1].report &&
           roots[i].record.at.bit == roots[i - 1].record.at.bit;
}

/* False where a report would have more roots than it can count. */
static bool place_roots(yt_build *build) {
    for (unsigned i = 0; i < build->root_count; i++) {
        yt_build_root *root = &build->roots[i];
        if (root->report == YT_NO_REPORT)
            continue;
        yt_program_report *report = &build->reports[root->report];
        if (report->root_count == UINT8_MAX)
            return false;
        root->record.lead =
            continues_hat(build->roots, i) ? build->roots[i - 1].record.lead : report->root_count;
        root->record.at.report_id = report->id;
        report->root_count++;
        report->switch_count = (uint8_t)(report->switch_count + (root->record.kind < YT_ROOT_AXIS));
    }
    unsigned next = 0;
    for (unsigned i = 0; i < build->report_count; i++) {
        build->reports[i].first_root =
            build->reports[i].direction == YT_HID_INPUT ? (uint16_t)next : 0;
        next += build->reports[i].root_count;
    }
    return build->target_count <= UINT8_MAX;
}

/* What the image is made of, before it is put together. */
typedef struct yt_tables {
    yt_program_header header;
    yt_made_steps made;
    yt_instruction *code;
    uint8_t *types;
    yt_program_users *users;
    yt_program_mark *marks;
    unsigned mark_count, mark_room;
    yt_program_wire *wires;
    unsigned wire_count, wire_room;
    bool *is_told_by_wire; /* of each step */
    yt_program_root *roots;
} yt_tables;

/* The number of a value, now that it is known how many there are of each kind. */
static uint16_t number_of(const yt_build *build, const yt_tables *tables, yt_operand operand) {
    unsigned constants = tables->made.constant_count;
    unsigned controls = constants + build->parameter_count;
    unsigned steps = controls + build->control_count;
    switch (operand.kind) {
    case OPERAND_CONSTANT:
    case OPERAND_FUNCTION:
        return (uint16_t)operand.index;
    case OPERAND_PARAMETER:
        return (uint16_t)(constants + operand.index);
    case OPERAND_CONTROL:
        return (uint16_t)(controls + operand.index);
    case OPERAND_STEP:
        return (uint16_t)(steps + operand.index);
    case OPERAND_TEMPORARY:
        return (uint16_t)(steps + tables->made.value_count + operand.index);
    default:
        return 0;
    }
}

static void number_code(const yt_build *build, yt_tables *tables) {
    yt_made_steps *made = &tables->made;
    unsigned first = made->constant_count + build->parameter_count + build->control_count;
    for (unsigned i = 0; i < made->code_count; i++) {
        const yt_made_instruction *at = &made->code[i];
        tables->code[i] =
            at->operand.kind == OPERAND_HERE
                ? (yt_instruction){at->code, (uint8_t)at->operand.index,
                                   (uint16_t)(at->operand.index >> 8)}
                : (yt_instruction){at->code, at->count, number_of(build, tables, at->operand)};
    }
    for (unsigned i = 0; i < made->step_count; i++)
        if (made->steps[i].value != YT_NO_VALUE)
            made->steps[i].value = (uint16_t)(made->steps[i].value + first);
    for (unsigned i = 0; i < build->node_count; i++)
        if (made->values[i].kind != OPERAND_NONE && made->values[i].kind != OPERAND_HERE)
            build->nodes[i].value = number_of(build, tables, made->values[i]);
}

static void type_values(const yt_build *build, yt_tables *tables) {
    uint8_t *type = tables->types;
    for (unsigned i = 0; i < tables->made.constant_count; i++) {
        yt_q16 value = tables->made.constants[i];
        *type++ = value == 0 || value == YT_ONE ? YT_TYPE_SWITCH : YT_TYPE_NUMBER;
    }
    for (unsigned i = 0; i < build->parameter_count; i++)
        *type++ = YT_TYPE_NUMBER;
    for (unsigned i = 0; i < build->control_count; i++)
        *type++ = yt_type_of_kind(build->controls[i].kind);
    for (unsigned i = 0; i < tables->made.value_count; i++)
        *type++ = tables->made.value_types[i];
}

static bool is_control_pulse(const yt_build *build, yt_operand operand) {
    return operand.kind == OPERAND_CONTROL && build->controls[operand.index].kind == YT_MOTION;
}

/* The kind of wire that a step's code comes to; YT_WIRE_KIND_COUNT: it needs the step. */
static yt_wire_kind root_wire(const yt_build *build, const yt_tables *tables,
                              const yt_program_step *step) {
    const yt_made_instruction *at = &tables->made.code[step->code];
    if (step->tells != YT_TELLS_MOTION || at[0].code != YT_CODE_LOAD ||
        !is_control_pulse(build, at[0].operand))
        return YT_WIRE_KIND_COUNT;
    if (at[1].code == YT_CODE_END)
        return YT_WIRE_PLAIN;
    if (at[2].code != YT_CODE_END)
        return YT_WIRE_KIND_COUNT;
    return at[1].code == YT_CODE_MULTIPLY ? YT_WIRE_SCALED
           : at[1].code == YT_CODE_GATE   ? YT_WIRE_GATED
                                          : YT_WIRE_KIND_COUNT;
}

/* A stick that is always alive, and looked at only when its time is over or a parameter changes:
 * never while something moves. */
static bool is_wired_stick(const yt_build *build, const yt_tables *tables,
                           const yt_program_step *step) {
    const yt_made_instruction *at = &tables->made.code[step->code];
    if (at->code != YT_CODE_CALL || at->operand.index != YT_DO_STICK_FROM_MOTION ||
        at[1].operand.kind != OPERAND_CONSTANT ||
        tables->made.constants[at[1].operand.index] != YT_ONE)
        return false;
    for (unsigned k = 4; k <= at->count; k++)
        if (at[k].operand.kind != OPERAND_CONSTANT && at[k].operand.kind != OPERAND_PARAMETER)
            return false;
    return is_control_pulse(build, at[2].operand) && is_control_pulse(build, at[3].operand);
}

static void add_wire(const yt_build *build, yt_tables *tables, unsigned step, unsigned kind,
                     unsigned factor) {
    tables->wires = pool_grow(build->pool, tables->wires, tables->wire_count, &tables->wire_room,
                              sizeof *tables->wires);
    tables->wires[tables->wire_count++] = (yt_program_wire){
        .step = (uint16_t)step, .factor = (uint16_t)factor, .kind = (uint8_t)kind};
}

/* The wires of a control that moves. */
static void make_wires(const yt_build *build, yt_tables *tables, unsigned control) {
    const yt_made_steps *made = &tables->made;
    for (unsigned i = 0; i < made->step_count; i++) {
        const yt_made_instruction *at = &made->code[made->steps[i].code];
        yt_wire_kind kind = root_wire(build, tables, &made->steps[i]);
        bool is_stick = is_wired_stick(build, tables, &made->steps[i]);
        if (kind != YT_WIRE_KIND_COUNT && at->operand.index == control) {
            tables->is_told_by_wire[i] = true;
            add_wire(build, tables, i, kind,
                     kind == YT_WIRE_PLAIN ? 0u : number_of(build, tables, at[1].operand));
        }
        for (unsigned k = 0; is_stick && k < 2; k++)
            if (at[2 + k].operand.index == control)
                add_wire(build, tables, i, YT_WIRE_STICK_X + k, 0);
    }
}

/* Which step takes a value; `sees` compares it, as a pulse. */
typedef struct yt_taking {
    uint16_t value;
    uint16_t step;
    bool sees;
} yt_taking;

static int compare_takings(const void *a, const void *b) {
    const yt_taking *one = a, *other = b;
    int orders[] = {one->value - other->value, one->sees - other->sees, one->step - other->step};
    return orders[0] ? orders[0] : orders[1] ? orders[1] : orders[2];
}

/* What may be rebound is looked at when anything changes that it may take. */
static unsigned list_rebindings(const yt_build *build, const yt_tables *tables, yt_taking *list) {
    unsigned count = 0;
    for (unsigned i = 0; i < build->node_count; i++) {
        const yt_build_node *node = &build->nodes[i];
        for (unsigned k = 1; node->operation == YT_OP_SOCKET && k < node->argument_count; k++) {
            uint16_t value = build->nodes[node->arguments[k]].value;
            if (list && value >= tables->made.constant_count)
                list[count] =
                    (yt_taking){value, (uint16_t)tables->made.socket_steps[node->data], false};
            count += value >= tables->made.constant_count;
        }
    }
    return count;
}

/* All takings in order: of each value first all, then once more those that see it. */
static yt_taking *list_takings(const yt_build *build, const yt_tables *tables, unsigned *count) {
    const yt_made_steps *made = &tables->made;
    unsigned rebindings = list_rebindings(build, tables, NULL);
    yt_taking *list =
        pool_take(build->pool, (2 * made->code_count + rebindings + 1) * sizeof *list);
    unsigned step = 0;
    *count = 0;
    for (unsigned i = 0; i < made->code_count; i++) {
        yt_operand_kind kind = made->code[i].operand.kind;
        uint16_t value = tables->code[i].operand;
        bool is_wired =
            tables->is_told_by_wire[step] || (is_control_pulse(build, made->code[i].operand) &&
                                              is_wired_stick(build, tables, &made->steps[step]));
        if (!is_wired &&
            (kind == OPERAND_PARAMETER || kind == OPERAND_CONTROL || kind == OPERAND_STEP))
            list[(*count)++] = (yt_taking){value, (uint16_t)step, false};
        if (made->code[i].code == YT_CODE_SEEN)
            list[(*count)++] = (yt_taking){value, (uint16_t)step, true};
        step += made->code[i].code == YT_CODE_END;
    }
    *count += list_rebindings(build, tables, list + *count);
    qsort(list, *count, sizeof *list, compare_takings);
    return list;
}

/* The marks of takings that are of one value, and alike; in words. */
static unsigned put_marks(const yt_build *build, yt_tables *tables, const yt_taking *list,
                          unsigned count) {
    unsigned words = 0;
    for (unsigned i = 0; i < count; i++) {
        unsigned word = list[i].step / 32;
        if (words == 0 || tables->marks[tables->mark_count - 1].word != word) {
            tables->marks = pool_grow(build->pool, tables->marks, tables->mark_count,
                                      &tables->mark_room, sizeof *tables->marks);
            tables->marks[tables->mark_count++] = (yt_program_mark){.word = (uint16_t)word};
            words++;
        }
        tables->marks[tables->mark_count - 1].bits |= (uint32_t)1 << (list[i].step % 32);
    }
    return words;
}

/* False where a value has more users than can be said. */
static bool make_users(const yt_build *build, yt_tables *tables) {
    unsigned count, at = 0, first = tables->made.constant_count;
    unsigned controls = first + build->parameter_count;
    for (unsigned i = 0; i < build->control_count; i++) {
        yt_program_users *users = &tables->users[controls + i - first];
        users->first_wire = (uint16_t)tables->wire_count;
        if (build->controls[i].kind == YT_MOTION)
            make_wires(build, tables, i);
        if (tables->wire_count - users->first_wire > UINT8_MAX)
            return false;
        users->wires = (uint8_t)(tables->wire_count - users->first_wire);
    }
    for (unsigned value = controls + build->control_count; value < tables->header.value_count;
         value++)
        tables->users[value - first].first_wire = (uint16_t)tables->wire_count;
    const yt_taking *list = list_takings(build, tables, &count);
    for (unsigned value = first; value < tables->header.value_count; value++) {
        yt_program_users *users = &tables->users[value - first];
        unsigned words[2];
        users->first = (uint16_t)tables->mark_count;
        for (int sees = 0; sees < 2; sees++) {
            unsigned end = at;
            while (end < count && list[end].value == value && list[end].sees == sees)
                end++;
            words[sees] = put_marks(build, tables, &list[at], end - at);
            at = end;
        }
        users->count = (uint8_t)words[0];
        users->seers = (uint8_t)words[1];
        if (words[0] > UINT8_MAX || words[1] > UINT8_MAX || tables->mark_count > BUILD_MOST)
            return false;
    }
    return true;
}

static void make_roots(const yt_build *build, yt_tables *tables) {
    for (unsigned i = 0; i < build->root_count; i++) {
        tables->roots[i] = build->roots[i].record;
        tables->roots[i].step = (uint16_t)tables->made.root_steps[i];
    }
}

static size_t put(uint8_t *image, size_t at, const void *table, size_t bytes) {
    if (bytes > 0 && image)
        memcpy(image + at, table, bytes);
    return (at + bytes + 3) & ~(size_t)3;
}

/* Lays the tables one behind the other; with `image` NULL only measures. */
static size_t put_all(const yt_build *build, const yt_tables *tables, uint8_t *image) {
    const yt_program_header *header = &tables->header;
    const yt_made_steps *made = &tables->made;
    size_t at = 0;
#define PUT(table, count) at = put(image, at, table, (count) * sizeof *(table))
    PUT(header, 1);
    PUT(build->inputs, header->input_count);
    PUT(build->controls, header->control_count);
    PUT(build->targets, header->target_count);
    PUT(build->places, header->place_count);
    PUT(build->ranges, header->range_count);
    PUT(made->constants, header->constant_count);
    PUT(build->parameters, header->parameter_count);
    PUT(made->steps, header->step_count);
    PUT(tables->code, header->instruction_count);
    PUT(tables->types, header->value_count);
    PUT(tables->users, header->value_count - header->constant_count);
    PUT(tables->marks, header->mark_count);
    PUT(tables->wires, header->wire_count);
    PUT(made->timers, header->timer_count);
    PUT(build->interfaces, header->interface_count);
    PUT(build->reports, header->report_count);
    PUT(build->outputs, header->output_count);
    PUT(tables->roots, header->root_count);
    PUT(build->pins, header->pin_count);
    PUT(build->relays, header->relay_count);
    PUT(build->filled, header->filled_count);
    PUT(build->fills, header->fill_count);
    PUT(build->text, header->text_bytes);
    PUT(build->blob.bytes, header->blob_bytes);
#undef PUT
    return at;
}

static bool is_too_large(const yt_build *build, const yt_tables *tables) {
    unsigned values = tables->made.constant_count + build->parameter_count + build->control_count +
                      tables->made.value_count;
    return build->root_count > BUILD_MOST || values > BUILD_MOST - YT_TEMPORARIES ||
           build->control_count + build->target_count > YT_PROGRAM_CONTROLS ||
           build->text_bytes > BUILD_MOST || build->blob.count > BUILD_MOST ||
           build->range_count > BUILD_MOST || build->place_count >= YT_NO_PLACE ||
           build->parameter_count > BUILD_MOST;
}

/* The nodes that roots and parameters depend on, each behind its arguments. */
typedef struct yt_order {
    yt_build *build;
    unsigned *numbers; /* of each node in the new order; BUILD_NOWHERE: it is not in it */
    yt_build_node *nodes;
    unsigned count;
    unsigned *path; /* nodes that wait for their arguments, the innermost last */
    unsigned depth;
} yt_order;

static void place_node(yt_order *order, unsigned node) {
    order->nodes[order->count] = order->build->nodes[node];
    order->numbers[node] = order->count++;
}

/* The first argument of a node that has no number yet; itself where all have. */
static unsigned missing_argument(const yt_order *order, unsigned node) {
    const yt_build_node *at = &order->build->nodes[node];
    for (unsigned k = 0; k < at->argument_count; k++) {
        unsigned argument = build_find(order->build, at->arguments[k]);
        if (order->numbers[argument] == BUILD_NOWHERE)
            return argument;
    }
    return node;
}

/* A function and its second result stay together. */
static void place_with_arguments(yt_order *order, unsigned node) {
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
        if (operation_has_second(order->build->nodes[at].operation))
            place_node(order, at + 1);
    }
}

static int compare_numbers(const void *a, const void *b) {
    unsigned one = *(const unsigned *)a, other = *(const unsigned *)b;
    return one < other ? -1 : one > other;
}

/* Takes out what nothing depends on, a key that turned out to be read as a level only, say, and
 * puts the rest into an order in which arguments come first. */
static void sort_nodes(yt_build *build) {
    unsigned count = build->node_count, wanted = build->root_count + build->parameter_count;
    yt_pool *pool = build->pool;
    yt_order order = {.build = build,
                      .numbers = pool_take(pool, (count + 1) * sizeof(unsigned)),
                      .nodes = pool_take(pool, (count + 1) * sizeof(yt_build_node)),
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
        yt_build_node *node = &order.nodes[i];
        unsigned *arguments =
            pool_take(pool, (node->argument_count + 1u) * sizeof *node->arguments);
        for (unsigned k = 0; k < node->argument_count; k++)
            arguments[k] = order.numbers[build_find(build, node->arguments[k])];
        node->arguments = arguments;
        node->value = YT_NO_VALUE;
    }
    build->numbers = order.numbers;
    for (unsigned i = 0; i < count; i++)
        order.numbers[i] = order.numbers[build_find(build, i)];
    build->nodes = order.nodes;
    build->node_count = order.count;
}

/* Roots and controls point to nodes by their new numbers; controls that nothing reads go. */
static void renumber(yt_build *build) {
    unsigned count = 0;
    build->controls = pool_take(build->pool, (build->control_count + 1) * sizeof *build->controls);
    for (unsigned i = 0; i < build->control_count; i++) {
        unsigned node = build->numbers[build->readings[i].node];
        if (node == BUILD_NOWHERE)
            continue;
        build->controls[count] = build->readings[i].record;
        build->nodes[node].data = (int32_t)count++;
    }
    build->control_count = count;
    for (unsigned i = 0; i < build->root_count; i++)
        build->roots[i].node = build->numbers[build->roots[i].node];
}

static yt_program_header header_of(const yt_build *build, const yt_tables *tables) {
    const yt_made_steps *made = &tables->made;
    return (yt_program_header){.magic = YT_PROGRAM_MAGIC,
                               .version = YT_PROGRAM_VERSION,
                               .header_bytes = sizeof(yt_program_header),
                               .groups = (uint16_t)made->groups,
                               .input_count = (uint16_t)build->input_count,
                               .control_count = (uint16_t)build->control_count,
                               .target_count = (uint16_t)build->target_count,
                               .place_count = (uint16_t)build->place_count,
                               .range_count = (uint16_t)build->range_count,
                               .constant_count = (uint16_t)made->constant_count,
                               .parameter_count = (uint16_t)build->parameter_count,
                               .step_count = (uint16_t)made->step_count,
                               .instruction_count = (uint16_t)made->code_count,
                               .value_count =
                                   (uint16_t)(made->constant_count + build->parameter_count +
                                              build->control_count + made->value_count),
                               .state_words = (uint16_t)made->state_words,
                               .timer_count = (uint16_t)made->timer_count,
                               .interface_count = (uint16_t)build->interface_count,
                               .report_count = (uint16_t)build->report_count,
                               .output_count = (uint16_t)build->output_count,
                               .root_count = (uint16_t)build->root_count,
                               .pin_count = (uint16_t)build->pin_count,
                               .relay_count = (uint16_t)build->relay_count,
                               .filled_count = (uint16_t)build->filled_count,
                               .fill_count = (uint16_t)build->fill_count,
                               .text_bytes = (uint16_t)build->text_bytes,
                               .name_bytes = (uint16_t)build->name_bytes,
                               .blob_bytes = (uint16_t)build->blob.count};
}

uint8_t *build_image(yt_build *build, size_t *size) {
    yt_pool *pool = build->pool;
    yt_tables tables = {.roots =
                            pool_take(pool, (build->root_count + 1) * sizeof(yt_program_root))};
    sort_nodes(build);
    renumber(build);
    if (build->root_count > 0)
        qsort(build->roots, build->root_count, sizeof *build->roots, compare_roots);
    if (!place_roots(build) || !steps_make(build, &tables.made) || is_too_large(build, &tables))
        return NULL;
    tables.header = header_of(build, &tables);
    tables.code = pool_take(pool, (tables.made.code_count + 1) * sizeof *tables.code);
    tables.types = pool_take(pool, tables.header.value_count + 1u);
    tables.users = pool_take(pool, (tables.header.value_count + 1u) * sizeof *tables.users);
    tables.is_told_by_wire = pool_take(pool, tables.made.step_count + 1);
    number_code(build, &tables);
    type_values(build, &tables);
    make_roots(build, &tables);
    build->socket_steps = tables.made.socket_steps;
    if (!make_users(build, &tables))
        return NULL;
    tables.header.mark_count = (uint16_t)tables.mark_count;
    tables.header.wire_count = (uint16_t)tables.wire_count;
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
