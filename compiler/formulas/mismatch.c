/* A value that is not of the type that is wanted: what to write instead. */
#include "compiler/formulas/lowering.h"

#include <string.h>

#define NAMED "give it a name under named:, and take .x or .y of that"

/* `before` and `after` stand around the term's own text, where there is an `after`. Where it takes
 * .x of a name, any other term has to be given a name first. */
typedef struct yt_hint {
    yt_formula_type wanted, got;
    const char *before, *after;
    bool takes_x;
} yt_hint;

/* A level counts as an axis. */
static const yt_hint hints[] = {
    {VALUE_SWITCH, VALUE_AXIS, "compare it, as in: ", " > 40%", false},
    {VALUE_SWITCH, VALUE_RATE, "compare it, as in: ", " > 90 deg/s", false},
    {VALUE_SWITCH, VALUE_MOTION, "compare it, as in: ", " > 0", false},
    {VALUE_SWITCH, VALUE_STICK, "compare one of its axes, as in: ", ".x > 40%", true},
    {VALUE_SWITCH, VALUE_MOTION_PAIR, "compare one of its directions, as in: ", ".x > 0", true},
    {VALUE_SWITCH, VALUE_CONSTANT, "what is never on is: none", NULL, false},
    {VALUE_SWITCH, VALUE_QUANTITY, "compare it with another of its kind", NULL, false},
    {VALUE_AXIS, VALUE_QUANTITY, "divide it by another of its kind", NULL, false},
    {VALUE_AXIS, VALUE_STICK, "take one of its axes, as in: ", ".x", true},
    {VALUE_AXIS, VALUE_MOTION, "motion has no position; compare it, as in: ", " > 0", false},
    {VALUE_AXIS, VALUE_MOTION_PAIR, "a stick can follow it: stick_from_motion(",
     ", full_at=1500 /s)", false},
    {VALUE_STICK, VALUE_MOTION_PAIR, "write: stick_from_motion(", ", full_at=1500 /s)", false},
    {VALUE_STICK, VALUE_VELOCITY, "write: stick_from_turning(", ", full_at=180 deg/s)", false},
    {VALUE_STICK, VALUE_AXES, "write: stick_from_turning(turning(", "))", false},
    {VALUE_AXIS, VALUE_AXES, "take one of them, as in: ", ".x * 0.4%", true},
    {VALUE_AXIS, VALUE_VELOCITY, "give it a name under named:, and take .x or .y of that", NULL,
     false},
    {VALUE_SWITCH, VALUE_AXES, "compare one of them, as in: ", ".x > 90 deg/s", true},
    {VALUE_SWITCH, VALUE_VELOCITY, "compare one of its directions, as in: ", ".x > 90 deg/s", true},
    {VALUE_STICK, VALUE_SWITCH, "write: stick(x=", ", y=0%)", false},
    {VALUE_STICK, VALUE_AXIS, "write: stick(x=", ", y=0%)", false},
    {VALUE_STICK, VALUE_CONSTANT, "write: stick(x=", ", y=0%)", false},
    {VALUE_STICK, VALUE_MOTION, "only motion in two directions can move a stick", NULL, false},
    {VALUE_MOTION, VALUE_MOTION_PAIR, "take one of its directions, as in: ", ".x", true},
    {VALUE_MOTION, VALUE_VELOCITY, "take one of its directions, as in: ", ".x", true},
    {VALUE_MOTION, VALUE_STICK, "take one of its axes, at a speed, as in: ", ".x * 600 /s", true},
    {VALUE_MOTION, VALUE_AXIS, "give it a speed, as in: ", " * 600 /s", false},
    {VALUE_MOTION, VALUE_RATE, "say how many counts it is, as in: ", " * 5 /s", false},
    {VALUE_MOTION, VALUE_CONSTANT, "give it a speed, as in: ", " /s", false},
    {VALUE_MOTION, VALUE_SWITCH, "for a count at each press, write: step(", ", 1)", false},
    {VALUE_MOTION_PAIR, VALUE_VELOCITY, "write: motion_from_turning(", ", turn=4000)", false},
    {VALUE_MOTION_PAIR, VALUE_AXES, "write: motion_from_turning(turning(", "), turn=4000)", false},
    {VALUE_MOTION_PAIR, VALUE_MOTION, "write: motion(x=", ")", false},
    {VALUE_MOTION_PAIR, VALUE_STICK, "give it a speed, as in: ", " * 600 /s", false},
    {VALUE_MOTION_PAIR, VALUE_AXIS, "write: motion(x=", " * 600 /s)", false},
    {VALUE_MOTION_PAIR, VALUE_RATE, "write: motion(x=", " * 5 /s)", false},
    {VALUE_MOTION_PAIR, VALUE_CONSTANT, "write: motion(x=", " /s)", false},
    {VALUE_MOTION_PAIR, VALUE_SWITCH, "write: motion(x=step(", ", 1))", false},
};

static const yt_hint *find_hint(yt_formula_type wanted, yt_value got) {
    static const yt_hint only_motion = {VALUE_MOTION, VALUE_NOTHING,
                                        "only motion or a speed can drive it, as in: 600 /s", NULL,
                                        false};
    bool moves = value_is_speed(got) && wanted == VALUE_MOTION_PAIR;
    yt_formula_type type = moves ? VALUE_MOTION : value_has_unit(got) ? VALUE_QUANTITY : got.type;
    type = type == VALUE_LEVEL ? VALUE_AXIS : type;
    wanted = wanted == VALUE_LEVEL ? VALUE_AXIS : wanted;
    for (size_t i = 0; i < sizeof hints / sizeof hints[0]; i++)
        if (hints[i].wanted == wanted && hints[i].got == type &&
            (type != VALUE_VELOCITY || wanted == VALUE_MOTION || value_is_turning(got)))
            return &hints[i];
    return wanted == VALUE_MOTION || wanted == VALUE_MOTION_PAIR ? &only_motion : NULL;
}

yt_value wrong_type(yt_lowering *lowering, const yt_term *term, const char *what,
                    yt_formula_type wanted, yt_value got) {
    const yt_hint *hint = find_hint(wanted, got);
    if (!hint)
        return lower_wrong(lowering, term, "%s, but this is %s", what, value_meaning(got));
    if (!hint->after || (hint->takes_x && term->kind != TERM_NAME))
        return lower_wrong(lowering, term, "%s, but this is %s; %s", what, value_meaning(got),
                           hint->after ? NAMED : hint->before);
    bool is_tight = term->kind == TERM_NAME || term->kind == TERM_CALL ||
                    term->kind == TERM_NUMBER || !strstr(hint->after, " * ");
    return lower_wrong(lowering, term, "%s, but this is %s; %s%s%.*s%s%s", what, value_meaning(got),
                       hint->before, is_tight ? "" : "(", term_shown(term),
                       term_text(lowering, term), is_tight ? "" : ")", hint->after);
}
