/* What tests of `yonder assign` without a terminal share: one profile that is worked on, rows that
 * are chosen by their names, recordings that are made up. */
#ifndef YONDER_TESTS_ASSIGNING_H
#define YONDER_TESTS_ASSIGNING_H

#include <unistd.h>

#include "tests/tool/files.h"
#include "tool/assign/assign.h"

static char folder[] = "/tmp/assign.XXXXXX", path[64];
static assign a;
static hands held;

#define PLAIN                                                                                      \
    "yonder: 1\nname: Winch\ninputs: {keys: keyboard, grip: gamepad}\n"                            \
    "outputs: {pad: gamepad, view: mouse}\n\nsheet:\n  pad.south: keys.space   # hook\n"           \
    "  pad.east: turbo(keys.g or keys.b, 15 Hz)\n  pad.left_stick: deadzone(grip.left_stick)\n"    \
    "layers:\n  - name: slow\n    while: keys.left_shift\n    sheet:\n"                            \
    "      pad.left_stick: below * 40%\n"

static inline bool begin(const char *text, bool has_hands) {
    char beside[80];
    snprintf(beside, sizeof beside, "%s.draft", path);
    unlink(beside);
    write_text(path, text);
    memset(&held, 0, sizeof held);
    held.options = (watch_options){.speed = 1, .limit = 1000000};
    held.options.sources[0] = "crane/recordings/otter-winch.hid";
    held.options.source_count = 1;
    bool good = assign_begin(&a, path, NULL, has_hands ? &held : NULL);
    CHECK(good);
    return good;
}

static inline void end(bool has_hands) {
    assign_end(&a);
    if (has_hands)
        hands_end(&held);
}

/* Goes to the row that begins so, in its name or its text, and chooses it. */
static inline void choose(const char *begins) {
    unsigned rows = assign_rows(&a);
    for (unsigned i = 0; i < 2 * rows; i++) { /* as a whole, else by its beginning */
        assign_row row;
        assign_row_of(&a, i % rows, &row);
        if (strcmp(row.name, begins) != 0 && strcmp(row.text, begins) != 0 &&
            (i < rows || strncmp(row.text, begins, strlen(begins)) != 0))
            continue;
        while (assign_cursor(&a) != i % rows)
            assign_move(&a, 1);
        assign_choose(&a);
        return;
    }
    CHECK_TEXT("no such row", begins);
}

/* Chooses a control from the list in place of pressing it. */
static inline void press(const char *input, const char *control) {
    choose("choose it");
    choose(input);
    choose(control);
}

static inline void type(const char *text) {
    a.entry[0] = 0;
    assign_type(&a, text);
    a.levels[a.depth].cursor = 0;
    assign_choose(&a);
}

static inline const char *cell(unsigned layer, const char *control) {
    const char *formula = draft_formula(&a.draft, layer, control, NULL);
    return formula ? formula : "";
}

static inline void home(void) {
    while (a.depth > 0)
        assign_back(&a);
}

/* A keyboard's recording, made: its first byte and one key at a time, in milliseconds. */
typedef struct made_report {
    unsigned ms, modifiers, key;
} made_report;

static inline void write_made(const char *to, const made_report *reports, unsigned count) {
    FILE *file = fopen(to, "w");
    CHECK(file != NULL);
    fprintf(file,
            "D: 0\nN: made up\nI: 3 1209 0009\nR: 41 05 01 09 06 a1 01 05 07 19 e0 29 e7 15 00 25 "
            "01 75 01 95 08 81 02 75 08 95 01 81 01 19 00 29 65 25 65 75 08 95 06 81 00 c0\n");
    for (unsigned i = 0; i < count; i++)
        fprintf(file, "E: %06u.%03u000 8 %02x 00 %02x 00 00 00 00 00\n", reports[i].ms / 1000,
                reports[i].ms % 1000, reports[i].modifiers, reports[i].key);
    fclose(file);
}

static inline bool has(const char *text) {
    return strstr(draft_text(&a.draft), text) != NULL;
}

#endif
