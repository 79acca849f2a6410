/* A number that a line of the profile has: of a parameter, of the host's camera, of a macro's step.
 */
#include "tool/assign/parts.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/camera.h"

#define LONGEST_US 60000000 /* of a step */

/* What a text is, where it is one number. */
static bool number_read(const char *text, int64_t *amount, yt_unit *unit) {
    yt_pool pool = {0};
    yt_messages messages;
    yt_part part = {.kind = PART_TEXT, .text = text, .bytes = strlen(text)};
    messages_begin(&messages, "number", text, strlen(text));
    const yt_term *term = formula_parse(&pool, &messages, &part);
    bool is_less = term && term->kind == TERM_NEGATE;
    const yt_term *number = is_less ? term->first : term;
    bool good = number && number->kind == TERM_NUMBER;
    if (good) {
        *amount = is_less ? -number->amount : number->amount;
        *unit = number->unit;
    }
    messages_free(&messages);
    pool_free(&pool);
    return good;
}

static yt_wanted wanted_of(const char *text, yt_unit unit) {
    switch (unit) {
    case YT_UNIT_TIME:
        return WANTED_TIME;
    case YT_UNIT_FREQUENCY:
        return WANTED_FREQUENCY;
    case YT_UNIT_ANGLE:
        return WANTED_ANGLE;
    case YT_UNIT_SPEED:
        return WANTED_SPEED;
    case YT_UNIT_TURN:
        return WANTED_TURNING;
    default:
        return strchr(text, '%') ? WANTED_SHARE : WANTED_POWER;
    }
}

/* A field of a parameter lies between the others. */
static void limit_field(const assign *assign, draft_place place, const char *key,
                        yt_listed_argument *argument) {
    int64_t low = argument->low, high = argument->high, value = 0;
    yt_unit unit;
    const char *text = draft_formula(&assign->draft, place, "min", NULL);
    bool good = text && number_read(text, &low, &unit);
    text = draft_formula(&assign->draft, place, "max", NULL);
    good = good && text && number_read(text, &high, &unit);
    text = draft_formula(&assign->draft, place, "value", NULL);
    if (!good || !text || !number_read(text, &value, &unit))
        return;
    bool is_step = strcmp(key, "step") == 0;
    argument->low = is_step ? 0 : strcmp(key, "max") == 0 ? value : argument->low;
    argument->high = is_step ? high - low : strcmp(key, "min") == 0 ? value : argument->high;
    if (strcmp(key, "value") == 0) {
        argument->low = low;
        argument->high = high;
    }
}

/* A line as a number of an effect is; `made` is its range. False: it is none. */
static bool amount_of(const assign *assign, draft_place place, const char *key,
                      effect_number *number, yt_listed_argument *made) {
    const char *text = draft_formula(&assign->draft, place, key, NULL);
    yt_unit unit = YT_UNIT_NONE;
    *number = (effect_number){.name = key, .is_written = true, .length = text ? strlen(text) : 0};
    bool is_read = text && number_read(text, &number->amount, &unit);
    number->argument = made;
    if (place == DRAFT_SECTION + SECTION_CAMERA) {
        for (unsigned i = 0; camera_keys[i].name; i++)
            if (strcmp(camera_keys[i].name, key) == 0)
                number->argument =
                    &functions[FUNCTION_CAMERA_STICK].arguments[camera_keys[i].argument];
        if (number->argument == made)
            return false;
        if (!text)
            number->amount = number->argument->otherwise;
        return is_read || !text;
    }
    if (!is_read)
        return false;
    *made =
        (yt_listed_argument){.label = key,
                             .wanted = wanted_of(text, unit),
                             .low = unit == YT_UNIT_TIME ? 0 : -32767 * (int64_t)YT_ONE,
                             .high = unit == YT_UNIT_TIME ? LONGEST_US : 32767 * (int64_t)YT_ONE};
    if ((place & ~0xffffu) == DRAFT_PARAMETER)
        limit_field(assign, place, key, made);
    else
        made->low = 1000;
    return true;
}

void assign_step_line(assign *assign, draft_place place, const char *key, int by, bool is_fine) {
    effect_number number;
    yt_listed_argument made;
    char text[EFFECT_TEXT], kept[100];
    put_text(kept, sizeof kept, key);
    if (!amount_of(assign, place, kept, &number, &made)) {
        assign_say(assign, "this is a formula; it is changed where it is written");
        return;
    }
    int64_t amount = effect_stepped(&number, by, is_fine);
    const char *formula = draft_formula(&assign->draft, place, kept, NULL);
    if (amount == number.amount && formula)
        return;
    if (effect_set_number(&number, formula ? formula : "", amount, text))
        assign_take(assign, draft_write(&assign->draft, place, kept, text));
}

/* ---- the screen ---- */

enum { AMOUNT_TYPE = 6, AMOUNT_OUT, AMOUNT_BACK };

void assign_open_amount(assign *assign, draft_place place, const char *key) {
    assign->amount_place = place;
    put_text(assign->amount_key, sizeof assign->amount_key, key);
    assign_open(assign, SCREEN_AMOUNT);
}

static void amount_title(const assign *assign, char *text, size_t size) {
    effect_number number;
    yt_listed_argument made;
    char amount[60];
    const char *formula =
        draft_formula(&assign->draft, assign->amount_place, assign->amount_key, NULL);
    if (!formula && amount_of(assign, assign->amount_place, assign->amount_key, &number, &made)) {
        effect_number_text(&number, amount, sizeof amount);
        snprintf(text, size, "%s: %s, where it is left out", assign->amount_key, amount);
    } else {
        snprintf(text, size, "%s: %s", assign->amount_key, formula ? formula : "-");
    }
}

static unsigned amount_rows(const assign *assign) {
    (void)assign;
    return AMOUNT_BACK + 1;
}

static void amount_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"more",      "less",          "much more",
                                        "much less", "a little more", "a little less",
                                        "type it",   "take it out",   "back"};
    (void)assign;
    put_text(shown->text, sizeof shown->text, words[row]);
}

static bool amount_step(assign *assign, unsigned row, int by) {
    (void)row;
    assign_step_line(assign, assign->amount_place, assign->amount_key, by, false);
    return true;
}

static void amount_choose(assign *assign, unsigned row) {
    static const int steps[] = {1, -1, 10, -10, 1, -1};
    const char *formula =
        draft_formula(&assign->draft, assign->amount_place, assign->amount_key, NULL);
    bool good;
    if (row < AMOUNT_TYPE) {
        assign_step_line(assign, assign->amount_place, assign->amount_key, steps[row], row >= 4);
    } else if (row == AMOUNT_TYPE) {
        assign_ask(assign, ASKED_AMOUNT, formula ? formula : "");
    } else if (row == AMOUNT_OUT) {
        good = draft_take_out(&assign->draft, assign->amount_place, assign->amount_key);
        assign_take(assign, good);
        if (good)
            assign_back(assign);
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_amount_screen = {amount_title, amount_rows, amount_row, amount_choose,
                                           amount_step};

void assign_end_amount(assign *assign) {
    char text[ASSIGN_ENTRY];
    put_text(text, sizeof text, assign->entry);
    bool good = draft_set(&assign->draft, assign->amount_place, assign->amount_key, text);
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_AMOUNT);
}
