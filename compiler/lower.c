#include "compiler/lower.h"

#include <stdarg.h>
#include <string.h>

#include "program/operations.h"
#include "signal/fixed.h"

typedef struct lowering {
    scope *scope;
    const part *part;
} lowering;

static const value nothing = {.type = VALUE_NOTHING};

static value lower(lowering *lowering, const term *term);

__attribute__((format(printf, 3, 4))) static value wrong(lowering *lowering, const term *term,
                                                         const char *format, ...) {
    va_list arguments;
    char text[384];
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    messages *messages = lowering->scope->messages;
    messages_add(messages, part_place(lowering->part, messages, term->offset, (int)term->width),
                 "%s", text);
    return nothing;
}

static const char *meaning_of(value value) {
    static const char *const meanings[] = {"nothing", "a switch", "a level",
                                           "an axis", "a stick",  "motion of one direction",
                                           "motion",  "a rate",   "a number"};
    return value.type == VALUE_CONSTANT ? unit_meaning(value.unit) : meanings[value.type];
}

static const char *text_of(const lowering *lowering, const term *term) {
    return lowering->part->text + term->offset;
}

/* The term's own text, shortened, for messages. */
static int shown(const term *term) {
    return term->width < 60 ? (int)term->width : 60;
}

void lower_unknown_name(scope *scope, place place, const char *name, size_t length) {
    const char *names[PROFILE_INPUTS + PROFILE_OUTPUTS];
    size_t count = 0;
    for (unsigned i = 0; i < scope->input_count; i++)
        names[count++] = scope->inputs[i].name;
    for (unsigned i = 0; i < scope->output_count; i++)
        names[count++] = scope->outputs[i].name;
    const char *near = nearest_name(name, length, names, count);
    int width = length < 60 ? (int)length : 60;
    if (near)
        messages_add(scope->messages, place,
                     "there is no input or output \"%.*s\"; did you mean \"%s\"?", width, name,
                     near);
    else
        messages_add(scope->messages, place,
                     "there is no input or output \"%.*s\"; they are named under inputs: and "
                     "outputs:",
                     width, name);
}

/* The names that an input knows: its description's, then its kind's. */
static size_t known_names(const profile_input *input, bool is_target, const char **names,
                          size_t most) {
    size_t count = 0;
    const description *description = input->description;
    for (unsigned i = 0; description && i < description->control_count && count < most; i++)
        if (description->controls[i].is_target == is_target)
            names[count++] = description->controls[i].name;
    if (is_target || (description && description->is_board))
        return count;
    control_name motion;
    if (control_named(input->kind, "motion.x", 8, &motion) && count < most)
        names[count++] = "motion";
    return count + control_names(input->kind, names + count, most - count);
}

void lower_unknown_control(scope *scope, place place, const profile_input *input,
                           const char *control, size_t length, bool is_target) {
    const char *names[1024] = {NULL};
    const char *what = is_target ? "light or motor" : "control";
    const char *kind =
        input->description && input->description->is_board ? "board" : input->kind->name;
    if (input->is_broken)
        return;
    size_t count = known_names(input, is_target, names, 1024);
    const char *near = nearest_name(control, length, names, count);
    int width = length < 60 ? (int)length : 60;
    if (near)
        messages_add(scope->messages, place,
                     "%s (a %s) has no %s \"%.*s\"; did you mean \"%s.%s\"?", input->name, kind,
                     what, width, control, input->name, near);
    else if (count > 0)
        messages_add(scope->messages, place,
                     "%s (a %s) has no %s \"%.*s\"; it has, for example, %s.%s", input->name, kind,
                     what, width, control, input->name,
                     input->description ? names[0] : input->kind->example);
    else
        messages_add(scope->messages, place, "%s (a %s) has no %s \"%.*s\"", input->name, kind,
                     what, width, control);
}

bool input_control_find(const profile_input *input, const char *name, size_t length, bool is_target,
                        control_meaning *meaning) {
    memset(meaning, 0, sizeof *meaning);
    if (input->description && described_find(input->description, name, length, is_target, meaning))
        return true;
    if (input->description && input->description->is_board)
        return false;
    memset(meaning, 0, sizeof *meaning);
    return control_named(input->kind, name, length, &meaning->name);
}

yt_program_control input_control_record(build *build, unsigned input,
                                        const control_meaning *meaning) {
    const control_name *name = &meaning->name;
    yt_program_control record = {.page = name->page,
                                 .usage = name->usage,
                                 .other_page = name->other_page,
                                 .other_usage = name->other_usage,
                                 .other_if = name->other_if,
                                 .place = YT_NO_PLACE,
                                 .input = (uint8_t)input,
                                 .kind = name->kind,
                                 .occurrence = name->occurrence,
                                 .part = name->part};
    yt_program_place place = meaning->place;
    if (!meaning->has_place)
        return record;
    if (meaning->has_range)
        place.range = (uint16_t)build_range(build, meaning->range);
    record.place = (uint16_t)build_place(build, place);
    return record;
}

value_type value_type_of(unsigned kind) {
    static const value_type types[] = {VALUE_SWITCH, VALUE_LEVEL, VALUE_AXIS, VALUE_MOTION,
                                       VALUE_RATE};
    return types[kind];
}

/* "left_stick.x" and "x" are parts of sticks. The number of the stick, from 1; 0: it is none. */
static uint8_t stick_number(scope *scope, unsigned input, const char *name, size_t length) {
    bool is_part = length > 0 && (name[length - 1] == 'x' || name[length - 1] == 'y');
    size_t front = length - 1;
    if (!is_part || (front > 0 && name[front - 1] != '.' && !(front == 1 && name[0] == 'r')))
        return 0;
    for (unsigned i = 0; i < scope->stick_count; i++)
        if (scope->sticks[i].input == input && strlen(scope->sticks[i].name) == front &&
            memcmp(scope->sticks[i].name, name, front) == 0)
            return (uint8_t)(i + 1);
    if (scope->stick_count == PROFILE_STICKS)
        return 0;
    scope->sticks[scope->stick_count] = (stick_name){input, pool_text(scope->pool, name, front)};
    return (uint8_t)++scope->stick_count;
}

static value read_control(lowering *lowering, unsigned input, const control_meaning *meaning,
                          const char *name, size_t length) {
    build *build = lowering->scope->build;
    yt_program_control record = input_control_record(build, input, meaning);
    if (record.kind == YT_AXIS)
        record.stick = stick_number(lowering->scope, input, name, length);
    value value = {.type = value_type_of(meaning->name.kind), .node = build_control(build, record)};
    bool is_key = meaning->name.page == PAGE_KEYBOARD || meaning->name.page == PAGE_BUTTON ||
                  meaning->name.page >= 0xff00; /* where every maker does as he likes */
    value.has_depth =
        value.type == VALUE_SWITCH && is_key && !meaning->name.part && record.place == YT_NO_PLACE;
    value.record = record;
    return value;
}

/* A stick or a motion by the names of its two directions. */
static bool find_pair(const profile_input *input, const char *name, size_t length, pool *pool,
                      control_meaning meanings[2]) {
    const char *x = pool_print(pool, "%.*s.x", (int)length, name);
    const char *y = pool_print(pool, "%.*s.y", (int)length, name);
    return input_control_find(input, x, length + 2, false, &meanings[0]) &&
           input_control_find(input, y, length + 2, false, &meanings[1]) &&
           meanings[0].name.kind == meanings[1].name.kind &&
           (meanings[0].name.kind == YT_AXIS || meanings[0].name.kind == YT_MOTION);
}

static value control_value(lowering *lowering, const term *term, unsigned number, const char *name,
                           size_t length) {
    scope *scope = lowering->scope;
    const profile_input *input = &scope->inputs[number];
    control_meaning meanings[2];
    if (input_control_find(input, name, length, false, &meanings[0]))
        return read_control(lowering, number, &meanings[0], name, length);
    if (length <= NAME_BYTES && find_pair(input, name, length, scope->pool, meanings)) {
        const char *across = pool_print(scope->pool, "%.*s.x", (int)length, name);
        const char *along = pool_print(scope->pool, "%.*s.y", (int)length, name);
        value x = read_control(lowering, number, &meanings[0], across, length + 2);
        value y = read_control(lowering, number, &meanings[1], along, length + 2);
        return (value){.type = x.type == VALUE_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK,
                       .node = x.node,
                       .second = y.node};
    }
    messages *messages = scope->messages;
    lower_unknown_control(scope,
                          part_place(lowering->part, messages, term->offset, (int)term->width),
                          input, name, length, false);
    return nothing;
}

/* What the host sends back: a light, a motor. */
static value feedback_value(lowering *lowering, const term *term, const profile_output *output,
                            const char *name, size_t length) {
    build *build = lowering->scope->build;
    control_name meaning;
    output_control control;
    bool is_known = name && control_named(output->kind, name, length, &meaning) &&
                    output_control_find(output, &meaning, &control);
    if (!is_known || !control.from_host)
        return wrong(lowering, term,
                     "%.*s is an output; formulas read inputs, and of outputs what the host sends, "
                     "such as %s.rumble.strong or %s.light.caps_lock",
                     shown(term), text_of(lowering, term), output->name, output->name);
    control.place.range = (uint16_t)build_range(build, control.range);
    yt_program_control record = {.page = meaning.page,
                                 .usage = meaning.usage,
                                 .place = (uint16_t)build_place(build, control.place),
                                 .input = (uint8_t)control.report,
                                 .kind = (uint8_t)control.kind,
                                 .occurrence = meaning.occurrence,
                                 .from_host = 1};
    return (value){.type = value_type_of(control.kind), .node = build_control(build, record)};
}

static bool is_name(const char *name, const char *text, size_t length) {
    return strlen(name) == length && memcmp(name, text, length) == 0;
}

static value lower_name(lowering *lowering, const term *term) {
    const char *text = text_of(lowering, term);
    const char *dot = memchr(text, '.', term->width);
    size_t length = dot ? (size_t)(dot - text) : term->width;
    scope *scope = lowering->scope;
    for (unsigned i = 0; i < scope->input_count; i++) {
        if (!is_name(scope->inputs[i].name, text, length))
            continue;
        if (!dot)
            return wrong(lowering, term, "\"%s\" is an input; say which control of it, as in %s.%s",
                         scope->inputs[i].name, scope->inputs[i].name,
                         scope->inputs[i].kind->example);
        return control_value(lowering, term, i, dot + 1, term->width - length - 1);
    }
    for (unsigned i = 0; i < scope->output_count; i++)
        if (is_name(scope->outputs[i].name, text, length))
            return feedback_value(lowering, term, &scope->outputs[i], dot ? dot + 1 : NULL,
                                  dot ? term->width - length - 1 : 0);
    if (is_name("none", text, term->width))
        return wrong(lowering, term, "`none` stands alone: it leaves a control undriven");
    struct term head = *term;
    head.width = length;
    messages *messages = scope->messages;
    lower_unknown_name(scope, part_place(lowering->part, messages, head.offset, (int)length), text,
                       length);
    return nothing;
}

static unsigned add(lowering *lowering, unsigned operation, unsigned type, unsigned count,
                    unsigned a, unsigned b, unsigned c) {
    build_node node = {.operation = (uint8_t)operation,
                       .type = (uint8_t)type,
                       .argument_count = (uint8_t)count,
                       .arguments = {a, b, c}};
    return build_add(lowering->scope->build, node);
}

static bool is_number(value value) {
    return value.type == VALUE_SWITCH || value.type == VALUE_LEVEL || value.type == VALUE_AXIS ||
           value.type == VALUE_RATE || (value.type == VALUE_CONSTANT && value.unit == UNIT_NONE);
}

static bool is_motion(value value) {
    return value.type == VALUE_MOTION || value.type == VALUE_MOTION_PAIR;
}

/* The node of a plain number, level, axis, switch or motion. Where a number is wanted, a key that
 * tells how deep it is is read as that. */
static unsigned node_of(lowering *lowering, value value) {
    if (value.type == VALUE_CONSTANT)
        return build_constant(lowering->scope->build, (yt_q16)value.amount);
    if (value.type != VALUE_SWITCH || !value.has_depth)
        return value.node;
    value.record.kind = YT_LEVEL;
    return build_control(lowering->scope->build, value.record);
}

static value lower_switch(lowering *lowering, const term *term, const char *operator) {
    value operand = lower(lowering, term);
    if (operand.type == VALUE_SWITCH || operand.type == VALUE_NOTHING)
        return operand;
    if (operand.type == VALUE_LEVEL || operand.type == VALUE_AXIS)
        return wrong(
            lowering, term,
            "`%s` joins switches, but this is %s; compare it, as in: %.*s > 40%%", operator,
            meaning_of(operand), shown(term), text_of(lowering, term));
    return wrong(lowering, term, "`%s` joins switches, but this is %s", operator,
                 meaning_of(operand));
}

static value lower_logic(lowering *lowering, const term *term) {
    bool is_and = term->kind == TERM_AND;
    const char *operator= is_and ? "and" : "or";
    value left = lower_switch(lowering, term->first, operator);
    value right = lower_switch(lowering, term->first->next, operator);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return nothing;
    return (value){.type = VALUE_SWITCH,
                   .node = add(lowering, is_and ? YT_OP_AND : YT_OP_OR, YT_TYPE_SWITCH, 2,
                               left.node, right.node, 0)};
}

static value lower_not(lowering *lowering, const term *term) {
    value operand = lower_switch(lowering, term->first, "not");
    if (operand.type == VALUE_NOTHING)
        return nothing;
    return (value){.type = VALUE_SWITCH,
                   .node = add(lowering, YT_OP_NOT, YT_TYPE_SWITCH, 1, operand.node, 0, 0)};
}

/* What a comparison sees: a pulse is made a number, which lasts as long as the pulse. */
static unsigned compared_node(lowering *lowering, value operand) {
    if (operand.type == VALUE_MOTION)
        return add(lowering, YT_OP_SEEN, YT_TYPE_NUMBER, 1, operand.node, 0, 0);
    return node_of(lowering, operand);
}

static value lower_comparison(lowering *lowering, const term *term) {
    value left = lower(lowering, term->first), right = lower(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return nothing;
    for (int side = 0; side < 2; side++) {
        value operand = side ? right : left;
        bool is_rate = operand.type == VALUE_CONSTANT &&
                       (operand.unit == UNIT_TURN || operand.unit == UNIT_PULL) &&
                       (side ? left : right).type == VALUE_RATE;
        if (is_number(operand) || operand.type == VALUE_MOTION || is_rate)
            continue;
        const struct term *at = side ? term->first->next : term->first;
        if (operand.type == VALUE_STICK || operand.type == VALUE_MOTION_PAIR)
            return wrong(lowering, at, "this is %s, which has two directions; compare its .x or .y",
                         meaning_of(operand));
        return wrong(lowering, at, "a plain number or a percentage belongs here, not %s",
                     meaning_of(operand));
    }
    if (left.type == VALUE_SWITCH && right.type == VALUE_SWITCH)
        left.has_depth = right.has_depth = false;
    unsigned a = compared_node(lowering, left), b = compared_node(lowering, right);
    bool swap = term->kind == TERM_GREATER || term->kind == TERM_GREATER_OR_EQUAL;
    unsigned operation = term->kind == TERM_LESS || term->kind == TERM_GREATER ? YT_OP_LESS
                         : term->kind == TERM_EQUAL || term->kind == TERM_NOT_EQUAL
                             ? YT_OP_EQUAL
                             : YT_OP_LESS_OR_EQUAL;
    unsigned node = add(lowering, operation, YT_TYPE_SWITCH, 2, swap ? b : a, swap ? a : b, 0);
    if (term->kind == TERM_NOT_EQUAL)
        node = add(lowering, YT_OP_NOT, YT_TYPE_SWITCH, 1, node, 0, 0);
    return (value){.type = VALUE_SWITCH, .node = node};
}

/* Constants are reckoned with here, so that a program only holds what can change. */
static value fold(lowering *lowering, const term *term, value left, value right) {
    value result = left;
    int64_t a = left.amount, b = right.amount;
    if (term->kind == TERM_MULTIPLY) {
        if (left.unit != UNIT_NONE && right.unit != UNIT_NONE)
            return wrong(lowering, term, "%s cannot be multiplied by %s", meaning_of(left),
                         meaning_of(right));
        result.unit = left.unit != UNIT_NONE ? left.unit : right.unit;
        if ((a > INT32_MAX || a < INT32_MIN) && (b > INT32_MAX || b < INT32_MIN))
            return wrong(lowering, term, "this product is too large");
        result.amount = (int64_t)(((__int128)a * b + 0x8000) >> 16);
    } else if (left.unit != right.unit) {
        return wrong(lowering, term, "%s and %s cannot be added", meaning_of(left),
                     meaning_of(right));
    } else {
        result.amount = term->kind == TERM_ADD ? a + b : a - b;
    }
    int64_t most = result.unit == UNIT_TIME ? INT64_C(86400000000) : INT32_MAX;
    if (result.amount > most || result.amount < -most)
        return wrong(lowering, term, "this number is too large");
    return result;
}

static value combine_pair(lowering *lowering, unsigned operation, value left, value right) {
    unsigned type = is_motion(left) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    value result = {.type = left.type};
    result.node = add(lowering, operation, type, 2, left.node, right.node, 0);
    if (left.type == VALUE_STICK || left.type == VALUE_MOTION_PAIR)
        result.second = add(lowering, operation, type, 2, left.second, right.second, 0);
    return result;
}

static value lower_sum(lowering *lowering, const term *term) {
    unsigned operation = term->kind == TERM_ADD ? YT_OP_ADD : YT_OP_SUBTRACT;
    value left = lower(lowering, term->first), right = lower(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return nothing;
    if (left.type == VALUE_CONSTANT && right.type == VALUE_CONSTANT)
        return fold(lowering, term, left, right);
    if (is_number(left) && is_number(right))
        return (value){.type = VALUE_AXIS,
                       .node = add(lowering, operation, YT_TYPE_NUMBER, 2, node_of(lowering, left),
                                   node_of(lowering, right), 0)};
    if (left.type == right.type && left.type != VALUE_CONSTANT)
        return combine_pair(lowering, operation, left, right);
    return wrong(lowering, term, "%s and %s cannot be %s", meaning_of(left), meaning_of(right),
                 term->kind == TERM_ADD ? "added" : "subtracted");
}

/* One factor is a plain number, level, axis or switch; the other may be of any type. */
static value scale(lowering *lowering, const term *term, value scaled, value factor) {
    if (!is_number(factor))
        return wrong(lowering, term, "%s cannot be multiplied by %s", meaning_of(scaled),
                     meaning_of(factor));
    unsigned by = node_of(lowering, factor);
    unsigned type = is_motion(scaled) ? YT_TYPE_PULSE : YT_TYPE_NUMBER;
    value result = {.type = is_number(scaled) ? VALUE_AXIS : scaled.type};
    result.node = add(lowering, YT_OP_MULTIPLY, type, 2, node_of(lowering, scaled), by, 0);
    if (scaled.type == VALUE_STICK || scaled.type == VALUE_MOTION_PAIR)
        result.second = add(lowering, YT_OP_MULTIPLY, type, 2, scaled.second, by, 0);
    return result;
}

static value lower_product(lowering *lowering, const term *term) {
    value left = lower(lowering, term->first), right = lower(lowering, term->first->next);
    if (left.type == VALUE_NOTHING || right.type == VALUE_NOTHING)
        return nothing;
    if (left.type == VALUE_CONSTANT && right.type == VALUE_CONSTANT)
        return fold(lowering, term, left, right);
    bool left_has_unit = left.type == VALUE_CONSTANT && left.unit != UNIT_NONE;
    bool right_has_unit = right.type == VALUE_CONSTANT && right.unit != UNIT_NONE;
    if (left_has_unit || right_has_unit)
        return wrong(lowering, term, "%s cannot be multiplied by %s", meaning_of(left),
                     meaning_of(right));
    if (is_number(left) && !is_number(right))
        return scale(lowering, term, right, left);
    return scale(lowering, term, left, right);
}

static value lower_negate(lowering *lowering, const term *term) {
    value operand = lower(lowering, term->first);
    if (operand.type == VALUE_NOTHING)
        return nothing;
    if (operand.type == VALUE_CONSTANT) {
        operand.amount = -operand.amount;
        return operand;
    }
    value minus_one = {.type = VALUE_CONSTANT, .amount = -YT_ONE};
    return scale(lowering, term, operand, minus_one);
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
    value yes = lower(lowering, arguments[1]), no = lower(lowering, arguments[2]);
    if (condition.type == VALUE_NOTHING || yes.type == VALUE_NOTHING || no.type == VALUE_NOTHING)
        return nothing;
    value result = {.type = yes.type};
    unsigned type = YT_TYPE_NUMBER;
    if (yes.type == no.type && is_motion(yes)) {
        type = YT_TYPE_PULSE;
    } else if (yes.type == VALUE_SWITCH && no.type == VALUE_SWITCH) {
        type = YT_TYPE_SWITCH;
        yes.has_depth = no.has_depth = false;
    } else if (is_number(yes) && is_number(no)) {
        result.type = yes.type == VALUE_RATE && no.type == VALUE_RATE ? VALUE_RATE : VALUE_AXIS;
    } else if (yes.type != no.type || yes.type == VALUE_CONSTANT) {
        return wrong(lowering, call,
                     "if(c, a, b) chooses between two of a kind, but a is %s and "
                     "b is %s",
                     meaning_of(yes), meaning_of(no));
    }
    result.node = add(lowering, YT_OP_CHOOSE, type, 3, condition.node, node_of(lowering, yes),
                      node_of(lowering, no));
    if (yes.type == VALUE_STICK || yes.type == VALUE_MOTION_PAIR)
        result.second = add(lowering, YT_OP_CHOOSE, type, 3, condition.node, yes.second, no.second);
    return result;
}

static bool lower_number(lowering *lowering, const term *term, const char *what, unsigned *node) {
    value number = lower(lowering, term);
    if (number.type == VALUE_NOTHING)
        return false;
    if (!is_number(number)) {
        wrong(lowering, term, "%s takes a switch, a level or an axis, not %s", what,
              meaning_of(number));
        return false;
    }
    *node = node_of(lowering, number);
    return true;
}

static value make_stick(lowering *lowering, const term *call, const term *const *arguments) {
    unsigned node[4];
    (void)call;
    for (unsigned k = 0; k < 4; k++)
        if (!lower_number(lowering, arguments[k], "each direction of a stick", &node[k]))
            return nothing;
    return (value){.type = VALUE_STICK,
                   .node = add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, node[1], node[0], 0),
                   .second = add(lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, node[3], node[2], 0)};
}

static value make_stick_of_axes(lowering *lowering, const term *call,
                                const term *const *arguments) {
    unsigned x, y;
    (void)call;
    if (!lower_number(lowering, arguments[0], "x", &x) ||
        !lower_number(lowering, arguments[1], "y", &y))
        return nothing;
    return (value){.type = VALUE_STICK, .node = x, .second = y};
}

/* The node takes what one count is of full deflection, in steps of 4 ms: the division is done
 * here, once. */
static value make_stick_from_motion(lowering *lowering, const term *call,
                                    const term *const *arguments) {
    value motion = lower(lowering, arguments[0]), full = lower(lowering, arguments[1]);
    (void)call;
    if (motion.type == VALUE_NOTHING || full.type == VALUE_NOTHING)
        return nothing;
    if (motion.type != VALUE_MOTION_PAIR)
        return wrong(lowering, arguments[0], "motion in two directions belongs here, not %s",
                     meaning_of(motion));
    if (full.type != VALUE_CONSTANT || full.unit != UNIT_SPEED)
        return wrong(lowering, arguments[1],
                     "full_at takes a speed such as 1500 /s (counts a second), not %s",
                     meaning_of(full));
    if (full.amount < YT_ONE)
        return wrong(lowering, arguments[1], "full_at must be at least 1 /s");
    int64_t gain = (INT64_C(250) * YT_ONE * YT_ONE + full.amount / 2) / full.amount;
    unsigned node = add(lowering, YT_OP_STICK_FROM_MOTION, YT_TYPE_NUMBER, 3, motion.node,
                        motion.second, build_constant(lowering->scope->build, (yt_q16)gain));
    return (value){.type = VALUE_STICK, .node = node, .second = node + 1};
}

static const function functions[] = {
    {"if", {"when", "then", "else"}, "if(condition, a, b)", make_if},
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
    const char *name = text_of(lowering, call);
    const char *near = nearest_name(name, call->width, names, FUNCTIONS);
    if (near)
        return wrong(lowering, call, "there is no function \"%.*s\"; did you mean \"%s\"?",
                     shown(call), name, near);
    return wrong(lowering, call,
                 "there is no function \"%.*s\"; there are if, stick and "
                 "stick_from_motion",
                 shown(call), name);
}

static int label_index(const function *function, const char *label, size_t width) {
    for (int k = 0; k < 4 && function->labels[k]; k++)
        if (is_name(function->labels[k], label, width))
            return k;
    return -1;
}

/* `stick` has two shapes; the first label tells which is meant. */
static const function *find_function(const lowering *lowering, const term *call) {
    const char *name = text_of(lowering, call);
    const function *found = NULL;
    for (size_t i = 0; i < FUNCTIONS; i++) {
        if (!is_name(functions[i].name, name, call->width))
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
        return wrong(lowering, &label, "%s has no argument \"%.*s\"; did you mean \"%s\"?",
                     function->name, (int)label.width, argument->label, near);
    return wrong(lowering, &label, "%s has no argument \"%.*s\"; write: %s", function->name,
                 (int)label.width, argument->label, function->usage);
}

static value lower_call(lowering *lowering, const term *call) {
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
            return wrong(lowering, argument, "this argument is too many; write: %s",
                         function->usage);
        if (arguments[at])
            return wrong(lowering, argument, "\"%s\" is given twice; write: %s",
                         function->labels[at], function->usage);
        arguments[at] = argument;
        next = argument->label ? -1 : next + 1;
    }
    for (int k = 0; k < 4 && function->labels[k]; k++)
        if (!arguments[k])
            return wrong(lowering, call, "\"%s\" is missing; write: %s", function->labels[k],
                         function->usage);
    return function->make(lowering, call, arguments);
}

static value lower(lowering *lowering, const term *term) {
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
    return lower(&lowering, term);
}

static value wrong_cell(lowering *lowering, const term *term, value_type wanted, value got,
                        const char *what) {
    value want = {.type = wanted};
    const char *text = text_of(lowering, term);
    if (wanted == VALUE_SWITCH && (got.type == VALUE_LEVEL || got.type == VALUE_AXIS))
        return wrong(lowering, term,
                     "%s is a switch, but this is %s; compare it, as in: %.*s > 40%%", what,
                     meaning_of(got), shown(term), text);
    if (wanted == VALUE_STICK && got.type == VALUE_MOTION_PAIR)
        return wrong(lowering, term,
                     "%s is a stick, but this is motion; write: stick_from_motion(%.*s, "
                     "full_at=1500 /s)",
                     what, shown(term), text);
    if (got.type == VALUE_STICK || got.type == VALUE_MOTION_PAIR)
        return wrong(lowering, term, "%s is %s, but this is %s, which has two directions", what,
                     meaning_of(want), meaning_of(got));
    return wrong(lowering, term, "%s is %s, but this is %s", what, meaning_of(want),
                 meaning_of(got));
}

value lower_cell(scope *scope, const part *part, const term *term, value_type wanted,
                 const char *what) {
    lowering lowering = {scope, part};
    value got = lower(&lowering, term);
    if (got.type == VALUE_NOTHING || got.type == wanted)
        return got;
    bool takes_numbers = wanted == VALUE_LEVEL || wanted == VALUE_AXIS;
    if (takes_numbers && got.type == VALUE_RATE)
        return wrong(&lowering, term,
                     "%s is %s, but this is a rate; say how much of it is the whole way, as in: "
                     "%.*s * 0.4%%",
                     what, wanted == VALUE_AXIS ? "an axis" : "a level", shown(term),
                     text_of(&lowering, term));
    if (takes_numbers && is_number(got))
        return (value){.type = wanted, .node = node_of(&lowering, got)};
    return wrong_cell(&lowering, term, wanted, got, what);
}
