/* One number of what a cell does: by steps, typed, or as a parameter. */
#include "tool/assign/parts.h"

#include <string.h>

#include "compiler/formulas/parameters.h"

static bool number_of(const assign *assign, effects *effects, const effect_number **number) {
    bool is_there = assign_effect_of(assign, effects) &&
                    assign->number < effects->list[assign->effect].number_count;
    *number = is_there ? &effects->list[assign->effect].numbers[assign->number] : NULL;
    return is_there;
}

/* As it stands in the formula; where it is left out, what it is then. */
static void text_of(const assign *assign, const effect_number *number, char *text, size_t size) {
    if (number->is_fixed)
        snprintf(text, size, "%.*s", (int)number->length, assign_formula_of(assign) + number->at);
    else
        effect_number_text(number, text, size);
}

/* The parameter that a number is; false: it is none of this file. */
static bool parameter_of(const assign *assign, const effect_number *number, draft_place *place) {
    char name[ASSIGN_TEXT];
    const char *key;
    text_of(assign, number, name, sizeof name);
    for (unsigned i = 0; (key = draft_key(&assign->draft, DRAFT_SECTION + SECTION_PARAMETERS, i));
         i++)
        if (strcmp(key, name) == 0) {
            *place = DRAFT_PARAMETER + i;
            return true;
        }
    return false;
}

void assign_step_number(assign *assign, int by, bool is_fine) {
    effects effects;
    const effect_number *number;
    draft_place parameter;
    char text[EFFECT_TEXT];
    if (!number_of(assign, &effects, &number))
        return;
    if (number->is_fixed && parameter_of(assign, number, &parameter)) {
        assign_step_line(assign, parameter, "value", by, is_fine);
        return;
    }
    int64_t amount = effect_stepped(number, by, is_fine);
    if (number->is_fixed)
        assign_say(assign, "this is a formula; it is changed where the formula is written");
    else if (amount != number->amount &&
             effect_set_number(number, assign_formula_of(assign), amount, text))
        assign_put(assign, text);
}

/* ---- one number ---- */

enum {
    NUMBER_MORE,
    NUMBER_LESS,
    NUMBER_MUCH_MORE,
    NUMBER_MUCH_LESS,
    NUMBER_BIT_MORE,
    NUMBER_BIT_LESS,
    NUMBER_TYPE,
    NUMBER_TUNED,
    NUMBER_POINT, /* of a point alone */
    NUMBER_BACK
};

static bool is_point(const assign *assign) {
    effects effects;
    const effect_number *number;
    char text[EFFECT_TEXT];
    return number_of(assign, &effects, &number) &&
           effect_take_point(&effects.list[assign->effect], assign->number,
                             assign_formula_of(assign), text);
}

static unsigned number_row_at(const assign *assign, unsigned row) {
    return row + (row >= NUMBER_POINT && !is_point(assign));
}

static void number_title(const assign *assign, char *text, size_t size) {
    effects effects;
    const effect_number *number;
    char amount[ASSIGN_TEXT] = "";
    if (number_of(assign, &effects, &number))
        text_of(assign, number, amount, sizeof amount);
    snprintf(text, size, "%s: %.600s", number ? number->name : "", amount);
}

static unsigned number_rows(const assign *assign) {
    return NUMBER_BACK + is_point(assign);
}

static void number_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"more",
                                        "less",
                                        "much more",
                                        "much less",
                                        "a little more",
                                        "a little less",
                                        "type it",
                                        "a parameter, which can be changed while it runs",
                                        "take this point away",
                                        "back"};
    put_text(shown->text, sizeof shown->text, words[number_row_at(assign, row)]);
}

static bool number_step(assign *assign, unsigned row, int by) {
    (void)row;
    assign_step_number(assign, by, false);
    return true;
}

static void number_choose(assign *assign, unsigned row) {
    static const int steps[] = {1, -1, 10, -10, 1, -1};
    effects effects;
    const effect_number *number;
    char text[EFFECT_TEXT];
    bool is_there = number_of(assign, &effects, &number);
    row = number_row_at(assign, row);
    if (row <= NUMBER_BIT_LESS) {
        assign_step_number(assign, steps[row], row >= NUMBER_BIT_MORE);
    } else if (row == NUMBER_TYPE && is_there) {
        text_of(assign, number, text, sizeof text);
        assign_ask(assign, ASKED_NUMBER, text);
    } else if (row == NUMBER_TUNED && is_there) {
        assign_open(assign, SCREEN_TUNED);
    } else if (row == NUMBER_POINT && is_there) {
        if (effect_take_point(&effects.list[assign->effect], assign->number,
                              assign_formula_of(assign), text) &&
            assign_put(assign, text))
            assign_home_to(assign, SCREEN_WAY);
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_number_screen = {number_title, number_rows, number_row, number_choose,
                                           number_step};

static bool write_number(assign *assign, const char *written) {
    effects effects;
    const effect_number *number;
    char text[EFFECT_TEXT];
    if (!number_of(assign, &effects, &number))
        return false;
    return effect_set_text(number, assign_formula_of(assign), written, text) &&
           assign_put(assign, text);
}

void assign_end_number(assign *assign) {
    char written[ASSIGN_ENTRY];
    put_text(written, sizeof written, assign->entry);
    if (write_number(assign, written))
        assign_home_to(assign, SCREEN_NUMBER);
}

/* ---- a parameter ---- */

/* A parameter that the number can be: of its unit; NULL: there are no more. */
static const yt_parameter *suiting(const assign *assign, unsigned row) {
    const struct yt_parameters *parameters = draft_compiled(&assign->draft)->scope->parameters;
    effects effects;
    const effect_number *number;
    if (!number_of(assign, &effects, &number))
        return NULL;
    yt_unit unit = wanted_unit(number->argument->wanted);
    for (unsigned i = 0; i < parameters->count; i++)
        if (parameters->all[i].value.unit == unit && row-- == 0)
            return &parameters->all[i];
    return NULL;
}

static void tuned_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "which parameter");
}

static unsigned tuned_rows(const assign *assign) {
    unsigned count = 0;
    while (suiting(assign, count))
        count++;
    return count + 2;
}

static void tuned_row(const assign *assign, unsigned row, assign_row *shown) {
    const yt_parameter *parameter = suiting(assign, row);
    unsigned count = tuned_rows(assign) - 2;
    if (parameter) {
        put_text(shown->name, sizeof shown->name, parameter->key->text);
        draft_written(&assign->draft, DRAFT_SECTION + SECTION_PARAMETERS, parameter->key->text,
                      shown->text, sizeof shown->text);
        shown->is_part = true;
    } else {
        put_text(shown->text, sizeof shown->text, row == count ? "a new one" : "back");
    }
}

static void tuned_choose(assign *assign, unsigned row) {
    const yt_parameter *parameter = suiting(assign, row);
    char name[100];
    if (parameter) {
        put_text(name, sizeof name, parameter->key->text);
        if (write_number(assign, name))
            assign_home_to(assign, SCREEN_NUMBER);
    } else if (row + 2 == tuned_rows(assign)) {
        assign_ask(assign, ASKED_PARAMETER, "");
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_tuned_screen = {tuned_title, tuned_rows, tuned_row, tuned_choose, NULL};

/* It begins with what the number is; it goes from a quarter of that to two and a half times as far,
 * within what the number may be. */
void assign_end_parameter(assign *assign) {
    effects effects;
    const effect_number *number;
    char name[60], line[300], value[60], low[60], high[60], step[60];
    put_text(name, sizeof name, assign->entry);
    if (!number_of(assign, &effects, &number) || number->is_fixed) {
        assign_say(assign, "this is no number");
        return;
    }
    if (!draft_may_be_name(name)) {
        assign_say(assign, "a name is of letters, numbers and _, and begins with a letter");
        return;
    }
    effect_number ends[3] = {*number, *number, *number};
    ends[0].amount = number->amount / 4;
    ends[1].amount = number->amount / 2 * 5;
    if (number->amount <= 0) {
        ends[0].amount = number->argument->low;
        ends[1].amount = number->argument->high;
    }
    for (unsigned i = 0; i < 2; i++) { /* even numbers, in its range */
        ends[i].amount = effect_stepped(&ends[i], 0, false);
        effect_number_text(&ends[i], i ? high : low, sizeof low);
    }
    ends[2].amount = effect_stepped(number, 1, false) - effect_stepped(number, 0, false);
    effect_number_text(&ends[2], step, sizeof step);
    effect_number_text(number, value, sizeof value);
    snprintf(line, sizeof line, "{value: %s, min: %s, max: %s, step: %s}", value, low, high, step);
    bool good = draft_write(&assign->draft, DRAFT_SECTION + SECTION_PARAMETERS, name, line);
    assign_take(assign, good);
    if (good && write_number(assign, name))
        assign_home_to(assign, SCREEN_NUMBER);
}
