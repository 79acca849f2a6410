#include "compiler/profile/macros.h"

#include "compiler/building/operations.h"
#include "compiler/reading/keys.h"

/* A step at work: the node that is 1 while it is going on, and what is told of its controls. */
typedef struct yt_step {
    yt_sheet *sheet;
    yt_scope *scope;
    unsigned node;
    yt_macro_use use;
} yt_step;

static void note_use(yt_step *step, const yt_part *control) {
    struct yt_cell_records *cells = step->scope->cells;
    cells->uses = pool_grow(step->scope->pool, cells->uses, cells->use_count, &cells->use_room,
                            sizeof *cells->uses);
    cells->uses[cells->use_count] = step->use;
    cells->uses[cells->use_count++].control = control;
}

static void press(yt_step *step, const yt_part *control) {
    note_use(step, control);
    sheet_press(step->sheet, control, step->node);
}

static void apply_presses(yt_step *step, const yt_part *pressed) {
    if (pressed->kind != PART_LIST) {
        if (check_kind(step->scope->messages, pressed, PART_TEXT,
                       "press: names a control of an output, or a list of them"))
            press(step, pressed);
        return;
    }
    for (const yt_part *at = pressed->first; at; at = at->next)
        if (check_kind(step->scope->messages, at, PART_TEXT,
                       "press: lists controls of outputs, as in: [pad.south, pad.dpad.up]"))
            press(step, at);
}

/* The lines of `set:` or `move:`. */
static void apply_lines(yt_step *step, const yt_part *lines, bool moves) {
    if (!check_kind(step->scope->messages, lines, PART_MAP,
                    moves ? "move: holds a line for each control, as in: {view.wheel: 3}"
                          : "set: holds a line for each control, as in: {pad.left_trigger: 50%}"))
        return;
    for (const yt_part *key = lines->first; key; key = key->next->next) {
        note_use(step, key);
        if (moves)
            sheet_move(step->sheet, key, step->node);
        else
            sheet_set(step->sheet, key, step->node);
    }
}

static void note_trigger(yt_scope *scope, yt_macro_trigger trigger) {
    struct yt_cell_records *cells = scope->cells;
    cells->triggers = pool_grow(scope->pool, cells->triggers, cells->trigger_count,
                                &cells->trigger_room, sizeof trigger);
    cells->triggers[cells->trigger_count++] = trigger;
}

static void apply_macro(yt_sheet *sheet, yt_scope *scope, const yt_macro *macro) {
    yt_step step = {.sheet = sheet,
                    .scope = scope,
                    .use = {.macro = macro->key,
                            .when = macro->when,
                            .steps = macro->step_count,
                            .sequence = macro->sequence}};
    note_trigger(scope, (yt_macro_trigger){macro->when, macro->whose});
    for (unsigned i = 0; i < macro->step_count; i++) {
        const yt_part *map = macro->steps[i], *pressed = find_value(map, "press");
        const yt_part *set = find_value(map, "set"), *move = find_value(map, "move");
        unsigned number = build_constant(scope->build, (yt_q16)(i + 1) * YT_ONE);
        step.node =
            build_node_of(scope->build, YT_OP_EQUAL, YT_TYPE_SWITCH, 2, macro->sequence, number, 0);
        step.use.step = i + 1;
        if (pressed)
            apply_presses(&step, pressed);
        if (set)
            apply_lines(&step, set, false);
        if (move)
            apply_lines(&step, move, true);
    }
}

void apply_macros(yt_sheet *sheet, yt_scope *scope) {
    for (unsigned i = 0; i < scope->macros->count; i++)
        if (scope->macros->all[i].is_good)
            apply_macro(sheet, scope, &scope->macros->all[i]);
}
