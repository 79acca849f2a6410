#include "compiler/functions.h"

#include <inttypes.h>
#include <string.h>

#include "program/operations.h"

#define MS    INT64_C(1000)
#define WHOLE ((int64_t)YT_ONE)

/* Arguments of a time that something takes: from 1 ms to 60 s. */
#define TIME(label, otherwise, meaning)                                                            \
    { label, WANTED_TIME, true, (otherwise), MS, 60000 * MS, meaning }
#define SWITCH(label, meaning)                                                                     \
    { label, WANTED_SWITCH, false, 0, 0, 0, meaning }
#define NUMBER(label, meaning)                                                                     \
    { label, WANTED_NUMBER, false, 0, 0, 0, meaning }
#define LIKE(label, meaning)                                                                       \
    { label, WANTED_LIKE, false, 0, 0, 0, meaning }
#define NUMBERS(label, meaning)                                                                    \
    { label, WANTED_NUMBERS, false, 0, 0, 0, meaning }
#define STICK(label, meaning)                                                                      \
    { label, WANTED_STICK, false, 0, 0, 0, meaning }
#define MORE_KEYS(label)                                                                           \
    { label, WANTED_SWITCH, true, 0, 0, 0, "one more press" }

const function functions[FUNCTION_COUNT] = {
    [FUNCTION_IF] = {"if",
                     "if(when, then, else)",
                     "what it chooses",
                     "One of two things.",
                     "pad.right_trigger: if(keys.f, 100%, 35%)",
                     "",
                     {SWITCH("when", "the condition"), LIKE("then", "where the condition is 1"),
                      LIKE("else", "where it is 0")},
                     0,
                     1},
    [FUNCTION_MIN] = {"min",
                      "min(a, b)",
                      "a number",
                      "The smaller of two numbers.",
                      "pad.left_stick.x: min(desk.lever.x, 60%)",
                      "",
                      {NUMBERS("a", "one number"), NUMBERS("b", "the other")},
                      0,
                      2},
    [FUNCTION_MAX] = {"max",
                      "max(a, b)",
                      "a number",
                      "The larger of two numbers.",
                      "pad.left_stick.x: max(desk.lever.x, -60%)",
                      "",
                      {NUMBERS("a", "one number"), NUMBERS("b", "the other")},
                      0,
                      2},
    [FUNCTION_ABS] = {"abs",
                      "abs(a)",
                      "a number",
                      "How far a number is from 0.",
                      "pad.left_trigger: abs(desk.lever.y)",
                      "",
                      {NUMBERS("a", "the number")},
                      0,
                      3},
    [FUNCTION_CLAMP] = {"clamp",
                        "clamp(a, low, high)",
                        "a number",
                        "A number, but not below `low` nor above `high`.",
                        "pad.left_stick.x: clamp(2 * desk.lever.x, -80%, 80%)",
                        "",
                        {NUMBERS("a", "the number"), NUMBERS("low", "the least that comes out"),
                         NUMBERS("high", "the most that comes out")},
                        0,
                        4},
    [FUNCTION_STICK_OF_FOUR] = {"stick",
                                "stick(left=, right=, up=, down=)",
                                "a stick",
                                "A stick of four switches or levels. Opposite ones cancel.",
                                "pad.left_stick: stick(left=keys.a, right=keys.d, up=keys.w, "
                                "down=keys.s)",
                                "",
                                {NUMBER("left", "how far to the left"),
                                 NUMBER("right", "how far to the right"),
                                 NUMBER("up", "how far up"), NUMBER("down", "how far down")},
                                0,
                                2},
    [FUNCTION_STICK_OF_TWO] = {"stick",
                               "stick(x=, y=)",
                               "a stick",
                               "A stick of two axes: x to the right, y down.",
                               "pad.right_stick: stick(x=desk.lever.y, y=desk.lever.x)",
                               "",
                               {NUMBER("x", "how far to the right"), NUMBER("y", "how far down")},
                               0,
                               0},
    [FUNCTION_STICK_FROM_MOTION] =
        {"stick_from_motion",
         "stick_from_motion(motion, full_at=1500 /s)",
         "a stick",
         "A stick that follows the speed of motion. It goes in steps of 4 ms from the first "
         "movement on, each an eighth of the way to the speed of that step; when nothing moves and "
         "it is within 1/64 of its rest, it rests.",
         "pad.right_stick: stick_from_motion(ball.motion, full_at=900 /s)",
         "",
         {{"motion", WANTED_MOTION, false, 0, 0, 0, "what moves it, in two directions"},
          {"full_at", WANTED_SPEED, false, 0, WHOLE, 32767 * WHOLE,
           "the counts a second at which it is all the way out"}},
         YT_OP_STICK_FROM_MOTION,
         0},
    [FUNCTION_FARTHER] =
        {"farther",
         "farther(a, b)",
         "what it chooses",
         "Of two sticks, or two axes, the one that is farther from its rest. The "
         "other takes over when it is farther out by a sixteenth of the whole way.",
         "pad.left_stick: farther(desk.lever, stick(x=slate.x, y=slate.y))",
         "",
         {STICK("a", "one stick or axis"), STICK("b", "the other")},
         YT_OP_FARTHER,
         0},
    [FUNCTION_TOGGLE] = {"toggle",
                         "toggle(press)",
                         "a switch",
                         "On and off in turn, at each press.",
                         "pad.left_shoulder: toggle(keys.q)",
                         "",
                         {SWITCH("press", "what is pressed")},
                         YT_OP_TOGGLE,
                         0},
    [FUNCTION_TURBO] =
        {"turbo",
         "turbo(press, rate=12 Hz)",
         "a switch",
         "On and off by itself while it is pressed, on at once, off for as long as it is on. It "
         "does not drift, whatever the rate.",
         "pad.south: turbo(keys.space, rate=10 Hz)",
         "repeat",
         {SWITCH("press", "what is pressed"),
          {"rate", WANTED_FREQUENCY, true, 12 * WHOLE, WHOLE / 10, 500 * WHOLE,
           "how often it goes on"}},
         YT_OP_TURBO,
         0},
    [FUNCTION_HOLD] = {"hold",
                       "hold(press, after=500 ms)",
                       "a switch",
                       "On when it has been pressed for a time, until it is released.",
                       "pad.start: hold(keys.enter, after=1 s)",
                       "",
                       {SWITCH("press", "what is pressed"),
                        TIME("after", 500 * MS, "how long it must be pressed")},
                       YT_OP_HOLD,
                       0},
    [FUNCTION_TAP] = {"tap",
                      "tap(press, within=200 ms, on=40 ms)",
                      "a switch",
                      "On for a time after it was pressed and released again within a short time.",
                      "pad.select: tap(keys.enter)",
                      "",
                      {SWITCH("press", "what is pressed"),
                       TIME("within", 200 * MS, "how soon it must be released"),
                       TIME("on", 40 * MS, "how long it is on then")},
                      YT_OP_TAP,
                      0},
    [FUNCTION_CHORD] = {"chord",
                        "chord(a, b, within=80 ms)",
                        "a switch",
                        "On when two or more are pressed within a time of one another, until one "
                        "of them is released. Up to six: chord(a, b, c, within=80 ms).",
                        "pad.home: chord(keys.q, keys.e)",
                        "",
                        {SWITCH("a", "one press"), SWITCH("b", "another"), MORE_KEYS("c"),
                         MORE_KEYS("d"), MORE_KEYS("e"), MORE_KEYS("f"),
                         TIME("within", 80 * MS, "how far apart the first and the last may be")},
                        YT_OP_CHORD,
                        0},
    [FUNCTION_NEXT_PRESS] =
        {"next_press",
         "next_press(press)",
         "a switch",
         "For a layer's `while` only. On from a press on: while that lasts, and then until one of "
         "the switches that the layer's cells name is pressed. Pressed again before that, it ends "
         "with that press.",
         "while: next_press(keys.left_alt)",
         "",
         {SWITCH("press", "what is pressed")},
         YT_OP_NEXT_PRESS,
         0},
};

unsigned function_argument_count(const function *function) {
    unsigned count = 0;
    while (count < FUNCTION_ARGUMENTS && function->arguments[count].wanted != WANTED_NOTHING)
        count++;
    return count;
}

unit wanted_unit(wanted wanted) {
    return wanted == WANTED_TIME        ? UNIT_TIME
           : wanted == WANTED_FREQUENCY ? UNIT_FREQUENCY
           : wanted == WANTED_SPEED     ? UNIT_SPEED
                                        : UNIT_NONE;
}

const char *wanted_meaning(wanted wanted) {
    static const char *const meanings[] = {"nothing",
                                           "a switch",
                                           "a switch, a level or an axis",
                                           "anything; both of a kind",
                                           "a number, with or without a unit",
                                           "a stick or an axis",
                                           "motion in two directions",
                                           "a time such as 120 ms",
                                           "a frequency such as 12 Hz",
                                           "a speed such as 1500 /s (counts a second)"};
    return meanings[wanted];
}

/* Up to four places behind the point, without zeros at the end. */
static void number_text(double number, const char *unit, char *text, size_t size) {
    char digits[40];
    snprintf(digits, sizeof digits, "%.4f", number);
    size_t length = strlen(digits);
    while (digits[length - 1] == '0')
        digits[--length] = 0;
    if (digits[length - 1] == '.')
        digits[--length] = 0;
    snprintf(text, size, "%s%s%s", digits, *unit && *unit != '%' ? " " : "", unit);
}

void amount_text(unit unit, int64_t amount, char *text, size_t size) {
    static const char *const units[] = {"%", "ms", "Hz", "deg", "/s", "deg/s", "g"};
    if (unit == UNIT_TIME && amount % 1000000 == 0 && amount != 0)
        number_text((double)amount / 1000000, "s", text, size);
    else if (unit == UNIT_TIME)
        number_text((double)amount / 1000, "ms", text, size);
    else
        number_text((double)amount / YT_ONE * (unit == UNIT_NONE ? 100 : 1), units[unit], text,
                    size);
}
