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
    ways ways;
    char text[WAY_TEXT];
    const char *formula = formula_of(assign);
    ways_read(&ways, formula);
    if (!*formula || !ways.is_control)
        return assign_put(assign, driver);
    if (ways_drive(&ways, formula, driver, text))
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
static cell_row cell_row_at(const ways *ways, unsigned row, unsigned *way) {
    *way = row - 1;
    return row == 0             ? CELL_DRIVER
           : row <= ways->count ? CELL_WAY
                                : (cell_row)(CELL_ADD + row - ways->count - 1);
}

static void cell_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    const char *formula = formula_of(assign);
    snprintf(text, size, "%s: %s", target ? target->name : "", *formula ? formula : "nothing");
}

static unsigned cell_rows(const assign *assign) {
    ways ways;
    ways_read(&ways, formula_of(assign));
    return 1 + ways.count + CELL_BACK - CELL_ADD + 1;
}

static void put_way(const way *way, const char *formula, char *text, size_t size) {
    size_t used = (size_t)snprintf(text, size, "%s", way->kind->words);
    if (way->other_length && used < size)
        used += (size_t)snprintf(text + used, size - used, " %.*s", (int)way->other_length,
                                 formula + way->other_at);
    for (unsigned i = 0; i < way->number_count && used < size; i++) {
        char number[60];
        way_number_text(&way->numbers[i], number, sizeof number);
        if (way->numbers[i].is_fixed)
            snprintf(number, sizeof number, "%.*s", (int)way->numbers[i].length,
                     formula + way->numbers[i].at);
        used += (size_t)snprintf(text + used, size - used, "%s %s %s", i ? "," : ":",
                                 way->numbers[i].name, number);
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
    ways ways;
    unsigned way;
    const char *formula = formula_of(assign);
    ways_read(&ways, formula);
    cell_row kind = cell_row_at(&ways, row, &way);
    if (kind == CELL_DRIVER)
        snprintf(shown->text, sizeof shown->text, "driven by %.*s%s", (int)ways.length,
                 formula + ways.at,
                 !*formula         ? "nothing"
                 : ways.is_control ? ""
                                   : "  (as written)");
    else if (kind == CELL_WAY)
        put_way(&ways.list[way], formula, shown->text, sizeof shown->text);
    else
        put(shown->text, sizeof shown->text, words[kind]);
    shown->is_part = kind <= CELL_WAY;
}

static void cell_choose(assign *assign, unsigned row) {
    ways ways;
    const assign_target *target = assign_target_of(assign);
    ways_read(&ways, formula_of(assign));
    switch (cell_row_at(&ways, row, &assign->way)) {
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
        assign->swaps = cell_row_at(&ways, row, &assign->way) == CELL_SWAP;
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

static const way_kind *suiting(const assign *assign, unsigned row) {
    const assign_target *target = assign_target_of(assign);
    for (size_t i = 0; target && i < way_kind_count; i++)
        if (way_suits(&way_kinds[i], target->type) && row-- == 0)
            return &way_kinds[i];
    return NULL;
}

static void ways_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    snprintf(text, size, "what shall %s do with it", target ? target->name : "it");
}

static unsigned ways_rows(const assign *assign) {
    unsigned count = 0;
    while (suiting(assign, count))
        count++;
    return count + 1;
}

static void ways_row(const assign *assign, unsigned row, assign_row *shown) {
    const way_kind *kind = suiting(assign, row);
    put(shown->text, sizeof shown->text, kind ? kind->meaning : "back");
    put(shown->name, sizeof shown->name, kind ? kind->words : "");
    shown->is_part = kind != NULL;
}

static void add_way(assign *assign, const way_kind *kind, const char *other) {
    char text[WAY_TEXT];
    if (!way_add(kind, formula_of(assign), other, text))
        assign_say(assign, "this is too long");
    else if (assign_put(assign, text)) {
        assign_home_to(assign, SCREEN_CELL);
        assign->levels[assign->depth].cursor = 1;
    }
}

static void ways_choose(assign *assign, unsigned row) {
    const way_kind *kind = suiting(assign, row);
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

const assign_shown assign_ways_screen = {ways_title, ways_rows, ways_row, ways_choose, NULL};

void assign_take_other(assign *assign, const char *control) {
    ways ways;
    char text[WAY_TEXT];
    const char *formula = formula_of(assign);
    if (assign->adding) {
        const way_kind *kind = assign->adding;
        assign->adding = NULL;
        add_way(assign, kind, control);
        return;
    }
    ways_read(&ways, formula);
    if (assign->way < ways.count && way_set_other(&ways.list[assign->way], formula, control, text))
        assign_put(assign, text);
    assign_home_to(assign, SCREEN_WAY);
}

/* ---- one thing that it does ---- */

/* The way that the screen is about; false: it is gone. */
static bool way_of(const assign *assign, ways *ways) {
    ways_read(ways, formula_of(assign));
    return assign->way < ways->count;
}

static void way_title(const assign *assign, char *text, size_t size) {
    ways ways;
    const assign_target *target = assign_target_of(assign);
    bool is_there = way_of(assign, &ways);
    snprintf(text, size, "%s: %s", target ? target->name : "",
             is_there ? ways.list[assign->way].kind->words : "");
}

static unsigned way_rows(const assign *assign) {
    ways ways;
    if (!way_of(assign, &ways))
        return 1;
    const way *way = &ways.list[assign->way];
    return way->number_count + (way->other_length > 0) + 2;
}

static void way_row(const assign *assign, unsigned row, assign_row *shown) {
    ways ways;
    const char *formula = formula_of(assign);
    bool is_there = way_of(assign, &ways);
    const way *way = &ways.list[assign->way];
    unsigned numbers = is_there ? way->number_count : 0;
    bool has_other = is_there && way->other_length > 0;
    shown->is_part = row < numbers + has_other;
    if (row < numbers) {
        const way_number *number = &way->numbers[row];
        put(shown->name, sizeof shown->name, number->name);
        char text[60];
        way_number_text(number, text, sizeof text);
        snprintf(shown->text, sizeof shown->text, "%.*s  %s",
                 number->is_fixed ? (int)number->length : 60,
                 number->is_fixed ? formula + number->at : text, number->meaning);
    } else if (row < numbers + has_other) {
        snprintf(shown->text, sizeof shown->text, "the other: %.*s", (int)way->other_length,
                 formula + way->other_at);
    } else {
        put(shown->text, sizeof shown->text,
            is_there && row == numbers + has_other ? "do not do this any more" : "back");
    }
}

static void set_number(assign *assign, const way_number *number, int steps) {
    char text[WAY_TEXT];
    int64_t amount = way_stepped(number, steps);
    if (number->is_fixed)
        assign_say(assign, "this is a formula; it is changed where the formula is written");
    else if (amount != number->amount && way_set_number(number, formula_of(assign), amount, text))
        assign_put(assign, text);
}

static void way_step(assign *assign, unsigned row, int by) {
    ways ways;
    if (way_of(assign, &ways) && row < ways.list[assign->way].number_count)
        set_number(assign, &ways.list[assign->way].numbers[row], by);
}

static void way_choose(assign *assign, unsigned row) {
    ways ways;
    char text[WAY_TEXT];
    bool is_there = way_of(assign, &ways);
    const way *way = &ways.list[assign->way];
    unsigned numbers = is_there ? way->number_count : 0;
    bool has_other = is_there && way->other_length > 0;
    if (row < numbers) {
        assign->number = row;
        assign_open(assign, SCREEN_NUMBER);
    } else if (row < numbers + has_other) {
        assign->wanted = FOR_WAY;
        assign->adding = NULL;
        assign_open(assign, SCREEN_LISTEN);
    } else if (is_there && row == numbers + has_other) {
        if (way_remove(&ways, assign->way, formula_of(assign), text) && assign_put(assign, text))
            assign_home_to(assign, SCREEN_CELL);
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_way_screen = {way_title, way_rows, way_row, way_choose, way_step};

/* ---- one number ---- */

static bool number_of(const assign *assign, ways *ways, const way_number **number) {
    bool is_there = way_of(assign, ways) && assign->number < ways->list[assign->way].number_count;
    *number = is_there ? &ways->list[assign->way].numbers[assign->number] : NULL;
    return is_there;
}

static void number_title(const assign *assign, char *text, size_t size) {
    ways ways;
    const way_number *number;
    char amount[60] = "";
    if (number_of(assign, &ways, &number))
        way_number_text(number, amount, sizeof amount);
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
    ways ways;
    const way_number *number;
    (void)row;
    if (number_of(assign, &ways, &number))
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
    static const char *const words[] = {"formula", "look for", "the layer's name", "which control"};
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
    case ASKED_LAYER:
        if (!draft_may_be_layer(assign->entry)) {
            assign_say(assign, "a name is of letters, numbers, spaces, _ and -, up to 50 of them");
            break;
        }
        put(assign->layer_name, sizeof assign->layer_name, assign->entry);
        assign_home_to(assign, SCREEN_SHEET);
        assign_say(assign, "choose what the layer shall drive first");
        break;
    default:
        assign_take_other(assign, assign->entry);
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
