/* The tests inside a profile: what is done when, and what must come out when. */
#ifndef YONDER_COMPILER_PROFILE_PROFILE_TESTS_H
#define YONDER_COMPILER_PROFILE_PROFILE_TESTS_H

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"

#define PROFILE_TESTS 500
#define TEST_STEPS    1000              /* of one test */
#define TEST_LONGEST  INT64_C(60000000) /* microseconds */

typedef enum act_kind { ACT_SET, ACT_MOVE, ACT_PLUG, ACT_UNPLUG, ACT_PARAMETER } act_kind;

/* Something that is done. What is done by one entry of `do:` is one view. */
typedef struct yt_test_act {
    act_kind kind;
    const yt_part *part; /* what it is done to, as the profile has it */
    int64_t at_us;
    unsigned entry;    /* of the test's `do:`; acts of one entry stand together */
    bool is_press;     /* of a switch */
    unsigned input;    /* that is plugged in or out */
    unsigned nodes[2]; /* that get the value; BUILD_NOWHERE: nothing reads it */
    int32_t value;
} yt_test_act;

typedef enum yt_expected_kind {
    EXPECTED_PRESSED,
    EXPECTED_RELEASED,
    EXPECTED_VALUE,  /* within `tolerance` */
    EXPECTED_MOVED,  /* counts from the beginning on */
    EXPECTED_PRESSES /* how often it was pressed from the beginning on */
} yt_expected_kind;

/* What an output's host must have seen by some time, or what a light or a motor of a device must be
 * driven with. */
typedef struct yt_test_expected {
    yt_expected_kind kind;
    const yt_part *part;
    int64_t at_us;
    bool is_device;
    unsigned target; /* of the program, for a device's; BUILD_NOWHERE: nothing drives it */
    unsigned output; /* else */
    yt_output_control control;
    yt_control_name name;
    int32_t value; /* Q16.16; of moved and presses a whole number */
    int32_t tolerance;
} yt_test_expected;

typedef struct yt_profile_test {
    const char *name;
    const yt_part *part;
    int64_t poll_us;   /* how often the hosts ask */
    yt_test_act *acts; /* in the order of time */
    unsigned act_count, act_room;
    yt_test_expected *expected; /* in the order of time */
    unsigned expected_count, expected_room;
} yt_profile_test;

typedef struct yt_profile_tests {
    yt_profile_test *list;
    unsigned count, room;
} yt_profile_tests;

/* Reads `tests:`; all else is read before. */
void read_tests(yt_scope *scope, const yt_part *list, yt_profile_tests *tests);

/* Once the program is there: nodes are those of the program. */
void place_tests(const yt_build *build, yt_profile_tests *tests);

#endif
