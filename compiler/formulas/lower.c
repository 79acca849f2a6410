#include "compiler/formulas/layers.h"
#include "compiler/formulas/named.h"
#include "compiler/formulas/parameters.h"
#include "compiler/formulas/sequences.h"
#include "compiler/reading/keys.h"

#include <stdarg.h>
#include <string.h>

#include "compiler/building/operations.h"
#include "signal/fixed.h"

__attribute__((format(printf, 3, 4))) yt_value
lower_wrong(yt_lowering *lowering, const yt_term *term, const char *format, ...) {
    va_list arguments;
    char text[384];
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    yt_messages *messages = lowering->scope->messages;
    messages_add(messages, part_place(lowering->part, messages, term->offset, (int)term->width),
                 "%s", text);
    return (yt_value){.type = VALUE_NOTHING};
}

const char *value_meaning(yt_value value) {
    static const char *const meanings[] = {
        "nothing", "a switch", "a level",  "an axis",  "a stick",    "motion of one direction",
        "motion",  "a rate",   "a number", "a number", "a velocity", "three axes"};
    if (value.type == VALUE_CONSTANT || value.type == VALUE_QUANTITY)
        return unit_meaning(value.unit);
    if (value_is_turning(value))
        return "how fast something turns";
    return meanings[value.type];
}

const char *term_text(const yt_lowering *lowering, const yt_term *term) {
    return lowering->part->text + term->offset;
}

/* The term's own text, shortened, for messages. */
int term_shown(const yt_term *term) {
    return term->width < 60 ? (int)term->width : 60;
}

/* What lies below a layer's cell. */
static yt_value lower_below(yt_lowering *lowering, const yt_term *term) {
    const yt_cell *cell = lowering->cell;
    if (cell && cell->below)
        return *cell->below;
    return lower_wrong(lowering, term, "%s",
                       cell ? cell->no_below
                            : "`below` is what lies below a layer's cell; it stands in the "
                              "cells of layers only");
}

static yt_value lower_name(yt_lowering *lowering, const yt_term *term) {
    const char *text = term_text(lowering, term);
    const char *dot = memchr(text, '.', term->width);
    size_t length = dot ? (size_t)(dot - text) : term->width;
    yt_scope *scope = lowering->scope;
    for (unsigned i = 0; i < scope->devices->input_count; i++) {
        if (!is_name(scope->devices->inputs[i].name, text, length))
            continue;
        if (!dot)
            return lower_wrong(lowering, term,
                               "\"%s\" is an input; say which control of it, as in %s.%s",
                               scope->devices->inputs[i].name, scope->devices->inputs[i].name,
                               scope->devices->inputs[i].kind->example);
        return lower_control(lowering, term, i, dot + 1, term->width - length - 1);
    }
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        if (is_name(scope->devices->outputs[i].name, text, length))
            return lower_feedback(lowering, term, &scope->devices->outputs[i], dot ? dot + 1 : NULL,
                                  dot ? term->width - length - 1 : 0);
    const yt_parameter *parameter = parameter_find(scope, text, length);
    if (parameter && dot)
        return lower_wrong(lowering, term, "%s is a parameter, which has no parts",
                           parameter->key->text);
    if (parameter)
        return parameter->value;
    if (is_name("adapter", text, length))
        return lower_fact(lowering, term, dot ? dot + 1 : "", dot ? term->width - length - 1 : 0);
    if (dot && is_name("macros", text, length))
        return lower_running(lowering, term, dot + 1, term->width - length - 1);
    if (is_name("below", text, term->width))
        return lower_below(lowering, term);
    yt_named_formula *named = named_find(scope, text, length);
    if (named)
        return lower_named(lowering, term, named, dot ? dot + 1 : NULL,
                           dot ? term->width - length - 1 : 0);
    if (is_name("none", text, term->width))
        return lower_wrong(lowering, term, "`none` stands alone: it leaves a control undriven");
    struct yt_term head = *term;
    head.width = length;
    yt_messages *messages = scope->messages;
    unknown_name(scope, part_place(lowering->part, messages, head.offset, (int)length), text,
                 length, true);
    return (yt_value){.type = VALUE_NOTHING};
}

unsigned lower_add(yt_lowering *lowering, unsigned operation, unsigned type, unsigned count,
                   unsigned a, unsigned b, unsigned c) {
    return build_node_of(lowering->scope->build, operation, type, count, a, b, c);
}

/* The node of a plain number, level, axis, switch or motion. Where a number is wanted, a key that
 * tells how deep it is is read as that. */
unsigned value_node(yt_lowering *lowering, yt_value value) {
    if (value.type == VALUE_CONSTANT)
        return build_constant(lowering->scope->build, (yt_q16)value.amount);
    if (value.type != VALUE_SWITCH || !value.has_depth)
        return value.node;
    value.record.kind = YT_LEVEL;
    return layer_view(lowering, value.record);
}

void value_bounds(yt_value value, int64_t *low, int64_t *high) {
    bool is_level = value.type == VALUE_SWITCH || value.type == VALUE_LEVEL;
    *low = value.type == VALUE_CONSTANT ? value.amount
           : value.is_bounded           ? value.low
           : is_level                   ? 0
                                        : INT32_MIN;
    *high = value.type == VALUE_CONSTANT ? value.amount
            : value.is_bounded           ? value.high
            : is_level                   ? YT_ONE
                                         : INT32_MAX;
}

yt_value value_quantity(yt_unit unit, unsigned node, int64_t low, int64_t high) {
    yt_value result = {.type = unit == YT_UNIT_NONE ? VALUE_AXIS : VALUE_QUANTITY,
                       .unit = unit,
                       .is_bounded = true,
                       .low = low < INT32_MIN ? INT32_MIN : low,
                       .high = high > INT32_MAX ? INT32_MAX : high,
                       .node = node};
    return result;
}

yt_value lower_switch(yt_lowering *lowering, const yt_term *term, const char *operator) {
    yt_value operand = lower_term(lowering, term);
    if (operand.type == VALUE_SWITCH || operand.type == VALUE_NOTHING)
        return operand;
    char what[40];
    snprintf(what, sizeof what, "`%s` takes switches", operator);
    return wrong_type(lowering, term, what, VALUE_SWITCH, operand);
}

static yt_value lower_logic(yt_lowering *lowering, const yt_term *term) {
    bool is_and = term->kind == TERM_AND;
    const char *operator= is_and ? "and" : "or";
    yt_value left = lower_switch(lowering, term->first, operator);
    yt_value right = lower_switch(lowering, term->first->next, operator);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (yt_value){.type = VALUE_NOTHING};
    return (yt_value){.type = VALUE_SWITCH,
                      .node = lower_add(lowering, is_and ? YT_OP_AND : YT_OP_OR, YT_TYPE_SWITCH, 2,
                                        left.node, right.node, 0)};
}

static yt_value lower_not(yt_lowering *lowering, const yt_term *term) {
    yt_value operand = lower_switch(lowering, term->first, "not");
    if (operand.type == VALUE_NOTHING)
        return (yt_value){.type = VALUE_NOTHING};
    return (yt_value){.type = VALUE_SWITCH,
                      .node =
                          lower_add(lowering, YT_OP_NOT, YT_TYPE_SWITCH, 1, operand.node, 0, 0)};
}

/* What a comparison sees: a pulse is made a number, which lasts as long as the pulse. */
static unsigned compared_node(yt_lowering *lowering, yt_value operand) {
    if (operand.type == VALUE_MOTION)
        return lower_add(lowering, YT_OP_SEEN, YT_TYPE_NUMBER, 1, operand.node, 0, 0);
    return value_node(lowering, operand);
}

/* Whether one side of a comparison may stand beside the other. */
static bool is_comparable(yt_value side, yt_value other) {
    if (value_has_unit(side) && value_has_unit(other))
        return side.unit == other.unit;
    if (value_has_unit(side))
        return (side.unit == YT_UNIT_TURN || side.unit == YT_UNIT_PULL) && other.type == VALUE_RATE;
    return (value_is_number(side) && !value_has_unit(other)) || side.type == VALUE_MOTION ||
           side.type == VALUE_RATE;
}

yt_value value_as_share(yt_lowering *lowering, yt_value value, int64_t travel) {
    int64_t low, high;
    if (!travel || !value_has_unit(value) || value.unit != YT_UNIT_LENGTH)
        return value;
    if (value.type == VALUE_CONSTANT)
        return (yt_value){.type = VALUE_CONSTANT,
                          .amount = (value.amount * YT_ONE + travel / 2) / travel};
    value_bounds(value, &low, &high);
    unsigned whole = build_constant(lowering->scope->build, (yt_q16)travel);
    unsigned node = lower_add(lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2, value.node, whole, 0);
    return value_quantity(YT_UNIT_NONE, node, low * YT_ONE / travel, high * YT_ONE / travel);
}

static yt_value wrong_comparison(yt_lowering *lowering, const yt_term *at, yt_value side,
                                 yt_value other) {
    if (value_is_pair(side))
        return lower_wrong(lowering, at,
                           "this is %s, which has two directions; compare its .x or .y",
                           value_meaning(side));
    if (value_has_unit(side) && side.unit == YT_UNIT_LENGTH)
        return lower_wrong(lowering, at,
                           "mm is of a control whose description says how far it goes, as in "
                           "travel: 4 mm; this one's does not");
    if (other.type == VALUE_QUANTITY)
        return lower_wrong(lowering, at, "%s belongs here, not %s", value_meaning(other),
                           value_meaning(side));
    return lower_wrong(lowering, at, "a plain number or a percentage belongs here, not %s",
                       value_meaning(side));
}

/* 1 or 0 where a comparison always comes to that; else -1. */
static int known_comparison(yt_term_kind kind, yt_value left, yt_value right) {
    int64_t low[2], high[2];
    value_bounds(left, &low[0], &high[0]);
    value_bounds(right, &low[1], &high[1]);
    if (left.type == VALUE_MOTION || right.type == VALUE_MOTION)
        return -1;
    bool below = high[0]<low[1], above = low[0]> high[1];
    bool not_above = high[0] <= low[1], not_below = low[0] >= high[1];
    switch (kind) {
    case TERM_LESS:
        return below ? 1 : not_below ? 0 : -1;
    case TERM_LESS_OR_EQUAL:
        return not_above ? 1 : above ? 0 : -1;
    case TERM_GREATER:
        return above ? 1 : not_above ? 0 : -1;
    case TERM_GREATER_OR_EQUAL:
        return not_below ? 1 : below ? 0 : -1;
    default:
        return below || above                           ? kind == TERM_NOT_EQUAL
               : low[0] == high[0] && low[1] == high[1] ? kind == TERM_EQUAL
                                                        : -1;
    }
}

static yt_value lower_comparison(yt_lowering *lowering, const yt_term *term, yt_value left,
                                 yt_value right) {
    left = value_as_share(lowering, left, right.travel);
    right = value_as_share(lowering, right, left.travel);
    bool blames_right = value_has_unit(left) != value_has_unit(right) &&
                        (value_is_number(left) || left.type == VALUE_QUANTITY);
    if (!is_comparable(left, right) && !blames_right)
        return wrong_comparison(lowering, term->first, left, right);
    if (!is_comparable(right, left))
        return wrong_comparison(lowering, term->first->next, right, left);
    if (left.type == VALUE_SWITCH && right.type == VALUE_SWITCH)
        left.has_depth = right.has_depth = false;
    int known = known_comparison(term->kind, left, right);
    if (known >= 0)
        return (yt_value){.type = VALUE_SWITCH,
                          .node = build_switch(lowering->scope->build, known)};
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
    return (yt_value){.type = VALUE_SWITCH, .node = node};
}

static yt_value divide_constants(yt_lowering *lowering, const yt_term *term, yt_value left,
                                 yt_value right) {
    if (right.amount == 0)
        return lower_wrong(lowering, term->first->next, "nothing can be divided by 0");
    if (right.unit != YT_UNIT_NONE && right.unit != left.unit)
        return lower_wrong(lowering, term, "%s cannot be divided by %s", value_meaning(left),
                           value_meaning(right));
    left.unit = right.unit == YT_UNIT_NONE ? left.unit : YT_UNIT_NONE;
    __int128 twice = (__int128)left.amount * YT_ONE * 2 / right.amount;
    left.amount = (int64_t)((twice + (twice < 0 ? -1 : 1)) / 2);
    return left;
}

/* Constants are reckoned with here, so that a program only holds what can change. */
static yt_value fold(yt_lowering *lowering, const yt_term *term, yt_value left, yt_value right) {
    yt_value result = left;
    int64_t a = left.amount, b = right.amount;
    if (term->kind == TERM_MULTIPLY) {
        if (left.unit != YT_UNIT_NONE && right.unit != YT_UNIT_NONE)
            return lower_wrong(lowering, term, "%s cannot be multiplied by %s", value_meaning(left),
                               value_meaning(right));
        result.unit = left.unit != YT_UNIT_NONE ? left.unit : right.unit;
        result.amount = (int64_t)(((__int128)a * b + 0x8000) >> 16);
    } else if (term->kind == TERM_DIVIDE) {
        result = divide_constants(lowering, term, left, right);
    } else if (left.unit != right.unit) {
        return lower_wrong(lowering, term, "%s and %s cannot be added", value_meaning(left),
                           value_meaning(right));
    } else {
        result.amount = term->kind == TERM_ADD ? a + b : a - b;
    }
    int64_t most = result.unit == YT_UNIT_TIME ? FORMULA_TIME : INT32_MAX;
    if (result.amount > most || result.amount < -most)
        return lower_wrong(lowering, term, "this number is too large");
    return result;
}

static yt_value combine_pair(yt_lowering *lowering, unsigned operation, yt_value left,
                             yt_value right) {
    unsigned type = value_is_motion(left) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    yt_value result = {.type = left.type, .unit = left.unit};
    result.node = lower_add(lowering, operation, type, 2, left.node, right.node, 0);
    if (value_is_pair(left))
        result.second = lower_add(lowering, operation, type, 2, left.second, right.second, 0);
    return result;
}

static bool is_constant(yt_value value) {
    return value.type == VALUE_CONSTANT;
}

/* Two numbers of one unit, or two without. */
static yt_value add_numbers(yt_lowering *lowering, unsigned operation, yt_value left,
                            yt_value right) {
    int64_t low[2], high[2];
    value_bounds(left, &low[0], &high[0]);
    value_bounds(right, &low[1], &high[1]);
    unsigned node = lower_add(lowering, operation, YT_TYPE_NUMBER, 2, value_node(lowering, left),
                              value_node(lowering, right), 0);
    bool adds = operation == YT_OP_ADD;
    return value_quantity(value_has_unit(left) ? left.unit : YT_UNIT_NONE, node,
                          adds ? low[0] + low[1] : low[0] - high[1],
                          adds ? high[0] + high[1] : high[0] - low[1]);
}

static yt_value lower_sum(yt_lowering *lowering, const yt_term *term, yt_value left,
                          yt_value right) {
    unsigned operation = term->kind == TERM_ADD ? YT_OP_ADD : YT_OP_SUBTRACT;
    if ((value_is_number(left) && value_is_number(right)) ||
        (value_has_unit(left) && value_has_unit(right) && left.unit == right.unit))
        return add_numbers(lowering, operation, left, right);
    if (value_is_motion(left) || value_is_motion(right)) {
        left = value_as_motion(lowering, left);
        right = value_as_motion(lowering, right);
    }
    if (left.type == right.type && left.unit == right.unit && !value_has_unit(left) &&
        left.type != VALUE_AXES)
        return combine_pair(lowering, operation, left, right);
    return lower_wrong(lowering, term, "%s and %s cannot be %s", value_meaning(left),
                       value_meaning(right), term->kind == TERM_ADD ? "added" : "subtracted");
}

/* What a product or a quotient of two numbers can be. */
static yt_value scaled_number(yt_value scaled, yt_value factor, unsigned operation, unsigned node) {
    int64_t low, high, by_low, by_high;
    yt_unit unit = value_has_unit(scaled) ? scaled.unit : YT_UNIT_NONE;
    value_bounds(scaled, &low, &high);
    value_bounds(factor, &by_low, &by_high);
    bool is_known = (by_low > 0 || operation == YT_OP_MULTIPLY) && by_low >= 0;
    if (!is_known)
        return value_quantity(unit, node, INT32_MIN, INT32_MAX);
    int64_t least = low < 0 ? by_high : by_low, most = high < 0 ? by_low : by_high;
    if (operation == YT_OP_MULTIPLY)
        return value_quantity(unit, node, low * least / YT_ONE - 1, high * most / YT_ONE + 1);
    least = low < 0 ? by_low : by_high;
    most = high < 0 ? by_high : by_low;
    return value_quantity(unit, node, low * YT_ONE / least - 1, high * YT_ONE / most + 1);
}

static yt_value cannot_scale(yt_lowering *lowering, const yt_term *term, yt_value scaled,
                             yt_value factor) {
    return lower_wrong(lowering, term, "%s cannot be %s by %s", value_meaning(scaled),
                       term->kind == TERM_DIVIDE ? "divided" : "multiplied", value_meaning(factor));
}

/* One factor is a plain number, level, axis or switch; the other may be of any type. */
static yt_value scale(yt_lowering *lowering, const yt_term *term, yt_value scaled,
                      yt_value factor) {
    unsigned operation = term->kind == TERM_DIVIDE ? YT_OP_DIVIDE : YT_OP_MULTIPLY;
    if (!value_is_number(factor) || scaled.type == VALUE_AXES)
        return cannot_scale(lowering, term, scaled, factor);
    unsigned by = value_node(lowering, factor);
    unsigned type = value_is_motion(scaled) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    yt_value result = {.type = scaled.type, .unit = scaled.unit};
    result.node = lower_add(lowering, operation, type, 2, value_node(lowering, scaled), by, 0);
    if (value_is_number(scaled) || value_has_unit(scaled))
        return scaled_number(scaled, factor, operation, result.node);
    if (value_is_pair(scaled))
        result.second = lower_add(lowering, operation, type, 2, scaled.second, by, 0);
    return result;
}

/* A stick and a speed: how fast it goes in each direction. */
static yt_value velocity_of(yt_lowering *lowering, yt_value stick, yt_value speed) {
    unsigned by = value_node(lowering, speed);
    return (yt_value){
        .type = VALUE_VELOCITY,
        .unit = YT_UNIT_SPEED,
        .node = lower_add(lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, stick.node, by, 0),
        .second = lower_add(lowering, YT_OP_MULTIPLY, YT_TYPE_NUMBER, 2, stick.second, by, 0)};
}

static yt_value lower_product(yt_lowering *lowering, const yt_term *term, yt_value left,
                              yt_value right) {
    if (left.type == VALUE_STICK && value_is_speed(right))
        return velocity_of(lowering, left, right);
    if (right.type == VALUE_STICK && value_is_speed(left))
        return velocity_of(lowering, right, left);
    bool is_mixed = (value_has_unit(left) && !value_is_number(right)) ||
                    (value_has_unit(right) && !value_is_number(left));
    if (is_mixed)
        return cannot_scale(lowering, term, left, right);
    if (value_is_number(left) && !value_is_number(right))
        return scale(lowering, term, right, left);
    return scale(lowering, term, left, right);
}

/* Two numbers of one unit give a plain one. */
static yt_value lower_quotient(yt_lowering *lowering, const yt_term *term, yt_value left,
                               yt_value right) {
    if (is_constant(right) && right.amount == 0)
        return lower_wrong(lowering, term->first->next, "nothing can be divided by 0");
    if (value_has_unit(left) && value_has_unit(right) && left.unit == right.unit)
        return (yt_value){.type = VALUE_AXIS,
                          .node = lower_add(lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2,
                                            value_node(lowering, left), value_node(lowering, right),
                                            0)};
    return scale(lowering, term, left, right);
}

static yt_value lower_negate(yt_lowering *lowering, const yt_term *term) {
    yt_value operand = lower_term(lowering, term->first);
    if (operand.type == VALUE_NOTHING)
        return (yt_value){.type = VALUE_NOTHING};
    if (operand.type == VALUE_CONSTANT) {
        operand.amount = -operand.amount;
        return operand;
    }
    yt_value minus_one = {.type = VALUE_CONSTANT, .amount = -YT_ONE};
    return scale(lowering, term, operand, minus_one);
}

/* An arithmetic operator or a comparison. Arithmetic with two constants is done at once. */
static yt_value lower_pair(yt_lowering *lowering, const yt_term *term) {
    yt_value left = lower_term(lowering, term->first),
             right = lower_term(lowering, term->first->next);
    bool is_sum = term->kind == TERM_ADD || term->kind == TERM_SUBTRACT;
    bool is_product = term->kind == TERM_MULTIPLY, is_quotient = term->kind == TERM_DIVIDE;
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return (yt_value){.type = VALUE_NOTHING};
    if (!is_sum && !is_product && !is_quotient)
        return lower_comparison(lowering, term, left, right);
    if (is_constant(left) && is_constant(right))
        return fold(lowering, term, left, right);
    if (is_sum)
        return lower_sum(lowering, term, left, right);
    return is_product ? lower_product(lowering, term, left, right)
                      : lower_quotient(lowering, term, left, right);
}

static yt_value lower_any(yt_lowering *lowering, const yt_term *term) {
    switch (term->kind) {
    case TERM_NUMBER:
        return (yt_value){.type = VALUE_CONSTANT, .unit = term->unit, .amount = term->amount};
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
    default:
        return lower_pair(lowering, term);
    }
}

yt_value lower_term(yt_lowering *lowering, const yt_term *term) {
    yt_scope *scope = lowering->scope;
    yt_value value = lower_any(lowering, term);
    scope->terms->all = pool_grow(scope->pool, scope->terms->all, scope->terms->count,
                                  &scope->terms->room, sizeof *scope->terms->all);
    scope->terms->all[scope->terms->count++] = (yt_lowered_term){term, lowering->part, value};
    return value;
}

yt_value lower_formula(yt_scope *scope, const yt_part *part, const yt_term *term) {
    yt_lowering lowering = {scope, part, LAYER_ALL, NULL, NULL};
    return lower_term(&lowering, term);
}

bool lower_condition(yt_scope *scope, const yt_part *part, const char *what, yt_value *condition) {
    yt_lowering lowering = {scope, part, LAYER_ALL, NULL, NULL};
    return lower_condition_of(&lowering, what, condition);
}

bool lower_condition_of(yt_lowering *lowering, const char *what, yt_value *condition) {
    yt_scope *scope = lowering->scope;
    if (!check_kind(scope->messages, lowering->part, PART_TEXT,
                    "a condition is a formula, as in: keys.left_shift"))
        return false;
    const yt_term *term = formula_parse(scope->pool, scope->messages, lowering->part);
    if (!term)
        return false;
    if (lowering->condition)
        lowering->condition->condition_term = term;
    *condition = lower_switch(lowering, term, what);
    return condition->type != VALUE_NOTHING;
}

bool lower_constant(yt_scope *scope, const yt_part *part, const char *what, yt_value *constant) {
    if (!check_kind(scope->messages, part, PART_TEXT, "a number belongs here, as in: 120 ms"))
        return false;
    const yt_term *term = formula_parse(scope->pool, scope->messages, part);
    if (!term)
        return false;
    *constant = lower_formula(scope, part, term);
    if (constant->type != VALUE_CONSTANT && constant->type != VALUE_NOTHING)
        messages_add(scope->messages, part->place,
                     "%s is a number that stands fast, such as 120 ms or 40%%", what);
    return constant->type == VALUE_CONSTANT;
}

bool lower_time(yt_scope *scope, const yt_part *part, unsigned *node) {
    yt_lowering lowering = {scope, part, LAYER_ALL, NULL, NULL};
    int64_t low, high;
    if (!check_kind(scope->messages, part, PART_TEXT, "a time belongs here, as in: 120 ms"))
        return false;
    const yt_term *term = formula_parse(scope->pool, scope->messages, part);
    yt_value time = term ? lower_term(&lowering, term) : (yt_value){.type = VALUE_NOTHING};
    if (time.type == VALUE_NOTHING)
        return false;
    value_bounds(time, &low, &high);
    if (!value_has_unit(time) || time.unit != YT_UNIT_TIME)
        lower_wrong(&lowering, term, "a time such as 120 ms belongs here, not %s",
                    value_meaning(time));
    else if (low < 1000 || high > 60000000)
        lower_wrong(&lowering, term, "this time must be from 1 ms to 60 s");
    else
        *node = value_node(&lowering, time);
    return value_has_unit(time) && time.unit == YT_UNIT_TIME && low >= 1000 && high <= 60000000;
}

yt_value lower_cell(yt_scope *scope, const yt_cell *cell, const yt_term *term) {
    yt_lowering lowering = {scope, cell->part, cell->layer, cell, NULL};
    yt_formula_type wanted = cell->wanted;
    yt_value got = lower_term(&lowering, term);
    if (wanted == VALUE_MOTION || wanted == VALUE_MOTION_PAIR)
        got = value_as_motion(&lowering, got);
    if (got.type == VALUE_NOTHING || got.type == wanted)
        return got;
    bool takes_numbers = wanted == VALUE_LEVEL || wanted == VALUE_AXIS;
    if (takes_numbers && got.type == VALUE_RATE)
        return lower_wrong(
            &lowering, term,
            "%s is %s, but this is a rate; say how much of it is the whole way, as in: "
            "%.*s * 0.4%%",
            cell->what, wanted == VALUE_AXIS ? "an axis" : "a level", term_shown(term),
            term_text(&lowering, term));
    if (takes_numbers && value_is_number(got))
        return (yt_value){.type = wanted, .node = value_node(&lowering, got)};
    char what[200];
    yt_value want = {.type = wanted};
    snprintf(what, sizeof what, "%s is %s", cell->what, value_meaning(want));
    return wrong_type(&lowering, term, what, wanted, got);
}
