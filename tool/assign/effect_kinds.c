/* What formulas do, in plain words. */
#include <string.h>

#include "tool/assign/effects.h"

#define SWITCHES (1u << VALUE_SWITCH)
#define LEVELS   (1u << VALUE_LEVEL)
#define AXES     (1u << VALUE_AXIS)
#define STICKS   (1u << VALUE_STICK)
#define WHEELS   (1u << VALUE_MOTION)
#define MOTIONS  (1u << VALUE_MOTION_PAIR)
#define TURNS    (1u << VALUE_VELOCITY)
#define GYROS    (1u << VALUE_AXES)
#define NUMBERS  (LEVELS | AXES | STICKS)
#define ALL_LIKE (NUMBERS | WHEELS | MOTIONS | TURNS)

#define SAME VALUE_NOTHING

const effect_kind effect_kinds[] = {
    {"turned over", "off while it is on, and on while it is off", "not $", NULL, SWITCHES, SAME,
     ANYWHERE},
    {"on and off", "a press turns it on, the next one off", "toggle($)", "toggle", SWITCHES, SAME,
     ANYWHERE},
    {"repeated", "again and again while it is held", "turbo($)", "turbo", SWITCHES, SAME, ANYWHERE},
    {"only when held", "on once it has been held for a while", "hold($)", "hold", SWITCHES, SAME,
     ANYWHERE},
    {"only when tapped", "on for a moment after a short press", "tap($)", "tap", SWITCHES, SAME,
     ANYWHERE},
    {"when let go", "on for a moment when it is let go", "pulse(not $)", "pulse", SWITCHES, SAME,
     ANYWHERE},
    {"for a moment", "on for a moment when it is pressed", "pulse($)", "pulse", SWITCHES, SAME,
     ANYWHERE},
    {"pressed twice", "on at the second of two presses", "multi_press($)", "multi_press", SWITCHES,
     SAME, ANYWHERE},
    {"for some time at least", "a short press lasts longer", "at_least($)", "at_least", SWITCHES,
     SAME, ANYWHERE},
    {"for some time at most", "a long press is cut", "at_most($)", "at_most", SWITCHES, SAME,
     ANYWHERE},
    {"later", "on and off some time after it", "delayed($)", "delayed", SWITCHES, SAME, ANYWHERE},
    {"steadied", "a contact that bounces is one press", "steady($)", "steady", SWITCHES, SAME,
     ANYWHERE},
    {"for the next press", "on from its press until another press ends", "next_press($)",
     "next_press", SWITCHES, SAME, IN_CONDITION},
    {"with another", "on while another control is held, too", "$ and @", NULL, SWITCHES, SAME,
     ANYWHERE},
    {"not while", "on while another control is not held", "$ and not @", NULL, SWITCHES, SAME,
     ANYWHERE},
    {"or another", "on while either is held", "$ or @", NULL, SWITCHES, SAME, ANYWHERE},
    {"both at once", "on when both are pressed together", "chord($, @)", "chord", SWITCHES, SAME,
     ANYWHERE},
    {"both at once, and alone not", "the same; what one of them alone does waits for it",
     "whole_chord($, @)", "whole_chord", SWITCHES, SAME, AROUND_CONTROL},
    {"pressed from", "a switch that is on from some depth", "pressed($)", "pressed", LEVELS,
     VALUE_SWITCH, ANYWHERE},
    {"noise taken out", "it does not tremble while it is held", "quiet($)", "quiet", NUMBERS, SAME,
     ANYWHERE},
    {"a hand that trembles", "small moves to and fro are taken out", "steady_hand($)",
     "steady_hand", NUMBERS, SAME, ANYWHERE},
    {"the swing of its spring taken out", "let go, it does not go to the other side", "let_go($)",
     "let_go", STICKS | AXES, SAME, ANYWHERE},
    {"dead zone", "at rest near its rest, at its end near its end", "deadzone($)", "deadzone",
     STICKS | AXES, SAME, ANYWHERE},
    {"dead zone of each axis", "at rest near each axis", "axis_deadzone($)", "axis_deadzone",
     STICKS, SAME, ANYWHERE},
    {"dead zone that grows", "straight lines are easier", "straight_deadzone($)",
     "straight_deadzone", STICKS, SAME, ANYWHERE},
    {"made straight", "lines near a direction are exact", "snap($)", "snap", STICKS, SAME,
     ANYWHERE},
    {"from its start to its end", "less of its way is the whole of it", "trigger_range($)",
     "trigger_range", LEVELS, SAME, ANYWHERE},
    {"power curve", "finer near its rest", "power_curve($)", "power_curve", NUMBERS, SAME,
     ANYWHERE},
    {"curve", "what goes in becomes what comes out, point by point",
     "curve($, 25% -> 15%, 75% -> 60%)", "curve", NUMBERS, SAME, ANYWHERE},
    {"over the host's dead zone", "the first move is as far as that already", "least_output($)",
     "least_output", STICKS | AXES, SAME, ANYWHERE},
    {"to a square", "it reaches the corners of a square", "to_square($)", "to_square", STICKS, SAME,
     ANYWHERE},
    {"smoothed", "slower, and calmer", "lowpass($)", "lowpass", NUMBERS, SAME, ANYWHERE},
    {"no faster than", "the whole way takes so long at least", "slew($)", "slew", NUMBERS, SAME,
     ANYWHERE},
    {"turned round", "by an angle", "rotate($, by=15 deg)", "rotate", STICKS, SAME, ANYWHERE},
    {"the other way", "left for right, up for down", "-1 * $", NULL, STICKS | AXES, SAME, ANYWHERE},
    {"weaker", "a share of it", "$ * 50%", NULL, ALL_LIKE, SAME, ANYWHERE},
    {"weaker while", "a share of it while another control is held", "if(@, 50%, 100%) * $", NULL,
     ALL_LIKE, SAME, ANYWHERE},
    {"as far as another", "only while another control is held, and as far", "$ * @", NULL, ALL_LIKE,
     SAME, ANYWHERE},
    {"softened", "a hand that trembles leaves it alone", "softened($)", "softened", TURNS, SAME,
     ANYWHERE},
    {"quickened", "fast moves go farther", "quickened($)", "quickened", TURNS, SAME, ANYWHERE},
    {"how far, whichever way", "both directions are one", "abs($)", "abs", AXES, VALUE_LEVEL,
     ANYWHERE},
    {"as fast as it moves", "a stick that is out as far as it is fast",
     "stick_from_motion($, full_at=1500 /s)", "stick_from_motion", MOTIONS, VALUE_STICK, ANYWHERE},
    {"to turn the host's view", "a stick, worked back from the host's camera",
     "camera_stick($, turn=4000)", "camera_stick", MOTIONS, VALUE_STICK, ANYWHERE},
    {"to where it points", "the view turns to where the stick points",
     "camera_stick(motion(x=turn_to($, turn=4000)), turn=4000)", NULL, STICKS, VALUE_STICK,
     ANYWHERE},
    {"as far as it turns", "counts, as of a mouse", "motion_from_turning($, turn=4000)",
     "motion_from_turning", TURNS, VALUE_MOTION_PAIR, ANYWHERE},
    {"to turn the host's view as it turns", "a stick, worked back from the host's camera",
     "camera_stick(motion_from_turning($, turn=4000), turn=4000)", NULL, TURNS, VALUE_STICK,
     ANYWHERE},
    {"as fast as it turns", "a stick that is out as far as it is fast", "stick_from_turning($)",
     "stick_from_turning", TURNS, VALUE_STICK, ANYWHERE},
    {"about its own axes", "it turns as the device turns", "turning($)", "turning", GYROS,
     VALUE_VELOCITY, ANYWHERE},
    {"however it is held", "it turns to the side about gravity", "level_turning($, @)",
     "level_turning", GYROS, VALUE_VELOCITY, ANYWHERE},
    {"by how it is tilted", "a stick, as far as it is tilted", "tilt($, @)", "tilt", GYROS,
     VALUE_STICK, ANYWHERE},
    {"the view turned there", "how far the view is to turn", "turn_to($, turn=4000)", "turn_to",
     STICKS, VALUE_MOTION, ANYWHERE},
    {"across", "to the sides alone", "motion(x=$)", "motion", WHEELS, VALUE_MOTION_PAIR, ANYWHERE},
};
const size_t effect_kind_count = sizeof effect_kinds / sizeof effect_kinds[0];

const effect_kind *effect_kind_named(const char *words) {
    for (size_t i = 0; i < effect_kind_count; i++)
        if (strcmp(effect_kinds[i].words, words) == 0)
            return &effect_kinds[i];
    return NULL;
}

const effect_kind *effect_between(yt_formula_type from, yt_formula_type to, size_t *at) {
    while (*at < effect_kind_count) {
        const effect_kind *kind = &effect_kinds[(*at)++];
        if (kind->gives == to && kind->gives != SAME && kind->types >> from & 1)
            return kind;
    }
    return NULL;
}
