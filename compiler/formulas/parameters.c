#include "compiler/formulas/parameters.h"

#include <string.h>

#include "compiler/building/operations.h"
#include "compiler/formulas/lowering.h"
#include "compiler/reading/keys.h"

const yt_parameter *parameter_find(const yt_scope *scope, const char *name, size_t length) {
    for (unsigned i = 0; i < scope->parameters->count; i++)
        if (scope->parameters->all[i].key->bytes == length &&
            memcmp(scope->parameters->all[i].key->text, name, length) == 0)
            return &scope->parameters->all[i];
    return NULL;
}

static const char *const fields[] = {"value", "min", "max", "step"};

/* One of its numbers, in the unit of its value; false: it is not there, or an error was told. */
static bool read_field(yt_scope *scope, const yt_part *map, const char *name, const yt_value *like,
                       int64_t *amount) {
    const yt_part *part = find_value(map, name);
    yt_value constant;
    if (!part || !lower_constant(scope, part, name, &constant))
        return false;
    if (constant.unit != like->unit) {
        messages_add(scope->messages, part->place, "the value is %s, so %s must be one too",
                     unit_meaning(like->unit), name);
        return false;
    }
    *amount = constant.amount;
    return true;
}

static bool check_fields(yt_scope *scope, const yt_part *key) {
    static const char *const needed[] = {"value", "min", "max"};
    const yt_part *map = key->next;
    bool good = true;
    if (!check_kind(scope->messages, map, PART_MAP,
                    "a parameter is a map, as in: {value: 1500 /s, min: 200 /s, max: 6000 /s}"))
        return false;
    for (const yt_part *field = map->first; field; field = field->next->next)
        if (!is_among(field->text, fields, sizeof fields / sizeof fields[0])) {
            unknown_key(scope->messages, field, fields, sizeof fields / sizeof fields[0]);
            good = false;
        }
    for (size_t i = 0; i < sizeof needed / sizeof needed[0]; i++)
        if (!find_value(map, needed[i])) {
            messages_add(scope->messages, key->place,
                         "%s needs a %s, as in: {value: 1500 /s, min: 200 /s, max: 6000 /s}",
                         key->text, needed[i]);
            good = false;
        }
    return good;
}

static void read_parameter(yt_scope *scope, const yt_part *key) {
    const yt_part *map = key->next;
    yt_value value;
    int64_t low, high, step = 0;
    if (!check_name(scope, key) || !check_fields(scope, key) ||
        !lower_constant(scope, find_value(map, "value"), "value", &value) ||
        !read_field(scope, map, "min", &value, &low) ||
        !read_field(scope, map, "max", &value, &high) ||
        (find_value(map, "step") && !read_field(scope, map, "step", &value, &step)))
        return;
    if (low > value.amount || value.amount > high || step < 0) {
        messages_add(scope->messages, key->place, "%s: %s", key->text,
                     step < 0 ? "its step is below 0"
                              : "its value is not between its min and its max");
        return;
    }
    yt_program_parameter record = {.unit = (uint8_t)value.unit,
                                   .value = (int32_t)value.amount,
                                   .minimum = (int32_t)low,
                                   .maximum = (int32_t)high,
                                   .step = (int32_t)step};
    unsigned node = build_parameter(scope->build, record);
    scope->parameters->all[scope->parameters->count++] =
        (yt_parameter){key, value_quantity(value.unit, node, low, high)};
}

void read_parameters(yt_scope *scope, const yt_part *parameters) {
    if (!check_kind(scope->messages, parameters, PART_MAP,
                    "parameters: holds a line for each, as in: ball_full: {value: 1500 /s, "
                    "min: 200 /s, max: 6000 /s}"))
        return;
    if (!scope->parameters->all)
        scope->parameters->all =
            pool_take(scope->pool, (PROFILE_PARAMETERS + PROFILE_FACTS) * sizeof(yt_parameter));
    for (const yt_part *key = parameters->first; key; key = key->next->next) {
        if (scope->parameters->count == PROFILE_PARAMETERS) {
            messages_add(scope->messages, key->place, "a profile has up to %d parameters",
                         PROFILE_PARAMETERS);
            return;
        }
        read_parameter(scope, key);
    }
}

yt_value lower_setting(yt_scope *scope, const yt_parameter *parameter, const yt_part *text,
                       const yt_term *term) {
    yt_value value = lower_formula(scope, text, term);
    yt_unit unit = parameter->value.unit;
    bool fits =
        unit == YT_UNIT_NONE
            ? !value_is_pair(value) && !value_is_motion(value) && value.unit == unit
            : (value.type == VALUE_CONSTANT || value.type == VALUE_QUANTITY) && value.unit == unit;
    if (value.type == VALUE_NOTHING || fits) {
        if (fits && value.type == VALUE_CONSTANT)
            value.node = build_constant(scope->build, (yt_q16)value.amount);
        return value;
    }
    messages_add(scope->messages, text->place, "%.40s is %s, so it is set to one",
                 parameter->key->text, unit_meaning(unit));
    return (yt_value){.type = VALUE_NOTHING};
}

/* The facts that the adapter tells are parameters that no profile sets: their names have a dot. */
static const yt_parameter *fact_parameter(yt_scope *scope, const char *name,
                                          yt_program_parameter record) {
    const char *whole = pool_print(scope->pool, "adapter.%s", name);
    const yt_parameter *known = parameter_find(scope, whole, strlen(whole));
    struct yt_parameters *parameters = scope->parameters;
    if (known)
        return known;
    if (!parameters->all)
        parameters->all =
            pool_take(scope->pool, (PROFILE_PARAMETERS + PROFILE_FACTS) * sizeof(yt_parameter));
    yt_part *key = pool_take(scope->pool, sizeof *key);
    *key = (yt_part){.kind = PART_TEXT, .text = whole, .bytes = strlen(whole)};
    unsigned node = build_parameter(scope->build, record);
    parameters->all[parameters->count] =
        (yt_parameter){key, value_quantity(YT_UNIT_NONE, node, record.minimum, record.maximum)};
    return &parameters->all[parameters->count++];
}

yt_value lower_fact(yt_lowering *lowering, const yt_term *term, const char *name, size_t length) {
    static const yt_program_parameter records[PROFILE_FACTS] = {
        {.value = YT_ONE, .minimum = 0, .maximum = 255 * YT_ONE},
        {.value = YT_ONE, .minimum = 0, .maximum = YT_ONE},
        {.value = 0, .minimum = 0, .maximum = YT_ONE}};
    for (unsigned fact = 0; fact < PROFILE_FACTS; fact++) {
        if (!is_name(yt_fact_name(fact), name, length))
            continue;
        yt_value value = fact_parameter(lowering->scope, yt_fact_name(fact), records[fact])->value;
        value.is_count = fact == YT_FACT_SLOT;
        if (fact != YT_FACT_LOCKED)
            return value;
        return (yt_value){.type = VALUE_SWITCH,
                          .node =
                              lower_add(lowering, YT_OP_LESS, YT_TYPE_SWITCH, 2,
                                        build_constant(lowering->scope->build, 0), value.node, 0)};
    }
    return lower_wrong(lowering, term,
                       "of the adapter formulas read adapter.slot, adapter.battery and "
                       "adapter.locked");
}
