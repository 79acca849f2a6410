/* Macros: what sets them off, and their steps. */
#include "tool/assign/lines.h"

#include <string.h>

static draft_place step_place(const assign *assign) {
    return DRAFT_STEP + (assign->line << 8) + assign->step;
}

/* What says how long it is; NULL: nothing does. */
static const char *time_key(const assign *assign) {
    return draft_formula(&assign->draft, step_place(assign), "for", NULL)    ? "for"
           : draft_formula(&assign->draft, step_place(assign), "wait", NULL) ? "wait"
                                                                             : NULL;
}

static void step_title(const assign *assign, char *text, size_t size) {
    char written[ASSIGN_TEXT];
    draft_element(&assign->draft, lines_steps(assign), assign->step, written, sizeof written);
    snprintf(text, size, "step %u: %s", assign->step + 1, written);
}

static unsigned step_rows(const assign *assign) {
    (void)assign;
    return 4;
}

static void step_row(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {"how long", "press another with it", "take it out", "back"};
    const char *key = time_key(assign);
    put_text(shown->text, sizeof shown->text, words[row]);
    if (row == 0 && key)
        snprintf(shown->text, sizeof shown->text, "how long: %s",
                 draft_formula(&assign->draft, step_place(assign), key, NULL));
    shown->is_part = row == 0;
}

static void step_choose(assign *assign, unsigned row) {
    const char *key = time_key(assign);
    bool good;
    switch (row) {
    case 0:
        if (key)
            assign_open_amount(assign, step_place(assign), key);
        else
            assign_say(assign, "this step is written in another way");
        break;
    case 1:
        assign->purpose = TO_PRESS;
        assign->new_name[0] = 0;
        assign->adds_to_step = true;
        assign_open(assign, SCREEN_TARGETS);
        break;
    case 2:
        good = draft_take_element(&assign->draft, lines_steps(assign), assign->step);
        assign_take(assign, good);
        if (good)
            assign_home_to(assign, SCREEN_LINE);
        break;
    default:
        assign_back(assign);
    }
}

static bool step_step(assign *assign, unsigned row, int by) {
    const char *key = row == 0 ? time_key(assign) : NULL;
    if (key)
        assign_step_line(assign, step_place(assign), key, by, false);
    return key != NULL;
}

const assign_shown assign_step_screen = {step_title, step_rows, step_row, step_choose, step_step};

/* The first step of a new macro, another one, or one more in a step. */
void assign_take_step(assign *assign, const assign_target *target) {
    char text[ASSIGN_TEXT + 400];
    bool good;
    if (target->place != 0 || !target->is_output) {
        assign_say(assign, "a step presses what an output has");
        return;
    }
    if (!*assign->new_name && assign->adds_to_step) {
        if (assign_add_listed(assign, step_place(assign), "press", target->name))
            assign_home_to(assign, SCREEN_STEP);
        return;
    }
    snprintf(text, sizeof text, "{press: %s, for: " STEP_TIME "}", target->name);
    if (!*assign->new_name) {
        good = draft_add_element(&assign->draft, lines_steps(assign), text);
    } else {
        snprintf(text, sizeof text, "when: %s\nsteps:\n  - {press: %s, for: " STEP_TIME "}",
                 assign->macro_when, target->name);
        good = draft_write(&assign->draft, lines_place(assign), assign->new_name, text);
        assign->line = draft_keys(&assign->draft, lines_place(assign)) - 1;
    }
    assign_take(assign, good);
    if (!good)
        return;
    assign_home_to(assign, *assign->new_name ? SCREEN_LINES : SCREEN_LINE);
    if (*assign->new_name)
        assign_open(assign, SCREEN_LINE);
    assign->new_name[0] = 0;
}

void assign_take_macro(assign *assign, const char *formula) {
    put_text(assign->macro_when, sizeof assign->macro_when, formula);
    assign->purpose = TO_PRESS;
    assign_home_to(assign, SCREEN_LINES);
    assign_open(assign, SCREEN_TARGETS);
}
