#include "compiler/formulas/functions.h"

#include <inttypes.h>
#include <string.h>

#include "compiler/formulas/calls.h"
#include "image/functions.h"

#define YT_NEEDED (-1e6) /* in place of what an argument is where it is left out: it cannot be */

/* An amount in the units of a term: microseconds, or 1/65536 of its unit. */
#define AMOUNT(number, unit) ((int64_t)((number) * (unit) + ((number) < 0 ? -0.5 : 0.5)))
#define QUANTITY(label, wanted, otherwise, least, most, unit, meaning)                             \
    {label,                                                                                        \
     wanted,                                                                                       \
     (otherwise) > YT_NEEDED,                                                                      \
     (otherwise) > YT_NEEDED ? AMOUNT(otherwise, unit) : 0,                                        \
     AMOUNT(least, unit),                                                                          \
     AMOUNT(most, unit),                                                                           \
     meaning},
#define PLAIN(label, wanted, may_lack, meaning) {label, wanted, may_lack, 0, 0, 0, meaning},

#define YT_TAKES_SWITCH(label, meaning)  PLAIN(label, WANTED_SWITCH, false, meaning)
#define YT_TAKES_NUMBER(label, meaning)  PLAIN(label, WANTED_NUMBER, false, meaning)
#define YT_TAKES_NUMBERS(label, meaning) PLAIN(label, WANTED_NUMBERS, false, meaning)
#define YT_TAKES_LIKE(label, meaning)    PLAIN(label, WANTED_LIKE, false, meaning)
#define YT_TAKES_STICK(label, meaning)   PLAIN(label, WANTED_STICK, false, meaning)
#define YT_TAKES_MOTION(label, meaning)  PLAIN(label, WANTED_MOTION, false, meaning)
#define YT_TAKES_WHEEL(label, meaning)   PLAIN(label, WANTED_WHEEL, true, meaning)
#define YT_TAKES_TURN(label, meaning)    PLAIN(label, WANTED_TURN, false, meaning)
#define YT_TAKES_AXES(label, meaning)    PLAIN(label, WANTED_AXES, false, meaning)
#define YT_TAKES_TURNS(label, meaning)   PLAIN(label, WANTED_TURNS, false, meaning)
#define YT_TAKES_TIME(label, otherwise, least, most, meaning)                                      \
    QUANTITY(label, WANTED_TIME, otherwise, least, most, 1000, meaning)
#define YT_TAKES_FREQUENCY(label, otherwise, least, most, meaning)                                 \
    QUANTITY(label, WANTED_FREQUENCY, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_SPEED(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_SPEED, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_SLOPE(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_SLOPE, otherwise, least, most, 1000, meaning)
#define YT_TAKES_ANGLE(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_ANGLE, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_COUNT(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_COUNT, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_SHARE(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_SHARE, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_SWITCH_OR_NONE(label, meaning) PLAIN(label, WANTED_SWITCH_OR_NONE, true, meaning)
#define YT_TAKES_MORE_SWITCHES(first, second, others)                                              \
    PLAIN("a", WANTED_SWITCH, false, first)                                                        \
    PLAIN("b", WANTED_SWITCH, false, second)                                                       \
    PLAIN("c", WANTED_SWITCH, true, others)                                                        \
    PLAIN("d", WANTED_SWITCH, true, others)                                                        \
    PLAIN("e", WANTED_SWITCH, true, others)                                                        \
    PLAIN("f", WANTED_SWITCH, true, others)
#define YT_TAKES_POWER(label, otherwise, least, most, meaning)                                     \
    QUANTITY(label, WANTED_POWER, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_TURNING(label, otherwise, least, most, meaning)                                   \
    QUANTITY(label, WANTED_TURNING, otherwise, least, most, YT_ONE, meaning)
#define YT_TAKES_POINTS(label, meaning) PLAIN(label, WANTED_POINTS, false, meaning)
#define YT_TAKES_LAYER_PRESSES          PLAIN("", WANTED_LAYER_PRESSES, true, "")

#define YT_GIVES_SWITCH "a switch"
#define YT_GIVES_NUMBER "a number"
#define YT_GIVES_STICK  "a stick"
#define YT_GIVES_CHOICE "what it chooses"
#define YT_GIVES_MOTION "motion of one direction"

#define YT_FUNCTION(group, index, NAME, id, alive, words, each, timers, most, maker, called, use,  \
                    what, says, as_in, lets, takes)                                                \
    [FUNCTION_##NAME] = {.name = called,                                                           \
                         .usage = use,                                                             \
                         .gives = what,                                                            \
                         .meaning = says,                                                          \
                         .example = as_in,                                                         \
                         .ability = YT_CAN_##lets,                                                 \
                         .make = maker,                                                            \
                         .number = YT_DO_##NAME,                                                   \
                         .arguments = {takes}},
#define YT_COMPOSED(NAME, maker, called, use, what, says, as_in, count, takes)                     \
    [FUNCTION_##NAME] = {.name = called,                                                           \
                         .usage = use,                                                             \
                         .gives = what,                                                            \
                         .meaning = says,                                                          \
                         .example = as_in,                                                         \
                         .ability = YT_CAN_PLAIN,                                                  \
                         .make = maker,                                                            \
                         .number = FUNCTION_MADE,                                                  \
                         .nodes = (count),                                                         \
                         .arguments = {takes}},
#define YT_MAKING(NAME, OF, maker, called, use, what, says, as_in, takes)                          \
    [FUNCTION_##NAME] = {.name = called,                                                           \
                         .usage = use,                                                             \
                         .gives = what,                                                            \
                         .meaning = says,                                                          \
                         .example = as_in,                                                         \
                         .ability = YT_CAN_SHAPING,                                                \
                         .make = maker,                                                            \
                         .number = YT_DO_##OF,                                                     \
                         .arguments = {takes}},

const yt_listed_function functions[FUNCTION_COUNT] = {
#include "yonder/image/functions.def"
};

unsigned function_ability(const yt_listed_function *function) {
    return function->make == make_whole_chord ? YT_CAN_TIMING : function->ability;
}

const char *function_group(const yt_listed_function *function) {
    return function->number == FUNCTION_MADE ? NULL
                                             : yt_group_name(yt_function_group(function->number));
}

unsigned function_argument_count(const yt_listed_function *function) {
    unsigned count = 0;
    while (count < FUNCTION_ARGUMENTS && function->arguments[count].wanted != WANTED_NOTHING &&
           function->arguments[count].wanted != WANTED_LAYER_PRESSES)
        count++;
    return count;
}

/* Arguments that may be many have the labels a, b, c…, and stand last in the program. */
unsigned function_argument_at(const yt_listed_function *function, unsigned place) {
    unsigned count = function_argument_count(function), first = 0;
    bool any_more = count > 0 && function->arguments[count - 1].wanted == WANTED_SWITCH &&
                    function->arguments[count - 1].may_lack;
    while (any_more && first < count && strcmp(function->arguments[first].label, "a") != 0)
        first++;
    place += first;
    return place < count ? place : place - count;
}

yt_unit wanted_unit(yt_wanted wanted) {
    return wanted == WANTED_TIME        ? YT_UNIT_TIME
           : wanted == WANTED_SLOPE     ? YT_UNIT_TIME
           : wanted == WANTED_ANGLE     ? YT_UNIT_ANGLE
           : wanted == WANTED_FREQUENCY ? YT_UNIT_FREQUENCY
           : wanted == WANTED_SPEED     ? YT_UNIT_SPEED
           : wanted == WANTED_TURNING   ? YT_UNIT_TURN
                                        : YT_UNIT_NONE;
}

const char *wanted_meaning(yt_wanted wanted) {
    static const char *const meanings[] = {"nothing",
                                           "a switch",
                                           "a number, a switch, a level or an axis",
                                           "anything; both of a kind",
                                           "a number, with or without a unit",
                                           "a stick or an axis",
                                           "motion in two directions, or a velocity",
                                           "motion of one direction, or a speed",
                                           "motion of one direction, or a speed",
                                           "a time such as 120 ms",
                                           "a frequency such as 12 Hz",
                                           "a speed such as 1500 /s (counts a second)",
                                           "a time such as 120 ms",
                                           "an angle such as 30 deg",
                                           "a whole number",
                                           "a share such as 40%",
                                           "a number such as 1.5",
                                           "a rate such as 240 deg/s",
                                           "points such as 25% -> 10%",
                                           "a switch",
                                           "three axes, as of a gyro",
                                           "how fast something turns",
                                           "what its layer's cells name"};
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

/* To the nearest hundredth, as 40% is not a whole number of 1/65536. */
static double percent_of(int64_t amount) {
    int64_t parts = amount * 10000;
    return (double)((parts + (parts < 0 ? -YT_ONE / 2 : YT_ONE / 2)) / YT_ONE) / 100;
}

void amount_text(yt_unit unit, int64_t amount, char *text, size_t size) {
    static const char *const units[] = {"%", "ms", "Hz", "deg", "/s", "deg/s", "g", "mm"};
    if (unit == YT_UNIT_TIME && amount % 1000000 == 0 && amount != 0)
        number_text((double)amount / 1000000, "s", text, size);
    else if (unit == YT_UNIT_TIME)
        number_text((double)amount / 1000, "ms", text, size);
    else
        number_text(unit == YT_UNIT_NONE ? percent_of(amount) : (double)amount / YT_ONE,
                    units[unit], text, size);
}

void argument_text(const yt_listed_argument *argument, int64_t amount, char *text, size_t size) {
    if (argument->wanted == WANTED_COUNT || argument->wanted == WANTED_POWER)
        number_text((double)amount / YT_ONE, "", text, size);
    else
        amount_text(wanted_unit(argument->wanted), amount, text, size);
}
