#include <stdbool.h>
#include <string.h>

#include "program/operations.h"
#include "yonder/output.h"
#include "yonder/program.h"

/* The structures lie over the image, so their layout is the format (docs/program-format.md). */
_Static_assert(sizeof(yt_program_header) == 48, "header");
_Static_assert(sizeof(yt_program_input) == 16, "input");
_Static_assert(sizeof(yt_program_control) == 12, "control");
_Static_assert(sizeof(yt_program_node) == 12, "node");
_Static_assert(sizeof(yt_program_output) == 8, "output");
_Static_assert(sizeof(yt_program_root) == 4, "root");

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

/* Lays the tables over the image, one after the other, each beginning at a multiple of four. */
static size_t lay_out(yt_program *program, const yt_program_header *header) {
    const uint8_t *image = (const uint8_t *)header;
    size_t at = sizeof *header;
    program->header = header;
    program->inputs = (const void *)(image + at);
    at += header->input_count * sizeof(yt_program_input);
    program->controls = (const void *)(image + at);
    at += header->control_count * sizeof(yt_program_control);
    program->constants = (const void *)(image + at);
    at += header->constant_count * sizeof(yt_q16);
    program->nodes = (const void *)(image + at);
    at += header->node_count * sizeof(yt_program_node);
    program->arguments = (const void *)(image + at);
    at += rounded_up(header->argument_count * sizeof(uint16_t));
    program->users = (const void *)(image + at);
    at += rounded_up(header->user_count * sizeof(uint16_t));
    program->outputs = (const void *)(image + at);
    at += header->output_count * sizeof(yt_program_output);
    program->roots = (const void *)(image + at);
    at += header->root_count * sizeof(yt_program_root);
    program->text = (const char *)(image + at);
    return at + rounded_up(header->text_bytes);
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
        header->name_bytes > header->text_bytes || header->reserved[0] || header->reserved[1])
        return YT_PROGRAM_SIZE;
    return YT_OK;
}

static bool text_holds(const yt_program *program, unsigned offset, unsigned bytes) {
    return offset + bytes <= program->header->text_bytes;
}

static yt_status check_input(const yt_program *program, unsigned i) {
    const yt_program_input *input = &program->inputs[i];
    if (!text_holds(program, input->name_offset, input->name_bytes))
        return YT_PROGRAM_TEXT;
    if (i > 254 || input->needs > (YT_NEEDS_USAGE | YT_NEEDS_RELATIVE))
        return YT_PROGRAM_INPUT;
    return YT_OK;
}

static yt_status check_control(const yt_program *program, unsigned i) {
    const yt_program_control *control = &program->controls[i];
    if (control->input >= program->header->input_count || control->kind >= YT_KIND_COUNT ||
        control->node >= program->header->node_count || control->reserved[0] ||
        control->reserved[1] || control->reserved[2])
        return YT_PROGRAM_CONTROL;
    const yt_program_node *node = &program->nodes[control->node];
    if (node->operation != YT_OP_CONTROL || node->data != i)
        return YT_PROGRAM_CONTROL;
    return YT_OK;
}

static uint8_t type_of_kind(unsigned kind) {
    return kind == YT_SWITCH ? YT_TYPE_SWITCH : kind == YT_MOTION ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
}

/* Whether a value of type `have` may stand where the letter `want` is; `own` is the node's type. */
static bool type_fits(char want, uint8_t own, uint8_t have) {
    uint8_t type = want == 's'   ? YT_TYPE_SWITCH
                   : want == 'p' ? YT_TYPE_PULSE
                   : want == 'n' ? YT_TYPE_NUMBER
                                 : own;
    return have == type || (type == YT_TYPE_NUMBER && have == YT_TYPE_SWITCH);
}

/* A sum of two switches would not be 0 or 1, and a constant that is a pulse would never end. */
static bool result_fits(const yt_program *program, const yt_program_node *node,
                        const yt_operation *operation) {
    switch (node->operation) {
    case YT_OP_CONSTANT: {
        if (node->data >= program->header->constant_count || node->type == YT_TYPE_PULSE)
            return false;
        yt_q16 value = program->constants[node->data];
        return node->type == YT_TYPE_NUMBER || value == 0 || value == YT_ONE;
    }
    case YT_OP_CONTROL:
        return node->data < program->header->control_count &&
               node->type == type_of_kind(program->controls[node->data].kind) &&
               &program->nodes[program->controls[node->data].node] == node;
    case YT_OP_ADD:
    case YT_OP_SUBTRACT:
    case YT_OP_MULTIPLY:
        return node->type != YT_TYPE_SWITCH && node->data == 0;
    case YT_OP_CHOOSE:
        return node->data == 0;
    default:
        return node->type == (operation->result == 's' ? YT_TYPE_SWITCH : YT_TYPE_NUMBER) &&
               (operation->state_words > 0 || node->operation == YT_OP_SECOND || node->data == 0);
    }
}

static yt_status check_arguments(const yt_program *program, unsigned i,
                                 const yt_operation *operation) {
    const yt_program_node *node = &program->nodes[i];
    if (node->argument_count != strlen(operation->arguments) ||
        node->first_argument + (uint32_t)node->argument_count > program->header->argument_count)
        return YT_PROGRAM_NODE;
    for (unsigned k = 0; k < node->argument_count; k++) {
        unsigned argument = program->arguments[node->first_argument + k];
        if (argument >= i)
            return YT_PROGRAM_ORDER;
        if (!type_fits(operation->arguments[k], node->type, program->nodes[argument].type))
            return YT_PROGRAM_TYPE;
    }
    return YT_OK;
}

/* The second result stands right behind the function that gives it, and nowhere else. */
static bool second_fits(const yt_program *program, unsigned i) {
    bool is_second = program->nodes[i].operation == YT_OP_SECOND;
    bool has_second = i > 0 && program->nodes[i - 1].operation >= YT_OP_FIRST_FUNCTION;
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

static yt_status check_nodes(const yt_program *program) {
    uint32_t next_argument = 0, state = 0, timers = 0;
    for (unsigned i = 0; i < program->header->node_count; i++) {
        const yt_program_node *node = &program->nodes[i];
        const yt_operation *operation = yt_operation_of(node->operation);
        if (!operation || node->type >= YT_TYPE_COUNT || node->reserved ||
            node->first_argument != next_argument)
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
        state += operation->state_words;
        timers += operation->number >= YT_OP_FIRST_FUNCTION;
    }
    unsigned last = program->header->node_count;
    if (last > 0 && program->nodes[last - 1].operation >= YT_OP_FIRST_FUNCTION)
        return YT_PROGRAM_NODE;
    if (next_argument != program->header->argument_count)
        return YT_PROGRAM_NODE;
    if (state != program->header->state_words || timers != program->header->timer_count)
        return YT_PROGRAM_STATE;
    return YT_OK;
}

static yt_status check_output(const yt_program *program, unsigned i, uint32_t *next) {
    const yt_program_output *output = &program->outputs[i];
    if (!text_holds(program, output->name_offset, output->name_bytes))
        return YT_PROGRAM_TEXT;
    if (i > 254 || !yt_output_layout_of(output->kind) || output->first_root != *next ||
        *next + output->root_count > program->header->root_count)
        return YT_PROGRAM_OUTPUT;
    *next += output->root_count;
    return YT_OK;
}

/* The roots of an output stand together, in the order of its controls, each control once. */
static yt_status check_roots(const yt_program *program, unsigned i) {
    const yt_program_output *output = &program->outputs[i];
    const yt_output_layout *layout = yt_output_layout_of(output->kind);
    int last = -1;
    for (unsigned k = 0; k < output->root_count; k++) {
        const yt_program_root *root = &program->roots[output->first_root + k];
        if (root->output != i || root->control >= layout->control_count ||
            (int)root->control <= last || root->node >= program->header->node_count)
            return YT_PROGRAM_ROOT;
        uint8_t want = type_of_kind(layout->controls[root->control].kind);
        if (!type_fits('t', want, program->nodes[root->node].type))
            return YT_PROGRAM_TYPE;
        last = root->control;
    }
    return YT_OK;
}

static yt_status check_outputs(const yt_program *program) {
    uint32_t next = 0;
    for (unsigned i = 0; i < program->header->output_count; i++) {
        yt_status status = check_output(program, i, &next);
        if (status == YT_OK)
            status = check_roots(program, i);
        if (status != YT_OK)
            return status;
    }
    return next == program->header->root_count ? YT_OK : YT_PROGRAM_OUTPUT;
}

static yt_status check_tables(const yt_program *program) {
    yt_status status = YT_OK;
    uint32_t next_user = 0;
    for (unsigned i = 0; status == YT_OK && i < program->header->input_count; i++)
        status = check_input(program, i);
    for (unsigned i = 0; status == YT_OK && i < program->header->control_count; i++)
        status = check_control(program, i);
    if (status == YT_OK)
        status = check_nodes(program);
    if (status == YT_OK)
        status = check_outputs(program);
    for (unsigned i = 0; status == YT_OK && i < program->header->node_count; i++)
        status = check_users(program, i, &next_user);
    if (status == YT_OK && next_user != program->header->user_count)
        status = YT_PROGRAM_USERS;
    return status == YT_OK ? check_listed(program) : status;
}

yt_status yt_program_check(yt_program *program, const void *image, size_t size) {
    yt_status status = check_header(program, image, size);
    return status == YT_OK ? check_tables(program) : status;
}
