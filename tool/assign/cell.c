/* One cell: what drives it, and what it does beside. */
#include "tool/assign/parts.h"

#include <string.h>

const char *assign_formula_of(const assign *assign) {
    bool is_copy;
    const assign_target *target = assign_target_of(assign);
    const char *formula = target ? assign_formula(assign, target, &is_copy) : NULL;
    return formula && strcmp(formula, "none") != 0 ? formula : "";
}

bool assign_put(assign *assign, const char *formula) {
    const assign_target *target = assign_target_of(assign);
    char copy[ASSIGN_TEXT];
    if (!target || strlen(formula) >= sizeof copy) {
        assign_say(assign, "this is too long");
        return false;
    }
    put_text(copy, sizeof copy, formula);
    char key[120];
    put_text(key, sizeof key, target->key);
    bool is_first = *assign->condition && target->place == 0;
    bool good =
        is_first ? draft_add_layer(&assign->draft, assign->layer_name, assign->condition, key, copy)
                 : draft_set(&assign->draft, assign_place(assign, target), key, copy);
    if (good && is_first) {
        assign->condition[0] = 0;
        assign->layer = draft_layers(&assign->draft) - 1;
    }
    assign_take(assign, good);
    return good;
}

bool assign_drive(assign *assign, const char *driver) {
    effects effects;
    char text[EFFECT_TEXT];
    const char *formula = assign_formula_of(assign);
    effects_read(&effects, formula);
    if (!*formula || !effects.is_control)
        return assign_put(assign, driver);
    if (effects_drive(&effects, formula, driver, text))
        return assign_put(assign, text);
    assign_say(assign, "this is too long");
    return false;
}

/* ---- the cell ---- */

typedef enum cell_row {
    CELL_DRIVER,
    CELL_WAY, /* as many as it has */
    CELL_ADD,
    CELL_EDIT,
    CELL_COPY,
    CELL_SWAP,
    CELL_NONE,
    CELL_OUT,
    CELL_BACK
} cell_row;

/* Which it is; `way`: of the ways. */
static cell_row cell_row_at(const effects *effects, unsigned row, unsigned *effect) {
    *effect = row - 1;
    return row == 0                ? CELL_DRIVER
           : row <= effects->count ? CELL_WAY
                                   : (cell_row)(CELL_ADD + row - effects->count - 1);
}

static void cell_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    const char *formula = assign_formula_of(assign);
    snprintf(text, size, "%s: %s", target ? target->name : "", *formula ? formula : "nothing");
}

static unsigned cell_rows(const assign *assign) {
    effects effects;
    effects_read(&effects, assign_formula_of(assign));
    return 1 + effects.count + CELL_BACK - CELL_ADD + 1;
}

static void put_way(const effect *effect, const char *formula, char *text, size_t size) {
    size_t used = (size_t)snprintf(text, size, "%s", effect->kind->words);
    if (effect->other_length && used < size)
        used += (size_t)snprintf(text + used, size - used, " %.*s", (int)effect->other_length,
                                 formula + effect->other_at);
    for (unsigned i = 0; i < effect->number_count && used < size; i++) {
        char number[60];
        effect_number_text(&effect->numbers[i], number, sizeof number);
        if (effect->numbers[i].is_fixed)
            snprintf(number, sizeof number, "%.*s", (int)effect->numbers[i].length,
                     formula + effect->numbers[i].at);
        used += (size_t)snprintf(text + used, size - used, "%s %s %s", i ? "," : ":",
                                 effect->numbers[i].name, number);
    }
}

static void cell_row_of(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {[CELL_ADD] = "let it do something beside",
                                        [CELL_EDIT] = "write the formula",
                                        [CELL_COPY] = "copy it to another",
                                        [CELL_SWAP] = "swap it with another",
                                        [CELL_NONE] = "nothing drives it",
                                        [CELL_OUT] = "take its line out",
                                        [CELL_BACK] = "back"};
    effects effects;
    unsigned effect;
    const char *formula = assign_formula_of(assign);
    effects_read(&effects, formula);
    cell_row kind = cell_row_at(&effects, row, &effect);
    if (kind == CELL_DRIVER)
        snprintf(shown->text, sizeof shown->text, "driven by %.*s%s", (int)effects.length,
                 formula + effects.at,
                 !*formula            ? "nothing"
                 : effects.is_control ? ""
                                      : "  (as written)");
    else if (kind == CELL_WAY)
        put_way(&effects.list[effect], formula, shown->text, sizeof shown->text);
    else
        put_text(shown->text, sizeof shown->text, words[kind]);
    shown->is_part = kind <= CELL_WAY;
}

static void cell_choose(assign *assign, unsigned row) {
    effects effects;
    const assign_target *target = assign_target_of(assign);
    effects_read(&effects, assign_formula_of(assign));
    switch (cell_row_at(&effects, row, &assign->effect)) {
    case CELL_DRIVER:
        assign_listen(assign, FOR_CELL);
        break;
    case CELL_WAY:
        assign_open(assign, SCREEN_WAY);
        break;
    case CELL_ADD:
        assign->inside = 0;
        if (*assign_formula_of(assign))
            assign_open(assign, SCREEN_WAYS);
        else
            assign_say(assign, "first something must drive it");
        break;
    case CELL_EDIT:
        assign_ask(assign, ASKED_FORMULA, assign_formula_of(assign));
        break;
    case CELL_COPY:
    case CELL_SWAP:
        assign->purpose =
            cell_row_at(&effects, row, &assign->effect) == CELL_SWAP ? TO_SWAP : TO_COPY;
        assign_open(assign, SCREEN_TARGETS);
        break;
    case CELL_NONE:
        assign_put(assign, "none");
        break;
    case CELL_OUT:
        assign_take(assign, target && draft_take_out(&assign->draft, assign_place(assign, target),
                                                     target->key));
        if (!assign_target_of(assign))
            assign_home_to(assign, SCREEN_SHEET);
        break;
    default:
        assign_back(assign);
    }
}

const assign_shown assign_cell_screen = {cell_title, cell_rows, cell_row_of, cell_choose, NULL};

/* ---- what it shall do beside ---- */

static const effect_kind *suiting(const assign *assign, unsigned row) {
    const assign_target *target = assign_target_of(assign);
    effects effects;
    effects_read(&effects, assign_formula_of(assign));
    for (size_t i = 0; target && i < effect_kind_count; i++)
        if (effect_suits(&effect_kinds[i], &effects, target->type, assign->inside,
                         (target->place & ~0xffffu) == DRAFT_LAYER) &&
            row-- == 0)
            return &effect_kinds[i];
    return NULL;
}

static void effects_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    snprintf(text, size, "what shall %s do with it", target ? target->name : "it");
}

static unsigned effects_rows(const assign *assign) {
    unsigned count = 0;
    while (suiting(assign, count))
        count++;
    return count + 1;
}

static void effects_row(const assign *assign, unsigned row, assign_row *shown) {
    const effect_kind *kind = suiting(assign, row);
    put_text(shown->text, sizeof shown->text, kind ? kind->meaning : "back");
    put_text(shown->name, sizeof shown->name, kind ? kind->words : "");
    shown->is_part = kind != NULL;
}

/* Where the effect stands from now on: the last of what the outer ones are. */
static void add_way(assign *assign, const effect_kind *kind, const char *other) {
    const assign_target *target = assign_target_of(assign);
    char text[EFFECT_TEXT];
    effects effects;
    if (!target ||
        !effect_add(kind, assign_formula_of(assign), target->type, assign->inside, other, text))
        assign_say(assign, "this is too long");
    else if (assign_put(assign, text)) {
        unsigned at = 0;
        effects_read(&effects, text);
        while (at + 1 < effects.count && effects.list[at].kind != kind)
            at++;
        assign_home_to(assign, SCREEN_CELL);
        assign->levels[assign->depth].cursor = 1 + at;
        assign->effect = at;
        if (at < effects.count && effects.list[at].number_count > 0)
            assign_open(assign, SCREEN_WAY); /* to be turned at once */
    }
}

bool assign_wants_number(const assign *assign) {
    effects effects;
    effects_read(&effects, assign_formula_of(assign));
    const effect_kind *kind = assign->adding                   ? assign->adding
                              : assign->effect < effects.count ? effects.list[assign->effect].kind
                                                               : NULL;
    return kind && strcmp(kind->pattern, "$ * @") == 0;
}

static void effects_choose(assign *assign, unsigned row) {
    const effect_kind *kind = suiting(assign, row);
    if (!kind) {
        assign_back(assign);
    } else if (strchr(kind->pattern, '@')) {
        assign->adding = kind;
        assign_listen(assign, FOR_WAY);
    } else {
        add_way(assign, kind, "");
    }
}

const assign_shown assign_ways_screen = {effects_title, effects_rows, effects_row, effects_choose,
                                         NULL};

void assign_take_other(assign *assign, const char *control) {
    effects effects;
    char text[EFFECT_TEXT];
    const char *formula = assign_formula_of(assign);
    if (assign->adding) {
        const effect_kind *kind = assign->adding;
        assign->adding = NULL;
        add_way(assign, kind, control);
        return;
    }
    effects_read(&effects, formula);
    if (assign->effect < effects.count &&
        effect_set_other(&effects.list[assign->effect], formula, control, text))
        assign_put(assign, text);
    assign_home_to(assign, SCREEN_WAY);
}

/* ---- one thing that it does ---- */

bool assign_effect_of(const assign *assign, effects *effects) {
    effects_read(effects, assign_formula_of(assign));
    return assign->effect < effects->count;
}

static void effect_title(const assign *assign, char *text, size_t size) {
    effects effects;
    const assign_target *target = assign_target_of(assign);
    bool is_there = assign_effect_of(assign, &effects);
    snprintf(text, size, "%s: %s", target ? target->name : "",
             is_there ? effects.list[assign->effect].kind->words : "");
}

typedef enum effect_row_kind {
    WAY_NUMBER,
    WAY_OTHER,
    WAY_POINT,
    WAY_INSIDE,
    WAY_END,
    WAY_BACK
} effect_row_kind;

/* Which row it is, of an effect; NULL: of none, it is gone. */
static effect_row_kind effect_row_at(const effect *effect, unsigned row) {
    unsigned numbers = effect ? effect->number_count : 0;
    bool has_other = effect && effect->other_length > 0;
    bool has_points = effect && effect_is_of_points(effect);
    if (row < numbers)
        return WAY_NUMBER;
    row -= numbers;
    if (has_other && row-- == 0)
        return WAY_OTHER;
    if (has_points && row-- == 0)
        return WAY_POINT;
    return effect && row == 0 ? WAY_INSIDE : effect && row == 1 ? WAY_END : WAY_BACK;
}

static unsigned effect_rows(const assign *assign) {
    effects effects;
    const effect *effect =
        assign_effect_of(assign, &effects) ? &effects.list[assign->effect] : NULL;
    unsigned count = 0;
    while (effect_row_at(effect, count) != WAY_BACK)
        count++;
    return count + 1;
}

static void effect_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {[WAY_POINT] = "another point",
                                        [WAY_INSIDE] = "let it do something before this",
                                        [WAY_END] = "do not do this any more",
                                        [WAY_BACK] = "back"};
    effects effects;
    const char *formula = assign_formula_of(assign);
    const effect *effect =
        assign_effect_of(assign, &effects) ? &effects.list[assign->effect] : NULL;
    effect_row_kind kind = effect_row_at(effect, row);
    shown->is_part = kind <= WAY_OTHER;
    if (kind == WAY_NUMBER) {
        const effect_number *number = &effect->numbers[row];
        put_text(shown->name, sizeof shown->name, number->name);
        char text[60];
        effect_number_text(number, text, sizeof text);
        snprintf(shown->text, sizeof shown->text, "%.*s  %s",
                 number->is_fixed ? (int)number->length : 60,
                 number->is_fixed ? formula + number->at : text, number->meaning);
    } else if (kind == WAY_OTHER) {
        snprintf(shown->text, sizeof shown->text, "the other: %.*s", (int)effect->other_length,
                 formula + effect->other_at);
    } else {
        put_text(shown->text, sizeof shown->text, words[kind]);
    }
}

static bool effect_step(assign *assign, unsigned row, int by) {
    effects effects;
    bool is_number =
        assign_effect_of(assign, &effects) && row < effects.list[assign->effect].number_count;
    assign->number = row;
    if (is_number)
        assign_step_number(assign, by, false);
    return is_number;
}

static void effect_choose(assign *assign, unsigned row) {
    effects effects;
    char text[EFFECT_TEXT];
    const effect *effect =
        assign_effect_of(assign, &effects) ? &effects.list[assign->effect] : NULL;
    switch (effect_row_at(effect, row)) {
    case WAY_NUMBER:
        assign->number = row;
        assign_open(assign, SCREEN_NUMBER);
        break;
    case WAY_OTHER:
        assign->adding = NULL;
        assign_listen(assign, FOR_WAY);
        break;
    case WAY_POINT:
        if (effect_add_point(effect, assign_formula_of(assign), text))
            assign_put(assign, text);
        else
            assign_say(assign, "there is no room for another one");
        break;
    case WAY_INSIDE:
        assign->inside = assign->effect + 1;
        assign_open(assign, SCREEN_WAYS);
        break;
    case WAY_END:
        if (effect_remove(&effects, assign->effect, assign_formula_of(assign), text) &&
            assign_put(assign, text))
            assign_home_to(assign, SCREEN_CELL);
        break;
    default:
        assign_back(assign);
    }
}

const assign_shown assign_way_screen = {effect_title, effect_rows, effect_row, effect_choose,
                                        effect_step};
