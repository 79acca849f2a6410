/* From a profile's text to a program. */
#ifndef YONDER_COMPILER_PROFILE_COMPILE_H
#define YONDER_COMPILER_PROFILE_COMPILE_H

#include <stdbool.h>

#include "compiler/formulas/controls.h"
#include "compiler/formulas/lower.h"
#include "compiler/messages/messages.h"
#include "compiler/profile/profile_tests.h"

typedef struct yt_compiled {
    yt_pool pool;         /* all that follows lives in it; pool_free gives it back */
    const uint8_t *image; /* aligned as yt_program_check wants it */
    size_t size;          /* with what stands behind it (yonder/rebind.h) */
    yt_program program;   /* the image, looked into */
    const char *name;     /* the profile's; "" without one */
    yt_profile_input inputs[PROFILE_INPUTS];
    yt_profile_output outputs[PROFILE_OUTPUTS];
    unsigned input_count;
    unsigned output_count;
    unsigned control_count;
    unsigned step_count;
    unsigned node_count;     /* of `nodes` */
    yt_profile_tests tests;  /* those inside the profile */
    const yt_scope *scope;   /* what its formulas came to, for those who explain; */
    const unsigned *numbers; /* of each node while it was built, its number among `nodes`, or
                                BUILD_NOWHERE */
    const yt_build_node
        *nodes; /* those that the program needs, each with the number of its value */
    const yt_build_root *roots; /* in the order of the program */
} yt_compiled;

/* Compiles the source that `messages` was begun with; descriptions that it names are read from its
 * folder. False: `messages` has at least one error, and nothing is to be freed. The image has
 * passed yt_program_check. */
bool compile_profile(yt_compiled *compiled, yt_messages *messages);

/* The same, as if nothing was to be rebound: for those who ask what that costs. */
bool compile_without_rebinds(yt_compiled *compiled, yt_messages *messages);

#endif
