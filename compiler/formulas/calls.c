/* Calls of functions: their arguments by the table of functions, then their nodes. */
#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/calls.h"
#include "compiler/formulas/layers.h"
#include "compiler/reading/keys.h"

static const yt_value nothing = {.type = VALUE_NOTHING};

static yt_value take_switch(const yt_written_call *call, unsigned index) {
    const yt_term *term = call->arguments[index];
    yt_value operand = lower_term(call->lowering, term);
    if (operand.type == VALUE_SWITCH || operand.type == VALUE_NOTHING)
        return operand;
    return lower_wrong(call->lowering, term, "%s takes a switch here, not %s", call->function->name,
                       value_meaning(operand));
}

bool take_number(const yt_written_call *call, unsigned index, unsigned *node, int64_t *travel) {
    const yt_term *term = call->arguments[index];
    const char *label = call->function->arguments[index].label;
    yt_value number = lower_term(call->lowering, term);
    if (number.type == VALUE_NOTHING)
        return false;
    if (!value_is_number(number)) {
        lower_wrong(call->lowering, term, "%s takes a switch, a level or an axis, not %s", label,
                    value_meaning(number));
        return false;
    }
    *node = value_node(call->lowering, number);
    *travel = number.travel;
    return true;
}

unsigned pick_node(yt_lowering *lowering, unsigned one, unsigned other, bool larger) {
    unsigned less = lower_add(lowering, YT_OP_LESS, YT_TYPE_SWITCH, 2, one, other, 0);
    return lower_add(lowering, YT_OP_CHOOSE, YT_TYPE_NUMBER, 3, less, larger ? other : one,
                     larger ? one : other);
}

/* A quantity that is left out, or that a term gives; it is kept within the argument's range. A
 * depth is a share of the travel of what is pressed. */
yt_value take_quantity(const yt_written_call *call, unsigned index, int64_t travel) {
    const yt_listed_argument *argument = &call->function->arguments[index];
    const yt_term *term = call->arguments[index];
    yt_unit unit = wanted_unit(argument->wanted);
    char low_text[40], high_text[40];
    int64_t low, high;
    if (!term)
        return (yt_value){.type = VALUE_CONSTANT, .unit = unit, .amount = argument->otherwise};
    yt_value quantity = lower_term(call->lowering, term);
    if (quantity.type == VALUE_NOTHING)
        return quantity;
    if (argument->wanted == WANTED_SHARE && value_has_unit(quantity) &&
        quantity.unit == YT_UNIT_LENGTH) {
        if (!travel)
            return lower_wrong(call->lowering, term,
                               "mm is of a control whose description says how far it goes, as in "
                               "travel: 4 mm; this one's does not");
        quantity = value_as_share(call->lowering, quantity, travel);
    }
    bool is_plain = quantity.type == VALUE_CONSTANT || quantity.type == VALUE_QUANTITY ||
                    ((argument->wanted == WANTED_SHARE || argument->wanted == WANTED_POWER) &&
                     value_is_number(quantity));
    if ((unit == YT_UNIT_NONE ? !is_plain : !value_has_unit(quantity)) || quantity.unit != unit)
        return lower_wrong(call->lowering, term, "%s takes %s, not %s", argument->label,
                           wanted_meaning(argument->wanted), value_meaning(quantity));
    value_bounds(quantity, &low, &high);
    argument_text(argument, argument->low, low_text, sizeof low_text);
    argument_text(argument, argument->high, high_text, sizeof high_text);
    if (argument->wanted == WANTED_COUNT &&
        (quantity.type != VALUE_CONSTANT || quantity.amount % YT_ONE))
        return lower_wrong(call->lowering, term, "%s takes a whole number that is written here",
                           argument->label);
    bool is_sure = quantity.type == VALUE_CONSTANT || (low > INT32_MIN && high < INT32_MAX);
    if (is_sure && low < argument->low)
        return lower_wrong(call->lowering, term, "%s must be at least %s", argument->label,
                           low_text);
    if (is_sure && high > argument->high)
        return lower_wrong(call->lowering, term, "%s can be %s at most", argument->label,
                           high_text);
    if (is_sure)
        return quantity;
    yt_build *build = call->lowering->scope->build;
    unsigned node = pick_node(call->lowering, quantity.node,
                              build_constant(build, (yt_q16)argument->low), true);
    node = pick_node(call->lowering, node, build_constant(build, (yt_q16)argument->high), false);
    return value_quantity(unit, node, argument->low, argument->high);
}

yt_value make_if(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value condition = take_switch(call, 0);
    yt_value yes = lower_term(lowering, call->arguments[1]);
    yt_value no = lower_term(lowering, call->arguments[2]);
    if (condition.type == VALUE_NOTHING || yes.type == VALUE_NOTHING || no.type == VALUE_NOTHING)
        return nothing;
    if (value_is_motion(yes) || value_is_motion(no)) {
        yes = value_as_motion(lowering, yes);
        no = value_as_motion(lowering, no);
    }
    yt_value result = {.type = yes.type};
    unsigned type = YT_TYPE_NUMBER;
    bool has_unit = value_has_unit(yes) && value_has_unit(no) && yes.unit == no.unit;
    if (yes.type == no.type && value_is_motion(yes)) {
        type = YT_TYPE_PULSE;
    } else if (yes.type == VALUE_SWITCH && no.type == VALUE_SWITCH) {
        type = YT_TYPE_SWITCH;
        yes.has_depth = no.has_depth = false;
    } else if (has_unit || (value_is_number(yes) && value_is_number(no))) {
        int64_t low[2], high[2];
        value_bounds(yes, &low[0], &high[0]);
        value_bounds(no, &low[1], &high[1]);
        result =
            value_quantity(has_unit ? yes.unit : YT_UNIT_NONE, 0, low[0] < low[1] ? low[0] : low[1],
                           high[0] > high[1] ? high[0] : high[1]);
        if (yes.type == VALUE_RATE && no.type == VALUE_RATE)
            result.type = VALUE_RATE;
    } else if (yes.type != no.type || yes.type == VALUE_CONSTANT || yes.type == VALUE_QUANTITY) {
        return lower_wrong(lowering, call->term,
                           "if(when, then, else) chooses between two of a kind, but one is %s and "
                           "the other is %s",
                           value_meaning(yes), value_meaning(no));
    }
    result.node = lower_add(lowering, YT_OP_CHOOSE, type, 3, condition.node,
                            value_node(lowering, yes), value_node(lowering, no));
    if (value_is_pair(yes))
        result.second =
            lower_add(lowering, YT_OP_CHOOSE, type, 3, condition.node, yes.second, no.second);
    return result;
}

yt_value make_stick(const yt_written_call *call) {
    unsigned nodes[4];
    int64_t travel;
    bool good = true;
    for (unsigned k = 0; k < 4; k++)
        good &= take_number(call, k, &nodes[k], &travel);
    if (!good)
        return nothing;
    return (yt_value){
        .type = VALUE_STICK,
        .node = lower_add(call->lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, nodes[1], nodes[0], 0),
        .second =
            lower_add(call->lowering, YT_OP_SUBTRACT, YT_TYPE_NUMBER, 2, nodes[3], nodes[2], 0)};
}

yt_value make_stick_of_axes(const yt_written_call *call) {
    unsigned x, y;
    int64_t travel;
    if (!take_number(call, 0, &x, &travel) || !take_number(call, 1, &y, &travel))
        return nothing;
    return (yt_value){.type = VALUE_STICK, .node = x, .second = y};
}

/* Of two axes: two sticks whose other direction rests. */
yt_value make_farther(const yt_written_call *call) {
    yt_lowering *lowering = call->lowering;
    yt_value a = lower_term(lowering, call->arguments[0]);
    yt_value b = lower_term(lowering, call->arguments[1]);
    if (a.type == VALUE_NOTHING || b.type == VALUE_NOTHING)
        return nothing;
    bool is_stick = a.type == VALUE_STICK && b.type == VALUE_STICK;
    if (!is_stick && !(value_is_number(a) && value_is_number(b)))
        return lower_wrong(lowering, call->term,
                           "farther takes two sticks or two axes, not %s and %s", value_meaning(a),
                           value_meaning(b));
    unsigned rest = build_constant(lowering->scope->build, 0);
    unsigned arguments[] = {is_stick ? a.node : value_node(lowering, a), is_stick ? a.second : rest,
                            is_stick ? b.node : value_node(lowering, b),
                            is_stick ? b.second : rest};
    unsigned node =
        build_add(lowering->scope->build,
                  (yt_build_node){.operation = (uint16_t)(YT_OP_FUNCTIONS + call->function->number),
                                  .type = YT_TYPE_NUMBER,
                                  .argument_count = 4,
                                  .arguments = arguments});
    return (yt_value){
        .type = is_stick ? VALUE_STICK : VALUE_AXIS, .node = node, .second = node + 1};
}

/* The arguments of a function's node, as they are put together. */
typedef struct yt_handing {
    const yt_written_call *call;
    unsigned nodes[2 + 2 * FUNCTION_ARGUMENTS];
    unsigned count;
    int64_t travel; /* of the level among them, where its description says so */
    bool failed;
} yt_handing;

static void hand(yt_handing *handing, unsigned node) {
    handing->nodes[handing->count++] = node;
}

static void hand_switch(yt_handing *handing, unsigned index) {
    if (!handing->call->arguments[index])
        return;
    yt_value press = take_switch(handing->call, index);
    handing->failed |= press.type == VALUE_NOTHING;
    hand(handing, press.node);
}

static void hand_number(yt_handing *handing, unsigned index) {
    unsigned node = 0;
    handing->failed |= !take_number(handing->call, index, &node, &handing->travel);
    hand(handing, node);
}

bool take_motion(const yt_written_call *call, unsigned index, yt_value *motion) {
    const yt_term *term = call->arguments[index];
    *motion = value_as_motion(call->lowering, lower_term(call->lowering, term));
    if (motion->type != VALUE_NOTHING && motion->type != VALUE_MOTION_PAIR)
        lower_wrong(call->lowering, term, "motion in two directions belongs here, not %s",
                    value_meaning(*motion));
    return motion->type == VALUE_MOTION_PAIR;
}

static void hand_motion(yt_handing *handing, unsigned index) {
    yt_value motion;
    handing->failed |= !take_motion(handing->call, index, &motion);
    hand(handing, motion.node);
    hand(handing, motion.second);
}

static void hand_turn(yt_handing *handing, unsigned index) {
    const yt_written_call *call = handing->call;
    yt_value motion = lower_term(call->lowering, call->arguments[index]);
    motion = value_as_motion(call->lowering, motion);
    if (motion.type != VALUE_NOTHING && motion.type != VALUE_MOTION)
        motion = lower_wrong(call->lowering, call->arguments[index],
                             "motion of one direction belongs here, such as ball.wheel, not %s",
                             value_meaning(motion));
    handing->failed |= motion.type == VALUE_NOTHING;
    hand(handing, motion.node);
}

static void hand_stick(yt_handing *handing, unsigned index) {
    const yt_written_call *call = handing->call;
    yt_value stick = lower_term(call->lowering, call->arguments[index]);
    if (value_is_number(stick)) { /* an axis: its other direction rests */
        stick.node = value_node(call->lowering, stick);
        stick.second = build_constant(call->lowering->scope->build, 0);
    } else if (stick.type != VALUE_NOTHING && stick.type != VALUE_STICK)
        stick = lower_wrong(call->lowering, call->arguments[index], "%s takes a stick, not %s",
                            call->function->arguments[index].label, value_meaning(stick));
    handing->failed |= stick.type == VALUE_NOTHING;
    hand(handing, stick.node);
    hand(handing, stick.second);
}

bool take_axes(const yt_written_call *call, unsigned index, yt_value *axes) {
    const yt_listed_argument *argument = &call->function->arguments[index];
    *axes = lower_term(call->lowering, call->arguments[index]);
    if (axes->type == VALUE_NOTHING)
        return false;
    if (axes->type != VALUE_AXES) {
        lower_wrong(call->lowering, call->arguments[index],
                    "%s takes three axes, as grip.gyro where there is a gyro.x, gyro.y and gyro.z, "
                    "or axes(x=, y=, z=), not %s",
                    argument->label, value_meaning(*axes));
        return false;
    }
    yt_unit unit = strcmp(argument->label, "pull") == 0 ? YT_UNIT_PULL : YT_UNIT_TURN;
    if (axes->unit == unit || axes->unit == YT_UNIT_NONE)
        return true;
    lower_wrong(call->lowering, call->arguments[index], "%s takes %s, and this is %s",
                argument->label,
                unit == YT_UNIT_PULL ? "an accelerometer, in g" : "a gyro, in degrees a second",
                unit == YT_UNIT_PULL ? "a gyro" : "an accelerometer");
    return false;
}

static void hand_axes(yt_handing *handing, unsigned index) {
    yt_value axes;
    handing->failed |= !take_axes(handing->call, index, &axes);
    hand(handing, axes.node);
    hand(handing, axes.second);
    hand(handing, axes.third);
}

unsigned divided(const yt_written_call *call, int64_t whole, yt_value quantity) {
    yt_build *build = call->lowering->scope->build;
    if (quantity.type == VALUE_CONSTANT)
        return build_constant(build,
                              (yt_q16)((whole * YT_ONE + quantity.amount / 2) / quantity.amount));
    return lower_add(call->lowering, YT_OP_DIVIDE, YT_TYPE_NUMBER, 2,
                     build_constant(build, (yt_q16)whole), quantity.node, 0);
}

#define SPEED_STEPS 250     /* of 4 ms, in a second */
#define SECOND_US   1000000 /* the function makes up for a period's rounding */

static void hand_quantity(yt_handing *handing, unsigned index) {
    const yt_written_call *call = handing->call;
    yt_value quantity = take_quantity(call, index, handing->travel);
    handing->failed |= quantity.type == VALUE_NOTHING;
    if (handing->failed)
        return;
    yt_wanted wanted = call->function->arguments[index].wanted;
    unsigned node =
        wanted == WANTED_SPEED || wanted == WANTED_SLOPE ? 0 : value_node(call->lowering, quantity);
    switch (wanted) {
    case WANTED_SLOPE:
        hand(handing, divided(call, SECOND_US, quantity));
        break;
    case WANTED_SPEED:
        hand(handing, divided(call, (int64_t)SPEED_STEPS * YT_ONE, quantity));
        break;
    case WANTED_FREQUENCY:
        hand(handing, divided(call, SECOND_US, quantity));
        hand(handing, node);
        break;
    default:
        hand(handing, node);
    }
}

static void hand_layer_presses(yt_handing *handing) {
    yt_lowering *lowering = handing->call->lowering;
    int layer = (int)(lowering->condition - lowering->scope->layers->all) + 1;
    hand(handing, layer_presses(lowering->scope, layer));
}

static void hand_argument(yt_handing *handing, unsigned index) {
    switch (handing->call->function->arguments[index].wanted) {
    case WANTED_SWITCH:
        hand_switch(handing, index);
        break;
    case WANTED_SWITCH_OR_NONE:
        if (handing->call->arguments[index])
            hand_switch(handing, index);
        else
            hand(handing, build_switch(handing->call->lowering->scope->build, false));
        break;
    case WANTED_NUMBER:
        hand_number(handing, index);
        break;
    case WANTED_MOTION:
        hand_motion(handing, index);
        break;
    case WANTED_TURN:
        hand_turn(handing, index);
        break;
    case WANTED_STICK:
        hand_stick(handing, index);
        break;
    case WANTED_AXES:
        hand_axes(handing, index);
        break;
    case WANTED_LAYER_PRESSES:
        hand_layer_presses(handing);
        break;
    default:
        hand_quantity(handing, index);
    }
}

/* A function's node: whether its layer is alive, where it asks for that, then its arguments as they
 * stand in the table. */
yt_value make_function(const yt_written_call *call) {
    const yt_function *function = yt_function_of(YT_ANY_GROUP, call->function->number);
    yt_handing handing = {.call = call};
    yt_lowering *lowering = call->lowering;
    if (function->alive)
        hand(&handing, layer_alive(lowering->scope, lowering->layer));
    for (unsigned k = 0; k < FUNCTION_ARGUMENTS; k++)
        if (call->function->arguments[k].wanted != WANTED_NOTHING)
            hand_argument(&handing, k);
    if (handing.failed)
        return nothing;
    unsigned node =
        build_add(lowering->scope->build,
                  (yt_build_node){.operation = (uint16_t)(YT_OP_FUNCTIONS + call->function->number),
                                  .type = yt_function_type(function),
                                  .argument_count = (uint8_t)handing.count,
                                  .arguments = handing.nodes});
    return (yt_value){.type = function->gives == 's'   ? VALUE_SWITCH
                              : function->gives == 'p' ? VALUE_MOTION
                              : function->results == 2 ? VALUE_STICK
                                                       : VALUE_AXIS,
                      .node = node,
                      .second = node + 1};
}

/* A function that gives a whole number. */
static yt_value make_whole(const yt_written_call *call, int64_t most) {
    yt_value value = make_function(call);
    if (value.type == VALUE_NOTHING)
        return value;
    value = value_quantity(YT_UNIT_NONE, value.node, 0, most * YT_ONE);
    value.is_count = true;
    return value;
}

yt_value make_count(const yt_written_call *call) {
    return make_whole(call, 15);
}

/* Two sectors that are neighbours are as wide as two equal ones. */
yt_value make_sector(const yt_written_call *call) {
    const yt_term *written = call->arguments[1], *wide = call->arguments[4];
    int64_t sectors = call->function->arguments[1].otherwise / YT_ONE, low, high;
    if (!wide)
        return make_whole(call, 16);
    yt_value count = written ? lower_term(call->lowering, written) : nothing;
    if (count.type == VALUE_CONSTANT && count.amount >= YT_ONE)
        sectors = count.amount / YT_ONE;
    if (sectors % 2)
        return lower_wrong(call->lowering, wide,
                           "wide is of an even count, as each second sector is so wide");
    yt_value width = lower_term(call->lowering, wide);
    if (width.type == VALUE_NOTHING)
        return width;
    value_bounds(width, &low, &high);
    if (width.unit == YT_UNIT_ANGLE && high > 720 * YT_ONE / sectors)
        return lower_wrong(call->lowering, wide,
                           "of %d sectors each second one is %d deg wide at most", (int)sectors,
                           (int)(720 / sectors));
    return make_whole(call, 16);
}

yt_value make_angle(const yt_written_call *call) {
    yt_value value = make_function(call);
    if (value.type == VALUE_NOTHING)
        return value;
    return value_quantity(YT_UNIT_ANGLE, value.node, 0, 360 * YT_ONE);
}

yt_value make_next_press(const yt_written_call *call) {
    if (!call->lowering->condition)
        return lower_wrong(call->lowering, call->term,
                           "next_press belongs into a layer's while:, as it waits for what that "
                           "layer names");
    return make_function(call);
}

static yt_value unknown_function(yt_lowering *lowering, const yt_term *term) {
    const char *names[FUNCTION_COUNT];
    for (size_t i = 0; i < FUNCTION_COUNT; i++)
        names[i] = functions[i].name;
    struct yt_term named = *term;
    named.width = term->name_width;
    const char *name = term_text(lowering, term);
    const char *near = nearest_name(name, named.width, names, FUNCTION_COUNT);
    if (near)
        return lower_wrong(lowering, &named, "there is no function \"%.*s\"; did you mean \"%s\"?",
                           term_shown(&named), name, near);
    return lower_wrong(lowering, &named,
                       "there is no function \"%.*s\"; `yonder functions` lists those "
                       "that there are",
                       term_shown(&named), name);
}

static int label_index(const yt_listed_function *function, const char *label, size_t width) {
    for (unsigned k = 0; k < function_argument_count(function); k++)
        if (is_name(function->arguments[k].label, label, width))
            return (int)k;
    return -1;
}

/* Where the points of a curve go; -1: it takes none. */
static int points_index(const yt_listed_function *function) {
    for (unsigned k = 0; k < function_argument_count(function); k++)
        if (function->arguments[k].wanted == WANTED_POINTS)
            return (int)k;
    return -1;
}

/* `stick` has two shapes; the first label tells which is meant. */
static const yt_listed_function *find_function(const yt_lowering *lowering, const yt_term *term) {
    const char *name = term_text(lowering, term);
    const yt_listed_function *found = NULL;
    for (size_t i = 0; i < FUNCTION_COUNT; i++) {
        if (!is_name(functions[i].name, name, term->name_width))
            continue;
        if (!found)
            found = &functions[i];
        if (term->first && term->first->label &&
            label_index(&functions[i], term->first->label, term->first->label_width) >= 0)
            return &functions[i];
    }
    return found;
}

static yt_value wrong_label(const yt_written_call *call, const yt_term *argument) {
    const yt_listed_function *function = call->function;
    const char *labels[FUNCTION_ARGUMENTS];
    unsigned count = function_argument_count(function);
    struct yt_term label = *argument;
    label.offset = (size_t)(argument->label - call->lowering->part->text);
    label.width = argument->label_width;
    for (unsigned k = 0; k < count; k++)
        labels[k] = function->arguments[k].label;
    const char *near = nearest_name(argument->label, label.width, labels, count);
    if (near)
        return lower_wrong(call->lowering, &label,
                           "%s has no argument \"%.*s\"; did you mean \"%s\"?", function->name,
                           term_shown(&label), argument->label, near);
    return lower_wrong(call->lowering, &label, "%s has no argument \"%.*s\"; write: %s",
                       function->name, term_shown(&label), argument->label, function->usage);
}

/* Whether an argument is what stands behind the comma of a fraction: "1,5 s". */
static bool is_comma(yt_lowering *lowering, const yt_term *argument) {
    const char *text = term_text(lowering, argument), *begin = lowering->part->text;
    return text - begin >= 2 && text[-1] == ',' && text[-2] >= '0' && text[-2] <= '9' &&
           argument->kind == TERM_NUMBER;
}

static yt_value wrong_point(const yt_written_call *call, const yt_term *argument, unsigned at) {
    if (argument->kind == TERM_POINT)
        return lower_wrong(call->lowering, argument,
                           "a point of a curve does not belong here, or not with a name; write: %s",
                           call->function->usage);
    return lower_wrong(call->lowering, argument, "%s takes %s here; write: %s",
                       call->function->name, wanted_meaning(call->function->arguments[at].wanted),
                       call->function->usage);
}

yt_value lower_call(yt_lowering *lowering, const yt_term *term) {
    yt_written_call call = {
        .lowering = lowering, .function = find_function(lowering, term), .term = term};
    if (!call.function)
        return unknown_function(lowering, term);
    int next = 0, count = (int)function_argument_count(call.function);
    for (const struct yt_term *argument = term->first; argument; argument = argument->next) {
        int at = next < 0 || next >= count
                     ? next
                     : (int)function_argument_at(call.function, (unsigned)next);
        if (argument->kind == TERM_POINT && !argument->label)
            at = points_index(call.function);
        if (argument->label)
            at = label_index(call.function, argument->label, argument->label_width);
        if (at < 0 && argument->label)
            return wrong_label(&call, argument);
        if (argument->kind == TERM_POINT && (at < 0 || argument->label))
            return wrong_point(&call, argument, 0);
        if (at < 0 || at >= count)
            return is_comma(lowering, argument)
                       ? lower_wrong(lowering, argument,
                                     "this argument is too many; a fraction has a point, as in 1.5")
                       : lower_wrong(lowering, argument, "this argument is too many; write: %s",
                                     call.function->usage);
        if ((argument->kind == TERM_POINT) !=
            (call.function->arguments[at].wanted == WANTED_POINTS))
            return wrong_point(&call, argument, (unsigned)at);
        if (argument->kind == TERM_POINT && call.arguments[at])
            continue; /* make_curve finds the further ones behind the first */
        if (call.arguments[at])
            return lower_wrong(lowering, argument, "\"%s\" is given twice; write: %s",
                               call.function->arguments[at].label, call.function->usage);
        call.arguments[at] = argument;
        next = argument->label || argument->kind == TERM_POINT ? -1 : next + 1;
    }
    for (int k = 0; k < count; k++)
        if (!call.arguments[k] && !call.function->arguments[k].may_lack)
            return lower_wrong(lowering, term, "\"%s\" is missing; write: %s",
                               call.function->arguments[k].label, call.function->usage);
    return call.function->make(&call);
}
