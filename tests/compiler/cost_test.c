/* What the bound of an update's cost counts. That no update costs more, bench/costs --check
 * searches for on emulated cores. */
#include "compiler/profile/compile.h"
#include "compiler/profile/cost.h"
#include "tests/harness.h"

static const char head[] = "yonder: 1\ninputs: {keys: keyboard, ball: mouse, hand: gamepad}\n"
                           "parameters: {some: {value: 40%, min: 1%, max: 100%}}\n";

enum { KEYS, BALL, HAND };

/* How often a term is counted for a report of an input; UINT32_MAX: the profile is wrong. */
static uint32_t count_of(const char *rest, unsigned input, yt_cost_term term) {
    char profile[2000];
    yt_messages messages;
    yt_compiled compiled;
    yt_cost_terms terms = {{UINT32_MAX}};
    snprintf(profile, sizeof profile, "%s%s", head, rest);
    messages_begin(&messages, "p.yaml", profile, strlen(profile));
    if (compile_profile(&compiled, &messages)) {
        cost_count(&compiled.program, input, &terms);
        pool_free(&compiled.pool);
    } else {
        memset(&terms, 0xff, sizeof terms);
    }
    messages_print(&messages, stdout);
    messages_free(&messages);
    return terms.count[term];
}

#define PAD  "outputs: {pad: gamepad}\nsheet:\n"
#define BOTH "outputs: {pad: gamepad, view: mouse}\nsheet:\n"

/* Counted by hand. */
static const struct {
    const char *what, *profile;
    unsigned input;
    yt_cost_term term;
    uint32_t count;
} cases[] = {
    {"a report of another input looks at nothing", PAD "  pad.south: keys.a and keys.b\n", BALL,
     COST_STEP, 0},
    {"a formula is looked at once, though both its keys change",
     PAD "  pad.south: keys.a and keys.b\n", KEYS, COST_STEP, 1},
    {"it has an instruction for each key", PAD "  pad.south: keys.a and keys.b\n", KEYS,
     COST_INSTRUCTION, 2},
    {"a keyboard\'s report, however many of its keys are read",
     PAD "  pad.south: keys.a and keys.b\n", KEYS, COST_KEYBOARD, 1},
    {"both axes that a function gives",
     PAD "  pad.left_stick: farther(hand.left_stick, hand.right_stick)\n", HAND, COST_AXIS, 2},
    {"a key that two cells take is read once", PAD "  pad.south: keys.a\n  pad.east: keys.a\n",
     KEYS, COST_KEY, 1},
    {"but tells two buttons", PAD "  pad.south: keys.a\n  pad.east: keys.a\n", KEYS, COST_BUTTON,
     2},
    {"a product with a parameter", PAD "  pad.left_trigger: some * hand.left_trigger\n", HAND,
     COST_MULTIPLY, 1},
    {"a function with a timer: it ends, and then the key changes",
     PAD "  pad.south: hold(keys.a)\n", KEYS, COST_HOLD, 2},
    {"and so does its button", PAD "  pad.south: hold(keys.a)\n", KEYS, COST_BUTTON, 2},
    {"a timer may end when another input's report comes", PAD "  pad.south: hold(keys.a)\n", BALL,
     COST_HOLD, 1},
    {"a function without a timer: once", PAD "  pad.south: toggle(keys.a)\n", KEYS, COST_TOGGLE, 1},
    {"what compares motion is looked at again when the motion is over",
     PAD "  pad.south: ball.motion.x > 3\n", BALL, COST_STEP, 2},
    {"and its button too", PAD "  pad.south: ball.motion.x > 3\n", BALL, COST_BUTTON, 2},
    {"motion that goes through does not", BOTH "  view.motion: ball.motion\n", BALL, COST_AXIS, 2},
    {"next_press ends after the press that ends it",
     PAD "  pad.south: keys.a\nlayers:\n  - while: next_press(keys.x)\n    sheet: {pad.south: "
         "keys.b}\n",
     KEYS, COST_NEXT_PRESS, 2},
    {"which layer a press belongs to does not change with the layers: a report of the condition\'s "
     "device looks at what drives the button",
     PAD
     "  pad.south: keys.a\nlayers:\n  - while: hand.south\n    sheet: {pad.east: toggle(keys.a)}\n",
     HAND, COST_BUTTON, 1},
    {"one report for an output that changes",
     BOTH "  pad.south: keys.a\n  view.button1: ball.button1\n", KEYS, COST_REPORT, 1},
    {"and the other is asked", BOTH "  pad.south: keys.a\n  view.button1: ball.button1\n", KEYS,
     COST_OUTPUT, 2},
    {"three keys of an array look at three each",
     "outputs: {media: consumer}\nsheet: {media.mute: keys.a, media.play: keys.b, media.stop: "
     "keys.c}\n",
     KEYS, COST_ARRAY, 9},
    {"a boot keyboard's report is made of all its keys",
     "outputs: {board: keyboard}\nsheet: {board.a: keys.a, board.b: ball.button1}\n", KEYS,
     COST_BOOT, 2},
    {"a motor", "outputs: {pad: gamepad}\nsheet: {hand.rumble.strong: keys.a * 50%}\n", KEYS,
     COST_TARGET, 1},
};

#define AXES "axes(x=hand.left_stick.x, y=hand.left_stick.y, z=hand.right_stick.x)"

/* The functions that are made of simpler nodes. */
static const struct {
    yt_listed_number number;
    const char *cell;
} simple[] = {
    {FUNCTION_IF, "pad.left_trigger: if(hand.south, hand.left_trigger, hand.right_trigger)"},
    {FUNCTION_MIN, "pad.left_trigger: min(hand.left_trigger, hand.right_trigger)"},
    {FUNCTION_MAX, "pad.left_trigger: max(hand.left_trigger, hand.right_trigger)"},
    {FUNCTION_ABS, "pad.left_trigger: abs(hand.left_stick.x)"},
    {FUNCTION_CLAMP, "pad.left_trigger: clamp(hand.left_trigger, 10%, 70%)"},
    {FUNCTION_STICK_OF_FOUR,
     "pad.left_stick: stick(left=hand.west, right=hand.east, up=hand.north, down=hand.south)"},
    {FUNCTION_STICK_OF_TWO, "pad.left_stick: stick(x=hand.left_stick.y, y=hand.left_stick.x)"},
    {FUNCTION_MOTION_OF_TWO,
     "view.motion: motion(x=ball.motion.x + ball.wheel, y=ball.wheel + ball.motion.y)"},
    {FUNCTION_AXES_OF_THREE, "pad.left_stick: stick_from_turning(turning(" AXES "))"},
    {FUNCTION_TURNING_OF_AXES,
     "pad.left_stick: stick_from_turning(turning(" AXES ", leaning=40%))"},
    {FUNCTION_STICK_FROM_TURNING, "pad.left_stick: stick_from_turning(turning(" AXES "))"},
    {FUNCTION_MOTION_FROM_TURNING, "view.motion: motion_from_turning(turning(" AXES "))"},
};

static void check_functions(void) {
    unsigned of_operations = 0;
    for (size_t i = 0; i < sizeof simple / sizeof simple[0]; i++) {
        char rest[300];
        snprintf(rest, sizeof rest, "outputs: {pad: gamepad, view: mouse}\nsheet:\n  %s\n",
                 simple[i].cell);
        about("%s", simple[i].cell);
        unsigned input = strstr(simple[i].cell, "ball.") ? BALL : HAND;
        uint32_t found = count_of(rest, input, COST_INSTRUCTION) + count_of(rest, input, COST_MORE);
        CHECK(found > 0 && found <= 4u * functions[simple[i].number].nodes + 4);
    }
    for (unsigned i = 0; i < FUNCTION_COUNT; i++) {
        of_operations += functions[i].number != FUNCTION_MADE;
        for (unsigned k = 0; functions[i].number != FUNCTION_MADE && k < cost_core_count; k++) {
            about("%s on a %s", functions[i].usage, cost_cores[k].name);
            CHECK(cost_of_function(&cost_cores[k], &functions[i]) > 0);
        }
    }
    for (unsigned k = 0; k < cost_core_count; k++) {
        uint32_t whole = cost_of_function(&cost_cores[k], &functions[FUNCTION_WHOLE_CHORD]);
        CHECK(whole > cost_of_function(&cost_cores[k], &functions[FUNCTION_CHORD]));
    }
    of_operations += 2; /* whole_chord and whole_ordered_chord, which are made of functions */
    CHECK_EQUAL(of_operations + sizeof simple / sizeof simple[0], FUNCTION_COUNT);
}

/* Nothing is free: a price of 0 would mean that it was never measured. */
static void check_prices(void) {
    for (unsigned i = 0; i < cost_core_count; i++)
        for (unsigned k = 0; k < COST_COUNT; k++) {
            about("%s on a %s", cost_names[k], cost_cores[i].name);
            CHECK(cost_cores[i].price[k] > 0);
        }
}

/* More than fits in the number is the largest number. */
static void check_overflow(void) {
    yt_cost_terms terms = {{0}};
    terms.count[COST_STEP] = UINT32_MAX;
    CHECK_EQUAL(cost_of(cost_cores, &terms), UINT32_MAX);
    terms.count[COST_STEP] = 3;
    CHECK_EQUAL(cost_of(cost_cores, &terms), 3u * cost_cores[0].price[COST_STEP]);
}

/* The dearest report, and whose it is. */
static void check_bound(void) {
    static const char profile[] = "yonder: 1\ninputs: {hand: gamepad, ball: mouse}\noutputs: {pad: "
                                  "gamepad, view: mouse}\nsheet:\n  view.motion: ball.motion\n  "
                                  "pad.south: hand.south\n  pad.left_stick: "
                                  "stick_from_motion(ball.motion, full_at=900 /s)\n";
    yt_messages messages;
    yt_compiled compiled;
    messages_begin(&messages, "p.yaml", profile, strlen(profile));
    CHECK(compile_profile(&compiled, &messages));
    for (unsigned i = 0; i < cost_core_count; i++) {
        yt_cost_terms hand, ball;
        about("the dearest report on a %s", cost_cores[i].name);
        cost_count(&compiled.program, 0, &hand);
        cost_count(&compiled.program, BALL, &ball);
        CHECK(cost_of(&cost_cores[i], &ball) > cost_of(&cost_cores[i], &hand));
        yt_cost_bounds bounds = cost_bound(&cost_cores[i], &compiled.program);
        CHECK_EQUAL(bounds.most, cost_of(&cost_cores[i], &ball));
        CHECK_EQUAL(bounds.all_keys, bounds.most);
        CHECK_EQUAL(bounds.input, BALL);
    }
    pool_free(&compiled.pool);
    messages_free(&messages);
}

/* "keys.a or keys.b": the two keys of a cell that are wanted, a bit each; "" for none. */
static const char *two_keys(unsigned cell, unsigned wanted) {
    static char formula[40];
    size_t length = 0;
    *formula = 0;
    for (unsigned k = 0; k < 2; k++)
        if (wanted >> k & 1)
            length += (size_t)snprintf(formula + length, sizeof formula - length, "%skeys.%c",
                                       length ? " or " : "", 'a' + (int)(2 * cell + k));
    return formula;
}

/* What a profile costs that reads left_shift, those of twenty keys that are wanted, a bit each, and
 * two further ones as levels. */
static yt_cost_bounds bounds_of(uint32_t wanted, bool levels, const yt_cost_core *core) {
    static const char *const outputs[] = {"south", "east",   "west",   "north", "select",
                                          "start", "extra1", "extra2", "home",  "paddle1"};
    char profile[4000];
    size_t length =
        (size_t)snprintf(profile, sizeof profile,
                         "yonder: 1\ninputs: {keys: keyboard}\noutputs: {pad: gamepad}\nsheet:\n"
                         "  pad.right_click: keys.left_shift\n%s",
                         levels ? "  pad.left_trigger: keys.x\n  pad.right_trigger: keys.y\n" : "");
    for (unsigned cell = 0; cell < 10; cell++)
        if (*two_keys(cell, wanted >> 2 * cell))
            length += (size_t)snprintf(profile + length, sizeof profile - length, "  pad.%s: %s\n",
                                       outputs[cell], two_keys(cell, wanted >> 2 * cell));
    yt_messages messages;
    yt_compiled compiled;
    messages_begin(&messages, "p.yaml", profile, length);
    CHECK(compile_profile(&compiled, &messages));
    yt_cost_bounds bounds = cost_bound(core, &compiled.program);
    pool_free(&compiled.pool);
    messages_free(&messages);
    return bounds;
}

/* A keyboard of six keys at a time changes twelve of them: whichever these are, a profile that
 * reads no others costs no more. */
static void check_array(void) {
    dice dice = {5};
    for (unsigned i = 0; i < cost_core_count; i++) {
        const yt_cost_core *core = &cost_cores[i];
        yt_cost_bounds all = bounds_of(0xfffff, false, core), few = bounds_of(0xfff, false, core);
        about("twenty keys on a %s", core->name);
        CHECK(all.most < all.all_keys);
        about("twelve keys on a %s", core->name);
        CHECK_EQUAL(few.most, few.all_keys);
        for (unsigned k = 0; k < 200; k++) {
            uint32_t wanted = 0;
            for (unsigned count = 0; count < COST_ARRAY_KEYS;) {
                uint32_t bit = (uint32_t)1 << roll_below(&dice, 20);
                count += !(wanted & bit);
                wanted |= bit;
            }
            about("keys %x on a %s", wanted, core->name);
            CHECK(bounds_of(wanted, false, core).all_keys <= all.most);
        }
        about("keys as levels on a %s", core->name);
        yt_cost_bounds levels = bounds_of(3, true, core);
        CHECK(levels.most < levels.all_keys);
    }
}

int main(void) {
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        about("%s", cases[i].what);
        CHECK_EQUAL(count_of(cases[i].profile, cases[i].input, cases[i].term), cases[i].count);
    }
    check_functions();
    check_prices();
    check_overflow();
    check_bound();
    check_array();
    return report_checks();
}
