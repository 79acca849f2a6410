/* Makes the table of the group YT_ONLY_GROUP, at the end of its file, from its rows of
 * functions.def: where a row's function is not written above, this does not compile. */
#define YT_TAKES_SWITCH(label, meaning)                            "s"
#define YT_TAKES_NUMBER(label, meaning)                            "n"
#define YT_TAKES_STICK(label, meaning)                             "nn"
#define YT_TAKES_MOTION(label, meaning)                            "pp"
#define YT_TAKES_TURN(label, meaning)                              "p"
#define YT_TAKES_AXES(label, meaning)                              "nnn"
#define YT_TAKES_TIME(label, otherwise, least, most, meaning)      "n"
#define YT_TAKES_FREQUENCY(label, otherwise, least, most, meaning) "nn"
#define YT_TAKES_SPEED(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_SLOPE(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_ANGLE(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_COUNT(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_SHARE(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_SWITCH_OR_NONE(label, meaning)                    "s"
#define YT_TAKES_MORE_SWITCHES(first, second, others)              "|s"
#define YT_TAKES_TURNING(label, otherwise, least, most, meaning)   "n"
#define YT_TAKES_POWER(label, otherwise, least, most, meaning)     "n"
#define YT_TAKES_LAYER_PRESSES                                     "e"

#define YT_ALIVE_0 ""
#define YT_ALIVE_1 "s"

/* What comes out, and how many results that is. */
#define YT_GIVES_SWITCH 's', 1
#define YT_GIVES_NUMBER 'n', 1
#define YT_GIVES_STICK  'n', 2
#define YT_GIVES_CHOICE 'n', 2
#define YT_GIVES_MOTION 'p', 1

#define YT_FUNCTION(group, index, NAME, name, alive, words, each, timers, most, make, called,      \
                    usage, gives, meaning, example, ability, arguments)                            \
    [index] = {yt_do_##name, gives,  (words),          (each),                                     \
               (timers),     (most), YT_CAN_##ability, YT_ALIVE_##alive arguments,                 \
               (alive)},
#define YT_UNCALLED(group, index, NAME, name, alive, words, each, timers, most, gives, ability,    \
                    meaning, takes)                                                                \
    [index] = {                                                                                    \
        yt_do_##name,           gives,  (words), (each), (timers), (most), YT_CAN_##ability,       \
        YT_ALIVE_##alive takes, (alive)},

static const yt_function functions[] = {
#include "yonder/image/functions.def"
};
