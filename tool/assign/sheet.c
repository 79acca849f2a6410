/* The sheet, what can be done with the whole, layers, and what is to be known of it. */
#include "tool/assign/parts.h"

#include <string.h>

/* ---- the sheet ---- */

static void sheet_title(const assign *assign, char *text, size_t size) {
    const char *layer =
        *assign->condition ? assign->layer_name : draft_layer_name(&assign->draft, assign->layer);
    snprintf(text, size, "%s%s: %s", assign->draft.path,
             draft_is_changed(&assign->draft) ? " (not saved)" : "", layer);
}

static unsigned sheet_rows(const assign *assign) {
    return 1 + assign->target_count;
}

void assign_show_target(const assign *assign, const assign_target *target, assign_row *shown) {
    bool is_copy;
    const char *formula = assign_formula(assign, target, &is_copy);
    snprintf(shown->name, sizeof shown->name, "%s", target->name);
    snprintf(shown->text, sizeof shown->text, "%s%s", formula ? formula : "-",
             is_copy ? "  (copy)" : "");
    shown->is_part = true;
    if (target->number)
        snprintf(shown->number, sizeof shown->number, "%u/%u", target->number, target->number - 1);
    if (assign->hands)
        hands_output(assign->hands, target->name, shown->now, sizeof shown->now, &shown->is_on);
}

static void sheet_row(const assign *assign, unsigned row, assign_row *shown) {
    if (row == 0)
        put_text(shown->text, sizeof shown->text,
                 "more: layers, inputs, formulas, macros, tests, undo, save, leave ...");
    else
        assign_show_target(assign, &assign->targets[row - 1], shown);
}

static void sheet_choose(assign *assign, unsigned row) {
    if (row > 0)
        assign->target = row - 1;
    assign_open(assign, row ? SCREEN_CELL : SCREEN_MORE);
}

const assign_shown assign_sheet_screen = {sheet_title, sheet_rows, sheet_row, sheet_choose, NULL};

/* ---- the whole ---- */

enum {
    MORE_LAYERS,
    MORE_PARTS,
    MORE_TESTS,
    MORE_UNDO,
    MORE_REDO,
    MORE_SEARCH,
    MORE_EMPTY,
    MORE_FINDINGS,
    MORE_BOX,
    MORE_SAVE,
    MORE_LEAVE,
    MORE_BACK
};

static void more_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "%s", assign->draft.path);
}

static unsigned more_rows(const assign *assign) {
    (void)assign;
    return MORE_BACK + 1;
}

static void more_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"another layer",
                                        "inputs, outputs, named formulas, parameters, macros ...",
                                        "tests",
                                        "undo",
                                        "do it again",
                                        "look for something",
                                        "all cells of the sheet away: begin anew",
                                        "what to know of it",
                                        "to the adapter",
                                        "save",
                                        "leave",
                                        "back"};
    (void)assign;
    put_text(shown->text, sizeof shown->text, words[row]);
}

static void more_choose(assign *assign, unsigned row) {
    switch (row) {
    case MORE_LAYERS:
        assign_open(assign, SCREEN_LAYERS);
        break;
    case MORE_PARTS:
        assign_open(assign, SCREEN_PARTS);
        break;
    case MORE_TESTS:
        assign_open(assign, SCREEN_TESTS);
        break;
    case MORE_UNDO:
        assign_undo(assign);
        break;
    case MORE_REDO:
        assign_redo(assign);
        break;
    case MORE_SEARCH:
        assign_ask(assign, ASKED_SEARCH, assign->found);
        break;
    case MORE_EMPTY:
        assign_take(assign, draft_empty_sheet(&assign->draft));
        break;
    case MORE_FINDINGS:
        assign_open(assign, SCREEN_FINDINGS);
        break;
    case MORE_BOX:
        assign_open_box(assign);
        break;
    case MORE_SAVE:
        assign_save(assign);
        break;
    case MORE_LEAVE:
        assign_leave(assign);
        break;
    default:
        assign_back(assign);
    }
}

const assign_shown assign_more_screen = {more_title, more_rows, more_row, more_choose, NULL};

/* ---- layers ---- */

static void layers_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "which layer is looked at");
}

static unsigned layers_rows(const assign *assign) {
    return draft_layers(&assign->draft) + 2;
}

static void layers_row(const assign *assign, unsigned row, assign_row *shown) {
    unsigned layers = draft_layers(&assign->draft);
    put_text(shown->text, sizeof shown->text,
             row < layers    ? ""
             : row == layers ? "a new layer: hold what turns it on"
                             : "back");
    if (row >= layers)
        return;
    put_text(shown->name, sizeof shown->name, draft_layer_name(&assign->draft, row));
    shown->is_part = true;
    if (row > 0) {
        const yt_layer *layer = &draft_compiled(&assign->draft)->scope->layers->all[row - 1];
        snprintf(shown->text, sizeof shown->text, "while %s",
                 layer->condition ? layer->condition->text : "");
    }
}

static void look_at(assign *assign, unsigned layer) {
    assign->layer = layer;
    assign->condition[0] = 0;
    assign_home_to(assign, SCREEN_SHEET);
}

static void layers_choose(assign *assign, unsigned row) {
    unsigned layers = draft_layers(&assign->draft);
    if (row == 0) {
        look_at(assign, 0);
    } else if (row < layers) {
        assign->shown_layer = row;
        assign_open(assign, SCREEN_LAYER);
    } else if (row == layers) {
        assign_listen(assign, FOR_LAYER);
    } else {
        assign_back(assign);
    }
}

const assign_shown assign_layers_screen = {layers_title, layers_rows, layers_row, layers_choose,
                                           NULL};

/* ---- one layer ---- */

enum { LAYER_LOOK, LAYER_WHEN, LAYER_SHARE, LAYER_SHARE_NONE, LAYER_OUT, LAYER_BACK };

static draft_place layer_place(const assign *assign) {
    return DRAFT_LAYER + assign->shown_layer;
}

static void layer_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "layer %s", draft_layer_name(&assign->draft, assign->shown_layer));
}

static unsigned layer_rows(const assign *assign) {
    (void)assign;
    return LAYER_BACK + 1;
}

static void layer_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {[LAYER_LOOK] = "look at it",
                                        [LAYER_SHARE] = "share a control with what lies below",
                                        [LAYER_SHARE_NONE] = "share nothing",
                                        [LAYER_OUT] = "take the layer out",
                                        [LAYER_BACK] = "back"};
    const char *when = draft_formula(&assign->draft, layer_place(assign), "while", NULL);
    put_text(shown->text, sizeof shown->text, row == LAYER_WHEN ? "" : words[row]);
    if (row == LAYER_WHEN)
        snprintf(shown->text, sizeof shown->text, "on while %s", when ? when : "(another file)");
    char shared[ASSIGN_TEXT];
    draft_written(&assign->draft, layer_place(assign), "shared", shared, sizeof shared);
    if (row == LAYER_SHARE && *shared)
        snprintf(shown->text, sizeof shown->text, "%s: %.900s", words[row], shared);
    shown->is_part = row <= LAYER_WHEN;
}

static void take_layer_out(assign *assign) {
    unsigned all = draft_layers(&assign->draft) - 1;
    unsigned own = draft_elements(&assign->draft, LIST_LAYERS);
    unsigned number = assign->shown_layer - 1; /* those of other files lie below */
    bool good = draft_take_element(&assign->draft, LIST_LAYERS,
                                   number + own >= all ? number + own - all : own);
    if (good)
        assign->layer = 0;
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_LAYERS);
}

static void layer_choose(assign *assign, unsigned row) {
    switch (row) {
    case LAYER_LOOK:
        look_at(assign, assign->shown_layer);
        break;
    case LAYER_WHEN:
        assign_open_formula(assign, "layer", draft_layer_name(&assign->draft, assign->shown_layer));
        break;
    case LAYER_SHARE:
        assign->list_place = layer_place(assign);
        put_text(assign->list_key, sizeof assign->list_key, "shared");
        assign_listen(assign, FOR_LIST);
        break;
    case LAYER_SHARE_NONE:
        assign_take(assign, draft_take_out(&assign->draft, layer_place(assign), "shared"));
        break;
    case LAYER_OUT:
        take_layer_out(assign);
        break;
    default:
        assign_back(assign);
    }
}

const assign_shown assign_layer_screen = {layer_title, layer_rows, layer_row, layer_choose, NULL};

/* ---- what is to be known ---- */

#define FINDINGS 400

/* One of them, in words; and which cell it is about, or -1. */
typedef struct finding {
    char text[300];
    int target;
} finding;

static bool is_driven(const assign *assign, const char *name) {
    const struct yt_cell_records *cells = draft_compiled(&assign->draft)->scope->cells;
    for (unsigned i = 0; i < cells->count; i++) {
        const yt_cell_record *cell = &cells->all[i];
        const char *key = cell->whole ? cell->whole->text : cell->key->text;
        size_t length = strlen(name);
        if (strncmp(key, name, length) == 0 && (key[length] == 0 || key[length] == '.'))
            return true;
    }
    return false;
}

/* The finding of that number; false: there are no more. */
static bool find(const assign *assign, unsigned number, finding *found) {
    const profile *profile = &assign->draft.rewriting.profile;
    found->target = -1;
    if (*assign->testing.wrong && number-- == 0) {
        snprintf(found->text, sizeof found->text, "%s", assign->testing.wrong);
        return true;
    }
    for (int i = 0; i < profile->messages.shown; i++)
        if (number-- == 0) {
            snprintf(found->text, sizeof found->text, "line %d: %s",
                     profile->messages.list[i].place.line, profile->messages.list[i].text);
            return true;
        }
    for (unsigned i = 0; i < assign->target_count; i++)
        if (assign->targets[i].is_output && !is_driven(assign, assign->targets[i].name) &&
            number-- == 0) {
            snprintf(found->text, sizeof found->text, "nothing drives %s", assign->targets[i].name);
            found->target = (int)i;
            return true;
        }
    return false;
}

static void findings_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "tests that fail, warnings, and what nothing drives yet");
}

static unsigned findings_rows(const assign *assign) {
    finding found;
    unsigned count = 0;
    while (count < FINDINGS && find(assign, count, &found))
        count++;
    return count + 1;
}

static void findings_row(const assign *assign, unsigned row, assign_row *shown) {
    finding found;
    bool is_one = find(assign, row, &found);
    put_text(shown->text, sizeof shown->text, is_one ? found.text : "back");
    shown->is_part = is_one;
}

static void findings_choose(assign *assign, unsigned row) {
    finding found;
    if (!find(assign, row, &found)) {
        assign_back(assign);
    } else if (found.target >= 0) {
        assign_home_to(assign, SCREEN_SHEET);
        assign->levels[0].cursor = 1 + (unsigned)found.target;
    }
}

const assign_shown assign_findings_screen = {findings_title, findings_rows, findings_row,
                                             findings_choose, NULL};

unsigned assign_findings(const assign *assign) {
    const profile *profile = &assign->draft.rewriting.profile;
    return (unsigned)profile->messages.shown;
}

/* ---- another cell ---- */

static void targets_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    const char *name = target ? target->name : "";
    if (assign->purpose == TO_PRESS)
        put_text(text, size, "what the step presses");
    else
        snprintf(text, size, assign->purpose == TO_SWAP ? "%s is swapped with" : "%s is copied to",
                 name);
}

static unsigned targets_rows(const assign *assign) {
    return assign->target_count + 1;
}

static void targets_row(const assign *assign, unsigned row, assign_row *shown) {
    if (row == assign->target_count)
        put_text(shown->text, sizeof shown->text, "back");
    else
        assign_show_target(assign, &assign->targets[row], shown);
}

static void targets_choose(assign *assign, unsigned row) {
    const assign_target *target = assign_target_of(assign);
    if (row == assign->target_count || (!target && assign->purpose != TO_PRESS)) {
        assign_back(assign);
        return;
    }
    const assign_target *other = &assign->targets[row];
    if (assign->purpose == TO_PRESS) {
        assign_take_step(assign, other);
        return;
    }
    draft_place place = assign_place(assign, target), there = assign_place(assign, other);
    bool good = assign->purpose == TO_SWAP
                    ? draft_swap(&assign->draft, place, target->key, there, other->key)
                    : draft_copy(&assign->draft, place, target->key, there, other->key);
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_SHEET);
}

const assign_shown assign_targets_screen = {targets_title, targets_rows, targets_row,
                                            targets_choose, NULL};

/* ---- left ---- */

static void leave_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "%s is not saved", assign->draft.path);
}

static unsigned four_rows(const assign *assign) {
    (void)assign;
    return 4;
}

static void leave_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"stay", "save it and leave",
                                        "leave, and go on with it another time",
                                        "leave, and drop what was done"};
    (void)assign;
    put_text(shown->text, sizeof shown->text, words[row]);
}

static void leave_choose(assign *assign, unsigned row) {
    if (row == 0) {
        assign_back(assign);
        return;
    }
    assign->keeps = row == 2;
    assign->leaves = row != 1;
    if (row != 1)
        return;
    assign_back(assign);
    assign_save(assign);
    assign->leaves = !draft_is_changed(&assign->draft);
}

const assign_shown assign_leave_screen = {leave_title, four_rows, leave_row, leave_choose, NULL};

/* ---- somebody else changed the file ---- */

static void save_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "%s was changed by another program since it was read", assign->draft.path);
}

static unsigned two_rows(const assign *assign) {
    (void)assign;
    return 2;
}

static void save_row(const assign *assign, unsigned row, assign_row *shown) {
    (void)assign;
    put_text(shown->text, sizeof shown->text,
             row ? "save this in its place, and what the other one did is lost" : "do not save");
}

static void save_choose(assign *assign, unsigned row) {
    assign_back(assign);
    if (row)
        assign_say(assign, draft_save(&assign->draft, true) ? "saved" : assign->draft.said);
}

const assign_shown assign_save_screen = {save_title, two_rows, save_row, save_choose, NULL};

/* ---- somebody's work that was not saved ---- */

static void found_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "there is work on %s that was not saved", assign->draft.path);
}

static void found_row(const assign *assign, unsigned row, assign_row *shown) {
    (void)assign;
    put_text(shown->text, sizeof shown->text,
             row ? "drop it, and begin with the file as it is" : "go on with it");
}

static void found_choose(assign *assign, unsigned row) {
    if (row == 0) {
        bool good = draft_take_up(&assign->draft);
        assign->depth -= good;
        assign_take(assign, good);
    } else {
        draft_drop_left(&assign->draft);
        assign->depth--;
    }
}

const assign_shown assign_found_screen = {found_title, two_rows, found_row, found_choose, NULL};
