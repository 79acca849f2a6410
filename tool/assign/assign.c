#include "tool/assign/parts.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/formulas/controls.h"
#include "compiler/reading/keys.h"

/* ---- what the outputs have ---- */

typedef struct listing {
    assign *assign;
    const yt_profile_output *output;
} listing;

static bool is_listed(const assign *assign, const char *name) {
    for (unsigned i = 0; i < assign->target_count; i++)
        if (strcmp(assign->targets[i].name, name) == 0)
            return true;
    return false;
}

static void add_target(assign *assign, const char *name, yt_formula_type type, unsigned number) {
    if (assign->target_count < ASSIGN_TARGETS && !is_listed(assign, name))
        assign->targets[assign->target_count++] =
            (assign_target){pool_print(&assign->target_pool, "%s", name), type, number};
}

static bool find_output(const yt_profile_output *output, const char *name,
                        yt_output_control *control) {
    yt_control_name named;
    return control_named(output->kind, name, strlen(name), &named) &&
           output_control_find(output, &named, control) && !control->from_host;
}

/* A control of an output; both directions of a stick, or of motion, are one. */
static void add_named(void *context, const char *name) {
    listing *listing = context;
    assign *assign = listing->assign;
    yt_output_control control, other;
    size_t length = strlen(name);
    if (!find_output(listing->output, name, &control))
        return;
    bool has_side = length > 2 && name[length - 2] == '.' && strchr("xy", name[length - 1]);
    const char *across = pool_print(&assign->target_pool, "%.*s.x", (int)length - 2, name);
    const char *along = pool_print(&assign->target_pool, "%.*s.y", (int)length - 2, name);
    yt_formula_type type = value_type_of(control.kind);
    if (has_side && find_output(listing->output, across, &other) &&
        find_output(listing->output, along, &other)) {
        name = pool_print(&assign->target_pool, "%.*s", (int)length - 2, name);
        type = control.kind == YT_MOTION ? VALUE_MOTION_PAIR : VALUE_STICK;
    }
    add_target(assign, pool_print(&assign->target_pool, "%s.%s", listing->output->name, name), type,
               output_button(listing->output, &control));
}

/* Cells that are there for something else: one direction of a stick, a light of a device. */
static void add_written(assign *assign) {
    const struct yt_cell_records *cells = draft_compiled(&assign->draft)->scope->cells;
    for (unsigned i = 0; i < cells->count; i++) {
        const yt_cell_record *cell = &cells->all[i];
        if (!cell->is_copy && cell->key->place.source == 0)
            add_target(assign, cell->whole ? cell->whole->text : cell->key->text, cell->value.type,
                       0);
    }
}

void assign_list_targets(assign *assign) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    pool_free(&assign->target_pool); /* its names are written anew */
    assign->target_count = 0;
    for (unsigned i = 0; i < compiled->output_count; i++) {
        listing listing = {assign, &compiled->outputs[i]};
        each_output_name(&assign->target_pool, listing.output, add_named, &listing);
    }
    add_written(assign);
}

/* ---- begun and ended ---- */

void assign_say(assign *assign, const char *text) {
    snprintf(assign->said, sizeof assign->said, "%s", text);
    assign->is_changed = true;
}

/* After each change of the text. */
void assign_take(assign *assign, bool good) {
    assign_say(assign, assign->draft.said);
    if (!good)
        return;
    unsigned layers = draft_layers(&assign->draft);
    if (assign->layer >= layers && !*assign->condition)
        assign->layer = layers - 1;
    assign_list_targets(assign);
    testing_begin(&assign->testing, &assign->draft.rewriting.profile);
    if (assign->hands && !hands_take(assign->hands, draft_compiled(&assign->draft))) {
        assign_say(assign, "this does not go with the devices; nothing of them is shown any more");
        assign->hands = NULL;
    }
}

bool assign_begin(assign *assign, const char *path, const char *text, hands *hands) {
    draft_found found;
    *assign = (struct assign){.is_changed = true};
    if (!draft_open(&assign->draft, path, text, &found)) {
        fprintf(stderr, "%s\n", assign->draft.said);
        return false;
    }
    assign->targets = calloc(ASSIGN_TARGETS, sizeof *assign->targets);
    if (!assign->targets)
        abort();
    if (hands && !hands_begin(hands, draft_compiled(&assign->draft))) {
        assign_end(assign);
        return false;
    }
    assign->hands = hands;
    assign_list_targets(assign);
    testing_begin(&assign->testing, &assign->draft.rewriting.profile);
    if (found == DRAFT_LEFT)
        assign_open(assign, SCREEN_FOUND);
    return true;
}

void assign_end(assign *assign) {
    testing_end(&assign->testing);
    if (assign->shelf && assign->shelf->tries && shelf_take_back(assign->shelf))
        fprintf(stderr, "what was tried on the adapter is taken back\n");
    draft_close(&assign->draft, assign->keeps);
    pool_free(&assign->pool);
    pool_free(&assign->target_pool);
    free(assign->targets);
}

/* ---- where a person is ---- */

static const assign_shown *screen_of(const assign *assign) {
    static const assign_shown *const screens[] = {
        [SCREEN_SHEET] = &assign_sheet_screen,       [SCREEN_MORE] = &assign_more_screen,
        [SCREEN_CELL] = &assign_cell_screen,         [SCREEN_LISTEN] = &assign_listen_screen,
        [SCREEN_CHOICES] = &assign_choices_screen,   [SCREEN_INPUTS] = &assign_inputs_screen,
        [SCREEN_CONTROLS] = &assign_controls_screen, [SCREEN_WAYS] = &assign_ways_screen,
        [SCREEN_WAY] = &assign_way_screen,           [SCREEN_NUMBER] = &assign_number_screen,
        [SCREEN_TARGETS] = &assign_targets_screen,   [SCREEN_LAYERS] = &assign_layers_screen,
        [SCREEN_FINDINGS] = &assign_findings_screen, [SCREEN_BOX] = &assign_box_screen,
        [SCREEN_SLOT] = &assign_slot_screen,         [SCREEN_TEXT] = &assign_text_screen,
        [SCREEN_LEAVE] = &assign_leave_screen,       [SCREEN_SAVE] = &assign_save_screen,
        [SCREEN_FOUND] = &assign_found_screen};
    return screens[assign_screen_of(assign)];
}

void assign_open(assign *assign, assign_screen screen) {
    if (assign->depth + 1 == ASSIGN_LEVELS)
        return;
    assign->levels[++assign->depth] = (assign_level){screen, 0};
    assign->is_changed = true;
    if (screen == SCREEN_LISTEN) {
        assign->pressed_count = 0;
        if (assign->hands)
            hands_listen(assign->hands);
    }
}

void assign_home_to(assign *assign, assign_screen screen) {
    while (assign->depth > 0 && assign_screen_of(assign) != screen)
        assign->depth--;
    assign->is_changed = true;
}

void assign_back(assign *assign) {
    assign->is_changed = true;
    assign->said[0] = 0;
    if (assign_screen_of(assign) == SCREEN_FOUND)
        return; /* it wants an answer */
    if (assign->depth > 0)
        assign->depth--;
    else
        assign_leave(assign);
}

void assign_move(assign *assign, int by) {
    unsigned rows = assign_rows(assign);
    unsigned *cursor = &assign->levels[assign->depth].cursor;
    int64_t to = ((int64_t)*cursor + by) % (int64_t)rows;
    *cursor = (unsigned)(to < 0 ? to + rows : to);
    assign->is_changed = true;
}

void assign_choose(assign *assign) {
    unsigned rows = assign_rows(assign), row = assign_cursor(assign);
    assign->said[0] = 0;
    assign->is_changed = true;
    if (row < rows)
        screen_of(assign)->choose(assign, row);
    rows = assign_rows(assign);
    if (assign_cursor(assign) >= rows)
        assign->levels[assign->depth].cursor = rows - 1;
}

void assign_step(assign *assign, int by) {
    const assign_shown *screen = screen_of(assign);
    if (screen->step)
        screen->step(assign, assign_cursor(assign), by);
}

unsigned assign_rows(const assign *assign) {
    return screen_of(assign)->rows(assign);
}

void assign_title(const assign *assign, char *text, size_t size) {
    screen_of(assign)->title(assign, text, size);
}

void assign_row_of(const assign *assign, unsigned row, assign_row *shown) {
    *shown = (assign_row){.is_on = false};
    screen_of(assign)->row(assign, row, shown);
}

bool assign_search(assign *assign, const char *text) {
    unsigned rows = assign_rows(assign), from = assign_cursor(assign);
    for (unsigned i = 1; i <= rows; i++) {
        assign_row row;
        assign_row_of(assign, (from + i) % rows, &row);
        if (!strstr(row.name, text) && !strstr(row.text, text) && !strstr(row.number, text))
            continue;
        assign->levels[assign->depth].cursor = (from + i) % rows;
        assign->is_changed = true;
        return true;
    }
    assign_say(assign, "nothing here has that in it");
    return false;
}

void assign_undo(assign *assign) {
    assign_take(assign, draft_undo(&assign->draft));
}

void assign_redo(assign *assign) {
    assign_take(assign, draft_redo(&assign->draft));
}

void assign_save(assign *assign) {
    if (draft_file_differs(&assign->draft))
        assign_open(assign, SCREEN_SAVE);
    else
        assign_say(assign, draft_save(&assign->draft, false) ? "saved" : assign->draft.said);
}

void assign_leave(assign *assign) {
    if (draft_is_changed(&assign->draft))
        assign_open(assign, SCREEN_LEAVE);
    else
        assign->leaves = true;
}

const assign_target *assign_target_of(const assign *assign) {
    unsigned row = assign->levels[0].cursor;
    if (assign->depth > 0)
        return assign->target < assign->target_count ? &assign->targets[assign->target] : NULL;
    return row > 0 && row <= assign->target_count ? &assign->targets[row - 1] : NULL;
}

const char *assign_formula(const assign *assign, const assign_target *target, bool *is_copy) {
    const char *formula = *assign->condition
                              ? NULL
                              : draft_formula(&assign->draft, assign->layer, target->name, NULL);
    *is_copy = false;
    const struct yt_cell_records *cells = draft_compiled(&assign->draft)->scope->cells;
    for (unsigned i = 0; !formula && i < cells->count && !*assign->condition; i++)
        if (cells->all[i].is_copy && cells->all[i].layer == (int)assign->layer &&
            strcmp(cells->all[i].key->text, target->name) == 0) {
            *is_copy = true;
            return cells->all[i].text->text;
        }
    return formula;
}
