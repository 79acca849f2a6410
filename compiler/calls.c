#include <string.h>

#include "compiler/lowering.h"
#include "program/operations.h"

static bool is_name(const char *name, const char *text, size_t length) {
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

/* Functions: their arguments in order, each with its label; a label ends with `?` if it may be left
 * out. An argument in order needs no label until one has been given. */
typedef struct function {
    const char *name;
    const char *labels[4];
    const char *usage;
    value (*make)(lowering *lowering, const term *call, const term *const *arguments);
} function;

static value make_if(lowering *lowering, const term *call, const term *const *arguments) {
    value condition = lower_switch(lowering, arguments[0], "if");
    value yes = lower_term(lowering, arguments[1]), no = lower_term(lowering, arguments[2]);
    if (condition.type == VALUE_NOTHING || yes.type == VALUE_NOTHING || no.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    value result = {.type = yes.type};
    unsigned type = YT_TYPE_NUMBER;
    if (yes.type == no.type && value_is_motion(yes)) {
        type = YT_TYPE_PULSE;
    } else if (yes.type == VALUE_SWITCH && no.type == VALUE_SWITCH) {
        type = YT_TYPE_SWITCH;
        yes.has_depth = no.has_depth = false;
    } else if (value_is_number(yes) && value_is_number(no)) {
        result.type = yes.type == VALUE_RATE && no.type == VALUE_RATE ? VALUE_RATE : VALUE_AXIS;
    } else if (yes.type != no.type || yes.type == VALUE_CONSTANT) {
        return lower_wrong(lowering, call,
                           "if(c, a, b) chooses between two of a kind, but a is %s and "
                           "b is %s",
                           value_meaning(yes), value_meaning(no));
    }
    result.node = lower_add(lowering, YT_OP_CHOOSE, type, 3, condition.node,
                            value_node(lowering, yes), value_node(lowering, no));
    if (yes.type == VALUE_STICK || yes.type == VALUE_MOTION_PAIR)
        result.second =
            lower_add(lowering, YT_OP_CHOOSE, type, 3, condition.node, yes.second, no.second);
    return result;
}

static bool lower_number(lowering *lowering, const term *term, const char *what, unsigned *node) {
    value number = lower_term(lowering, term);
    if (number.type == VALUE_NOTHING)
        return false;
    if (!value_is_number(number)) {
        lower_wrong(lowering, term, "%s takes a switch, a level or an axis, not %s", what,
                    value_meaning(number));
        return false;
    }
    *node = value_node(lowering, number);
    return true;
}

static bool is_rate(value value) {
    return value.type == VALUE_RATE ||
           (value.type == VALUE_CONSTANT && (value.unit == UNIT_TURN || value.unit == UNIT_PULL));
}

/* What min, max, abs and clamp take: numbers; rates, and constants in their unit; or constants of
 * one unit. */
static bool lower_numbers(lowering *lowering, const term *call, const term *const *arguments,
                          unsigned count, value *values) {
    bool any_rate = false, all_constant = true;
    for (unsigned k = 0; k < count; k++) {
        values[k] = lower_term(lowering, arguments[k]);
        if (values[k].type == VALUE_NOTHING)
            return false;
        any_rate |= values[k].type == VALUE_RATE;
        all_constant &= values[k].type == VALUE_CONSTANT && values[k].unit == values[0].unit;
    }
    for (unsigned k = 0; k < count; k++) {
        if (value_is_number(values[k]) || all_constant || (any_rate && is_rate(values[k])))
            continue;
        lower_wrong(lowering, arguments[k], "%.*s takes switches, levels, axes and numbers, not %s",
                    (int)call->name_width, term_text(lowering, call), value_meaning(values[k]));
        return false;
    }
    return true;
}

/* The smaller of two numbers, or the larger. */
static value pick(lowering *lowering, value a, value b, bool larger) {
    if (a.type == VALUE_CONSTANT && b.type == VALUE_CONSTANT)
        return (a.amount < b.amount) != larger ? a : b;
    unsigned one = value_node(lowering, a), other = value_node(lowering, b);
    unsigned less = lower_add(lowering, YT_OP_LESS, YT_TYPE_SWITCH, 2, one, other, 0);
    return (value){.type = is_rate(a) && is_rate(b) ? VALUE_RATE : VALUE_AXIS,
                   .node = lower_add(lowering, YT_OP_CHOOSE, YT_TYPE_NUMBER, 3, less,
                                     larger ? other : one, larger ? one : other)};
}

static value make_min(lowering *lowering, const term *call, const term *const *arguments) {
    value values[2];
    if (!lower_numbers(lowering, call, arguments, 2, values))
        return (value){.type = VALUE_NOTHING};
    return pick(lowering, values[0], values[1], false);
}

static value make_max(lowering *lowering, const term *call, const term *const *arguments) {
    value values[2];
    if (!lower_numbers(lowering, call, arguments, 2, values))
        return (value){.type = VALUE_NOTHING};
    return pick(lowering, values[0], values[1], true);
}

static value make_abs(lowering *lowering, const term *call, const term *const *arguments) {
    value number;
    if (!lower_numbers(lowering, call, arguments, 1, &number))
        return (value){.type = VALUE_NOTHING};
    value other = number;
    if (number.type == VALUE_CONSTANT)
        other.amount = -number.amount;
    else
        other.node =
            lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2,
                      build_constant(lowering->scope->build, 0), value_node(lowering, number), 0);
    return pick(lowering, number, other, true);
}

static value make_clamp(lowering *lowering, const term *call, const term *const *arguments) {
    value values[3];
    if (!lower_numbers(lowering, call, arguments, 3, values))
        return (value){.type = VALUE_NOTHING};
    if (values[1].type == VALUE_CONSTANT && values[2].type == VALUE_CONSTANT &&
        values[1].amount > values[2].amount)
        return lower_wrong(lowering, arguments[1], "low is above high; write: clamp(a, low, high)");
    return pick(lowering, pick(lowering, values[0], values[1], true), values[2], false);
}

static value make_stick(lowering *lowering, const term *call, const term *const *arguments) {
    unsigned node[4];
    (void)call;
    for (unsigned k = 0; k < 4; k++)
        if (!lower_number(lowering, arguments[k], "each direction of a stick", &node[k]))
            return (value){.type = VALUE_NOTHING};
    return (value){
        .type = VALUE_STICK,
        .node = lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, node[1], node[0], 0),
        .second = lower_add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, node[3], node[2], 0)};
}

static value make_stick_of_axes(lowering *lowering, const term *call,
                                const term *const *arguments) {
    unsigned x, y;
    (void)call;
    if (!lower_number(lowering, arguments[0], "x", &x) ||
        !lower_number(lowering, arguments[1], "y", &y))
        return (value){.type = VALUE_NOTHING};
    return (value){.type = VALUE_STICK, .node = x, .second = y};
}

/* The node takes what one count is of full deflection, in steps of 4 ms: the division is done
 * here, once. */
static value make_stick_from_motion(lowering *lowering, const term *call,
                                    const term *const *arguments) {
    value motion = lower_term(lowering, arguments[0]), full = lower_term(lowering, arguments[1]);
    (void)call;
    if (motion.type == VALUE_NOTHING || full.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    if (motion.type != VALUE_MOTION_PAIR)
        return lower_wrong(lowering, arguments[0], "motion in two directions belongs here, not %s",
                           value_meaning(motion));
    if (full.type != VALUE_CONSTANT || full.unit != UNIT_SPEED)
        return lower_wrong(lowering, arguments[1],
                           "full_at takes a speed such as 1500 /s (counts a second), not %s",
                           value_meaning(full));
    if (full.amount < YT_ONE)
        return lower_wrong(lowering, arguments[1], "full_at must be at least 1 /s");
    int64_t gain = (INT64_C(250) * YT_ONE * YT_ONE + full.amount / 2) / full.amount;
    unsigned node = lower_add(lowering, YT_OP_STICK_FROM_MOTION, YT_TYPE_NUMBER, 3, motion.node,
                              motion.second, build_constant(lowering->scope->build, (yt_q16)gain));
    return (value){.type = VALUE_STICK, .node = node, .second = node + 1};
}

static const function functions[] = {
    {"if", {"when", "then", "else"}, "if(condition, a, b)", make_if},
    {"min", {"a", "b"}, "min(a, b)", make_min},
    {"max", {"a", "b"}, "max(a, b)", make_max},
    {"abs", {"a"}, "abs(a)", make_abs},
    {"clamp", {"a", "low", "high"}, "clamp(a, low, high)", make_clamp},
    {"stick", {"left", "right", "up", "down"}, "stick(left=, right=, up=, down=)", make_stick},
    {"stick", {"x", "y"}, "stick(x=, y=)", make_stick_of_axes},
    {"stick_from_motion",
     {"motion", "full_at"},
     "stick_from_motion(motion, full_at=1500 /s)",
     make_stick_from_motion}};

#define FUNCTIONS (sizeof functions / sizeof functions[0])

static value unknown_function(lowering *lowering, const term *call) {
    const char *names[FUNCTIONS];
    for (size_t i = 0; i < FUNCTIONS; i++)
        names[i] = functions[i].name;
    term named = *call;
    named.width = call->name_width;
    const char *name = term_text(lowering, call);
    const char *near = nearest_name(name, named.width, names, FUNCTIONS);
    if (near)
        return lower_wrong(lowering, &named, "there is no function \"%.*s\"; did you mean \"%s\"?",
                           term_shown(&named), name, near);
    return lower_wrong(lowering, &named,
                       "there is no function \"%.*s\"; there are if, min, max, abs, clamp, "
                       "stick and stick_from_motion",
                       term_shown(&named), name);
}

static int label_index(const function *function, const char *label, size_t width) {
    for (int k = 0; k < 4 && function->labels[k]; k++)
        if (is_name(function->labels[k], label, width))
            return k;
    return -1;
}

/* `stick` has two shapes; the first label tells which is meant. */
static const function *find_function(const lowering *lowering, const term *call) {
    const char *name = term_text(lowering, call);
    const function *found = NULL;
    for (size_t i = 0; i < FUNCTIONS; i++) {
        if (!is_name(functions[i].name, name, call->name_width))
            continue;
        if (!found)
            found = &functions[i];
        if (call->first && call->first->label &&
            label_index(&functions[i], call->first->label, call->first->label_width) >= 0)
            return &functions[i];
    }
    return found;
}

static value wrong_label(lowering *lowering, const function *function, const term *argument) {
    struct term label = *argument;
    label.offset = (size_t)(argument->label - lowering->part->text);
    label.width = argument->label_width;
    size_t count = 0;
    while (count < 4 && function->labels[count])
        count++;
    const char *near = nearest_name(argument->label, label.width, function->labels, count);
    if (near)
        return lower_wrong(lowering, &label, "%s has no argument \"%.*s\"; did you mean \"%s\"?",
                           function->name, (int)label.width, argument->label, near);
    return lower_wrong(lowering, &label, "%s has no argument \"%.*s\"; write: %s", function->name,
                       (int)label.width, argument->label, function->usage);
}

value lower_call(lowering *lowering, const term *call) {
    const term *arguments[4] = {NULL};
    const function *function = find_function(lowering, call);
    int next = 0;
    if (!function)
        return unknown_function(lowering, call);
    for (const term *argument = call->first; argument; argument = argument->next) {
        int at = next;
        if (argument->label)
            at = label_index(function, argument->label, argument->label_width);
        if (at < 0 && argument->label)
            return wrong_label(lowering, function, argument);
        if (at < 0 || at >= 4 || !function->labels[at])
            return lower_wrong(lowering, argument, "this argument is too many; write: %s",
                               function->usage);
        if (arguments[at])
            return lower_wrong(lowering, argument, "\"%s\" is given twice; write: %s",
                               function->labels[at], function->usage);
        arguments[at] = argument;
        next = argument->label ? -1 : next + 1;
    }
    for (int k = 0; k < 4 && function->labels[k]; k++)
        if (!arguments[k])
            return lower_wrong(lowering, call, "\"%s\" is missing; write: %s", function->labels[k],
                               function->usage);
    return function->make(lowering, call, arguments);
}
