/* What the screens share. */
#ifndef YONDER_TOOL_ASSIGN_PARTS_H
#define YONDER_TOOL_ASSIGN_PARTS_H

#include "compiler/formulas/layers.h"
#include "compiler/profile/cells.h"
#include "tool/assign/assign.h"

typedef struct assign_shown {
    void (*title)(const assign *assign, char *text, size_t size);
    unsigned (*rows)(const assign *assign);
    void (*row)(const assign *assign, unsigned row, assign_row *shown);
    void (*choose)(assign *assign, unsigned row);
    void (*step)(assign *assign, unsigned row, int by); /* NULL: it has no numbers */
} assign_shown;

extern const assign_shown assign_sheet_screen, assign_more_screen, assign_cell_screen,
    assign_listen_screen, assign_choices_screen, assign_inputs_screen, assign_controls_screen,
    assign_ways_screen, assign_way_screen, assign_number_screen, assign_targets_screen,
    assign_layers_screen, assign_findings_screen, assign_text_screen, assign_leave_screen,
    assign_save_screen, assign_found_screen, assign_box_screen, assign_slot_screen;

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
/* A control was pressed, moved or chosen. */
void assign_take_control(assign *assign, const hands_move *move, char held[][HANDS_NAME],
                         unsigned held_count);

#endif
