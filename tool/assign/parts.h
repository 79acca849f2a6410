/* What the screens share. */
#ifndef YONDER_TOOL_ASSIGN_PARTS_H
#define YONDER_TOOL_ASSIGN_PARTS_H

#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "tool/assign/assign.h"

/* As much of a text as there is room for. */
static inline void put_text(char *text, size_t size, const char *words) {
    snprintf(text, size, "%.*s", (int)size - 1, words);
}

typedef struct assign_shown {
    void (*title)(const assign *assign, char *text, size_t size);
    unsigned (*rows)(const assign *assign);
    void (*row)(const assign *assign, unsigned row, assign_row *shown);
    void (*choose)(assign *assign, unsigned row);
    bool (*step)(assign *assign, unsigned row, int by); /* false: it is no number; NULL: none is */
} assign_shown;

extern const assign_shown assign_sheet_screen, assign_more_screen, assign_cell_screen,
    assign_listen_screen, assign_choices_screen, assign_sources_screen, assign_controls_screen,
    assign_ways_screen, assign_way_screen, assign_number_screen, assign_tuned_screen,
    assign_targets_screen, assign_layers_screen, assign_layer_screen, assign_findings_screen,
    assign_text_screen, assign_leave_screen, assign_save_screen, assign_found_screen,
    assign_box_screen, assign_slot_screen, assign_parts_screen, assign_lines_screen,
    assign_line_screen, assign_kinds_screen, assign_step_screen, assign_amount_screen,
    assign_tests_screen, assign_test_screen, assign_doing_screen;

/* How many warnings there are. */
unsigned assign_findings(const assign *assign);
void assign_list_targets(assign *assign);
void assign_say(assign *assign, const char *text);
void assign_take(assign *assign, bool good);
void assign_home_to(assign *assign, assign_screen screen);
void assign_leave(assign *assign);

/* The cell that the screens are about becomes a formula. False: said. */
bool assign_put(assign *assign, const char *formula);
/* What drives it becomes another control, all that it does beside stays. */
bool assign_drive(assign *assign, const char *driver);
/* What is on the adapter; where there is none, that is said. */
void assign_open_box(assign *assign);
/* Another control for the way that wants one. */
void assign_take_other(assign *assign, const char *control);
void assign_show_target(const assign *assign, const assign_target *target, assign_row *shown);
/* Asks for a text, which begins with one. */
void assign_ask(assign *assign, assign_asked asked, const char *text);
/* Waits for something to be pressed or moved. */
void assign_listen(assign *assign, assign_wanted wanted);
/* Goes to the formula that is shown by that name. */
void assign_open_formula(assign *assign, const char *what, const char *name);
/* The formula of the cell, "" where it has none, or none that does anything. */
const char *assign_formula_of(const assign *assign);
/* Reads it. False: the effect that the screens are about is gone. */
bool assign_effect_of(const assign *assign, effects *effects);
/* Whether the other control of a way may be one that tells how far it is. */
bool assign_wants_number(const assign *assign);

/* The number that the screens are about goes so many steps on; and one of a line of the profile. */
void assign_step_number(assign *assign, int by, bool is_fine);
void assign_step_line(assign *assign, draft_place place, const char *key, int by, bool is_fine);
void assign_open_amount(assign *assign, draft_place place, const char *key);

/* What was chosen for what is not there yet: a named formula, a macro; or for a list. */
void assign_take_named(assign *assign, const char *formula);
void assign_take_macro(assign *assign, const char *formula);
void assign_take_listed(assign *assign, const char *control);
/* A control more in a line that is one, or a list of them. False: said. */
bool assign_add_listed(assign *assign, draft_place place, const char *key, const char *control);
/* Asks which kind the line that the screens are about is. */
void assign_open_kinds(assign *assign);
/* A control was chosen for a step of a macro. */
void assign_take_step(assign *assign, const assign_target *target);

/* What was typed. */
void assign_end_number(assign *assign);
void assign_end_parameter(assign *assign);
void assign_end_amount(assign *assign);
void assign_end_test_name(assign *assign);
void assign_end_part_text(assign *assign);

/* A control was pressed, moved or chosen. */
void assign_take_source(assign *assign, const assign_source *source, char held[][HANDS_NAME],
                        unsigned held_count);
/* What it means is known. */
void assign_take_choice(assign *assign, const char *formula);
/* One that moved; and of an input's control. */
void assign_source_moved(const assign *assign, const hands_move *move, assign_source *source);
/* The name of the accelerometer beside a gyro; false: there is none. */
bool assign_pull_of(const assign *assign, const char *gyro, char *name, size_t size);

#endif
