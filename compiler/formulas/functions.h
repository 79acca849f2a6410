/* The functions that formulas may call: functions.def as the compiler's table, from which `yonder
 * functions` and docs/functions.md come too. */
#ifndef YONDER_COMPILER_FORMULAS_FUNCTIONS_H
#define YONDER_COMPILER_FORMULAS_FUNCTIONS_H

#include "compiler/reading/formula.h"
#include "yonder/abilities.h"

#define FUNCTION_ARGUMENTS 8

typedef enum yt_wanted {
    WANTED_NOTHING, /* behind the last argument */
    WANTED_SWITCH,
    WANTED_NUMBER,  /* a switch, a level, an axis, a number */
    WANTED_LIKE,    /* anything; all that are like this must be of one kind */
    WANTED_NUMBERS, /* numbers; with units, where all have the same */
    WANTED_STICK,   /* or an axis */
    WANTED_MOTION,  /* in two directions */
    WANTED_WHEEL,   /* in one; of a composition */
    WANTED_TURN,    /* in one */
    WANTED_TIME,
    WANTED_FREQUENCY,
    WANTED_SPEED,
    WANTED_SLOPE, /* the time for a whole way */
    WANTED_ANGLE,
    WANTED_COUNT, /* a whole number */
    WANTED_SHARE, /* of a whole way */
    WANTED_POWER,
    WANTED_TURNING, /* degrees a second */
    WANTED_POINTS,
    WANTED_SWITCH_OR_NONE,
    WANTED_AXES,         /* three, of a gyro or an accelerometer */
    WANTED_TURNS,        /* how fast something turns, in two directions */
    WANTED_LAYER_PRESSES /* not written in a call */
} yt_wanted;

typedef struct yt_listed_argument {
    const char *label;
    yt_wanted wanted;
    bool may_lack;     /* it may be left out: it is `otherwise` then, where that is not 0 */
    int64_t otherwise; /* these three in its unit, as in a term */
    int64_t low;
    int64_t high;
    const char *meaning;
} yt_listed_argument;

typedef enum yt_listed_number {
#define YT_FUNCTION(group, index, NAME, ...) FUNCTION_##NAME,
#define YT_COMPOSED(NAME, ...)               FUNCTION_##NAME,
#define YT_MAKING(NAME, ...)                 FUNCTION_##NAME,
#include "yonder/image/functions.def"
    FUNCTION_COUNT
} yt_listed_number;

#define FUNCTION_MADE 255

struct yt_written_call;
struct yt_value;

typedef struct yt_listed_function {
    const char *name;
    const char *usage;
    const char *gives;
    const char *meaning;
    const char *example; /* a cell, or a layer's condition */
    uint8_t ability;     /* what it lets a profile do: YT_CAN_… */
    struct yt_value (*make)(const struct yt_written_call *call);
    uint8_t number; /* yt_function_number; FUNCTION_MADE: it is made of operations */
    uint8_t nodes;  /* how many there are of those, for plain numbers */
    yt_listed_argument arguments[FUNCTION_ARGUMENTS]; /* in the order of the program */
} yt_listed_function;

extern const yt_listed_function functions[FUNCTION_COUNT];

/* What it lets a profile do, YT_CAN_…; of what is made of functions, what those let it do. */
unsigned function_ability(const yt_listed_function *function);

/* The name of the group that a firmware links for it; NULL: it is made of operations. */
const char *function_group(const yt_listed_function *function);

/* How many arguments a call can have. */
unsigned function_argument_count(const yt_listed_function *function);

/* The argument that stands at a place of a call without labels: those that may be many come first.
 */
unsigned function_argument_at(const yt_listed_function *function, unsigned place);

/* The unit of what an argument takes; YT_UNIT_NONE for all but quantities. */
yt_unit wanted_unit(yt_wanted wanted);

/* "a switch", "a time such as 120 ms"… */
const char *wanted_meaning(yt_wanted wanted);

/* An amount as it is written in a formula, such as "120 ms". */
void amount_text(yt_unit unit, int64_t amount, char *text, size_t size);

/* The same of what an argument takes. */
void argument_text(const yt_listed_argument *argument, int64_t amount, char *text, size_t size);

#endif
