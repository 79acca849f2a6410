#include <stdbool.h>
#include <string.h>

#include "image/check.h"
#include "image/operations.h"

/* The structures lie over the image, so their layout is the format (docs/program-format.md). */
_Static_assert(sizeof(yt_program_header) == 60, "header");
_Static_assert(sizeof(yt_program_input) == 32, "input");
_Static_assert(sizeof(yt_program_control) == 20, "control");
_Static_assert(sizeof(yt_program_place) == 8, "place");
_Static_assert(sizeof(yt_program_range) == 16, "range");
_Static_assert(sizeof(yt_program_node) == 12, "node");
_Static_assert(sizeof(yt_program_interface) == 12, "interface");
_Static_assert(sizeof(yt_program_report) == 12, "report");
_Static_assert(sizeof(yt_program_output) == 4, "output");
_Static_assert(sizeof(yt_program_root) == 12, "root");
_Static_assert(sizeof(yt_program_pin) == 12, "pin");
_Static_assert(sizeof(yt_program_relay) == 8, "relay");
_Static_assert(sizeof(yt_program_parameter) == 24, "parameter");

/* Four bits at a time: a table of 64 bytes in place of one of 1 KiB. */
uint32_t yt_checksum(uint32_t checksum, const void *bytes, size_t size) {
    static const uint32_t table[16] = {0x00000000, 0x1db71064, 0x3b6e20c8, 0x26d930ac,
                                       0x76dc4190, 0x6b6b51f4, 0x4db26158, 0x5005713c,
                                       0xedb88320, 0xf00f9344, 0xd6d6a3e8, 0xcb61b38c,
                                       0x9b64c2b0, 0x86d3d2d4, 0xa00ae278, 0xbdbdf21c};
    const uint8_t *at = bytes;
    uint32_t crc = ~checksum;
    while (size--) {
        crc ^= *at++;
        crc = crc >> 4 ^ table[crc & 15];
        crc = crc >> 4 ^ table[crc & 15];
    }
    return ~crc;
}

static size_t rounded_up(size_t bytes) {
    return (bytes + 3) & ~(size_t)3;
}

/* The table at `*at`; the next one begins behind its `bytes`, at a multiple of four. Of a table
 * that does not lie within the image no pointer is formed: the lengths will not match. */
static const void *next_table(const yt_program_header *header, size_t *at, size_t bytes) {
    size_t begin = *at;
    *at += rounded_up(bytes);
    return *at <= header->total_bytes ? (const uint8_t *)header + begin : NULL;
}

/* Lays the tables over the image, one behind the other; returns where they end. */
static size_t lay_out(yt_program *program, const yt_program_header *header) {
    size_t at = sizeof *header;
#define TABLE(field, count) next_table(header, &at, (count) * sizeof *program->field)
    program->header = header;
    program->inputs = TABLE(inputs, header->input_count);
    program->controls = TABLE(controls, header->control_count);
    program->targets = TABLE(targets, header->target_count);
    program->places = TABLE(places, header->place_count);
    program->ranges = TABLE(ranges, header->range_count);
    program->constants = TABLE(constants, header->constant_count);
    program->nodes = TABLE(nodes, header->node_count);
    program->arguments = TABLE(arguments, header->argument_count);
    program->users = TABLE(users, header->user_count);
    program->interfaces = TABLE(interfaces, header->interface_count);
    program->reports = TABLE(reports, header->report_count);
    program->outputs = TABLE(outputs, header->output_count);
    program->roots = TABLE(roots, header->root_count);
    program->pins = TABLE(pins, header->pin_count);
    program->relays = TABLE(relays, header->relay_count);
    program->parameters = TABLE(parameters, header->parameter_count);
    program->text = TABLE(text, header->text_bytes);
    program->blob = TABLE(blob, header->blob_bytes);
#undef TABLE
    return at;
}

static yt_status check_header(yt_program *program, const void *image, size_t size) {
    const yt_program_header *header = image;
    if ((uintptr_t)image % 4)
        return YT_PROGRAM_ALIGNMENT;
    if (size < sizeof *header)
        return YT_PROGRAM_SIZE;
    if (header->magic != YT_PROGRAM_MAGIC)
        return YT_PROGRAM_FOREIGN;
    if (header->version != YT_PROGRAM_VERSION || header->header_bytes != sizeof *header)
        return YT_PROGRAM_NEWER;
    if (header->total_bytes > size || header->total_bytes > YT_PROGRAM_BYTES ||
        header->total_bytes < sizeof *header)
        return YT_PROGRAM_SIZE;
    const uint8_t *summed = (const uint8_t *)image + 16;
    if (yt_checksum(0, summed, header->total_bytes - 16) != header->checksum)
        return YT_PROGRAM_CHECKSUM;
    if (lay_out(program, header) != header->total_bytes)
        return YT_PROGRAM_SIZE;
    if (header->node_count + (uint32_t)header->root_count > UINT16_MAX ||
        header->name_bytes > header->text_bytes ||
        header->control_count + (uint32_t)header->target_count > YT_PROGRAM_CONTROLS)
        return YT_PROGRAM_SIZE;
    return yt_groups_missing(header, size) ? YT_PROGRAM_GROUP : YT_OK;
}

static yt_status check_input(const yt_program *program, unsigned i) {
    const yt_program_input *input = &program->inputs[i];
    unsigned needs = YT_NEEDS_USAGE | YT_NEEDS_RELATIVE | YT_NEEDS_DESCRIPTOR;
    if (!yt_text_holds(program, input->name_offset, input->name_bytes) ||
        !yt_text_holds(program, input->device_name_offset, input->device_name_bytes) ||
        !yt_text_holds(program, input->serial_offset, input->serial_bytes))
        return YT_PROGRAM_TEXT;
    return i >= YT_PROGRAM_INPUTS || input->needs > needs || input->reserved ? YT_PROGRAM_INPUT
                                                                             : YT_OK;
}

static yt_status check_place(const yt_program *program, unsigned i) {
    const yt_program_place *place = &program->places[i];
    bool has_range = place->flags & YT_PLACE_RANGE, is_here = place->flags & YT_PLACE_HERE;
    if (place->flags > 31 || place->reserved ||
        (is_here && (place->bits < 1 || place->bits > 32)) ||
        (has_range && place->range >= program->header->range_count) ||
        (is_here && !has_range && !(place->flags & YT_PLACE_MOTION)) ||
        (!has_range && place->range) ||
        (!is_here && (place->bit || place->bits || place->report_id)) ||
        place->bit >= YT_HID_REPORT_BITS)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

static yt_status check_range(const yt_program *program, unsigned i) {
    const yt_program_range *range = &program->ranges[i];
    return range->minimum <= range->rest && range->rest <= range->maximum ? YT_OK
                                                                          : YT_PROGRAM_CONTROL;
}

static yt_status check_pin(const yt_program *program, unsigned i) {
    const yt_program_pin *pin = &program->pins[i];
    static const uint8_t bits[YT_PIN_KIND_COUNT] = {1, 8, 32, 16, 8};
    bool is_encoder = pin->kind == YT_PIN_ENCODER;
    if (pin->kind >= YT_PIN_KIND_COUNT || pin->input >= program->header->input_count ||
        pin->flags > YT_PIN_ACTIVE_HIGH || pin->reserved[0] || pin->reserved[1] ||
        pin->bit + bits[pin->kind] > 8u * YT_BOARD_BYTES || i >= YT_BOARD_PINS ||
        (pin->bit % 8 && pin->kind != YT_PIN_SWITCH))
        return YT_PROGRAM_BOARD;
    if (is_encoder && pin->steps != 1 && pin->steps != 2 && pin->steps != 4)
        return YT_PROGRAM_BOARD;
    return pin->kind == YT_PIN_ANALOG && pin->steps == 0 ? YT_PROGRAM_BOARD : YT_OK;
}

static yt_status check_relay(const yt_program *program, unsigned i) {
    const yt_program_relay *relay = &program->relays[i];
    bool is_good = relay->interface < program->header->interface_count &&
                   relay->input < program->header->input_count &&
                   (relay->direction == YT_HID_OUTPUT || relay->direction == YT_HID_FEATURE) &&
                   !relay->reserved[0] && !relay->reserved[1] && !relay->reserved[2];
    return is_good ? YT_OK : YT_PROGRAM_RELAY;
}

static bool is_part(unsigned part) {
    return part == 0 || part == 1 || part == 2 || part == 4 || part == 8;
}

/* Where a control stands: what one count of a rate is stands in a range, so its place has one. */
static bool is_placed(const yt_program *program, const yt_program_control *control) {
    if (control->place == YT_NO_PLACE)
        return true;
    return control->place < program->header->place_count &&
           (control->kind != YT_RATE ||
            (program->places[control->place].flags & YT_PLACE_RANGE) != 0);
}

/* What controls and targets have in common. */
static bool is_control(const yt_program *program, const yt_program_control *control) {
    return control->kind < YT_KIND_COUNT && is_part(control->part) &&
           (control->stick == 0 || control->kind == YT_AXIS) &&
           (control->part == 0 || control->kind == YT_SWITCH) && control->from_host <= 1 &&
           is_placed(program, control);
}

/* What the host sends stands at a place of a report of ours, so that it always fits in there. */
static bool is_from_host(const yt_program *program, const yt_program_control *control) {
    if (control->input >= program->header->report_count || control->place == YT_NO_PLACE)
        return false;
    const yt_program_report *report = &program->reports[control->input];
    const yt_program_place *place = &program->places[control->place];
    unsigned needed = YT_PLACE_HERE | YT_PLACE_RANGE;
    return report->direction != YT_HID_INPUT && control->kind != YT_MOTION &&
           (place->flags & needed) == needed &&
           (unsigned)place->bit + place->bits <= 8u * report->bytes &&
           place->report_id == report->id;
}

static yt_status check_control(const yt_program *program, unsigned i) {
    const yt_program_control *control = &program->controls[i];
    if (!is_control(program, control) || control->node >= program->header->node_count)
        return YT_PROGRAM_CONTROL;
    if (control->from_host ? !is_from_host(program, control)
                           : control->input >= program->header->input_count)
        return YT_PROGRAM_CONTROL;
    const yt_program_node *node = &program->nodes[control->node];
    if (node->operation != YT_OP_CONTROL || node->data != i)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

static yt_status check_parameter(const yt_program *program, unsigned i) {
    const yt_program_parameter *parameter = &program->parameters[i];
    if (parameter->node >= program->header->node_count || parameter->unit >= YT_UNIT_COUNT ||
        parameter->reserved[0] || parameter->reserved[1] || parameter->step < 0 ||
        parameter->minimum > parameter->value || parameter->value > parameter->maximum ||
        !yt_text_holds(program, parameter->name_offset, parameter->name_bytes))
        return YT_PROGRAM_PARAMETER;
    const yt_program_node *node = &program->nodes[parameter->node];
    return node->operation == YT_OP_PARAMETER && node->data == i ? YT_OK : YT_PROGRAM_PARAMETER;
}

static yt_status check_target(const yt_program *program, unsigned i) {
    const yt_program_control *target = &program->targets[i];
    if (!is_control(program, target) || target->input >= program->header->input_count ||
        target->from_host || target->kind == YT_MOTION || target->part || target->node)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

uint8_t yt_type_of_kind(unsigned kind) {
    return kind == YT_SWITCH ? YT_TYPE_SWITCH : kind == YT_MOTION ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
}

bool yt_type_fits(char want, uint8_t own, uint8_t have) {
    uint8_t type = want == 's'   ? YT_TYPE_SWITCH
                   : want == 'p' ? YT_TYPE_PULSE
                   : want == 'e' ? YT_TYPE_EVENT
                   : want == 'n' ? YT_TYPE_NUMBER
                                 : own;
    return have == type || (type == YT_TYPE_NUMBER && have == YT_TYPE_SWITCH);
}

/* A sum of two switches would not be 0 or 1, and a constant that is a pulse would never end. */
static bool result_fits(const yt_program *program, const yt_program_node *node,
                        const yt_operation *operation) {
    switch (node->operation) {
    case YT_OP_CONSTANT: {
        if (node->data >= program->header->constant_count || node->type >= YT_TYPE_PULSE)
            return false;
        yt_q16 value = program->constants[node->data];
        return node->type == YT_TYPE_NUMBER || value == 0 || value == YT_ONE;
    }
    case YT_OP_CONTROL:
        return node->data < program->header->control_count &&
               node->type == yt_type_of_kind(program->controls[node->data].kind) &&
               &program->nodes[program->controls[node->data].node] == node;
    case YT_OP_PARAMETER:
        return node->data < program->header->parameter_count && node->type == YT_TYPE_NUMBER &&
               &program->nodes[program->parameters[node->data].node] == node;
    case YT_OP_ADD:
    case YT_OP_SUBTRACT:
    case YT_OP_MULTIPLY:
    case YT_OP_DIVIDE:
        return node->type != YT_TYPE_SWITCH && node->data == 0;
    case YT_OP_CHOOSE:
    case YT_OP_GATE:
    case YT_OP_TOPMOST:
        return node->data == 0;
    default:
        return node->type == (operation->result == 's'   ? YT_TYPE_SWITCH
                              : operation->result == 'e' ? YT_TYPE_EVENT
                                                         : YT_TYPE_NUMBER) &&
               (operation->state_words > 0 || node->operation == YT_OP_SECOND || node->data == 0);
    }
}

static yt_status check_arguments(const yt_program *program, unsigned i,
                                 const yt_operation *operation) {
    const yt_program_node *node = &program->nodes[i];
    if (!yt_operation_takes(operation, node->argument_count) ||
        node->first_argument + (uint32_t)node->argument_count > program->header->argument_count)
        return YT_PROGRAM_NODE;
    for (unsigned k = 0; k < node->argument_count; k++) {
        unsigned argument = program->arguments[node->first_argument + k];
        if (argument >= i)
            return YT_PROGRAM_ORDER;
        if (!yt_type_fits(yt_operation_argument(operation, k), node->type,
                          program->nodes[argument].type))
            return YT_PROGRAM_TYPE;
    }
    return YT_OK;
}

/* The second result stands right behind the function that gives it, and nowhere else. */
static bool second_fits(const yt_program *program, unsigned i) {
    bool is_second = program->nodes[i].operation == YT_OP_SECOND;
    bool has_second = i > 0 && yt_operation_has_second(program->nodes[i - 1].operation);
    if (is_second != has_second)
        return false;
    return !is_second || (program->arguments[program->nodes[i].first_argument] == i - 1 &&
                          program->nodes[i].data == program->nodes[i - 1].data);
}

static bool uses(const yt_program *program, unsigned user, unsigned node) {
    if (user >= program->header->node_count)
        return program->roots[user - program->header->node_count].node == node;
    const yt_program_node *at = &program->nodes[user];
    for (unsigned k = 0; k < at->argument_count; k++)
        if (program->arguments[at->first_argument + k] == node)
            return true;
    return false;
}

/* Each list holds users only, in ascending order, behind the list of the node before. */
static yt_status check_users(const yt_program *program, unsigned i, uint32_t *next) {
    const yt_program_node *node = &program->nodes[i];
    unsigned end = program->header->node_count + (unsigned)program->header->root_count;
    unsigned last = i;
    if (node->first_user != *next || *next + node->user_count > program->header->user_count)
        return YT_PROGRAM_USERS;
    for (unsigned k = 0; k < node->user_count; k++) {
        unsigned user = program->users[node->first_user + k];
        if (user <= last || user >= end || !uses(program, user, i))
            return YT_PROGRAM_USERS;
        last = user;
    }
    *next += node->user_count;
    return YT_OK;
}

static bool lists_user(const yt_program *program, unsigned node, unsigned user) {
    unsigned low = program->nodes[node].first_user;
    unsigned high = low + program->nodes[node].user_count;
    while (low < high) {
        unsigned middle = (low + high) / 2;
        if (program->users[middle] == user)
            return true;
        if (program->users[middle] < user)
            low = middle + 1;
        else
            high = middle;
    }
    return false;
}

/* Nothing that is used is missing in the lists, or it would not be told of a change. */
static yt_status check_listed(const yt_program *program) {
    for (unsigned i = 0; i < program->header->node_count; i++) {
        const yt_program_node *node = &program->nodes[i];
        for (unsigned k = 0; k < node->argument_count; k++)
            if (!lists_user(program, program->arguments[node->first_argument + k], i))
                return YT_PROGRAM_USERS;
    }
    for (unsigned i = 0; i < program->header->root_count; i++)
        if (!lists_user(program, program->roots[i].node, program->header->node_count + i))
            return YT_PROGRAM_USERS;
    return YT_OK;
}

/* The header says which groups of functions a program needs, so that it can be judged by that. */
static bool says_group(const yt_program *program, unsigned number) {
    return number < YT_OP_FUNCTIONS ||
           (program->header->groups >> yt_operation_group(number) & 1) != 0;
}

static yt_status check_nodes(const yt_program *program) {
    uint32_t next_argument = 0, state = 0, timers = 0;
    for (unsigned i = 0; i < program->header->node_count; i++) {
        const yt_program_node *node = &program->nodes[i];
        const yt_operation *operation = yt_operation_of(node->operation);
        if (!operation || !says_group(program, node->operation) || node->type >= YT_TYPE_COUNT ||
            node->reserved || node->first_argument != next_argument)
            return YT_PROGRAM_NODE;
        yt_status status = check_arguments(program, i, operation);
        if (status != YT_OK)
            return status;
        next_argument += node->argument_count;
        if (!result_fits(program, node, operation))
            return YT_PROGRAM_TYPE;
        if (!second_fits(program, i))
            return YT_PROGRAM_NODE;
        if (operation->state_words > 0 && node->data != state)
            return YT_PROGRAM_STATE;
        state += yt_operation_words(operation, node->argument_count);
        timers += operation->timers;
    }
    unsigned last = program->header->node_count;
    if (last > 0 && yt_operation_has_second(program->nodes[last - 1].operation))
        return YT_PROGRAM_NODE;
    if (next_argument != program->header->argument_count)
        return YT_PROGRAM_NODE;
    if (state != program->header->state_words || timers != program->header->timer_count)
        return YT_PROGRAM_STATE;
    return YT_OK;
}

typedef yt_status check_entry(const yt_program *program, unsigned i);

static yt_status check_each(const yt_program *program, unsigned count, check_entry *check) {
    yt_status status = YT_OK;
    for (unsigned i = 0; status == YT_OK && i < count; i++)
        status = check(program, i);
    return status;
}

/* In the order of the tables; the first error wins. What is looked into is checked before. */
static yt_status check_tables(const yt_program *program) {
    const yt_program_header *header = program->header;
    uint32_t next_user = 0;
    yt_status status = check_each(program, header->input_count, check_input);
    if (status == YT_OK)
        status = check_each(program, header->range_count, check_range);
    if (status == YT_OK)
        status = check_each(program, header->place_count, check_place);
    if (status == YT_OK)
        status = check_each(program, header->target_count, check_target);
    if (status == YT_OK)
        status = yt_check_interfaces(program);
    if (status == YT_OK)
        status = check_each(program, header->pin_count, check_pin);
    if (status == YT_OK)
        status = check_each(program, header->relay_count, check_relay);
    if (status == YT_OK)
        status = check_each(program, header->control_count, check_control);
    if (status == YT_OK)
        status = check_each(program, header->parameter_count, check_parameter);
    if (status == YT_OK)
        status = check_nodes(program);
    if (status == YT_OK)
        status = yt_check_roots(program);
    for (unsigned i = 0; status == YT_OK && i < header->node_count; i++)
        status = check_users(program, i, &next_user);
    if (status == YT_OK && next_user != header->user_count)
        status = YT_PROGRAM_USERS;
    return status == YT_OK ? check_listed(program) : status;
}

yt_status yt_program_check(yt_program *program, const void *image, size_t size) {
    yt_status status = check_header(program, image, size);
    return status == YT_OK ? check_tables(program) : status;
}
