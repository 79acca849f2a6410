#include "compiler/cost.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

#include "program/operations.h"

#define COST_CORE(name, clock, cycles, ...) {name, clock, cycles, {__VA_ARGS__}},
const cost_core cost_cores[] = {
#include "compiler/costs.def"
};
#undef COST_CORE

const unsigned cost_core_count = sizeof cost_cores / sizeof cost_cores[0];

static void count_reading(const yt_program_control *control, cost_terms *terms) {
    bool is_key = control->page == 0x07 && control->kind == YT_SWITCH;
    terms->count[is_key                       ? COST_KEY
                 : control->kind == YT_SWITCH ? COST_SWITCH
                 : control->kind == YT_MOTION ? COST_MOTION
                                              : COST_LEVEL]++;
}

static void count_node(const yt_program_node *node, cost_terms *terms) {
    static const struct {
        uint8_t operation, term;
    } own[] = {{YT_OP_MULTIPLY, COST_MULTIPLY},
               {YT_OP_DIVIDE, COST_DIVIDE},
               {YT_OP_DRIVE, COST_DRIVE},
               {YT_OP_STICK_FROM_MOTION, COST_STICK_FROM_MOTION},
               {YT_OP_FARTHER, COST_FARTHER},
               {YT_OP_TOGGLE, COST_TOGGLE},
               {YT_OP_TURBO, COST_TURBO},
               {YT_OP_HOLD, COST_HOLD},
               {YT_OP_TAP, COST_TAP},
               {YT_OP_CHORD, COST_CHORD},
               {YT_OP_NEXT_PRESS, COST_NEXT_PRESS},
               {YT_OP_SEQUENCE, COST_SEQUENCE}};
    const yt_operation *operation = yt_operation_of(node->operation);
    terms->count[COST_NODE] += node->operation > YT_OP_SECOND && node->operation != YT_OP_PARAMETER;
    terms->count[COST_USER] += node->user_count;
    for (size_t i = 0; i < sizeof own / sizeof own[0]; i++)
        if (own[i].operation == node->operation)
            terms->count[own[i].term]++;
    if (strchr(operation->arguments, '|'))
        terms->count[COST_PAIR] += node->argument_count;
}

/* One pass that begins at the nodes that are marked: what follows from them. */
static void count_pass(const yt_program *program, bool *marked, bool *reports, cost_terms *terms) {
    unsigned nodes = program->header->node_count;
    for (unsigned i = 0; i < nodes; i++) {
        const yt_program_node *node = &program->nodes[i];
        if (!marked[i])
            continue;
        count_node(node, terms);
        if (yt_operation_has_second(node->operation))
            marked[i + 1] = true;
        for (unsigned k = 0; k < node->user_count; k++)
            marked[program->users[node->first_user + k]] = true;
    }
    for (unsigned i = 0; i < program->header->root_count; i++) {
        const yt_program_root *root = &program->roots[i];
        if (!marked[nodes + i])
            continue;
        terms->count[root->report == YT_NO_REPORT ? COST_TARGET
                     : root->kind == YT_ROOT_HAT  ? COST_HAT
                     : root->kind >= YT_ROOT_AXIS ? COST_AXIS
                                                  : COST_BUTTON]++;
        if (root->report != YT_NO_REPORT)
            reports[root->report] = true;
    }
}

void cost_count(const yt_program *program, unsigned input, cost_terms *terms) {
    size_t size = (size_t)program->header->node_count + program->header->root_count + 2;
    bool *marked = calloc(2 * size + 256, sizeof *marked);
    bool *timed = marked + size, *reports = timed + size;
    memset(terms, 0, sizeof *terms);
    if (!marked)
        return;
    terms->count[COST_UPDATE] = 1;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host || control->input != input)
            continue;
        count_reading(control, terms);
        marked[control->node] = true;
    }
    for (unsigned i = 0; i < program->header->node_count; i++)
        if (yt_operation_of(program->nodes[i].operation)->timers) {
            timed[i] = true;
            terms->count[COST_DEADLINE]++;
        }
    count_pass(program, marked, reports, terms);
    count_pass(program, timed, reports, terms);
    for (unsigned i = 0; i < program->header->report_count; i++)
        terms->count[COST_REPORT] += reports[i];
    free(marked);
}

uint32_t cost_of(const cost_core *core, const cost_terms *terms) {
    uint64_t cost = 0;
    for (unsigned i = 0; i < COST_COUNT; i++)
        cost += (uint64_t)core->price[i] * terms->count[i];
    return cost > UINT32_MAX ? UINT32_MAX : (uint32_t)cost;
}

uint32_t cost_bound(const cost_core *core, const yt_program *program) {
    uint32_t bound = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        cost_terms terms;
        cost_count(program, i, &terms);
        uint32_t cost = cost_of(core, &terms);
        bound = cost > bound ? cost : bound;
    }
    return bound;
}
