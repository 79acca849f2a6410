/* The controls that formulas name: of inputs, and what the host sends. */
#include <string.h>

#include "compiler/formulas/chords.h"
#include "compiler/formulas/controls.h"
#include "compiler/formulas/layers.h"
#include "compiler/names/spellings.h"
#include "compiler/reading/keys.h"

/* The names that an input knows: its description's, then its kind's. */
static size_t known_names(const yt_profile_input *input, bool is_target, const char **names,
                          size_t most) {
    size_t count = 0;
    const yt_description *description = input->description;
    for (unsigned i = 0; description && i < description->control_count && count < most; i++)
        if (description->controls[i].is_target == is_target)
            names[count++] = description->controls[i].name;
    if (is_target || (description && description->is_board))
        return count;
    yt_control_name motion;
    if (control_named(input->kind, "motion.x", 8, &motion) && count < most)
        names[count++] = "motion";
    return count + control_names(input->kind, names + count, most - count);
}

/* What a description calls the control that a name of the kind's stands for; NULL: nothing. A
 * control has one name only, and a described one that of its description. */
static const char *described_name(const yt_profile_input *input, const yt_control_name *meaning) {
    const yt_description *description = input->description;
    for (unsigned i = 0; description && i < description->control_count; i++) {
        const yt_described_control *control = &description->controls[i];
        const yt_control_meaning *of = &control->meaning;
        bool is_placed = of->has_place && (of->place.flags & YT_PLACE_HERE);
        if (!control->is_target && !is_placed && of->name.page == meaning->page &&
            of->name.usage == meaning->usage && of->name.occurrence == meaning->occurrence &&
            (of->name.kind == YT_MOTION) == (meaning->kind == YT_MOTION))
            return control->name;
    }
    return NULL;
}

void unknown_control(yt_scope *scope, yt_text_place place, const yt_profile_input *input,
                     const char *control, size_t length, bool is_target) {
    const char *names[1024] = {NULL};
    const char *what = is_target ? "light or motor" : "control";
    const char *kind =
        input->description && input->description->is_board ? "board" : input->kind->name;
    if (input->is_broken || messages_only_count(scope->messages))
        return;
    yt_control_name meaning;
    const char *called = !is_target && control_named(input->kind, control, length, &meaning)
                             ? described_name(input, &meaning)
                             : NULL;
    if (called) {
        messages_add(scope->messages, place, "%s is described: here it is called \"%s.%s\"",
                     pool_print(scope->pool, "%s.%.*s", input->name, (int)length, control),
                     input->name, called);
        return;
    }
    const char *up = pool_print(scope->pool, "%.*s.up", (int)(length < 60 ? length : 60), control);
    if (!is_target && control_named(input->kind, up, strlen(up), &meaning) && meaning.part) {
        messages_add(scope->messages, place,
                     "%s.%.*s has four directions, and each a name, such as %s.%s", input->name,
                     (int)length, control, input->name, up);
        return;
    }
    const char *one, *other;
    bool is_board = input->description && input->description->is_board;
    if (!is_target && !is_board && spelling_meant(input->kind, control, length, &one, &other)) {
        int shown = length < 40 ? (int)length : 40;
        messages_add(scope->messages, place, "%s (a %s) has no %s \"%.*s\"; write %s.%s%s%s%s%s",
                     input->name, kind, what, shown, control, input->name, one, other ? " or " : "",
                     other ? input->name : "", other ? "." : "", other ? other : "");
        return;
    }
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

bool input_control_find(const yt_profile_input *input, const char *name, size_t length,
                        bool is_target, yt_control_meaning *meaning) {
    memset(meaning, 0, sizeof *meaning);
    if (input->description && described_find(input->description, name, length, is_target, meaning))
        return true;
    if (input->description && input->description->is_board)
        return false;
    memset(meaning, 0, sizeof *meaning);
    return control_named(input->kind, name, length, &meaning->name) &&
           (is_target || !described_name(input, &meaning->name));
}

yt_program_control input_control_record(yt_build *build, unsigned input,
                                        const yt_control_meaning *meaning) {
    const yt_control_name *name = &meaning->name;
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

yt_formula_type value_type_of(unsigned kind) {
    static const yt_formula_type types[] = {VALUE_SWITCH, VALUE_LEVEL, VALUE_AXIS, VALUE_MOTION,
                                            VALUE_RATE};
    return types[kind];
}

/* "left_stick.x" and "x" are parts of sticks. The number of the stick, from 1; 0: it is none. */
static uint8_t stick_number(yt_scope *scope, unsigned input, const char *name, size_t length) {
    bool is_part = length > 0 && (name[length - 1] == 'x' || name[length - 1] == 'y');
    size_t front = length - 1;
    if (!is_part || (front > 0 && name[front - 1] != '.' && !(front == 1 && name[0] == 'r')))
        return 0;
    for (unsigned i = 0; i < scope->devices->stick_count; i++)
        if (scope->devices->sticks[i].input == input &&
            strlen(scope->devices->sticks[i].name) == front &&
            memcmp(scope->devices->sticks[i].name, name, front) == 0)
            return (uint8_t)(i + 1);
    if (scope->devices->stick_count == PROFILE_STICKS)
        return 0;
    scope->devices->sticks[scope->devices->stick_count] =
        (yt_stick_name){input, pool_text(scope->pool, name, front)};
    return (uint8_t)++scope->devices->stick_count;
}

bool may_tell_depth(const yt_control_meaning *meaning) {
    const yt_control_name *name = &meaning->name;
    bool is_key = name->page == PAGE_KEYBOARD || name->page == PAGE_BUTTON ||
                  name->page >= 0xff00; /* where every maker does as he likes */
    return name->kind == YT_SWITCH && is_key && !name->part && !meaning->has_place;
}

static yt_value read_control(yt_lowering *lowering, unsigned input,
                             const yt_control_meaning *meaning, const char *name, size_t length) {
    yt_build *build = lowering->scope->build;
    yt_program_control record = input_control_record(build, input, meaning);
    if (record.kind == YT_AXIS)
        record.stick = stick_number(lowering->scope, input, name, length);
    yt_value value = {.type = value_type_of(meaning->name.kind),
                      .node = layer_view(lowering, record)};
    value.has_depth = may_tell_depth(meaning) && !chord_held(lowering->scope, &record);
    value.record = record;
    value.is_control = true;
    value.control = build_control(build, record);
    if (meaning->unit && strcmp(meaning->unit, "mm") == 0)
        value.travel = (int64_t)(meaning->unit_amount * YT_ONE + 0.5);
    value.is_bounded = value.type == VALUE_AXIS;
    value.low = -YT_ONE;
    value.high = YT_ONE;
    return value;
}

/* A stick or a motion by the names of its two directions. */
static bool find_pair(const yt_profile_input *input, const char *name, size_t length, yt_pool *pool,
                      yt_control_meaning meanings[2]) {
    const char *x = pool_print(pool, "%.*s.x", (int)length, name);
    const char *y = pool_print(pool, "%.*s.y", (int)length, name);
    return input_control_find(input, x, length + 2, false, &meanings[0]) &&
           input_control_find(input, y, length + 2, false, &meanings[1]) &&
           meanings[0].name.kind == meanings[1].name.kind &&
           (meanings[0].name.kind == YT_AXIS || meanings[0].name.kind == YT_MOTION);
}

/* The three axes of a gyro or an accelerometer, by their names: "gyro" of gyro.x, gyro.y, gyro.z.
 */
static yt_value read_axes(yt_lowering *lowering, unsigned number, const char *name, size_t length) {
    yt_scope *scope = lowering->scope;
    yt_value parts[3];
    yt_unit unit = YT_UNIT_TURN;
    for (unsigned i = 0; i < 3; i++) {
        const char *part = pool_print(scope->pool, "%.*s.%c", (int)length, name, "xyz"[i]);
        yt_control_meaning meaning;
        if (!input_control_find(&scope->devices->inputs[number], part, length + 2, false,
                                &meaning) ||
            meaning.name.kind != YT_RATE)
            return (yt_value){.type = VALUE_NOTHING};
        parts[i] = read_control(lowering, number, &meaning, part, length + 2);
        if (meaning.unit && strcmp(meaning.unit, "g") == 0)
            unit = YT_UNIT_PULL;
    }
    return (yt_value){.type = VALUE_AXES,
                      .unit = unit,
                      .node = parts[0].node,
                      .second = parts[1].node,
                      .third = parts[2].node};
}

yt_value lower_control(yt_lowering *lowering, const yt_term *term, unsigned number,
                       const char *name, size_t length) {
    yt_scope *scope = lowering->scope;
    const yt_profile_input *input = &scope->devices->inputs[number];
    yt_control_meaning meanings[2];
    bool is_both = length == strlen(BOTH_TRIGGERS) && memcmp(name, BOTH_TRIGGERS, length) == 0 &&
                   !input_control_find(input, name, length, false, &meanings[0]);
    if (is_both && !scope->side)
        return lower_wrong(lowering, term,
                           "%s.triggers are both triggers: they belong in a cell for both, as in: "
                           "pad.triggers: trigger_range(%s.triggers)",
                           input->name, input->name);
    if (is_both) {
        name = scope->side;
        length = strlen(name);
    }
    if (input_control_find(input, name, length, false, &meanings[0]))
        return read_control(lowering, number, &meanings[0], name, length);
    if (length <= NAME_BYTES && find_pair(input, name, length, scope->pool, meanings)) {
        const char *across = pool_print(scope->pool, "%.*s.x", (int)length, name);
        const char *along = pool_print(scope->pool, "%.*s.y", (int)length, name);
        yt_value x = read_control(lowering, number, &meanings[0], across, length + 2);
        yt_value y = read_control(lowering, number, &meanings[1], along, length + 2);
        return (yt_value){.type = x.type == VALUE_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK,
                          .node = x.node,
                          .second = y.node};
    }
    if (length <= NAME_BYTES) {
        yt_value axes = read_axes(lowering, number, name, length);
        if (axes.type == VALUE_AXES)
            return axes;
    }
    yt_messages *messages = scope->messages;
    unknown_control(scope, part_place(lowering->part, messages, term->offset, (int)term->width),
                    input, name, length, false);
    return (yt_value){.type = VALUE_NOTHING};
}

/* What the host sends back: a light, a motor. */
yt_value lower_feedback(yt_lowering *lowering, const yt_term *term, const yt_profile_output *output,
                        const char *name, size_t length) {
    yt_build *build = lowering->scope->build;
    yt_control_name meaning;
    yt_output_control control;
    bool is_known = name && control_named(output->kind, name, length, &meaning) &&
                    output_control_find(output, &meaning, &control);
    if (!is_known || !control.from_host)
        return lower_wrong(
            lowering, term,
            "%.*s is an output; formulas read inputs, and of outputs what the host sends, "
            "such as %s.rumble.strong or %s.light.caps_lock",
            term_shown(term), term_text(lowering, term), output->name, output->name);
    control.place.range = (uint16_t)build_range(build, control.range);
    yt_program_control record = {.page = meaning.page,
                                 .usage = meaning.usage,
                                 .place = (uint16_t)build_place(build, control.place),
                                 .input = (uint8_t)control.report,
                                 .kind = (uint8_t)control.kind,
                                 .occurrence = meaning.occurrence,
                                 .from_host = 1};
    unsigned node = build_control(build, record);
    return (yt_value){.type = value_type_of(control.kind),
                      .node = node,
                      .is_control = true,
                      .control = node,
                      .record = record};
}
