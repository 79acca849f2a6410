/* Questions and answers, line by line: for a screen reader, a script, a very small terminal. */
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "tool/assign/faces.h"
#include "tool/assign/parts.h"
#include "tool/playing.h"

#define LOOK_US   20000
#define WAIT_MS   5000 /* for tests of the profile */
#define MOST_ROWS 60   /* that are printed; the rest is found by its name */

/* In the sheet, a control that nothing drives is only counted. */
static bool is_printed(const assign *assign, const assign_row *row, unsigned printed) {
    return printed < MOST_ROWS && !(assign_screen_of(assign) == SCREEN_SHEET && row->is_part &&
                                    strcmp(row->text, "-") == 0);
}

static void print_screen(const assign *assign) {
    char title[ASSIGN_TEXT];
    unsigned rows = assign_rows(assign), printed = 0, left = 0;
    assign_title(assign, title, sizeof title);
    printf("\n%s\n", title);
    if (assign_screen_of(assign) == SCREEN_TEXT) {
        printf("type it, and press enter\n");
        return;
    }
    for (unsigned i = 0; i < rows; i++) {
        assign_row row;
        assign_row_of(assign, i, &row);
        if (!is_printed(assign, &row, printed)) {
            left++;
            continue;
        }
        printed++;
        printf("%3u", i + 1);
        if (*row.name)
            printf("  %s", row.name);
        if (*row.number)
            printf("  %s", row.number);
        printf("  %s", row.text);
        printf("%s%s%s\n", *row.now ? "  [" : "", row.now, *row.now ? "]" : "");
    }
    if (left > 0)
        printf("     %u more, by their names\n", left);
}

/* The row that a name, or a number, means; `rows`: none. */
static unsigned row_named(const assign *assign, const char *text) {
    unsigned rows = assign_rows(assign);
    char *end;
    unsigned long number = strtoul(text, &end, 10);
    size_t length = strlen(text);
    assign_row row;
    if (*text && !*end)
        return number >= 1 && number <= rows ? (unsigned)number - 1 : rows;
    for (unsigned pass = 0; pass < 3; pass++)
        for (unsigned i = 0; i < rows; i++) {
            assign_row_of(assign, i, &row);
            if (pass == 0   ? strcmp(row.name, text) == 0 || strcmp(row.text, text) == 0
                : pass == 1 ? strncmp(row.name, text, length) == 0
                            : strncmp(row.text, text, length) == 0)
                return i;
        }
    return rows;
}

/* "rate +3": so many steps on. */
static bool take_steps(assign *assign, const char *line) {
    const char *sign = strrchr(line, ' ');
    char name[ASSIGN_ENTRY], *end;
    if (!sign || (sign[1] != '+' && sign[1] != '-') || !sign[2])
        return false;
    long by = strtol(sign + 1, &end, 10);
    snprintf(name, sizeof name, "%.*s", (int)(sign - line), line);
    unsigned row = row_named(assign, name);
    if (*end || row == assign_rows(assign) || by < -10000 || by > 10000)
        return false;
    assign->levels[assign->depth].cursor = row;
    assign->said[0] = 0;
    assign_step(assign, (int)by);
    return true;
}

static void take_line(assign *assign, const char *line) {
    static const struct {
        const char *word;
        void (*call)(struct assign *assign);
    } calls[] = {{"back", assign_back},
                 {"undo", assign_undo},
                 {"redo", assign_redo},
                 {"save", assign_save},
                 {"leave", assign_leave}};
    assign->said[0] = 0;
    if (assign_screen_of(assign) == SCREEN_TEXT) {
        assign->entry[0] = 0;
        assign_type(assign, line);
        assign->levels[assign->depth].cursor = 0;
        assign_choose(assign);
        return;
    }
    for (size_t i = 0; i < sizeof calls / sizeof calls[0]; i++)
        if (strcmp(line, calls[i].word) == 0) {
            calls[i].call(assign);
            return;
        }
    unsigned row = row_named(assign, line);
    if (row < assign_rows(assign)) {
        assign->levels[assign->depth].cursor = row;
        assign_choose(assign);
    } else if (!take_steps(assign, line)) {
        printf("there is no row \"%s\" here; say its number or how it begins, or back, undo, redo, "
               "save or leave\n",
               line);
    }
}

/* Time goes on until something moved, or somebody types. False: there is nothing left to move. */
static bool wait_for_hands(assign *assign) {
    bool is_live = hands_are_live(assign->hands);
    uint64_t last_us = clock_us();
    fflush(stdout);
    while (assign_listens(assign) && !is_stopped()) {
        struct pollfd polled = {STDIN_FILENO, POLLIN, 0};
        if (is_live && poll(&polled, 1, LOOK_US / 1000) > 0)
            return true;
        uint64_t now_us = clock_us();
        hands_advance(assign->hands, is_live ? now_us - last_us : LOOK_US);
        last_us = now_us;
        assign_look(assign);
        if (assign_listens(assign) && !hands_has_more(assign->hands))
            return false;
    }
    return true;
}

void assign_plainly(assign *assign) {
    char line[ASSIGN_ENTRY];
    bool has_ended = false;
    while (!assign->leaves && !is_stopped()) {
        if (assign_listens(assign) && !has_ended) {
            print_screen(assign);
            has_ended = !wait_for_hands(assign);
            if (has_ended)
                printf("nothing more is pressed or moved there\n");
            if (*assign->said)
                printf("%s\n", assign->said);
        }
        print_screen(assign);
        printf("> ");
        fflush(stdout);
        if (!fgets(line, sizeof line, stdin))
            break;
        size_t length = strcspn(line, "\n");
        if (!line[length] && length + 1 == sizeof line) {
            printf("a line has up to %zu characters\n", sizeof line - 2);
            while (fgets(line, sizeof line, stdin) && !strchr(line, '\n'))
                continue;
            continue;
        }
        line[length] = 0;
        take_line(assign, line);
        if (*assign->said)
            printf("%s\n", assign->said);
        if (testing_look(&assign->testing, WAIT_MS) && *assign->testing.wrong)
            printf("%s\n", assign->testing.wrong);
    }
    if (!assign->leaves)
        printf("\n");
}
