/* Tests of the profile: what is done with the hands becomes one. */
#include "tool/assign/parts.h"

#include <stdlib.h>
#include <string.h>

/* ---- all of them ---- */

static void tests_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "tests of %s%s%s", assign->draft.path, *assign->testing.wrong ? "; " : "",
             assign->testing.wrong);
}

static unsigned tests_rows(const assign *assign) {
    return draft_elements(&assign->draft, LIST_TESTS) + 2;
}

static void tests_row(const assign *assign, unsigned row, assign_row *shown) {
    unsigned count = draft_elements(&assign->draft, LIST_TESTS);
    shown->is_part = row < count;
    if (row < count)
        draft_element(&assign->draft, LIST_TESTS, row, shown->text, sizeof shown->text);
    else
        put_text(shown->text, sizeof shown->text,
                 row == count ? "a new one: what is done from now on" : "back");
}

static void tests_choose(assign *assign, unsigned row) {
    unsigned count = draft_elements(&assign->draft, LIST_TESTS);
    assign->line = row;
    if (row < count)
        assign_open(assign, SCREEN_TEST);
    else if (row > count)
        assign_back(assign);
    else if (assign->hands && !assign->hands->adapter)
        assign_ask(assign, ASKED_TEST, "");
    else
        assign_say(assign, "it takes a device or a recording that this was begun with");
}

const assign_shown assign_tests_screen = {tests_title, tests_rows, tests_row, tests_choose, NULL};

/* ---- one ---- */

static void test_title(const assign *assign, char *text, size_t size) {
    draft_element(&assign->draft, LIST_TESTS, assign->line, text, size);
}

static unsigned two_rows(const assign *assign) {
    (void)assign;
    return 2;
}

static void test_row(const assign *assign, unsigned row, assign_row *shown) {
    (void)assign;
    put_text(shown->text, sizeof shown->text, row ? "back" : "take it out");
}

static void test_choose(assign *assign, unsigned row) {
    bool good = row == 0 && draft_take_element(&assign->draft, LIST_TESTS, assign->line);
    if (row == 0)
        assign_take(assign, good);
    if (row || good)
        assign->depth--;
}

const assign_shown assign_test_screen = {test_title, two_rows, test_row, test_choose, NULL};

/* ---- what is done ---- */

void assign_end_test_name(assign *assign) {
    if (!draft_may_be_layer(assign->entry)) {
        assign_say(assign, "a name is of letters, numbers, spaces, commas, _ and -, up to 50");
        return;
    }
    put_text(assign->new_name, sizeof assign->new_name, assign->entry);
    assign_home_to(assign, SCREEN_TESTS);
    witness_begin(&assign->witness, assign->hands);
    assign_open(assign, SCREEN_DOING);
}

static void doing_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "do it: %u times something was done so far%s", assign->witness.events,
             assign->witness.has_motion ? "; motion is left out" : "");
}

static void doing_row(const assign *assign, unsigned row, assign_row *shown) {
    (void)assign;
    put_text(shown->text, sizeof shown->text, row ? "back" : "that was it");
}

static void doing_choose(assign *assign, unsigned row) {
    static char lines[2 * WITNESS_BYTES + 100];
    char *text;
    if (row) {
        assign_back(assign);
        return;
    }
    bool is_full = assign->witness.is_full;
    bool has_any = witness_end(&assign->witness, lines);
    assign_home_to(assign, SCREEN_TESTS);
    if (is_full) {
        assign_say(assign, "that was too much for one test; nothing of it is kept");
        return;
    }
    if (!has_any) {
        assign_say(assign, "nothing was done of which something came, so there is no test");
        return;
    }
    if (asprintf(&text, "name: %s\n%s", assign->new_name, lines) < 0)
        abort();
    assign_take(assign, draft_add_element(&assign->draft, LIST_TESTS, text));
    free(text);
}

const assign_shown assign_doing_screen = {doing_title, two_rows, doing_row, doing_choose, NULL};
