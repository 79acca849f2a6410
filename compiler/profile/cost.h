/* The worst-case cost of an update: known before it runs, as a program has no loops. What each part
 * costs is measured on emulated cores by bench/costs, which writes compiler/profile/costs.def. What
 * is left out, docs/decisions.md says. */
#ifndef YONDER_COMPILER_PROFILE_COST_H
#define YONDER_COMPILER_PROFILE_COST_H

#include "compiler/formulas/functions.h"
#include "yonder/image/program.h"

/* What a program is counted in, each with its meaning, beside the functions (functions.def), each
 * of which is a term of its own. */
#define COST_TERMS(COST)                                                                           \
    COST(UPDATE, "an update, whatever it holds")                                                   \
    COST(KEYBOARD, "a report of a keyboard, whose keys may stand in an array")                     \
    COST(SWITCH, "a switch that is read")                                                          \
    COST(KEY, "a key that is read")                                                                \
    COST(LEVEL, "a level or an axis that is read")                                                 \
    COST(MOTION, "motion that is read")                                                            \
    COST(STEP, "a step, whatever it holds")                                                        \
    COST(INSTRUCTION, "an instruction of a step")                                                  \
    COST(WIRE, "motion that goes to an output or a stick without a step")                          \
    COST(MULTIPLY, "a product")                                                                    \
    COST(DIVIDE, "a quotient")                                                                     \
    COST(MORE, "an argument of a function, of what drives a switch or of who owns a press")        \
    COST(STAGE, "a further stage of a shape: a curve, a gate")                                     \
    COST(DRIVE, "a switch that layers drive")                                                      \
    COST(BUTTON, "a switch of an output")                                                          \
    COST(KEY_OUT, "a key of an output")                                                            \
    COST(ARRAY_KEY, "a key of an output that stands in an array")                                  \
    COST(ARRAY, "a key that may stand in that array too, for each that changes")                   \
    COST(BOOT, "a key that a report of the boot protocol may tell of")                             \
    COST(HAT, "a direction of an output's hat")                                                    \
    COST(AXIS, "an axis, a level or motion of an output")                                          \
    COST(TARGET, "a light or a motor of a device")                                                 \
    COST(OUTPUT, "an output's interface, changed or not")                                          \
    COST(REPORT, "a report to a host")                                                             \
    COST(FILL, "a field of a report that fills itself")                                            \
    COST(FILL_BYTE, "a byte that a checksum is over")

typedef enum yt_cost_term {
#define COST_NAME(name, meaning) COST_##name,
    COST_TERMS(COST_NAME)
#undef COST_NAME
#define YT_FUNCTION(group, index, NAME, ...) COST_##NAME,
#define YT_UNCALLED(group, index, NAME, ...) COST_##NAME,
#include "yonder/image/functions.def"
        COST_COUNT
} yt_cost_term;

/* How often each is there. */
typedef struct yt_cost_terms {
    uint32_t count[COST_COUNT];
} yt_cost_terms;

typedef struct yt_cost_core {
    const char *name;
    unsigned clock_mhz;         /* that it often has */
    unsigned cycles_tenths;     /* cycles an instruction, in tenths: a stated guess */
    uint16_t price[COST_COUNT]; /* instructions */
} yt_cost_core;

extern const yt_cost_core cost_cores[];
extern const char *const cost_names[COST_COUNT];
extern const unsigned cost_core_count;

/* What is looked at, at most, by an update in which one report of an input's device comes and all
 * timers end, and the reports that follow from it are built. */
void cost_count(const yt_program *program, unsigned input, yt_cost_terms *terms);

/* The same where only one key changes of those that a keyboard may tell in an array, `key` of the
 * program's controls; the number of no control: none of them does. NULL: all change. */
void cost_count_keys(const yt_program *program, unsigned input, const unsigned *key,
                     yt_cost_terms *terms);

/* Instructions for these on a core. */
uint32_t cost_of(const yt_cost_core *core, const yt_cost_terms *terms);

/* Instructions for a function, each time that it is looked at: when something that it takes has
 * changed, and when its time is over. Its arguments that may be many are taken for two. */
uint32_t cost_of_function(const yt_cost_core *core, const yt_listed_function *function);

#define COST_ARRAY_KEYS 12 /* that one report can change in an array of six: it lets six go */

/* What any input's report may cost at most, in instructions. */
typedef struct yt_cost_bounds {
    uint32_t most;     /* where keyboards tell six keys at a time, as most do */
    unsigned input;    /* whose report that is */
    uint32_t all_keys; /* where one report may change all keys, or tell how deep they are */
} yt_cost_bounds;

yt_cost_bounds cost_bound(const yt_cost_core *core, const yt_program *program);

#endif
