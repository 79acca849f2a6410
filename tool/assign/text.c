/* Texts that are typed, or put together from letters. */
#include "tool/assign/parts.h"

#include <string.h>

static const char letters[] = "abcdefghijklmnopqrstuvwxyz0123456789_. ,%()=<>*+-/{}[]:"
                              "ABCDEFGHIJKLMNOPQRSTUVWXYZ";

void assign_ask(assign *assign, assign_asked asked, const char *text) {
    assign->asked = asked;
    put_text(assign->entry, sizeof assign->entry, text);
    assign_open(assign, SCREEN_TEXT);
}

static void text_title(const assign *assign, char *text, size_t size) {
    static const char *const words[] = {[ASKED_FORMULA] = "formula",
                                        [ASKED_SEARCH] = "look for",
                                        [ASKED_LAYER] = "the layer's name",
                                        [ASKED_NUMBER] = "number",
                                        [ASKED_NAMED] = "the formula's name",
                                        [ASKED_PARAMETER] = "the parameter's name",
                                        [ASKED_MACRO] = "the macro's name",
                                        [ASKED_LINE] = "its name",
                                        [ASKED_TEST] = "the test's name",
                                        [ASKED_WRITTEN] = "what it has",
                                        [ASKED_AMOUNT] = "number"};
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
        put_text(shown->text, sizeof shown->text, words[row]);
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

static void end_layer(assign *assign) {
    if (!draft_may_be_layer(assign->entry)) {
        assign_say(assign, "a name is of letters, numbers, spaces, commas, _ and -, up to 50");
        return;
    }
    put_text(assign->layer_name, sizeof assign->layer_name, assign->entry);
    assign_home_to(assign, SCREEN_SHEET);
    assign_say(assign, "choose what the layer shall drive first");
}

static void end_text(assign *assign) {
    switch (assign->asked) {
    case ASKED_FORMULA:
        if (assign_put(assign, *assign->entry ? assign->entry : "none"))
            assign_home_to(assign, SCREEN_CELL);
        break;
    case ASKED_SEARCH:
        put_text(assign->found, sizeof assign->found, assign->entry);
        assign_home_to(assign, SCREEN_SHEET);
        assign_search(assign, assign->found);
        break;
    case ASKED_LAYER:
        end_layer(assign);
        break;
    case ASKED_NUMBER:
        assign_end_number(assign);
        break;
    case ASKED_PARAMETER:
        assign_end_parameter(assign);
        break;
    case ASKED_AMOUNT:
        assign_end_amount(assign);
        break;
    default:
        assign_end_part_text(assign);
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
