/* What each function takes and gives: functions.def as a table, a part of it in each group. */
#ifndef YONDER_IMAGE_FUNCTIONS_H
#define YONDER_IMAGE_FUNCTIONS_H

#include <stdbool.h>
#include <stdint.h>

#include "yonder/abilities.h"
#include "yonder/groups.h"

/* The numbers of functions: 16 for each group, as they are stored. */
typedef enum yt_function_number {
#define YT_FUNCTION(group, index, NAME, ...) YT_DO_##NAME = 16 * YT_GROUP_##group + (index),
#define YT_UNCALLED(group, index, NAME, ...) YT_DO_##NAME = 16 * YT_GROUP_##group + (index),
#include "yonder/image/functions.def"
} yt_function_number;

#define YT_RESULTS 3 /* a function can have */

typedef struct yt_call yt_call;
typedef yt_q16 yt_do(const yt_call *call);

typedef struct yt_function {
    yt_do *run; /* the C function in its group's file (run/functions) */
    char gives;
    uint8_t results; /* how many; the others are numbers */
    uint8_t state_words;
    uint8_t words_each; /* more for each argument behind the | */
    uint8_t timers;
    uint8_t most;    /* arguments; 0: as many as there can be */
    uint8_t ability; /* YT_CAN_… */
    char takes[10]; /* the types of its arguments, as letters (code.def); | before those that may be
                       many; ended by 0 */
    bool alive;     /* its first argument says whether its layer is alive */
} yt_function;

struct yt_group {
    const yt_function *functions;
    uint8_t count;
};

#define YT_ANY_GROUP UINT32_MAX

/* The function of a number; NULL: there is none, its group is not linked, or not one of `groups`, a
 * bit each. */
const yt_function *yt_function_of(uint32_t groups, unsigned number);

/* The group of a function's number. */
static inline unsigned yt_function_group(unsigned number) {
    return number >> 4;
}

/* Whether it takes so many arguments. */
bool yt_function_takes(const yt_function *function, unsigned count);

/* The type of what it gives first. */
static inline uint8_t yt_function_type(const yt_function *function) {
    return function->gives == 's'   ? YT_TYPE_SWITCH
           : function->gives == 'p' ? YT_TYPE_PULSE
                                    : YT_TYPE_NUMBER;
}

/* The type of its argument `index`, as a letter. */
char yt_function_argument(const yt_function *function, unsigned index);

/* Words of state with so many arguments. */
unsigned yt_function_words(const yt_function *function, unsigned count);

#endif
