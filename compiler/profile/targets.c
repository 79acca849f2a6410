#include "compiler/profile/targets.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/names/spellings.h"
#include "compiler/reading/keys.h"

static bool find_control(const yt_profile_output *output, const char *name,
                         yt_output_control *control) {
    yt_control_name meaning;
    return control_named(output->kind, name, strlen(name), &meaning) &&
           output_control_find(output, &meaning, control) && !control->from_host;
}

static bool find_pair(yt_scope *scope, const yt_profile_output *output, const char *name,
                      yt_cell_target *target) {
    yt_pool *pool = scope->pool;
    if (strlen(name) > NAME_BYTES ||
        !find_control(output, pool_print(pool, "%s.x", name), &target->controls[0]) ||
        !find_control(output, pool_print(pool, "%s.y", name), &target->controls[1]))
        return false;
    target->type = target->controls[0].kind == YT_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK;
    target->count = 2;
    return target->controls[0].kind == YT_MOTION || target->controls[0].kind == YT_AXIS;
}

/* The names of an output's own controls: those of its kind that its reports have. */
static size_t output_names(yt_scope *scope, const yt_profile_output *output, const char **names,
                           size_t most) {
    const char *all[1024];
    size_t count = 0, known = control_names(output->kind, all, 1024);
    yt_output_control control;
    static const char *const pairs[] = {"left_stick", "right_stick", "motion"};
    yt_cell_target target;
    for (size_t i = 0; i < 3 && count < most; i++)
        if (find_pair(scope, output, pairs[i], &target))
            names[count++] = pairs[i];
    for (size_t i = 0; i < known && count < most; i++)
        if (find_control(output, all[i], &control))
            names[count++] = all[i];
    return count;
}

static bool is_whole_hat(const yt_part *formula) {
    const char *dot = formula->kind == PART_TEXT ? strrchr(formula->text, '.') : NULL;
    return dot && (strcmp(dot, ".dpad") == 0 || strcmp(dot, ".hat") == 0);
}

static bool unknown_target(yt_scope *scope, const yt_part *key, const yt_profile_output *output,
                           const char *name) {
    const char *names[512];
    if (messages_only_count(scope->messages))
        return false;
    size_t count = output_names(scope, output, names, 512);
    const char *near = nearest_name(name, strlen(name), names, count);
    yt_output_control control;
    yt_control_name meaning;
    const char *one, *other;
    if (*name == 0)
        messages_add(scope->messages, key->place,
                     "%s is an output; say which control of it, as in %s.%s", output->name,
                     output->name, count ? names[0] : "");
    else if (control_named(output->kind, name, strlen(name), &meaning) &&
             output_control_find(output, &meaning, &control))
        messages_add(scope->messages, key->place,
                     "%s is what the host sends; it can be read in a formula, but has no cell",
                     key->text);
    else if (find_control(output, pool_print(scope->pool, "%.40s.up", name), &control))
        messages_add(scope->messages, key->place,
                     "%s has four directions, and each a cell of its own, as in: %s.up: %s.up",
                     key->text, key->text, is_whole_hat(key->next) ? key->next->text : "hand.dpad");
    else if (spelling_meant(output->kind, name, strlen(name), &one, &other) &&
             find_control(output, one, &control))
        messages_add(scope->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; write %s.%s%s%s%s%s", output->name,
                     output->kind->name, name, output->name, one, other ? " or " : "",
                     other ? output->name : "", other ? "." : "", other ? other : "");
    else if (near)
        messages_add(scope->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; did you mean \"%s.%s\"?", output->name,
                     output->kind->name, name, output->name, near);
    else if (count == 0)
        messages_add(scope->messages, key->place, "%s (a %s) has no control \"%.40s\"",
                     output->name, output->kind->name, name);
    else
        messages_add(scope->messages, key->place,
                     "%s (a %s) has no control \"%.40s\"; it has, for example, %s.%s", output->name,
                     output->kind->name, name, output->name, count ? names[0] : "");
    return false;
}

static bool find_output_target(yt_scope *scope, const yt_part *key, const yt_profile_output *output,
                               const char *name, yt_cell_target *target) {
    if (output->field_count == 0)
        return false; /* an error was told of it */
    if (!find_control(output, name, &target->controls[0]))
        return find_pair(scope, output, name, target) || unknown_target(scope, key, output, name);
    target->type = value_type_of(target->controls[0].kind);
    target->count = 1;
    return true;
}

/* A light or a motor: one that is described, or one by its usage. */
bool is_drivable(const yt_profile_input *input, const char *name, yt_control_meaning *meaning) {
    if (*name == 0 || !input_control_find(input, name, strlen(name), true, meaning))
        return false;
    bool is_light = meaning->name.page == PAGE_LIGHT;
    bool is_motor = meaning->name.page >= 0xff00 && meaning->name.kind == YT_LEVEL;
    return (meaning->has_place || is_light || is_motor) && !meaning->name.part;
}

static bool find_device_target(yt_scope *scope, const yt_part *key, unsigned number,
                               const char *name, yt_cell_target *target) {
    const yt_profile_input *input = &scope->devices->inputs[number];
    size_t length = strlen(name);
    yt_control_meaning *meaning = &target->device;
    target->is_device = true;
    target->input = number;
    target->count = 1;
    if (is_drivable(input, name, meaning)) {
        target->type = value_type_of(meaning->name.kind);
        return true;
    }
    yt_control_meaning read;
    if (length == 0)
        messages_add(scope->messages, key->place,
                     "%s is an input; a cell's name is a control of an output, or a light or motor "
                     "of an input",
                     input->name);
    else if (!input->is_broken && input_control_find(input, name, length, false, &read))
        messages_add(scope->messages, key->place,
                     "%s is read from a device; only its lights and motors can be driven",
                     key->text);
    else
        unknown_control(scope, key->place, input, name, length, true);
    return false;
}

typedef struct yt_listed_action {
    const char *name;
    unsigned most, kind;
} yt_listed_action;

static const yt_listed_action action_names[YT_ACTION_KINDS] = {
#define YT_ACTION(NAME, name, most, kind, pulses, meaning) {#name, most, kind},
#include "yonder/actions.def"
};

static void unknown_action(yt_scope *scope, const yt_part *key, const char *name) {
    const char *names[YT_ACTION_KINDS];
    for (unsigned i = 0; i < YT_ACTION_KINDS; i++)
        names[i] = action_names[i].name;
    const char *near = nearest_name(name, strlen(name), names, YT_ACTION_KINDS);
    if (*name == 0)
        messages_add(scope->messages, key->place,
                     "say what the adapter is asked, as in adapter.next_slot");
    else if (near)
        messages_add(scope->messages, key->place,
                     "the adapter has no \"%.40s\"; did you mean adapter.%s?", name, near);
    else
        messages_add(scope->messages, key->place,
                     "the adapter has no \"%.40s\"; it has adapter.next_slot, release_all, "
                     "light.1… (docs/language.md lists them)",
                     name);
}

/* "next_slot", "slot.3". */
static bool find_action(yt_scope *scope, const yt_part *key, const char *name,
                        yt_cell_target *target) {
    const char *dot = strchr(name, '.');
    size_t length = dot ? (size_t)(dot - name) : strlen(name);
    for (unsigned i = 0; i < YT_ACTION_KINDS; i++) {
        const yt_listed_action *action = &action_names[i];
        char *end = NULL;
        unsigned long number = dot ? strtoul(dot + 1, &end, 10) : 0;
        if (!is_name(action->name, name, length))
            continue;
        if ((dot != NULL) != (action->most > 0) ||
            (dot &&
             (number < 1 || number > action->most || *end || dot[1] < '1' || dot[1] > '9'))) {
            messages_add(scope->messages, key->place,
                         action->most ? "adapter.%s has a number from 1 to %u, as in adapter.%s.1"
                                      : "adapter.%s has no parts",
                         action->name, action->most, action->name);
            return false;
        }
        target->action = (yt_program_control){
            .page = (uint16_t)i, .usage = (uint16_t)number, .kind = (uint8_t)action->kind};
        target->type = value_type_of(action->kind);
        return true;
    }
    unknown_action(scope, key, name);
    return false;
}

/* A parameter itself, or its way up or down. */
static bool find_parameter_target(yt_scope *scope, const yt_part *key,
                                  const yt_parameter *parameter, const char *name,
                                  yt_cell_target *target) {
    unsigned number = (unsigned)(parameter - scope->parameters->all);
    bool is_up = strcmp(name, "up") == 0, is_step = is_up || strcmp(name, "down") == 0;
    if (*name && !is_step) {
        messages_add(scope->messages, key->place,
                     "%.40s is a parameter; its cells are %.40s.up and %.40s.down, which go by its "
                     "step, and %.40s itself",
                     parameter->key->text, parameter->key->text, parameter->key->text,
                     parameter->key->text);
        return false;
    }
    if (is_step && scope->build->parameters[number].step == 0) {
        messages_add(scope->messages, key->place,
                     "%.40s has no step, so it cannot go up or down; write step: beside its value",
                     parameter->key->text);
        return false;
    }
    target->action = (yt_program_control){.page = is_up     ? YT_ACTION_UP
                                                  : is_step ? YT_ACTION_DOWN
                                                            : YT_ACTION_FOLLOW,
                                          .usage = (uint16_t)number,
                                          .kind = is_step ? YT_SWITCH : YT_AXIS};
    target->type = is_step ? VALUE_SWITCH : VALUE_QUANTITY;
    target->parameter = parameter;
    return true;
}

bool target_find(yt_scope *scope, const yt_part *key, yt_cell_target *target) {
    const char *dot = strchr(key->text, '.');
    size_t length = dot ? (size_t)(dot - key->text) : key->bytes;
    const char *name = dot ? dot + 1 : "";
    for (unsigned i = 0; i < scope->devices->output_count; i++)
        if (is_name(scope->devices->outputs[i].name, key->text, length))
            return find_output_target(scope, key, &scope->devices->outputs[i], name, target);
    for (unsigned i = 0; i < scope->devices->input_count; i++)
        if (is_name(scope->devices->inputs[i].name, key->text, length))
            return find_device_target(scope, key, i, name, target);
    const yt_parameter *parameter = parameter_find(scope, key->text, length);
    target->is_action = true;
    target->count = 1;
    if (parameter || is_name("adapter", key->text, length)) {
        bool found = parameter ? find_parameter_target(scope, key, parameter, name, target)
                               : find_action(scope, key, name, target);
        target->action.place = YT_NO_PLACE;
        target->action.from_host = YT_FOR_ADAPTER;
        return found;
    }
    yt_text_place place = key->place;
    place.width = (int)(length < 60 ? length : 60);
    unknown_name(scope, place, key->text, length, false);
    return false;
}

unsigned target_type(const yt_cell_target *target) {
    return target->type == VALUE_SWITCH                                        ? YT_TYPE_SWITCH
           : target->type == VALUE_MOTION || target->type == VALUE_MOTION_PAIR ? YT_TYPE_PULSE
                                                                               : YT_TYPE_NUMBER;
}
