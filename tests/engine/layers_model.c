#include "tests/engine/layers_model.h"

#include <string.h>

/* The layer whose eyes a formula has; ALL sees everything. */
#define ALL (-1)

bool model_names_key(const model *model, int layer, int key) {
    for (int output = 0; output < OUTPUTS; output++)
        for (int i = 0; i < model->cells[layer][output].count; i++)
            if (model->cells[layer][output].parts[i].form == KEY &&
                model->cells[layer][output].parts[i].key == key)
                return true;
    return false;
}

static bool is_shared_key(const model *model, int layer, int key) {
    return layer > 0 && model->shared[layer] == key;
}

static bool sees(const model *model, int layer, int key) {
    if (layer == ALL)
        return model->raw[key];
    if (is_shared_key(model, layer, key))
        return model->raw[key] && model->on[layer];
    return model->owner[key] == layer;
}

static bool is_of_leaving(const model *model, const formula_of *formula, int at) {
    const part_of *part = &formula->parts[at];
    if (part->form == KEY)
        return model->leaving[part->key >= KEYS - 2];
    return (part->first >= 0 && is_of_leaving(model, formula, part->first)) ||
           (part->second >= 0 && is_of_leaving(model, formula, part->second));
}

/* Whether a key in it has changed in this update. */
static bool has_changed(const formula_of *formula, int at) {
    const part_of *part = &formula->parts[at];
    if (part->form == KEY)
        return part->has_changed;
    return (part->first >= 0 && has_changed(formula, part->first)) ||
           (part->second >= 0 && has_changed(formula, part->second));
}

/* Whether a switch that the layer's cells name has just been pressed. */
static bool any_new_press(const model *model, int layer) {
    for (int key = 0; key < KEYS; key++)
        if (model_names_key(model, layer, key) && model->raw[key] && !model->was_raw[key])
            return true;
    return false;
}

static bool function_value(model *model, part_of *part, bool a, bool b, int condition_of) {
    bool pressed = a && !part->was_on[0], released = !a && part->was_on[0];
    bool other_pressed = b && !part->was_on[1];
    if (pressed)
        part->since[0] = model->now;
    if (other_pressed)
        part->since[1] = model->now;
    long apart = part->since[0] - part->since[1];
    switch (part->form) {
    case TOGGLE:
        return pressed ? !part->value : part->value;
    case TURBO:
        return a && part->since[0] >= 0 && (model->now - part->since[0]) / HALF_MS % 2 == 0;
    case HOLD:
        return a && part->since[0] >= 0 && model->now - part->since[0] >= HOLD_MS;
    case TAP:
        if (pressed)
            part->fired = NEVER_MS;
        if (released && model->now - part->since[0] < WITHIN_MS)
            part->fired = model->now;
        return model->now - part->fired < TAP_ON_MS;
    case CHORD:
        if (!a || !b)
            return false;
        if (pressed || other_pressed)
            return apart <= WITHIN_MS && apart >= -WITHIN_MS;
        return part->value;
    default: /* NEXT_PRESS: `fired` is 1 while it waits, 2 when it has had its press */
        if (pressed)
            part->fired = part->fired > 0 ? 0 : 1;
        else if (part->fired == 1 && any_new_press(model, condition_of))
            part->fired = 2;
        model->next_over |= part->fired == 2;
        return a || part->fired > 0;
    }
}

static bool value_of(model *model, formula_of *formula, int at, int layer, bool below, bool alive,
                     int condition_of) {
    part_of *part = &formula->parts[at];
    bool a = false, b = false;
    if (part->form == KEY) {
        bool seen = sees(model, layer, part->key);
        part->has_changed = seen != part->value;
        part->value = seen;
        return seen;
    }
    if (part->form == BELOW)
        return below;
    if (part->first >= 0)
        a = value_of(model, formula, part->first, layer, below, alive, condition_of);
    if (part->second >= 0)
        b = value_of(model, formula, part->second, layer, below, alive, condition_of);
    if (part->form == NOT)
        return !a;
    if (part->form == AND)
        return a && b;
    if (part->form == OR)
        return a || b;
    bool leaving = model->leaving[0] || model->leaving[1];
    bool afresh =
        !alive || is_of_leaving(model, formula, at) || (leaving && has_changed(formula, at));
    if (afresh) {
        part->since[0] = part->since[1] = part->fired = NEVER_MS;
        part->value = false;
    } else {
        part->value = function_value(model, part, a, b, condition_of);
    }
    part->was_on[0] = a;
    part->was_on[1] = b;
    return part->value;
}

static bool formula_value(model *model, formula_of *formula, int layer, bool below, bool alive,
                          int condition_of) {
    return value_of(model, formula, formula->count - 1, layer, below, alive, condition_of);
}

static void find_owners(model *model) {
    for (int key = 0; key < KEYS; key++) {
        if (!model->raw[key])
            model->owner[key] = -1;
        if (!model->raw[key] || model->owner[key] >= 0)
            continue;
        model->owner[key] = 0;
        for (int layer = 1; layer < model->layers; layer++)
            if (model->on[layer] && model_names_key(model, layer, key) &&
                !is_shared_key(model, layer, key))
                model->owner[key] = layer;
    }
}

static bool owns_any(const model *model, int layer) {
    for (int key = 0; key < KEYS; key++)
        if (model->owner[key] == layer)
            return true;
    return false;
}

static bool has_cell(const model *model, int layer, int output) {
    return model->cells[layer][output].count > 0 || model->cells[layer][output].is_none;
}

/* What the cells of the layers below `count` make of an output. `values` are those of the cells. */
static bool drive(model *model, int count, int output, const bool *values) {
    int *driver = &model->driver[count][output];
    bool *is_on = &model->driven[count][output];
    if (*is_on && values[*driver])
        return true;
    *is_on = false;
    for (int layer = 0; layer < count; layer++)
        if ((layer == 0 || model->on[layer]) && has_cell(model, layer, output)) {
            *driver = layer;
            *is_on = values[layer];
        }
    return *is_on;
}

static int32_t half(int32_t value) {
    return (int32_t)(((int64_t)value * 32768 + 32768) >> 16);
}

/* Of an axis: who sees it, and what comes of it. */
static int32_t find_axis(const model *model) {
    int32_t value = 0;
    int taker = 0;
    for (int layer = 1; layer < model->layers; layer++)
        if (model->on[layer] && !model->axis_shared[layer] &&
            (model->axis[layer] == 1 || model->axis[layer] == 2))
            taker = layer;
    for (int layer = 0; layer < model->layers; layer++) {
        bool on = layer == 0 || model->on[layer];
        bool seen = layer > 0 && model->axis_shared[layer] ? on : taker == layer;
        int32_t slate = seen ? model->slate : 0;
        if (on && model->axis[layer] > 0)
            value = model->axis[layer] == 1   ? slate
                    : model->axis[layer] == 2 ? -slate
                    : model->axis[layer] == 3 ? half(value)
                                              : 0;
    }
    return value;
}

static void look(model *model) {
    bool values[LAYERS];
    for (int layer = 1; layer < model->layers; layer++)
        model->on[layer] = formula_value(model, &model->conditions[layer], ALL, false, true, layer);
    find_owners(model);
    for (int layer = 0; layer < model->layers; layer++)
        model->alive[layer] = layer == 0 || model->on[layer] || owns_any(model, layer);
    for (int output = 0; output < OUTPUTS; output++) {
        for (int layer = 0; layer < model->layers; layer++) {
            bool below = drive(model, layer, output, values);
            values[layer] = model->cells[layer][output].count > 0 &&
                            formula_value(model, &model->cells[layer][output], layer, below,
                                          model->alive[layer], 0) &&
                            model->alive[layer];
        }
        drive(model, model->layers, output, values);
    }
    model->axis_value = find_axis(model);
    memcpy(model->was_raw, model->raw, sizeof model->raw);
}

void update_model(model *model) {
    look(model);
    if (!model->next_over)
        return;
    model->next_over = false;
    for (int layer = 1; layer < model->layers; layer++) {
        formula_of *condition = &model->conditions[layer];
        part_of *part = &condition->parts[condition->count - 1];
        if (part->form == NEXT_PRESS && part->fired == 2)
            part->fired = 0;
    }
    look(model);
}
