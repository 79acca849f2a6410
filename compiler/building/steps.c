#include "compiler/building/steps.h"

#include <string.h>

#include "compiler/building/operations.h"
#include "image/code.h"

#define MOST_OPERANDS (2 * BUILD_ARGUMENTS)
#define INLINE_MOST   200 /* instructions of a formula that is a part of another */

/* What is known of a node before steps are made. */
typedef struct yt_plan {
    unsigned uses; /* by other nodes and roots */
    unsigned size; /* instructions, as a part of another one */
    uint8_t needs; /* temporaries */
    bool is_kept;  /* it is a step of its own */
    bool feeds;    /* a function that begins afresh when a device leaves depends on it */
    bool is_made;
    bool is_wanted;
} yt_plan;

typedef struct yt_making {
    const yt_build *build;
    yt_made_steps *made;
    yt_plan *plans;
    unsigned stored; /* temporaries in use */
    bool failed;
} yt_making;

/* How a node is worked out: `main` at hand, with these as operands, each a leaf or a temporary. */
typedef struct yt_parts {
    unsigned main;
    unsigned operands[MOST_OPERANDS];
    unsigned count;
} yt_parts;

static const yt_build_node *node_at(const yt_making *making, unsigned node) {
    return &making->build->nodes[node];
}

/* Whether a node has a value that can be an operand as it is. */
static bool is_leaf(const yt_making *making, unsigned node) {
    unsigned operation = node_at(making, node)->operation;
    return operation_is_leaf(operation) || making->plans[node].is_kept;
}

static bool is_constant(const yt_making *making, unsigned node, yt_q16 value) {
    const yt_build_node *at = node_at(making, node);
    return at->operation == YT_OP_CONSTANT && at->data == value;
}

/* Whether its arguments are values of their own: it remembers, or must see which of them changed.
 */
static bool has_list(unsigned operation) {
    return operation >= YT_OP_FUNCTIONS || operation == YT_OP_OWNER || operation == YT_OP_DRIVE ||
           operation == YT_OP_PRESS || operation == YT_OP_SOCKET;
}

static bool is_commutative(const yt_making *making, const yt_build_node *node) {
    switch (node->operation) {
    case YT_OP_AND:
    case YT_OP_OR:
    case YT_OP_ADD:
    case YT_OP_EQUAL:
        return true;
    case YT_OP_MULTIPLY: /* a pulse stays at hand */
        return node_at(making, node->arguments[0])->type <= YT_TYPE_NUMBER;
    default:
        return false;
    }
}

static void add_operand(yt_parts *parts, unsigned node) {
    parts->operands[parts->count++] = node;
}

/* `if(s, 100%, 0%)`: the switch itself, as a number; or, turned, `if(s, 0%, 100%)`. */
static bool is_test(const yt_making *making, unsigned node, bool turned) {
    const yt_build_node *at = node_at(making, node);
    return at->operation == YT_OP_CHOOSE && !making->plans[node].is_kept &&
           is_constant(making, at->arguments[1], turned ? 0 : YT_ONE) &&
           is_constant(making, at->arguments[2], turned ? YT_ONE : 0);
}

static bool is_plain_test(const yt_making *making, unsigned node) {
    return is_test(making, node, false);
}

static bool is_any_test(const yt_making *making, unsigned node) {
    return is_test(making, node, false) || is_test(making, node, true);
}

/* A product with such a test is no product: its other factor, or 0. -1: it is none. */
static int test_factor(const yt_making *making, const yt_build_node *node) {
    if (node->operation != YT_OP_MULTIPLY)
        return -1;
    if (node->type > YT_TYPE_NUMBER)
        return is_plain_test(making, node->arguments[1]) ? 1 : -1;
    if (is_any_test(making, node->arguments[1]))
        return 1;
    return is_any_test(making, node->arguments[0]) ? 0 : -1;
}

static void parts_of_choice(const yt_making *making, const yt_build_node *node, yt_parts *parts) {
    const unsigned *argument = node->arguments;
    bool swap = !is_leaf(making, argument[1]) && is_leaf(making, argument[2]);
    parts->main = argument[swap ? 1 : 2];
    add_operand(parts, argument[0]);
    add_operand(parts, argument[swap ? 2 : 1]);
}

/* Pairs of a switch and a value, the first that is on counts: so the last one is at hand first. */
static void parts_of_topmost(const yt_making *making, const yt_build_node *node, yt_parts *parts) {
    unsigned last = node->argument_count - 2u;
    parts->main = node->arguments[last + 1];
    if (!is_constant(making, node->arguments[last], YT_ONE))
        add_operand(parts, node->arguments[last]);
    for (unsigned k = last; k > 0; k -= 2) {
        add_operand(parts, node->arguments[k - 2]);
        add_operand(parts, node->arguments[k - 1]);
    }
}

static void find_parts(const yt_making *making, unsigned number, yt_parts *parts) {
    const yt_build_node *node = node_at(making, number);
    const unsigned *argument = node->arguments;
    int factor = test_factor(making, node);
    parts->count = 0;
    if (factor >= 0) {
        parts->main = argument[1 - factor];
        add_operand(parts, node_at(making, argument[factor])->arguments[0]);
        return;
    }
    switch (node->operation) {
    case YT_OP_GATE:
        parts->main = argument[1];
        add_operand(parts, argument[0]);
        break;
    case YT_OP_CHOOSE:
        parts_of_choice(making, node, parts);
        break;
    case YT_OP_TOPMOST:
        parts_of_topmost(making, node, parts);
        break;
    default: {
        bool swap = node->argument_count == 2 && is_commutative(making, node) &&
                    is_leaf(making, argument[0]) && !is_leaf(making, argument[1]);
        parts->main = argument[swap];
        if (swap)
            add_operand(parts, argument[0]);
        for (unsigned k = 1; k < node->argument_count && !swap; k++)
            add_operand(parts, argument[k]);
    }
    }
}

/* Temporaries that are needed, operand by operand, then for what is at hand. */
static unsigned needs_of(const yt_making *making, const yt_parts *parts) {
    unsigned most = 0, held = 0;
    for (unsigned k = 0; k < parts->count; k++) {
        if (is_leaf(making, parts->operands[k]))
            continue;
        unsigned needs = making->plans[parts->operands[k]].needs + held;
        most = needs > most ? needs : most;
        held++;
    }
    unsigned needs = (is_leaf(making, parts->main) ? 0u : making->plans[parts->main].needs) + held;
    needs = needs > held ? needs : held;
    return needs > most ? needs : most;
}

static unsigned size_of(const yt_making *making, const yt_parts *parts) {
    unsigned size = 2 + 2 * parts->count;
    for (unsigned k = 0; k < parts->count; k++)
        if (!is_leaf(making, parts->operands[k]))
            size += making->plans[parts->operands[k]].size + 1;
    return size + (is_leaf(making, parts->main) ? 0 : making->plans[parts->main].size);
}

static void keep(yt_making *making, unsigned node) {
    if (!is_leaf(making, node))
        making->plans[node].is_kept = true;
}

/* Of one instruction on values: cheaper to do twice than to keep. */
static bool is_small(const yt_making *making, unsigned node) {
    const yt_build_node *at = node_at(making, node);
    switch (at->operation) {
    case YT_OP_DIVIDE:
    case YT_OP_SEEN:
    case YT_OP_TOPMOST:
    case YT_OP_ANY:
        return false;
    default:
        for (unsigned k = 0; k < at->argument_count; k++)
            if (!is_leaf(making, at->arguments[k]))
                return false;
        return true;
    }
}

/* Motion that is scaled, or let through, goes by a wire where what it is scaled by is a value. */
static void keep_for_wire(yt_making *making, unsigned number) {
    const yt_build_node *node = node_at(making, number);
    int factor = test_factor(making, node);
    if (node->type != YT_TYPE_PULSE)
        return;
    if (node->operation == YT_OP_GATE)
        keep(making, node->arguments[0]);
    else if (factor >= 0)
        keep(making, node_at(making, node->arguments[factor])->arguments[0]);
    else if (node->operation == YT_OP_MULTIPLY)
        keep(making, node->arguments[1]);
}

/* Decides for a node, those that it takes being decided. */
static void plan_node(yt_making *making, unsigned number) {
    const yt_build_node *node = node_at(making, number);
    yt_plan *plan = &making->plans[number];
    yt_parts parts;
    if (operation_is_leaf(node->operation))
        return;
    for (unsigned k = 0; k < node->argument_count; k++)
        if (has_list(node->operation) || node->operation == YT_OP_SEEN)
            keep(making, node->arguments[k]);
    if (has_list(node->operation)) {
        plan->is_kept = true;
        return;
    }
    keep_for_wire(making, number);
    find_parts(making, number, &parts);
    plan->needs = (uint8_t)needs_of(making, &parts);
    plan->size = size_of(making, &parts);
    if (plan->needs >= YT_TEMPORARIES || plan->size > INLINE_MOST) {
        keep(making, parts.main);
        for (unsigned k = 0; k < parts.count; k++)
            keep(making, parts.operands[k]);
        find_parts(making, number, &parts);
        plan->needs = (uint8_t)needs_of(making, &parts);
        plan->size = size_of(making, &parts);
    }
    if (plan->size > INLINE_MOST || plan->feeds || (plan->uses > 1 && !is_small(making, number)))
        plan->is_kept = true;
}

/* A device that leaves makes functions begin afresh that depend on it, even where what they take
 * stays as it is: so each part of what they take is a step, which can tell. It does not go on
 * through which layer is on. */
static void find_feeding(yt_making *making) {
    for (unsigned i = making->build->node_count; i-- > 0;) {
        const yt_build_node *node = node_at(making, i);
        const yt_function *function = operation_function(node->operation);
        bool goes_on = making->plans[i].feeds || (function && function->alive);
        unsigned first = node->operation == YT_OP_GATE ? 1 : 0;
        unsigned end = node->operation == YT_OP_OWNER ? 1 : node->argument_count;
        if (!goes_on || node->operation == YT_OP_ANY || node->operation == YT_OP_PRESS)
            continue;
        for (unsigned k = first; k < end; k++)
            making->plans[node->arguments[k]].feeds = true;
    }
}

static void plan_all(yt_making *making) {
    const yt_build *build = making->build;
    find_feeding(making);
    for (unsigned i = 0; i < build->node_count; i++)
        for (unsigned k = 0; k < build->nodes[i].argument_count; k++)
            making->plans[build->nodes[i].arguments[k]].uses++;
    for (unsigned i = 0; i < build->root_count; i++)
        making->plans[build->roots[i].node].uses++;
    for (unsigned i = 0; i < build->node_count; i++)
        plan_node(making, i);
}

static unsigned constant_index(yt_making *making, yt_q16 value) {
    yt_made_steps *made = making->made;
    for (unsigned i = 0; i < made->constant_count; i++)
        if (made->constants[i] == value)
            return i;
    made->constants = pool_grow(making->build->pool, made->constants, made->constant_count,
                                &made->constant_room, sizeof *made->constants);
    made->constants[made->constant_count] = value;
    return made->constant_count++;
}

static yt_operand value_operand(yt_making *making, unsigned node) {
    const yt_build_node *at = node_at(making, node);
    switch (at->operation) {
    case YT_OP_CONSTANT:
        return (yt_operand){OPERAND_CONSTANT, constant_index(making, at->data)};
    case YT_OP_HERE:
        return (yt_operand){OPERAND_HERE, (unsigned)at->data};
    case YT_OP_PARAMETER:
        return (yt_operand){OPERAND_PARAMETER, (unsigned)at->data};
    case YT_OP_CONTROL:
        return (yt_operand){OPERAND_CONTROL, (unsigned)at->data};
    case YT_OP_SECOND: {
        yt_operand first = making->made->values[node - 1];
        return (yt_operand){first.kind, first.index + 1};
    }
    default:
        return making->made->values[node];
    }
}

static void put(yt_making *making, unsigned code, yt_operand operand, unsigned count) {
    yt_made_steps *made = making->made;
    made->code = pool_grow(making->build->pool, made->code, made->code_count, &made->code_room,
                           sizeof *made->code);
    made->code[made->code_count++] = (yt_made_instruction){(uint8_t)code, (uint8_t)count, operand};
}

static const yt_operand no_operand = {OPERAND_NONE, 0};

static void put_node(yt_making *making, unsigned node);

/* A node as an operand: its value, or what it comes to in a temporary. */
static yt_operand put_operand(yt_making *making, unsigned node) {
    if (is_leaf(making, node))
        return value_operand(making, node);
    put_node(making, node);
    yt_operand temporary = {OPERAND_TEMPORARY, making->stored++};
    making->failed |= making->stored > YT_TEMPORARIES;
    put(making, YT_CODE_STORE, temporary, 0);
    return temporary;
}

static void put_choice(yt_making *making, const yt_build_node *node, const yt_parts *parts,
                       const yt_operand *operands) {
    bool swap = parts->main == node->arguments[1];
    if (is_constant(making, parts->operands[1], 0) && swap) {
        put(making, YT_CODE_GATE, operands[0], 0);
        return;
    }
    put(making, swap ? YT_CODE_ELSE : YT_CODE_OVER, operands[0], 1);
    put(making, YT_CODE_MORE, operands[1], 0);
}

static void put_topmost(yt_making *making, const yt_build_node *node, const yt_parts *parts,
                        const yt_operand *operands) {
    unsigned at = 0;
    if (!is_constant(making, node->arguments[node->argument_count - 2u], YT_ONE))
        put(making, YT_CODE_GATE, operands[at++], 0);
    for (; at < parts->count; at += 2) {
        put(making, YT_CODE_OVER, operands[at], 1);
        put(making, YT_CODE_MORE, operands[at + 1], 0);
    }
}

/* An instruction for each operation of two arguments. */
static unsigned code_of(unsigned operation) {
    static const struct {
        uint8_t operation, code;
    } codes[] = {{YT_OP_AND, YT_CODE_AND},           {YT_OP_OR, YT_CODE_OR},
                 {YT_OP_ADD, YT_CODE_ADD},           {YT_OP_SUBTRACT, YT_CODE_SUBTRACT},
                 {YT_OP_MULTIPLY, YT_CODE_MULTIPLY}, {YT_OP_DIVIDE, YT_CODE_DIVIDE},
                 {YT_OP_LESS, YT_CODE_LESS},         {YT_OP_LESS_OR_EQUAL, YT_CODE_LESS_OR_EQUAL},
                 {YT_OP_EQUAL, YT_CODE_EQUAL},       {YT_OP_ANY, YT_CODE_ANY}};
    for (size_t i = 0; i < sizeof codes / sizeof codes[0]; i++)
        if (codes[i].operation == operation)
            return codes[i].code;
    return YT_CODE_MORE;
}

static void put_parts(yt_making *making, unsigned number, const yt_parts *parts,
                      const yt_operand *operands) {
    const yt_build_node *node = node_at(making, number);
    switch (node->operation) {
    case YT_OP_NOT:
        put(making, YT_CODE_NOT, no_operand, 0);
        break;
    case YT_OP_GATE:
        put(making, YT_CODE_GATE, operands[0], 0);
        break;
    case YT_OP_CHOOSE:
        put_choice(making, node, parts, operands);
        break;
    case YT_OP_TOPMOST:
        put_topmost(making, node, parts, operands);
        break;
    default:
        for (unsigned k = 0; k < parts->count; k++)
            put(making, code_of(node->operation), operands[k], 0);
    }
}

/* What is at hand, where a test lets it through; else 0. A pulse is never turned round: a constant
 * of 0 is no pulse. */
static void put_test(yt_making *making, unsigned test, yt_operand condition) {
    if (is_plain_test(making, test)) {
        put(making, YT_CODE_GATE, condition, 0);
        return;
    }
    put(making, YT_CODE_OVER, condition, 1);
    put(making, YT_CODE_MORE, (yt_operand){OPERAND_CONSTANT, constant_index(making, 0)}, 0);
}

/* What the node comes to is at hand. */
static void put_inside(yt_making *making, unsigned number) {
    const yt_build_node *node = node_at(making, number);
    unsigned stored = making->stored;
    yt_operand operands[MOST_OPERANDS];
    yt_parts parts;
    if (node->operation == YT_OP_SEEN) {
        put(making, YT_CODE_SEEN, value_operand(making, node->arguments[0]), 0);
        return;
    }
    if (node->type <= YT_TYPE_NUMBER && is_plain_test(making, number)) {
        put_node(making, node->arguments[0]);
        return;
    }
    find_parts(making, number, &parts);
    for (unsigned k = 0; k < parts.count; k++)
        operands[k] = put_operand(making, parts.operands[k]);
    put_node(making, parts.main);
    int factor = test_factor(making, node);
    if (factor >= 0)
        put_test(making, node->arguments[factor], operands[0]);
    else
        put_parts(making, number, &parts, operands);
    if (node->operation == YT_OP_ANY && parts.count == 0)
        put(making, YT_CODE_ANY, put_operand(making, parts.main), 0);
    making->stored = stored;
}

static void put_node(yt_making *making, unsigned node) {
    if (is_leaf(making, node))
        put(making, YT_CODE_LOAD, value_operand(making, node), 0);
    else
        put_inside(making, node);
}

static void put_list(yt_making *making, const yt_build_node *node, yt_program_step *step) {
    yt_made_steps *made = making->made;
    const yt_function *function = operation_function(node->operation);
    unsigned from = 0, count = node->argument_count;
    if (function) {
        unsigned number = node->operation - YT_OP_FUNCTIONS;
        made->groups |= (uint32_t)1 << yt_function_group(number);
        put(making, YT_CODE_CALL, (yt_operand){OPERAND_FUNCTION, number}, count);
    } else {
        unsigned code = node->operation == YT_OP_DRIVE ? YT_CODE_DRIVE : YT_CODE_OWNER;
        put(making, code, value_operand(making, node->arguments[from++]), count - 1);
    }
    for (; from < count; from++) {
        yt_operand operand = value_operand(making, node->arguments[from]);
        put(making, operand.kind == OPERAND_HERE ? YT_CODE_HERE : YT_CODE_MORE, operand, 0);
    }
    unsigned words = function                         ? yt_function_words(function, count)
                     : node->operation == YT_OP_DRIVE ? 1
                                                      : 0;
    if (words)
        step->state = (uint16_t)made->state_words;
    made->state_words += words;
    if (!function || !function->timers)
        return;
    step->timer = (uint16_t)made->timer_count;
    made->timers = pool_grow(making->build->pool, made->timers, made->timer_count,
                             &made->timer_room, sizeof *made->timers);
    made->timers[made->timer_count++] = (uint16_t)made->step_count;
}

static void add_value(yt_making *making, unsigned type) {
    yt_made_steps *made = making->made;
    made->value_types = pool_grow(making->build->pool, made->value_types, made->value_count,
                                  &made->value_room, sizeof *made->value_types);
    made->value_types[made->value_count++] = (uint8_t)type;
}

/* A step that gives the value of a node; `tells` says of what. */
static void make_step(yt_making *making, unsigned number, yt_program_step tells) {
    yt_made_steps *made = making->made;
    const yt_build_node *node = node_at(making, number);
    const yt_function *function = operation_function(node->operation);
    bool is_own = making->plans[number].is_kept && !making->plans[number].is_made;
    yt_program_step step = tells;
    step.code = (uint16_t)made->code_count;
    step.type = node->type;
    making->stored = 0;
    if (is_own && node->operation == YT_OP_PRESS)
        put(making, YT_CODE_PRESS, value_operand(making, node->arguments[0]), 0);
    else if (is_own && node->operation == YT_OP_SOCKET)
        put(making, YT_CODE_LOAD, value_operand(making, node->arguments[0]), 0);
    else if (is_own && has_list(node->operation))
        put_list(making, node, &step);
    else if (is_own || !is_leaf(making, number))
        put_inside(making, number);
    else
        put(making, YT_CODE_LOAD, value_operand(making, number), 0);
    put(making, YT_CODE_END, no_operand, 0);
    step.value = YT_NO_VALUE;
    if (step.tells != YT_TELLS_MOTION) {
        step.value = (uint16_t)made->value_count;
        add_value(making, step.type);
        for (unsigned k = 1; is_own && function && k < function->results; k++)
            add_value(making, YT_TYPE_NUMBER);
    }
    if (is_own && node->operation == YT_OP_SOCKET)
        made->socket_steps[node->data] = made->step_count;
    if (is_own) {
        making->plans[number].is_made = true;
        made->values[number] = (yt_operand){OPERAND_STEP, step.value};
    }
    made->steps = pool_grow(making->build->pool, made->steps, made->step_count, &made->step_room,
                            sizeof *made->steps);
    made->steps[made->step_count++] = step;
}

/* Steps for all that a node takes and that is kept. */
static void make_before(yt_making *making, unsigned root) {
    yt_plan *plans = making->plans;
    plans[root].is_wanted = true;
    for (unsigned i = root + 1; i-- > 0;) {
        const yt_build_node *node = node_at(making, i);
        if (!plans[i].is_wanted)
            continue;
        if (plans[i].is_made) {
            plans[i].is_wanted = false;
            continue;
        }
        for (unsigned k = 0; k < node->argument_count; k++)
            plans[node->arguments[k]].is_wanted = true;
    }
    for (unsigned i = 0; i <= root; i++) {
        bool is_wanted = plans[i].is_wanted;
        plans[i].is_wanted = false;
        if (is_wanted && i < root && plans[i].is_kept && !plans[i].is_made)
            make_step(making, i, (yt_program_step){0});
    }
}

static unsigned telling_of(const yt_build_root *root) {
    static const uint8_t tellings[] = {YT_TELLS_HAT, YT_TELLS_AXIS, YT_TELLS_LEVEL,
                                       YT_TELLS_MOTION};
    if (root->report == YT_NO_REPORT)
        return YT_TELLS_TARGET;
    return root->record.kind < YT_ROOT_HAT ? YT_TELLS_SWITCH
                                           : tellings[root->record.kind - YT_ROOT_HAT];
}

/* Whether the step that tells a root can be the one that keeps the node's value: nobody else uses
 * it, and it is one value that is kept. */
static bool can_tell_itself(const yt_making *making, unsigned node, unsigned tells) {
    const yt_plan *plan = &making->plans[node];
    const yt_function *function = operation_function(node_at(making, node)->operation);
    return plan->is_kept && !plan->is_made && plan->uses == 1 && tells != YT_TELLS_MOTION &&
           (!function || function->results == 1);
}

static void make_root(yt_making *making, unsigned number, unsigned in_report) {
    const yt_build_root *root = &making->build->roots[number];
    unsigned tells = telling_of(root);
    make_before(making, root->node);
    if (making->plans[root->node].is_kept && !making->plans[root->node].is_made &&
        !can_tell_itself(making, root->node, tells))
        make_step(making, root->node, (yt_program_step){0});
    yt_program_step step = {
        .tells = (uint8_t)tells, .report = (uint8_t)root->report, .number = (uint8_t)in_report};
    making->made->root_steps[number] = making->made->step_count;
    make_step(making, root->node, step);
}

bool steps_make(const yt_build *build, yt_made_steps *made) {
    yt_pool *pool = build->pool;
    yt_making making = {.build = build,
                        .made = made,
                        .plans = pool_take(pool, (build->node_count + 1) * sizeof(yt_plan))};
    unsigned in_report = 0;
    memset(made, 0, sizeof *made);
    made->values = pool_take(pool, (build->node_count + 1) * sizeof(yt_operand));
    made->root_steps = pool_take(pool, (build->root_count + 1) * sizeof(unsigned));
    made->socket_steps = pool_take(pool, (build->socket_count + 1) * sizeof(unsigned));
    for (unsigned i = 0; i < build->node_count; i++)
        made->values[i] = no_operand;
    plan_all(&making);
    for (unsigned i = 0; i < build->root_count; i++) {
        bool is_next = i > 0 && build->roots[i].report == build->roots[i - 1].report;
        in_report = is_next ? in_report + 1 : 0;
        make_root(&making, i, in_report);
    }
    for (unsigned i = 0; i < build->node_count; i++)
        if (is_leaf(&making, i) && !making.plans[i].is_kept)
            made->values[i] = value_operand(&making, i);
    return !making.failed && made->step_count <= BUILD_MOST && made->code_count <= BUILD_MOST &&
           made->state_words <= BUILD_MOST;
}
