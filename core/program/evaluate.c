#include "program/evaluate.h"

#include <string.h>

#include "program/functions.h"
#include "program/operations.h"
#include "signal/fixed.h"

#define MOST_ARGUMENTS 4

static size_t words_for(size_t bits) {
    return (bits + 31) / 32;
}

static size_t mark_words(const yt_program *program) {
    return words_for((size_t)program->header->node_count + program->header->root_count);
}

size_t yt_evaluator_bytes(const yt_program *program) {
    size_t marks = mark_words(program);
    size_t bytes = program->header->timer_count * sizeof(yt_timer) +
                   program->header->node_count * sizeof(yt_q16) +
                   program->header->state_words * sizeof(uint32_t) +
                   2 * (marks + words_for(marks)) * sizeof(uint32_t) +
                   program->header->timer_count * sizeof(uint16_t);
    return (bytes + 7) & ~(size_t)7;
}

static void mark(yt_marks *marks, unsigned number) {
    marks->words[number / 32] |= (uint32_t)1 << (number % 32);
    marks->filled[number / 1024] |= (uint32_t)1 << (number / 32 % 32);
}

/* The number of the lowest bit that is set, by a multiplication that puts a different number into
 * the top five bits for each (de Bruijn); a Cortex-M0 has no instruction for it. */
static unsigned lowest_bit(uint32_t bits) {
    static const uint8_t place[32] = {0,  1,  28, 2,  29, 14, 24, 3, 30, 22, 20,
                                      15, 25, 17, 4,  8,  31, 27, 13, 23, 21, 19,
                                      16, 7,  26, 12, 18, 6,  11, 5, 10, 9};
    return place[(bits & (0u - bits)) * 0x077cb531u >> 27];
}

/* Takes the lowest marked number out; false when there is none. `from` is the word to begin with. */
static bool take_mark(yt_marks *marks, size_t groups, size_t *group, unsigned *number) {
    for (; *group < groups; ++*group) {
        uint32_t filled = marks->filled[*group];
        if (!filled)
            continue;
        size_t word = *group * 32 + lowest_bit(filled);
        uint32_t bits = marks->words[word];
        *number = (unsigned)(word * 32) + lowest_bit(bits);
        marks->words[word] = bits & (bits - 1);
        if (!marks->words[word])
            marks->filled[*group] = filled & (filled - 1);
        return true;
    }
    return false;
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
    evaluator->pulsed.words = evaluator->changed.filled + words_for(marks);
    evaluator->pulsed.filled = evaluator->pulsed.words + marks;
    evaluator->heap = (uint16_t *)(evaluator->pulsed.filled + words_for(marks));
    unsigned timer = 0;
    for (unsigned i = 0; i < header->node_count; i++) {
        mark(&evaluator->changed, i);
        if (program->nodes[i].operation < YT_OP_FIRST_FUNCTION)
            continue;
        evaluator->state[program->nodes[i].data + YT_TIMER_WORD] = timer;
        evaluator->timers[timer].node = (uint16_t)i;
        evaluator->timers[timer++].place = YT_NOT_RUNNING;
    }
    for (unsigned i = 0; i < header->root_count; i++)
        mark(&evaluator->changed, header->node_count + i);
}

static void mark_users(yt_evaluator *evaluator, const yt_program_node *node) {
    const uint16_t *user = &evaluator->program.users[node->first_user];
    for (unsigned k = node->user_count; k > 0; k--)
        mark(&evaluator->changed, *user++);
}

/* Gives a node its value. A pulse is told even if it equals the last one. */
static void give_value(yt_evaluator *evaluator, unsigned i, yt_q16 value) {
    if (evaluator->values[i] == value)
        return;
    const yt_program_node *node = &evaluator->program.nodes[i];
    evaluator->values[i] = value;
    mark_users(evaluator, node);
    if (node->type == YT_TYPE_PULSE)
        mark(&evaluator->pulsed, i);
}

void yt_evaluator_set(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    give_value(evaluator, evaluator->program.controls[control].node, value);
}

void yt_evaluator_add(yt_evaluator *evaluator, unsigned control, yt_q16 value) {
    unsigned node = evaluator->program.controls[control].node;
    give_value(evaluator, node, yt_q16_add(evaluator->values[node], value));
}

static yt_q16 evaluate(yt_evaluator *evaluator, const yt_program_node *node, yt_q16 present) {
    const uint16_t *argument = &evaluator->program.arguments[node->first_argument];
    yt_q16 a[MOST_ARGUMENTS] = {0, 0, 0, 0};
    for (unsigned k = 0; k < node->argument_count; k++)
        a[k] = evaluator->values[argument[k]];
    switch (node->operation) {
    case YT_OP_CONSTANT:
        return evaluator->program.constants[node->data];
    case YT_OP_CONTROL:
        return present;
    case YT_OP_SECOND:
        return (yt_q16)evaluator->state[node->data + YT_SECOND_WORD];
    case YT_OP_NOT:
        return a[0] ? 0 : YT_ONE;
    case YT_OP_AND:
        return a[0] & a[1];
    case YT_OP_OR:
        return a[0] | a[1];
    case YT_OP_ADD:
        return yt_q16_add(a[0], a[1]);
    case YT_OP_SUBTRACT:
        return yt_q16_subtract(a[0], a[1]);
    case YT_OP_MULTIPLY:
        return yt_q16_multiply(a[0], a[1]);
    case YT_OP_LESS:
        return a[0] < a[1] ? YT_ONE : 0;
    case YT_OP_LESS_OR_EQUAL:
        return a[0] <= a[1] ? YT_ONE : 0;
    case YT_OP_EQUAL:
        return a[0] == a[1] ? YT_ONE : 0;
    case YT_OP_CHOOSE:
        return a[0] ? a[1] : a[2];
    case YT_OP_SEEN:
        return a[0];
    default:
        return yt_function_evaluate(evaluator, node, a);
    }
}

static void run_pass(yt_evaluator *evaluator, yt_root_sink *sink, void *user) {
    const yt_program *program = &evaluator->program;
    size_t groups = words_for(mark_words(program)), group = 0;
    unsigned number, nodes = program->header->node_count;
    while (take_mark(&evaluator->changed, groups, &group, &number)) {
        if (number >= nodes) {
            sink(user, number - nodes, evaluator->values[program->roots[number - nodes].node]);
            continue;
        }
        const yt_program_node *node = &program->nodes[number];
        give_value(evaluator, number, evaluate(evaluator, node, evaluator->values[number]));
        if (node->operation >= YT_OP_FIRST_FUNCTION)
            mark(&evaluator->changed, number + 1);
    }
}

/* Ends the pulses. Those that depend on them and are pulses too are 0 by themselves, since no
 * operation makes a pulse out of none; the others are looked at once more. */
static bool end_pulses(yt_evaluator *evaluator) {
    const yt_program *program = &evaluator->program;
    size_t groups = words_for(mark_words(program)), group = 0;
    unsigned number;
    bool again = false;
    while (take_mark(&evaluator->pulsed, groups, &group, &number)) {
        const yt_program_node *node = &program->nodes[number];
        evaluator->values[number] = 0;
        for (unsigned k = 0; k < node->user_count; k++) {
            unsigned user = program->users[node->first_user + k];
            if (user >= program->header->node_count ||
                program->nodes[user].operation != YT_OP_SEEN)
                continue;
            mark(&evaluator->changed, user);
            again = true;
        }
    }
    return again;
}

bool yt_evaluator_pass(yt_evaluator *evaluator, uint64_t now_us, yt_root_sink *sink, void *user) {
    evaluator->now_us = now_us;
    run_pass(evaluator, sink, user);
    return end_pulses(evaluator);
}
