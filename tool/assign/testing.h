/* The tests inside a profile, run beside what a person does. */
#ifndef YONDER_TOOL_TESTING_H
#define YONDER_TOOL_TESTING_H

#include <sys/types.h>

#include "tool/tool.h"

typedef struct testing {
    pid_t child; /* that runs them; 0: none does */
    int from;    /* what it says */
    char said[600];
    size_t size;
    char wrong[300]; /* the first that fails; "": none does, as far as is known */
} testing;

/* Begins anew; what is under way is stopped. */
void testing_begin(testing *testing, const profile *profile);

/* Looks whether they are done; at most so long. True: something is new. */
bool testing_look(testing *testing, int wait_ms);

void testing_end(testing *testing);

#endif
