#include "tool/assign/parts.h"

#include <stdlib.h>
#include <string.h>

#include "compiler/messages/plain.h"

/* ---- begun and ended ---- */

void assign_say(assign *assign, const char *text) {
    snprintf(assign->said, sizeof assign->said, "%s", text);
    assign->is_changed = true;
}

/* There may be fewer rows than before. */
static void keep_cursor(assign *assign) {
    unsigned rows = assign_rows(assign);
    if (assign_cursor(assign) >= rows)
        assign->levels[assign->depth].cursor = rows - 1;
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
    assign->sources = calloc(ASSIGN_SOURCES, sizeof *assign->sources);
    if (!assign->targets || !assign->sources)
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
    witness_drop(&assign->witness);
    if (assign->shelf && assign->shelf->tries && shelf_take_back(assign->shelf))
        fprintf(stderr, "what was tried on the adapter is taken back\n");
    draft_close(&assign->draft, assign->keeps);
    pool_free(&assign->pool);
    pool_free(&assign->target_pool);
    free(assign->targets);
    free(assign->sources);
}

/* ---- where a person is ---- */

static const assign_shown *screen_of(const assign *assign) {
    static const assign_shown *const screens[] = {
        [SCREEN_SHEET] = &assign_sheet_screen,       [SCREEN_MORE] = &assign_more_screen,
        [SCREEN_CELL] = &assign_cell_screen,         [SCREEN_LISTEN] = &assign_listen_screen,
        [SCREEN_CHOICES] = &assign_choices_screen,   [SCREEN_SOURCES] = &assign_sources_screen,
        [SCREEN_CONTROLS] = &assign_controls_screen, [SCREEN_WAYS] = &assign_ways_screen,
        [SCREEN_WAY] = &assign_way_screen,           [SCREEN_NUMBER] = &assign_number_screen,
        [SCREEN_TARGETS] = &assign_targets_screen,   [SCREEN_LAYERS] = &assign_layers_screen,
        [SCREEN_FINDINGS] = &assign_findings_screen, [SCREEN_BOX] = &assign_box_screen,
        [SCREEN_SLOT] = &assign_slot_screen,         [SCREEN_TEXT] = &assign_text_screen,
        [SCREEN_LEAVE] = &assign_leave_screen,       [SCREEN_SAVE] = &assign_save_screen,
        [SCREEN_FOUND] = &assign_found_screen,       [SCREEN_TUNED] = &assign_tuned_screen,
        [SCREEN_LAYER] = &assign_layer_screen,       [SCREEN_PARTS] = &assign_parts_screen,
        [SCREEN_LINES] = &assign_lines_screen,       [SCREEN_LINE] = &assign_line_screen,
        [SCREEN_KINDS] = &assign_kinds_screen,       [SCREEN_TESTS] = &assign_tests_screen,
        [SCREEN_TEST] = &assign_test_screen,         [SCREEN_DOING] = &assign_doing_screen,
        [SCREEN_STEP] = &assign_step_screen,         [SCREEN_AMOUNT] = &assign_amount_screen};
    return screens[assign_screen_of(assign)];
}

void assign_open(assign *assign, assign_screen screen) {
    if (assign->depth + 1 == ASSIGN_LEVELS)
        return;
    assign->levels[++assign->depth] = (assign_level){screen, 0};
    assign->is_changed = true;
}

/* What is noted for a test is over where nobody is there any more. */
static void drop_witness(assign *assign) {
    if (assign_screen_of(assign) != SCREEN_DOING)
        witness_drop(&assign->witness);
}

void assign_home_to(assign *assign, assign_screen screen) {
    while (assign->depth > 0 && assign_screen_of(assign) != screen)
        assign->depth--;
    drop_witness(assign);
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
    drop_witness(assign);
    keep_cursor(assign);
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
    keep_cursor(assign);
}

bool assign_step(assign *assign, int by) {
    const assign_shown *screen = screen_of(assign);
    return screen->step && screen->step(assign, assign_cursor(assign), by);
}

unsigned assign_rows(const assign *assign) {
    return screen_of(assign)->rows(assign);
}

void assign_title(const assign *assign, char *text, size_t size) {
    screen_of(assign)->title(assign, text, size);
    plain_line(text);
}

void assign_row_of(const assign *assign, unsigned row, assign_row *shown) {
    *shown = (assign_row){.is_on = false};
    screen_of(assign)->row(assign, row, shown);
    plain_line(shown->name);
    plain_line(shown->text);
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
    keep_cursor(assign);
}

void assign_redo(assign *assign) {
    assign_take(assign, draft_redo(&assign->draft));
    keep_cursor(assign);
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

bool assign_is_about_cell(const assign *assign) {
    switch (assign_screen_of(assign)) {
    case SCREEN_SHEET:
    case SCREEN_CELL:
    case SCREEN_WAYS:
    case SCREEN_WAY:
    case SCREEN_NUMBER:
    case SCREEN_TUNED:
        return assign_target_of(assign) != NULL;
    case SCREEN_LISTEN:
    case SCREEN_CHOICES:
    case SCREEN_SOURCES:
    case SCREEN_CONTROLS:
        return (assign->wanted == FOR_CELL || assign->wanted == FOR_WAY) &&
               assign_target_of(assign) != NULL;
    case SCREEN_TARGETS:
        return assign->purpose != TO_PRESS && assign_target_of(assign) != NULL;
    default:
        return false;
    }
}

draft_place assign_place(const assign *assign, const assign_target *target) {
    return target->place ? target->place : assign->layer;
}

const char *assign_formula(const assign *assign, const assign_target *target, bool *is_copy) {
    bool is_new = *assign->condition && target->place == 0; /* of a layer that is not there yet */
    const char *formula =
        is_new ? NULL
               : draft_formula(&assign->draft, assign_place(assign, target), target->key, NULL);
    *is_copy = false;
    const struct yt_cell_records *cells = draft_compiled(&assign->draft)->scope->cells;
    for (unsigned i = 0; !formula && i < cells->count && !is_new && target->place == 0; i++)
        if (cells->all[i].is_copy && cells->all[i].layer == (int)assign->layer &&
            strcmp(cells->all[i].key->text, target->name) == 0) {
            *is_copy = true;
            return cells->all[i].text->text;
        }
    return formula;
}
