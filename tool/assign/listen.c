/* Pressed or moved: what shall drive it, and how that may be meant. */
#include "tool/assign/parts.h"

#include <stdarg.h>
#include <string.h>

/* What it is wanted for takes things of that type; VALUE_NOTHING: any. */
static yt_formula_type wanted_type(const assign *assign) {
    const assign_target *target = assign_target_of(assign);
    switch (assign->wanted) {
    case FOR_CELL:
        return target ? target->type : VALUE_SWITCH;
    case FOR_NAMED:
        return VALUE_NOTHING;
    case FOR_WAY: /* how far it is may be wanted, too */
        return assign_wants_number(assign) ? VALUE_LEVEL : VALUE_SWITCH;
    default:
        return VALUE_SWITCH;
    }
}

/* How many presses are wanted for what the screens are about, and what they are for. */
static unsigned presses_of(const assign *assign, const char *const **words) {
    static const char *const sides[] = {"left", "right", "up", "down"};
    static const char *const two[] = {"back", "forth"};
    yt_formula_type type = wanted_type(assign);
    *words = type == VALUE_STICK ? sides : two;
    return assign->wanted != FOR_CELL ? 1 : type == VALUE_STICK ? 4 : type == VALUE_AXIS ? 2 : 1;
}

/* ---- waiting for it ---- */

static void listen_title(const assign *assign, char *text, size_t size) {
    const assign_target *target = assign_target_of(assign);
    const char *const *words;
    unsigned presses = presses_of(assign, &words);
    const char *name = target ? target->name : "";
    if (assign->wanted == FOR_LAYER)
        put_text(text, size, "press what is held while the layer is on");
    else if (assign->wanted == FOR_LIST)
        snprintf(text, size, "press what goes into %s", assign->list_key);
    else if (assign->wanted == FOR_NAMED)
        snprintf(text, size, "press or move what %s begins with", assign->new_name);
    else if (assign->wanted == FOR_MACRO)
        snprintf(text, size, "press what sets %s off", assign->new_name);
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
    put_text(shown->text, sizeof shown->text, row ? "back" : "choose it from a list");
}

static void listen_choose(assign *assign, unsigned row) {
    if (row)
        assign_back(assign);
    else
        assign_open(assign, SCREEN_SOURCES);
}

const assign_shown assign_listen_screen = {listen_title, listen_rows, listen_row, listen_choose,
                                           NULL};

bool assign_listens(const assign *assign) {
    return assign->hands &&
           (assign_screen_of(assign) == SCREEN_LISTEN || assign_screen_of(assign) == SCREEN_DOING);
}

static void listen(assign *assign) {
    yt_formula_type type = wanted_type(assign);
    if (assign->hands)
        hands_listen(assign->hands, type == VALUE_NOTHING || type == VALUE_STICK ||
                                        type == VALUE_MOTION_PAIR || type == VALUE_VELOCITY ||
                                        type == VALUE_AXES);
}

void assign_listen(assign *assign, assign_wanted wanted) {
    assign->wanted = wanted;
    assign->pressed_count = 0;
    assign_open(assign, SCREEN_LISTEN);
    listen(assign);
}

void assign_look(assign *assign) {
    hands_move move;
    assign_source source;
    char held[ASSIGN_HELD][HANDS_NAME];
    if (assign->hands && assign->hands->is_gone) {
        assign_say(assign, assign->hands->said);
        assign->hands = NULL;
    }
    assign->is_changed |= assign_listens(assign);
    if (!assign_listens(assign) || assign_screen_of(assign) != SCREEN_LISTEN ||
        !hands_moved(assign->hands, &move))
        return;
    unsigned count = hands_held(assign->hands, &move, held, ASSIGN_HELD);
    assign_source_moved(assign, &move, &source);
    assign_take_source(assign, &source, held, count);
}

/* ---- what it may mean ---- */

__attribute__((format(printf, 3, 4))) static void add(assign *assign, const char *words,
                                                      const char *format, ...) {
    va_list arguments;
    if (assign->choice_count == ASSIGN_CHOICES)
        return;
    assign_choice *choice = &assign->choices[assign->choice_count++];
    put_text(choice->words, sizeof choice->words, words);
    va_start(arguments, format);
    vsnprintf(choice->formula, sizeof choice->formula, format, arguments);
    va_end(arguments);
}

static void add_for_switch(assign *assign, const assign_source *source) {
    switch (source->type) {
    case VALUE_SWITCH:
        add(assign, "as it is", "%s", source->name);
        break;
    case VALUE_LEVEL:
        add(assign, "from the middle of its way on", "pressed(%s)", source->name);
        break;
    case VALUE_AXIS:
        add(assign, "this direction, from its middle on", "%s %s50%%", source->name,
            source->is_up ? "> " : "< -");
        break;
    case VALUE_MOTION:
        add(assign, "while it moves this way", "%s %s 0", source->name, source->is_up ? ">" : "<");
        break;
    default:
        break;
    }
}

static void add_for_number(assign *assign, const assign_source *source, bool is_level) {
    switch (source->type) {
    case VALUE_AXIS:
        if (!is_level)
            add(assign, "as it is", "%s", source->name);
        else
            add(assign, "this direction", source->is_up ? "max(%s, 0%%)" : "max(-1 * %s, 0%%)",
                source->name);
        break;
    case VALUE_LEVEL:
    case VALUE_SWITCH:
        add(assign, "as it is", "%s", source->name);
        break;
    default:
        break;
    }
}

static void add_for_motion(assign *assign, const assign_source *source, bool is_pair) {
    if (source->type == VALUE_MOTION && !is_pair)
        add(assign, "as it is", "%s", source->name);
    if (source->type == VALUE_AXIS)
        add(assign, "as fast as it is moved", "%s * 1000 /s",
            is_pair && *source->whole ? source->whole : source->name);
    if (source->type == VALUE_SWITCH && !is_pair) {
        add(assign, "a step at each press", "step(%s, 1)", source->name);
        add(assign, "a step back at each press", "step(%s, -1)", source->name);
    }
}

/* A thing made into another: with the accelerometer beside it where one is wanted. */
static void add_made(assign *assign, const effect_kind *kind, const char *words,
                     const char *formula, yt_formula_type type) {
    char other[HANDS_NAME] = "", made[EFFECT_TEXT];
    if (strchr(kind->pattern, '@') && !assign_pull_of(assign, formula, other, sizeof other))
        return;
    if (effect_add(kind, formula, type, 0, other, made))
        add(assign, words, "%.390s", made);
}

/* A direction, a stick, motion or a gyro as what makes it into another type, in one step or in two.
 */
static void add_between(assign *assign, const char *name, yt_formula_type from,
                        yt_formula_type to) {
    size_t at = 0, then;
    const effect_kind *kind, *second;
    while ((kind = effect_between(from, to, &at)))
        add_made(assign, kind, kind->words, name, from);
    at = 0;
    while (from == VALUE_AXES && (kind = effect_between(from, VALUE_VELOCITY, &at))) {
        then = 0;
        while ((second = effect_between(VALUE_VELOCITY, to, &then))) {
            char other[HANDS_NAME] = "", turning[EFFECT_TEXT], words[80];
            if (strchr(kind->pattern, '@') && !assign_pull_of(assign, name, other, sizeof other))
                break;
            snprintf(words, sizeof words, "%s, %s", second->words, kind->words);
            if (effect_add(kind, name, from, 0, other, turning))
                add_made(assign, second, words, turning, VALUE_VELOCITY);
        }
    }
}

/* All that a whole can be: as it is, or made into what is wanted. */
static void add_whole(assign *assign, const char *name, yt_formula_type from, yt_formula_type to) {
    static const char *const words[] = {[VALUE_STICK] = "the whole stick",
                                        [VALUE_MOTION_PAIR] = "all its motion",
                                        [VALUE_VELOCITY] = "how it turns",
                                        [VALUE_AXES] = "the whole gyro"};
    if (from == to || (to == VALUE_NOTHING && from != VALUE_AXES))
        add(assign, words[from], "%s", name);
    for (size_t i = 0; i < effect_kind_count && to == VALUE_NOTHING; i++)
        if (effect_kinds[i].gives != VALUE_NOTHING && effect_kinds[i].types >> from & 1)
            add_made(assign, &effect_kinds[i], effect_kinds[i].words, name, from);
    if (to != VALUE_NOTHING)
        add_between(assign, name, from, to);
}

static bool is_whole(yt_formula_type type) {
    return type == VALUE_STICK || type == VALUE_MOTION_PAIR || type == VALUE_VELOCITY ||
           type == VALUE_AXES;
}

static void add_all(assign *assign, const assign_source *source) {
    yt_formula_type type = wanted_type(assign);
    if (assign->wanted == FOR_LIST) { /* controls by their names, and nothing made of them */
        add(assign, "as it is", "%s", source->name);
        if (*source->whole)
            add(assign, "all of it", "%s", source->whole);
        return;
    }
    if (is_whole(source->type))
        add_whole(assign, source->name, source->type, type);
    else if (*source->whole)
        add_whole(assign, source->whole, source->whole_type, type);
    switch (type) {
    case VALUE_NOTHING:
        if (!is_whole(source->type) && source->type != VALUE_RATE)
            add(assign, "as it is", "%s", source->name);
        break;
    case VALUE_SWITCH:
        add_for_switch(assign, source);
        break;
    case VALUE_LEVEL:
    case VALUE_AXIS:
        add_for_number(assign, source, type == VALUE_LEVEL);
        if (!is_whole(source->type))
            add_between(assign, source->name, source->type, type);
        break;
    case VALUE_STICK:
        if (source->type != VALUE_AXIS)
            break;
        add(assign, "this direction alone, left and right", "stick(x=%s, y=0%%)", source->name);
        add(assign, "this direction alone, up and down", "stick(x=0%%, y=%s)", source->name);
        break;
    case VALUE_MOTION:
    case VALUE_MOTION_PAIR:
        add_for_motion(assign, source, type == VALUE_MOTION_PAIR);
        break;
    default:
        break;
    }
}

/* Several presses in a row are one stick, or one axis. True: another one is wanted, or it is done.
 */
static bool take_press(assign *assign, const assign_source *source) {
    const char *const *words;
    unsigned presses = presses_of(assign, &words);
    if (presses == 1 || source->type != VALUE_SWITCH)
        return false;
    put_text(assign->pressed[assign->pressed_count++], sizeof assign->pressed[0], source->name);
    if (assign->pressed_count < presses) {
        assign_home_to(assign, SCREEN_LISTEN);
        listen(assign);
        return true;
    }
    if (presses == 4)
        add(assign, "these four", "stick(left=%s, right=%s, up=%s, down=%s)", assign->pressed[0],
            assign->pressed[1], assign->pressed[2], assign->pressed[3]);
    else
        add(assign, "these two", "last_wins(%s, %s)", assign->pressed[0], assign->pressed[1]);
    return false;
}

void assign_take_choice(assign *assign, const char *formula) {
    switch (assign->wanted) {
    case FOR_CELL:
        assign_home_to(assign, assign_drive(assign, formula) ? SCREEN_CELL : SCREEN_LISTEN);
        break;
    case FOR_WAY:
        assign_take_other(assign, formula);
        break;
    case FOR_NAMED:
        assign_take_named(assign, formula);
        break;
    case FOR_MACRO:
        assign_take_macro(assign, formula);
        break;
    case FOR_LIST:
        assign_take_listed(assign, formula);
        break;
    default:
        put_text(assign->condition, sizeof assign->condition, formula);
        assign_ask(assign, ASKED_LAYER, "");
    }
}

void assign_take_source(assign *assign, const assign_source *source, char held[][HANDS_NAME],
                        unsigned held_count) {
    assign->choice_count = 0;
    if (take_press(assign, source))
        return;
    if (assign->choice_count == 0)
        add_all(assign, source);
    unsigned plain = assign->choice_count;
    for (unsigned i = 0; i < held_count && plain && assign->wanted == FOR_CELL &&
                         source->type == VALUE_SWITCH && assign->pressed_count == 0;
         i++)
        add(assign, "while another is held", "%s and %s", assign->choices[0].formula, held[i]);
    if (assign->choice_count == 0) {
        char text[200];
        snprintf(text, sizeof text, "%s is of a kind that does not drive this", source->name);
        assign_home_to(assign, SCREEN_LISTEN);
        assign_say(assign, text);
        listen(assign);
    } else if (assign->choice_count == 1) {
        assign_take_choice(assign, assign->choices[0].formula);
    } else {
        assign_home_to(assign, SCREEN_LISTEN);
        assign_open(assign, SCREEN_CHOICES);
    }
}

static void choices_title(const assign *assign, char *text, size_t size) {
    (void)assign;
    put_text(text, size, "how is that meant");
}

static unsigned choices_rows(const assign *assign) {
    return assign->choice_count + 1;
}

static void choices_row(const assign *assign, unsigned row, assign_row *shown) {
    bool is_one = row < assign->choice_count;
    put_text(shown->text, sizeof shown->text, is_one ? assign->choices[row].formula : "back");
    put_text(shown->name, sizeof shown->name, is_one ? assign->choices[row].words : "");
    shown->is_part = is_one;
}

static void choices_choose(assign *assign, unsigned row) {
    if (row < assign->choice_count)
        assign_take_choice(assign, assign->choices[row].formula);
    else
        assign_back(assign);
}

const assign_shown assign_choices_screen = {choices_title, choices_rows, choices_row,
                                            choices_choose, NULL};
