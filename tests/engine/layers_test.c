/* Random stacks of layers and random presses: the engine against the slow model. */
#include "tests/engine/layers_model.h"
#include "tests/engine/world.h"
#include "tests/harness.h"
#include "yonder/inspect.h"

static const char *const key_names[KEYS] = {
    "a", "b", "c", "d", "e", "f", "y", "z", "ball.button1", "ball.button2"};
static const char *const output_names[OUTPUTS] = {"south", "east", "west", "north"};

/* What a formula is as text. */
static void write_part(const formula_of *formula, int at, char *text, size_t room) {
    char a[300] = "", b[300] = "", name[40] = "";
    const part_of *part = &formula->parts[at];
    if (part->form == KEY || part->form >= TOGGLE)
        snprintf(name, sizeof name, "%s%s", strchr(key_names[part->key], '.') ? "" : "keys.",
                 key_names[part->key]);
    if (part->first >= 0 && part->form != KEY)
        write_part(formula, part->first, a, sizeof a);
    if (part->second >= 0)
        write_part(formula, part->second, b, sizeof b);
    switch (part->form) {
    case KEY:
        snprintf(text, room, "%s", name);
        break;
    case NOT:
        snprintf(text, room, "not (%s)", a);
        break;
    case AND:
        snprintf(text, room, "(%s) and (%s)", a, b);
        break;
    case OR:
        snprintf(text, room, "(%s) or (%s)", a, b);
        break;
    case TOGGLE:
        snprintf(text, room, "toggle(%s)", a);
        break;
    case TURBO:
        snprintf(text, room, "turbo(%s, rate=%d Hz)", a, 500 / HALF_MS);
        break;
    case HOLD:
        snprintf(text, room, "hold(%s, after=%d ms)", a, HOLD_MS);
        break;
    case TAP:
        snprintf(text, room, "tap(%s, within=%d ms, on=%d ms)", a, WITHIN_MS, TAP_ON_MS);
        break;
    case CHORD:
        snprintf(text, room, "chord(%s, %s, within=%d ms)", a, b, WITHIN_MS);
        break;
    case NEXT_PRESS:
        snprintf(text, room, "next_press(%s)", a);
        break;
    default:
        snprintf(text, room, "below");
    }
}

static int add_part(formula_of *formula, form form, int key, int first, int second) {
    formula->parts[formula->count] = (part_of){.form = form,
                                               .key = key,
                                               .first = first,
                                               .second = second,
                                               .since = {NEVER_MS, NEVER_MS},
                                               .fired = NEVER_MS};
    return formula->count++;
}

static int roll_key(dice *dice) {
    return (int)roll_below(dice, KEYS);
}

static int make_part(formula_of *formula, dice *dice, int depth, bool functions, bool below) {
    static const form forms[] = {NOT, AND, OR, OR, TOGGLE, TURBO, HOLD, TAP, CHORD};
    unsigned roll = roll_below(dice, 12);
    if (below && roll == 0)
        return add_part(formula, BELOW, 0, -1, -1);
    if (depth == 0 || roll < 5)
        return add_part(formula, KEY, roll_key(dice), -1, -1);
    form form = forms[roll_below(dice, functions ? 9 : 4)];
    bool is_function = form >= TOGGLE;
    int first =
        make_part(formula, dice, depth - 1, functions && !is_function, below && !is_function);
    int second = -1;
    if (form == AND || form == OR || form == CHORD)
        second = make_part(formula, dice, 0, false, below && !is_function);
    return add_part(formula, form, 0, first, second);
}

/* A condition: a key that is held, a key toggled, for the next press, or any formula. */
static void make_condition(formula_of *formula, dice *dice) {
    int key = add_part(formula, KEY, 6 + (int)roll_below(dice, 3), -1, -1);
    switch (roll_below(dice, 6)) {
    case 0:
        add_part(formula, TOGGLE, 0, key, -1);
        break;
    case 1:
        add_part(formula, NEXT_PRESS, 0, key, -1);
        break;
    case 2:
        add_part(formula, NOT, 0, key, -1);
        break;
    case 3:
        formula->count = 0;
        make_part(formula, dice, 1, true, false);
        break;
    default:
        break;
    }
}

static bool names_any(const model *model, int layer) {
    for (int key = 0; key < KEYS; key++)
        if (model_names_key(model, layer, key))
            return true;
    return false;
}

static void make_stack(model *model, dice *dice) {
    memset(model, 0, sizeof *model);
    model->layers = 2 + (int)roll_below(dice, LAYERS - 1);
    for (int layer = 0; layer < model->layers; layer++) {
        for (int output = 0; output < OUTPUTS; output++) {
            unsigned roll = roll_below(dice, 8);
            formula_of *cell = &model->cells[layer][output];
            if (roll < 5 || output == 0)
                make_part(cell, dice, 2, true, layer > 0);
            else
                cell->is_none = roll == 5;
        }
        model->axis[layer] = (int)roll_below(dice, layer ? 5 : 3);
        model->shared[layer] = roll_below(dice, 3) ? -1 : roll_key(dice);
        model->axis_shared[layer] = roll_below(dice, 4) == 0;
        if (layer > 0)
            make_condition(&model->conditions[layer], dice);
        if (layer > 0 && !names_any(model, layer)) { /* next_press needs something to wait for */
            model->cells[layer][1].is_none = false;
            add_part(&model->cells[layer][1], KEY, roll_key(dice), -1, -1);
        }
    }
    for (int key = 0; key < KEYS; key++)
        model->owner[key] = -1;
}

static void write_cells(FILE *file, const model *model, int layer, const char *indent) {
    static const char *const axes[] = {"", "slate.x", "0 - slate.x", "below * 50%", "none"};
    char text[2000];
    for (int output = 0; output < OUTPUTS; output++) {
        const formula_of *cell = &model->cells[layer][output];
        if (cell->count > 0)
            write_part(cell, cell->count - 1, text, sizeof text);
        if (cell->count > 0 || cell->is_none)
            fprintf(file, "%spad.%s: %s\n", indent, output_names[output],
                    cell->is_none ? "none" : text);
    }
    if (model->axis[layer])
        fprintf(file, "%spad.left_stick.x: %s\n", indent, axes[model->axis[layer]]);
}

/* The stack as a profile's text: the sheet, and what follows it. */
static void write_stack(const model *model, char **sheet, char **more) {
    size_t size;
    char text[2000];
    FILE *file = open_memstream(sheet, &size);
    write_cells(file, model, 0, "");
    fclose(file);
    file = open_memstream(more, &size);
    fprintf(file, "layers:\n");
    for (int layer = 1; layer < model->layers; layer++) {
        const formula_of *condition = &model->conditions[layer];
        write_part(condition, condition->count - 1, text, sizeof text);
        fprintf(file, "  - while: %s\n", text);
        if (model->shared[layer] >= 0 || model->axis_shared[layer]) {
            const char *key = model->shared[layer] >= 0 ? key_names[model->shared[layer]] : "";
            fprintf(file, "    shared: [%s%s%s%s]\n", *key && !strchr(key, '.') ? "keys." : "", key,
                    *key && model->axis_shared[layer] ? ", " : "",
                    model->axis_shared[layer] ? "slate.x" : "");
        }
        fprintf(file, "    sheet:\n");
        write_cells(file, model, layer, "      ");
    }
    fclose(file);
}

/* What drives a control of the gamepad; 0 where nothing does. */
static yt_q16 root_value(const world *world, const char *name) {
    const yt_program *program = &world->compiled.program;
    const yt_profile_output *pad = &world->compiled.outputs[0];
    yt_control_name meaning;
    yt_output_control control;
    CHECK(control_named(pad->kind, name, strlen(name), &meaning) &&
          output_control_find(pad, &meaning, &control));
    for (unsigned i = 0; i < program->header->root_count; i++)
        if (world->compiled.roots[i].report == control.report &&
            program->roots[i].at.bit == control.root.at.bit)
            return yt_inspect_value(&world->engine, program->steps[program->roots[i].step].value);
    return 0;
}

/* False: they differ. */
static bool compare(const world *world, const model *model) {
    bool same = true;
    for (int output = 0; output < OUTPUTS; output++) {
        yt_q16 value = root_value(world, output_names[output]);
        CHECK_EQUAL(value, model->driven[model->layers][output] ? YT_ONE : 0);
        same &= value == (model->driven[model->layers][output] ? YT_ONE : 0);
    }
    CHECK_EQUAL(root_value(world, "left_stick.x"), model->axis_value);
    return same && root_value(world, "left_stick.x") == model->axis_value;
}

/* The keyboard or the ball leaves, or it comes. */
static void plug(world *world, model *model, unsigned device) {
    if (!world->plugged[device]) {
        world_plug(world, device);
        return;
    }
    for (int key = 0; key < KEYS; key++)
        if ((key >= KEYS - 2) == (device == WORLD_BALL)) {
            world_hold(world, key_names[key], false);
            model->raw[key] = false;
        }
    world_unplug(world, device);
    model->leaving[device == WORLD_BALL] = true;
    update_model(model);
    model->leaving[0] = model->leaving[1] = false;
}

static void press(world *world, model *model, int key, bool down) {
    if (!world->plugged[key >= KEYS - 2 ? WORLD_BALL : WORLD_KEYS])
        return;
    model->raw[key] = down;
    world_press(world, key_names[key], down);
    update_model(model);
}

static void do_anything(world *world, model *model, dice *dice) {
    static const uint16_t places[] = {0, 16384, 32767};
    unsigned roll = roll_below(dice, 60);
    int key = roll_key(dice);
    if (roll < 2) {
        plug(world, model, roll ? WORLD_KEYS : WORLD_BALL);
    } else if (roll < 8) {
        uint32_t place = roll_below(dice, 3);
        model->slate = ((int32_t)place - 1) * YT_ONE;
        world_slate(world, places[place], 16384);
        update_model(model);
    } else if (roll < 14) { /* two keys in one report */
        int other = (int)roll_below(dice, KEYS - 2);
        key = (int)roll_below(dice, KEYS - 2);
        if (!world->plugged[WORLD_KEYS])
            return;
        model->raw[key] = !model->raw[key];
        world_hold(world, key_names[key], model->raw[key]);
        if (other != key) {
            model->raw[other] = !model->raw[other];
            world_hold(world, key_names[other], model->raw[other]);
        }
        world_send(world, WORLD_KEYS);
        update_model(model);
    } else {
        press(world, model, key, !model->raw[key]);
    }
}

static void pass_time(world *world, model *model, unsigned ms) {
    for (; ms > 0; ms--) {
        model->now++;
        update_model(model);
        world_run_until(world, (uint64_t)model->now * 1000);
    }
}

static bool has_form(const model *model, bool conditions_only, form form) {
    for (int layer = 0; layer < model->layers; layer++) {
        for (int i = 0; i < model->conditions[layer].count; i++)
            if (model->conditions[layer].parts[i].form == form)
                return true;
        for (int output = 0; !conditions_only && output < OUTPUTS; output++)
            for (int i = 0; i < model->cells[layer][output].count; i++)
                if (model->cells[layer][output].parts[i].form == form)
                    return true;
    }
    return false;
}

/* All keys are let go and time goes by: nothing is on but what `not` or a toggle turns on. */
static void let_go(world *world, model *model) {
    for (int key = 0; key < KEYS; key++)
        if (model->raw[key])
            press(world, model, key, false);
    pass_time(world, model, 20);
    if (has_form(model, false, NOT) || has_form(model, false, TOGGLE))
        return;
    for (int output = 0; output < OUTPUTS; output++)
        CHECK_EQUAL(root_value(world, output_names[output]), 0);
}

static unsigned long updates;

static void check_stack(uint64_t seed, int steps) {
    static world world;
    static model model;
    dice dice = {seed};
    char *sheet, *more;
    make_stack(&model, &dice);
    write_stack(&model, &sheet, &more);
    world_begin_with(&world, sheet, more, 0);
    model.leaving[0] = model.leaving[1] = true; /* what is on when it begins is no press */
    update_model(&model);
    model.leaving[0] = model.leaving[1] = false;
    bool same = true;
    for (int i = 0; i < steps && same; i++) {
        about("stack %llu, step %d, at %ld ms", (unsigned long long)seed, i, model.now);
        do_anything(&world, &model, &dice);
        same = compare(&world, &model);
        pass_time(&world, &model, roll_below(&dice, 4));
        same = same && compare(&world, &model);
        if (roll_below(&dice, 100) == 0)
            let_go(&world, &model);
        updates++;
    }
    CHECK_EQUAL(yt_engine_counts(&world.engine).deadlines_merged, 0);
    if (!same) {
        for (int output = 0; output < OUTPUTS; output++)
            printf("%s: engine %d, model %d\n", output_names[output],
                   root_value(&world, output_names[output]) != 0,
                   model.driven[model.layers][output]);
        for (int key = 0; key < KEYS; key++)
            printf("%s: %d, owner %d\n", key_names[key], model.raw[key], model.owner[key]);
        for (int layer = 1; layer < model.layers; layer++)
            printf("layer %d: on %d, alive %d\n", layer, model.on[layer], model.alive[layer]);
        printf("%s%s", sheet, more);
    }
    world_end(&world);
    free(sheet);
    free(more);
}

int main(int count, char **arguments) {
    uint64_t first = count > 1 ? (uint64_t)atoll(arguments[1]) : 1;
    uint64_t stacks = count > 2 ? (uint64_t)atoll(arguments[2]) : some(1000);
    for (uint64_t i = 0; i < stacks; i++)
        check_stack(first + i, 1000);
    printf("%lu updates of %llu stacks of layers\n", updates, (unsigned long long)stacks);
    return report_checks();
}
