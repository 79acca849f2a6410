#include "compiler/cost.h"

#include <stdbool.h>
#include <string.h>

#include "compiler/pool.h"
#include "image/operations.h"

#define COST_CORE(name, clock, cycles, ...) {name, clock, cycles, {__VA_ARGS__}},
#define COST_PRICE(term, instructions)      [COST_##term] = (instructions),
const cost_core cost_cores[] = {
#include "compiler/costs.def"
};
#undef COST_PRICE
#undef COST_CORE

#define COST_NAME(name, meaning)             #name,
#define YT_FUNCTION(group, index, NAME, ...) #NAME,
#define YT_UNCALLED(group, index, NAME, ...) #NAME,
const char *const cost_names[COST_COUNT] = {COST_TERMS(COST_NAME)
#include "yonder/image/functions.def"
};
#undef COST_NAME

const unsigned cost_core_count = sizeof cost_cores / sizeof cost_cores[0];

static void count_reading(const yt_program_control *control, cost_terms *terms) {
    bool is_key = control->page == 0x07 && control->kind == YT_SWITCH;
    if (is_key)
        terms->count[COST_KEYBOARD] = 1;
    terms->count[is_key                       ? COST_KEY
                 : control->kind == YT_SWITCH ? COST_SWITCH
                 : control->kind == YT_MOTION ? COST_MOTION
                                              : COST_LEVEL]++;
}

/* What a node of an operation is counted as. */
static cost_term term_of(unsigned operation) {
    switch (operation) {
    case YT_OP_MULTIPLY:
        return COST_MULTIPLY;
    case YT_OP_DIVIDE:
        return COST_DIVIDE;
    case YT_OP_DRIVE:
        return COST_DRIVE;
#define YT_FUNCTION(group, index, NAME, ...)                                                       \
    case YT_OP_##NAME:                                                                             \
        return COST_##NAME;
#define YT_UNCALLED(group, index, NAME, ...)                                                       \
    case YT_OP_##NAME:                                                                             \
        return COST_##NAME;
#include "yonder/image/functions.def"
    default:
        return COST_NODE;
    }
}

static void count_node(const yt_program_node *node, cost_terms *terms) {
    if (node->operation <= YT_OP_SECOND || node->operation == YT_OP_PARAMETER)
        return;
    terms->count[term_of(node->operation)]++;
    if (strchr(yt_operation_of(node->operation)->arguments, '|'))
        terms->count[COST_PAIR] += node->argument_count;
}

/* What is looked at in the passes of one update. */
typedef struct search {
    const yt_program *program;
    cost_terms *terms;
    bool *marked;  /* nodes, then roots, that are looked at in one pass */
    bool *changed; /* nodes that may get another value in it */
    bool *reports; /* that have news */
} search;

static void count_root(search *search, const yt_program_root *root) {
    uint32_t *count = search->terms->count;
    if (root->report == YT_NO_REPORT) {
        count[COST_TARGET]++;
        return;
    }
    search->reports[root->report] = true;
    switch (root->kind) {
    case YT_ROOT_HAT:
        count[COST_HAT]++;
        break;
    case YT_ROOT_IN_ARRAY:
    case YT_ROOT_KEY_IN_ARRAY:
        count[COST_ARRAY] += search->program->reports[root->report].switch_count;
        count[COST_ARRAY_KEY]++;
        break;
    case YT_ROOT_KEY:
    case YT_ROOT_MODIFIER:
        count[COST_KEY_OUT]++;
        break;
    default:
        count[root->kind >= YT_ROOT_AXIS ? COST_AXIS : COST_BUTTON]++;
    }
}

/* Whether a node that is looked at may get another value: which layer a press belongs to does not
 * change with the layers, only with the press. */
static bool may_change(const search *search, const yt_program_node *node) {
    return node->operation != YT_OP_OWNER ||
           search->changed[search->program->arguments[node->first_argument]];
}

/* One pass that begins at the nodes that are marked: what follows from them. Marks the nodes
 * that compare pulses for one more pass, as the end of a pulse is seen too; false if there are
 * none. */
static bool count_pass(search *search) {
    const yt_program *program = search->program;
    unsigned nodes = program->header->node_count;
    bool again = false;
    for (unsigned i = 0; i < nodes; i++) {
        const yt_program_node *node = &program->nodes[i];
        search->changed[i] = search->marked[i] && may_change(search, node);
        if (!search->marked[i])
            continue;
        search->marked[i] = node->operation == YT_OP_SEEN;
        again |= search->marked[i];
        count_node(node, search->terms);
        for (unsigned k = 0; search->changed[i] && k < node->user_count; k++)
            search->marked[program->users[node->first_user + k]] = true;
    }
    for (unsigned i = 0; i < program->header->root_count; i++)
        if (search->marked[nodes + i]) {
            search->marked[nodes + i] = false;
            count_root(search, &program->roots[i]);
        }
    return again;
}

/* Marks what a report of an input's device changes. */
static void read_input(search *search, unsigned input) {
    const yt_program *program = search->program;
    for (unsigned i = 0; i < program->header->control_count; i++) {
        const yt_program_control *control = &program->controls[i];
        if (control->from_host || control->input != input)
            continue;
        count_reading(control, search->terms);
        search->marked[control->node] = true;
    }
}

/* Marks the functions whose timer may end before a report, or those that a press ends at once. */
static void end_timers(search *search, bool at_once) {
    for (unsigned i = 0; i < search->program->header->node_count; i++) {
        unsigned operation = search->program->nodes[i].operation;
        search->marked[i] |=
            yt_operation_of(operation)->timers && (operation == YT_OP_NEXT_PRESS) == at_once;
    }
}

static void count_reports(search *search) {
    search->terms->count[COST_OUTPUT] = search->program->header->interface_count;
    for (unsigned i = 0; i < search->program->header->report_count; i++) {
        const yt_program_report *report = &search->program->reports[i];
        if (!search->reports[i])
            continue;
        search->terms->count[COST_REPORT]++;
        if (report->boot == YT_BOOT_KEYBOARD)
            search->terms->count[COST_BOOT] += report->switch_count;
    }
}

void cost_count(const yt_program *program, unsigned input, cost_terms *terms) {
    size_t places = (size_t)program->header->node_count + program->header->root_count + 2;
    search search = {.program = program, .terms = terms};
    pool pool = {0};
    memset(terms, 0, sizeof *terms);
    search.marked = pool_take(&pool, 2 * places + program->header->report_count);
    search.changed = search.marked + places;
    search.reports = search.changed + places;
    terms->count[COST_UPDATE] = 1;
    end_timers(&search, false);
    count_pass(&search);
    read_input(&search, input);
    if (count_pass(&search))
        count_pass(&search);
    memset(search.marked, 0, places);
    end_timers(&search, true);
    count_pass(&search);
    count_reports(&search);
    pool_free(&pool);
}

uint32_t cost_of(const cost_core *core, const cost_terms *terms) {
    uint64_t cost = 0;
    for (unsigned i = 0; i < COST_COUNT; i++)
        cost += (uint64_t)core->price[i] * terms->count[i];
    return cost > UINT32_MAX ? UINT32_MAX : (uint32_t)cost;
}

uint32_t cost_of_function(const cost_core *core, const function *function) {
    cost_terms terms = {{0}};
    if (!function->number) {
        terms.count[COST_NODE] = function->nodes;
        return cost_of(core, &terms);
    }
    const char *arguments = yt_operation_of(function->number)->arguments;
    terms.count[term_of(function->number)] = 1;
    if (strchr(arguments, '|')) /* the last one twice, in place of the | */
        terms.count[COST_PAIR] = (uint32_t)strlen(arguments);
    return cost_of(core, &terms);
}

uint32_t cost_bound(const cost_core *core, const yt_program *program, unsigned *input) {
    uint32_t bound = 0;
    *input = 0;
    for (unsigned i = 0; i < program->header->input_count; i++) {
        cost_terms terms;
        cost_count(program, i, &terms);
        uint32_t cost = cost_of(core, &terms);
        if (cost > bound) {
            bound = cost;
            *input = i;
        }
    }
    return bound;
}
