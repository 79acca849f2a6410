#include "run/evaluate.h"

#include <limits.h>
#include <string.h>

#include "run/functions.h"
#include "image/operations.h"
#include "signal/fixed.h"

static size_t words_for(size_t bits) {
    return (bits + 31) / 32;
}

static size_t mark_words(const yt_program *program) {
    return words_for((size_t)program->header->node_count + program->header->root_count);
}

static size_t count_pulses(const yt_program *program) {
    size_t count = 0;
    for (unsigned i = 0; i < program->header->node_count; i++)
        count += program->nodes[i].type >= YT_TYPE_PULSE;
    return count;
}

size_t yt_evaluator_bytes(const yt_program *program) {
    size_t marks = mark_words(program);
    size_t bytes = program->header->timer_count * sizeof(yt_timer) +
                   program->header->node_count * sizeof(yt_q16) +
                   program->header->state_words * sizeof(uint32_t) +
                   (marks + words_for(marks)) * sizeof(uint32_t) +
                   program->header->timer_count * sizeof(uint16_t) +
                   count_pulses(program) * sizeof(uint16_t);
    return (bytes + 7) & ~(size_t)7;
}

/* A word that has any mark is already among the filled ones. */
static YT_ALWAYS_INLINE void mark(yt_marks *marks, unsigned number) {
    uint32_t *word = &marks->words[number / 32], before = *word;
    *word = before | (uint32_t)1 << (number % 32);
    if (before == 0)
        marks->filled[number / 1024] |= (uint32_t)1 << (number / 32 % 32);
}

/* The number of the lowest bit that is set, by a multiplication that puts a different number into
 * the top five bits for each (de Bruijn); a Cortex-M0 has no instruction for it. */
static YT_ALWAYS_INLINE unsigned lowest_bit(uint32_t bits) {
    static const uint8_t place[32] = {0,  1,  28, 2,  29, 14, 24, 3, 30, 22, 20, 15, 25, 17, 4,  8,
                                      31, 27, 13, 23, 21, 19, 16, 7, 26, 12, 18, 6,  11, 5,  10, 9};
    return place[(bits & (0u - bits)) * 0x077cb531u >> 27];
}

void yt_evaluator_begin(yt_evaluator *evaluator, const yt_program *program, void *memory) {
    const yt_program_header *header = program->header;
    size_t marks = mark_words(program);
    memset(memory, 0, yt_evaluator_bytes(program));
    memset(evaluator, 0, sizeof *evaluator);
    evaluator->program = *program;
    evaluator->timers = memory;
    evaluator->values = (yt_q16 *)(evaluator->timers + header->timer_count);
    evaluator->state = (uint32_t *)(evaluator->values + header->node_count);
    evaluator->changed.words = evaluator->state + header->state_words;
    evaluator->changed.filled = evaluator->changed.words + marks;
    evaluator->heap = (uint16_t *)(evaluator->changed.filled + words_for(marks));
    evaluator->pulses = evaluator->heap + header->timer_count;
    evaluator->pulse_room = (uint16_t)count_pulses(program);
    evaluator->mark_groups = (uint16_t)words_for(marks);
    unsigned timer = 0;
    for (unsigned i = 0; i < header->node_count; i++) {
        mark(&evaluator->changed, i);
        if (program->nodes[i].operation == YT_OP_CONSTANT)
            evaluator->values[i] = program->constants[program->nodes[i].data];
        if (program->nodes[i].operation == YT_OP_PARAMETER)
            evaluator->values[i] = program->parameters[program->nodes[i].data].value;
        evaluator->sees_pulses |= program->nodes[i].operation == YT_OP_SEEN;
        if (program->nodes[i].operation < YT_OP_FUNCTIONS ||
            !yt_operation_of(program->nodes[i].operation)->timers)
            continue;
        evaluator->state[program->nodes[i].data] = timer;
        evaluator->timers[timer].node = (uint16_t)i;
        evaluator->timers[timer++].place = YT_NOT_RUNNING;
    }
    for (unsigned i = 0; i < header->root_count; i++)
        mark(&evaluator->changed, header->node_count + i);
}

/* A pulse begins: the end of the pass will make it 0 again. A node is in the list once, as its
 * value is given once in a pass; the room is only looked at to be sure. */
static YT_ALWAYS_INLINE void begin_pulse(yt_evaluator *evaluator, unsigned number) {
    if (evaluator->pulse_count < evaluator->pulse_room)
        evaluator->pulses[evaluator->pulse_count++] = (uint16_t)number;
}

/* Whether a node is a control of a device that leaves, or anything but a control. What the host
 * sends belongs to no device: it leaves where all do. */
static bool is_leaving(const yt_evaluator *evaluator, unsigned number) {
    const yt_program *program = &evaluator->program;
    const yt_program_node *node = &program->nodes[number];
    if (node->operation != YT_OP_CONTROL)
        return true;
    const yt_program_control *control = &program->controls[node->data];
    return control->from_host ? evaluator->leaving == UINT32_MAX
                              : evaluator->leaving >> control->input & 1;
}

/* Whether a cancel goes on through a node. A function does not depend on which layer is on, nor on
 * what only ends it. */
static bool carries_cancel(const yt_evaluator *evaluator, const yt_program_node *node) {
    const uint16_t *argument = &evaluator->program.arguments[node->first_argument];
    if (node->operation == YT_OP_OWNER || node->operation == YT_OP_GATE)
        return is_leaving(evaluator, argument[node->operation == YT_OP_GATE]);
    return node->operation != YT_OP_ANY && node->operation != YT_OP_PRESS;
}

/* What uses a node is looked at again, up to a number: nodes come before roots. */
static void touch_below(yt_evaluator *evaluator, unsigned number, unsigned end) {
    const yt_program *program = &evaluator->program;
    const yt_program_node *node = &program->nodes[number];
    for (unsigned k = 0; k < node->user_count; k++)
        if (program->users[node->first_user + k] < end)
            mark(&evaluator->changed, program->users[node->first_user + k]);
}

/* No report is told of what did not change. */
static void touch_users(yt_evaluator *evaluator, unsigned number) {
    touch_below(evaluator, number, evaluator->program.header->node_count);
}

/* Gives a node its value and marks what uses it; a cancel goes on to all that depends on it,
 * changed or not. A pulse is told even if it equals the last one, since it has been 0 in between.
 */
static void set_node(yt_evaluator *evaluator, unsigned number, yt_q16 value) {
    yt_q16 before = evaluator->values[number];
    const yt_program_node *node = &evaluator->program.nodes[number];
    if (before == value) {
        if (evaluator->leaving && carries_cancel(evaluator, node))
            touch_users(evaluator, number);
        return;
    }
    if (node->type >= YT_TYPE_PULSE && before == 0)
        begin_pulse(evaluator, number);
    evaluator->values[number] = value;
    const uint16_t *user = &evaluator->program.users[node->first_user];
    const uint16_t *end = user + node->user_count;
    for (yt_marks marks = evaluator->changed; user < end; user++)
        mark(&marks, *user);
}

void yt_evaluator_set(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    set_node(evaluator, evaluator->program.controls[control].node, value);
}

void yt_evaluator_add(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    unsigned node = evaluator->program.controls[control].node;
    set_node(evaluator, node, yt_q16_add(evaluator->values[node], value));
}

void yt_evaluator_touch(yt_evaluator *evaluator, unsigned control) {
    touch_below(evaluator, evaluator->program.controls[control].node, UINT_MAX);
}

void yt_evaluator_touch_users(yt_evaluator *evaluator, unsigned control) {
    touch_users(evaluator, evaluator->program.controls[control].node);
}

void yt_evaluator_touch_all(yt_evaluator *evaluator) {
    for (unsigned i = 0; i < evaluator->program.header->node_count; i++)
        mark(&evaluator->changed, i);
}

void yt_evaluator_set_parameter(yt_evaluator *evaluator, unsigned parameter, yt_q16 value) {
    set_node(evaluator, evaluator->program.parameters[parameter].node, value);
}

/* Of pairs of a switch and a value, the value of the first whose switch is on. */
static yt_q16 topmost(const yt_q16 *values, const uint16_t *argument, unsigned count) {
    for (unsigned k = 0; k + 1 < count; k += 2)
        if (values[argument[k]])
            return values[argument[k + 1]];
    return 0;
}

static yt_q16 any(const yt_q16 *values, const uint16_t *argument, unsigned count) {
    yt_q16 all = 0;
    for (unsigned k = 0; k < count; k++)
        all |= values[argument[k]];
    return all;
}

/* A press and layers, the topmost first: the number of the first that is on when it goes down,
 * from 1; behind the last layer stands the sheet. It stays until the press is over. */
static yt_q16 owner(const yt_q16 *values, const uint16_t *argument, unsigned count, yt_q16 before) {
    if (values[argument[0]] == 0 || before != 0)
        return values[argument[0]] ? before : 0;
    unsigned k = 1;
    while (k < count && values[argument[k]] == 0)
        k++;
    return (yt_q16)k * YT_ONE;
}

/* Pairs of a layer and its cell, the topmost first. The cell that turned the switch on keeps it on
 * until it lets go; then the topmost layer that is on has its way. */
static yt_q16 drive(const yt_evaluator *evaluator, const yt_program_node *node, yt_q16 before) {
    const uint16_t *argument = &evaluator->program.arguments[node->first_argument];
    const yt_q16 *values = evaluator->values;
    uint32_t *turn = &evaluator->state[node->data];
    if (before != 0 && values[argument[*turn + 1]] != 0)
        return YT_ONE;
    for (unsigned k = 0; k < node->argument_count; k += 2)
        if (values[argument[k]] != 0) {
            *turn = k;
            return values[argument[k + 1]];
        }
    return 0;
}

/* What a node comes to. */
static yt_q16 evaluate(yt_evaluator *evaluator, const yt_program_node *node, unsigned number) {
    const uint16_t *argument = &evaluator->program.arguments[node->first_argument];
    const yt_q16 *values = evaluator->values;
    switch (node->operation) {
    case YT_OP_NOT:
        return values[argument[0]] ? 0 : YT_ONE;
    case YT_OP_AND:
        return values[argument[0]] & values[argument[1]];
    case YT_OP_OR:
        return values[argument[0]] | values[argument[1]];
    case YT_OP_ADD:
        return yt_q16_add(values[argument[0]], values[argument[1]]);
    case YT_OP_SUBTRACT:
        return yt_q16_subtract(values[argument[0]], values[argument[1]]);
    case YT_OP_MULTIPLY:
        return yt_q16_multiply(values[argument[0]], values[argument[1]]);
    case YT_OP_LESS:
        return values[argument[0]] < values[argument[1]] ? YT_ONE : 0;
    case YT_OP_LESS_OR_EQUAL:
        return values[argument[0]] <= values[argument[1]] ? YT_ONE : 0;
    case YT_OP_EQUAL:
        return values[argument[0]] == values[argument[1]] ? YT_ONE : 0;
    case YT_OP_CHOOSE:
        return values[argument[values[argument[0]] ? 1 : 2]];
    case YT_OP_SEEN:
        return values[argument[0]];
    case YT_OP_DIVIDE:
        return yt_q16_divide(values[argument[0]], values[argument[1]]);
    case YT_OP_GATE:
        return values[argument[0]] ? values[argument[1]] : 0;
    case YT_OP_TOPMOST:
        return topmost(values, argument, node->argument_count);
    case YT_OP_ANY:
        return any(values, argument, node->argument_count);
    case YT_OP_OWNER:
        return owner(values, argument, node->argument_count, values[number]);
    case YT_OP_PRESS:
        return values[argument[0]];
    case YT_OP_DRIVE:
        return drive(evaluator, node, values[number]);
    default:
        return yt_function_evaluate(evaluator, number);
    }
}

/* Looks at one node. Constants and controls, which take nothing, and the second results of
 * functions get their values elsewhere. */
static void look_at(yt_evaluator *evaluator, unsigned number) {
    const yt_program_node *node = &evaluator->program.nodes[number];
    if (node->operation <= YT_OP_SECOND || node->operation == YT_OP_PARAMETER)
        return;
    set_node(evaluator, number, evaluate(evaluator, node, number));
    if (node->operation >= YT_OP_FUNCTIONS && yt_operation_has_second(node->operation)) {
        yt_q16 second = (yt_q16)evaluator->state[node->data + YT_SECOND_WORD];
        if (evaluator->values[number + 1] != second || evaluator->leaving)
            set_node(evaluator, number + 1, second);
    }
}

/* Goes through the marked nodes and roots in order. Looking at one only marks later ones, in this
 * word of marks or in one behind it, so a word is done when it is empty. */
static void run_word(yt_evaluator *evaluator, unsigned word, yt_root_sink *sink, void *user) {
    const yt_program *program = &evaluator->program;
    uint32_t *marks = &evaluator->changed.words[word];
    unsigned nodes = program->header->node_count;
    while (*marks) {
        unsigned number = word * 32 + lowest_bit(*marks);
        *marks &= *marks - 1;
        if (number < nodes)
            look_at(evaluator, number);
        else
            sink(user, number - nodes, evaluator->values[program->roots[number - nodes].node]);
    }
}

static void run_pass(yt_evaluator *evaluator, yt_root_sink *sink, void *user) {
    for (unsigned group = 0; group < evaluator->mark_groups; group++) {
        uint32_t *filled = &evaluator->changed.filled[group];
        while (*filled) {
            run_word(evaluator, group * 32 + lowest_bit(*filled), sink, user);
            *filled &= *filled - 1;
        }
    }
}

/* A pulse is over; what compares it is to be looked at once more. */
static bool mark_seers(yt_evaluator *evaluator, unsigned number) {
    const yt_program *program = &evaluator->program;
    const yt_program_node *node = &program->nodes[number];
    bool any = false;
    for (unsigned k = 0; k < node->user_count; k++) {
        unsigned user = program->users[node->first_user + k];
        if (user >= program->header->node_count || program->nodes[user].operation != YT_OP_SEEN)
            continue;
        mark(&evaluator->changed, user);
        any = true;
    }
    return any;
}

/* All pulses become 0. Those that depend on others are in the list too, and are 0 by themselves,
 * since no operation makes a pulse out of none. */
static bool end_pulses(yt_evaluator *evaluator) {
    bool again = false;
    for (unsigned i = 0; i < evaluator->pulse_count; i++) {
        evaluator->values[evaluator->pulses[i]] = 0;
        if (evaluator->sees_pulses)
            again |= mark_seers(evaluator, evaluator->pulses[i]);
    }
    evaluator->pulse_count = 0;
    return again;
}

bool yt_evaluator_pass(yt_evaluator *evaluator, uint64_t now_us, yt_root_sink *sink, void *user) {
    evaluator->now_us = now_us;
    run_pass(evaluator, sink, user);
    return end_pulses(evaluator);
}
