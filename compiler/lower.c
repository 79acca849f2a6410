#include "compiler/named.h"

#include <stdarg.h>
#include <string.h>

#include "program/operations.h"
#include "signal/fixed.h"

__attribute__((format(printf, 3, 4))) value lower_wrong(lowering *lowering, const term *term,
                                                        const char *format, ...) {
    va_list arguments;
    char text[384];
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    messages *messages = lowering->scope->messages;
    messages_add(messages, part_place(lowering->part, messages, term->offset, (int)term->width),
                 "%s", text);
    return (value){.type = VALUE_NOTHING};
}

const char *value_meaning(value value) {
    static const char *const meanings[] = {"nothing", "a switch", "a level",
                                           "an axis", "a stick",  "motion of one direction",
                                           "motion",  "a rate",   "a number"};
    return value.type == VALUE_CONSTANT ? unit_meaning(value.unit) : meanings[value.type];
}

const char *term_text(const lowering *lowering, const term *term) {
    return lowering->part->text + term->offset;
}

/* The term's own text, shortened, for messages. */
int term_shown(const term *term) {
    return term->width < 60 ? (int)term->width : 60;
}

void lower_unknown_name(scope *scope, place place, const char *name, size_t length,
                        bool in_formula) {
    const char *names[PROFILE_INPUTS + PROFILE_OUTPUTS + PROFILE_NAMED];
    size_t count = 0;
    for (unsigned i = 0; i < scope->input_count; i++)
        names[count++] = scope->inputs[i].name;
    for (unsigned i = 0; i < scope->output_count; i++)
        names[count++] = scope->outputs[i].name;
    for (unsigned i = 0; in_formula && i < scope->named_count; i++)
        names[count++] = scope->named[i].key->text;
    const char *near = nearest_name(name, length, names, count);
    const char *what =
        in_formula && scope->named_count ? "input, output or named formula" : "input or output";
    int width = length < 60 ? (int)length : 60;
    if (near)
        messages_add(scope->messages, place, "there is no %s \"%.*s\"; did you mean \"%s\"?", what,
                     width, name, near);
    else
        messages_add(scope->messages, place, "there is no %s \"%.*s\"; they are named under %s",
                     what, width, name,
                     in_formula && scope->named_count ? "inputs:, outputs: and named:"
                                                      : "inputs: and outputs:");
}

static bool is_name(const char *name, const char *text, size_t length) {
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

static value lower_name(lowering *lowering, const term *term) {
    const char *text = term_text(lowering, term);
    const char *dot = memchr(text, '.', term->width);
    size_t length = dot ? (size_t)(dot - text) : term->width;
    scope *scope = lowering->scope;
    for (unsigned i = 0; i < scope->input_count; i++) {
        if (!is_name(scope->inputs[i].name, text, length))
            continue;
        if (!dot)
            return lower_wrong(
                lowering, term, "\"%s\" is an input; say which control of it, as in %s.%s",
                scope->inputs[i].name, scope->inputs[i].name, scope->inputs[i].kind->example);
        return lower_control(lowering, term, i, dot + 1, term->width - length - 1);
    }
    for (unsigned i = 0; i < scope->output_count; i++)
        if (is_name(scope->outputs[i].name, text, length))
            return lower_feedback(lowering, term, &scope->outputs[i], dot ? dot + 1 : NULL,
                                  dot ? term->width - length - 1 : 0);
    named_formula *named = named_find(scope, text, length);
    if (named)
        return lower_named(lowering, term, named, dot ? dot + 1 : NULL,
                           dot ? term->width - length - 1 : 0);
    if (is_name("none", text, term->width))
        return lower_wrong(lowering, term, "`none` stands alone: it leaves a control undriven");
    struct term head = *term;
    head.width = length;
    messages *messages = scope->messages;
    lower_unknown_name(scope, part_place(lowering->part, messages, head.offset, (int)length), text,
                       length, true);
    return (value){.type = VALUE_NOTHING};
}

unsigned lower_add(lowering *lowering, unsigned operation, unsigned type, unsigned count,
                   unsigned a, unsigned b, unsigned c) {
    build_node node = {.operation = (uint8_t)operation,
                       .type = (uint8_t)type,
                       .argument_count = (uint8_t)count,
                       .arguments = {a, b, c}};
    return build_add(lowering->scope->build, node);
}

/* The node of a plain number, level, axis, switch or motion. Where a number is wanted, a key that
 * tells how deep it is is read as that. */
unsigned value_node(lowering *lowering, value value) {
    if (value.type == VALUE_CONSTANT)
        return build_constant(lowering->scope->build, (yt_q16)value.amount);
    if (value.type != VALUE_SWITCH || !value.has_depth)
        return value.node;
    value.record.kind = YT_LEVEL;
    return build_control(lowering->scope->build, value.record);
}

value lower_switch(lowering *lowering, const term *term, const char *operator) {
    value operand = lower_term(lowering, term);
    if (operand.type == VALUE_SWITCH || operand.type == VALUE_NOTHING)
        return operand;
    if (operand.type == VALUE_LEVEL || operand.type == VALUE_AXIS)
        return lower_wrong(
            lowering, term,
            "`%s` joins switches, but this is %s; compare it, as in: %.*s > 40%%", operator,
            value_meaning(operand), term_shown(term), term_text(lowering, term));
    return lower_wrong(lowering, term, "`%s` joins switches, but this is %s", operator,
                       value_meaning(operand));
}

static value lower_logic(lowering *lowering, const term *term) {
    bool is_and = term->kind == TERM_AND;
    const char *operator= is_and ? "and" : "or";
    value left = lower_switch(lowering, term->first, operator);
    value right = lower_switch(lowering, term->first->next, operator);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    return (value){.type = VALUE_SWITCH,
                   .node = lower_add(lowering, is_and ? YT_OP_AND : YT_OP_OR, YT_TYPE_SWITCH, 2,
                                     left.node, right.node, 0)};
}

static value lower_not(lowering *lowering, const term *term) {
    value operand = lower_switch(lowering, term->first, "not");
    if (operand.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    return (value){.type = VALUE_SWITCH,
                   .node = lower_add(lowering, YT_OP_NOT, YT_TYPE_SWITCH, 1, operand.node, 0, 0)};
}

/* What a comparison sees: a pulse is made a number, which lasts as long as the pulse. */
static unsigned compared_node(lowering *lowering, value operand) {
    if (operand.type == VALUE_MOTION)
        return lower_add(lowering, YT_OP_SEEN, YT_TYPE_NUMBER, 1, operand.node, 0, 0);
    return value_node(lowering, operand);
}

static value lower_comparison(lowering *lowering, const term *term) {
    value left = lower_term(lowering, term->first), right = lower_term(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    for (int side = 0; side < 2; side++) {
        value operand = side ? right : left;
        bool is_rate = operand.type == VALUE_CONSTANT &&
                       (operand.unit == UNIT_TURN || operand.unit == UNIT_PULL) &&
                       (side ? left : right).type == VALUE_RATE;
        if (value_is_number(operand) || operand.type == VALUE_MOTION || is_rate)
            continue;
        const struct term *at = side ? term->first->next : term->first;
        if (operand.type == VALUE_STICK || operand.type == VALUE_MOTION_PAIR)
            return lower_wrong(lowering, at,
                               "this is %s, which has two directions; compare its .x or .y",
                               value_meaning(operand));
        return lower_wrong(lowering, at, "a plain number or a percentage belongs here, not %s",
                           value_meaning(operand));
    }
    if (left.type == VALUE_SWITCH && right.type == VALUE_SWITCH)
        left.has_depth = right.has_depth = false;
    unsigned a = compared_node(lowering, left), b = compared_node(lowering, right);
    bool swap = term->kind == TERM_GREATER || term->kind == TERM_GREATER_OR_EQUAL;
    unsigned operation = term->kind == TERM_LESS || term->kind == TERM_GREATER ? YT_OP_LESS
                         : term->kind == TERM_EQUAL || term->kind == TERM_NOT_EQUAL
                             ? YT_OP_EQUAL
                             : YT_OP_LESS_OR_EQUAL;
    unsigned node =
        lower_add(lowering, operation, YT_TYPE_SWITCH, 2, swap ? b : a, swap ? a : b, 0);
    if (term->kind == TERM_NOT_EQUAL)
        node = lower_add(lowering, YT_OP_NOT, YT_TYPE_SWITCH, 1, node, 0, 0);
    return (value){.type = VALUE_SWITCH, .node = node};
}

/* Constants are reckoned with here, so that a program only holds what can change. */
static value fold(lowering *lowering, const term *term, value left, value right) {
    value result = left;
    int64_t a = left.amount, b = right.amount;
    if (term->kind == TERM_MULTIPLY) {
        if (left.unit != UNIT_NONE && right.unit != UNIT_NONE)
            return lower_wrong(lowering, term, "%s cannot be multiplied by %s", value_meaning(left),
                               value_meaning(right));
        result.unit = left.unit != UNIT_NONE ? left.unit : right.unit;
        if ((a > INT32_MAX || a < INT32_MIN) && (b > INT32_MAX || b < INT32_MIN))
            return lower_wrong(lowering, term, "this product is too large");
        result.amount = (int64_t)(((__int128)a * b + 0x8000) >> 16);
    } else if (left.unit != right.unit) {
        return lower_wrong(lowering, term, "%s and %s cannot be added", value_meaning(left),
                           value_meaning(right));
    } else {
        result.amount = term->kind == TERM_ADD ? a + b : a - b;
    }
    int64_t most = result.unit == UNIT_TIME ? INT64_C(86400000000) : INT32_MAX;
    if (result.amount > most || result.amount < -most)
        return lower_wrong(lowering, term, "this number is too large");
    return result;
}

static value combine_pair(lowering *lowering, unsigned operation, value left, value right) {
    unsigned type = value_is_motion(left) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    value result = {.type = left.type};
    result.node = lower_add(lowering, operation, type, 2, left.node, right.node, 0);
    if (left.type == VALUE_STICK || left.type == VALUE_MOTION_PAIR)
        result.second = lower_add(lowering, operation, type, 2, left.second, right.second, 0);
    return result;
}

static value lower_sum(lowering *lowering, const term *term) {
    unsigned operation = term->kind == TERM_ADD ? YT_OP_ADD : YT_OP_SUBTRACT;
    value left = lower_term(lowering, term->first), right = lower_term(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    if (left.type == VALUE_CONSTANT && right.type == VALUE_CONSTANT)
        return fold(lowering, term, left, right);
    if (value_is_number(left) && value_is_number(right))
        return (value){.type = VALUE_AXIS,
                       .node =
                           lower_add(lowering, operation, YT_TYPE_NUMBER, 2,
                                     value_node(lowering, left), value_node(lowering, right), 0)};
    if (left.type == right.type && left.type != VALUE_CONSTANT)
        return combine_pair(lowering, operation, left, right);
    return lower_wrong(lowering, term, "%s and %s cannot be %s", value_meaning(left),
                       value_meaning(right), term->kind == TERM_ADD ? "added" : "subtracted");
}

/* One factor is a plain number, level, axis or switch; the other may be of any type. */
static value scale(lowering *lowering, const term *term, value scaled, value factor) {
    if (!value_is_number(factor))
        return lower_wrong(lowering, term, "%s cannot be multiplied by %s", value_meaning(scaled),
                           value_meaning(factor));
    unsigned by = value_node(lowering, factor);
    unsigned type = value_is_motion(scaled) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    value result = {.type = value_is_number(scaled) ? VALUE_AXIS : scaled.type};
    result.node = lower_add(lowering, YT_OP_MULTIPLY, type, 2, value_node(lowering, scaled), by, 0);
    if (scaled.type == VALUE_STICK || scaled.type == VALUE_MOTION_PAIR)
        result.second = lower_add(lowering, YT_OP_MULTIPLY, type, 2, scaled.second, by, 0);
    return result;
}

static value lower_product(lowering *lowering, const term *term) {
    value left = lower_term(lowering, term->first), right = lower_term(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    if (left.type == VALUE_CONSTANT && right.type == VALUE_CONSTANT)
        return fold(lowering, term, left, right);
    bool left_has_unit = left.type == VALUE_CONSTANT && left.unit != UNIT_NONE;
    bool right_has_unit = right.type == VALUE_CONSTANT && right.unit != UNIT_NONE;
    if (left_has_unit || right_has_unit)
        return lower_wrong(lowering, term, "%s cannot be multiplied by %s", value_meaning(left),
                           value_meaning(right));
    if (value_is_number(left) && !value_is_number(right))
        return scale(lowering, term, right, left);
    return scale(lowering, term, left, right);
}

static value lower_negate(lowering *lowering, const term *term) {
    value operand = lower_term(lowering, term->first);
    if (operand.type == VALUE_NOTHING)
        return (value){.type = VALUE_NOTHING};
    if (operand.type == VALUE_CONSTANT) {
        operand.amount = -operand.amount;
        return operand;
    }
    value minus_one = {.type = VALUE_CONSTANT, .amount = -YT_ONE};
    return scale(lowering, term, operand, minus_one);
}

value lower_term(lowering *lowering, const term *term) {
    switch (term->kind) {
    case TERM_NUMBER:
        return (value){.type = VALUE_CONSTANT, .unit = term->unit, .amount = term->amount};
    case TERM_NAME:
        return lower_name(lowering, term);
    case TERM_CALL:
        return lower_call(lowering, term);
    case TERM_NOT:
        return lower_not(lowering, term);
    case TERM_NEGATE:
        return lower_negate(lowering, term);
    case TERM_AND:
    case TERM_OR:
        return lower_logic(lowering, term);
    case TERM_ADD:
    case TERM_SUBTRACT:
        return lower_sum(lowering, term);
    case TERM_MULTIPLY:
        return lower_product(lowering, term);
    default:
        return lower_comparison(lowering, term);
    }
}

value lower_formula(scope *scope, const part *part, const term *term) {
    lowering lowering = {scope, part};
    return lower_term(&lowering, term);
}

static value wrong_cell(lowering *lowering, const term *term, value_type wanted, value got,
                        const char *what) {
    value want = {.type = wanted};
    const char *text = term_text(lowering, term);
    if (wanted == VALUE_SWITCH && (got.type == VALUE_LEVEL || got.type == VALUE_AXIS))
        return lower_wrong(lowering, term,
                           "%s is a switch, but this is %s; compare it, as in: %.*s > 40%%", what,
                           value_meaning(got), term_shown(term), text);
    if (wanted == VALUE_STICK && got.type == VALUE_MOTION_PAIR)
        return lower_wrong(lowering, term,
                           "%s is a stick, but this is motion; write: stick_from_motion(%.*s, "
                           "full_at=1500 /s)",
                           what, term_shown(term), text);
    if (got.type == VALUE_STICK || got.type == VALUE_MOTION_PAIR)
        return lower_wrong(lowering, term, "%s is %s, but this is %s, which has two directions",
                           what, value_meaning(want), value_meaning(got));
    return lower_wrong(lowering, term, "%s is %s, but this is %s", what, value_meaning(want),
                       value_meaning(got));
}

value lower_cell(scope *scope, const part *part, const term *term, value_type wanted,
                 const char *what) {
    lowering lowering = {scope, part};
    value got = lower_term(&lowering, term);
    if (got.type == VALUE_NOTHING || got.type == wanted)
        return got;
    bool takes_numbers = wanted == VALUE_LEVEL || wanted == VALUE_AXIS;
    if (takes_numbers && got.type == VALUE_RATE)
        return lower_wrong(
            &lowering, term,
            "%s is %s, but this is a rate; say how much of it is the whole way, as in: "
            "%.*s * 0.4%%",
            what, wanted == VALUE_AXIS ? "an axis" : "a level", term_shown(term),
            term_text(&lowering, term));
    if (takes_numbers && value_is_number(got))
        return (value){.type = wanted, .node = value_node(&lowering, got)};
    return wrong_cell(&lowering, term, wanted, got, what);
}
