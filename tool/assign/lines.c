/* What a profile has beside its sheet: inputs, outputs, named formulas, parameters, the host's
 * camera, macros, what may be rebound; each a list of lines. */
#include "tool/assign/lines.h"

#include <string.h>

typedef struct part {
    const char *words;
    draft_section section;
    const char *another; /* what adds a line; NULL: its lines are given */
    assign_asked asked;  /* for its name */
} part;

static const part parts[] = {
    {"inputs", SECTION_INPUTS, "another input", ASKED_LINE},
    {"outputs", SECTION_OUTPUTS, "another output", ASKED_LINE},
    {"what goes through as it is", SECTION_COPY, NULL, ASKED_LINE},
    {"named formulas", SECTION_NAMED, "another named formula", ASKED_NAMED},
    {"parameters", SECTION_PARAMETERS, "another parameter", ASKED_LINE},
    {"the host's camera", SECTION_CAMERA, NULL, ASKED_LINE},
    {"macros", SECTION_MACROS, "another macro", ASKED_MACRO},
    {"what may be rebound on the adapter", SECTION_REBIND, NULL, ASKED_LINE},
};
#define PARTS (sizeof parts / sizeof parts[0])

static const part *part_of(const assign *assign) {
    return &parts[assign->part];
}

draft_place lines_place(const assign *assign) {
    return DRAFT_SECTION + part_of(assign)->section;
}

static void parts_title(const assign *assign, char *text, size_t size) {
    snprintf(text, size, "what %s has beside its sheet", assign->draft.path);
}

static unsigned parts_rows(const assign *assign) {
    (void)assign;
    return PARTS + 1;
}

static void parts_row(const assign *assign, unsigned row, assign_row *shown) {
    shown->is_part = row < PARTS;
    if (row == PARTS) {
        put_text(shown->text, sizeof shown->text, "back");
        return;
    }
    put_text(shown->name, sizeof shown->name, parts[row].words);
    snprintf(shown->text, sizeof shown->text, "%u",
             draft_keys(&assign->draft, DRAFT_SECTION + parts[row].section));
}

static void parts_choose(assign *assign, unsigned row) {
    assign->part = row;
    if (row < PARTS)
        assign_open(assign, SCREEN_LINES);
    else
        assign_back(assign);
}

const assign_shown assign_parts_screen = {parts_title, parts_rows, parts_row, parts_choose, NULL};

/* ---- the lines of one ---- */

static unsigned camera_key_count(void) {
    unsigned count = 0;
    while (camera_keys[count].name)
        count++;
    return count;
}

/* The key of a line, whether it is written or not; NULL: there are no more. */
static const char *key_at(const assign *assign, unsigned row) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    switch (part_of(assign)->section) {
    case SECTION_COPY:
    case SECTION_REBIND:
        return row < compiled->output_count ? compiled->outputs[row].name : NULL;
    case SECTION_CAMERA:
        return row < camera_key_count() ? camera_keys[row].name : NULL;
    default:
        return draft_key(&assign->draft, lines_place(assign), row);
    }
}

const char *lines_key(const assign *assign) {
    const char *key = key_at(assign, assign->line);
    return key ? key : "";
}

static unsigned keys_of(const assign *assign) {
    unsigned count = 0;
    while (key_at(assign, count))
        count++;
    return count;
}

static void lines_title(const assign *assign, char *text, size_t size) {
    put_text(text, size, part_of(assign)->words);
}

static unsigned lines_rows(const assign *assign) {
    return keys_of(assign) + (part_of(assign)->another != NULL) + 1;
}

static void lines_row(const assign *assign, unsigned row, assign_row *shown) {
    const char *key = key_at(assign, row);
    shown->is_part = key != NULL;
    if (!key) {
        bool adds = part_of(assign)->another && row == keys_of(assign);
        put_text(shown->text, sizeof shown->text, adds ? part_of(assign)->another : "back");
        return;
    }
    put_text(shown->name, sizeof shown->name, key);
    draft_written(&assign->draft, lines_place(assign), key, shown->text, sizeof shown->text);
    if (!*shown->text)
        put_text(shown->text, sizeof shown->text, "-");
}

/* A named formula is looked at like a cell; a number of the camera like a number. */
static void open_line(assign *assign, unsigned row) {
    assign->line = row;
    if (part_of(assign)->section == SECTION_NAMED)
        assign_open_formula(assign, "named", lines_key(assign));
    else if (part_of(assign)->section == SECTION_CAMERA)
        assign_open_amount(assign, lines_place(assign), lines_key(assign));
    else
        assign_open(assign, SCREEN_LINE);
}

static void lines_choose(assign *assign, unsigned row) {
    if (key_at(assign, row))
        open_line(assign, row);
    else if (part_of(assign)->another && row == keys_of(assign))
        assign_ask(assign, part_of(assign)->asked, "");
    else
        assign_back(assign);
}

static bool lines_step(assign *assign, unsigned row, int by) {
    bool is_number = part_of(assign)->section == SECTION_CAMERA && key_at(assign, row);
    if (is_number)
        assign_step_line(assign, lines_place(assign), key_at(assign, row), by, false);
    return is_number;
}

const assign_shown assign_lines_screen = {lines_title, lines_rows, lines_row, lines_choose,
                                          lines_step};

void assign_open_formula(assign *assign, const char *what, const char *name) {
    char full[120];
    snprintf(full, sizeof full, "%s %s", what, name);
    for (unsigned i = 0; i < assign->target_count; i++)
        if (strcmp(assign->targets[i].name, full) == 0) {
            assign->target = i;
            assign_open(assign, SCREEN_CELL);
            return;
        }
    assign_say(assign, "this is not a formula of this file");
}

/* ---- one line ---- */

typedef enum line_do {
    DO_FIELD, /* a number of a parameter */
    DO_KIND,  /* another kind; another input that goes through */
    DO_WHEN,  /* of a macro */
    DO_STEP,
    DO_ADD_STEP,
    DO_ADD_PAUSE,
    DO_ADD_CONTROL,
    DO_WRITE,
    DO_OUT,
    DO_BACK
} line_do;

typedef struct line_row {
    line_do what;
    unsigned number; /* of a field, of a step */
} line_row;

#define LINE_ROWS 260 /* a macro has up to 250 steps */

static draft_place macro_place(const assign *assign) {
    return DRAFT_MACRO + assign->line;
}

draft_list lines_steps(const assign *assign) {
    return LIST_STEPS + assign->line;
}

static unsigned list_line(const assign *assign, line_row *rows) {
    const draft *draft = &assign->draft;
    unsigned count = 0, steps = 0;
    char text[ASSIGN_TEXT];
    draft_written(draft, lines_place(assign), lines_key(assign), text, sizeof text);
    switch (part_of(assign)->section) {
    case SECTION_INPUTS:
    case SECTION_OUTPUTS:
    case SECTION_COPY:
        rows[count++] = (line_row){DO_KIND, 0};
        break;
    case SECTION_PARAMETERS:
        steps = draft_keys(draft, DRAFT_PARAMETER + assign->line);
        for (unsigned i = 0; i < steps && i < 4; i++)
            rows[count++] = (line_row){DO_FIELD, i};
        break;
    case SECTION_MACROS:
        if (draft_formula(draft, macro_place(assign), "when", NULL))
            rows[count++] = (line_row){DO_WHEN, 0};
        steps = draft_elements(draft, lines_steps(assign));
        for (unsigned i = 0; i < steps && i < 250; i++)
            rows[count++] = (line_row){DO_STEP, i};
        rows[count++] = (line_row){DO_ADD_STEP, 0};
        rows[count++] = (line_row){DO_ADD_PAUSE, 0};
        break;
    case SECTION_REBIND:
        rows[count++] = (line_row){DO_ADD_CONTROL, 0};
        break;
    default:
        break;
    }
    if (part_of(assign)->section != SECTION_MACROS)
        rows[count++] = (line_row){DO_WRITE, 0};
    if (*text)
        rows[count++] = (line_row){DO_OUT, 0};
    rows[count++] = (line_row){DO_BACK, 0};
    return count;
}

static void line_title(const assign *assign, char *text, size_t size) {
    char written[ASSIGN_TEXT];
    draft_written(&assign->draft, lines_place(assign), lines_key(assign), written, sizeof written);
    snprintf(text, size, "%s: %s", lines_key(assign), *written ? written : "-");
}

static unsigned line_rows(const assign *assign) {
    line_row rows[LINE_ROWS];
    return list_line(assign, rows);
}

static void line_row_of(const assign *assign, unsigned row, assign_row *shown) {
    static const char *const words[] = {[DO_ADD_STEP] = "another step",
                                        [DO_ADD_PAUSE] = "another step: a pause",
                                        [DO_ADD_CONTROL] = "another control that may be chosen",
                                        [DO_WRITE] = "write it",
                                        [DO_OUT] = "take it out",
                                        [DO_BACK] = "back"};
    line_row rows[LINE_ROWS];
    unsigned count = list_line(assign, rows);
    const char *key;
    if (row >= count)
        return;
    shown->is_part = rows[row].what <= DO_STEP;
    switch (rows[row].what) {
    case DO_FIELD:
        key = draft_key(&assign->draft, DRAFT_PARAMETER + assign->line, rows[row].number);
        put_text(shown->name, sizeof shown->name, key ? key : "");
        draft_written(&assign->draft, DRAFT_PARAMETER + assign->line, key ? key : "", shown->text,
                      sizeof shown->text);
        break;
    case DO_KIND:
        put_text(shown->text, sizeof shown->text,
                 part_of(assign)->section == SECTION_COPY ? "from which input"
                                                          : "which kind it is");
        break;
    case DO_WHEN:
        put_text(shown->name, sizeof shown->name, "when");
        put_text(shown->text, sizeof shown->text,
                 draft_formula(&assign->draft, macro_place(assign), "when", NULL));
        break;
    case DO_STEP:
        snprintf(shown->name, sizeof shown->name, "step %u", rows[row].number + 1);
        draft_element(&assign->draft, lines_steps(assign), rows[row].number, shown->text,
                      sizeof shown->text);
        break;
    default:
        put_text(shown->text, sizeof shown->text, words[rows[row].what]);
    }
}

static void take_line_out(assign *assign) {
    bool good = draft_take_out(&assign->draft, lines_place(assign), lines_key(assign));
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_LINES);
}

static void line_choose(assign *assign, unsigned row) {
    line_row rows[LINE_ROWS];
    char text[ASSIGN_TEXT];
    unsigned count = list_line(assign, rows);
    const char *key;
    switch (row < count ? rows[row].what : DO_BACK) {
    case DO_FIELD:
        key = draft_key(&assign->draft, DRAFT_PARAMETER + assign->line, rows[row].number);
        assign_open_amount(assign, DRAFT_PARAMETER + assign->line, key ? key : "");
        break;
    case DO_KIND:
        assign->new_name[0] = 0;
        assign_open_kinds(assign);
        break;
    case DO_WHEN:
        assign_open_formula(assign, "macro", lines_key(assign));
        break;
    case DO_STEP:
        assign->step = rows[row].number;
        assign_open(assign, SCREEN_STEP);
        break;
    case DO_ADD_STEP:
        assign->new_name[0] = 0;
        assign->adds_to_step = false;
        assign->purpose = TO_PRESS;
        assign_open(assign, SCREEN_TARGETS);
        break;
    case DO_ADD_PAUSE:
        assign_take(assign, draft_add_element(&assign->draft, lines_steps(assign),
                                              "{wait: " STEP_TIME "}"));
        break;
    case DO_ADD_CONTROL:
        assign->list_place = lines_place(assign);
        put_text(assign->list_key, sizeof assign->list_key, lines_key(assign));
        assign_listen(assign, FOR_LIST);
        break;
    case DO_WRITE:
        draft_written(&assign->draft, lines_place(assign), lines_key(assign), text, sizeof text);
        assign_ask(assign, ASKED_WRITTEN, *text == '(' ? "" : text);
        break;
    case DO_OUT:
        take_line_out(assign);
        break;
    default:
        assign_back(assign);
    }
}

static bool line_step(assign *assign, unsigned row, int by) {
    line_row rows[LINE_ROWS];
    bool is_number = row < list_line(assign, rows) && rows[row].what == DO_FIELD;
    const char *key =
        is_number ? draft_key(&assign->draft, DRAFT_PARAMETER + assign->line, rows[row].number)
                  : NULL;
    if (key)
        assign_step_line(assign, DRAFT_PARAMETER + assign->line, key, by, false);
    return key != NULL;
}

const assign_shown assign_line_screen = {line_title, line_rows, line_row_of, line_choose,
                                         line_step};

bool assign_add_listed(assign *assign, draft_place place, const char *key, const char *control) {
    char text[ASSIGN_TEXT], longer[ASSIGN_TEXT + 200];
    draft_written(&assign->draft, place, key, text, sizeof text);
    size_t length = strlen(text);
    if (*text == 0)
        snprintf(longer, sizeof longer, place == DRAFT_SECTION + SECTION_REBIND ? "[%s]" : "%s",
                 control);
    else if (*text == '[' && text[length - 1] == ']')
        snprintf(longer, sizeof longer, "%.*s, %s]", (int)length - 1, text, control);
    else
        snprintf(longer, sizeof longer, "[%s, %s]", text, control);
    bool good = draft_write(&assign->draft, place, key, longer);
    assign_take(assign, good);
    return good;
}

void assign_take_listed(assign *assign, const char *control) {
    if (!assign_add_listed(assign, assign->list_place, assign->list_key, control))
        return;
    assign_home_to(assign, SCREEN_LISTEN);
    assign->depth--;
}

/* ---- what was typed ---- */

/* What a line has is one line of text. */
static void end_written(assign *assign) {
    char key[100], text[ASSIGN_ENTRY];
    put_text(key, sizeof key, lines_key(assign));
    put_text(text, sizeof text, assign->entry);
    if (!*text) {
        assign_say(assign, "nothing was typed; a line is taken out by its own row");
        return;
    }
    bool good = draft_write(&assign->draft, lines_place(assign), key, text);
    assign_take(assign, good);
    if (good)
        assign_home_to(assign, SCREEN_LINE);
}

static void end_name(assign *assign) {
    put_text(assign->new_name, sizeof assign->new_name, assign->entry);
    assign_home_to(assign, SCREEN_LINES);
    if (assign->asked == ASKED_NAMED)
        assign_listen(assign, FOR_NAMED);
    else if (assign->asked == ASKED_MACRO)
        assign_listen(assign, FOR_MACRO);
    else if (part_of(assign)->section == SECTION_PARAMETERS)
        assign_take(assign, draft_write(&assign->draft, lines_place(assign), assign->new_name,
                                        "{value: 50%, min: 0%, max: 100%, step: 1%}"));
    else
        assign_open_kinds(assign);
}

void assign_end_part_text(assign *assign) {
    const char *key;
    if (assign->asked == ASKED_WRITTEN) {
        end_written(assign);
        return;
    }
    if (assign->asked == ASKED_TEST) {
        assign_end_test_name(assign);
        return;
    }
    for (unsigned i = 0; (key = draft_key(&assign->draft, lines_place(assign), i)); i++)
        if (strcmp(key, assign->entry) == 0) {
            assign_say(assign, "there is one of that name");
            return;
        }
    if (draft_may_be_name(assign->entry))
        end_name(assign);
    else
        assign_say(assign, "a name is of letters, numbers and _, and begins with a letter");
}

void assign_take_named(assign *assign, const char *formula) {
    bool good = draft_set(&assign->draft, DRAFT_SECTION + SECTION_NAMED, assign->new_name, formula);
    assign_take(assign, good);
    if (!good)
        return;
    assign_home_to(assign, SCREEN_LINES);
    assign_open_formula(assign, "named", assign->new_name);
}
