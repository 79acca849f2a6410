/* What a program may do, as events and games allow one thing and forbid another.
 *
 * A program says it in its header; the check works it out anew and refuses a program that says
 * otherwise. A port may refuse abilities:
 *
 *     port.refuses = YT_CAN_TYPING | YT_CAN_REPETITION;
 *     status = yt_engine_load(&engine, program, program_size); // YT_REFUSED of one that types */
#ifndef YONDER_ABILITIES_H
#define YONDER_ABILITIES_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A bit each. What needs none of them is plain: one control drives another, or several do at once.
 */
#define YT_ABILITIES(X)                                                                            \
    X(SHAPING, shaping, "changes how a stick, a level or a motion feels")                          \
    X(TIMING, timing, "acts at another time than the hand, or by how long a press lasts")          \
    X(REPETITION, repetition, "presses again and again by itself")                                 \
    X(SEQUENCE, sequence, "does several things one after the other: a macro")                      \
    X(OPPOSING, opposing, "decides which of two opposite directions counts")                       \
    X(TYPING, typing, "types keys by something that is no keyboard")                               \
    X(ADAPTER, adapter, "controls the adapter: slots, lights, modes")

enum {
#define YT_ABILITY_NUMBER(NAME, name, meaning) YT_ABILITY_##NAME,
    YT_ABILITIES(YT_ABILITY_NUMBER)
#undef YT_ABILITY_NUMBER
        YT_ABILITY_COUNT
};

enum {
    YT_CAN_PLAIN = 0,
#define YT_ABILITY_BIT(NAME, name, meaning) YT_CAN_##NAME = 1 << YT_ABILITY_##NAME,
    YT_ABILITIES(YT_ABILITY_BIT)
#undef YT_ABILITY_BIT
        YT_CAN_ALL = (1 << YT_ABILITY_COUNT) - 1
};

/* "shaping", "timing"…; "" for a number that is none. */
const char *yt_ability_name(unsigned ability);

#ifdef __cplusplus
}
#endif

#endif
