/* Pressed, moved, or chosen from a list: what shall drive it. */
#include "tool/assign/parts.h"

#include <stdarg.h>
#include <string.h>

#include "compiler/formulas/controls.h"

static void put(char *text, size_t size, const char *words) {
    snprintf(text, size, "%.*s", (int)size - 1, words);
}

/* How many presses are wanted for what the screens are about, and what they are for. */
static unsigned presses_of(const assign *assign, const char *const **words) {
    static const char *const effects[] = {"left", "right", "up", "down"};
    static const char *const two[] = {"back", "forth"};
    const assign_target *target = assign_target_of(assign);
    bool is_stick = target && target->type == VALUE_STICK;
    *words = is_stick ? effects : two;
    return assign->wanted != FOR_CELL || !target ? 1
           : is_stick                            ? 4
           : target->type == VALUE_AXIS          ? 2
                                                 : 1;
}

/* ---- waiting for it ---- */

static void listen_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    const char *const *words;
    unsigned presses = presses_of(assign, &words);
    const char *name = target ? target->name : "";
    if (assign->wanted == FOR_LAYER)
        put(text, size, "press what is held while the layer is on");
    else if (assign->wanted == FOR_WAY)
        snprintf(text, size, "press the other control for %s", name);
    else if (presses > 1 && assign->pressed_count > 0)
        snprintf(text, size, "press what shall be %s of %s", words[assign->pressed_count], name);
    else if (presses > 1)
        snprintf(text, size, "move what shall drive %s, or press what shall be its %s", name,
                 words[0]);
    else
        snprintf(text, size, "press or move what shall drive %s", name);
}

static unsigned listen_rows(const assign *assign) {
    (void)assign;
    return 2;
}

static void listen_row(const assign *assign, unsigned row, assign_row *shown) {
    (void)assign;
    put(shown->text, sizeof shown->text, row ? "back" : "choose it from a list");
}

static void listen_choose(assign *assign, unsigned row) {
    if (row)
        assign_back(assign);
    else
        assign_open(assign, SCREEN_INPUTS);
}

const assign_shown assign_listen_screen = {listen_title, listen_rows, listen_row, listen_choose,
                                           NULL};

bool assign_listens(const assign *assign) {
    return assign->hands && assign_screen_of(assign) == SCREEN_LISTEN;
}

void assign_look(assign *assign) {
    hands_move move;
    char held[ASSIGN_HELD][HANDS_NAME];
    if (!assign_listens(assign) || !hands_moved(assign->hands, &move))
        return;
    unsigned count = hands_held(assign->hands, &move, held, ASSIGN_HELD);
    assign_take_control(assign, &move, held, count);
}

/* ---- what it may mean ---- */

__attribute__((format(printf, 3, 4))) static void add(assign *assign, const char *words,
                                                      const char *format, ...) {
    va_list arguments;
    if (assign->choice_count == ASSIGN_CHOICES)
        return;
    assign_choice *choice = &assign->choices[assign->choice_count++];
    put(choice->words, sizeof choice->words, words);
    va_start(arguments, format);
    vsnprintf(choice->formula, sizeof choice->formula, format, arguments);
    va_end(arguments);
}

/* The stick that an x or a y is of; false: it is of none. */
static bool stick_of(const assign *assign, const char *name, char *stick) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    size_t length = strlen(name), front = strcspn(name, ".");
    put(stick, HANDS_NAME, name);
    if (length < front + 2 || name[length - 2] != '.' || !strchr("xy", name[length - 1]))
        return false;
    for (unsigned i = 0; i < compiled->input_count; i++) {
        const yt_profile_input *input = &compiled->inputs[i];
        yt_control_meaning meaning;
        char other[HANDS_NAME];
        put(other, sizeof other, name + front + 1);
        other[strlen(other) - 1] = name[length - 1] == 'x' ? 'y' : 'x';
        if (strncmp(input->name, name, front) == 0 && input->name[front] == 0 &&
            input_control_find(input, other, strlen(other), false, &meaning)) {
            stick[length - 2] = 0;
            return true;
        }
    }
    return false;
}

static void add_for_switch(assign *assign, const hands_move *move) {
    bool is_up = move->to > move->from;
    switch (move->kind) {
    case YT_SWITCH:
        add(assign, "as it is", "%s", move->name);
        break;
    case YT_LEVEL:
        add(assign, "from the middle of its way on", "pressed(%s)", move->name);
        break;
    case YT_AXIS:
        add(assign, "this direction, from its middle on", "%s %s50%%", move->name,
            is_up ? "> " : "< -");
        break;
    default:
        add(assign, "while it moves this way", "%s %s 0", move->name, is_up ? ">" : "<");
    }
}

static void add_for_number(assign *assign, const hands_move *move, bool is_level) {
    bool is_up = move->to > move->from;
    switch (move->kind) {
    case YT_AXIS:
        if (is_level)
            add(assign, "this direction", is_up ? "max(%s, 0%%)" : "max(-1 * %s, 0%%)", move->name);
        else
            add(assign, "as it is", "%s", move->name);
        break;
    case YT_LEVEL:
    case YT_SWITCH:
        add(assign, "as it is", "%s", move->name);
        break;
    default:
        break;
    }
}

static void add_for_stick(assign *assign, const hands_move *move) {
    char stick[HANDS_NAME];
    bool is_of_stick = stick_of(assign, move->name, stick);
    if (move->kind == YT_AXIS && is_of_stick)
        add(assign, "the whole stick", "%s", stick);
    if (move->kind == YT_AXIS) {
        add(assign, "this direction alone, left and right", "stick(x=%s, y=0%%)", move->name);
        add(assign, "this direction alone, up and down", "stick(x=0%%, y=%s)", move->name);
    }
    if (move->kind == YT_MOTION && is_of_stick)
        add(assign, "how fast it moves", "stick_from_motion(%s, full_at=1500 /s)", stick);
}

static void add_for_motion(assign *assign, const hands_move *move, bool is_pair) {
    char stick[HANDS_NAME];
    bool is_of_stick = stick_of(assign, move->name, stick);
    if (move->kind == YT_MOTION)
        add(assign, "as it is", "%s", is_pair && is_of_stick ? stick : move->name);
    if (move->kind == YT_AXIS)
        add(assign, "as fast as it is moved", "%s * 1000 /s",
            is_pair && is_of_stick ? stick : move->name);
    if (move->kind == YT_SWITCH && !is_pair) {
        add(assign, "a step at each press", "step(%s, 1)", move->name);
        add(assign, "a step back at each press", "step(%s, -1)", move->name);
    }
}

/* Several presses in a row are one stick, or one axis. True: another one is wanted, or it is done.
 */
static bool take_press(assign *assign, const hands_move *move) {
    const char *const *words;
    const assign_target *target = assign_target_of(assign);
    unsigned presses = presses_of(assign, &words);
    if (presses == 1 || move->kind != YT_SWITCH || !target)
        return false;
    put(assign->pressed[assign->pressed_count++], sizeof assign->pressed[0], move->name);
    if (assign->pressed_count < presses) {
        if (assign->hands)
            hands_listen(assign->hands);
        assign_home_to(assign, SCREEN_LISTEN);
        return true;
    }
    if (presses == 4)
        add(assign, "these four", "stick(left=%s, right=%s, up=%s, down=%s)", assign->pressed[0],
            assign->pressed[1], assign->pressed[2], assign->pressed[3]);
    else
        add(assign, "these two", "last_wins(%s, %s)", assign->pressed[0], assign->pressed[1]);
    return false;
}

static void add_all(assign *assign, const hands_move *move) {
    const assign_target *target = assign_target_of(assign);
    yt_formula_type type = assign->wanted != FOR_CELL || !target ? VALUE_SWITCH : target->type;
    switch (type) {
    case VALUE_SWITCH:
        add_for_switch(assign, move);
        break;
    case VALUE_LEVEL:
    case VALUE_AXIS:
        add_for_number(assign, move, type == VALUE_LEVEL);
        break;
    case VALUE_STICK:
        add_for_stick(assign, move);
        break;
    default:
        add_for_motion(assign, move, type == VALUE_MOTION_PAIR);
    }
}

static void take_choice(assign *assign, const char *formula) {
    switch (assign->wanted) {
    case FOR_CELL:
        if (assign_drive(assign, formula))
            assign_home_to(assign, SCREEN_CELL);
        else
            assign_home_to(assign, SCREEN_LISTEN);
        break;
    case FOR_WAY:
        assign_take_other(assign, formula);
        break;
    default:
        put(assign->condition, sizeof assign->condition, formula);
        assign_ask(assign, ASKED_LAYER, "");
    }
}

void assign_take_control(assign *assign, const hands_move *move, char held[][HANDS_NAME],
                         unsigned held_count) {
    assign->choice_count = 0;
    if (take_press(assign, move))
        return;
    if (assign->choice_count == 0)
        add_all(assign, move);
    unsigned plain = assign->choice_count;
    for (unsigned i = 0; i < held_count && plain && assign->wanted == FOR_CELL &&
                         move->kind == YT_SWITCH && assign->pressed_count == 0;
         i++)
        add(assign, "while another is held", "%s and %s", assign->choices[0].formula, held[i]);
    if (assign->choice_count == 0) {
        char text[200];
        snprintf(text, sizeof text, "%s is of a kind that does not drive this", move->name);
        assign_home_to(assign, SCREEN_LISTEN);
        assign_say(assign, text);
        if (assign->hands)
            hands_listen(assign->hands);
    } else if (assign->choice_count == 1) {
        take_choice(assign, assign->choices[0].formula);
    } else {
        assign_home_to(assign, SCREEN_LISTEN);
        assign_open(assign, SCREEN_CHOICES);
    }
}

static void choices_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put(text, size, "how is that meant");
}

static unsigned choices_rows(const assign *assign) {
    return assign->choice_count + 1;
}

static void choices_row(const assign *assign, unsigned row, assign_row *shown) {
    bool is_one = row < assign->choice_count;
    put(shown->text, sizeof shown->text, is_one ? assign->choices[row].formula : "back");
    put(shown->name, sizeof shown->name, is_one ? assign->choices[row].words : "");
    shown->is_part = is_one;
}

static void choices_choose(assign *assign, unsigned row) {
    if (row < assign->choice_count)
        take_choice(assign, assign->choices[row].formula);
    else
        assign_back(assign);
}

const assign_shown assign_choices_screen = {choices_title, choices_rows, choices_row,
                                            choices_choose, NULL};

/* ---- from a list ---- */

#define NAMES 512

static void inputs_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put(text, size, "of which input");
}

static unsigned inputs_rows(const assign *assign) {
    return draft_compiled(&assign->draft)->input_count + 1;
}

static void inputs_row(const assign *assign, unsigned row, assign_row *shown) {
    const yt_compiled *compiled = draft_compiled(&assign->draft);
    bool is_one = row < compiled->input_count;
    put(shown->text, sizeof shown->text, is_one ? compiled->inputs[row].kind->name : "back");
    put(shown->name, sizeof shown->name, is_one ? compiled->inputs[row].name : "");
    shown->is_part = is_one;
}

static void add_control(assign *assign, const yt_profile_input *input, const char *name) {
    yt_control_meaning meaning;
    if (assign->control_count < NAMES &&
        input_control_find(input, name, strlen(name), false, &meaning))
        assign->controls[assign->control_count++] =
            pool_print(&assign->pool, "%s.%s", input->name, name);
}

/* What its description names, then what its kind has. */
static void list_controls(assign *assign) {
    const yt_profile_input *input = &draft_compiled(&assign->draft)->inputs[assign->input];
    const char *names[NAMES];
    size_t count = control_names(input->kind, names, NAMES);
    pool_free(&assign->pool);
    assign->controls = pool_take(&assign->pool, NAMES * sizeof *assign->controls);
    assign->control_count = 0;
    for (unsigned i = 0; input->description && i < input->description->control_count; i++)
        if (!input->description->controls[i].is_target)
            add_control(assign, input, input->description->controls[i].name);
    for (size_t i = 0; i < count; i++)
        if (control_is_usual(input->kind, names[i]))
            add_control(assign, input, names[i]);
}

static void inputs_choose(assign *assign, unsigned row) {
    if (row >= draft_compiled(&assign->draft)->input_count) {
        assign_back(assign);
        return;
    }
    assign->input = row;
    list_controls(assign);
    assign_open(assign, SCREEN_CONTROLS);
}

const assign_shown assign_inputs_screen = {inputs_title, inputs_rows, inputs_row, inputs_choose,
                                           NULL};

static void controls_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put(text, size, "which of its controls");
}

static unsigned controls_rows(const assign *assign) {
    return assign->control_count + 1;
}

static void controls_row(const assign *assign, unsigned row, assign_row *shown) {
    bool is_one = row < assign->control_count;
    put(shown->text, sizeof shown->text, is_one ? assign->controls[row] : "back");
    shown->is_part = is_one;
}

static void controls_choose(assign *assign, unsigned row) {
    yt_control_meaning meaning;
    const yt_profile_input *input = &draft_compiled(&assign->draft)->inputs[assign->input];
    if (row >= assign->control_count) {
        assign_back(assign);
        return;
    }
    const char *name = strchr(assign->controls[row], '.') + 1;
    hands_move move = {.to = 1};
    put(move.name, sizeof move.name, assign->controls[row]);
    if (!input_control_find(input, name, strlen(name), false, &meaning))
        return;
    move.kind = (yt_kind)meaning.name.kind;
    assign_take_control(assign, &move, NULL, 0);
}

const assign_shown assign_controls_screen = {controls_title, controls_rows, controls_row,
                                             controls_choose, NULL};
