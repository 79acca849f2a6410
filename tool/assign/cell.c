/* One cell: what drives it, what it does beside, with its numbers; and texts that are typed. */
#include "tool/assign/parts.h"

#include <string.h>

static void put(char *text, size_t size, const char *words) {
    snprintf(text, size, "%.*s", (int)size - 1, words);
}

/* The formula of the cell, "" where it has none; `none` is none. */
static const char *formula_of(const assign *assign) {
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
    put(copy, sizeof copy, formula);
    char name[120];
    put(name, sizeof name, target->name);
    bool is_first = *assign->condition;
    bool good = is_first ? draft_add_layer(&assign->draft, assign->layer_name, assign->condition,
                                           name, copy)
                         : draft_set(&assign->draft, assign->layer, name, copy);
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
    const char *formula = formula_of(assign);
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
    const char *formula = formula_of(assign);
    snprintf(text, size, "%s: %s", target ? target->name : "", *formula ? formula : "nothing");
}

static unsigned cell_rows(const assign *assign) {
    effects effects;
    effects_read(&effects, formula_of(assign));
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
    const char *formula = formula_of(assign);
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
        put(shown->text, sizeof shown->text, words[kind]);
    shown->is_part = kind <= CELL_WAY;
}

static void cell_choose(assign *assign, unsigned row) {
    effects effects;
    const assign_target *target = assign_target_of(assign);
    effects_read(&effects, formula_of(assign));
    switch (cell_row_at(&effects, row, &assign->effect)) {
    case CELL_DRIVER:
        assign->wanted = FOR_CELL;
        assign_open(assign, SCREEN_LISTEN);
        break;
    case CELL_WAY:
        assign_open(assign, SCREEN_WAY);
        break;
    case CELL_ADD:
        if (*formula_of(assign))
            assign_open(assign, SCREEN_WAYS);
        else
            assign_say(assign, "first something must drive it");
        break;
    case CELL_EDIT:
        assign_ask(assign, ASKED_FORMULA, formula_of(assign));
        break;
    case CELL_COPY:
    case CELL_SWAP:
        assign->swaps = cell_row_at(&effects, row, &assign->effect) == CELL_SWAP;
        assign_open(assign, SCREEN_TARGETS);
        break;
    case CELL_NONE:
        assign_put(assign, "none");
        break;
    case CELL_OUT:
        assign_take(assign, target && draft_take_out(&assign->draft, assign->layer, target->name));
        break;
    default:
        assign_back(assign);
    }
}

const assign_shown assign_cell_screen = {cell_title, cell_rows, cell_row_of, cell_choose, NULL};

/* ---- what it shall do beside ---- */

static const effect_kind *suiting(const assign *assign, unsigned row) {
    const assign_target *target = assign_target_of(assign);
    for (size_t i = 0; target && i < effect_kind_count; i++)
        if (effect_suits(&effect_kinds[i], target->type) && row-- == 0)
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
    put(shown->text, sizeof shown->text, kind ? kind->meaning : "back");
    put(shown->name, sizeof shown->name, kind ? kind->words : "");
    shown->is_part = kind != NULL;
}

static void add_way(assign *assign, const effect_kind *kind, const char *other) {
    char text[EFFECT_TEXT];
    if (!effect_add(kind, formula_of(assign), other, text))
        assign_say(assign, "this is too long");
    else if (assign_put(assign, text)) {
        assign_home_to(assign, SCREEN_CELL);
        assign->levels[assign->depth].cursor = 1;
    }
}

static void effects_choose(assign *assign, unsigned row) {
    const effect_kind *kind = suiting(assign, row);
    if (!kind) {
        assign_back(assign);
    } else if (strchr(kind->pattern, '@')) {
        assign->adding = kind;
        assign->wanted = FOR_WAY;
        assign_open(assign, SCREEN_LISTEN);
    } else {
        add_way(assign, kind, "");
    }
}

const assign_shown assign_ways_screen = {effects_title, effects_rows, effects_row, effects_choose,
                                         NULL};

void assign_take_other(assign *assign, const char *control) {
    effects effects;
    char text[EFFECT_TEXT];
    const char *formula = formula_of(assign);
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

/* The way that the screen is about; false: it is gone. */
static bool effect_of(const assign *assign, effects *effects) {
    effects_read(effects, formula_of(assign));
    return assign->effect < effects->count;
}

static void effect_title(const assign *assign, char *text, size_t size) {
    effects effects;
    const assign_target *target = assign_target_of(assign);
    bool is_there = effect_of(assign, &effects);
    snprintf(text, size, "%s: %s", target ? target->name : "",
             is_there ? effects.list[assign->effect].kind->words : "");
}

static unsigned effect_rows(const assign *assign) {
    effects effects;
    if (!effect_of(assign, &effects))
        return 1;
    const effect *effect = &effects.list[assign->effect];
    return effect->number_count + (effect->other_length > 0) + 2;
}

static void effect_row(const assign *assign, unsigned row, assign_row *shown) {
    effects effects;
    const char *formula = formula_of(assign);
    bool is_there = effect_of(assign, &effects);
    const effect *effect = &effects.list[assign->effect];
    unsigned numbers = is_there ? effect->number_count : 0;
    bool has_other = is_there && effect->other_length > 0;
    shown->is_part = row < numbers + has_other;
    if (row < numbers) {
        const effect_number *number = &effect->numbers[row];
        put(shown->name, sizeof shown->name, number->name);
        char text[60];
        effect_number_text(number, text, sizeof text);
        snprintf(shown->text, sizeof shown->text, "%.*s  %s",
                 number->is_fixed ? (int)number->length : 60,
                 number->is_fixed ? formula + number->at : text, number->meaning);
    } else if (row < numbers + has_other) {
        snprintf(shown->text, sizeof shown->text, "the other: %.*s", (int)effect->other_length,
                 formula + effect->other_at);
    } else {
        put(shown->text, sizeof shown->text,
            is_there && row == numbers + has_other ? "do not do this any more" : "back");
    }
}

static void set_number(assign *assign, const effect_number *number, int steps) {
    char text[EFFECT_TEXT];
    int64_t amount = effect_stepped(number, steps);
    if (number->is_fixed)
        assign_say(assign, "this is a formula; it is changed where the formula is written");
    else if (amount != number->amount &&
             effect_set_number(number, formula_of(assign), amount, text))
        assign_put(assign, text);
}

static void effect_step(assign *assign, unsigned row, int by) {
    effects effects;
    if (effect_of(assign, &effects) && row < effects.list[assign->effect].number_count)
        set_number(assign, &effects.list[assign->effect].numbers[row], by);
}

static void effect_choose(assign *assign, unsigned row) {
    effects effects;
    char text[EFFECT_TEXT];
    bool is_there = effect_of(assign, &effects);
    const effect *effect = &effects.list[assign->effect];
    unsigned numbers = is_there ? effect->number_count : 0;
    bool has_other = is_there && effect->other_length > 0;
    if (row < numbers) {
        assign->number = row;
        assign_open(assign, SCREEN_NUMBER);
    } else if (row < numbers + has_other) {
        assign->wanted = FOR_WAY;
        assign->adding = NULL;
        assign_open(assign, SCREEN_LISTEN);
    } else if (is_there && row == numbers + has_other) {
        if (effect_remove(&effects, assign->effect, formula_of(assign), text) &&
            assign_put(assign, text))
            assign_home_to(assign, SCREEN_CELL);
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_way_screen = {effect_title, effect_rows, effect_row, effect_choose,
                                        effect_step};

/* ---- one number ---- */

static bool number_of(const assign *assign, effects *effects, const effect_number **number) {
    bool is_there =
        effect_of(assign, effects) && assign->number < effects->list[assign->effect].number_count;
    *number = is_there ? &effects->list[assign->effect].numbers[assign->number] : NULL;
    return is_there;
}

static void number_title(const assign *assign, char *text, size_t size) {
    effects effects;
    const effect_number *number;
    char amount[60] = "";
    if (number_of(assign, &effects, &number))
        effect_number_text(number, amount, sizeof amount);
    snprintf(text, size, "%s: %s", number ? number->name : "", amount);
}

static unsigned number_rows(const assign *assign) {
    (void)assign;
    return 5;
}

static void number_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"more", "less", "much more", "much less", "back"};
    (void)assign;
    put(shown->text, sizeof shown->text, words[row]);
}

static void number_step(assign *assign, unsigned row, int by) {
    effects effects;
    const effect_number *number;
    (void)row;
    if (number_of(assign, &effects, &number))
        set_number(assign, number, by);
}

static void number_choose(assign *assign, unsigned row) {
    static const int steps[] = {1, -1, 10, -10};
    if (row < 4)
        number_step(assign, row, steps[row]);
    else
        assign_back(assign);
}

const assign_shown assign_number_screen = {number_title, number_rows, number_row, number_choose,
                                           number_step};

/* ---- a text ---- */

static const char letters[] = "abcdefghijklmnopqrstuvwxyz0123456789_. ,%()=<>*+-/";

void assign_ask(assign *assign, assign_asked asked, const char *text) {
    assign->asked = asked;
    put(assign->entry, sizeof assign->entry, text);
    assign_open(assign, SCREEN_TEXT);
}

static void text_title(const assign *assign, char *text, size_t size) {
    static const char *const words[] = {"formula", "look for", "the layer's name"};
    snprintf(text, size, "%s: %s", words[assign->asked], assign->entry);
}

static unsigned text_rows(const assign *assign) {
    (void)assign;
    return 3 + (unsigned)strlen(letters);
}

static void text_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"done", "take the last letter back", "back"};
    (void)assign;
    if (row < 3)
        put(shown->text, sizeof shown->text, words[row]);
    else
        snprintf(shown->text, sizeof shown->text, "%s",
                 letters[row - 3] == ' ' ? "a space" : (char[]){letters[row - 3], 0});
}

void assign_type(assign *assign, const char *text) {
    size_t length = strlen(assign->entry);
    if (assign_screen_of(assign) != SCREEN_TEXT)
        return;
    assign->is_changed = true;
    if (*text == '\b') {
        do
            length -= length > 0;
        while (length > 0 && ((unsigned char)assign->entry[length] & 0xc0) == 0x80);
        assign->entry[length] = 0;
    } else if (length + strlen(text) < sizeof assign->entry) {
        strcat(assign->entry, text);
    }
}

static void end_text(assign *assign) {
    switch (assign->asked) {
    case ASKED_FORMULA:
        if (assign_put(assign, *assign->entry ? assign->entry : "none"))
            assign_home_to(assign, SCREEN_CELL);
        break;
    case ASKED_SEARCH:
        put(assign->found, sizeof assign->found, assign->entry);
        assign_home_to(assign, SCREEN_SHEET);
        assign_search(assign, assign->found);
        break;
    default:
        if (!draft_may_be_layer(assign->entry)) {
            assign_say(assign, "a name is of letters, numbers, spaces, _ and -, up to 50 of them");
            break;
        }
        put(assign->layer_name, sizeof assign->layer_name, assign->entry);
        assign_home_to(assign, SCREEN_SHEET);
        assign_say(assign, "choose what the layer shall drive first");
    }
}

static void text_choose(assign *assign, unsigned row) {
    if (row == 0)
        end_text(assign);
    else if (row == 1)
        assign_type(assign, "\b");
    else if (row == 2)
        assign_back(assign);
    else
        assign_type(assign, (char[]){letters[row - 3], 0});
}

const assign_shown assign_text_screen = {text_title, text_rows, text_row, text_choose, NULL};
