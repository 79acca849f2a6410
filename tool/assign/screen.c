/* The full screen: the rows on the left, what is pressed on the right, keys for all of it. */
#include <curses.h>
#include <string.h>

#include "compiler/messages/plain.h"
#include "tool/assign/curve.h"
#include "tool/assign/faces.h"
#include "tool/assign/parts.h"
#include "tool/output.h"
#include "tool/playing.h"

#define WAIT_MS      25
#define HEAD         2  /* lines above the rows, */
#define FOOT         3  /* and below */
#define WIDE         92 /* columns from which what is pressed stands beside the rows */
#define SIDE         30 /* columns of that */
#define NAME_WIDTH   24
#define NUMBER_WIDTH 7
#define NOW_WIDTH    10

enum { PAIR_NOTHING, PAIR_ON, PAIR_SAID, PAIR_WARNING, PAIR_WRONG };

typedef struct face {
    assign *assign;
    const face_options *options;
    bool has_colours, shows_help;
    unsigned first; /* row that is shown on top */
    int name_width; /* of the column with names */
    curve curve;
    uint64_t now_us, moved_us;
} face;

/* ---- keys ---- */

typedef enum act { ACT_DOWN, ACT_UP, ACT_CHOOSE, ACT_BACK, ACT_LESS, ACT_MORE, ACTS, ACT_NONE } act;

static const char *const act_names[ACTS] = {"down", "up", "choose", "back", "less", "more"};

static const struct {
    const char *name;
    int key, other;
} key_names[] = {{"space", ' ', ' '},
                 {"enter", '\n', KEY_ENTER},
                 {"escape", 27, 27},
                 {"tab", '\t', '\t'},
                 {"backspace", KEY_BACKSPACE, 127},
                 {"up", KEY_UP, KEY_UP},
                 {"down", KEY_DOWN, KEY_DOWN},
                 {"left", KEY_LEFT, KEY_LEFT},
                 {"right", KEY_RIGHT, KEY_RIGHT}};
#define KEY_NAMES (sizeof key_names / sizeof key_names[0])

/* "down=n": which act, and whether a key is the one. False: it is not so written. */
static bool read_pair(const char *pair, size_t length, act *act, int key, bool *is_it) {
    size_t front = 0;
    while (front < length && pair[front] != '=')
        front++;
    *act = ACT_DOWN;
    while (*act < ACTS &&
           (strlen(act_names[*act]) != front || memcmp(act_names[*act], pair, front) != 0))
        (*act)++;
    if (*act == ACTS || front + 1 >= length)
        return false;
    const char *name = pair + front + 1;
    size_t rest = length - front - 1;
    *is_it = rest == 1 && key == (unsigned char)*name;
    for (size_t i = 0; i < KEY_NAMES && rest > 1; i++)
        if (strlen(key_names[i].name) == rest && memcmp(key_names[i].name, name, rest) == 0) {
            *is_it = key == key_names[i].key || key == key_names[i].other;
            return true;
        }
    return rest == 1 && *name > ' ' && *name < 127;
}

bool face_keys_good(const char *keys, bool scans, char *wrong, size_t size) {
    bool has_choose = false, has_way = false;
    for (const char *at = keys; *at;) {
        size_t length = strcspn(at, " ");
        act act;
        bool is_it;
        if (length > 0 && !read_pair(at, length, &act, 0, &is_it)) {
            snprintf(
                wrong, size,
                "\"%.*s\" is not what it takes, as in down=n; before the = stands one of down, "
                "up, choose, back, less, more, behind it a character or one of space, enter, "
                "escape, tab, backspace, up, down, left, right",
                (int)length, at);
            return false;
        }
        has_choose |= length > 0 && act == ACT_CHOOSE;
        has_way |= length > 0 && (act == ACT_DOWN || act == ACT_UP);
        at += length + (at[length] == ' ');
    }
    if (!has_choose || !(has_way || scans))
        snprintf(
            wrong, size,
            "keys for choose and for down or up are needed, as in \"down=n choose=space\"; with "
            "--scan, choose is enough");
    return has_choose && (has_way || scans);
}

static act chosen_act(const char *keys, int key) {
    for (const char *at = keys; *at;) {
        size_t length = strcspn(at, " ");
        act act;
        bool is_it;
        if (length > 0 && read_pair(at, length, &act, key, &is_it) && is_it)
            return act;
        at += length + (at[length] == ' ');
    }
    return ACT_NONE;
}

static act usual_act(int key) {
    switch (key) {
    case KEY_DOWN:
        return ACT_DOWN;
    case KEY_UP:
        return ACT_UP;
    case '\n':
    case '\r':
    case KEY_ENTER:
        return ACT_CHOOSE;
    case 27:
        return ACT_BACK;
    case KEY_LEFT:
        return ACT_LESS;
    case KEY_RIGHT:
        return ACT_MORE;
    default:
        return ACT_NONE;
    }
}

static void do_act(assign *assign, act act) {
    switch (act) {
    case ACT_DOWN:
    case ACT_UP:
        assign_move(assign, act == ACT_DOWN ? 1 : -1);
        break;
    case ACT_CHOOSE:
        assign_choose(assign);
        break;
    case ACT_BACK:
        assign_back(assign);
        break;
    case ACT_LESS:
    case ACT_MORE:
        if (assign_step(assign, act == ACT_MORE ? 1 : -1))
            break;
        if (act == ACT_MORE)
            assign_choose(assign);
        else if (assign->depth > 0)
            assign_back(assign);
        break;
    default:
        break;
    }
}

/* The cell that the cursor is at, as the one that is worked on. */
static bool at_cell(assign *assign) {
    unsigned row = assign->levels[0].cursor;
    if (assign_screen_of(assign) == SCREEN_SHEET && row > 0)
        assign->target = row - 1;
    return assign_is_about_cell(assign);
}

static void take_letter(face *face, int key) {
    assign *assign = face->assign;
    const assign_target *target = at_cell(assign) ? assign_target_of(assign) : NULL;
    bool is_copy;
    int rows = LINES - HEAD - FOOT;
    switch (key) {
    case 'u':
        assign_undo(assign);
        break;
    case 'r':
        assign_redo(assign);
        break;
    case 's':
        assign_save(assign);
        break;
    case 'a':
        assign_open_box(assign);
        break;
    case 'l':
        assign_open(assign, SCREEN_LAYERS);
        break;
    case 'w':
        assign_open(assign, SCREEN_FINDINGS);
        break;
    case '/':
        assign_ask(assign, ASKED_SEARCH, "");
        break;
    case 'n':
        assign_search(assign, assign->found);
        break;
    case 'q':
        assign_leave(assign);
        break;
    case '?':
        face->shows_help = true;
        break;
    case KEY_NPAGE:
    case KEY_PPAGE:
        for (int i = 0; i < rows - 1; i++)
            assign_move(assign, key == KEY_NPAGE ? 1 : -1);
        break;
    case ' ':
        if (assign->hands)
            assign->hands->is_playing = !assign->hands->is_playing;
        break;
    case 'p':
        if (target)
            assign_listen(assign, FOR_CELL);
        break;
    case 'e':
        if (target)
            assign_ask(assign, ASKED_FORMULA,
                       assign_formula(assign, target, &is_copy)
                           ? assign_formula(assign, target, &is_copy)
                           : "");
        break;
    case 'c':
    case 'x':
        assign->purpose = key == 'x' ? TO_SWAP : TO_COPY;
        if (target)
            assign_open(assign, SCREEN_TARGETS);
        break;
    case 'd':
        if (target)
            assign_put(assign, "none");
        break;
    default:
        break;
    }
}

static void take_key(face *face, int key) {
    assign *assign = face->assign;
    const char *keys = face->options->keys;
    face->moved_us = face->now_us;
    if (face->shows_help) {
        face->shows_help = false;
        assign->is_changed = true;
        return;
    }
    if (keys) {
        do_act(assign, chosen_act(keys, key));
        return;
    }
    act act = usual_act(key);
    bool is_text = assign_screen_of(assign) == SCREEN_TEXT;
    if (is_text && (key == KEY_BACKSPACE || key == 127 || key == '\b'))
        assign_type(assign, "\b");
    else if (is_text && key >= ' ' && key < 127)
        assign_type(assign, (char[]){(char)key, 0});
    else if (act != ACT_NONE)
        do_act(assign, act);
    else if (key == KEY_BACKSPACE || key == 127)
        assign_back(assign);
    else
        take_letter(face, key);
}

/* ---- drawing ---- */

static attr_t coloured(const face *face, int pair, attr_t without) {
    return face->has_colours ? (attr_t)COLOR_PAIR(pair) : without;
}

/* A text in a field of a width, cut at its end, which is said by a mark. */
static void put(int line, int column, int width, attr_t look, const char *words) {
    char text[ASSIGN_TEXT];
    if (width <= 0 || line < 0 || line >= LINES)
        return;
    snprintf(text, sizeof text, "%s", words);
    plain_line(text);
    size_t length = strlen(text);
    attrset((int)look);
    mvaddnstr(line, column, text, width);
    if (length > (size_t)width && width > 1)
        mvaddch(line, column + width - 1, '>');
    attrset(A_NORMAL);
}

static bool has_columns(const assign *assign) {
    assign_screen screen = assign_screen_of(assign);
    return screen == SCREEN_SHEET || screen == SCREEN_TARGETS;
}

static void draw_columns(int width) {
    int column = 1;
    put(1, column, width - column, A_DIM, "the host gets");
    column += NAME_WIDTH + 1;
    put(1, column, width - column, A_DIM, "button");
    column += NUMBER_WIDTH + 1;
    put(1, column, width - column, A_DIM, "now");
    column += NOW_WIDTH + 1;
    put(1, column, width - column, A_DIM, "from");
}

/* The formula of the cell, wherever one is worked on. */
static void draw_formula(const assign *assign, int width) {
    char text[ASSIGN_TEXT];
    bool is_copy;
    const assign_target *target = assign_target_of(assign);
    const char *formula = target ? assign_formula(assign, target, &is_copy) : NULL;
    if (!assign_is_about_cell(assign) || assign_screen_of(assign) == SCREEN_CELL || !formula)
        return;
    snprintf(text, sizeof text, "%s: %s", target->name, formula);
    put(1, 1, width - 1, A_BOLD, text);
}

/* So wide that the names of all rows stand there, as far as there is room. */
static int longest_name(const assign *assign, int width) {
    size_t longest = 0;
    for (unsigned i = 0; i < assign_rows(assign); i++) {
        assign_row row;
        assign_row_of(assign, i, &row);
        longest = strlen(row.name) > longest ? strlen(row.name) : longest;
    }
    int wanted = (int)longest + 1;
    return wanted < width * 2 / 3 ? wanted : width * 2 / 3;
}

static void draw_row(const face *face, int line, int width, unsigned row) {
    const assign *assign = face->assign;
    assign_row shown;
    bool is_cursor = row == assign_cursor(assign);
    assign_row_of(assign, row, &shown);
    attr_t look = is_cursor ? A_REVERSE : shown.is_part ? A_NORMAL : A_DIM;
    attr_t on = is_cursor     ? A_REVERSE | A_BOLD
                : shown.is_on ? coloured(face, PAIR_ON, A_BOLD) | A_BOLD
                              : look;
    int column = 1;
    if (is_cursor)
        for (int i = 0; i < width; i++)
            mvaddch(line, i, ' ' | A_REVERSE);
    put(line, 0, 1, look, is_cursor ? ">" : " ");
    if (*shown.name) {
        put(line, column, face->name_width, on, shown.name);
        column += face->name_width + 1;
    }
    bool is_sheet = has_columns(assign);
    if (is_sheet && *shown.name) {
        put(line, column, NUMBER_WIDTH, look, shown.number);
        column += NUMBER_WIDTH + 1;
        put(line, column, NOW_WIDTH, on, shown.now);
        column += NOW_WIDTH + 1;
    }
    put(line, column, width - column, look, shown.text);
}

static void draw_side(const face *face, int column, int lines) {
    const hands *hands = face->assign->hands;
    int line = HEAD;
    put(line++, column, SIDE, A_BOLD, "pressed now");
    if (!hands) {
        put(line, column, SIDE, A_DIM, "(no device: none was named)");
        return;
    }
    for (unsigned i = 0; i < hands_devices(hands); i++) {
        char text[100];
        for (unsigned k = 0; hands_pressed(hands, i, &k, text, sizeof text); k++)
            if (line < HEAD + lines)
                put(line++, column, SIDE, coloured(face, PAIR_ON, A_NORMAL), text);
    }
}

/* The curve of the cell in a field, with a mark where what drives it is now. */
static void draw_curve(face *face, int line, int column, int width, int height) {
    const assign *assign = face->assign;
    assign_screen screen = assign_screen_of(assign);
    const curve *curve = &face->curve;
    double now;
    char text[200];
    bool is_shown = screen == SCREEN_CELL || screen == SCREEN_WAYS || screen == SCREEN_WAY ||
                    screen == SCREEN_NUMBER;
    if (height < 6 || width < 20 || !is_shown || !curve_take(&face->curve, assign))
        return;
    snprintf(text, sizeof text, "of %s", curve->from);
    put(line, column, width, A_DIM, text);
    line++;
    height -= 2;
    double span = curve->out_highest - curve->out_lowest;
    mvvline(line, column, ACS_VLINE, height);
    mvhline(line + height, column, ACS_HLINE, width);
    mvaddch(line + height, column, ACS_LLCORNER);
    bool has_now = assign->hands && hands_input(assign->hands, curve->from, &now);
    for (int x = 1; x < width; x++) {
        double in = curve->lowest + (curve->highest - curve->lowest) * (x - 1) / (width - 2);
        double out = (curve_at(curve, in) - curve->out_lowest) / span;
        int y = (int)((1 - out) * (height - 1) + 0.5);
        mvaddch(line + (y < 0 ? 0 : y >= height ? height - 1 : y), column + x, '*');
    }
    if (!has_now)
        return;
    double share = (now - curve->lowest) / (curve->highest - curve->lowest);
    int x = 1 + (int)(share * (width - 2) + 0.5);
    double out = (curve_at(curve, now) - curve->out_lowest) / span;
    int y = (int)((1 - out) * (height - 1) + 0.5);
    attrset((int)(coloured(face, PAIR_ON, A_REVERSE) | A_BOLD));
    mvaddch(line + (y < 0         ? 0
                    : y >= height ? height - 1
                                  : y),
            column + (x < 1        ? 1
                      : x >= width ? width - 1
                                   : x),
            'O');
    attrset(A_NORMAL);
}

static void draw_foot(const face *face) {
    const assign *assign = face->assign;
    unsigned warnings = assign_findings(assign);
    char text[200];
    mvhline(LINES - FOOT, 0, ACS_HLINE, COLS);
    if (*assign->said)
        put(LINES - 2, 1, COLS - 2, coloured(face, PAIR_SAID, A_BOLD) | A_BOLD, assign->said);
    else if (*assign->testing.wrong) {
        put(LINES - 2, 1, COLS - 2, coloured(face, PAIR_WRONG, A_BOLD), assign->testing.wrong);
    } else if (warnings > 0) {
        snprintf(text, sizeof text, "%u warning%s: w shows %s", warnings, warnings == 1 ? "" : "s",
                 warnings == 1 ? "it" : "them");
        put(LINES - 2, 1, COLS - 2, coloured(face, PAIR_WARNING, A_NORMAL), text);
    }
    assign_screen screen = assign_screen_of(assign);
    bool has_numbers = screen == SCREEN_WAY || screen == SCREEN_NUMBER || screen == SCREEN_AMOUNT;
    put(LINES - 1, 1, COLS - 2, A_DIM,
        face->options->keys     ? face->options->keys
        : screen == SCREEN_TEXT ? "type it, enter: done, escape: back"
        : has_numbers ? "left, right: less, more  enter: choose  escape: back  u: undo  s: save  "
                        "?: all keys"
                      : "enter: choose  escape: back  p: press  e: edit  u: undo  s: save  "
                        "q: leave  ?: all keys");
}

static void draw_help(void) {
    static const char *const lines[] = {
        "up, down       to a row",
        "enter, right   choose it",
        "escape, left   back; of numbers, left and right are less and more",
        "p              press or move what shall drive the cell",
        "e              write its formula",
        "c, x           copy it to another one, swap it with another one",
        "d              nothing drives it",
        "l              layers",
        "a              to the adapter: try it, keep it, take it back",
        "u, r           undo, do it again",
        "/, n           look for something, and again",
        "w              tests that fail, warnings, what nothing drives",
        "s, q           save, leave",
        "space          recordings go on, or stop"};
    for (size_t i = 0; i < sizeof lines / sizeof lines[0]; i++)
        put(HEAD + (int)i, 2, COLS - 3, A_NORMAL, lines[i]);
}

static void draw(face *face) {
    const assign *assign = face->assign;
    char title[ASSIGN_TEXT], head[ASSIGN_TEXT + 100];
    unsigned rows = assign_rows(assign), cursor = assign_cursor(assign);
    int lines = LINES - HEAD - FOOT;
    bool is_wide = COLS >= WIDE;
    int width = is_wide ? COLS - SIDE - 2 : COLS;
    erase();
    if (lines < 1 || COLS < 20) {
        put(0, 0, COLS, A_NORMAL, "too small");
        refresh();
        return;
    }
    assign_title(assign, title, sizeof title);
    snprintf(head, sizeof head, " %s", title);
    for (int i = 0; i < COLS; i++)
        mvaddch(0, i, ' ' | A_REVERSE);
    put(0, 0, COLS, A_REVERSE | A_BOLD, head);
    if (face->shows_help) {
        draw_help();
    } else {
        if (cursor < face->first)
            face->first = cursor;
        if (cursor >= face->first + (unsigned)lines)
            face->first = cursor - (unsigned)lines + 1;
        if (rows <= (unsigned)lines)
            face->first = 0;
        if (has_columns(assign))
            draw_columns(width);
        else
            draw_formula(assign, width);
        face->name_width = has_columns(assign) ? NAME_WIDTH : longest_name(assign, width);
        for (unsigned i = 0; i < (unsigned)lines && face->first + i < rows; i++)
            draw_row(face, HEAD + (int)i, width, face->first + i);
        draw_curve(face, HEAD + (int)rows + 1, 2, width < 64 ? width - 4 : 60,
                   lines - (int)rows - 1 > 16 ? 16 : lines - (int)rows - 1);
        if (is_wide) {
            mvvline(1, width, ACS_VLINE, LINES - FOOT - 1);
            draw_side(face, width + 2, lines - 1);
        }
    }
    draw_foot(face);
    refresh();
}

/* ---- the loop ---- */

static void begin_colours(face *face) {
    face->has_colours = output_has_colours() && has_colors();
    if (!face->has_colours)
        return;
    start_color();
    use_default_colors();
    init_pair(PAIR_ON, COLOR_GREEN, -1);
    init_pair(PAIR_SAID, COLOR_CYAN, -1);
    init_pair(PAIR_WARNING, COLOR_YELLOW, -1);
    init_pair(PAIR_WRONG, COLOR_RED, -1);
}

static void look_at_hands(face *face, uint64_t past_us) {
    assign *assign = face->assign;
    hands *hands = assign->hands;
    if (!hands)
        return;
    bool is_live = hands_are_live(hands);
    if (!is_live && !hands->is_playing && !assign_listens(assign))
        return;
    hands_advance(hands, past_us);
    assign_look(assign);
    assign->is_changed = true;
}

/* The terminal is as it was, so that an adapter can ask for a press. */
static void step_aside(bool begins) {
    if (begins) {
        def_prog_mode();
        endwin();
    } else {
        reset_prog_mode();
        clearok(stdscr, TRUE);
    }
}

bool assign_on_screen(assign *assign, const face_options *options) {
    face face = {.assign = assign, .options = options};
    if (!panel_open(WAIT_MS))
        return false;
    set_escdelay(25);
    assign->aside = step_aside;
    begin_colours(&face);
    face.now_us = face.moved_us = clock_us();
    while (!assign->leaves && !is_stopped()) {
        unsigned level = assign->depth;
        if (assign->is_changed)
            draw(&face);
        assign->is_changed = false;
        int key = getch();
        uint64_t before_us = face.now_us;
        face.now_us = clock_us();
        if (key == KEY_RESIZE)
            assign->is_changed = true;
        else if (key != ERR)
            take_key(&face, key);
        look_at_hands(&face, face.now_us - before_us);
        assign->is_changed |= testing_look(&assign->testing, 0);
        if (options->scan_us && face.now_us - face.moved_us >= options->scan_us) {
            assign_move(assign, 1);
            face.moved_us = face.now_us;
        }
        if (assign->depth != level)
            face.first = 0;
    }
    endwin();
    return true;
}
