/* Formulas in plain words: each way around each thing, and around each other way, is right; is read
 * as what it is; taken out again it is what it was; its numbers, one step on, are others and still
 * right. What is written by hand stays as it is. */
#include "compiler/profile/compile.h"
#include "tests/harness.h"
#include "tool/assign/effects.h"

static const char *const things[] = {"keys.a", "keys.a or keys.b", "not keys.a",
                                     "if(keys.a, keys.b, keys.c)", "hand.left_stick.x > 50%"};
static const char *const levels[] = {"hand.left_trigger", "hand.left_trigger * 40%",
                                     "max(hand.left_trigger, hand.right_trigger)"};
static const char *const axes[] = {"hand.left_stick.x", "-1 * hand.left_stick.x",
                                   "hand.left_stick.x + hand.right_stick.x"};
static const char *const motions[] = {"ball.motion", "ball.motion * 40%",
                                      "motion_from_turning(turning(grip.gyro), turn=3600)"};
static const char *const turns[] = {"turning(grip.gyro)", "level_turning(grip.gyro, grip.pull)",
                                    "turning(grip.gyro, leaning=20%)"};
static const char *const sticks[] = {"hand.left_stick", "hand.left_stick * 40%",
                                     "farther(hand.left_stick, hand.right_stick)"};

/* A cell of each type, and what stands inside. */
static const struct {
    yt_formula_type type;
    const char *cell;
    const char *const *inside;
    unsigned count;
} types[] = {
    {VALUE_SWITCH, "pad.south", things, 5},         {VALUE_LEVEL, "pad.left_trigger", levels, 3},
    {VALUE_AXIS, "pad.left_stick.x", axes, 3},      {VALUE_STICK, "pad.right_stick", sticks, 3},
    {VALUE_MOTION_PAIR, "view.motion", motions, 3}, {VALUE_VELOCITY, "turned", turns, 3}};
#define TYPES (sizeof types / sizeof types[0])

static bool compiles(const char *cell, const char *formula) {
    char profile[EFFECT_TEXT + 200];
    yt_messages messages;
    yt_compiled compiled;
    bool is_named = !strchr(cell, '.');
    snprintf(profile, sizeof profile,
             "yonder: 1\ninputs: {keys: keyboard, hand: gamepad, ball: mouse, grip: lapwing-grip}\n"
             "outputs: {pad: gamepad, view: mouse}\n%s:\n  %s: %s\n%s",
             is_named ? "named" : "sheet", cell, formula,
             is_named ? "sheet:\n  view.motion: motion_from_turning(turned)\n" : "");
    messages_begin(&messages, "crane/p.yaml", profile, strlen(profile));
    bool good = compile_profile(&compiled, &messages);
    if (good)
        pool_free(&compiled.pool);
    else
        messages_print(&messages, stdout);
    messages_free(&messages);
    return good;
}

/* Whether a switch comes of what is no switch: then only its own kind of cell takes it. */
static const char *cell_of(const effect_kind *kind, const char *cell) {
    return kind->types == 1u << VALUE_LEVEL && strcmp(kind->words, "pressed from") == 0
               ? "pad.south"
               : cell;
}

/* All numbers, one up and one down: others, within their range, and right. */
static void check_numbers(const char *cell, const char *formula, unsigned index) {
    effects effects, after;
    char text[EFFECT_TEXT];
    effects_read(&effects, formula);
    for (unsigned i = 0; i < effects.list[index].number_count; i++)
        for (int step = -3; step <= 3; step++) {
            const effect_number *number = &effects.list[index].numbers[i];
            int64_t amount = effect_stepped(number, step, false);
            about("%s: %s, %d steps", formula, number->name, step);
            CHECK(!number->is_fixed);
            CHECK(amount >= number->argument->low && amount <= number->argument->high);
            CHECK(step == 0 || amount != number->amount ||
                  number->amount == (step < 0 ? number->argument->low : number->argument->high));
            CHECK(effect_set_number(number, formula, amount, text));
            effects_read(&after, text);
            CHECK_EQUAL(after.count, effects.count);
            bool is_there = false;
            for (unsigned k = 0; k < after.list[index].number_count; k++)
                is_there |= strcmp(after.list[index].numbers[k].name, number->name) == 0 &&
                            after.list[index].numbers[k].is_written &&
                            after.list[index].numbers[k].amount == amount;
            CHECK(is_there || (number->argument->wanted == WANTED_FREQUENCY && step != 0));
            if (step == 1 || step == -1)
                CHECK(compiles(cell, text) ||
                      strcmp(effects.list[index].kind->words, "curve") == 0);
        }
}

static void check_one(const char *cell, const effect_kind *kind, const char *inside,
                      yt_formula_type type) {
    char around[EFFECT_TEXT], back[EFFECT_TEXT];
    effects before, after;
    if (strcmp(kind->words, "for a moment") == 0 && strncmp(inside, "not ", 4) == 0)
        return; /* that is when it is let go */
    effects_read(&before, inside);
    about("%s around %s", kind->words, inside);
    CHECK(effect_add(kind, inside, type, 0, "keys.e", around));
    cell = cell_of(kind, cell);
    about("%s around %s: %s", kind->words, inside, around);
    CHECK(compiles(cell, around));
    effects_read(&after, around);
    CHECK(after.count > 0);
    if (after.count == 0)
        return;
    unsigned at = 0; /* what it does not suit as a whole has it inside */
    while (at + 1 < after.count && after.list[at].kind != kind)
        at++;
    CHECK_TEXT(after.list[at].kind->words, kind->words);
    bool wants_other = strchr(kind->pattern, '@') != NULL;
    CHECK_EQUAL(after.list[at].other_length, wants_other ? strlen("keys.e") : 0);
    if (wants_other) {
        CHECK(effect_set_other(&after.list[at], around, "keys.left_shift", back));
        CHECK(compiles(cell, back));
        CHECK(strstr(back, "keys.left_shift") && !strstr(back, "keys.e"));
    }
    CHECK(effect_remove(&after, at, around, back));
    size_t length = strlen(inside);
    bool is_same = strcmp(back, inside) == 0;
    bool is_in_parentheses =
        strlen(back) == length + 2 && back[0] == '(' && strncmp(back + 1, inside, length) == 0;
    CHECK(is_same || is_in_parentheses);
    check_numbers(cell, around, at);
    if (before.is_control && after.is_control) {
        CHECK(effects_drive(&after, around, "keys.z", back));
        CHECK(strstr(back, "keys.z") && !strstr(back, inside));
    }
}

static bool suits(const effect_kind *kind, yt_formula_type type, const char *inside) {
    effects effects;
    effects_read(&effects, inside);
    return effect_suits(kind, &effects, type, 0, false);
}

static void check_pairs(unsigned type) {
    for (size_t i = 0; i < effect_kind_count; i++)
        for (size_t k = 0; k < effect_kind_count; k++) {
            char inside[EFFECT_TEXT];
            if (!suits(&effect_kinds[k], types[type].type, types[type].inside[0]) ||
                strcmp(effect_kinds[k].words, "pressed from") == 0)
                continue;
            CHECK(effect_add(&effect_kinds[k], types[type].inside[0], types[type].type, 0, "keys.f",
                             inside));
            if (suits(&effect_kinds[i], types[type].type, inside))
                check_one(types[type].cell, &effect_kinds[i], inside, types[type].type);
        }
}

/* As people write it: how many ways it is read as, and what drives it. */
static void check_written(void) {
    static const struct {
        const char *formula, *words, *driver;
    } all[] = {
        {"keys.a", "", "keys.a"},
        {"  keys.a  ", "", "keys.a"},
        {"keys.a or keys.b", "or another", "keys.a"},
        {"keys.a or keys.b or keys.c", "or another, or another", "keys.a"},
        {"keys.a or not keys.b", "", "keys.a or not keys.b"},
        {"keys.orb or keys.ore", "or another", "keys.orb"},
        {"turbo( keys.a , 15 Hz )", "repeated", "keys.a"},
        {"turbo(keys.a,rate=15 Hz,on=20%)", "repeated", "keys.a"},
        {"turbo(press=keys.a)", "", "turbo(press=keys.a)"},
        {"toggle(hold(keys.a, after=300 ms))", "on and off, only when held", "keys.a"},
        {"pulse(not keys.a, on=60 ms)", "when let go", "keys.a"},
        {"pulse(keys.a)", "for a moment", "keys.a"},
        {"pulse(not keys.a or keys.b)", "for a moment, or another, turned over", "keys.a"},
        {"not toggle(keys.a)", "turned over, on and off", "keys.a"},
        {"keys.a and keys.b", "with another", "keys.a"},
        {"keys.a and not keys.band", "not while", "keys.a"},
        {"keys.sand and keys.b and keys.c", "", ""},
        {"(keys.a or keys.b) and keys.c", "with another", "(keys.a or keys.b)"},
        {"chord(keys.a, keys.b, within=50 ms)", "both at once", "keys.a"},
        {"if(keys.a, 33%, 100%) * hand.left_stick", "weaker while", "hand.left_stick"},
        {"if(keys.a, 33%, 90%) * hand.left_stick", "as far as another", "if(keys.a, 33%, 90%)"},
        {"if(keys.a, 33%, 100%) * hand.left_stick * 50%", "weaker, weaker while",
         "hand.left_stick"},
        {"camera_stick(motion_from_turning(aimed * grip.left_shoulder, turn=4000), turn=4000)",
         "to turn the host's view, as far as it turns, as far as another", "aimed"},
        {"camera_stick(motion(x=turn_to(hand.right_stick)))",
         "to turn the host's view, across, the view turned there", "hand.right_stick"},
        {"motion(x=ball.wheel, y=ball.pan)", "", "motion(x=ball.wheel, y=ball.pan)"},
        {"tilt(grip.gyro, grip.pull, full=30 deg)", "by how it is tilted", "grip.gyro"},
        {"abs(roll.y)", "how far, whichever way", "roll.y"},
        {"tap(keys.a or keys.b) and keys.c", "with another, only when tapped, or another",
         "keys.a"},
        {"deadzone(hand.left_stick, inner=part)", "dead zone", "hand.left_stick"},
        {"curve(deadzone(hand.left_stick), 0% -> 10%, 50% -> 20%)", "curve, dead zone",
         "hand.left_stick"},
        {"-1 * hand.left_stick.x", "the other way", "hand.left_stick.x"},
        {"hand.left_stick * 40%", "weaker", "hand.left_stick"},
        {"hand.left_stick * part", "as far as another", "hand.left_stick"},
        {"hand.left_trigger * 40% * 50%", "", ""},
        {"max(keys.a, keys.b)", "", "max(keys.a, keys.b)"},
        {"(turbo(keys.a))", "", "(turbo(keys.a))"},
        {"turbo(", "", "turbo("},
        {"", "", ""},
    };
    for (size_t i = 0; i < sizeof all / sizeof all[0]; i++) {
        effects effects;
        char words[300] = "";
        about("written: %s", all[i].formula);
        effects_read(&effects, all[i].formula);
        for (unsigned k = 0; k < effects.count; k++)
            snprintf(words + strlen(words), sizeof words - strlen(words), "%s%s", k ? ", " : "",
                     effects.list[k].kind->words);
        if (!*all[i].driver && *all[i].formula) {
            for (unsigned k = 0; k < effects.count; k++) /* read somehow: within the text */
                CHECK(effects.list[k].at + effects.list[k].length <= strlen(all[i].formula));
            continue;
        }
        CHECK_TEXT(words, all[i].words);
        CHECK_EQUAL(effects.length, strlen(all[i].driver));
        CHECK(strncmp(all[i].formula + effects.at, all[i].driver, effects.length) == 0);
    }
}

/* Any text: what is read is within it, and nothing of it is changed but what is meant. */
static void check_any(void) {
    static const char *const pieces[] = {
        "keys.a", "(",   ")",  " and ",  "not ",  "toggle(", "turbo(", ", ", "12 Hz",    "-1 * ",
        " * ",    "40%", "->", "curve(", "rate=", " or ",    "pulse(", "\"", "\xc3\xa4", "a"};
    dice dice = {5};
    for (unsigned round = 0; round < 20000; round++) {
        char formula[200] = "", text[EFFECT_TEXT];
        for (unsigned i = roll_below(&dice, 9); i > 0; i--)
            strcat(formula, pieces[roll_below(&dice, sizeof pieces / sizeof pieces[0])]);
        size_t size = strlen(formula);
        effects effects;
        about("any: %s", formula);
        effects_read(&effects, formula);
        CHECK(effects.at + effects.length <= size);
        for (unsigned i = 0; i < effects.count; i++) {
            const effect *effect = &effects.list[i];
            CHECK(effect->at + effect->length <= size);
            CHECK(effect->inner_at >= effect->at &&
                  effect->inner_at + effect->inner_length <= effect->at + effect->length);
            CHECK(effect_remove(&effects, i, formula, text));
            for (unsigned k = 0; k < effect->number_count; k++)
                CHECK(effect->numbers[k].at + effect->numbers[k].length <= size);
        }
    }
}

int main(void) {
    for (unsigned type = 0; type < TYPES; type++) {
        for (size_t i = 0; i < effect_kind_count; i++)
            for (unsigned k = 0; k < types[type].count; k++)
                if (suits(&effect_kinds[i], types[type].type, types[type].inside[k]))
                    check_one(types[type].cell, &effect_kinds[i], types[type].inside[k],
                              types[type].type);
        check_pairs(type);
    }
    check_written();
    check_any();
    about("what is too long is refused");
    char longest[EFFECT_TEXT + 100], text[EFFECT_TEXT];
    memset(longest, 'a', sizeof longest - 1);
    longest[sizeof longest - 1] = 0;
    CHECK(!effect_add(effect_kind_named("on and off"), longest, VALUE_SWITCH, 0, "", text));
    return report_checks();
}
