/* The tests inside a profile: what is done when, and what must come out when. */
#ifndef YONDER_COMPILER_PROFILE_TESTS_H
#define YONDER_COMPILER_PROFILE_TESTS_H

#include "compiler/lower.h"

#define PROFILE_TESTS 500
#define TEST_STEPS    1000              /* of one test */
#define TEST_LONGEST  INT64_C(60000000) /* microseconds */

typedef enum act_kind { ACT_SET, ACT_MOVE, ACT_PLUG, ACT_UNPLUG, ACT_PARAMETER } act_kind;

/* Something that is done. What is done by one entry of `do:` is one view. */
typedef struct test_act {
    act_kind kind;
    const part *part; /* what it is done to, as the profile has it */
    int64_t at_us;
    unsigned entry;    /* of the test's `do:`; acts of one entry stand together */
    bool is_press;     /* of a switch */
    unsigned input;    /* that is plugged in or out */
    unsigned nodes[2]; /* that get the value; BUILD_NOWHERE: nothing reads it */
    int32_t value;
} test_act;

typedef enum expected_kind {
    EXPECTED_PRESSED,
    EXPECTED_RELEASED,
    EXPECTED_VALUE,  /* within `tolerance` */
    EXPECTED_MOVED,  /* counts from the beginning on */
    EXPECTED_PRESSES /* how often it was pressed from the beginning on */
} expected_kind;

/* What an output's host must have seen by some time, or what a light or a motor of a device must be
 * driven with. */
typedef struct test_expected {
    expected_kind kind;
    const part *part;
    int64_t at_us;
    bool is_device;
    unsigned target; /* of the program, for a device's; BUILD_NOWHERE: nothing drives it */
    unsigned output; /* else */
    output_control control;
    control_name name;
    int32_t value; /* Q16.16; of moved and presses a whole number */
    int32_t tolerance;
} test_expected;

typedef struct profile_test {
    const char *name;
    const part *part;
    int64_t poll_us; /* how often the hosts ask */
    test_act *acts;  /* in the order of time */
    unsigned act_count, act_room;
    test_expected *expected; /* in the order of time */
    unsigned expected_count, expected_room;
} profile_test;

typedef struct profile_tests {
    profile_test *list;
    unsigned count, room;
} profile_tests;

/* Reads `tests:`; all else is read before. */
void read_tests(scope *scope, const part *list, profile_tests *tests);

/* Once the program is there: nodes are those of the program. */
void place_tests(const build *build, profile_tests *tests);

#endif
